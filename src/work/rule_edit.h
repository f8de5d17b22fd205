/* Rules in and out of a profile's text. Private to this room; all are false with edits->why. */
#ifndef LURK_WORK_RULE_EDIT_H
#define LURK_WORK_RULE_EDIT_H

#include "lurk/work/edits.h"

/* Whether two single targets are the same thing to press; with `scans`, a scan code is also the key
 * that it stands for. */
bool lurk_same_target(const struct lurk_target *a, const struct lurk_target *b, bool scans);
/* Whether a rule has to do with any press of another. */
bool lurk_rule_touches(const struct lurk_rule *rule, const struct lurk_rule *other, bool scans);

/* Adds a rule at the end: a press in words and gives as YAML, or the list of a swap. */
bool lurk_rule_append(struct lurk_edits *edits, const char *press, const char *gives,
		      const char *swap_list);
bool lurk_rule_remove(struct lurk_edits *edits, uint32_t index);
/* Takes a rule out but for those of its changes that `wanted` does not touch. */
bool lurk_rule_take_out(struct lurk_edits *edits, uint32_t index, const struct lurk_rule *wanted,
			bool scans);
/* Makes room for a rule: those that are for the same press and equally specific go, or give way in
 * part. Sets *done where one could be changed in place. */
bool lurk_rule_make_room(struct lurk_edits *edits, const struct lurk_rule *wanted,
			 const char *gives, bool *done);
/* Adds a rule, or changes the one that is there for the same press. */
bool lurk_rule_put(struct lurk_edits *edits, const struct lurk_press *press,
		   const struct lurk_result *result);
/* Gives a rule a field. */
bool lurk_rule_set(struct lurk_edits *edits, uint32_t index, const char *name, const char *value);

#endif
