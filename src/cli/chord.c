/* The off chord, asked for once: some keyboards cannot send all of its keys together. */
#include <string.h>
#include <time.h>

#include "cli/cli.h"

enum { PATIENCE_S = 20 };

struct chord_test {
	struct cli *cli;
	struct lurk_chord chords[LURK_CHECK_KEYBOARDS];
	int works_on;      /* -1 for none yet */
	int tried_on;      /* the keyboard on which most of its keys were down */
	unsigned together; /* how many these were */
};

static uint64_t now_us(void)
{
	struct timespec now;

	clock_gettime(CLOCK_MONOTONIC, &now);
	return (uint64_t)now.tv_sec * 1000000U + (uint64_t)now.tv_nsec / 1000U;
}

static void chord_of(const struct cli *cli, uint16_t described, struct lurk_chord *chord)
{
	const struct lurk_keyboard *k = described ? &cli->keyboards.keyboards[described - 1] : NULL;

	memset(chord, 0, sizeof *chord);
	for (unsigned i = 0; k && i < k->quirk_count; i++) {
		if (k->quirks[i].kind == LURK_QUIRK_OFF_CHORD)
			lurk_chord_add(chord, k->quirks[i].key);
	}
	if (chord->count < 2)
		lurk_chord_init(chord);
}

static struct lurk_chord *chord_at(struct chord_test *t, uint16_t keyboard)
{
	struct lurk_chord *chord = &t->chords[keyboard];

	if (!chord->count)
		chord_of(t->cli,
			 cli_described(t->cli, &t->cli->machine->keyboards[keyboard].info.identity),
			 chord);
	return chord;
}

static bool on_key(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct chord_test *t = data;
	struct lurk_chord *chord;
	unsigned together = 0;
	bool was_whole;

	(void)action;
	if (event->keyboard >= LURK_CHECK_KEYBOARDS)
		return true;
	chord = chord_at(t, event->keyboard);
	was_whole = chord->whole;
	lurk_chord_feed(chord, event->key.key, event->key.state);
	if (chord->whole && !was_whole)
		lurk_chord_start(chord, now_us());
	for (unsigned i = 0; i < chord->count; i++)
		together += chord->down >> i & 1;
	if (together > t->together) {
		t->together = together;
		t->tried_on = event->keyboard;
	}
	return true;
}

static bool on_tick(void *data, unsigned left)
{
	struct chord_test *t = data;

	(void)left;
	for (int i = 0; i < LURK_CHECK_KEYBOARDS && t->works_on < 0; i++) {
		if (lurk_chord_due(&t->chords[i], now_us()))
			t->works_on = i;
	}
	return t->works_on < 0;
}

const char *cli_chord_words(const struct lurk_chord *chord, char out[LURK_WORDS])
{
	*out = '\0';
	for (unsigned i = 0; i < chord->count; i++)
		snprintf(out + strlen(out), LURK_WORDS - strlen(out), "%s%s",
			 !i                      ? ""
			 : i + 1 == chord->count ? " and "
						 : ", ",
			 lurk_key_name(chord->keys[i]));
	return out;
}

int cli_test_chord(struct cli *cli)
{
	struct chord_test t = {.cli = cli, .works_on = -1, .tried_on = -1};
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
	if (!cli_watch(cli->machine,
		       &(struct cli_watch){.watching = {.data = &t,
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
	       t.together, cli_chord_words(chord_at(&t, (uint16_t)t.tried_on), words),
	       cli_keyboard_name(cli, (uint16_t)t.tried_on));
	return CLI_FOUND;
}
