/* Layouts of one's own, as sentences and as JSON. */
#ifndef LURK_TELL_OWN_LAYOUT_H
#define LURK_TELL_OWN_LAYOUT_H

#include <json-c/json.h>

#include "lurk/text/words.h"
#include "lurk/work/layout_package.h"

enum { TELL_OWN = 1024 };

/* "AltRight+KeyM". Returns out. */
const char *tell_own_press(lurk_key key, uint16_t modifiers, char out[LURK_WORDS]);

/* "dead caron, then q", which gives something of the layout's own. Returns out. */
const char *tell_own_sequence(const struct lurk_own_sequence *one, char out[TELL_OWN]);

/* A finding: its code, a sentence and what to do. */
const char *tell_own_code(const struct lurk_own_layout_finding *finding);
const char *tell_own_finding(const struct lurk_own_layout_finding *finding, char out[TELL_OWN]);
const char *tell_own_to_do(const struct lurk_own_layout *own,
			   const struct lurk_own_layout_finding *finding, char out[TELL_OWN]);

/* How a session of that kind takes it, by what XDG_CURRENT_DESKTOP and XDG_SESSION_TYPE say, either
 * of which may be NULL; and where everybody has it, a machine's consoles. Returns out. */
const char *tell_own_chosen(const struct lurk_workspace *ws,
			    const struct lurk_own_layout_file *file, const char *desktop,
			    const char *type, char out[TELL_OWN]);

/* "no desktop has it yet", and for programs: "not-installed", "changed-since", "installed". */
const char *tell_own_installed_words(enum lurk_own_layout_installed is);
const char *tell_own_installed(enum lurk_own_layout_installed is);

/* All of it: name, words, base, file, installed, its changes and findings; what somebody's package
 * says of it, or NULL. `needed` tells whether programs need what some finding is about. */
struct json_object *tell_own_json(const struct lurk_workspace *ws,
				  const struct lurk_own_layout_file *file,
				  const struct lurk_layout_package *package, bool *needed);

/* A rule of a profile with the keyboard as the file calls it, whoever has one of that name. Returns
 * out. */
const char *tell_own_rule(const struct lurk_profile_file *profile, uint32_t index,
			  char out[TELL_OWN]);

#endif
