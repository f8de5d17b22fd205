/* The key table, the scan codes and the names, against the kernel's own tables and against words
 * that people use. */
#include "check.h"

#include "lurk/name.h"

static void each_row_of_the_kernels_hid_table(void **state)
{
	FILE *file = open_data("kernel-hid-keymap.tsv");
	unsigned page, usage, code, rows = 0;
	char line[128], name[64];

	(void)state;
	while (fgets(line, sizeof line, file)) {
		lurk_scan scan;
		bool listed = false;

		if (sscanf(line, "%x:%x %u %63s", &page, &usage, &code, name) != 4)
			continue;
		scan = lurk_scan_make(LURK_SCAN_HID, page << 16 | usage);
		assert_int_equal(lurk_scan_key(scan), code);
		assert_string_equal(lurk_key_evdev_name((lurk_key)code), name);
		assert_int_equal(lurk_scan_raw(scan), page << 16 | usage);
		for (size_t i = 0; lurk_key_scan((lurk_key)code, i).kind; i++)
			listed = listed || lurk_scan_same(lurk_key_scan((lurk_key)code, i), scan);
		assert_true(listed);
		rows++;
	}
	fclose(file);
	assert_int_equal(rows, 348);
}

static void each_row_of_the_kernels_ps2_table(void **state)
{
	FILE *file = open_data("kernel-ps2-keymap.tsv");
	unsigned raw, code, rows = 0;
	char line[128], name[64];

	(void)state;
	while (fgets(line, sizeof line, file)) {
		lurk_scan set1, set2, back;

		if (sscanf(line, "%x %u %63s", &raw, &code, name) != 3 || code == 255)
			continue;
		set1 = lurk_scan_on(lurk_scan_make(LURK_SCAN_RAW, raw), LURK_WIRING_SET1);
		assert_int_equal(lurk_scan_key(set1), code);
		assert_int_equal(lurk_scan_raw(set1), raw);
		set2 = lurk_scan_on(set1, LURK_WIRING_SET2);
		assert_int_equal(lurk_scan_key(set2), code);
		back = lurk_scan_on(set2, LURK_WIRING_SET1);
		assert_true(lurk_scan_same(back, set1));
		rows++;
	}
	fclose(file);
	assert_int_equal(rows, 148);
}

static void every_key_finds_itself(void **state)
{
	unsigned keys = 0;

	(void)state;
	for (lurk_key k = lurk_key_next(LURK_KEY_NONE); k; k = lurk_key_next(k)) {
		struct lurk_name name;
		char text[LURK_SCAN_TEXT], meaning[80];

		keys++;
		for (int both = 0; both < 2; both++) {
			const char *word = both ? lurk_key_evdev_name(k) : lurk_key_name(k);

			assert_int_equal(lurk_name_read(word, strlen(word), NULL, &name),
					 LURK_NAME_PRESS);
			assert_int_equal(name.press.on.kind, LURK_TARGET_KEY);
			assert_int_equal(name.press.on.key, k);
		}
		for (size_t i = 0; lurk_key_scan(k, i).kind; i++) {
			lurk_scan read, scan = lurk_key_scan(k, i);

			assert_int_equal(lurk_scan_key(scan), k);
			lurk_scan_write(scan, text);
			assert_int_equal(lurk_scan_read(text, strlen(text), &read), LURK_OK);
			assert_true(lurk_scan_same(read, scan));
		}
		snprintf(meaning, sizeof meaning, "any %s", lurk_key_meaning(k));
		if (strlen(meaning) > 4 && !strchr(" -_", meaning[4])) {
			assert_int_equal(lurk_name_read(meaning, strlen(meaning), NULL, &name),
					 LURK_NAME_PRESS);
			assert_int_equal(name.press.on.kind, LURK_TARGET_MEANING);
			assert_true(lurk_key_same_meaning(name.press.on.key, k));
		}
		if (lurk_key_other_side(k))
			assert_true(lurk_key_same_meaning(k, lurk_key_other_side(k)));
	}
	assert_int_equal(keys, 504);
	assert_string_equal(lurk_key_name(LURK_KEY_COUNT), "");
	assert_string_equal(lurk_key_name(84), "");
	assert_int_equal(lurk_key_side(LURK_KEY_KPENTER), LURK_SIDE_NUMPAD);
	assert_string_equal(lurk_key_pair_name(LURK_KEY_RIGHTMETA), "Meta");
	assert_string_equal(lurk_key_pair_name(LURK_KEY_A), "");
}

/* A word, and what it is: a key's name; "pair X"; "any X"; a scan code; "?" and keys where it can
 * be several; "~" and keys where it is nearly one; "#" for a number; "@" for a character without a
 * layout. Modifiers stand before it as a mask. */
static const struct {
	const char *word, *is;
} words[] = {
	{"capslock", "CapsLock"},
	{"CAPS LOCK", "CapsLock"},
	{"KEY_CAPSLOCK", "CapsLock"},
	{"caps", "CapsLock"},
	{"lctrl", "ControlLeft"},
	{"left ctrl", "ControlLeft"},
	{"controlright", "ControlRight"},
	{"rightalt", "AltRight"},
	{"RAlt", "AltRight"},
	{"altgr", "AltRight"},
	{"esc", "Escape"},
	{"super", "pair Meta"},
	{"Meta", "pair Meta"},
	{"logo", "pair Meta"},
	{"windows key", "pair Meta"},
	{"left logo key", "MetaLeft"},
	{"Enter-key", "Enter"},
	{"xkey", "~"},
	{"keykeykey", "~KeyQ,KeyW,KeyE"},
	{"lcmd", "MetaLeft"},
	{"option", "pair Alt"},
	{"right option", "AltRight"},
	{"ctrl", "pair Control"},
	{"kp enter", "NumpadEnter"},
	{"KP_Enter", "NumpadEnter"},
	{"numpad enter", "NumpadEnter"},
	{"keypad -", "NumpadSubtract"},
	{"kp0", "Numpad0"},
	{"num lock", "NumLock"},
	{"return", "Enter"},
	{"Delete", "Delete"},
	{"del", "Delete"},
	{"pgdn", "PageDown"},
	{"page_down", "PageDown"},
	{"a", "KeyA"},
	{"KeyA", "KeyA"},
	{"f13", "F13"},
	{"prog1", "KEY_PROG1"},
	{"KEY_PROG1", "KEY_PROG1"},
	{"LaunchMail", "LaunchMail"},
	{"mute", "AudioVolumeMute"},
	{"evdev:58", "CapsLock"},
	{"evdev:0x3a", "CapsLock"},
	{"evdev:3a", "~"},
	{"evdev:84", "~"},
	{"evdev:", "~"},
	{"any Enter", "any Enter"},
	{"any alt", "any AltLeft"},
	{"any entre", "~Enter"},
	{"shift+3", "200*Digit3"},
	{"200+300", "#"},
	{"Shift+Digit3", "200*Digit3"},
	{"control+alt right+e", "140*KeyE"},
	{"meta + c", "800*KeyC"},
	{"shift+kp +", "200*NumpadAdd"},
	{"a+b", "~"},
	{"only h", "only KeyH"},
	{"hid:07:a5", "hid:07:a5"},
	{"HID:7:0xA5", "hid:07:a5"},
	{"07:a5", "hid:07:a5"},
	{"0c:1b4", "hid:0c:1b4"},
	{"set1:e0 5b", "set1:e05b"},
	{"set1:0xE0,0x5B", "set1:e05b"},
	{"set2:E1 14 77", "set2:e11477"},
	{"raw:0x70039", "raw:0x70039"},
	{"set1:e15b", "~"},
	{"set1:00", "~"},
	{"set3:11", "~"},
	{"set1:", "~"},
	{"hid:07:", "~"},
	{"hid:07:10000", "~"},
	{"raw:123456789", "~"},
	{"search", "?BrowserSearch,Find"},
	{"Menu", "?ContextMenu,KEY_MENU,KEY_CONTEXT_MENU,KEY_ROOT_MENU"},
	{"delete", "?Delete,Backspace,NumpadDecimal,KEY_DELETEFILE"},
	{"DELETE", "?Delete,Backspace,NumpadDecimal,KEY_DELETEFILE"},
	{"print", "?PrintScreen,KEY_PRINT"},
	{"home", "?Home,BrowserHome,Numpad7"},
	{"Home", "Home"},
	{"play", "?MediaPlayPause,MediaPlay,KEY_PLAYCD"},
	{"capslok", "~CapsLock"},
	{"cpslok", "~CapsLock"},
	{"ctrlc", "~"},
	{"f", "KeyF"},
	{"qq", "~"},
	{"Entre", "~Enter"},
	{"numpadentre", "~NumpadEnter"},
	{"xyzzyxyzzy", "~"},
	{"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa", "~"},
	{"", "~"},
	{"   ", "~"},
	{"'", "@"},
	{"58", "#"},
	{"0x3a", "#"},
	{"e05b", "#"},
	{"e0 5b", "#"},
	{"3", "#"},
	{"123456789", "~"},
	{"';'", "@"},
	{"#", "@"},
	{"'x'", "KeyX"},
	{"+", "@"},
	{"\xc3\xa9", "@"},
	{"'\xc3\xa9'", "@"},
	{"'\xc3", "~"},
	{"\xff\xfe", "~"},
};

static void write_name(const struct lurk_name *name, char *out, size_t size)
{
	static const char marks[] = {
		[LURK_NAME_MANY] = '?',
		[LURK_NAME_NUMBER] = '#',
		[LURK_NAME_CHARACTER] = '@',
		[LURK_NAME_UNKNOWN] = '~',
	};
	const struct lurk_press *press = &name->press;
	char scan[LURK_SCAN_TEXT];
	size_t n = 0;

	if (name->kind != LURK_NAME_PRESS) {
		n += (size_t)snprintf(out, size, "%c", marks[name->kind]);
		for (unsigned i = 0; i < name->count; i++)
			n += (size_t)snprintf(out + n, size - n, "%s%s", i ? "," : "",
					      lurk_key_name(name->keys[i]));
		return;
	}
	if (press->only)
		n += (size_t)snprintf(out, size, "only ");
	if (press->modifiers)
		n += (size_t)snprintf(out + n, size - n, "%x*", press->modifiers);
	if (press->on.kind == LURK_TARGET_SCAN)
		snprintf(out + n, size - n, "%s", lurk_scan_write(press->on.scan, scan));
	else if (press->on.kind == LURK_TARGET_PAIR)
		snprintf(out + n, size - n, "pair %s", lurk_key_pair_name(press->on.key));
	else
		snprintf(out + n, size - n, "%s%s",
			 press->on.kind == LURK_TARGET_MEANING ? "any " : "",
			 lurk_key_name(press->on.key));
}

static void words_are_read(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(words); i++) {
		struct lurk_name name;
		char is[256];

		lurk_name_read(words[i].word, strlen(words[i].word), NULL, &name);
		write_name(&name, is, sizeof is);
		if (strcmp(is, words[i].is))
			fail_msg("\"%s\": %s, not %s", words[i].word, is, words[i].is);
	}
}

/* A layout that has `#` on Backslash and `£` on Shift+Digit3. */
static bool find_on_gb(void *data, uint32_t c, lurk_key *key, uint16_t *modifiers)
{
	(void)data;
	*key = c == '#' ? LURK_KEY_BACKSLASH : LURK_KEY_3;
	*modifiers = c == '#' ? 0 : LURK_MOD_SHIFT;
	return c == '#' || c == 0xa3;
}

static void characters_are_found_on_the_layout(void **state)
{
	struct lurk_characters gb = {.find = find_on_gb};
	struct lurk_name name;
	char is[64];

	(void)state;
	assert_int_equal(lurk_name_read("'#'", 3, &gb, &name), LURK_NAME_PRESS);
	assert_int_equal(name.press.on.key, LURK_KEY_BACKSLASH);
	lurk_name_read("control+\xc2\xa3", 10, &gb, &name);
	write_name(&name, is, sizeof is);
	assert_string_equal(is, "300*Digit3");
	assert_int_equal(lurk_name_read("';'", 3, &gb, &name), LURK_NAME_CHARACTER);
	/* A capital names its key. */
	assert_int_equal(lurk_name_read("Meta+C", 6, NULL, &name), LURK_NAME_PRESS);
	write_name(&name, is, sizeof is);
	assert_string_equal(is, "800*KeyC");
}

/* A bare number, and its readings in order. */
static const struct {
	const char *number, *readings;
} numbers[] = {
	{"3a", "set 1=CapsLock; set 2=KeyM; HID usage, keyboard page=F1; event code, hex=CapsLock; "
	       "display keycode, hex=KeyM; "},
	{"e05b", "set 1=MetaLeft; "},
	{"0x15b", "set 1, nine bits=MetaLeft; "},
	{"5be0", "set 1, bytes swapped=MetaLeft; "},
	{"0x70039", "raw scan value=CapsLock; "},
	{"1", "set 1=Escape; set 2=F9; event code=Escape; "},
	{"0xffff", ""},
};

static void numbers_are_read_every_way(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(numbers); i++) {
		struct lurk_name name;
		struct lurk_reading reading;
		char is[512] = "";
		size_t n = 0;

		assert_int_equal(
			lurk_name_read(numbers[i].number, strlen(numbers[i].number), NULL, &name),
			LURK_NAME_NUMBER);
		for (unsigned k = 0; lurk_name_reading(&name, k, &reading); k++)
			n += (size_t)snprintf(is + n, sizeof is - n, "%s=%s; ", reading.as,
					      lurk_key_name(reading.key));
		assert_string_equal(is, numbers[i].readings);
	}
}

static void wirings_translate(void **state)
{
	static const struct {
		const char *code, *hid, *set1, *set2;
	} rows[] = {
		{"set1:3a", "?", "set1:3a", "set2:58"},
		{"set2:58", "?", "set1:3a", "set2:58"},
		{"set2:83", "?", "set1:41", "set2:83"},
		{"set2:02", "?", "set1:41", "set2:02"},
		{"set2:e11477", "?", "set1:e11d45", "set2:e11477"},
		{"set1:f1", "?", "set1:f1", "set2:f1"},
		{"set1:80", "?", "set1:80", "?"},
		{"hid:07:39", "hid:07:39", "?", "?"},
		{"raw:0x70039", "hid:07:39", "?", "?"},
		{"raw:0xdb", "hid:00:db", "set1:e05b", "set2:e05b"},
		{"raw:0x103", "hid:00:103", "set1:83", "set2:83"},
		{"raw:0xc5", "hid:00:c5", "set1:e11d45", "set2:e045"},
	};
	static const enum lurk_wiring wirings[] = {LURK_WIRING_HID, LURK_WIRING_SET1,
						   LURK_WIRING_SET2};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		const char *want[] = {rows[i].hid, rows[i].set1, rows[i].set2};

		for (size_t w = 0; w < COUNT(wirings); w++) {
			char text[LURK_SCAN_TEXT];
			lurk_scan scan;

			lurk_scan_read(rows[i].code, strlen(rows[i].code), &scan);
			assert_string_equal(lurk_scan_write(lurk_scan_on(scan, wirings[w]), text),
					    want[w]);
		}
	}
}

static void nearly_the_same_word_is_found(void **state)
{
	static const char *const words[] = {"map", "move", "restore", "show"};
	static const struct {
		const char *word, *nearest;
	} rows[] = {{"mpa", "map"},  {"moev", "move"}, {"Re-Store", "restore"},
		    {"shw", "show"}, {"sow", "show"},  {"mo", NULL},
		    {"teal", NULL},  {"x", NULL},      {"", NULL}};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		const char *nearest = lurk_name_nearest(rows[i].word, words, COUNT(words));

		assert_string_equal(nearest ? nearest : "-",
				    rows[i].nearest ? rows[i].nearest : "-");
	}
	for (int e = LURK_OK; e < LURK_ERROR_COUNT; e++)
		assert_true(strlen(lurk_error_text((enum lurk_error)e)) > 3);
	assert_string_equal(lurk_error_text(LURK_ERROR_COUNT), "unknown error");
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(each_row_of_the_kernels_hid_table),
		cmocka_unit_test(each_row_of_the_kernels_ps2_table),
		cmocka_unit_test(every_key_finds_itself),
		cmocka_unit_test(words_are_read),
		cmocka_unit_test(characters_are_found_on_the_layout),
		cmocka_unit_test(numbers_are_read_every_way),
		cmocka_unit_test(wirings_translate),
		cmocka_unit_test(nearly_the_same_word_is_found),
	};

	return cmocka_run_group_tests_name("keys", tests, NULL, NULL);
}
