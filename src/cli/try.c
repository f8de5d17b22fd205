/* try, keep: rules in force for a while, and for good. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/press.h"
#include "service/protocol.h"

enum { OPTION_FOR = 1000, OPTION_FORCE, OPTION_KEEP_LOCKS, QUESTION_S = 10 };

struct trial {
	struct cli *cli;
	const char *script;
	unsigned seconds;
	bool force, keep_locks;
	struct presses presses;
	bool asked; /* the question stands there: what is typed is the answer */
	bool kept;
	unsigned ticks;
	char keys[PRESSES_FOOT - 80]; /* that keep it, as they are to be pressed now */
	char kept_by[4];              /* what these keys type */
};

/* ---- The question --------------------------------------------------------------------------- */

/* Three keys, any of which may be the one that broke; each by what is to be pressed for it now. */
static void offer(struct trial *t)
{
	static const struct {
		lurk_key key;
		char types;
	} keys[] = {{LURK_KEY_SPACE, ' '}, {LURK_KEY_ENTER, '\n'}, {LURK_KEY_K, 'k'}};
	static struct lurk_source sources[LURK_KEY_COUNT];
	const struct lurk_machine *machine = t->cli->machine;
	size_t typed = 0;

	memset(sources, 0, sizeof sources);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		if (machine->keyboards[i].present)
			cli_sources(machine->image, &machine->keyboards[i].info, true, 0, sources);
	}
	for (size_t i = 0; i < sizeof keys / sizeof *keys; i++) {
		const struct lurk_source *s = &sources[keys[i].key];
		char name[LURK_WORDS];
		size_t n = strlen(t->keys);

		if (!s->key && !s->scan.kind)
			continue;
		snprintf(t->keys + n, sizeof t->keys - n, "%s%s%s%s%s", n ? ", " : "",
			 lurk_key_name(keys[i].key), s->key == keys[i].key ? "" : " (press ",
			 s->key == keys[i].key ? "" : lurk_words_key(s->key, s->scan, name),
			 s->key == keys[i].key ? "" : ")");
		t->kept_by[typed++] = keys[i].types;
	}
}

static bool on_key(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct trial *t = data;

	presses_feed(&t->presses, event, action);
	return true;
}

static bool on_typed(void *data, char character)
{
	struct trial *t = data;

	if (!t->asked)
		return true;
	t->kept = strchr(t->kept_by, character == '\r' ? '\n' : character) && character;
	return false;
}

/* Somebody else may have kept it, or ended it: by a command, or by the off chord. */
static bool still_trying(struct trial *t)
{
	struct lurk_message unused;

	if (++t->ticks % 10)
		return true;
	return !lurk_machine_look(t->cli->machine, &unused) || t->cli->machine->trying;
}

static bool on_tick(void *data, unsigned left)
{
	struct trial *t = data;
	bool tty = isatty(STDIN_FILENO) && *t->keys;

	if (!still_trying(t))
		return false;
	t->asked = tty &&
		   left <= (t->seconds > 2 * QUESTION_S ? (unsigned)QUESTION_S : t->seconds / 2);
	if (t->asked)
		snprintf(t->presses.foot, sizeof t->presses.foot,
			 "Keep these rules? %s: yes. Any other key: no. In %u s all is as before.",
			 t->keys, left);
	else
		snprintf(t->presses.foot, sizeof t->presses.foot,
			 "Trying: %u s left%s. Ctrl+C ends it now, with everything as before.",
			 left, tty ? "; before they are over you are asked" : "");
	presses_tick(&t->presses);
	return true;
}

/* ---- Trying --------------------------------------------------------------------------------- */

static int say_end(struct trial *t, uint64_t before)
{
	struct cli *cli = t->cli;
	const struct lurk_image *now = cli->machine->image;
	bool kept = now && now->sequence > before && !cli->machine->trying;
	char summary[64];

	if (kept) {
		cli_count(cli->profile.count, "rule", summary);
		cli_note_apply(cli, before, now->sequence, summary);
	}
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "kept", json_object_new_boolean(kept));
		json_object_object_add(object, "off", json_object_new_boolean(cli->machine->off));
		cli_print_json(object);
		return CLI_DONE;
	}
	if (kept) {
		printf("Kept: in force now%s. `lurk undo` takes it back.\n",
		       cli_survives(cli) ? ", and again after every reboot" : "");
		if (!cli_survives(cli))
			cli_tell_survival(cli);
	} else if (cli->machine->off) {
		printf("All rules were switched off, and what was tried has ended.%s\n",
		       now ? " `lurk on` switches on the rules of before."
			   : " No rule was in force before it.");
	} else {
		printf("The trial is over: everything is as before. %s is unchanged; `lurk apply` "
		       "keeps it, `lurk undo` takes the last edit back.\n",
		       cli->profile_path);
	}
	return CLI_DONE;
}

static const char press[] = "Press the keys that you changed, and see what they give.";

static void on_desk_event(void *data, const struct lurk_event *event,
			  const struct lurk_action *action)
{
	struct trial *t = data;

	presses_feed(&t->presses, event, action);
}

static bool watch(struct trial *t, struct lurk_message *why)
{
	struct cli_watch watching = {
		.watching = {.data = t, .seconds = t->seconds, .key = on_key, .tick = on_tick},
		.typed = on_typed};
	bool fine;

	if (!t->presses.live)
		watching.prompt = press;
	offer(t);
	fine = cli_watch(t->cli->machine, &watching, why);
	if (fine || t->ticks)
		return fine;
	/* Who may try may not always watch. */
	watching.watching.deaf = true;
	watching.prompt = NULL;
	return cli_watch(t->cli->machine, &watching, why);
}

static int run(struct trial *t)
{
	struct cli *cli = t->cli;
	struct lurk_outcome outcome = {LURK_OK, {0}, {""}};
	uint64_t before = cli->machine->image ? cli->machine->image->sequence : 0;
	struct lurk_message why = {""};
	struct lurk_profile_set set = cli_profile_set(cli);
	struct cli_findings findings;
	char rules[48], seconds[48];
	size_t length;
	uint8_t *bytes;
	bool fine;

	if (!cli_check_first(cli, t->force, &findings))
		return CLI_FOUND;
	cli_findings_free(&findings);
	bytes = lurk_profile_image(&set, &cli->keyboards, &length, &why);
	if (!bytes)
		return cli_fail(CLI_COULD_NOT, "%s; nothing is tried", why.text);
	cli->machine->keep_locks = t->keep_locks;
	fine = lurk_machine_try(cli->machine, bytes, length, t->seconds, &outcome);
	free(bytes);
	if (!fine) {
		cli_say_refusal(cli, &outcome, &why);
		return cli_fail(CLI_COULD_NOT, "%s; nothing is tried", why.text);
	}
	if (!cli->json) {
		printf("Trying %s from %s for %s; nothing is stored.\n",
		       cli_count(cli->profile.count, "rule", rules), cli->profile_path,
		       cli_count(t->seconds, "second", seconds));
		cli_tell_locks(cli, &outcome.report);
		fflush(stdout);
	}
	presses_init(&t->presses, cli, press);
	fine = cli->machine->desk ? cli_play_watched(cli, t->script, on_desk_event, t, &why)
				  : watch(t, &why);
	presses_end(&t->presses);
	if (fine && t->kept && !lurk_machine_keep(cli->machine, &outcome))
		return cli_fail(CLI_COULD_NOT, "it could not be kept: %s", outcome.why.text);
	if (!lurk_machine_look(cli->machine, &outcome.why))
		return cli_fail(CLI_COULD_NOT, "%s", outcome.why.text);
	if (cli->machine->trying)
		lurk_machine_end_try(cli->machine, &outcome);
	if (!fine)
		return *why.text ? cli_fail(CLI_COULD_NOT, "%s; the trial is over", why.text)
				 : CLI_COULD_NOT;
	return say_end(t, before);
}

int cli_try_now(struct cli *cli, unsigned seconds)
{
	struct trial *t = calloc(1, sizeof *t);
	int status;

	if (!t)
		abort();
	t->cli = cli;
	t->seconds = seconds;
	status = run(t);
	free(t);
	return status;
}

/* ---- The commands --------------------------------------------------------------------------- */

/* "30", "30s", "5min". */
static unsigned read_time(struct argp_state *state, const char *arg)
{
	char *unit;
	unsigned long value = strtoul(arg, &unit, 10);

	if (!strcmp(unit, "min") || !strcmp(unit, "m"))
		value = value < LURK_TRY_SECONDS ? value * 60 : LURK_TRY_SECONDS + 1;
	else if (*unit && strcmp(unit, "s") != 0)
		value = 0;
	if (*arg < '0' || *arg > '9' || !value || value > LURK_TRY_SECONDS)
		argp_error(state, "`%s` is not a time such as 30s or 5min, up to an hour", arg);
	return (unsigned)value;
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct trial *t = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = t->cli;
		return 0;
	case OPTION_FOR:
		t->seconds = read_time(state, arg);
		return 0;
	case OPTION_FORCE:
		t->force = true;
		return 0;
	case OPTION_KEEP_LOCKS:
		t->keep_locks = true;
		return 0;
	case 'P':
		t->script = arg;
		return 0;
	case ARGP_KEY_ARG:
		argp_error(state, "`%s` is not expected here", arg);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static const struct argp_option options[] = {
	{"for", OPTION_FOR, "TIME", 0, "How long, such as 30s or 5min (default: 30s)", 0},
	{"force", OPTION_FORCE, NULL, 0, "Also where something could no longer be done", 0},
	{"keep-locks", OPTION_KEEP_LOCKS, NULL, 0,
	 "Leave CapsLock, NumLock and ScrollLock on where the rules take their key away", 0},
	{"play", 'P', "SCRIPT", 0,
	 "On a simulated desk: what happens meanwhile, as `lurk play` takes it; standard input if "
	 "not given",
	 0},
	{0},
};

int cli_try(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		options,
		parse_option,
		"",
		"Put the profile into force for a while, and show what keys give. It ends by "
		"itself with everything as before, also when this command, its terminal or the "
		"service ends, unless the question at the end is answered with yes, or `lurk keep` "
		"is typed elsewhere."
		"\vExamples:\n  lurk try\n  lurk try --for 5min",
		children,
		NULL,
		NULL};
	struct trial *t = calloc(1, sizeof *t);
	int status = CLI_COULD_NOT;

	if (!t)
		abort();
	t->cli = cli;
	t->script = "-";
	t->seconds = CLI_TRY_SECONDS;
	cli_parse(cli, &argp, argc, argv, t);
	if (cli_read_files(cli) && cli_machine(cli) && cli_have_profile(cli))
		status = run(t);
	free(t);
	return status;
}

int cli_keep(struct cli *cli, int argc, char **argv)
{
	struct lurk_outcome outcome = {LURK_OK, {0}, {""}};

	cli_parse_plain(cli, argc, argv,
			"Keep what `lurk try` is trying now, in this or another terminal: it is "
			"stored and stays in force.\vExample:\n  lurk keep");
	if (!cli_machine(cli))
		return CLI_COULD_NOT;
	if (!cli->machine->trying)
		return cli_fail(CLI_FOUND, "nothing is being tried; `lurk try` tries the profile");
	if (!lurk_machine_keep(cli->machine, &outcome))
		return cli_fail(CLI_COULD_NOT, "%s", outcome.why.text);
	if (cli->json)
		puts("{\"kept\":true}");
	else
		printf("Kept, as version %" PRIu64 ": in force now%s.\n",
		       cli->machine->image ? cli->machine->image->sequence : 0,
		       cli_survives(cli) ? ", and again after every reboot" : "");
	return CLI_DONE;
}
