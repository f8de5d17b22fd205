#include "lurk/work/reach.h"

#include <string.h>

#include "lurk/work/acting.h"
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

/* ---- All at once ----------------------------------------------------------------------------- */

/* Modifiers by pairs; but AltRight, which chooses a level, stays apart from Alt. */
static uint16_t by_pairs(uint16_t modifiers)
{
	uint16_t out = 0;

	if (modifiers & (LURK_MOD_CONTROL | LURK_MOD_LEFT_CONTROL | LURK_MOD_RIGHT_CONTROL))
		out |= LURK_MOD_CONTROL;
	if (modifiers & (LURK_MOD_SHIFT | LURK_MOD_LEFT_SHIFT | LURK_MOD_RIGHT_SHIFT))
		out |= LURK_MOD_SHIFT;
	if (modifiers & (LURK_MOD_ALT | LURK_MOD_LEFT_ALT))
		out |= LURK_MOD_ALT;
	if (modifiers & LURK_MOD_RIGHT_ALT)
		out |= LURK_MOD_RIGHT_ALT;
	if (modifiers & (LURK_MOD_META | LURK_MOD_LEFT_META | LURK_MOD_RIGHT_META))
		out |= LURK_MOD_META;
	return out;
}

static uint16_t modifiers_of(const struct lurk_reach *reach)
{
	uint16_t out = 0;

	for (unsigned i = 0; i + 1 < reach->count; i++)
		out |= (uint16_t)(1U << lurk_modifier_place(reach->parts[i].key));
	return by_pairs(out);
}

/* Whether a rule gives just that, by a chord, or by the one stroke that a sign takes. */
static bool gives_all(const struct lurk_rule *rule, const struct lurk_reach *reach)
{
	const lurk_key wanted = reach->parts[reach->count - 1].key;
	const struct lurk_text steps = lurk_steps_for(rule->gives.steps, 0);
	struct lurk_step step;

	if (rule->gives.kind == LURK_GIVES_KEY)
		return reach->count == 1 && rule->gives.key == wanted;
	if ((rule->gives.kind != LURK_GIVES_CHORDS && rule->gives.kind != LURK_GIVES_TEXT) ||
	    steps.length != LURK_STEP_BYTES)
		return false;
	step = lurk_step_read((const uint8_t *)steps.bytes);
	return step.key == wanted && by_pairs(step.modifiers & LURK_MOD_ALL) == modifiers_of(reach);
}

static bool is_named(const struct lurk_reach *reach, const struct lurk_rule *rule)
{
	const struct lurk_source *by = &reach->parts[reach->count - 1].by;
	const bool scan = rule->press.on.kind == LURK_TARGET_SCAN;

	/* What the parts say already. */
	return reach->missing < 0 && reach->count == 1 && !rule->press.modifiers &&
	       (scan ? lurk_scan_same(by->scan, rule->press.on.scan)
		     : by->key == rule->press.on.key);
}

static bool same_press(const struct lurk_press *a, const struct lurk_press *b)
{
	return a->modifiers == b->modifiers && a->only == b->only && a->on.kind == b->on.kind &&
	       a->on.key == b->on.key && lurk_scan_same(a->on.scan, b->on.scan);
}

/* Whether a rule of the first image is on just that. */
static bool is_taken(const struct lurk_rules *rules, const struct lurk_port_keyboard *keyboard,
		     const struct lurk_press *press)
{
	struct lurk_rule_walk walk = {.profile = rules->profile};
	struct lurk_rule rule;
	uint16_t described;

	if (!rules->image)
		return false;
	described = lurk_image_recognise(rules->image, &keyboard->identity);
	while (lurk_next_rule(rules->image, &walk, &rule)) {
		if (!rule.off && same_press(&rule.press, press) &&
		    (!rule.keyboard || rule.keyboard == described))
			return true;
	}
	return false;
}

/* Of a profile, and of those that it is based on, but for what `above` takes; swaps are what the
 * parts find. */
static void find_more(const struct lurk_image *image, uint16_t profile,
		      const struct lurk_port_keyboard *keyboard, const struct lurk_rules *above,
		      struct lurk_reach *reach)
{
	const uint16_t described = lurk_image_recognise(image, &keyboard->identity);
	struct lurk_rule_walk walk = {.profile = profile};
	struct lurk_rule rule;

	while (reach->more_count < LURK_REACH_MORE && lurk_next_rule(image, &walk, &rule)) {
		if (rule.off || rule.swap || rule.press.on.kind == LURK_TARGET_MEANING ||
		    (rule.keyboard && rule.keyboard != described) ||
		    (rule.press.on.kind != LURK_TARGET_SCAN &&
		     !lurk_declares(keyboard, rule.press.on.key)) ||
		    !gives_all(&rule, reach) || is_named(reach, &rule) ||
		    is_taken(above, keyboard, &rule.press))
			continue;
		reach->more[reach->more_count++] = rule.press;
	}
}

void lurk_reach_on(const struct lurk_rules *rules, const struct lurk_port_keyboard *keyboard,
		   struct lurk_reach *reach)
{
	static const struct lurk_rules nothing;
	/* The last key is pressed while the others are held. */
	struct lurk_source alone[LURK_KEY_COUNT] = {0}, with[LURK_KEY_COUNT] = {0};
	uint8_t held = 0;

	for (unsigned i = 0; i + 1 < reach->count; i++)
		held |= (uint8_t)(1U << lurk_modifier_place(reach->parts[i].key));
	lurk_sources_of(rules, keyboard, false, 0, alone);
	lurk_sources_of(rules, keyboard, false, held, with);
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
	reach->more_count = 0;
	if (rules->image)
		find_more(rules->image, rules->profile, keyboard, &nothing, reach);
	if (rules->below)
		find_more(rules->below, rules->below_profile, keyboard, rules, reach);
}
