/*
 * Keymaps: what an image compiles to for one keyboard when that is plugged in.
 *
 * All choices between rules are made when compiling; finding what a press gives is two look-ups in
 * a hash table, whatever the number of rules: one by scan code, one by key, and the more specific
 * of the two wins.
 */
#ifndef LURK_INCLUDE_KEYMAP_H
#define LURK_INCLUDE_KEYMAP_H

#include "lurk/image.h"

/* What one press gives. */
struct lurk_action {
	lurk_key key;  /* for LURK_GIVES_KEY */
	uint8_t gives; /* LURK_GIVES_KEY, _NOTHING or _ITSELF */
	uint8_t rank;  /* lurk_change_rank(), 0 where no rule acts */
	uint16_t rule; /* its index in the image, for rank > 0 */
	bool tap;      /* the key never sends its release */
};

struct lurk_keymap_slot {
	uint32_t code; /* a scan code, or a key where kind is LURK_SCAN_NONE */
	uint8_t kind;
	uint16_t action; /* 0 where the slot is empty */
};

/* Lives in the memory given to lurk_compile(); may be shared by any number of engines. */
struct lurk_keymap {
	const struct lurk_keymap_slot *slots;
	const struct lurk_action *actions; /* actions[0] is LURK_GIVES_ITSELF without a rule */
	uint32_t mask, seed;
	uint16_t action_count;
};

/* What to compile. */
struct lurk_compile_job {
	const struct lurk_image *image;
	uint16_t profile; /* index in the image */
	uint16_t
		keyboard; /* 1 + index of the described keyboard, 0 for one that is not described */
	uint8_t wiring;   /* enum lurk_wiring: which form of scan codes the keyboard reports */
};

/* What came of it. */
struct lurk_compile_report {
	size_t needed;     /* bytes of memory; set in any case but LURK_ERR_CONTENT */
	uint32_t rules[2]; /* the rules in question, for LURK_ERR_CONFLICT and LURK_ERR_NOT_YET */
};

/* Compiles into `memory`, aligned as for a pointer, which then belongs to the keymap. Rules that
 * are switched off or for other keyboards take no room. Returns LURK_ERR_ROOM where size is too
 * small (memory may then be NULL). */
enum lurk_error lurk_compile(const struct lurk_compile_job *job, void *memory, size_t size,
			     struct lurk_keymap **keymap, struct lurk_compile_report *report);

/* What a press of the key with this scan code gives. */
const struct lurk_action *lurk_keymap_find(const struct lurk_keymap *keymap, lurk_scan scan,
					   lurk_key key);
/* The key that comes out: LURK_KEY_NONE for nothing. */
lurk_key lurk_action_key(const struct lurk_action *action, lurk_key pressed);

#endif
