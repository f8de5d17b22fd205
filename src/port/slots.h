/* Storage slots as files of a folder, for ports that have a file system: "slot-00" and on. Only
 * plain files are read and written, never what a link points to or a pipe gives. */
#ifndef LURK_PORT_SLOTS_H
#define LURK_PORT_SLOTS_H

#include <stddef.h>
#include <stdint.h>

#include "lurk/error.h"
#include "lurk/image.h"

/* What an errno means that a file system gave. */
enum lurk_error lurk_slots_error(int error);

/* The folder of an owner's slots, below the computer's (LURK_NOBODY), into the caller's memory of
 * PATH_MAX bytes. */
const char *lurk_slots_of(const char *folder, uint32_t owner, char *path);

/* Makes the computer's folder where it is not there. 0, or the errno of why nothing could be stored
 * in it now. */
int lurk_slots_probe(const char *folder);

/* Takes away what belongs to such owners; whoever was in no such file stays. */
void lurk_slots_tidy(const char *folder, const char *users);

/* As lurk_port_class.slot_read; *length is at most `size`. */
enum lurk_error lurk_slots_read(const char *folder, unsigned slot, uint8_t *bytes, size_t size,
				size_t *length);

/* A slot that is written and not on the disk yet: the file, and its folder for its entry there. */
struct lurk_slots_written {
	int file, folder;
};

/* Whose slots: an owner's, below the computer's folder. Beside them lies, in `account`, the name
 * that the user has in a file like /etc/passwd: an owner who is not there any more, or by another
 * name, is somebody else, or nobody. */
struct lurk_slots_place {
	const char *folder;
	uint32_t owner;
	const char *users;
};
enum { LURK_SLOTS_PERSONS = 64 };

/* As lurk_port_class.slot_write: on the disk when it returns, with the folder's entry; or, with
 * `later`, written and to be given to lurk_slots_sync(), which closes it. The owner's folder is
 * made where there is none: LURK_ERR_ROOM where so many persons have one already. Of `length` bytes
 * only the first `count` are written, for a desk whose power goes. Any thread may call it. */
enum lurk_error lurk_slots_write(const struct lurk_slots_place *place, unsigned slot,
				 const uint8_t *bytes, size_t count, size_t length,
				 struct lurk_slots_written *later);
enum lurk_error lurk_slots_sync(const struct lurk_slots_written *slot);

#endif
