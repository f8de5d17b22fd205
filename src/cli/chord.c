#include "cli/chord.h"

#include <string.h>
#include <time.h>

#include "cli/script.h"
#include "lurk/work/chord_watch.h"
#include "tell/keyboard.h"
#include "tell/words.h"
#include "terminal/watch.h"

enum { PATIENCE_S = 20 };

static uint64_t now_us(void)
{
	struct timespec now;

	clock_gettime(CLOCK_MONOTONIC, &now);
	return (uint64_t)now.tv_sec * 1000000U + (uint64_t)now.tv_nsec / 1000U;
}

static bool on_key(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	(void)action;
	lurk_chord_watch_feed(data, event, now_us());
	return true;
}

static bool on_tick(void *data, unsigned left)
{
	(void)left;
	return !lurk_chord_watch_works(data, now_us());
}

/* On a desk the script's time counts. */
static void on_played(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct lurk_chord_watch *watch = data;
	const uint64_t now = lurk_sim_now(watch->machine->desk->sim);

	(void)action;
	lurk_chord_watch_works(watch, now);
	lurk_chord_watch_feed(watch, event, now);
}

/* Each keyboard that has another, in one line. */
static void say_chords(const struct cli *cli)
{
	char words[LURK_WORDS];
	struct lurk_chord chord, usual;

	lurk_chord_init(&usual);
	puts("The way back, whatever rules do, is a chord: ShiftLeft, ShiftRight and Escape, held "
	     "together for two\nseconds, switch all rules off, and on again.");
	for (uint16_t d = 1; d <= cli->ws.keyboards.count; d++) {
		lurk_chord_of(&cli->ws.keyboards, d, &chord);
		if (memcmp(chord.keys, usual.keys, sizeof usual.keys) != 0)
			printf("On %s it is %s.\n", cli->ws.keyboards.keyboards[d - 1].name.bytes,
			       tell_chord(&chord, words));
	}
	fflush(stdout);
}

static bool ask(struct cli *cli, const char *script, struct lurk_chord_watch *t,
		struct lurk_message *why)
{
	char prompt[120];

	if (cli->machine->desk)
		return cli_play_watched(cli, script ? script : "-", on_played, t, why);
	snprintf(prompt, sizeof prompt,
		 "Hold it now, on the keyboard that you type on (%d s, or Ctrl+C to leave that "
		 "out).",
		 PATIENCE_S);
	return term_watch(cli->machine,
			  &(struct term_watch){.watching = {.data = t,
							    .seconds = PATIENCE_S,
							    .key = on_key,
							    .tick = on_tick},
					       .prompt = prompt},
			  why);
}

int cli_test_chord(struct cli *cli, const char *script)
{
	struct lurk_chord_watch t;
	struct lurk_message why = {""};
	char words[LURK_WORDS], no_chord[TELL_NO_CHORD], offer[TELL_KEYBOARD];
	uint16_t on;

	say_chords(cli);
	lurk_chord_watch_init(&t, &cli->ws, cli->machine);
	if (!ask(cli, script, &t, &why))
		return *why.text ? cli_fail(CLI_COULD_NOT, "%s", why.text) : CLI_COULD_NOT;
	if (t.works_on >= 0) {
		printf("It works on %s.\n", cli_keyboard_name(cli, (uint16_t)t.works_on));
		return CLI_DONE;
	}
	if (t.tried_on < 0 || (t.together < 2 && t.chords[t.tried_on].count != t.together + 1)) {
		puts("It was not pressed. `lurk keyboards --off-chord` asks for it again.");
		return CLI_FOUND;
	}
	on = (uint16_t)t.tried_on;
	if (*tell_no_chord(cli->machine, &cli->ws.keyboards, on, no_chord)) {
		puts(no_chord);
		return CLI_FOUND;
	}
	printf("Only %u of %s arrived together from %s; some keyboards cannot send every three "
	       "keys. %s takes others.\n",
	       t.together, tell_chord(&t.chords[on], words), cli_keyboard_name(cli, on),
	       tell_chord_offer(cli->machine, &cli->ws.keyboards, on, offer));
	return CLI_FOUND;
}
