/* Before and after rules come into force: refusals, differences, which way they go. */
#ifndef LURK_CLI_APPLYING_H
#define LURK_CLI_APPLYING_H

#include "cli/cli.h"
#include "lurk/work/judge.h"

/* Findings of at least that severity, the worst first. */
void cli_print_findings(const struct lurk_findings *all, enum lurk_severity least);
/* Those that say in which layout a text comes out otherwise than it should. */
void cli_print_layout_findings(const struct lurk_findings *all);
/* Before try and apply: false with the refusal printed. Where it may, `findings` (unless NULL) is
 * to be freed. */
bool cli_may_apply(struct cli *cli, bool force, struct lurk_findings *findings);

/* Of a file, or (not `written`) of an edit that does not stand in it. */
void cli_say_refused(const struct cli *cli, const struct lurk_findings *findings, bool written);

/* Says that something was not done, with words around why; where nobody knows whether it was, or it
 * is in force and not stored, only that. Returns the status. */
int cli_not_done(const struct lurk_outcome *outcome, const char *before, const char *why,
		 const char *after);

/* The files into force, with the profile that is in force where it shall stay so; says which locks
 * were turned off. */
bool cli_apply_files(struct cli *cli, bool stay, struct lurk_message *message);

/* That udev changes keys as well, where it does. */
void cli_say_hwdb(const struct cli *cli);
/* Which way each keyboard has, and why. */
void cli_print_ways(const struct cli *cli);

/* What differs, below a title; each returns how much. From what is in force to the files as an edit
 * (the first few of many, where `shortly`) or as `lurk apply` applies them; between two images. */
unsigned cli_print_edits(const struct cli *cli, const char *title, bool shortly);
unsigned cli_print_files(const struct cli *cli, const char *title);
unsigned cli_print_differences(const struct cli *cli, const struct lurk_image *from,
			       const struct lurk_image *to, const char *title);

/* The first few of those that `lurk apply` makes, as they are printed, or NULL: to be freed with
 * free(). For when they will have been made. */
char *cli_changes(const struct cli *cli);

#endif
