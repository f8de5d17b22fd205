/* show: the rules as a table, and what differs between the file and what is in force. */
#include <string.h>

#include "cli/applying.h"
#include "cli/commands.h"
#include "lurk/text/memory.h"
#include "lurk/work/hwdb.h"
#include "tell/difference.h"
#include "tell/hwdb.h"
#include "tell/json.h"
#include "tell/pairs.h"
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

/* What is not in force yet stands before all that is. */
static void print_rules(struct cli *cli)
{
	static const char *const heads[] = {"key", "usually", "now", "keyboard", "line", "note"};
	struct term_table table;
	const uint32_t all = cli->ws.profile.count;
	char rules[LURK_COUNT_WORDS];

	if (!cli->ws.profile_exists) {
		cli_say_no_profile(cli);
		if (cli_machine_if_any(cli))
			cli_print_edits(cli, "What is in force differs:", true);
		return;
	}
	printf("%s in %s", all ? lurk_words_count(all, "rule", rules) : "No rule",
	       cli->ws.profile_path);
	if (!cli_machine_if_any(cli))
		puts(all ? ":" : ".");
	else if (cli_print_edits(cli,
				 ". What is in force differs; `lurk apply` changes this:", true))
		fputs(all ? "All of the file:\n" : "", stdout);
	else
		puts(all ? ", all of it in force:" : ".");
	term_table_init(&table, heads, 6);
	for (uint32_t i = 0; i < all; i++) {
		add_row(cli, &table, &cli->ws.profile.rules[i], false);
		if (cli->ws.profile.rules[i].swap)
			add_row(cli, &table, &cli->ws.profile.rules[i], true);
	}
	term_table_print(&table, "  ");
}

/* ---- As a table of pairs --------------------------------------------------------------------- */

static void print_bytes(const uint8_t *bytes, size_t length)
{
	for (size_t i = 0; i < length; i++)
		printf("%02x%s", bytes[i], i % 16 == 15 || i + 1 == length ? "\n" : " ");
}

static int show_pairs(struct cli *cli)
{
	static const char *const heads[] = {"key", "now", "pair"};
	char press[LURK_WORDS], gives[LURK_WORDS], bytes[TELL_PAIRS];
	struct lurk_hwdb_left *left;
	struct lurk_message why;
	struct term_table table;
	struct lurk_pair *pairs;
	unsigned left_count;
	uint32_t count;
	uint8_t *all;

	if (!lurk_pairs_plan(&cli->ws, &pairs, &count, &left, &left_count, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	term_table_init(&table, heads, 3);
	for (uint32_t i = 0; i < count; i++) {
		if (cli->json)
			term_json(tell_pair_json(&pairs[i]));
		else
			term_table_row(&table, tell_pair_press(&pairs[i], press),
				       tell_pair_gives(&pairs[i], gives),
				       tell_pair_bytes(&pairs[i], bytes));
	}
	term_table_print(&table, "  ");
	all = lurk_allocate(1, LURK_PAIRS_SIZE(count));
	lurk_pairs_write(pairs, count, all);
	if (count && !cli->json) {
		puts("As a whole, with zeros, the count of pairs, and a pair of zeros at the end:");
		print_bytes(all, LURK_PAIRS_SIZE(count));
	}
	fflush(stdout);
	if (left_count)
		cli_fail(CLI_FOUND, "not in it, since such a table cannot say it:");
	for (unsigned i = 0; i < left_count; i++)
		fprintf(stderr, "  line %-4u %s: %s\n", left[i].line, left[i].words,
			tell_hwdb_why((enum lurk_hwdb_why)left[i].why));
	lurk_release(all);
	lurk_release(pairs);
	lurk_release(left);
	return left_count ? CLI_FOUND : CLI_DONE;
}

enum { OPTION_PAIRS = 1000 };

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	bool *pairs = state->input;

	(void)arg;
	if (key != OPTION_PAIRS)
		return ARGP_ERR_UNKNOWN;
	*pairs = true;
	return 0;
}

int cli_show(struct cli *cli, int argc, char **argv)
{
	static const struct argp_option options[] = {
		{"pairs", OPTION_PAIRS, NULL, 0,
		 "As a table of pairs of scan codes, in bytes: `lurk decode --as pairs` reads it",
		 0},
		{0}};
	static const struct cli_words words = {
		options, parse_option, "",
		"What differs between the file and what is in force, and the rules as a table."
		"\vExamples:\n  lurk show\n  lurk show --pairs"};
	bool pairs = false;
	struct json_object *object, *list, *differences;

	cli_parse(cli, &words, argc, argv, &pairs);
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	if (pairs)
		return show_pairs(cli);
	if (!cli->json) {
		print_rules(cli);
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
