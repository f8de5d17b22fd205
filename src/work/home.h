/* Where a person's files are. Private to this room. */
#ifndef LURK_WORK_HOME_H
#define LURK_WORK_HOME_H

#include <stddef.h>

/* A folder where the XDG base directory specification has a person's: below what the variable says,
 * else below the home. Root's are the machine's, unless the variable says otherwise as well. */
void lurk_home_path(char *out, size_t size, const char *variable, const char *below_home,
		    const char *folder, const char *of_root);

#endif
