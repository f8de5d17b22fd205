/* Which rules act on which keyboard, which way they go, and whether they last. */
#include <string.h>
#include <unistd.h>

#include "cli/cli.h"
#include "service/protocol.h"

/* With `next` 0 the profile of that word, then the one that each is based on; false after the last.
 */
bool cli_next_profile(const struct lurk_machine *machine, const char *top, unsigned *next,
		      struct lurk_profile *profile)
{
	const struct lurk_text word = {top, strlen(top)};

	*next = *next ? profile->based_on : lurk_image_find_profile(machine->image, word);
	if (*next)
		lurk_image_profile(machine->image, *next - 1, profile);
	return *next;
}

static bool holds(const struct lurk_machine *machine, uint32_t rule)
{
	struct lurk_profile profile = {0};

	for (unsigned next = 0; cli_next_profile(machine, machine->profile, &next, &profile);) {
		if (rule - profile.first_rule < profile.rule_count)
			return true;
	}
	return false;
}

bool cli_acts(const struct cli *cli, const char *top, const char *word)
{
	struct lurk_profile profile = {0};

	for (unsigned next = 0; cli_next_profile(cli->machine, top, &next, &profile);) {
		if (profile.word.length == strlen(word) &&
		    !strncasecmp(profile.word.bytes, word, profile.word.length))
			return true;
	}
	return false;
}

bool cli_acts_on(const struct lurk_machine *machine, uint32_t index, uint16_t described,
		 struct lurk_rule *rule)
{
	struct lurk_keyboard keyboard = {.apart = false};

	if (described)
		lurk_image_keyboard(machine->image, described - 1U, &keyboard);
	lurk_image_rule(machine->image, index, rule);
	return !rule->off && holds(machine, index) &&
	       (rule->keyboard ? rule->keyboard == described : !keyboard.apart);
}

unsigned cli_rules_on(const struct lurk_machine *machine, uint16_t described)
{
	unsigned count = 0;
	struct lurk_rule rule;

	for (uint32_t i = 0; machine->image && i < machine->image->rule_count; i++)
		count += cli_acts_on(machine, i, described, &rule);
	return count;
}

unsigned cli_rules_in_force(const struct lurk_machine *machine)
{
	unsigned count = 0;

	for (uint32_t i = 0; machine->image && i < machine->image->rule_count; i++)
		count += holds(machine, i);
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
	case LURK_BECAUSE_MORE:
		snprintf(out, size, "%s gives more than a key", source_name(k->choice.key));
		break;
	case LURK_BECAUSE_MODIFIERS:
		snprintf(out, size, "what %s gives depends on modifiers",
			 source_name(k->choice.key));
		break;
	case LURK_BECAUSE_UNWRITTEN:
		snprintf(out, size, "what its table held cannot be written down");
		break;
	case LURK_BECAUSE_FORGOTTEN:
		snprintf(out, size,
			 "no key gives %s any more; by the table, programs would forget it", key);
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
	case LURK_BECAUSE_FORGOTTEN:
		return "those that start now do not know it, even with rules off";
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
	const struct lurk_machine *machine = cli->machine;
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
			json_object_new_int((int)cli_rules_on(machine, k->described)));
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
	const struct lurk_machine *machine = cli->machine;
	struct cli_table table;
	char why[512], rules[16];

	cli_table_init(&table, heads, 4);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];

		if (!k->present)
			continue;
		snprintf(rules, sizeof rules, "%u", cli_rules_on(machine, k->described));
		cli_table_row(&table, cli_keyboard_name(cli, i), rules,
			      lurk_way_words[k->choice.way], way_words(k, why, sizeof why));
	}
	cli_table_print(&table, "  ");
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
