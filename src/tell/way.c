#include "tell/way.h"

#include <string.h>

#include "lurk/work/acting.h"
#include "lurk/work/holder.h"
#include "service/protocol.h"
#include "tell/json.h"
#include "tell/keyboard.h"
#include "tell/words.h"

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
		snprintf(out, size, "it has no key %s of its own", key);
		break;
	case LURK_BECAUSE_TWICE:
		snprintf(out, size, "two keys give %s, %s and %s", key, source_name(k->choice.from),
			 source_name(k->choice.other));
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
		snprintf(out, size, "no key gives %s any more", key);
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

const char *tell_why(const struct lurk_session_keyboard *k, char out[TELL_WHY])
{
	char reason[160], holders[160];

	if (k->trouble) {
		snprintf(out, TELL_WHY, "its rules are not in force: %s",
			 lurk_error_text(k->trouble));
		if (k->trouble == LURK_ERR_HELD &&
		    *lurk_holders(k->info.identity.place, holders, sizeof holders))
			snprintf(out + strlen(out), TELL_WHY - strlen(out), ": %s", holders);
		return out;
	}
	reason_words(k, reason, sizeof reason);
	if (k->choice.forced)
		snprintf(out, TELL_WHY, "asked for by --table; but %s: %s", reason, difference(k));
	else
		snprintf(out, TELL_WHY, "%s", reason);
	if (k->unsettled)
		snprintf(out + strlen(out), TELL_WHY - strlen(out),
			 "; %s changes as soon as it comes up", source_name(k->unsettled));
	if (k->info.others_changes)
		snprintf(out + strlen(out), TELL_WHY - strlen(out),
			 "; another program changed %u entries of its table",
			 k->info.others_changes);
	return out;
}

const char *tell_way(const struct lurk_session_keyboard *k)
{
	return lurk_way_words[k->choice.way];
}

bool tell_is_untouched(const struct lurk_session_keyboard *k)
{
	return k->choice.way == LURK_WAY_PLAIN && k->choice.reason == LURK_BECAUSE_NO_RULE &&
	       !k->trouble && !k->unsettled && !k->info.others_changes;
}

/* Of several that are called the same the first is told. */
static bool is_told_untouched(const struct lurk_machine *machine,
			      const struct lurk_keyboards_file *keyboards, uint16_t number)
{
	for (uint16_t i = 0; i <= number; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];

		if (k->present && tell_is_untouched(k) &&
		    !strcmp(tell_keyboard(machine, keyboards, i),
			    tell_keyboard(machine, keyboards, number)))
			return i == number;
	}
	return false;
}

const char *tell_untouched(const struct lurk_machine *machine,
			   const struct lurk_keyboards_file *keyboards, char out[TELL_WHY])
{
	unsigned count = 0, told = 0;

	*out = '\0';
	for (uint16_t i = 0; i < machine->keyboard_count; i++)
		count += is_told_untouched(machine, keyboards, i);
	for (uint16_t i = 0; told < count; i++) {
		if (!is_told_untouched(machine, keyboards, i))
			continue;
		snprintf(out + strlen(out), TELL_WHY - strlen(out), "%s%s",
			 !told              ? "No rule changes a key of "
			 : told + 1 < count ? ", "
					    : " or ",
			 tell_keyboard(machine, keyboards, i));
		told++;
	}
	if (count)
		snprintf(out + strlen(out), TELL_WHY - strlen(out), ".");
	return out;
}

struct json_object *tell_ways_json(const struct lurk_machine *machine,
				   const struct lurk_keyboards_file *keyboards)
{
	struct json_object *list = json_object_new_array();
	char why[TELL_WHY];

	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];
		struct json_object *one;

		if (!k->present)
			continue;
		one = json_object_new_object();
		tell_put_text(one, "keyboard", tell_keyboard(machine, keyboards, i));
		tell_put_number(one, "rules", lurk_rules_on(machine, k->described));
		tell_put_text(one, "way", tell_way(k));
		tell_put_text(one, "why", tell_why(k, why));
		json_object_array_add(list, one);
	}
	return list;
}

const char *tell_survival(const struct lurk_machine *machine)
{
	if (machine->desk)
		return "They are stored, and will be in force after a reboot.";
	if (lurk_survives(machine) && machine->own)
		return "They are stored, and will be in force whenever you are at the screen, also "
		       "after a reboot.";
	if (lurk_survives(machine))
		return "They are stored, and will be in force after a reboot, before the login "
		       "prompt. (A prompt for a disk's passphrase comes earlier, with the usual "
		       "keys.)";
	return "They are stored, but not in force after a reboot: the service does not start by "
	       "itself. `sudo lurk install` makes it so.";
}
