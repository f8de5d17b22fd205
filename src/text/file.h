/* Whole files: read within limits, written atomically. */
#ifndef LURK_TEXT_FILE_H
#define LURK_TEXT_FILE_H

#include <stdbool.h>
#include <stddef.h>

/* One line that says what is wrong, where, and what would be right. */
struct lurk_message {
	char text[768];
};

#define LURK_PRINTF(text, first) __attribute__((format(printf, text, first)))

/* Sets the message; returns false, so that a reader can end with it. */
bool lurk_say(struct lurk_message *message, const char *format, ...) LURK_PRINTF(2, 3);

/* Texts may come from anywhere, and control characters in them would be obeyed by a terminal: each
 * becomes a question mark, as does a byte that is no UTF-8. A character that was cut off at the end
 * is left out. The text becomes no longer. */
void lurk_make_harmless(char *text);

enum { LURK_FILE_MAX = 1 << 20 };

/* Reads a file into memory to be freed; a NUL follows the bytes. False with a message where it
 * cannot be read or is larger than LURK_FILE_MAX. *exists tells whether it is there at all. */
bool lurk_file_read(const char *path, char **bytes, size_t *length, bool *exists,
		    struct lurk_message *message);

/* Writes a new file beside it, flushes it to the disk and puts it in the old one's place, with the
 * old one's permissions. A symbolic link stays one, and what is no plain file is refused. Missing
 * folders are made. */
bool lurk_file_write(const char *path, const char *bytes, size_t length,
		     struct lurk_message *message);

#endif
