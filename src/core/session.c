#include "lurk/session.h"

#include "core/mem.h"

static struct lurk_session_keyboard *keyboard_at(struct lurk_session *s, uint16_t number)
{
	return &s->memory.keyboards[number];
}

const struct lurk_image *lurk_session_image(const struct lurk_session *session)
{
	const struct lurk_ruleset *current = &session->rulesets[session->current];

	return current->loaded ? &current->image : NULL;
}

uint16_t lurk_session_profile(const struct lurk_session *session)
{
	return session->rulesets[session->current].profile;
}

/* ---- Keymaps ------------------------------------------------------------------------------- */

/* The keymap of a ruleset for a keyboard: equal keyboards share one. */
static enum lurk_error keymap_for(struct lurk_session *s, unsigned which, uint16_t described,
				  uint8_t wiring, const struct lurk_keymap **keymap,
				  struct lurk_compile_report *report)
{
	struct lurk_ruleset *set = &s->rulesets[which];
	struct lurk_compile_job job = {&set->image, set->profile, described, wiring, s->off};
	struct lurk_keymap *fresh;
	enum lurk_error error;

	for (unsigned i = 0; i < set->keymap_count; i++) {
		if (set->keymaps[i].described == described && set->keymaps[i].wiring == wiring &&
		    set->keymaps[i].profile == set->profile &&
		    set->keymaps[i].toggles_only == s->off) {
			*keymap = set->keymaps[i].keymap;
			return LURK_OK;
		}
	}
	if (set->keymap_count == LURK_SESSION_KEYMAPS)
		return LURK_ERR_ROOM;
	error = lurk_compile(&job, (uint8_t *)s->memory.keymaps[which] + set->keymap_used,
			     s->memory.keymap_size - set->keymap_used, &fresh, report);
	if (error)
		return error;
	set->keymaps[set->keymap_count].described = described;
	set->keymaps[set->keymap_count].wiring = wiring;
	set->keymaps[set->keymap_count].profile = set->profile;
	set->keymaps[set->keymap_count].toggles_only = s->off;
	set->keymaps[set->keymap_count].keymap = fresh;
	set->keymap_count++;
	set->keymap_used += (report->needed + 15) & ~(size_t)15;
	*keymap = fresh;
	return LURK_OK;
}

/* ---- Into force ---------------------------------------------------------------------------- */

/* No clock is asked unless text is typed. */
static void send_frames(struct lurk_session *s)
{
	uint64_t now_us = lurk_engine_types(&s->engine) ? s->port->class->elapsed(s->port) : 0;
	struct lurk_frame frame;

	while (lurk_engine_pull(&s->engine, now_us, &frame))
		s->port->class->send(s->port, &frame);
}

static enum lurk_error send_stroke(struct lurk_session *s, uint16_t number, lurk_key key,
				   enum lurk_state state)
{
	const struct lurk_frame frame = {
		.keyboard = number, .count = 1, .strokes = {{key, (uint8_t)state}}};

	return s->port->class->send(s->port, &frame);
}

static enum lurk_error send_tap(struct lurk_session *s, uint16_t number, lurk_key key)
{
	enum lurk_error error = send_stroke(s, number, key, LURK_DOWN);

	return error ? error : send_stroke(s, number, key, LURK_UP);
}

/* Forgets what is held on a keyboard and releases all that it gave. */
static void let_go(struct lurk_session *s, uint16_t number)
{
	lurk_engine_release(&s->engine, number);
	send_frames(s);
}

/* Brings one table entry to what it shall be. While its key is held the kernel would send no
 * release for what it gave; so that waits for the key to come up. A key that is disabled, or shall
 * be, may be stuck and never come up: it is released first. */
static enum lurk_error settle_entry(struct lurk_session *s, uint16_t number, uint16_t index,
				    bool in_table)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	struct lurk_table_entry entry;
	enum lurk_error error = s->port->class->table_get(s->port, number, index, &entry);
	lurk_key want;

	if (error)
		return error;
	want = lurk_way_entry(in_table ? k->keymap : NULL, &entry);
	if (want == entry.key)
		return LURK_OK;
	if (!k->taken && s->port->class->is_down(s->port, number, index)) {
		if (want != LURK_KEY_UNKNOWN && entry.key != LURK_KEY_UNKNOWN) {
			k->unsettled = entry.original ? entry.original : entry.key;
			return LURK_OK;
		}
		error = send_stroke(s, number, entry.key, LURK_UP);
		if (error)
			return error;
	}
	return s->port->class->table_set(s->port, number, index, want);
}

/* Whether what some other keyboard gives depends on modifiers held on this one. */
static bool minded(const struct lurk_session *s, uint16_t number)
{
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &s->memory.keyboards[i];

		if (i != number && k->present && k->choice.way == LURK_WAY_RELAY && k->keymap &&
		    k->keymap->minds_modifiers)
			return true;
	}
	return false;
}

/* The modifier that a key of the keyboard gives, LURK_KEY_NONE for another key. */
static lurk_key modifier_of(const struct lurk_session_keyboard *k, lurk_key key)
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
static void listen(struct lurk_session *s, uint16_t number)
{
	const struct lurk_session_keyboard *k = keyboard_at(s, number);
	lurk_key keys[LURK_LISTEN_KEYS];
	unsigned count = s->rulesets[s->current].loaded ? k->chord.count : 0;

	memcpy(keys, k->chord.keys, sizeof k->chord.keys);
	if (!k->taken && !minded(s, number)) {
		let_go(s, number); /* what is held there would never be seen to come up */
	} else if (!k->taken) {
		for (lurk_key key = lurk_key_next(0); key && count < LURK_LISTEN_KEYS;
		     key = lurk_key_next(key)) {
			if (lurk_declares(&k->info, key) && modifier_of(k, key))
				keys[count++] = key;
		}
	}
	if (s->watch || k->unsettled || !k->used)
		count = LURK_LISTEN_ALL;
	if (s->port->class->listen)
		s->port->class->listen(s->port, number, keys, count);
}

static enum lurk_error settle(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	bool in_table = k->choice.way == LURK_WAY_TABLE;

	/* A key that comes up between the first look and the listening is seen by the second. */
	for (int look = 0; look < 2; look++) {
		k->unsettled = LURK_KEY_NONE;
		for (uint16_t i = 0; i < k->info.table_entries; i++) {
			enum lurk_error error = settle_entry(s, number, i, in_table);

			if (error)
				return error;
		}
		listen(s, number);
		if (!k->unsettled)
			break;
	}
	return LURK_OK;
}

/* Brings a keymap into force on one keyboard, NULL for none. Taking comes before the table is put
 * back, giving back before it is changed: the relay never sees a changed table. */
static enum lurk_error activate(struct lurk_session *s, uint16_t number,
				const struct lurk_keymap *keymap,
				const struct lurk_way_choice *choice)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	bool take = choice->way == LURK_WAY_RELAY;
	enum lurk_error error;

	s->changes++;
	k->keymap = keymap;
	k->choice = *choice;
	lurk_engine_use(&s->engine, number, keymap);
	if (k->taken != take || k->borrowed)
		let_go(s, number);
	k->borrowed = k->lent = false;
	if (k->taken != take) {
		lurk_chord_reset(&k->chord);
		error = s->port->class->take(s->port, number, take);
		if (error)
			return error;
		k->taken = take;
	}
	lurk_engine_silence(&s->engine, number, !take);
	return settle(s, number);
}

/* What one keyboard's rules need to hear of others may have changed. */
static void listen_anew(struct lurk_session *s)
{
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		if (keyboard_at(s, i)->present && !keyboard_at(s, i)->taken)
			listen(s, i);
	}
}

/* What is down of a chord that stays the same is not forgotten. */
static void find_chord(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	const struct lurk_ruleset *set = &s->rulesets[s->current];
	struct lurk_chord chord;

	lurk_image_chord(&set->image,
			 set->loaded ? lurk_image_recognise(&set->image, &k->info.identity) : 0,
			 &chord);
	if (chord.count != k->chord.count ||
	    memcmp(chord.keys, k->chord.keys, sizeof chord.keys) != 0)
		k->chord = chord;
}

/* Finds keymap and way of one keyboard under a ruleset. */
static enum lurk_error prepare(struct lurk_session *s, unsigned which, uint16_t number,
			       uint16_t *described, const struct lurk_keymap **keymap,
			       struct lurk_way_choice *choice, struct lurk_compile_report *report)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	const struct lurk_ruleset *set = &s->rulesets[which];
	struct lurk_profile profile;
	struct lurk_chord chord;
	enum lurk_error error;

	memset(choice, 0, sizeof *choice);
	*keymap = NULL;
	*described = 0;
	if (!set->loaded || (s->off && !s->toggled))
		return LURK_OK;
	*described = lurk_image_recognise(&set->image, &k->info.identity);
	error = keymap_for(s, which, *described, k->info.identity.wiring, keymap, report);
	if (error)
		return error;
	lurk_image_chord(&set->image, *described, &chord);
	lurk_image_profile(&set->image, set->profile, &profile);
	if (s->trying)
		profile.way = LURK_WAY_RELAY;
	error = lurk_way_choose(s->port, number, &k->info, *keymap, &chord,
				(enum lurk_way)profile.way, choice);
	if (!error && s->trying && choice->reason == LURK_BECAUSE_ASKED)
		choice->reason = LURK_BECAUSE_TRYING;
	return error;
}

/* ---- Locks --------------------------------------------------------------------------------- */

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

/* A keyboard that comes while CapsLock is on, and whose rules take it away, where no other one has
 * it: after the service was restarted, say. The other locks may be meant to be on. */
static void turn_caps_off(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	struct lurk_compile_report report;
	struct lurk_way_choice choice;
	const struct lurk_keymap *keymap;
	uint16_t described;

	if (!(lurk_port_lit(s->port, number) >> LURK_LOCK_CAPS & 1) ||
	    !gives(k, NULL, LURK_KEY_CAPSLOCK) ||
	    prepare(s, s->current, number, &described, &keymap, &choice, &report) ||
	    gives(k, keymap, LURK_KEY_CAPSLOCK))
		return;
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		const struct lurk_session_keyboard *other = keyboard_at(s, i);

		if (other->present && other != k && gives(other, other->keymap, LURK_KEY_CAPSLOCK))
			return;
	}
	send_tap(s, number, LURK_KEY_CAPSLOCK);
}

/* ---- The off chord ------------------------------------------------------------------------- */

/* While it is held nobody else shall get its keys. Where the keyboard cannot be taken they do. */
static void borrow(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);

	lurk_engine_cancel(&s->engine);
	let_go(s, number);
	if (!k->taken && s->port->class->take(s->port, number, true) == LURK_OK)
		k->taken = k->borrowed = true;
}

/* Taking a keyboard takes its time: what came up meanwhile is no longer part of a chord. */
static void look_at_chord(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);

	for (unsigned i = 0; k->borrowed && i < k->chord.count; i++) {
		bool known = false, down = false;

		for (uint16_t e = 0; e < k->info.table_entries; e++) {
			struct lurk_table_entry entry;

			if (s->port->class->table_get(s->port, number, e, &entry) ||
			    entry.original != k->chord.keys[i])
				continue;
			known = true;
			down = down || s->port->class->is_down(s->port, number, e);
		}
		if (known && !down)
			lurk_chord_feed(&k->chord, k->chord.keys[i], LURK_UP);
	}
}

static void give_back(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);

	if (!k->borrowed || k->withheld)
		return;
	s->port->class->take(s->port, number, false);
	k->taken = k->borrowed = false;
	lurk_chord_reset(&k->chord);
	listen(s, number);
}

/* ---- Modifiers held on a keyboard that is not taken ------------------------------------------ */

/* They can only be lifted where the relay gives them. It is taken with what is held on it, until
 * that comes up; a key that nobody knows comes first, lest its modifiers look tapped alone. */
static void lend(struct lurk_session *s, uint16_t number, uint16_t to)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	struct lurk_event event = {.keyboard = number, .key = {.state = LURK_DOWN}};
	struct lurk_table_entry entry;

	send_tap(s, to, LURK_KEY_UNKNOWN);
	let_go(s, number);
	if (s->port->class->take(s->port, number, true))
		return;
	k->taken = k->lent = true;
	lurk_engine_silence(&s->engine, number, false);
	for (uint16_t i = 0; i < k->info.table_entries; i++) {
		if (s->port->class->table_get(s->port, number, i, &entry) ||
		    !modifier_of(k, entry.original) || !s->port->class->is_down(s->port, number, i))
			continue;
		event.key.key = entry.original;
		event.key.scan = entry.scan;
		lurk_engine_feed(&s->engine, &event);
		send_frames(s);
	}
}

static void take_loan_back(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);

	if (s->memory.engine_keyboards[number].held_count)
		return;
	let_go(s, number);
	s->port->class->take(s->port, number, false);
	lurk_engine_silence(&s->engine, number, true);
	k->taken = k->lent = false;
	listen(s, number);
}

static bool needs_lifting(const struct lurk_action *action)
{
	return (action->modifiers && action->gives == LURK_GIVES_KEY) || action->step_count;
}

/* Before a press that lifts modifiers. */
static void borrow_modifiers(struct lurk_session *s, const struct lurk_event *event)
{
	const struct lurk_keymap *keymap = keyboard_at(s, event->keyboard)->keymap;

	if (event->key.state != LURK_DOWN || !s->engine.held || !keymap ||
	    !keymap->minds_modifiers ||
	    !needs_lifting(
		    lurk_keymap_find_held(keymap, event->key.scan, event->key.key, s->engine.held)))
		return;
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		const struct lurk_engine_keyboard *held = &s->memory.engine_keyboards[i];

		if (held->silent && held->held_count && !keyboard_at(s, i)->taken)
			lend(s, i, event->keyboard);
	}
}

/* A keyboard that is not taken: what it gives it gives by itself, but its modifiers count. By key,
 * since scan codes may not be told. */
static void count_modifier(struct lurk_session *s, struct lurk_event event)
{
	const struct lurk_session_keyboard *k = keyboard_at(s, event.keyboard);

	if (event.key.state == LURK_REPEAT || !k->keymap ||
	    (event.key.state == LURK_DOWN && !modifier_of(k, event.key.key)))
		return;
	event.key.scan = lurk_key_scan_on(event.key.key, (enum lurk_wiring)k->info.identity.wiring);
	event.key.more = false;
	lurk_engine_feed(&s->engine, &event);
	send_frames(s);
}

void lurk_session_withhold(struct lurk_session *session, uint64_t for_us)
{
	session->withholding = for_us != 0;
	if (for_us)
		session->withhold_until_us = session->port->class->elapsed(session->port) + for_us;
	for (uint16_t i = 0; i < session->memory.keyboard_count; i++) {
		struct lurk_session_keyboard *k = keyboard_at(session, i);

		if (!k->present || *k->info.seat)
			continue;
		k->withheld = for_us != 0;
		if (for_us)
			borrow(session, i);
		else
			give_back(session, i);
	}
}

/* True where the event is the chord's. */
static bool chord_event(struct lurk_session *s, const struct lurk_port_event *event)
{
	struct lurk_session_keyboard *k = keyboard_at(s, event->keyboard);
	bool was_whole = k->chord.whole;
	bool belongs = s->rulesets[s->current].loaded &&
		       lurk_chord_feed(&k->chord, event->key.key, event->key.state);

	if (k->chord.whole && !was_whole) {
		lurk_chord_start(&k->chord, s->port->class->elapsed(s->port));
		borrow(s, event->keyboard);
		look_at_chord(s, event->keyboard);
		if (!k->chord.whole)
			give_back(s, event->keyboard);
	} else if (was_whole && !k->chord.whole) {
		give_back(s, event->keyboard);
	}
	return belongs;
}

/* ---- What happens -------------------------------------------------------------------------- */

/* Brings into force anew what shall be: the ruleset that is loaded, or nothing. */
static enum lurk_error refresh(struct lurk_session *s, uint16_t number)
{
	static const struct lurk_way_choice plain;
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	struct lurk_compile_report report;
	struct lurk_way_choice choice;
	const struct lurk_keymap *keymap;

	find_chord(s, number);
	k->trouble = prepare(s, s->current, number, &k->described, &keymap, &choice, &report);
	if (!k->trouble)
		k->trouble = activate(s, number, keymap, &choice);
	else if (!k->keymap)
		activate(s, number, NULL, &plain); /* rather than taken, and dead */
	return k->trouble;
}

static void plugged(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);

	memset(k, 0, sizeof *k);
	if (number >= s->numbers)
		s->numbers = (uint16_t)(number + 1);
	if (!s->port->class->keyboard(s->port, number, &k->info))
		return; /* gone again already */
	lurk_engine_silence(&s->engine, number, true);
	turn_caps_off(s, number);
	k->present = true;
	refresh(s, number);
	listen_anew(s);
}

static void changed(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);

	if (k->present && s->port->class->keyboard(s->port, number, &k->info))
		refresh(s, number);
	listen_anew(s);
}

static void unplugged(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);

	let_go(s, number);
	lurk_engine_use(&s->engine, number, NULL);
	s->changes++;
	if (k->taken)
		s->port->class->take(s->port, number, false);
	memset(k, 0, sizeof *k);
	listen_anew(s);
}

static enum lurk_error switch_to(struct lurk_session *s, bool off, bool toggled,
				 struct lurk_apply_report *report);

/* What a key has asked for: after all that it gave was sent. */
static void fulfil_wishes(struct lurk_session *s)
{
	struct lurk_apply_report unused;
	struct lurk_wish wish;

	while (lurk_engine_take_wish(&s->engine, &wish)) {
		if (wish.gives == LURK_GIVES_PROFILE)
			lurk_session_use(s, wish.profile, &unused);
		else
			switch_to(s, !s->off, true, &unused);
		send_frames(s);
	}
}

static void relay_event(struct lurk_session *s, const struct lurk_event *event)
{
	struct lurk_session_keyboard *k = keyboard_at(s, event->keyboard);

	borrow_modifiers(s, event);
	if (lurk_engine_feed(&s->engine, event) == LURK_ERR_BUSY) {
		send_frames(s);
		lurk_engine_feed(&s->engine, event);
	}
	send_frames(s);
	if (s->engine.wish.gives)
		fulfil_wishes(s);
	if (k->lent)
		take_loan_back(s, event->keyboard);
}

static void key_event(struct lurk_session *s, const struct lurk_port_event *event)
{
	static const struct lurk_action itself = {.gives = LURK_GIVES_ITSELF};
	struct lurk_session_keyboard *k = keyboard_at(s, event->keyboard);
	struct lurk_event e = {event->time_us, event->keyboard, event->key};

	if (!k->used && event->key.state == LURK_DOWN) {
		k->used = true;
		listen(s, event->keyboard);
	}
	if (s->watch)
		s->watch(s->watch_data, &e,
			 k->keymap ? lurk_keymap_find_held(k->keymap, e.key.scan, e.key.key,
							   s->engine.held)
				   : &itself);
	if (chord_event(s, event) || k->borrowed || k->withheld)
		return;
	if (k->taken) {
		relay_event(s, &e);
		return;
	}
	if (k->unsettled && event->key.state == LURK_UP)
		k->trouble = settle(s, event->keyboard);
	count_modifier(s, e);
}

/* What is to happen at a time; true where something did. */
static bool due(struct lurk_session *s)
{
	struct lurk_apply_report unused;
	uint64_t at = lurk_session_deadline(s), now;

	if (at == LURK_NEVER)
		return false;
	now = s->port->class->elapsed(s->port);
	if (now < at)
		return false;
	if (lurk_engine_deadline(&s->engine) <= now) {
		send_frames(s);
		fulfil_wishes(s);
		return true;
	}
	for (uint16_t i = 0; i < s->numbers; i++) {
		if (!keyboard_at(s, i)->present || !lurk_chord_due(&keyboard_at(s, i)->chord, now))
			continue;
		lurk_session_withhold(s, 0);
		s->keep_locks = false;
		s->chorded++;
		lurk_session_switch(s, s->trying || !s->off, &unused);
		return true;
	}
	if (s->withholding && now >= s->withhold_until_us)
		lurk_session_withhold(s, 0);
	else
		lurk_session_end_try(s);
	return true;
}

uint64_t lurk_session_deadline(const struct lurk_session *session)
{
	uint64_t soonest = session->trying ? session->until_us : LURK_NEVER;
	uint64_t typing = lurk_engine_deadline(&session->engine);

	soonest = typing < soonest ? typing : soonest;
	if (session->withholding && session->withhold_until_us < soonest)
		soonest = session->withhold_until_us;
	for (uint16_t i = 0; i < session->numbers; i++) {
		const struct lurk_session_keyboard *k = &session->memory.keyboards[i];
		uint64_t at = k->present ? lurk_chord_deadline(&k->chord) : LURK_NEVER;

		soonest = at < soonest ? at : soonest;
	}
	return soonest;
}

bool lurk_session_step(struct lurk_session *session)
{
	struct lurk_port_event event;

	if (!session->port->class->next(session->port, &event))
		return due(session);
	if (event.keyboard >= session->memory.keyboard_count)
		return true; /* more keyboards than there is memory for: they stay plain */
	switch (event.kind) {
	case LURK_PORT_PLUGGED:
		plugged(session, event.keyboard);
		break;
	case LURK_PORT_UNPLUGGED:
		unplugged(session, event.keyboard);
		break;
	case LURK_PORT_CHANGED:
		changed(session, event.keyboard);
		break;
	default:
		key_event(session, &event);
		break;
	}
	return true;
}

/* ---- Start --------------------------------------------------------------------------------- */

static bool caps_lock(void *data)
{
	struct lurk_session *s = data;
	uint8_t lit = 0;

	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		if (keyboard_at(s, i)->present)
			lit |= lurk_port_lit(s->port, i);
	}
	return lit >> LURK_LOCK_CAPS & 1;
}

/* The profile of that word, else the first one. */
static void start_with(struct lurk_ruleset *set, struct lurk_text word)
{
	struct lurk_profile profile;
	uint16_t found = word.length ? lurk_image_find_profile(&set->image, word) : 0;

	set->profile = set->previous = found ? (uint16_t)(found - 1U) : 0;
	if (set->profile >= set->image.profile_count)
		return;
	lurk_image_profile(&set->image, set->profile, &profile);
	if (profile.based_on)
		set->previous = (uint16_t)(profile.based_on - 1U);
}

enum lurk_error lurk_session_start(struct lurk_session *session,
				   const struct lurk_session_memory *memory, struct lurk_port *port)
{
	struct lurk_ruleset *set = &session->rulesets[0];
	enum lurk_error error;

	memset(session, 0, sizeof *session);
	memset(memory->keyboards, 0, memory->keyboard_count * sizeof *memory->keyboards);
	session->port = port;
	session->memory = *memory;
	session->by = LURK_NOBODY;
	lurk_engine_init(&session->engine, memory->engine_keyboards, memory->keyboard_count);
	session->engine.caps_lock = caps_lock;
	session->engine.caps_lock_data = session;
	error = lurk_store_load(port, LURK_NEVER, memory->images[0], memory->image_size,
				&set->image, &session->store);
	set->loaded = error == LURK_OK;
	if (set->loaded)
		start_with(set, LURK_NO_TEXT);
	return error == LURK_ERR_EMPTY ? LURK_OK : error;
}

/* What keyboards go back to where applying fails half way. */
static void back(struct lurk_session *s)
{
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		if (keyboard_at(s, i)->present)
			refresh(s, i);
	}
	listen_anew(s);
}

static enum lurk_error try_all(struct lurk_session *s, unsigned which, bool for_real,
			       struct lurk_apply_report *report)
{
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		struct lurk_session_keyboard *k = keyboard_at(s, i);
		struct lurk_way_choice choice;
		const struct lurk_keymap *keymap;
		enum lurk_error error;
		uint16_t described;

		if (!k->present)
			continue;
		report->keyboard = i;
		error = prepare(s, which, i, &described, &keymap, &choice, &report->compile);
		if (!error && for_real) {
			k->described = described;
			error = activate(s, i, keymap, &choice);
			k->trouble = error;
		}
		if (error)
			return error;
	}
	return LURK_OK;
}

/* Rules for keyboards that are not here must compile as well, and those of other profiles. */
static enum lurk_error try_described(struct lurk_session *s, unsigned which,
				     struct lurk_apply_report *report)
{
	const struct lurk_image *image = &s->rulesets[which].image;
	size_t used = s->rulesets[which].keymap_used;

	for (unsigned i = 0; i < image->profile_count * (image->keyboard_count + 1U); i++) {
		struct lurk_compile_job job = {
			.image = image,
			.profile = (uint16_t)(i / (image->keyboard_count + 1U)),
			.keyboard = (uint16_t)(i % (image->keyboard_count + 1U)),
			.wiring = LURK_WIRING_HID,
		};
		struct lurk_keymap *keymap;
		enum lurk_error error =
			lurk_compile(&job, (uint8_t *)s->memory.keymaps[which] + used,
				     s->memory.keymap_size - used, &keymap, &report->compile);

		if (error)
			return error;
	}
	return LURK_OK;
}

/* Whether some keyboard gives a key, under what is in force or under a ruleset to come; and one
 * that does. */
static bool any_gives(struct lurk_session *s, bool to_come, unsigned which, lurk_key wanted,
		      uint16_t *giver)
{
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		struct lurk_session_keyboard *k = keyboard_at(s, i);
		const struct lurk_keymap *keymap = k->keymap;
		struct lurk_compile_report report;
		struct lurk_way_choice choice;
		uint16_t described;

		if (!k->present ||
		    (to_come && prepare(s, which, i, &described, &keymap, &choice, &report)))
			continue;
		*giver = i;
		if (gives(k, keymap, wanted))
			return true;
	}
	return false;
}

/* A lock that is on when the rules take its key away could not be turned off again: it is pressed
 * before. */
static void turn_locks_off(struct lurk_session *s, unsigned which, struct lurk_apply_report *report)
{
	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		lurk_key key = lurk_lock_key((enum lurk_lock)lock);
		uint8_t bit = (uint8_t)(1U << lock), known = 0, lit = 0;
		uint16_t giver, unused;

		if (s->keep_locks || any_gives(s, true, which, key, &unused) ||
		    !any_gives(s, false, 0, key, &giver))
			continue;
		for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
			const struct lurk_session_keyboard *k = keyboard_at(s, i);

			known |= k->present ? k->info.locks : 0;
			lit |= k->present ? lurk_port_lit(s->port, i) : 0;
		}
		if (!(known & bit))
			report->locks_unknown |= bit;
		if (!(lit & bit))
			continue;
		if (send_tap(s, giver, key) == LURK_OK)
			report->locks_pressed |= bit;
	}
}

/* ---- Apply, switch, stop ------------------------------------------------------------------- */

/* Opens an image in the memory that is not in use, which a trial may be using: a good one ends it.
 */
static enum lurk_error open_next(struct lurk_session *s, const uint8_t *image, size_t length,
				 struct lurk_text profile)
{
	struct lurk_image opened;
	struct lurk_ruleset *set;
	enum lurk_error error = length > s->memory.image_size
					? LURK_ERR_ROOM
					: lurk_image_open(image, length, &opened);

	if (error)
		return error;
	lurk_engine_cancel(&s->engine); /* what it types may stand where the image goes */
	send_frames(s);
	lurk_session_end_try(s);
	set = &s->rulesets[1 - s->current];
	memset(set, 0, sizeof *set);
	memcpy(s->memory.images[1 - s->current], image, length);
	opened.bytes = s->memory.images[1 - s->current];
	set->image = opened;
	set->loaded = true;
	start_with(set, profile);
	return LURK_OK;
}

/* Brings the image that was opened into force on all keyboards; on any error some may be left half
 * way. */
static enum lurk_error bring_next(struct lurk_session *s, struct lurk_apply_report *report)
{
	unsigned next = 1 - s->current;
	enum lurk_error error = try_described(s, next, report);

	if (!error)
		error = try_all(s, next, false, report);
	if (!error) {
		turn_locks_off(s, next, report);
		error = try_all(s, next, true, report);
	}
	return error;
}

/* What is in force has been switched to the other ruleset: chords and listening follow. */
static void use_next(struct lurk_session *s)
{
	s->current = 1 - s->current;
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		if (!keyboard_at(s, i)->present)
			continue;
		find_chord(s, i);
		listen(s, i);
	}
}

enum lurk_error lurk_session_apply(struct lurk_session *session, const uint8_t *image,
				   size_t length, struct lurk_text profile,
				   struct lurk_apply_report *report)
{
	bool was_off, was_toggled;
	enum lurk_error error;

	memset(report, 0, sizeof *report);
	error = open_next(session, image, length, profile);
	if (error)
		return error;
	was_off = session->off;
	was_toggled = session->toggled;
	session->off = session->toggled = false;
	error = bring_next(session, report);
	if (!error)
		error = lurk_store_save(session->port, session->memory.images[1 - session->current],
					length, session->by, &session->store);
	if (error) {
		session->off = was_off;
		session->toggled = was_toggled;
		back(session);
		return error;
	}
	/* With its stamp. */
	lurk_image_open(session->memory.images[1 - session->current], length,
			&session->rulesets[1 - session->current].image);
	use_next(session);
	return LURK_OK;
}

enum lurk_error lurk_session_try(struct lurk_session *session, const uint8_t *image, size_t length,
				 uint64_t for_us, struct lurk_apply_report *report)
{
	enum lurk_error error;

	memset(report, 0, sizeof *report);
	error = open_next(session, image, length, LURK_NO_TEXT);
	if (error)
		return error;
	/* Not a version of what is stored, even where it once was one. */
	lurk_image_stamp(session->memory.images[1 - session->current], 0, 0, LURK_NOBODY);
	lurk_image_open(session->memory.images[1 - session->current], length,
			&session->rulesets[1 - session->current].image);
	session->off_before = session->off;
	session->off = session->toggled = false;
	session->trying = true;
	session->trials++;
	session->tried_by = session->by;
	session->until_us = session->port->class->elapsed(session->port) + for_us;
	error = bring_next(session, report);
	if (error) {
		session->off = session->off_before;
		session->trying = false;
		back(session);
		return error;
	}
	use_next(session);
	session->changes++;
	return LURK_OK;
}

enum lurk_error lurk_session_keep(struct lurk_session *session)
{
	struct lurk_ruleset *set = &session->rulesets[session->current];
	uint8_t *bytes = session->memory.images[session->current];
	enum lurk_error error;

	if (!session->trying)
		return LURK_ERR_EMPTY;
	error = lurk_store_save(session->port, bytes, set->image.length, session->by,
				&session->store);
	if (error)
		return error;
	lurk_image_open(bytes, set->image.length, &set->image);
	session->trying = false;
	session->changes++;
	back(session); /* by the way that fits each keyboard */
	return LURK_OK;
}

void lurk_session_end_try(struct lurk_session *session)
{
	if (!session->trying)
		return;
	session->trying = false;
	session->off = session->off_before;
	session->toggled = false;
	session->current = 1 - session->current;
	session->changes++;
	back(session);
}

/* Brings anew into force what shall be, on all keyboards. */
static enum lurk_error refresh_all(struct lurk_session *s, struct lurk_apply_report *report)
{
	enum lurk_error first = LURK_OK;

	s->changes++;
	turn_locks_off(s, s->current, report);
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		enum lurk_error error = keyboard_at(s, i)->present ? refresh(s, i) : LURK_OK;

		if (error && !first) {
			first = error;
			report->keyboard = i;
		}
	}
	listen_anew(s);
	return first;
}

static enum lurk_error switch_to(struct lurk_session *s, bool off, bool toggled,
				 struct lurk_apply_report *report)
{
	memset(report, 0, sizeof *report);
	s->off = off;
	s->toggled = off && toggled;
	return refresh_all(s, report);
}

enum lurk_error lurk_session_switch(struct lurk_session *session, bool off,
				    struct lurk_apply_report *report)
{
	lurk_session_end_try(session);
	return switch_to(session, off, false, report);
}

/* Room for the keymaps of the profile to come: those of earlier ones go where it is needed. No
 * keyboard is left with one, until its own is compiled. */
static void make_room(struct lurk_session *s)
{
	struct lurk_ruleset *set = &s->rulesets[s->current];

	if (set->keymap_count <= LURK_SESSION_KEYMAPS / 2 &&
	    set->keymap_used <= s->memory.keymap_size / 2)
		return;
	set->keymap_count = 0;
	set->keymap_used = 0;
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		keyboard_at(s, i)->keymap = NULL;
		lurk_engine_use(&s->engine, i, NULL);
	}
}

enum lurk_error lurk_session_use(struct lurk_session *session, uint16_t profile,
				 struct lurk_apply_report *report)
{
	struct lurk_ruleset *set = &session->rulesets[session->current];
	uint16_t now = set->profile;

	memset(report, 0, sizeof *report);
	if (profile == LURK_PREVIOUS)
		profile = set->previous;
	if (!set->loaded || profile >= set->image.profile_count)
		return LURK_ERR_NO_PROFILE;
	if (profile == now)
		return LURK_OK;
	make_room(session);
	set->profile = profile;
	set->previous = now;
	return refresh_all(session, report);
}

void lurk_session_watch(struct lurk_session *session, lurk_watch *watch, void *data)
{
	session->watch = watch;
	session->watch_data = data;
	for (uint16_t i = 0; i < session->memory.keyboard_count; i++) {
		if (keyboard_at(session, i)->present)
			listen(session, i);
	}
}

void lurk_session_stop(struct lurk_session *session)
{
	static const struct lurk_way_choice plain;

	for (uint16_t i = 0; i < session->memory.keyboard_count; i++) {
		if (keyboard_at(session, i)->present)
			activate(session, i, NULL, &plain);
	}
}
