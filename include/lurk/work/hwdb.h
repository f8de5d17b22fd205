/*
 * Rules without a program: where a keyboard's own table in the kernel does all that they say, udev
 * can fill it whenever the keyboard comes, from an entry of its hardware database
 * (lurk/profile/hwdb.h). No service has to run then, or to be there.
 */
#ifndef LURK_INCLUDE_WORK_HWDB_H
#define LURK_INCLUDE_WORK_HWDB_H

#include "lurk/declare.h"
#include "lurk/pairs.h"
#include "lurk/profile/hwdb.h"
#include "lurk/work/edits.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

/* Why a table cannot carry out a rule. */
enum lurk_hwdb_why {
	LURK_HWDB_DEPENDS = 1, /* it depends on what else is held */
	LURK_HWDB_SEVERAL,     /* it gives several keys */
	LURK_HWDB_TYPES,
	LURK_HWDB_SWITCHES,    /* rules, which nothing is there to do */
	LURK_HWDB_NO_NAME,     /* udev has no name for the key that it gives */
	LURK_HWDB_NOT_APART,   /* its keyboard is known by what udev's matches cannot say */
	LURK_HWDB_NO_KEYBOARD, /* its keyboard is not described */
	LURK_HWDB_FOR_ONE,     /* keyboard, and the table is for all */
	LURK_HWDB_NO_CODE,     /* a key of it has no code in such a table */
};

/* A rule that is left. */
struct lurk_hwdb_left {
	uint32_t line;
	uint8_t why; /* enum lurk_hwdb_why */
	char words[2 * LURK_WORDS];
};

struct lurk_hwdb_plan {
	char *text; /* the file */
	unsigned entries;
	struct lurk_hwdb_left *left;
	unsigned left_count;
};

/* What a file for the profile that is worked on would say, and what it could not. `machine` may be
 * NULL; it tells how a keyboard that is built in is connected. False where the rules cannot be
 * judged. The plan is freed either way. */
bool lurk_hwdb_plan(const struct lurk_workspace *ws, const struct lurk_machine *machine,
		    struct lurk_hwdb_plan *plan, struct lurk_message *message);
void lurk_hwdb_plan_free(struct lurk_hwdb_plan *plan);

/* The same as a table of pairs (lurk/pairs.h), which is for all keyboards. `pairs` are to be
 * released, `left` as well. */
bool lurk_pairs_plan(const struct lurk_workspace *ws, struct lurk_pair **pairs, uint32_t *count,
		     struct lurk_hwdb_left **left, unsigned *left_count,
		     struct lurk_message *message);

/* The folder that people's own files stand in, and Lurk's among them. */
#define LURK_HWDB_FOLDER "/etc/udev/hwdb.d"
#define LURK_HWDB_FILE LURK_HWDB_FOLDER "/90-lurk.hwdb"
/* Whether it is there. */
bool lurk_hwdb_is_there(void);
/* Puts it there, and has udev read it, for keyboards that are here as well; what an earlier one
 * said and this one does not is undone on them. Needs root. */
bool lurk_hwdb_put(const char *text, struct lurk_message *message);
/* Takes it away, and what it changed on keyboards that are here. LURK_FOUND where there is none. */
enum lurk_went lurk_hwdb_remove(struct lurk_message *message);

/* Entries as rules of the profile that is worked on: each with its keyboard where the match says
 * one. What was not taken, or not all of it, is told with the reason. edits->summary says how many
 * were. */
typedef void lurk_hwdb_remark(void *data, const struct lurk_hwdb_entry *entry, const char *remark);
enum lurk_went lurk_hwdb_take(struct lurk_edits *edits, const char *path, lurk_hwdb_remark *tell,
			      void *data);
/* The described keyboard that a match is for: 1 + index, 0 where none is, or the match is for all.
 */
uint16_t lurk_hwdb_described(const struct lurk_keyboards_file *keyboards,
			     const struct lurk_hwdb_match *match);
/* The scan code of an entry, by its match; kind LURK_SCAN_NONE where that is not understood. */
lurk_scan lurk_hwdb_scan(const struct lurk_hwdb_entry *entry);

LURK_END_C

#endif
