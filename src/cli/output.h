/* What a command says where something is wrong, and how it ends. */
#ifndef LURK_CLI_OUTPUT_H
#define LURK_CLI_OUTPUT_H

#include "terminal/terminal.h"
#include "lurk/text/words.h"

/* Exit statuses, as enum lurk_went has them. */
enum { CLI_DONE = 0, CLI_FOUND = 1, CLI_USAGE = 2, CLI_COULD_NOT = 3 };

/* Prints "lurk: …" on standard error and returns the status. */
int cli_fail(int status, const char *format, ...) LURK_PRINTF(2, 3);

/* From now on an exit, also one of a help text, fails where what was printed did not arrive. */
void cli_tell_unwritten(void);

/* From now on, where --json is among the words, or was read into `json`: whatever the command ends
 * with, a failure is told as an object as well, {"error": "...", "exit": 3}. */
void cli_tell_failures(char **argv, const bool *json);

#endif
