/* Rules and keymaps from one line of text, for tables of tests:
 *
 *     CapsLock>Enter; Alt<>Meta @1; Delete>nothing @2; any Enter>itself; !F1>F2
 *
 * `@n` is the n-th described keyboard, `!` a rule that is switched off. */
#ifndef LURK_TESTS_RULES_H
#define LURK_TESTS_RULES_H

#include "check.h"

#include "lurk/keymap.h"
#include "lurk/name.h"

enum { TEST_RULES = 64, TEST_IMAGE = 8192, TEST_KEYMAP = 16384 };

struct test_rules {
	struct lurk_rule rules[TEST_RULES];
	uint32_t count;
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

static inline void test_result(struct lurk_rule *rule, char *text)
{
	while (*text == ' ')
		text++;
	for (char *end = text + strlen(text); end > text && end[-1] == ' ';)
		*--end = '\0';
	if (!strcmp(text, "nothing")) {
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
	const struct lurk_profile profile = {{"test", 4}, {"test.yaml", 9}, t->rules,
					     0,           t->count,         t->way};
	const struct lurk_image_parts parts = {&profile, 1, keyboards, COUNT(keyboards)};
	enum lurk_error error = lurk_image_write(&parts, t->bytes, sizeof t->bytes, &t->length);

	return error ? error : lurk_image_open(t->bytes, t->length, &t->image);
}

static inline void test_rules_read(struct test_rules *t, const char *text)
{
	char copy[1024], *rest = copy, *one;

	memset(t, 0, sizeof *t);
	snprintf(copy, sizeof copy, "%s", text);
	while ((one = strsep(&rest, ";"))) {
		struct lurk_rule *rule = &t->rules[t->count];
		char *at = strchr(one, '@'), *swap = strstr(one, "<>"), *to;

		if (!*one)
			continue;
		while (*one == ' ')
			one++;
		rule->line = ++t->count;
		rule->off = *one == '!';
		one += rule->off;
		if (at) {
			*at = '\0';
			rule->keyboard = (uint16_t)atoi(at + 1);
		}
		rule->swap = swap != NULL;
		to = swap ? swap : strchr(one, '>');
		*to = '\0';
		rule->press = test_press(one);
		test_result(rule, to + (swap ? 2 : 1));
	}
	assert_int_equal(test_rules_image(t), LURK_OK);
}

#endif
