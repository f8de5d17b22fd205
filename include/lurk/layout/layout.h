/*
 * Layouts: which characters keys give, and which key gives a character (libxkbcommon).
 */
#ifndef LURK_INCLUDE_LAYOUT_LAYOUT_H
#define LURK_INCLUDE_LAYOUT_LAYOUT_H

#include "lurk/declare.h"
#include "lurk/name.h"
#include "lurk/text/file.h"

LURK_BEGIN_C

struct lurk_layout;

/* Opens a layout of the system's xkb-data by its name, with a variant as in "de:nodeadkeys"; where
 * none has that name, the one that is called so in words ("Japanese"), or is for that country
 * ("UK"). NULL with a message where there is none, or several could be meant. */
struct lurk_layout *lurk_layout_open(const char *name, struct lurk_message *message);
/* The same with options as XKB has them, such as "compose:menu". */
struct lurk_layout *lurk_layout_open_with(const char *name, const char *options,
					  struct lurk_message *message);
/* Whether the system's files have one of that name, or seem to: they are looked through, and not
 * read, which is what takes long. */
bool lurk_layout_is_there(const char *name);
/* Those of a keymap in XKB's text format, at most so many, as a desktop has several in turn: how
 * many there are, 0 where it is none. Each is to be closed. */
unsigned lurk_layouts_of_keymap(const char *text, size_t length, struct lurk_layout *layouts[],
				unsigned most);
void lurk_layout_close(struct lurk_layout *layout);

/* For lurk_name_read() and for text: the key that gives a character, with Shift or AltRight where
 * needed, and the steps that type it. */
struct lurk_characters lurk_layout_characters(struct lurk_layout *layout);

enum { LURK_LAYOUT_STEPS = LURK_CHARACTER_STEPS };

/* Names of layouts, such as "gb, us or fr", that have keys for a character: "" where none of the
 * common ones has. Returns out. */
const char *lurk_layouts_with(uint32_t codepoint, char out[64]);

/* Tells the name of each layout and variant that the system has. */
void lurk_layouts_each(void (*tell)(void *data, const char *name), void *data);

/* What it is called: "gb"; in words: "English (UK)"; and by the words of its keymap as a number:
 * lurk_layout_number(), which the steps of a text are told apart by. */
const char *lurk_layout_name(struct lurk_layout *layout);
const char *lurk_layout_words(struct lurk_layout *layout);
uint32_t lurk_layout_number_of(const struct lurk_layout *layout);

/* What a key types, as its cap would say it: without modifiers, or with LURK_MOD_SHIFT,
 * LURK_MOD_RIGHT_ALT or both. An accent of a dead key stands by itself; digits of a keypad are
 * given as with Num Lock on. "" for what cannot be printed. Returns whether it is a dead key's. */
enum { LURK_LEGEND = LURK_CAP };
bool lurk_layout_legend(struct lurk_layout *layout, lurk_key key, uint16_t modifiers,
			char legend[LURK_LEGEND]);

/* What programs of a desktop take a key for, by XKB's number of that symbol; 0 for nothing. And
 * what XKB calls a symbol: "XF86Tools", which is what F13 is. Returns out. */
enum { LURK_SYMBOL = 40 };
uint32_t lurk_layout_symbol(struct lurk_layout *layout, lurk_key key);
const char *lurk_symbol_name(uint32_t symbol, char out[LURK_SYMBOL]);

/* Whether it has letters and signs that only AltRight reaches. */
bool lurk_layout_third_level(struct lurk_layout *layout);

/* Takes a key event as a desktop does and writes the text that it gives, empty where none. */
enum { LURK_LAYOUT_TEXT = 16 };
void lurk_layout_key(struct lurk_layout *layout, lurk_key key, enum lurk_state state,
		     char text[LURK_LAYOUT_TEXT]);

/* Bits 0 to 2: NumLock, CapsLock, ScrollLock are on. */
unsigned lurk_layout_lights(const struct lurk_layout *layout);

/* All keys up, all locks off. */
void lurk_layout_reset(struct lurk_layout *layout);

LURK_END_C

#endif
