/* Bare `lurk`: in a few lines what is in force, and what to type next. */
#include "cli/cli.h"

int cli_overview(struct cli *cli)
{
	const struct lurk_image *image = NULL;
	unsigned pending = 0, keyboards = 0;
	char rules[48], count[48], since[32];

	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	if (cli_computer_if_any(cli)) {
		image = lurk_session_image(&cli->computer->session);
		pending = cli_pending(cli);
		for (uint16_t i = 0; i < cli->computer->session.memory.keyboard_count; i++)
			keyboards += cli->computer->session.memory.keyboards[i].present;
	}
	if (image && image->rule_count)
		printf("%s in force on %s since %s, and after every reboot.\n",
		       cli_count(image->rule_count, "rule", rules),
		       cli_count(keyboards, "keyboard", count),
		       cli_time(image->saved_at_us, since));
	else if (cli->computer)
		puts("No rule is in force: every key does its usual job.");
	else
		puts("Lurk gives keys another job. This build works on simulated desks: add --desk "
		     "FOLDER.");
	if (cli->computer)
		cli_tell_bad_slots(cli);
	if (pending)
		printf("%s has %s not in force yet.\n", cli->profile_path,
		       cli_count(pending, "difference", count));
	puts("\nNext:");
	if (pending)
		puts("  lurk apply             put the file into force");
	puts("  lurk identify          press a key, see what it sends and gives\n"
	     "  lurk map KEY RESULT    give a key another job\n"
	     "  lurk show              the rules, line by line\n"
	     "  lurk --help            everything else");
	return CLI_DONE;
}
