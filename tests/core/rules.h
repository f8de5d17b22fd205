/* Rules and keymaps from one line of text, for tables of tests:
 *
 *     CapsLock>Insert; Control<>Meta @1; Delete>nothing @2; any Insert>itself; !F1>F2
 *     Pause>Meta+KeyC; F1>Control+KeyA,KeyB; F2>"some text"; F3>=NAME; F4>toggle
 *     Shift+Digit3>"#"
 *
 * `@n` is the n-th described keyboard, `!` a rule that is switched off; `=` is another profile.
 * Text is typed as on a US layout. A `|` and a name begin another profile, `|NAME/BASE` one that is
 * based on an earlier one. */
#ifndef LURK_TESTS_RULES_H
#define LURK_TESTS_RULES_H

#include "check.h"

#include "lurk/keymap.h"
#include "lurk/name.h"

enum { TEST_RULES = 64, TEST_IMAGE = 16384, TEST_KEYMAP = 65536, TEST_PROFILES = 4 };

struct test_rules {
	struct lurk_rule rules[TEST_RULES];
	uint32_t count;
	struct lurk_profile profiles[TEST_PROFILES]; /* beyond the first: "test" */
	unsigned profile_count;
	char text[2048]; /* what results point to */
	size_t text_length;
	uint8_t steps[2048];
	size_t step_length;
	const struct lurk_quirk *odd; /* of the first keyboard */
	uint16_t odd_count;
	bool apart;  /* the third keyboard is left alone by rules for all */
	uint8_t way; /* asked for: set before test_rules_image() */
	uint8_t bytes[TEST_IMAGE];
	size_t length;
	struct lurk_image image;
};

static inline struct lurk_press test_press(const char *text)
{
	struct lurk_name name;

	if (lurk_name_read(text, strlen(text), NULL, &name) != LURK_NAME_PRESS)
		fail_msg("\"%s\" is no key", text);
	return name.press;
}

static inline struct lurk_text test_keep(struct test_rules *t, const char *text)
{
	struct lurk_text kept = {t->text + t->text_length, strlen(text)};

	memcpy(t->text + t->text_length, text, kept.length);
	t->text_length += kept.length;
	return kept;
}

static inline void test_step(struct test_rules *t, struct lurk_rule *rule, lurk_key key,
			     unsigned modifiers)
{
	const struct lurk_step step = {key, (uint16_t)modifiers};

	lurk_step_write(&step, t->steps + t->step_length);
	t->step_length += LURK_STEP_BYTES;
	rule->gives.steps.length += LURK_STEP_BYTES;
}

/* As on a US layout, as far as tests need it. */
static inline void test_type(struct test_rules *t, struct lurk_rule *rule, const char *text)
{
	for (; *text; text++) {
		char name[8] = "KeyA";
		bool letter = (*text | 32) >= 'a' && (*text | 32) <= 'z';

		name[3] = (char)(*text & ~32);
		if (*text == '#' || *text == ' ' || *text == '@')
			test_step(t, rule,
				  *text == '#'   ? LURK_KEY_3
				  : *text == '@' ? LURK_KEY_2
						 : LURK_KEY_SPACE,
				  *text == ' ' ? 0 : LURK_MOD_SHIFT);
		else if (letter)
			test_step(t, rule, test_press(name).on.key,
				  (*text & 32 ? 0 : LURK_MOD_SHIFT) | LURK_STEP_LOCKS);
		else
			fail_msg("'%c' is not typed in tests", *text);
	}
}

/* "%1ab%2#%3" in the layout 1 types ab, in 2 #, in 3 nothing. */
static inline void test_type_in(struct test_rules *t, struct lurk_rule *rule, char *text)
{
	char *one;

	if (*text != '%') {
		test_type(t, rule, text);
		return;
	}
	for (text++; (one = strsep(&text, "%"));) {
		uint8_t *heading = t->steps + t->step_length;
		const size_t before = rule->gives.steps.length + LURK_STEPS_HEADING;

		t->step_length += LURK_STEPS_HEADING;
		rule->gives.steps.length = before;
		test_type(t, rule, one + 1);
		lurk_steps_heading((uint32_t)(*one - '0'),
				   (unsigned)(rule->gives.steps.length - before) / LURK_STEP_BYTES,
				   heading);
	}
}

static inline void test_result(struct test_rules *t, struct lurk_rule *rule, char *text)
{
	char *one;

	while (*text == ' ')
		text++;
	for (char *end = text + strlen(text); end > text && end[-1] == ' ';)
		*--end = '\0';
	rule->gives.steps.bytes = (const char *)t->steps + t->step_length;
	if (*text == '"') {
		text[strlen(text) - 1] = '\0';
		rule->gives.kind = LURK_GIVES_TEXT;
		rule->gives.text = test_keep(t, text + 1);
		test_type_in(t, rule, text + 1);
	} else if (*text == '=') {
		rule->gives.kind = LURK_GIVES_PROFILE;
		rule->gives.text = test_keep(t, text + 1);
	} else if (!strcmp(text, "toggle")) {
		rule->gives.kind = LURK_GIVES_TOGGLE;
	} else if (strchr(text, ',') || (strchr(text, '+') && text[1])) {
		rule->gives.kind = LURK_GIVES_CHORDS;
		rule->gives.text = test_keep(t, text);
		while ((one = strsep(&text, ",")))
			test_step(t, rule, test_press(one).on.key, test_press(one).modifiers);
	} else if (!strcmp(text, "nothing")) {
		rule->gives.kind = LURK_GIVES_NOTHING;
	} else if (!strcmp(text, "itself")) {
		rule->gives.kind = LURK_GIVES_ITSELF;
	} else {
		struct lurk_press press = test_press(text);

		rule->gives.kind =
			press.on.kind == LURK_TARGET_PAIR ? LURK_GIVES_PAIR : LURK_GIVES_KEY;
		rule->gives.key = press.on.key;
	}
}

/* Three described keyboards: usb fade:0001, fade:0002 (its F13 never released), fade:0003. */
static inline enum lurk_error test_rules_image(struct test_rules *t)
{
	static const struct lurk_recogniser usb[] = {
		{.bus = LURK_BUS_USB, .by_product = true, .vendor = 0xfade, .product = 1},
		{.bus = LURK_BUS_USB, .by_product = true, .vendor = 0xfade, .product = 2},
		{.by_product = true, .vendor = 0xfade, .product = 3},
	};
	static const struct lurk_quirk quirks[] = {{LURK_QUIRK_BROKEN, LURK_KEY_DELETE},
						   {LURK_QUIRK_PRESS_ONLY, LURK_KEY_F13}};
	const struct lurk_keyboard keyboards[] = {
		{{"one", 3}, &usb[0], t->odd, 1, t->odd_count, false},
		{{"two", 3}, &usb[1], quirks, 1, 2, false},
		{{"three", 5}, &usb[2], NULL, 1, 0, t->apart},
	};
	struct lurk_profile profiles[TEST_PROFILES + 1] = {{.name = {"test", 4},
							    .source = {"test.yaml", 9},
							    .rules = t->rules,
							    .rule_count = t->count,
							    .way = t->way,
							    .word = {"test", 4}}};
	const struct lurk_image_parts parts = {profiles, (uint16_t)(1 + t->profile_count),
					       keyboards, COUNT(keyboards)};
	enum lurk_error error;

	for (unsigned i = 0; i < t->profile_count; i++) {
		profiles[i + 1] = t->profiles[i];
		profiles[0].rule_count -= t->profiles[i].rule_count;
	}
	error = lurk_image_write(&parts, t->bytes, sizeof t->bytes, &t->length);
	return error ? error : lurk_image_open(t->bytes, t->length, &t->image);
}

/* Rules from here on are another profile's: "NAME/BASE". */
static inline void test_begin_profile(struct test_rules *t, char *name)
{
	struct lurk_profile *p = &t->profiles[t->profile_count++];
	char *base = strchr(name, '/');

	if (base)
		*base++ = '\0';
	for (unsigned i = 1; base && i < t->profile_count; i++) {
		if (!strncmp(t->profiles[i - 1].word.bytes, base, t->profiles[i - 1].word.length))
			p->based_on = (uint16_t)(i + 1);
	}
	if (base && !p->based_on)
		p->based_on = 1;
	p->name = p->word = test_keep(t, name);
	p->rules = &t->rules[t->count];
}

static inline void test_rules_read(struct test_rules *t, const char *text)
{
	char copy[1024], *rest = copy, *one;

	memset(t, 0, sizeof *t);
	snprintf(copy, sizeof copy, "%s", text);
	while ((one = strsep(&rest, ";"))) {
		struct lurk_rule *rule = &t->rules[t->count];
		char *at = strstr(one, " @"), *swap = strstr(one, "<>"), *to;

		while (*one == ' ')
			one++;
		if (*one == '|')
			test_begin_profile(t, one + 1);
		if (!*one || *one == '|')
			continue;
		if (t->profile_count)
			t->profiles[t->profile_count - 1].rule_count++;
		rule->line = ++t->count;
		rule->off = *one == '!';
		one += rule->off;
		if (at) {
			*at = '\0';
			rule->keyboard = (uint16_t)atoi(at + 2);
		}
		rule->swap = swap != NULL;
		to = swap ? swap : strchr(one + 1, '>');
		*to = '\0';
		rule->press = test_press(one);
		test_result(t, rule, to + (swap ? 2 : 1));
	}
	assert_int_equal(test_rules_image(t), LURK_OK);
}

#endif
