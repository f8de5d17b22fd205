/* Who is here, which of the rules that are loaded act, and where; whether they last. */
#ifndef LURK_INCLUDE_WORK_ACTING_H
#define LURK_INCLUDE_WORK_ACTING_H

#include "lurk/check.h"
#include "lurk/declare.h"
#include "lurk/keymap.h"
#include "lurk/work/machine.h"

LURK_BEGIN_C

/* The keyboard of the machine that is so described (1 + index); NULL where it is not here. */
const struct lurk_session_keyboard *lurk_keyboard_here(const struct lurk_machine *machine,
						       const struct lurk_keyboards_file *keyboards,
						       uint16_t described);

/* What holds on the machine's keyboards now: nothing while all rules are off. */
void lurk_rules_of(const struct lurk_machine *machine, struct lurk_rules *rules);
/* The computer's rules, where they hold below one's own on such a keyboard (NULL: one that is not
 * described), whether all rules are off or not; without an image where nothing does. `machine` may
 * be NULL. */
struct lurk_compile_part lurk_below_on(const struct lurk_machine *machine,
				       const struct lurk_identity *identity);
/* With `next` 0 the profile of that word, then the one that each is based on; false after the last.
 */
bool lurk_next_profile(const struct lurk_machine *machine, const char *top, unsigned *next,
		       struct lurk_profile *profile);
/* Each rule of the profile that it begins with (others are 0), then of those that it is based on;
 * false after the last. */
struct lurk_rule_walk {
	uint16_t profile, profiles; /* which one, and how many were left behind */
	uint32_t next;
};
bool lurk_next_rule(const struct lurk_image *image, struct lurk_rule_walk *walk,
		    struct lurk_rule *rule);
/* Whether a profile's rules act where the applied profile `top` is in force: they are the same, or
 * it is based on that one. */
bool lurk_profile_acts(const struct lurk_machine *machine, const char *top, const char *word);
/* Whether a rule of the image acts on a keyboard that is so described. */
bool lurk_rule_acts_on(const struct lurk_machine *machine, uint32_t index, uint16_t described,
		       struct lurk_rule *rule);
/* How many rules of the profile in force act on a keyboard of the machine; of them all on any. */
unsigned lurk_rules_on(const struct lurk_machine *machine, uint16_t described);
unsigned lurk_rules_in_force(const struct lurk_machine *machine);
/* The first rule that gives a key another job on a keyboard; its line in the file, 0 for none. */
uint32_t lurk_line_that_changes(const struct lurk_image *image,
				const struct lurk_identity *identity, lurk_key key);
/* Whether what is stored will be in force after a reboot; of a session of one's own nobody knows.
 */
bool lurk_survives(const struct lurk_machine *machine);

LURK_END_C

#endif
