/* Where the files are, and the reading and writing of them. */
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "cli/cli.h"

static const char profile_head[] = "# Lurk profile: what keys give instead of their usual job.\n"
				   "# `lurk show` lists the rules, `lurk apply` puts them into "
				   "force; comments stay when Lurk edits.\n"
				   "lurk: 1\n"
				   "name: default\n"
				   "rules:\n";

static const char keyboards_head[] =
	"# What keyboards are called, how they are recognised, and which of their keys are odd.\n"
	"keyboards:\n";

/* ---- Paths ---------------------------------------------------------------------------------- */

/* Where the XDG base directory specification has a person's files; root's are the machine's, unless
 * it says otherwise as well. */
static void home_path(char *out, size_t size, const char *variable, const char *below_home,
		      const char *of_root)
{
	const char *base = getenv(variable), *home = getenv("HOME");

	if (base && *base == '/')
		snprintf(out, size, "%s/lurk", base);
	else if (geteuid() == 0)
		snprintf(out, size, "%s", of_root);
	else
		snprintf(out, size, "%s/%s/lurk", home ? home : "", below_home);
}

static void find_paths(struct cli *cli)
{
	char folder[PATH_MAX - 32];

	if (cli->desk) {
		snprintf(folder, sizeof folder, "%s", cli->desk);
		snprintf(cli->state_folder, sizeof cli->state_folder, "%s", cli->desk);
	} else {
		home_path(folder, sizeof folder, "XDG_CONFIG_HOME", ".config", "/etc/lurk");
		home_path(cli->state_folder, sizeof cli->state_folder, "XDG_STATE_HOME",
			  ".local/state", "/var/lib/lurk");
	}
	snprintf(cli->profile_path, sizeof cli->profile_path, "%s/profile.yaml", folder);
	if (cli->profile_option && !strpbrk(cli->profile_option, "/.")) {
		char beside[PATH_MAX];

		snprintf(beside, sizeof beside, "%s", cli->profile_path);
		cli_profile_path(beside, cli->profile_option, cli->profile_path);
	} else if (cli->profile_option) {
		const char *slash = strrchr(cli->profile_option, '/');

		snprintf(cli->profile_path, sizeof cli->profile_path, "%s", cli->profile_option);
		snprintf(cli->keyboards_path, sizeof cli->keyboards_path, "%.*s/keyboards.yaml",
			 slash ? (int)(slash - cli->profile_option) : 1,
			 slash ? cli->profile_option : ".");
	}
	/* A profile that came with its keyboards has those; one that came alone is for one's own.
	 */
	if (!cli->profile_option || cli->desk || !strpbrk(cli->profile_option, "/.") ||
	    access(cli->keyboards_path, F_OK))
		snprintf(cli->keyboards_path, sizeof cli->keyboards_path, "%s/keyboards.yaml",
			 folder);
}

void cli_find_layout(struct cli *cli)
{
	struct lurk_message unused;
	char *bytes = NULL;
	size_t length = 0;
	bool exists;

	if (cli->desk)
		cli_computer(cli);
	find_paths(cli);
	lurk_file_read(cli->profile_path, &bytes, &length, &exists, &unused);
	cli_layout_of(cli, bytes ? bytes : "", length);
	free(bytes);
}

/* ---- Reading and writing -------------------------------------------------------------------- */

static void see(struct lurk_file_seen *seen, bool exists, const char *bytes, size_t length)
{
	free(seen->bytes);
	*seen = (struct lurk_file_seen){exists, exists ? lurk_copy(bytes, length) : NULL, length};
}

/* A file's bytes, or a copy of the head that it begins with when it is made. */
static bool read_or_begin(const char *path, const char *head, char **bytes, size_t *length,
			  struct lurk_file_seen *seen, struct lurk_message *message)
{
	bool exists;

	if (lurk_file_read(path, bytes, length, &exists, message)) {
		see(seen, true, *bytes, *length);
		return true;
	}
	if (exists)
		return false;
	see(seen, false, "", 0);
	*length = strlen(head);
	*bytes = lurk_copy(head, *length);
	return true;
}

/* A profile from someone else names keyboards as they do: `--as` says which are meant, or the
 * person at the terminal. */
static uint16_t ask_keyboard(void *data, const char *name)
{
	struct cli *cli = data;
	char answer[64], list[256] = "";
	struct cli_alias *alias;

	for (unsigned i = 0; i < cli->alias_count; i++) {
		if (!strcasecmp(cli->aliases[i].name, name))
			return cli->aliases[i].keyboard;
	}
	if (!cli->profile_option || cli->json || !isatty(STDIN_FILENO) || !isatty(STDERR_FILENO) ||
	    cli->alias_count == CLI_ALIASES || !cli->keyboards.count)
		return cli->judging ? LURK_KEYBOARD_UNKNOWN : 0;
	for (uint16_t i = 0; i < cli->keyboards.count; i++)
		snprintf(list + strlen(list), sizeof list - strlen(list), "%s%s", i ? ", " : "",
			 cli->keyboards.keyboards[i].name.bytes);
	fprintf(stderr, "%s has rules for a keyboard called %s. Which of yours is that? (%s) ",
		cli->profile_path, name, list);
	if (!fgets(answer, sizeof answer, stdin))
		return 0;
	answer[strcspn(answer, "\n")] = '\0';
	alias = &cli->aliases[cli->alias_count++];
	*alias = (struct cli_alias){strdup(name), NULL, cli->judging ? LURK_KEYBOARD_UNKNOWN : 0};
	for (uint16_t i = 0; i < cli->keyboards.count; i++) {
		if (!strcasecmp(cli->keyboards.keyboards[i].name.bytes, answer))
			alias->keyboard = (uint16_t)(i + 1);
	}
	return alias->keyboard;
}

/* `--as NAME=MINE` */
static bool take_aliases(struct cli *cli, struct lurk_message *message)
{
	struct lurk_message why;

	for (unsigned i = 0; i < cli->alias_count; i++) {
		struct cli_alias *alias = &cli->aliases[i];

		alias->keyboard = lurk_keyboards_find(&cli->keyboards, alias->mine, &why);
		if (!alias->keyboard)
			return lurk_say(message, "--as %s=%s: %s", alias->name, alias->mine,
					why.text);
	}
	cli->keyboards.ask = ask_keyboard;
	cli->keyboards.ask_data = cli;
	return true;
}

static bool agrees(const struct cli *cli, struct lurk_message *why)
{
	struct lurk_profile_set set = cli_profile_set(cli);

	return lurk_profile_agrees(&set, &cli->keyboards, why);
}

static bool read_all(struct cli *cli, struct lurk_message *why)
{
	char *bytes;
	size_t length;

	find_paths(cli);
	if (cli->editing && cli->lock < 0)
		cli->lock = lurk_file_lock(cli->profile_path);
	if (!read_or_begin(cli->keyboards_path, keyboards_head, &bytes, &length,
			   &cli->keyboards_seen, why) ||
	    !lurk_keyboards_read(&cli->keyboards, cli->keyboards_path, bytes, length, why) ||
	    !take_aliases(cli, why) ||
	    !read_or_begin(cli->profile_path, profile_head, &bytes, &length, &cli->profile_seen,
			   why))
		return false;
	cli->profile_exists = cli->profile_seen.exists;
	cli_layout_of(cli, bytes, length);
	if (!cli->profile_exists && cli->profile_option && !strpbrk(cli->profile_option, "/.")) {
		free(bytes);
		return lurk_say(why,
				"there is no profile `%s`; `lurk profile list` lists them, "
				"`lurk profile new %s` makes it",
				cli->profile_option, cli->profile_option);
	}
	return lurk_profile_read(&cli->profile, cli->profile_path, bytes, length, &cli->keyboards,
				 cli_characters(cli), why) &&
	       cli_read_others(cli, why) && (cli->judging || agrees(cli, why));
}

static bool read_files(struct cli *cli, bool all_the_same)
{
	struct lurk_message why;

	if (cli->files_read)
		return true;
	if (cli->desk && !cli_computer(cli))
		return false;
	cli->files_read = read_all(cli, &why);
	if (cli->files_read)
		return true;
	cli_fail(CLI_COULD_NOT, "%s%s", why.text,
		 all_the_same ? "; that file is left out of account" : "");
	if (!all_the_same)
		return false;
	lurk_profile_free(&cli->profile);
	cli->profile_broken = cli->files_read = true;
	return true;
}

bool cli_read_files(struct cli *cli)
{
	return read_files(cli, false);
}

bool cli_read_files_if_good(struct cli *cli)
{
	return read_files(cli, true);
}

bool cli_reread_profile(struct cli *cli, struct lurk_message *message)
{
	size_t length;
	char *bytes = lurk_yaml_copy(&cli->profile.yaml, &length);

	lurk_profile_free(&cli->profile);
	return lurk_profile_read(&cli->profile, cli->profile_path, bytes, length, &cli->keyboards,
				 cli_characters(cli), message) &&
	       agrees(cli, message);
}

/* What was read is what is replaced, whoever else is at work on it. */
static bool save(struct cli *cli, const char *path, const struct lurk_yaml *yaml,
		 struct lurk_file_seen *seen, const char *summary)
{
	struct lurk_message why;

	if (!lurk_file_replace(path, yaml->bytes, yaml->length, seen, &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		return false;
	}
	if (!lurk_undo_note_edit(cli->state_folder, path, seen, yaml->bytes, yaml->length, summary,
				 &why))
		cli_fail(CLI_DONE, "%s", why.text);
	see(seen, true, yaml->bytes, yaml->length);
	return true;
}

bool cli_save_profile(struct cli *cli, const char *summary)
{
	return save(cli, cli->profile_path, &cli->profile.yaml, &cli->profile_seen, summary);
}

bool cli_save_keyboards(struct cli *cli, const char *summary)
{
	return save(cli, cli->keyboards_path, &cli->keyboards.yaml, &cli->keyboards_seen, summary);
}

bool cli_close(struct cli *cli)
{
	struct lurk_message why;
	bool kept = true;

	for (unsigned i = 0; i < cli->alias_count; i++) {
		if (!cli->aliases[i].mine) /* asked for */
			free((char *)(uintptr_t)cli->aliases[i].name);
	}
	lurk_machine_close(cli->machine);
	if (cli->computer) {
		kept = lurk_sim_save(cli->computer->sim, &why);
		if (!kept)
			cli_fail(CLI_COULD_NOT, "%s", why.text);
		lurk_computer_close(cli->computer);
		free(cli->computer);
	}
	lurk_profile_free(&cli->profile);
	lurk_keyboards_free(&cli->keyboards);
	free(cli->profile_seen.bytes);
	free(cli->keyboards_seen.bytes);
	lurk_file_unlock(&cli->lock);
	cli_forget_others(cli);
	lurk_layout_close(cli->layout);
	lurk_layout_close(cli->usual_layout);
	return kept;
}

uint16_t cli_described(const struct cli *cli, const struct lurk_identity *identity)
{
	unsigned best = 0;
	uint16_t who = 0;

	for (uint16_t i = 0; i < cli->keyboards.count; i++) {
		const struct lurk_keyboard *k = &cli->keyboards.keyboards[i];

		for (unsigned r = 0; r < k->recogniser_count; r++) {
			unsigned fit = lurk_recognise(&k->recognisers[r], identity);

			who = fit > best ? (uint16_t)(i + 1) : who;
			best = fit > best ? fit : best;
		}
	}
	return who;
}

const char *cli_keyboard_name(const struct cli *cli, uint16_t number)
{
	const struct lurk_identity *identity = &cli->machine->keyboards[number].info.identity;
	uint16_t described = cli_described(cli, identity);

	if (described)
		return cli->keyboards.keyboards[described - 1].name.bytes;
	return *identity->name ? identity->name : "a keyboard without a name";
}

const char *cli_keyboard_words(const struct cli *cli, uint16_t number, char out[LURK_WORDS])
{
	uint16_t described = cli_described(cli, &cli->machine->keyboards[number].info.identity);

	*out = '\0';
	if (described)
		snprintf(out, LURK_WORDS, " --keyboard %s",
			 cli->keyboards.keyboards[described - 1].name.bytes);
	return out;
}

bool cli_have_profile(const struct cli *cli)
{
	if (!cli->profile_exists)
		cli_fail(CLI_COULD_NOT,
			 "%s: there is no such profile yet; `lurk map KEY RESULT` makes it",
			 cli->profile_path);
	return cli->profile_exists;
}

bool cli_keyboard_option(struct cli *cli, const char *name, uint16_t *keyboard)
{
	struct lurk_message why;

	*keyboard = 0;
	if (!name)
		return true;
	*keyboard = lurk_keyboards_find(&cli->keyboards, name, &why);
	if (!*keyboard)
		cli_fail(CLI_USAGE, "%s", why.text);
	return *keyboard != 0;
}

void cli_note_apply(struct cli *cli, uint64_t before, uint64_t after, const char *summary)
{
	struct lurk_message why;

	if (!lurk_undo_note_apply(cli->state_folder, before, after, summary, &why))
		cli_fail(CLI_DONE, "%s", why.text);
}
