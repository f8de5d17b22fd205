/* off, on: all rules, in force but not kept; or the rules on one key, in the file. */
#include <string.h>

#include "cli/edit.h"
#include "lurk/work/acting.h"
#include "tell/lock.h"

static int switch_all(struct cli *cli, bool off)
{
	struct lurk_machine *machine = cli_machine(cli);
	struct lurk_outcome outcome = {.error = LURK_OK};
	char rules[LURK_COUNT_WORDS];

	if (!machine)
		return CLI_COULD_NOT;
	if (!machine->image && !machine->computer_rules && !off)
		return cli_fail(CLI_FOUND, "no rules are stored; `lurk apply` puts a profile into "
					   "force");
	if (!lurk_machine_switch(machine, off, &outcome))
		return cli_fail(CLI_COULD_NOT, "%s", outcome.why.text);
	if (cli->json) {
		printf("{\"off\":%s}\n", off ? "true" : "false");
		return CLI_DONE;
	}
	if (off)
		puts("All rules are off: every key does its usual job.\n"
		     "`lurk on` switches them on again; so does a reboot.");
	else
		printf("In force again: %s.\n",
		       lurk_words_count(lurk_rules_in_force(machine) +
						(machine->own ? machine->computer_rules : 0),
					"rule", rules));
	tell_locks(stdout, machine, &outcome.report);
	return CLI_DONE;
}

/* Rules are kept, with `off:` in them. */
static int switch_key(struct edit *edit, bool off)
{
	int status = edit_begin(edit);

	return status ? status
		      : edit_finish(edit, lurk_edits_switch(&edit->edits, edit->words[0], off));
}

static const struct argp_option options[] = {
	{"keyboard", 'k', "NAME", 0, "Only rules for this keyboard", 0},
	EDIT_APPLIES,
	{0},
};

static int run(struct cli *cli, int argc, char **argv, bool off, const char *doc)
{
	const struct cli_words words = {options, edit_parse_option, "[KEY]", doc};
	struct edit edit = {.cli = cli, .most = 1, .optional = true};

	cli_parse(cli, &words, argc, argv, &edit);
	return edit.count ? switch_key(&edit, off) : switch_all(cli, off);
}

int cli_off(struct cli *cli, int argc, char **argv)
{
	return run(cli, argc, argv, true,
		   "Switch all rules off until `lurk on`, an apply, or a reboot: every key does "
		   "its usual job. That is so at your own screen; by root and the group lurk, at "
		   "every seat. With KEY, switch the rules on that key off in the profile, where "
		   "they stay."
		   "\vExamples:\n  lurk off\n  lurk off NumLock --apply");
}

int cli_on(struct cli *cli, int argc, char **argv)
{
	return run(cli, argc, argv, false,
		   "Switch the rules on again after `lurk off`; with KEY, those on that key in the "
		   "profile."
		   "\vExamples:\n  lurk on\n  lurk on NumLock --apply");
}
