/* play: a script on a simulated desk. */
#include <string.h>

#include "cli/applying.h"
#include "cli/commands.h"
#include "cli/script.h"
#include "tell/json.h"
#include "terminal/watch.h"

static bool apply_files(void *data, struct lurk_message *message)
{
	return cli_apply_files(data, false, message);
}

/* Columns: what came over the wire, which key that is, what the computer got. */
static void show_row(void *data, const struct lurk_play_row *row)
{
	struct cli *cli = data;
	struct json_object *object;

	if (cli->json) {
		object = json_object_new_object();
		tell_put_number(object, "line", row->line);
		tell_put_text(object, "action", row->action);
		tell_put_text(object, "keyboard", row->keyboard);
		tell_put_text(object, "wire", row->wire);
		tell_put_text(object, "key", row->key);
		tell_put_text(object, "got", row->got);
		tell_put_text(object, "text", row->text);
		tell_put_text(object, "note", row->note);
		term_json(object);
		return;
	}
	if (*row->action) {
		term_strong(row->action);
		putchar('\n');
	}
	if (!*row->wire && *row->got) {
		printf("  %-24s  %-26s  → %s%s%s%s\n", "", "", row->got, *row->text ? "   \"" : "",
		       row->text, *row->text ? "\"" : "");
	} else if (*row->wire) {
		printf("  %-24s  %-26s  %s%s", row->wire, row->key, *row->got ? "→ " : "",
		       row->got);
		if (*row->text)
			printf("   \"%s\"", row->text);
		putchar('\n');
	}
	if (*row->note)
		printf("  (%s)\n", row->note);
}

struct play {
	const char *script;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct play *play = state->input;

	switch (key) {
	case ARGP_KEY_ARG:
		if (play->script)
			argp_error(state, "one script at a time");
		play->script = arg;
		return 0;
	case ARGP_KEY_END:
		if (!play->script)
			argp_error(state, "say which script, - for standard input");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_play(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		NULL, parse_option, "SCRIPT",
		"Play a script on a simulated desk: line by line what is "
		"pressed, what goes over the wire, what the "
		"computer gets."
		"\vA script's lines:\n"
		"  press KEY [on KEYBOARD] [for TIME]   hold KEY   release KEY\n"
		"  type \"TEXT\" [on KEYBOARD]            wait TIME\n"
		"  plug KEYBOARD [by radio] [in PLACE]  unplug KEYBOARD\n"
		"  apply   keep   reboot   cut power [after N bytes]   power on\n\n"
		"Example:\n"
		"  echo 'press NumLock on wagtail' | lurk --desk hide play -"};
	struct play play = {0};
	struct lurk_message why;
	FILE *script;
	bool fine;

	cli_parse(cli, &words, argc, argv, &play);
	if (!cli_read_files(cli) || !cli_computer(cli))
		return CLI_COULD_NOT;
	script = cli_open_script(play.script);
	if (!script)
		return CLI_COULD_NOT;
	cli->computer->data = cli;
	cli->computer->show = show_row;
	cli->computer->apply = apply_files;
	if (!cli->json)
		printf("  %-24s  %-26s  %s\n", "on the wire", "key", "→ the computer gets");
	fine = lurk_computer_play(cli->computer, play.script, script, &why);
	if (script != stdin)
		fclose(script);
	return fine ? CLI_DONE : cli_fail(CLI_USAGE, "%s", why.text);
}
