#include "cli/chord.h"

#include <time.h>

#include "lurk/work/chord_watch.h"
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

int cli_test_chord(struct cli *cli)
{
	struct lurk_chord_watch t;
	struct lurk_message why = {""};
	char words[LURK_WORDS];

	char prompt[120];

	puts("The way back, whatever rules do, is a chord: ShiftLeft, ShiftRight and Escape, held "
	     "together for two\nseconds, switch all rules off, and on again.");
	snprintf(prompt, sizeof prompt,
		 "Hold it now, on the keyboard that you type on (%d s, or Ctrl+C to leave that "
		 "out).",
		 PATIENCE_S);
	fflush(stdout);
	lurk_chord_watch_init(&t, &cli->ws, cli->machine);
	if (!term_watch(cli->machine,
			&(struct term_watch){.watching = {.data = &t,
							  .seconds = PATIENCE_S,
							  .key = on_key,
							  .tick = on_tick},
					     .prompt = prompt},
			&why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (t.works_on >= 0) {
		printf("It works on %s.\n", cli_keyboard_name(cli, (uint16_t)t.works_on));
		return CLI_DONE;
	}
	if (t.tried_on < 0 || t.together < 2) {
		puts("It was not pressed. `lurk keyboards --off-chord` asks for it again.");
		return CLI_FOUND;
	}
	printf("Only %u of %s arrived together from %s; some keyboards cannot send every three "
	       "keys.\n`lurk keyboards --keyboard NAME --off-chord KEY KEY...` takes 2 to 4 "
	       "others, "
	       "such as both Control keys.\n",
	       t.together, tell_chord(&t.chords[t.tried_on], words),
	       cli_keyboard_name(cli, (uint16_t)t.tried_on));
	return CLI_FOUND;
}
