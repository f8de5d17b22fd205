/* Wire bytes, names and images from anywhere. The first byte says which. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/keymap.h"
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

/* With a checksum that fits, since none would ever be guessed. */
static void image(const uint8_t *data, size_t size)
{
	struct lurk_compile_report report;
	struct lurk_keymap *keymap;
	struct lurk_image opened;
	uint8_t *bytes;

	if (size < 48)
		return;
	bytes = malloc(size);
	memcpy(bytes, data, size);
	memcpy(bytes, "LURK\1\0\60", 8);
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
					lurk_keymap_find(keymap,
							 lurk_scan_make(LURK_SCAN_HID, 0x70004),
							 LURK_KEY_A);
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
