#include "lurk/work/holder.h"

#include <ctype.h>
#include <dirent.h>
#include <limits.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "lurk/text/file.h"

static bool read_first_line(const char *path, char *out, size_t size)
{
	FILE *file = fopen(path, "re");
	bool fine = file && fgets(out, (int)size, file);

	if (file)
		fclose(file);
	if (fine)
		out[strcspn(out, "\n")] = '\0';
	return fine;
}

/* Whether an event node, by its name, is at the place: that and "/input0", say. */
static bool node_is_at(const char *node, const char *place)
{
	char path[PATH_MAX], phys[256];
	size_t n = strlen(place);

	snprintf(path, sizeof path, "/sys/class/input/%.64s/device/phys", node);
	return n && read_first_line(path, phys, sizeof phys) && !strncmp(phys, place, n) &&
	       (!phys[n] || phys[n] == '/');
}

static bool has_open(const char *process, const char *place)
{
	char folder[PATH_MAX], link[PATH_MAX];
	struct dirent *entry;
	bool found = false;
	DIR *dir;

	snprintf(folder, sizeof folder, "/proc/%.32s/fd", process);
	dir = opendir(folder);
	while (dir && !found && (entry = readdir(dir))) {
		ssize_t n = readlinkat(dirfd(dir), entry->d_name, link, sizeof link - 1);

		link[n > 0 ? n : 0] = '\0';
		found = !strncmp(link, "/dev/input/event", 16) && node_is_at(link + 11, place);
	}
	if (dir)
		closedir(dir);
	return found;
}

/* By the kernel's lists of input devices and of processes' files. */
const char *lurk_holders(const char *place, char *out, size_t size)
{
	DIR *dir = opendir("/proc");
	struct dirent *entry;

	*out = '\0';
	while (dir && (entry = readdir(dir))) {
		char path[64], name[64];
		size_t n = strlen(out);

		if (!isdigit((unsigned char)*entry->d_name) || !has_open(entry->d_name, place))
			continue;
		snprintf(path, sizeof path, "/proc/%.32s/comm", entry->d_name);
		if (!read_first_line(path, name, sizeof name) || !strcmp(name, "lurkd"))
			continue;
		lurk_make_harmless(name);
		snprintf(out + n, size - n, "%s%s (process %.16s)", n ? " or " : "", name,
			 entry->d_name);
	}
	if (dir)
		closedir(dir);
	return out;
}
