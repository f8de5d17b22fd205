/* move: let another key take over the job of one that is broken. */
#include "cli/edit.h"

static const char doc[] =
	"Let NEWKEY take over KEY's job, and KEY do nothing: for keys that are broken."
	"\vExample:\n"
	"  lurk move End Pause --keyboard heron --broken\n\n"
	"Another NEWKEY is chosen by another `lurk move`: the one before gets its usual job back.";

int cli_move(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {edit_options_of_broken, edit_parse_option,
					       "KEY NEWKEY", doc};
	struct edit edit = {.cli = cli, .most = 2};
	int status;

	edit_parse(cli, &words, argc, argv, &edit);
	status = edit_begin(&edit);
	return status ? status
		      : edit_finish(&edit,
				    lurk_edits_move(&edit.edits, edit.words[0], edit.words[1]));
}
