/* What was done is noted, so that it can be taken back. Private to this room. */
#ifndef LURK_WORK_NOTED_H
#define LURK_WORK_NOTED_H

#include "lurk/work/workspace.h"

/* A step was noted under that number, or for 0 could not be, which is a caution. */
void lurk_workspace_noted(struct lurk_workspace *ws, unsigned number,
			  const struct lurk_message *why);

#endif
