#include "tell/lock.h"

struct json_object *tell_locks_json(uint8_t locks)
{
	struct json_object *list = json_object_new_array();

	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		if (locks >> lock & 1)
			json_object_array_add(list, json_object_new_string(lurk_key_name(
							    lurk_lock_key((enum lurk_lock)lock))));
	}
	return list;
}

void tell_locks(FILE *out, const struct lurk_machine *machine,
		const struct lurk_apply_report *report)
{
	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		const char *name = lurk_key_name(lurk_lock_key((enum lurk_lock)lock));

		if (report->locks_unknown >> lock & 1)
			fprintf(out,
				"No key gives %s any more, and no light tells whether it is on: if "
				"it is, `lurk off`, press it, `lurk on`.\n",
				name);
		if (!(report->locks_pressed >> lock & 1))
			continue;
		if (machine->lit >> lock & 1)
			fprintf(out,
				"%s was on, and no key gives it any more. Lurk pressed it once, "
				"but "
				"it is still on: `lurk off`, press it, `lurk on`.\n",
				name);
		else
			fprintf(out,
				"%s was on, and no key gives it any more: Lurk turned it off. "
				"(--keep-locks leaves it on.)\n",
				name);
	}
}
