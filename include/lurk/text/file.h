/* Whole files: read within limits, written atomically. */
#ifndef LURK_INCLUDE_TEXT_FILE_H
#define LURK_INCLUDE_TEXT_FILE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "lurk/declare.h"

LURK_BEGIN_C

/* How long a path may be, with its NUL: Linux's PATH_MAX. */
enum { LURK_PATH = 4096 };

/* One line that says what is wrong, where, and what would be right. */
struct lurk_message {
	char text[768];
};

#define LURK_PRINTF(text, first) __attribute__((format(printf, text, first)))

/* Sets the message; returns false, so that a reader can end with it. */
bool lurk_say(struct lurk_message *message, const char *format, ...) LURK_PRINTF(2, 3);

/* Whether a terminal would do something else with a character than show it: control characters,
 * separators of lines, marks of direction, what is no character. */
bool lurk_is_harmful(uint32_t c);

/* Whether a text is the beginning of a character that ends later. */
bool lurk_is_cut(const char *text, size_t length);

/* Texts may come from anywhere, and control characters in them would be obeyed by a terminal: each
 * becomes a question mark, as does a byte that is no UTF-8. A character that was cut off at the end
 * is left out. The text becomes no longer. */
void lurk_make_harmless(char *text);

enum { LURK_FILE_MAX = 1 << 20 };

/* All that follows acts, where root calls it, as the owner of the folder: in somebody's home it
 * reaches no further than that person does, and what it makes is that person's. */

/* Reads a plain file into memory to be freed; a NUL follows the bytes. False with a message where
 * it cannot be read or is larger than LURK_FILE_MAX. *exists tells whether it is there at all. */
bool lurk_file_read(const char *path, char **bytes, size_t *length, bool *exists,
		    struct lurk_message *message);

/* Writes a new file beside it, flushes it to the disk and puts it in the old one's place, with the
 * old one's permissions; a new one has what the caller gives new files. A symbolic link stays one,
 * and what is no plain file is refused. Missing folders are made. */
bool lurk_file_write(const char *path, const char *bytes, size_t length,
		     struct lurk_message *message);

/* The same, but only where what is there is what was seen before: what somebody else has written
 * meanwhile is never lost. */
struct lurk_file_seen {
	bool exists;
	char *bytes;
	size_t length;
};
bool lurk_file_replace(const char *path, const char *bytes, size_t length,
		       const struct lurk_file_seen *seen, struct lurk_message *message);

/* Takes a file away, but only where it is what was seen before. */
bool lurk_file_remove(const char *path, const struct lurk_file_seen *seen,
		      struct lurk_message *message);

/* A new file for nobody else's eyes: a copy of what may be private. Where there is one already
 * nothing is written, and *taken says so. */
bool lurk_file_add_secret(const char *path, const char *bytes, size_t length, bool *taken,
			  struct lurk_message *message);

/* Others at work on the files of a folder are waited for, that each edit starts from what the one
 * before it left; for ten seconds at most, since anybody who may read the folder can lock it, and
 * lurk_file_replace() loses nothing without. -1 where there is no such folder. */
int lurk_file_lock(const char *path);
void lurk_file_unlock(int *lock);

LURK_END_C

#endif
