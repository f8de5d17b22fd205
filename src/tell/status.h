/* What is in force, in sentences and as an object. */
#ifndef LURK_TELL_STATUS_H
#define LURK_TELL_STATUS_H

#include <json-c/json.h>
#include <stdio.h>

#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

/* What is in force, since when, for how long; how the file differs, by `pending` rules; what is
 * wrong with its storage; and who may change it. */
void tell_status(FILE *out, const struct lurk_machine *machine, const struct lurk_workspace *ws,
		 unsigned pending);
struct json_object *tell_status_json(const struct lurk_machine *machine,
				     const struct lurk_workspace *ws, unsigned pending);

/* Bare `lurk`: one sentence; as an object, the status, with `reached` for whether there is any.
 * `machine` may be NULL. */
void tell_overview(FILE *out, const struct lurk_machine *machine);
struct json_object *tell_overview_json(const struct lurk_machine *machine,
				       const struct lurk_workspace *ws, unsigned pending);

#endif
