/* The files of whoever calls, and what is said where they cannot be read. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/cli.h"
#include "lurk/work/naming.h"
#include "lurk/text/memory.h"
#include "lurk/work/differences.h"
#include "tell/words.h"

/* Whose keyboard is meant, asked at a terminal. */
static const char *ask_keyboard(void *data, const struct lurk_workspace *ws, const char *name)
{
	static char answer[64];
	const struct cli *cli = data;

	if (cli->json || !isatty(STDIN_FILENO) || !isatty(STDERR_FILENO))
		return NULL;
	fprintf(stderr, "%s has rules for a keyboard called %s. Which of yours is that? (",
		ws->profile_path, name);
	for (uint16_t i = 0; i < ws->keyboards.count; i++)
		fprintf(stderr, "%s%s", i ? ", " : "", ws->keyboards.keyboards[i].name.bytes);
	fputs(") ", stderr);
	if (!fgets(answer, sizeof answer, stdin))
		return NULL;
	answer[strcspn(answer, "\n")] = '\0';
	return answer;
}

static void say_caution(void *data, const char *text)
{
	(void)data;
	cli_fail(CLI_DONE, "%s", text);
}

/* The desk's own layout counts, so it is opened first. */
static bool prepare(struct cli *cli)
{
	cli->ws.desk = cli->desk;
	cli->ws.ask = ask_keyboard;
	cli->ws.caution = say_caution;
	cli->ws.data = cli;
	if (!cli->desk)
		return true;
	lurk_workspace_lock(&cli->ws);
	if (!cli_computer(cli))
		return false;
	cli->ws.desk_layout = cli->computer->desk.layout;
	return true;
}

static bool read_files(struct cli *cli, bool all_the_same)
{
	struct lurk_message why;

	if (cli->files_read)
		return true;
	if (!prepare(cli))
		return false;
	cli->files_read = lurk_workspace_read(&cli->ws, &why);
	if (cli->files_read) {
		if (!cli->ws.agrees && !cli->ws.judged)
			cli_fail(CLI_DONE, "%s; until then `lurk apply` refuses it",
				 cli->ws.why.text);
		return true;
	}
	cli_fail(CLI_COULD_NOT, "%s%s", why.text,
		 all_the_same ? "; that file is left out of account" : "");
	if (!all_the_same)
		return false;
	lurk_profile_free(&cli->ws.profile);
	cli->profile_broken = cli->files_read = true;
	return true;
}

bool cli_read_files(struct cli *cli)
{
	return read_files(cli, false);
}

bool cli_read_files_if_good(struct cli *cli)
{
	return read_files(cli, true);
}

void cli_find_layout(struct cli *cli)
{
	prepare(cli);
	lurk_workspace_find_layout(&cli->ws);
}

void cli_say_no_profile(const struct cli *cli)
{
	printf("No profile yet: `lurk map KEY RESULT` makes %s.\n", cli->ws.profile_path);
}

bool cli_have_profile(const struct cli *cli)
{
	if (!cli->ws.profile_exists)
		cli_fail(CLI_COULD_NOT,
			 "%s: there is no such profile yet; `lurk map KEY RESULT` makes it%s",
			 cli->ws.profile_path,
			 geteuid() == 0 && getenv("SUDO_USER")
				 ? " (for the whole computer; your own rules need no sudo)"
				 : "");
	return cli->ws.profile_exists;
}

bool cli_keyboard_option(struct cli *cli, const char *name, uint16_t *keyboard)
{
	struct lurk_naming naming = {.ws = &cli->ws, .machine = cli_machine_if_any(cli)};

	*keyboard = 0;
	return !name || lurk_naming_meant(&naming, name, false, keyboard) == LURK_DONE ||
	       cli_fail(CLI_USAGE, "%s", naming.why.text) == CLI_DONE;
}

const char *cli_caps(const struct cli *cli, const char *told, char out[CLI_TOLD])
{
	return lurk_words_with_caps(told, lurk_workspace_characters(&cli->ws), out, CLI_TOLD);
}

const char *cli_keyboard_name(const struct cli *cli, uint16_t number)
{
	return tell_keyboard(cli->machine, &cli->ws.keyboards, number);
}

unsigned cli_pending(const struct cli *cli)
{
	return cli->profile_broken ? 0
				   : lurk_differences_of_edits(&cli->ws, cli->machine, NULL, NULL);
}

bool cli_leave_machine(struct cli *cli)
{
	struct lurk_message why;
	bool kept = true;

	lurk_machine_close(cli->machine);
	cli->machine = NULL;
	if (cli->computer) {
		kept = lurk_computer_save(cli->computer, &why);
		if (!kept)
			cli_fail(CLI_COULD_NOT, "%s", why.text);
		lurk_computer_close(cli->computer);
		lurk_release(cli->computer);
		cli->computer = NULL;
	}
	return kept;
}

bool cli_close(struct cli *cli)
{
	const bool kept = cli_leave_machine(cli);

	lurk_workspace_free(&cli->ws);
	return kept;
}
