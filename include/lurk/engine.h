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
 * All memory is the caller's; the engine keeps no clock: times are microseconds of any clock that
 * does not run backwards.
 */
#ifndef LURK_INCLUDE_ENGINE_H
#define LURK_INCLUDE_ENGINE_H

#include "lurk/keymap.h"

enum {
	LURK_HELD_SLOTS = 256, /* per keyboard, a power of two */
	LURK_HELD_MAX = 224,   /* keys held at once; a further press is dropped whole */
	LURK_QUEUE_STROKES = 128,
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
};

/* One keyboard's state: what is held, and what it pressed. */
struct lurk_engine_keyboard {
	const struct lurk_keymap *keymap; /* NULL where nothing is plugged in */
	struct lurk_held {
		uint32_t code;
		uint8_t kind;
		bool used;
		lurk_key gave;
	} held[LURK_HELD_SLOTS];
	uint16_t held_count;
	uint16_t releasing; /* next key to look at while all is released; LURK_KEY_COUNT else */
	uint32_t dropped;   /* presses dropped because too many were held */
	uint8_t down[LURK_KEY_COUNT]; /* how many held keys give each key */
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
};

void lurk_engine_init(struct lurk_engine *engine, struct lurk_engine_keyboard *keyboards,
		      uint16_t count);

/* A keyboard comes, or gets other rules (keys held go on as they were pressed). The keymap must
 * live until it is replaced. */
void lurk_engine_use(struct lurk_engine *engine, uint16_t keyboard,
		     const struct lurk_keymap *keymap);

/* Forgets what is held on the keyboard and releases all that it pressed: for one that was
 * unplugged, a machine that sleeps. The frames are to be pulled before it is fed again. */
void lurk_engine_release(struct lurk_engine *engine, uint16_t keyboard);

/* Takes one event. Events for a keyboard without a keymap give nothing, nor do repeats but
 * those of a key that never sends its release. */
enum lurk_error lurk_engine_feed(struct lurk_engine *engine, const struct lurk_event *event);

/* Takes out the next frame that is due. */
bool lurk_engine_pull(struct lurk_engine *engine, uint64_t now_us, struct lurk_frame *frame);

/* When a frame will next be due by itself; LURK_NEVER where none will. */
uint64_t lurk_engine_deadline(const struct lurk_engine *engine);

/* Whether any key that the keyboard pressed is down. */
bool lurk_engine_holds(const struct lurk_engine *engine, uint16_t keyboard);

#endif
