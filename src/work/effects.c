#include "lurk/work/effects.h"

#include <string.h>

#include "lurk/text/memory.h"
#include "lurk/work/acting.h"

/* Keys that any keyboard of full size has. */
bool lurk_on_a_full_keyboard(lurk_key key)
{
	for (size_t i = 0; lurk_key_scan(key, i).kind; i++) {
		lurk_scan scan = lurk_key_scan(key, i);
		uint32_t usage = scan.code & 0xffff;

		if (scan.kind == LURK_SCAN_HID && scan.code >> 16 == 0x07 &&
		    ((usage >= 0x04 && usage <= 0x65) || (usage >= 0xe0 && usage <= 0xe7)))
			return true;
	}
	return false;
}

bool lurk_out_of_order(const struct lurk_keyboards_file *keyboards, uint16_t keyboard, lurk_key key)
{
	const struct lurk_keyboard *k = keyboard ? &keyboards->keyboards[keyboard - 1] : NULL;

	for (unsigned i = 0; k && i < k->quirk_count; i++) {
		if (k->quirks[i].key == key && (k->quirks[i].kind == LURK_QUIRK_BROKEN ||
						k->quirks[i].kind == LURK_QUIRK_MISSING))
			return true;
	}
	return false;
}

static struct lurk_keymap *compile(const struct lurk_compile_job *job)
{
	struct lurk_compile_report report;
	struct lurk_keymap *keymap = NULL;
	void *memory = NULL;

	if (lurk_compile(job, NULL, 0, &keymap, &report) == LURK_ERR_ROOM)
		memory = lurk_resize(NULL, report.needed);
	if (!memory || lurk_compile(job, memory, report.needed, &keymap, &report) != LURK_OK) {
		lurk_release(memory);
		keymap = NULL;
	}
	return keymap;
}

struct lurk_keymap *lurk_keymap_of(const struct lurk_image *image, uint16_t described,
				   uint8_t wiring)
{
	const struct lurk_compile_job job = {image, 0, described, wiring, false, NULL};

	return compile(&job);
}

/* That of the profile, without rules that are not carried out yet, and of what holds below it. */
static struct lurk_keymap *compile_file(const struct lurk_workspace *ws,
					const struct lurk_machine *machine,
					const struct lurk_session_keyboard *here, uint16_t keyboard,
					uint8_t wiring)
{
	const struct lurk_compile_part below =
		lurk_below_on(machine, here ? &here->info.identity : NULL);
	struct lurk_image image;
	const struct lurk_compile_job job = {&image, 0,     keyboard,
					     wiring, false, below.image ? &below : NULL};
	uint8_t *bytes = lurk_workspace_image(ws, &image);
	struct lurk_keymap *keymap = bytes ? compile(&job) : NULL;

	lurk_release(bytes);
	return keymap;
}

bool lurk_effects_of(const struct lurk_workspace *ws, const struct lurk_machine *machine,
		     uint16_t keyboard, struct lurk_effects *effects)
{
	const struct lurk_session_keyboard *here =
		machine && keyboard ? lurk_keyboard_here(machine, &ws->keyboards, keyboard) : NULL;
	uint8_t wiring = here ? here->info.identity.wiring : (uint8_t)LURK_WIRING_HID;
	struct lurk_keymap *keymap = compile_file(ws, machine, here, keyboard, wiring);

	memset(effects, 0, sizeof *effects);
	if (!keymap)
		return false;
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		lurk_scan scan = lurk_key_scan_on(key, (enum lurk_wiring)wiring);

		const struct lurk_action *action = lurk_keymap_find(keymap, scan, key);

		effects->gives[key] = lurk_action_key(action, key);
		effects->more[key] = action->gives >= LURK_GIVES_CHORDS;
	}
	lurk_release(keymap);
	return true;
}
