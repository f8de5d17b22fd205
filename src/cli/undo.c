/* undo: takes back the last edit or apply. */
#include "cli/commands.h"
#include "lurk/work/apply.h"
#include "tell/json.h"
#include "tell/lock.h"

static void say_json(const struct lurk_undo *undo)
{
	struct json_object *object = json_object_new_object();

	tell_put_text(object, "undid", undo->kind);
	tell_put_text(object, "what", undo->summary);
	term_json(object);
}

static void say(const struct cli *cli, const struct lurk_undo *undo,
		const struct lurk_outcome *outcome)
{
	printf("Took back the last %s: %s.\n", undo->kind, undo->summary);
	if (lurk_undo_is_edit(undo)) {
		printf("%s is as before it. What is in force has not changed; `lurk apply` puts "
		       "the file into force.\n",
		       undo->file);
		return;
	}
	tell_locks(stdout, cli->machine, &outcome->report);
	printf("In force now: %s. The file has not changed.\n",
	       cli->machine->image->rule_count ? "the rules of before it" : "no rule");
}

static int take_back(struct cli *cli, const struct lurk_undo *undo)
{
	struct lurk_machine *machine = lurk_undo_is_edit(undo) ? NULL : cli_machine(cli);
	struct lurk_outcome outcome;

	if (!machine && !lurk_undo_is_edit(undo))
		return CLI_COULD_NOT;
	if (!lurk_take_back(&cli->ws, machine, undo, &outcome))
		return cli_fail(CLI_COULD_NOT, "%s", outcome.why.text);
	if (cli->json)
		say_json(undo);
	else
		say(cli, undo, &outcome);
	return CLI_DONE;
}

int cli_undo(struct cli *cli, int argc, char **argv)
{
	struct lurk_message why;
	struct lurk_undo undo;
	int status;

	cli_parse_plain(cli, argc, argv,
			"Take back the last edit or the last apply, whichever came last; again, "
			"the one before."
			"\vExample:\n  lurk undo");
	cli->ws.editing = true;
	if (!cli_read_files_if_good(cli))
		return CLI_COULD_NOT;
	switch (lurk_undo_read_newest(cli->ws.state_folder, &undo, &why)) {
	case LURK_DONE:
		status = take_back(cli, &undo);
		lurk_undo_free(&undo);
		return status;
	case LURK_FOUND:
		puts(cli->json ? "{\"undid\":null}" : "There is nothing to undo.");
		return CLI_FOUND;
	default:
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	}
}
