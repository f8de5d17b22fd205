/* A trial, with the view of what is pressed and the question at its end. */
#ifndef LURK_CLI_TRIAL_H
#define LURK_CLI_TRIAL_H

#include "cli/cli.h"

enum { CLI_TRY_SECONDS = 30 };

struct cli_trial {
	struct cli *cli;
	const char *script; /* on a desk: what happens meanwhile */
	unsigned seconds;
	bool force, keep_locks;
};

/* The whole of it; returns an exit status. */
int cli_try_now(const struct cli_trial *trial);

#endif
