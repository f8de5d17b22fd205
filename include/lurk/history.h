/*
 * The history: the last presses, press and release put together, for identifying keys.
 *
 * It lives in the memory of the program that a person runs to see it, and nowhere else.
 */
#ifndef LURK_INCLUDE_HISTORY_H
#define LURK_INCLUDE_HISTORY_H

#include "lurk/engine.h"

enum { LURK_HISTORY_PRESSES = 64 };

struct lurk_press_record {
	uint16_t keyboard;
	lurk_scan scan;
	lurk_key key;
	uint64_t down_us, up_us; /* down_us is 0 where only the release was seen */
	uint32_t repeats;
	bool held; /* not released yet */
	struct lurk_action gives;
};

struct lurk_history {
	struct lurk_press_record presses[LURK_HISTORY_PRESSES];
	uint32_t first, count; /* the oldest, and how many */
	uint32_t lost;         /* how many older ones made room */
};

void lurk_history_init(struct lurk_history *history);
/* Takes an event and what its press gives. Returns the record that it completed, NULL where it
 * completed none. */
const struct lurk_press_record *lurk_history_feed(struct lurk_history *history,
						  const struct lurk_event *event,
						  const struct lurk_action *action);
/* The index-th record, oldest first; NULL past the newest. */
const struct lurk_press_record *lurk_history_at(const struct lurk_history *history, uint32_t index);

#endif
