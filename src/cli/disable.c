/* disable: make a key do nothing. */
#include "cli/edit.h"

static const char doc[] = "Make a key do nothing."
			  "\vExamples:\n"
			  "  lurk disable CapsLock\n"
			  "  lurk disable Delete --keyboard heron --note 'stuck since the rain'";

int cli_disable(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {edit_options, edit_parse_option, "KEY", doc};
	const struct lurk_result nothing = {.kind = LURK_GIVES_NOTHING};
	struct edit edit = {.cli = cli, .most = 1};
	int status;

	cli_parse(cli, &words, argc, argv, &edit);
	status = edit_begin(&edit);
	return status ? status
		      : edit_finish(&edit, lurk_edits_map(&edit.edits, edit.words[0], &nothing));
}
