/* disable: make a key do nothing. */
#include "cli/edit.h"

static const char doc[] =
	"Make a key do nothing."
	"\vExamples:\n"
	"  lurk disable PrintScreen\n"
	"  lurk disable End --keyboard heron --broken --apply\n\n"
	"A key that is stuck is silenced at once by --apply with --keyboard, even "
	"where it is needed; `lurk move` gives its job to another.";

int cli_disable(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {edit_options_of_broken, edit_parse_option, "KEY",
					       doc};
	const struct lurk_result nothing = {.kind = LURK_GIVES_NOTHING};
	struct edit edit = {.cli = cli, .most = 1, .takes_away = true};
	int status;

	cli_parse(cli, &words, argc, argv, &edit);
	status = edit_begin(&edit);
	return status ? status
		      : edit_finish(&edit, lurk_edits_map(&edit.edits, edit.words[0], &nothing));
}
