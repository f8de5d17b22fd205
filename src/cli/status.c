/* status: what is in force, and by which way. */
#include "cli/applying.h"
#include "cli/commands.h"
#include "tell/rule.h"
#include "tell/status.h"

/* Every rule on every keyboard, and the way that it goes there. */
static int print_rules(const struct cli *cli)
{
	static const char *const heads[] = {"keyboard", "way", "rule", "line", "profile"};
	const struct lurk_machine *machine = cli->machine;
	const uint32_t rules = machine->image && !machine->off ? machine->image->rule_count : 0;
	struct term_table table;
	struct tell_acting acting;
	char line[16], told[CLI_TOLD];

	term_table_init(&table, heads, 5);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		for (uint32_t r = 0; machine->keyboards[i].present && r < rules; r++) {
			if (!tell_acting(machine, &cli->ws.keyboards, i, r, &acting))
				continue;
			snprintf(line, sizeof line, "%u", acting.line);
			if (cli->json)
				term_json(tell_acting_json(&acting));
			else
				term_table_row(&table, acting.keyboard, acting.way,
					       cli_caps(cli, acting.words, told), line,
					       acting.profile);
		}
	}
	if (!cli->json && !table.rows)
		puts("No rule is in force on any keyboard that is here.");
	term_table_print(&table, "");
	return CLI_DONE;
}

struct status {
	bool rules;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct status *status = state->input;

	(void)arg;
	switch (key) {
	case 'r':
		status->rules = true;
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_status(struct cli *cli, int argc, char **argv)
{
	static const struct argp_option options[] = {
		{"rules", 'r', NULL, 0, "Rule by rule: on which keyboard, by which way", 0}, {0}};
	static const struct cli_words words = {
		options, parse_option, "",
		"What is in force, since when, by which way on each keyboard, and whether it will "
		"be after a reboot."
		"\vExamples:\n  lurk status\n  lurk status --rules"};
	struct status status = {0};

	cli_parse(cli, &words, argc, argv, &status);
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (status.rules)
		return print_rules(cli);
	if (cli->json) {
		term_json(tell_status_json(cli->machine, &cli->ws, cli_pending(cli)));
		return CLI_DONE;
	}
	tell_status(stdout, cli->machine, &cli->ws, cli_pending(cli));
	cli_print_ways(cli);
	cli_say_hwdb(cli);
	return CLI_DONE;
}
