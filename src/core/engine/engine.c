/* The engine: what each press gives, and what each release takes back. */
#include "core/engine/parts.h"

#include "core/hot.h"
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
	for (uint16_t i = 0; i < count; i++) {
		keyboards[i].engine = engine;
		keyboards[i].releasing = LURK_KEY_COUNT;
	}
}

void lurk_engine_use(struct lurk_engine *engine, uint16_t keyboard,
		     const struct lurk_keymap *keymap)
{
	struct lurk_engine_keyboard *k = &engine->keyboards[keyboard];

	lurk_assert(k->engine == engine ||
		    (!k->held_count && !k->lifted && k->releasing == LURK_KEY_COUNT));
	k->engine = engine;
	k->keymap = keymap;
	for (unsigned i = 0; i < LURK_SOURCES; i++)
		k->sources[i].route = LURK_ROUTE_UNKNOWN;
}

/* ---- Sources -------------------------------------------------------------------------------- */

/* Moves those behind a slot that is free now forward, lest a search ends too early. */
static void close_gap(struct lurk_engine_keyboard *k, uint32_t hole)
{
	uint32_t at = hole;

	for (;;) {
		k->sources[hole].used = false;
		do {
			at = (at + 1) & SOURCE_MASK;
			if (!k->sources[at].used)
				return;
		} while (((at - lurk_source_home(k->sources[at].code, k->sources[at].kind)) &
			  SOURCE_MASK) < ((at - hole) & SOURCE_MASK));
		k->sources[hole] = k->sources[at];
		hole = at;
	}
}

/* Those that are up can be learnt again. */
static void forget_sources(struct lurk_engine_keyboard *k)
{
	for (uint32_t i = 0; i < LURK_SOURCES; i++) {
		while (k->sources[i].used && !k->sources[i].down) {
			close_gap(k, i);
			k->source_count--;
		}
	}
}

/* The source of a code, where there is room for one. Other pointers to sources are void then. */
static struct lurk_engine_source *know_source(struct lurk_engine_keyboard *k, uint32_t code,
					      uint8_t kind)
{
	struct lurk_engine_source *source = lurk_source_find(k, code, kind);

	if (source->used)
		return source;
	if (k->source_count == LURK_HELD_MAX) {
		forget_sources(k);
		source = lurk_source_find(k, code, kind);
	}
	if (k->source_count == LURK_HELD_MAX)
		return NULL;
	*source = (struct lurk_engine_source){.code = code, .kind = kind, .used = true};
	k->source_count++;
	return source;
}

static void find_route(const struct lurk_engine_keyboard *k, struct lurk_engine_source *source,
		       const struct lurk_key_event *key)
{
	const struct lurk_action *by_key = lurk_keymap_base(k->keymap, key->key, LURK_SCAN_NONE);
	const struct lurk_action *action =
		lurk_keymap_base(k->keymap, key->scan.code, key->scan.kind);
	int place;

	source->named = key->key;
	source->route = LURK_ROUTE_ACTION;
	if (action->shape || by_key->shape || by_key->tap)
		return;
	action = action->rank > by_key->rank ? action : by_key;
	source->key = action->gives == LURK_GIVES_ITSELF ? key->key : action->key;
	place = lurk_place_of(source->key);
	if (action->more || !source->key)
		return;
	source->route = place < 0 ? LURK_ROUTE_KEY : LURK_ROUTE_MODIFIER;
	source->place = place < 0 ? 0 : (uint8_t)place;
}

/* Where a key is new, or was another when it was learnt. A press for which there is no room is
 * dropped. */
static RARE struct lurk_engine_source *learn(struct lurk_engine_keyboard *k,
					     const struct lurk_key_event *key, uint32_t code)
{
	struct lurk_engine_source *source = know_source(k, code, key->scan.kind);

	if (source)
		find_route(k, source, key);
	else
		k->dropped += key->state == LURK_DOWN;
	return source;
}

/* ---- What a press gives --------------------------------------------------------------------- */

/* What is more than a key whatever is held. */
static RARE void give_more(struct lurk_engine *e, uint16_t keyboard,
			   struct lurk_engine_source *source, const struct lurk_action *action)
{
	switch (action->gives) {
	case LURK_GIVES_CHORDS:
	case LURK_GIVES_TEXT:
		lurk_typing_give(e, keyboard, source, action);
		break;
	case LURK_GIVES_PROFILE:
	case LURK_GIVES_TOGGLE:
		e->wish = (struct lurk_wish){action->gives, action->below, action->key, keyboard};
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

/* What the keymap says of the press, with the modifiers that are held. */
static void give(struct lurk_engine *e, uint16_t keyboard, struct lurk_engine_source *source,
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
		lurk_press_out(e, keyboard, key);
	} else if (pressed) { /* a rule has made it nothing; a key without a name is nothing */
		lurk_overlay_swallow(e, keyboard);
	}
}

static ALWAYS_INLINE void take_back(struct lurk_engine *e, uint16_t keyboard,
				    const struct lurk_engine_source *source)
{
	/* Modifiers are never what it gave, and nothing else is lifted or guarded. */
	lurk_assert(lurk_place_of(source->gave) < 0);
	if (source->gave && --e->keyboards[keyboard].down[source->gave] == 0)
		lurk_stroke_out(e, keyboard, source->gave, LURK_UP);
	if (source->modifiers)
		lurk_lift_let_go(e, keyboard, source->modifiers);
	if (e->overlay.active && e->overlay.keyboard == keyboard &&
	    e->overlay.code == source->code && e->overlay.kind == source->kind)
		lurk_overlay_end(e);
}

/* ---- Events in ----------------------------------------------------------------------------- */

/* A key that never comes up: its every press may come as a repeat. */
static void tap(struct lurk_engine *e, uint16_t keyboard, const struct lurk_key_event *key,
		const struct lurk_action *action)
{
	struct lurk_engine_source source = {.code = key->scan.code, .kind = key->scan.kind};

	lurk_overlay_end(e);
	give(e, keyboard, &source, action, key->key);
	lurk_close_frame(e);
	if (!e->typing.active)
		take_back(e, keyboard, &source);
}

static ALWAYS_INLINE void hold(struct lurk_engine_keyboard *k, struct lurk_engine_source *source)
{
	source->down = true;
	source->modifiers = 0;
	source->gave = LURK_KEY_NONE;
	k->held_count++;
}

static RARE void press_by_action(struct lurk_engine *e, uint16_t keyboard,
				 struct lurk_engine_source *source,
				 const struct lurk_key_event *key)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	const struct lurk_action *action =
		lurk_keymap_find_held(k->keymap, key->scan, key->key, e->held);

	if (lurk_keymap_base(k->keymap, key->key, LURK_SCAN_NONE)->tap) {
		tap(e, keyboard, key, action);
		return;
	}
	if (source->down || key->state == LURK_REPEAT)
		return;
	lurk_overlay_end(e);
	hold(k, source);
	give(e, keyboard, source, action, key->key);
}

static ALWAYS_INLINE void key_down(struct lurk_engine *e, uint16_t keyboard,
				   const struct lurk_key_event *key, uint32_t code)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	struct lurk_engine_source *source = lurk_source_find(k, code, key->scan.kind);

	if (!source->used || !source->route || source->named != key->key)
		source = learn(k, key, code);
	if (!source)
		return;
	if (source->route == LURK_ROUTE_ACTION) {
		press_by_action(e, keyboard, source, key);
		return;
	}
	if (source->down || key->state == LURK_REPEAT)
		return; /* a press without a release before it is a repeat too */
	lurk_overlay_end(e);
	hold(k, source);
	if (source->route == LURK_ROUTE_MODIFIER) {
		source->modifiers = (uint8_t)(1U << source->place);
		lurk_modifier_hold(e, keyboard, source->place, source->key);
		return;
	}
	source->gave = source->key;
	if (k->down[source->key]++ == 0) {
		e->presses++;
		lurk_stroke_out(e, keyboard, source->key, LURK_DOWN);
	}
}

static ALWAYS_INLINE void key_up(struct lurk_engine *e, uint16_t keyboard, uint32_t code,
				 uint8_t kind)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	struct lurk_engine_source *source = lurk_source_find(k, code, kind);

	if (!source->used || !source->down)
		return; /* pressed before the engine was there */
	k->held_count--;
	source->down = false;
	take_back(e, keyboard, source);
}

static ALWAYS_INLINE void take_event(struct lurk_engine *engine, const struct lurk_event *event)
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

/* The same, of one that waited. */
static RARE void take_waiting(struct lurk_engine *engine, const struct lurk_event *event)
{
	take_event(engine, event);
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

HOT enum lurk_error lurk_engine_feed(struct lurk_engine *engine, const struct lurk_event *event)
{
	const struct lurk_engine_keyboard *k = &engine->keyboards[event->keyboard];

	lurk_assert(k->engine == engine);
	if (!k->keymap)
		return LURK_OK;
	if (!has_room(engine) || k->releasing < LURK_KEY_COUNT)
		return LURK_ERR_BUSY;
	if (engine->typing.active || engine->pending_count || engine->wish.gives)
		return let_wait(engine, event);
	take_event(engine, event);
	return LURK_OK;
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

void lurk_engine_pass_on(struct lurk_engine *from, struct lurk_engine *to, uint16_t keyboard)
{
	for (uint16_t i = 0; i < from->pending_count; i++) {
		const struct lurk_event *event =
			&from->pending[(from->first_pending + i) % LURK_PENDING];

		if (event->keyboard == keyboard)
			let_wait(to, event);
	}
	drop_pending(from, keyboard);
}

HOT void lurk_engine_end_report(struct lurk_engine *engine, uint16_t keyboard)
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
	const int place = lurk_place_of(gave);
	struct lurk_engine_source *source = place < 0 ? NULL : know_source(k, code, key->scan.kind);

	if (!source || source->down)
		return;
	hold(k, source);
	source->modifiers = (uint8_t)(1U << place);
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
	lurk_lift_hold(engine, keyboard, source->modifiers);
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
	memset(k->sources, 0, sizeof k->sources);
	k->source_count = k->held_count = 0;
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
		take_waiting(e, &e->pending[e->first_pending]);
	e->first_pending = (uint16_t)((e->first_pending + 1U) % LURK_PENDING);
	e->pending_count--;
	return true;
}

static bool pull_any(struct lurk_engine *e, struct lurk_frame *frame)
{
	if (pull_queued(e, frame))
		return true;
	for (uint16_t i = 0; e->releasing && i < e->keyboard_count; i++) {
		if (e->keyboards[i].engine == e && e->keyboards[i].releasing < LURK_KEY_COUNT &&
		    pull_released(e, i, frame))
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

HOT bool lurk_engine_pull(struct lurk_engine *engine, uint64_t now_us, struct lurk_frame *frame)
{
	if (engine->waiting != engine->open)
		return pull_queued(engine, frame);
	if (!engine->releasing && !engine->typing.active && !engine->pending_count)
		return false;
	return pull_later(engine, now_us, frame);
}

HOT uint64_t lurk_engine_deadline(const struct lurk_engine *engine)
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
