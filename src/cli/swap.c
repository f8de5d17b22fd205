/* swap: let two keys change places. */
#include <stdlib.h>

#include "cli/edit.h"

static const char swap_doc[] =
	"Let two keys change places. Pairs such as Alt and Meta change on both sides."
	"\vExamples:\n"
	"  lurk swap CapsLock Escape\n"
	"  lurk swap Alt Meta --keyboard wagtail";

static bool swap(struct edit *edit, char *summary, size_t size)
{
	struct lurk_rule wanted = {.swap = true, .keyboard = edit->keyboard};
	char list[2 * LURK_WORDS + 8], a[LURK_WORDS], b[LURK_WORDS];
	char *a_text, *b_text;
	uint8_t unused[LURK_STEP_BYTES];
	struct lurk_press other;
	bool done = false, fine;

	if (!edit_read_press(edit, edit->words[0], &wanted.press) ||
	    !edit_read_press(edit, edit->words[1], &other) ||
	    !lurk_profile_result(edit->words[1], cli_characters(edit->cli), &wanted.gives, unused,
				 &edit->why))
		return false;
	if (edit_same_target(&wanted.press.on, &other.on, true))
		return lurk_say(&edit->why, "%s cannot be swapped with itself", edit->words[0]);
	if (lurk_rule_check(&wanted) != LURK_OK || wanted.press.modifiers)
		return lurk_say(
			&edit->why,
			"two keys that have names are swapped, or two pairs such as Alt and Meta");
	a_text = lurk_yaml_scalar(lurk_words_target(&wanted.press.on, a));
	b_text = lurk_yaml_scalar(lurk_words_target(&other.on, b));
	snprintf(list, sizeof list, "[%s, %s]", a_text, b_text);
	free(a_text);
	free(b_text);
	fine = edit_make_room(edit, &wanted, NULL, &done) && edit_append(edit, NULL, NULL, list);
	snprintf(summary, size, "%s and %s are swapped%s%s", a, b, edit->where,
		 wanted.press.on.kind == LURK_TARGET_PAIR ? ", left and right" : "");
	return fine;
}

int cli_swap(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {
		edit_options, edit_parse_option, "A B", swap_doc, edit_children, NULL, NULL};
	struct edit edit = {.cli = cli, .most = 2};
	char summary[512];
	int status;

	cli_parse(cli, &argp, argc, argv, &edit);
	if ((status = edit_start(&edit)) != CLI_DONE)
		return edit_failed(&edit, status);
	if (!swap(&edit, summary, sizeof summary))
		return edit_failed(&edit, CLI_USAGE);
	return edit_finish(&edit, summary);
}
