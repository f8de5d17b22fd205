/* Entries of udev's hardware database in words. All return out. */
#ifndef LURK_TELL_HWDB_H
#define LURK_TELL_HWDB_H

#include <json-c/json.h>

#include "lurk/work/hwdb.h"

enum { TELL_HWDB = 200 };

/* Which keyboards a match is for: a name of keyboards.yaml where one fits. */
const char *tell_hwdb_match(const struct lurk_keyboards_file *keyboards, const char *match,
			    char out[TELL_HWDB]);
/* The key, and what it gives. */
const char *tell_hwdb_key(const struct lurk_hwdb_entry *entry, char out[TELL_HWDB]);
const char *tell_hwdb_gives(const struct lurk_hwdb_entry *entry, char out[TELL_HWDB]);
/* Why a rule is left: "it types text, which a table cannot". */
const char *tell_hwdb_why(enum lurk_hwdb_why why);
/* A rule that is left. */
struct json_object *tell_hwdb_left_json(const struct lurk_hwdb_left *left);

#endif
