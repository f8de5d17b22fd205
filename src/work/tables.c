#include "work/tables.h"

#include <string.h>

#include "lurk/text/memory.h"
#include "lurk/work/acting.h"

/* What a code gives by a table: a rule for the key whatever is held, and with a single key or
 * nothing for a result; else the key itself. */
static lurk_key gives(const struct lurk_keymap *keymap, lurk_scan scan, lurk_key key)
{
	const struct lurk_action *action = lurk_keymap_find(keymap, scan, key);

	for (unsigned place = 0; place < 8 && (action->only || action->modifiers); place++)
		action = lurk_keymap_find_held(keymap, scan, key, (uint8_t)(1U << place));
	return action->gives >= LURK_GIVES_CHORDS || action->only || action->modifiers
		       ? key
		       : lurk_action_key(action, key);
}

void lurk_table_each(const struct lurk_image *image, const struct lurk_keymap *keymap,
		     const struct lurk_keymap *other, enum lurk_wiring wiring,
		     lurk_table_entry *tell, void *data)
{
	const enum lurk_scan_kind kind = wiring == LURK_WIRING_HID ? LURK_SCAN_HID : LURK_SCAN_SET1;
	struct lurk_rule rule;

	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		for (size_t i = 0; lurk_key_scan(key, i).kind; i++) {
			const lurk_scan scan = lurk_key_scan(key, i);

			if (scan.kind == kind && lurk_scan_key(scan) == key &&
			    gives(keymap, scan, key) != (other ? gives(other, scan, key) : key))
				tell(data, scan, gives(keymap, scan, key));
		}
	}
	for (uint32_t i = 0; i < image->rule_count; i++) { /* codes without a name */
		lurk_scan scan = {0, LURK_SCAN_NONE};

		lurk_image_rule(image, i, &rule);
		if (rule.press.on.kind == LURK_TARGET_SCAN)
			scan = lurk_scan_on(rule.press.on.scan, wiring);
		if (scan.kind == kind && !lurk_scan_key(scan) &&
		    gives(keymap, scan, LURK_KEY_NONE) !=
			    (other ? gives(other, scan, LURK_KEY_NONE) : LURK_KEY_NONE))
			tell(data, scan, gives(keymap, scan, LURK_KEY_NONE));
	}
}

bool lurk_table_cannot(const struct lurk_workspace *ws, struct lurk_message *message)
{
	return lurk_say(
		message,
		"%s: these rules cannot be carried out as they are; `lurk check` says what is "
		"wrong",
		ws->profile_path);
}

enum lurk_hwdb_why lurk_table_why_not(const struct lurk_rule *rule)
{
	if (rule->press.modifiers || rule->press.only)
		return LURK_HWDB_DEPENDS;
	if (rule->gives.kind == LURK_GIVES_CHORDS)
		return LURK_HWDB_SEVERAL;
	if (rule->gives.kind == LURK_GIVES_TEXT)
		return LURK_HWDB_TYPES;
	return rule->gives.kind == LURK_GIVES_PROFILE || rule->gives.kind == LURK_GIVES_TOGGLE
		       ? LURK_HWDB_SWITCHES
		       : 0;
}

static void leave(const struct lurk_workspace *ws, const struct lurk_rule *rule,
		  enum lurk_hwdb_why why, struct lurk_hwdb_left **left, unsigned *count)
{
	const char *on =
		rule->keyboard ? ws->keyboards.keyboards[rule->keyboard - 1].name.bytes : "";
	struct lurk_hwdb_left *one;

	*left = lurk_resize(*left, (*count + 1) * sizeof **left);
	one = &(*left)[(*count)++];
	*one = (struct lurk_hwdb_left){.line = rule->line, .why = (uint8_t)why};
	lurk_words_rule(rule, on, one->words, sizeof one->words);
}

void lurk_table_left(const struct lurk_workspace *ws, const struct lurk_image *image,
		     lurk_table_why *why, void *data, struct lurk_hwdb_left **left, unsigned *count)
{
	struct lurk_rule_walk walk = {0};
	struct lurk_rule one;

	while (lurk_next_rule(image, &walk, &one)) {
		const enum lurk_hwdb_why reason = one.off ? 0 : why(data, &one);

		if (reason)
			leave(ws, &one, reason, left, count);
	}
	for (uint32_t i = 0; i < ws->profile.count; i++) { /* of which the image has nothing */
		const struct lurk_rule *rule = &ws->profile.rules[i];

		if (!rule->keyboard && lurk_node_get(ws->profile.nodes[i], "keyboard") &&
		    !lurk_node_get(ws->profile.nodes[i], "off"))
			leave(ws, rule, LURK_HWDB_NO_KEYBOARD, left, count);
	}
}
