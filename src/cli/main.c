/* lurk: the command. Finds the subcommand and runs it. */
#include <stdlib.h>
#include <string.h>

#include "cli/commands.h"

static const struct cli_command commands[] = {
	{"Find out", "", "", NULL},
	{"identify", "", "press a key, see what it sends and gives", cli_identify},
	{"keyboards", "", "the keyboards here and known; name one", cli_keyboards},
	{"resolve", "WHAT...", "all the names and codes of a key", cli_resolve},
	{"reach", "KEY", "which keys to press for a key or chord", cli_reach},
	{"Change", "", "", NULL},
	{"map", "KEY RESULT", "give a key another job", cli_map},
	{"swap", "A B", "let two keys change places", cli_swap},
	{"disable", "KEY", "make a key do nothing", cli_disable},
	{"move", "KEY NEWKEY", "let another key take over a broken one's job", cli_move},
	{"restore", "KEY", "give a key its usual job back", cli_restore},
	{"profile", "list|...", "the profiles; a new one, renamed, removed", cli_profile},
	{"layout", "begin|...", "layouts of your own, in the desktop's menu", cli_layout},
	{"Look and check", "", "", NULL},
	{"show", "", "the rules, line by line", cli_show},
	{"picture", "", "the keyboard as a picture, labels, a card", cli_picture},
	{"check", "[PROFILE]", "what is wrong, and what would get lost", cli_check},
	{"diff", "[N [N]]", "what applying would change", cli_diff},
	{"status", "", "what is in force, and by which way", cli_status},
	{"Try and keep", "", "", NULL},
	{"try", "", "in force for half a minute, then as before", cli_try},
	{"keep", "", "keep what is being tried", cli_keep},
	{"apply", "", "put the profile into force, and keep it", cli_apply},
	{"use", "NAME", "switch to another profile", cli_use},
	{"Go back", "", "", NULL},
	{"undo", "", "take back the last edit or apply", cli_undo},
	{"off", "[KEY]", "all rules off, or those on a key", cli_off},
	{"on", "[KEY]", "on again", cli_on},
	{"versions", "", "what was applied before", cli_versions},
	{"rollback", "[N]", "an earlier version into force again", cli_rollback},
	{"help", "[back]", "of a command; which way back for which trouble", cli_help},
	{"The service", "", "", NULL},
	{"install", "", "set up the service", cli_install},
	{"uninstall", "", "take the service away again", cli_uninstall},
	{"hwdb", "", "rules that need no service, by udev", cli_hwdb},
	{"For experts, and for trying things out", "", "", NULL},
	{"decode", "FILE", "read raw wire bytes", cli_decode},
	{"play", "SCRIPT", "play a script on a simulated desk", cli_play},
	{"demo", "", "the whole story on a simulated desk", cli_demo},
	{"complete", "-- WORD...", "what may stand there, for the shell", cli_complete},
	{0},
};

int main(int argc, char **argv)
{
	const char *desk = getenv("LURK_DESK");
	static struct cli cli; /* what is done at the exit looks at it */
	int status = -1, first;

	cli = (struct cli){.desk = desk && *desk ? desk : NULL, .argv = argv};
	cli_tell_unwritten();
	term_guard();
	cli_tell_failures(argv, &cli.json);
	cli_commands = commands;
	first = cli_find_subcommand(&cli, argc, argv);
	if (!first)
		status = cli_overview(&cli);
	for (const struct cli_command *c = commands; first && c->name && status < 0; c++) {
		if (c->run && !strcmp(c->name, argv[first]))
			status = c->run(&cli, argc - first, argv + first);
	}
	if (status < 0)
		status = cli_unknown_command(argv[first]);
	if (!cli_close(&cli) && status == CLI_DONE)
		status = CLI_COULD_NOT;
	return status;
}
