/*
 * Presses as a person sees them come: a line each, and on a terminal the last one in words below,
 * drawn anew in its place. What identify and try show.
 */
#ifndef LURK_TERMINAL_VIEW_H
#define LURK_TERMINAL_VIEW_H

#include "lurk/history.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

enum { TERM_FOOT = 200 };

struct term_view {
	/* Set by the caller; so may be `picture`. */
	struct lurk_workspace *ws;
	struct lurk_machine *machine;
	bool json;

	struct lurk_history history;
	unsigned shown;       /* lines of presses */
	bool live, ended;     /* ended: what is held now was never released */
	const char *empty;    /* what stands in the view until the first press */
	char foot[TERM_FOOT]; /* its last line; "" for how to leave it */
	unsigned drawn;       /* lines that are drawn anew */
	char drawn_foot[TERM_FOOT];
	bool picture; /* the keyboard is drawn, too */
};

/* `empty` must live as long. */
void term_view_init(struct term_view *p, const char *empty);

/* Takes an event, and shows the press that it completed. */
void term_view_feed(struct term_view *p, const struct lurk_event *event,
		    const struct lurk_action *action);
/* Takes one without showing it; returns the press that it completed, NULL where it did none. */
const struct lurk_press_record *term_view_note(struct term_view *p, const struct lurk_event *event,
					       const struct lurk_action *action);
/* Draws the view: first when presses are seen, then anew for the time that goes by. */
void term_view_tick(struct term_view *p);
/* Takes presses that are over without a release to be so, where they are not shown; the last one,
 * or NULL. */
const struct lurk_press_record *term_view_end_overdue(struct term_view *p);
/* Prints the picture of the last press. */
void term_view_print_picture(struct term_view *p);
/* Whether the key by which the view is left was held for long enough, and has come up. */
bool term_view_left(const struct term_view *p);
/* Takes the view away, and shows what is still held. */
void term_view_end(struct term_view *p);

#endif
