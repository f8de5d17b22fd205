#include "work/profiles.h"

#include <dirent.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "lurk/layout/own.h"
#include "lurk/text/memory.h"

/* The folder of the base profile, for a path to that one or to one beside it. */
static void base_folder(const char *path, char out[PATH_MAX])
{
	static const char profiles[] = "/profiles";
	const char *slash = strrchr(path, '/');
	size_t n = slash ? (size_t)(slash - path) : 1;

	snprintf(out, PATH_MAX, "%.*s", (int)n, slash ? path : ".");
	n = strlen(out);
	if (n >= sizeof profiles && !strcmp(out + n - (sizeof profiles - 1), profiles))
		out[n - (sizeof profiles - 1)] = '\0';
}

void lurk_profiles_path(const char *beside, const char *word, char out[PATH_MAX])
{
	char folder[PATH_MAX];

	base_folder(beside, folder);
	if (!strcasecmp(word, LURK_PROFILE_BASE))
		snprintf(out, PATH_MAX, "%.*s/profile.yaml", PATH_MAX - 32, folder);
	else
		snprintf(out, PATH_MAX, "%.*s/profiles/%.64s.yaml", PATH_MAX - 96, folder, word);
}

static bool own_layout(struct lurk_profile_beside *one, const char *folder,
		       struct lurk_message *message)
{
	if (!*one->file.layout)
		return true;
	one->layout = lurk_layout_open_in(folder, one->file.layout, "", message);
	if (one->layout)
		one->characters = lurk_layout_characters(one->layout);
	return one->layout;
}

static const char nothing_yet[] = "lurk: 1\n";

static bool read_other(struct lurk_workspace *ws, const char *path, struct lurk_message *message)
{
	struct lurk_profile_beside *one;
	char *bytes = NULL;
	size_t length;
	bool exists;

	if (ws->beside_count + 1 == LURK_PROFILES_MAX)
		return lurk_say(message, "%s: more than %d profiles", path, LURK_PROFILES_MAX);
	one = &ws->beside[ws->beside_count];
	memset(one, 0, sizeof *one);
	snprintf(one->path, sizeof one->path, "%s", path);
	if (!lurk_file_read(path, &bytes, &length, &exists, message)) {
		if (exists)
			return false;
		/* A base that has no rule yet. */
		length = strlen(nothing_yet);
		bytes = lurk_copy(nothing_yet, length);
	}
	if (!lurk_profile_read_head(&one->file, one->path, bytes, length, message))
		return false;
	if (!own_layout(one, ws->layout.folder, message)) {
		lurk_profile_free(&one->file);
		return false;
	}
	if (!lurk_profile_read_rules(&one->file, &ws->keyboards,
				     one->layout ? &one->characters : lurk_workspace_characters(ws),
				     message)) {
		lurk_layout_close(one->layout);
		return false;
	}
	ws->beside_count++;
	return true;
}

static int by_name(const struct dirent **a, const struct dirent **b)
{
	return strcmp((*a)->d_name, (*b)->d_name);
}

static int is_profile(const struct dirent *entry)
{
	char word[LURK_PROFILE_WORD];
	const char *dot = strrchr(entry->d_name, '.');

	return dot && !strcmp(dot, ".yaml") && lurk_profile_word(entry->d_name, word) &&
	       strcmp(word, LURK_PROFILE_BASE) != 0;
}

bool lurk_profiles_read(struct lurk_workspace *ws, struct lurk_message *message)
{
	char folder[PATH_MAX], path[PATH_MAX + 300];
	struct dirent **names = NULL;
	bool fine = true;
	int count;

	lurk_profiles_forget(ws);
	ws->beside = lurk_allocate(LURK_PROFILES_MAX, sizeof *ws->beside);
	base_folder(ws->profile_path, folder);
	snprintf(path, sizeof path, "%s/profile.yaml", folder);
	if (strcasecmp(ws->profile.word, LURK_PROFILE_BASE) != 0 &&
	    (access(path, F_OK) == 0 || *ws->profile.based_on))
		fine = read_other(ws, path, message);
	snprintf(path, sizeof path, "%s/profiles", folder);
	count = scandir(path, &names, is_profile, by_name);
	for (int i = 0; i < count; i++) {
		char word[LURK_PROFILE_WORD];

		lurk_profile_word(names[i]->d_name, word);
		snprintf(path, sizeof path, "%s/profiles/%s", folder, names[i]->d_name);
		if (fine && strcasecmp(word, ws->profile.word) != 0)
			fine = read_other(ws, path, message);
		free(names[i]);
	}
	free(names);
	return fine;
}

void lurk_profiles_forget(struct lurk_workspace *ws)
{
	for (unsigned i = 0; i < ws->beside_count; i++) {
		lurk_profile_free(&ws->beside[i].file);
		lurk_layout_close(ws->beside[i].layout);
	}
	lurk_release(ws->beside);
	ws->beside = NULL;
	ws->beside_count = 0;
}
