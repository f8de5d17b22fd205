#include "lurk/work/chord_watch.h"

#include <string.h>

#include "lurk/work/effects.h"

void lurk_chord_of(const struct lurk_keyboards_file *keyboards, uint16_t described,
		   struct lurk_chord *chord)
{
	const struct lurk_keyboard *k = described ? &keyboards->keyboards[described - 1] : NULL;

	memset(chord, 0, sizeof *chord);
	for (unsigned i = 0; k && i < k->quirk_count; i++) {
		if (k->quirks[i].kind == LURK_QUIRK_OFF_CHORD)
			lurk_chord_add(chord, k->quirks[i].key);
	}
	if (chord->count < 2)
		lurk_chord_init(chord);
}

static bool can_send(const struct lurk_keyboards_file *keyboards,
		     const struct lurk_port_keyboard *keyboard, lurk_key key)
{
	return lurk_declares(keyboard, key) &&
	       !lurk_out_of_order(keyboards,
				  lurk_keyboards_recognise(keyboards, &keyboard->identity), key);
}

lurk_key lurk_chord_lacks(const struct lurk_keyboards_file *keyboards,
			  const struct lurk_port_keyboard *keyboard, const struct lurk_chord *chord)
{
	for (unsigned i = 0; i < chord->count; i++) {
		if (!can_send(keyboards, keyboard, chord->keys[i]))
			return chord->keys[i];
	}
	return LURK_KEY_NONE;
}

bool lurk_chord_offer(const struct lurk_keyboards_file *keyboards,
		      const struct lurk_port_keyboard *keyboard, struct lurk_chord *chord)
{
	/* Those that are far apart and do nothing by themselves first. */
	static const lurk_key pairs[][2] = {
		{LURK_KEY_LEFTCTRL, LURK_KEY_RIGHTCTRL}, {LURK_KEY_LEFTSHIFT, LURK_KEY_RIGHTSHIFT},
		{LURK_KEY_LEFTALT, LURK_KEY_RIGHTALT},   {LURK_KEY_LEFTMETA, LURK_KEY_RIGHTMETA},
		{LURK_KEY_NUMLOCK, LURK_KEY_KPENTER},    {LURK_KEY_VOLUMEUP, LURK_KEY_VOLUMEDOWN}};

	for (size_t i = 0; i < sizeof pairs / sizeof *pairs; i++) {
		memset(chord, 0, sizeof *chord);
		for (int k = 0; k < 2 && can_send(keyboards, keyboard, pairs[i][k]); k++)
			lurk_chord_add(chord, pairs[i][k]);
		if (chord->count == 2)
			return true;
	}
	memset(chord, 0, sizeof *chord);
	for (lurk_key key = lurk_key_next(0); key && chord->count < 2; key = lurk_key_next(key)) {
		if (can_send(keyboards, keyboard, key))
			lurk_chord_add(chord, key);
	}
	return chord->count == 2;
}

static struct lurk_chord *chord_at(struct lurk_chord_watch *watch, uint16_t keyboard)
{
	const struct lurk_identity *identity = &watch->machine->keyboards[keyboard].info.identity;
	struct lurk_chord *chord = &watch->chords[keyboard];

	if (!chord->count)
		lurk_chord_of(&watch->ws->keyboards,
			      lurk_keyboards_recognise(&watch->ws->keyboards, identity), chord);
	return chord;
}

void lurk_chord_watch_init(struct lurk_chord_watch *watch, const struct lurk_workspace *ws,
			   const struct lurk_machine *machine)
{
	memset(watch, 0, sizeof *watch);
	watch->ws = ws;
	watch->machine = machine;
	watch->works_on = watch->tried_on = -1;
}

void lurk_chord_watch_feed(struct lurk_chord_watch *watch, const struct lurk_event *event,
			   uint64_t now_us)
{
	struct lurk_chord *chord;
	unsigned together = 0;
	bool was_whole;

	if (event->keyboard >= LURK_CHORD_KEYBOARDS)
		return;
	chord = chord_at(watch, event->keyboard);
	was_whole = chord->whole;
	lurk_chord_feed(chord, event->key.key, event->key.state);
	if (chord->whole && !was_whole)
		lurk_chord_start(chord, now_us);
	for (unsigned i = 0; i < chord->count; i++)
		together += chord->down >> i & 1;
	if (together > watch->together) {
		watch->together = together;
		watch->tried_on = event->keyboard;
	}
}

bool lurk_chord_watch_works(struct lurk_chord_watch *watch, uint64_t now_us)
{
	for (int i = 0; i < LURK_CHORD_KEYBOARDS && watch->works_on < 0; i++) {
		if (lurk_chord_due(&watch->chords[i], now_us))
			watch->works_on = i;
	}
	return watch->works_on >= 0;
}
