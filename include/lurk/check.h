/*
 * The check: what is wrong with rules, and what they take away, before they come into force.
 *
 *     lurk_check(&job, &work, on_finding, data);
 *
 * It looks at rules as they act on keyboards that are known, and finds each matter once. What each
 * finding means and what to do is told in docs/checks.md.
 */
#ifndef LURK_INCLUDE_CHECK_H
#define LURK_INCLUDE_CHECK_H

#include "lurk/declare.h"
#include "lurk/chord.h"
#include "lurk/port.h"

LURK_BEGIN_C

enum lurk_check_code {
	/* Errors: the rules cannot be meant so. */
	LURK_CHECK_SAME_PRESS = 1, /* `rule` and `other` are for the same press of `key` */
	LURK_CHECK_TAP_MODIFIER,   /* `rule` makes a modifier of a key that never comes up */
	/* Refused by try and apply: what could be done before cannot be done any more. */
	LURK_CHECK_LOCKED_OUT, /* no key gives `key`, held with `modifiers` */
	/* What there is to know. */
	LURK_CHECK_MOVED,        /* `key` with `modifiers` is done by `by` and `by_held` now */
	LURK_CHECK_LOST,         /* nothing, or nothing on `keyboard`, gives `key` any more */
	LURK_CHECK_HALF_PAIR,    /* `rule` swaps one side of two pairs, and leaves the other */
	LURK_CHECK_NEVER_ACTS,   /* `other` always wins over `rule` */
	LURK_CHECK_NO_SUCH_KEY,  /* `keyboard` does not have `key`, which `rule` is on */
	LURK_CHECK_BROKEN_KEY,   /* `rule` relies on `key`, which is marked broken */
	LURK_CHECK_NO_CHANGE,    /* `rule` gives what the key gives in any case */
	LURK_CHECK_UNSEEN_BY_X,  /* `rule` gives `key`, whose event code is above 247 */
	LURK_CHECK_THIRD_LEVEL,  /* `rule` takes AltRight, which the layout needs */
	LURK_CHECK_NEVER_USED,   /* no keyboard that is known has `key`, which `rule` is on */
	LURK_CHECK_NEVER_SENT,   /* `rule` is on a code that keyboards connected as `keyboard`,
				  * or as any that is known, never send; `key` is what it is for */
	LURK_CHECK_NO_KEYBOARD,  /* all rules are for keyboards of which none is here */
	LURK_CHECK_ONE_SIDE,     /* `key` of a pair is lost, the other side comes from `by` */
	LURK_CHECK_NO_OFF_CHORD, /* `keyboard` lacks `key` of the off chord, or it is broken */
	LURK_CHECK_END,
};

enum { LURK_CHECK_KEYBOARDS = 64 };

enum lurk_severity { LURK_NOTE, LURK_WARNING, LURK_ERROR, LURK_LOCK_OUT };

#define LURK_NO_RULE UINT32_MAX

struct lurk_finding {
	uint8_t code, severity; /* enum lurk_check_code, enum lurk_severity */
	uint16_t keyboard;      /* 1 + its index in lurk_check_job.keyboards; 0 for no single one */
	uint32_t rule, other;   /* indexes in the image, or LURK_NO_RULE */
	lurk_key key, by;       /* event codes; LURK_KEY_NONE where there is none */
	lurk_scan by_scan;      /* for `by`, where that key has no name */
	uint16_t modifiers;     /* LURK_MOD_CONTROL and LURK_MOD_ALT, held with `key` */
	lurk_key by_held[2];    /* the keys to hold with `by` for these */
	/* Levels of `key` in the layout whose signs are lost, a bit each: plain, with Shift, with
	 * AltRight, with both. 0 from lurk_check(), which knows no layout. */
	uint8_t levels;
};

/* A keyboard that is here. */
struct lurk_check_keyboard {
	const struct lurk_port_keyboard *info;
	bool used; /* a key was pressed on it */
};

struct lurk_check_job {
	const struct lurk_image *before; /* what is in force, NULL for nothing */
	/* What is to be judged: its first profile; those that it is based on come next. */
	const struct lurk_image *after;
	/* What holds below both, as lurk_compile_job.below does, by its profile of that index: the
	 * computer's rules, where a person's own are judged. NULL for nothing. */
	const struct lurk_image *below;
	uint16_t below_profile;
	const struct lurk_check_keyboard *keyboards;
	uint16_t keyboard_count; /* LURK_CHECK_KEYBOARDS at most */
	/* A bit a key: letters and digits, that must not get lost. */
	uint8_t typing[LURK_KEY_COUNT / 8];
	bool third_level; /* the layout has characters with AltRight */
};

/* Where a key comes from. */
struct lurk_source {
	uint32_t rule; /* that makes it so, or LURK_NO_RULE */
	lurk_scan scan;
	lurk_key key; /* what is pressed; LURK_KEY_NONE where it comes from nowhere */
};

/* The caller's memory; not initialised. */
struct lurk_check_work {
	void *keymap; /* aligned as for a pointer */
	size_t keymap_size;
	struct lurk_source plain[LURK_KEY_COUNT], before[LURK_KEY_COUNT], after[LURK_KEY_COUNT];
	struct lurk_source before_with[LURK_KEY_COUNT], after_with[LURK_KEY_COUNT];
	uint8_t acts[LURK_RULES_MAX / 8];
};

/* The name of a code, such as "locked-out"; "" for a number that is none. */
const char *lurk_check_name(uint8_t code);

/* Bits for the letters and digits where a US layout has them. */
void lurk_check_typing(uint8_t typing[LURK_KEY_COUNT / 8]);

/* Finds what there is to find and tells each. Rules of a kind that is not carried out yet must be
 * switched off. Returns LURK_OK, or LURK_ERR_ROOM where the memory for keymaps is too small. */
typedef void lurk_check_tell(void *data, const struct lurk_finding *finding);
enum lurk_error lurk_check(const struct lurk_check_job *job, struct lurk_check_work *work,
			   lurk_check_tell *tell, void *data);

/* The rules that hold on a keyboard: a profile of an image, and one of another's below it, wherever
 * none of the first is as specific. Either image may be NULL, for none; profiles are indexes. */
struct lurk_rules {
	const struct lurk_image *image, *below;
	uint16_t profile, below_profile;
};

/* By which keys of one keyboard each key is given under rules, of which those below are not told:
 * one source a key, itself where it gives itself. Those that `sources` holds already stay where
 * they are better. Keys marked broken or missing count only with `broken_too`. `held_with` are the
 * modifiers held, a bit a place of lurk_modifier_place(). The memory is for a keymap. */
enum lurk_error lurk_sources(const struct lurk_rules *rules,
			     const struct lurk_port_keyboard *keyboard, bool broken_too,
			     uint8_t held_with, void *memory, size_t size,
			     struct lurk_source sources[LURK_KEY_COUNT]);

LURK_END_C

#endif
