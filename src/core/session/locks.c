/* Locks whose key the rules take away: nobody could turn one off that is on. */
#include "core/session/parts.h"

lurk_key lurk_lock_key(enum lurk_lock lock)
{
	static const lurk_key keys[LURK_LOCK_COUNT] = {
		[LURK_LOCK_NUM] = LURK_KEY_NUMLOCK,
		[LURK_LOCK_CAPS] = LURK_KEY_CAPSLOCK,
		[LURK_LOCK_SCROLL] = LURK_KEY_SCROLLLOCK,
	};

	return keys[lock];
}

bool lurk_is_lock(lurk_key key)
{
	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		if (key == lurk_lock_key((enum lurk_lock)lock))
			return true;
	}
	return false;
}

static bool gives(const struct lurk_session_keyboard *k, const struct lurk_keymap *keymap,
		  lurk_key wanted)
{
	if (!keymap)
		return lurk_declares(&k->info, wanted);
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		lurk_scan scan = lurk_key_scan_on(key, (enum lurk_wiring)k->info.identity.wiring);

		if (!lurk_declares(&k->info, key))
			continue;
		if (lurk_action_key(lurk_keymap_find(keymap, scan, key), key) == wanted)
			return true;
	}
	return false;
}

/* By the stand-in, which declares every key and is open everywhere: the keyboard itself may have
 * lost the key to its table. In one frame, so that it is not left down where sending fails. */
enum lurk_error lurk_session_tap(struct lurk_session *s, uint16_t number, lurk_key key)
{
	const struct lurk_frame frame = {
		.keyboard = number, .count = 2, .strokes = {{key, LURK_DOWN}, {key, LURK_UP}}};

	return s->port->calls->send(s->port, &frame);
}

/* Locks are a seat's: whether a keyboard is one of those of an engine. */
static bool is_of(struct lurk_session *s, const struct lurk_engine *engine, uint16_t number)
{
	return lurk_session_at(s, number)->present && lurk_session_engine_of(s, number) == engine;
}

/* Whether some keyboard gives a key, now or by the plans; and one that does. */
static bool any_gives(struct lurk_session *s, const struct lurk_engine *engine, bool planned,
		      lurk_key wanted, uint16_t *giver)
{
	for (uint16_t i = 0; i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);

		*giver = i;
		if (is_of(s, engine, i) && gives(k, planned ? k->plan.keymap : k->keymap, wanted))
			return true;
	}
	return false;
}

static void turn_off(struct lurk_session *s, const struct lurk_engine *engine,
		     struct lurk_apply_report *report)
{
	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		lurk_key key = lurk_lock_key((enum lurk_lock)lock);
		uint8_t bit = (uint8_t)(1U << lock), known = 0, lit = 0;
		uint16_t giver, unused;

		if (any_gives(s, engine, true, key, &unused) ||
		    !any_gives(s, engine, false, key, &giver))
			continue;
		for (uint16_t i = 0; i < s->numbers; i++) {
			if (!is_of(s, engine, i))
				continue;
			known |= lurk_session_at(s, i)->info.locks;
			lit |= lurk_port_lit(s->port, i);
		}
		if (!(known & bit))
			report->locks_unknown |= bit;
		if (lit & bit && lurk_session_tap(s, giver, key) == LURK_OK)
			report->locks_pressed |= bit;
	}
}

void lurk_locks_turn_off(struct lurk_session *s, struct lurk_apply_report *report)
{
	for (unsigned i = 0; i < s->engines; i++)
		turn_off(s, lurk_session_engine(s, i), report);
}

bool lurk_locks_caps_stays(struct lurk_session *s, uint16_t number)
{
	const struct lurk_session_keyboard *k = lurk_session_at(s, number);
	uint16_t giver;

	return lurk_port_lit(s->port, number) >> LURK_LOCK_CAPS & 1 &&
	       gives(k, NULL, LURK_KEY_CAPSLOCK) && k->open_us != LURK_NEVER &&
	       !any_gives(s, lurk_session_engine_of(s, number), false, LURK_KEY_CAPSLOCK, &giver);
}

void lurk_locks_caps_off(struct lurk_session *s, uint16_t number)
{
	if (lurk_locks_caps_stays(s, number))
		lurk_session_tap(s, number, LURK_KEY_CAPSLOCK);
}
