/*
 * Keys in words: what a name that cannot be taken is answered with, and how targets, presses and
 * results are written.
 */
#ifndef LURK_INCLUDE_TEXT_WORDS_H
#define LURK_INCLUDE_TEXT_WORDS_H

#include "lurk/declare.h"
#include "lurk/name.h"
#include "lurk/text/file.h"

LURK_BEGIN_C

enum { LURK_WORDS = 160 };

/* Reads a name; where it is not one thing, false with a message that says why and what to write. */
bool lurk_words_press(const char *text, const struct lurk_characters *characters,
		      struct lurk_press *press, struct lurk_message *message);

/* "CapsLock", "Alt", "any Enter", "hid:07:39". Returns out. */
const char *lurk_words_target(const struct lurk_target *target, char out[LURK_WORDS]);
/* With modifiers: "Shift+Digit3", "only KeyH". */
const char *lurk_words_for_press(const struct lurk_press *press, char out[LURK_WORDS]);
/* Chords of a result, as profiles have them: "Control+KeyC", "[Control+KeyA, KeyB]", as much as
 * there is room for. Returns out. */
const char *lurk_words_chords(struct lurk_text steps, char *out, size_t size);
/* "Enter", "nothing", "the text \"…\"". */
const char *lurk_words_result(const struct lurk_result *result, char out[LURK_WORDS]);
/* A rule: "NumLock gives Tab on heron". `keyboard` may be "". Returns out. */
const char *lurk_words_rule(const struct lurk_rule *rule, const char *keyboard, char *out,
			    size_t size);
/* Text from a file or an image, with control characters made harmless. Returns out. */
const char *lurk_words_text(struct lurk_text text, char *out, size_t size);
/* "1 rule", "2 rules". Returns out. */
enum { LURK_COUNT_WORDS = 48 };
const char *lurk_words_count(unsigned count, const char *one, char out[LURK_COUNT_WORDS]);
/* A key by name, or its scan code where it has none. */
const char *lurk_words_key(lurk_key key, lurk_scan scan, char out[LURK_WORDS]);

/* What a key means: its cap in the layout where it types, else as lurk_key_meaning(). */
const char *lurk_words_meaning(lurk_key key, const struct lurk_characters *characters,
			       char cap[LURK_CAP]);
/* What is told, with what stands on the cap wherever a key is named whose cap says something else:
 * "Backslash (`#` here) gives Tab", "Shift+Digit3 (`£` here)"; each once, and none within quotes.
 * Without `characters`, or where these know no caps, as it is. Returns out. */
const char *lurk_words_with_caps(const char *told, const struct lurk_characters *characters,
				 char *out, size_t size);

LURK_END_C

#endif
