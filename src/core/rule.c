#include "lurk/rule.h"

#include "core/hash.h"

static lurk_key right_of(lurk_key left)
{
	return lurk_key_other_side(left);
}

/* The index-th key that has the meaning of `key`, LURK_KEY_NONE past the last. */
static lurk_key with_meaning(lurk_key key, unsigned index)
{
	lurk_key k = LURK_KEY_NONE;

	while ((k = lurk_key_next(k)) != LURK_KEY_NONE) {
		if (lurk_key_same_meaning(k, key) && !index--)
			return k;
	}
	return LURK_KEY_NONE;
}

/* One end of the rule as the index-th single key or scan code. */
static bool member(const struct lurk_target *target, unsigned index, struct lurk_target *one)
{
	*one = *target;
	switch (target->kind) {
	case LURK_TARGET_KEY:
	case LURK_TARGET_SCAN:
		return index == 0;
	case LURK_TARGET_PAIR:
		one->kind = LURK_TARGET_KEY;
		one->key = index ? right_of(target->key) : target->key;
		return index < 2;
	case LURK_TARGET_MEANING:
		one->kind = LURK_TARGET_KEY;
		one->key = with_meaning(target->key, index);
		return one->key != LURK_KEY_NONE;
	default:
		return false;
	}
}

static lurk_key key_of(const struct lurk_target *target)
{
	return target->kind == LURK_TARGET_SCAN ? lurk_scan_key(target->scan) : target->key;
}

static void give(struct lurk_change *change, uint8_t gives, lurk_key key, bool right)
{
	change->gives = gives == LURK_GIVES_PAIR ? (uint8_t)LURK_GIVES_KEY : gives;
	change->key = gives == LURK_GIVES_PAIR && right ? right_of(key) : key;
}

bool lurk_rule_change(const struct lurk_rule *rule, unsigned index, struct lurk_change *change)
{
	const struct lurk_target *on = &rule->press.on;
	bool pair = rule->gives.kind == LURK_GIVES_PAIR;
	unsigned there = 0;
	struct lurk_target back;

	if (on->kind == LURK_TARGET_KEY || on->kind == LURK_TARGET_SCAN) { /* most rules */
		if (!index) {
			change->on = *on;
			give(change, rule->gives.kind, rule->gives.key, false);
			return true;
		}
		if (!rule->swap)
			return false;
	}
	if (member(&rule->press.on, index, &change->on)) {
		bool right = rule->press.on.kind == LURK_TARGET_PAIR && index == 1;

		give(change, rule->gives.kind, rule->gives.key, right);
		return true;
	}
	if (!rule->swap)
		return false;
	while (member(&rule->press.on, there, &change->on))
		there++;
	back = (struct lurk_target){
		.kind = pair ? LURK_TARGET_PAIR : LURK_TARGET_KEY,
		.key = rule->gives.key,
	};
	if (index < there || !member(&back, index - there, &change->on))
		return false;
	give(change, rule->gives.kind, key_of(&rule->press.on), pair && index - there == 1);
	return true;
}

/* ---- Modifiers and steps -------------------------------------------------------------------- */

static const lurk_key modifier_keys[8] = {
	LURK_KEY_LEFTCTRL,  LURK_KEY_LEFTSHIFT,  LURK_KEY_LEFTALT,  LURK_KEY_LEFTMETA,
	LURK_KEY_RIGHTCTRL, LURK_KEY_RIGHTSHIFT, LURK_KEY_RIGHTALT, LURK_KEY_RIGHTMETA,
};

int lurk_modifier_place(lurk_key key)
{
	switch (key) {
	case LURK_KEY_LEFTCTRL:
		return 0;
	case LURK_KEY_LEFTSHIFT:
		return 1;
	case LURK_KEY_LEFTALT:
		return 2;
	case LURK_KEY_LEFTMETA:
		return 3;
	case LURK_KEY_RIGHTCTRL:
		return 4;
	case LURK_KEY_RIGHTSHIFT:
		return 5;
	case LURK_KEY_RIGHTALT:
		return 6;
	case LURK_KEY_RIGHTMETA:
		return 7;
	default:
		return -1;
	}
}

lurk_key lurk_modifier_key(unsigned place)
{
	return modifier_keys[place];
}

bool lurk_modifiers_held(uint16_t modifiers, uint8_t held)
{
	uint8_t either = (uint8_t)((held | held >> 4) & 0xf);

	return (modifiers & LURK_MOD_SIDES & ~held) == 0 && (modifiers >> 8 & ~either) == 0;
}

void lurk_step_write(const struct lurk_step *step, uint8_t bytes[LURK_STEP_BYTES])
{
	bytes[0] = (uint8_t)step->key;
	bytes[1] = (uint8_t)(step->key >> 8);
	bytes[2] = (uint8_t)step->modifiers;
	bytes[3] = (uint8_t)(step->modifiers >> 8);
}

struct lurk_step lurk_step_read(const uint8_t bytes[LURK_STEP_BYTES])
{
	return (struct lurk_step){(lurk_key)(bytes[0] | bytes[1] << 8),
				  (uint16_t)(bytes[2] | bytes[3] << 8)};
}

/* ---- Steps ---------------------------------------------------------------------------------- */

enum { HEADING = 0xffff }; /* where a step has its key */

uint32_t lurk_layout_number(const char *words, size_t length)
{
	const uint32_t hash = lurk_hash(words, length);

	return !length ? 0 : hash ? hash : 1;
}

void lurk_steps_heading(uint32_t layout, unsigned count, uint8_t bytes[LURK_STEPS_HEADING])
{
	const struct lurk_step head = {HEADING, (uint16_t)count},
			       number = {(lurk_key)layout, (uint16_t)(layout >> 16)};

	lurk_step_write(&head, bytes);
	lurk_step_write(&number, bytes + LURK_STEP_BYTES);
}

bool lurk_steps_next(struct lurk_text steps, size_t *at, struct lurk_steps_part *part)
{
	const size_t left = steps.length - *at;
	const uint8_t *bytes;
	struct lurk_step head;
	size_t length;

	if (left < LURK_STEP_BYTES)
		return false;
	bytes = (const uint8_t *)steps.bytes + *at;
	head = lurk_step_read(bytes);
	if (head.key != HEADING) {
		*part = (struct lurk_steps_part){0, {(const char *)bytes, left}};
		*at = steps.length;
		return true;
	}
	length = (size_t)head.modifiers * LURK_STEP_BYTES;
	if (left < LURK_STEPS_HEADING || length > left - LURK_STEPS_HEADING)
		return false;
	head = lurk_step_read(bytes + LURK_STEP_BYTES);
	*part = (struct lurk_steps_part){head.key | (uint32_t)head.modifiers << 16,
					 {(const char *)bytes + LURK_STEPS_HEADING, length}};
	if (!part->layout)
		return false;
	*at += LURK_STEPS_HEADING + length;
	return true;
}

struct lurk_text lurk_steps_for(struct lurk_text steps, uint32_t layout)
{
	struct lurk_steps_part part;

	for (size_t at = 0; lurk_steps_next(steps, &at, &part);) {
		if (!layout || !part.layout || part.layout == layout)
			return part.steps;
	}
	return LURK_NO_TEXT;
}

bool lurk_steps_are_many(struct lurk_text steps)
{
	struct lurk_steps_part part;

	for (size_t at = 0; lurk_steps_next(steps, &at, &part);) {
		if (part.steps.length > LURK_STEP_BYTES)
			return true;
	}
	return false;
}

/* Of one layout: keys that there are, the last of which is held by none. */
static bool are_steps(struct lurk_text steps, bool text)
{
	unsigned held = 0;

	for (size_t i = 0; i < steps.length; i += LURK_STEP_BYTES) {
		struct lurk_step step = lurk_step_read((const uint8_t *)steps.bytes + i);

		held = step.modifiers & LURK_STEP_HOLD ? held + 1 : 0;
		if (!lurk_key_known(step.key) || held > LURK_STEP_HOLDS || (held && !text) ||
		    step.modifiers & ~(unsigned)(LURK_MOD_ALL | LURK_STEP_LOCKS | LURK_STEP_HOLD))
			return false;
	}
	return !held;
}

static enum lurk_error check_steps(const struct lurk_result *gives)
{
	const size_t count = gives->steps.length / LURK_STEP_BYTES;
	const bool text = gives->kind == LURK_GIVES_TEXT, chords = gives->kind == LURK_GIVES_CHORDS;
	struct lurk_steps_part part;
	unsigned parts = 0;
	size_t at = 0;

	if (gives->steps.length % LURK_STEP_BYTES || count > LURK_STEPS_MAX ||
	    (chords && count > LURK_CHORDS_MAX) || (!text && !chords && count))
		return LURK_ERR_CONTENT;
	while (lurk_steps_next(gives->steps, &at, &part)) {
		if (++parts > LURK_STEPS_LAYOUTS || !are_steps(part.steps, text) ||
		    (part.layout ? !text : parts > 1))
			return LURK_ERR_CONTENT;
	}
	if (at != gives->steps.length)
		return LURK_ERR_CONTENT;
	return (text || chords) && !count ? LURK_ERR_UNTYPED : LURK_OK;
}

/* ---- Rules ---------------------------------------------------------------------------------- */

enum lurk_error lurk_rule_check(const struct lurk_rule *rule)
{
	const struct lurk_target *on = &rule->press.on;
	bool gives_pair = rule->gives.kind == LURK_GIVES_PAIR;

	if (on->kind == LURK_TARGET_NONE || on->kind > LURK_TARGET_SCAN || !rule->gives.kind ||
	    rule->gives.kind >= LURK_GIVES_END)
		return LURK_ERR_CONTENT;
	if (on->kind == LURK_TARGET_SCAN
		    ? on->scan.kind == LURK_SCAN_NONE || on->scan.kind > LURK_SCAN_RAW
		    : !lurk_key_known(on->key))
		return LURK_ERR_CONTENT;
	if ((gives_pair || rule->gives.kind == LURK_GIVES_KEY) && !lurk_key_known(rule->gives.key))
		return LURK_ERR_CONTENT;
	if ((gives_pair && lurk_key_side(rule->gives.key) != LURK_SIDE_LEFT) ||
	    (on->kind == LURK_TARGET_PAIR && lurk_key_side(on->key) != LURK_SIDE_LEFT))
		return LURK_ERR_CONTENT;
	if (rule->swap && (on->kind == LURK_TARGET_MEANING || !key_of(on) ||
			   gives_pair != (on->kind == LURK_TARGET_PAIR) ||
			   (!gives_pair && rule->gives.kind != LURK_GIVES_KEY)))
		return LURK_ERR_CONTENT;
	if (rule->press.modifiers > LURK_MOD_ALL || (rule->press.modifiers && rule->press.only) ||
	    (rule->swap && (rule->press.modifiers || rule->press.only)))
		return LURK_ERR_CONTENT;
	return check_steps(&rule->gives);
}

static unsigned bits(unsigned mask)
{
	unsigned count = 0;

	for (; mask; mask &= mask - 1)
		count++;
	return count;
}

unsigned lurk_change_rank(const struct lurk_rule *rule, const struct lurk_change *change)
{
	bool meaning = rule->press.on.kind == LURK_TARGET_MEANING;
	unsigned level = meaning ? 1 : change->on.kind == LURK_TARGET_SCAN ? 3 : 2;
	unsigned modifiers;

	if (!rule->press.modifiers && !rule->press.only) /* as most rules are */
		return (rule->keyboard ? 1U << 14 : 0U) | level << 12;
	modifiers = bits(rule->press.modifiers) + (rule->press.only ? 1 : 0);
	return (rule->keyboard ? 1U << 14 : 0U) | level << 12 | modifiers << 8 |
	       bits(rule->press.modifiers & LURK_MOD_SIDES) << 4;
}
