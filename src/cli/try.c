/* try: rules in force for a while. */
#include <string.h>

#include "cli/commands.h"
#include "cli/trial.h"
#include "service/protocol.h"

enum { OPTION_FOR = 1000, OPTION_FORCE, OPTION_KEEP_LOCKS };

/* "30", "30s", "5min". */
static unsigned read_time(struct argp_state *state, const char *arg)
{
	char *unit;
	unsigned long value = strtoul(arg, &unit, 10);

	if (!strcmp(unit, "min") || !strcmp(unit, "m"))
		value = value < LURK_TRY_SECONDS ? value * 60 : LURK_TRY_SECONDS + 1;
	else if (*unit && strcmp(unit, "s") != 0)
		value = 0;
	if (*arg < '0' || *arg > '9' || !value || value > LURK_TRY_SECONDS)
		argp_error(state, "`%s` is not a time such as 30s or 5min, up to an hour", arg);
	return (unsigned)value;
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct cli_trial *t = state->input;

	switch (key) {
	case OPTION_FOR:
		t->seconds = read_time(state, arg);
		return 0;
	case OPTION_FORCE:
		t->force = true;
		return 0;
	case OPTION_KEEP_LOCKS:
		t->keep_locks = true;
		return 0;
	case 'P':
		t->script = arg;
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static const struct argp_option options[] = {
	{"for", OPTION_FOR, "TIME", 0, "How long, such as 30s or 5min (default: 30s)", 0},
	{"force", OPTION_FORCE, NULL, 0, "Also where something could no longer be done", 0},
	{"keep-locks", OPTION_KEEP_LOCKS, NULL, 0,
	 "Leave CapsLock, NumLock and ScrollLock on where the rules take their key away", 0},
	{"play", 'P', "SCRIPT", 0,
	 "On a simulated desk: what happens meanwhile, as `lurk play` takes it; standard input if "
	 "not given",
	 0},
	{0},
};

int cli_try(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		options, parse_option, "",
		"Put the profile into force for a while, and show what keys give. It ends by "
		"itself with everything as before, also when this command, its terminal or the "
		"service ends, unless the question at the end is answered with yes, or `lurk keep` "
		"is typed elsewhere."
		"\vExamples:\n  lurk try\n  lurk try --for 5min"};
	struct cli_trial t = {.cli = cli, .script = "-", .seconds = CLI_TRY_SECONDS};

	cli_parse(cli, &words, argc, argv, &t);
	cli->ws.judged = true;
	return cli_read_files(cli) && cli_machine(cli) && cli_have_profile(cli) ? cli_try_now(&t)
										: CLI_COULD_NOT;
}
