#include "port/linux/record.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { BOOT_ID = 40, LINES_MAX = 1 << 16 };

static void read_boot_id(char id[BOOT_ID])
{
	FILE *file = fopen("/proc/sys/kernel/random/boot_id", "r");

	snprintf(id, BOOT_ID, "unknown\n");
	if (file && !fgets(id, BOOT_ID, file))
		snprintf(id, BOOT_ID, "unknown\n");
	if (file)
		fclose(file);
}

static bool keep(struct lurk_record *record, const struct lurk_record_line *line)
{
	struct lurk_record_line *grown;

	if (record->count == LINES_MAX)
		return false;
	grown = realloc(record->lines, (record->count + 1U) * sizeof *grown);
	if (!grown)
		return false;
	record->lines = grown;
	record->lines[record->count++] = *line;
	return true;
}

static void read_lines(struct lurk_record *record, FILE *file)
{
	char text[128];

	while (fgets(text, sizeof text, file)) {
		struct lurk_record_line line;

		if (sscanf(text, "input %u entry %u was %hu is %hu", &line.input, &line.index,
			   &line.original, &line.now) == 4)
			keep(record, &line);
	}
}

bool lurk_record_open(struct lurk_record *record, const char *folder, struct lurk_message *message)
{
	char boot[BOOT_ID], written[BOOT_ID] = "";
	FILE *file;
	bool same;

	memset(record, 0, sizeof *record);
	snprintf(record->path, sizeof record->path, "%.4000s/originals", folder);
	read_boot_id(boot);
	file = fopen(record->path, "r");
	same = file && fgets(written, sizeof written, file) && !strcmp(boot, written);
	if (same)
		read_lines(record, file);
	if (file)
		fclose(file);
	return same || lurk_file_write(record->path, boot, strlen(boot), message);
}

void lurk_record_close(struct lurk_record *record)
{
	free(record->lines);
	record->lines = NULL;
	record->count = 0;
}

bool lurk_record_add(struct lurk_record *record, const struct lurk_record_line *line)
{
	FILE *file = fopen(record->path, "a");
	bool fine;

	if (!file)
		return false;
	fine = fprintf(file, "input %u entry %u was %u is %u\n", line->input, line->index,
		       line->original, line->now) > 0;
	fine = fclose(file) == 0 && fine;
	return fine && keep(record, line);
}

uint16_t lurk_record_original(const struct lurk_record *record, unsigned input, unsigned index,
			      uint16_t now)
{
	for (unsigned i = record->count; i--;) {
		const struct lurk_record_line *line = &record->lines[i];

		if (line->input == input && line->index == index)
			return line->now == now ? line->original : now;
	}
	return now;
}
