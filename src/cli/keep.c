/* keep: what is being tried, for good. */
#include <inttypes.h>

#include "cli/commands.h"
#include "lurk/work/acting.h"

int cli_keep(struct cli *cli, int argc, char **argv)
{
	struct lurk_outcome outcome = {.error = LURK_OK};

	cli_parse_plain(cli, argc, argv,
			"Keep what `lurk try` is trying now, in this or another terminal: it is "
			"stored and stays in force.\vExample:\n  lurk keep");
	if (!cli_machine(cli))
		return CLI_COULD_NOT;
	if (!cli->machine->trying)
		return cli_fail(CLI_FOUND, "nothing is being tried; `lurk try` tries the profile");
	if (!lurk_machine_keep(cli->machine, &outcome))
		return cli_fail(CLI_COULD_NOT, "%s", outcome.why.text);
	if (cli->json)
		puts("{\"kept\":true}");
	else
		printf("Kept, as version %" PRIu64 ": in force now%s.\n",
		       cli->machine->image ? cli->machine->image->sequence : 0,
		       lurk_survives(cli->machine) ? ", and again after every reboot" : "");
	return CLI_DONE;
}
