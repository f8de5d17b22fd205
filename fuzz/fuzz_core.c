/* Wire bytes, names and images from anywhere. The first byte says which. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/engine.h"
#include "lurk/name.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void decode(const uint8_t *data, size_t size)
{
	struct lurk_key_event event;
	struct lurk_ps2 ps2;
	struct lurk_hid hid;

	lurk_ps2_init(&ps2, data[0] % 2 + 1);
	lurk_hid_init(&hid, data[0] % 2 ? LURK_HID_BOOT : LURK_HID_CONSUMER);
	for (size_t i = 1; i < size; i++) {
		lurk_ps2_feed(&ps2, data[i]);
		while (lurk_ps2_next(&ps2, &event))
			;
	}
	for (size_t i = 1; i < size; i += data[i] % 13U + 1) {
		size_t length = data[i] % 13U < size - i ? data[i] % 13U : size - i;

		lurk_hid_feed(&hid, data + i, length);
		while (lurk_hid_next(&hid, &event))
			;
	}
}

static void name(const uint8_t *data, size_t size)
{
	struct lurk_reading reading;
	struct lurk_name found;

	lurk_name_read((const char *)data, size, NULL, &found);
	for (unsigned i = 0; lurk_name_reading(&found, i, &reading); i++)
		;
}

/* Presses under a keymap that may say anything: some wait while it types. All keys up is all up. */
static void press(const struct lurk_keymap *keymap, const uint8_t *data, size_t size)
{
	static struct lurk_engine engine;
	static struct lurk_engine_keyboard keyboards[2];
	struct lurk_frame frame;
	struct lurk_wish wish;
	uint64_t now_us = 0;

	lurk_engine_init(&engine, keyboards, 2);
	lurk_engine_use(&engine, 0, keymap);
	lurk_engine_use(&engine, 1, keymap);
	for (size_t i = 0; i < 64 + 2 * 128; i++) {
		uint8_t byte = i < 64 ? data[size - 1 - i % size] : (uint8_t)(i - 64);
		struct lurk_event event = {
			.keyboard = byte & 1,
			.key = {.key = (lurk_key)(1 + (byte >> 1)),
				.state = i < 64 && byte & 4 ? LURK_DOWN : LURK_UP}};

		event.key.scan = lurk_key_scan_on(event.key.key, LURK_WIRING_HID);
		while (lurk_engine_feed(&engine, &event) == LURK_ERR_BUSY) {
			while (lurk_engine_pull(&engine, now_us++, &frame))
				;
		}
		while (byte & 8 && lurk_engine_pull(&engine, now_us, &frame))
			;
		lurk_engine_take_wish(&engine, &wish);
		now_us += 1000;
	}
	while (lurk_engine_deadline(&engine) != LURK_NEVER || engine.pending_count) {
		now_us += LURK_TYPING_US;
		while (lurk_engine_pull(&engine, now_us, &frame))
			;
		lurk_engine_take_wish(&engine, &wish);
	}
	if (lurk_engine_holds(&engine, 0) || lurk_engine_holds(&engine, 1))
		abort();
}

/* With a checksum that fits, since none would ever be guessed. */
static void image(const uint8_t *data, size_t size)
{
	struct lurk_compile_report report;
	struct lurk_keymap *keymap;
	struct lurk_image opened;
	uint8_t *bytes;

	if (size < 52)
		return;
	bytes = malloc(size);
	memcpy(bytes, data, size);
	memcpy(bytes, "LURK\1\0\64", 8);
	for (int i = 0; i < 4; i++)
		bytes[8 + i] = (uint8_t)(size >> 8 * i);
	lurk_image_stamp(bytes, 1, 1, 0);
	if (lurk_image_open(bytes, size, &opened) == LURK_OK) {
		for (uint16_t k = 0; k <= opened.keyboard_count; k++) {
			struct lurk_compile_job job = {&opened, 0, k, (uint8_t)(k % 3), false};

			if (lurk_compile(&job, NULL, 0, &keymap, &report) == LURK_ERR_ROOM) {
				void *memory = malloc(report.needed);

				if (lurk_compile(&job, memory, report.needed, &keymap, &report) ==
				    LURK_OK)
					press(keymap, bytes, size);
				free(memory);
			}
		}
	}
	free(bytes);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	if (size < 2)
		return 0;
	if (data[0] < 85)
		decode(data + 1, size - 1);
	else if (data[0] < 170)
		name(data + 1, size - 1);
	else
		image(data + 1, size - 1);
	return 0;
}
