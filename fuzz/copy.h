/* What a fuzz target of files needs: the bytes as a reader wants them, a NUL behind, its to free.
 */
#ifndef LURK_FUZZ_COPY_H
#define LURK_FUZZ_COPY_H

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

static inline char *copy(const uint8_t *data, size_t size)
{
	char *bytes = malloc(size + 1);

	memcpy(bytes, data, size);
	bytes[size] = '\0';
	return bytes;
}

#endif
