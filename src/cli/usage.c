/* The command's own line: which subcommand it names, and what there is. */
#include <stdlib.h>

#include "cli/cli.h"

const char *argp_program_version = "lurk " LURK_VERSION;

const struct cli_command *cli_commands;

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
	if (key == ARGP_KEY_HELP_DUP_ARGS_NOTE)
		return NULL;
	if (key != ARGP_KEY_HELP_POST_DOC)
		return (char *)(uintptr_t)text;
	out = at = calloc(1, size);
	if (!out)
		abort();
	at += sprintf(at, "Commands:\n");
	for (const struct cli_command *c = cli_commands; c->name; c++)
		at += c->run ? snprintf(at, size - (size_t)(at - out), "  %-10s%-12s%s\n", c->name,
					c->arguments, c->what)
			     : snprintf(at, size - (size_t)(at - out), " %s:\n", c->name);
	snprintf(at, size - (size_t)(at - out),
		 "\n`lurk COMMAND --help` says more, with examples. Exit status: 0 done, 1 found "
		 "something "
		 "wrong, 2 used wrongly, 3 could not.");
	return out;
}

int cli_unknown_command(const char *word)
{
	const char *names[64], *near;
	size_t count = 0;

	for (const struct cli_command *c = cli_commands; c->name; c++) {
		if (c->run && count < sizeof names / sizeof *names)
			names[count++] = c->name;
	}
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

int cli_find_subcommand(struct cli *cli, int argc, char **argv)
{
	struct main_input input = {.cli = cli};

	argp_err_exit_status = CLI_USAGE;
	argp_parse(&main_argp, argc, argv, ARGP_IN_ORDER | ARGP_NO_HELP, NULL, &input);
	return input.first;
}
