/* Text: the strokes that are found for it, fed to libxkbcommon's own state as a desktop feeds it,
 * give back that text. */
#include "../core/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <xkbcommon/xkbcommon-compose.h>
#include <xkbcommon/xkbcommon.h>

#include "lurk/layout/layout.h"
#include "lurk/text/words.h"

enum { KEYCODE_OFFSET = 8, LAYOUTS = 1024 };

static const char base_list[] = "/usr/share/X11/xkb/rules/base.lst";

/* A desktop of its own, which shares nothing with the code under test. */
struct desktop {
	struct xkb_context *context;
	struct xkb_keymap *keymap;
	struct xkb_state *state;
	struct xkb_compose_state *compose;
	unsigned group; /* which of several layouts is active */
	char text[4096];
};

static struct xkb_compose_table *compose_table;

static void no_log(struct xkb_context *context, enum xkb_log_level level, const char *format,
		   va_list args)
{
	(void)context;
	(void)level;
	(void)format;
	(void)args;
}

static bool desktop_open(struct desktop *d, const char *name, const char *options)
{
	char layout[64] = "", variant[64] = "";
	struct xkb_rule_names names = {.rules = "evdev",
				       .model = "pc105",
				       .layout = layout,
				       .variant = variant,
				       .options = options};

	memset(d, 0, sizeof *d);
	sscanf(name, "%63[^:]:%63s", layout, variant);
	d->context = xkb_context_new(XKB_CONTEXT_NO_FLAGS);
	xkb_context_set_log_fn(d->context, no_log);
	d->keymap = xkb_keymap_new_from_names(d->context, &names, XKB_KEYMAP_COMPILE_NO_FLAGS);
	if (!d->keymap)
		return false;
	if (!compose_table)
		compose_table = xkb_compose_table_new_from_locale(d->context, "en_US.UTF-8",
								  XKB_COMPOSE_COMPILE_NO_FLAGS);
	assert_non_null(compose_table);
	d->compose = xkb_compose_state_new(compose_table, XKB_COMPOSE_STATE_NO_FLAGS);
	return true;
}

/* All keys up, all locks off. */
static void desktop_reset(struct desktop *d)
{
	xkb_state_unref(d->state);
	d->state = xkb_state_new(d->keymap);
	xkb_state_update_mask(d->state, 0, 0, 0, 0, 0, d->group);
	xkb_compose_state_reset(d->compose);
	d->text[0] = '\0';
}

static void desktop_close(struct desktop *d)
{
	xkb_compose_state_unref(d->compose);
	xkb_state_unref(d->state);
	xkb_keymap_unref(d->keymap);
	xkb_context_unref(d->context);
}

static void desktop_key(struct desktop *d, lurk_key key, bool down)
{
	xkb_keycode_t code = (xkb_keycode_t)key + KEYCODE_OFFSET;
	char got[64] = "";

	if (down) {
		xkb_compose_state_feed(d->compose, xkb_state_key_get_one_sym(d->state, code));
		switch (xkb_compose_state_get_status(d->compose)) {
		case XKB_COMPOSE_COMPOSED:
			xkb_compose_state_get_utf8(d->compose, got, sizeof got);
			xkb_compose_state_reset(d->compose);
			break;
		case XKB_COMPOSE_NOTHING:
			xkb_state_key_get_utf8(d->state, code, got, sizeof got);
			*got = *got == '\r' ? '\n' : *got;
			break;
		case XKB_COMPOSE_CANCELLED:
			xkb_compose_state_reset(d->compose);
			break;
		default:
			break;
		}
	}
	xkb_state_update_key(d->state, code, down ? XKB_KEY_DOWN : XKB_KEY_UP);
	snprintf(d->text + strlen(d->text), sizeof d->text - strlen(d->text), "%s", got);
}

static void desktop_tap(struct desktop *d, lurk_key key)
{
	desktop_key(d, key, true);
	desktop_key(d, key, false);
}

/* What the steps of a whole text give, with Caps Lock off before it where a step needs that, as the
 * engine does. */
static void desktop_type(struct desktop *d, const struct lurk_step *steps, size_t count,
			 bool caps_lock)
{
	bool locks = false;

	for (size_t i = 0; i < count; i++)
		locks = locks || steps[i].modifiers & LURK_STEP_LOCKS;
	if (caps_lock)
		desktop_tap(d, LURK_KEY_CAPSLOCK);
	if (caps_lock && locks)
		desktop_tap(d, LURK_KEY_CAPSLOCK);
	d->text[0] = '\0';
	for (size_t i = 0; i < count; i++) {
		uint16_t modifiers;
		size_t held = i;

		while (steps[i].modifiers & LURK_STEP_HOLD)
			desktop_key(d, steps[i++].key, true);
		modifiers = steps[i].modifiers;

		if (modifiers & LURK_MOD_SHIFT)
			desktop_key(d, LURK_KEY_LEFTSHIFT, true);
		if (modifiers & LURK_MOD_RIGHT_ALT)
			desktop_key(d, LURK_KEY_RIGHTALT, true);
		desktop_tap(d, steps[i].key);
		if (modifiers & LURK_MOD_RIGHT_ALT)
			desktop_key(d, LURK_KEY_RIGHTALT, false);
		if (modifiers & LURK_MOD_SHIFT)
			desktop_key(d, LURK_KEY_LEFTSHIFT, false);
		for (; held < i; held++)
			desktop_key(d, steps[held].key, false);
	}
}

/* With Caps Lock off, and on. */
static bool comes_back(struct desktop *d, const char *layout, const char *text,
		       const struct lurk_step *steps, size_t count)
{
	bool fine = true;

	for (int caps_lock = 0; caps_lock < 2; caps_lock++) {
		desktop_reset(d);
		desktop_type(d, steps, count, caps_lock);
		if (!strcmp(d->text, text))
			continue;
		printf("%s: \"%s\" came back as \"%s\"%s\n", layout, text, d->text,
		       caps_lock ? " with Caps Lock on" : "");
		fine = false;
	}
	return fine;
}

/* ---- Every layout: printable ASCII ----------------------------------------------------------- */

static unsigned read_layouts(char names[LAYOUTS][64])
{
	FILE *file = fopen(base_list, "r");
	char line[256], section[32] = "", word[64], of[64];
	unsigned count = 0;

	assert_non_null(file);
	while (fgets(line, sizeof line, file) && count < LAYOUTS) {
		if (sscanf(line, "! %31s", section) == 1)
			continue;
		if (!strcmp(section, "layout") && sscanf(line, " %63s", word) == 1 &&
		    strcmp(word, "custom"))
			snprintf(names[count++], 64, "%s", word);
		else if (!strcmp(section, "variant") &&
			 sscanf(line, " %31s %31[^:]:", word, of) == 2)
			snprintf(names[count++], 64, "%.31s:%.31s", of, word);
	}
	fclose(file);
	return count;
}

/* Whether some key gives it at some level, whatever modifiers that takes. */
static bool somehow_given(struct xkb_keymap *keymap, uint32_t codepoint)
{
	for (xkb_keycode_t code = xkb_keymap_min_keycode(keymap);
	     code <= xkb_keymap_max_keycode(keymap); code++) {
		xkb_level_index_t levels = xkb_keymap_num_levels_for_key(keymap, code, 0);

		for (xkb_level_index_t level = 0; level < levels; level++) {
			const xkb_keysym_t *syms;

			if (xkb_keymap_key_get_syms_by_level(keymap, code, 0, level, &syms) == 1 &&
			    xkb_keysym_to_utf32(syms[0]) == codepoint)
				return true;
		}
	}
	return false;
}

static void every_layout_types_ascii(void **state)
{
	static char names[LAYOUTS][64];
	unsigned count = read_layouts(names), tried = 0, differ = 0, elsewhere = 0, opened = 0;

	(void)state;
	assert_true(count > 300);
	for (unsigned i = 0; i < count; i += one_in(8)) {
		struct lurk_step steps[2 * 96 * LURK_LAYOUT_STEPS];
		struct lurk_message why;
		struct lurk_layout *layout = lurk_layout_open(names[i], &why);
		struct lurk_characters characters;
		struct desktop d;
		char text[128] = "";
		size_t n = 0;

		assert_true(lurk_layout_is_there(names[i]) == (layout != NULL));
		if (!layout)
			continue;
		opened++;
		characters = lurk_layout_characters(layout);
		assert_true(desktop_open(&d, names[i], ""));
		for (char c = ' '; c <= '~'; c++) {
			unsigned found = characters.type(characters.data, (uint8_t)c, steps + n);

			n += found;
			tried += found > 0;
			if (found)
				text[strlen(text)] = c;
			else
				elsewhere += somehow_given(d.keymap, (uint8_t)c);
		}
		differ += !comes_back(&d, names[i], text, steps, n);
		desktop_close(&d);
		lurk_layout_close(layout);
	}
	print_message("%u layouts: %u characters typed with Caps Lock off and on, %u layouts "
		      "differ; %u more are on the keypad under NumLock, or on a level that no key "
		      "reaches\n",
		      opened, tried, differ, elsewhere);
	assert_true(opened > 500 / one_in(8) && tried > 60 * opened);
	assert_int_equal(differ, 0);
}

/* What is no file's name is never there, whatever opens. */
static void what_is_no_file_is_not_there(void **state)
{
	static const char *const names[] = {
		"", ":", ".", "..", "gb:", "gb:basi", "../symbols/gb", "Japanese", "gb\"", "tern"};

	(void)state;
	for (size_t i = 0; i < COUNT(names); i++)
		assert_false(lurk_layout_is_there(names[i]));
}

/* ---- Ten layouts: their own letters --------------------------------------------------------- */

static const struct {
	const char *layout, *text;
} own[] = {
	{"us", "Hide log: 3 teal & 2 wigeon @ 09:15 #7 ~ {ok}\n"},
	{"gb", "£3 for the hide's key #4, \\ and | and ¬ and €\n"},
	{"de", "Zwölf Kraniche übers Moor, größer als süße Äpfel? Straße! @ € {µ}"},
	{"fr", "Où ça ? « L'été » était à Noël, garçon : 3 merles, ÎLE, ÂGE, ê ë ü"},
	{"es", "¿Qué? ¡El pingüino y la cigüeña! Añil, ÁRBOL, él, ì, ç, Ñ"},
	{"se", "Åtta ärtor och öring; fågelskådare på Öland, é ü ñ @ £ $"},
	{"pl", "Zażółć gęślą jaźń; ŻÓŁW, ŚWIT, ĆMA, Ą Ę Ń"},
	{"tr", "Iğdır'da İki kuş: çöl, şüphe, ığ, â î û"},
	{"ru", "Съешь же ещё этих мягких булок, да выпей чаю №5"},
	{"us:dvorak", "The quick brown fox; jumps 'over' 13 lazy dogs?"},
};

/* How many of a layout's own letters do not come back on the desktop. */
static unsigned type_own(struct desktop *d, struct lurk_layout *layout, size_t i, unsigned *tried)
{
	const struct lurk_characters characters = lurk_layout_characters(layout);
	struct lurk_step steps[128 * LURK_LAYOUT_STEPS];
	unsigned differ = 0;
	size_t n = 0;
	uint32_t c;

	for (const char *at = own[i].text; *at; ++*tried) {
		unsigned found;

		at += lurk_character_read(at, strlen(at), &c);
		found = characters.type(characters.data, c, steps + n);
		if (!found)
			printf("%s: no strokes for U+%04X\n", own[i].layout, c);
		differ += !found;
		n += found;
	}
	return differ + !comes_back(d, own[i].layout, own[i].text, steps, n);
}

static void own_letters_come_back(void **state)
{
	unsigned tried = 0, differ = 0;

	(void)state;
	for (size_t i = 0; i < COUNT(own); i++) {
		struct lurk_message why;
		struct lurk_layout *layout = lurk_layout_open(own[i].layout, &why);
		struct desktop d;

		assert_non_null(layout);
		assert_true(desktop_open(&d, own[i].layout, ""));
		differ += type_own(&d, layout, i, &tried);
		desktop_close(&d);
		lurk_layout_close(layout);
	}
	print_message("ten layouts' own letters: %u characters, %u differ\n", tried, differ);
	assert_int_equal(differ, 0);
}

/* The same in one keymap, as a desktop has them in turn: each is what it is by itself. */
static void several_in_turn(void **state)
{
	enum { IN_TURN = 4 };
	unsigned tried = 0, differ = 0;

	(void)state;
	for (size_t first = 0; first + IN_TURN <= COUNT(own); first += IN_TURN) {
		struct lurk_layout *layouts[IN_TURN];
		struct lurk_message why;
		struct desktop d;
		char names[64] = "", *text;

		for (size_t i = first; i < first + IN_TURN; i++)
			snprintf(names + strlen(names), sizeof names - strlen(names), "%s%s",
				 i > first ? "," : "", own[i].layout);
		assert_true(desktop_open(&d, names, ""));
		text = xkb_keymap_get_as_string(d.keymap, XKB_KEYMAP_FORMAT_TEXT_V1);
		assert_int_equal(lurk_layouts_of_keymap(text, strlen(text), layouts, IN_TURN),
				 IN_TURN);
		for (unsigned i = 0; i < IN_TURN; i++) {
			struct lurk_layout *alone = lurk_layout_open(own[first + i].layout, &why);

			assert_string_equal(lurk_layout_name(layouts[i]), own[first + i].layout);
			assert_string_equal(lurk_layout_words(layouts[i]),
					    lurk_layout_words(alone));
			assert_int_equal(lurk_layout_number_of(layouts[i]),
					 lurk_layout_number_of(alone));
			assert_int_equal(lurk_layout_third_level(layouts[i]),
					 lurk_layout_third_level(alone));
			for (lurk_key key = lurk_key_next(0); key && key < 248;
			     key = lurk_key_next(key)) {
				char in_turn[LURK_LEGEND], by_itself[LURK_LEGEND];

				lurk_layout_legend(layouts[i], key, LURK_MOD_SHIFT, in_turn);
				lurk_layout_legend(alone, key, LURK_MOD_SHIFT, by_itself);
				assert_string_equal(in_turn, by_itself);
				assert_int_equal(lurk_layout_symbol(layouts[i], key),
						 lurk_layout_symbol(alone, key));
			}
			d.group = i;
			differ += type_own(&d, layouts[i], first + i, &tried);
			lurk_layout_close(alone);
			lurk_layout_close(layouts[i]);
		}
		/* Cut off, or more than are wanted. */
		assert_int_equal(lurk_layouts_of_keymap(text, strlen(text) / 2, layouts, IN_TURN),
				 0);
		assert_int_equal(lurk_layouts_of_keymap(text, strlen(text), layouts, 1), 1);
		lurk_layout_close(layouts[0]);
		free(text);
		desktop_close(&d);
	}
	print_message("eight layouts in turn: %u characters, %u differ\n", tried, differ);
	assert_int_equal(differ, 0);
}

/* With a Compose key, by the sequences that the system knows. */
static void compose_helps(void **state)
{
	static const char text[] = "éßñ÷€";
	struct lurk_step steps[16 * LURK_LAYOUT_STEPS];
	struct lurk_message why;
	struct lurk_layout *layout = lurk_layout_open_with("us", "compose:menu", &why);
	struct lurk_characters characters = lurk_layout_characters(layout);
	struct desktop d;
	size_t n = 0;

	(void)state;
	for (const char *at = text; *at;) {
		uint32_t c = 0;
		unsigned found;

		at += lurk_character_read(at, strlen(at), &c);
		found = characters.type(characters.data, c, steps + n);
		assert_int_equal(found, 3);
		n += found;
	}
	assert_true(desktop_open(&d, "us", "compose:menu"));
	assert_true(comes_back(&d, "us with Compose", text, steps, n));
	desktop_close(&d);
	lurk_layout_close(layout);
}

static void what_cannot_be_typed_is_known(void **state)
{
	struct lurk_step steps[LURK_LAYOUT_STEPS];
	struct lurk_message why;
	struct lurk_layout *us = lurk_layout_open("us", &why);
	struct lurk_characters characters = lurk_layout_characters(us);
	char with[64];

	(void)state;
	assert_int_equal(characters.type(characters.data, 0xe9, steps), 0);
	assert_string_equal(lurk_layouts_with(0xe9, with), "gb, de or fr");
	assert_string_equal(lurk_layouts_with(0x436, with), "ru");
	assert_string_equal(lurk_layouts_with(0x1f986, with), "");
	lurk_layout_close(us);
}

/* ---- What stands on a cap ------------------------------------------------------------------- */

static const struct {
	const char *layout, *told, *with;
} caps[] = {
	{"gb", "Backslash now gives Tab", "Backslash (`#` here) now gives Tab"},
	{"gb", "Shift+Digit3 is KeyA", "Shift+Digit3 (`£` here) is KeyA"},
	{"gb", "Shift+KeyA, Digit1, Space, NumpadAdd", "Shift+KeyA, Digit1, Space, NumpadAdd"},
	{"gb", "AltRight+Digit4 and Control+Quote", "AltRight+Digit4 (`€` here) and Control+Quote"},
	{"gb", "IntlBackslash on heron", "IntlBackslash (`\\` here) on heron"},
	{"de", "KeyY gives KeyZ, not KeyY.", "KeyY (`z` here) gives KeyZ (`y` here), not KeyY."},
	{"de", "Control+Shift+KeyY", "Control+Shift+KeyY (`z` here)"},
	{"de", "NumpadDecimal", "NumpadDecimal (`,` here)"},
	{"de", "Equal (a dead key)", "Equal (`´` here) (a dead key)"},
	{"de", "`lurk map KeyY Tab` and \"KeyY\"", "`lurk map KeyY Tab` and \"KeyY\""},
	{"de", "KEY_Y, keyy, KeyYy, xKeyY", "KEY_Y, keyy, KeyYy, xKeyY"},
	{"de", "KeyY (`z` here) stays", "KeyY (`z` here) stays"},
	{"us:dvorak", "Semicolon and Quote", "Semicolon (`s` here) and Quote (`-` here)"},
	{"ru", "KeyF", "KeyF (`а` here)"},
};

static void caps_are_said(void **state)
{
	struct lurk_message why;
	char out[200], cut[24];

	(void)state;
	for (size_t i = 0; i < COUNT(caps); i++) {
		struct lurk_layout *layout = lurk_layout_open(caps[i].layout, &why);
		struct lurk_characters characters = lurk_layout_characters(layout);

		lurk_words_with_caps(caps[i].told, &characters, out, sizeof out);
		assert_string_equal(out, caps[i].with);
		lurk_words_with_caps(caps[i].told, &characters, cut, sizeof cut);
		assert_memory_equal(cut, out, strlen(cut));
		assert_string_equal(lurk_words_with_caps(caps[i].told, NULL, out, sizeof out),
				    caps[i].told);
		lurk_layout_close(layout);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(caps_are_said),
		cmocka_unit_test(several_in_turn),
		cmocka_unit_test(own_letters_come_back),
		cmocka_unit_test(compose_helps),
		cmocka_unit_test(what_cannot_be_typed_is_known),
		cmocka_unit_test(every_layout_types_ascii),
		cmocka_unit_test(what_is_no_file_is_not_there),
	};

	return cmocka_run_group_tests_name("typing", tests, NULL, NULL);
}
