/* A rig on the simulated desk. */
#ifndef LURK_TESTS_RIG_H
#define LURK_TESTS_RIG_H

#include "contract.h"
#include "lurk/desk/sim.h"

struct sim_rig {
	struct contract_rig rig;
	struct lurk_desk desk;
	struct lurk_sim *sim;
	char folder[64];
	char got[CONTRACT_GOT];
	size_t length;
};

/* `desk` as in a desk file, below `keyboards:`. */
struct sim_rig *sim_rig_make(const char *keyboards);
void sim_rig_end(struct sim_rig *r);
/* A finger on a key of any keyboard, by its label; time goes on by 10 ms. */
void sim_rig_key(struct sim_rig *r, unsigned keyboard, const char *label, bool down);
/* What the programs got, as "KeyA+ "; forgotten afterwards. */
const char *sim_rig_got(struct sim_rig *r);

#endif
