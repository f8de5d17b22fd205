/* Rules of a file, and rules at work, in words. */
#ifndef LURK_TELL_RULE_H
#define LURK_TELL_RULE_H

#include <json-c/json.h>

#include "lurk/profile/profile.h"
#include "lurk/work/machine.h"

/* A rule as a line of a table. */
struct tell_rule {
	char key[LURK_WORDS];   /* with its nickname */
	char usual[LURK_WORDS]; /* what that key is: for a scan code, the key it stands for */
	char now[LURK_WORDS + 32];
	const char *keyboard; /* "all" */
	char note[256];
};

/* `back`: the other half of a swap. */
void tell_rule(const struct lurk_keyboards_file *keyboards, const struct lurk_rule *rule, bool back,
	       struct tell_rule *out);
struct json_object *tell_rule_json(const struct lurk_keyboards_file *keyboards,
				   const struct lurk_rule *rule);

/* A rule that acts on a keyboard of the machine. */
struct tell_acting {
	const char *keyboard, *way;
	char words[512]; /* "NumLock gives Tab (only wagtail)" */
	uint32_t line;
	char profile[LURK_PROFILE_WORD];
};

/* Fills it where the image's rule acts on that keyboard and the keyboard has such a key; else
 * false.
 */
bool tell_acting(const struct lurk_machine *machine, const struct lurk_keyboards_file *keyboards,
		 uint16_t number, uint32_t rule, struct tell_acting *out);
struct json_object *tell_acting_json(const struct tell_acting *acting);

#endif
