/* The desk or the machine that is worked on, opened when it is first asked for. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "cli/cli.h"
#include "lurk/text/memory.h"

/* The demo's files, for a folder without a desk. */
extern const char cli_demo_desk[], cli_demo_keyboards[];

bool cli_make_desk(const char *folder, bool quiet)
{
	char path[PATH_MAX];
	struct lurk_message why;
	struct stat status;

	snprintf(path, sizeof path, "%s/desk.yaml", folder);
	if (stat(path, &status) == 0)
		return true;
	if (errno != ENOENT) {
		cli_fail(CLI_COULD_NOT, "%s: cannot be read: %s", path, strerror(errno));
		return false;
	}
	/* One folder is asked for, and not those that it is to stand in. */
	if (mkdir(folder, 0777) && errno != EEXIST) {
		cli_fail(CLI_COULD_NOT, "%s: no desk can be made there: %s", folder,
			 strerror(errno));
		return false;
	}
	if (!lurk_file_write(path, cli_demo_desk, strlen(cli_demo_desk), &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		return false;
	}
	snprintf(path, sizeof path, "%s/keyboards.yaml", folder);
	if (stat(path, &status) &&
	    !lurk_file_write(path, cli_demo_keyboards, strlen(cli_demo_keyboards), &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		return false;
	}
	if (!quiet)
		fprintf(stderr,
			"New desk in %s: the logging desk with Heron, Wagtail, Curlew and "
			"Dipper.\n",
			folder);
	return true;
}

/* `lurk status` tells of single slots that are bad; that none is good concerns every command. */
static void tell_lost_rules(const struct lurk_store_report *store)
{
	bool bad = false;

	for (unsigned i = 0; i < store->slots; i++)
		bad = bad || (store->why[i] && store->why[i] != LURK_ERR_EMPTY);
	if (bad && store->newest < 0)
		cli_fail(CLI_DONE, "nothing that is stored can be read, so no rule is in force; "
				   "`lurk status` says why, "
				   "`lurk apply` applies the file anew");
}

static struct lurk_machine *open_machine(struct cli *cli, struct lurk_message *message)
{
	if (!cli->machine && cli->desk) {
		struct lurk_computer *computer = cli_computer(cli);

		cli->machine = computer ? lurk_machine_of_desk(computer) : NULL;
	} else if (!cli->machine) {
		cli->machine =
			lurk_machine_of_service(getenv("LURK_SOCKET"), cli->computers, message);
	}
	return cli->machine;
}

struct lurk_machine *cli_machine(struct cli *cli)
{
	struct lurk_message why;

	if (!open_machine(cli, &why) && !cli->desk)
		cli_fail(CLI_COULD_NOT, "%s", why.text);
	return cli->machine;
}

struct lurk_machine *cli_machine_if_any(struct cli *cli)
{
	struct lurk_message unused;

	return open_machine(cli, &unused);
}

struct lurk_computer *cli_computer(struct cli *cli)
{
	struct lurk_message why;
	struct lurk_computer *computer;

	if (cli->computer)
		return cli->computer;
	if (!cli->desk) {
		cli_fail(CLI_COULD_NOT, "that is for simulated desks; name one with --desk FOLDER");
		return NULL;
	}
	if (!cli_make_desk(cli->desk, false))
		return NULL;
	computer = lurk_allocate(1, sizeof *computer);
	if (!lurk_computer_open(computer, cli->desk, &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		lurk_release(computer);
		return NULL;
	}
	tell_lost_rules(&computer->session.store);
	cli->computer = computer;
	return computer;
}
