#include "tell/refusal.h"

#include "lurk/work/holder.h"
#include "tell/words.h"

void tell_refusal(const struct lurk_workspace *ws, const struct lurk_machine *machine,
		  const struct lurk_outcome *outcome, struct lurk_message *message)
{
	const struct lurk_profile_file *file = &ws->profile;
	uint32_t one = outcome->report.compile.rules[0], two = outcome->report.compile.rules[1];
	const char *keyboard = "";
	char holders[160];

	if (outcome->report.keyboard < machine->keyboard_count &&
	    machine->keyboards[outcome->report.keyboard].present)
		keyboard = tell_keyboard(machine, &ws->keyboards, outcome->report.keyboard);
	if (outcome->unknown)
		lurk_say(message, "%s", outcome->why.text);
	else if (outcome->error == LURK_ERR_CONFLICT && one < file->count && two < file->count)
		lurk_say(message, "%s: the rules on lines %u and %u are for the same key on %s",
			 ws->profile_path, file->rules[one].line, file->rules[two].line, keyboard);
	else if (outcome->error == LURK_ERR_DENIED && *keyboard)
		lurk_say(message,
			 "the service may not reach %s; `sudo lurk install` "
			 "gives it what it needs",
			 keyboard);
	else if (outcome->error == LURK_ERR_NOT_OWN)
		lurk_say(message,
			 "on this computer rules of one's own may %s (its owner has set that in "
			 "/etc/lurk/persons)",
			 machine->own_may == LURK_OWN_KEYS      ? "only give one key for another"
			 : machine->own_may == LURK_OWN_NO_TEXT ? "type no text"
								: "not be");
	else if (outcome->error == LURK_ERR_HELD && *keyboard &&
		 *lurk_holders(machine->keyboards[outcome->report.keyboard].info.identity.place,
			       holders, sizeof holders))
		lurk_say(message,
			 "%s: another program has taken it for itself: %s; end "
			 "that, then apply again",
			 keyboard, holders);
	else if (outcome->error >= LURK_ERR_GONE && outcome->error != LURK_ERR_POWER && *keyboard)
		lurk_say(message, "%s: %s", keyboard, outcome->why.text);
	else
		lurk_say(message, "%s", outcome->why.text);
}
