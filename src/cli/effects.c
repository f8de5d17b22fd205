/* What rules amount to: what keys give, and rules in words. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

/* Keys that any keyboard of full size has. */
bool cli_on_a_full_keyboard(lurk_key key)
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

static const struct lurk_session_keyboard *plugged(const struct cli *cli, uint16_t keyboard)
{
	for (uint16_t i = 0; cli->machine && i < cli->machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &cli->machine->keyboards[i];

		if (k->present && keyboard && cli_described(cli, &k->info.identity) == keyboard)
			return k;
	}
	return NULL;
}

bool cli_is_out_of_order(const struct cli *cli, uint16_t keyboard, lurk_key key)
{
	const struct lurk_keyboard *k = keyboard ? &cli->keyboards.keyboards[keyboard - 1] : NULL;

	for (unsigned i = 0; k && i < k->quirk_count; i++) {
		if (k->quirks[i].key == key && (k->quirks[i].kind == LURK_QUIRK_BROKEN ||
						k->quirks[i].kind == LURK_QUIRK_MISSING))
			return true;
	}
	return false;
}

/* The profile's keymap for a keyboard, without rules that are not carried out yet; to be freed. */
static struct lurk_keymap *compile(struct cli *cli, uint16_t keyboard, uint8_t wiring)
{
	struct lurk_compile_report report;
	struct lurk_keymap *keymap = NULL;
	struct lurk_image image;
	void *memory = NULL;
	uint8_t *bytes = cli_image(cli, &image);

	if (bytes) {
		struct lurk_compile_job job = {&image, 0, keyboard, wiring, false};

		if (lurk_compile(&job, NULL, 0, &keymap, &report) == LURK_ERR_ROOM)
			memory = malloc(report.needed);
		if (!memory ||
		    lurk_compile(&job, memory, report.needed, &keymap, &report) != LURK_OK) {
			free(memory);
			keymap = NULL;
		}
	}
	free(bytes);
	return keymap;
}

bool cli_effects(struct cli *cli, uint16_t keyboard, struct cli_effects *effects)
{
	const struct lurk_session_keyboard *here =
		cli_machine_if_any(cli) ? plugged(cli, keyboard) : NULL;
	uint8_t wiring = here ? here->info.identity.wiring : (uint8_t)LURK_WIRING_HID;
	struct lurk_keymap *keymap = compile(cli, keyboard, wiring);

	memset(effects, 0, sizeof *effects);
	if (!keymap)
		return false;
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		lurk_scan scan = lurk_key_scan_on(key, (enum lurk_wiring)wiring);

		const struct lurk_action *action = lurk_keymap_find(keymap, scan, key);

		effects->gives[key] = lurk_action_key(action, key);
		effects->more[key] = action->gives >= LURK_GIVES_CHORDS;
	}
	free(keymap);
	return true;
}

/* ---- Rules in words ------------------------------------------------------------------------- */

const char *cli_rule_words(const struct lurk_rule *rule, const char *keyboard, char *out,
			   size_t size)
{
	char press[LURK_WORDS], result[LURK_WORDS];

	lurk_words_for_press(&rule->press, press);
	lurk_words_result(&rule->gives, result);
	if (rule->swap)
		snprintf(out, size, "%s and %s are swapped", press, result);
	else
		snprintf(out, size, "%s gives %s", press, result);
	if (*keyboard)
		snprintf(out + strlen(out), size - strlen(out), " on %s", keyboard);
	if (rule->off)
		snprintf(out + strlen(out), size - strlen(out), " (switched off)");
	return out;
}
