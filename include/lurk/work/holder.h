/* Who else has a keyboard open. */
#ifndef LURK_INCLUDE_WORK_HOLDER_H
#define LURK_INCLUDE_WORK_HOLDER_H

#include <stddef.h>

#include "lurk/declare.h"

LURK_BEGIN_C

/* Programs other than the service that have a keyboard's nodes open, as far as this user may see:
 * "NAME (process N)"; "" where none is seen. `place` is the keyboard's. Returns out. */
const char *lurk_holders(const char *place, char *out, size_t size);

LURK_END_C

#endif
