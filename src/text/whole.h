/* All of it, however little the system takes or gives at once; false with an errno. */
#ifndef LURK_TEXT_WHOLE_H
#define LURK_TEXT_WHOLE_H

#include <errno.h>
#include <stdbool.h>
#include <stddef.h>
#include <unistd.h>

/* Up to the end of the file, or until `size` is full. */
static inline bool lurk_read_whole(int fd, void *bytes, size_t size, size_t *length)
{
	*length = 0;
	while (*length < size) {
		ssize_t n = read(fd, (char *)bytes + *length, size - *length);

		if (n < 0 && errno == EINTR)
			continue;
		if (n <= 0)
			return n == 0;
		*length += (size_t)n;
	}
	return true;
}

static inline bool lurk_write_whole(int fd, const void *bytes, size_t length)
{
	const char *at = bytes;

	while (length) {
		ssize_t n = write(fd, at, length);

		if (n < 0 && errno == EINTR)
			continue;
		if (n <= 0) {
			errno = n ? errno : ENOSPC;
			return false;
		}
		at += n;
		length -= (size_t)n;
	}
	return true;
}

#endif
