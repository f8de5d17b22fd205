/* Texts in UTF-8: character by character, never a part of one; whatever the locale is. */
#ifndef LURK_INCLUDE_TEXT_UTF8_H
#define LURK_INCLUDE_TEXT_UTF8_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <wchar.h>

#include "lurk/declare.h"

LURK_BEGIN_C

/* The character that begins there, and the text after it; U+FFFD for a byte that begins none. */
wchar_t lurk_utf8_next(const char **text);

/* Whether all of it is UTF-8. */
bool lurk_utf8_is(const char *text);

/* One character as UTF-8. Returns out. */
const char *lurk_utf8_write(uint32_t c, char out[5]);

/* How many columns of a terminal it takes, below 0 where it is no sign at all; its capital. */
int lurk_utf8_width(wchar_t c);
wchar_t lurk_utf8_upper(wchar_t c);

/* How many characters it has; how many columns of a terminal it takes. */
unsigned lurk_utf8_count(const char *text);
unsigned lurk_utf8_columns(const char *text);

/* Appends what there is room for in `size` bytes with the closing NUL, and no part of a character.
 */
void lurk_append(char *out, size_t size, const char *text);

/* Takes the last character away. */
void lurk_drop_last(char *text);

LURK_END_C

#endif
