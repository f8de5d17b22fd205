/* keyboards.yaml from anywhere. */
#include <stdlib.h>
#include <string.h>

#include "profile/profile.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static char *copy(const uint8_t *data, size_t size)
{
	char *bytes = malloc(size + 1);

	memcpy(bytes, data, size);
	bytes[size] = '\0';
	return bytes;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	struct lurk_keyboards_file keyboards;
	struct lurk_message why;

	if (lurk_keyboards_read(&keyboards, "keyboards.yaml", copy(data, size), size, &why))
		lurk_keyboards_free(&keyboards);
	return 0;
}
