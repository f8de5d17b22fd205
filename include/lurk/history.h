/*
 * The history: the last presses, press and release put together, for identifying keys.
 *
 * It lives in the memory of the program that a person runs to see it, and nowhere else.
 */
#ifndef LURK_INCLUDE_HISTORY_H
#define LURK_INCLUDE_HISTORY_H

#include "lurk/declare.h"
#include "lurk/engine.h"

LURK_BEGIN_C

enum { LURK_HISTORY_PRESSES = 64 };

struct lurk_press_record {
	uint16_t keyboard;
	uint8_t interface; /* of the keyboard, 0 for the first */
	lurk_scan scan;
	lurk_key key;
	uint64_t down_us, up_us; /* down_us is 0 where only the release was seen */
	uint32_t repeats;
	bool held;        /* not released yet */
	bool unreleased;  /* it is not down any more, and never said that it came up; up_us is 0 */
	uint64_t last_us; /* of its last press or repeat */
	struct lurk_action gives;
};

struct lurk_history {
	struct lurk_press_record presses[LURK_HISTORY_PRESSES];
	uint32_t first, count; /* the oldest, and how many */
	uint32_t lost;         /* how many older ones made room */
};

void lurk_history_init(struct lurk_history *history);
/* Takes an event and what its press gives. Returns the record that it completed, NULL where it
 * completed none: a release does, and so does a press of a key that never said that it came up. */
const struct lurk_press_record *lurk_history_feed(struct lurk_history *history,
						  const struct lurk_event *event,
						  const struct lurk_action *action);
/* A press that is over by now although no release came, each once; NULL for no (other) one. A PS/2
 * keyboard repeats what is held, so that a key of it that does not, and after which no other was
 * pressed, is held by nobody. To be asked until NULL before each event, with its time, and now and
 * then. */
const struct lurk_press_record *lurk_history_overdue(struct lurk_history *history, uint64_t now_us);
/* Takes all keys to be up: events were missed. */
void lurk_history_let_go(struct lurk_history *history);
/* The index-th record, oldest first; NULL past the newest. */
const struct lurk_press_record *lurk_history_at(const struct lurk_history *history, uint32_t index);

/* What is odd about a press. */
enum lurk_oddity {
	LURK_ODD_NOTHING,
	LURK_ODD_BOUNCED,    /* it came again sooner than a finger can */
	LURK_ODD_LONG,       /* it has been down for long */
	LURK_ODD_WAS_DOWN,   /* its release came, and no press before it */
	LURK_ODD_NO_RELEASE, /* it is over, and no release came */
};

/* Keyboards repeat after a second at the latest. */
enum { LURK_BOUNCE_US = 30000, LURK_LONG_US = 5000000, LURK_REPEAT_US = 1200000 };

/* `now_us` is the time of the events' clock, 0 where it is not known. */
enum lurk_oddity lurk_press_oddity(const struct lurk_history *history,
				   const struct lurk_press_record *press, uint64_t now_us);

/* How two presses are told apart. */
enum lurk_relation {
	LURK_SAME_CODE,      /* not at all */
	LURK_OTHER_KEYBOARD, /* one code, by the keyboard only */
	LURK_SAME_KEY,       /* two codes for one key: a rule on the key changes both */
	LURK_SAME_MEANING,   /* two keys that programs may take for one */
	LURK_DIFFERENT,
};

enum lurk_relation lurk_press_compare(const struct lurk_press_record *a,
				      const struct lurk_press_record *b);

LURK_END_C

#endif
