#include "work/home.h"

#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

void lurk_home_path(char *out, size_t size, const char *variable, const char *below_home,
		    const char *folder, const char *of_root)
{
	const char *base = getenv(variable), *home = getenv("HOME");

	if (base && *base == '/')
		snprintf(out, size, "%s/%s", base, folder);
	else if (geteuid() == 0)
		snprintf(out, size, "%s", of_root);
	else
		snprintf(out, size, "%s/%s/%s", home ? home : "", below_home, folder);
}
