/* The keymap's hash table, as compiling and finding both need it. */
#ifndef LURK_CORE_KEYHASH_H
#define LURK_CORE_KEYHASH_H

#include "lurk/keymap.h"

/* Multiplicative hashing: the middle bits of a product with the golden ratio are spread evenly, for
 * runs of codes as well. The lower and the upper half are the two places of an entry. */
static inline uint32_t lurk_keymap_hash(uint32_t code, uint8_t kind, uint32_t seed)
{
	uint64_t product = (uint64_t)(code ^ (uint32_t)kind << 29 ^ seed) * 0x9e3779b1U;

	return (uint32_t)(product >> 16);
}

/* The first action of a code, or actions[0]. Both places are always looked at: the same work for a
 * hit and a miss. */
static inline const struct lurk_action *lurk_keymap_base(const struct lurk_keymap *keymap,
							 uint32_t code, uint8_t kind)
{
	uint32_t hash = lurk_keymap_hash(code, kind, keymap->seed);
	const struct lurk_keymap_slot *one = &keymap->slots[hash & keymap->mask];
	const struct lurk_keymap_slot *two = &keymap->slots[hash >> 16 & keymap->mask];
	unsigned in_one = one->code == code && one->kind == kind;
	unsigned in_two = two->code == code && two->kind == kind;

	return &keymap->actions[in_one * one->action | in_two * two->action];
}

/* The one of a code's actions that acts while these modifiers are held. */
static inline const struct lurk_action *
lurk_keymap_variant(const struct lurk_keymap *keymap, const struct lurk_action *base, uint8_t held)
{
	return base + keymap->shapes[base->shape * (size_t)LURK_SHAPE_SIZE + held];
}

static inline const struct lurk_action *
lurk_keymap_action(const struct lurk_keymap *keymap, uint32_t code, uint8_t kind, uint8_t held)
{
	return lurk_keymap_variant(keymap, lurk_keymap_base(keymap, code, kind), held);
}

#endif
