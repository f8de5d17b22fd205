/*
 * The service set up for the machine, and taken away again, by systemd and by root. Its files are
 * put in their places by the package or by `meson install`; this makes the system take notice.
 */
#ifndef LURK_INCLUDE_WORK_SETUP_H
#define LURK_INCLUDE_WORK_SETUP_H

#include "lurk/declare.h"
#include "lurk/text/file.h"

LURK_BEGIN_C

/* Whether the caller may change the system, by `command`; else how it can be. */
bool lurk_setup_as_root(const char *command, struct lurk_message *message);
/* Whether this can be done here, by `command`; else how it can. */
bool lurk_setup_possible(const char *command, struct lurk_message *message);
/* The service runs then, as far as the system knows, now and after every start. */
bool lurk_setup(struct lurk_message *message);
/* It does not, tables are as ever, and what it stored is gone; profiles are their owners'. */
bool lurk_setup_undo(struct lurk_message *message);

LURK_END_C

#endif
