/* Bare `lurk`: in a few lines what is in force, and what to type next. */
#include "cli/commands.h"
#include "tell/status.h"
#include "tell/storage.h"

int cli_overview(struct cli *cli)
{
	unsigned pending = 0;
	char count[LURK_COUNT_WORDS];

	if (!cli_read_files_if_good(cli))
		return CLI_COULD_NOT;
	if (cli_machine_if_any(cli))
		pending = cli_pending(cli);
	if (cli->json) {
		term_json(tell_overview_json(cli->machine, &cli->ws, pending));
		return CLI_DONE;
	}
	tell_overview(stdout, cli->machine);
	if (cli->machine)
		tell_storage(stdout, cli->machine);
	if (pending)
		printf("%s has %s not in force yet.\n", cli->ws.profile_path,
		       lurk_words_count(pending, "difference", count));
	puts("\nNext:");
	if (pending)
		puts("  lurk apply             put the file into force");
	puts("  lurk identify          press a key, see what it sends and gives\n"
	     "  lurk map KEY RESULT    give a key another job\n"
	     "  lurk picture           the keyboard with what each key gives\n"
	     "  lurk show              the rules, line by line\n"
	     "  lurk --help            everything else");
	return CLI_DONE;
}
