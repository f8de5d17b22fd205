/* The profiles beside each other in a folder, and the image that they make. */
#include <dirent.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "cli/cli.h"

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

void cli_profile_path(const char *beside, const char *word, char out[PATH_MAX])
{
	char folder[PATH_MAX];

	base_folder(beside, folder);
	if (!strcasecmp(word, LURK_PROFILE_BASE))
		snprintf(out, PATH_MAX, "%.*s/profile.yaml", PATH_MAX - 32, folder);
	else
		snprintf(out, PATH_MAX, "%.*s/profiles/%.64s.yaml", PATH_MAX - 96, folder, word);
}

static bool own_layout(struct cli_other *other, const char *bytes, size_t length,
		       struct lurk_message *message)
{
	struct lurk_yaml yaml;
	struct lurk_message unused;
	const struct lurk_node *layout;
	char *copy = strndup(bytes, length);

	if (!copy)
		abort();
	layout = lurk_yaml_parse(&yaml, "", copy, length, &unused)
			 ? lurk_node_get(yaml.root, "layout")
			 : NULL;
	if (layout && layout->kind == LURK_NODE_SCALAR && *layout->text) {
		other->layout = lurk_layout_open(layout->text, message);
		if (!other->layout) {
			lurk_yaml_free(&yaml);
			return false;
		}
		other->characters = lurk_layout_characters(other->layout);
	}
	lurk_yaml_free(&yaml);
	return true;
}

static bool read_other(struct cli *cli, const char *path, struct lurk_message *message)
{
	struct cli_other *other;
	char *bytes = NULL;
	size_t length;
	bool exists;

	if (cli->other_count + 1 == LURK_PROFILES_MAX)
		return lurk_say(message, "%s: more than %d profiles", path, LURK_PROFILES_MAX);
	other = &cli->others[cli->other_count];
	memset(other, 0, sizeof *other);
	snprintf(other->path, sizeof other->path, "%s", path);
	if (!lurk_file_read(path, &bytes, &length, &exists, message)) {
		if (exists)
			return false;
		bytes = strdup("lurk: 1\n"); /* a base that has no rule yet */
		length = strlen(bytes);
	}
	if (!own_layout(other, bytes, length, message)) {
		free(bytes);
		return false;
	}
	if (!lurk_profile_read(&other->file, other->path, bytes, length, &cli->keyboards,
			       other->layout ? &other->characters : cli_characters(cli), message)) {
		lurk_layout_close(other->layout);
		return false;
	}
	cli->other_count++;
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

bool cli_read_others(struct cli *cli, struct lurk_message *message)
{
	char folder[PATH_MAX], path[PATH_MAX + 300];
	struct dirent **names = NULL;
	bool fine = true;
	int count;

	cli_forget_others(cli);
	cli->others = calloc(LURK_PROFILES_MAX, sizeof *cli->others);
	if (!cli->others)
		abort();
	base_folder(cli->profile_path, folder);
	snprintf(path, sizeof path, "%s/profile.yaml", folder);
	if (strcasecmp(cli->profile.word, LURK_PROFILE_BASE) != 0 &&
	    (access(path, F_OK) == 0 || *cli->profile.based_on))
		fine = read_other(cli, path, message);
	snprintf(path, sizeof path, "%s/profiles", folder);
	count = scandir(path, &names, is_profile, by_name);
	for (int i = 0; i < count; i++) {
		char word[LURK_PROFILE_WORD];

		lurk_profile_word(names[i]->d_name, word);
		snprintf(path, sizeof path, "%s/profiles/%s", folder, names[i]->d_name);
		if (fine && strcasecmp(word, cli->profile.word) != 0)
			fine = read_other(cli, path, message);
		free(names[i]);
	}
	free(names);
	return fine;
}

void cli_forget_others(struct cli *cli)
{
	for (unsigned i = 0; i < cli->other_count; i++) {
		lurk_profile_free(&cli->others[i].file);
		lurk_layout_close(cli->others[i].layout);
	}
	free(cli->others);
	cli->others = NULL;
	cli->other_count = 0;
}

struct lurk_profile_set cli_profile_set(const struct cli *cli)
{
	struct lurk_profile_set set = {.files = {&cli->profile}, .count = 1};

	for (unsigned i = 0; i < cli->other_count; i++)
		set.files[set.count++] = &cli->others[i].file;
	return set;
}

const char *cli_start_profile(const struct cli *cli, char word[LURK_PROFILE_WORD])
{
	struct lurk_profile profile = {0};

	if (cli->machine && cli->machine->image && cli->machine->image->profile_count)
		lurk_image_profile(cli->machine->image, 0, &profile);
	snprintf(word, LURK_PROFILE_WORD, "%.*s", (int)profile.word.length, profile.word.bytes);
	return word;
}

struct lurk_profile_set cli_set_as_applied(const struct cli *cli)
{
	struct lurk_profile_set set = cli_profile_set(cli);
	char start[LURK_PROFILE_WORD];

	cli_start_profile(cli, start);
	if (!lurk_profile_find(&set, (struct lurk_text){start, strlen(start)}))
		snprintf(start, sizeof start, "%s", LURK_PROFILE_BASE);
	for (unsigned i = 1; i < set.count; i++) {
		if (strcasecmp(set.files[i]->word, start) != 0)
			continue;
		set.files[0] = set.files[i];
		set.files[i] = &cli->profile;
	}
	return set;
}

uint8_t *cli_image(const struct cli *cli, struct lurk_image *image)
{
	struct lurk_profile_set set = cli_profile_set(cli);
	size_t length;
	uint8_t *bytes = lurk_profile_image_as_is(&set, &cli->keyboards, &length);

	if (bytes && lurk_image_open(bytes, length, image) == LURK_OK)
		return bytes;
	free(bytes);
	return NULL;
}
