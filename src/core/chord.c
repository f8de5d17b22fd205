#include "lurk/chord.h"

#include "core/hot.h"
#include "core/mem.h"

void lurk_chord_init(struct lurk_chord *chord)
{
	memset(chord, 0, sizeof *chord);
	lurk_chord_add(chord, LURK_KEY_LEFTSHIFT);
	lurk_chord_add(chord, LURK_KEY_RIGHTSHIFT);
	lurk_chord_add(chord, LURK_KEY_ESC);
}

static uint8_t bit_of(const struct lurk_chord *chord, lurk_key key)
{
	for (unsigned i = 0; i < chord->count; i++) {
		if (chord->keys[i] == key)
			return (uint8_t)(1U << i);
	}
	return 0;
}

bool lurk_chord_add(struct lurk_chord *chord, lurk_key key)
{
	if (bit_of(chord, key))
		return true;
	if (chord->count == LURK_CHORD_KEYS)
		return false;
	chord->keys[chord->count++] = key;
	return true;
}

void lurk_image_chord(const struct lurk_image *image, uint16_t described, struct lurk_chord *chord)
{
	struct lurk_keyboard keyboard = {.quirk_count = 0};
	struct lurk_quirk quirk;
	bool fits = true;

	memset(chord, 0, sizeof *chord);
	if (described)
		lurk_image_keyboard(image, described - 1U, &keyboard);
	for (unsigned i = 0; i < keyboard.quirk_count; i++) {
		lurk_image_quirk(image, described - 1U, i, &quirk);
		if (quirk.kind == LURK_QUIRK_OFF_CHORD)
			fits = lurk_chord_add(chord, quirk.key) && fits;
	}
	if (!fits || chord->count < 2) /* there is one in any case */
		lurk_chord_init(chord);
}

void lurk_chord_reset(struct lurk_chord *chord)
{
	chord->down = chord->withheld = 0;
	chord->whole = false;
}

HOT bool lurk_chord_feed(struct lurk_chord *chord, lurk_key key, uint8_t state)
{
	const uint8_t all = (uint8_t)((1U << chord->count) - 1);
	const uint8_t bit = bit_of(chord, key), was = chord->down;
	bool belongs = chord->withheld & bit;

	if (chord->count < 2 || !bit)
		return false;
	if (state == LURK_UP) {
		chord->down &= (uint8_t)~bit;
		chord->withheld &= (uint8_t)~bit;
		chord->whole = false;
		return belongs;
	}
	chord->down |= bit;
	if (chord->down != all || was == all)
		return belongs;
	chord->withheld = all;
	chord->whole = true;
	chord->until_us = UINT64_MAX;
	return true;
}

void lurk_chord_start(struct lurk_chord *chord, uint64_t now_us)
{
	chord->until_us = now_us + LURK_CHORD_HOLD_US;
}

bool lurk_chord_due(struct lurk_chord *chord, uint64_t now_us)
{
	if (lurk_chord_deadline(chord) > now_us)
		return false;
	chord->whole = false;
	return true;
}

HOT uint64_t lurk_chord_deadline(const struct lurk_chord *chord)
{
	return chord->whole ? chord->until_us : UINT64_MAX;
}
