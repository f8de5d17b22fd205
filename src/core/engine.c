/* The engine: what each press gives, and what each release takes back. */
#include "lurk/engine.h"

#include "core/keyhash.h"
#include "core/mem.h"

enum { HELD_MASK = LURK_HELD_SLOTS - 1 };

void lurk_engine_init(struct lurk_engine *engine, struct lurk_engine_keyboard *keyboards,
		      uint16_t count)
{
	memset(engine, 0, sizeof *engine);
	memset(keyboards, 0, count * sizeof *keyboards);
	engine->keyboards = keyboards;
	engine->keyboard_count = count;
	for (uint16_t i = 0; i < count; i++)
		keyboards[i].releasing = LURK_KEY_COUNT;
}

void lurk_engine_use(struct lurk_engine *engine, uint16_t keyboard,
		     const struct lurk_keymap *keymap)
{
	engine->keyboards[keyboard].keymap = keymap;
}

/* ---- Strokes out --------------------------------------------------------------------------- */

static void close_frame(struct lurk_engine *e)
{
	if (e->open)
		e->queue[(e->first + e->waiting - 1U) % LURK_QUEUE_STROKES].last = true;
	e->open = 0;
}

static void stroke(struct lurk_engine *e, uint16_t keyboard, lurk_key key, enum lurk_state state)
{
	struct lurk_queued *q = &e->queue[(e->first + e->waiting) % LURK_QUEUE_STROKES];

	*q = (struct lurk_queued){keyboard, key, (uint8_t)state, false};
	e->waiting++;
	e->open++;
}

static void press(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	if (key && e->keyboards[keyboard].down[key]++ == 0)
		stroke(e, keyboard, key, LURK_DOWN);
}

static void release(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	if (key && --e->keyboards[keyboard].down[key] == 0)
		stroke(e, keyboard, key, LURK_UP);
}

/* ---- What is held: open addressing, so that the next free slot ends a search ---------------- */

static uint32_t home(uint32_t code, uint8_t kind)
{
	return ((code ^ (uint32_t)kind << 29) * 0x9e3779b1U) >> 24 & HELD_MASK;
}

/* The slot of a held source, or the free one where it would go. */
static uint32_t held_slot(const struct lurk_engine_keyboard *k, uint32_t code, uint8_t kind)
{
	uint32_t at = home(code, kind);

	while (k->held[at].used && (k->held[at].code != code || k->held[at].kind != kind))
		at = (at + 1) & HELD_MASK;
	return at;
}

/* Frees a slot and moves those behind it forward, lest a search ends too early. */
static void forget(struct lurk_engine_keyboard *k, uint32_t hole)
{
	uint32_t at = hole;

	k->held_count--;
	for (;;) {
		k->held[hole].used = false;
		do {
			at = (at + 1) & HELD_MASK;
			if (!k->held[at].used)
				return;
		} while (((at - home(k->held[at].code, k->held[at].kind)) & HELD_MASK) <
			 ((at - hole) & HELD_MASK));
		k->held[hole] = k->held[at];
		hole = at;
	}
}

/* ---- Events in ----------------------------------------------------------------------------- */

static void key_down(struct lurk_engine *e, uint16_t keyboard, const struct lurk_key_event *key,
		     struct lurk_held source)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	const struct lurk_action *by_scan =
		lurk_keymap_action(k->keymap, key->scan.code, key->scan.kind);
	const struct lurk_action *by_key = lurk_keymap_action(k->keymap, key->key, LURK_SCAN_NONE);
	const struct lurk_action *action = by_scan->rank > by_key->rank ? by_scan : by_key;
	uint32_t slot = held_slot(k, source.code, source.kind);

	source.gave = lurk_action_key(action, key->key);
	if (by_key->tap) { /* its every press may come as a repeat: it never came up */
		press(e, keyboard, source.gave);
		close_frame(e);
		release(e, keyboard, source.gave);
		return;
	}
	if (k->held[slot].used || key->state == LURK_REPEAT)
		return; /* a press without a release before it is a repeat too */
	if (k->held_count == LURK_HELD_MAX) {
		k->dropped++;
		return;
	}
	k->held[slot] = source;
	k->held_count++;
	press(e, keyboard, source.gave);
}

static void key_up(struct lurk_engine *e, uint16_t keyboard, struct lurk_held source)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	uint32_t slot = held_slot(k, source.code, source.kind);
	lurk_key gave = k->held[slot].gave;

	if (!k->held[slot].used)
		return; /* pressed before the engine was there */
	forget(k, slot);
	release(e, keyboard, gave);
}

enum lurk_error lurk_engine_feed(struct lurk_engine *engine, const struct lurk_event *event)
{
	struct lurk_engine_keyboard *k = &engine->keyboards[event->keyboard];
	const struct lurk_key_event *key = &event->key;
	struct lurk_held source = {key->scan.code, key->scan.kind, true, LURK_KEY_NONE};

	if (!k->keymap)
		return LURK_OK;
	/* The most that one event gives is a tap. */
	if (engine->waiting + 2 > LURK_QUEUE_STROKES || k->releasing < LURK_KEY_COUNT)
		return LURK_ERR_BUSY;
	if (source.kind == LURK_SCAN_NONE)
		source.code = key->key;
	if (key->state != LURK_UP)
		key_down(engine, event->keyboard, key, source);
	else
		key_up(engine, event->keyboard, source);
	if (!key->more || engine->open == LURK_FRAME_STROKES)
		close_frame(engine);
	return LURK_OK;
}

void lurk_engine_release(struct lurk_engine *engine, uint16_t keyboard)
{
	struct lurk_engine_keyboard *k = &engine->keyboards[keyboard];

	close_frame(engine);
	memset(k->held, 0, sizeof k->held);
	k->held_count = 0;
	if (k->releasing == LURK_KEY_COUNT)
		engine->releasing++;
	k->releasing = 0;
}

/* ---- Frames out ---------------------------------------------------------------------------- */

static bool pull_queued(struct lurk_engine *e, struct lurk_frame *frame)
{
	const struct lurk_queued *q;

	if (e->waiting == e->open)
		return false;
	frame->count = 0;
	do {
		q = &e->queue[e->first];
		frame->keyboard = q->keyboard;
		frame->strokes[frame->count++] = (struct lurk_stroke){q->key, q->state};
		e->first = (uint16_t)((e->first + 1U) % LURK_QUEUE_STROKES);
		e->waiting--;
	} while (!q->last);
	return true;
}

static bool pull_released(struct lurk_engine *e, uint16_t keyboard, struct lurk_frame *frame)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	frame->keyboard = keyboard;
	frame->count = 0;
	for (; k->releasing < LURK_KEY_COUNT; k->releasing++) {
		if (!k->down[k->releasing])
			continue;
		if (frame->count == LURK_FRAME_STROKES)
			return true;
		k->down[k->releasing] = 0;
		frame->strokes[frame->count++] = (struct lurk_stroke){k->releasing, LURK_UP};
	}
	e->releasing--;
	return frame->count > 0;
}

bool lurk_engine_pull(struct lurk_engine *engine, uint64_t now_us, struct lurk_frame *frame)
{
	(void)now_us; /* nothing is paced yet */
	if (pull_queued(engine, frame))
		return true;
	for (uint16_t i = 0; engine->releasing && i < engine->keyboard_count; i++) {
		if (engine->keyboards[i].releasing < LURK_KEY_COUNT &&
		    pull_released(engine, i, frame))
			return true;
	}
	return false;
}

uint64_t lurk_engine_deadline(const struct lurk_engine *engine)
{
	return engine->waiting > engine->open || engine->releasing ? 0 : LURK_NEVER;
}

bool lurk_engine_holds(const struct lurk_engine *engine, uint16_t keyboard)
{
	for (unsigned key = 0; key < LURK_KEY_COUNT; key++) {
		if (engine->keyboards[keyboard].down[key])
			return true;
	}
	return false;
}
