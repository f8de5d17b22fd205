/* use: another of the profiles that were applied. */
#include <errno.h>
#include <signal.h>
#include <spawn.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cli/profiles.h"
#include "tell/json.h"

enum { OPTION_PREVIOUS = 1000, OPTION_LIST };

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

		tell_put_text(object, "profile", cli->machine->profile);
		tell_put_flag(object, "off", cli->machine->off);
		term_json(object);
		return CLI_DONE;
	}
	if (cli->machine->off)
		printf("%s is chosen, but all rules are off: `lurk on` switches them on.\n",
		       cli->machine->profile);
	else
		printf("In force now: %s. `lurk use --previous` switches back; after a reboot "
		       "%s is in force.\n",
		       cli->machine->profile, lurk_machine_start_profile(cli->machine, start));
	return CLI_DONE;
}

static int refuse(const struct use *use, const struct lurk_outcome *outcome)
{
	struct cli *cli = use->cli;

	if (use->name && !cli_profile_is_applied(cli, use->name)) {
		struct lurk_profile_set set = lurk_workspace_set(&cli->ws);

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

/* A desk is left to the command as it is then, and found again as that left it. */
static int run_on_desk(struct cli *cli, char **command)
{
	struct lurk_outcome unused;
	int status;

	if (!cli_leave_machine(cli))
		return CLI_COULD_NOT;
	status = run_command(command);
	if (!cli_machine(cli))
		return CLI_COULD_NOT;
	lurk_machine_use(cli->machine, NULL, false, &unused);
	return status;
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
	static const struct cli_words words = {
		use_options, parse_use, "NAME [-- COMMAND...]\n--previous\n--list",
		"Switch to another of the profiles that were applied. With a command, until that "
		"ends. A key can do the same: `lurk map F12 --use night`."
		"\vExamples:\n  lurk use night\n  lurk use --previous\n  lurk use night -- "
		"owl-log --all-night"};
	struct use use = {.cli = cli};
	struct lurk_outcome outcome;

	use.command = take_command(&argc, argv);
	cli_parse(cli, &words, argc, argv, &use);
	if (use.list)
		return cli_list_profiles(cli);
	if (use.command && !*use.command)
		return cli_fail(CLI_USAGE, "the command to run is missing behind `--`");
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (!lurk_machine_use(cli->machine, use.name, use.command && !cli->desk, &outcome))
		return refuse(&use, &outcome);
	if (use.command && cli->desk)
		return run_on_desk(cli, use.command);
	return use.command ? run_command(use.command) : say_in_force(cli);
}
