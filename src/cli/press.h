/*
 * Presses as a person sees them come: a line each, and on a terminal the last one in words below,
 * drawn anew in its place. What identify and try show.
 */
#ifndef LURK_CLI_PRESS_H
#define LURK_CLI_PRESS_H

#include "cli/cli.h"
#include "lurk/history.h"

enum { PRESSES_FOOT = 200, PRESSES_WORDS = 512 };

struct presses {
	struct cli *cli;
	struct lurk_history history;
	unsigned shown;          /* lines of presses */
	bool live, ended;        /* ended: what is held now was never released */
	const char *empty;       /* what stands in the view until the first press */
	char foot[PRESSES_FOOT]; /* its last line; "" for how to leave it */
	unsigned drawn;          /* lines that are drawn anew */
	char drawn_foot[PRESSES_FOOT];
	/* cli_lit_keyboard() where it is wanted, else NULL. */
	char *(*picture)(struct cli *cli, const struct lurk_history *history,
			 const struct lurk_press_record *press, unsigned lines);
};

/* `empty` must live as long. */
void presses_init(struct presses *p, struct cli *cli, const char *empty);

/* Takes an event, and shows the press that it completed. */
void presses_feed(struct presses *p, const struct lurk_event *event,
		  const struct lurk_action *action);
/* Takes one without showing it; returns the press that it completed, NULL where it did none. */
const struct lurk_press_record *presses_note(struct presses *p, const struct lurk_event *event,
					     const struct lurk_action *action);
/* Draws the view: first when presses are seen, then anew for the time that goes by. */
void presses_tick(struct presses *p);
/* Prints the picture of the last press. */
void presses_print_picture(struct presses *p);
/* Whether the key by which the view is left has been held for long enough. */
bool presses_left(const struct presses *p);
/* Takes the view away, and shows what is still held. */
void presses_end(struct presses *p);

/* "CapsLock on wagtail, scan code hid:07:39", "KeyA on heron". Returns out. */
const char *presses_words(const struct presses *p, const struct lurk_press_record *r,
			  char out[PRESSES_WORDS]);

#endif
