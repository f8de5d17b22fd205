/* Where the files are, and the desk. */
#include <errno.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/stat.h>
#include <unistd.h>
#include <wchar.h>

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

int cli_fail(int status, const char *format, ...)
{
	va_list args;

	fflush(stdout);
	fputs("lurk: ", stderr);
	va_start(args, format);
	vfprintf(stderr, format, args);
	va_end(args);
	fputc('\n', stderr);
	return status;
}

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

/* ---- Layouts -------------------------------------------------------------------------------- */

/* NAME="value" or NAME=value, up to one of `ends`. */
static void read_setting(const char *line, const char *name, const char *ends, char *out,
			 size_t size)
{
	size_t n = strlen(name);

	if (strncmp(line, name, n) != 0 || line[n] != '=')
		return;
	line += n + 1 + (line[n + 1] == '"');
	n = 0;
	while (line[n] && !strchr("\"\n", line[n]) && !strchr(ends, line[n]))
		n++;
	snprintf(out, size, "%.*s", (int)n, line);
}

/* The layout that the system was set up with, as Debian keeps it: of several the first. */
static void system_layout(struct cli *cli)
{
	FILE *file = fopen("/etc/default/keyboard", "r");
	char line[256], variant[64] = "";

	while (file && fgets(line, sizeof line, file)) {
		read_setting(line, "XKBLAYOUT", ",", cli->layout_name, 32);
		read_setting(line, "XKBVARIANT", ",", variant, 32);
		read_setting(line, "XKBOPTIONS", "", cli->layout_options,
			     sizeof cli->layout_options);
	}
	if (*cli->layout_name && *variant)
		snprintf(cli->layout_name + strlen(cli->layout_name),
			 sizeof cli->layout_name - strlen(cli->layout_name), ":%s", variant);
	if (file)
		fclose(file);
}

/* Opened when first asked for. */
struct lurk_layout *cli_layout(struct cli *cli)
{
	struct lurk_message why;

	if (!cli->layout && !cli->layout_missing && *cli->layout_name) {
		cli->layout = lurk_layout_open_with(cli->layout_name, cli->layout_options, &why);
		if (!cli->layout)
			cli_fail(CLI_COULD_NOT, "%s", why.text);
	}
	cli->layout_missing = !cli->layout;
	return cli->layout;
}

struct lurk_layout *cli_shown_layout(struct cli *cli)
{
	struct lurk_message unused;
	struct lurk_layout *own = cli_layout(cli);

	if (!own && !cli->usual_layout)
		cli->usual_layout = lurk_layout_open("us", &unused);
	return own ? own : cli->usual_layout;
}

static bool find_character(void *data, uint32_t codepoint, lurk_key *key, uint16_t *modifiers)
{
	struct lurk_layout *layout = cli_layout(data);
	struct lurk_characters characters;

	if (!layout)
		return false;
	characters = lurk_layout_characters(layout);
	return characters.find(characters.data, codepoint, key, modifiers);
}

static unsigned type_character(void *data, uint32_t codepoint,
			       struct lurk_step steps[LURK_CHARACTER_STEPS])
{
	struct lurk_layout *layout = cli_layout(data);
	struct lurk_characters characters;

	if (!layout)
		return 0;
	characters = lurk_layout_characters(layout);
	return characters.type(characters.data, codepoint, steps);
}

static const char *layouts_with(void *data, uint32_t codepoint)
{
	static char out[64];

	(void)data;
	return lurk_layouts_with(codepoint, out);
}

const struct lurk_characters *cli_characters(struct cli *cli)
{
	return *cli->layout_name ? &cli->characters : NULL;
}

void cli_typing_keys(struct cli *cli, uint8_t typing[LURK_KEY_COUNT / 8])
{
	static const char characters[] = "abcdefghijklmnopqrstuvwxyz0123456789";
	lurk_key key;
	uint16_t modifiers;

	memset(typing, 0, LURK_KEY_COUNT / 8);
	for (const char *c = characters; *c && cli_characters(cli); c++) {
		if (!find_character(cli, (uint8_t)*c, &key, &modifiers)) {
			lurk_check_typing(typing); /* a layout for another script */
			return;
		}
		typing[key / 8] |= (uint8_t)(1U << key % 8);
	}
	if (!cli_characters(cli))
		lurk_check_typing(typing);
}

bool cli_has_third_level(struct cli *cli)
{
	struct lurk_layout *layout = cli_layout(cli);

	return layout && lurk_layout_third_level(layout);
}

bool cli_untypable(const struct lurk_characters *characters, struct lurk_text text,
		   uint32_t *codepoint)
{
	struct lurk_step steps[LURK_CHARACTER_STEPS];

	for (size_t at = 0; at < text.length;) {
		size_t n = lurk_character_read(text.bytes + at, text.length - at, codepoint);

		if (!n || !characters->type(characters->data, *codepoint, steps))
			return n != 0;
		at += n;
	}
	return false;
}

static char *copy_of(const char *bytes, size_t length)
{
	char *copy = malloc(length + 1);

	if (!copy)
		abort();
	memcpy(copy, bytes, length);
	copy[length] = '\0';
	return copy;
}

/* The profile's own layout, else the desk's, else the system's. Looked for before the rules are
 * read: they may name keys by their characters. */
static void find_layout(struct cli *cli, const char *bytes, size_t length)
{
	struct lurk_message unused;
	struct lurk_yaml yaml = {0};
	const struct lurk_node *layout;
	/* Most say none: no need to read them twice for it. With a backslash it may be in disguise.
	 */
	char *copy = memmem(bytes, length, "layout", 6) || memchr(bytes, '\\', length)
			     ? copy_of(bytes, length)
			     : NULL;

	*cli->layout_name = '\0';
	if (copy && lurk_yaml_parse(&yaml, "", copy, length, &unused)) {
		layout = lurk_node_get(yaml.root, "layout");
		if (layout && layout->kind == LURK_NODE_SCALAR)
			snprintf(cli->layout_name, sizeof cli->layout_name, "%s", layout->text);
	}
	if (copy)
		lurk_yaml_free(&yaml);
	if (!*cli->layout_name && cli->computer)
		snprintf(cli->layout_name, sizeof cli->layout_name, "%s",
			 cli->computer->desk.layout);
	if (!*cli->layout_name && !cli->desk)
		system_layout(cli);
	cli->characters =
		(struct lurk_characters){cli, find_character, type_character, layouts_with};
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
	find_layout(cli, bytes ? bytes : "", length);
	free(bytes);
}

/* ---- Reading and writing -------------------------------------------------------------------- */

static void see(struct lurk_file_seen *seen, bool exists, const char *bytes, size_t length)
{
	free(seen->bytes);
	*seen = (struct lurk_file_seen){exists, exists ? copy_of(bytes, length) : NULL, length};
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
	*bytes = copy_of(head, *length);
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
	find_layout(cli, bytes, length);
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
	cli_note_edit(cli, path, seen->exists ? seen->bytes : "", seen->length, seen->exists,
		      yaml->bytes, yaml->length, summary);
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
	cli_machine_close(cli->machine);
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

/* ---- The desk ------------------------------------------------------------------------------- */

/* The demo's files, for a folder without a desk. */
extern const char cli_demo_desk[], cli_demo_keyboards[];

bool cli_make_desk(const char *folder, bool quiet)
{
	char path[PATH_MAX];
	struct lurk_message why;
	struct stat status;

	snprintf(path, sizeof path, "%s/desk.yaml", folder);
	if (stat(path, &status) == 0)
		return true;
	if (errno != ENOENT) {
		cli_fail(CLI_COULD_NOT, "%s: cannot be read: %s", path, strerror(errno));
		return false;
	}
	if (!lurk_file_write(path, cli_demo_desk, strlen(cli_demo_desk), &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		return false;
	}
	snprintf(path, sizeof path, "%s/keyboards.yaml", folder);
	if (stat(path, &status) &&
	    !lurk_file_write(path, cli_demo_keyboards, strlen(cli_demo_keyboards), &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		return false;
	}
	if (!quiet)
		fprintf(stderr,
			"New desk in %s: the logging desk with Heron, Wagtail, Curlew and "
			"Dipper.\n",
			folder);
	return true;
}

/* `lurk status` tells of single slots that are bad; that none is good concerns every command. */
static void tell_lost_rules(const struct lurk_store_report *store)
{
	bool bad = false;

	for (unsigned i = 0; i < store->slots; i++)
		bad = bad || (store->why[i] && store->why[i] != LURK_ERR_EMPTY);
	if (bad && store->newest < 0)
		cli_fail(CLI_DONE, "nothing that is stored can be read, so no rule is in force; "
				   "`lurk status` says why, "
				   "`lurk apply` applies the file anew");
}

static struct cli_machine *open_machine(struct cli *cli, struct lurk_message *message)
{
	if (!cli->machine && cli->desk) {
		struct lurk_computer *computer = cli_computer(cli);

		cli->machine = computer ? cli_machine_of_desk(computer) : NULL;
	} else if (!cli->machine) {
		cli->machine = cli_machine_of_service(message);
	}
	return cli->machine;
}

struct cli_machine *cli_machine(struct cli *cli)
{
	struct lurk_message why;

	if (!open_machine(cli, &why) && !cli->desk)
		cli_fail(CLI_COULD_NOT, "%s", why.text);
	return cli->machine;
}

struct cli_machine *cli_machine_if_any(struct cli *cli)
{
	struct lurk_message unused;

	return open_machine(cli, &unused);
}

struct lurk_computer *cli_computer(struct cli *cli)
{
	struct lurk_message why;
	struct lurk_computer *computer;

	if (cli->computer)
		return cli->computer;
	if (!cli->desk) {
		cli_fail(CLI_COULD_NOT, "that is for simulated desks; name one with --desk FOLDER");
		return NULL;
	}
	if (!cli_make_desk(cli->desk, false))
		return NULL;
	computer = calloc(1, sizeof *computer);
	if (!computer)
		abort();
	if (!lurk_computer_open(computer, cli->desk, &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		free(computer);
		return NULL;
	}
	tell_lost_rules(&computer->session.store);
	cli->computer = computer;
	return computer;
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
