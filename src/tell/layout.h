/* Which layout counts for characters and texts, and who says so. */
#ifndef LURK_TELL_LAYOUT_H
#define LURK_TELL_LAYOUT_H

#include <json-c/json.h>

#include "lurk/work/layouts.h"

enum { TELL_LAYOUT = 256 };

/* In a sentence. Returns out. */
const char *tell_layout(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT]);
/* As members of an object: its name, or null, and "profile", "desk" or "system". */
void tell_put_layout(struct json_object *object, struct lurk_chosen_layout *choice);

#endif
