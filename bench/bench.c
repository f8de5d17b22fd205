/* What bench.py measures: bench feed RULES feeds events under so many rules; bench modified RULES
 * and bench chord RULES the same with presses that need more; bench compile RULES compiles them;
 * bench sizes RULES tells sizes. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/engine.h"
#include "lurk/name.h"

enum { RULES = 4096, EVENTS = 4000 };

static struct lurk_rule rules[RULES];
static struct lurk_engine engine;
static struct lurk_engine_keyboard keyboard;

__attribute__((noinline)) static unsigned feed_and_pull(const struct lurk_event *event)
{
	struct lurk_frame frame;
	unsigned strokes = 0;

	lurk_engine_feed(&engine, event);
	do {
		strokes += lurk_engine_pull(&engine, event->time_us, &frame) ? frame.count : 0;
	} while (engine.waiting);
	return strokes;
}

__attribute__((noinline)) static enum lurk_error compile(const struct lurk_compile_job *job,
							 void *memory, size_t size,
							 struct lurk_keymap **keymap,
							 struct lurk_compile_report *report)
{
	return lurk_compile(job, memory, size, keymap, report);
}

/* The first rule is CapsLock gives Tab; or Shift+CapsLock does, or it gives Meta+KeyC. The others
 * are on scan codes of a vendor's page. */
static void make_rules(unsigned count, const char *what)
{
	static uint8_t step[LURK_STEP_BYTES];

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
	if (!strcmp(what, "modified"))
		rules[0].press.modifiers = LURK_MOD_SHIFT;
	if (!strcmp(what, "chord")) {
		lurk_step_write(&(struct lurk_step){LURK_KEY_C, LURK_MOD_META}, step);
		rules[0].gives = (struct lurk_result){.kind = LURK_GIVES_CHORDS,
						      .steps = {(char *)step, sizeof step}};
	}
}

/* Each key pressed and released in turn; or, with modifiers, one held and the other pressed. */
static const lurk_key plain[] = {LURK_KEY_CAPSLOCK, LURK_KEY_CAPSLOCK,  LURK_KEY_A,
				 LURK_KEY_A,        LURK_KEY_LEFTSHIFT, LURK_KEY_LEFTSHIFT,
				 LURK_KEY_ENTER,    LURK_KEY_ENTER};
static const lurk_key modified[] = {LURK_KEY_LEFTSHIFT, LURK_KEY_CAPSLOCK, LURK_KEY_CAPSLOCK,
				    LURK_KEY_LEFTSHIFT};
static const lurk_key chord[] = {LURK_KEY_CAPSLOCK, LURK_KEY_CAPSLOCK};

static unsigned type(const lurk_key *keys, unsigned count)
{
	static bool down[LURK_KEY_COUNT];
	unsigned strokes = 0;

	for (unsigned i = 0; i < EVENTS; i++) {
		lurk_key key = keys[i % count];
		struct lurk_event event = {.time_us = i, .key = {.key = key}};

		down[key] = !down[key];
		event.key.state = down[key] ? LURK_DOWN : LURK_UP;
		for (size_t s = 0; event.key.scan.kind != LURK_SCAN_HID; s++)
			event.key.scan = lurk_key_scan(key, s);
		strokes += feed_and_pull(&event);
	}
	return strokes;
}

__attribute__((noinline)) static enum lurk_name_kind read_name(const char *name)
{
	struct lurk_name read;

	return lurk_name_read(name, strlen(name), NULL, &read);
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

	if (!strcmp(argv[1], "name"))
		return read_name(argv[2]) == LURK_NAME_UNKNOWN;
	make_rules(count, argv[1]);
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
		/* Shift, a spacer, Shift, Tab, and the same back, of four events; four of two. */
		if (!strcmp(argv[1], "modified") ? type(modified, 4) != EVENTS / 4 * 10
		    : !strcmp(argv[1], "chord")  ? type(chord, 2) != EVENTS / 2 * 4
						 : type(plain, 8) != EVENTS)
			return 1;
	}
	free(bytes);
	free(memory);
	return 0;
}
