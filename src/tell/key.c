#include "tell/key.h"

#include <stdio.h>
#include <string.h>

#include "tell/json.h"

/* A code without a key as it is on the wire of that kind, if there. */
static bool on_wire(lurk_scan scan, enum lurk_scan_kind kind, lurk_scan *out)
{
	*out = lurk_scan_on(scan, kind == LURK_SCAN_SET1   ? LURK_WIRING_SET1
				  : kind == LURK_SCAN_SET2 ? LURK_WIRING_SET2
							   : LURK_WIRING_HID);
	return scan.kind != LURK_SCAN_RAW && out->kind == kind;
}

/* The index-th of that kind; false past the last. */
static bool code_at(const struct tell_key *what, enum lurk_scan_kind kind, unsigned index,
		    lurk_scan *out)
{
	if (!what->key)
		return !index && on_wire(what->scan, kind, out);
	for (size_t i = 0; lurk_key_scan(what->key, i).kind; i++) {
		*out = lurk_key_scan(what->key, i);
		if (out->kind == kind && !index--)
			return true;
	}
	return false;
}

const char *tell_codes(const struct tell_key *what, enum lurk_scan_kind kind, char out[TELL_CODES])
{
	char text[LURK_SCAN_TEXT];
	lurk_scan scan;

	*out = '\0';
	for (unsigned i = 0; code_at(what, kind, i, &scan); i++)
		snprintf(out + strlen(out), TELL_CODES - strlen(out), "%s%s", i ? ", " : "",
			 lurk_scan_write_bare(scan, text));
	return out;
}

const char *tell_side(lurk_key key)
{
	static const char *const names[] = {"", "left", "right", "keypad"};

	return names[lurk_key_side(key)];
}

static struct json_object *codes_json(const struct tell_key *what, enum lurk_scan_kind kind)
{
	struct json_object *list = json_object_new_array();
	char text[LURK_SCAN_TEXT];
	lurk_scan scan;

	for (unsigned i = 0; code_at(what, kind, i, &scan); i++)
		json_object_array_add(list,
				      json_object_new_string(lurk_scan_write_bare(scan, text)));
	return list;
}

struct json_object *tell_key_json(const struct tell_key *what)
{
	struct json_object *object = json_object_new_object();
	char name[LURK_WORDS];

	if (*what->reading)
		tell_put_text(object, "reading", what->reading);
	tell_put_text(object, "key", lurk_words_key(what->key, what->scan, name));
	tell_put_number(object, "evdev", what->key);
	tell_put_text(object, "evdev_name", lurk_key_evdev_name(what->key));
	tell_put_text(object, "meaning", lurk_key_meaning(what->key));
	tell_put_text(object, "side", tell_side(what->key));
	json_object_object_add(object, "set1", codes_json(what, LURK_SCAN_SET1));
	json_object_object_add(object, "set2", codes_json(what, LURK_SCAN_SET2));
	json_object_object_add(object, "hid", codes_json(what, LURK_SCAN_HID));
	return object;
}

bool tell_key_has(lurk_key key, const char *word)
{
	static const enum lurk_scan_kind kinds[] = {LURK_SCAN_SET1, LURK_SCAN_SET2, LURK_SCAN_HID};
	const struct tell_key what = {"", key, {0, LURK_SCAN_NONE}};
	bool has = strcasestr(lurk_key_name(key), word) ||
		   strcasestr(lurk_key_evdev_name(key), word) ||
		   strcasestr(lurk_key_meaning(key), word);
	char codes[TELL_CODES];

	for (size_t i = 0; !has && i < sizeof kinds / sizeof *kinds; i++)
		has = strcasestr(tell_codes(&what, kinds[i], codes), word);
	return has;
}

const char *tell_steps(const struct lurk_step *steps, unsigned count, char out[TELL_STEPS])
{
	static const struct {
		uint16_t modifier;
		const char *words;
	} held[] = {{LURK_MOD_SHIFT | LURK_MOD_LEFT_SHIFT | LURK_MOD_RIGHT_SHIFT, "Shift"},
		    {LURK_MOD_RIGHT_ALT, "AltRight"}};

	*out = '\0';
	for (unsigned i = 0; i < count; i++) {
		bool with = false;

		snprintf(out + strlen(out), TELL_STEPS - strlen(out), "%s", i ? ", then " : "");
		for (size_t m = 0; m < sizeof held / sizeof *held; m++) {
			if (!(steps[i].modifiers & held[m].modifier))
				continue;
			snprintf(out + strlen(out), TELL_STEPS - strlen(out), "%s%s",
				 with ? " and " : "", held[m].words);
			with = true;
		}
		snprintf(out + strlen(out), TELL_STEPS - strlen(out), "%s%s", with ? " with " : "",
			 lurk_key_name(steps[i].key));
	}
	return out;
}
