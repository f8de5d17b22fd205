/* lurk: the command. Finds the subcommand and runs it. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

const char *argp_program_version = "lurk " LURK_VERSION;

const struct cli_command cli_commands[] = {
	{"identify", "", "press a key, see what it sends and gives", cli_identify},
	{"keyboards", "", "the keyboards here and known; name one", cli_keyboards},
	{"resolve", "WHAT...", "all the names and codes of a key", cli_resolve},
	{"decode", "FILE", "read raw wire bytes", cli_decode},
	{"map", "KEY RESULT", "give a key another job", cli_map},
	{"swap", "A B", "let two keys change places", cli_swap},
	{"disable", "KEY", "make a key do nothing", cli_disable},
	{"move", "KEY NEWKEY", "let another key take over a broken one's job", cli_move},
	{"restore", "KEY", "give a key its usual job back", cli_restore},
	{"show", "", "the rules, line by line", cli_show},
	{"picture", "", "the keyboard as a picture, labels, a card", cli_picture},
	{"check", "[PROFILE]", "what is wrong, and what would get lost", cli_check_command},
	{"diff", "[N [N]]", "what applying would change", cli_diff},
	{"reach", "KEY", "which keys to press for a key or chord", cli_reach},
	{"try", "", "in force for half a minute, then as before", cli_try},
	{"keep", "", "keep what is being tried", cli_keep},
	{"apply", "", "put the profile into force, and keep it", cli_apply},
	{"use", "NAME", "switch to another profile", cli_use},
	{"profile", "list|new", "the profiles, or a new one", cli_profile},
	{"off", "[KEY]", "all rules off, or those on a key", cli_off},
	{"on", "[KEY]", "on again", cli_on},
	{"status", "", "what is in force, and by which way", cli_status},
	{"undo", "", "take back the last edit or apply", cli_undo},
	{"versions", "", "what was applied before", cli_versions},
	{"rollback", "[N]", "an earlier version into force again", cli_rollback},
	{"install", "", "set up the service", cli_install},
	{"uninstall", "", "take the service away again", cli_uninstall},
	{"play", "SCRIPT", "play a script on a simulated desk", cli_play},
	{"demo", "", "the whole story on a simulated desk", cli_demo},
	{"complete", "-- WORD...", "what may stand there, for the shell", cli_complete},
	{"help", "[back]", "of a command; which way back for which trouble", cli_help},
	{0},
};

/* ---- Options that all have ------------------------------------------------------------------ */

enum { OPTION_AS = 2000 };

static const struct argp_option common_options[] = {
	{0, 0, NULL, 0, "Everywhere:", 90},
	{"desk", 'd', "FOLDER", 0,
	 "Work on the simulated desk in FOLDER (also: $LURK_DESK); it is made where it is not "
	 "there",
	 90},
	{"profile", 'p', "FILE", 0, "Use this profile file", 90},
	{"as", OPTION_AS, "NAME=MINE", 0,
	 "What the profile says of keyboard NAME is meant for my keyboard MINE", 90},
	{"json", 'j', NULL, 0, "Report as JSON, an object a line", 90},
	{0},
};

static void take_alias(struct cli *cli, char *name, char *equals)
{
	*equals = '\0';
	cli->aliases[cli->alias_count++] = (struct cli_alias){name, equals + 1, 0};
}

static error_t parse_common(int key, char *arg, struct argp_state *state)
{
	struct cli *cli = state->input;
	char *equals;

	switch (key) {
	case 'd':
		cli->desk = arg;
		return 0;
	case 'p':
		cli->profile_option = arg;
		return 0;
	case 'j':
		cli->json = true;
		return 0;
	case OPTION_AS:
		equals = strchr(arg, '=');
		if (!equals || equals == arg || !equals[1] || cli->alias_count == CLI_ALIASES)
			argp_error(state, "`--as %s` is written --as NAME=MINE", arg);
		else
			take_alias(cli, arg, equals);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

const struct argp cli_common_argp = {common_options, parse_common, NULL, NULL, NULL, NULL, NULL};

void cli_parse(struct cli *cli, const struct argp *argp, int argc, char **argv, void *input)
{
	static char name[64];
	char *word = argv[0];

	(void)cli;
	snprintf(name, sizeof name, "lurk %s", word);
	argv[0] = name;
	argp_parse(argp, argc, argv, 0, NULL, input);
	argv[0] = word;
}

static error_t parse_plain(int key, char *arg, struct argp_state *state)
{
	if (key == ARGP_KEY_INIT)
		state->child_inputs[0] = state->input;
	else if (key == ARGP_KEY_ARG)
		argp_error(state, "`%s` is not expected here", arg);
	else
		return ARGP_ERR_UNKNOWN;
	return 0;
}

void cli_parse_plain(struct cli *cli, int argc, char **argv, const char *doc)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {NULL, parse_plain, "", doc, children, NULL, NULL};

	cli_parse(cli, &argp, argc, argv, cli);
}

/* ---- The subcommand -------------------------------------------------------------------------- */

struct main_input {
	struct cli *cli;
	int first; /* where the subcommand stands; 0 for none */
};

static error_t parse_main(int key, char *arg, struct argp_state *state)
{
	struct main_input *input = state->input;

	(void)arg;
	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = input->cli;
		return 0;
	case ARGP_KEY_ARG:
		input->first = state->next - 1;
		state->next = state->argc;
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static char *help_filter(int key, const char *text, void *input)
{
	char *out, *at;
	size_t size = 4096;

	(void)input;
	if (key != ARGP_KEY_HELP_POST_DOC)
		return (char *)(uintptr_t)text;
	out = at = calloc(1, size);
	if (!out)
		abort();
	at += sprintf(at, "Commands:\n");
	for (const struct cli_command *c = cli_commands; c->name; c++)
		at += snprintf(at, size - (size_t)(at - out), "  %-10s%-12s%s\n", c->name,
			       c->arguments, c->what);
	snprintf(at, size - (size_t)(at - out),
		 "\n`lurk COMMAND --help` says more, with examples. Exit status: 0 done, 1 found "
		 "something "
		 "wrong, 2 used wrongly, 3 could not.");
	return out;
}

int cli_unknown_command(const char *word)
{
	const char *names[sizeof cli_commands / sizeof *cli_commands], *near;
	size_t count = 0;

	for (; cli_commands[count].name; count++)
		names[count] = cli_commands[count].name;
	near = lurk_name_nearest(word, names, count);
	if (near)
		return cli_fail(CLI_USAGE, "there is no command `%s`; did you mean `lurk %s`?",
				word, near);
	return cli_fail(CLI_USAGE, "there is no command `%s`; `lurk --help` lists them", word);
}

static const struct argp_child main_children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
static const struct argp main_argp = {
	NULL,
	parse_main,
	"COMMAND [ARG...]",
	"Give keys another job: find out what a key sends, change it, check it, try it, keep it."
	"\vCommands",
	main_children,
	help_filter,
	NULL};

void cli_print_help(void)
{
	char name[] = "lurk";

	argp_help(&main_argp, stdout, ARGP_HELP_STD_HELP & ~(unsigned)ARGP_HELP_EXIT_OK, name);
}

int main(int argc, char **argv)
{
	struct cli cli = {.desk = getenv("LURK_DESK"), .argv = argv, .lock = -1};
	struct main_input input = {.cli = &cli};
	int status = -1;

	cli_guard_output();
	argp_err_exit_status = CLI_USAGE;
	if (cli.desk && !*cli.desk)
		cli.desk = NULL;
	argp_parse(&main_argp, argc, argv, ARGP_IN_ORDER, NULL, &input);
	if (!input.first)
		status = cli_overview(&cli);
	for (const struct cli_command *c = cli_commands; input.first && c->name && status < 0;
	     c++) {
		if (!strcmp(c->name, argv[input.first]))
			status = c->run(&cli, argc - input.first, argv + input.first);
	}
	if (status < 0)
		status = cli_unknown_command(argv[input.first]);
	if (!cli_close(&cli) && status == CLI_DONE)
		status = CLI_COULD_NOT;
	if (fflush(stdout) || ferror(stdout))
		return cli_fail(CLI_COULD_NOT, "the output could not be written");
	return status;
}
