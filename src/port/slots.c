#include "port/slots.h"

#include <errno.h>
#include <dirent.h>
#include <fcntl.h>
#include <inttypes.h>
#include <limits.h>
#include <pwd.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
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
	flags |= O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY;
	/* That it was read is not noted: with that, reading would wait for the disk to write. */
	fd = flags & O_WRONLY ? -1 : openat(folder, name, flags | O_NOATIME);
	if (fd < 0)
		fd = openat(folder, name, flags, 0600);
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

#define OWNED "of-"
#define ACCOUNT "account"
#define PROBE "probe"
enum { NAME = 256, LINE = 1024 };

const char *lurk_slots_of(const char *folder, uint32_t owner, char *path)
{
	if (owner == LURK_NOBODY)
		snprintf(path, PATH_MAX, "%s", folder);
	else
		snprintf(path, PATH_MAX, "%.*s/" OWNED "%u", PATH_MAX - 32, folder, owner);
	return path;
}

static unsigned count_owned(const char *folder)
{
	DIR *all = opendir(folder);
	const struct dirent *entry;
	unsigned count = 0;

	while (all && (entry = readdir(all)))
		count += !strncmp(entry->d_name, OWNED, strlen(OWNED));
	if (all)
		closedir(all);
	return count;
}

/* The name of a user in such a file: 0, ENOENT where all of it was read and there is none, or why
 * nobody knows. */
static int find_name(const char *users, uint32_t owner, char name[NAME])
{
	FILE *file = fopen(users, "re");
	char *line = NULL, *longer;
	size_t size = 0;
	struct passwd user;
	struct passwd *found = NULL;
	int error = ERANGE; /* a line that is longer stays to be read */

	if (!file)
		return EACCES;
	do {
		if (error == ERANGE) {
			size += LINE;
			longer = realloc(line, size);
			if (!longer)
				break;
			line = longer;
		}
		error = fgetpwent_r(file, &user, line, size, &found);
	} while (error == ERANGE || (!error && user.pw_uid != owner));
	if (error == ENOENT && ferror(file))
		error = EIO;
	snprintf(name, NAME, "%s", error ? "" : user.pw_name);
	free(line);
	fclose(file);
	return error;
}

static void note_account(const char *folder, uint32_t owner, const char *users)
{
	char path[PATH_MAX + 16], name[NAME];
	int fd;

	if (find_name(users, owner, name))
		return; /* known elsewhere, and kept */
	snprintf(path, sizeof path, "%s/" ACCOUNT, folder);
	fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0600);
	if (fd < 0)
		return;
	if (!lurk_write_whole(fd, (const uint8_t *)name, strlen(name)))
		unlink(path);
	close(fd);
}

/* Whether the owner of a folder is who it was made for, as far as can be known. */
static bool is_still(const char *folder, uint32_t owner, const char *users)
{
	char path[PATH_MAX + 16], was[NAME] = "", is[NAME];
	size_t length = 0;
	int fd, error;

	snprintf(path, sizeof path, "%s/" ACCOUNT, folder);
	fd = open(path, O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
	if (fd < 0)
		return true;
	if (!lurk_read_whole(fd, (uint8_t *)was, sizeof was - 1, &length))
		length = 0;
	close(fd);
	was[length] = '\0';
	error = *was ? find_name(users, owner, is) : EACCES;
	return error ? error != ENOENT : !strcmp(was, is);
}

/* By a file of a block, which is gone again. */
int lurk_slots_probe(const char *folder)
{
	static const uint8_t block[4096];
	int at, fd, error = mkdir(folder, 0700) && errno != EEXIST ? errno : 0;

	at = error ? -1 : open_folder(folder);
	if (at < 0)
		return error ? error : errno;
	unlinkat(at, PROBE, 0);
	fd = openat(at, PROBE, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
	if (fd < 0 ? errno != EEXIST : !lurk_write_whole(fd, block, sizeof block))
		error = errno; /* of what lies in the way nobody knows more */
	if (fd >= 0)
		close(fd);
	unlinkat(at, PROBE, 0);
	close(at);
	return error;
}

static void take_away(const char *path)
{
	DIR *all = opendir(path);
	const struct dirent *entry;

	while (all && (entry = readdir(all))) {
		if (strcmp(entry->d_name, ".") != 0 && strcmp(entry->d_name, "..") != 0)
			unlinkat(dirfd(all), entry->d_name, 0);
	}
	if (all)
		closedir(all);
	rmdir(path);
}

void lurk_slots_tidy(const char *folder, const char *users)
{
	DIR *all = opendir(folder);
	const struct dirent *entry;
	char path[PATH_MAX];
	uint32_t owner;

	while (all && (entry = readdir(all))) {
		if (sscanf(entry->d_name, OWNED "%" SCNu32, &owner) != 1)
			continue;
		lurk_slots_of(folder, owner, path);
		if (!is_still(path, owner, users))
			take_away(path);
	}
	if (all)
		closedir(all);
}

/* The entry in the folder above is on the disk as well before it counts. */
static enum lurk_error make_folder(const char *folder, const char *path)
{
	int above = open_folder(folder);
	enum lurk_error error =
		above < 0 || mkdir(path, 0700) || fsync(above) ? lurk_slots_error(errno) : LURK_OK;

	if (above >= 0)
		close(above);
	return error;
}

/* The folder of the owner, where that is needed. */
static enum lurk_error make_owned(const struct lurk_slots_place *place, const char *path)
{
	enum lurk_error error = LURK_OK;

	if (place->owner == LURK_NOBODY)
		return LURK_OK;
	if (access(path, F_OK))
		error = count_owned(place->folder) >= LURK_SLOTS_PERSONS
				? LURK_ERR_ROOM
				: make_folder(place->folder, path);
	if (!error)
		note_account(path, place->owner, place->users);
	return error;
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

static void close_slot(const struct lurk_slots_written *slot)
{
	if (slot->file >= 0)
		close(slot->file);
	if (slot->folder >= 0)
		close(slot->folder);
}

/* The file's entry in its folder is on the disk as well before it counts. */
enum lurk_error lurk_slots_sync(const struct lurk_slots_written *slot)
{
	const bool fine = fsync(slot->file) == 0 && fsync(slot->folder) == 0;
	enum lurk_error error = fine ? LURK_OK : lurk_slots_error(errno);

	if (close(slot->file) && fine)
		error = lurk_slots_error(errno);
	close(slot->folder);
	return error;
}

enum lurk_error lurk_slots_write(const struct lurk_slots_place *place, unsigned slot,
				 const uint8_t *bytes, size_t count, size_t length,
				 struct lurk_slots_written *later)
{
	char path[PATH_MAX];
	enum lurk_error error = make_owned(place, lurk_slots_of(place->folder, place->owner, path));
	struct lurk_slots_written open = {.folder = -1, .file = -1};

	if (error)
		return error;
	open.folder = open_folder(path);
	if (open.folder >= 0)
		open.file = open_slot(open.folder, slot, O_WRONLY | O_CREAT);
	if (open.file < 0 || !lurk_write_whole(open.file, bytes, count) ||
	    (count == length && ftruncate(open.file, (off_t)length))) {
		error = lurk_slots_error(errno);
		close_slot(&open);
		return error;
	}
	if (!later)
		return lurk_slots_sync(&open);
	*later = open;
	return LURK_OK;
}
