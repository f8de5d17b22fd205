/* picture -o in the command: drawing is another program's. */
#include <errno.h>
#include <string.h>
#include <unistd.h>

#include "cli/picture.h"

/* Beside this program where it was built, or where programs of programs are. */
static void find_drawer(char path[PATH_MAX])
{
	char self[PATH_MAX];
	ssize_t n = readlink("/proc/self/exe", self, sizeof self - 1);
	char *slash;

	self[n > 0 ? n : 0] = '\0';
	slash = strrchr(self, '/');
	if (slash) {
		snprintf(path, PATH_MAX, "%.*s/lurk-draw", (int)(slash - self), self);
		if (access(path, X_OK) == 0)
			return;
	}
	snprintf(path, PATH_MAX, "%s", LURK_DRAW);
}

static int hand_over(const struct cli *cli)
{
	char path[PATH_MAX];

	find_drawer(path);
	execv(path, cli->argv);
	return cli_fail(CLI_COULD_NOT,
			"%s: %s; it draws to files, and comes with lurk-pictures. Without -o "
			"pictures are shown here",
			path, strerror(errno));
}

const struct picture_drawer cli_drawer = {.hand_over = hand_over};
