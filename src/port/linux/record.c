#include "port/linux/record.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { BOOT_ID = 40, LINES_STEP = 64, LINES_MAX = 1 << 16, WRITTEN_MAX = 1000 };

static void read_boot_id(char id[BOOT_ID])
{
	FILE *file = fopen("/proc/sys/kernel/random/boot_id", "r");

	snprintf(id, BOOT_ID, "unknown\n");
	if (file && !fgets(id, BOOT_ID, file))
		snprintf(id, BOOT_ID, "unknown\n");
	if (file)
		fclose(file);
}

static struct lurk_record_line *find(const struct lurk_record *record, unsigned input,
				     unsigned index)
{
	for (unsigned i = 0; i < record->count; i++) {
		if (record->lines[i].input == input && record->lines[i].index == index)
			return &record->lines[i];
	}
	return NULL;
}

static void drop(struct lurk_record *record, struct lurk_record_line *line)
{
	*line = record->lines[--record->count];
}

/* An entry that is as it was needs no line. */
static bool keep(struct lurk_record *record, const struct lurk_record_line *line)
{
	struct lurk_record_line *old = find(record, line->input, line->index), *grown;

	if (line->original == line->now) {
		if (old)
			drop(record, old);
		return true;
	}
	if (old) {
		*old = *line;
		return true;
	}
	if (record->count == LINES_MAX)
		return false;
	if (record->count % LINES_STEP == 0) {
		grown = realloc(record->lines, (record->count + LINES_STEP) * sizeof *grown);
		if (!grown)
			return false;
		record->lines = grown;
	}
	record->lines[record->count++] = *line;
	return true;
}

static void read_lines(struct lurk_record *record, FILE *file)
{
	char text[128];

	while (fgets(text, sizeof text, file)) {
		struct lurk_record_line line;

		record->written++;
		if (sscanf(text, "input %u entry %u was %hu is %hu", &line.input, &line.index,
			   &line.original, &line.now) == 4)
			keep(record, &line);
	}
}

static int write_line(int fd, const struct lurk_record_line *line)
{
	return dprintf(fd, "input %u entry %u was %u is %u\n", line->input, line->index,
		       line->original, line->now);
}

/* Writes the file anew, with the lines that still say something. Whatever lies there from somebody
 * else goes: the folder is the service's. False with an errno. */
static bool rewrite(struct lurk_record *record)
{
	char fresh[sizeof record->path + 8], boot[BOOT_ID];
	bool fine;
	int fd, error;

	snprintf(fresh, sizeof fresh, "%s.new", record->path);
	read_boot_id(boot);
	unlink(fresh);
	fd = open(fresh, O_WRONLY | O_CREAT | O_EXCL | O_APPEND | O_CLOEXEC | O_NOFOLLOW, 0600);
	fine = fd >= 0 && dprintf(fd, "%s", boot) > 0;
	for (unsigned i = 0; fine && i < record->count; i++)
		fine = write_line(fd, &record->lines[i]) > 0;
	if (!fine || rename(fresh, record->path)) {
		error = errno;
		if (fd >= 0)
			close(fd);
		unlink(fresh);
		errno = error;
		return false;
	}
	if (record->fd >= 0)
		close(record->fd);
	record->fd = fd;
	record->written = record->count;
	record->torn = false;
	return true;
}

/* A plain file that is the service's; nobody is waited for. */
static FILE *open_plain(const char *path)
{
	int fd = open(path, O_RDONLY | O_NONBLOCK | O_NOFOLLOW | O_CLOEXEC);
	struct stat status;

	if (fd >= 0 && !fstat(fd, &status) && S_ISREG(status.st_mode))
		return fdopen(fd, "r");
	if (fd >= 0)
		close(fd);
	return NULL;
}

bool lurk_record_open(struct lurk_record *record, const char *folder)
{
	char boot[BOOT_ID], written[BOOT_ID] = "";
	FILE *file;

	memset(record, 0, sizeof *record);
	record->fd = -1;
	snprintf(record->path, sizeof record->path, "%.4000s/originals", folder);
	read_boot_id(boot);
	file = open_plain(record->path);
	if (file && fgets(written, sizeof written, file) && !strcmp(boot, written))
		read_lines(record, file);
	if (file)
		fclose(file);
	return rewrite(record);
}

void lurk_record_close(struct lurk_record *record)
{
	if (record->fd >= 0)
		close(record->fd);
	record->fd = -1;
	free(record->lines);
	record->lines = NULL;
	record->count = 0;
}

bool lurk_record_add(struct lurk_record *record, const struct lurk_record_line *line)
{
	bool written = (record->fd >= 0 && !record->torn) || rewrite(record);

	if (written && write_line(record->fd, line) < 0) {
		record->torn = true; /* it may be there in part */
		written = false;
	}
	if (!written && line->original != line->now)
		return false;
	record->written++;
	return keep(record, line) && written;
}

void lurk_record_forget(struct lurk_record *record, unsigned input)
{
	for (unsigned i = record->count; i--;) {
		if (record->lines[i].input == input)
			drop(record, &record->lines[i]);
	}
	if (record->written > 2 * record->count + WRITTEN_MAX)
		rewrite(record);
}

uint16_t lurk_record_original(const struct lurk_record *record, unsigned input, unsigned index,
			      uint16_t now, bool *by_other)
{
	const struct lurk_record_line *line = find(record, input, index);

	*by_other = line && line->now != now && line->original != now;
	return line && line->now == now ? line->original : now;
}
