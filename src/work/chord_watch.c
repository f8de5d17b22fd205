#include "lurk/work/chord_watch.h"

#include <string.h>

static void chord_of(const struct lurk_workspace *ws, uint16_t described, struct lurk_chord *chord)
{
	const struct lurk_keyboard *k = described ? &ws->keyboards.keyboards[described - 1] : NULL;

	memset(chord, 0, sizeof *chord);
	for (unsigned i = 0; k && i < k->quirk_count; i++) {
		if (k->quirks[i].kind == LURK_QUIRK_OFF_CHORD)
			lurk_chord_add(chord, k->quirks[i].key);
	}
	if (chord->count < 2)
		lurk_chord_init(chord);
}

static struct lurk_chord *chord_at(struct lurk_chord_watch *watch, uint16_t keyboard)
{
	const struct lurk_identity *identity = &watch->machine->keyboards[keyboard].info.identity;
	struct lurk_chord *chord = &watch->chords[keyboard];

	if (!chord->count)
		chord_of(watch->ws, lurk_keyboards_recognise(&watch->ws->keyboards, identity),
			 chord);
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
