/*
 * Table or relay: by which way a keymap comes into force on a keyboard.
 *
 * The machine's own table costs nothing per key press and needs no process, but it can only turn
 * one scan code into one key that the keyboard declared from the start, and it does not count: two
 * keys that give the same key would release it too early. And a key that no entry gives any more is
 * one that the keyboard no longer declares: a program that opens it then never learns of that key,
 * even after the rules are gone. So the table is used exactly where it does what the rules say and
 * can be taken back, that is where keys change places; else the keyboard goes through the relay.
 */
#ifndef LURK_INCLUDE_WAY_H
#define LURK_INCLUDE_WAY_H

#include "lurk/declare.h"
#include "lurk/chord.h"
#include "lurk/port.h"

LURK_BEGIN_C

enum lurk_way_reason {
	LURK_BECAUSE_NO_RULE,      /* plain: no rule changes a key that it has */
	LURK_BECAUSE_ONE_TO_ONE,   /* table */
	LURK_BECAUSE_NO_TABLE,     /* relay: the machine has no table for it */
	LURK_BECAUSE_UNDECLARED,   /* relay: `key` is not among the keys that it declared */
	LURK_BECAUSE_TWICE,        /* relay: `key` comes from `from` and from `other` */
	LURK_BECAUSE_TAP,          /* relay: `key` never sends its release */
	LURK_BECAUSE_NOT_IN_TABLE, /* relay: a rule is on a scan code that the table does not have
				    */
	LURK_BECAUSE_ASKED,        /* relay: the table would do, but the profile asks for it */
	LURK_BECAUSE_TRYING,       /* relay: the table would do, but the rules are only tried */
	LURK_BECAUSE_CHORD,        /* relay: `key` of the off chord does nothing any more */
	LURK_BECAUSE_MORE,         /* relay: `key` gives more than a key */
	LURK_BECAUSE_MODIFIERS,    /* relay: what `key` gives depends on modifiers */
	LURK_BECAUSE_UNWRITTEN,    /* relay: what its table held cannot be written down */
	LURK_BECAUSE_FORGOTTEN, /* relay: no entry would give `key`, and programs would forget it */
};

struct lurk_way_choice {
	uint8_t way;               /* enum lurk_way */
	uint8_t reason;            /* enum lurk_way_reason */
	bool forced;               /* table, though `reason` speaks for the relay */
	lurk_key key, from, other; /* a source above LURK_KEY_MAX is a key without a name */
	unsigned changes;          /* entries of the table that change */
};

/* Reads the keyboard's table through the port and chooses; `asked` is taken where that is possible
 * at all, and LURK_WAY_PLAIN asks for nothing. A key of the chord that does
 * nothing needs the relay: the table would hide it. Returns an error of the port's. */
enum lurk_error lurk_way_choose(struct lurk_port *port, uint16_t number,
				const struct lurk_port_keyboard *keyboard,
				const struct lurk_keymap *keymap, const struct lurk_chord *chord,
				enum lurk_way asked, struct lurk_way_choice *choice);

/* What a table entry is to hold for a keymap (NULL: as it was). */
lurk_key lurk_way_entry(const struct lurk_keymap *keymap, const struct lurk_table_entry *entry);

LURK_END_C

#endif
