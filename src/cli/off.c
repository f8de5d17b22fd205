/* off, on: all rules, in force but not kept; or the rules on one key, in the file. */
#include <string.h>

#include "cli/edit.h"

static int switch_all(struct cli *cli, bool off)
{
	struct lurk_machine *machine = cli_machine(cli);
	struct lurk_outcome outcome = {LURK_OK, {0}, {""}};
	char rules[48];

	if (!machine)
		return CLI_COULD_NOT;
	if (!machine->image && !off)
		return cli_fail(CLI_FOUND, "no rules are stored; `lurk apply` puts a profile into "
					   "force");
	if (!lurk_machine_switch(machine, off, &outcome))
		return cli_fail(CLI_COULD_NOT, "%s", outcome.why.text);
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "off", json_object_new_boolean(off));
		cli_print_json(object);
		return CLI_DONE;
	}
	if (off)
		puts("All rules are off: every key does its usual job.\n"
		     "`lurk on` switches them on again; so does a restart of the computer.");
	else
		printf("In force again: %s.\n",
		       cli_count(cli_rules_in_force(machine), "rule", rules));
	cli_tell_locks(cli, &outcome.report);
	return CLI_DONE;
}

/* Rules are kept, with `off:` in them. */
static bool switch_rules(struct edit *edit, const struct lurk_rule *wanted, bool off,
			 unsigned *count)
{
	const struct lurk_field field = {"off", off ? "true" : "false"};
	struct cli *cli = edit->cli;

	for (uint32_t i = 0; i < cli->profile.count; i++) {
		const struct lurk_rule *rule = &cli->profile.rules[i];

		if (rule->off == off || (edit->keyboard && rule->keyboard != edit->keyboard) ||
		    !edit_touches(rule, wanted, true))
			continue;
		if (!lurk_edit_set(&cli->profile.yaml, cli->profile.nodes[i], &field, &edit->why) ||
		    !cli_reread_profile(cli, &edit->why))
			return false;
		edit->line = cli->profile.rules[i].line;
		++*count;
	}
	return true;
}

static int switch_key(struct edit *edit, bool off)
{
	struct lurk_rule wanted = {.gives = {.kind = LURK_GIVES_NOTHING}};
	char words[LURK_WORDS], summary[300];
	unsigned count = 0;
	int status;

	if ((status = edit_start(edit)) != CLI_DONE)
		return edit_failed(edit, status);
	if (!edit_read_press(edit, edit->words[0], &wanted.press))
		return edit_failed(edit, CLI_USAGE);
	lurk_words_target(&wanted.press.on, words);
	if (!switch_rules(edit, &wanted, off, &count))
		return edit_failed(edit, CLI_COULD_NOT);
	if (!count) {
		lurk_say(&edit->why, "no rule on %s%s is switched %s", words, edit->where,
			 off ? "on" : "off");
		return edit_failed(edit, CLI_FOUND);
	}
	snprintf(summary, sizeof summary, "%s on %s%s %s switched %s%s",
		 count == 1 ? "The rule" : "The rules", words, edit->where,
		 count == 1 ? "is" : "are", off ? "off" : "on",
		 off ? ", and kept in the file" : "");
	return edit_finish(edit, summary);
}

static const struct argp_option options[] = {
	{"keyboard", 'k', "NAME", 0, "Only rules for this keyboard", 0},
	{"apply", 'a', NULL, 0, "With KEY: put the profile into force at once", 0},
	{0},
};

static int run(struct cli *cli, int argc, char **argv, bool off, const char *doc)
{
	const struct argp argp = {options, edit_parse_option, "[KEY]", doc, edit_children, NULL,
				  NULL};
	struct edit edit = {.cli = cli, .most = 1, .optional = true};

	cli_parse(cli, &argp, argc, argv, &edit);
	return edit.count ? switch_key(&edit, off) : switch_all(cli, off);
}

int cli_off(struct cli *cli, int argc, char **argv)
{
	return run(cli, argc, argv, true,
		   "Switch all rules off until `lurk on`, an apply, or a restart: every key does "
		   "its usual job. With KEY, switch the rules on that key off in the profile, "
		   "where they stay."
		   "\vExamples:\n  lurk off\n  lurk off CapsLock --apply");
}

int cli_on(struct cli *cli, int argc, char **argv)
{
	return run(cli, argc, argv, false,
		   "Switch the rules on again after `lurk off`; with KEY, those on that key in the "
		   "profile."
		   "\vExamples:\n  lurk on\n  lurk on CapsLock --apply");
}
