/*
 * Keys: what a scan code stands for.
 *
 * A key is named by its W3C UI Events `code` value, which no layout and no language changes; where
 * the W3C has no name, by its Linux event code name. Its number is its Linux event code (linux/
 * input-event-codes.h), 1 to LURK_KEY_MAX; 0 is no key. All that is known of a key stands in
 * lurk/keys.def, and every function here is derived from that one table.
 *
 * Strings returned are constant, NUL-terminated UTF-8 and live for ever.
 */
#ifndef LURK_INCLUDE_KEY_H
#define LURK_INCLUDE_KEY_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "lurk/declare.h"

LURK_BEGIN_C

typedef uint16_t lurk_key;

enum {
	LURK_KEY_NONE = 0,
#define KEY(code, name, w3c, meaning, side) LURK_KEY_##name = code,
#define BTN(code, name, w3c, meaning, side) LURK_KEY_BTN_##name = code,
#include "lurk/keys.def"
	LURK_KEY_MAX = 0x2ff,
	LURK_KEY_COUNT = LURK_KEY_MAX + 1,
};

/* Where on the keyboard a key is, when another has the same meaning (KeyboardEvent.location). */
enum lurk_side { LURK_SIDE_NONE, LURK_SIDE_LEFT, LURK_SIDE_RIGHT, LURK_SIDE_NUMPAD };

/* The name of a key: W3C code, else event code name. "" for a number that names no key. */
const char *lurk_key_name(lurk_key key);
/* Its W3C code, "" where it has none. */
const char *lurk_key_w3c(lurk_key key);
/* Its event code name, such as "KEY_CAPSLOCK"; "" for a number that names no key. */
const char *lurk_key_evdev_name(lurk_key key);
/* Its meaning (KeyboardEvent.key; a US layout's character for keys that type), "" where none is
 * defined. */
const char *lurk_key_meaning(lurk_key key);
enum lurk_side lurk_key_side(lurk_key key);

/* Whether the number names a key. */
bool lurk_key_known(lurk_key key);
/* The known key with the next higher number, LURK_KEY_NONE after the last; start with
 * LURK_KEY_NONE. */
lurk_key lurk_key_next(lurk_key key);

/* Modifiers come in pairs. The other side of one of the eight modifier keys, LURK_KEY_NONE for any
 * other key. */
lurk_key lurk_key_other_side(lurk_key key);
/* What both sides of a pair are called together: "Alt", "Control", "Shift" or "Meta"; "" for a key
 * that is no modifier of a pair. */
const char *lurk_key_pair_name(lurk_key key);

/* Whether two keys have one meaning, as Enter and NumpadEnter do. */
bool lurk_key_same_meaning(lurk_key a, lurk_key b);

LURK_END_C

#endif
