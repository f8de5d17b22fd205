/* What was done is noted, so that it can be taken back. Private to this room. */
#ifndef LURK_WORK_NOTED_H
#define LURK_WORK_NOTED_H

#include "lurk/work/workspace.h"

/* A step was noted under that number, or for 0 could not be, which is a caution. */
void lurk_workspace_noted(struct lurk_workspace *ws, unsigned number,
			  const struct lurk_message *why);

/* Puts bytes into a file's place, NULL to take it away, where it is as it was seen, and notes how
 * to take that back. */
bool lurk_workspace_put(struct lurk_workspace *ws, const char *path, const char *bytes,
			size_t length, const struct lurk_file_seen *old, const char *summary,
			struct lurk_message *message);

/* What could not be done whole is not done at all, as far as its parts were noted. Returns `went`.
 */
enum lurk_went lurk_workspace_whole(struct lurk_workspace *ws, enum lurk_went went);

#endif
