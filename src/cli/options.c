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
	{"profile", 'p', "NAME|FILE", 0, "Work on this profile; else on the base", 90},
	{"as", OPTION_AS, "NAME=MINE", 0,
	 "What the profile says of keyboard NAME is meant for my keyboard MINE", 90},
	{"json", 'j', NULL, 0, "Report as JSON, an object a line", 90},
	{NULL, 'h', NULL, OPTION_HIDDEN, NULL, 90},
	{0},
};

static void take_alias(struct cli *cli, char *name, char *equals)
{
	*equals = '\0';
	cli->ws.aliases[cli->ws.alias_count++] = (struct lurk_alias){name, equals + 1, 0};
}

static error_t parse_common(int key, char *arg, struct argp_state *state)
{
	struct cli *cli = state->input;
	char *equals;

	switch (key) {
	case 'd':
		if (!*arg)
			argp_error(state, "--desk takes a folder, such as --desk hide");
		cli->desk = arg;
		return 0;
	case 'p':
		cli->ws.wanted = arg;
		return 0;
	case 'j':
		cli->json = true;
		return 0;
	case 'h':
		argp_state_help(state, state->out_stream, ARGP_HELP_STD_HELP);
		return 0;
	case OPTION_AS:
		equals = strchr(arg, '=');
		if (!equals || equals == arg || !equals[1] || cli->ws.alias_count == LURK_ALIASES)
			argp_error(state, "`--as %s` is written --as NAME=MINE", arg);
		else
			take_alias(cli, arg, equals);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

const struct argp cli_common_argp = {common_options, parse_common, NULL, NULL, NULL, NULL, NULL};

struct parsing {
	struct cli *cli;
	const struct cli_words *words;
	void *input;
};

static error_t parse_one(int key, char *arg, struct argp_state *state)
{
	struct parsing *p = state->input;
	error_t result = ARGP_ERR_UNKNOWN;

	if (key == ARGP_KEY_INIT) {
		state->child_inputs[0] = p->cli;
		return 0;
	}
	state->input = p->input;
	if (p->words->parse)
		result = p->words->parse(key, arg, state);
	state->input = p;
	if (result == ARGP_ERR_UNKNOWN && key == ARGP_KEY_ARG && !*p->words->arguments)
		argp_error(state, "`%s` is not expected here", arg);
	return result;
}

void cli_parse(struct cli *cli, const struct cli_words *words, int argc, char **argv, void *input)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {words->options, parse_one, words->arguments, words->doc, children,
				  NULL,           NULL};
	struct parsing parsing = {cli, words, input};
	static char name[64];
	char *word = argv[0];

	snprintf(name, sizeof name, "lurk %s", word);
	argv[0] = name;
	argp_parse(&argp, argc, argv, 0, NULL, &parsing);
	argv[0] = word;
}

void cli_parse_plain(struct cli *cli, int argc, char **argv, const char *doc)
{
	const struct cli_words words = {NULL, NULL, "", doc};

	cli_parse(cli, &words, argc, argv, NULL);
}

bool cli_read_version(const char *text, uint64_t *version)
{
	char *end;

	*version = strtoull(text, &end, 10);
	return *text >= '0' && *text <= '9' && !*end && *version;
}

bool cli_is_one_of(const char *word, const char *const *words)
{
	for (; *words; words++) {
		if (!strcmp(word, *words))
			return true;
	}
	return false;
}
