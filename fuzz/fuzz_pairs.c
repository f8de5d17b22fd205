/* Tables of pairs from anywhere: what is read without a fault is written and read again. */
#include <stdint.h>
#include <stdlib.h>

#include "lurk/pairs.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static struct lurk_pair pairs[256], again[256];
	static uint8_t bytes[LURK_PAIRS_SIZE(256)];
	struct lurk_pairs_report report, second;

	if (!lurk_pairs_read(data, size, pairs, 256, &report) || !report.count)
		return 0;
	lurk_pairs_write(pairs, report.count, bytes);
	if (!lurk_pairs_read(bytes, LURK_PAIRS_SIZE(report.count), again, 256, &second) ||
	    second.count != report.count)
		abort();
	return 0;
}
