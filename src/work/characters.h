/* Characters that no press types any more: what keys alone do not tell, since a sign needs a layout
 * and Shift, and another rule may type it. */
#ifndef LURK_WORK_CHARACTERS_H
#define LURK_WORK_CHARACTERS_H

#include "lurk/work/judge.h"

/* Tells each key with a sign that is lost on the keyboards, as a warning, or on one of them alone,
 * as a note; see LURK_CHECK_CHARACTERS. Nothing where no layout is known. */
void lurk_characters_lost(struct lurk_workspace *ws, const struct lurk_check_job *job,
			  lurk_check_tell *tell, void *data);

#endif
