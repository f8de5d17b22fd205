/*
 * What is stored is written, and gets to the disk, which may take seconds where much else does: by
 * a thread, so that no key waits for it for longer than a moment. One at a time: who stores has
 * seen lurk_syncing_ended(), or waits here for the first.
 */
#ifndef LURK_PORT_LINUX_SYNCING_H
#define LURK_PORT_LINUX_SYNCING_H

#include <pthread.h>
#include <semaphore.h>
#include <stdbool.h>
#include <stdint.h>

#include "lurk/linux/linux.h"
#include "port/slots.h"

struct lurk_syncing {
	int ended;      /* an eventfd: readable when one has; -1 where none is ever begun */
	unsigned begun; /* so many were */
	uint64_t told;  /* of so many it is known that they ended */
	bool running;   /* the thread has to be joined */
	pthread_t thread;
	sem_t written;         /* posted when the thread knows whether it could write */
	enum lurk_error error; /* what writing it said */
	struct lurk_slots_place place;
	uint8_t *bytes; /* what the thread writes, which frees it */
	size_t length;
	struct lurk_linux_stored now, all; /* of the one that runs; of all since it was asked */
};

/* False with what the system said where it cannot be had. */
bool lurk_syncing_open(struct lurk_syncing *s);
/* Waits for what is on its way. */
void lurk_syncing_close(struct lurk_syncing *s);

/* Whether one is on its way. */
bool lurk_syncing_now(const struct lurk_syncing *s);
/* Writes a slot as lurk_slots_write() does. Where that says within a moment that it cannot, so does
 * this; else it is on its way, and the place's texts stay meanwhile. Where there is no thread to be
 * had it is on the disk on return. */
enum lurk_error lurk_syncing_write(struct lurk_syncing *s, const struct lurk_slots_place *place,
				   unsigned slot, const uint8_t *bytes, size_t length);
/* Whether nothing is on its way any more; then what came of all since this was last true. */
bool lurk_syncing_ended(struct lurk_syncing *s, struct lurk_linux_stored *all);

#endif
