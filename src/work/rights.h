/* What gives the one who asks the right to do what was refused. Private to this room. */
#ifndef LURK_WORK_RIGHTS_H
#define LURK_WORK_RIGHTS_H

#include "lurk/error.h"

enum { LURK_REMEDY = 200 };

/* After a call of the service's that was refused to this process: the one thing that helps,
 * beginning with "; ". Returns out. */
const char *lurk_rights_remedy(const char *refusal, char out[LURK_REMEDY]);

#endif
