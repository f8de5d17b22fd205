/*
 * What the files of the engine share.
 *
 *     engine.c    events in, frames out; what a press gives, and what its release takes back
 *     lift.c      modifiers that keys give, and how they are lifted and pressed for one press
 *     typing.c    text and rows of chords, a step at a time
 *
 * What is down is counted, and what is held remembers what it gave: so a release takes back what
 * its own press did, whatever has changed. A key is found once, as a source; what the keymap says
 * of it is asked at its first press, and kept with it until the keymap is another.
 */
#ifndef LURK_CORE_ENGINE_PARTS_H
#define LURK_CORE_ENGINE_PARTS_H

#include "lurk/engine.h"

#include "core/assert.h"
#include "core/hot.h"
#include "core/mem.h"

enum { SOURCE_MASK = LURK_SOURCES - 1 };

/* What a key that is just a key goes through is one function: its calls would cost as much as its
 * work. */
#define ALWAYS_INLINE inline __attribute__((always_inline))

/* Whether what it gives on a keyboard reaches programs by it. */
static inline bool lurk_reaches(const struct lurk_engine *e, const struct lurk_engine_keyboard *k)
{
	return k->engine == e && !k->silent;
}

/* ---- lift.c --------------------------------------------------------------------------------- */

/* A tap of a key that nobody knows, so that a modifier is not alone. */
RARE void lurk_lift_spacer(struct lurk_engine *e, uint16_t keyboard);
/* The same before a modifier goes up that must not look tapped alone. */
RARE void lurk_lift_guard(struct lurk_engine *e, uint16_t keyboard, lurk_key key);

/* Lifts modifiers wherever they are held. */
void lurk_lift_modifiers(struct lurk_engine *e, uint8_t modifiers);

/* The overlay: what is held down for one press beyond its key. Begun for a source, it ends with it
 * or with the next press, and what was lifted is back. */
void lurk_overlay_begin(struct lurk_engine *e, uint16_t keyboard, uint32_t code, uint8_t kind);
void lurk_overlay_press(struct lurk_engine *e, uint16_t keyboard, uint8_t modifiers);
void lurk_overlay_release(struct lurk_engine *e);
RARE void lurk_overlay_end_it(struct lurk_engine *e);
/* Whether a modifier of it is pressed on the keyboard. */
bool lurk_overlay_is_on(const struct lurk_overlay *o, uint16_t keyboard);

/* The modifier keys for a step: those that are held will do for either side, else the left ones. */
uint8_t lurk_overlay_keys(uint16_t modifiers, uint8_t held);
/* One step, held as long as its source, with these modifiers lifted. */
void lurk_overlay_hold(struct lurk_engine *e, uint16_t keyboard, struct lurk_engine_source *source,
		       struct lurk_step step, uint8_t lifted);
/* A press that gives no key would leave modifiers that are held with it alone. */
void lurk_overlay_swallow(struct lurk_engine *e, uint16_t keyboard);

/* ---- typing.c ------------------------------------------------------------------------------- */

/* Text or a row of chords: typed, or held where it is one step. */
void lurk_typing_give(struct lurk_engine *e, uint16_t keyboard, struct lurk_engine_source *source,
		      const struct lurk_action *action);
/* One step further. */
void lurk_typing_go_on(struct lurk_engine *e);
/* Whether it has lifted these modifiers, and will bring them back. */
bool lurk_typing_lifts(const struct lurk_engine *e, uint8_t modifiers);
/* Whether the next step is a release, which comes at once. */
bool lurk_typing_releases(const struct lurk_engine *e);

/* The same as lurk_modifier_place(), and quick about keys that are none: most are. */
static inline int lurk_place_of(lurk_key key)
{
	static const uint64_t modifiers[2] = {
		1ULL << LURK_KEY_LEFTCTRL | 1ULL << LURK_KEY_LEFTSHIFT |
			1ULL << LURK_KEY_RIGHTSHIFT | 1ULL << LURK_KEY_LEFTALT,
		1ULL << (LURK_KEY_RIGHTCTRL - 64) | 1ULL << (LURK_KEY_RIGHTALT - 64) |
			1ULL << (LURK_KEY_LEFTMETA - 64) | 1ULL << (LURK_KEY_RIGHTMETA - 64),
	};

	return key < 128 && modifiers[key / 64] >> key % 64 & 1 ? lurk_modifier_place(key) : -1;
}

/* ---- Strokes out --------------------------------------------------------------------------- */

static inline void lurk_close_frame(struct lurk_engine *e)
{
	if (e->open)
		e->queue[(e->first + e->waiting - 1U) % LURK_QUEUE_STROKES].last = true;
	e->open = 0;
}

/* A frame is one keyboard's. */
static inline void lurk_stroke_out(struct lurk_engine *e, uint16_t keyboard, lurk_key key,
				   enum lurk_state state)
{
	const uint32_t at = (uint32_t)e->first + e->waiting;

	if (e->keyboards[keyboard].silent)
		return;
	if (e->open && (e->open == LURK_FRAME_STROKES ||
			e->queue[(at - 1) % LURK_QUEUE_STROKES].keyboard != keyboard))
		lurk_close_frame(e);
	lurk_assert(e->waiting < LURK_QUEUE_STROKES);
	e->queue[at % LURK_QUEUE_STROKES] =
		(struct lurk_queued){keyboard, key, (uint8_t)state, false};
	e->waiting++;
	e->open++;
}

static inline void lurk_modifier_down(struct lurk_engine *e, uint16_t keyboard, unsigned place,
				      lurk_key key)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	k->pressed_at[place] = e->modifier_at = e->presses;
	k->guarded &= (uint8_t) ~(1U << place);
	lurk_stroke_out(e, keyboard, key, LURK_DOWN);
}

static inline void lurk_goes_down(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	const int place = lurk_place_of(key);

	if (place >= 0) {
		lurk_modifier_down(e, keyboard, (unsigned)place, key);
		return;
	}
	e->presses++;
	lurk_stroke_out(e, keyboard, key, LURK_DOWN);
}

static inline void lurk_goes_up(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	if (e->keyboards[keyboard].guarded)
		lurk_lift_guard(e, keyboard, key);
	lurk_stroke_out(e, keyboard, key, LURK_UP);
}

static inline void lurk_press_out(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	if (key && e->keyboards[keyboard].down[key]++ == 0)
		lurk_goes_down(e, keyboard, key);
}

static inline void lurk_release_out(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	int place;

	if (!key || --k->down[key])
		return;
	place = k->lifted ? lurk_place_of(key) : -1;
	if (place >= 0 && k->lifted >> place & 1) {
		k->lifted &= (uint8_t) ~(1U << place);
		e->lifted_count--;
	} else {
		lurk_goes_up(e, keyboard, key);
	}
}

/* ---- Modifiers that a held key gives, a bit a place ----------------------------------------- */

static ALWAYS_INLINE void lurk_modifier_hold(struct lurk_engine *e, uint16_t keyboard,
					     unsigned place, lurk_key key)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	if (k->held_modifiers[place]++ == 0 && e->givers[place]++ == 0)
		e->held |= (uint8_t)(1U << place);
	if (k->down[key]++ == 0)
		lurk_modifier_down(e, keyboard, place, key);
}

static inline void lurk_lift_hold(struct lurk_engine *e, uint16_t keyboard, unsigned modifiers)
{
	for (; modifiers; modifiers &= modifiers - 1) {
		const unsigned place = (unsigned)__builtin_ctz(modifiers);

		lurk_modifier_hold(e, keyboard, place, lurk_modifier_key(place));
	}
}

static inline void lurk_lift_let_go(struct lurk_engine *e, uint16_t keyboard, unsigned modifiers)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	for (; modifiers; modifiers &= modifiers - 1) {
		const unsigned place = (unsigned)__builtin_ctz(modifiers);

		if (--k->held_modifiers[place] == 0 && --e->givers[place] == 0)
			e->held &= (uint8_t) ~(1U << place);
		lurk_release_out(e, keyboard, lurk_modifier_key(place));
	}
}

/* ---- Sources: open addressing, so that the next free slot ends a search --------------------- */

static inline uint32_t lurk_source_home(uint32_t code, uint8_t kind)
{
	return ((code ^ (uint32_t)kind << 29) * 0x9e3779b1U) >> 24 & SOURCE_MASK;
}

/* The one with this code, or the free slot where it would go. */
static inline struct lurk_engine_source *lurk_source_find(struct lurk_engine_keyboard *k,
							  uint32_t code, uint8_t kind)
{
	uint32_t at = lurk_source_home(code, kind);

	while (k->sources[at].used && (k->sources[at].code != code || k->sources[at].kind != kind))
		at = (at + 1) & SOURCE_MASK;
	return &k->sources[at];
}

/* The modifier keys that belong to the press: all that are held of either side. */
static inline uint8_t lurk_belonging(const struct lurk_engine *e, uint16_t modifiers)
{
	return (uint8_t)((modifiers | (modifiers >> 8 & 0xf) | (modifiers >> 8 & 0xf) << 4) &
			 e->held);
}

static inline void lurk_overlay_end(struct lurk_engine *e)
{
	if (e->overlay.active)
		lurk_overlay_end_it(e);
}

#endif
