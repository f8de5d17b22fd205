/*
 * The contract: what every port must do. A port's own test makes a rig, which can do to the port's
 * keyboards what a person does and tell what the machine's programs get, and runs contract_run().
 *
 * The rig has one USB keyboard with a full set of keys, plugged in from the start.
 */
#ifndef LURK_TESTS_CONTRACT_H
#define LURK_TESTS_CONTRACT_H

#include "../core/check.h"

#include "lurk/port.h"

/* As much as programs get from one look to the next. */
enum { CONTRACT_GOT = 1 << 16 };

struct contract_rig {
	struct lurk_port *port;
	void *data;
	uint16_t number; /* the port's number for the keyboard */
	/* A finger on a key. */
	void (*press)(struct contract_rig *rig, lurk_key key, bool down);
	void (*plug)(struct contract_rig *rig, bool in);
	/* From now on keys are pressed and released again and again, in the midst of whatever the
	 * port does; or no more, and all are up. */
	void (*hammer)(struct contract_rig *rig, bool on);
	/* Programs read what has come; where they keep up by themselves, NULL. */
	void (*look)(struct contract_rig *rig);
	/* Programs open what is new. */
	void (*open)(struct contract_rig *rig);
	/* Writes what the programs got since the last call, as "KeyA+ KeyA- ". False where one
	 * could not read as fast as things came, and asked what is down: then the kernel tells of
	 * what is taken, too. */
	bool (*got)(struct contract_rig *rig, char *out, size_t size);
	/* The power goes after so many stored bytes, and comes back. */
	void (*cut_power)(struct contract_rig *rig, size_t after_bytes);
	void (*restart)(struct contract_rig *rig);
};

/* Makes a fresh rig, and takes it apart. */
typedef struct contract_rig *contract_make(void);
typedef void contract_end(struct contract_rig *rig);

int contract_run(const char *name, contract_make *make, contract_end *end);

#endif
