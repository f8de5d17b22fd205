/* Desks: desk.yaml from anywhere. */
#include <stdlib.h>
#include <string.h>

#include "port/sim/desk.h"

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
	static struct lurk_desk desk;
	struct lurk_message why;

	lurk_desk_read(&desk, "desk.yaml", copy(data, size), size, &why);
	return 0;
}
