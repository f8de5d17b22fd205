/* lurk: the command. Finds the subcommand and runs it. */
#include <stdlib.h>
#include <string.h>

#include "cli/commands.h"

static const struct cli_command commands[] = {
	{"identify", "", "press a key, see what it sends and gives", cli_identify},
	{"keyboards", "", "the keyboards here and known; name one", cli_keyboards},
	{"resolve", "WHAT...", "all the names and codes of a key", cli_resolve},
	{"decode", "FILE", "read raw wire bytes", cli_decode},
	{"map", "KEY RESULT", "give a key another job", cli_map},
	{"swap", "A B", "let two keys change places", cli_swap},
	{"disable", "KEY", "make a key do nothing", cli_disable},
	{"move", "KEY NEWKEY", "let another key take over a broken one's job", cli_move},
	{"restore", "KEY", "give a key its usual job back", cli_restore},
	{"show", "", "the rules, line by line", cli_show},
	{"picture", "", "the keyboard as a picture, labels, a card", cli_picture},
	{"check", "[PROFILE]", "what is wrong, and what would get lost", cli_check},
	{"diff", "[N [N]]", "what applying would change", cli_diff},
	{"reach", "KEY", "which keys to press for a key or chord", cli_reach},
	{"try", "", "in force for half a minute, then as before", cli_try},
	{"keep", "", "keep what is being tried", cli_keep},
	{"apply", "", "put the profile into force, and keep it", cli_apply},
	{"use", "NAME", "switch to another profile", cli_use},
	{"profile", "list|new", "the profiles, or a new one", cli_profile},
	{"off", "[KEY]", "all rules off, or those on a key", cli_off},
	{"on", "[KEY]", "on again", cli_on},
	{"status", "", "what is in force, and by which way", cli_status},
	{"undo", "", "take back the last edit or apply", cli_undo},
	{"versions", "", "what was applied before", cli_versions},
	{"rollback", "[N]", "an earlier version into force again", cli_rollback},
	{"install", "", "set up the service", cli_install},
	{"uninstall", "", "take the service away again", cli_uninstall},
	{"play", "SCRIPT", "play a script on a simulated desk", cli_play},
	{"demo", "", "the whole story on a simulated desk", cli_demo},
	{"complete", "-- WORD...", "what may stand there, for the shell", cli_complete},
	{"help", "[back]", "of a command; which way back for which trouble", cli_help},
	{0},
};

int main(int argc, char **argv)
{
	const char *desk = getenv("LURK_DESK");
	struct cli cli = {.desk = desk && *desk ? desk : NULL, .argv = argv};
	int status = -1, first;

	term_guard();
	cli_commands = commands;
	first = cli_find_subcommand(&cli, argc, argv);
	if (!first)
		status = cli_overview(&cli);
	for (const struct cli_command *c = commands; first && c->name && status < 0; c++) {
		if (!strcmp(c->name, argv[first]))
			status = c->run(&cli, argc - first, argv + first);
	}
	if (status < 0)
		status = cli_unknown_command(argv[first]);
	if (!cli_close(&cli) && status == CLI_DONE)
		status = CLI_COULD_NOT;
	if (fflush(stdout) || ferror(stdout))
		return cli_fail(CLI_COULD_NOT, "the output could not be written");
	return status;
}
