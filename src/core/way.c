#include "lurk/way.h"

#include "core/mem.h"

/* Which key of the keyboard gives each key; a second one, where there is. */
struct sources {
	lurk_key first[LURK_KEY_COUNT], second[LURK_KEY_COUNT];
};

static bool gives_more(const struct lurk_action *action)
{
	return action->gives >= LURK_GIVES_CHORDS;
}

/* The kernel's own "no key": visible as a scan code, harmless to every program. What is more than a
 * key is not the table's to give. */
lurk_key lurk_way_entry(const struct lurk_keymap *keymap, const struct lurk_table_entry *entry)
{
	const struct lurk_action *action;
	lurk_key key;

	if (!keymap)
		return entry->original;
	action = lurk_keymap_find(keymap, entry->scan, entry->original);
	key = gives_more(action) ? entry->original : lurk_action_key(action, entry->original);
	return key == LURK_KEY_NONE && action->gives == LURK_GIVES_NOTHING
		       ? (lurk_key)LURK_KEY_UNKNOWN
		       : key;
}

static void relay(struct lurk_way_choice *choice, enum lurk_way_reason reason, lurk_key key)
{
	if (choice->way == LURK_WAY_RELAY)
		return; /* the first reason is told */
	choice->way = LURK_WAY_RELAY;
	choice->reason = (uint8_t)reason;
	choice->key = key;
}

/* A key by its own number stands for itself; one without a name for its place in the table. */
static void note_source(struct sources *sources, lurk_key gives, lurk_key from)
{
	if (!sources->first[gives])
		sources->first[gives] = from;
	else if (sources->first[gives] != from)
		sources->second[gives] = from;
}

static void judge_entry(const struct lurk_port_keyboard *keyboard, const struct lurk_keymap *keymap,
			const struct lurk_chord *chord, const struct lurk_table_entry *entry,
			const struct sources *sources, struct lurk_way_choice *choice)
{
	const lurk_key key = lurk_way_entry(keymap, entry);
	const struct lurk_action *by_key =
		lurk_keymap_find(keymap, (lurk_scan){0, LURK_SCAN_NONE}, entry->original);
	const bool more = gives_more(lurk_keymap_find(keymap, entry->scan, entry->original));
	const bool varies = lurk_keymap_varies(keymap, entry->scan, entry->original);

	if (by_key->tap)
		relay(choice, LURK_BECAUSE_TAP, entry->original);
	if (more || varies)
		relay(choice, more ? LURK_BECAUSE_MORE : LURK_BECAUSE_MODIFIERS, entry->original);
	choice->changes += more || varies || key != entry->original;
	if (key == entry->original)
		return;
	if (choice->way == LURK_WAY_PLAIN) {
		choice->way = LURK_WAY_TABLE;
		choice->reason = LURK_BECAUSE_ONE_TO_ONE;
	}
	for (unsigned i = 0; i < chord->count && key == LURK_KEY_UNKNOWN; i++) {
		if (chord->keys[i] == entry->original)
			relay(choice, LURK_BECAUSE_CHORD, entry->original);
	}
	if (key == LURK_KEY_UNKNOWN)
		return;
	if (!lurk_declares(keyboard, key))
		relay(choice, LURK_BECAUSE_UNDECLARED, key);
	else if (sources->second[key])
		relay(choice, LURK_BECAUSE_TWICE, key);
}

/* A key that some entry gives now, and none would. */
static void judge_forgotten(struct lurk_port *port, uint16_t number,
			    const struct lurk_port_keyboard *keyboard,
			    const struct sources *sources, struct lurk_way_choice *choice)
{
	struct lurk_table_entry entry;

	for (uint16_t i = 0; choice->way == LURK_WAY_TABLE && i < keyboard->table_entries; i++) {
		if (port->calls->table_get(port, number, i, &entry) == LURK_OK && entry.original &&
		    !sources->first[entry.original])
			relay(choice, LURK_BECAUSE_FORGOTTEN, entry.original);
	}
}

/* A keyboard may send codes that its table does not list; rules on those need the relay. */
static bool all_in_table(struct lurk_port *port, uint16_t number, unsigned entries,
			 const struct lurk_keymap *keymap)
{
	for (uint32_t s = 0; s <= keymap->mask; s++) {
		const struct lurk_keymap_slot *slot = &keymap->slots[s];
		struct lurk_table_entry entry;
		bool found = slot->kind == LURK_SCAN_NONE;

		for (uint16_t i = 0; i < entries && !found; i++) {
			if (port->calls->table_get(port, number, i, &entry) == LURK_OK)
				found = entry.scan.code == slot->code &&
					entry.scan.kind == slot->kind;
		}
		if (!found && (keymap->actions[slot->action].gives == LURK_GIVES_KEY ||
			       gives_more(&keymap->actions[slot->action]) || slot->variants))
			return false;
	}
	return true;
}

static bool changes_scans(const struct lurk_keymap *keymap)
{
	for (uint32_t s = 0; s <= keymap->mask; s++) {
		const struct lurk_keymap_slot *slot = &keymap->slots[s];

		if (slot->kind != LURK_SCAN_NONE &&
		    (keymap->actions[slot->action].gives != LURK_GIVES_ITSELF || slot->variants))
			return true;
	}
	return false;
}

/* Without a table only its declared keys are known: whether any of them changes; and any scan code
 * may come, where they come at all. */
static bool any_changes(const struct lurk_port_keyboard *keyboard, const struct lurk_keymap *keymap)
{
	if (keyboard->scans && changes_scans(keymap))
		return true;
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		const struct lurk_action *action =
			lurk_keymap_find(keymap, (lurk_scan){0, LURK_SCAN_NONE}, key);

		if (lurk_declares(keyboard, key) &&
		    (action->tap || gives_more(action) || lurk_action_key(action, key) != key ||
		     lurk_keymap_varies(keymap, (lurk_scan){0, LURK_SCAN_NONE}, key)))
			return true;
	}
	return false;
}

enum lurk_error lurk_way_choose(struct lurk_port *port, uint16_t number,
				const struct lurk_port_keyboard *keyboard,
				const struct lurk_keymap *keymap, const struct lurk_chord *chord,
				enum lurk_way asked, struct lurk_way_choice *choice)
{
	struct sources sources;
	struct lurk_table_entry entry;

	memset(choice, 0, sizeof *choice);
	memset(&sources, 0, sizeof sources);
	for (int judging = 0; judging < 2; judging++) {
		for (uint16_t i = 0; i < keyboard->table_entries; i++) {
			enum lurk_error error = port->calls->table_get(port, number, i, &entry);

			if (error)
				return error;
			if (judging)
				judge_entry(keyboard, keymap, chord, &entry, &sources, choice);
			else
				note_source(&sources, lurk_way_entry(keymap, &entry),
					    entry.original ? entry.original
							   : (lurk_key)(LURK_KEY_COUNT + i));
		}
	}
	if (!keyboard->table_entries && any_changes(keyboard, keymap))
		relay(choice, LURK_BECAUSE_NO_TABLE, 0);
	else if (keyboard->table_entries &&
		 !all_in_table(port, number, keyboard->table_entries, keymap))
		relay(choice, LURK_BECAUSE_NOT_IN_TABLE, 0);
	judge_forgotten(port, number, keyboard, &sources, choice);
	if (asked == LURK_WAY_RELAY && choice->way == LURK_WAY_TABLE)
		relay(choice, LURK_BECAUSE_ASKED, 0);
	choice->forced =
		asked == LURK_WAY_TABLE && choice->way == LURK_WAY_RELAY && keyboard->table_entries;
	if (choice->forced)
		choice->way = LURK_WAY_TABLE;
	choice->from = sources.first[choice->key];
	choice->other = sources.second[choice->key];
	return LURK_OK;
}
