/* Bytes that may be what somebody typed: wiped in each place that they leave. */
#ifndef LURK_SERVICE_BYTES_H
#define LURK_SERVICE_BYTES_H

#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

struct lurk_bytes {
	char *at;
	size_t length, size;
};

enum { LURK_BYTES_STEP = 4096 };

static inline void lurk_bytes_free(struct lurk_bytes *bytes)
{
	if (bytes->at)
		explicit_bzero(bytes->at, bytes->size);
	free(bytes->at);
	*bytes = (struct lurk_bytes){NULL, 0, 0};
}

/* Makes room for so many more. False, and all as it was, where there is none. */
static inline bool lurk_bytes_room(struct lurk_bytes *bytes, size_t more)
{
	struct lurk_bytes grown = {NULL, bytes->length,
				   bytes->size ? bytes->size : LURK_BYTES_STEP};

	while (grown.size < bytes->length + more)
		grown.size *= 2;
	if (grown.size == bytes->size)
		return true;
	grown.at = malloc(grown.size);
	if (!grown.at)
		return false;
	if (bytes->length)
		memcpy(grown.at, bytes->at, bytes->length);
	lurk_bytes_free(bytes);
	*bytes = grown;
	return true;
}

static inline bool lurk_bytes_add(struct lurk_bytes *bytes, const char *more, size_t length)
{
	if (!lurk_bytes_room(bytes, length))
		return false;
	memcpy(bytes->at + bytes->length, more, length);
	bytes->length += length;
	return true;
}

/* Takes so many from the front. */
static inline void lurk_bytes_drop(struct lurk_bytes *bytes, size_t count)
{
	memmove(bytes->at, bytes->at + count, bytes->length - count);
	bytes->length -= count;
	explicit_bzero(bytes->at + bytes->length, count);
}

#endif
