/* What a keyboard's own table can do of rules, whoever fills it. */
#ifndef LURK_WORK_TABLES_H
#define LURK_WORK_TABLES_H

#include "lurk/work/hwdb.h"

/* Tells each code of a wiring that gives something else by a keymap than by another one, or, where
 * that is NULL, than it usually does: a key, or LURK_KEY_NONE for nothing. Rules that depend on
 * what is held, and results that are no single key, are left out. */
typedef void lurk_table_entry(void *data, lurk_scan scan, lurk_key gives);
void lurk_table_each(const struct lurk_image *image, const struct lurk_keymap *keymap,
		     const struct lurk_keymap *other, enum lurk_wiring wiring,
		     lurk_table_entry *tell, void *data);

/* Where there is no keymap of the rules: false, with what to do. */
bool lurk_table_cannot(const struct lurk_workspace *ws, struct lurk_message *message);

/* Why no table can carry out a rule; 0 where one can. */
enum lurk_hwdb_why lurk_table_why_not(const struct lurk_rule *rule);

/* Lists the rules of the profile that is worked on, and of those that it is based on, for which
 * there is a reason. */
typedef enum lurk_hwdb_why lurk_table_why(void *data, const struct lurk_rule *rule);
void lurk_table_left(const struct lurk_workspace *ws, const struct lurk_image *image,
		     lurk_table_why *why, void *data, struct lurk_hwdb_left **left,
		     unsigned *count);

#endif
