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
/* "broken End, press-only F13", "" for a keyboard without oddities. */
const char *tell_quirks(const struct lurk_keyboard *keyboard, char out[TELL_KEYBOARD]);

enum { TELL_NO_CHORD = 420 };
/* That a keyboard here cannot send its off chord, and what can be done; "" where it can. */
const char *tell_no_chord(const struct lurk_machine *machine,
			  const struct lurk_keyboards_file *keyboards, uint16_t number,
			  char out[TELL_NO_CHORD]);
/* "`lurk keyboards --keyboard curlew --off-chord NumLock NumpadEnter`", with keys that it has. */
const char *tell_chord_offer(const struct lurk_machine *machine,
			     const struct lurk_keyboards_file *keyboards, uint16_t number,
			     char out[TELL_KEYBOARD]);

/* A keyboard that is here, by the machine's number; one that is described and is not. */
struct json_object *tell_keyboard_json(const struct lurk_machine *machine,
				       const struct lurk_keyboards_file *keyboards,
				       uint16_t number);
struct json_object *tell_keyboard_away_json(const struct lurk_keyboard *keyboard);

#endif
