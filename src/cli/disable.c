/* disable: make a key do nothing. */
#include "cli/edit.h"

static const char disable_doc[] =
	"Make a key do nothing."
	"\vExamples:\n"
	"  lurk disable CapsLock\n"
	"  lurk disable Delete --keyboard heron --note 'stuck since the rain'";

int cli_disable(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {
		edit_options, edit_parse_option, "KEY", disable_doc, edit_children, NULL, NULL};
	struct edit edit = {.cli = cli, .most = 1};

	cli_parse(cli, &argp, argc, argv, &edit);
	return edit_map(&edit, "nothing");
}
