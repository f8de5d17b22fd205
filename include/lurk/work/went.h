/* How an operation went; wherever it is not done there is a message. */
#ifndef LURK_INCLUDE_WORK_WENT_H
#define LURK_INCLUDE_WORK_WENT_H

#include "lurk/declare.h"

LURK_BEGIN_C

enum lurk_went {
	LURK_DONE,
	LURK_FOUND, /* nothing to do, or something that speaks against it */
	LURK_ASKED_WRONGLY,
	LURK_COULD_NOT
};

LURK_END_C

#endif
