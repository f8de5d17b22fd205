/* Names of keys as people write them; a name that is one thing is read the same again. */
#include <stdlib.h>
#include <string.h>

#include "lurk/name.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	struct lurk_name found;

	if (size > 64)
		return 0;
	if (lurk_name_read((const char *)data, size, NULL, &found) == LURK_NAME_PRESS &&
	    found.press.on.kind == LURK_TARGET_KEY && !*lurk_key_name(found.press.on.key))
		abort();
	return 0;
}
