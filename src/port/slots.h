/* Storage slots as files of a folder, for ports that have a file system: "slot-00" and on. Only
 * plain files are read and written, never what a link points to or a pipe gives. */
#ifndef LURK_PORT_SLOTS_H
#define LURK_PORT_SLOTS_H

#include <stddef.h>
#include <stdint.h>

#include "lurk/error.h"

/* What an errno means that a file system gave. */
enum lurk_error lurk_slots_error(int error);

/* As lurk_port_class.slot_read; *length is at most `size`. */
enum lurk_error lurk_slots_read(const char *folder, unsigned slot, uint8_t *bytes, size_t size,
				size_t *length);

/* As lurk_port_class.slot_write: on the disk when it returns, with the folder's entry. Of `length`
 * bytes only the first `count` are written, for a desk whose power goes. */
enum lurk_error lurk_slots_write(const char *folder, unsigned slot, const uint8_t *bytes,
				 size_t count, size_t length);

#endif
