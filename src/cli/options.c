/* What every subcommand's options have in common, and the parsing of them. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

enum { OPTION_MINE = 2000, OPTION_COMPUTER, OPTION_USAGE };

static const struct argp_option common_options[] = {
	{0, 0, NULL, 0, "Everywhere:", 90},
	{"desk", 'd', "FOLDER", 0,
	 "Work on the simulated desk in FOLDER (also: $LURK_DESK); it is made where it is not "
	 "there",
	 90},
	{"profile", 'p', "NAME|FILE", 0, "Work on this profile; else on the base", 90},
	{"mine", OPTION_MINE, "NAME=MINE", 0,
	 "What the profile says of keyboard NAME is meant for my keyboard MINE", 90},
	{"computer", OPTION_COMPUTER, NULL, 0,
	 "The computer's rules, which hold for everybody, rather than your own", 90},
	{"json", 'j', NULL, 0, "Report as JSON, an object a line", 90},
	{"help", 'h', NULL, 0, "What there is, with examples", 90},
	{"version", 'V', NULL, 0, "Which version this is", 90},
	{NULL, '?', NULL, OPTION_HIDDEN, NULL, 90},
	{"usage", OPTION_USAGE, NULL, OPTION_HIDDEN, NULL, 90},
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
	case OPTION_COMPUTER:
		cli->computers = true;
		return 0;
	case 'j':
		cli->json = true;
		return 0;
	case 'h':
	case '?':
		argp_state_help(state, state->out_stream, ARGP_HELP_STD_HELP);
		return 0;
	case OPTION_USAGE:
		argp_state_help(state, state->out_stream, ARGP_HELP_USAGE);
		putc('\n', state->out_stream);
		exit(0);
	case 'V':
		fprintf(state->out_stream, "%s\n", argp_program_version);
		exit(0);
	case OPTION_MINE:
		equals = strchr(arg, '=');
		if (!equals || equals == arg || !equals[1] || cli->ws.alias_count == LURK_ALIASES)
			argp_error(state, "`--mine %s` is written --mine NAME=MINE", arg);
		else
			take_alias(cli, arg, equals);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

const struct argp cli_common_argp = {common_options, parse_common, NULL, NULL, NULL, NULL, NULL};

/* The same for a subcommand: it takes them, and `lurk --help` says what they are. */
static const struct argp *common_of_a_subcommand(void)
{
	enum { COUNT = sizeof common_options / sizeof *common_options };
	static const struct argp_option named = {
		"--desk, --profile, --mine, --computer, --json, --help",
		0,
		NULL,
		OPTION_DOC | OPTION_NO_USAGE,
		"As everywhere: `lurk --help`",
		90};
	static struct argp_option options[COUNT];
	static const struct argp argp = {options, parse_common, NULL, NULL, NULL, NULL, NULL};

	options[0] = named; /* for the heading */
	for (unsigned i = 1; i < COUNT; i++) {
		options[i] = common_options[i];
		if (i + 1 < COUNT)
			options[i].flags |= OPTION_HIDDEN;
	}
	return &argp;
}

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

/* What argp says by itself of all options. */
static char *without_note(int key, const char *text, void *input)
{
	(void)input;
	return key == ARGP_KEY_HELP_DUP_ARGS_NOTE ? NULL : (char *)(uintptr_t)text;
}

void cli_parse(struct cli *cli, const struct cli_words *words, int argc, char **argv, void *input)
{
	const struct argp_child children[] = {{common_of_a_subcommand(), 0, NULL, 0}, {0}};
	const struct argp argp = {words->options, parse_one, words->arguments, words->doc, children,
				  without_note,   NULL};
	struct parsing parsing = {cli, words, input};
	static char name[64];
	char *word = argv[0];

	snprintf(name, sizeof name, "lurk %s", word);
	argv[0] = name;
	argp_parse(&argp, argc, argv, ARGP_NO_HELP, NULL, &parsing);
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
