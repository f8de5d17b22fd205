/*
 * Rules: what is pressed, what it gives, on which keyboard.
 *
 * A rule is as the person wrote it: one line of a profile. lurk_rule_change() breaks it into
 * changes of single keys or scan codes: a rule on a pair (`Alt`) is two, a swap of two pairs is
 * four, a rule on a meaning (`any Enter`) is one for every key with that meaning.
 *
 * Which rule wins a press: one for this keyboard before one for every keyboard; then a scan code
 * before a key before a meaning; then more modifiers before fewer, one side of a modifier before
 * either. Where two need different modifiers and all of them are held, the first one wins. All
 * rules act at once, never in a chain: with A→B and B→C, pressing A gives B.
 */
#ifndef LURK_INCLUDE_RULE_H
#define LURK_INCLUDE_RULE_H

#include "lurk/declare.h"
#include "lurk/scan.h"

LURK_BEGIN_C

/* A string that is not NUL-terminated and belongs to whoever gave it. */
struct lurk_text {
	const char *bytes;
	size_t length;
};
#define LURK_NO_TEXT ((struct lurk_text){NULL, 0})

/* Modifiers in masks: the eight keys in the order of a HID report's modifier byte, then either
 * side. */
enum {
	LURK_MOD_LEFT_CONTROL = 1 << 0,
	LURK_MOD_LEFT_SHIFT = 1 << 1,
	LURK_MOD_LEFT_ALT = 1 << 2,
	LURK_MOD_LEFT_META = 1 << 3,
	LURK_MOD_RIGHT_CONTROL = 1 << 4,
	LURK_MOD_RIGHT_SHIFT = 1 << 5,
	LURK_MOD_RIGHT_ALT = 1 << 6,
	LURK_MOD_RIGHT_META = 1 << 7,
	LURK_MOD_CONTROL = 1 << 8,
	LURK_MOD_SHIFT = 1 << 9,
	LURK_MOD_ALT = 1 << 10,
	LURK_MOD_META = 1 << 11,
	LURK_MOD_SIDES = (1 << 8) - 1,
	LURK_MOD_ALL = (1 << 12) - 1,
};

/* The modifier's place in a HID report's modifier byte, -1 for any other key; and the key at a
 * place. */
int lurk_modifier_place(lurk_key key);
lurk_key lurk_modifier_key(unsigned place);
/* Whether all that a mask asks for is among the modifier keys held, a bit a place. */
bool lurk_modifiers_held(uint16_t modifiers, uint8_t held);

/* What a press is on. The order is the order of specificity; but a pair is two keys, as specific as
 * each. */
enum lurk_target_kind {
	LURK_TARGET_NONE,
	LURK_TARGET_MEANING, /* every key that has the meaning of `key` */
	LURK_TARGET_PAIR,    /* both sides of a modifier; `key` is the left one */
	LURK_TARGET_KEY,
	LURK_TARGET_SCAN,
};

struct lurk_target {
	uint8_t kind; /* enum lurk_target_kind */
	lurk_key key;
	lurk_scan scan; /* for LURK_TARGET_SCAN */
};

/* The key that it is; of a scan code the one that usually has it, LURK_KEY_NONE for none. */
static inline lurk_key lurk_target_key(const struct lurk_target *on)
{
	return on->kind == LURK_TARGET_SCAN ? lurk_scan_key(on->scan) : on->key;
}

struct lurk_press {
	struct lurk_target on;
	uint16_t modifiers; /* LURK_MOD_…, 0 for the key whatever is held with it */
	bool only;          /* only while no modifier is held */
};

enum lurk_gives {
	LURK_GIVES_KEY = 1,
	LURK_GIVES_PAIR, /* side to side; `key` is the left one */
	LURK_GIVES_NOTHING,
	LURK_GIVES_ITSELF,
	LURK_GIVES_CHORDS, /* `steps`, the last held; `text` is how they are written */
	/* `text` is typed, by `steps`; where that is more than one (in any layout), not while
	 * Control, the left Alt or Meta is held that is no part of the press: the key is a command
	 * then. */
	LURK_GIVES_TEXT,
	LURK_GIVES_PROFILE, /* switches to the profile `text`, or to the one before: "previous" */
	LURK_GIVES_TOGGLE,  /* all rules off, and on again */
	LURK_GIVES_END,
};

/* A key pressed with modifiers. */
struct lurk_step {
	lurk_key key;
	uint16_t modifiers; /* LURK_MOD_…, LURK_STEP_LOCKS, LURK_STEP_HOLD */
};

enum {
	LURK_STEP_LOCKS = 1 << 15, /* Caps Lock changes what it gives, so that it must be off */
	LURK_STEP_HOLD = 1 << 14,  /* a key that stays down until the next without this is up */
	LURK_STEP_HOLDS = 2,       /* so many at most */
	LURK_STEP_BYTES = 4,       /* a step in bytes: u16 key, u16 modifiers, little-endian */
	LURK_CHORDS_MAX = 64,
	LURK_STEPS_MAX = 4 * (3 * 1000 + 2), /* such a text in as many layouts as XKB has at once */
	LURK_TEXT_MAX = 1000,                /* characters */
};

void lurk_step_write(const struct lurk_step *step, uint8_t bytes[LURK_STEP_BYTES]);
struct lurk_step lurk_step_read(const uint8_t bytes[LURK_STEP_BYTES]);

/* Strokes depend on the layout that is active at the press. So the steps of a text are those for
 * whichever layout, or parts, one a layout: a heading, and the steps that type the text there; none
 * where it lacks a character.
 *
 * A layout's number is lurk_layout_number() of what it is called in words ("German (no dead
 * keys)"), as XKB has it in a keymap as the name of a group: what X11, Wayland and desktops call it
 * too. 0 where it is not known. */
enum {
	LURK_STEPS_HEADING = 8, /* bytes: u16 0xffff, u16 how many steps follow, u32 the layout */
	LURK_STEPS_LAYOUTS = 4, /* parts at most, as XKB's groups */
};

uint32_t lurk_layout_number(const char *words, size_t length);

struct lurk_steps_part {
	uint32_t layout; /* 0 for steps that are for whichever */
	struct lurk_text steps;
};

void lurk_steps_heading(uint32_t layout, unsigned count, uint8_t bytes[LURK_STEPS_HEADING]);
/* The part at an offset, which is moved past it; false at the end, or where there is none. */
bool lurk_steps_next(struct lurk_text steps, size_t *at, struct lurk_steps_part *part);
/* The steps for a layout; where it is not known (0), those of the first part. Empty where there are
 * none for it: then nothing is typed. */
struct lurk_text lurk_steps_for(struct lurk_text steps, uint32_t layout);
/* Whether any part has more steps than one: then it is text, and not a key with another sign. */
bool lurk_steps_are_many(struct lurk_text steps);

struct lurk_result {
	uint8_t kind; /* enum lurk_gives */
	lurk_key key;
	struct lurk_text text;
	struct lurk_text steps; /* as lurk_steps_next() reads; none where no layout is known */
};

struct lurk_rule {
	struct lurk_press press;
	struct lurk_result gives;
	bool swap;         /* gives.key gives press.on's key as well; two keys, or two pairs */
	bool off;          /* switched off, and kept */
	uint16_t keyboard; /* 0 for every keyboard, else 1 + its place in the image's keyboards */
	uint32_t line;     /* where it stands in the profile, 1 for the first line */
	struct lurk_text note;
};

/* One key or scan code, and what it gives: any but LURK_GIVES_PAIR. */
struct lurk_change {
	struct lurk_target on; /* LURK_TARGET_KEY or _SCAN */
	uint8_t gives;
	lurk_key key;
};

/* The index-th change that a rule amounts to; false past the last. */
bool lurk_rule_change(const struct lurk_rule *rule, unsigned index, struct lurk_change *change);

/* LURK_OK; LURK_ERR_UNTYPED where the steps are missing, as where no layout is known;
 * LURK_ERR_CONTENT for a rule that makes no sense (a swap of a key with a pair). */
enum lurk_error lurk_rule_check(const struct lurk_rule *rule);

/* How specific a rule's change is: the larger wins; equal ranks on one press are a conflict. */
unsigned lurk_change_rank(const struct lurk_rule *rule, const struct lurk_change *change);

LURK_END_C

#endif
