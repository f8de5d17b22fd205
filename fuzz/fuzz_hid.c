/* Reports of a HID keyboard, each behind its length: the first byte says of which kind. */
#include "lurk/scan.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	struct lurk_key_event event;
	struct lurk_hid hid;

	if (!size)
		return 0;
	lurk_hid_init(&hid, data[0] % 2 ? LURK_HID_BOOT : LURK_HID_CONSUMER);
	for (size_t i = 1; i < size; i += data[i] % 13U + 1) {
		size_t length = data[i] % 13U < size - i ? data[i] % 13U : size - i;

		lurk_hid_feed(&hid, data + i, length);
		while (lurk_hid_next(&hid, &event))
			;
	}
	return 0;
}
