/* What caps say, against what the engine does: over random rules, on every form. */
#include <stdlib.h>

#include "rules.h"

#include "lurk/engine.h"
#include "picture/picture.h"
#include "picture/terminal.h"
#include "lurk/text/utf8.h"

enum { ROUNDS = 400, RULES = 7 };

static const char *const presses[] = {
	"CapsLock", "Alt",       "Meta",    "ControlLeft", "Delete",      "KeyA",      "KeyB",
	"Digit3",   "any Enter", "any Alt", "Escape",      "Numpad1",     "hid:07:39", "hid:07:04",
	"Space",    "F1",        "Pause",   "ShiftRight",  "NumpadEnter", "hid:07:a5"};
static const char *const results[] = {"Enter",         "nothing", "itself",    "Meta",  "KeyB",
				      "AudioVolumeUp", "Tab",     "Meta+KeyC", "\"#\"", "Numpad7",
				      "\"seen\"",      "toggle",  "Escape",    "F24",   "Alt"};

static unsigned pick(unsigned *seed, unsigned count)
{
	*seed = *seed * 1103515245U + 12345U;
	return (*seed >> 16) % count;
}

static void random_text(unsigned *seed, char text[512])
{
	*text = '\0';
	for (unsigned i = 1 + pick(seed, RULES); i; i--) {
		const char *press = presses[pick(seed, COUNT(presses))];
		const char *result = results[pick(seed, COUNT(results))];
		bool pair = !strcmp(press, "Alt") || !strcmp(press, "Meta");
		bool swap = pick(seed, 4) == 0;
		size_t n = strlen(text);

		/* A pair changes with a pair, and a key with a key. */
		if (pair)
			result = strcmp(press, "Alt") ? "Alt" : "Meta";
		else if (!strcmp(result, "Meta") || !strcmp(result, "Alt"))
			result = "Tab";
		if (strchr(press, ' ') || strchr(press, ':') || strchr(result, '+') ||
		    strchr(result, '"') || !strcmp(result, "nothing") ||
		    !strcmp(result, "itself") || !strcmp(result, "toggle") ||
		    !strcmp(press, result))
			swap = false;
		snprintf(text + n, 512 - n, "%s%s%s%s%s", n ? "; " : "", pick(seed, 8) ? "" : "!",
			 press, swap ? "<>" : ">", result);
	}
}

/* The keys that go down when one is pressed with no other held; 0 to 8 of them. */
static unsigned pressed(const struct lurk_keymap *keymap, const struct picture_cap *cap,
			lurk_key downs[8])
{
	static struct lurk_engine engine;
	static struct lurk_engine_keyboard keyboard;
	struct lurk_event event = {
		.key = {.scan = cap->scan, .key = cap->place.key, .state = LURK_DOWN}};
	struct lurk_frame frame;
	unsigned count = 0;
	uint64_t now = 0;

	lurk_engine_init(&engine, &keyboard, 1);
	lurk_engine_use(&engine, 0, keymap);
	for (int turn = 0; turn < 2; turn++, event.key.state = LURK_UP) {
		assert_int_equal(lurk_engine_feed(&engine, &event), LURK_OK);
		do {
			while (lurk_engine_pull(&engine, now, &frame)) {
				for (unsigned i = 0; i < frame.count; i++) {
					const struct lurk_stroke *s = &frame.strokes[i];

					if (s->state == LURK_DOWN && s->key != LURK_KEY_UNKNOWN &&
					    count < 8)
						downs[count++] = s->key;
				}
			}
			now = lurk_engine_deadline(&engine);
		} while (now != LURK_NEVER);
		now = 0;
	}
	return count;
}

/* As it would stand on a cap of a US keyboard. */
static void label_of(lurk_key key, char label[PICTURE_TEXT])
{
	char all[PICTURE_TEXT];

	picture_label(key, NULL, all);
	picture_first(all, label);
	if (lurk_key_side(key) == LURK_SIDE_NUMPAD && key != LURK_KEY_KPENTER) {
		snprintf(all, sizeof all, "Num %.40s", label);
		memcpy(label, all, sizeof all);
	}
	if (strlen(label) == 1 && *label >= 'a' && *label <= 'z')
		*label = (char)(*label - 32);
}

static void check_cap(const struct picture *picture, const struct picture_cap *cap,
		      const struct lurk_keymap *keymap, const char *rules)
{
	lurk_key downs[8];
	unsigned count = pressed(keymap, cap, downs);
	char says[PICTURE_TEXT], label[PICTURE_TEXT], scan[LURK_SCAN_TEXT];
	const char *wrong = NULL;

	picture_first(cap->main, says);
	if (!count)
		wrong = cap->mark == PICTURE_NOTHING || !strcmp(says, "rules on/off") ||
					!cap->place.key
				? NULL
				: "it gives nothing";
	else if (count == 1 && downs[0] == cap->place.key)
		wrong = cap->mark ? "it gives itself" : NULL;
	else if (cap->mark != PICTURE_CHANGED && cap->mark != PICTURE_SWAPPED)
		wrong = "it gives something else";
	else if (count == 1) {
		label_of(downs[0], label);
		wrong = strcmp(says, label) ? lurk_key_name(downs[0]) : NULL;
	}
	if (!wrong && cap->mark && !*cap->small)
		wrong = "it does not say what it was";
	if (!wrong && cap->pair) {
		unsigned same = 0;

		for (unsigned i = 0; i < picture->count; i++)
			same += picture->caps[i].pair == cap->pair;
		wrong = same > 2 ? "three keys of one pair" : NULL;
	}
	if (wrong)
		fail_msg("%s: %s (%s) says \"%s\": %s", rules, lurk_key_name(cap->place.key),
			 lurk_scan_write(cap->scan, scan), says, wrong);
}

static void caps_say_what_the_engine_does(void **state)
{
	static struct test_rules t, below;
	static struct picture picture;
	static _Alignas(16) uint8_t memory[TEST_KEYMAP];
	const struct lurk_compile_part part = {&below.image, 0, 1};
	unsigned seed = 7, judged = 0;

	(void)state;
	for (unsigned round = 0; round < ROUNDS; round++) {
		struct lurk_compile_job compile = {&t.image, 0, 1, LURK_WIRING_HID, false, NULL};
		struct lurk_compile_report report;
		struct lurk_keymap *keymap;
		char text[512];
		struct picture_job job = {.image = &t.image, .keyboard = 1};

		random_text(&seed, text);
		test_rules_read(&t, text);
		if (round % 3 == 0) { /* the computer's, below one's own */
			random_text(&seed, text);
			test_rules_read(&below, text);
			job.below = part;
			compile.below = &part;
		}
		if (lurk_compile(&compile, memory, sizeof memory, &keymap, &report) != LURK_OK)
			continue;
		job.form = round % LURK_FORM_COUNT;
		job.arrangement = round / LURK_FORM_COUNT % LURK_ARRANGEMENT_COUNT;
		picture_fill(&picture, &job);
		for (unsigned i = 0; i < picture.count; i++, judged++)
			check_cap(&picture, &picture.caps[i], keymap, text);
	}
	print_message("%u caps\n", judged);
	assert_true(judged > 10000);
}

/* Whatever is in an image: texts that end within a character, bytes that are none, much of it. */
static void odd_texts_are_drawn(void **state)
{
	static struct test_rules t;
	static struct picture picture;
	static char texts[][64] = {"чайка чайка чайка чайка чайка чай",
				   "\xff\xfe bytes",
				   "a\tb\nc",
				   "a\033[31mb",
				   "ض‏ص",
				   "変換変換変換変換変換"};
	struct picture_job job = {.image = &t.image, .keyboard = 1};

	(void)state;
	for (size_t i = 0; i < COUNT(texts); i++) {
		char *drawn;

		test_rules_read(&t, "F1>\"x\"; Shift+F2>\"x\"; Control+F2>\"x\"; F3>=test");
		for (unsigned r = 0; r < t.count; r++)
			t.rules[r].gives.text = (struct lurk_text){texts[i], strlen(texts[i])};
		assert_int_equal(test_rules_image(&t), LURK_OK);
		picture_fill(&picture, &job);
		for (unsigned columns = 0; columns < 260; columns += 13) {
			drawn = terminal_draw(&picture, columns, 0, columns % 2);
			assert_true(strstr(drawn, "Esc") != NULL && strchr(drawn, '\t') == NULL);
			assert_true(columns % 2 || !strchr(drawn, '\033'));
			free(drawn);
		}
	}
}

static unsigned lines_in(const char *text)
{
	unsigned lines = 0;

	for (; *text; text++)
		lines += *text == '\n';
	return lines;
}

/* However few the lines are: no more are drawn, and the pressed key is among what is; with 16, what
 * a terminal of 24 lines leaves beside words, every form's key can be seen. */
static void low_terminals_show_the_pressed_key(void **state)
{
	enum { LEAST_LINES = 16, SMALLEST = 4 };
	const unsigned step = as_often(16) < 16 ? 5 * 16 / (unsigned)as_often(16) : 5;
	static struct picture picture;

	(void)state;
	for (unsigned form = 0; form < LURK_FORM_COUNT * LURK_ARRANGEMENT_COUNT; form++) {
		struct picture_job job = {.form = form % LURK_FORM_COUNT,
					  .arrangement = form / LURK_FORM_COUNT};

		picture_fill(&picture, &job);
		for (unsigned i = form % 5; i < picture.count; i += step) {
			picture.caps[i].pressed = true;
			picture.caps[(i + 50) % picture.count].target = true;
			for (unsigned lines = SMALLEST; lines < 50; lines += 3) {
				const unsigned columns = 80 + (i * 7 + lines) % 120;
				char *drawn = terminal_draw(&picture, columns, lines, false);
				unsigned count = drawn ? lines_in(drawn) : 0;

				assert_true(count <= lines);
				if (drawn ? !strstr(drawn, "here") && !strstr(drawn, "•")
					  : lines >= LEAST_LINES)
					fail_msg("%s in %u lines of %u columns:\n%s",
						 lurk_key_name(picture.caps[i].place.key), lines,
						 columns, drawn ? drawn : "nothing");
				free(drawn);
			}
			picture.caps[i].pressed = false;
			picture.caps[(i + 50) % picture.count].target = false;
		}
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(caps_say_what_the_engine_does),
		cmocka_unit_test(odd_texts_are_drawn),
		cmocka_unit_test(low_terminals_show_the_pressed_key),
	};

	return cmocka_run_group_tests(tests, NULL, NULL);
}
