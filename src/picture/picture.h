/*
 * Pictures: a keyboard with what each key gives.
 *
 *     picture_fill()      rules, layout and form → what each cap says      (face.c, label.c)
 *     sheet_…()           caps, captions, signs → shapes and texts in mm   (sheet.c)
 *     drawing_svg(), …    shapes and texts → bytes of a file               (svg.c, paint.c)
 *     terminal_print()    caps → box characters                            (terminal.c)
 *
 * Texts on caps are lists of alternatives, the longest first, a newline between them: whoever draws
 * takes the first that fits. A space is where one may be broken, a tab as well, which is not seen.
 */
#ifndef LURK_PICTURE_PICTURE_H
#define LURK_PICTURE_PICTURE_H

#include "lurk/form/form.h"
#include "lurk/layout/layout.h"
#include "lurk/keymap.h"

enum {
	PICTURE_TEXT = 192,
	PICTURE_LIST = 512,
	PICTURE_CAPS = LURK_PLACES + 64,
	PICTURE_LEGENDS = 4, /* alone, with Shift, with AltRight, with both */
	PICTURE_EXTRA = 100, /* the block of keys that have no place in the form */
};

enum picture_mark { PICTURE_PLAIN, PICTURE_CHANGED, PICTURE_SWAPPED, PICTURE_NOTHING };

struct picture_cap {
	struct lurk_place place;
	lurk_scan scan;                             /* what it sends */
	char legends[PICTURE_LEGENDS][LURK_LEGEND]; /* of a key that types, where `main` is "" */
	char main[PICTURE_TEXT];                    /* what it gives, or what is printed on it */
	char second[PICTURE_TEXT];                  /* below it as large, on charts */
	char small[PICTURE_TEXT];                   /* what it gave before, or is called */
	char with[PICTURE_TEXT];                    /* what it gives with modifiers: "Meta: Tab" */
	char all_with[PICTURE_LIST];                /* each of these, a line each */
	uint8_t levels; /* bits of the legends that rules with Shift or AltRight changed */
	uint8_t own;    /* and of those that differ from the layout's base */
	char printed[PICTURE_TEXT]; /* what that has on it, where any do */
	char lost[PICTURE_TEXT];    /* signs that no key types any more since this one does not */
	uint8_t mark;               /* enum picture_mark */
	uint8_t pair;               /* of a swap: 1, 2, …: the other key has the same */
	bool by_code;               /* a rule on its scan code acts */
	bool broken, absent;        /* not to be relied on; not on this keyboard */
	bool held;                  /* a modifier that is held for this picture */
	bool faint;                 /* not what this picture is about */
	bool pressed, target;       /* lit in a live view: pressed; whose job it does */
};

struct picture {
	struct picture_cap caps[PICTURE_CAPS];
	unsigned count;
	unsigned width, height; /* in quarters of a unit */
};

enum picture_codes {
	PICTURE_LEGEND_CODES, /* none: what keys give */
	PICTURE_SCAN_CODES,
	PICTURE_HID_CODES,
	PICTURE_EVDEV_CODES,
	PICTURE_NAMES,
	PICTURE_MEANINGS,
	PICTURE_CODES_COUNT
};

struct picture_job {
	const struct lurk_image *image;        /* NULL for none */
	bool without_rules;                    /* of it, only what keyboards are like counts */
	uint16_t profile;                      /* index in the image */
	uint16_t keyboard;                     /* 1 + its index in the image, 0 for none of these */
	struct lurk_compile_part below;        /* what holds below it; without an image: nothing */
	const struct lurk_port_keyboard *info; /* NULL where it is not here */
	struct lurk_layout *layout;            /* NULL for a US layout's characters */
	struct lurk_layout *base;              /* what differs from it stands out; NULL for none */
	enum lurk_form form;
	enum lurk_arrangement arrangement;
	uint16_t held; /* LURK_MOD_…: what keys give while these are held */
	enum picture_codes codes;
};

/* Works out what each cap says. */
void picture_fill(struct picture *picture, const struct picture_job *job);

/* The next rule that acts on a cap of the picture; *index is 0 at first. False past the last. */
bool picture_next_rule(const struct picture *picture, const struct picture_job *job,
		       unsigned *index, struct lurk_rule *rule);

/* Whether rules give a key another job only with modifiers, or with some as well; or the layout
 * another sign. */
static inline bool picture_cap_varies(const struct picture_cap *cap)
{
	return *cap->with || cap->levels || cap->own;
}
/* Whether rules give a key that is there another job, also with modifiers only, or the layout
 * another sign. */
bool picture_cap_changed(const struct picture_cap *cap);

/* Caps that say the same in both become faint in both. */
void picture_compare(struct picture *before, struct picture *after);

/* What is told on caps by a sign; and in words. */
enum picture_sign {
	PICTURE_SIGN_CHANGED,
	PICTURE_SIGN_SWAPPED,
	PICTURE_SIGN_NOTHING,
	PICTURE_SIGN_WITH,
	PICTURE_SIGN_OWN,
	PICTURE_SIGN_BY_CODE,
	PICTURE_SIGN_BROKEN,
	PICTURE_SIGN_ABSENT,
	PICTURE_SIGN_HELD,
	PICTURE_SIGNS
};
bool picture_has(const struct picture *picture, enum picture_sign sign);
const char *picture_sign_words(enum picture_sign sign);

/* What a key types, as lurk_layout_legend(); a mark that stands on letters, on a circle of dots. */
void picture_legend(lurk_key key, struct lurk_layout *layout, uint16_t modifiers,
		    char legend[LURK_LEGEND]);
/* What a key is called on caps, as alternatives. */
void picture_label(lurk_key key, struct lurk_layout *layout, char label[PICTURE_TEXT]);

/* A key's name with a separator between its words: "Audio Volume Up". */
void picture_split_name(const char *name, char separator, char words[PICTURE_TEXT]);

/* The next line of a list, from where `at` is on; false past the last. */
bool picture_next_line(const char **at, char line[PICTURE_TEXT]);
/* The first of the alternatives as it is seen; returns how much of them it was. */
size_t picture_first(const char *alternatives, char out[PICTURE_TEXT]);

#endif
