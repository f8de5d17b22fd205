/*
 * What the commands that edit rules share: options, and what is said of an edit. Each parses into a
 * struct edit, begins, edits (work/edits.h), and finishes.
 */
#ifndef LURK_CLI_EDIT_H
#define LURK_CLI_EDIT_H

#include "cli/commands.h"
#include "lurk/work/edits.h"
#include "lurk/work/judge.h"
#include "lurk/work/naming.h"

struct edit {
	struct cli *cli;
	const char *keyboard, *note;
	bool apply, force, all, optional; /* optional: no word is needed */
	bool broken;                      /* the first key is, which is noted of its keyboard */
	bool takes_away;                  /* that a key's job can no longer be done is meant */
	const char *words[3];
	unsigned count, most;

	struct lurk_edits edits;
	struct lurk_naming naming;  /* with a summary where the keyboard got a name by this */
	struct lurk_findings found; /* before the edit */
};

/* For tables of options. */
enum { EDIT_OPTION_FORCE = 900, EDIT_OPTION_BROKEN };
#define EDIT_APPLIES                                                                    \
	{"apply", 'a', NULL, 0, "Put the profile into force at once", 0},               \
	{                                                                               \
		"force", EDIT_OPTION_FORCE, NULL, 0,                                    \
			"With --apply: also where something could no longer be done", 0 \
	}
#define EDIT_KEYBOARD                                                  \
	{                                                              \
		"keyboard", 'k', "NAME", 0, "Only on this keyboard", 0 \
	}
#define EDIT_NOTE                                               \
	{                                                       \
		"note", 'n', "TEXT", 0, "Say why, for later", 0 \
	}
#define EDIT_BROKEN                                                                               \
	{                                                                                         \
		"broken", EDIT_OPTION_BROKEN, NULL, 0,                                            \
			"Note as well that KEY is broken on that keyboard, and not to be relied " \
			"on",                                                                     \
			0                                                                         \
	}
/* --keyboard, --note, and those of applying; and the same with --broken. */
extern const struct argp_option edit_options[], edit_options_of_broken[];
/* Parses, for those that take two keys, or a key and what it gives; as cli_parse(). */
void edit_parse(struct cli *cli, const struct cli_words *words, int argc, char **argv, void *input);
/* The words go into edit->words. */
error_t edit_parse_option(int key, char *arg, struct argp_state *state);

/* Reads the files, and what is wrong with them so far. Returns CLI_DONE, or the status to end with.
 */
int edit_begin(struct edit *edit);
/* Saves what was edited, says what changed, and applies it where that was asked; where it is
 * refused the files stay as they are. */
int edit_finish(struct edit *edit, enum lurk_went went);

#endif
