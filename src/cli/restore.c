/* restore: give a key its usual job back. */
#include "cli/applying.h"
#include "cli/edit.h"
#include "lurk/work/apply.h"
#include "tell/json.h"

enum { OPTION_FACTORY = 1000 };

static const struct argp_option options[] = {
	EDIT_KEYBOARD,
	{"all", 'A', NULL, 0, "Every key: no rule is left", 0},
	{"factory", OPTION_FACTORY, NULL, 0,
	 "No rule in force, now and after a reboot, as if Lurk had never been there; files stay as "
	 "they are",
	 0},
	EDIT_APPLIES,
	{0},
};

static const char doc[] = "Give a key its usual job back. Where a wider rule would still "
			  "change it, a rule `gives: itself` is "
			  "written."
			  "\vExamples:\n"
			  "  lurk restore NumLock\n"
			  "  lurk restore Alt --keyboard dipper\n"
			  "  lurk restore --all --apply\n"
			  "  lurk restore --factory";

struct restore {
	struct edit edit; /* first, so that what edits share can parse into it */
	bool factory;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct restore *restore = state->input;

	if (key != OPTION_FACTORY)
		return edit_parse_option(key, arg, state);
	restore->factory = restore->edit.all = true;
	return 0;
}

/* What is in force goes; files, and versions to go back to, stay. */
static int factory(struct cli *cli)
{
	struct lurk_machine *machine;
	struct lurk_outcome outcome;

	cli->ws.editing = true;
	machine = cli_read_files_if_good(cli) ? cli_machine(cli) : NULL;
	if (!machine)
		return CLI_COULD_NOT;
	if (!lurk_apply_nothing(&cli->ws, machine, &outcome))
		return cli_not_done(&outcome, "the rules cannot be taken away: ", outcome.why.text,
				    "");
	if (cli->json) {
		puts("{\"did\":\"no rule is in force\"}");
		return CLI_DONE;
	}
	puts("No rule is in force any more, now and after every reboot: each keyboard is as if "
	     "Lurk had never been there.");
	printf("%s is as it was; `lurk apply` or `lurk rollback` brings rules back.\n",
	       cli->ws.profile_path);
	return CLI_DONE;
}

static int nothing_to_restore(struct edit *edit)
{
	if (edit->cli->json)
		puts("{\"did\":null}");
	else
		printf("%s: there is nothing to restore.\n", edit->edits.why.text);
	*edit->edits.why.text = '\0';
	return edit_finish(edit, LURK_FOUND);
}

int cli_restore(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {options, parse_option, "KEY", doc};
	struct restore restore = {.edit = {.cli = cli, .most = 1}};
	struct edit *edit = &restore.edit;
	enum lurk_went went;
	int status;

	cli_parse(cli, &words, argc, argv, &restore);
	if (restore.factory)
		return factory(cli);
	status = edit_begin(edit);
	if (status)
		return status;
	went = edit->all ? lurk_edits_restore_all(&edit->edits)
			 : lurk_edits_restore(&edit->edits, edit->words[0]);
	/* All of nothing can be applied all the same. */
	if (went == LURK_FOUND && edit->all && edit->apply)
		went = LURK_DONE;
	return went == LURK_FOUND ? nothing_to_restore(edit) : edit_finish(edit, went);
}
