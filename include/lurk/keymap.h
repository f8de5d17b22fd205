/*
 * Keymaps: what an image compiles to for one keyboard when that is plugged in.
 *
 * All choices between rules are made when compiling; finding what a press gives is two look-ups in
 * a hash table, whatever the number of rules: one by scan code, one by key, and the more specific
 * of the two wins.
 */
#ifndef LURK_INCLUDE_KEYMAP_H
#define LURK_INCLUDE_KEYMAP_H

#include "lurk/declare.h"
#include "lurk/image.h"

LURK_BEGIN_C

#define LURK_PREVIOUS UINT16_MAX

/* What one press gives. */
struct lurk_action {
	struct lurk_text steps; /* for LURK_GIVES_CHORDS and _TEXT, in the image's bytes */
	uint16_t key;           /* for LURK_GIVES_KEY; for _PROFILE its index, or LURK_PREVIOUS */
	uint16_t rank;          /* lurk_change_rank() and more, 0 where no rule acts */
	uint16_t rule;          /* its index in its image, for rank > 0 */
	uint16_t shape;         /* of those that follow: which one, by the modifiers held */
	uint16_t modifiers;     /* that belong to the press: LURK_MOD_… */
	uint8_t unless; /* modifier keys with which it does not act, by lurk_modifier_place() */
	uint8_t gives;  /* enum lurk_gives, never _PAIR */
	bool only;      /* for a press without modifiers */
	bool more;      /* not just a key, or nothing, whatever is held */
	bool tap;       /* the key never sends its release */
	bool below;     /* the rule is of lurk_compile_job.below */
};

struct lurk_keymap_slot {
	uint32_t code; /* a scan code, or a key where kind is LURK_SCAN_NONE */
	uint8_t kind;
	uint8_t variants; /* actions that follow, for presses with modifiers */
	uint16_t action;  /* 0 where the slot is empty */
};

/* Which of a key's actions is meant, for every set of modifier keys held. Keys whose rules need the
 * same modifiers share one. */
enum { LURK_SHAPE_SIZE = 256 };

/* Lives in the memory given to lurk_compile(); may be shared by any number of engines. The image's
 * bytes must live as long. */
struct lurk_keymap {
	const struct lurk_keymap_slot *slots;
	const struct lurk_action *actions; /* actions[0] is LURK_GIVES_ITSELF without a rule */
	const uint8_t *shapes;             /* LURK_SHAPE_SIZE each; the first is all 0 */
	uint32_t mask, seed;
	uint16_t action_count, shape_count;
	bool minds_modifiers; /* some press depends on them, or types */
};

/* A profile of an image, for one keyboard that it describes or not. */
struct lurk_compile_part {
	const struct lurk_image *image;
	uint16_t profile;  /* index in the image */
	uint16_t keyboard; /* 1 + index of the described keyboard, 0 where it is not */
};

/* What to compile. */
struct lurk_compile_job {
	const struct lurk_image *image;
	uint16_t profile; /* index in the image */
	uint16_t
		keyboard; /* 1 + index of the described keyboard, 0 for one that is not described */
	uint8_t wiring;   /* enum lurk_wiring: which form of scan codes the keyboard reports */
	bool toggles_only; /* nothing but LURK_GIVES_TOGGLE, for while the others are off */
	/* Another image's rules hold as well, wherever none of this one is as specific: as those of
	 * a profile that this one is based on. NULL for none. Both images must live. */
	const struct lurk_compile_part *below;
};

/* What came of it. */
struct lurk_compile_report {
	size_t needed;     /* bytes of memory; fewer afterwards, where some were not used */
	uint32_t rules[2]; /* the rules in question, both of one image, for LURK_ERR_CONFLICT,
			      LURK_ERR_UNTYPED and LURK_ERR_NO_PROFILE */
};

/* Compiles into `memory`, aligned as for a pointer, which then belongs to the keymap. Rules that
 * are switched off or for other keyboards take no room. Returns LURK_ERR_ROOM where size is too
 * small (memory may then be NULL). */
enum lurk_error lurk_compile(const struct lurk_compile_job *job, void *memory, size_t size,
			     struct lurk_keymap **keymap, struct lurk_compile_report *report);

/* What a press of the key with this scan code gives while no modifier is held; and while some are,
 * a bit a place of lurk_modifier_place(). */
const struct lurk_action *lurk_keymap_find(const struct lurk_keymap *keymap, lurk_scan scan,
					   lurk_key key);
const struct lurk_action *lurk_keymap_find_held(const struct lurk_keymap *keymap, lurk_scan scan,
						lurk_key key, uint8_t held);
/* Whether that depends on modifiers. */
bool lurk_keymap_varies(const struct lurk_keymap *keymap, lurk_scan scan, lurk_key key);
/* The key that comes out: LURK_KEY_NONE for nothing, and for what is more than a key. */
lurk_key lurk_action_key(const struct lurk_action *action, lurk_key pressed);

LURK_END_C

#endif
