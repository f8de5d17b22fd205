/* Rules made in a program, written as an image, compiled for one keyboard, and keys fed into the
 * engine. All memory is static, nothing is allocated, and no clock is read: as in a
 * microcontroller.
 *
 * $ ./feed
 * NumLock down: Tab down
 * Tab down:
 * NumLock up:
 * Tab up: Tab up
 * ShiftLeft down: ShiftLeft down
 * Digit6 down: AltRight down, Digit0 down
 * Digit6 up: Digit0 up, AltRight up
 * ShiftLeft up: ShiftLeft up
 */
#include <stdio.h>
#include <string.h>

#include <lurk/engine.h>

static uint8_t step[LURK_STEP_BYTES];
static struct lurk_rule rules[2];
static uint8_t bytes[1024];
static _Alignas(16) uint8_t memory[4096];
static struct lurk_engine engine;
static struct lurk_engine_keyboard keyboard;

/* NumLock gives Tab; Shift+6 gives the degree sign of a British layout, held as long as it is. */
static void make_rules(void)
{
	rules[0].press.on.kind = LURK_TARGET_KEY;
	rules[0].press.on.key = LURK_KEY_NUMLOCK;
	rules[0].gives.kind = LURK_GIVES_KEY;
	rules[0].gives.key = LURK_KEY_TAB;
	rules[1].press.on.kind = LURK_TARGET_KEY;
	rules[1].press.on.key = LURK_KEY_6;
	rules[1].press.modifiers = LURK_MOD_SHIFT;
	rules[1].gives.kind = LURK_GIVES_TEXT;
	rules[1].gives.text = (struct lurk_text){"°", sizeof "°" - 1};
	lurk_step_write(&(struct lurk_step){LURK_KEY_0, LURK_MOD_SHIFT | LURK_MOD_RIGHT_ALT}, step);
	rules[1].gives.steps = (struct lurk_text){(const char *)step, sizeof step};
}

static struct lurk_keymap *compile(void)
{
	const struct lurk_profile profile = {
		.name = {"example", 7}, .rules = rules, .rule_count = 2};
	const struct lurk_image_parts parts = {&profile, 1, NULL, 0};
	static struct lurk_image image;
	struct lurk_compile_job job = {.image = &image, .wiring = LURK_WIRING_HID};
	struct lurk_compile_report report;
	struct lurk_keymap *keymap;
	size_t length;

	if (lurk_image_write(&parts, bytes, sizeof bytes, &length) != LURK_OK ||
	    lurk_image_open(bytes, length, &image) != LURK_OK ||
	    lurk_compile(&job, memory, sizeof memory, &keymap, &report) != LURK_OK)
		return NULL;
	return keymap;
}

static void feed(lurk_key key, enum lurk_state state)
{
	struct lurk_event event = {.key = {.key = key, .state = (uint8_t)state}};
	struct lurk_frame frame;
	const char *separator = " ";

	event.key.scan = lurk_key_scan_on(key, LURK_WIRING_HID);
	lurk_engine_feed(&engine, &event);
	printf("%s %s:", lurk_key_name(key), state == LURK_DOWN ? "down" : "up");
	while (lurk_engine_pull(&engine, 0, &frame)) {
		for (unsigned i = 0; i < frame.count; i++, separator = ", ")
			printf("%s%s %s", separator, lurk_key_name(frame.strokes[i].key),
			       frame.strokes[i].state == LURK_DOWN ? "down" : "up");
	}
	putchar('\n');
}

int main(void)
{
	struct lurk_keymap *keymap;

	make_rules();
	keymap = compile();
	if (!keymap)
		return 1;
	lurk_engine_init(&engine, &keyboard, 1);
	lurk_engine_use(&engine, 0, keymap);
	feed(LURK_KEY_NUMLOCK, LURK_DOWN);
	feed(LURK_KEY_TAB, LURK_DOWN);
	feed(LURK_KEY_NUMLOCK, LURK_UP);
	feed(LURK_KEY_TAB, LURK_UP);
	feed(LURK_KEY_LEFTSHIFT, LURK_DOWN);
	feed(LURK_KEY_6, LURK_DOWN);
	feed(LURK_KEY_6, LURK_UP);
	feed(LURK_KEY_LEFTSHIFT, LURK_UP);
	return 0;
}
