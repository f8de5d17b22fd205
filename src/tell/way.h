/* Which way each keyboard's rules go, why, and whether they last. */
#ifndef LURK_TELL_WAY_H
#define LURK_TELL_WAY_H

#include <json-c/json.h>

#include "lurk/work/machine.h"

enum { TELL_WHY = 512 };

/* "table"; and why. The latter returns out. */
const char *tell_way(const struct lurk_session_keyboard *keyboard);
const char *tell_why(const struct lurk_session_keyboard *keyboard, char out[TELL_WHY]);
/* Whether there is nothing to tell of it: it sends what it always did, and that is all. */
bool tell_is_untouched(const struct lurk_session_keyboard *keyboard);
/* Those that are, in one sentence; "" for none. Returns out. */
const char *tell_untouched(const struct lurk_machine *machine,
			   const struct lurk_keyboards_file *keyboards, char out[TELL_WHY]);
/* A list, an object a keyboard. */
struct json_object *tell_ways_json(const struct lurk_machine *machine,
				   const struct lurk_keyboards_file *keyboards);

/* Whether what is stored will be in force after a reboot, in a sentence or two. */
const char *tell_survival(const struct lurk_machine *machine);

#endif
