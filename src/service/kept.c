#include "service/kept.h"

#include <fcntl.h>
#include <stdlib.h>
#include <time.h>
#include <unistd.h>

#include "text/whole.h"

/* Times of files go in steps: within so long a second change may look like the first. */
enum { SETTLED_S = 2 };

void lurk_kept_forget(struct lurk_kept_file *file)
{
	free(file->bytes);
	file->bytes = NULL;
	if (file->fd >= 0)
		close(file->fd);
	file->fd = -1;
}

static bool is_same_time(const struct timespec *a, const struct timespec *b)
{
	return a->tv_sec == b->tv_sec && a->tv_nsec == b->tv_nsec;
}

static bool is_same(const struct stat *a, const struct stat *b)
{
	return a->st_dev == b->st_dev && a->st_ino == b->st_ino && a->st_size == b->st_size &&
	       is_same_time(&a->st_mtim, &b->st_mtim) && is_same_time(&a->st_ctim, &b->st_ctim);
}

static bool has_settled(const struct stat *now)
{
	struct timespec time;

	clock_gettime(CLOCK_REALTIME, &time);
	return time.tv_sec - now->st_ctim.tv_sec > SETTLED_S &&
	       time.tv_sec - now->st_mtim.tv_sec > SETTLED_S;
}

/* Whether it was settled is asked before it is read. */
static void read_anew(struct lurk_kept_file *file)
{
	size_t size, length;

	lurk_kept_forget(file);
	file->fd = open(file->path, O_RDONLY | O_CLOEXEC | O_NONBLOCK);
	if (file->fd < 0 || fstat(file->fd, &file->was) || !S_ISREG(file->was.st_mode)) {
		lurk_kept_forget(file);
		return;
	}
	file->settled = has_settled(&file->was);
	size = (size_t)file->was.st_size;
	file->bytes = malloc(size + 1);
	if (file->bytes &&
	    (!lurk_read_whole(file->fd, file->bytes, size, &length) || length != size))
		lurk_kept_forget(file);
}

FILE *lurk_kept_open(struct lurk_kept_file *file)
{
	struct stat now;

	if (!file->bytes || !file->settled || stat(file->path, &now) || !is_same(&file->was, &now))
		read_anew(file);
	return file->bytes && file->was.st_size
		       ? fmemopen(file->bytes, (size_t)file->was.st_size, "r")
		       : NULL;
}
