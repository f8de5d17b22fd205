/* Presses in words: a line of a list, a sentence, an object; and what follows from them. */
#ifndef LURK_TELL_PRESS_H
#define LURK_TELL_PRESS_H

#include <json-c/json.h>

#include "lurk/history.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

enum { TELL_PRESS = 512, TELL_CONCLUSION = 4 * TELL_PRESS };

/* What they are of. */
struct tell_presses {
	const struct lurk_workspace *ws;
	const struct lurk_machine *machine;
	const struct lurk_history *history;
	bool ended; /* nothing comes any more: what is held was never released */
};

/* The key by its nickname, its name, or its code. All return out. */
const char *tell_press_key(const struct tell_presses *p, const struct lurk_press_record *r,
			   char out[LURK_WORDS]);
/* "NumLock on wagtail, scan code hid:07:53". */
const char *tell_press(const struct tell_presses *p, const struct lurk_press_record *r,
		       char out[TELL_PRESS]);
/* In columns: keyboard, key, scan code, meaning, what it gives, how long it was down. */
const char *tell_press_row(const struct tell_presses *p, const struct lurk_press_record *r,
			   char out[TELL_PRESS]);
/* The same in sentences, as it is at that time of the events' clock. */
const char *tell_press_now(const struct tell_presses *p, const struct lurk_press_record *r,
			   uint64_t now_us, char out[TELL_PRESS]);
/* What is odd about it, and what to do; "" for nothing. */
const char *tell_press_oddity(const struct tell_presses *p, const struct lurk_press_record *r,
			      uint64_t now_us, char out[TELL_PRESS]);
struct json_object *tell_press_json(const struct tell_presses *p, const struct lurk_press_record *r,
				    uint64_t now_us);

/* "same code"; and what follows from that for rules. */
const char *tell_relation(const struct lurk_press_record *a, const struct lurk_press_record *b);
const char *tell_comparison(const struct tell_presses *p, const struct lurk_press_record *a,
			    const struct lurk_press_record *b, char out[TELL_CONCLUSION]);
/* A key that may be dead; NULL where nothing came. */
const char *tell_arrival(const struct tell_presses *p, const struct lurk_press_record *r,
			 char out[TELL_CONCLUSION]);
/* A key that presses itself, and what to do. */
const char *tell_pressing_itself(const struct tell_presses *p, const struct lurk_press_record *r,
				 unsigned times, char out[TELL_CONCLUSION]);

#endif
