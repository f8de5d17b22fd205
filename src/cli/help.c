/* help: of a command, and which way back there is for which trouble. */
#include <string.h>

#include "cli/commands.h"
#include "tell/json.h"

static const struct {
	const char *trouble, *way;
} ways_back[] = {
	{"the last edit, or the last apply, was wrong", "lurk undo (again: the one before)"},
	{"all rules shall rest for a while", "lurk off, later lurk on"},
	{"nothing can be typed any more",
	 "hold both Shift keys and Escape for two seconds; once more: on"},
	{"and not even that, but there is a mouse",
	 "\"Plain keyboard\" among the desktop's programs"},
	{"what is being tried is wrong", "wait: it ends by itself; Ctrl+C ends it now"},
	{"one key shall do its usual job again", "lurk restore KEY --apply"},
	{"one rule shall rest for a while", "lurk off KEY --apply, later lurk on KEY --apply"},
	{"what was in force last week was better", "lurk versions, then lurk rollback N"},
	{"the computer comes up and nothing works",
	 "the word lurk.off on the kernel's command line"},
	{"Lurk shall do nothing, files stay", "lurk restore --factory"},
	{"Lurk shall go", "sudo lurk uninstall"},
};

static int back(struct cli *cli)
{
	static const char *const heads[] = {"when", "the way back"};
	struct term_table table;

	if (cli->json) {
		for (size_t i = 0; i < sizeof ways_back / sizeof *ways_back; i++) {
			struct json_object *object = json_object_new_object();

			tell_put_text(object, "when", ways_back[i].trouble);
			tell_put_text(object, "way", ways_back[i].way);
			term_json(object);
		}
		return CLI_DONE;
	}
	puts("There is always a way back:");
	term_table_init(&table, heads, 2);
	for (size_t i = 0; i < sizeof ways_back / sizeof *ways_back; i++)
		term_table_row(&table, ways_back[i].trouble, ways_back[i].way);
	term_table_print(&table, "  ");
	puts("The chord is another where `lurk keyboards` says so. A mouse, another keyboard or "
	     "ssh can type `lurk off` as well.");
	return CLI_DONE;
}

struct help {
	const char *topic;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct help *help = state->input;

	switch (key) {
	case ARGP_KEY_ARG:
		if (help->topic)
			argp_error(state, "one thing at a time; `%s` is one too many", arg);
		help->topic = arg;
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_help(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		NULL, parse_option, "[COMMAND | back]",
		"Say more about a command, or which way back there is for which "
		"trouble."
		"\vExamples:\n  lurk help back\n  lurk help map"};
	struct help help = {0};
	char option[] = "--help", *its[] = {NULL, option, NULL};

	cli_parse(cli, &words, argc, argv, &help);
	if (help.topic && !strcmp(help.topic, "back"))
		return back(cli);
	if (!help.topic) {
		cli_print_help();
		return CLI_DONE;
	}
	its[0] = (char *)(uintptr_t)help.topic;
	for (const struct cli_command *c = cli_commands; c->name; c++) {
		if (c->run && !strcmp(c->name, help.topic))
			return c->run(cli, 2, its);
	}
	return cli_unknown_command(help.topic);
}
