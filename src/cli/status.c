/* status: what is in force, and by which way. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"
#include "service/protocol.h"

void cli_tell_bad_slots(const struct cli *cli)
{
	const struct lurk_store_report *store = cli->machine->store;

	if (*cli->machine->storage)
		printf("Nothing can be stored: %s. What is in force goes on until the service "
		       "ends; what was stored before comes back then. Once that is mended, `lurk "
		       "apply` stores.\n",
		       cli->machine->storage);
	for (unsigned i = 0; i < store->slots; i++) {
		if (store->why[i] == LURK_ERR_FOREIGN || store->why[i] == LURK_ERR_DENIED)
			printf("Where rules are stored, slot-%02u %s; it is passed over.\n", i,
			       store->why[i] == LURK_ERR_FOREIGN ? "is no plain file"
								 : "belongs to somebody else");
		else if (store->why[i] && store->why[i] != LURK_ERR_EMPTY)
			printf("An image stored earlier (slot %u) %s; the newest good one is used, "
			       "and the next apply "
			       "writes that slot anew.\n",
			       i, lurk_error_text(store->why[i]));
	}
}

static struct json_object *bad_slots_json(const struct cli *cli)
{
	const struct lurk_store_report *store = cli->machine->store;
	struct json_object *list = json_object_new_array();

	for (unsigned i = 0; i < store->slots; i++) {
		struct json_object *one;

		if (!store->why[i] || store->why[i] == LURK_ERR_EMPTY)
			continue;
		one = json_object_new_object();
		json_object_object_add(one, "slot", json_object_new_int((int)i));
		json_object_object_add(one, "why",
				       json_object_new_string(lurk_error_text(store->why[i])));
		json_object_array_add(list, one);
	}
	return list;
}

static void print_status(struct cli *cli, const struct lurk_image *image)
{
	struct lurk_profile profile = {0};
	char rules[48], since[32], source[256];
	unsigned next = 0, pending = cli_pending(cli);

	if (cli->machine->trying) {
		printf("Rules are being tried, for %u more seconds; then all is as before. `lurk "
		       "keep` keeps them.\n",
		       cli->machine->seconds_left);
	} else if (image && image->rule_count) {
		cli_next_profile(cli->machine, cli->machine->profile, &next, &profile);
		cli_count(cli_rules_in_force(cli->machine), "rule", rules);
		cli_time(image->saved_at_us, since);
		cli_safe(profile.source, source, sizeof source);
		if (cli->machine->off)
			printf("All rules are off: every key does its usual job. `lurk on` "
			       "switches on %s from %s.\n",
			       rules, source);
		else
			printf("%s in force since %s, from %s.\n", rules, since, source);
		if (image->profile_count > 1)
			printf("The profile in force is %s, one of %u: `lurk use --list` lists "
			       "them.\n",
			       cli->machine->profile, image->profile_count);
		cli_tell_survival(cli);
	} else {
		puts("No rule is in force: every key does its usual job.");
	}
	if (!cli->machine->desk)
		printf("Root and members of the group lurk may change that: %s.\n",
		       cli->machine->may_change ? "you may" : "you may not");
	cli_print_ways(cli);
	cli_tell_bad_slots(cli);
	if (pending && !cli->machine->trying)
		printf("%s has %s that %s not in force: `lurk diff` lists %s, `lurk apply` "
		       "applies the file.\n",
		       cli->profile_path, cli_count(pending, "difference", rules),
		       pending == 1 ? "is" : "are", pending == 1 ? "it" : "them");
}

/* ---- Rule by rule ---------------------------------------------------------------------------- */

static void rule_words(const struct lurk_image *image, const struct lurk_rule *rule, char *out,
		       size_t size)
{
	struct lurk_keyboard keyboard;
	char name[64] = "";

	if (rule->keyboard) {
		lurk_image_keyboard(image, rule->keyboard - 1U, &keyboard);
		cli_safe(keyboard.name, name, sizeof name);
	}
	cli_rule_words(rule, "", out, size);
	if (*name)
		snprintf(out + strlen(out), size - strlen(out), " (only %s)", name);
}

/* Whether the keyboard has any key that the rule is on. */
static bool has_key(const struct lurk_session_keyboard *k, const struct lurk_rule *rule)
{
	struct lurk_change change;

	for (unsigned i = 0; lurk_rule_change(rule, i, &change); i++) {
		if (change.on.kind == LURK_TARGET_SCAN || lurk_declares(&k->info, change.on.key))
			return true;
	}
	return false;
}

/* Every rule on every keyboard, and the way that it goes there. */
static int print_rules(struct cli *cli)
{
	static const char *const heads[] = {"keyboard", "way", "rule", "line", "profile"};
	const struct lurk_machine *machine = cli->machine;
	struct cli_table table;
	struct lurk_rule rule;

	cli_table_init(&table, heads, 5);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];
		uint32_t rules = machine->image && !machine->off ? machine->image->rule_count : 0;

		for (uint32_t r = 0; k->present && r < rules; r++) {
			struct lurk_profile profile;
			char words[512], line[16], word[LURK_PROFILE_WORD];
			struct json_object *one;

			if (!cli_acts_on(machine, r, k->described, &rule) || !has_key(k, &rule))
				continue;
			lurk_image_profile(machine->image, lurk_image_profile_of(machine->image, r),
					   &profile);
			cli_safe(profile.word, word, sizeof word);
			rule_words(machine->image, &rule, words, sizeof words);
			snprintf(line, sizeof line, "%u", rule.line);
			if (!cli->json) {
				cli_table_row(&table, cli_keyboard_name(cli, i),
					      lurk_way_words[k->choice.way], words, line, word);
				continue;
			}
			one = json_object_new_object();
			json_object_object_add(one, "keyboard",
					       json_object_new_string(cli_keyboard_name(cli, i)));
			json_object_object_add(
				one, "way", json_object_new_string(lurk_way_words[k->choice.way]));
			json_object_object_add(one, "rule", json_object_new_string(words));
			json_object_object_add(one, "line", json_object_new_int64(rule.line));
			json_object_object_add(one, "profile", json_object_new_string(word));
			cli_print_json(one);
		}
	}
	if (!cli->json && !table.rows)
		puts("No rule is in force on any keyboard that is here.");
	cli_table_print(&table, "");
	return CLI_DONE;
}

struct status {
	struct cli *cli;
	bool rules;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct status *status = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = status->cli;
		return 0;
	case 'r':
		status->rules = true;
		return 0;
	case ARGP_KEY_ARG:
		argp_error(state, "`%s` is not expected here", arg);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_status(struct cli *cli, int argc, char **argv)
{
	static const struct argp_option options[] = {
		{"rules", 'r', NULL, 0, "Rule by rule: on which keyboard, by which way", 0}, {0}};
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		options,
		parse_option,
		"",
		"What is in force, since when, by which way on each keyboard, and whether it will "
		"be after a reboot."
		"\vExamples:\n  lurk status\n  lurk status --rules",
		children,
		NULL,
		NULL};
	const struct lurk_image *image;
	struct json_object *object;
	struct lurk_profile profile = {0};
	struct status status = {.cli = cli};
	unsigned next = 0;

	cli_parse(cli, &argp, argc, argv, &status);
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (status.rules)
		return print_rules(cli);
	image = cli->machine->image;
	if (!cli->json) {
		print_status(cli, image);
		return CLI_DONE;
	}
	object = json_object_new_object();
	json_object_object_add(object, "rules",
			       json_object_new_int64(cli_rules_in_force(cli->machine)));
	json_object_object_add(object, "profile", json_object_new_string(cli->machine->profile));
	if (image) {
		cli_next_profile(cli->machine, cli->machine->profile, &next, &profile);
		json_object_object_add(
			object, "since",
			json_object_new_int64((int64_t)(image->saved_at_us / 1000000)));
		json_object_object_add(object, "version",
				       json_object_new_int64((int64_t)image->sequence));
		json_object_object_add(object, "source", cli_json_text(profile.source));
	}
	json_object_object_add(object, "off", json_object_new_boolean(cli->machine->off));
	json_object_object_add(object, "storage", json_object_new_string(cli->machine->storage));
	json_object_object_add(object, "trying", json_object_new_boolean(cli->machine->trying));
	json_object_object_add(object, "after_reboot",
			       json_object_new_boolean(image != NULL && cli_survives(cli)));
	json_object_object_add(object, "may_change",
			       json_object_new_boolean(cli->machine->may_change));
	json_object_object_add(object, "differences", json_object_new_int((int)cli_pending(cli)));
	json_object_object_add(object, "bad_slots", bad_slots_json(cli));
	json_object_object_add(object, "keyboards", cli_ways_json(cli));
	cli_print_json(object);
	return CLI_DONE;
}
