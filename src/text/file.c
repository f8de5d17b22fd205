#include "text/file.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "lurk/name.h"

bool lurk_say(struct lurk_message *message, const char *format, ...)
{
	va_list args;

	va_start(args, format);
	vsnprintf(message->text, sizeof message->text, format, args);
	va_end(args);
	lurk_make_harmless(message->text);
	return false;
}

/* Control characters, C1 ones as well; separators of lines; what turns the direction of text around
 * beyond its own end; what is no character. */
static bool is_harmful(uint32_t c)
{
	return c < 0x20 || (c >= 0x7f && c < 0xa0) || (c >= 0x2028 && c <= 0x202e) ||
	       (c >= 0x2066 && c <= 0x2069) || (c & 0xfffe) == 0xfffe;
}

/* Whether a text ends within a character: it was cut there. */
static bool is_cut(const char *text, size_t length)
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
		if (n && !is_harmful(c)) {
			memmove(to, text, n);
			to += n;
			continue;
		}
		if (!n && is_cut(text, left))
			break;
		n = n ? n : 1;
		*to++ = '?';
	}
	*to = '\0';
}

bool lurk_file_read(const char *path, char **bytes, size_t *length, bool *exists,
		    struct lurk_message *message)
{
	FILE *file = fopen(path, "rb");
	struct stat status;
	bool whole;

	*exists = file || errno != ENOENT;
	*bytes = NULL;
	*length = 0;
	if (!file)
		return lurk_say(message, "%s: %s", path, strerror(errno));
	if (fstat(fileno(file), &status) || S_ISDIR(status.st_mode)) {
		fclose(file);
		return lurk_say(message, "%s: is a folder, not a file", path);
	}
	*bytes = malloc(LURK_FILE_MAX + 2);
	if (*bytes)
		*length = fread(*bytes, 1, LURK_FILE_MAX + 1, file);
	whole = *bytes && !ferror(file) && *length <= LURK_FILE_MAX;
	fclose(file);
	if (whole) {
		(*bytes)[*length] = '\0';
		return true;
	}
	free(*bytes);
	*bytes = NULL;
	return lurk_say(message, "%s: larger than %d KiB, or unreadable", path,
			LURK_FILE_MAX / 1024);
}

static bool make_folders(const char *path)
{
	char folder[PATH_MAX];

	for (const char *slash = strchr(path + 1, '/'); slash; slash = strchr(slash + 1, '/')) {
		snprintf(folder, sizeof folder, "%.*s", (int)(slash - path), path);
		if (mkdir(folder, 0777) && errno != EEXIST)
			return false;
	}
	return true;
}

static bool write_all(int fd, const char *bytes, size_t length)
{
	while (length) {
		ssize_t n = write(fd, bytes, length);

		if (n < 0 && errno == EINTR)
			continue;
		if (n <= 0)
			return false;
		bytes += n;
		length -= (size_t)n;
	}
	return fsync(fd) == 0;
}

static void flush_folder(const char *path)
{
	char folder[PATH_MAX];
	const char *slash = strrchr(path, '/');
	int fd;

	snprintf(folder, sizeof folder, "%.*s", slash ? (int)(slash - path) + 1 : 1,
		 slash ? path : ".");
	fd = open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
	if (fd >= 0) {
		fsync(fd);
		close(fd);
	}
}

bool lurk_file_write(const char *path, const char *bytes, size_t length,
		     struct lurk_message *message)
{
	char real[PATH_MAX], temporary[PATH_MAX + 16];
	struct stat old;
	bool had_old, done;
	int fd;

	if (!realpath(path, real))
		snprintf(real, sizeof real, "%s", path);
	if (!make_folders(real))
		return lurk_say(message, "%s: its folder cannot be made: %s", path,
				strerror(errno));
	had_old = stat(real, &old) == 0;
	if (had_old && !S_ISREG(old.st_mode))
		return lurk_say(message, "%s: cannot be written: it is no plain file", path);
	snprintf(temporary, sizeof temporary, "%s.XXXXXX", real);
	fd = mkstemp(temporary);
	if (fd < 0)
		return lurk_say(message, "%s: cannot be written: %s", path, strerror(errno));
	done = fchmod(fd, had_old ? old.st_mode & 07777 : 0644) == 0 &&
	       write_all(fd, bytes, length);
	if (had_old && geteuid() == 0 && fchown(fd, old.st_uid, old.st_gid))
		done = false;
	done = close(fd) == 0 && done && rename(temporary, real) == 0;
	if (!done) {
		lurk_say(message, "%s: cannot be written: %s", path, strerror(errno));
		unlink(temporary);
		return false;
	}
	flush_folder(real);
	return true;
}
