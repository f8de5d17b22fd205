/* Bare numbers in all their readings, and scan codes: what is written out is read as the same. */
#include <stdlib.h>
#include <string.h>

#include "lurk/name.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static const char digits[] = "0123456789abcdefx:hid:ps2:evdev:";
	struct lurk_reading reading;
	struct lurk_name found;
	char text[24], written[LURK_SCAN_TEXT];
	lurk_scan scan, again;
	size_t n = size < sizeof text ? size : sizeof text - 1;

	for (size_t i = 0; i < n; i++)
		text[i] = data[i] & 0x80 ? (char)(data[i] & 0x7f) : digits[data[i] % 32];
	text[n] = '\0';
	lurk_name_read(text, n, NULL, &found);
	for (unsigned i = 0; lurk_name_reading(&found, i, &reading); i++)
		;
	if (lurk_scan_read(text, n, &scan) == LURK_OK) {
		lurk_scan_write(scan, written);
		if (lurk_scan_read(written, strlen(written), &again) ||
		    !lurk_scan_same(scan, again))
			abort();
	}
	return 0;
}
