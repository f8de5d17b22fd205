/* Keyboards in words. All return out. */
#ifndef LURK_TELL_KEYBOARD_H
#define LURK_TELL_KEYBOARD_H

#include <json-c/json.h>

#include "lurk/work/machine.h"

enum { TELL_KEYBOARD = 200 };

/* "built in, PS/2, isa0060/serio0". */
const char *tell_connection(const struct lurk_identity *identity, char out[TELL_KEYBOARD]);
/* What it is recognised by: its numbers where the bus has any, else where it is or what it calls
 * itself. */
const char *tell_recognised(const struct lurk_identity *identity, char out[TELL_KEYBOARD]);
/* "broken Delete, press-only F13", "" for a keyboard without oddities. */
const char *tell_quirks(const struct lurk_keyboard *keyboard, char out[TELL_KEYBOARD]);

/* A keyboard that is here, by the machine's number; one that is described and is not. */
struct json_object *tell_keyboard_json(const struct lurk_machine *machine,
				       const struct lurk_keyboards_file *keyboards,
				       uint16_t number);
struct json_object *tell_keyboard_away_json(const struct lurk_keyboard *keyboard);

#endif
