/* map: give a key another job. */
#include <stdlib.h>
#include <string.h>

#include "cli/edit.h"

int edit_map_result(struct edit *edit, const struct lurk_result *result)
{
	char press_words[LURK_WORDS], gives[LURK_WORDS], summary[512];
	struct lurk_press press;

	if (!edit_read_press(edit, edit->words[0], &press))
		return edit_failed(edit, CLI_USAGE);
	if (!edit_put_rule(edit, &press, result))
		return edit_failed(edit, CLI_COULD_NOT);
	lurk_words_for_press(&press, press_words);
	lurk_words_result(result, gives);
	snprintf(summary, sizeof summary, "%s now gives %s%s%s", press_words, gives, edit->where,
		 press.on.kind == LURK_TARGET_PAIR ? ", left and right" : "");
	if (!press.modifiers && !press.only)
		edit_note_before(edit, &press.on);
	return edit_finish(edit, summary);
}

int edit_map(struct edit *edit, const char *result_word)
{
	struct lurk_result result;
	struct lurk_press unused;
	uint8_t step[LURK_STEP_BYTES];
	int status;

	if ((status = edit_start(edit)) != CLI_DONE)
		return edit_failed(edit, status);
	/* The first of the two words that is wrong is told. */
	if (!edit_read_press(edit, edit->words[0], &unused) ||
	    !lurk_profile_result(result_word, cli_characters(edit->cli), &result, step, &edit->why))
		return edit_failed(edit, CLI_USAGE);
	return edit_map_result(edit, &result);
}

/* ---- lurk map ------------------------------------------------------------------------------- */

enum { OPTION_TOGGLE = 1000 };

static const char map_doc[] =
	"Give a key another job. RESULT is a key, a chord such as Meta+KeyC, `nothing` or "
	"`itself`; --text types, --profile or --use switches to another profile (with --use, "
	"--profile is the one that is edited). KEY may be pressed with "
	"modifiers: Shift+3, Control+AltRight+E, or 'only H' for the key without any."
	"\vExamples:\n"
	"  lurk map CapsLock Enter\n"
	"  lurk map hid:07:a5 to LaunchMail --keyboard curlew\n"
	"  lurk map Pause Meta+C\n"
	"  lurk map F1 --text 'seen 3 teal'\n"
	"  lurk map Shift+3 --text '#'\n"
	"  lurk map F12 --profile game\n"
	"  lurk map F12 --use previous --profile game\n\n"
	"`lurk resolve WORD` tells what a name means, `lurk identify` what a key sends.";

static const struct argp_option options[] = {
	{"keyboard", 'k', "NAME", 0, "Only on this keyboard", 0},
	{"note", 'n', "TEXT", 0, "Say why, for later", 0},
	{"apply", 'a', NULL, 0, "Put the profile into force at once", 0},
	{"text", 't', "TEXT", 0, "Type this text", 0},
	{"use", 'u', "NAME", 0, "Switch to this profile; `previous` is the one before", 0},
	{"toggle", OPTION_TOGGLE, NULL, 0, "Switch all rules off, and on again", 0},
	{0},
};

struct map {
	struct edit edit; /* first, so that what edits share can parse into it */
	const char *text, *use;
	bool toggle;
};

/* With one word and nothing else, --profile is where the key leads, not what is edited. */
static void read_profile(struct map *map)
{
	if (map->edit.count != 1 || map->text || map->toggle || map->use)
		return;
	map->use = map->edit.cli->profile_option;
	map->edit.cli->profile_option = NULL;
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct map *map = state->input;

	switch (key) {
	case 't':
		map->text = arg;
		return 0;
	case 'u':
		map->use = arg;
		return 0;
	case OPTION_TOGGLE:
		map->toggle = true;
		return 0;
	case ARGP_KEY_END:
		if (!map->edit.count)
			argp_error(state, "say which key");
		else if (map->edit.count == 1 && !map->text && !map->toggle && !map->use &&
			 !map->edit.cli->profile_option)
			argp_error(state, "say what it shall give: a key, --text TEXT or "
					  "--profile NAME");
		else if ((map->text != NULL) + (map->use != NULL) + map->toggle +
				 (map->edit.count > 1) >
			 1)
			argp_error(state, "one result: a key, --text, --toggle or --use");
		return 0;
	default:
		return edit_parse_option(key, arg, state);
	}
}

static int map_more(struct map *map)
{
	struct lurk_result result = {.kind = LURK_GIVES_TOGGLE};
	int status;

	if (map->text) {
		result.kind = LURK_GIVES_TEXT;
		result.text = (struct lurk_text){map->text, strlen(map->text)};
	} else if (map->use) {
		result.kind = LURK_GIVES_PROFILE;
		result.text = (struct lurk_text){map->use, strlen(map->use)};
	}
	if ((status = edit_start(&map->edit)) != CLI_DONE)
		return edit_failed(&map->edit, status);
	if (result.kind == LURK_GIVES_TEXT && !edit_can_type(&map->edit, result.text))
		return edit_failed(&map->edit, CLI_USAGE);
	if (result.kind == LURK_GIVES_PROFILE && !edit_has_profile(&map->edit, result.text.bytes))
		return edit_failed(&map->edit, CLI_USAGE);
	return edit_map_result(&map->edit, &result);
}

int cli_map(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {options, parse_option, "KEY [to] RESULT", map_doc, edit_children,
				  NULL,    NULL};
	struct map map = {.edit = {.cli = cli, .most = 2}};

	cli_parse(cli, &argp, argc, argv, &map);
	read_profile(&map);
	return map.edit.count == 2 ? edit_map(&map.edit, map.edit.words[1]) : map_more(&map);
}
