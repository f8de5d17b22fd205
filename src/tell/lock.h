/* Locks whose keys rules take away, in words. */
#ifndef LURK_TELL_LOCK_H
#define LURK_TELL_LOCK_H

#include <json-c/json.h>
#include <stdio.h>

#include "lurk/work/machine.h"

/* Says which locks were turned off, as far as that is known; nothing where none was on. */
void tell_locks(FILE *out, const struct lurk_machine *machine,
		const struct lurk_apply_report *report);
/* Locks, a bit each, as a list of their keys' names. */
struct json_object *tell_locks_json(uint8_t locks);

#endif
