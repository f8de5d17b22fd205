#include "port/slots.h"

#include <errno.h>
#include <fcntl.h>
#include <stdbool.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

#include "text/whole.h"

enum lurk_error lurk_slots_error(int error)
{
	switch (error) {
	case ENOSPC:
	case EDQUOT:
	case EFBIG:
		return LURK_ERR_NO_SPACE;
	case EROFS:
		return LURK_ERR_READ_ONLY;
	case EIO:
		return LURK_ERR_DISK;
	case EACCES:
	case EPERM:
		return LURK_ERR_DENIED;
	case ENOENT:
	case ENOTDIR:
		return LURK_ERR_NO_FOLDER;
	case EISDIR:
	case ELOOP:
	case EMLINK:
	case ENXIO:
		return LURK_ERR_FOREIGN;
	default:
		return LURK_ERR_PORT;
	}
}

/* Nobody is waited for: a pipe has nothing, or nobody who reads. */
static int open_slot(int folder, unsigned slot, int flags)
{
	char name[16];
	struct stat status;
	int fd;

	snprintf(name, sizeof name, "slot-%02u", slot);
	fd = openat(folder, name, flags | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY, 0600);
	if (fd >= 0 && (fstat(fd, &status) || !S_ISREG(status.st_mode))) {
		close(fd);
		errno = EISDIR;
		return -1;
	}
	return fd;
}

static int open_folder(const char *folder)
{
	return open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
}

enum lurk_error lurk_slots_read(const char *folder, unsigned slot, uint8_t *bytes, size_t size,
				size_t *length)
{
	int at = open_folder(folder), fd = at < 0 ? -1 : open_slot(at, slot, O_RDONLY);
	enum lurk_error error = LURK_OK; /* nothing was ever stored where there is no folder */

	*length = 0;
	if (fd < 0 && errno != ENOENT)
		error = lurk_slots_error(errno);
	if (fd >= 0 && !lurk_read_whole(fd, bytes, size, length))
		error = lurk_slots_error(errno);
	if (fd >= 0)
		close(fd);
	if (at >= 0)
		close(at);
	return error;
}

/* The file's entry in its folder is on the disk as well before it counts. */
enum lurk_error lurk_slots_write(const char *folder, unsigned slot, const uint8_t *bytes,
				 size_t count, size_t length)
{
	int at = open_folder(folder), fd = at < 0 ? -1 : open_slot(at, slot, O_WRONLY | O_CREAT);
	bool fine = fd >= 0 && lurk_write_whole(fd, bytes, count) &&
		    (count < length || ftruncate(fd, (off_t)length) == 0) && fsync(fd) == 0 &&
		    fsync(at) == 0;
	enum lurk_error error = fine ? LURK_OK : lurk_slots_error(errno);

	if (fd >= 0 && close(fd) && fine)
		error = lurk_slots_error(errno);
	if (at >= 0)
		close(at);
	return error;
}
