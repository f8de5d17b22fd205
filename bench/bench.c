/* What bench.py measures: bench RULES feeds events under so many rules; bench compile RULES
 * compiles them; bench sizes RULES tells sizes. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/engine.h"

enum { RULES = 4096, EVENTS = 4000 };

static struct lurk_rule rules[RULES];
static struct lurk_engine engine;
static struct lurk_engine_keyboard keyboard;

__attribute__((noinline)) static unsigned feed_and_pull(const struct lurk_event *event)
{
	struct lurk_frame frame;

	lurk_engine_feed(&engine, event);
	return lurk_engine_pull(&engine, event->time_us, &frame) ? frame.count : 0;
}

__attribute__((noinline)) static enum lurk_error compile(const struct lurk_compile_job *job,
							 void *memory, size_t size,
							 struct lurk_keymap **keymap,
							 struct lurk_compile_report *report)
{
	return lurk_compile(job, memory, size, keymap, report);
}

/* The first rule is CapsLock gives Tab; the others are on scan codes of a vendor's page. */
static void make_rules(unsigned count)
{
	rules[0].press.on.kind = LURK_TARGET_KEY;
	rules[0].press.on.key = LURK_KEY_CAPSLOCK;
	for (unsigned i = 0; i < count; i++) {
		if (i) {
			rules[i].press.on.kind = LURK_TARGET_SCAN;
			rules[i].press.on.scan = lurk_scan_make(LURK_SCAN_HID, 0xff000000U + i * 3);
		}
		rules[i].gives.kind = LURK_GIVES_KEY;
		rules[i].gives.key = (lurk_key)(i ? LURK_KEY_1 + i % 40 : LURK_KEY_TAB);
	}
}

static unsigned type(void)
{
	static const lurk_key keys[] = {LURK_KEY_CAPSLOCK, LURK_KEY_A, LURK_KEY_LEFTSHIFT,
					LURK_KEY_ENTER};
	unsigned strokes = 0;

	for (unsigned i = 0; i < EVENTS; i++) {
		lurk_key key = keys[i / 2 % 4];
		struct lurk_event event = {
			.time_us = i, .key = {.key = key, .state = i % 2 ? LURK_UP : LURK_DOWN}};

		for (size_t s = 0; event.key.scan.kind != LURK_SCAN_HID; s++)
			event.key.scan = lurk_key_scan(key, s);
		strokes += feed_and_pull(&event);
	}
	return strokes;
}

int main(int argc, char **argv)
{
	unsigned count = (unsigned)atoi(argv[argc - 1]);
	struct lurk_profile profile = {.name = {"bench", 5}, .rules = rules, .rule_count = count};
	struct lurk_image_parts parts = {&profile, 1, NULL, 0};
	struct lurk_compile_report report;
	struct lurk_image image;
	struct lurk_compile_job job = {&image, 0, 0, LURK_WIRING_HID, false};
	struct lurk_keymap *keymap = NULL;
	uint8_t *bytes;
	void *memory;
	size_t size;

	make_rules(count);
	lurk_image_write(&parts, NULL, 0, &size);
	bytes = malloc(size);
	if (lurk_image_write(&parts, bytes, size, &size) || lurk_image_open(bytes, size, &image))
		return 1;
	lurk_compile(&job, NULL, 0, &keymap, &report);
	memory = malloc(report.needed);
	if (compile(&job, memory, report.needed, &keymap, &report))
		return 1;
	if (!strcmp(argv[1], "sizes")) {
		printf("%zu %zu %zu\n", sizeof keyboard, report.needed, size);
		return 0;
	}
	if (strcmp(argv[1], "compile")) {
		lurk_engine_init(&engine, &keyboard, 1);
		lurk_engine_use(&engine, 0, keymap);
		if (type() != EVENTS)
			return 1;
	}
	free(bytes);
	free(memory);
	return 0;
}
