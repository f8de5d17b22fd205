#include "cli/script.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>

FILE *cli_open_script(const char *path)
{
	FILE *file = strcmp(path, "-") ? fopen(path, "r") : stdin;

	if (!file)
		cli_fail(CLI_COULD_NOT, "%s: %s", path, strerror(errno));
	else if (isatty(fileno(file)))
		fputs("Type what happens on the desk, a line each, such as `press NumLock on "
		      "wagtail`; "
		      "Ctrl+D ends.\n",
		      stderr);
	return file;
}

bool cli_play_watched(struct cli *cli, const char *script, lurk_watch *watch, void *data,
		      struct lurk_message *message)
{
	struct lurk_computer *computer = cli_computer(cli);
	FILE *file = computer ? cli_open_script(script) : NULL;
	bool fine;

	if (!file)
		return lurk_say(message, "%s", "");
	lurk_session_watch(&computer->session, watch, data);
	fine = lurk_computer_play(computer, script, file, message);
	lurk_session_watch(&computer->session, NULL, NULL);
	if (file != stdin)
		fclose(file);
	return fine;
}
