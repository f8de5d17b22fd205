/*
 * The Linux port: the running kernel's keyboards, by evdev, uinput and udev.
 *
 * All event nodes of one physical device are one keyboard. Its table is that of its nodes, one
 * behind the other. Taken, each node is grabbed and has a virtual node of its own, which the kernel
 * repeats for and whose lights go back to the source.
 */
#ifndef LURK_INCLUDE_LINUX_LINUX_H
#define LURK_INCLUDE_LINUX_LINUX_H

#include "lurk/declare.h"
#include "lurk/port.h"
#include "lurk/text/file.h"

LURK_BEGIN_C

enum { LURK_LINUX_KEYBOARDS = 32, LURK_LINUX_SLOTS = 16, LURK_LINUX_SLOT_SIZE = 1 << 19 };

struct lurk_linux;

/* Opens the machine; rules are stored below `folder`, which is made where it is not there. Below
 * `memory`, as well, what the kernel's tables held is written before they change: for a later
 * process, until the computer is started anew. In a file system that is in memory no key waits for
 * a disk with that; NULL for `folder`. NULL with a message where the machine cannot be opened. */
struct lurk_linux *lurk_linux_new(const char *folder, const char *memory,
				  struct lurk_message *message);
/* Gives all keyboards back. Tables stay as they are: lurk_session_stop() restores them, also in a
 * later process, by the record of what they held. */
void lurk_linux_free(struct lurk_linux *machine);
struct lurk_port *lurk_linux_port(struct lurk_linux *machine);

/* For a service with other descriptors to wait on: these, and the machine's own, with one call, so
 * that a key is on its way as soon as may be. lurk_linux_wait() tells of those added that are
 * readable; then lurk_port_class.next gives what happened on the machine, and asks the kernel no
 * more. It waits no longer than until a time of lurk_port_class.elapsed. */
void lurk_linux_add(struct lurk_linux *machine, int fd);
void lurk_linux_wait(struct lurk_linux *machine, uint64_t until_us,
		     void (*ready)(void *data, int fd), void *data);

/* For a service whose keys are not to wait for a disk: from now on a thread writes a slot, and
 * slot_write() returns when that says whether it could, a second later at most; then the thread
 * sees to it that the slot is safe from a power cut. One at a time: another waits for the first.
 * Returns what is to be given to lurk_linux_add(), -1 where that cannot be had and nothing has
 * changed. */
int lurk_linux_store_later(struct lurk_linux *machine);
/* Whether any is on its way. */
bool lurk_linux_storing(const struct lurk_linux *machine);
/* When that descriptor is readable: whether none is on its way any more, and then which of them
 * was the first that is not safe, and why; LURK_OK where all are. */
struct lurk_linux_stored {
	uint32_t owner;
	unsigned slot;
	enum lurk_error error;
};
bool lurk_linux_stored(struct lurk_linux *machine, struct lurk_linux_stored *what);

LURK_END_C

#endif
