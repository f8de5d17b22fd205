/* The engine: what each press gives, and what each release takes back. */
#include "lurk/engine.h"

#include "core/assert.h"
#include "core/keyhash.h"
#include "core/mem.h"

enum { HELD_MASK = LURK_HELD_SLOTS - 1 };

/* Kept out of the way of a key that is just a key, which is nearly every one. */
#define RARE __attribute__((noinline, cold))

/* What typing does next. */
enum phase { LET_GO, LIFT, UNLOCK, PRESS, RELEASE, LOCK_AGAIN, RESTORE };

static const struct lurk_keymap_slot no_slot[1];
static const struct lurk_action itself[1] = {{.gives = LURK_GIVES_ITSELF}};
static const uint8_t no_shape[LURK_SHAPE_SIZE];
const struct lurk_keymap lurk_keymap_plain = {.slots = no_slot,
					      .actions = itself,
					      .shapes = no_shape,
					      .action_count = 1,
					      .shape_count = 1};

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

/* The same as lurk_modifier_place(), and quick about keys that are none: most are. */
static inline int place_of(lurk_key key)
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

static inline void close_frame(struct lurk_engine *e)
{
	if (e->open)
		e->queue[(e->first + e->waiting - 1U) % LURK_QUEUE_STROKES].last = true;
	e->open = 0;
}

/* A frame is one keyboard's. */
static inline void stroke(struct lurk_engine *e, uint16_t keyboard, lurk_key key,
			  enum lurk_state state)
{
	const uint32_t at = (uint32_t)e->first + e->waiting;

	if (e->keyboards[keyboard].silent)
		return;
	if (e->open && (e->open == LURK_FRAME_STROKES ||
			e->queue[(at - 1) % LURK_QUEUE_STROKES].keyboard != keyboard))
		close_frame(e);
	e->queue[at % LURK_QUEUE_STROKES] =
		(struct lurk_queued){keyboard, key, (uint8_t)state, false};
	e->waiting++;
	e->open++;
}

/* A tap of a key that nobody knows, so that a modifier is not alone. */
static RARE void tap_unknown(struct lurk_engine *e, uint16_t keyboard)
{
	stroke(e, keyboard, LURK_KEY_UNKNOWN, LURK_DOWN);
	close_frame(e);
	stroke(e, keyboard, LURK_KEY_UNKNOWN, LURK_UP);
	close_frame(e);
	e->presses++;
}

static inline void goes_down(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	int place = place_of(key);

	if (place < 0) {
		e->presses++;
	} else {
		k->pressed_at[place] = e->modifier_at = e->presses;
		k->guarded &= (uint8_t) ~(1U << place);
	}
	stroke(e, keyboard, key, LURK_DOWN);
}

/* A modifier that must not look tapped alone. */
static RARE void guard(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	const struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	int place = place_of(key);

	if (place >= 0 && k->guarded >> place & 1 && k->pressed_at[place] == e->presses)
		tap_unknown(e, keyboard);
}

static inline void goes_up(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	if (e->keyboards[keyboard].guarded)
		guard(e, keyboard, key);
	stroke(e, keyboard, key, LURK_UP);
}

static inline void press(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	if (key && e->keyboards[keyboard].down[key]++ == 0)
		goes_down(e, keyboard, key);
}

static inline void release(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	int place;

	if (!key || --k->down[key])
		return;
	place = k->lifted ? place_of(key) : -1;
	if (place >= 0 && k->lifted >> place & 1) {
		k->lifted &= (uint8_t) ~(1U << place);
		e->lifted_count--;
	} else {
		goes_up(e, keyboard, key);
	}
}

/* ---- What is held: open addressing, so that the next free slot ends a search ---------------- */

static inline uint32_t home(uint32_t code, uint8_t kind)
{
	return ((code ^ (uint32_t)kind << 29) * 0x9e3779b1U) >> 24 & HELD_MASK;
}

/* The slot of a held source, or the free one where it would go. */
static inline uint32_t held_slot(const struct lurk_engine_keyboard *k, uint32_t code, uint8_t kind)
{
	uint32_t at = home(code, kind);

	while (k->held[at].used && (k->held[at].code != code || k->held[at].kind != kind))
		at = (at + 1) & HELD_MASK;
	return at;
}

/* Moves those behind a slot that is free now forward, lest a search ends too early. */
static RARE void close_gap(struct lurk_engine_keyboard *k, uint32_t hole)
{
	uint32_t at = hole;

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

static inline void forget(struct lurk_engine_keyboard *k, uint32_t slot)
{
	k->held_count--;
	k->held[slot].used = false;
	if (k->held[(slot + 1) & HELD_MASK].used)
		close_gap(k, slot);
}

/* ---- Modifiers that a held key gives -------------------------------------------------------- */

static RARE void hold_modifiers(struct lurk_engine *e, uint16_t keyboard, uint8_t modifiers)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	for (unsigned place = 0; modifiers >> place; place++) {
		if (!(modifiers >> place & 1))
			continue;
		if (k->held_modifiers[place]++ == 0 && e->givers[place]++ == 0)
			e->held |= (uint8_t)(1U << place);
		press(e, keyboard, lurk_modifier_key(place));
	}
}

static RARE void let_modifiers_go(struct lurk_engine *e, uint16_t keyboard, uint8_t modifiers)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	for (unsigned place = 0; modifiers >> place; place++) {
		if (!(modifiers >> place & 1))
			continue;
		if (--k->held_modifiers[place] == 0 && --e->givers[place] == 0)
			e->held &= (uint8_t) ~(1U << place);
		release(e, keyboard, lurk_modifier_key(place));
	}
}

/* ---- Overlays: modifiers lifted and pressed for one press ----------------------------------- */

/* Modifiers are lifted wherever they are held. */
static void lift(struct lurk_engine *e, uint8_t modifiers)
{
	modifiers &= e->held;
	for (uint16_t i = 0; modifiers && i < e->keyboard_count; i++) {
		struct lurk_engine_keyboard *k = &e->keyboards[i];

		for (unsigned place = 0; !k->silent && modifiers >> place; place++) {
			uint8_t bit = (uint8_t)(modifiers & 1U << place);

			if (!bit || !k->held_modifiers[place] || k->lifted & bit ||
			    e->lifted_count == LURK_LIFTED_MAX)
				continue;
			k->guarded |= bit;
			goes_up(e, i, lurk_modifier_key(place));
			k->lifted |= bit;
			e->lifted_count++;
		}
	}
}

/* Two modifiers that come back without a key between them could switch layouts. */
static void put_back(struct lurk_engine *e)
{
	for (uint16_t i = 0; e->lifted_count && i < e->keyboard_count; i++) {
		struct lurk_engine_keyboard *k = &e->keyboards[i];
		uint8_t lifted = k->lifted;

		k->lifted = 0;
		for (unsigned place = 0; lifted >> place; place++) {
			if (!(lifted >> place & 1))
				continue;
			e->lifted_count--;
			if (e->modifier_at == e->presses)
				tap_unknown(e, i);
			goes_down(e, i, lurk_modifier_key(place));
			k->guarded |= (uint8_t)(1U << place);
		}
	}
}

static void release_overlay(struct lurk_engine *e)
{
	struct lurk_overlay *o = &e->overlay;

	for (unsigned place = 0; o->modifiers >> place; place++) {
		if (o->direct >> place & 1)
			goes_up(e, o->homes[place], lurk_modifier_key(place));
		else if (o->modifiers >> place & 1)
			release(e, o->homes[place], lurk_modifier_key(place));
	}
	o->modifiers = o->direct = 0;
}

static RARE void really_end_overlay(struct lurk_engine *e)
{
	release_overlay(e);
	put_back(e);
	e->overlay.active = false;
}

static inline void end_overlay(struct lurk_engine *e)
{
	if (e->overlay.active)
		really_end_overlay(e);
}

/* The modifier keys for a step: those that are held will do for either side, else the left ones. */
static uint8_t keys_for(uint16_t modifiers, uint8_t held)
{
	uint8_t keys = (uint8_t)(modifiers & LURK_MOD_SIDES), both;

	for (unsigned family = 0; modifiers >> 8 & 0xf && family < 4; family++) {
		both = (uint8_t)(0x11 << family);
		if (modifiers >> 8 >> family & 1 && !(keys & both))
			keys = (uint8_t)(keys | (held & both ? held & both : 1U << family));
	}
	return keys;
}

/* A keyboard on which the modifier is down already, so that it is not pressed twice. */
static uint16_t home_of(const struct lurk_engine *e, uint16_t keyboard, unsigned place)
{
	const lurk_key key = lurk_modifier_key(place);

	if (!(e->held >> place & 1) || e->keyboards[keyboard].down[key])
		return keyboard;
	for (uint16_t i = 0; i < e->keyboard_count; i++) {
		const struct lurk_engine_keyboard *k = &e->keyboards[i];

		if (k->down[key] && !k->silent && !(k->lifted >> place & 1))
			return i;
	}
	return keyboard;
}

static void press_for_overlay(struct lurk_engine *e, uint16_t keyboard, uint8_t modifiers)
{
	struct lurk_overlay *o = &e->overlay;

	for (unsigned place = 0; modifiers >> place; place++) {
		if (!(modifiers >> place & 1))
			continue;
		o->homes[place] = home_of(e, keyboard, place);
		o->modifiers |= (uint8_t)(1U << place);
		if (e->keyboards[o->homes[place]].lifted >> place & 1) {
			o->direct |= (uint8_t)(1U << place);
			goes_down(e, o->homes[place], lurk_modifier_key(place));
		} else {
			press(e, o->homes[place], lurk_modifier_key(place));
		}
	}
}

/* A key that is down already is pressed anew: its earlier press meant something else. */
static void press_anew(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	if (k->down[key]) {
		goes_up(e, keyboard, key);
		close_frame(e);
		k->down[key]++;
		goes_down(e, keyboard, key);
	} else {
		press(e, keyboard, key);
	}
}

static void begin_overlay(struct lurk_engine *e, uint16_t keyboard, uint32_t code, uint8_t kind)
{
	e->overlay.active = true;
	e->overlay.keyboard = keyboard;
	e->overlay.code = code;
	e->overlay.kind = kind;
	e->overlay.modifiers = e->overlay.direct = 0;
}

/* A press that gives no key but modifiers, or nothing at all, would leave those held with it alone.
 */
static void swallow(struct lurk_engine *e, uint16_t keyboard)
{
	if (e->held && e->modifier_at == e->presses)
		tap_unknown(e, keyboard);
}

/* One step, held as long as its source. */
static void hold_step(struct lurk_engine *e, uint16_t keyboard, struct lurk_held *source,
		      struct lurk_step step, uint8_t lifted)
{
	int place = place_of(step.key);
	uint8_t keys = keys_for(step.modifiers, e->held);

	if (place >= 0)
		keys = (uint8_t)(keys | 1U << place);
	begin_overlay(e, keyboard, source->code, source->kind);
	lift(e, lifted & (uint8_t)~keys);
	if (place >= 0) { /* modifiers alone count as if they were pressed themselves */
		swallow(e, keyboard);
		source->modifiers = keys;
		hold_modifiers(e, keyboard, keys);
		return;
	}
	press_for_overlay(e, keyboard, keys);
	press_anew(e, keyboard, step.key);
	source->gave = step.key;
}

/* ---- Typing --------------------------------------------------------------------------------- */

static struct lurk_step step_at(const uint8_t *steps, unsigned index)
{
	return lurk_step_read(steps + (size_t)index * LURK_STEP_BYTES);
}

static bool any_locks(const struct lurk_action *action)
{
	for (unsigned i = 0; i < action->step_count; i++) {
		if (step_at(action->steps, i).modifiers & LURK_STEP_LOCKS)
			return true;
	}
	return false;
}

static void start_typing(struct lurk_engine *e, uint16_t keyboard, const struct lurk_held *source,
			 const struct lurk_action *action, uint8_t lifted, bool locked)
{
	e->typing = (struct lurk_typing){
		.active = true,
		.locked = locked,
		.hold_last = action->gives == LURK_GIVES_CHORDS,
		.lift = lifted,
		.keyboard = keyboard,
		.count = action->step_count,
		.code = source->code,
		.kind = source->kind,
		.steps = action->steps,
	};
	begin_overlay(e, keyboard, source->code, source->kind);
}

/* Keys that are held would repeat between the letters: they go up, and mean nothing any more. A
 * frame at a time; true where there was one to send. */
static bool let_keys_go(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;

	for (; t->letting_go < e->keyboard_count; t->letting_go++) {
		struct lurk_engine_keyboard *k = &e->keyboards[t->letting_go];

		for (unsigned i = 0; k->held_count && !k->silent && i < LURK_HELD_SLOTS; i++) {
			if (!k->held[i].used || !k->held[i].gave)
				continue;
			release(e, t->letting_go, k->held[i].gave);
			k->held[i].gave = LURK_KEY_NONE;
			if (e->open == LURK_FRAME_STROKES)
				return true;
		}
		if (e->open)
			return true;
	}
	return false;
}

static void tap_caps_lock(struct lurk_engine *e)
{
	press(e, e->typing.keyboard, LURK_KEY_CAPSLOCK);
	close_frame(e);
	release(e, e->typing.keyboard, LURK_KEY_CAPSLOCK);
}

static void press_step(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;
	struct lurk_step step = step_at(t->steps, t->next);

	for (unsigned i = 0; step.modifiers & LURK_STEP_HOLD; i++) {
		t->holds[i] = step.key;
		press(e, t->keyboard, step.key);
		step = step_at(t->steps, ++t->next);
	}
	press_for_overlay(e, t->keyboard, keys_for(step.modifiers, e->held & (uint8_t)~t->lift));
	press(e, t->keyboard, step.key);
	t->down = step.key;
	t->next++;
}

static void release_step(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;

	release(e, t->keyboard, t->down);
	t->down = LURK_KEY_NONE;
	release_overlay(e);
	for (unsigned i = 0; i < LURK_STEP_HOLDS; i++) {
		release(e, t->keyboard, t->holds[i]);
		t->holds[i] = LURK_KEY_NONE;
	}
}

/* The last of a row is held as long as what was pressed for it: whose release waits behind. */
static void hold_last(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;
	struct lurk_engine_keyboard *k = &e->keyboards[t->keyboard];
	struct lurk_held *source = &k->held[held_slot(k, t->code, t->kind)];

	const int place = place_of(t->down);

	t->active = false;
	if (source->used && place < 0) {
		source->gave = t->down;
		return;
	}
	if (source->used) { /* they count as held, as long as the key is */
		source->modifiers = (uint8_t)(1U << place | e->overlay.modifiers);
		hold_modifiers(e, t->keyboard, source->modifiers);
	}
	release_step(e);
	end_overlay(e);
}

static void type_on(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;

	switch ((enum phase)t->phase) {
	case LET_GO:
		if (let_keys_go(e))
			return;
		t->phase = LIFT;
		break;
	case LIFT:
		lift(e, t->lift);
		t->phase = t->locked ? UNLOCK : PRESS;
		break;
	case UNLOCK:
		tap_caps_lock(e);
		t->phase = PRESS;
		break;
	case PRESS:
		press_step(e);
		t->phase = RELEASE;
		if (t->next == t->count && t->hold_last)
			hold_last(e);
		break;
	case RELEASE:
		release_step(e);
		t->phase = t->next < t->count ? PRESS : t->locked ? LOCK_AGAIN : RESTORE;
		break;
	case LOCK_AGAIN:
		tap_caps_lock(e);
		t->phase = RESTORE;
		break;
	case RESTORE:
		t->active = false;
		end_overlay(e);
		break;
	}
}

bool lurk_engine_types_from(const struct lurk_engine *engine, const void *bytes, size_t size)
{
	const struct lurk_typing *t = &engine->typing;

	return t->active && (uintptr_t)t->steps - (uintptr_t)bytes < size;
}

void lurk_engine_cancel(struct lurk_engine *engine)
{
	struct lurk_typing *t = &engine->typing;

	if (!t->active)
		return;
	close_frame(engine);
	if (t->down)
		release_step(engine);
	if (t->locked && t->phase > UNLOCK && t->phase < RESTORE)
		tap_caps_lock(engine);
	t->active = false;
	end_overlay(engine);
	close_frame(engine);
}

/* ---- What a press gives --------------------------------------------------------------------- */

/* The modifier keys that belong to the press: all that are held of either side. */
static uint8_t belonging(const struct lurk_engine *e, uint16_t modifiers)
{
	return (uint8_t)((modifiers | (modifiers >> 8 & 0xf) | (modifiers >> 8 & 0xf) << 4) &
			 e->held);
}

static void give_typed(struct lurk_engine *e, uint16_t keyboard, struct lurk_held *source,
		       const struct lurk_action *action)
{
	enum { LEVELS = LURK_MOD_LEFT_SHIFT | LURK_MOD_RIGHT_SHIFT | LURK_MOD_RIGHT_ALT };
	bool text = action->gives == LURK_GIVES_TEXT;
	bool locked = text && e->caps_lock && any_locks(action) && e->caps_lock(e->caps_lock_data);
	uint8_t lifted = belonging(e, action->modifiers);

	if (action->step_count > 1 || locked) {
		start_typing(e, keyboard, source, action, text ? LURK_MOD_SIDES : lifted, locked);
		return;
	}
	/* One character is a key: it can be held, and Control with it is Control with it. */
	hold_step(e, keyboard, source, step_at(action->steps, 0), lifted | (text ? LEVELS : 0));
}

/* What is more than a key whatever is held. */
static RARE void give_more(struct lurk_engine *e, uint16_t keyboard, struct lurk_held *source,
			   const struct lurk_action *action)
{
	switch (action->gives) {
	case LURK_GIVES_CHORDS:
	case LURK_GIVES_TEXT:
		give_typed(e, keyboard, source, action);
		break;
	case LURK_GIVES_PROFILE:
	case LURK_GIVES_TOGGLE:
		e->wish = (struct lurk_wish){action->gives, action->key};
		swallow(e, keyboard);
		break;
	case LURK_GIVES_KEY:
		hold_step(e, keyboard, source, (struct lurk_step){action->key, 0},
			  belonging(e, action->modifiers));
		break;
	default:
		swallow(e, keyboard);
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
	place = place_of(key);
	if (place >= 0) {
		source->modifiers = (uint8_t)(1U << place);
		hold_modifiers(e, keyboard, source->modifiers);
	} else if (key) {
		source->gave = key;
		if (e->keyboards[keyboard].down[key]++ == 0) {
			e->presses++;
			stroke(e, keyboard, key, LURK_DOWN);
		}
	} else if (pressed) { /* a rule has made it nothing; a key without a name is nothing */
		swallow(e, keyboard);
	}
}

static inline void take_back(struct lurk_engine *e, uint16_t keyboard,
			     const struct lurk_held *source)
{
	release(e, keyboard, source->gave);
	if (source->modifiers)
		let_modifiers_go(e, keyboard, source->modifiers);
	if (e->overlay.active && e->overlay.keyboard == keyboard &&
	    e->overlay.code == source->code && e->overlay.kind == source->kind)
		end_overlay(e);
}

/* ---- Events in ----------------------------------------------------------------------------- */

/* A key that never comes up: its every press may come as a repeat. */
static RARE void tap(struct lurk_engine *e, uint16_t keyboard, const struct lurk_key_event *key,
		     const struct lurk_action *action)
{
	struct lurk_held source = {key->scan.code, key->scan.kind, true, 0, LURK_KEY_NONE};

	end_overlay(e);
	give(e, keyboard, &source, action, key->key);
	close_frame(e);
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
	struct lurk_held *slot = &k->held[held_slot(k, code, key->scan.kind)];

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
	end_overlay(e);
	*slot = (struct lurk_held){code, key->scan.kind, true, 0, LURK_KEY_NONE};
	k->held_count++;
	give(e, keyboard, slot, action, key->key);
}

static inline void key_up(struct lurk_engine *e, uint16_t keyboard, uint32_t code, uint8_t kind)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	uint32_t slot = held_slot(k, code, kind);
	struct lurk_held source = k->held[slot];

	if (!source.used)
		return; /* pressed before the engine was there */
	forget(k, slot);
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
		close_frame(engine);
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
		close_frame(engine);
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
	struct lurk_held *slot = &k->held[held_slot(k, code, key->scan.kind)];
	int place = place_of(gave);

	if (place < 0 || slot->used || k->held_count == LURK_HELD_MAX)
		return;
	*slot = (struct lurk_held){code, key->scan.kind, true, (uint8_t)(1U << place),
				   LURK_KEY_NONE};
	k->held_count++;
	/* Text that is being typed has lifted it, as it has lifted all others. */
	if (engine->typing.active && engine->typing.lift >> place & 1 &&
	    engine->typing.phase > LIFT && !k->held_modifiers[place] && !k->down[gave] &&
	    engine->lifted_count < LURK_LIFTED_MAX) {
		k->held_modifiers[place] = k->down[gave] = 1;
		if (engine->givers[place]++ == 0)
			engine->held |= (uint8_t)(1U << place);
		k->guarded |= (uint8_t)(1U << place);
		k->lifted |= (uint8_t)(1U << place);
		engine->lifted_count++;
		return;
	}
	hold_modifiers(engine, keyboard, slot->modifiers);
	close_frame(engine);
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

/* Whether a modifier of the overlay is pressed on the keyboard. */
static bool lends(const struct lurk_overlay *o, uint16_t keyboard)
{
	for (unsigned place = 0; o->modifiers >> place; place++) {
		if (o->modifiers >> place & 1 && o->homes[place] == keyboard)
			return true;
	}
	return false;
}

void lurk_engine_release(struct lurk_engine *engine, uint16_t keyboard)
{
	struct lurk_engine_keyboard *k = &engine->keyboards[keyboard];

	close_frame(engine);
	if (engine->typing.keyboard == keyboard)
		lurk_engine_cancel(engine);
	drop_pending(engine, keyboard);
	if (lends(&engine->overlay, keyboard))
		release_overlay(engine);
	if (forget_modifiers(engine, k))
		tap_unknown(engine, keyboard);
	if (engine->overlay.keyboard == keyboard)
		end_overlay(engine);
	close_frame(engine);
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
		type_on(e);
		close_frame(e);
		/* A key goes up at once. */
		if (e->waiting && e->typing.phase != RELEASE)
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
	    (engine->overlay.active &&
	     (engine->overlay.keyboard == keyboard || lends(&engine->overlay, keyboard))) ||
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
