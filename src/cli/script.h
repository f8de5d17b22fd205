/* Scripts for a simulated desk. */
#ifndef LURK_CLI_SCRIPT_H
#define LURK_CLI_SCRIPT_H

#include "cli/cli.h"

/* Opens one: a path, "-" for standard input. NULL with the message printed. */
FILE *cli_open_script(const char *path);
/* Plays one on the desk, and shows every key event to `watch`. False with a message, which is ""
 * where it was printed. */
bool cli_play_watched(struct cli *cli, const char *script, lurk_watch *watch, void *data,
		      struct lurk_message *message);

#endif
