/* Rules that were added, removed or changed, from one image to another or to the files. */
#ifndef LURK_INCLUDE_WORK_DIFFERENCES_H
#define LURK_INCLUDE_WORK_DIFFERENCES_H

#include "lurk/declare.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

enum lurk_difference_kind {
	LURK_ADDED,
	LURK_REMOVED,
	LURK_CHANGED,
	LURK_STARTS_WITH /* the profile in force after a start: its word for a rule's */
};

/* Rules in words, with their profile before them where that is not the base. Texts are gone after
 * the call. */
struct lurk_difference {
	enum lurk_difference_kind kind;
	const char *rule, *before; /* "" but for what changed */
};

typedef void lurk_difference_fn(void *data, const struct lurk_difference *difference);

/* All return how many there are; `tell` may be NULL. From NULL is from no rule. */
unsigned lurk_differences(const struct lurk_image *from, const struct lurk_image *to,
			  lurk_difference_fn *tell, void *data);
/* From what is in force to the files: as lurk_apply() applies them, or as an edit is applied, which
 * leaves the profile that is in force. */
unsigned lurk_differences_of_files(const struct lurk_workspace *ws,
				   const struct lurk_machine *machine, lurk_difference_fn *tell,
				   void *data);
unsigned lurk_differences_of_edits(const struct lurk_workspace *ws,
				   const struct lurk_machine *machine, lurk_difference_fn *tell,
				   void *data);

LURK_END_C

#endif
