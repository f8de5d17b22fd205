/* picture: a keyboard with what its keys give, on the screen, in a file, on paper. */
#include "cli/picture.h"

#include <string.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"
#include "lurk/layout/own.h"
#include "picture/terminal.h"

enum {
	OPTION_FORM = 1000,
	OPTION_LAYOUT,
	OPTION_BEFORE_AFTER,
	OPTION_DARK,
	OPTION_LABELS,
	OPTION_CARD,
	OPTION_PAPER
};

static void print_signs(const struct tell_view *v)
{
	char line[512] = "";

	for (unsigned sign = 0; sign < PICTURE_SIGNS; sign++) {
		bool has = false;
		char one[128];

		for (unsigned i = 0; i < v->side_count; i++)
			has |= picture_has(&v->sides[i].picture, (enum picture_sign)sign);
		if (!has)
			continue;
		snprintf(one, sizeof one, "%s %s", terminal_sign((enum picture_sign)sign),
			 picture_sign_words((enum picture_sign)sign));
		if (*line &&
		    lurk_utf8_columns(line) + lurk_utf8_columns(one) + 3 > term_columns()) {
			puts(line);
			*line = '\0';
		}
		snprintf(line + strlen(line), sizeof line - strlen(line), "%s%s",
			 *line ? "   " : "", one);
	}
	if (*line)
		puts(line);
}

static int print_terminal(const struct tell_view *v)
{
	if (isatty(STDOUT_FILENO) && term_columns() < TERMINAL_LEAST)
		return cli_fail(CLI_COULD_NOT,
				"the keyboard takes %d columns, and this terminal has %u; `-o "
				"keyboard.svg` draws it to a file",
				TERMINAL_LEAST, term_columns());
	term_strong(v->title);
	printf("\n%s\n", v->under);
	for (unsigned i = 0; i < v->side_count; i++) {
		char *drawn = terminal_draw(&v->sides[i].picture, term_columns(), 0, term_styled());

		if (v->side_count > 1)
			printf("%s:\n", v->sides[i].words);
		term_raw(drawn);
		lurk_release(drawn);
	}
	print_signs(v);
	for (unsigned i = 0; i < v->rules.count; i++)
		printf("  %s\n", v->rules.lines[i]);
	for (unsigned i = 0; i < v->back.count; i++)
		puts(v->back.lines[i]);
	return CLI_DONE;
}

static int show(const struct picture_options *o, struct tell_view *v)
{
	if (o->labels && !tell_view_changed(v))
		return cli_fail(CLI_FOUND,
				"no key of %s has another job, so there is no label to "
				"print; `lurk map KEY RESULT` gives one",
				v->keyboard);
	if (o->output && cli_drawer.draw(o, v) != CLI_DONE)
		return CLI_COULD_NOT;
	if (o->cli->json)
		term_json(tell_view_json(v));
	else if (!o->output)
		return print_terminal(v);
	return CLI_DONE;
}

/* One of one's own with what it begins from. */
static bool open_layout(struct picture_options *o, struct lurk_message *why)
{
	struct lurk_workspace *ws = &o->cli->ws;
	struct lurk_message unused;

	if (lurk_own_layout_file_open(ws, o->layout, &o->own, &unused) == LURK_DONE) {
		o->wanted.own = o->own.own;
		o->wanted.layout = lurk_own_layout(o->own.own);
	} else {
		o->wanted.layout = lurk_layout_open_in(ws->layout.folder, o->layout, "", why);
	}
	return o->wanted.layout;
}

static int run(struct picture_options *o, struct tell_view *v)
{
	struct cli *cli = o->cli;
	struct lurk_message why;

	if (o->layout && !open_layout(o, &why))
		return cli_fail(CLI_USAGE, "%s", why.text);
	if (!cli_keyboard_option(cli, o->keyboard, &o->wanted.keyboard))
		return CLI_COULD_NOT;
	v->wanted = &o->wanted;
	v->ws = &cli->ws;
	v->machine = cli_machine_if_any(cli);
	return tell_view_fill(v, &why) ? show(o, v) : cli_fail(CLI_COULD_NOT, "%s", why.text);
}

/* ---- Options --------------------------------------------------------------------------------- */

static void read_form(struct picture_options *o, struct argp_state *state, const char *arg)
{
	char wrong[32];

	if (!lurk_forms_read(arg, &o->wanted.forms, wrong))
		argp_error(state, "`%s` is no form; write " LURK_FORMS_WORDS, wrong);
}

static void read_held(struct picture_options *o, struct argp_state *state, const char *arg)
{
	char chord[96];
	struct lurk_press press;
	struct lurk_message unused;

	snprintf(chord, sizeof chord, "%s+KeyA", arg);
	if (!lurk_words_press(chord, NULL, &press, &unused) || !press.modifiers || press.only)
		argp_error(state,
			   "`%s` is no modifier; write Shift, Control, Alt, AltRight or Meta, or "
			   "several with +",
			   arg);
	o->wanted.held = press.modifiers;
	o->wanted.held_words = arg;
}

static void read_codes(struct picture_options *o, struct argp_state *state, const char *arg)
{
	static const char *const words[] = {"scan", "hid", "evdev", "names", "meaning"};

	for (unsigned i = 0; i < sizeof words / sizeof *words; i++) {
		if (!strcasecmp(arg, words[i]))
			o->wanted.codes = (enum picture_codes)(i + PICTURE_SCAN_CODES);
	}
	if (!o->wanted.codes)
		argp_error(state, "`--codes %s`: write scan, hid, evdev, names or meaning", arg);
}

static void read_output(struct picture_options *o, struct argp_state *state, const char *arg)
{
	static const char *const endings[] = {
		[PICTURE_SVG] = ".svg", [PICTURE_PNG] = ".png", [PICTURE_PDF] = ".pdf"};
	const size_t length = strlen(arg);

	o->output = arg;
	o->file = PICTURE_NO_FILE;
	for (unsigned i = PICTURE_SVG; i <= PICTURE_PDF; i++) {
		if (length > strlen(endings[i]) &&
		    !strcasecmp(arg + length - strlen(endings[i]), endings[i]))
			o->file = (enum picture_file)i;
	}
	if (!o->file)
		argp_error(state, "`%s`: a picture's file ends with .svg, .png or .pdf", arg);
}

static void read_paper(struct picture_options *o, struct argp_state *state, const char *arg)
{
	if (!strcasecmp(arg, "a4"))
		o->paper = PICTURE_A4;
	else if (!strcasecmp(arg, "letter"))
		o->paper = PICTURE_LETTER;
	else
		argp_error(state, "`--paper %s`: write a4 or letter", arg);
}

static void check_options(const struct picture_options *o, struct argp_state *state)
{
	if (o->labels + o->wanted.card + o->wanted.before_after + (o->wanted.codes != 0) > 1)
		argp_error(state, "one of --labels, --card, --before-after and --codes");
	if ((o->labels || o->wanted.card || o->paper) && !o->output)
		argp_error(state, "say where to: -o FILE.pdf");
	if (o->labels && (o->wanted.held || o->dark))
		argp_error(state, "labels are for paper, and say what keys give alone: no --with, "
				  "no --dark");
	if (o->wanted.version_count > 1 && !o->wanted.before_after)
		argp_error(state, "two versions are compared: --before-after");
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct picture_options *o = state->input;

	switch (key) {
	case 'o':
		read_output(o, state, arg);
		return 0;
	case 'k':
		o->keyboard = arg;
		return 0;
	case 'c':
		read_codes(o, state, arg);
		return 0;
	case 'w':
		read_held(o, state, arg);
		return 0;
	case OPTION_FORM:
		read_form(o, state, arg);
		return 0;
	case OPTION_LAYOUT:
		o->layout = arg;
		return 0;
	case OPTION_BEFORE_AFTER:
		o->wanted.before_after = true;
		return 0;
	case OPTION_DARK:
		o->dark = true;
		return 0;
	case OPTION_LABELS:
		o->labels = o->wanted.losses = true;
		return 0;
	case OPTION_CARD:
		o->wanted.card = true;
		return 0;
	case OPTION_PAPER:
		read_paper(o, state, arg);
		return 0;
	case ARGP_KEY_ARG:
		if (o->wanted.version_count == TELL_VERSIONS ||
		    !cli_read_version(arg, &o->wanted.versions[o->wanted.version_count]))
			argp_error(state,
				   "`%s` is not expected here; a version is a number that "
				   "`lurk versions` lists",
				   arg);
		o->wanted.version_count++;
		return 0;
	case ARGP_KEY_END:
		check_options(o, state);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static const struct argp_option options[] = {
	{"output", 'o', "FILE", 0, "Write it to a .svg, .png or .pdf", 0},
	{"keyboard", 'k', "NAME", 0, "Of this keyboard; else of the first that has rules", 0},
	{"form", OPTION_FORM, "FORM", 0,
	 "full, no-keypad, compact or pad, and iso, ansi or jis: --form compact,jis", 0},
	{"layout", OPTION_LAYOUT, "NAME", 0,
	 "With the characters of this layout: gb, de, jp, or one of your own, whose changes stand "
	 "out",
	 0},
	{"with", 'w', "MODIFIERS", 0, "What keys give while these are held: Control+Alt", 0},
	{"codes", 'c', "KIND", 0, "A chart of codes instead: scan, hid, evdev, names or meaning",
	 0},
	{"before-after", OPTION_BEFORE_AFTER, NULL, 0,
	 "Two keyboards, without the rules and with them, or two versions, or a layout of your own "
	 "and what it begins from: only what differs is strong",
	 0},
	{"dark", OPTION_DARK, NULL, 0, "Light on dark", 0},
	{"labels", OPTION_LABELS, NULL, 0,
	 "Labels for the caps that changed, in true size, to cut out", 1},
	{"card", OPTION_CARD, NULL, 0, "One page to keep beside the keyboard", 1},
	{"paper", OPTION_PAPER, "SIZE", 0, "a4 (if not given) or letter", 1},
	{0},
};

int cli_picture(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		options, parse_option, "[VERSION [VERSION]]",
		"The keyboard as a picture: what each key gives by the file, or "
		"by a version that `lurk versions` lists."
		"\vExamples:\n"
		"  lurk picture\n"
		"  lurk picture --keyboard heron -o heron.svg\n"
		"  lurk picture --with Shift --layout de\n"
		"  lurk picture --codes hid -o usages.pdf\n"
		"  lurk picture --labels -o labels.pdf\n"
		"  lurk picture --layout reedbed --before-after"};
	struct picture_options o = {.cli = cli};
	struct tell_view *view;
	int status = CLI_COULD_NOT;

	cli_parse(cli, &words, argc, argv, &o);
	if (o.output && cli_drawer.hand_over)
		return cli_drawer.hand_over(cli);
	view = lurk_allocate(1, sizeof *view);
	if (cli_read_files(cli) && (!o.wanted.version_count || cli_machine(cli)))
		status = run(&o, view);
	tell_view_free(view);
	if (!o.wanted.own)
		lurk_layout_close(o.wanted.layout);
	lurk_own_layout_file_close(&o.own);
	lurk_release(view);
	return status;
}
