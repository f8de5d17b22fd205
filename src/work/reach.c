#include "lurk/work/reach.h"

#include <string.h>

#include "lurk/work/judge.h"

static void add(struct lurk_reach *reach, lurk_key key, lurk_key other)
{
	reach->parts[reach->count++] = (struct lurk_reach_part){.key = key, .other = other};
}

bool lurk_reach_parts(const struct lurk_press *press, struct lurk_reach *reach)
{
	static const struct {
		uint16_t either, left, right;
		lurk_key key;
	} modifiers[] = {
		{LURK_MOD_CONTROL, LURK_MOD_LEFT_CONTROL, LURK_MOD_RIGHT_CONTROL,
		 LURK_KEY_LEFTCTRL},
		{LURK_MOD_ALT, LURK_MOD_LEFT_ALT, LURK_MOD_RIGHT_ALT, LURK_KEY_LEFTALT},
		{LURK_MOD_SHIFT, LURK_MOD_LEFT_SHIFT, LURK_MOD_RIGHT_SHIFT, LURK_KEY_LEFTSHIFT},
		{LURK_MOD_META, LURK_MOD_LEFT_META, LURK_MOD_RIGHT_META, LURK_KEY_LEFTMETA},
	};

	reach->count = 0;
	if (press->on.kind == LURK_TARGET_MEANING || press->on.kind == LURK_TARGET_SCAN)
		return false;
	for (size_t i = 0; i < sizeof modifiers / sizeof *modifiers; i++) {
		lurk_key left = modifiers[i].key, right = lurk_key_other_side(left);

		if (press->modifiers & modifiers[i].either)
			add(reach, left, right);
		else if (press->modifiers & modifiers[i].left)
			add(reach, left, LURK_KEY_NONE);
		else if (press->modifiers & modifiers[i].right)
			add(reach, right, LURK_KEY_NONE);
	}
	add(reach, press->on.key,
	    press->on.kind == LURK_TARGET_PAIR ? lurk_key_other_side(press->on.key)
					       : (lurk_key)LURK_KEY_NONE);
	return true;
}

void lurk_reach_on(const struct lurk_image *image, const struct lurk_port_keyboard *keyboard,
		   struct lurk_reach *reach)
{
	/* The last key is pressed while the others are held. */
	struct lurk_source alone[LURK_KEY_COUNT] = {0}, with[LURK_KEY_COUNT] = {0};
	uint8_t held = 0;

	for (unsigned i = 0; i + 1 < reach->count; i++)
		held |= (uint8_t)(1U << lurk_modifier_place(reach->parts[i].key));
	lurk_sources_of(image, keyboard, false, 0, alone);
	lurk_sources_of(image, keyboard, false, held, with);
	reach->missing = -1;
	for (unsigned i = 0; i < reach->count; i++) {
		struct lurk_reach_part *part = &reach->parts[i];
		const struct lurk_source *sources = i + 1 < reach->count ? alone : with;

		part->by = sources[part->key];
		part->by_other = part->other ? sources[part->other] : (struct lurk_source){0};
		if (reach->missing < 0 && !lurk_is_source(&part->by) &&
		    !lurk_is_source(&part->by_other))
			reach->missing = (int)i;
	}
}
