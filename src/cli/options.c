/* What every subcommand's options have in common, and the parsing of them. */
#include <string.h>

#include "cli/cli.h"

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
