#include "cli/trial.h"

#include <string.h>
#include <unistd.h>

#include "cli/applying.h"
#include "cli/script.h"
#include "lurk/text/memory.h"
#include "lurk/work/acting.h"
#include "lurk/work/apply.h"
#include "tell/json.h"
#include "tell/lock.h"
#include "tell/refusal.h"
#include "tell/way.h"
#include "terminal/view.h"
#include "terminal/watch.h"

enum { QUESTION_S = 10 };

struct trial {
	struct cli *cli;
	unsigned seconds;
	struct term_view presses;
	bool asked; /* the question stands there: what is typed is the answer */
	bool kept;
	unsigned ticks;
	char keys[TERM_FOOT - 80]; /* that keep it, as they are to be pressed now */
	char kept_by[4];           /* what these keys type */
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
	struct lurk_rules rules;
	size_t typed = 0;

	lurk_rules_of(machine, &rules);
	memset(sources, 0, sizeof sources);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		if (machine->keyboards[i].present)
			lurk_sources_of(&rules, &machine->keyboards[i].info, true, 0, sources);
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

	term_view_feed(&t->presses, event, action);
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

static bool is_tried(const struct cli *cli)
{
	return cli->machine->trying && lurk_apply_holds(&cli->ws, cli->machine);
}

/* Somebody else may have kept it, ended it, or tried or applied something else: by a command, or by
 * the off chord. */
static bool still_trying(struct trial *t)
{
	struct lurk_message unused;

	if (++t->ticks % 10)
		return true;
	return !lurk_machine_look(t->cli->machine, &unused) || is_tried(t->cli);
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
	term_view_tick(&t->presses);
	return true;
}

/* ---- Trying --------------------------------------------------------------------------------- */

static int say_end(struct cli *cli, uint64_t before)
{
	const bool kept = lurk_apply_was_kept(&cli->ws, cli->machine, before);
	const struct lurk_image *now = cli->machine->image;
	const bool replaced = !kept && (cli->machine->trying || (now && now->sequence > before));

	if (cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_flag(object, "kept", kept);
		tell_put_flag(object, "replaced", replaced);
		tell_put_flag(object, "off", cli->machine->off);
		term_json(object);
	} else if (kept) {
		printf("Kept: in force now%s. `lurk undo` takes it back.\n",
		       lurk_survives(cli->machine) ? ", and again after every reboot" : "");
		if (!lurk_survives(cli->machine))
			puts(tell_survival(cli->machine));
	} else if (cli->machine->off) {
		printf("All rules were switched off, and what was tried has ended.%s\n",
		       cli->machine->image ? " `lurk on` switches on the rules of before."
					   : " No rule was in force before it.");
	} else if (replaced) {
		puts("The trial is over: another command has put other rules into force, or tries "
		     "them; `lurk status` tells.");
	} else {
		printf("The trial is over: everything is as before. %s is unchanged; `lurk apply` "
		       "keeps it, `lurk undo` takes the last edit back.\n",
		       cli->ws.profile_path);
	}
	return CLI_DONE;
}

static const char press[] = "Press the keys that you changed, and see what they give.";

static void on_desk_event(void *data, const struct lurk_event *event,
			  const struct lurk_action *action)
{
	struct trial *t = data;

	term_view_feed(&t->presses, event, action);
}

static bool watch(struct trial *t, struct lurk_message *why)
{
	struct term_watch watching = {
		.watching = {.data = t, .seconds = t->seconds, .key = on_key, .tick = on_tick},
		.typed = on_typed};
	bool fine;

	if (!t->presses.live)
		watching.prompt = press;
	offer(t);
	fine = term_watch(t->cli->machine, &watching, why);
	if (fine || t->ticks)
		return fine;
	/* Who may try may not always watch. */
	watching.watching.deaf = true;
	watching.prompt = NULL;
	return term_watch(t->cli->machine, &watching, why);
}

static int run(const struct cli_trial *trial, struct trial *t)
{
	struct cli *cli = t->cli;
	struct lurk_outcome outcome;
	const uint64_t before = lurk_version_in_force(cli->machine);
	struct lurk_message why = {""};
	char rules[LURK_COUNT_WORDS], seconds[LURK_COUNT_WORDS];
	bool fine;

	if (!cli_may_apply(cli, trial->force, NULL))
		return CLI_FOUND;
	cli->machine->keep_locks = trial->keep_locks;
	if (!lurk_apply_for_now(&cli->ws, cli->machine, t->seconds, &outcome)) {
		tell_refusal(&cli->ws, cli->machine, &outcome, &why);
		return cli_not_done(&outcome, "", why.text, "; nothing is tried");
	}
	if (!cli->json) {
		printf("Trying %s from %s for %s; nothing is stored.\n",
		       lurk_words_count(cli->ws.profile.count, "rule", rules), cli->ws.profile_path,
		       lurk_words_count(t->seconds, "second", seconds));
		tell_locks(stdout, cli->machine, &outcome.report);
		fflush(stdout);
	}
	t->presses.ws = &cli->ws;
	t->presses.machine = cli->machine;
	t->presses.json = cli->json;
	term_view_init(&t->presses, press);
	fine = cli->machine->desk ? cli_play_watched(cli, trial->script, on_desk_event, t, &why)
				  : watch(t, &why);
	term_view_end(&t->presses);
	if (!lurk_machine_look(cli->machine, &outcome.why))
		return cli_fail(CLI_COULD_NOT, "%s", outcome.why.text);
	if (fine && t->kept && is_tried(cli) && !lurk_machine_keep(cli->machine, &outcome))
		return cli_not_done(&outcome, "it could not be kept: ", outcome.why.text, "");
	if (is_tried(cli))
		lurk_machine_end_try(cli->machine, &outcome);
	if (!fine)
		return *why.text ? cli_fail(CLI_COULD_NOT, "%s; the trial is over", why.text)
				 : CLI_COULD_NOT;
	return say_end(cli, before);
}

int cli_try_now(const struct cli_trial *trial)
{
	struct trial *t = lurk_allocate(1, sizeof *t);
	int status;

	t->cli = trial->cli;
	t->seconds = trial->seconds;
	status = run(trial, t);
	lurk_release(t);
	return status;
}
