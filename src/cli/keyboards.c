/* keyboards: what is here and known; names, and keys that are broken. */
#include <string.h>

#include "cli/chord.h"
#include "cli/commands.h"
#include "cli/script.h"
#include "lurk/work/acting.h"
#include "lurk/work/naming.h"
#include "tell/json.h"
#include "tell/keyboard.h"
#include "tell/way.h"
#include "terminal/watch.h"

enum { PATIENCE_S = 30 };
enum {
	OPTION_SAME_AS = 1000,
	OPTION_NICKNAME,
	OPTION_DESCRIBE,
	OPTION_OFF_CHORD,
	OPTION_FORM,
	OPTION_APART,
	OPTION_PRESS_ONLY
};

static const char off_chord[] = "off-chord";

struct keyboards {
	struct cli *cli;
	const char *name, *keyboard, *script;
	const char *quirk; /* the list of keyboards.yaml that keys are added to */
	const char *same_as, *nickname, *form;
	bool apart, describe;
	char **keys;
	unsigned count;
	uint16_t described;      /* `keyboard`, where it is meant */
	char named[LURK_NAMING]; /* said first, where it had no name before */
	int pressed; /* the session's number of the keyboard on which a key came, -1 for none yet */
};

/* ---- The list -------------------------------------------------------------------------------- */

struct listing {
	const struct cli *cli;
	struct term_table table;
	unsigned here, away, unnamed;
};

static void list_one(struct listing *l, uint16_t number)
{
	const struct cli *cli = l->cli;
	const struct lurk_session_keyboard *k = &cli->machine->keyboards[number];
	const struct lurk_identity *identity = &k->info.identity;
	uint16_t described = lurk_keyboards_recognise(&cli->ws.keyboards, identity);
	char where[TELL_KEYBOARD], who[TELL_KEYBOARD], odd[TELL_KEYBOARD] = "";
	char count[16], unnamed[96];

	l->here++;
	l->unnamed += !described;
	if (cli->json) {
		term_json(tell_keyboard_json(cli->machine, &cli->ws.keyboards, number));
		return;
	}
	if (described)
		tell_quirks(&cli->ws.keyboards.keyboards[described - 1], odd);
	snprintf(count, sizeof count, "%u", lurk_rules_on(cli->machine, k->described));
	snprintf(unnamed, sizeof unnamed, "(%s)", *identity->name ? identity->name : "no name");
	term_table_row(&l->table, described ? cli_keyboard_name(cli, number) : unnamed,
		       tell_connection(identity, where), count, tell_way(k),
		       tell_recognised(identity, who), odd);
}

static void list_away(struct listing *l, uint16_t described)
{
	const struct lurk_keyboard *k = &l->cli->ws.keyboards.keyboards[described - 1];
	char odd[TELL_KEYBOARD];

	l->away++;
	if (l->cli->json)
		term_json(tell_keyboard_away_json(k));
	else
		term_table_row(&l->table, k->name.bytes, "not here", "", "", "",
			       tell_quirks(k, odd));
}

/* Keyboards that say the same of themselves can only be told apart by where they are plugged in. */
static void say_twins(const struct cli *cli)
{
	const struct lurk_machine *m = cli->machine;

	for (uint16_t i = 0; i < m->keyboard_count; i++) {
		const struct lurk_identity *one = &m->keyboards[i].info.identity;

		for (uint16_t j = 0; m->keyboards[i].present && j < i; j++) {
			if (!m->keyboards[j].present ||
			    !lurk_are_twins(one, &m->keyboards[j].info.identity))
				continue;
			if (lurk_keyboards_recognise(&cli->ws.keyboards, one) &&
			    lurk_keyboards_recognise(&cli->ws.keyboards, one) !=
				    lurk_keyboards_recognise(&cli->ws.keyboards,
							     &m->keyboards[j].info.identity))
				continue; /* each has a name of its own */
			printf("Two call themselves %s, and say the same of themselves: only their "
			       "places, %s and %s, tell them apart. `lurk keyboards --name NAME` "
			       "names the one on which a key is pressed.\n",
			       one->name, m->keyboards[j].info.identity.place, one->place);
		}
	}
}

/* Of one that is described, or (0) of all. */
static void say_who_has_no_chord(const struct cli *cli, uint16_t only)
{
	char words[TELL_NO_CHORD];

	for (uint16_t i = 0; i < cli->machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &cli->machine->keyboards[i];
		const uint16_t described =
			k->present ? lurk_keyboards_recognise(&cli->ws.keyboards, &k->info.identity)
				   : 0;

		/* Of a power button nobody expects it. */
		if (described && (!only || described == only) &&
		    !cli->ws.keyboards.keyboards[described - 1].apart &&
		    *tell_no_chord(cli->machine, &cli->ws.keyboards, i, words))
			puts(words);
	}
}

static int list(struct cli *cli)
{
	static const char *const heads[] = {"keyboard", "connected",     "rules",
					    "way",      "recognised by", "odd keys"};
	const struct lurk_machine *machine = cli->machine;
	struct listing l = {.cli = cli};
	char here[LURK_COUNT_WORDS];

	term_table_init(&l.table, heads, 6);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		if (machine->keyboards[i].present)
			list_one(&l, i);
	}
	for (uint16_t d = 1; d <= cli->ws.keyboards.count; d++) {
		if (!lurk_keyboard_here(machine, &cli->ws.keyboards, d))
			list_away(&l, d);
	}
	if (cli->json)
		return CLI_DONE;
	printf("%s here", lurk_words_count(l.here, "keyboard", here));
	if (l.away)
		printf(", %u more known", l.away);
	puts(l.here + l.away ? ":" : ".");
	term_table_print(&l.table, "  ");
	say_twins(cli);
	say_who_has_no_chord(cli, 0);
	if (l.unnamed)
		printf("%s (in brackets: what it calls itself): `lurk keyboards --name NAME` gives "
		       "%s one.\n",
		       l.unnamed == 1 ? "One has no name of yours" : "Some have no name of yours",
		       l.unnamed == 1 ? "it" : "them");
	return CLI_DONE;
}

/* ---- Names ----------------------------------------------------------------------------------- */

static void note_press(struct keyboards *k, const struct lurk_event *event)
{
	if (k->pressed < 0 && event->key.state == LURK_DOWN)
		k->pressed = event->keyboard;
}

static void on_event(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	(void)action;
	note_press(data, event);
}

/* On the real machine: until a key came. */
static bool on_press(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct keyboards *k = data;

	(void)action;
	note_press(k, event);
	return k->pressed < 0;
}

static bool by_press(struct keyboards *k, struct lurk_message *why)
{
	return term_watch(k->cli->machine,
			  &(struct term_watch){
				  .watching = {.data = k, .seconds = PATIENCE_S, .key = on_press},
				  .prompt = "Press a key on the keyboard that you mean."},
			  why);
}

/* Which keyboard is meant: the one that was said, or on which a key is pressed; on a desk else the
 * only one without a name. -1 with the message printed. */
static int choose(struct keyboards *k, struct lurk_naming *naming)
{
	const struct lurk_machine *machine = k->cli->machine;
	struct lurk_message why;
	unsigned unnamed;
	const int only = lurk_only_unnamed(&k->cli->ws, machine, &unnamed);

	k->pressed = -1;
	if (k->keyboard) {
		k->pressed = lurk_naming_here(naming, k->keyboard);
		if (k->pressed < 0)
			cli_fail(CLI_USAGE, "%s", naming->why.text);
		return k->pressed;
	}
	/* On a real machine the one without a name may be a power button. */
	if (!k->script && machine->desk && only >= 0)
		return only;
	if (!k->script && machine->desk) {
		cli_fail(CLI_USAGE,
			 unnamed ? "several keyboards have no name yet; say which: --keyboard with "
				   "what "
				   "it calls itself or its place, or --play SCRIPT with a press"
				 : "every keyboard here has a name already; say which: --keyboard "
				   "NAME, or --play SCRIPT with a press");
		return -1;
	}
	if (!(k->script ? cli_play_watched(k->cli, k->script, on_event, k, &why)
			: by_press(k, &why))) {
		if (*why.text)
			cli_fail(CLI_USAGE, "%s", why.text);
	} else if (k->pressed < 0) {
		cli_fail(CLI_USAGE, "no key was pressed, so no keyboard is chosen");
	}
	return k->pressed;
}

/* ---- Edits ----------------------------------------------------------------------------------- */

static int finish(struct keyboards *k, struct lurk_naming *naming, enum lurk_went went)
{
	struct cli *cli = k->cli;

	if (went == LURK_DONE &&
	    !lurk_workspace_save_keyboards(&cli->ws, naming->summary, &naming->why))
		went = LURK_COULD_NOT;
	if (went != LURK_DONE)
		return cli_fail((int)went, "%s", naming->why.text);
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		if (*k->named)
			tell_put_text(object, "named", k->named);
		tell_put_text(object, "did", naming->summary);
		tell_put_text(object, "file", cli->ws.keyboards_path);
		term_json(object);
	} else {
		if (*k->named)
			printf("%s.\n", k->named);
		printf("%s.\nIt stands in %s.%s\n", naming->summary, cli->ws.keyboards_path,
		       k->form ? ""
			       : " What is in force has not changed: `lurk apply` takes it into "
				 "account.");
		if (k->quirk)
			say_who_has_no_chord(cli, k->described);
	}
	return CLI_DONE;
}

static int give_nickname(struct keyboards *k, struct lurk_naming *naming, uint16_t described)
{
	const char *equals = strrchr(k->nickname, '=');
	char code[LURK_WORDS];

	if (!equals || equals == k->nickname || !equals[1])
		return cli_fail(CLI_USAGE,
				"a nickname is given as in --nickname hid:07:a5=Feather");
	snprintf(code, sizeof code, "%.*s", (int)(equals - k->nickname), k->nickname);
	return finish(k, naming, lurk_naming_nickname(naming, described, code, equals + 1));
}

/* What is written of a keyboard that has a name. */
static int describe_one(struct keyboards *k, struct lurk_naming *naming)
{
	if (!k->keyboard)
		return cli_fail(CLI_USAGE, "say %swhich keyboard: --keyboard NAME",
				k->quirk || k->nickname ? "on " : "");
	if (lurk_naming_meant(naming, k->keyboard, true, &k->described) != LURK_DONE)
		return cli_fail(CLI_USAGE, "%s", naming->why.text);
	if (*naming->summary)
		snprintf(k->named, sizeof k->named, "%s", naming->summary);
	if (k->nickname)
		return give_nickname(k, naming, k->described);
	if (k->apart)
		return finish(k, naming, lurk_naming_set_apart(naming, k->described));
	if (k->form)
		return finish(k, naming, lurk_naming_set_form(naming, k->described, k->form));
	return finish(k, naming,
		      lurk_naming_mark(naming, k->described, k->quirk, k->keys, k->count));
}

/* A new name, or that of one that is known by another connection. */
static int recognise_one(struct keyboards *k, struct lurk_naming *naming)
{
	const struct lurk_identity *identity;
	uint16_t described;
	int number;

	if (!cli_keyboard_option(k->cli, k->same_as, &described) ||
	    (number = choose(k, naming)) < 0)
		return CLI_USAGE;
	identity = &k->cli->machine->keyboards[number].info.identity;
	return finish(k, naming,
		      k->name ? lurk_naming_name(naming, identity, k->name)
			      : lurk_naming_join(naming, described, identity));
}

/* What was learnt of the keyboards here, as a keyboards.yaml for others. */
static int describe(struct keyboards *k)
{
	struct cli *cli = k->cli;
	const struct lurk_keyboards_file *known = &cli->ws.keyboards;
	const struct lurk_machine *machine = cli->machine;
	unsigned count = 0;
	uint16_t only;

	if (!cli_keyboard_option(cli, k->keyboard, &only))
		return CLI_USAGE;
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *one = &machine->keyboards[i];
		uint16_t described =
			one->present ? lurk_keyboards_recognise(known, &one->info.identity) : 0;
		unsigned declared = 0;

		if (!described || (only && only != described))
			continue;
		for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key))
			declared += lurk_declares(&one->info, key);
		if (!count++)
			puts("keyboards:");
		printf("  # calls itself \"%s\"; says that it has %u keys\n",
		       one->info.identity.name, declared);
		printf("  %s: %.*s\n", known->keyboards[described - 1].name.bytes,
		       (int)(known->nodes[described - 1]->end - known->nodes[described - 1]->start),
		       known->yaml.bytes + known->nodes[described - 1]->start);
	}
	if (!count)
		return cli_fail(CLI_FOUND, "no such keyboard is here; `lurk keyboards --name NAME` "
					   "gives one a name");
	return CLI_DONE;
}

/* ---- The command ----------------------------------------------------------------------------- */

static const struct argp_option options[] = {
	{"name", 'N', "NAME", 0,
	 "Name the keyboard on which the next key is pressed; on a desk, the one that has no name",
	 0},
	{"play", 'P', "SCRIPT", 0, "On a simulated desk: the press that chooses the keyboard", 0},
	{"keyboard", 'k', "NAME", 0,
	 "The keyboard that is meant: its name, what it calls itself or its place", 0},
	{"apart", OPTION_APART, NULL, 0,
	 "It types, but nobody types on it (a scanner, a token): rules for all keyboards leave it "
	 "alone",
	 0},
	{"same-as", OPTION_SAME_AS, "NAME", 0,
	 "The keyboard here that has no name, or the one on which a key is pressed, is NAME by "
	 "another connection",
	 0},
	{"nickname", OPTION_NICKNAME, "CODE=NICKNAME", 0,
	 "Give a key of that keyboard a name of your own, to be used in rules", 0},
	{"describe", OPTION_DESCRIBE, NULL, 0,
	 "Write what was learnt of the keyboards here, for others", 0},
	{"form", OPTION_FORM, "FORM", 0,
	 "How pictures draw that keyboard: full, no-keypad, compact or pad, and iso, ansi or jis",
	 0},
	{"broken", 'b', NULL, 0, "KEYs are there, but not to be relied on", 1},
	{"missing", 'm', NULL, 0, "KEYs are not on this keyboard", 1},
	{"press-only", OPTION_PRESS_ONLY, NULL, 0, "KEYs never send their release", 1},
	{"off-chord", OPTION_OFF_CHORD, NULL, 0,
	 "These 2 to 4 KEYs, held together for two seconds, switch all rules off and on; without "
	 "KEYs, see whether the chord arrives",
	 1},
	{0},
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct keyboards *k = state->input;

	switch (key) {
	case 'N':
		k->name = arg;
		return 0;
	case 'P':
		k->script = arg;
		return 0;
	case 'k':
		k->keyboard = arg;
		return 0;
	case OPTION_APART:
		k->apart = true;
		return 0;
	case OPTION_SAME_AS:
		k->same_as = arg;
		return 0;
	case OPTION_NICKNAME:
		k->nickname = arg;
		return 0;
	case OPTION_DESCRIBE:
		k->describe = true;
		return 0;
	case OPTION_FORM:
		k->form = arg;
		return 0;
	case OPTION_OFF_CHORD:
	case 'b':
	case 'm':
	case OPTION_PRESS_ONLY:
		if (k->quirk)
			argp_error(state, "one of --broken, --missing, --press-only and "
					  "--off-chord at a time");
		k->quirk = key == 'b'                 ? "broken"
			   : key == 'm'               ? "missing"
			   : key == OPTION_PRESS_ONLY ? "press-only"
						      : off_chord;
		return 0;
	case ARGP_KEY_ARGS:
		k->keys = state->argv + state->next;
		k->count = (unsigned)(state->argc - state->next);
		return 0;
	case ARGP_KEY_END:
		if ((k->apart || k->form) && (k->quirk || k->name || (k->apart && k->form)))
			argp_error(state, "--apart and --form go with --keyboard alone");
		if (k->describe && k->cli->json)
			argp_error(state, "--describe writes YAML, for a keyboards.yaml");
		if (k->count && !k->quirk)
			argp_error(state,
				   "keys go with --broken, --missing, --press-only or --off-chord");
		if (k->quirk && (k->name || (!k->count && k->quirk != off_chord)))
			argp_error(state, "say which keys, as in --broken End");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_keyboards(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		options, parse_option, "[KEY...]",
		"The keyboards here and known: how they are connected, how many "
		"rules act on each, and which way."
		"\vExamples:\n"
		"  lurk keyboards\n"
		"  lurk keyboards --name wagtail\n"
		"  lurk keyboards --keyboard heron --broken End"};
	struct keyboards k = {.cli = cli};
	struct lurk_naming naming = {.ws = &cli->ws};

	cli_parse(cli, &words, argc, argv, &k);
	cli->ws.editing =
		k.name || k.same_as || k.nickname || k.apart || k.form || (k.quirk && k.count);
	cli->ws.judging = true; /* a name that a rule has, and no keyboard, is given here */
	if (!cli_read_files(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	naming.machine = cli->machine;
	if (k.quirk == off_chord && !k.count)
		return cli_test_chord(cli, k.script);
	if (k.name || k.same_as)
		return recognise_one(&k, &naming);
	if (k.describe)
		return describe(&k);
	return k.nickname || k.apart || k.form || k.quirk ? describe_one(&k, &naming) : list(cli);
}
