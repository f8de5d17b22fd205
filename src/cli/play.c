/* play: a script on a simulated desk. */
#include <errno.h>
#include <string.h>
#include <unistd.h>

#include "cli/cli.h"

FILE *cli_open_script(const char *path)
{
	FILE *file = strcmp(path, "-") ? fopen(path, "r") : stdin;

	if (!file)
		cli_fail(CLI_COULD_NOT, "%s: %s", path, strerror(errno));
	else if (isatty(fileno(file)))
		fputs("Type what happens on the desk, a line each, such as `press CapsLock on "
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

bool cli_play_apply(void *data, struct lurk_message *message)
{
	return cli_apply_profile(data, message);
}

/* Columns: what came over the wire, which key that is, what the computer got. */
static void show_row(void *data, const struct lurk_play_row *row)
{
	struct cli *cli = data;
	struct json_object *object;

	if (cli->json) {
		object = json_object_new_object();
		json_object_object_add(object, "line", json_object_new_int64(row->line));
		json_object_object_add(object, "action", json_object_new_string(row->action));
		json_object_object_add(object, "keyboard", json_object_new_string(row->keyboard));
		json_object_object_add(object, "wire", json_object_new_string(row->wire));
		json_object_object_add(object, "key", json_object_new_string(row->key));
		json_object_object_add(object, "got", json_object_new_string(row->got));
		json_object_object_add(object, "text", json_object_new_string(row->text));
		json_object_object_add(object, "note", json_object_new_string(row->note));
		cli_print_json(object);
		return;
	}
	if (*row->action) {
		cli_print_strong(row->action);
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
	struct cli *cli;
	const char *script;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct play *play = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = play->cli;
		return 0;
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
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		NULL,
		parse_option,
		"SCRIPT",
		"Play a script on a simulated desk: line by line what is "
		"pressed, what goes over the wire, what the "
		"computer gets."
		"\vA script's lines:\n"
		"  press KEY [on KEYBOARD] [for TIME]   hold KEY   release KEY\n"
		"  type \"TEXT\" [on KEYBOARD]            wait TIME\n"
		"  plug KEYBOARD [by radio] [in PLACE]  unplug KEYBOARD\n"
		"  apply   keep   reboot   cut power [after N bytes]   power on\n\n"
		"Example:\n"
		"  echo 'press CapsLock on wagtail' | lurk --desk hide play -",
		children,
		NULL,
		NULL};
	struct play play = {.cli = cli};
	struct lurk_message why;
	FILE *script;
	bool fine;

	cli_parse(cli, &argp, argc, argv, &play);
	if (!cli_read_files(cli) || !cli_computer(cli))
		return CLI_COULD_NOT;
	script = cli_open_script(play.script);
	if (!script)
		return CLI_COULD_NOT;
	cli->computer->data = cli;
	cli->computer->show = show_row;
	cli->computer->apply = cli_play_apply;
	if (!cli->json)
		printf("  %-24s  %-26s  %s\n", "on the wire", "key", "→ the computer gets");
	fine = lurk_computer_play(cli->computer, play.script, script, &why);
	if (script != stdin)
		fclose(script);
	return fine ? CLI_DONE : cli_fail(CLI_USAGE, "%s", why.text);
}
