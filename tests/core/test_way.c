/* Table or relay: rules, and which way they take on a keyboard, for which reason. */
#include "rules.h"

#include "lurk/way.h"

/* What the made-up keyboards have, in their table and otherwise. */
static const lurk_key in_table[] = {LURK_KEY_A,          LURK_KEY_B,      LURK_KEY_CAPSLOCK,
				    LURK_KEY_INSERT,     LURK_KEY_ESC,    LURK_KEY_LEFTSHIFT,
				    LURK_KEY_RIGHTSHIFT, LURK_KEY_DELETE, LURK_KEY_F13};

struct table_port {
	struct lurk_port port;
	enum lurk_error error;
};

static enum lurk_error table_get(struct lurk_port *port, uint16_t keyboard, uint16_t index,
				 struct lurk_table_entry *entry)
{
	(void)keyboard;
	if (index >= COUNT(in_table))
		return LURK_ERR_PORT;
	entry->original = entry->key = in_table[index];
	entry->scan = lurk_key_scan_on(entry->key, LURK_WIRING_HID);
	return ((struct table_port *)port)->error;
}

/* Choosing needs nothing else of a machine. */
static const struct lurk_port_class table_class = {.table_get = table_get};

enum { ONE = 1, TWO }; /* described keyboards; F13 of the second never comes up */
enum { NO_TABLE, A_TABLE, NO_TABLE_BUT_SCANS };

static const struct row {
	const char *rules;
	uint8_t keyboard, table, asked;
	uint8_t way, reason;
	lurk_key key;
	unsigned changes;
} rows[] = {
	{"", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, 0, 0},
	{"!CapsLock>Insert", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, 0,
	 0},
	{"CapsLock>Insert @2", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE,
	 0, 0},
	{"CapsLock>itself", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, 0,
	 0},
	{"CapsLock<>Escape", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 0, 2},
	{"KeyA>KeyB; KeyB>CapsLock; CapsLock>KeyA", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_TABLE,
	 LURK_BECAUSE_ONE_TO_ONE, 0, 3},
	/* What no entry gives is no longer declared. */
	{"CapsLock>nothing", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_FORGOTTEN,
	 LURK_KEY_CAPSLOCK, 1},
	{"KeyA>nothing; KeyB>nothing", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY,
	 LURK_BECAUSE_FORGOTTEN, LURK_KEY_A, 2},
	{"hid:07:39>Tab", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_FORGOTTEN,
	 LURK_KEY_CAPSLOCK, 1},
	{"CapsLock>nothing", ONE, A_TABLE, LURK_WAY_TABLE, LURK_WAY_TABLE, LURK_BECAUSE_FORGOTTEN,
	 LURK_KEY_CAPSLOCK, 1},
	/* The table does not count. */
	{"CapsLock>Insert", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_TWICE,
	 LURK_KEY_INSERT, 1},
	{"CapsLock>Insert; Insert>nothing", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY,
	 LURK_BECAUSE_FORGOTTEN, LURK_KEY_CAPSLOCK, 2},
	{"KeyA>Tab; KeyB>Tab", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_TWICE,
	 LURK_KEY_TAB, 2},
	{"CapsLock>LaunchMail", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY,
	 LURK_BECAUSE_UNDECLARED, LURK_KEY_MAIL, 1},
	/* A code that it does not list: nothing needs to be done so that it gives nothing. */
	{"hid:07:a5>Tab", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_NOT_IN_TABLE,
	 0, 0},
	{"hid:07:a5>Meta+KeyC", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY,
	 LURK_BECAUSE_NOT_IN_TABLE, 0, 0},
	{"hid:07:a5>nothing", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, 0,
	 0},
	/* More than a key, or not in any case. */
	{"CapsLock>Meta+KeyC", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_MORE,
	 LURK_KEY_CAPSLOCK, 1},
	{"KeyB>\"#\"", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_MORE, LURK_KEY_B,
	 1},
	{"KeyB>toggle", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_MORE, LURK_KEY_B,
	 1},
	{"Shift+KeyA>KeyB", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_MODIFIERS,
	 LURK_KEY_A, 1},
	{"only KeyA>Tab", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_MODIFIERS,
	 LURK_KEY_A, 1},
	{"F13>Tab", TWO, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_TAP, LURK_KEY_F13,
	 1},
	{"F13>KeyA; KeyA>F13", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_TABLE,
	 LURK_BECAUSE_ONE_TO_ONE, 0, 2},
	/* Keys of the off chord must still be heard. */
	{"ShiftLeft>nothing", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_CHORD,
	 LURK_KEY_LEFTSHIFT, 1},
	{"ShiftLeft<>KeyA", ONE, A_TABLE, LURK_WAY_PLAIN, LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 0, 2},
	/* As asked, where that is possible. */
	{"CapsLock<>Escape", ONE, A_TABLE, LURK_WAY_RELAY, LURK_WAY_RELAY, LURK_BECAUSE_ASKED, 0,
	 2},
	{"", ONE, A_TABLE, LURK_WAY_RELAY, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, 0, 0},
	{"CapsLock>Insert", ONE, A_TABLE, LURK_WAY_TABLE, LURK_WAY_TABLE, LURK_BECAUSE_TWICE,
	 LURK_KEY_INSERT, 1},
	{"CapsLock<>Escape", ONE, A_TABLE, LURK_WAY_TABLE, LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 0, 2},
	/* No table. */
	{"", ONE, NO_TABLE, LURK_WAY_PLAIN, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, 0, 0},
	{"LaunchMail>Tab", ONE, NO_TABLE, LURK_WAY_PLAIN, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, 0,
	 0},
	{"hid:07:a5>Tab", ONE, NO_TABLE, LURK_WAY_PLAIN, LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, 0,
	 0},
	{"hid:07:a5>Tab", ONE, NO_TABLE_BUT_SCANS, LURK_WAY_PLAIN, LURK_WAY_RELAY,
	 LURK_BECAUSE_NO_TABLE, 0, 0},
	{"hid:07:a5>toggle", ONE, NO_TABLE_BUT_SCANS, LURK_WAY_PLAIN, LURK_WAY_RELAY,
	 LURK_BECAUSE_NO_TABLE, 0, 0},
	{"hid:07:a5>itself", ONE, NO_TABLE_BUT_SCANS, LURK_WAY_PLAIN, LURK_WAY_PLAIN,
	 LURK_BECAUSE_NO_RULE, 0, 0},
	{"CapsLock>toggle", ONE, NO_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_NO_TABLE, 0,
	 0},
	{"CapsLock>Insert", ONE, NO_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_NO_TABLE, 0,
	 0},
	{"Shift+KeyA>KeyB", ONE, NO_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_NO_TABLE, 0,
	 0},
	{"", TWO, NO_TABLE, LURK_WAY_PLAIN, LURK_WAY_RELAY, LURK_BECAUSE_NO_TABLE, 0, 0},
	{"CapsLock>Insert", ONE, NO_TABLE, LURK_WAY_TABLE, LURK_WAY_RELAY, LURK_BECAUSE_NO_TABLE, 0,
	 0},
};

static const struct lurk_keymap *compile(const char *rules, uint16_t keyboard)
{
	static struct test_rules t;
	static _Alignas(16) uint8_t memory[TEST_KEYMAP];
	struct lurk_compile_job job = {&t.image, 0, keyboard, LURK_WIRING_HID, false, NULL};
	struct lurk_compile_report report;
	struct lurk_keymap *keymap;

	test_rules_read(&t, rules);
	assert_int_equal(lurk_compile(&job, memory, sizeof memory, &keymap, &report), LURK_OK);
	return keymap;
}

static struct lurk_port_keyboard keyboard_of(unsigned table)
{
	struct lurk_port_keyboard keyboard = {
		.table_entries = table == A_TABLE ? COUNT(in_table) : 0,
		.scans = table == NO_TABLE_BUT_SCANS,
	};

	keyboard.identity.wiring = LURK_WIRING_HID;
	keyboard.declares[LURK_KEY_TAB / 8] |= 1U << LURK_KEY_TAB % 8;
	for (size_t i = 0; i < COUNT(in_table); i++)
		keyboard.declares[in_table[i] / 8] |= (uint8_t)(1U << in_table[i] % 8);
	return keyboard;
}

static void ways_and_reasons(void **state)
{
	struct table_port machine = {{&table_class}, LURK_OK};
	struct lurk_chord chord;

	(void)state;
	lurk_chord_init(&chord);
	for (size_t i = 0; i < COUNT(rows); i++) {
		const struct row *row = &rows[i];
		const struct lurk_port_keyboard keyboard = keyboard_of(row->table);
		const struct lurk_keymap *keymap = compile(row->rules, row->keyboard);
		struct lurk_way_choice choice;

		assert_int_equal(lurk_way_choose(&machine.port, 0, &keyboard, keymap, &chord,
						 (enum lurk_way)row->asked, &choice),
				 LURK_OK);
		if (choice.way != row->way || choice.reason != row->reason ||
		    choice.key != row->key || choice.changes != row->changes ||
		    choice.forced !=
			    (row->way == LURK_WAY_TABLE && row->reason != LURK_BECAUSE_ONE_TO_ONE))
			fail_msg("row %zu, \"%s\": way %u, reason %u, key %s, %u changes%s", i,
				 row->rules, choice.way, choice.reason, lurk_key_name(choice.key),
				 choice.changes, choice.forced ? ", forced" : "");
	}
}

static void both_sources_are_told(void **state)
{
	struct table_port machine = {{&table_class}, LURK_OK};
	const struct lurk_port_keyboard keyboard = keyboard_of(true);
	const struct lurk_chord none = {0};
	struct lurk_way_choice choice;

	(void)state;
	lurk_way_choose(&machine.port, 0, &keyboard, compile("KeyB>Insert", ONE), &none,
			LURK_WAY_PLAIN, &choice);
	assert_int_equal(choice.from, LURK_KEY_B);
	assert_int_equal(choice.other, LURK_KEY_INSERT);
	/* Where nobody can be told, that it cannot be read is told. */
	machine.error = LURK_ERR_GONE;
	assert_int_equal(lurk_way_choose(&machine.port, 0, &keyboard, compile("KeyB>Insert", ONE),
					 &none, LURK_WAY_PLAIN, &choice),
			 LURK_ERR_GONE);
}

static void what_entries_hold(void **state)
{
	static const struct {
		lurk_key entry, holds;
	} wanted[] = {{LURK_KEY_A, LURK_KEY_B},
		      {LURK_KEY_B, LURK_KEY_B},
		      {LURK_KEY_CAPSLOCK, LURK_KEY_UNKNOWN},
		      {LURK_KEY_INSERT, LURK_KEY_INSERT},
		      {LURK_KEY_ESC, LURK_KEY_ESC}};
	const struct lurk_keymap *keymap =
		compile("KeyA>KeyB; CapsLock>nothing; Enter>Meta+KeyC", ONE);

	(void)state;
	for (size_t i = 0; i < COUNT(wanted); i++) {
		const struct lurk_table_entry entry = {
			lurk_key_scan_on(wanted[i].entry, LURK_WIRING_HID), wanted[i].entry,
			LURK_KEY_TAB};

		assert_int_equal(lurk_way_entry(keymap, &entry), wanted[i].holds);
		assert_int_equal(lurk_way_entry(NULL, &entry), wanted[i].entry);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(ways_and_reasons),
		cmocka_unit_test(both_sources_are_told),
		cmocka_unit_test(what_entries_hold),
	};

	return cmocka_run_group_tests(tests, NULL, NULL);
}
