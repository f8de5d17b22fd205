/* Where keys stand, how texts are made to fit, which layout a word means. */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

#include <cmocka.h>

#include "layout/registry.h"
#include "picture/drawing.h"
#include "picture/picture.h"
#include "lurk/text/utf8.h"

static const char *name_of(unsigned form, unsigned arrangement)
{
	static char name[64];

	snprintf(name, sizeof name, "%s %s", lurk_form_name(form),
		 lurk_arrangement_name(arrangement));
	return name;
}

/* No key twice, no two keys in one place, and rows that end where the block does. */
static void keys_have_places(void **state)
{
	/* As many as such keyboards are known by. */
	static const unsigned counts[LURK_FORM_COUNT][LURK_ARRANGEMENT_COUNT] = {
		{105, 104, 109}, {88, 87, 92}, {99, 98, 103}, {20, 20, 20}};
	struct lurk_place places[LURK_PLACES];

	(void)state;
	for (unsigned f = 0; f < LURK_FORM_COUNT; f++) {
		for (unsigned a = 0; a < LURK_ARRANGEMENT_COUNT; a++) {
			unsigned count = lurk_form_places(f, a, places), bottom[LURK_PLACES] = {0};

			if (count != counts[f][a])
				fail_msg("%s has %u keys", name_of(f, a), count);
			for (unsigned i = 0; i < count; i++) {
				const struct lurk_place *p = &places[i];

				assert_true(lurk_key_known(p->key) && p->width && p->height);
				for (unsigned j = 0; j < i; j++) {
					const struct lurk_place *q = &places[j];
					bool apart = p->x >= q->x + q->width ||
						     q->x >= p->x + p->width ||
						     p->y >= q->y + q->height ||
						     q->y >= p->y + p->height;

					/* A tall Enter has a notch at its lower left. */
					apart |= q->shape == LURK_CAP_ENTER &&
						 p->x + p->width <= q->x + 1;
					apart |= p->shape == LURK_CAP_ENTER &&
						 q->x + q->width <= p->x + 1;
					if (p->key == q->key || !apart)
						fail_msg("%s: %s and %s", name_of(f, a),
							 lurk_key_name(p->key),
							 lurk_key_name(q->key));
				}
				if (!p->block && bottom[p->y] < p->x + p->width)
					bottom[p->y] = p->x + p->width;
			}
			for (unsigned y = 0; f < LURK_FORM_COMPACT && y < LURK_PLACES; y++) {
				if (bottom[y] && bottom[y] != 60 && !(y == 13 && a != LURK_ANSI))
					fail_msg("%s: the row at %u ends at %u", name_of(f, a), y,
						 bottom[y]);
			}
		}
	}
}

static void words_are_read_back(void **state)
{
	static const struct {
		const char *words;
		int form, arrangement;
		const char *wrong;
	} words[] = {
		{"compact, jis", LURK_FORM_COMPACT, LURK_JIS, ""},
		{"ANSI", -1, LURK_ANSI, ""},
		{" pad ", LURK_FORM_PAD, -1, ""},
		{"", -1, -1, ""},
		{"full,round", -1, -1, "round"},
		{"an-unspeakably-long-word-for-a-form", -1, -1, "an-unspeakably-long-word-for-a-"},
	};
	enum lurk_form form = LURK_FORM_COUNT;
	enum lurk_arrangement arrangement = LURK_ARRANGEMENT_COUNT;

	(void)state;
	for (unsigned i = 0; i < LURK_FORM_COUNT; i++)
		assert_true(lurk_form_read(lurk_form_name(i), &form) && form == i);
	for (unsigned i = 0; i < LURK_ARRANGEMENT_COUNT; i++)
		assert_true(lurk_arrangement_read(lurk_arrangement_name(i), &arrangement) &&
			    arrangement == i);
	for (size_t i = 0; i < sizeof words / sizeof *words; i++) {
		struct lurk_forms forms;
		char wrong[32];
		bool fine = lurk_forms_read(words[i].words, &forms, wrong);

		assert_string_equal(fine ? "" : wrong, words[i].wrong);
		assert_int_equal(fine && forms.has_form ? (int)forms.form : -1, words[i].form);
		assert_int_equal(fine && forms.has_arrangement ? (int)forms.arrangement : -1,
				 words[i].arrangement);
	}
	assert_false(lurk_form_read("round", &form) || lurk_arrangement_read("full", &arrangement));
}

static void forms_are_guessed(void **state)
{
	static const struct {
		const lurk_key keys[4];
		bool built_in;
		enum lurk_form form;
	} rows[] = {
		{{LURK_KEY_A, LURK_KEY_KP1}, false, LURK_FORM_FULL},
		{{LURK_KEY_A, LURK_KEY_F1}, false, LURK_FORM_NO_KEYPAD},
		{{LURK_KEY_A, LURK_KEY_KP1}, true, LURK_FORM_COMPACT},
		{{LURK_KEY_KP1, LURK_KEY_MUTE}, false, LURK_FORM_PAD},
	};

	(void)state;
	for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
		struct lurk_port_keyboard keyboard = {.identity.built_in = rows[i].built_in};

		for (unsigned k = 0; rows[i].keys[k]; k++)
			keyboard.declares[rows[i].keys[k] / 8] |=
				(uint8_t)(1U << rows[i].keys[k] % 8);
		assert_int_equal(lurk_form_guess(&keyboard), rows[i].form);
	}
}

/* A letter's height is its size; an x at size 1 is 0.59 wide, so that these are not near an edge.
 */
static void texts_fit(void **state)
{
	static const struct {
		double width, height, most, least;
		unsigned lines;
		const char *text, *one, *two;
		double size; /* 0 for any from the least on */
	} rows[] = {
		{100, 10, 5, 2, 2, "Caps Lock", "Caps Lock", "", 5},
		{15, 8, 5, 2, 2, "Caps Lock", "Caps", "Lock", 0},
		{15, 8, 5, 2, 1, "Caps Lock\nCaps", "Caps", "", 0},
		{100, 2, 5, 1, 1, "Tab", "Tab", "", 0},
		{15, 6, 5, 3, 1, "Backspace\nBack", "Back", "", 5},
		{20, 5, 5, 4, 1, "Backspace", "Backsp…", "", 0},
		{3, 5, 5, 4, 1, "Backspace", "…", "", 0},
		{100, 9, 5, 2, 2, "Bracket\tLeft", "BracketLeft", "", 5},
		{20, 9, 5, 2, 2, "Bracket\tLeft", "Bracket", "Left", 0},
		{20, 9, 5, 4, 1, "無変換無変換", NULL, "", 0},
		{20, 9, 5, 2, 1, "bad \xff byte", NULL, "", 0},
		{15, 20, 5, 2, 4, "Ctrl+\tAlt+\tShift", "Ctrl+", "Alt+", 0},
		{15, 20, 5, 2, 4, "  two  avocets ", "two", "avocets", 0},
		{10, 20, 5, 2, 6, "oystercatcher", "oyst", "erca", 0}, /* within a word */
		{10, 4, 5, 2, 1, " ", " ", "", 3.389830508474576},
	};
	struct drawing d;

	(void)state;
	drawing_init(&d, 100, 100, false, "");
	for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
		const struct fit_box box = {rows[i].width, rows[i].height, rows[i].most,
					    rows[i].least, rows[i].lines,  false};
		struct fitted fitted = {0};

		drawing_fit(&d, &box, rows[i].text, &fitted);
		if (rows[i].one && strcmp(fitted.lines[0], rows[i].one) != 0)
			fail_msg("row %zu: %s", i, fitted.lines[0]);
		if (strcmp(fitted.count > 1 ? fitted.lines[1] : "", rows[i].two) != 0)
			fail_msg("row %zu: second line %s", i, fitted.lines[1]);
		if (rows[i].size > 0 && fitted.size != rows[i].size)
			fail_msg("row %zu: size %g", i, fitted.size);
		assert_true(fitted.size <= box.most);
		for (unsigned line = 0; line < fitted.count && strcmp(fitted.lines[0], "…") != 0;
		     line++) {
			assert_true(g_utf8_validate(fitted.lines[line], -1, NULL));
			assert_true(drawing_text_width(&d, fitted.size, false,
						       fitted.lines[line]) <= box.width + 1e-6);
		}
		assert_true(fitted.count * fitted.size * LINE_PERCENT / 100 <= box.height + 1e-6);
	}
	drawing_free(&d);
}

static void texts_are_appended_whole(void **state)
{
	static const struct {
		const char *before, *text, *after;
	} rows[] = {
		{"", "abcdefgh", "abcdefg"}, {"abc", "def", "abcdef"}, {"abcdefg", "h", "abcdefg"},
		{"", "abcdefé", "abcdef"},   {"", "abcdeé", "abcdeé"}, {"", "変換変換", "変換"},
	};

	(void)state;
	for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
		char out[8];

		snprintf(out, sizeof out, "%s", rows[i].before);
		lurk_append(out, sizeof out, rows[i].text);
		assert_string_equal(out, rows[i].after);
	}
}

static void words_mean_layouts(void **state)
{
	static const struct {
		const char *word, *name, *candidates;
	} rows[] = {
		{"Japanese", "jp", ""}, {"german", "de", ""}, {"uk", "gb", ""},
		{"kong", "", ""},       {"zz", "", ""},       {"German (Neo 2)", "de:neo", ""},
	};
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_ENVIRONMENT_NAMES);
	char words[96];

	(void)state;
	for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
		char name[64], candidates[256];

		assert_int_equal(lurk_registry_meant(context, rows[i].word, name, candidates),
				 *rows[i].name != '\0');
		assert_string_equal(name, rows[i].name);
		if (!*name)
			assert_string_equal(candidates, rows[i].candidates);
	}
	lurk_registry_words(context, "de:neo", words, sizeof words);
	assert_string_equal(words, "German (Neo 2)");
	lurk_registry_words(context, "ar", words, sizeof words);
	assert_string_equal(words, "Arabic");
	lurk_registry_words(context, "zz", words, sizeof words);
	assert_string_equal(words, "zz");
	xkb_context_unref(context);
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(keys_have_places),         cmocka_unit_test(words_are_read_back),
		cmocka_unit_test(forms_are_guessed),        cmocka_unit_test(texts_fit),
		cmocka_unit_test(texts_are_appended_whole), cmocka_unit_test(words_mean_layouts),
	};

	return cmocka_run_group_tests(tests, NULL, NULL);
}
