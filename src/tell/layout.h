/* Which layout counts for characters and texts, and who says so. */
#ifndef LURK_TELL_LAYOUT_H
#define LURK_TELL_LAYOUT_H

#include <json-c/json.h>

#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

enum { TELL_LAYOUT = 256 };

/* In a sentence. Returns out. */
const char *tell_layout(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT]);
/* A workspace's: opened where it was not yet, whoever looks. */
struct lurk_chosen_layout *tell_layout_of(const struct lurk_workspace *ws);
/* How texts in force are typed just now, as a sentence; "" where there is nothing to say. */
const char *tell_texts(const struct lurk_machine *machine, const struct lurk_workspace *ws,
		       char out[TELL_LAYOUT]);
/* The names of those in turn: "us, de and fr". Returns out. */
const char *tell_layouts_in_turn(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT]);
/* ", which is active in this X session", for after its words; "" for the profile's and the desk's.
 * Returns out. */
const char *tell_layout_source(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT]);
/* As a member: "none", "follow", "lack", "unmade" or "assumed". */
void tell_put_texts(struct json_object *object, const struct lurk_machine *machine);
/* As members of an object: its name, or null; "profile", "desk", "session" or "system"; the names
 * of all in turn; whether another may be in use, and nobody can know. */
void tell_put_layout(struct json_object *object, struct lurk_chosen_layout *choice);

#endif
