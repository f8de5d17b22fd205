/* undo: takes back what the last command changed. */
#include <string.h>

#include "cli/commands.h"
#include "lurk/work/apply.h"
#include "tell/json.h"
#include "tell/lock.h"

/* "edit", "apply", or both. */
static const char *kind(const struct lurk_undo_step *step)
{
	if (lurk_undo_step_has(step, true))
		return lurk_undo_step_has(step, false) ? "edit and its apply" : "edit";
	return "apply";
}

/* Tells what the next `lurk undo` takes back. */
static void say_next(const struct cli *cli, const struct lurk_undo_step *done)
{
	struct lurk_undo_step next;
	struct lurk_message unused;
	char told[CLI_TOLD];

	if (lurk_undo_step_read(cli->ws.state_folder, done->parts[0].number, &next, &unused) !=
	    LURK_DONE)
		return;
	printf("Before that: %s: %s; `lurk undo` again takes that back.\n", kind(&next),
	       cli_caps(cli, lurk_undo_step_summary(&next), told));
	lurk_undo_step_free(&next);
}

static void say_json(const struct lurk_undo_step *step)
{
	struct json_object *object = json_object_new_object();

	tell_put_text(object, "undid", kind(step));
	tell_put_text(object, "what", lurk_undo_step_summary(step));
	term_json(object);
}

/* Not of layouts, which are in force by no apply. */
static bool is_of_rules(const struct lurk_undo_step *step)
{
	bool any = false;

	for (unsigned i = 0; i < step->count; i++) {
		const char *ending = strrchr(step->parts[i].file, '.');

		any = any || (ending && !strcmp(ending, ".yaml"));
	}
	return any;
}

static void say(const struct cli *cli, const struct lurk_undo_step *step,
		const struct lurk_outcome *outcome)
{
	const bool applied = lurk_undo_step_has(step, false),
		   edited = lurk_undo_step_has(step, true);
	const char *between = applied ? " " : "";
	char told[CLI_TOLD];

	printf("Took back the last %s: %s.\n", kind(step),
	       cli_caps(cli, lurk_undo_step_summary(step), told));
	if (applied) {
		tell_locks(stdout, cli->machine, &outcome->report);
		printf("In force now: %s.%s",
		       cli->machine->image->rule_count ? "the rules of before it" : "no rule",
		       edited ? "" : " The file has not changed.");
	}
	for (unsigned i = 0; i < step->count; i++) {
		if (!lurk_undo_is_edit(&step->parts[i]))
			continue;
		printf("%s%s is as before it%s.", between, step->parts[i].file,
		       applied ? ", too" : "");
		between = " ";
	}
	puts(applied || !is_of_rules(step)
		     ? ""
		     : " What is in force has not changed; `lurk apply` puts the file into "
		       "force.");
	say_next(cli, step);
}

static int take_back(struct cli *cli, const struct lurk_undo_step *step)
{
	const bool applied = lurk_undo_step_has(step, false);
	struct lurk_outcome outcome;

	if (applied && !cli_machine(cli))
		return CLI_COULD_NOT;
	if (!lurk_take_back(&cli->ws, cli->machine, step, &outcome))
		return cli_fail(CLI_COULD_NOT, "%s", outcome.why.text);
	if (cli->json)
		say_json(step);
	else
		say(cli, step, &outcome);
	return CLI_DONE;
}

int cli_undo(struct cli *cli, int argc, char **argv)
{
	struct lurk_message why;
	struct lurk_undo_step step;
	int status;

	cli_parse_plain(cli, argc, argv,
			"Take back what the last command changed, in files and in force; again, "
			"what the one before did."
			"\vExample:\n  lurk undo");
	cli->ws.editing = true;
	if (!cli_read_files_if_good(cli))
		return CLI_COULD_NOT;
	switch (lurk_undo_step_read(cli->ws.state_folder, 0, &step, &why)) {
	case LURK_DONE:
		status = take_back(cli, &step);
		lurk_undo_step_free(&step);
		return status;
	case LURK_FOUND:
		puts(cli->json ? "{\"undid\":null}" : "There is nothing to undo.");
		return CLI_FOUND;
	default:
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	}
}
