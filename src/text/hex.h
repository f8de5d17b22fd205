/* Bytes as hexadecimal digits, as images travel in control messages. */
#ifndef LURK_TEXT_HEX_H
#define LURK_TEXT_HEX_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Writes 2 * length digits and a NUL. Returns out. */
char *lurk_hex_write(const uint8_t *bytes, size_t length, char *out);

/* Reads digits / 2 bytes. False where they are not all digits, or an odd number. */
bool lurk_hex_read(const char *text, size_t digits, uint8_t *bytes);

#endif
