/* What a press gives, out of what was compiled. */
#include "lurk/keymap.h"

#include "core/keyhash.h"

const struct lurk_action *lurk_keymap_find_held(const struct lurk_keymap *keymap, lurk_scan scan,
						lurk_key key, uint8_t held)
{
	const struct lurk_action *by_scan = lurk_keymap_action(keymap, scan.code, scan.kind, held);
	const struct lurk_action *by_key = lurk_keymap_action(keymap, key, LURK_SCAN_NONE, held);

	return by_scan->rank > by_key->rank ? by_scan : by_key;
}

const struct lurk_action *lurk_keymap_find(const struct lurk_keymap *keymap, lurk_scan scan,
					   lurk_key key)
{
	return lurk_keymap_find_held(keymap, scan, key, 0);
}

bool lurk_keymap_varies(const struct lurk_keymap *keymap, lurk_scan scan, lurk_key key)
{
	return lurk_keymap_base(keymap, scan.code, scan.kind)->shape ||
	       lurk_keymap_base(keymap, key, LURK_SCAN_NONE)->shape;
}

lurk_key lurk_action_key(const struct lurk_action *action, lurk_key pressed)
{
	return action->gives == LURK_GIVES_ITSELF ? pressed
	       : action->gives == LURK_GIVES_KEY  ? action->key
						  : (lurk_key)LURK_KEY_NONE;
}
