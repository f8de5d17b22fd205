/* Text and rows of chords, typed a step at a time.
 *
 * The states, what holds in each, and what comes next:
 *
 *     LET_GO      keys that are held go up, and mean nothing any more, since they
 *                 would repeat between the letters; nothing is lifted yet
 *                     then LIFT
 *     LIFT        all that is to be lifted goes up at once
 *                     then UNLOCK, or PRESS
 *     UNLOCK      Caps Lock is on, and a step minds: it is tapped
 *                     then PRESS
 *     PRESS       nothing of a step is down; modifiers are lifted
 *                     then RELEASE; or done, where the last is held with its source
 *     RELEASE     `down`, what it holds and its modifiers are down
 *                     then PRESS, or the end
 *     LOCK_AGAIN  as PRESS, all steps done, and Caps Lock was on
 *                     then RESTORE
 *     RESTORE     what was lifted is back, and the overlay ends
 *                     then not active
 *
 * From LIFT to RESTORE no event is dealt with: so no key is down but those of the step, and no
 * modifier but those of the step. lurk_engine_cancel() goes from any of them to the end by itself.
 */
#include "core/engine/parts.h"

/* What typing does next. */
enum phase { LET_GO, LIFT, UNLOCK, PRESS, RELEASE, LOCK_AGAIN, RESTORE };

/* ---- Typing --------------------------------------------------------------------------------- */

static struct lurk_step step_at(const uint8_t *steps, unsigned index)
{
	return lurk_step_read(steps + (size_t)index * LURK_STEP_BYTES);
}

static bool any_locks(const uint8_t *steps, unsigned count)
{
	for (unsigned i = 0; i < count; i++) {
		if (step_at(steps, i).modifiers & LURK_STEP_LOCKS)
			return true;
	}
	return false;
}

static void start_typing(struct lurk_engine *e, uint16_t keyboard,
			 const struct lurk_engine_source *source, const struct lurk_action *action,
			 struct lurk_text steps, uint8_t lifted, bool locked)
{
	e->typing = (struct lurk_typing){
		.active = true,
		.locked = locked,
		.hold_last = action->gives == LURK_GIVES_CHORDS,
		.lift = lifted,
		.keyboard = keyboard,
		.count = (uint16_t)(steps.length / LURK_STEP_BYTES),
		.code = source->code,
		.kind = source->kind,
		.steps = (const uint8_t *)steps.bytes,
	};
	lurk_overlay_begin(e, keyboard, source->code, source->kind);
}

/* Keys that are held would repeat between the letters: they go up, and mean nothing any more. A
 * frame at a time; true where there was one to send. */
static bool let_keys_go(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;

	for (; t->letting_go < e->keyboard_count; t->letting_go++) {
		struct lurk_engine_keyboard *k = &e->keyboards[t->letting_go];

		for (unsigned i = 0; k->held_count && lurk_reaches(e, k) && i < LURK_SOURCES; i++) {
			if (!k->sources[i].down || !k->sources[i].gave)
				continue;
			lurk_release_out(e, t->letting_go, k->sources[i].gave);
			k->sources[i].gave = LURK_KEY_NONE;
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
	lurk_press_out(e, e->typing.keyboard, LURK_KEY_CAPSLOCK);
	lurk_close_frame(e);
	lurk_release_out(e, e->typing.keyboard, LURK_KEY_CAPSLOCK);
}

static void press_step(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;
	struct lurk_step step = step_at(t->steps, t->next);

	for (unsigned i = 0; step.modifiers & LURK_STEP_HOLD; i++) {
		t->holds[i] = step.key;
		lurk_press_out(e, t->keyboard, step.key);
		step = step_at(t->steps, ++t->next);
	}
	lurk_overlay_press(e, t->keyboard,
			   lurk_overlay_keys(step.modifiers, e->held & (uint8_t)~t->lift));
	lurk_press_out(e, t->keyboard, step.key);
	t->down = step.key;
	t->next++;
}

static void release_step(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;

	lurk_release_out(e, t->keyboard, t->down);
	t->down = LURK_KEY_NONE;
	lurk_overlay_release(e);
	for (unsigned i = 0; i < LURK_STEP_HOLDS; i++) {
		lurk_release_out(e, t->keyboard, t->holds[i]);
		t->holds[i] = LURK_KEY_NONE;
	}
}

/* The last of a row is held as long as what was pressed for it: whose release waits behind. */
static void hold_last(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;
	struct lurk_engine_keyboard *k = &e->keyboards[t->keyboard];
	struct lurk_engine_source *source = lurk_source_find(k, t->code, t->kind);

	const int place = lurk_place_of(t->down);

	t->active = false;
	if (source->down && place < 0) {
		source->gave = t->down;
		return;
	}
	if (source->down) { /* they count as held, as long as the key is */
		source->modifiers = (uint8_t)(1U << place | e->overlay.modifiers);
		lurk_lift_hold(e, t->keyboard, source->modifiers);
	}
	release_step(e);
	lurk_overlay_end(e);
}

static void verify(const struct lurk_engine *e)
{
	const struct lurk_typing *t = &e->typing;

	lurk_assert(t->active && t->next <= t->count && t->steps);
	lurk_assert(t->keyboard < e->keyboard_count);
	lurk_assert((t->phase == RELEASE) == (t->down != LURK_KEY_NONE));
	lurk_assert(!t->down || e->keyboards[t->keyboard].down[t->down]);
	lurk_assert(t->phase > LIFT || !e->overlay.modifiers);
	lurk_assert(t->locked || (t->phase != UNLOCK && t->phase != LOCK_AGAIN));
}

void lurk_typing_go_on(struct lurk_engine *e)
{
	struct lurk_typing *t = &e->typing;

	verify(e);
	switch ((enum phase)t->phase) {
	case LET_GO:
		if (let_keys_go(e))
			return;
		t->phase = LIFT;
		break;
	case LIFT:
		lurk_lift_modifiers(e, t->lift);
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
		lurk_overlay_end(e);
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
	lurk_close_frame(engine);
	if (t->down)
		release_step(engine);
	if (t->locked && t->phase > UNLOCK && t->phase < RESTORE)
		tap_caps_lock(engine);
	if (!t->next) /* what was pressed for it has given nothing at all */
		lurk_overlay_swallow(engine, t->keyboard);
	t->active = false;
	lurk_overlay_end(engine);
	lurk_close_frame(engine);
}

/* Those of a text for the layout that is active now. */
static struct lurk_text active_steps(const struct lurk_engine *e, uint16_t keyboard,
				     const struct lurk_action *action)
{
	return lurk_steps_for(action->steps, e->layout ? e->layout(e->asked, keyboard) : 0);
}

void lurk_typing_give(struct lurk_engine *e, uint16_t keyboard, struct lurk_engine_source *source,
		      const struct lurk_action *action)
{
	enum { LEVELS = LURK_MOD_LEFT_SHIFT | LURK_MOD_RIGHT_SHIFT | LURK_MOD_RIGHT_ALT };
	const bool text = action->gives == LURK_GIVES_TEXT;
	const struct lurk_text steps = text ? active_steps(e, keyboard, action) : action->steps;
	const uint8_t *bytes = (const uint8_t *)steps.bytes;
	const unsigned count = (unsigned)(steps.length / LURK_STEP_BYTES);
	bool locked =
		text && e->caps_lock && any_locks(bytes, count) && e->caps_lock(e->asked, keyboard);
	uint8_t lifted = lurk_belonging(e, action->modifiers);

	if (!count) /* the layout that is active has no keys for it: nothing wrong is typed */
		lurk_overlay_swallow(e, keyboard);
	else if (count > 1 || locked)
		start_typing(e, keyboard, source, action, steps, text ? LURK_MOD_SIDES : lifted,
			     locked);
	else /* a character is a key: it can be held, and Control with it is Control with it */
		lurk_overlay_hold(e, keyboard, source, step_at(bytes, 0),
				  lifted | (text ? LEVELS : 0));
}

bool lurk_typing_lifts(const struct lurk_engine *e, uint8_t modifiers)
{
	return e->typing.active && e->typing.lift & modifiers && e->typing.phase > LIFT;
}

bool lurk_typing_releases(const struct lurk_engine *e)
{
	return e->typing.phase == RELEASE;
}
