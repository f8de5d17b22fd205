/* status: what is in force, and by which way. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/cli.h"
#include "service/protocol.h"

unsigned cli_rules_on(const struct lurk_image *image, uint16_t described)
{
	struct lurk_keyboard keyboard = {.apart = false};
	unsigned count = 0;

	if (image && described)
		lurk_image_keyboard(image, described - 1U, &keyboard);
	for (uint32_t i = 0; image && i < image->rule_count; i++) {
		struct lurk_rule rule;

		lurk_image_rule(image, i, &rule);
		count +=
			!rule.off && (rule.keyboard ? rule.keyboard == described : !keyboard.apart);
	}
	return count;
}

static const char *source_name(lurk_key key)
{
	return key < LURK_KEY_COUNT ? lurk_key_name(key) : "a key without a name";
}

/* Why the relay fits, and the table does not, or does not quite. */
static void reason_words(const struct lurk_session_keyboard *k, char *out, size_t size)
{
	const char *key = lurk_key_name(k->choice.key);

	switch (k->choice.reason) {
	case LURK_BECAUSE_ONE_TO_ONE:
		snprintf(out, size, "every rule is one key for one key");
		break;
	case LURK_BECAUSE_NO_TABLE:
		snprintf(out, size, "the computer has no table for it");
		break;
	case LURK_BECAUSE_UNDECLARED:
		snprintf(out, size, "it never said that it can send %s", key);
		break;
	case LURK_BECAUSE_TWICE:
		snprintf(out, size, "%s would come from %s and %s, and the table does not count",
			 key, source_name(k->choice.from), source_name(k->choice.other));
		break;
	case LURK_BECAUSE_TAP:
		snprintf(out, size, "%s never sends its release", key);
		break;
	case LURK_BECAUSE_NOT_IN_TABLE:
		snprintf(out, size, "a rule is on a code that the table does not have");
		break;
	case LURK_BECAUSE_ASKED:
		snprintf(out, size, "asked for by --relay; the table would do");
		break;
	case LURK_BECAUSE_TRYING:
		snprintf(out, size, "only tried: the table would do");
		break;
	case LURK_BECAUSE_CHORD:
		snprintf(out, size, "%s does nothing, and is part of the off chord", key);
		break;
	default:
		snprintf(out, size, "no rule changes a key that it has");
		break;
	}
}

/* What a person notices where the table was asked for and does not do exactly what the rules say.
 */
static const char *difference(const struct lurk_session_keyboard *k)
{
	switch (k->choice.reason) {
	case LURK_BECAUSE_TWICE:
		return "either key's release ends both";
	case LURK_BECAUSE_UNDECLARED:
		return "programs that run already do not see that key";
	case LURK_BECAUSE_TAP:
		return "it stays down";
	case LURK_BECAUSE_CHORD:
		return "the off chord does not work on it";
	default:
		return "that rule is not in force";
	}
}

static const char *way_words(const struct lurk_session_keyboard *k, char *out, size_t size)
{
	char reason[160], holders[160];

	if (k->trouble) {
		snprintf(out, size, "its rules are not in force: %s", lurk_error_text(k->trouble));
		if (k->trouble == LURK_ERR_HELD &&
		    *cli_holders(k->info.identity.place, holders, sizeof holders))
			snprintf(out + strlen(out), size - strlen(out), ": %s", holders);
		return out;
	}
	reason_words(k, reason, sizeof reason);
	if (k->choice.forced)
		snprintf(out, size, "asked for by --table; but %s: %s", reason, difference(k));
	else
		snprintf(out, size, "%s", reason);
	if (k->unsettled)
		snprintf(out + strlen(out), size - strlen(out),
			 "; %s changes as soon as it comes up", source_name(k->unsettled));
	if (k->info.others_changes)
		snprintf(out + strlen(out), size - strlen(out),
			 "; another program changed %u entries of its table",
			 k->info.others_changes);
	return out;
}

struct json_object *cli_ways_json(struct cli *cli)
{
	const struct cli_machine *machine = cli->machine;
	struct json_object *list = json_object_new_array();
	char why[512];

	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];
		struct json_object *one;

		if (!k->present)
			continue;
		one = json_object_new_object();
		json_object_object_add(one, "keyboard",
				       json_object_new_string(cli_keyboard_name(cli, i)));
		json_object_object_add(
			one, "rules",
			json_object_new_int((int)cli_rules_on(machine->image, k->described)));
		json_object_object_add(one, "way",
				       json_object_new_string(lurk_way_words[k->choice.way]));
		json_object_object_add(one, "why",
				       json_object_new_string(way_words(k, why, sizeof why)));
		json_object_array_add(list, one);
	}
	return list;
}

void cli_print_ways(struct cli *cli)
{
	static const char *const heads[] = {"keyboard", "rules", "way", "why"};
	const struct cli_machine *machine = cli->machine;
	struct cli_table table;
	char why[512], rules[16];

	cli_table_init(&table, heads, 4);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];

		if (!k->present)
			continue;
		snprintf(rules, sizeof rules, "%u", cli_rules_on(machine->image, k->described));
		cli_table_row(&table, cli_keyboard_name(cli, i), rules,
			      lurk_way_words[k->choice.way], way_words(k, why, sizeof why));
	}
	cli_table_print(&table, "  ");
}

void cli_tell_bad_slots(const struct cli *cli)
{
	const struct lurk_store_report *store = cli->machine->store;

	for (unsigned i = 0; i < store->slots; i++) {
		if (store->why[i] && store->why[i] != LURK_ERR_EMPTY)
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

bool cli_survives(const struct cli *cli)
{
	return cli->machine->desk ||
	       access("/etc/systemd/system/multi-user.target.wants/lurkd.service", F_OK) == 0;
}

void cli_tell_survival(const struct cli *cli)
{
	if (cli->machine->desk)
		puts("They are stored, and will be in force after a reboot.");
	else if (cli_survives(cli))
		puts("They are stored, and will be in force after a reboot, before the login "
		     "prompt. (A prompt for a disk's passphrase comes earlier, with the usual "
		     "keys.)");
	else
		puts("They are stored, but not in force after a reboot: the service does not "
		     "start by itself. `sudo lurk install` makes it so.");
}

static void print_status(struct cli *cli, const struct lurk_image *image)
{
	struct lurk_profile profile;
	char rules[48], since[32], source[256];
	unsigned pending = cli_pending(cli);

	if (cli->machine->trying) {
		printf("Rules are being tried, for %u more seconds; then all is as before. `lurk "
		       "keep` keeps them.\n",
		       cli->machine->seconds_left);
	} else if (image && image->rule_count) {
		lurk_image_profile(image, 0, &profile);
		cli_count(image->rule_count, "rule", rules);
		cli_time(image->saved_at_us, since);
		cli_safe(profile.source, source, sizeof source);
		if (cli->machine->off)
			printf("All rules are off: every key does its usual job. `lurk on` "
			       "switches on %s from %s.\n",
			       rules, source);
		else
			printf("%s in force since %s, from %s.\n", rules, since, source);
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

int cli_status(struct cli *cli, int argc, char **argv)
{
	const struct lurk_image *image;
	struct json_object *object;
	struct lurk_profile profile;

	cli_parse_plain(cli, argc, argv,
			"What is in force, since when, by which way on each keyboard, and whether "
			"it will be after a "
			"reboot.\vExample:\n  lurk status");
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	image = cli->machine->image;
	if (!cli->json) {
		print_status(cli, image);
		return CLI_DONE;
	}
	object = json_object_new_object();
	json_object_object_add(object, "rules",
			       json_object_new_int64(image ? image->rule_count : 0));
	if (image) {
		lurk_image_profile(image, 0, &profile);
		json_object_object_add(
			object, "since",
			json_object_new_int64((int64_t)(image->saved_at_us / 1000000)));
		json_object_object_add(object, "version",
				       json_object_new_int64((int64_t)image->sequence));
		json_object_object_add(object, "source", cli_json_text(profile.source));
	}
	json_object_object_add(object, "off", json_object_new_boolean(cli->machine->off));
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
