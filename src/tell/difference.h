/* Differences in words. */
#ifndef LURK_TELL_DIFFERENCE_H
#define LURK_TELL_DIFFERENCE_H

#include <json-c/json.h>

#include "lurk/work/differences.h"

enum { TELL_DIFFERENCE = 640, TELL_DIFFERENCES = 600 };

/* "added"; then the rule, or what else changed. Returns out. */
const char *tell_difference_kind(const struct lurk_difference *difference);
const char *tell_difference(const struct lurk_difference *difference, char out[TELL_DIFFERENCE]);

/* For lurk_differences(): adds to a JSON array, which is the data. */
void tell_difference_json(void *array, const struct lurk_difference *difference);
/* The first two, and how many more: "added: NumLock gives Tab". Returns out. */
const char *tell_differences(const struct lurk_image *from, const struct lurk_image *to,
			     char out[TELL_DIFFERENCES]);

#endif
