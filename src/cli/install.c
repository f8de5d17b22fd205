/* install, uninstall: the service set up for the machine, and taken away again. */
#include <time.h>
#include <unistd.h>

#include "cli/chord.h"
#include "cli/commands.h"
#include "lurk/work/setup.h"

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
	struct lurk_message why;
	char count[LURK_COUNT_WORDS];
	unsigned here = 0;

	if (!lurk_setup_possible("install", &why) || !lurk_setup(&why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (!wait_for_service(cli))
		return cli_fail(CLI_COULD_NOT,
				"the service does not start; `systemctl status lurkd` says why");
	for (uint16_t i = 0; i < cli->machine->keyboard_count; i++)
		here += cli->machine->keyboards[i].present;
	printf("The service runs, and will after every reboot, before the login prompt: %s here.\n",
	       lurk_words_count(here, "keyboard", count));
	puts("Whoever is at the screen has rules of their own: `lurk map`, then `lurk apply`, "
	     "without "
	     "sudo. Root's, in /etc/lurk, hold for everybody; `sudo usermod -aG lurk NAME` lets "
	     "NAME "
	     "change those too.");
	if (isatty(STDIN_FILENO) && isatty(STDOUT_FILENO) && cli_read_files(cli))
		cli_test_chord(cli, NULL);
	puts("Next: `lurk identify` shows what a key sends. If anything goes wrong: `lurk help "
	     "back`.");
	return CLI_DONE;
}

int cli_install(struct cli *cli, int argc, char **argv)
{
	cli_parse_plain(cli, argc, argv,
			"Set up the service, so that rules are in force now and after every "
			"reboot. Needs root.\vExample:\n  sudo lurk install");
	return install(cli);
}

int cli_uninstall(struct cli *cli, int argc, char **argv)
{
	struct lurk_message why;

	cli_parse_plain(cli, argc, argv,
			"Stop the service, put the kernel's tables back, and remove what is "
			"stored. Needs root.\vExample:\n  sudo lurk uninstall");
	if (!lurk_setup_possible("uninstall", &why) || !lurk_setup_undo(&why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	puts("The service is stopped and does not start any more; every key does its usual job.");
	puts("Stored rules, what could be undone, and the user lurkd and the group lurk are gone.");
	puts("Profiles in /etc/lurk and ~/.config/lurk are yours and stay; the program goes with "
	     "its package.");
	return CLI_DONE;
}
