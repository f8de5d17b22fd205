/* Fingers that never rest, on the simulated desk: keys go down and up while rules come into force,
 * are switched, tried and kept, people sit down and leave with rules of their own, keyboards are
 * withheld, plugged, pulled and given to another seat, in the midst of taking and giving back as
 * well, and with a machine that refuses now and then. Judged by what programs get, and by nothing
 * of what is tested:
 *
 *  - each press that programs see has exactly one release
 *  - with all fingers off, nothing is down, and no keyboard is taken without a rule that needs it
 *  - a key that no rule is about arrives once for each time that it was pressed, in the order in
 * which they were pressed on its keyboard
 *  - what a seat's keyboard gives is the same whatever is pressed at another seat
 *
 * LURK_SOAK=N does N times as much. */
#include "../core/rules.h"
#include "refusing.h"
#include "rig.h"

#include "lurk/session.h"

enum { IMAGE = 16384, KEYMAPS = 1 << 17, KEYBOARDS = 3, KEYS = 16, RING = 512 };

/* The first few are in no rule. */
static const char *const keys[KEYS] = {"KeyU",       "KeyI",        "KeyO",    "ShiftLeft",
				       "ShiftRight", "ControlLeft", "AltLeft", "MetaLeft",
				       "CapsLock",   "Escape",      "KeyA",    "KeyB",
				       "Digit3",     "F1",          "F2",      "F9"};
enum { UNRULED = 3 };

/* Rules of every kind: by the table, by the relay, for modifiers, that type, that switch. */
static const char *const sets[] = {
	"",
	"KeyA<>KeyB",
	"Control<>Meta; CapsLock<>Escape",
	"CapsLock>nothing",
	"CapsLock>Control; KeyA>KeyB",
	"Shift<>Control",
	"Shift+Digit3>KeyX @1; KeyA<>KeyB @2",
	"F1>\"Qrs qrs Ab\"; KeyA>KeyB",
	"Control+KeyA>Meta+KeyC; only KeyB>ArrowLeft",
	"F1>Control+KeyX,KeyY; Meta+Digit3>nothing @2",
	"F9>toggle; KeyA>KeyB",
	"F2>=dusk; KeyA<>KeyB; |dusk/test; KeyA>KeyX; F2>=previous; F1>\"Ab\"",
	"relay KeyA<>KeyB; F9>toggle",
	"hid:07:39>Tab; F1>\"#\"",
};

struct desk {
	struct sim_rig *rig;
	struct refusing refusing;
	SESSION_FIELDS(KEYBOARDS, IMAGE, KEYMAPS)
	struct test_rules rules;
	struct lurk_apply_report report;
	struct lurk_request request;
	uint64_t seed;
	bool fingers[KEYBOARDS][KEYS];
	int down[KEYBOARDS][LURK_KEY_COUNT]; /* for programs, by how many nodes */
	/* Presses of keys in no rule that programs have not seen yet; a ring. */
	struct expected {
		uint8_t keys[RING];
		unsigned first, waiting;
	} expected[KEYBOARDS];
	bool strict;     /* nothing happens that may lose a press */
	unsigned refuse; /* one call in so many is refused, 0 for none */
	unsigned long events, changes, refused, gaps;
	char log[65536];
	size_t logged;
	bool records; /* what programs get, for a test that asks for it */
	char got[KEYBOARDS][16384];
	size_t got_length[KEYBOARDS];
};

static unsigned any(struct desk *d, unsigned n)
{
	return random_next(&d->seed) % n;
}

__attribute__((format(printf, 2, 3))) static void note(struct desk *d, const char *format, ...)
{
	va_list list;

	if (d->logged + 200 > sizeof d->log)
		d->logged = 0;
	va_start(list, format);
	d->logged += (size_t)vsnprintf(d->log + d->logged, sizeof d->log - d->logged, format, list);
	va_end(list);
}

#define wrong(d, ...)                                                  \
	do {                                                           \
		fprintf(stderr, "%.*s\n", (int)(d)->logged, (d)->log); \
		fail_msg(__VA_ARGS__);                                 \
	} while (0)

/* ---- Programs ---------------------------------------------------------------------------------
 */

static void record(struct desk *d, unsigned keyboard, lurk_key key, enum lurk_state state)
{
	size_t *length = &d->got_length[keyboard];

	assert_true(*length < sizeof d->got[keyboard] - 64);
	*length += (size_t)snprintf(d->got[keyboard] + *length, sizeof d->got[keyboard] - *length,
				    "%s%c ", lurk_key_name(key), "-+"[state]);
}

static void on_got(void *data, unsigned keyboard, lurk_key key, enum lurk_state state)
{
	struct desk *d = data;
	struct expected *e = &d->expected[keyboard];
	int *down = &d->down[keyboard][key];
	unsigned i = 0;

	if (state == LURK_REPEAT)
		return;
	note(d, "    %s%c %u\n", lurk_key_name(key), "-+"[state], keyboard);
	if (d->records)
		record(d, keyboard, key, state);
	*down += state == LURK_DOWN ? 1 : -1;
	if (*down < 0 || *down > 2)
		wrong(d, "%s is down %d times", lurk_key_name(key), *down);
	while (i < UNRULED && strcmp(keys[i], lurk_key_name(key)) != 0)
		i++;
	if (i == UNRULED || state != LURK_DOWN || !d->strict)
		return;
	if (!e->waiting || e->keys[e->first] != i)
		wrong(d, "%s on %u was not pressed, or others before it have not arrived", keys[i],
		      keyboard);
	e->first = (e->first + 1) % RING;
	e->waiting--;
}

/* ---- Fingers ----------------------------------------------------------------------------------
 */

static void finger(struct desk *d, unsigned keyboard, unsigned key, bool down)
{
	if (d->fingers[keyboard][key] == down || !lurk_sim_plugged(d->rig->sim, keyboard))
		return;
	d->fingers[keyboard][key] = down;
	d->events++;
	note(d, "%c%s %u\n", "-+"[down], keys[key], keyboard);
	if (down && key < UNRULED && d->strict) {
		struct expected *e = &d->expected[keyboard];

		e->keys[(e->first + e->waiting) % RING] = (uint8_t)key;
		assert_true(++e->waiting < RING);
	}
	sim_rig_key(d->rig, keyboard, keys[key], down);
}

/* Five fingers: a boot keyboard tells of six keys besides modifiers, and programs can read no more
 * than 64 events at once. */
static bool has_room(const struct desk *d, unsigned keyboard)
{
	unsigned down = 0;

	for (unsigned i = 0; i < KEYS; i++)
		down += d->fingers[keyboard][i];
	return down < 5;
}

static void any_finger(struct desk *d)
{
	unsigned keyboard = any(d, KEYBOARDS), key = any(d, KEYS);

	if (!d->fingers[keyboard][key] && !has_room(d, keyboard))
		return;
	/* With the off chord down nobody gets anything. */
	if (!d->strict || strcmp(keys[key], "ShiftRight") != 0)
		finger(d, keyboard, key, !d->fingers[keyboard][key]);
}

/* In the midst of what the port does. */
static void meanwhile(void *data)
{
	struct desk *d = data;

	note(d, "  (gap\n");
	d->gaps++;
	if (any(d, 3) == 0)
		any_finger(d);
	note(d, "  gap)\n");
}

static void settle(struct desk *d)
{
	lurk_session_run(&d->session);
}

static void pass(struct desk *d, unsigned ms)
{
	uint64_t until = lurk_sim_now(d->rig->sim) + ms * UINT64_C(1000);

	for (;;) {
		uint64_t due = lurk_session_deadline(&d->session);
		bool more = lurk_sim_pass(d->rig->sim, due < until ? due : until);

		settle(d);
		if (!more && due >= until)
			return;
	}
}

/* ---- A machine that refuses -------------------------------------------------------------------
 */

static bool refuses(void *data, enum refusable call)
{
	struct desk *d = data;
	bool now = (call != REFUSE_LOOK || any(d, 64) == 0) && d->refuse && any(d, d->refuse) == 0;

	d->refused += now;
	if (now)
		note(d, "  refused\n");
	return now;
}

static void heard(void *data, const struct lurk_port_event *event)
{
	struct desk *d = data;

	note(d, "  event %u: %s %u%s on %u, %s\n", event->kind,
	     event->kind == LURK_PORT_KEY ? lurk_key_name(event->key.key) : "", event->key.state,
	     event->passed ? " passed" : "", event->keyboard,
	     d->keyboards[event->keyboard].taken ? "taken" : "free");
}

/* ---- What changes -----------------------------------------------------------------------------
 */

static void make_rules(struct desk *d)
{
	const char *set = sets[any(d, COUNT(sets))];
	bool relay = !strncmp(set, "relay ", 6);

	test_rules_read(&d->rules, set + (relay ? 6 : 0));
	d->rules.way = relay ? LURK_WAY_RELAY : any(d, 6) ? LURK_WAY_PLAIN : LURK_WAY_TABLE;
	assert_int_equal(test_rules_image(&d->rules), LURK_OK);
	note(d, "rules %s\n", set);
}

static const char *const seats[] = {"", "seat1"};

/* For the computer, or for whoever is at a seat, if anybody is. */
static const struct lurk_request *request(struct desk *d)
{
	const unsigned seat = any(d, 2 * COUNT(seats));

	d->request = (struct lurk_request){
		.by = seat,
		.part = seat < COUNT(seats) ? (uint8_t)lurk_session_part(&d->session, seats[seat])
					    : 0};
	note(d, "  of part %u\n", d->request.part);
	return &d->request;
}

static void apply(struct desk *d)
{
	make_rules(d);
	lurk_session_apply(&d->session, request(d), d->rules.bytes, d->rules.length, LURK_NO_TEXT,
			   &d->report);
}

static void try_out(struct desk *d)
{
	const struct lurk_request *by;

	make_rules(d);
	by = request(d);
	lurk_session_try(&d->session, by, d->rules.bytes, d->rules.length,
			 (1 + any(d, 3)) * UINT64_C(200000), &d->report);
}

static void keep(struct desk *d)
{
	lurk_session_keep(&d->session, NULL);
}

static void end_try(struct desk *d)
{
	lurk_session_end_try(&d->session);
}

static void use(struct desk *d)
{
	const struct lurk_request *by = request(d);

	lurk_session_use(&d->session, by, any(d, 3) ? (uint16_t)any(d, 2) : LURK_PREVIOUS,
			 &d->report);
}

/* One of two people, or nobody. */
static void sit(struct desk *d)
{
	const unsigned person = any(d, 3);

	lurk_sim_sit(d->rig->sim, seats[any(d, COUNT(seats))],
		     person ? 1000 + person : (uint32_t)LURK_NOBODY);
	note(d, "  person %u\n", person);
}

static void move(struct desk *d)
{
	const unsigned keyboard = any(d, KEYBOARDS);

	lurk_sim_seat(d->rig->sim, keyboard, seats[any(d, COUNT(seats))]);
}

static void allow(struct desk *d)
{
	lurk_session_allow(&d->session, any(d, 3) ? LURK_OWN_EVERYTHING : LURK_OWN_NOTHING);
}

static void switch_rules(struct desk *d)
{
	const unsigned part = any(d, LURK_SESSION_PARTS);
	const struct lurk_request request = {.by = LURK_NOBODY, .part = (uint8_t)part};

	lurk_session_switch(&d->session, &request, !d->session.mode.off[part].now, &d->report);
}

static bool is_withheld(const struct desk *d)
{
	bool any = false;

	for (uint16_t i = 0; i < d->session.numbers; i++)
		any = any || d->session.memory.keyboards[i].holds & LURK_HOLD_WITHHELD;
	return any;
}

static void withhold(struct desk *d)
{
	lurk_session_withhold(&d->session, "", is_withheld(d) ? 0 : 300000);
}

static void plug(struct desk *d)
{
	unsigned keyboard = any(d, KEYBOARDS);

	if (lurk_sim_plugged(d->rig->sim, keyboard))
		lurk_sim_unplug(d->rig->sim, keyboard);
	else
		lurk_sim_plug(d->rig->sim, keyboard, false, NULL);
	memset(d->fingers[keyboard], 0, sizeof d->fingers[keyboard]);
}

static void watched(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	(void)data, (void)event, (void)action;
}

static void watch(struct desk *d)
{
	lurk_session_watch(&d->session, d->session.watch ? NULL : watched, NULL);
}

static void start(struct desk *d)
{
	assert_int_equal(lurk_session_start(&d->session, &d->memory, &d->refusing.port), LURK_OK);
	lurk_session_allow(&d->session, LURK_OWN_EVERYTHING);
	settle(d);
}

/* Stopped and started, as by an upgrade. */
static void restart(struct desk *d)
{
	lurk_session_stop(&d->session);
	lurk_sim_plugged_anew(d->rig->sim);
	start(d);
}

static const struct {
	const char *name;
	void (*change)(struct desk *d);
	bool strict; /* no press gets lost by it */
} changes[] = {
	{"apply", apply, true},
	{"apply", apply, true},
	{"try", try_out, true},
	{"keep", keep, true},
	{"end", end_try, true},
	{"use", use, true},
	{"switch", switch_rules, true},
	{"watch", watch, true},
	{"withhold", withhold, false},
	{"plug", plug, false},
	{"restart", restart, false},
	{"sit", sit, true},
	{"sit", sit, true},
	{"move", move, true},
	{"allow", allow, true},
};

/* ---- Rounds -----------------------------------------------------------------------------------
 */

/* With an engine for the second seat, or one for both. */
static struct desk *make(uint64_t seed, uint16_t engines)
{
	static const struct lurk_sim_watch nobody;
	struct desk *d = calloc(1, sizeof *d);
	struct lurk_sim_watch programs = nobody;

	d->seed = seed;
	d->rig = sim_rig_make("  wagtail: {wired: usb, product: \"fade:0001\", place: usb-1}\n"
			      "  dipper: {wired: usb, product: \"fade:0002\", place: usb-2}\n"
			      "  heron: {wired: translated, built-in: true}\n");
	programs.data = d;
	programs.got = on_got;
	lurk_sim_watch_with(d->rig->sim, &programs);
	d->refusing = (struct refusing){
		.real = d->rig->rig.port, .refuses = refuses, .heard = heard, .data = d};
	refusing_init(&d->refusing);
	d->memory = SESSION_MEMORY(d);
	d->memory.engine_count = engines;
	start(d);
	return d;
}

/* All fingers off, and time for whatever is due. */
static void rest(struct desk *d)
{
	lurk_sim_meanwhile(d->rig->sim, NULL, NULL);
	d->refuse = 0;
	note(d, "rest\n");
	for (unsigned k = 0; k < KEYBOARDS; k++) {
		for (unsigned i = 0; i < KEYS; i++)
			finger(d, k, i, false);
	}
	settle(d);
	for (unsigned i = 0; i < COUNT(seats); i++)
		lurk_session_withhold(&d->session, seats[i], 0);
	pass(d, 5000);
	for (unsigned k = 0; k < KEYBOARDS; k++) {
		const struct lurk_session_keyboard *keyboard = &d->keyboards[k];

		for (lurk_key key = 0; key < LURK_KEY_COUNT; key++) {
			if (d->down[k][key])
				wrong(d, "%s is still down on %u", lurk_key_name(key), k);
		}
		if (keyboard->present &&
		    keyboard->taken != (keyboard->choice.way == LURK_WAY_RELAY))
			wrong(d, "keyboard %u is %s", k, keyboard->taken ? "taken" : "free");
		if (d->strict && d->expected[k].waiting)
			wrong(d, "%u presses on %u never arrived", d->expected[k].waiting, k);
	}
	assert_false(lurk_sim_anything_down(d->rig->sim));
	memset(d->expected, 0, sizeof d->expected);
	d->logged = 0;
}

static void play(struct desk *d, bool strict, unsigned refuse, unsigned steps)
{
	d->strict = strict;
	d->refuse = refuse;
	lurk_sim_meanwhile(d->rig->sim, meanwhile, d);
	while (steps--) {
		unsigned what = any(d, COUNT(changes));
		bool change = false;

		if (any(d, 6) == 0 && (changes[what].strict || !strict)) {
			note(d, "%s\n", changes[what].name);
			changes[what].change(d);
			d->changes++;
			change = true;
		} else {
			any_finger(d);
		}
		/* Not so late that programs would lose events: their readers keep 64. */
		if (change)
			pass(d, 20);
		else if (any(d, 4) || steps % 4 == 0)
			settle(d);
		if (any(d, 40) == 0)
			pass(d, any(d, 300));
	}
	settle(d);
	rest(d);
}

static void run(const char *what, bool strict, unsigned refuse, uint64_t seed)
{
	unsigned long events = 0, made = 0, refused = 0, gaps = 0;

	for (unsigned round = 0; round < as_often(20); round++) {
		struct desk *d = make(seed + round, round % 4 != 0);

		for (unsigned i = 0; i < 30; i++)
			play(d, strict, refuse, 150);
		events += d->events;
		made += d->changes;
		refused += d->refused;
		gaps += d->gaps;
		lurk_session_stop(&d->session);
		sim_rig_end(d->rig);
		free(d);
	}
	print_message("%s: %lu presses and releases, %lu changes, %lu gaps pressed into, %lu calls "
		      "refused\n",
		      what, events, made, gaps, refused);
	assert_true(made > as_often(2500) && gaps > as_often(250));
	assert_true(!refuse || refused > as_often(250));
}

static void nothing_is_lost(void **state)
{
	(void)state;
	run("rules change", true, 0, 1000);
}

static void nothing_sticks(void **state)
{
	(void)state;
	run("all changes", false, 0, 2000);
}

static void nothing_sticks_on_a_machine_that_refuses(void **state)
{
	(void)state;
	run("refusing", false, 30, 3000);
}

/* ---- Seats ------------------------------------------------------------------------------------
 */

/* Two keyboards at two seats, by the same rules; the fingers of those that `at` has a bit for. */
static struct desk *at_seats(uint64_t seed, const char *set, unsigned at)
{
	struct desk *d = make(seed, 1);

	d->records = true;
	lurk_sim_seat(d->rig->sim, 1, "seat1");
	settle(d);
	test_rules_read(&d->rules, set);
	d->rules.way = LURK_WAY_RELAY;
	assert_int_equal(test_rules_image(&d->rules), LURK_OK);
	assert_int_equal(lurk_session_apply(&d->session, NULL, d->rules.bytes, d->rules.length,
					    LURK_NO_TEXT, &d->report),
			 LURK_OK);
	pass(d, 2000);
	for (unsigned step = 0; step < 400; step++) {
		const unsigned keyboard = any(d, 2), key = any(d, KEYS), ms = any(d, 30);

		if (at >> keyboard & 1 && strcmp(keys[key], "ShiftRight") != 0 &&
		    (d->fingers[keyboard][key] || has_room(d, keyboard)))
			finger(d, keyboard, key, !d->fingers[keyboard][key]);
		pass(d, ms);
	}
	rest(d);
	return d;
}

static void end_seats(struct desk *d)
{
	lurk_session_stop(&d->session);
	sim_rig_end(d->rig);
	free(d);
}

static void seats_are_nothing_to_each_other(void **state)
{
	size_t judged = 0;

	(void)state;
	for (unsigned round = 0; round < as_often(4 * COUNT(sets)); round++) {
		const char *set = sets[round % COUNT(sets)];
		const uint64_t seed = 4000 + round;
		struct desk *both;

		/* Off, and the profile, are the computer's. */
		if (strstr(set, "toggle") || strchr(set, '=') || !strncmp(set, "relay", 5))
			continue;
		both = at_seats(seed, set, 3);
		for (unsigned k = 0; k < 2; k++) {
			struct desk *alone = at_seats(seed, set, 1U << k);

			assert_string_equal(both->got[k], alone->got[k]);
			assert_int_equal(alone->got_length[1 - k], 0);
			judged += alone->got_length[k];
			end_seats(alone);
		}
		end_seats(both);
	}
	assert_true(judged > as_often(50000));
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(nothing_is_lost),
		cmocka_unit_test(nothing_sticks),
		cmocka_unit_test(nothing_sticks_on_a_machine_that_refuses),
		cmocka_unit_test(seats_are_nothing_to_each_other),
	};

	return cmocka_run_group_tests_name("press", tests, NULL, NULL);
}
