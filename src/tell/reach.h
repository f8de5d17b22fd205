/* How a key or a chord is reached, in words. */
#ifndef LURK_TELL_REACH_H
#define LURK_TELL_REACH_H

#include <json-c/json.h>

#include "lurk/work/reach.h"

enum { TELL_REACH = 512 };

/* "ControlLeft + AltLeft (or AltRight) + Delete"; or why it cannot be had on that keyboard. Both
 * return out, "" where there is nothing to say. */
const char *tell_reach(const struct lurk_reach *reach, char out[TELL_REACH]);
const char *tell_why_not(const struct lurk_reach *reach, const struct lurk_rules *rules,
			 const struct lurk_port_keyboard *keyboard, char out[TELL_REACH]);
struct json_object *tell_reach_json(const struct lurk_reach *reach, const struct lurk_rules *rules,
				    const struct lurk_port_keyboard *keyboard, const char *name);

#endif
