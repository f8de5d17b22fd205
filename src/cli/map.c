/* map: give a key another job. */
#include "cli/edit.h"

int edit_map(struct edit *edit, const char *result_word)
{
	char press_words[LURK_WORDS], gives[LURK_WORDS], summary[512];
	struct lurk_result result;
	struct lurk_press press;
	int status;

	if ((status = edit_start(edit)) != CLI_DONE)
		return edit_failed(edit, status);
	if (!edit_read_press(edit, edit->words[0], &press) ||
	    !lurk_profile_result(result_word, cli_characters(edit->cli), &result, &edit->why))
		return edit_failed(edit, CLI_USAGE);
	if (press.modifiers || press.only || result.kind >= LURK_GIVES_CHORDS) {
		lurk_say(&edit->why, "not yet: rules with modifiers come in a later version");
		return edit_failed(edit, CLI_COULD_NOT);
	}
	if (!edit_put_rule(edit, &press, &result))
		return edit_failed(edit, CLI_COULD_NOT);
	lurk_words_target(&press.on, press_words);
	lurk_words_result(&result, gives);
	snprintf(summary, sizeof summary, "%s now gives %s%s%s", press_words, gives, edit->where,
		 press.on.kind == LURK_TARGET_PAIR ? ", left and right" : "");
	edit_note_before(edit, &press.on);
	return edit_finish(edit, summary);
}

static const char map_doc[] =
	"Give a key another job. RESULT is a key, `nothing` or `itself`."
	"\vExamples:\n"
	"  lurk map CapsLock Enter\n"
	"  lurk map hid:07:a5 to LaunchMail --keyboard curlew\n"
	"  lurk map 'right alt' ContextMenu --note 'no such key here'\n\n"
	"`lurk resolve WORD` tells what a name means, `lurk identify` what a key sends.";

int cli_map(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {edit_options, edit_parse_option, "KEY [to] RESULT",
				  map_doc,      edit_children,     NULL,
				  NULL};
	struct edit edit = {.cli = cli, .most = 2};

	cli_parse(cli, &argp, argc, argv, &edit);
	return edit_map(&edit, edit.words[1]);
}
