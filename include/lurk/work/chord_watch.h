/* The off chord of a keyboard: whether it has the keys, which others would do, and whether it
 * arrives, since some cannot send all of its keys together. */
#ifndef LURK_INCLUDE_WORK_CHORD_WATCH_H
#define LURK_INCLUDE_WORK_CHORD_WATCH_H

#include "lurk/declare.h"
#include "lurk/chord.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

enum { LURK_CHORD_KEYBOARDS = 64 };

/* The chord of a keyboard of keyboards.yaml; 0 for one that is not there. */
void lurk_chord_of(const struct lurk_keyboards_file *keyboards, uint16_t described,
		   struct lurk_chord *chord);
/* The first key of a chord that a keyboard here does not have, or has broken; LURK_KEY_NONE where
 * it can send them all. */
lurk_key lurk_chord_lacks(const struct lurk_keyboards_file *keyboards,
			  const struct lurk_port_keyboard *keyboard,
			  const struct lurk_chord *chord);
/* Keys that such a keyboard could have for one instead; false where it has not even two. */
bool lurk_chord_offer(const struct lurk_keyboards_file *keyboards,
		      const struct lurk_port_keyboard *keyboard, struct lurk_chord *chord);

struct lurk_chord_watch {
	const struct lurk_workspace *ws;
	const struct lurk_machine *machine;
	struct lurk_chord chords[LURK_CHORD_KEYBOARDS];
	int works_on;      /* the keyboard, -1 for none yet */
	int tried_on;      /* the one on which most of its keys were down, -1 for none */
	unsigned together; /* how many these were */
};

void lurk_chord_watch_init(struct lurk_chord_watch *watch, const struct lurk_workspace *ws,
			   const struct lurk_machine *machine);
/* Takes a key event at a time of any clock; `now_us` is of the same one. */
void lurk_chord_watch_feed(struct lurk_chord_watch *watch, const struct lurk_event *event,
			   uint64_t now_us);
/* Whether it has arrived on any keyboard by then. */
bool lurk_chord_watch_works(struct lurk_chord_watch *watch, uint64_t now_us);

LURK_END_C

#endif
