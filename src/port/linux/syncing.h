/*
 * What was written goes to the disk, which may take seconds where much else does: by a thread, so
 * that no key waits for it. One write at a time; who comes second waits for the first.
 */
#ifndef LURK_PORT_LINUX_SYNCING_H
#define LURK_PORT_LINUX_SYNCING_H

#include <pthread.h>
#include <stdbool.h>
#include <stdint.h>

#include "port/slots.h"

struct lurk_syncing {
	int ended;      /* an eventfd: readable when one has; -1 where none is ever begun */
	unsigned begun; /* so many were */
	uint64_t told;  /* of so many it is known that they ended */
	bool running;   /* the thread has to be joined */
	pthread_t thread;
	struct lurk_slots_written file;
	struct lurk_slots_synced now, all; /* of the one that runs; of all since it was asked */
};

/* False with what the system said where it cannot be had. */
bool lurk_syncing_open(struct lurk_syncing *s);
/* Waits for what is on its way. */
void lurk_syncing_close(struct lurk_syncing *s);

/* How many were begun; 0 while none is on its way. */
unsigned lurk_syncing_now(const struct lurk_syncing *s);
/* Takes a written file over. Where there is no thread to be had it is on the disk on return. */
void lurk_syncing_begin(struct lurk_syncing *s, uint32_t owner, unsigned slot,
			const struct lurk_slots_written *file);
/* Whether nothing is on its way any more; then what came of all since this was last true. */
bool lurk_syncing_ended(struct lurk_syncing *s, struct lurk_slots_synced *all);

#endif
