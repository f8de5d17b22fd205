/* move: let another key take over the job of one that is broken. */
#include "cli/edit.h"

static const char move_doc[] =
	"Let NEWKEY take over KEY's job, and KEY do nothing: for keys that are broken."
	"\vExample:\n"
	"  lurk move Delete ScrollLock --keyboard heron --note 'stuck since the rain'";

int cli_move(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {
		edit_options, edit_parse_option, "KEY NEWKEY", move_doc, edit_children, NULL, NULL};
	struct lurk_result nothing = {.kind = LURK_GIVES_NOTHING}, job = {.kind = LURK_GIVES_KEY};
	struct edit edit = {.cli = cli, .most = 2};
	char from_words[LURK_WORDS], to_words[LURK_WORDS], summary[512];
	struct lurk_press from, to;
	int status;

	cli_parse(cli, &argp, argc, argv, &edit);
	if ((status = edit_start(&edit)) != CLI_DONE)
		return edit_failed(&edit, status);
	if (!edit_read_press(&edit, edit.words[0], &from) ||
	    !edit_read_press(&edit, edit.words[1], &to))
		return edit_failed(&edit, CLI_USAGE);
	job.key = from.on.kind == LURK_TARGET_SCAN ? lurk_scan_key(from.on.scan) : from.on.key;
	if (from.on.kind == LURK_TARGET_KEY)
		job.key = edit.before.gives[job.key];
	if (from.modifiers || to.modifiers || from.on.kind < LURK_TARGET_KEY ||
	    to.on.kind < LURK_TARGET_KEY || !job.key || edit_same_target(&from.on, &to.on, true)) {
		lurk_say(&edit.why, "`move` takes two different single keys, the first of which "
				    "does something");
		return edit_failed(&edit, CLI_USAGE);
	}
	if (!edit_put_rule(&edit, &from, &nothing) || !edit_put_rule(&edit, &to, &job))
		return edit_failed(&edit, CLI_COULD_NOT);
	snprintf(summary, sizeof summary, "%s now gives %s%s, and %s gives nothing",
		 lurk_words_target(&to.on, to_words), lurk_key_name(job.key), edit.where,
		 lurk_words_target(&from.on, from_words));
	return edit_finish(&edit, summary);
}
