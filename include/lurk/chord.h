/*
 * The off chord: keys of one keyboard that, held down together, switch all rules off and on again.
 * No rule can take it away, since it is made of what is physically pressed.
 *
 *     was_whole = chord.whole;
 *     if (lurk_chord_feed(&chord, key, state))
 *             ...the event is the chord's; nobody else gets it
 *     if (chord.whole && !was_whole)
 *             lurk_chord_start(&chord, now_us);
 *     if (lurk_chord_due(&chord, now_us))
 *             ...switch
 */
#ifndef LURK_INCLUDE_CHORD_H
#define LURK_INCLUDE_CHORD_H

#include "lurk/declare.h"
#include "lurk/image.h"

LURK_BEGIN_C

enum { LURK_CHORD_KEYS = 4, LURK_CHORD_HOLD_US = 2000000 };

struct lurk_chord {
	lurk_key keys[LURK_CHORD_KEYS];
	uint8_t count;     /* below 2 there is no chord */
	uint8_t down;      /* a bit a key */
	uint8_t withheld;  /* those that were part of a whole chord, until each comes up */
	bool whole;        /* all are down, and have not been so for long enough yet */
	uint64_t until_us; /* when they will have been */
};

/* Both Shift keys and Escape. */
void lurk_chord_init(struct lurk_chord *chord);
/* Adds a key to a chord that was cleared to zero, once; false where it has too many. */
bool lurk_chord_add(struct lurk_chord *chord, lurk_key key);
/* The chord of a described keyboard (0 for one that is not) in an image: its own where it has 2 to
 * LURK_CHORD_KEYS different keys for one, however often each is named. */
void lurk_image_chord(const struct lurk_image *image, uint16_t described, struct lurk_chord *chord);
/* Forgets what is down. */
void lurk_chord_reset(struct lurk_chord *chord);

/* Takes an event of the keyboard; enum lurk_state. True where it belongs to the chord: it made the
 * chord whole, or is the end of a key that was part of it. */
bool lurk_chord_feed(struct lurk_chord *chord, lurk_key key, uint8_t state);
/* From when on it is held: apart, so that no clock is asked for keys that are none of its own. */
void lurk_chord_start(struct lurk_chord *chord, uint64_t now_us);
/* True once, when the chord has been held long enough. */
bool lurk_chord_due(struct lurk_chord *chord, uint64_t now_us);
/* When to ask lurk_chord_due(); UINT64_MAX for never. */
uint64_t lurk_chord_deadline(const struct lurk_chord *chord);

LURK_END_C

#endif
