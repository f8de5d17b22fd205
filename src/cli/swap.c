/* swap: let two keys change places. */
#include "cli/edit.h"

static const char doc[] =
	"Let two keys change places. Pairs such as Control and Alt change on both sides."
	"\vExamples:\n"
	"  lurk swap Home PageUp\n"
	"  lurk swap Control Alt --keyboard dipper";

int cli_swap(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {edit_options, edit_parse_option, "A B", doc};
	struct edit edit = {.cli = cli, .most = 2};
	int status;

	edit_parse(cli, &words, argc, argv, &edit);
	status = edit_begin(&edit);
	return status ? status
		      : edit_finish(&edit,
				    lurk_edits_swap(&edit.edits, edit.words[0], edit.words[1]));
}
