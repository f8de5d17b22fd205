/* Watching a machine from a terminal. */
#ifndef LURK_TERMINAL_WATCH_H
#define LURK_TERMINAL_WATCH_H

#include "lurk/work/machine.h"

struct term_watch {
	struct lurk_watching watching;
	const char *prompt; /* said on standard error once presses are seen, none before; or NULL */
	/* What is typed on the terminal, which neither echoes it nor keeps it for the shell. NULL
	 * for nothing; false ends the watch. */
	bool (*typed)(void *data, char character);
};

/* lurk_machine_watch() from a terminal; Ctrl+C ends it too. */
bool term_watch(struct lurk_machine *machine, const struct term_watch *watch,
		struct lurk_message *message);

#endif
