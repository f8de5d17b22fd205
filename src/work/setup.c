#include "lurk/work/setup.h"

#include <fcntl.h>
#include <limits.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/wait.h>
#include <unistd.h>

/* Runs a program of the system, from where the system has it and with nothing of what the caller
 * has set; its output is shown only where it fails. */
static bool run(const char *const *words, bool loud)
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

#define RUN(...) run((const char *const[]){__VA_ARGS__, NULL}, true)
#define TRY(...) run((const char *const[]){__VA_ARGS__, NULL}, false)

bool lurk_setup_possible(const char *command, struct lurk_message *message)
{
	if (geteuid())
		return lurk_say(message,
				"this changes the system: run it as root, as in `sudo lurk %s`",
				command);
	return access("/run/systemd/system", F_OK) == 0 ||
	       lurk_say(message,
			"this system is not run by systemd: let your init start %s, as root or as "
			"a user of the groups input and lurkd",
			LURK_LURKD);
}

bool lurk_setup(struct lurk_message *message)
{
	if (access(LURK_UNIT, F_OK))
		return lurk_say(message,
				"%s is not there: install the package lurk, or run `meson install` "
				"in the sources first",
				LURK_UNIT);
	if (!RUN("systemd-sysusers") || !RUN("systemctl", "daemon-reload"))
		return lurk_say(message, "the system could not be told of the service");
	TRY("udevadm", "control", "--reload");
	TRY("modprobe", "uinput");
	TRY("udevadm", "trigger", "--name-match=uinput");
	TRY("udevadm", "settle");
	return (RUN("systemctl", "enable", "lurkd.service") &&
		RUN("systemctl", "restart", "lurkd.service")) ||
	       lurk_say(message, "the service does not start; `systemctl status lurkd` says why");
}

bool lurk_setup_undo(struct lurk_message *message)
{
	if (!RUN("systemctl", "disable", "--now", "lurkd.service"))
		return lurk_say(message, "the service cannot be stopped; `systemctl status lurkd` "
					 "says why");
	/* Where it had been killed, tables are still changed. */
	if (access("/var/lib/lurk/rules", F_OK) == 0 && !RUN(LURK_LURKD, "--restore"))
		return lurk_say(message, "the kernel's tables could not be put back; a reboot does "
					 "that");
	TRY("rm", "-rf", "--", "/var/lib/lurk");
	TRY("userdel", "lurkd");
	TRY("groupdel", "lurkd");
	TRY("groupdel", "lurk");
	return true;
}
