/* Entries of udev's hardware database from anywhere: what is read is written and read again. */
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/profile/hwdb.h"
#include "lurk/text/memory.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void on_entry(void *data, const struct lurk_hwdb_entry *entry)
{
	struct lurk_hwdb_match match, again;
	char text[LURK_HWDB_MATCH], key[LURK_HWDB_KEY];

	(void)data;
	if (entry->known)
		lurk_hwdb_key(entry->key, key);
	if (!lurk_hwdb_match_read(entry->match, &match))
		return;
	lurk_hwdb_match_write(&match, text);
	if (!lurk_hwdb_match_read(text, &again) || again.bus != match.bus ||
	    again.by_product != match.by_product || again.vendor != match.vendor ||
	    again.product != match.product)
		abort();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	char *text = lurk_copy((const char *)data, size);

	lurk_hwdb_read(text, on_entry, NULL);
	lurk_release(text);
	return 0;
}
