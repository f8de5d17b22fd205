#include "tell/keyboard.h"

#include <stdio.h>
#include <string.h>

#include "lurk/work/chord_watch.h"
#include "lurk/work/acting.h"
#include "tell/json.h"
#include "tell/way.h"
#include "tell/words.h"

const char *tell_connection(const struct lurk_identity *identity, char out[TELL_KEYBOARD])
{
	snprintf(out, TELL_KEYBOARD, "%s%s%s%s", identity->built_in ? "built in, " : "",
		 lurk_bus_name((enum lurk_bus)identity->bus), *identity->place ? ", " : "",
		 identity->place);
	return out;
}

const char *tell_recognised(const struct lurk_identity *identity, char out[TELL_KEYBOARD])
{
	if (identity->bus == LURK_BUS_USB || identity->bus == LURK_BUS_BLUETOOTH)
		snprintf(out, TELL_KEYBOARD, "%s %04x:%04x",
			 identity->bus == LURK_BUS_BLUETOOTH ? "bluetooth" : "usb",
			 identity->vendor, identity->product);
	else
		snprintf(out, TELL_KEYBOARD, "%s",
			 identity->built_in              ? "built-in"
			 : identity->bus == LURK_BUS_PS2 ? "ps2"
							 : "its name");
	return out;
}

static void list_quirks(const struct lurk_keyboard *k, enum lurk_quirk_kind kind, const char *what,
			const char *between, char out[TELL_KEYBOARD])
{
	bool first = true;

	for (unsigned i = 0; i < k->quirk_count; i++) {
		size_t n = strlen(out);

		if (k->quirks[i].kind != kind)
			continue;
		snprintf(out + n, TELL_KEYBOARD - n, "%s%s%s%s", first && n ? ", " : "",
			 first ? what : "", first ? " " : between, lurk_key_name(k->quirks[i].key));
		first = false;
	}
}

const char *tell_quirks(const struct lurk_keyboard *k, char out[TELL_KEYBOARD])
{
	snprintf(out, TELL_KEYBOARD, "%s", k->apart ? "stands apart" : "");
	list_quirks(k, LURK_QUIRK_BROKEN, "broken", ", ", out);
	list_quirks(k, LURK_QUIRK_MISSING, "missing", ", ", out);
	list_quirks(k, LURK_QUIRK_PRESS_ONLY, "press-only", ", ", out);
	list_quirks(k, LURK_QUIRK_OFF_CHORD, "off chord", "+", out);
	return out;
}

const char *tell_chord_offer(const struct lurk_machine *machine,
			     const struct lurk_keyboards_file *keyboards, uint16_t number,
			     char out[TELL_KEYBOARD])
{
	const struct lurk_port_keyboard *info = &machine->keyboards[number].info;
	const uint16_t described = lurk_keyboards_recognise(keyboards, &info->identity);
	struct lurk_chord chord;
	size_t n;

	*out = '\0';
	if (!lurk_chord_offer(keyboards, info, &chord))
		return out;
	n = (size_t)snprintf(out, TELL_KEYBOARD, "`lurk keyboards --keyboard %.60s --off-chord",
			     described ? keyboards->keyboards[described - 1].name.bytes : "NAME");
	for (unsigned i = 0; i < chord.count; i++)
		n += (size_t)snprintf(out + n, TELL_KEYBOARD - n, " %s",
				      lurk_key_name(chord.keys[i]));
	snprintf(out + n, TELL_KEYBOARD - n, "`");
	return out;
}

const char *tell_no_chord(const struct lurk_machine *machine,
			  const struct lurk_keyboards_file *keyboards, uint16_t number,
			  char out[TELL_NO_CHORD])
{
	const struct lurk_port_keyboard *info = &machine->keyboards[number].info;
	char offer[TELL_KEYBOARD], keys[LURK_WORDS];
	struct lurk_chord chord;
	lurk_key lacks;

	*out = '\0';
	lurk_chord_of(keyboards, lurk_keyboards_recognise(keyboards, &info->identity), &chord);
	lacks = lurk_chord_lacks(keyboards, info, &chord);
	if (!lacks)
		return out;
	tell_chord_offer(machine, keyboards, number, offer);
	snprintf(
		out, TELL_NO_CHORD,
		"%.60s cannot send %s, which switch all rules off: %s. Another keyboard can%s%s%s.",
		tell_keyboard(machine, keyboards, number), tell_chord(&chord, keys),
		lurk_declares(info, lacks) ? "one of them is broken"
					   : "it does not have all of them",
		*offer ? ", or " : "", offer, *offer ? " chooses others" : "");
	return out;
}

struct json_object *tell_keyboard_json(const struct lurk_machine *machine,
				       const struct lurk_keyboards_file *keyboards, uint16_t number)
{
	const struct lurk_session_keyboard *k = &machine->keyboards[number];
	const uint16_t described = lurk_keyboards_recognise(keyboards, &k->info.identity);
	struct json_object *object = json_object_new_object();
	char words[TELL_KEYBOARD], no_chord[TELL_NO_CHORD];

	tell_put_text(object, "keyboard", tell_keyboard(machine, keyboards, number));
	tell_put_flag(object, "known", described != 0);
	tell_put_flag(object, "here", true);
	tell_put_text(object, "connected", tell_connection(&k->info.identity, words));
	tell_put_text(object, "identity", tell_recognised(&k->info.identity, words));
	tell_put_number(object, "rules", lurk_rules_on(machine, k->described));
	tell_put_text(object, "way", tell_way(k));
	tell_put_flag(object, "off_chord", !*tell_no_chord(machine, keyboards, number, no_chord));
	tell_put_text(object, "odd",
		      described ? tell_quirks(&keyboards->keyboards[described - 1], words) : "");
	return object;
}

struct json_object *tell_keyboard_away_json(const struct lurk_keyboard *k)
{
	struct json_object *object = json_object_new_object();
	char words[TELL_KEYBOARD];

	tell_put_text(object, "keyboard", k->name.bytes);
	tell_put_flag(object, "known", true);
	tell_put_flag(object, "here", false);
	tell_put_text(object, "odd", tell_quirks(k, words));
	return object;
}
