#include "lurk/text/file.h"

#include <errno.h>
#include <fcntl.h>
#include <grp.h>
#include <limits.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "lurk/name.h"
#include "lurk/text/memory.h"
#include "text/whole.h"

/* So many times a fiftieth of a second. */
enum { PATIENCE = 500 };

bool lurk_say(struct lurk_message *message, const char *format, ...)
{
	va_list args;

	va_start(args, format);
	vsnprintf(message->text, sizeof message->text, format, args);
	va_end(args);
	lurk_make_harmless(message->text);
	return false;
}

bool lurk_is_harmful(uint32_t c)
{
	return c < 0x20 || (c >= 0x7f && c < 0xa0) || c == 0x61c || c == 0x200e || c == 0x200f ||
	       (c >= 0x2028 && c <= 0x202e) || (c >= 0x2066 && c <= 0x2069) ||
	       (c & 0xfffe) == 0xfffe;
}

bool lurk_is_cut(const char *text, size_t length)
{
	const uint8_t *b = (const uint8_t *)text;
	const size_t whole = *b >= 0xf0 ? 4 : *b >= 0xe0 ? 3 : 2;

	for (size_t i = 1; i < length; i++) {
		if ((b[i] & 0xc0) != 0x80)
			return false;
	}
	return *b >= 0xc2 && *b <= 0xf4 && length < whole;
}

void lurk_make_harmless(char *text)
{
	char *to = text;
	size_t n;

	for (size_t left = strlen(text); left; left -= n, text += n) {
		uint32_t c;

		n = lurk_character_read(text, left, &c);
		if (n && !lurk_is_harmful(c)) {
			memmove(to, text, n);
			to += n;
			continue;
		}
		if (!n && lurk_is_cut(text, left))
			break;
		n = n ? n : 1;
		*to++ = '?';
	}
	*to = '\0';
}

/* ---- For whom ------------------------------------------------------------------------------- */

/* Root at work in somebody's folder is that somebody for as long as it takes: so whatever links
 * lead elsewhere, there and while it is looked at, lead no further than for that person, and what
 * is made is that person's. */
struct hat {
	bool on;
	gid_t group;
	int count;
	gid_t groups[NGROUPS_MAX];
};

/* The owner of the first part of a path that is not root's: whoever that is decides what lies
 * below. Of the last part only a link counts. */
static bool find_owner(const char *path, uid_t *uid, gid_t *gid)
{
	char part[PATH_MAX];
	struct stat status;

	if (*path != '/') {
		if (!stat(".", &status) && status.st_uid) {
			*uid = status.st_uid;
			*gid = status.st_gid;
			return true;
		}
	}
	for (const char *end = path; *end; end += *end == '/') {
		end += *end == '/';
		end += strcspn(end, "/");
		snprintf(part, sizeof part, "%.*s", (int)(end - path), path);
		if (lstat(part, &status))
			return false;
		if (status.st_uid && (*end || S_ISLNK(status.st_mode))) {
			*uid = status.st_uid;
			*gid = status.st_gid;
			return true;
		}
	}
	return false;
}

static bool put_on(const char *path, struct hat *hat)
{
	uid_t uid;
	gid_t gid;

	hat->on = false;
	if (geteuid() || !find_owner(path, &uid, &gid))
		return true;
	hat->group = getegid();
	hat->count = getgroups(NGROUPS_MAX, hat->groups);
	if (hat->count < 0 || setgroups(1, &gid))
		return false;
	hat->on = true;
	return !setegid(gid) && !seteuid(uid);
}

static void take_off(struct hat *hat)
{
	int error = errno;

	if (hat->on &&
	    (seteuid(0) || setegid(hat->group) || setgroups((size_t)hat->count, hat->groups)))
		abort(); /* never on with rights that are somebody else's */
	hat->on = false;
	errno = error;
}

/* ---- Reading -------------------------------------------------------------------------------- */

static const char *kind_of(mode_t mode)
{
	return S_ISDIR(mode) ? "a folder" : S_ISFIFO(mode) ? "a pipe" : "no plain file";
}

/* Nobody is waited for, as a pipe without a writer would be. */
static int open_to_read(const char *path)
{
	struct hat hat;
	int fd = put_on(path, &hat) ? open(path, O_RDONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC) : -1;

	take_off(&hat);
	return fd;
}

bool lurk_file_read(const char *path, char **bytes, size_t *length, bool *exists,
		    struct lurk_message *message)
{
	int fd = open_to_read(path);
	struct stat status;
	bool whole;

	*exists = fd >= 0 || errno != ENOENT;
	*bytes = NULL;
	*length = 0;
	if (fd < 0)
		return lurk_say(message, "%s: %s", path, strerror(errno));
	if (fstat(fd, &status) || !S_ISREG(status.st_mode)) {
		close(fd);
		return lurk_say(message, "%s: is %s, not a file", path, kind_of(status.st_mode));
	}
	*bytes = lurk_resize(NULL, LURK_FILE_MAX + 2);
	whole = *bytes && lurk_read_whole(fd, *bytes, LURK_FILE_MAX + 1, length) &&
		*length <= LURK_FILE_MAX;
	close(fd);
	if (whole) {
		(*bytes)[*length] = '\0';
		return true;
	}
	lurk_release(*bytes);
	*bytes = NULL;
	return lurk_say(message, "%s: larger than %d KiB, or unreadable", path,
			LURK_FILE_MAX / 1024);
}

/* ---- Locking -------------------------------------------------------------------------------- */

static void folder_of(const char *path, char folder[PATH_MAX])
{
	const char *slash = strrchr(path, '/');

	snprintf(folder, PATH_MAX, "%.*s", slash ? (int)(slash - path) + (slash == path) : 1,
		 slash ? path : ".");
}

int lurk_file_lock(const char *path)
{
	const struct timespec pause = {.tv_nsec = 20000000};
	char folder[PATH_MAX];
	struct hat hat;
	int lock;

	folder_of(path, folder);
	lock = put_on(path, &hat) ? open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
	take_off(&hat);
	for (unsigned i = 0; lock >= 0 && i < PATIENCE && flock(lock, LOCK_EX | LOCK_NB); i++) {
		if (errno != EWOULDBLOCK && errno != EINTR)
			break; /* a file system without locks */
		nanosleep(&pause, NULL);
	}
	return lock;
}

void lurk_file_unlock(int *lock)
{
	if (*lock >= 0)
		close(*lock);
	*lock = -1;
}

/* ---- Writing -------------------------------------------------------------------------------- */

static bool make_folders(const char *path, mode_t mode)
{
	char folder[PATH_MAX];

	for (const char *slash = strchr(path + 1, '/'); slash; slash = strchr(slash + 1, '/')) {
		snprintf(folder, sizeof folder, "%.*s", (int)(slash - path), path);
		if (mkdir(folder, mode) && errno != EEXIST)
			return false;
	}
	return true;
}

static void flush_folder(const char *path)
{
	char folder[PATH_MAX];
	int fd;

	folder_of(path, folder);
	fd = open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
	if (fd >= 0) {
		fsync(fd);
		close(fd);
	}
}

/* Whether what is there is what was seen before. */
static bool is_as_seen(const char *path, const struct lurk_file_seen *seen)
{
	int fd = open(path, O_RDONLY | O_NONBLOCK | O_NOFOLLOW | O_CLOEXEC);
	char chunk[4096];
	size_t at = 0, n = sizeof chunk;
	bool same = seen->exists;

	if (fd < 0)
		return !seen->exists && errno == ENOENT;
	while (same && n == sizeof chunk) {
		same = lurk_read_whole(fd, chunk, sizeof chunk, &n) && n <= seen->length - at &&
		       (!n || !memcmp(chunk, seen->bytes + at, n));
		at += n;
	}
	close(fd);
	return same && at == seen->length;
}

static bool exchange(const char *a, const char *b)
{
	return renameat2(AT_FDCWD, a, AT_FDCWD, b, RENAME_EXCHANGE) == 0;
}

/* Held open, so that its number is nobody else's meanwhile. */
static int hold(const char *path)
{
	return open(path, O_PATH | O_NOFOLLOW | O_CLOEXEC);
}

static bool is_held(const char *path, int held)
{
	struct stat a, b;

	return !stat(path, &a) && !fstat(held, &b) && a.st_ino == b.st_ino;
}

/* Puts back what was taken out of the place by mistake. Whoever has written there since has the
 * last word: that comes out then instead of what we left there, and is put back in its turn. */
static void put_back(const char *temporary, const char *real, int *left)
{
	int puts = hold(temporary);

	while (puts >= 0 && exchange(temporary, real) && !is_held(temporary, *left)) {
		close(*left);
		*left = puts;
		puts = hold(temporary);
	}
	if (puts >= 0)
		close(puts);
}

/* The new file in the old one's place, unless that is not what was seen: also where it is changed
 * in this very moment, since what comes out of the exchange is looked at. False with errno 0 then.
 */
static bool put_in_place(const char *temporary, const char *real, const struct lurk_file_seen *seen)
{
	int ours;

	if (!seen)
		return rename(temporary, real) == 0;
	if (!is_as_seen(real, seen)) {
		errno = 0;
		return false;
	}
	if (!seen->exists)
		return renameat2(AT_FDCWD, temporary, AT_FDCWD, real, RENAME_NOREPLACE) == 0 ||
		       (errno == EINVAL && rename(temporary, real) == 0);
	ours = hold(temporary);
	if (ours < 0)
		return false;
	if (!exchange(temporary, real)) {
		const bool cannot = errno == EINVAL; /* some file systems */

		close(ours);
		return cannot && rename(temporary, real) == 0;
	}
	if (is_as_seen(temporary, seen)) {
		unlink(temporary);
		close(ours);
		return true;
	}
	put_back(temporary, real, &ours);
	close(ours);
	errno = 0;
	return false;
}

/* With the rights of the old file, and of a new one those that the caller gives new files. */
static mode_t rights_for(bool secret, const struct stat *old)
{
	mode_t mask = umask(0);

	umask(mask);
	return old ? old->st_mode & 0777 : (secret ? 0600 : 0666) & ~mask;
}

/* Where a file is or will be, behind links, also such as lead to what is not there yet. */
static void find_real(const char *path, char real[PATH_MAX])
{
	char folder[PATH_MAX], target[PATH_MAX];
	ssize_t n;

	snprintf(real, PATH_MAX, "%s", path);
	for (unsigned links = 0; links < 8 && !realpath(path, folder); links++) {
		n = readlink(real, target, sizeof target - 1);
		if (n < 0)
			return;
		target[n] = '\0';
		folder_of(real, folder);
		if (*target == '/' || snprintf(real, PATH_MAX, "%s/%s", folder, target) >= PATH_MAX)
			snprintf(real, PATH_MAX, "%s", target);
	}
	if (realpath(path, folder))
		memcpy(real, folder, sizeof folder);
}

static bool write_as_owner(const char *path, const char *bytes, size_t length, bool secret,
			   const struct lurk_file_seen *seen, struct lurk_message *message)
{
	char real[PATH_MAX], temporary[PATH_MAX + 16];
	struct stat old;
	bool had_old, done;
	int fd;

	find_real(path, real);
	if (!make_folders(real, secret ? 0700 : 0777))
		return lurk_say(message, "%s: its folder cannot be made: %s", path,
				strerror(errno));
	had_old = stat(real, &old) == 0;
	if (had_old && !S_ISREG(old.st_mode))
		return lurk_say(message, "%s: cannot be written: it is no plain file", path);
	snprintf(temporary, sizeof temporary, "%s.XXXXXX", real);
	fd = mkostemp(temporary, O_CLOEXEC);
	if (fd < 0)
		return lurk_say(message, "%s: cannot be written: %s", path, strerror(errno));
	done = lurk_write_whole(fd, bytes, length) && fsync(fd) == 0;
	if (had_old && geteuid() == 0 && fchown(fd, old.st_uid, old.st_gid))
		done = false;
	done = done && fchmod(fd, rights_for(secret, had_old ? &old : NULL)) == 0;
	done = close(fd) == 0 && done && put_in_place(temporary, real, seen);
	if (done) {
		flush_folder(real);
		return true;
	}
	if (errno == 0 || errno == EEXIST)
		lurk_say(message,
			 "%s: was changed by another program meanwhile, so nothing is written; "
			 "the same command again starts from what it is now",
			 path);
	else
		lurk_say(message, "%s: cannot be written: %s", path, strerror(errno));
	unlink(temporary);
	return false;
}

static bool write_file(const char *path, const char *bytes, size_t length, bool secret,
		       const struct lurk_file_seen *seen, struct lurk_message *message)
{
	struct hat hat;
	bool done = put_on(path, &hat) ? write_as_owner(path, bytes, length, secret, seen, message)
				       : lurk_say(message, "%s: cannot be written as its owner: %s",
						  path, strerror(errno));

	take_off(&hat);
	return done;
}

bool lurk_file_write(const char *path, const char *bytes, size_t length,
		     struct lurk_message *message)
{
	return write_file(path, bytes, length, false, NULL, message);
}

bool lurk_file_replace(const char *path, const char *bytes, size_t length,
		       const struct lurk_file_seen *seen, struct lurk_message *message)
{
	return write_file(path, bytes, length, false, seen, message);
}

/* It is looked at where nobody else writes to it any more. */
static bool remove_as_owner(const char *path, const struct lurk_file_seen *seen,
			    struct lurk_message *message)
{
	char aside[PATH_MAX];

	if (snprintf(aside, sizeof aside, "%s.%ld~", path, (long)getpid()) >= (int)sizeof aside ||
	    rename(path, aside))
		return lurk_say(message, "%s: cannot be removed: %s", path, strerror(errno));
	if (!is_as_seen(aside, seen)) {
		if (link(aside, path) == 0) /* where nothing new stands there */
			unlink(aside);
		return lurk_say(message,
				"%s: somebody else has just changed it; nothing is removed", path);
	}
	unlink(aside);
	flush_folder(path);
	return true;
}

bool lurk_file_remove(const char *path, const struct lurk_file_seen *seen,
		      struct lurk_message *message)
{
	struct hat hat;
	bool done = put_on(path, &hat) ? remove_as_owner(path, seen, message)
				       : lurk_say(message, "%s: cannot be removed as its owner: %s",
						  path, strerror(errno));

	take_off(&hat);
	return done;
}

bool lurk_file_add_secret(const char *path, const char *bytes, size_t length, bool *taken,
			  struct lurk_message *message)
{
	const struct lurk_file_seen none = {false, NULL, 0};

	const bool done =
		access(path, F_OK) != 0 && write_file(path, bytes, length, true, &none, message);

	*taken = !done && access(path, F_OK) == 0;
	return done;
}
