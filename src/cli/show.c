/* show: the rules as a table, and what differs between the file and what is in force. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

static struct json_object *rule_json(const struct cli *cli, const struct lurk_rule *rule)
{
	struct json_object *object = json_object_new_object();
	char press[LURK_WORDS], gives[LURK_WORDS];

	json_object_object_add(object, "press",
			       json_object_new_string(lurk_words_for_press(&rule->press, press)));
	json_object_object_add(object, "gives",
			       json_object_new_string(lurk_words_result(&rule->gives, gives)));
	json_object_object_add(object, "swap", json_object_new_boolean(rule->swap));
	json_object_object_add(
		object, "keyboard",
		rule->keyboard ? json_object_new_string(
					 cli->keyboards.keyboards[rule->keyboard - 1].name.bytes)
			       : NULL);
	json_object_object_add(object, "off", json_object_new_boolean(rule->off));
	json_object_object_add(object, "line", json_object_new_int64(rule->line));
	json_object_object_add(object, "note", cli_json_text(rule->note));
	return object;
}

/* What the pressed key usually is: for a scan code, the key that it stands for. */
static const char *usually(const struct lurk_target *target, char out[LURK_WORDS])
{
	lurk_key key = lurk_scan_key(target->scan);

	if (target->kind != LURK_TARGET_SCAN)
		return lurk_words_target(target, out);
	snprintf(out, LURK_WORDS, "%s", key ? lurk_key_name(key) : "(no name)");
	return out;
}

static void add_row(const struct cli *cli, struct cli_table *table, const struct lurk_rule *rule,
		    bool back)
{
	struct lurk_target other = {.kind = rule->gives.kind == LURK_GIVES_PAIR ? LURK_TARGET_PAIR
										: LURK_TARGET_KEY,
				    .key = rule->gives.key};
	const struct lurk_nickname *nickname;
	char key[LURK_WORDS], usual[LURK_WORDS], gives[LURK_WORDS], now[LURK_WORDS + 32], line[16],
		note[256];

	lurk_words_for_press(&rule->press, key);
	nickname = rule->keyboard ? lurk_nickname_of(&cli->keyboards, rule->keyboard,
						     rule->press.on.scan, rule->press.on.key)
				  : NULL;
	if (nickname)
		snprintf(key + strlen(key), sizeof key - strlen(key), " (%s)", nickname->name);
	lurk_words_result(&rule->gives, gives);
	usually(back ? &other : &rule->press.on, usual);
	if (back) {
		char from[LURK_WORDS];

		snprintf(now, sizeof now, "%s", usually(&rule->press.on, from));
		lurk_words_target(&other, key);
	} else {
		snprintf(now, sizeof now, "%s", gives);
	}
	if (rule->off)
		snprintf(now + strlen(now), sizeof now - strlen(now), " (switched off)");
	else if (lurk_rule_check(rule) == LURK_ERR_UNTYPED)
		snprintf(now + strlen(now), sizeof now - strlen(now), " (no keys for it)");
	snprintf(line, sizeof line, "%u", rule->line);
	cli_table_row(table, key, usual, now,
		      rule->keyboard ? cli->keyboards.keyboards[rule->keyboard - 1].name.bytes
				     : "all",
		      line, cli_safe(rule->note, note, sizeof note));
}

static void print_rules(const struct cli *cli)
{
	static const char *const heads[] = {"key", "usually", "now", "keyboard", "line", "note"};
	struct cli_table table;
	char rules[48];

	if (!cli->profile_exists) {
		printf("No profile yet: `lurk map KEY RESULT` makes %s.\n", cli->profile_path);
		return;
	}
	printf("%s in %s%s\n",
	       cli->profile.count ? cli_count(cli->profile.count, "rule", rules) : "No rule",
	       cli->profile_path, cli->profile.count ? ":" : ".");
	cli_table_init(&table, heads, 6);
	for (uint32_t i = 0; i < cli->profile.count; i++) {
		add_row(cli, &table, &cli->profile.rules[i], false);
		if (cli->profile.rules[i].swap)
			add_row(cli, &table, &cli->profile.rules[i], true);
	}
	cli_table_print(&table, "  ");
}

static void show_differences(struct cli *cli)
{
	if (cli_print_changes(cli, "What is in force differs; `lurk apply` would change this:"))
		return;
	if (cli->profile.count)
		puts("All of this is in force.");
}

int cli_show(struct cli *cli, int argc, char **argv)
{
	struct json_object *object, *list;

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
	for (uint32_t i = 0; i < cli->profile.count; i++)
		json_object_array_add(list, rule_json(cli, &cli->profile.rules[i]));
	json_object_object_add(object, "file", json_object_new_string(cli->profile_path));
	json_object_object_add(object, "rules", list);
	if (cli_machine_if_any(cli))
		json_object_object_add(object, "differences", cli_changes_json(cli));
	cli_print_json(object);
	return CLI_DONE;
}
