/*
 * Names: from what people write to keys and scan codes.
 *
 * Names are read in any case, with spaces, `_` and `-` left out or put in: "CapsLock", "caps lock",
 * "KEY_CAPSLOCK", "caps", "lctrl", "right alt", "kp enter", "shift+3", "any Enter", "hid:07:39",
 * "evdev:58", ";". What can be several keys is refused with the list, unless written exactly as the
 * W3C spells one of them ("Delete" is a key, "delete" is a question). Numbers alone are refused
 * with all their readings.
 */
#ifndef LURK_INCLUDE_NAME_H
#define LURK_INCLUDE_NAME_H

#include "lurk/declare.h"
#include "lurk/rule.h"

LURK_BEGIN_C

/* Which key types a character, in the layout in use; modifiers as LURK_MOD_…. */
enum { LURK_CHARACTER_STEPS = 3, LURK_CAP = 16 };
struct lurk_characters {
	void *data;
	/* The key that types it; or the dead key that has it on its cap, and types it pressed
	 * twice.
	 */
	bool (*find)(void *data, uint32_t codepoint, lurk_key *key, uint16_t *modifiers);
	/* The steps that type it, dead keys and Compose sequences as well: how many, 0 where the
	 * layout cannot. May be NULL where nothing is to be typed. */
	unsigned (*type)(void *data, uint32_t codepoint,
			 struct lurk_step steps[LURK_CHARACTER_STEPS]);
	/* For messages, may be NULL: layouts that have keys for it, such as "gb, de or fr"; "" for
	 * none. */
	const char *(*elsewhere)(void *data, uint32_t codepoint);
	/* What a key types with those modifiers, as its cap has it; "" for what is no sign. Returns
	 * whether it is a dead key's. May be NULL where no key is told of. */
	bool (*cap)(void *data, lurk_key key, uint16_t modifiers, char out[LURK_CAP]);
	/* Where texts follow the layout that is active at the press: those of the index-th that may
	 * be, and its number (lurk_layout_number()); false past the last. NULL where this one
	 * counts whatever is active. */
	bool (*each)(void *data, unsigned index, struct lurk_characters *one, uint32_t *layout);
};

/* The first character of a text in UTF-8: how many bytes it has, 0 where there is none or they are
 * not well formed. */
size_t lurk_character_read(const char *text, size_t length, uint32_t *codepoint);

enum lurk_name_kind {
	LURK_NAME_PRESS,     /* one thing: `press` */
	LURK_NAME_MANY,      /* several keys: `keys` */
	LURK_NAME_NUMBER,    /* a bare number: lurk_name_reading() */
	LURK_NAME_CHARACTER, /* a character, and no layout that has it */
	LURK_NAME_UNKNOWN,   /* nothing; `keys` are those with names nearly the same, best first */
};

enum { LURK_NAME_KEYS = 8 };

struct lurk_name {
	uint8_t kind; /* enum lurk_name_kind */
	struct lurk_press press;
	uint8_t count;
	lurk_key keys[LURK_NAME_KEYS];
	uint32_t decimal, hex; /* a bare number's value read either way */
	bool is_decimal;       /* made of digits 0 to 9 only */
};

/* Reads `length` bytes of UTF-8. `characters` may be NULL: letters are then those of a US layout
 * and other characters LURK_NAME_CHARACTER. Returns name->kind. */
enum lurk_name_kind lurk_name_read(const char *text, size_t length,
				   const struct lurk_characters *characters,
				   struct lurk_name *name);

/* One way in which people meet numbers for keys. */
struct lurk_reading {
	const char *as; /* such as "set 1" or "event code" */
	lurk_scan scan; /* kind LURK_SCAN_NONE for an event code */
	lurk_key key;
};

/* The index-th way to read a bare number in which it names a key; false past the last. */
bool lurk_name_reading(const struct lurk_name *name, unsigned index, struct lurk_reading *reading);

/* The word among `count` that is nearly the same as the first, for "did you mean"; NULL where none
 * is. */
const char *lurk_name_nearest(const char *word, const char *const *words, size_t count);

LURK_END_C

#endif
