#include "tell/hwdb.h"

#include <stdio.h>
#include <string.h>

#include "tell/json.h"

const char *tell_hwdb_match(const struct lurk_keyboards_file *keyboards, const char *text,
			    char out[TELL_HWDB])
{
	struct lurk_hwdb_match match;
	uint16_t described;

	if (!lurk_hwdb_match_read(text, &match)) {
		snprintf(out, TELL_HWDB, "%s", text);
		lurk_make_harmless(out);
		return out;
	}
	described = match.by_product ? lurk_hwdb_described(keyboards, &match) : 0;
	if (described)
		snprintf(out, TELL_HWDB, "%s", keyboards->keyboards[described - 1].name.bytes);
	else if (match.by_product)
		snprintf(out, TELL_HWDB, "%s %04x:%04x", lurk_bus_name((enum lurk_bus)match.bus),
			 match.vendor, match.product);
	else
		snprintf(out, TELL_HWDB, "all by %s", lurk_bus_name((enum lurk_bus)match.bus));
	return out;
}

const char *tell_hwdb_key(const struct lurk_hwdb_entry *entry, char out[TELL_HWDB])
{
	const lurk_scan scan = lurk_hwdb_scan(entry);
	char words[LURK_WORDS];

	if (scan.kind)
		snprintf(out, TELL_HWDB, "%s", lurk_words_key(lurk_scan_key(scan), scan, words));
	else
		snprintf(out, TELL_HWDB, "raw:0x%x", entry->raw);
	return out;
}

const char *tell_hwdb_gives(const struct lurk_hwdb_entry *entry, char out[TELL_HWDB])
{
	snprintf(out, TELL_HWDB, "%s%s",
		 !entry->known ? "(no key of that name)"
		 : entry->key  ? lurk_key_name(entry->key)
			       : "nothing",
		 entry->press_only ? ", as a tap" : "");
	return out;
}

const char *tell_hwdb_why(enum lurk_hwdb_why why)
{
	static const char *const words[] = {
		[LURK_HWDB_DEPENDS] = "what it gives depends on the keys held with it",
		[LURK_HWDB_SEVERAL] = "it gives several keys at once",
		[LURK_HWDB_TYPES] = "it types text",
		[LURK_HWDB_SWITCHES] = "it switches rules, and nothing runs that could",
		[LURK_HWDB_NO_NAME] = "udev has no name for the key that it gives",
		[LURK_HWDB_NOT_APART] = "udev knows a keyboard by its two numbers alone",
		[LURK_HWDB_NO_KEYBOARD] = "no keyboard is called so",
		[LURK_HWDB_FOR_ONE] = "it is for one keyboard, and the table for all",
		[LURK_HWDB_NO_CODE] = "a key of it has no code of one or two bytes in set 1",
	};

	return words[why];
}

struct json_object *tell_hwdb_left_json(const struct lurk_hwdb_left *left)
{
	struct json_object *object = json_object_new_object();

	tell_put_number(object, "line", left->line);
	tell_put_text(object, "rule", left->words);
	tell_put_text(object, "why", tell_hwdb_why((enum lurk_hwdb_why)left->why));
	return object;
}
