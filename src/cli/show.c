/* show: the rules as a table, and what differs between the file and what is in force. */
#include <string.h>

#include "cli/applying.h"
#include "cli/commands.h"
#include "tell/difference.h"
#include "tell/json.h"
#include "tell/rule.h"

static void add_row(const struct cli *cli, struct term_table *table, const struct lurk_rule *rule,
		    bool back)
{
	struct tell_rule told;
	char line[16], key[CLI_TOLD], usual[CLI_TOLD], now[CLI_TOLD];

	tell_rule(&cli->ws.keyboards, rule, back, &told);
	snprintf(line, sizeof line, "%u", rule->line);
	term_table_row(table, cli_caps(cli, told.key, key),
		       strcmp(told.key, told.usual) ? cli_caps(cli, told.usual, usual) : told.usual,
		       cli_caps(cli, told.now, now), told.keyboard, line, told.note);
}

static void print_rules(const struct cli *cli)
{
	static const char *const heads[] = {"key", "usually", "now", "keyboard", "line", "note"};
	struct term_table table;
	char rules[LURK_COUNT_WORDS];

	if (!cli->ws.profile_exists) {
		printf("No profile yet: `lurk map KEY RESULT` makes %s.\n", cli->ws.profile_path);
		return;
	}
	printf("%s in %s%s\n",
	       cli->ws.profile.count ? lurk_words_count(cli->ws.profile.count, "rule", rules)
				     : "No rule",
	       cli->ws.profile_path, cli->ws.profile.count ? ":" : ".");
	term_table_init(&table, heads, 6);
	for (uint32_t i = 0; i < cli->ws.profile.count; i++) {
		add_row(cli, &table, &cli->ws.profile.rules[i], false);
		if (cli->ws.profile.rules[i].swap)
			add_row(cli, &table, &cli->ws.profile.rules[i], true);
	}
	term_table_print(&table, "  ");
}

static void show_differences(struct cli *cli)
{
	if (cli_print_edits(cli, "What is in force differs; `lurk apply` would change this:"))
		return;
	if (cli->ws.profile.count)
		puts("All of this is in force.");
}

int cli_show(struct cli *cli, int argc, char **argv)
{
	struct json_object *object, *list, *differences;

	cli_parse_plain(
		cli, argc, argv,
		"The rules as a table, and what differs between the file and what is in force."
		"\vExample:\n  lurk show");
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	if (!cli->json) {
		print_rules(cli);
		if (cli_machine_if_any(cli))
			show_differences(cli);
		return CLI_DONE;
	}
	object = json_object_new_object();
	list = json_object_new_array();
	for (uint32_t i = 0; i < cli->ws.profile.count; i++)
		json_object_array_add(
			list, tell_rule_json(&cli->ws.keyboards, &cli->ws.profile.rules[i]));
	tell_put_text(object, "file", cli->ws.profile_path);
	json_object_object_add(object, "rules", list);
	if (cli_machine_if_any(cli)) {
		differences = json_object_new_array();
		lurk_differences_of_edits(&cli->ws, cli->machine, tell_difference_json,
					  differences);
		json_object_object_add(object, "differences", differences);
	}
	term_json(object);
	return CLI_DONE;
}
