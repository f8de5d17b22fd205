/* Where watching keys is not for whoever calls: asks for the administrator's password, if the
 * system has something that does, and begins anew as root; else says how. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/cli.h"
#include "lurk/text/memory.h"

#define PKEXEC "/usr/bin/pkexec"

/* The same command, for the same profile: pkexec keeps nothing of the caller's surroundings. */
static void begin_anew(struct cli *cli)
{
	char self[PATH_MAX], profile[PATH_MAX + 16];
	char **words;
	size_t count = 0, n = 0;
	ssize_t length = readlink("/proc/self/exe", self, sizeof self - 1);

	while (cli->argv[count])
		count++;
	words = lurk_allocate(count + 4, sizeof *words);
	if (length < 0 || !words) {
		lurk_release(words);
		return;
	}
	self[length] = '\0';
	snprintf(profile, sizeof profile, "--profile=%s", cli->ws.profile_path);
	words[n++] = (char *)(uintptr_t)PKEXEC;
	words[n++] = self;
	for (size_t i = 1; i < count; i++)
		words[n++] = cli->argv[i];
	if (!cli->ws.wanted)
		words[n++] = profile;
	fputs("Only root may watch keys here: the administrator's password is asked for.\n",
	      stderr);
	fflush(stdout);
	execv(PKEXEC, words);
	lurk_release(words);
}

bool cli_may_watch(struct cli *cli, const char *command)
{
	if (cli->machine->desk || cli->machine->may_watch)
		return true;
	if (geteuid() && isatty(STDIN_FILENO) && isatty(STDERR_FILENO) &&
	    access(PKEXEC, X_OK) == 0 && access("/run/dbus/system_bus_socket", F_OK) == 0)
		begin_anew(cli);
	cli_fail(CLI_COULD_NOT,
		 "watching keys is for root here, since passwords can be read so: `sudo lurk %s`; "
		 "at the computer's own screen you may do it yourself, unless its owner has set "
		 "that "
		 "only root may",
		 command);
	return false;
}
