/* Where files of layouts are, and what is in them. Private to this room. */
#ifndef LURK_WORK_OWN_PLACES_H
#define LURK_WORK_OWN_PLACES_H

#include "lurk/text/file.h"

/* The file of a layout in a folder as XKB has them. Returns out. */
const char *lurk_own_path(const char *folder, const char *name, char out[LURK_PATH]);

/* The file beside it of what comes after its dead keys. Returns out. */
const char *lurk_own_compose_path(const char *folder, const char *name, char out[LURK_PATH]);

/* Whether nothing is there yet; else the message says what is to be done. */
bool lurk_own_is_new(const char *path, const char *to_do, struct lurk_message *message);

/* What a file is as it is now, the bytes to be released; a missing one is none. */
bool lurk_own_see(const char *path, struct lurk_file_seen *seen, struct lurk_message *message);

/* The names of those in a folder, in an order. */
void lurk_own_each_in(const char *folder, void (*tell)(void *data, const char *name), void *data);

#endif
