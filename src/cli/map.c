/* map: give a key another job. */
#include "cli/edit.h"

enum { OPTION_TOGGLE = 1000 };

static const char map_doc[] =
	"Give a key another job. RESULT is a key, a chord such as Control+Shift+L, `nothing` or "
	"`itself`; --text types, --use switches to another profile, --toggle switches all rules "
	"off "
	"and on. KEY may be pressed with "
	"modifiers: Shift+6, Control+AltRight+E, or 'only H' for the key without any."
	"\vExamples:\n"
	"  lurk map NumLock Tab\n"
	"  lurk map hid:07:a5 to LaunchMail --keyboard curlew\n"
	"  lurk map Insert Control+Shift+L\n"
	"  lurk map F1 --text 'seen 3 teal'\n"
	"  lurk map Shift+6 --text '°'\n"
	"  lurk map F12 --use night\n"
	"  lurk map F12 --use previous --profile night\n\n"
	"`lurk resolve WORD` tells what a name means, `lurk identify` what a key sends.";

static const struct argp_option options[] = {
	EDIT_KEYBOARD,
	EDIT_NOTE,
	EDIT_APPLIES,
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
		else if (map->edit.count == 1 && !map->text && !map->toggle && !map->use)
			argp_error(state,
				   "say what %s shall give: a key, a chord, `nothing`, "
				   "--text TEXT, --use PROFILE or --toggle",
				   map->edit.words[0]);
		else if ((map->text != NULL) + (map->use != NULL) + map->toggle +
				 (map->edit.count > 1) >
			 1)
			argp_error(state, "one result: a key, --text, --toggle or --use");
		return 0;
	default:
		return edit_parse_option(key, arg, state);
	}
}

/* The first of the words that is wrong is told. */
static bool read_result(struct map *map, struct lurk_result *result, uint8_t step[LURK_STEP_BYTES])
{
	struct lurk_edits *edits = &map->edit.edits;

	if (map->text)
		return lurk_edits_text(edits, map->text, result);
	if (map->use)
		return lurk_edits_profile(edits, map->use, result);
	*result = (struct lurk_result){.kind = LURK_GIVES_TOGGLE};
	return map->toggle || (lurk_edits_is_key(edits, map->edit.words[0]) &&
			       lurk_edits_result(edits, map->edit.words[1], result, step));
}

int cli_map(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {options, parse_option, "KEY [to] RESULT", map_doc};
	struct map map = {.edit = {.cli = cli, .most = 2}};
	struct lurk_result result;
	uint8_t step[LURK_STEP_BYTES];
	int status;

	edit_parse(cli, &words, argc, argv, &map);
	status = edit_begin(&map.edit);
	if (status)
		return status;
	return edit_finish(&map.edit,
			   read_result(&map, &result, step)
				   ? lurk_edits_map(&map.edit.edits, map.edit.words[0], &result)
				   : LURK_ASKED_WRONGLY);
}
