/* use, profile: several profiles, of which one is in force. */
#include <errno.h>
#include <signal.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cli/cli.h"

/* ---- lurk profile ---------------------------------------------------------------------------- */

struct profile {
	struct cli *cli;
	const char *what, *name, *based_on;
};

enum { OPTION_BASED_ON = 1000, OPTION_PREVIOUS, OPTION_LIST };

static const struct argp_option profile_options[] = {
	{"based-on", OPTION_BASED_ON, "NAME", 0,
	 "With `new`: it says only what differs from this profile", 0},
	{0},
};

static error_t parse_profile(int key, char *arg, struct argp_state *state)
{
	struct profile *p = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = p->cli;
		return 0;
	case OPTION_BASED_ON:
		p->based_on = arg;
		return 0;
	case ARGP_KEY_ARG:
		if (p->name || (p->what && strcmp(p->what, "new") != 0))
			argp_error(state, "`%s` is not expected here", arg);
		if (!p->what)
			p->what = arg;
		else
			p->name = arg;
		return 0;
	case ARGP_KEY_END:
		if (p->what && strcmp(p->what, "list") && strcmp(p->what, "new"))
			argp_error(state,
				   "`lurk profile list` or `lurk profile new NAME`, not `%s`",
				   p->what);
		else if (p->what && !strcmp(p->what, "new") && !p->name)
			argp_error(state, "say what the new profile is called");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

/* The profiles that were applied have an index; a file alone has none. */
static bool is_applied(const struct cli *cli, const char *word)
{
	const struct lurk_text text = {word, strlen(word)};

	return cli->machine && cli->machine->image &&
	       lurk_image_find_profile(cli->machine->image, text);
}

static bool in_force(const struct cli *cli, const char *word)
{
	return cli->machine && cli->machine->image && !cli->machine->off &&
	       !strcasecmp(cli->machine->profile, word);
}

static void list_json(const struct cli *cli, const struct lurk_profile_file *file)
{
	struct json_object *object = json_object_new_object();

	json_object_object_add(object, "profile", json_object_new_string(file->word));
	json_object_object_add(object, "name", json_object_new_string(file->name));
	json_object_object_add(object, "file", json_object_new_string(file->yaml.path));
	json_object_object_add(object, "based_on", json_object_new_string(file->based_on));
	json_object_object_add(object, "rules", json_object_new_int64(file->count));
	json_object_object_add(object, "applied",
			       json_object_new_boolean(is_applied(cli, file->word)));
	json_object_object_add(object, "in_force",
			       json_object_new_boolean(in_force(cli, file->word)));
	cli_print_json(object);
}

static int list(struct cli *cli)
{
	static const char *const heads[] = {"profile", "rules", "based on", "called", ""};
	struct lurk_profile_set set;
	struct cli_table table;

	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	cli_machine_if_any(cli);
	set = cli_profile_set(cli);
	cli_table_init(&table, heads, 5);
	for (unsigned i = 0; i < set.count; i++) {
		const struct lurk_profile_file *file = set.files[i];
		char rules[16];

		if (cli->json) {
			list_json(cli, file);
			continue;
		}
		snprintf(rules, sizeof rules, "%u", file->count);
		cli_table_row(&table, file->word, rules, file->based_on, file->name,
			      in_force(cli, file->word)      ? "in force"
			      : !is_applied(cli, file->word) ? "not applied yet"
							     : "");
	}
	cli_table_print(&table, "");
	if (!cli->json)
		puts("`lurk use NAME` switches to one that is applied; `lurk profile new NAME "
		     "--based-on base` makes another.");
	return CLI_DONE;
}

static int make_new(struct profile *p)
{
	struct cli *cli = p->cli;
	char path[PATH_MAX], word[LURK_PROFILE_WORD], *text;
	struct lurk_message why;
	struct lurk_profile_set set;
	const struct lurk_file_seen none = {false, NULL, 0};
	bool fine;

	cli->editing = true;
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	if (strchr(p->name, '.') || !lurk_profile_word(p->name, word) ||
	    !strcasecmp(word, LURK_PROFILE_BASE))
		return cli_fail(CLI_USAGE,
				"`%s` cannot be a profile's name: letters, digits and dashes, up "
				"to %d, and neither base nor previous",
				p->name, LURK_PROFILE_WORD - 1);
	set = cli_profile_set(cli);
	if (p->based_on &&
	    !lurk_profile_find(&set, (struct lurk_text){p->based_on, strlen(p->based_on)}))
		return cli_fail(CLI_USAGE,
				"there is no profile `%s` to base it on; `lurk profile list` lists "
				"them",
				p->based_on);
	cli_profile_path(cli->profile_path, word, path);
	if (access(path, F_OK) == 0)
		return cli_fail(CLI_COULD_NOT, "%s is there already", path);
	if (asprintf(&text,
		     "# Lurk profile: `lurk use %s` switches to it once it is applied.\n"
		     "lurk: 1\nname: %s\n%s%s%srules:\n",
		     word, word, p->based_on ? "based-on: " : "", p->based_on ? p->based_on : "",
		     p->based_on ? "\n" : "") < 0)
		abort();
	fine = lurk_file_replace(path, text, strlen(text), &none, &why);
	if (fine && !lurk_undo_note_edit(cli->state_folder, path, &none, text, strlen(text),
					 "a new profile", &why))
		cli_fail(CLI_DONE, "%s", why.text);
	free(text);
	if (!fine)
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "profile", json_object_new_string(word));
		json_object_object_add(object, "file", json_object_new_string(path));
		cli_print_json(object);
		return CLI_DONE;
	}
	printf("%s is a new profile%s%s, without a rule of its own yet.\n"
	       "`lurk map KEY RESULT --profile %s` adds one, `lurk apply` applies all profiles, "
	       "`lurk use %s` then switches to it.\n",
	       path, p->based_on ? ", based on " : "", p->based_on ? p->based_on : "", word, word);
	return CLI_DONE;
}

int cli_profile(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		profile_options,
		parse_profile,
		"[list]\nnew NAME",
		"List the profiles, or make a new one: another set of rules that a command or a "
		"key switches to. They stand in the folder profiles/ beside profile.yaml, which is "
		"the one called base."
		"\vExamples:\n  lurk profile list\n  lurk profile new game --based-on base",
		children,
		NULL,
		NULL};
	struct profile p = {.cli = cli};

	cli_parse(cli, &argp, argc, argv, &p);
	return p.what && !strcmp(p.what, "new") ? make_new(&p) : list(cli);
}

/* ---- lurk use ------------------------------------------------------------------------------- */

struct use {
	struct cli *cli;
	const char *name;
	char **command; /* what stands behind `--` */
	bool previous, list;
};

static const struct argp_option use_options[] = {
	{"previous", OPTION_PREVIOUS, NULL, 0, "Switch back to the one before", 0},
	{"list", OPTION_LIST, NULL, 0, "List the profiles", 0},
	{0},
};

static error_t parse_use(int key, char *arg, struct argp_state *state)
{
	struct use *use = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = use->cli;
		return 0;
	case OPTION_PREVIOUS:
		use->previous = true;
		return 0;
	case OPTION_LIST:
		use->list = true;
		return 0;
	case ARGP_KEY_ARG:
		if (use->name)
			argp_error(state,
				   "`%s` is not expected here; a command to run stands "
				   "behind `--`",
				   arg);
		use->name = arg;
		return 0;
	case ARGP_KEY_END:
		if (!use->list && !use->name == !use->previous)
			argp_error(state, "say which profile, or --previous");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static int say_in_force(const struct cli *cli)
{
	char start[LURK_PROFILE_WORD];

	if (cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "profile",
				       json_object_new_string(cli->machine->profile));
		json_object_object_add(object, "off", json_object_new_boolean(cli->machine->off));
		cli_print_json(object);
		return CLI_DONE;
	}
	if (cli->machine->off)
		printf("%s is chosen, but all rules are off: `lurk on` switches them on.\n",
		       cli->machine->profile);
	else
		printf("In force now: %s. `lurk use --previous` switches back; after a restart "
		       "%s is in force.\n",
		       cli->machine->profile, cli_start_profile(cli, start));
	return CLI_DONE;
}

static int refuse(const struct use *use, const struct lurk_outcome *outcome)
{
	struct cli *cli = use->cli;

	if (use->name && !is_applied(cli, use->name) && cli->machine->service) {
		struct lurk_profile_set set = cli_profile_set(cli);

		if (lurk_profile_find(&set, (struct lurk_text){use->name, strlen(use->name)}))
			return cli_fail(CLI_FOUND,
					"the profile %s is not applied yet; `lurk apply` applies "
					"all of them",
					use->name);
		return cli_fail(CLI_FOUND, "there is no profile `%s`; `lurk use --list` lists them",
				use->name);
	}
	return cli_fail(CLI_COULD_NOT, "%s", outcome->why.text);
}

/* Runs the command; the profile goes with the connection, however this ends. */
static int run_command(char **command)
{
	struct sigaction ignore = {.sa_handler = SIG_IGN};
	posix_spawnattr_t attributes;
	sigset_t defaults;
	int status, error;
	pid_t child;

	/* Ctrl+C is for the command. */
	sigaction(SIGINT, &ignore, NULL);
	sigaction(SIGQUIT, &ignore, NULL);
	posix_spawnattr_init(&attributes);
	sigemptyset(&defaults);
	sigaddset(&defaults, SIGINT);
	sigaddset(&defaults, SIGQUIT);
	posix_spawnattr_setsigdefault(&attributes, &defaults);
	posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGDEF);
	error = posix_spawnp(&child, command[0], NULL, &attributes, command, environ);
	posix_spawnattr_destroy(&attributes);
	if (error)
		return cli_fail(CLI_COULD_NOT, "%s: %s", command[0], strerror(error));
	while (waitpid(child, &status, 0) < 0 && errno == EINTR)
		;
	return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

/* Takes `-- COMMAND…` off the arguments. */
static char **take_command(int *argc, char **argv)
{
	for (int i = 1; i < *argc; i++) {
		if (strcmp(argv[i], "--") != 0)
			continue;
		*argc = i;
		argv[i] = NULL;
		return &argv[i + 1];
	}
	return NULL;
}

int cli_use(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		use_options,
		parse_use,
		"NAME [-- COMMAND...]\n--previous\n--list",
		"Switch to another of the profiles that were applied. With a command, until that "
		"ends. A key can do the same: `lurk map F12 --profile game`."
		"\vExamples:\n  lurk use game\n  lurk use --previous\n  lurk use game -- "
		"some-game --fullscreen",
		children,
		NULL,
		NULL};
	struct use use = {.cli = cli};
	struct lurk_outcome outcome;

	use.command = take_command(&argc, argv);
	cli_parse(cli, &argp, argc, argv, &use);
	if (use.list)
		return list(cli);
	if (use.command && !*use.command)
		return cli_fail(CLI_USAGE, "the command to run is missing behind `--`");
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (!lurk_machine_use(cli->machine, use.name, use.command != NULL, &outcome))
		return refuse(&use, &outcome);
	return use.command ? run_command(use.command) : say_in_force(cli);
}
