/*
 * The command: what it was called with, and what it opened for that. Each subcommand is one file
 * with one function that takes its arguments and returns an exit status: words in, one operation
 * (work/), its telling out (tell/). The table of them is in main.c.
 */
#ifndef LURK_CLI_CLI_H
#define LURK_CLI_CLI_H

#include <argp.h>

#include "cli/output.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

struct cli {
	const char *desk; /* --desk, NULL for the real computer */
	bool json;
	bool computers; /* the computer's rules are meant */
	char **argv;    /* as given */

	bool files_read, profile_broken;
	struct lurk_workspace ws;

	struct lurk_computer *computer; /* the desk's, NULL until cli_computer() */
	struct lurk_machine *machine;   /* NULL until cli_machine() */
};

/* ---- usage.c, options.c ---------------------------------------------------------------------- */

struct cli_command {
	const char *name, *arguments, *what; /* without `run`: a heading for those that follow */
	int (*run)(struct cli *cli, int argc, char **argv);
};
/* All of them, the last without a name: main.c's table. */
extern const struct cli_command *cli_commands;

/* Where the subcommand stands in argv, 0 for none, after the options before it. */
int cli_find_subcommand(struct cli *cli, int argc, char **argv);
void cli_print_help(void);
/* Says so, with what may have been meant; returns the status. */
int cli_unknown_command(const char *word);

/* The options that all have: --desk, --profile, --as and --json; its input is the struct cli. */
extern const struct argp cli_common_argp;

/* What a subcommand takes, for argp: its own options and parser, either of which may be NULL. Where
 * `arguments` is "" a word is one too many. */
struct cli_words {
	const struct argp_option *options;
	argp_parser_t parse;
	const char *arguments, *doc;
};

/* Parses those and the common options; `input` is the parser's. Exits with 2 where used wrongly, as
 * argp does. */
void cli_parse(struct cli *cli, const struct cli_words *words, int argc, char **argv, void *input);
/* For a subcommand without options and arguments of its own. */
void cli_parse_plain(struct cli *cli, int argc, char **argv, const char *doc);
/* Whether a word is one of a list that ends with NULL. */
bool cli_is_one_of(const char *word, const char *const *words);
/* A version's number, from 1. */
bool cli_read_version(const char *text, uint64_t *version);

/* ---- files.c --------------------------------------------------------------------------------- */

/* Reads keyboards.yaml and the profile; missing ones are empty. On failure the message is printed.
 */
bool cli_read_files(struct cli *cli);
/* For ways back, which a broken file must not bar: it is said, and taken to be empty. */
bool cli_read_files_if_good(struct cli *cli);
/* Finds the layout without reading the files, for commands that need nothing else. */
void cli_find_layout(struct cli *cli);
/* For commands that look: that there is none yet, and what makes it. */
void cli_say_no_profile(const struct cli *cli);
/* Whether there is a profile file; else says how to make one. */
bool cli_have_profile(const struct cli *cli);
/* The described keyboard that an option means: 1 + index, 0 for NULL. False where there is none. */
bool cli_keyboard_option(struct cli *cli, const char *name, uint16_t *keyboard);
/* What is told, with the caps of keys in the person's layout; see lurk_words_with_caps(). */
enum { CLI_TOLD = 1000 };
const char *cli_caps(const struct cli *cli, const char *told, char out[CLI_TOLD]);
/* What a keyboard of the machine is called. */
const char *cli_keyboard_name(const struct cli *cli, uint16_t number);
/* How many rules differ between what is in force and the file. */
unsigned cli_pending(const struct cli *cli);
/* Leaves the machine, so that another program can be at it; false as cli_close(). */
bool cli_leave_machine(struct cli *cli);
/* Ends all; false with the message printed where the desk could not be kept. */
bool cli_close(struct cli *cli);

/* ---- opening.c ------------------------------------------------------------------------------- */

/* The desk's computer, opened on first use; NULL with a message printed where there is none. */
struct lurk_computer *cli_computer(struct cli *cli);
/* The desk, or the real machine; opened on first use, NULL with a message printed where it cannot
 * be reached. */
struct lurk_machine *cli_machine(struct cli *cli);
/* The same, but quiet where the real machine has no service. */
struct lurk_machine *cli_machine_if_any(struct cli *cli);
/* Puts the demo's desk into a folder that has none. */
bool cli_make_desk(const char *folder, bool quiet);

/* ---- admin.c --------------------------------------------------------------------------------- */

/* Whether the caller may watch keys; if not, it has been said how `command` can be had. */
bool cli_may_watch(struct cli *cli, const char *command);

#endif
