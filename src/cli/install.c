/* install, uninstall: the service set up for the machine, and taken away again. The files are put
 * in their places by the package or by `meson install`; this makes the system take notice. */
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "cli/cli.h"

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

static int not_here(const char *command)
{
	if (geteuid())
		return cli_fail(CLI_COULD_NOT,
				"this changes the system: run it as root, as in `sudo lurk %s`",
				command);
	if (access("/run/systemd/system", F_OK))
		return cli_fail(
			CLI_COULD_NOT,
			"this system is not run by systemd: let your init start %s, as root "
			"or as a user of the groups input and lurkd",
			LURK_LURKD);
	return CLI_DONE;
}

static bool wait_for_service(struct cli *cli)
{
	for (int i = 0; i < 100; i++) {
		const struct timespec pause = {.tv_nsec = 100000000};

		if (cli_machine_if_any(cli))
			return true;
		nanosleep(&pause, NULL);
	}
	return false;
}

static int install(struct cli *cli)
{
	char count[48];
	unsigned here = 0;

	if (access(LURK_UNIT, F_OK))
		return cli_fail(CLI_COULD_NOT,
				"%s is not there: install the package lurk, or run `meson install` "
				"in the sources first",
				LURK_UNIT);
	if (!RUN("systemd-sysusers") || !RUN("systemctl", "daemon-reload"))
		return cli_fail(CLI_COULD_NOT, "the system could not be told of the service");
	TRY("udevadm", "control", "--reload");
	TRY("modprobe", "uinput");
	TRY("udevadm", "trigger", "--name-match=uinput");
	TRY("udevadm", "settle");
	if (!RUN("systemctl", "enable", "lurkd.service") ||
	    !RUN("systemctl", "restart", "lurkd.service") || !wait_for_service(cli))
		return cli_fail(CLI_COULD_NOT,
				"the service does not start; `systemctl status lurkd` says why");
	for (uint16_t i = 0; i < cli->machine->keyboard_count; i++)
		here += cli->machine->keyboards[i].present;
	printf("The service runs, and will after every reboot, before the login prompt: %s here.\n",
	       cli_count(here, "keyboard", count));
	puts("Root changes rules with /etc/lurk/profile.yaml, members of the group lurk with their "
	     "own: `sudo usermod -aG lurk NAME`.");
	if (isatty(STDIN_FILENO) && isatty(STDOUT_FILENO) && cli_read_files(cli))
		cli_test_chord(cli);
	puts("Next: `lurk identify` shows what a key sends. If anything goes wrong: `lurk help "
	     "back`.");
	return CLI_DONE;
}

int cli_install(struct cli *cli, int argc, char **argv)
{
	int status;

	cli_parse_plain(cli, argc, argv,
			"Set up the service, so that rules are in force now and after every "
			"reboot. Needs root.\vExample:\n  sudo lurk install");
	status = not_here("install");
	return status ? status : install(cli);
}

/* Everything of the service but the files that came with the package; profiles are their owners'.
 */
static int uninstall(void)
{
	if (!RUN("systemctl", "disable", "--now", "lurkd.service"))
		return cli_fail(CLI_COULD_NOT,
				"the service cannot be stopped; `systemctl status lurkd` says why");
	/* Where it had been killed, tables are still changed. */
	if (access("/var/lib/lurk/rules", F_OK) == 0 && !RUN(LURK_LURKD, "--restore"))
		return cli_fail(CLI_COULD_NOT, "the kernel's tables could not be put back; a "
					       "reboot does that");
	TRY("rm", "-rf", "--", "/var/lib/lurk");
	TRY("userdel", "lurkd");
	TRY("groupdel", "lurkd");
	TRY("groupdel", "lurk");
	puts("The service is stopped and does not start any more; every key does its usual job.");
	puts("Stored rules, what could be undone, and the user lurkd and the group lurk are gone.");
	puts("Profiles in /etc/lurk and ~/.config/lurk are yours and stay; the program goes with "
	     "its package.");
	return CLI_DONE;
}

int cli_uninstall(struct cli *cli, int argc, char **argv)
{
	int status;

	cli_parse_plain(cli, argc, argv,
			"Stop the service, put the kernel's tables back, and remove what is "
			"stored. Needs root.\vExample:\n  sudo lurk uninstall");
	status = not_here("uninstall");
	return status ? status : uninstall();
}
