/* What happens: keyboards come and go, keys are pressed, the off chord is held, time passes. */
#include "core/session/parts.h"

#include "core/assert.h"
#include "core/hot.h"
#include "core/mem.h"

/* What could not be sent may have been a release: nothing more goes that way. */
static RARE void stop_refused(struct lurk_session *s)
{
	s->refusing = false;
	for (uint16_t i = 0; i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);
		enum lurk_error why = k->refused;

		k->refused = LURK_OK;
		if (why && k->present)
			lurk_change_give_up(s, i, why);
	}
}

/* ---- Keyboards ------------------------------------------------------------------------------ */

static RARE void plugged(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	memset(k, 0, sizeof *k);
	k->open_us = k->caps_us = LURK_NEVER;
	if (number >= s->numbers)
		s->numbers = (uint16_t)(number + 1);
	if (s->leaving || !s->port->calls->keyboard(s->port, number, &k->info))
		return; /* gone again already */
	k->part = lurk_seats_of(s, k->info.seat);
	k->present = true;
	lurk_engine_use(lurk_engines_of_part(s, k->part), number, NULL);
	lurk_engine_silence(lurk_session_engine_of(s, number), number, true);
	/* Not for a power button: one is made when its rules need it. */
	if (k->info.table_entries || lurk_declares(&k->info, LURK_KEY_LEFTSHIFT))
		lurk_hold_prepare(s, number, !k->info.in_use);
	lurk_change_one(s, number);
	if (lurk_locks_caps_stays(s, number))
		k->caps_us = k->open_us;
}

/* It belongs to another seat now: what it types, and what is down on it, ends at the first; what
 * waits for somebody else's text there goes along. */
static void move(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	struct lurk_engine *from = lurk_session_engine_of(s, number);
	struct lurk_engine *to;

	k->part = lurk_seats_of(s, k->info.seat);
	to = lurk_engines_of_part(s, k->part);
	if (from == to)
		return;
	if (lurk_engine_types(from) && from->typing.keyboard == number)
		lurk_engine_cancel(from);
	lurk_session_send_of(s, from);
	lurk_engine_pass_on(from, to, number);
	lurk_engine_release(from, number);
	lurk_session_send_of(s, from);
	lurk_engine_use(to, number, s->memory.engine_keyboards[number].keymap);
	lurk_session_send_of(s, to);
}

static RARE void changed(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	if (!k->present || !s->port->calls->keyboard(s->port, number, &k->info))
		return;
	move(s, number);
	lurk_change_one(s, number);
}

static RARE void unplugged(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	if (!k->present)
		return;
	lurk_hold_drop(s, number);
	lurk_engine_use(lurk_session_engine_of(s, number), number, NULL);
	memset(k, 0, sizeof *k);
	k->open_us = k->caps_us = LURK_NEVER;
	s->changes++;
	lurk_hold_listen_all(s);
}

/* ---- What is withheld ----------------------------------------------------------------------- */

static RARE void withhold_one(struct lurk_session *s, uint16_t number, bool begins)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	if (begins && !(k->holds & LURK_HOLD_WITHHELD)) {
		lurk_engine_cancel(lurk_session_engine_of(s, number));
		lurk_engine_release(lurk_session_engine_of(s, number), number);
		lurk_session_send(s);
	}
	lurk_hold(s, number, LURK_HOLD_WITHHELD, begins);
	lurk_hold_listen(s, number);
}

void lurk_session_withhold(struct lurk_session *session, const char *seat, uint64_t for_us)
{
	const uint64_t until = for_us ? session->port->calls->elapsed(session->port) + for_us : 0;

	for (uint16_t i = 0; i < session->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(session, i);

		if (!k->present || !lurk_equal(k->info.seat, seat) ||
		    (!for_us && !(k->holds & LURK_HOLD_WITHHELD)))
			continue;
		k->withheld_until_us = until;
		withhold_one(session, i, for_us != 0);
	}
}

/* ---- The off chord -------------------------------------------------------------------------- */

/* True where the event is the chord's. While it is whole nobody else gets its keys; where the
 * keyboard cannot be taken they do. */
static bool chord_event(struct lurk_session *s, const struct lurk_port_event *event)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, event->keyboard);
	bool was_whole = k->chord.whole, belongs;

	if (k->chord.count < 2)
		return false;
	belongs = lurk_chord_feed(&k->chord, event->key.key, event->key.state);
	if (k->chord.whole == was_whole)
		return belongs;
	if (k->chord.whole) {
		lurk_chord_start(&k->chord, s->port->calls->elapsed(s->port));
		lurk_engine_cancel(lurk_session_engine_of(s, event->keyboard));
		lurk_engine_release(lurk_session_engine_of(s, event->keyboard), event->keyboard);
		lurk_session_send(s);
	}
	lurk_hold(s, event->keyboard, LURK_HOLD_CHORD, k->chord.whole);
	lurk_hold_listen(s, event->keyboard);
	return belongs;
}

/* Off, whatever was; or on. Off in any case: a machine that refuses half of it is plain then. */
static RARE void chord_held(struct lurk_session *s, uint16_t number)
{
	const unsigned part = lurk_session_at(s, number)->part;
	const bool off = lurk_rules_tried_at(s, part) || !s->mode.off[part].now;
	const struct lurk_request request = {.by = LURK_NOBODY, .part = (uint8_t)part};
	struct lurk_apply_report unused;
	struct lurk_session_mode to;

	lurk_session_withhold(s, lurk_session_at(s, number)->info.seat, 0);
	s->chorded++;
	s->chorded_at = (uint8_t)part;
	if (lurk_session_switch(s, &request, off, &unused) == LURK_OK || !off)
		return;
	to = s->mode;
	lurk_rules_set_off(&to, part, true, LURK_NOBODY);
	lurk_change_back(s, &to);
}

/* ---- Keys ----------------------------------------------------------------------------------- */

/* What a key has asked for: after all that it gave was sent. */
static RARE void fulfil_wishes(struct lurk_session *s, struct lurk_engine *engine)
{
	struct lurk_wish wish;

	while (lurk_engine_take_wish(engine, &wish)) {
		if (wish.gives == LURK_GIVES_PROFILE)
			lurk_rules_use_by_key(
				s, wish.below ? 0 : lurk_session_at(s, wish.keyboard)->top,
				wish.profile);
		else
			lurk_rules_toggle(s, lurk_session_at(s, wish.keyboard)->part);
		lurk_session_send(s);
	}
}

static void relay_event(struct lurk_session *s, const struct lurk_event *event)
{
	struct lurk_engine *engine = lurk_session_engine_of(s, event->keyboard);

	lurk_hold_lend(s, event);
	if (lurk_engine_feed(engine, event) == LURK_ERR_BUSY) {
		lurk_session_send(s);
		lurk_engine_feed(engine, event);
	}
	if (!event->key.more)
		lurk_session_send_of(s, engine);
}

/* A keyboard that is free: what it gives it gives by itself, but its modifiers count. By key, since
 * scan codes may not be told. */
static RARE void count_modifier(struct lurk_session *s, struct lurk_event event)
{
	const struct lurk_session_keyboard *k = lurk_session_at(s, event.keyboard);

	if (event.key.state == LURK_REPEAT || !k->keymap ||
	    (event.key.state == LURK_DOWN && !lurk_hold_modifier(k, event.key.key)))
		return;
	event.key.scan = lurk_key_scan_on(event.key.key, (enum lurk_wiring)k->info.identity.wiring);
	event.key.more = false;
	lurk_engine_feed(lurk_session_engine_of(s, event.keyboard), &event);
	lurk_session_send(s);
}

/* What it waited for may have come. */
static RARE void take_waiting(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	enum lurk_error error = lurk_hold_reconcile(s, number);

	if (error)
		lurk_change_give_up(s, number, error);
	else if (k->taken && !(k->holds & LURK_HOLD_RULES))
		lurk_hold_settle(s, number);
}

static RARE void show(struct lurk_session *s, const struct lurk_event *event)
{
	static const struct lurk_action itself = {.gives = LURK_GIVES_ITSELF};
	const struct lurk_session_keyboard *k = lurk_session_at(s, event->keyboard);

	s->watch(s->watch_data, event,
		 k->keymap ? lurk_keymap_find_held(k->keymap, event->key.scan, event->key.key,
						   lurk_engine_modifiers(lurk_session_engine_of(
							   s, event->keyboard)))
			   : &itself);
}

static void key_event(struct lurk_session *s, const struct lurk_port_event *event)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, event->keyboard);
	struct lurk_event e = {event->time_us, event->keyboard, event->key};

	if (!k->present)
		return;
	k->last_us = event->time_us;
	if (!k->used && event->key.state == LURK_DOWN) {
		k->used = true;
		lurk_hold_listen(s, event->keyboard);
	}
	if (s->watch)
		show(s, &e);
	/* Whatever a key gave before it was the chord's ends with it. */
	if (chord_event(s, event) && event->key.state != LURK_UP)
		return;
	if (k->taken && !event->passed) {
		if (!(k->holds & (LURK_HOLD_CHORD | LURK_HOLD_WITHHELD)))
			relay_event(s, &e);
		return;
	}
	if (k->taken)
		return; /* told as held when it was taken */
	if (k->unsettled && event->key.state == LURK_UP)
		k->trouble = lurk_hold_settle(s, event->keyboard);
	count_modifier(s, e);
	if (k->waits && event->key.state == LURK_UP)
		take_waiting(s, event->keyboard);
}

/* ---- Time ----------------------------------------------------------------------------------- */

static uint64_t sooner(uint64_t a, uint64_t b)
{
	return a < b ? a : b;
}

HOT uint64_t lurk_session_deadline(const struct lurk_session *session)
{
	uint64_t soonest = lurk_engines_deadline(session);

	if (session->mode.trying)
		soonest = sooner(soonest, session->mode.until_us);
	for (uint16_t i = 0; i < session->numbers; i++) {
		const struct lurk_session_keyboard *k = &session->memory.keyboards[i];

		if (!k->present)
			continue;
		soonest = sooner(soonest, lurk_chord_deadline(&k->chord));
		soonest = sooner(soonest, k->caps_us);
		if (k->holds & LURK_HOLD_WITHHELD)
			soonest = sooner(soonest, k->withheld_until_us);
		if (k->waits || (k->taken && !k->holds))
			soonest = sooner(soonest, k->due_us);
	}
	return soonest;
}

/* True where the keyboard had something to do by now. */
static bool keyboard_due(struct lurk_session *s, uint16_t number, uint64_t now)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	if (!k->present)
		return false;
	if (lurk_chord_due(&k->chord, now)) {
		k->holds &= (uint8_t)~LURK_HOLD_CHORD;
		chord_held(s, number);
		return true;
	}
	if (k->caps_us <= now) {
		k->caps_us = LURK_NEVER;
		lurk_locks_caps_off(s, number);
		return true;
	}
	if (k->holds & LURK_HOLD_WITHHELD && k->withheld_until_us <= now) {
		withhold_one(s, number, false);
		return true;
	}
	if (k->waits && k->due_us <= now) {
		take_waiting(s, number);
		return true;
	}
	if (k->taken && !k->holds && k->due_us <= now) {
		lurk_hold_reconcile(s, number);
		if (!k->taken)
			lurk_hold_listen(s, number);
		return true;
	}
	return false;
}

/* The first of what is to happen by now. */
static RARE void due(struct lurk_session *s, uint64_t now)
{
	if (lurk_engines_deadline(s) <= now) {
		lurk_session_send(s);
		for (unsigned i = 0; i < s->engines; i++)
			fulfil_wishes(s, lurk_session_engine(s, i));
		return;
	}
	for (uint16_t i = 0; i < s->numbers; i++) {
		if (keyboard_due(s, i, now))
			return;
	}
	if (s->mode.trying && now >= s->mode.until_us)
		lurk_session_end_try(s);
}

/* ---- All ------------------------------------------------------------------------------------ */

/* Loans whose modifiers have come up, also while text was typed. */
static RARE void end_loans(struct lurk_session *s)
{
	for (uint16_t i = 0; i < s->numbers; i++) {
		if (!(lurk_session_at(s, i)->holds & LURK_HOLD_LENT) ||
		    lurk_engine_held(lurk_session_engine_of(s, i), i))
			continue;
		s->lent--;
		lurk_hold(s, i, LURK_HOLD_LENT, false);
		lurk_hold_listen(s, i);
	}
}

/* Keyboards that nothing holds any more, and that something kept: a key that was down, text. */
static RARE void give_back_kept(struct lurk_session *s)
{
	s->returning = false;
	for (uint16_t i = 0; i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);

		if (!k->present || !k->taken || k->holds)
			continue;
		lurk_hold_reconcile(s, i);
		if (!k->taken)
			lurk_hold_listen(s, i);
	}
}

/* After something happened: what a key asked for, and what nothing holds any more. */
static void follow_up(struct lurk_session *s)
{
	for (unsigned i = 0; i < s->engines; i++) {
		struct lurk_engine *engine = lurk_session_engine(s, i);

		if (lurk_engine_wishes(engine) && !lurk_engine_types(engine))
			fulfil_wishes(s, engine);
	}
	if (s->lent)
		end_loans(s);
	if (s->returning)
		give_back_kept(s);
	if (s->refusing)
		stop_refused(s);
	lurk_session_verify(s);
}

/* What could not be released for programs before all that had come was dealt with. */
static bool end_held(struct lurk_session *s)
{
	bool any = s->ending;

	s->ending = false;
	for (uint16_t i = 0; any && i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);

		if (k->present && k->ending && lurk_hold_end(s, i) != LURK_OK)
			lurk_change_give_up(s, i, LURK_ERR_PORT);
	}
	return any;
}

static void report_ended(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	struct lurk_engine *engine = lurk_session_engine_of(s, number);

	lurk_engine_end_report(engine, number);
	lurk_session_send_of(s, engine);
	if (k->ending && lurk_hold_end(s, number) != LURK_OK && k->present)
		lurk_change_give_up(s, number, LURK_ERR_PORT);
}

static void happened(struct lurk_session *s, const struct lurk_port_event *event)
{
	switch (event->kind) {
	case LURK_PORT_PLUGGED:
		plugged(s, event->keyboard);
		break;
	case LURK_PORT_UNPLUGGED:
		unplugged(s, event->keyboard);
		break;
	case LURK_PORT_CHANGED:
		changed(s, event->keyboard);
		break;
	case LURK_PORT_PERSONS:
		lurk_seats_look(s);
		break;
	case LURK_PORT_HELD:
		if (lurk_session_at(s, event->keyboard)->taken)
			lurk_hold_inherit(s, event->keyboard, &event->key, event->gave);
		break;
	case LURK_PORT_REPORT:
		report_ended(s, event->keyboard);
		break;
	default:
		key_event(s, event);
		break;
	}
}

/* True where there was something to do; else when there will be. */
static bool step(struct lurk_session *s, uint64_t *until_us)
{
	struct lurk_port_event event;
	uint64_t now;

	if (s->port->calls->next(s->port, &event)) {
		if (event.keyboard < s->memory.keyboard_count)
			happened(s, &event);
		/* More keyboards than there is memory for stay plain. */
	} else if (!end_held(s)) {
		*until_us = lurk_session_deadline(s);
		now = *until_us == LURK_NEVER ? 0 : s->port->calls->elapsed(s->port);
		if (now < *until_us)
			return false;
		due(s, now);
	}
	follow_up(s);
	return true;
}

HOT uint64_t lurk_session_run(struct lurk_session *session)
{
	uint64_t until_us;

	while (step(session, &until_us))
		;
	return until_us;
}

void lurk_session_watch(struct lurk_session *session, lurk_watch *watch, void *data)
{
	session->watch = watch;
	session->watch_data = data;
	lurk_hold_listen_all(session);
}

/* ---- Start and end -------------------------------------------------------------------------- */

enum lurk_error lurk_session_start(struct lurk_session *session,
				   const struct lurk_session_memory *memory, struct lurk_port *port)
{
	memset(session, 0, sizeof *session);
	memset(memory->keyboards, 0, memory->keyboard_count * sizeof *memory->keyboards);
	session->port = port;
	session->memory = *memory;
	lurk_engines_start(session, lurk_seats_layout);
	lurk_seats_start(session);
	return lurk_rules_load(session);
}

bool lurk_session_leave(struct lurk_session *session)
{
	struct lurk_session_mode to = session->mode;
	bool any = false;

	if (!session->leaving) {
		session->leaving = true;
		for (unsigned i = 0; i < LURK_SESSION_PARTS; i++) {
			to.off[i].now = true;
			to.off[i].toggled = false;
		}
		to.trying = false;
		for (unsigned i = 0; i < session->engines; i++)
			lurk_engine_cancel(lurk_session_engine(session, i));
		lurk_change_back(session, &to);
	}
	for (uint16_t i = 0; i < session->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(session, i);

		if (k->present && k->holds) {
			k->holds = 0;
			lurk_hold_reconcile(session, i);
		}
		any = any || (k->present && k->taken);
	}
	session->lent = 0;
	return !any;
}

void lurk_session_stop(struct lurk_session *session)
{
	if (lurk_session_leave(session))
		return;
	for (uint16_t i = 0; i < session->numbers; i++) {
		if (!lurk_session_at(session, i)->present)
			continue;
		lurk_hold_drop(session, i);
		lurk_hold_settle(session, i);
	}
}

/* ---- What holds ----------------------------------------------------------------------------- */

#ifdef LURK_ASSERTIONS
static void verify_keyboard(const struct lurk_session *s, uint16_t number)
{
	const struct lurk_session_keyboard *k = &s->memory.keyboards[number];
	const struct lurk_engine_keyboard *e = &s->memory.engine_keyboards[number];

	if (!k->present) {
		lurk_assert(!k->taken && !k->holds && !k->keymap);
		return;
	}
	lurk_assert(e->keymap == (k->keymap ? k->keymap : lurk_keymap_plain()));
	lurk_assert(e->silent == !k->taken);
	lurk_assert(k->taken || !k->holds || k->waits);
	lurk_assert(!k->waits || (k->holds && !k->taken));
	/* Relayed because of its rules, or not at all. */
	lurk_assert(!(k->holds & LURK_HOLD_RULES) == (k->choice.way != LURK_WAY_RELAY) ||
		    s->leaving);
	lurk_assert(k->choice.way == LURK_WAY_PLAIN || k->keymap);
	lurk_assert(!k->top || (k->top == k->part && lurk_session_image(s, k->top)));
}

void lurk_session_verify(const struct lurk_session *s)
{
	const struct lurk_session_mode *m = &s->mode;
	unsigned lent = 0;

	lurk_assert(m->parts[0].ruleset < LURK_SESSION_RULESETS);
	lurk_assert(!m->trying ||
		    (s->before.parts[m->tried].ruleset != m->parts[m->tried].ruleset &&
		     !s->before.trying));
	for (unsigned part = 0; part < LURK_SESSION_PARTS; part++) {
		const struct lurk_image *image = lurk_session_image(s, part);

		lurk_assert(!m->off[part].toggled || m->off[part].now);
		lurk_assert(!image || m->parts[part].profile < image->profile_count);
		lurk_assert(!part || !image || s->seats[part - 1].person != LURK_NOBODY);
	}
	for (unsigned i = 0; i < LURK_SESSION_RULESETS; i++) {
		lurk_assert(lurk_rules_held(s, i) || !lurk_engines_type_from(s, i));
	}
	for (uint16_t i = 0; i < s->numbers; i++) {
		verify_keyboard(s, i);
		lent += (s->memory.keyboards[i].holds & LURK_HOLD_LENT) != 0;
	}
	lurk_assert(lent == s->lent);
}
#else
void lurk_session_verify(const struct lurk_session *s)
{
	(void)s;
}
#endif
