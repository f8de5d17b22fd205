/* Phrases that many sentences have in common. All return out where they take it. */
#ifndef LURK_TELL_WORDS_H
#define LURK_TELL_WORDS_H

#include "lurk/text/words.h"
#include "lurk/work/machine.h"

enum { TELL_TIME = 32 };

/* "2031-05-04 05:30" of microseconds since 1970. */
const char *tell_time(uint64_t time_us, char out[TELL_TIME]);

/* What a keyboard of the machine is called: its described name, or what it calls itself. */
const char *tell_keyboard(const struct lurk_machine *machine,
			  const struct lurk_keyboards_file *keyboards, uint16_t number);
/* " --keyboard wagtail" for a command; "" for a keyboard without a name of one's own. */
const char *tell_keyboard_option(const struct lurk_machine *machine,
				 const struct lurk_keyboards_file *keyboards, uint16_t number,
				 char out[LURK_WORDS]);

/* "ShiftLeft, ShiftRight and Escape". */
const char *tell_chord(const struct lurk_chord *chord, char out[LURK_WORDS]);

#endif
