/* What layout.c, its edits in layout_edit.c and layout_use.c share. */
#ifndef LURK_CLI_LAYOUT_H
#define LURK_CLI_LAYOUT_H

#include "cli/commands.h"
#include "lurk/work/layout_package.h"

enum { CLI_LAYOUT_WORDS = 4 };
struct verb;

struct layout {
	struct cli *cli;
	const struct verb *verb;             /* layout.c's */
	const char *words[CLI_LAYOUT_WORDS]; /* what it is about, then what is to be */
	unsigned count;
	const char *from, *called; /* of `begin` */
	const char *about, *meant; /* of `pack` */
	bool rules;
	unsigned seconds; /* of `use`; 0 for as long as the session goes */
	struct lurk_own_layout_file file;
	struct lurk_layout_package package; /* where the file is one */
};

/* Each does what its word says, and returns the command's status. */
int cli_layout_type(struct layout *l);
int cli_layout_copy(struct layout *l);
int cli_layout_after(struct layout *l);
int cli_layout_restore(struct layout *l);
int cli_layout_call(struct layout *l);
int cli_layout_use(struct layout *l);

/* The status of what went so, having said why. */
int cli_layout_failed(enum lurk_went went, const struct lurk_message *why);
/* What it begins from, in words. */
const char *cli_layout_base(const struct layout *l);
/* With --json all that there is to say of the layout; and whether programs need what some finding
 * is about. */
int cli_layout_json(const struct layout *l);
bool cli_layout_json_needed(const struct layout *l);

#endif
