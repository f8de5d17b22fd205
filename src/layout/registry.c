#include "layout/registry.h"

#include <limits.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>

/* A line of the list: a layout, or a layout's variant, in words. */
struct entry {
	char name[64], words[96];
};

static FILE *open_list(struct xkb_context *context)
{
	char path[PATH_MAX];
	FILE *list = NULL;

	for (unsigned i = 0; !list && i < xkb_context_num_include_paths(context); i++) {
		snprintf(path, sizeof path, "%s/rules/evdev.lst",
			 xkb_context_include_path_get(context, i));
		list = fopen(path, "r");
	}
	return list;
}

/* In the sections "! layout" ("gb  English (UK)") and "! variant" ("neo  de: German (Neo 2)"). */
static bool read_entry(FILE *list, char section[16], struct entry *entry)
{
	char line[256], base[32], variant[32];

	while (fgets(line, sizeof line, list)) {
		line[strcspn(line, "\n")] = '\0';
		if (sscanf(line, "! %15s", section) == 1)
			continue;
		if (!strcmp(section, "layout") &&
		    sscanf(line, " %31s %95[^\n]", base, entry->words) == 2) {
			snprintf(entry->name, sizeof entry->name, "%s", base);
			return true;
		}
		if (!strcmp(section, "variant") &&
		    sscanf(line, " %31s %31[^:]: %95[^\n]", variant, base, entry->words) == 3) {
			snprintf(entry->name, sizeof entry->name, "%.31s:%.31s", base, variant);
			return true;
		}
	}
	return false;
}

void lurk_registry_words(struct xkb_context *context, const char *name, char *words, size_t size)
{
	FILE *list = open_list(context);
	char section[16] = "";
	struct entry entry;

	/* "ar" is an older name of Arabic's layout. */
	if (!strcmp(name, "ar"))
		name = "ara";
	snprintf(words, size, "%s", name);
	while (list && read_entry(list, section, &entry)) {
		if (!strcmp(entry.name, name)) {
			snprintf(words, size, "%s", entry.words);
			break;
		}
	}
	if (list)
		fclose(list);
}

bool lurk_registry_meant(struct xkb_context *context, const char *word, char name[64],
			 char candidates[256])
{
	enum { MOST = 4 };
	FILE *list = open_list(context);
	char section[16] = "", country[64];
	struct entry entry;
	unsigned found = 0;
	bool exact = false;

	*candidates = *name = '\0';
	snprintf(country, sizeof country, "(%s)", word);
	while (list && !exact && read_entry(list, section, &entry)) {
		size_t n = strlen(candidates);

		exact = !strcasecmp(entry.words, word);
		if (strchr(entry.name, ':') ||
		    !(exact || strcasestr(entry.words, country) ||
		      (strlen(word) > 3 && strcasestr(entry.words, word))))
			continue;
		snprintf(name, 64, "%s", entry.name);
		if (found++ < MOST)
			snprintf(candidates + n, 256 - n, "%s%s, %s", n ? "; or " : "", name,
				 entry.words);
	}
	if (list)
		fclose(list);
	if (exact || found == 1)
		return true;
	*name = '\0';
	return false;
}

void lurk_registry_each(struct xkb_context *context, void (*tell)(void *data, const char *name),
			void *data)
{
	FILE *list = open_list(context);
	char section[16] = "";
	struct entry entry;

	while (list && read_entry(list, section, &entry))
		tell(data, entry.name);
	if (list)
		fclose(list);
}
