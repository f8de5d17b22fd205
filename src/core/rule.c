#include "lurk/rule.h"

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
	bool pair = rule->gives.kind == LURK_GIVES_PAIR;
	unsigned there = 0;
	struct lurk_target back = {
		.kind = pair ? LURK_TARGET_PAIR : LURK_TARGET_KEY,
		.key = rule->gives.key,
	};

	if (member(&rule->press.on, index, &change->on)) {
		bool right = rule->press.on.kind == LURK_TARGET_PAIR && index == 1;

		give(change, rule->gives.kind, rule->gives.key, right);
		return true;
	}
	if (!rule->swap)
		return false;
	while (member(&rule->press.on, there, &change->on))
		there++;
	if (index < there || !member(&back, index - there, &change->on))
		return false;
	give(change, rule->gives.kind, key_of(&rule->press.on), pair && index - there == 1);
	return true;
}

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
	if (rule->press.modifiers || rule->press.only || rule->gives.kind >= LURK_GIVES_CHORDS)
		return LURK_ERR_NOT_YET;
	return LURK_OK;
}

unsigned lurk_change_rank(const struct lurk_rule *rule, const struct lurk_change *change)
{
	bool meaning = rule->press.on.kind == LURK_TARGET_MEANING;
	unsigned level = meaning ? 1 : change->on.kind == LURK_TARGET_SCAN ? 3 : 2;
	unsigned modifiers = 0;

	for (unsigned mask = rule->press.modifiers; mask; mask &= mask - 1)
		modifiers++;
	return (rule->keyboard ? 64U : 0U) | level << 4 | modifiers;
}
