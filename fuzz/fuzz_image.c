/* Images, mended where a part must fit another that none would ever guess: magic, version, length
 * and checksum. What can be opened is compiled for each keyboard, and keys are pressed under it. */
#include <stdlib.h>
#include <string.h>

#include "lurk/engine.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

size_t LLVMFuzzerMutate(uint8_t *data, size_t size, size_t most);
size_t LLVMFuzzerCustomMutator(uint8_t *data, size_t size, size_t most, unsigned seed);

enum { HEAD = 52, KEYMAP = 1 << 17 };

static void mend(uint8_t *bytes, size_t size)
{
	static const uint8_t head[8] = {'L', 'U', 'R', 'K', 1, 0, HEAD, 0};

	memcpy(bytes, head, sizeof head);
	for (int i = 0; i < 4; i++)
		bytes[8 + i] = (uint8_t)(size >> 8 * i);
	lurk_image_stamp(bytes, 1, 1, 0);
}

/* Bytes anywhere; or one of the words of which an image is made, by little: counts and offsets. */
size_t LLVMFuzzerCustomMutator(uint8_t *data, size_t size, size_t most, unsigned seed)
{
	if (size < HEAD || seed % 3) {
		size = LLVMFuzzerMutate(data, size, most);
	} else {
		size_t at = HEAD - 24 + seed / 3 % (size - HEAD + 24) / 2 * 2;

		if (at + 2 <= size)
			data[at] = (uint8_t)(data[at] + (seed >> 16) % 9 - 4);
	}
	if (size >= HEAD)
		mend(data, size);
	return size;
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

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static _Alignas(16) uint8_t memory[KEYMAP];
	struct lurk_compile_report report;
	struct lurk_keymap *keymap;
	struct lurk_image opened;

	if (lurk_image_open(data, size, &opened))
		return 0;
	for (uint16_t k = 0; k <= opened.keyboard_count && k < 3; k++) {
		struct lurk_compile_job job = {&opened, 0, k, (uint8_t)(k % 3), false, NULL};

		if (lurk_compile(&job, memory, sizeof memory, &keymap, &report) == LURK_OK)
			press(keymap, data, size);
	}
	return 0;
}
