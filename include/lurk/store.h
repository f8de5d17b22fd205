/*
 * The store: a ring of storage slots. The newest valid image wins; saving goes into the slot after
 * it and so never touches it. At whichever byte the power goes, the old or the new image is there,
 * whole. A slot in which something else lies is passed over.
 */
#ifndef LURK_INCLUDE_STORE_H
#define LURK_INCLUDE_STORE_H

#include "lurk/declare.h"
#include "lurk/port.h"

LURK_BEGIN_C

enum { LURK_SLOTS_MAX = 16 };

/* An image with a higher sequence is none of Lurk's, and not loaded. */
#define LURK_SEQUENCE_MAX (UINT64_C(1) << 53)

/* What was found in the slots. */
struct lurk_store_report {
	unsigned slots;
	int newest;                          /* the slot loaded, -1 where none is valid */
	enum lurk_error why[LURK_SLOTS_MAX]; /* LURK_OK, or why a slot was passed over */
	uint64_t sequence[LURK_SLOTS_MAX];   /* of the valid ones */
};

/* Loads an owner's (LURK_NOBODY: the computer's) newest valid image whose sequence is below
 * `before` (LURK_NEVER for the newest of all) into `bytes`. Returns LURK_ERR_EMPTY where there is
 * none. */
enum lurk_error lurk_store_load(struct lurk_port *port, uint32_t owner, uint64_t before,
				uint8_t *bytes, size_t size, struct lurk_image *image,
				struct lurk_store_report *report);

/* Stamps a written image with the next sequence, the port's time and a user, and saves it. `report`
 * is what lurk_store_load() found, and is brought up to date. */
enum lurk_error lurk_store_save(struct lurk_port *port, uint32_t owner, uint8_t *bytes,
				size_t length, uint32_t by, struct lurk_store_report *report);

LURK_END_C

#endif
