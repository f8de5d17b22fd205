#include "work/system.h"

#include <fcntl.h>
#include <limits.h>
#include <spawn.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

const char *lurk_unit_state(char out[LURK_UNIT_STATE])
{
	FILE *told = access("/run/systemd/system", F_OK)
			     ? NULL
			     : popen("PATH=/usr/bin:/bin systemctl show --property=ActiveState "
				     "--value lurkd.service 2>/dev/null",
				     "re");

	*out = '\0';
	if (told && fgets(out, LURK_UNIT_STATE, told))
		out[strcspn(out, "\n")] = '\0';
	if (told)
		pclose(told);
	return out;
}

bool lurk_run(const char *const *words, bool loud)
{
	static const char *const folders[] = {"/usr/sbin", "/usr/bin", "/sbin", "/bin"};
	char *const environment[] = {"PATH=/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL=C.UTF-8", NULL};
	char path[PATH_MAX] = "";
	posix_spawn_file_actions_t quiet;
	int status = -1;
	pid_t child;
	bool fine;

	fflush(stdout);
	posix_spawn_file_actions_init(&quiet);
	posix_spawn_file_actions_addopen(&quiet, STDOUT_FILENO, "/dev/null", O_WRONLY, 0);
	if (!loud)
		posix_spawn_file_actions_adddup2(&quiet, STDOUT_FILENO, STDERR_FILENO);
	for (size_t i = 0; i < sizeof folders / sizeof *folders && access(path, X_OK); i++)
		snprintf(path, sizeof path, "%s%s%s", *words[0] == '/' ? "" : folders[i],
			 *words[0] == '/' ? "" : "/", words[0]);
	fine = !posix_spawn(&child, path, &quiet, NULL, (char *const *)(uintptr_t)words,
			    environment) &&
	       waitpid(child, &status, 0) == child && WIFEXITED(status) && !WEXITSTATUS(status);
	posix_spawn_file_actions_destroy(&quiet);
	return fine;
}
