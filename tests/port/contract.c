#include "contract.h"

#include <unistd.h>

/* How often a port that waits for nothing any more may ask for patience. */
enum { TRIES = 2000, ROUNDS = 240 };

static contract_make *make_rig;
static contract_end *end_rig;

static int setup(void **state)
{
	*state = make_rig();
	return 0;
}

static int teardown(void **state)
{
	end_rig(*state);
	return 0;
}

static void assert_got(struct contract_rig *rig, const char *expected)
{
	char got[1024] = "";

	assert_true(rig->got(rig, got, sizeof got));
	assert_string_equal(got, expected);
}

static bool next(struct contract_rig *rig, struct lurk_port_event *event)
{
	return rig->port->calls->next(rig->port, event);
}

static void drain(struct contract_rig *rig)
{
	struct lurk_port_event event;

	while (next(rig, &event))
		;
}

/* Deals with what happened until now, and wants to hear of keys from here on. */
static void start_listening(struct contract_rig *rig)
{
	drain(rig);
	rig->port->calls->listen(rig->port, rig->number, NULL, LURK_LISTEN_ALL);
}

static enum lurk_error send(struct contract_rig *rig, lurk_key key, enum lurk_state state)
{
	const struct lurk_frame frame = {
		.keyboard = rig->number, .count = 1, .strokes = {{key, (uint8_t)state}}};

	return rig->port->calls->send(rig->port, &frame);
}

/* The table's entry for a key, LURK_OK. */
static uint16_t entry_of(struct contract_rig *rig, lurk_key key, struct lurk_table_entry *entry)
{
	struct lurk_port_keyboard keyboard;

	assert_true(rig->port->calls->keyboard(rig->port, rig->number, &keyboard));
	for (uint16_t i = 0; i < keyboard.table_entries; i++) {
		assert_int_equal(rig->port->calls->table_get(rig->port, rig->number, i, entry),
				 LURK_OK);
		if (entry->original == key)
			return i;
	}
	fail_msg("no entry for %s", lurk_key_name(key));
	return 0;
}

static void what_is_there_is_plugged_first(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_port_keyboard keyboard;
	struct lurk_port_event event;

	do { /* the machine may have other keyboards */
		assert_true(next(rig, &event));
		assert_int_equal(event.kind, LURK_PORT_PLUGGED);
	} while (event.keyboard != rig->number);
	assert_true(rig->port->calls->keyboard(rig->port, rig->number, &keyboard));
	assert_int_equal(keyboard.identity.bus, LURK_BUS_USB);
	assert_true(lurk_declares(&keyboard, LURK_KEY_A));
	assert_false(lurk_declares(&keyboard, LURK_KEY_SOS));
	assert_false(rig->port->calls->keyboard(rig->port, 999, &keyboard));
	drain(rig);
	assert_false(next(rig, &event));
	assert_true(rig->port->calls->descriptor(rig->port) >= -1);
}

/* The next key; the ends of reports are passed over. */
static bool next_key(struct contract_rig *rig, struct lurk_port_event *event)
{
	while (next(rig, event)) {
		if (event->kind != LURK_PORT_REPORT)
			return true;
	}
	return false;
}

static enum lurk_error take(struct contract_rig *rig, bool at_once, struct lurk_taken_held *held)
{
	enum lurk_error error = rig->port->calls->stand_in(rig->port, rig->number);

	rig->open(rig);
	return error ? error : rig->port->calls->take(rig->port, rig->number, at_once, held);
}

static enum lurk_error end_held(struct contract_rig *rig)
{
	return rig->port->calls->end_held(rig->port, rig->number);
}

static enum lurk_error give_back(struct contract_rig *rig, bool at_once)
{
	return rig->port->calls->give_back(rig->port, rig->number, at_once);
}

static void keys_come_with_scan_code_and_time(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_port_event event;
	uint64_t before = rig->port->calls->now(rig->port);

	drain(rig);
	rig->press(rig, LURK_KEY_A, true);
	rig->press(rig, LURK_KEY_A, false);
	assert_false(next(rig, &event)); /* nobody listens */
	assert_got(rig, "KeyA+ KeyA- ");
	rig->port->calls->listen(rig->port, rig->number, NULL, LURK_LISTEN_ALL);
	rig->press(rig, LURK_KEY_CAPSLOCK, true);
	assert_true(next(rig, &event));
	assert_int_equal(event.kind, LURK_PORT_KEY);
	assert_int_equal(event.key.key, LURK_KEY_CAPSLOCK);
	assert_int_equal(event.key.scan.code, 0x70039);
	assert_int_equal(event.key.scan.kind, LURK_SCAN_HID);
	assert_int_equal(event.key.state, LURK_DOWN);
	assert_true(event.passed && event.time_us >= before);
	if (event.key.more) {
		assert_true(next(rig, &event));
		assert_int_equal(event.kind, LURK_PORT_REPORT);
	}
	rig->press(rig, LURK_KEY_CAPSLOCK, false);
	assert_true(next_key(rig, &event));
	assert_int_equal(event.key.state, LURK_UP);
	assert_got(rig, "CapsLock+ CapsLock- ");
}

static void taken_it_speaks_only_through_send(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_taken_held held;
	struct lurk_port_event event;

	start_listening(rig);
	rig->press(rig, LURK_KEY_B, true);
	drain(rig);
	assert_int_equal(take(rig, false, &held), LURK_ERR_WAIT);
	assert_int_equal(take(rig, true, &held), LURK_OK);
	assert_int_equal(take(rig, true, &held), LURK_OK); /* as it was */
	assert_false(
		next_key(rig, &event)); /* it is not said to be up: the finger is still on it */
	assert_got(rig, "KeyB+ ");
	assert_int_equal(end_held(rig), LURK_OK);
	assert_got(rig, "KeyB- "); /* what was held is not left behind */
	assert_false(next_key(rig, &event));
	rig->press(rig, LURK_KEY_A, true);
	assert_true(next_key(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_A);
	assert_false(event.passed);
	rig->press(rig, LURK_KEY_A, false);
	rig->press(rig, LURK_KEY_B, false);
	drain(rig);
	assert_got(rig, "");
	assert_int_equal(send(rig, LURK_KEY_SPACE, LURK_DOWN), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_SPACE, LURK_DOWN), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_SPACE, LURK_UP), LURK_OK);
	assert_got(rig, "Space+ Space- ");
	/* Any key can be sent, declared by the keyboard or not. */
	assert_int_equal(send(rig, LURK_KEY_MAIL, LURK_DOWN), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_MAIL, LURK_UP), LURK_OK);
	assert_got(rig, "LaunchMail+ LaunchMail- ");
	assert_int_equal(give_back(rig, false), LURK_OK);
	rig->press(rig, LURK_KEY_A, true);
	assert_got(rig, "KeyA+ ");
	rig->press(rig, LURK_KEY_A, false);
	assert_got(rig, "KeyA- ");
}

/* A modifier is told as what it gave, and counts until the next report and after it. */
static void what_is_held_is_told(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_taken_held held = {0};
	struct lurk_port_event event;

	start_listening(rig);
	rig->press(rig, LURK_KEY_LEFTSHIFT, true);
	drain(rig);
	assert_int_equal(take(rig, true, &held), LURK_OK);
	assert_int_equal(held.count, 1);
	assert_int_equal(held.gave[0], LURK_KEY_LEFTSHIFT);
	assert_int_equal(held.keys[0].key, LURK_KEY_LEFTSHIFT);
	assert_int_equal(held.keys[0].scan.code, 0x700e1);
	assert_got(rig, "ShiftLeft+ ");
	assert_int_equal(end_held(rig), LURK_OK);
	assert_got(rig, "ShiftLeft- ");
	rig->press(rig, LURK_KEY_A, true);
	assert_true(next_key(rig, &event)); /* and not the modifier once more, which goes on */
	assert_int_equal(event.key.key, LURK_KEY_A);
	rig->press(rig, LURK_KEY_LEFTSHIFT, false);
	assert_true(next_key(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_LEFTSHIFT);
	assert_int_equal(event.key.state, LURK_UP);
	rig->press(rig, LURK_KEY_A, false);
	drain(rig);
	assert_int_equal(give_back(rig, false), LURK_OK);
	assert_got(rig, "");
}

static void given_back_only_when_nothing_is_down(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_taken_held held;

	drain(rig);
	assert_int_equal(give_back(rig, false), LURK_ERR_GONE); /* it was not taken */
	assert_int_equal(take(rig, true, &held), LURK_OK);
	assert_int_equal(held.count, 0);
	rig->press(rig, LURK_KEY_A, true);
	assert_int_equal(give_back(rig, false), LURK_ERR_WAIT); /* nobody has read it yet */
	drain(rig);
	assert_int_equal(give_back(rig, false), LURK_ERR_WAIT);
	rig->press(rig, LURK_KEY_A, false);
	assert_int_equal(give_back(rig, false), LURK_ERR_WAIT); /* the release waits */
	drain(rig);
	assert_int_equal(give_back(rig, false), LURK_OK);
	rig->press(rig, LURK_KEY_B, true);
	rig->press(rig, LURK_KEY_B, false);
	assert_got(rig, "KeyB+ KeyB- ");
}

static void given_back_at_once_held_keys_are_silent(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_taken_held held;

	drain(rig);
	assert_int_equal(take(rig, true, &held), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_MAIL, LURK_DOWN), LURK_OK);
	rig->press(rig, LURK_KEY_A, true);
	assert_int_equal(give_back(rig, true), LURK_OK);
	assert_got(rig, "LaunchMail+ LaunchMail- "); /* what it pressed goes with it */
	rig->press(rig, LURK_KEY_A, false);
	rig->press(rig, LURK_KEY_B, true);
	rig->press(rig, LURK_KEY_B, false);
	assert_got(rig, "KeyB+ KeyB- ");
}

static void inherit(struct contract_rig *rig, lurk_key key, lurk_key gave, bool *down)
{
	bool modifier = lurk_modifier_place(gave) >= 0;

	if (modifier && !down[key])
		assert_int_equal(send(rig, gave, LURK_DOWN), LURK_OK);
	down[key] = modifier;
}

/* Whoever relays passes on what is not passed already: for programs each press has its release. */
static unsigned relay(struct contract_rig *rig, bool down[LURK_KEY_COUNT])
{
	static bool ending;
	struct lurk_port_event event;
	unsigned held = 0;

	if (rig->look)
		rig->look(rig);
	while (next(rig, &event)) {
		lurk_key key = event.key.key;

		if (event.kind == LURK_PORT_HELD) {
			inherit(rig, key, event.gave, down);
			ending = true;
			held++;
		} else if (event.kind == LURK_PORT_REPORT && ending) {
			ending = end_held(rig) == LURK_ERR_WAIT;
		}
		if (event.kind != LURK_PORT_KEY || event.passed || event.key.state == LURK_REPEAT ||
		    down[key] == (event.key.state == LURK_DOWN))
			continue;
		down[key] = !down[key];
		assert_int_equal(send(rig, key, (enum lurk_state)event.key.state), LURK_OK);
	}
	ending = ending && end_held(rig) == LURK_ERR_WAIT;
	return held;
}

static unsigned count_of(const char *text, char c)
{
	unsigned n = 0;

	for (; *text; text++)
		n += *text == c;
	return n;
}

static void whatever_comes_when(void **state)
{
	struct contract_rig *rig = *state;
	bool down[LURK_KEY_COUNT] = {false};
	unsigned held_keys = 0, presses = 0, unjudged = 0;
	static char got[CONTRACT_GOT];
	char *at;

	start_listening(rig);
	assert_int_equal(rig->port->calls->stand_in(rig->port, rig->number), LURK_OK);
	rig->open(rig);
	for (unsigned round = 0; round < ROUNDS; round++) {
		struct lurk_taken_held held;
		enum lurk_error error;
		unsigned tries = 0;

		rig->hammer(rig, true);
		do {
			if (rig->look)
				rig->look(rig);
			drain(rig);
			error = rig->port->calls->take(rig->port, rig->number,
						       tries++ > 2000 || round % 3 == 0, &held);
		} while (error == LURK_ERR_WAIT);
		assert_int_equal(error, LURK_OK);
		tries = 0;
		for (unsigned i = 0; i < held.count; i++)
			inherit(rig, held.keys[i].key, held.gave[i], down);
		held_keys += held.count;
		while (end_held(rig) == LURK_ERR_WAIT)
			held_keys += relay(rig, down);
		held_keys += relay(rig, down);
		rig->hammer(rig, round % 2);
		for (relay(rig, down); give_back(rig, false) == LURK_ERR_WAIT; relay(rig, down)) {
			if (++tries == 50)
				rig->hammer(rig, false);
			if (tries > 50)
				usleep(1000); /* what it did last may be on its way */
			if (tries == TRIES)
				fail_msg("round %u: not given back, though nothing is down", round);
		}
		rig->hammer(rig, false);
		for (lurk_key key = 1; key < LURK_KEY_COUNT; key++)
			assert_false(down[key]);
		if (!rig->got(rig, got, sizeof got)) {
			unjudged++;
			continue;
		}
		presses += count_of(got, '+');
		if (count_of(got, '+') != count_of(got, '-'))
			fail_msg("round %u: %s", round, got);
		while ((at = strchr(got, '+'))) { /* its release comes after it, on the same key */
			char *start = at, name[48], *release;

			while (start > got && start[-1] != ' ')
				start--;
			snprintf(name, sizeof name, " %.*s- ", (int)(at - start), start);
			release = strstr(at, name);
			if (!release)
				fail_msg("round %u: no release of%s in %s", round, name, got);
			*at = '.';
			release[strlen(name) - 2] = '.';
		}
	}
	assert_true(presses > 60 && unjudged < ROUNDS / 4);
	print_message("%u presses, %u keys held when it was taken, %u rounds not judged\n", presses,
		      held_keys, unjudged);
}

/* The end of a report comes after its last key, whoever wants to hear of which. */
static void reports_end(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_taken_held held;
	struct lurk_port_event event;
	bool open = false;

	drain(rig);
	for (int taken = 0; taken < 2; taken++) {
		rig->port->calls->listen(rig->port, rig->number, NULL, LURK_LISTEN_ALL);
		rig->press(rig, LURK_KEY_A, true);
		rig->press(rig, LURK_KEY_B, true);
		rig->press(rig, LURK_KEY_A, false);
		rig->press(rig, LURK_KEY_B, false);
		while (next(rig, &event)) {
			open = event.kind == LURK_PORT_KEY && event.key.more;
			assert_true(event.kind == LURK_PORT_KEY || event.kind == LURK_PORT_REPORT);
		}
		assert_false(open);
		assert_int_equal(take(rig, true, &held), LURK_OK);
	}
}

/* More than anybody reads in time: presses may get lost, releases and unplugging never. */
static void full_queues_lose_only_presses(void **state)
{
	struct contract_rig *rig = *state;
	bool down[LURK_KEY_COUNT] = {false}, gone = false;
	struct lurk_port_event event;

	start_listening(rig);
	rig->press(rig, LURK_KEY_A, true);
	for (unsigned i = 0; i < 300; i++) {
		rig->press(rig, LURK_KEY_B, true);
		rig->press(rig, LURK_KEY_B, false);
	}
	rig->press(rig, LURK_KEY_A, false);
	while (next(rig, &event)) {
		if (event.kind != LURK_PORT_KEY)
			continue;
		down[event.key.key] = event.key.state != LURK_UP;
	}
	assert_false(down[LURK_KEY_A] || down[LURK_KEY_B]);
	for (unsigned i = 0; i < 300; i++)
		rig->press(rig, LURK_KEY_B, i % 2 == 0);
	rig->plug(rig, false);
	while (next(rig, &event))
		gone = gone || event.kind == LURK_PORT_UNPLUGGED;
	assert_true(gone);
}

static void only_the_keys_that_are_wanted_come(void **state)
{
	static const lurk_key wanted[] = {LURK_KEY_ESC, LURK_KEY_CAPSLOCK};
	struct contract_rig *rig = *state;
	struct lurk_table_entry entry;
	struct lurk_port_event event;
	uint64_t before = rig->port->calls->elapsed(rig->port);

	drain(rig);
	assert_int_equal(rig->port->calls->table_set(rig->port, rig->number,
						     entry_of(rig, LURK_KEY_ESC, &entry),
						     LURK_KEY_TAB),
			 LURK_OK);
	rig->port->calls->listen(rig->port, rig->number, wanted, 2);
	rig->press(rig, LURK_KEY_A, true);
	rig->press(rig, LURK_KEY_TAB, true);
	rig->press(rig, LURK_KEY_A, false);
	rig->press(rig, LURK_KEY_TAB, false);
	drain(rig);
	rig->press(rig, LURK_KEY_ESC, true);
	assert_true(next_key(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_ESC); /* whatever the table makes of it */
	assert_int_equal(event.key.state, LURK_DOWN);
	rig->press(rig, LURK_KEY_ESC, false);
	rig->press(rig, LURK_KEY_CAPSLOCK, true);
	assert_true(next_key(rig, &event));
	assert_int_equal(event.key.state, LURK_UP);
	assert_true(next_key(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_CAPSLOCK);
	assert_false(next_key(rig, &event));
	rig->port->calls->listen(rig->port, rig->number, NULL, 0);
	rig->press(rig, LURK_KEY_CAPSLOCK, false);
	assert_false(next(rig, &event));
	assert_true(rig->port->calls->elapsed(rig->port) >= before);
}

/* Locks are pressed by the stand-in, so that they do not stay on for ever; what an entry gives can
 * be released. */
static void free_it_can_press_locks_and_release(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_table_entry entry;
	struct lurk_port_event event;
	uint16_t i = entry_of(rig, LURK_KEY_A, &entry);

	start_listening(rig);
	assert_int_equal(rig->port->calls->stand_in(rig->port, rig->number), LURK_OK);
	rig->open(rig);
	assert_got(rig, "");
	assert_int_equal(send(rig, LURK_KEY_CAPSLOCK, LURK_DOWN), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_CAPSLOCK, LURK_UP), LURK_OK);
	assert_got(rig, "CapsLock+ CapsLock- ");
	assert_false(next_key(rig, &event)); /* what is sent is not heard as if it were pressed */
	rig->press(rig, LURK_KEY_A, true);
	drain(rig);
	assert_int_equal(rig->port->calls->release(rig->port, rig->number, i), LURK_OK);
	assert_got(rig, "KeyA+ KeyA- ");
	assert_false(next_key(rig, &event));
	rig->press(rig, LURK_KEY_A, false);
	assert_got(rig, "");
	assert_int_equal(rig->port->calls->release(rig->port, rig->number, i), LURK_OK);
	assert_got(rig, "");
}

static void the_table_changes_what_a_key_gives(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_table_entry entry;
	struct lurk_port_event event;
	uint16_t i = entry_of(rig, LURK_KEY_CAPSLOCK, &entry);

	assert_int_equal(entry.key, LURK_KEY_CAPSLOCK);
	assert_int_equal(entry.scan.code, 0x70039);
	assert_int_equal(rig->port->calls->table_set(rig->port, rig->number, i, LURK_KEY_TAB),
			 LURK_OK);
	assert_int_equal(rig->port->calls->table_get(rig->port, rig->number, i, &entry), LURK_OK);
	assert_int_equal(entry.original, LURK_KEY_CAPSLOCK);
	assert_int_equal(entry.key, LURK_KEY_TAB);
	start_listening(rig);
	assert_false(rig->port->calls->is_down(rig->port, rig->number, i));
	rig->press(rig, LURK_KEY_CAPSLOCK, true);
	assert_true(rig->port->calls->is_down(rig->port, rig->number, i));
	rig->press(rig, LURK_KEY_CAPSLOCK, false);
	assert_false(rig->port->calls->is_down(rig->port, rig->number, i));
	assert_got(rig, "Tab+ Tab- ");
	/* Lurk itself sees what the key was, also when it is disabled. */
	assert_true(next_key(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_CAPSLOCK);
	assert_int_equal(rig->port->calls->table_set(rig->port, rig->number, i, LURK_KEY_UNKNOWN),
			 LURK_OK);
	drain(rig);
	rig->press(rig, LURK_KEY_CAPSLOCK, true);
	rig->press(rig, LURK_KEY_CAPSLOCK, false);
	assert_got(rig, "");
	assert_true(next_key(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_CAPSLOCK);
	assert_int_not_equal(
		rig->port->calls->table_set(rig->port, rig->number, 60000, LURK_KEY_TAB), LURK_OK);
	assert_int_not_equal(rig->port->calls->table_get(rig->port, rig->number, 60000, &entry),
			     LURK_OK);
}

static void unplugged_it_is_gone(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_port_keyboard keyboard;
	struct lurk_table_entry entry;
	struct lurk_taken_held held;
	struct lurk_port_event event;
	uint16_t i = entry_of(rig, LURK_KEY_CAPSLOCK, &entry);

	rig->port->calls->table_set(rig->port, rig->number, i, LURK_KEY_TAB);
	drain(rig);
	rig->press(rig, LURK_KEY_A, true);
	drain(rig);
	rig->plug(rig, false);
	assert_got(rig, "KeyA+ KeyA- ");
	assert_true(next_key(rig, &event));
	assert_int_equal(event.kind, LURK_PORT_UNPLUGGED);
	assert_false(rig->port->calls->keyboard(rig->port, rig->number, &keyboard));
	assert_int_equal(rig->port->calls->take(rig->port, rig->number, true, &held),
			 LURK_ERR_GONE);
	assert_int_equal(rig->port->calls->table_get(rig->port, rig->number, i, &entry),
			 LURK_ERR_GONE);
	assert_int_equal(rig->port->calls->table_set(rig->port, rig->number, i, LURK_KEY_TAB),
			 LURK_ERR_GONE);
	assert_int_equal(send(rig, LURK_KEY_A, LURK_UP), LURK_ERR_GONE);
	rig->plug(rig, true);
	for (unsigned tries = 0; !next(rig, &event); tries++) {
		assert_true(tries < 100);
		rig->open(rig); /* it may have more interfaces that are to come */
	}
	assert_int_equal(event.kind, LURK_PORT_PLUGGED);
	rig->number = event.keyboard;
	entry_of(rig, LURK_KEY_CAPSLOCK, &entry); /* its table is as new */
	assert_int_equal(entry.key, LURK_KEY_CAPSLOCK);
}

static void unplugged_while_taken_it_can_still_release(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_taken_held held;

	assert_int_equal(take(rig, true, &held), LURK_OK);
	assert_got(rig, "");
	send(rig, LURK_KEY_ENTER, LURK_DOWN);
	rig->plug(rig, false);
	drain(rig);
	assert_int_equal(send(rig, LURK_KEY_ENTER, LURK_UP), LURK_OK);
	assert_got(rig, "Enter+ Enter- ");
	assert_int_equal(give_back(rig, false), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_ENTER, LURK_UP), LURK_ERR_GONE);
}

static void slots_keep_what_is_written(void **state)
{
	struct contract_rig *rig = *state;
	uint8_t bytes[64], back[128];
	size_t size, length;

	assert_true(rig->port->calls->slots(rig->port, &size) >= 2);
	assert_true(size >= 4096);
	assert_int_equal(
		rig->port->calls->slot_read(rig->port, LURK_NOBODY, 1, back, sizeof back, &length),
		LURK_OK);
	assert_int_equal(length, 0);
	memset(bytes, 7, sizeof bytes);
	assert_int_equal(
		rig->port->calls->slot_write(rig->port, LURK_NOBODY, 0, bytes, sizeof bytes),
		LURK_OK);
	memset(bytes, 8, sizeof bytes);
	rig->cut_power(rig, 10);
	assert_int_not_equal(
		rig->port->calls->slot_write(rig->port, LURK_NOBODY, 1, bytes, sizeof bytes),
		LURK_OK);
	rig->restart(rig);
	assert_int_equal(
		rig->port->calls->slot_read(rig->port, LURK_NOBODY, 0, back, sizeof back, &length),
		LURK_OK);
	assert_int_equal(length, sizeof bytes);
	assert_int_equal(back[63], 7);
	assert_int_equal(rig->port->calls->slot_write(rig->port, LURK_NOBODY, 0, bytes, 5),
			 LURK_OK);
	assert_int_equal(
		rig->port->calls->slot_read(rig->port, LURK_NOBODY, 0, back, sizeof back, &length),
		LURK_OK);
	assert_int_equal(length, 5);
}

int contract_run(const char *name, contract_make *make, contract_end *end)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test_setup_teardown(what_is_there_is_plugged_first, setup, teardown),
		cmocka_unit_test_setup_teardown(keys_come_with_scan_code_and_time, setup, teardown),
		cmocka_unit_test_setup_teardown(taken_it_speaks_only_through_send, setup, teardown),
		cmocka_unit_test_setup_teardown(what_is_held_is_told, setup, teardown),
		cmocka_unit_test_setup_teardown(given_back_only_when_nothing_is_down, setup,
						teardown),
		cmocka_unit_test_setup_teardown(given_back_at_once_held_keys_are_silent, setup,
						teardown),
		cmocka_unit_test_setup_teardown(whatever_comes_when, setup, teardown),
		cmocka_unit_test_setup_teardown(reports_end, setup, teardown),
		cmocka_unit_test_setup_teardown(full_queues_lose_only_presses, setup, teardown),
		cmocka_unit_test_setup_teardown(only_the_keys_that_are_wanted_come, setup,
						teardown),
		cmocka_unit_test_setup_teardown(free_it_can_press_locks_and_release, setup,
						teardown),
		cmocka_unit_test_setup_teardown(the_table_changes_what_a_key_gives, setup,
						teardown),
		cmocka_unit_test_setup_teardown(unplugged_it_is_gone, setup, teardown),
		cmocka_unit_test_setup_teardown(unplugged_while_taken_it_can_still_release, setup,
						teardown),
		cmocka_unit_test_setup_teardown(slots_keep_what_is_written, setup, teardown),
	};

	make_rig = make;
	end_rig = end;
	return cmocka_run_group_tests_name(name, tests, NULL, NULL);
}
