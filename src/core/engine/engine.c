/* The engine: what each press gives, and what each release takes back. */
#include "core/engine/parts.h"

#include "core/keyhash.h"

const struct lurk_keymap *lurk_keymap_plain(void)
{
	static const struct lurk_keymap_slot no_slot[1];
	static const struct lurk_action itself[1] = {{.gives = LURK_GIVES_ITSELF}};
	static const uint8_t no_shape[LURK_SHAPE_SIZE];
	static const struct lurk_keymap plain = {.slots = no_slot,
						 .actions = itself,
						 .shapes = no_shape,
						 .action_count = 1,
						 .shape_count = 1};

	return &plain;
}

void lurk_engine_init(struct lurk_engine *engine, struct lurk_engine_keyboard *keyboards,
		      uint16_t count)
{
	memset(engine, 0, sizeof *engine);
	memset(keyboards, 0, count * sizeof *keyboards);
	engine->keyboards = keyboards;
	engine->keyboard_count = count;
	engine->modifier_at = UINT32_MAX;
	for (uint16_t i = 0; i < count; i++)
		keyboards[i].releasing = LURK_KEY_COUNT;
}

void lurk_engine_use(struct lurk_engine *engine, uint16_t keyboard,
		     const struct lurk_keymap *keymap)
{
	engine->keyboards[keyboard].keymap = keymap;
}

/* Moves those behind a slot that is free now forward, lest a search ends too early. */
void lurk_held_close_gap(struct lurk_engine_keyboard *k, uint32_t hole)
{
	uint32_t at = hole;

	for (;;) {
		k->held[hole].used = false;
		do {
			at = (at + 1) & HELD_MASK;
			if (!k->held[at].used)
				return;
		} while (((at - lurk_held_home(k->held[at].code, k->held[at].kind)) & HELD_MASK) <
			 ((at - hole) & HELD_MASK));
		k->held[hole] = k->held[at];
		hole = at;
	}
}

/* ---- What a press gives --------------------------------------------------------------------- */

/* What is more than a key whatever is held. */
static RARE void give_more(struct lurk_engine *e, uint16_t keyboard, struct lurk_held *source,
			   const struct lurk_action *action)
{
	switch (action->gives) {
	case LURK_GIVES_CHORDS:
	case LURK_GIVES_TEXT:
		lurk_typing_give(e, keyboard, source, action);
		break;
	case LURK_GIVES_PROFILE:
	case LURK_GIVES_TOGGLE:
		e->wish = (struct lurk_wish){action->gives, action->key};
		lurk_overlay_swallow(e, keyboard);
		break;
	case LURK_GIVES_KEY:
		lurk_overlay_hold(e, keyboard, source, (struct lurk_step){action->key, 0},
				  lurk_belonging(e, action->modifiers));
		break;
	default:
		lurk_overlay_swallow(e, keyboard);
		break;
	}
}

static inline void give(struct lurk_engine *e, uint16_t keyboard, struct lurk_held *source,
			const struct lurk_action *action, lurk_key pressed)
{
	lurk_key key;
	int place;

	if (action->more) {
		give_more(e, keyboard, source, action);
		return;
	}
	key = action->gives == LURK_GIVES_ITSELF ? pressed : action->key;
	place = lurk_place_of(key);
	if (place >= 0) {
		source->modifiers = (uint8_t)(1U << place);
		lurk_lift_hold(e, keyboard, source->modifiers);
	} else if (key) {
		source->gave = key;
		if (e->keyboards[keyboard].down[key]++ == 0) {
			e->presses++;
			lurk_stroke_out(e, keyboard, key, LURK_DOWN);
		}
	} else if (pressed) { /* a rule has made it nothing; a key without a name is nothing */
		lurk_overlay_swallow(e, keyboard);
	}
}

static inline void take_back(struct lurk_engine *e, uint16_t keyboard,
			     const struct lurk_held *source)
{
	lurk_release_out(e, keyboard, source->gave);
	if (source->modifiers)
		lurk_lift_let_go(e, keyboard, source->modifiers);
	if (e->overlay.active && e->overlay.keyboard == keyboard &&
	    e->overlay.code == source->code && e->overlay.kind == source->kind)
		lurk_overlay_end(e);
}

/* ---- Events in ----------------------------------------------------------------------------- */

/* A key that never comes up: its every press may come as a repeat. */
static RARE void tap(struct lurk_engine *e, uint16_t keyboard, const struct lurk_key_event *key,
		     const struct lurk_action *action)
{
	struct lurk_held source = {key->scan.code, key->scan.kind, true, 0, LURK_KEY_NONE};

	lurk_overlay_end(e);
	give(e, keyboard, &source, action, key->key);
	lurk_close_frame(e);
	if (!e->typing.active)
		take_back(e, keyboard, &source);
}

static inline void key_down(struct lurk_engine *e, uint16_t keyboard,
			    const struct lurk_key_event *key, uint32_t code)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	const struct lurk_action *base = lurk_keymap_base(k->keymap, key->key, LURK_SCAN_NONE);
	const struct lurk_action *action =
		lurk_keymap_base(k->keymap, key->scan.code, key->scan.kind);
	struct lurk_held *slot = &k->held[lurk_held_slot(k, code, key->scan.kind)];

	/* Nearly always no rule is about the key at all. */
	if (base != action || base->rank) {
		const struct lurk_action *by_key = lurk_keymap_variant(k->keymap, base, e->held);

		action = lurk_keymap_variant(k->keymap, action, e->held);
		action = action->rank > by_key->rank ? action : by_key;
	}
	if (base->tap) {
		tap(e, keyboard, key, action);
		return;
	}
	if (slot->used || key->state == LURK_REPEAT)
		return; /* a press without a release before it is a repeat too */
	if (k->held_count == LURK_HELD_MAX) {
		k->dropped++;
		return;
	}
	lurk_overlay_end(e);
	*slot = (struct lurk_held){code, key->scan.kind, true, 0, LURK_KEY_NONE};
	k->held_count++;
	give(e, keyboard, slot, action, key->key);
}

static inline void key_up(struct lurk_engine *e, uint16_t keyboard, uint32_t code, uint8_t kind)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	uint32_t slot = lurk_held_slot(k, code, kind);
	struct lurk_held source = k->held[slot];

	if (!source.used)
		return; /* pressed before the engine was there */
	lurk_held_forget(k, slot);
	take_back(e, keyboard, &source);
}

static inline void take_event(struct lurk_engine *engine, const struct lurk_event *event)
{
	const struct lurk_key_event *key = &event->key;
	uint32_t code = key->scan.kind == LURK_SCAN_NONE ? key->key : key->scan.code;

	if (key->state != LURK_UP)
		key_down(engine, event->keyboard, key, code);
	else
		key_up(engine, event->keyboard, code, key->scan.kind);
	if (!key->more || engine->open == LURK_FRAME_STROKES)
		lurk_close_frame(engine);
}

/* What comes while text is typed waits. A press too many is dropped, but never a release. */
static RARE enum lurk_error let_wait(struct lurk_engine *e, const struct lurk_event *event)
{
	if (event->key.state != LURK_UP &&
	    (event->key.state == LURK_REPEAT || e->pending_count >= LURK_PENDING_PRESSES)) {
		e->keyboards[event->keyboard].dropped += event->key.state == LURK_DOWN;
		return LURK_OK;
	}
	if (e->pending_count == LURK_PENDING) {
		lurk_engine_cancel(e);
		return LURK_ERR_BUSY;
	}
	e->pending[(e->first_pending + e->pending_count++) % LURK_PENDING] = *event;
	return LURK_OK;
}

static inline bool has_room(const struct lurk_engine *e)
{
	return e->waiting + LURK_EVENT_STROKES <= LURK_QUEUE_STROKES;
}

enum lurk_error lurk_engine_feed(struct lurk_engine *engine, const struct lurk_event *event)
{
	const struct lurk_engine_keyboard *k = &engine->keyboards[event->keyboard];

	if (!k->keymap)
		return LURK_OK;
	if (!has_room(engine) || k->releasing < LURK_KEY_COUNT)
		return LURK_ERR_BUSY;
	if (engine->typing.active || engine->pending_count || engine->wish.gives)
		return let_wait(engine, event);
	take_event(engine, event);
	return LURK_OK;
}

void lurk_engine_end_report(struct lurk_engine *engine, uint16_t keyboard)
{
	struct lurk_event *last;

	if (!engine->pending_count) {
		lurk_close_frame(engine);
		return;
	}
	last = &engine->pending[(engine->first_pending + engine->pending_count - 1U) %
				LURK_PENDING];
	if (last->keyboard == keyboard)
		last->key.more = false;
}

void lurk_engine_inherit(struct lurk_engine *engine, uint16_t keyboard,
			 const struct lurk_key_event *key, lurk_key gave)
{
	struct lurk_engine_keyboard *k = &engine->keyboards[keyboard];
	uint32_t code = key->scan.kind == LURK_SCAN_NONE ? key->key : key->scan.code;
	struct lurk_held *slot = &k->held[lurk_held_slot(k, code, key->scan.kind)];
	int place = lurk_place_of(gave);

	if (place < 0 || slot->used || k->held_count == LURK_HELD_MAX)
		return;
	*slot = (struct lurk_held){code, key->scan.kind, true, (uint8_t)(1U << place),
				   LURK_KEY_NONE};
	k->held_count++;
	/* Text that is being typed has lifted it, as it has lifted all others. */
	if (lurk_typing_lifts(engine, (uint8_t)(1U << place)) && !k->held_modifiers[place] &&
	    !k->down[gave] && engine->lifted_count < LURK_LIFTED_MAX) {
		k->held_modifiers[place] = k->down[gave] = 1;
		if (engine->givers[place]++ == 0)
			engine->held |= (uint8_t)(1U << place);
		k->guarded |= (uint8_t)(1U << place);
		k->lifted |= (uint8_t)(1U << place);
		engine->lifted_count++;
		return;
	}
	lurk_lift_hold(engine, keyboard, slot->modifiers);
	lurk_close_frame(engine);
}

bool lurk_engine_take_wish(struct lurk_engine *engine, struct lurk_wish *wish)
{
	*wish = engine->wish;
	engine->wish.gives = 0;
	return wish->gives;
}

void lurk_engine_silence(struct lurk_engine *engine, uint16_t keyboard, bool silent)
{
	engine->keyboards[keyboard].silent = silent;
}

/* Events that wait must not press anything on a keyboard that is gone. */
static void drop_pending(struct lurk_engine *e, uint16_t keyboard)
{
	uint16_t kept = 0;

	for (uint16_t i = 0; i < e->pending_count; i++) {
		const struct lurk_event *event = &e->pending[(e->first_pending + i) % LURK_PENDING];

		if (event->keyboard != keyboard)
			e->pending[(e->first_pending + kept++) % LURK_PENDING] = *event;
	}
	e->pending_count = kept;
}

/* Its modifiers count no more, and what was lifted stays up. True where one would go up alone. */
static bool forget_modifiers(struct lurk_engine *engine, struct lurk_engine_keyboard *k)
{
	bool alone = false;

	for (unsigned place = 0; place < 8; place++) {
		if (k->held_modifiers[place] && --engine->givers[place] == 0)
			engine->held &= (uint8_t) ~(1U << place);
		k->held_modifiers[place] = 0;
		if (k->lifted >> place & 1) {
			k->down[lurk_modifier_key(place)] = 0;
			engine->lifted_count--;
		} else if (k->guarded >> place & 1) {
			alone = alone || (k->down[lurk_modifier_key(place)] &&
					  k->pressed_at[place] == engine->presses);
		}
	}
	k->lifted = 0;
	return alone;
}

void lurk_engine_release(struct lurk_engine *engine, uint16_t keyboard)
{
	struct lurk_engine_keyboard *k = &engine->keyboards[keyboard];

	lurk_close_frame(engine);
	if (engine->typing.keyboard == keyboard)
		lurk_engine_cancel(engine);
	drop_pending(engine, keyboard);
	if (lurk_overlay_is_on(&engine->overlay, keyboard))
		lurk_overlay_release(engine);
	if (forget_modifiers(engine, k))
		lurk_lift_spacer(engine, keyboard);
	if (engine->overlay.keyboard == keyboard)
		lurk_overlay_end(engine);
	lurk_close_frame(engine);
	memset(k->held, 0, sizeof k->held);
	k->held_count = 0;
	if (k->releasing == LURK_KEY_COUNT)
		engine->releasing++;
	k->releasing = 0;
}

/* ---- Frames out ---------------------------------------------------------------------------- */

static inline bool pull_queued(struct lurk_engine *e, struct lurk_frame *frame)
{
	const struct lurk_queued *q;

	if (e->waiting == e->open)
		return false;
	frame->count = 0;
	frame->keyboard = e->queue[e->first].keyboard;
	frame->typed = e->typing.active;
	do {
		q = &e->queue[e->first];
		frame->strokes[frame->count++] = (struct lurk_stroke){q->key, q->state};
		e->first = (uint16_t)((e->first + 1U) % LURK_QUEUE_STROKES);
	} while (!q->last);
	e->waiting = (uint16_t)(e->waiting - frame->count);
	return true;
}

static bool pull_released(struct lurk_engine *e, uint16_t keyboard, struct lurk_frame *frame)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	frame->keyboard = keyboard;
	frame->count = 0;
	frame->typed = false;
	for (; k->releasing < LURK_KEY_COUNT; k->releasing++) {
		if (!k->down[k->releasing])
			continue;
		if (frame->count == LURK_FRAME_STROKES)
			return true;
		k->down[k->releasing] = 0;
		frame->strokes[frame->count++] = (struct lurk_stroke){k->releasing, LURK_UP};
	}
	e->releasing--;
	return frame->count > 0 && !k->silent;
}

/* A step of what is typed where it is due, else the events that waited for it. */
static bool go_on(struct lurk_engine *e, uint64_t now_us)
{
	if (e->typing.active) {
		if (now_us < e->typing.due_us)
			return false;
		lurk_typing_go_on(e);
		lurk_close_frame(e);
		/* A key goes up at once. */
		if (e->waiting && !lurk_typing_releases(e))
			e->typing.due_us = now_us + LURK_TYPING_US;
		return true;
	}
	if (!e->pending_count || e->wish.gives)
		return false;
	if (e->keyboards[e->pending[e->first_pending].keyboard].keymap)
		take_event(e, &e->pending[e->first_pending]);
	e->first_pending = (uint16_t)((e->first_pending + 1U) % LURK_PENDING);
	e->pending_count--;
	return true;
}

static bool pull_any(struct lurk_engine *e, struct lurk_frame *frame)
{
	if (pull_queued(e, frame))
		return true;
	for (uint16_t i = 0; e->releasing && i < e->keyboard_count; i++) {
		if (e->keyboards[i].releasing < LURK_KEY_COUNT && pull_released(e, i, frame))
			return true;
	}
	return false;
}

static RARE bool pull_later(struct lurk_engine *e, uint64_t now_us, struct lurk_frame *frame)
{
	while (!pull_any(e, frame)) {
		if (!go_on(e, now_us))
			return false;
	}
	return true;
}

bool lurk_engine_pull(struct lurk_engine *engine, uint64_t now_us, struct lurk_frame *frame)
{
	if (engine->waiting != engine->open)
		return pull_queued(engine, frame);
	if (!engine->releasing && !engine->typing.active && !engine->pending_count)
		return false;
	return pull_later(engine, now_us, frame);
}

uint64_t lurk_engine_deadline(const struct lurk_engine *engine)
{
	if (engine->waiting > engine->open || engine->releasing)
		return 0;
	if (engine->typing.active)
		return engine->typing.due_us;
	return engine->pending_count && !engine->wish.gives ? 0 : LURK_NEVER;
}

bool lurk_engine_needs(const struct lurk_engine *engine, uint16_t keyboard)
{
	const struct lurk_engine_keyboard *k = &engine->keyboards[keyboard];

	if (k->held_count || k->releasing < LURK_KEY_COUNT || engine->waiting ||
	    (engine->overlay.active && (engine->overlay.keyboard == keyboard ||
					lurk_overlay_is_on(&engine->overlay, keyboard))) ||
	    (engine->typing.active && engine->typing.keyboard == keyboard))
		return true;
	for (uint16_t i = 0; i < engine->pending_count; i++) {
		if (engine->pending[(engine->first_pending + i) % LURK_PENDING].keyboard ==
		    keyboard)
			return true;
	}
	return false;
}

bool lurk_engine_holds(const struct lurk_engine *engine, uint16_t keyboard)
{
	for (unsigned key = 0; key < LURK_KEY_COUNT; key++) {
		if (engine->keyboards[keyboard].down[key])
			return true;
	}
	return false;
}
