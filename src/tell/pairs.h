/* Tables of pairs in words. All return out. */
#ifndef LURK_TELL_PAIRS_H
#define LURK_TELL_PAIRS_H

#include <json-c/json.h>

#include "lurk/pairs.h"
#include "lurk/text/words.h"

enum { TELL_PAIRS = 300 };

/* What is pressed, and what it gives. */
const char *tell_pair_press(const struct lurk_pair *pair, char out[LURK_WORDS]);
const char *tell_pair_gives(const struct lurk_pair *pair, char out[LURK_WORDS]);
/* What is wrong with a table, where, and what would be right. */
const char *tell_pairs_fault(const struct lurk_pairs_report *report, char out[TELL_PAIRS]);
/* "0f 00 45 00". */
const char *tell_pair_bytes(const struct lurk_pair *pair, char out[TELL_PAIRS]);
struct json_object *tell_pair_json(const struct lurk_pair *pair);

#endif
