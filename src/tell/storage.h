/* What is wrong with where rules are stored; nothing is said where nothing is. */
#ifndef LURK_TELL_STORAGE_H
#define LURK_TELL_STORAGE_H

#include <json-c/json.h>
#include <stdio.h>

#include "lurk/work/machine.h"

void tell_storage(FILE *out, const struct lurk_machine *machine);
/* Stored images that could not be used, and why. */
struct json_object *tell_storage_json(const struct lurk_machine *machine);

#endif
