/* Bare `lurk`: in a few lines what is in force, and what to type next. */
#include "cli/cli.h"

int cli_overview(struct cli *cli)
{
	const struct lurk_image *image = NULL;
	unsigned pending = 0, keyboards = 0;
	char rules[48], count[48], since[32];

	if (!cli_read_files_if_good(cli))
		return CLI_COULD_NOT;
	if (cli_machine_if_any(cli)) {
		image = cli->machine->image;
		pending = cli_pending(cli);
		for (uint16_t i = 0; i < cli->machine->keyboard_count; i++)
			keyboards += cli->machine->keyboards[i].present;
	}
	if (image && image->rule_count && !cli->machine->off)
		printf("%s in force on %s since %s%s.\n",
		       cli_count(cli_rules_in_force(cli->machine), "rule", rules),
		       cli_count(keyboards, "keyboard", count), cli_time(image->saved_at_us, since),
		       cli_survives(cli) ? ", and after every reboot" : "");
	else if (cli->machine && cli->machine->off)
		puts("All rules are off: every key does its usual job. `lurk on` switches them "
		     "on.");
	else if (cli->machine)
		puts("No rule is in force: every key does its usual job.");
	else
		puts("Lurk gives keys another job. Its service does not answer: `lurk status` says "
		     "why; --desk FOLDER works on a simulated desk.");
	if (cli->machine)
		cli_tell_bad_slots(cli);
	if (pending)
		printf("%s has %s not in force yet.\n", cli->profile_path,
		       cli_count(pending, "difference", count));
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
