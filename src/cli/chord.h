/* The off chord, asked for once: some keyboards cannot send all of its keys together. */
#ifndef LURK_CLI_CHORD_H
#define LURK_CLI_CHORD_H

#include "cli/cli.h"

/* Asks for it, on a desk by a script (NULL for standard input), and says whether it arrives;
 * returns an exit status. */
int cli_test_chord(struct cli *cli, const char *script);

#endif
