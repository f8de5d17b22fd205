/*
 * Keys in words: what a name that cannot be taken is answered with, and how targets, presses and
 * results are written.
 */
#ifndef LURK_TEXT_WORDS_H
#define LURK_TEXT_WORDS_H

#include "lurk/name.h"
#include "text/file.h"

enum { LURK_WORDS = 160 };

/* Reads a name; where it is not one thing, false with a message that says why and what to write. */
bool lurk_words_press(const char *text, const struct lurk_characters *characters,
		      struct lurk_press *press, struct lurk_message *message);

/* "CapsLock", "Alt", "any Enter", "hid:07:39". Returns out. */
const char *lurk_words_target(const struct lurk_target *target, char out[LURK_WORDS]);
/* With modifiers: "Shift+Digit3", "only KeyH". */
const char *lurk_words_for_press(const struct lurk_press *press, char out[LURK_WORDS]);
/* "Enter", "nothing", "the text \"…\"". */
const char *lurk_words_result(const struct lurk_result *result, char out[LURK_WORDS]);
/* A key by name, or its scan code where it has none. */
const char *lurk_words_key(lurk_key key, lurk_scan scan, char out[LURK_WORDS]);

#endif
