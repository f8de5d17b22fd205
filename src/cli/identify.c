/* identify: what keys send and give, and what follows from it. What is pressed is printed and
 * forgotten. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/edit.h"
#include "cli/script.h"
#include "cli/trial.h"
#include "lurk/text/memory.h"
#include "lurk/work/holder.h"
#include "lurk/work/naming.h"
#include "lurk/work/presses.h"
#include "tell/json.h"
#include "tell/press.h"
#include "terminal/view.h"
#include "terminal/watch.h"

enum { PATIENCE_S = 15, HANDS_OFF_S = 60, TAKE_S = 30, TAKE_MOST_S = 60 };
enum {
	OPTION_HANDS_OFF = 1000,
	OPTION_GIVES,
	OPTION_KEEP,
	OPTION_PICTURE,
	OPTION_COUNT,
	OPTION_TAKE,
	OPTION_COMPARE,
	OPTION_RULE
};

enum mode { SHOW, COMPARE, MISSING, HANDS_OFF, RULE };

struct identify {
	struct cli *cli;
	const char *script, *gives, *keyboard;
	enum mode mode;
	unsigned count, seconds; /* after which it ends; 0 for never */
	bool take, keep, picture;
	struct term_view presses;
	unsigned wanted; /* how many presses are waited for */
};

/* ---- Presses as they come, of the desk or the machine ---------------------------------------- */

static const struct lurk_press_record *press_at(const struct identify *id, unsigned index)
{
	return lurk_presses_at(&id->presses.history, index);
}

static struct tell_presses told(const struct identify *id)
{
	return (struct tell_presses){
		.ws = &id->cli->ws, .machine = id->cli->machine, .history = &id->presses.history};
}

static void on_event(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct identify *id = data;

	term_view_feed(&id->presses, event, action);
}

/* Where presses are only waited for they are not shown one by one. */
static void on_quiet_event(void *data, const struct lurk_event *event,
			   const struct lurk_action *action)
{
	struct identify *id = data;

	while (lurk_history_overdue(&id->presses.history, event->time_us))
		;
	term_view_note(&id->presses, event, action);
}

static bool on_shown(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct identify *id = data;

	term_view_feed(&id->presses, event, action);
	return !term_view_left(&id->presses) && (!id->count || id->presses.shown < id->count);
}

static bool on_awaited(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct identify *id = data;

	on_quiet_event(data, event, action);
	return lurk_presses_begun(&id->presses.history) < id->wanted;
}

/* A job is pressed when its key comes up again: until then it may be a modifier of a chord. */
static bool on_job(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct identify *id = data;
	const struct lurk_press_record *r;

	on_quiet_event(data, event, action);
	r = press_at(id, id->wanted - 1);
	return !r || r->held;
}

static bool on_tick(void *data, unsigned left)
{
	struct identify *id = data;

	(void)left;
	term_view_tick(&id->presses);
	return !term_view_left(&id->presses);
}

/* A key that never says that it came up has all the same been pressed. */
static bool on_waiting(void *data, unsigned left)
{
	struct identify *id = data;
	const struct lurk_press_record *r = term_view_end_overdue(&id->presses);

	(void)left;
	return !r || r != press_at(id, id->wanted - 1);
}

/* Waits for the next press, after a prompt; on a desk the script has been played. False where none
 * came. */
static bool await(struct identify *id, const char *prompt, unsigned seconds,
		  bool (*key)(void *data, const struct lurk_event *event,
			      const struct lurk_action *action),
		  struct lurk_message *why)
{
	*why->text = '\0';
	id->wanted++;
	if (id->cli->machine->desk)
		return press_at(id, id->wanted - 1) != NULL;
	lurk_history_let_go(&id->presses.history); /* nobody listened since the last one */
	return term_watch(id->cli->machine,
			  &(struct term_watch){.watching = {.data = id,
							    .seconds = seconds,
							    .take = id->take,
							    .key = key,
							    .tick = on_waiting},
					       .prompt = prompt},
			  why) &&
	       press_at(id, id->wanted - 1) != NULL;
}

/* ---- Conclusions ---------------------------------------------------------------------------- */

static int say_nothing_came(const struct lurk_message *why)
{
	if (*why->text)
		return cli_fail(CLI_COULD_NOT, "%s", why->text);
	return cli_fail(CLI_FOUND, "no key arrived within %d seconds", PATIENCE_S);
}

static int conclude(struct identify *id, const char *word, const char *text)
{
	if (id->cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_text(object, "conclusion", word);
		tell_put_text(object, "what", text);
		term_json(object);
	} else {
		puts(text);
	}
	return CLI_DONE;
}

static int compare(struct identify *id, struct lurk_message *why)
{
	const struct tell_presses about = told(id);
	char text[TELL_CONCLUSION];

	if (!await(id, "Press the first key.", PATIENCE_S, on_awaited, why) ||
	    !await(id, "Now press the second.", PATIENCE_S, on_awaited, why))
		return say_nothing_came(why);
	return conclude(id, tell_relation(press_at(id, 0), press_at(id, 1)),
			tell_comparison(&about, press_at(id, 0), press_at(id, 1), text));
}

static int missing(struct identify *id, struct lurk_message *why)
{
	const struct tell_presses about = told(id);
	char text[TELL_CONCLUSION];

	await(id, "Press the key now, twice if nothing happens.",
	      id->seconds ? id->seconds : PATIENCE_S, on_awaited, why);
	if (*why->text)
		return say_nothing_came(why);
	return conclude(id, press_at(id, 0) ? "arrives" : "nothing",
			tell_arrival(&about, press_at(id, 0), text));
}

static bool watch_untouched(struct identify *id, struct lurk_message *why)
{
	const unsigned seconds = id->seconds ? id->seconds : HANDS_OFF_S;
	char prompt[80], count[LURK_COUNT_WORDS];

	snprintf(prompt, sizeof prompt, "Hands off all keyboards, for %s.",
		 lurk_words_count(seconds, "second", count));
	id->wanted = UINT32_MAX;
	return term_watch(id->cli->machine,
			  &(struct term_watch){
				  .watching = {.data = id, .seconds = seconds, .key = on_awaited},
				  .prompt = prompt},
			  why);
}

/* What presses itself: each key once, with how often. */
static int hands_off(struct identify *id, struct lurk_message *why)
{
	const struct tell_presses about = told(id);
	char words[TELL_CONCLUSION];
	unsigned found = 0;

	if (!id->cli->machine->desk && !watch_untouched(id, why))
		return say_nothing_came(why);
	for (unsigned i = 0; press_at(id, i); i++) {
		const unsigned times = lurk_presses_alike(&id->presses.history, i);

		if (!times)
			continue;
		found++;
		if (id->cli->json)
			conclude(id, "presses itself", tell_press(&about, press_at(id, i), words));
		else
			puts(tell_pressing_itself(&about, press_at(id, i), times, words));
	}
	return found ? CLI_FOUND : conclude(id, "none", "No key pressed itself.");
}

/* ---- A rule by pressing --------------------------------------------------------------------- */

/* A line that the person types; false at the end of the input. */
static bool ask(const char *prompt, char *out, size_t size)
{
	if (!isatty(STDIN_FILENO))
		return false;
	fprintf(stderr, "%s ", prompt);
	if (!fgets(out, (int)size, stdin))
		return false;
	out[strcspn(out, "\n")] = '\0';
	return *out != '\0';
}

/* What the first key shall give: pressed, or typed. */
static bool choose_job(struct identify *id, const struct lurk_press_record *key, char *job,
		       size_t size, struct lurk_message *why)
{
	if (id->gives) {
		snprintf(job, size, "%s", id->gives);
		return true;
	}
	if (!await(id,
		   "Now press the key whose job it shall do. Or the first key again, to type a "
		   "name instead.",
		   PATIENCE_S, on_job, why))
		return false;
	if (press_at(id, 2) || lurk_press_compare(key, press_at(id, 1)) != LURK_SAME_CODE)
		return lurk_presses_chord(&id->presses.history, 1, job, size, why);
	return ask("Its name, or `nothing`:", job, size) ||
	       lurk_say(why, "nothing was typed; --gives NAME says it on the command line");
}

/* The rule is for the keyboard on which the key was pressed, where that has a name. */
static bool choose_keyboard(struct identify *id, uint16_t number, struct lurk_message *why)
{
	const struct lurk_identity *identity = &id->cli->machine->keyboards[number].info.identity;
	uint16_t described = lurk_keyboards_recognise(&id->cli->ws.keyboards, identity);
	struct lurk_naming naming = {.ws = &id->cli->ws, .machine = id->cli->machine};
	char name[64];

	if (described) {
		id->keyboard = id->cli->ws.keyboards.keyboards[described - 1].name.bytes;
		return true;
	}
	if (!ask("That keyboard has no name yet. A name for it, or nothing, for a rule on every "
		 "keyboard:",
		 name, sizeof name))
		return true;
	if (lurk_naming_name(&naming, identity, name) != LURK_DONE ||
	    !lurk_workspace_save_keyboards(naming.ws, naming.summary, &naming.why)) {
		*why = naming.why;
		return false;
	}
	printf("%s.\n", naming.summary);
	id->keyboard =
		id->cli->ws.keyboards
			.keyboards[lurk_keyboards_recognise(&id->cli->ws.keyboards, identity) - 1]
			.name.bytes;
	return true;
}

static int make_rule(struct identify *id, struct lurk_message *why)
{
	const struct lurk_press_record *key;
	struct edit edit = {.cli = id->cli, .apply = id->keep};
	const struct cli_trial trial = {.cli = id->cli, .seconds = CLI_TRY_SECONDS};
	char press[LURK_WORDS], job[LURK_WORDS];
	struct lurk_result result;
	uint8_t step[LURK_STEP_BYTES];
	int status;

	id->cli->ws.one_step =
		true; /* the keyboard's name, the rule, and what is kept of a trial */
	if (!await(id, "Press the key to change.", PATIENCE_S, on_job, why))
		return say_nothing_came(why);
	key = press_at(id, 0);
	if (!choose_job(id, key, job, sizeof job, why) || !choose_keyboard(id, key->keyboard, why))
		return *why->text ? cli_fail(CLI_USAGE, "%s", why->text) : say_nothing_came(why);
	lurk_words_key(key->key, key->scan, press);
	edit.keyboard = id->keyboard;
	status = edit_begin(&edit);
	if (status)
		return status;
	status = edit_finish(&edit, lurk_edits_result(&edit.edits, job, &result, step)
					    ? lurk_edits_map(&edit.edits, press, &result)
					    : LURK_ASKED_WRONGLY);
	if (status == CLI_DONE && !id->keep && !id->cli->json && !id->cli->machine->desk)
		status = cli_try_now(&trial);
	return status;
}

/* ---- The list ------------------------------------------------------------------------------- */

static int show(struct identify *id, struct lurk_message *why)
{
	const char *prompt = NULL;
	bool desk = id->cli->machine->desk;
	bool fine;

	term_view_init(&id->presses,
		       "Press a key: what it sends, means and gives comes here. To end: Ctrl+C.");
	id->presses.picture = id->picture;
	if (!id->presses.live)
		prompt = id->count || id->seconds ? "Press keys." : "Press keys; Ctrl+C ends.";
	if (id->cli->machine->trying && !id->cli->json)
		fputs("Rules are being tried: what keys give ends with that.\n", stderr);
	fine = desk ? cli_play_watched(id->cli, id->script, on_event, id, why)
		    : term_watch(id->cli->machine,
				 &(struct term_watch){.watching = {.data = id,
								   .seconds = id->seconds,
								   .take = id->take,
								   .key = on_shown,
								   .tick = on_tick},
						      .prompt = prompt},
				 why);
	if (fine && desk && id->picture && !id->cli->json)
		term_view_print_picture(&id->presses);
	term_view_end(&id->presses);
	if (!fine && *why->text)
		return cli_fail(desk ? CLI_USAGE : CLI_COULD_NOT, "%s", why->text);
	if (fine && !id->presses.shown && !id->cli->json)
		puts("No key arrived. What a keyboard keeps to itself, such as Fn, no program can "
		     "see or change; `lurk identify --missing` says more.");
	return fine ? CLI_DONE : CLI_COULD_NOT;
}

/* Keyboards on which something else is at work than a desktop's programs would see. */
static void say_what_differs(const struct cli *cli)
{
	const struct lurk_machine *machine = cli->machine;

	for (uint16_t i = 0; i < machine->keyboard_count && !cli->json; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];
		const char *name = k->present ? cli_keyboard_name(cli, i) : "";
		char holders[160];

		if (k->present && k->trouble == LURK_ERR_HELD)
			fprintf(stderr,
				"%s: another program has taken it for itself%s%s; its keys do not "
				"arrive here.\n",
				name,
				*lurk_holders(k->info.identity.place, holders, sizeof holders)
					? ": "
					: "",
				holders);
		if (k->present && k->info.others_changes)
			fprintf(stderr,
				"%s: another program changed %u entries of the kernel's table; "
				"those "
				"keys give what it put there.\n",
				name, k->info.others_changes);
	}
}

static int run(struct identify *id)
{
	struct lurk_message why = {""};

	id->presses.ws = &id->cli->ws;
	id->presses.machine = id->cli->machine;
	id->presses.json = id->cli->json;
	say_what_differs(id->cli);
	if (id->mode == SHOW)
		return show(id, &why);
	lurk_history_init(&id->presses.history);
	if (id->cli->machine->desk &&
	    !cli_play_watched(id->cli, id->script, on_quiet_event, id, &why))
		return *why.text ? cli_fail(CLI_USAGE, "%s", why.text) : CLI_COULD_NOT;
	switch (id->mode) {
	case COMPARE:
		return compare(id, &why);
	case MISSING:
		return missing(id, &why);
	case HANDS_OFF:
		return hands_off(id, &why);
	default:
		return make_rule(id, &why);
	}
}

/* ---- The command ---------------------------------------------------------------------------- */

static unsigned read_number(struct argp_state *state, const char *arg)
{
	char *end;
	unsigned long value = strtoul(arg, &end, 10);

	if (*end || !value || value > 1000000)
		argp_error(state, "`%s` is not a number from 1 to 1000000", arg);
	return (unsigned)value;
}

static void set_mode(struct argp_state *state, enum mode mode)
{
	struct identify *id = state->input;

	if (id->mode != SHOW)
		argp_error(state, "one of --compare, --missing, --hands-off and --rule");
	id->mode = mode;
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct identify *id = state->input;

	switch (key) {
	case 'P':
		id->script = arg;
		return 0;
	case OPTION_COUNT:
		id->count = read_number(state, arg);
		return 0;
	case 's':
		id->seconds = read_number(state, arg);
		return 0;
	case OPTION_TAKE:
		id->take = true;
		return 0;
	case OPTION_COMPARE:
		set_mode(state, COMPARE);
		return 0;
	case 'm':
		set_mode(state, MISSING);
		return 0;
	case OPTION_HANDS_OFF:
		set_mode(state, HANDS_OFF);
		return 0;
	case OPTION_RULE:
		set_mode(state, RULE);
		return 0;
	case OPTION_GIVES:
		id->gives = arg;
		return 0;
	case OPTION_KEEP:
		id->keep = true;
		return 0;
	case OPTION_PICTURE:
		id->picture = true;
		return 0;
	case ARGP_KEY_ARG:
		argp_error(state, "`%s` is not expected here; press the key instead", arg);
		return 0;
	case ARGP_KEY_END:
		if ((id->gives || id->keep) && id->mode != RULE)
			argp_error(state, "--gives and --keep go with --rule");
		if (id->count && id->mode != SHOW)
			argp_error(state, "--count goes with no other way to identify");
		if (id->picture && id->mode != SHOW)
			argp_error(state, "--picture goes with no other way to identify");
		if (id->take && id->seconds > TAKE_MOST_S)
			argp_error(state, "--take for %d seconds at most", TAKE_MOST_S);
		if (id->take && !id->seconds)
			id->seconds = TAKE_S;
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static const struct argp_option options[] = {
	{"count", OPTION_COUNT, "N", 0, "End after N presses", 0},
	{"seconds", 's', "N", 0, "End after N seconds", 0},
	{"take", OPTION_TAKE, NULL, 0,
	 "No other program gets what is pressed meanwhile; ends by itself, after 30 seconds unless "
	 "--seconds says otherwise",
	 0},
	{"picture", OPTION_PICTURE, NULL, 0,
	 "Draw the keyboard, with the key that is pressed and the one whose job it does", 0},
	{"compare", OPTION_COMPARE, NULL, 0,
	 "Press two keys: are they one and the same to a program?", 1},
	{"missing", 'm', NULL, 0, "Press a key that does nothing: does it send anything?", 1},
	{"hands-off", OPTION_HANDS_OFF, NULL, 0,
	 "Press nothing, for a minute or --seconds: which key presses itself?", 1},
	{"rule", OPTION_RULE, NULL, 0,
	 "Press a key, then the key whose job it shall do: a rule, tried at once", 1},
	{"gives", OPTION_GIVES, "NAME", 0, "With --rule: what the key shall give", 2},
	{"keep", OPTION_KEEP, NULL, 0, "With --rule: put it into force and keep it", 2},
	{"play", 'P', "SCRIPT", 0,
	 "On a simulated desk: the presses, as `lurk play` takes them; standard input if not given",
	 3},
	{0},
};

int cli_identify(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		options, parse_option, "",
		"Press keys and see, a line a press: keyboard, key, scan code, "
		"meaning, what it gives now, and how "
		"long it was down. Nothing of it is stored."
		"\vExamples:\n"
		"  lurk identify --count 1\n"
		"  lurk identify --compare\n"
		"  lurk identify --rule\n"
		"  echo 'press Feather on curlew' | lurk --desk hide identify"};
	struct identify *id = lurk_allocate(1, sizeof *id);
	int status = CLI_COULD_NOT;

	id->cli = cli;
	id->script = "-";
	cli_parse(cli, &words, argc, argv, id);
	if (cli_read_files(cli) && cli_machine(cli) && cli_may_watch(cli, "identify"))
		status = run(id);
	lurk_release(id);
	return status;
}
