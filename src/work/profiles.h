/* The profiles that stand beside each other in a folder. Private to this room. */
#ifndef LURK_WORK_PROFILES_H
#define LURK_WORK_PROFILES_H

#include "lurk/work/workspace.h"

/* Where the profile of that word stands, beside the one at `beside`. */
void lurk_profiles_path(const char *beside, const char *word, char out[PATH_MAX]);
/* Reads all beside the one that is worked on. */
bool lurk_profiles_read(struct lurk_workspace *ws, struct lurk_message *message);
void lurk_profiles_forget(struct lurk_workspace *ws);

#endif
