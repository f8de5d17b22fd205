/*
 * What the commands that edit rules share: options, and what is said of an edit. Each parses into a
 * struct edit, begins, edits (work/edits.h), and finishes.
 */
#ifndef LURK_CLI_EDIT_H
#define LURK_CLI_EDIT_H

#include "cli/commands.h"
#include "lurk/work/edits.h"
#include "lurk/work/judge.h"

struct edit {
	struct cli *cli;
	const char *keyboard, *note;
	bool apply, all, optional; /* optional: no word is needed */
	const char *words[3];
	unsigned count, most;

	struct lurk_edits edits;
	struct lurk_findings found; /* before the edit */
};

/* --keyboard, --note and --apply. */
extern const struct argp_option edit_options[];
/* The words go into edit->words. */
error_t edit_parse_option(int key, char *arg, struct argp_state *state);

/* Reads the files, and what is wrong with them so far. Returns CLI_DONE, or the status to end with.
 */
int edit_begin(struct edit *edit);
/* Saves what was edited, says what changed, and applies it where that was asked. */
int edit_finish(struct edit *edit, enum lurk_went went);

#endif
