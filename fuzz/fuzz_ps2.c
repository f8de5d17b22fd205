/* Bytes of a PS/2 keyboard, of set 1 and 2: the first byte says which. */
#include "lurk/scan.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	struct lurk_key_event event;
	struct lurk_ps2 ps2;

	if (!size)
		return 0;
	lurk_ps2_init(&ps2, data[0] % 2 + 1);
	for (size_t i = 1; i < size; i++) {
		lurk_ps2_feed(&ps2, data[i]);
		while (lurk_ps2_next(&ps2, &event))
			;
	}
	return 0;
}
