#include "contract.h"

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

	rig->got(rig, got, sizeof got);
	assert_string_equal(got, expected);
}

static bool next(struct contract_rig *rig, struct lurk_port_event *event)
{
	return rig->port->class->next(rig->port, event);
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
	rig->port->class->listen(rig->port, rig->number, NULL, LURK_LISTEN_ALL);
}

static enum lurk_error send(struct contract_rig *rig, lurk_key key, enum lurk_state state)
{
	const struct lurk_frame frame = {
		.keyboard = rig->number, .count = 1, .strokes = {{key, (uint8_t)state}}};

	return rig->port->class->send(rig->port, &frame);
}

/* The table's entry for a key, LURK_OK. */
static uint16_t entry_of(struct contract_rig *rig, lurk_key key, struct lurk_table_entry *entry)
{
	struct lurk_port_keyboard keyboard;

	assert_true(rig->port->class->keyboard(rig->port, rig->number, &keyboard));
	for (uint16_t i = 0; i < keyboard.table_entries; i++) {
		assert_int_equal(rig->port->class->table_get(rig->port, rig->number, i, entry),
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
	assert_true(rig->port->class->keyboard(rig->port, rig->number, &keyboard));
	assert_int_equal(keyboard.identity.bus, LURK_BUS_USB);
	assert_true(lurk_declares(&keyboard, LURK_KEY_A));
	assert_false(lurk_declares(&keyboard, LURK_KEY_SOS));
	assert_false(rig->port->class->keyboard(rig->port, 999, &keyboard));
	drain(rig);
	assert_false(next(rig, &event));
	assert_true(rig->port->class->descriptor(rig->port) >= -1);
}

static void keys_come_with_scan_code_and_time(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_port_event event;
	uint64_t before = rig->port->class->now(rig->port);

	drain(rig);
	rig->press(rig, LURK_KEY_A, true);
	rig->press(rig, LURK_KEY_A, false);
	assert_false(next(rig, &event)); /* nobody listens */
	assert_got(rig, "KeyA+ KeyA- ");
	rig->port->class->listen(rig->port, rig->number, NULL, LURK_LISTEN_ALL);
	rig->press(rig, LURK_KEY_CAPSLOCK, true);
	assert_true(next(rig, &event));
	assert_int_equal(event.kind, LURK_PORT_KEY);
	assert_int_equal(event.key.key, LURK_KEY_CAPSLOCK);
	assert_int_equal(event.key.scan.code, 0x70039);
	assert_int_equal(event.key.scan.kind, LURK_SCAN_HID);
	assert_int_equal(event.key.state, LURK_DOWN);
	assert_true(event.time_us >= before);
	rig->press(rig, LURK_KEY_CAPSLOCK, false);
	assert_true(next(rig, &event));
	assert_int_equal(event.key.state, LURK_UP);
	assert_got(rig, "CapsLock+ CapsLock- ");
}

static void taken_it_speaks_only_through_send(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_port_event event;

	start_listening(rig);
	rig->press(rig, LURK_KEY_B, true);
	drain(rig);
	assert_int_equal(rig->port->class->take(rig->port, rig->number, true), LURK_OK);
	assert_got(rig, "KeyB+ KeyB- "); /* what was held is not left behind */
	assert_false(next(rig, &event)); /* nor said to be up: the finger is still on it */
	rig->press(rig, LURK_KEY_B, false);
	assert_true(next(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_B);
	assert_int_equal(event.key.state, LURK_UP);
	rig->press(rig, LURK_KEY_A, true);
	rig->press(rig, LURK_KEY_A, false);
	assert_got(rig, "");
	assert_int_equal(send(rig, LURK_KEY_SPACE, LURK_DOWN), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_SPACE, LURK_DOWN), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_SPACE, LURK_UP), LURK_OK);
	assert_got(rig, "Space+ Space- ");
	/* Any key can be sent, declared by the keyboard or not. */
	assert_int_equal(send(rig, LURK_KEY_MAIL, LURK_DOWN), LURK_OK);
	assert_got(rig, "LaunchMail+ ");
	assert_int_equal(rig->port->class->take(rig->port, rig->number, false), LURK_OK);
	assert_got(rig, "LaunchMail- "); /* what it pressed goes with it */
	rig->press(rig, LURK_KEY_A, true);
	assert_got(rig, "KeyA+ ");
}

static void given_back_held_keys_are_silent(void **state)
{
	struct contract_rig *rig = *state;

	assert_int_equal(rig->port->class->take(rig->port, rig->number, true), LURK_OK);
	rig->press(rig, LURK_KEY_A, true);
	assert_int_equal(rig->port->class->take(rig->port, rig->number, false), LURK_OK);
	rig->press(rig, LURK_KEY_A, false);
	rig->press(rig, LURK_KEY_B, true);
	assert_got(rig, "KeyB+ ");
}

static void only_the_keys_that_are_wanted_come(void **state)
{
	static const lurk_key wanted[] = {LURK_KEY_ESC, LURK_KEY_CAPSLOCK};
	struct contract_rig *rig = *state;
	struct lurk_table_entry entry;
	struct lurk_port_event event;
	uint64_t before = rig->port->class->elapsed(rig->port);

	drain(rig);
	assert_int_equal(rig->port->class->table_set(rig->port, rig->number,
						     entry_of(rig, LURK_KEY_ESC, &entry),
						     LURK_KEY_TAB),
			 LURK_OK);
	rig->port->class->listen(rig->port, rig->number, wanted, 2);
	rig->press(rig, LURK_KEY_A, true);
	rig->press(rig, LURK_KEY_TAB, true);
	rig->press(rig, LURK_KEY_A, false);
	rig->press(rig, LURK_KEY_TAB, false);
	drain(rig);
	rig->press(rig, LURK_KEY_ESC, true);
	assert_true(next(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_ESC); /* whatever the table makes of it */
	assert_int_equal(event.key.state, LURK_DOWN);
	rig->press(rig, LURK_KEY_ESC, false);
	rig->press(rig, LURK_KEY_CAPSLOCK, true);
	assert_true(next(rig, &event));
	assert_int_equal(event.key.state, LURK_UP);
	assert_true(next(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_CAPSLOCK);
	assert_false(next(rig, &event));
	rig->port->class->listen(rig->port, rig->number, NULL, 0);
	rig->press(rig, LURK_KEY_CAPSLOCK, false);
	assert_false(next(rig, &event));
	assert_true(rig->port->class->elapsed(rig->port) >= before);
}

static void not_taken_it_only_releases(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_port_event event;

	start_listening(rig);
	assert_int_equal(send(rig, LURK_KEY_A, LURK_DOWN), LURK_OK);
	assert_got(rig, "");
	/* Locks can be pressed, so that they do not stay on for ever. */
	assert_int_equal(send(rig, LURK_KEY_CAPSLOCK, LURK_DOWN), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_CAPSLOCK, LURK_UP), LURK_OK);
	assert_got(rig, "CapsLock+ CapsLock- ");
	assert_false(next(rig, &event)); /* what is sent is not heard as if it were pressed */
	rig->press(rig, LURK_KEY_A, true);
	drain(rig);
	assert_int_equal(send(rig, LURK_KEY_A, LURK_UP), LURK_OK);
	assert_got(rig, "KeyA+ KeyA- ");
	assert_false(next(rig, &event));
	rig->press(rig, LURK_KEY_A, false);
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
	assert_int_equal(rig->port->class->table_set(rig->port, rig->number, i, LURK_KEY_TAB),
			 LURK_OK);
	assert_int_equal(rig->port->class->table_get(rig->port, rig->number, i, &entry), LURK_OK);
	assert_int_equal(entry.original, LURK_KEY_CAPSLOCK);
	assert_int_equal(entry.key, LURK_KEY_TAB);
	start_listening(rig);
	assert_false(rig->port->class->is_down(rig->port, rig->number, i));
	rig->press(rig, LURK_KEY_CAPSLOCK, true);
	assert_true(rig->port->class->is_down(rig->port, rig->number, i));
	rig->press(rig, LURK_KEY_CAPSLOCK, false);
	assert_false(rig->port->class->is_down(rig->port, rig->number, i));
	assert_got(rig, "Tab+ Tab- ");
	/* Lurk itself sees what the key was, also when it is disabled. */
	assert_true(next(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_CAPSLOCK);
	assert_int_equal(rig->port->class->table_set(rig->port, rig->number, i, LURK_KEY_UNKNOWN),
			 LURK_OK);
	drain(rig);
	rig->press(rig, LURK_KEY_CAPSLOCK, true);
	rig->press(rig, LURK_KEY_CAPSLOCK, false);
	assert_got(rig, "");
	assert_true(next(rig, &event));
	assert_int_equal(event.key.key, LURK_KEY_CAPSLOCK);
	assert_int_not_equal(
		rig->port->class->table_set(rig->port, rig->number, 60000, LURK_KEY_TAB), LURK_OK);
	assert_int_not_equal(rig->port->class->table_get(rig->port, rig->number, 60000, &entry),
			     LURK_OK);
}

static void unplugged_it_is_gone(void **state)
{
	struct contract_rig *rig = *state;
	struct lurk_port_keyboard keyboard;
	struct lurk_table_entry entry;
	struct lurk_port_event event;
	uint16_t i = entry_of(rig, LURK_KEY_CAPSLOCK, &entry);

	rig->port->class->table_set(rig->port, rig->number, i, LURK_KEY_TAB);
	drain(rig);
	rig->press(rig, LURK_KEY_A, true);
	drain(rig);
	rig->plug(rig, false);
	assert_got(rig, "KeyA+ KeyA- ");
	assert_true(next(rig, &event));
	assert_int_equal(event.kind, LURK_PORT_UNPLUGGED);
	assert_false(rig->port->class->keyboard(rig->port, rig->number, &keyboard));
	assert_int_equal(rig->port->class->take(rig->port, rig->number, true), LURK_ERR_GONE);
	assert_int_equal(rig->port->class->table_get(rig->port, rig->number, i, &entry),
			 LURK_ERR_GONE);
	assert_int_equal(rig->port->class->table_set(rig->port, rig->number, i, LURK_KEY_TAB),
			 LURK_ERR_GONE);
	assert_int_equal(send(rig, LURK_KEY_A, LURK_UP), LURK_ERR_GONE);
	rig->plug(rig, true);
	assert_true(next(rig, &event));
	assert_int_equal(event.kind, LURK_PORT_PLUGGED);
	rig->number = event.keyboard;
	entry_of(rig, LURK_KEY_CAPSLOCK, &entry); /* its table is as new */
	assert_int_equal(entry.key, LURK_KEY_CAPSLOCK);
}

static void unplugged_while_taken_it_can_still_release(void **state)
{
	struct contract_rig *rig = *state;

	assert_int_equal(rig->port->class->take(rig->port, rig->number, true), LURK_OK);
	assert_got(rig, "");
	send(rig, LURK_KEY_ENTER, LURK_DOWN);
	rig->plug(rig, false);
	drain(rig);
	assert_int_equal(send(rig, LURK_KEY_ENTER, LURK_UP), LURK_OK);
	assert_got(rig, "Enter+ Enter- ");
	assert_int_equal(rig->port->class->take(rig->port, rig->number, false), LURK_OK);
	assert_int_equal(send(rig, LURK_KEY_ENTER, LURK_UP), LURK_ERR_GONE);
}

static void slots_keep_what_is_written(void **state)
{
	struct contract_rig *rig = *state;
	uint8_t bytes[64], back[128];
	size_t size, length;

	assert_true(rig->port->class->slots(rig->port, &size) >= 2);
	assert_true(size >= 4096);
	assert_int_equal(rig->port->class->slot_read(rig->port, 1, back, sizeof back, &length),
			 LURK_OK);
	assert_int_equal(length, 0);
	memset(bytes, 7, sizeof bytes);
	assert_int_equal(rig->port->class->slot_write(rig->port, 0, bytes, sizeof bytes), LURK_OK);
	memset(bytes, 8, sizeof bytes);
	rig->cut_power(rig, 10);
	assert_int_not_equal(rig->port->class->slot_write(rig->port, 1, bytes, sizeof bytes),
			     LURK_OK);
	rig->restart(rig);
	assert_int_equal(rig->port->class->slot_read(rig->port, 0, back, sizeof back, &length),
			 LURK_OK);
	assert_int_equal(length, sizeof bytes);
	assert_int_equal(back[63], 7);
	assert_int_equal(rig->port->class->slot_write(rig->port, 0, bytes, 5), LURK_OK);
	assert_int_equal(rig->port->class->slot_read(rig->port, 0, back, sizeof back, &length),
			 LURK_OK);
	assert_int_equal(length, 5);
}

int contract_run(const char *name, contract_make *make, contract_end *end)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test_setup_teardown(what_is_there_is_plugged_first, setup, teardown),
		cmocka_unit_test_setup_teardown(keys_come_with_scan_code_and_time, setup, teardown),
		cmocka_unit_test_setup_teardown(taken_it_speaks_only_through_send, setup, teardown),
		cmocka_unit_test_setup_teardown(given_back_held_keys_are_silent, setup, teardown),
		cmocka_unit_test_setup_teardown(only_the_keys_that_are_wanted_come, setup,
						teardown),
		cmocka_unit_test_setup_teardown(not_taken_it_only_releases, setup, teardown),
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
