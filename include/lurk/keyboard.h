/*
 * Keyboards: what one says of itself, and how it is recognised again.
 */
#ifndef LURK_INCLUDE_KEYBOARD_H
#define LURK_INCLUDE_KEYBOARD_H

#include "lurk/declare.h"
#include "lurk/rule.h"

LURK_BEGIN_C

enum lurk_bus {
	LURK_BUS_NONE,
	LURK_BUS_PS2,
	LURK_BUS_USB,
	LURK_BUS_BLUETOOTH,
	LURK_BUS_OTHER,
	LURK_BUS_COUNT
};

/* "PS/2", "USB", … */
const char *lurk_bus_name(enum lurk_bus bus);

/* What the machine tells of a keyboard that is plugged in. Strings are NUL-terminated UTF-8, empty
 * where unknown. */
struct lurk_identity {
	uint8_t bus;    /* enum lurk_bus */
	uint8_t wiring; /* enum lurk_wiring */
	bool built_in;
	uint16_t vendor, product, version; /* as on the bus; 0 where there is none */
	char serial[32];
	char name[64];  /* what it calls itself */
	char place[48]; /* where it is plugged in; stable over reboots */
};

/* One way to recognise a keyboard: all that is set must fit. */
struct lurk_recogniser {
	uint8_t bus; /* LURK_BUS_NONE for any */
	bool built_in;
	bool by_product; /* vendor and product count */
	uint16_t vendor, product;
	struct lurk_text serial, name, place; /* empty for any */
};

/* What is known of single keys of a keyboard. */
enum lurk_quirk_kind {
	LURK_QUIRK_BROKEN = 1, /* there, but not to be relied on */
	LURK_QUIRK_MISSING,    /* this keyboard does not have it */
	LURK_QUIRK_PRESS_ONLY, /* never sends its release: given as a tap */
	LURK_QUIRK_OFF_CHORD,  /* one of the keys that, held together, switch all rules off */
	LURK_QUIRK_END,
};

struct lurk_quirk {
	uint8_t kind;
	lurk_key key;
};

/* A keyboard as keyboards.yaml describes it. */
struct lurk_keyboard {
	struct lurk_text name;
	const struct lurk_recogniser *recognisers;
	const struct lurk_quirk *quirks;
	uint16_t recogniser_count, quirk_count;
	bool apart; /* rules for all keyboards leave it alone: it types, but nobody types on it */
};

/* How well the recogniser fits: 0 where it does not, else the more the more it says. */
unsigned lurk_recognise(const struct lurk_recogniser *recogniser,
			const struct lurk_identity *identity);

LURK_END_C

#endif
