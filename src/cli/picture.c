/* picture: a keyboard with what its keys give, on the screen, in a file, on paper. */
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "cli/picture.h"
#include "lurk/history.h"
#include "picture/terminal.h"
#include "text/utf8.h"

enum {
	OPTION_FORM = 1000,
	OPTION_LAYOUT,
	OPTION_BEFORE_AFTER,
	OPTION_DARK,
	OPTION_LABELS,
	OPTION_CARD,
	OPTION_PAPER
};

/* ---- Which keyboard, which rules, which form ------------------------------------------------- */

static bool has_rules(const struct cli *cli, uint16_t described)
{
	for (uint32_t i = 0; i < cli->profile.count; i++) {
		const struct lurk_rule *rule = &cli->profile.rules[i];

		if (!rule->off && rule->keyboard == described)
			return true;
	}
	return false;
}

/* The one that was named; else the first that has rules of its own, or the first of all. */
static int find_here(const struct picture_work *w)
{
	const struct cli *cli = w->o->cli;
	int first = -1;

	for (int i = 0; cli->machine && i < cli->machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &cli->machine->keyboards[i];
		uint16_t described = k->present ? cli_described(cli, &k->info.identity) : 0;

		if (!k->present || (w->o->keyboard && described != w->described))
			continue;
		if (w->o->keyboard || (described && has_rules(cli, described)))
			return i;
		first = first < 0 ? i : first;
	}
	return first;
}

static bool choose_keyboard(struct picture_work *w)
{
	struct cli *cli = w->o->cli;
	const char *name = "any keyboard";
	int here;

	if (!cli_keyboard_option(cli, w->o->keyboard, &w->described))
		return false;
	here = find_here(w);
	if (here >= 0) {
		w->info = &cli->machine->keyboards[here].info;
		w->described = cli_described(cli, &w->info->identity);
		name = cli_keyboard_name(cli, (uint16_t)here);
	} else if (w->described) {
		name = cli->keyboards.keyboards[w->described - 1].name.bytes;
	}
	snprintf(w->keyboard, sizeof w->keyboard, "%s", name);
	return true;
}

/* As was asked for; as keyboards.yaml says, or the desk; or what the keyboard can send, and is
 * usual for the layout. */
static void choose_form(const struct cli *cli, const struct lurk_forms *wanted, uint16_t described,
			struct picture_job *job)
{
	const struct lurk_forms none = {0};
	const struct lurk_forms *known = described ? &cli->keyboards.forms[described - 1] : &none;
	const struct lurk_computer *desk = cli->computer;

	job->form = job->info ? lurk_form_guess(job->info) : LURK_FORM_FULL;
	for (unsigned i = 0; desk && job->info && i < desk->desk.keyboard_count; i++) {
		const struct lurk_desk_keyboard *k = &desk->desk.keyboards[i];

		if (!strcmp(k->identity.name, job->info->identity.name))
			job->form = k->form;
	}
	job->form = wanted->has_form ? wanted->form : known->has_form ? known->form : job->form;
	job->arrangement = wanted->has_arrangement  ? wanted->arrangement
			   : known->has_arrangement ? known->arrangement
			   : job->layout && job->layout != cli->usual_layout
				   ? lurk_arrangement_for(lurk_layout_name(job->layout))
				   : LURK_ISO;
}

/* The keyboard as the image numbers it. */
static uint16_t keyboard_in(const struct picture_work *w, const struct lurk_image *image)
{
	const struct lurk_keyboard *wanted =
		w->described ? &w->o->cli->keyboards.keyboards[w->described - 1] : NULL;

	for (uint16_t i = 0; wanted && i < image->keyboard_count; i++) {
		struct lurk_keyboard k;

		lurk_image_keyboard(image, i, &k);
		if (k.name.length == wanted->name.length &&
		    !memcmp(k.name.bytes, wanted->name.bytes, k.name.length))
			return (uint16_t)(i + 1);
	}
	return 0;
}

/* Keys that have no name of their own are called as the person calls them. */
static void name_caps(const struct picture_work *w, struct picture *picture)
{
	for (unsigned i = 0; w->described && i < picture->count; i++) {
		struct picture_cap *cap = &picture->caps[i];
		const struct lurk_nickname *nickname = lurk_nickname_of(
			&w->o->cli->keyboards, w->described, cap->scan, cap->place.key);

		if (!cap->place.key && nickname)
			snprintf(cap->mark ? cap->small : cap->main, PICTURE_TEXT, "%s",
				 nickname->name);
	}
}

static void prepare_job(const struct picture_work *w, struct picture_side *side)
{
	const struct picture_options *o = w->o;

	side->job = (struct picture_job){
		.image = &side->image,
		.without_rules = side->without_rules,
		.keyboard = keyboard_in(w, &side->image),
		.info = w->info,
		.layout = w->layout,
		.held = o->held,
		.codes = o->codes,
	};
	choose_form(o->cli, &o->forms, w->described, &side->job);
	picture_fill(&side->picture, &side->job);
	name_caps(w, &side->picture);
}

static bool open_file(struct picture_work *w, bool rules)
{
	struct picture_side *side = &w->sides[w->side_count++];

	side->bytes = cli_image(w->o->cli, &side->image);
	side->without_rules = !rules;
	snprintf(side->words, sizeof side->words, rules ? "With the rules" : "Without rules");
	if (side->bytes)
		return true;
	cli_fail(CLI_COULD_NOT, "%s: too long", w->o->cli->profile_path);
	return false;
}

static bool open_version(struct picture_work *w, uint64_t version)
{
	struct picture_side *side = &w->sides[w->side_count++];

	snprintf(side->words, sizeof side->words, "Version %llu", (unsigned long long)version);
	return cli_machine(w->o->cli) &&
	       cli_open_version(w->o->cli, version, &side->bytes, &side->image);
}

static bool open_sides(struct picture_work *w)
{
	const struct picture_options *o = w->o;

	if (o->before_after && !o->version_count && !open_file(w, false))
		return false;
	for (unsigned i = 0; i < o->version_count; i++) {
		if (!open_version(w, o->versions[i]))
			return false;
	}
	return o->version_count == (o->before_after ? 2U : 1U) || open_file(w, true);
}

/* ---- What is said of it ---------------------------------------------------------------------- */

static uint64_t now_us(const struct cli *cli)
{
	struct lurk_port *port = cli->computer ? cli->computer->session.port : NULL;

	return port ? port->class->now(port) : (uint64_t)time(NULL) * 1000000U;
}

static const char *const code_words[PICTURE_CODES_COUNT] = {
	[PICTURE_SCAN_CODES] = "PS/2 scan codes: above set 1, below set 2, in hexadecimal",
	[PICTURE_HID_CODES] = "USB HID usages: page and id, in hexadecimal",
	[PICTURE_EVDEV_CODES] = "Linux event codes",
	[PICTURE_NAMES] = "W3C names of keys (code)",
	[PICTURE_MEANINGS] = "Meanings of keys (W3C key, on a US layout)",
};

static unsigned changed_caps(const struct picture *picture)
{
	unsigned count = 0;

	for (unsigned i = 0; i < picture->count; i++)
		count += picture_cap_changed(&picture->caps[i]);
	return count;
}

static void write_title(struct picture_work *w)
{
	const struct picture_options *o = w->o;
	struct cli *cli = o->cli;
	struct lurk_profile profile = {0};
	char name[80] = "", with[96] = "";

	if (o->codes) {
		snprintf(w->title, sizeof w->title, "%s", code_words[o->codes]);
		return;
	}
	if (picture_subject(w)->image.profile_count) {
		lurk_image_profile(&picture_subject(w)->image, 0, &profile);
		cli_safe(profile.name.length ? profile.name : profile.word, name, sizeof name);
	}
	if (o->held)
		snprintf(with, sizeof with, ", while %s is held", o->held_words);
	if (o->version_count && !o->before_after)
		snprintf(w->title, sizeof w->title, "Version %llu on %s%s",
			 (unsigned long long)o->versions[0], w->keyboard, with);
	else if (cli->profile_exists || o->version_count)
		snprintf(w->title, sizeof w->title, "%s on %s%s", *name ? name : "base",
			 w->keyboard, with);
	else
		snprintf(w->title, sizeof w->title, "%s, without rules%s", w->keyboard, with);
}

static void write_under(struct picture_work *w)
{
	const struct picture_options *o = w->o;
	struct cli *cli = o->cli;
	const struct picture_job *job = &picture_subject(w)->job;
	char form[32], arrangement[8], date[32], layout[128] = "";
	const char *state = "";

	snprintf(form, sizeof form, "%s", lurk_form_name(job->form));
	snprintf(arrangement, sizeof arrangement, "%s", lurk_arrangement_name(job->arrangement));
	for (char *c = arrangement; *c; c++)
		*c = (char)(*c - 'a' + 'A');
	if (w->layout)
		snprintf(layout, sizeof layout, "; layout %s%s", lurk_layout_words(w->layout),
			 w->layout == cli->usual_layout ? ", as none is known (`--layout`)" : "");
	if (cli->machine && cli->profile_exists && !o->version_count && !o->codes)
		state = cli_pending(cli)          ? "; not in force: `lurk apply`"
			: cli->machine->off       ? "; all rules are off"
			: !*cli->machine->profile ? ""
			: strcasecmp(cli->machine->profile, cli->profile.word) != 0
				? "; another profile is in force: `lurk status`"
				: "; in force";
	snprintf(w->under, sizeof w->under, "%s%s%s%s; %s%s", form,
		 job->form == LURK_FORM_PAD ? "" : ", ",
		 job->form == LURK_FORM_PAD ? "" : arrangement, layout, cli_time(now_us(cli), date),
		 state);
}

static void add_line(struct picture_lines *lines, const char *format, ...) LURK_PRINTF(2, 3);

static void add_line(struct picture_lines *lines, const char *format, ...)
{
	va_list args;
	char **more = reallocarray(lines->lines, lines->count + 1U, sizeof *more);
	int n;

	if (!more)
		abort();
	lines->lines = more;
	va_start(args, format);
	n = vasprintf(&more[lines->count], format, args);
	va_end(args);
	if (n < 0)
		abort();
	lines->count++;
}

static void free_lines(struct picture_lines *lines)
{
	for (unsigned i = 0; i < lines->count; i++)
		free(lines->lines[i]);
	free(lines->lines);
}

static void write_rules(struct picture_work *w)
{
	const struct picture_side *side = picture_subject(w);
	struct lurk_rule rule;
	unsigned index = 0;
	char words[512];

	while (!w->o->codes && picture_next_rule(&side->picture, &side->job, &index, &rule))
		add_line(&w->rules, "%s", cli_rule_words(&rule, "", words, sizeof words));
}

static void write_back(struct picture_work *w)
{
	const struct picture_side *side = picture_subject(w);
	struct lurk_chord chord;
	char keys[LURK_WORDS];

	if (w->o->codes || !changed_caps(&side->picture))
		return;
	lurk_image_chord(&side->image, side->job.keyboard, &chord);
	cli_chord_words(&chord, keys);
	if (!w->o->card) {
		add_line(&w->back, "All rules off: hold %s for 2 s, or `lurk off`.", keys);
		return;
	}
	add_line(&w->back, "All rules off, and on again: hold");
	add_line(&w->back, "%s for two seconds,", keys);
	add_line(&w->back, "or type `lurk off`, `lurk on`.");
	add_line(&w->back, "The last change: `lurk undo`. A key: `lurk restore KEY`.");
	add_line(&w->back, "At boot: the word lurk.off on the kernel's command line.");
	add_line(&w->back, "More: `lurk help back`.");
}

/* ---- Output ---------------------------------------------------------------------------------- */

static struct json_object *cap_json(const struct picture_cap *cap)
{
	static const char *const marks[] = {NULL, "changed", "swapped", "nothing"};
	struct json_object *object = json_object_new_object(), *list = json_object_new_array();
	const struct lurk_place *p = &cap->place;
	char text[PICTURE_TEXT], scan[LURK_SCAN_TEXT];

	json_object_object_add(object, "key", json_object_new_string(lurk_key_name(p->key)));
	json_object_object_add(object, "scan",
			       json_object_new_string(lurk_scan_write(cap->scan, scan)));
	json_object_object_add(object, "x", json_object_new_double(p->x / 4.0));
	json_object_object_add(object, "y", json_object_new_double(p->y / 4.0));
	json_object_object_add(object, "width", json_object_new_double(p->width / 4.0));
	json_object_object_add(object, "height", json_object_new_double(p->height / 4.0));
	for (unsigned i = 0; i < PICTURE_LEGENDS; i++)
		json_object_array_add(list, json_object_new_string(cap->legends[i]));
	json_object_object_add(object, "legends", list);
	picture_first(cap->main, text);
	json_object_object_add(object, "says", json_object_new_string(text));
	picture_first(cap->small, text);
	json_object_object_add(object, "usually", json_object_new_string(text));
	picture_first(cap->with, text);
	json_object_object_add(object, "with", json_object_new_string(text));
	json_object_object_add(object, "mark",
			       cap->mark ? json_object_new_string(marks[cap->mark]) : NULL);
	json_object_object_add(object, "pair", json_object_new_int(cap->pair));
	json_object_object_add(object, "by_code", json_object_new_boolean(cap->by_code));
	json_object_object_add(object, "broken", json_object_new_boolean(cap->broken));
	json_object_object_add(object, "absent", json_object_new_boolean(cap->absent));
	json_object_object_add(object, "differs", json_object_new_boolean(!cap->faint));
	return object;
}

static int print_json(struct picture_work *w)
{
	struct json_object *object = json_object_new_object(), *list = json_object_new_array();
	struct json_object *lines = json_object_new_array();

	json_object_object_add(object, "title", json_object_new_string(w->title));
	json_object_object_add(object, "keyboard", json_object_new_string(w->keyboard));
	json_object_object_add(
		object, "form",
		json_object_new_string(lurk_form_name(picture_subject(w)->job.form)));
	json_object_object_add(
		object, "arrangement",
		json_object_new_string(lurk_arrangement_name(picture_subject(w)->job.arrangement)));
	json_object_object_add(object, "layout",
			       w->layout ? json_object_new_string(lurk_layout_name(w->layout))
					 : NULL);
	for (unsigned i = 0; i < picture_subject(w)->picture.count; i++)
		json_object_array_add(list, cap_json(&picture_subject(w)->picture.caps[i]));
	for (unsigned i = 0; i < w->rules.count; i++)
		json_object_array_add(lines, json_object_new_string(w->rules.lines[i]));
	json_object_object_add(object, "caps", list);
	json_object_object_add(object, "rules", lines);
	cli_print_json(object);
	return CLI_DONE;
}

static void print_signs(const struct picture_work *w)
{
	char line[512] = "";

	for (unsigned sign = 0; sign < PICTURE_SIGNS; sign++) {
		bool has = false;
		char one[128];

		for (unsigned i = 0; i < w->side_count; i++)
			has |= picture_has(&w->sides[i].picture, (enum picture_sign)sign);
		if (!has)
			continue;
		snprintf(one, sizeof one, "%s %s", terminal_sign((enum picture_sign)sign),
			 picture_sign_words((enum picture_sign)sign));
		if (*line && lurk_utf8_columns(line) + lurk_utf8_columns(one) + 3 > cli_columns()) {
			puts(line);
			*line = '\0';
		}
		snprintf(line + strlen(line), sizeof line - strlen(line), "%s%s",
			 *line ? "   " : "", one);
	}
	if (*line)
		puts(line);
}

static int print_terminal(struct picture_work *w)
{
	if (isatty(STDOUT_FILENO) && cli_columns() < TERMINAL_LEAST)
		return cli_fail(CLI_COULD_NOT,
				"the keyboard takes %d columns, and this terminal has %u; `-o "
				"keyboard.svg` draws it to a file",
				TERMINAL_LEAST, cli_columns());
	cli_print_strong(w->title);
	printf("\n%s\n", w->under);
	for (unsigned i = 0; i < w->side_count; i++) {
		char *drawn = terminal_draw(&w->sides[i].picture, cli_columns(), 0, cli_styled());

		if (w->side_count > 1)
			printf("%s:\n", w->sides[i].words);
		cli_raw(drawn);
		free(drawn);
	}
	print_signs(w);
	for (unsigned i = 0; i < w->rules.count; i++)
		printf("  %s\n", w->rules.lines[i]);
	for (unsigned i = 0; i < w->back.count; i++)
		puts(w->back.lines[i]);
	return CLI_DONE;
}

static int run(struct picture_work *w)
{
	const struct picture_options *o = w->o;
	struct lurk_message why;

	if (o->layout) {
		w->layout = w->own_layout = lurk_layout_open(o->layout, &why);
		if (!w->layout)
			return cli_fail(CLI_USAGE, "%s", why.text);
	} else {
		w->layout = cli_shown_layout(o->cli);
	}
	if (!choose_keyboard(w) || !open_sides(w))
		return CLI_COULD_NOT;
	for (unsigned i = 0; i < w->side_count; i++)
		prepare_job(w, &w->sides[i]);
	if (w->side_count > 1)
		picture_compare(&w->sides[0].picture, &w->sides[1].picture);
	write_title(w);
	write_under(w);
	write_rules(w);
	write_back(w);
	if (o->labels && !changed_caps(&picture_subject(w)->picture))
		return cli_fail(CLI_FOUND,
				"no key of %s has another job, so there is no label to "
				"print; `lurk map KEY RESULT` gives one",
				w->keyboard);
	if (o->output && cli_drawer.draw(w) != CLI_DONE)
		return CLI_COULD_NOT;
	if (o->cli->json)
		return print_json(w);
	return o->output ? CLI_DONE : print_terminal(w);
}

/* ---- A press on its keyboard ----------------------------------------------------------------- */

static void light(struct picture *picture, const struct lurk_press_record *r)
{
	lurk_key gives = lurk_action_key(&r->gives, r->key);

	for (unsigned i = 0; i < picture->count; i++) {
		struct picture_cap *cap = &picture->caps[i];

		if (r->key ? cap->place.key == r->key : lurk_scan_same(cap->scan, r->scan))
			cap->pressed = true;
		else if (gives && gives != r->key && cap->place.key == gives)
			cap->target = true;
	}
}

char *cli_lit_keyboard(struct cli *cli, const struct lurk_history *history,
		       const struct lurk_press_record *press, unsigned lines)
{
	const struct lurk_machine *machine = cli->machine;
	const struct lurk_port_keyboard *info = &machine->keyboards[press->keyboard].info;
	const struct lurk_image *image = machine->image;
	const struct lurk_text word = {machine->profile, strlen(machine->profile)};
	const uint16_t profile = image ? lurk_image_find_profile(image, word) : 0;
	struct picture_job job = {
		.image = image,
		.without_rules = machine->off,
		.profile = profile ? (uint16_t)(profile - 1) : 0,
		.keyboard = image ? lurk_image_recognise(image, &info->identity) : 0,
		.info = info,
		.layout = cli_shown_layout(cli),
	};
	const struct lurk_forms any = {0};
	struct picture *picture = calloc(1, sizeof *picture);
	const struct lurk_press_record *r;
	char *drawn;

	if (!picture)
		abort();
	choose_form(cli, &any, cli_described(cli, &info->identity), &job);
	picture_fill(picture, &job);
	light(picture, press);
	for (uint32_t i = 0; (r = lurk_history_at(history, i)); i++) {
		if (r->held && r->keyboard == press->keyboard)
			light(picture, r);
	}
	drawn = terminal_draw(picture, cli_columns(), lines, cli_styled());
	free(picture);
	return drawn;
}

/* ---- Options --------------------------------------------------------------------------------- */

static void read_form(struct picture_options *o, struct argp_state *state, const char *arg)
{
	char wrong[32];

	if (!lurk_forms_read(arg, &o->forms, wrong))
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
	o->held = press.modifiers;
	snprintf(o->held_words, sizeof o->held_words, "%s", arg);
}

static void read_codes(struct picture_options *o, struct argp_state *state, const char *arg)
{
	static const char *const words[] = {"scan", "hid", "evdev", "names", "meaning"};

	for (unsigned i = 0; i < sizeof words / sizeof *words; i++) {
		if (!strcasecmp(arg, words[i]))
			o->codes = (enum picture_codes)(i + PICTURE_SCAN_CODES);
	}
	if (!o->codes)
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
	if (o->labels + o->card + o->before_after + (o->codes != 0) > 1)
		argp_error(state, "one of --labels, --card, --before-after and --codes");
	if ((o->labels || o->card || o->paper) && !o->output)
		argp_error(state, "say where to: -o FILE.pdf");
	if (o->labels && (o->held || o->dark))
		argp_error(state, "labels are for paper, and say what keys give alone: no --with, "
				  "no --dark");
	if (o->version_count > 1 && !o->before_after)
		argp_error(state, "two versions are compared: --before-after");
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct picture_options *o = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = o->cli;
		return 0;
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
		o->before_after = true;
		return 0;
	case OPTION_DARK:
		o->dark = true;
		return 0;
	case OPTION_LABELS:
		o->labels = true;
		return 0;
	case OPTION_CARD:
		o->card = true;
		return 0;
	case OPTION_PAPER:
		read_paper(o, state, arg);
		return 0;
	case ARGP_KEY_ARG:
		if (o->version_count == PICTURE_VERSIONS ||
		    !cli_read_version(arg, &o->versions[o->version_count]))
			argp_error(state,
				   "`%s` is not expected here; a version is a number that "
				   "`lurk versions` lists",
				   arg);
		o->version_count++;
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
	{"layout", OPTION_LAYOUT, "NAME", 0, "With the characters of this layout: gb, de, jp", 0},
	{"with", 'w', "MODIFIERS", 0, "What keys give while these are held: Control+Alt", 0},
	{"codes", 'c', "KIND", 0, "A chart of codes instead: scan, hid, evdev, names or meaning",
	 0},
	{"before-after", OPTION_BEFORE_AFTER, NULL, 0,
	 "Two keyboards, without the rules and with them, or two versions: only what differs is "
	 "strong",
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
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {options,
				  parse_option,
				  "[VERSION [VERSION]]",
				  "The keyboard as a picture: what each key gives by the file, or "
				  "by a version that `lurk versions` lists."
				  "\vExamples:\n"
				  "  lurk picture\n"
				  "  lurk picture --keyboard heron -o heron.svg\n"
				  "  lurk picture --with Shift --layout de\n"
				  "  lurk picture --codes hid -o usages.pdf\n"
				  "  lurk picture --labels -o labels.pdf",
				  children,
				  NULL,
				  NULL};
	struct picture_options o = {.cli = cli};
	struct picture_work *w;
	int status = CLI_COULD_NOT;

	cli_parse(cli, &argp, argc, argv, &o);
	if (o.output && cli_drawer.hand_over)
		return cli_drawer.hand_over(cli);
	w = calloc(1, sizeof *w);
	if (!w)
		abort();
	w->o = &o;
	if (cli_read_files(cli)) {
		cli_machine_if_any(cli);
		status = run(w);
	}
	for (unsigned i = 0; i < PICTURE_VERSIONS; i++)
		free(w->sides[i].bytes);
	free_lines(&w->rules);
	free_lines(&w->back);
	lurk_layout_close(w->own_layout);
	free(w);
	return status;
}
