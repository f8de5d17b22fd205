/* identify: what keys send and give, and what follows from it. What is pressed is printed and
 * forgotten. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/edit.h"
#include "cli/press.h"

enum { PATIENCE_S = 15, HANDS_OFF_S = 60, TAKE_S = 30, TAKE_MOST_S = 60 };
enum { OPTION_HANDS_OFF = 1000, OPTION_GIVES, OPTION_KEEP, OPTION_PICTURE };

enum mode { SHOW, COMPARE, MISSING, HANDS_OFF, RULE };

struct identify {
	struct cli *cli;
	const char *script, *gives, *keyboard;
	enum mode mode;
	unsigned count, seconds; /* after which it ends; 0 for never */
	bool take, keep, picture;
	struct presses presses;
	unsigned wanted; /* how many presses are waited for */
};

/* ---- Presses as they come, of the desk or the machine ---------------------------------------- */

/* Presses whose beginning was seen: the Enter that started the command is none of them. */
static unsigned begun(const struct identify *id)
{
	unsigned count = 0;

	for (uint32_t i = 0; lurk_history_at(&id->presses.history, i); i++)
		count += lurk_history_at(&id->presses.history, i)->down_us != 0;
	return count;
}

/* Of these, the index-th. */
static const struct lurk_press_record *press_at(const struct identify *id, unsigned index)
{
	const struct lurk_press_record *r;

	for (uint32_t i = 0; (r = lurk_history_at(&id->presses.history, i)); i++) {
		if (r->down_us && !index--)
			return r;
	}
	return NULL;
}

static void on_event(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct identify *id = data;

	presses_feed(&id->presses, event, action);
}

/* Where presses are only waited for they are not shown one by one. */
static void on_quiet_event(void *data, const struct lurk_event *event,
			   const struct lurk_action *action)
{
	struct identify *id = data;

	presses_note(&id->presses, event, action);
}

static bool on_shown(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct identify *id = data;

	presses_feed(&id->presses, event, action);
	return !id->count || id->presses.shown < id->count;
}

static bool on_awaited(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct identify *id = data;

	on_quiet_event(data, event, action);
	return begun(id) < id->wanted;
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
	presses_tick(&id->presses);
	return !presses_left(&id->presses);
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
	return cli_watch(id->cli->machine,
			 &(struct cli_watch){.watching = {.data = id,
							  .seconds = seconds,
							  .take = id->take,
							  .key = key},
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

		json_object_object_add(object, "conclusion", json_object_new_string(word));
		json_object_object_add(object, "what", json_object_new_string(text));
		cli_print_json(object);
	} else {
		puts(text);
	}
	return CLI_DONE;
}

static const char *name_of(const struct lurk_press_record *r, char out[LURK_WORDS])
{
	return lurk_words_key(r->key, r->scan, out);
}

static int compare(struct identify *id, struct lurk_message *why)
{
	static const char *const words[] = {[LURK_SAME_CODE] = "same code",
					    [LURK_OTHER_KEYBOARD] = "other keyboard",
					    [LURK_SAME_KEY] = "same key",
					    [LURK_SAME_MEANING] = "same meaning",
					    [LURK_DIFFERENT] = "different"};
	const struct lurk_press_record *a, *b;
	char one[PRESSES_WORDS], two[PRESSES_WORDS], text[4 * PRESSES_WORDS], x[LURK_WORDS],
		y[LURK_WORDS];
	enum lurk_relation relation;

	if (!await(id, "Press the first key.", PATIENCE_S, on_awaited, why) ||
	    !await(id, "Now press the second.", PATIENCE_S, on_awaited, why))
		return say_nothing_came(why);
	a = press_at(id, 0);
	b = press_at(id, 1);
	relation = lurk_press_compare(a, b);
	presses_words(&id->presses, a, one);
	presses_words(&id->presses, b, two);
	name_of(a, x);
	name_of(b, y);
	switch (relation) {
	case LURK_SAME_CODE:
		snprintf(text, sizeof text,
			 "The same code both times: %s.\n"
			 "If these were two keys, no program can tell them apart, and a rule "
			 "changes both.",
			 one);
		break;
	case LURK_OTHER_KEYBOARD:
		snprintf(text, sizeof text,
			 "The same code on two keyboards: %s; %s.\n"
			 "`--keyboard NAME` makes a rule for one of them.",
			 one, two);
		break;
	case LURK_SAME_KEY:
		snprintf(text, sizeof text,
			 "One key with two codes: %s; %s.\n"
			 "A rule on %s changes both, one on a scan code only that one.",
			 one, two, x);
		break;
	case LURK_SAME_MEANING:
		snprintf(text, sizeof text,
			 "Two keys with one meaning: %s; %s.\n"
			 "They can be changed separately; `any %s` is both.",
			 one, two, lurk_key_meaning(a->key));
		break;
	default:
		snprintf(text, sizeof text,
			 "Two different keys: %s; %s.\n"
			 "They can be changed separately; `lurk swap %s %s` lets them change "
			 "places.",
			 one, two, x, y);
		break;
	}
	return conclude(id, words[relation], text);
}

static int missing(struct identify *id, struct lurk_message *why)
{
	char words[PRESSES_WORDS], text[2 * PRESSES_WORDS];
	bool came = await(id, "Press the key now, twice if nothing happens.",
			  id->seconds ? id->seconds : PATIENCE_S, on_awaited, why);

	if (*why->text)
		return say_nothing_came(why);
	if (!came)
		return conclude(
			id, "nothing",
			"Nothing arrived. The keyboard keeps this key to itself, as it does "
			"with Fn, or the key is dead:\n"
			"no program can see it, and none can give it a job. What can be "
			"tried: another keyboard, to see that\n"
			"this one sends anything at all; and the keyboard's own lock or "
			"layer (its manual tells), with which\n"
			"such keys may send something.");
	presses_words(&id->presses, press_at(id, 0), words);
	snprintf(text, sizeof text, "It arrives: %s.\n`lurk map` can give it another job.", words);
	return conclude(id, "arrives", text);
}

/* What presses itself: each key once, with how often. */
static int hands_off(struct identify *id, struct lurk_message *why)
{
	char words[PRESSES_WORDS], name[LURK_WORDS], on[LURK_WORDS];
	unsigned found = 0;

	if (!id->cli->machine->desk) {
		unsigned seconds = id->seconds ? id->seconds : HANDS_OFF_S;

		char prompt[64];

		snprintf(prompt, sizeof prompt, "Hands off all keyboards, for %s.",
			 cli_count(seconds, "second", words));
		id->wanted = UINT32_MAX;
		if (!cli_watch(
			    id->cli->machine,
			    &(struct cli_watch){
				    .watching = {.data = id, .seconds = seconds, .key = on_awaited},
				    .prompt = prompt},
			    why))
			return say_nothing_came(why);
	}
	for (unsigned i = 0; press_at(id, i); i++) {
		const struct lurk_press_record *r = press_at(id, i);
		unsigned times = 0;
		bool first = true;

		for (unsigned j = 0; press_at(id, j); j++) {
			bool same = lurk_press_compare(r, press_at(id, j)) == LURK_SAME_CODE;

			first = first && !(same && j < i);
			times += same;
		}
		if (!first)
			continue;
		found++;
		presses_words(&id->presses, r, words);
		if (id->cli->json) {
			conclude(id, "presses itself", words);
			continue;
		}
		printf("It presses itself, %u time%s: %s.\n", times, times > 1 ? "s" : "", words);
		printf("`lurk move %s NEWKEY%s` lets another key do its job.\n", name_of(r, name),
		       cli_keyboard_words(id->cli, r->keyboard, on));
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

/* Several keys at once: all but the last are its modifiers. */
static bool name_chord(const struct identify *id, char *job, size_t size, struct lurk_message *why)
{
	const struct lurk_press_record *r, *next;

	*job = '\0';
	for (unsigned i = 1; (r = press_at(id, i)); i++) {
		size_t n = strlen(job);

		next = press_at(id, i + 1);
		if (!r->key || (next && lurk_modifier_place(r->key) < 0))
			return lurk_say(why, "a chord is modifiers and one key, pressed last; "
					     "several keys one after the other stand in the file: "
					     "gives: [KeyA, KeyB]");
		snprintf(job + n, size - n, "%s%s", n ? "+" : "",
			 next ? lurk_key_pair_name(r->key) : lurk_key_name(r->key));
	}
	return true;
}

/* What the first key shall give: pressed, or typed. */
static bool choose_job(struct identify *id, const struct lurk_press_record *key, char *job,
		       size_t size, struct lurk_message *why)
{
	const struct lurk_press_record *r;

	if (id->gives) {
		snprintf(job, size, "%s", id->gives);
		return true;
	}
	if (!await(id,
		   "Now press the key whose job it shall do. Or the first key again, to type a "
		   "name instead.",
		   PATIENCE_S, on_job, why))
		return false;
	r = press_at(id, 1);
	if (press_at(id, 2))
		return name_chord(id, job, size, why);
	if (lurk_press_compare(key, r) != LURK_SAME_CODE) {
		if (!r->key)
			return lurk_say(why, "that key has no name, so no other can do its job");
		snprintf(job, size, "%s", lurk_key_name(r->key));
		return true;
	}
	return ask("Its name, or `nothing`:", job, size) ||
	       lurk_say(why, "nothing was typed; --gives NAME says it on the command line");
}

/* The rule is for the keyboard on which the key was pressed, where that has a name. */
static bool choose_keyboard(struct identify *id, uint16_t number, struct lurk_message *why)
{
	const struct lurk_identity *identity = &id->cli->machine->keyboards[number].info.identity;
	uint16_t described = cli_described(id->cli, identity);
	char name[64];

	if (described) {
		id->keyboard = id->cli->keyboards.keyboards[described - 1].name.bytes;
		return true;
	}
	if (!ask("That keyboard has no name yet. A name for it, or nothing, for a rule on every "
		 "keyboard:",
		 name, sizeof name))
		return true;
	if (!cli_name_keyboard(id->cli, number, name, why))
		return false;
	id->keyboard =
		id->cli->keyboards.keyboards[cli_described(id->cli, identity) - 1].name.bytes;
	return true;
}

static int make_rule(struct identify *id, struct lurk_message *why)
{
	const struct lurk_press_record *key;
	struct edit edit = {.cli = id->cli, .most = 2, .apply = id->keep};
	char press[LURK_WORDS], job[LURK_WORDS];
	int status;

	if (!await(id, "Press the key to change.", PATIENCE_S, on_job, why))
		return say_nothing_came(why);
	key = press_at(id, 0);
	if (!choose_job(id, key, job, sizeof job, why) || !choose_keyboard(id, key->keyboard, why))
		return *why->text ? cli_fail(CLI_USAGE, "%s", why->text) : say_nothing_came(why);
	name_of(key, press);
	edit.words[0] = press;
	edit.keyboard_name = id->keyboard;
	status = edit_map(&edit, job);
	if (status == CLI_DONE && !id->keep && !id->cli->json && !id->cli->machine->desk)
		status = cli_try_now(id->cli, CLI_TRY_SECONDS);
	return status;
}

/* ---- The list ------------------------------------------------------------------------------- */

static int show(struct identify *id, struct lurk_message *why)
{
	const char *prompt = NULL;
	bool desk = id->cli->machine->desk;
	bool fine;

	presses_init(&id->presses, id->cli,
		     "Press a key: what it sends, means and gives comes here. To end: Ctrl+C.");
	id->presses.picture = id->picture ? cli_lit_keyboard : NULL;
	if (!id->presses.live)
		prompt = id->count || id->seconds ? "Press keys." : "Press keys; Ctrl+C ends.";
	if (id->cli->machine->trying && !id->cli->json)
		fputs("Rules are being tried: what keys give ends with that.\n", stderr);
	fine = desk ? cli_play_watched(id->cli, id->script, on_event, id, why)
		    : cli_watch(id->cli->machine,
				&(struct cli_watch){.watching = {.data = id,
								 .seconds = id->seconds,
								 .take = id->take,
								 .key = on_shown,
								 .tick = on_tick},
						    .prompt = prompt},
				why);
	if (fine && desk && id->picture && !id->cli->json)
		presses_print_picture(&id->presses);
	presses_end(&id->presses);
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
				*cli_holders(k->info.identity.place, holders, sizeof holders) ? ": "
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

	say_what_differs(id->cli);
	if (id->mode == SHOW)
		return show(id, &why);
	id->presses.cli = id->cli;
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
	case ARGP_KEY_INIT:
		state->child_inputs[0] = id->cli;
		return 0;
	case 'P':
		id->script = arg;
		return 0;
	case 'n':
		id->count = read_number(state, arg);
		return 0;
	case 's':
		id->seconds = read_number(state, arg);
		return 0;
	case 't':
		id->take = true;
		return 0;
	case 'c':
		set_mode(state, COMPARE);
		return 0;
	case 'm':
		set_mode(state, MISSING);
		return 0;
	case OPTION_HANDS_OFF:
		set_mode(state, HANDS_OFF);
		return 0;
	case 'r':
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
	{"count", 'n', "N", 0, "End after N presses", 0},
	{"seconds", 's', "N", 0, "End after N seconds", 0},
	{"take", 't', NULL, 0,
	 "No other program gets what is pressed meanwhile; ends by itself, after 30 seconds unless "
	 "--seconds says otherwise",
	 0},
	{"picture", OPTION_PICTURE, NULL, 0,
	 "Draw the keyboard, with the key that is pressed and the one whose job it does", 0},
	{"compare", 'c', NULL, 0, "Press two keys: are they one and the same to a program?", 1},
	{"missing", 'm', NULL, 0, "Press a key that does nothing: does it send anything?", 1},
	{"hands-off", OPTION_HANDS_OFF, NULL, 0,
	 "Press nothing, for a minute or --seconds: which key presses itself?", 1},
	{"rule", 'r', NULL, 0,
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
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {options,
				  parse_option,
				  "",
				  "Press keys and see, a line a press: keyboard, key, scan code, "
				  "meaning, what it gives now, and how "
				  "long it was down. Nothing of it is stored."
				  "\vExamples:\n"
				  "  lurk identify --count 1\n"
				  "  lurk identify --compare\n"
				  "  lurk identify --rule\n"
				  "  echo 'press Feather on curlew' | lurk --desk hide identify",
				  children,
				  NULL,
				  NULL};
	struct identify *id = calloc(1, sizeof *id);
	int status = CLI_COULD_NOT;

	if (!id)
		abort();
	id->cli = cli;
	id->script = "-";
	cli_parse(cli, &argp, argc, argv, id);
	if (cli_read_files(cli) && cli_machine(cli) && cli_may_watch(cli, "identify"))
		status = run(id);
	free(id);
	return status;
}
