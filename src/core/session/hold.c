/* Taking keyboards and giving them back, for as many reasons as there are; what is listened to on
 * those that are free, and their tables. */
#include "core/session/parts.h"

#include "core/assert.h"
#include "core/hot.h"
#include "core/mem.h"

/* ---- Tables --------------------------------------------------------------------------------- */

/* Brings one table entry to what it shall be. While its key is held the kernel would send no
 * release for what it gave; so that waits for the key to come up. A key that is disabled, or shall
 * be, may be stuck and never come up: it is released first. */
static enum lurk_error settle_entry(struct lurk_session *s, uint16_t number, uint16_t index)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	const struct lurk_keymap *keymap = k->choice.way == LURK_WAY_TABLE ? k->keymap : NULL;
	struct lurk_table_entry entry;
	enum lurk_error error = s->port->calls->table_get(s->port, number, index, &entry);
	lurk_key want;

	if (error)
		return error;
	want = lurk_way_entry(keymap, &entry);
	if (want == entry.key)
		return LURK_OK;
	if (!k->taken && s->port->calls->is_down(s->port, number, index)) {
		if (want != LURK_KEY_UNKNOWN && entry.key != LURK_KEY_UNKNOWN) {
			k->unsettled = entry.original ? entry.original : entry.key;
			return LURK_OK;
		}
		error = s->port->calls->release(s->port, number, index);
		if (error)
			return error;
	}
	return s->port->calls->table_set(s->port, number, index, want);
}

enum lurk_error lurk_hold_settle(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	if (k->taken && k->choice.way == LURK_WAY_TABLE)
		return LURK_OK; /* once it is given back: no key goes by both at once */
	/* A key that comes up between the first look and the listening is seen by the second. */
	for (int look = 0; look < 2; look++) {
		k->unsettled = LURK_KEY_NONE;
		for (uint16_t i = 0; i < k->info.table_entries; i++) {
			enum lurk_error error = settle_entry(s, number, i);

			if (error)
				return error;
		}
		lurk_hold_listen(s, number);
		if (!k->unsettled)
			break;
	}
	return LURK_OK;
}

/* ---- What is listened to -------------------------------------------------------------------- */

/* Whether what some other keyboard gives depends on modifiers held on this one. */
static bool others_mind(const struct lurk_session *s, uint16_t number)
{
	const struct lurk_engine_keyboard *const engines = s->memory.engine_keyboards;

	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &s->memory.keyboards[i];

		if (i != number && k->present && engines[i].engine == engines[number].engine &&
		    k->choice.way == LURK_WAY_RELAY && k->keymap && k->keymap->minds_modifiers)
			return true;
	}
	return false;
}

lurk_key lurk_hold_modifier(const struct lurk_session_keyboard *k, lurk_key key)
{
	enum lurk_wiring wiring = (enum lurk_wiring)k->info.identity.wiring;

	if (k->keymap)
		key = lurk_action_key(
			lurk_keymap_find(k->keymap, lurk_key_scan_on(key, wiring), key), key);
	return lurk_modifier_place(key) >= 0 ? key : (lurk_key)LURK_KEY_NONE;
}

/* All keys are listened to while somebody watches or a table entry waits, and until one was
 * pressed; then those of the off chord, where there is something to switch, and modifiers where
 * they matter elsewhere. */
void lurk_hold_listen(struct lurk_session *s, uint16_t number)
{
	const struct lurk_session_keyboard *k = lurk_session_at(s, number);
	lurk_key keys[LURK_LISTEN_KEYS];
	unsigned count = k->chord.count;

	if (k->taken)
		return; /* all of it is heard */
	memcpy(keys, k->chord.keys, sizeof k->chord.keys);
	if (!others_mind(s, number)) {
		/* What is held there would never be seen to come up. */
		lurk_engine_release(lurk_session_engine_of(s, number), number);
		lurk_session_send(s);
	} else {
		for (lurk_key key = lurk_key_next(0); key && count < LURK_LISTEN_KEYS;
		     key = lurk_key_next(key)) {
			if (lurk_declares(&k->info, key) && lurk_hold_modifier(k, key))
				keys[count++] = key;
		}
	}
	if (s->watch || k->unsettled || k->waits || !k->used)
		count = LURK_LISTEN_ALL;
	if (s->port->calls->listen)
		s->port->calls->listen(s->port, number, keys, count);
}

void lurk_hold_listen_all(struct lurk_session *s)
{
	for (uint16_t i = 0; i < s->numbers; i++) {
		if (lurk_session_at(s, i)->present)
			lurk_hold_listen(s, i);
	}
}

/* ---- Taking and giving back ----------------------------------------------------------------- */

enum lurk_error lurk_hold_prepare(struct lurk_session *s, uint16_t number, bool fresh)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	const uint64_t now = s->port->calls->elapsed(s->port);
	enum lurk_error error = LURK_OK;

	k->open_us = now;
	if (s->port->calls->stand_in) {
		error = s->port->calls->stand_in(s->port, number);
		k->open_us = error ? LURK_NEVER : fresh ? now : now + LURK_OPENING_US;
	}
	return error;
}

/* Whether what is pressed on it is nobody's but the watch's. */
static bool swallows(const struct lurk_session_keyboard *k)
{
	return k->holds & (LURK_HOLD_CHORD | LURK_HOLD_WITHHELD);
}

/* What is held goes on: a modifier counts before it is released where it was pressed. */
void lurk_hold_inherit(struct lurk_session *s, uint16_t number, const struct lurk_key_event *key,
		       lurk_key gave)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	if (!swallows(k)) {
		lurk_engine_inherit(lurk_session_engine_of(s, number), number, key, gave);
		lurk_session_send(s);
	} else if (!k->ending && lurk_modifier_place(gave) >= 0) {
		/* Lest programs take a modifier that goes up for one that was tapped alone. */
		lurk_session_tap(s, number, LURK_KEY_UNKNOWN);
	}
	k->ending = true;
}

enum lurk_error lurk_hold_end(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	enum lurk_error error = LURK_OK;

	if (k->ending && k->taken && s->port->calls->end_held)
		error = s->port->calls->end_held(s->port, number);
	k->ending = error == LURK_ERR_WAIT;
	s->ending = s->ending || k->ending;
	return k->ending ? LURK_OK : error;
}

static void given_back(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	k->taken = k->ending = false;
	s->changes++;
	lurk_engine_release(lurk_session_engine_of(s, number), number);
	lurk_session_send(s);
	lurk_engine_silence(lurk_session_engine_of(s, number), number, true);
	lurk_chord_reset(&k->chord);
}

/* Sets `waits` where it cannot be yet. */
static enum lurk_error take_when_open(struct lurk_session *s, uint16_t number,
				      struct lurk_taken_held *held)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	const uint64_t now = s->port->calls->elapsed(s->port);
	const bool waited = k->waits && k->due_us > k->open_us;
	enum lurk_error error = LURK_ERR_WAIT;
	bool at_once;

	if (now < k->open_us) {
		k->due_us = k->open_us;
	} else {
		if (!waited)
			k->due_us = now + LURK_PATIENCE_US;
		at_once = now >= k->due_us || k->holds & (LURK_HOLD_CHORD | LURK_HOLD_LENT);
		error = s->port->calls->take(s->port, number, at_once, held);
	}
	k->waits = error == LURK_ERR_WAIT;
	if (k->waits)
		lurk_hold_listen(s, number);
	return error;
}

static enum lurk_error take(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	struct lurk_taken_held held = {.count = 0};
	enum lurk_error error = LURK_OK;

	if (k->open_us == LURK_NEVER)
		error = lurk_hold_prepare(s, number, false);
	if (!error) {
		error = take_when_open(s, number, &held);
		if (k->waits)
			return LURK_OK;
	}
	if (error)
		return error;
	/* What counted while it was free is among what is told to be held. */
	lurk_engine_release(lurk_session_engine_of(s, number), number);
	lurk_session_send(s);
	lurk_engine_silence(lurk_session_engine_of(s, number), number, false);
	k->taken = true;
	s->changes++;
	for (unsigned i = 0; i < held.count; i++)
		lurk_hold_inherit(s, number, &held.keys[i], held.gave[i]);
	error = lurk_hold_end(s, number);
	if (error) {
		s->port->calls->give_back(s->port, number, true);
		given_back(s, number);
	}
	return error;
}

/* Not in the midst of typing: on a kernel it takes a while until all programs read it again. */
static bool is_idle(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	const uint64_t now = s->port->calls->now(s->port);

	if (now < k->last_us || now - k->last_us >= LURK_IDLE_US)
		return true;
	k->due_us = s->port->calls->elapsed(s->port) + LURK_IDLE_US - (now - k->last_us);
	return false;
}

static enum lurk_error give_back(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	k->due_us = LURK_NEVER;
	if (lurk_engine_needs(lurk_session_engine_of(s, number), number) || !is_idle(s, number) ||
	    s->port->calls->give_back(s->port, number, false) == LURK_ERR_WAIT) {
		s->returning = true; /* asked again after the next event, or when it is due */
		return LURK_OK;
	}
	given_back(s, number);
	return lurk_hold_settle(s, number);
}

enum lurk_error lurk_hold_reconcile(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	lurk_assert(k->present);
	if (k->holds && !k->taken)
		return take(s, number);
	k->waits = false;
	if (!k->holds && k->taken)
		return give_back(s, number);
	return LURK_OK;
}

enum lurk_error lurk_hold(struct lurk_session *s, uint16_t number, enum lurk_hold why, bool begins)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	enum lurk_error error;

	k->holds = (uint8_t)(begins ? k->holds | why : k->holds & ~(unsigned)why);
	error = lurk_hold_reconcile(s, number);
	if (error) {
		k->holds = (uint8_t)(k->holds & ~(unsigned)why);
		k->waits = !k->taken && k->holds; /* other reasons are tried again */
		k->due_us = s->port->calls->elapsed(s->port) + LURK_PATIENCE_US;
	}
	return error;
}

void lurk_hold_drop(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	lurk_engine_release(lurk_session_engine_of(s, number), number);
	lurk_session_send(s);
	s->lent = (uint16_t)(s->lent - ((k->holds & LURK_HOLD_LENT) != 0));
	k->holds = 0;
	k->waits = false;
	if (!k->taken)
		return;
	s->port->calls->give_back(s->port, number, true);
	given_back(s, number);
}

/* ---- Modifiers held on a keyboard that is free ------------------------------------------------
 *
 * They can only be lifted where the relay gives them. So it is taken, with what is held on it,
 * until that comes up. */

static bool lifts(const struct lurk_action *action)
{
	return (action->modifiers && action->gives == LURK_GIVES_KEY) || action->steps.length;
}

HOT void lurk_hold_lend(struct lurk_session *s, const struct lurk_event *event)
{
	const struct lurk_keymap *keymap = lurk_session_at(s, event->keyboard)->keymap;
	const struct lurk_engine *engine = lurk_session_engine_of(s, event->keyboard);
	const uint8_t held = lurk_engine_modifiers(engine);

	if (event->key.state != LURK_DOWN || !held || !keymap || !keymap->minds_modifiers ||
	    !lifts(lurk_keymap_find_held(keymap, event->key.scan, event->key.key, held)))
		return;
	for (uint16_t i = 0; i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);

		if (!k->present || k->taken || lurk_session_engine_of(s, i) != engine ||
		    !lurk_engine_held(engine, i) || lurk_hold(s, i, LURK_HOLD_LENT, true))
			continue;
		if (k->waits) /* too young: its modifiers stay where they are */
			lurk_hold(s, i, LURK_HOLD_LENT, false);
		else
			s->lent++;
	}
}
