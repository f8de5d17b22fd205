/*
 * The engine: key events in, frames of strokes out.
 *
 *     lurk_engine_feed(&engine, &event);
 *     while (lurk_engine_pull(&engine, now_us, &frame))
 *             send(&frame);
 *     wait_until(lurk_engine_deadline(&engine));
 *
 * Feed events as they come, then pull frames until there are none; a frame is one keyboard's
 * strokes that belong together and must be sent whole. Feeding while more frames wait than the
 * engine can keep returns LURK_ERR_BUSY and changes nothing: pull, then feed again.
 *
 * What holds always: when every key of a keyboard is up, or it is unplugged, every key that it
 * pressed is up; a release undoes what its own press did, whatever has changed in between; two held
 * keys that give the same key release it with the last of them. Work per event is constant.
 *
 * Modifiers that belong to a press are lifted while what it gives is held, and are back afterwards,
 * or at the next press. No program sees a modifier tapped alone that the person did not tap: where
 * one would be, a key that no program knows (LURK_KEY_UNKNOWN) is tapped in between. Text of more
 * than one step is typed a frame at a time, each when lurk_engine_deadline() says; events that come
 * meanwhile wait, in their order.
 *
 * Modifiers count, and text is typed, for the keyboards of one engine: those that one person has
 * before them. Where there are more people, each has an engine; these may share the array of
 * keyboards, each of which belongs to one of them at a time.
 *
 * All memory is the caller's; the engine keeps no clock: times are microseconds of any clock that
 * does not run backwards.
 */
#ifndef LURK_INCLUDE_ENGINE_H
#define LURK_INCLUDE_ENGINE_H

#include "lurk/declare.h"
#include "lurk/keymap.h"

LURK_BEGIN_C

enum {
	LURK_SOURCES = 256,  /* keys that are known, per keyboard: a power of two */
	LURK_HELD_MAX = 224, /* keys held at once; a further press is dropped whole */
	LURK_QUEUE_STROKES = 256,
	LURK_EVENT_STROKES = 128,   /* the most that one event gives at once */
	LURK_PENDING = 256,         /* events that wait while text is typed */
	LURK_PENDING_PRESSES = 192, /* a further press is dropped; its release means nothing then */
	LURK_LIFTED_MAX = 16,
	/* Between two steps of typed text: a reader that looks up every 60 ms loses nothing of
	 * the 64 events that a kernel keeps for it. */
	LURK_TYPING_US = 8000,
	LURK_FRAME_STROKES =
		32, /* half of what a kernel's reader buffers; longer frames are split */
};

#define LURK_NEVER UINT64_MAX

struct lurk_event {
	uint64_t time_us;
	uint16_t keyboard; /* index of the engine's keyboard */
	struct lurk_key_event key;
};

struct lurk_stroke {
	lurk_key key;
	uint8_t state; /* LURK_DOWN or LURK_UP */
};

struct lurk_frame {
	uint16_t keyboard;
	uint16_t count;
	struct lurk_stroke strokes[LURK_FRAME_STROKES];
	/* Part of what is being typed: its keys must not repeat, however late their release. */
	bool typed;
};

/* What a press gives, where that can be told once and for all. */
enum lurk_route {
	LURK_ROUTE_UNKNOWN, /* to be looked up */
	LURK_ROUTE_KEY,     /* `key`, which is no modifier, whatever is held */
	LURK_ROUTE_MODIFIER,
	LURK_ROUTE_ACTION, /* what the keymap says at each press */
};

/* A key of the keyboard: known by its code from its first press on, and looked up in the keymap
 * then, once. */
struct lurk_engine_source {
	uint32_t code;
	uint8_t kind;
	bool used;
	uint8_t route;
	uint8_t place;       /* of a modifier that it gives */
	lurk_key named, key; /* the key as it came, and what it gives */
	/* While it is held, what its press gave: a key, and modifiers that count as held. */
	bool down;
	uint8_t modifiers;
	lurk_key gave;
};

/* One keyboard's state: what is held, and what it pressed. */
struct lurk_engine_keyboard {
	struct lurk_engine *engine;       /* that it belongs to */
	const struct lurk_keymap *keymap; /* NULL where nothing is plugged in */
	uint16_t source_count, held_count;
	uint16_t releasing; /* next key to look at while all is released; LURK_KEY_COUNT else */
	uint32_t dropped;   /* presses dropped because too many were held */
	uint8_t down[LURK_KEY_COUNT]; /* how many held keys give each key */
	/* Of the modifiers, by lurk_modifier_place(): how many held keys give each; which are up
	 * for a while although they do; and which must not go up alone. */
	uint8_t held_modifiers[8];
	uint8_t lifted, guarded;
	uint32_t pressed_at[8]; /* engine.presses when each went down */
	/* Nothing is sent for it: it is not taken, and only its modifiers count. */
	bool silent;
	struct lurk_engine_source sources[LURK_SOURCES];
};

/* What is held down for one press beyond its key: it ends with that, or with the next press. */
struct lurk_overlay {
	bool active;
	uint16_t keyboard;
	uint32_t code;
	uint8_t kind;
	uint8_t modifiers; /* pressed for it */
	uint8_t direct;    /* of these: lifted from a held key, and pressed all the same */
	uint16_t homes[8]; /* the keyboard on which each is pressed */
};

/* Text, or a row of chords, being typed. */
struct lurk_typing {
	bool active;
	uint8_t phase;
	bool locked;    /* Caps Lock was turned off for it */
	bool hold_last; /* the last step is held as long as its source */
	uint8_t lift;   /* modifiers to lift */
	uint16_t keyboard, next, count;
	uint16_t letting_go; /* the keyboard whose held keys are released next */
	lurk_key down, holds[LURK_STEP_HOLDS];
	uint32_t code; /* the source */
	uint8_t kind;
	const uint8_t *steps;
	uint64_t due_us;
};

/* What a key asks of whoever runs the engine. */
struct lurk_wish {
	uint8_t gives; /* LURK_GIVES_PROFILE or _TOGGLE; 0 for nothing */
	bool below;    /* by a rule of lurk_compile_job.below: the profile is of its image */
	uint16_t profile;
	uint16_t keyboard; /* on which the key is */
};

struct lurk_engine {
	struct lurk_engine_keyboard *keyboards;
	uint16_t keyboard_count;
	uint16_t releasing; /* how many keyboards release all that they pressed */
	uint16_t first, waiting,
		open; /* strokes in the queue; how many of the last are no frame yet */
	struct lurk_queued {
		uint16_t keyboard;
		lurk_key key;
		uint8_t state;
		bool last; /* of its frame */
	} queue[LURK_QUEUE_STROKES];
	uint8_t held;          /* modifiers that keys give, on whichever of its keyboards */
	uint16_t givers[8];    /* on how many keyboards each is held */
	uint16_t lifted_count; /* on all of them */
	/* Keys pressed so far that are no modifiers; and how many those were when a modifier was
	 * pressed last: where it is the same, that one is alone. */
	uint32_t presses, modifier_at;
	struct lurk_overlay overlay;
	struct lurk_typing typing;
	struct lurk_wish wish;
	uint16_t first_pending, pending_count; /* of `pending` */
	/* Asked when text begins, for the keyboard that types it: whether Caps Lock is on, where it
	 * would change it, NULL for never; and the layout that is active, as lurk_steps_for() takes
	 * it, NULL for not known. */
	bool (*caps_lock)(void *data, uint16_t keyboard);
	uint32_t (*layout)(void *data, uint16_t keyboard);
	void *asked;
	struct lurk_event pending[LURK_PENDING];
};

/* All keyboards of the array belong to the engine then. */
void lurk_engine_init(struct lurk_engine *engine, struct lurk_engine_keyboard *keyboards,
		      uint16_t count);

/* Events of the keyboard that wait in one engine wait in the other one from now on: for a keyboard
 * that is about to belong to that. */
void lurk_engine_pass_on(struct lurk_engine *from, struct lurk_engine *to, uint16_t keyboard);

/* Nothing but each key itself: for a keyboard without rules that is relayed all the same. */
const struct lurk_keymap *lurk_keymap_plain(void);

/* A keyboard comes, or gets other rules (keys held go on as they were pressed). The keymap must
 * live until it is replaced. One that belonged to another engine belongs to this one from now on:
 * to be done after lurk_engine_release() there, once all its frames are pulled. */
void lurk_engine_use(struct lurk_engine *engine, uint16_t keyboard,
		     const struct lurk_keymap *keymap);

/* A keyboard that is not taken: what it sends reaches programs by itself, and the engine only
 * counts its modifiers. To be set while nothing is held on it, or after lurk_engine_release(). */
void lurk_engine_silence(struct lurk_engine *engine, uint16_t keyboard, bool silent);

/* A keyboard is taken while a key is held that gave `gave` until now: where that is a modifier, the
 * key goes on giving it, whatever the rules are, until it comes up. To be told before anything is
 * fed that came after the taking. */
void lurk_engine_inherit(struct lurk_engine *engine, uint16_t keyboard,
			 const struct lurk_key_event *key, lurk_key gave);

/* Ends text that is being typed. lurk_engine_types_from() tells whether that is read out of these
 * bytes: then it must be ended before they go. */
void lurk_engine_cancel(struct lurk_engine *engine);
bool lurk_engine_types_from(const struct lurk_engine *engine, const void *bytes, size_t size);

/* Whether text is being typed. */
static inline bool lurk_engine_types(const struct lurk_engine *engine)
{
	return engine->typing.active;
}

/* Whether a key has asked for something: see lurk_engine_take_wish(). */
static inline bool lurk_engine_wishes(const struct lurk_engine *engine)
{
	return engine->wish.gives;
}

/* The modifiers that count as held, a bit a place of lurk_modifier_place(). */
static inline uint8_t lurk_engine_modifiers(const struct lurk_engine *engine)
{
	return engine->held;
}

/* Whether anything that the keyboard's keys began goes on: a key is held, or waits; something is
 * down on it; text is typed by it. */
bool lurk_engine_needs(const struct lurk_engine *engine, uint16_t keyboard);

/* How many of its keys are held. */
static inline unsigned lurk_engine_held(const struct lurk_engine *engine, uint16_t keyboard)
{
	return engine->keyboards[keyboard].held_count;
}

/* Takes out what a key has asked for: another profile, rules off or on. No event that waits is
 * dealt with until then. */
bool lurk_engine_take_wish(struct lurk_engine *engine, struct lurk_wish *wish);

/* Forgets what is held on the keyboard and releases all that it pressed: for one that was
 * unplugged, a machine that sleeps. The frames are to be pulled before it is fed again. */
void lurk_engine_release(struct lurk_engine *engine, uint16_t keyboard);

/* Takes one event. Events for a keyboard without a keymap give nothing, nor do repeats but
 * those of a key that never sends its release. */
enum lurk_error lurk_engine_feed(struct lurk_engine *engine, const struct lurk_event *event);

/* The keyboard's report is over: what its events gave is a frame. For events that were fed with
 * lurk_key_event.more; one without it ends its report by itself. */
void lurk_engine_end_report(struct lurk_engine *engine, uint16_t keyboard);

/* Takes out the next frame that is due. */
bool lurk_engine_pull(struct lurk_engine *engine, uint64_t now_us, struct lurk_frame *frame);

/* When a frame will next be due by itself; LURK_NEVER where none will. */
uint64_t lurk_engine_deadline(const struct lurk_engine *engine);

/* Whether any key that the keyboard pressed is down. */
bool lurk_engine_holds(const struct lurk_engine *engine, uint16_t keyboard);

LURK_END_C

#endif
