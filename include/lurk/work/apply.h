/*
 * Rules into force: a person's files, an earlier version, none at all; and back. Each notes how it
 * is taken back; where that cannot be noted there is a caution.
 */
#ifndef LURK_INCLUDE_WORK_APPLY_H
#define LURK_INCLUDE_WORK_APPLY_H

#include "lurk/declare.h"
#include "lurk/work/machine.h"
#include "lurk/work/undo.h"
#include "lurk/work/went.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

/* The profiles in the order in which an edit of one is applied: with which the machine starts stays
 * as it is. */
struct lurk_profile_set lurk_set_as_applied(const struct lurk_workspace *ws,
					    const struct lurk_machine *machine);

/* The files. With `stay` the profile that is in force stays so, now and after a start; else the one
 * that is worked on is. */
bool lurk_apply(struct lurk_workspace *ws, struct lurk_machine *machine, bool stay,
		struct lurk_outcome *outcome);

/* The files for so many seconds, with the profile that is worked on. Nothing is stored until
 * lurk_machine_keep(), whoever calls it: how that is taken back is noted after the trial. */
bool lurk_apply_for_now(const struct lurk_workspace *ws, struct lurk_machine *machine,
			unsigned seconds, struct lurk_outcome *outcome);
/* Whether what is in force there, or tried, is what the files say: while it is not, whoever tried
 * them has nothing more to keep or to end. */
bool lurk_apply_holds(const struct lurk_workspace *ws, const struct lurk_machine *machine);
/* After a trial that began while `before` was in force, 0 for nothing: whether it was kept. */
bool lurk_apply_was_kept(struct lurk_workspace *ws, const struct lurk_machine *machine,
			 uint64_t before);

/* No rule at all. */
bool lurk_apply_nothing(struct lurk_workspace *ws, struct lurk_machine *machine,
			struct lurk_outcome *outcome);

/* Numbers of the versions that are kept, the newest first; returns how many. */
unsigned lurk_versions(const struct lurk_machine *machine, uint64_t out[LURK_SLOTS_MAX]);
/* The one that is in force, or is again after what is tried now; 0 for none. */
uint64_t lurk_version_in_force(const struct lurk_machine *machine);
/* The one before what is in force, 0 for none. */
uint64_t lurk_version_before(const struct lurk_machine *machine);
/* A version that is kept; bytes to be freed. False with a message. */
bool lurk_version_open(struct lurk_machine *machine, uint64_t version, uint8_t **bytes,
		       struct lurk_image *image, struct lurk_message *message);
/* Such a version, as lurk_version_open() gave it. */
bool lurk_apply_version(struct lurk_workspace *ws, struct lurk_machine *machine,
			const struct lurk_image *version, struct lurk_outcome *outcome);

/* What was edited is saved, with `keyboards` in keyboards.yaml too, which the rules may need; and
 * with a machine (else NULL) applied with `stay`: all of it, or nothing, and then the files are as
 * they were. Taken back it is one step. */
bool lurk_keep_edit(struct lurk_workspace *ws, struct lurk_machine *machine, bool keyboards,
		    const char *summary, struct lurk_outcome *outcome);

/* Takes back a step that lurk_undo_step_read() gave: all of it or, where one of its files was
 * changed since, nothing. Only for an apply is there need of a machine. */
bool lurk_take_back(const struct lurk_workspace *ws, struct lurk_machine *machine,
		    const struct lurk_undo_step *step, struct lurk_outcome *outcome);

LURK_END_C

#endif
