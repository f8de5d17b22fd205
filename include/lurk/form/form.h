/*
 * Forms: which keys a keyboard has, and where they stand.
 *
 * Places are in quarters of a unit, the width of a letter's key, from the upper left corner of the
 * keyboard; a unit is 19.05 mm. The arrangements of the typing block are those of ISO/IEC 9995 and
 * its national forms: ISO (a key beside the left Shift, Enter two rows high), ANSI (INCITS 154) and
 * JIS (JIS X 6002, with five more keys).
 */
#ifndef LURK_INCLUDE_FORM_FORM_H
#define LURK_INCLUDE_FORM_FORM_H

#include "lurk/declare.h"
#include "lurk/port.h"

LURK_BEGIN_C

enum lurk_form {
	LURK_FORM_FULL,
	LURK_FORM_NO_KEYPAD,
	LURK_FORM_COMPACT, /* a laptop's, with a row of media keys */
	LURK_FORM_PAD,     /* a keypad with a knob */
	LURK_FORM_COUNT
};

enum lurk_arrangement { LURK_ISO, LURK_ANSI, LURK_JIS, LURK_ARRANGEMENT_COUNT };

enum { LURK_UNIT_QUARTERS = 4 };
#define LURK_UNIT_MM 19.05

enum lurk_cap_shape {
	LURK_CAP_PLAIN,
	LURK_CAP_ENTER, /* two rows high; the lower one is a quarter narrower, on the left */
	LURK_CAP_ROUND, /* a knob */
};

struct lurk_place {
	lurk_key key;
	uint8_t x, y, width, height;
	uint8_t shape; /* enum lurk_cap_shape */
	uint8_t block; /* 0 for the typing block; others can be put below it where room is short */
};

enum { LURK_PLACES = 128 };

/* Where the keys stand, row by row; returns how many. */
unsigned lurk_form_places(enum lurk_form form, enum lurk_arrangement arrangement,
			  struct lurk_place places[LURK_PLACES]);

/* "full", "no-keypad", "compact", "pad"; "iso", "ansi", "jis". False for other words. */
const char *lurk_form_name(enum lurk_form form);
const char *lurk_arrangement_name(enum lurk_arrangement arrangement);
bool lurk_form_read(const char *word, enum lurk_form *form);
bool lurk_arrangement_read(const char *word, enum lurk_arrangement *arrangement);

/* What a person says of a keyboard's form: either, both, or none. */
struct lurk_forms {
	bool has_form, has_arrangement;
	enum lurk_form form;
	enum lurk_arrangement arrangement;
};
/* Reads words such as "compact, jis"; false with the first that is none of them. */
bool lurk_forms_read(const char *words, struct lurk_forms *forms, char wrong[32]);
#define LURK_FORMS_WORDS \
	"full, no-keypad, compact or pad, and iso, ansi or jis, as in `compact, jis`"

/* The form that fits what a keyboard says that it can send. */
enum lurk_form lurk_form_guess(const struct lurk_port_keyboard *keyboard);
/* How keyboards for a layout (as XKB names it) are arranged as a rule. */
enum lurk_arrangement lurk_arrangement_for(const char *layout);

LURK_END_C

#endif
