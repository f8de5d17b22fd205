/* Locks whose keys rules take away, in words. */
#include "cli/cli.h"

/* Locks, a bit each, as a list of their keys' names. */
struct json_object *cli_lock_names(uint8_t locks)
{
	struct json_object *list = json_object_new_array();

	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		if (locks >> lock & 1)
			json_object_array_add(list, json_object_new_string(lurk_key_name(
							    lurk_lock_key((enum lurk_lock)lock))));
	}
	return list;
}

void cli_tell_locks(const struct cli *cli, const struct lurk_apply_report *report)
{
	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		const char *name = lurk_key_name(lurk_lock_key((enum lurk_lock)lock));

		if (report->locks_unknown >> lock & 1)
			printf("No key gives %s any more, and no light tells whether it is on: if "
			       "it is, `lurk off`, press it, `lurk on`.\n",
			       name);
		if (!(report->locks_pressed >> lock & 1))
			continue;
		if (cli->machine->lit >> lock & 1)
			printf("%s was on, and no key gives it any more. Lurk pressed it once, but "
			       "it is still on: `lurk off`, press it, `lurk on`.\n",
			       name);
		else
			printf("%s was on, and no key gives it any more: Lurk turned it off. "
			       "(--keep-locks leaves it on.)\n",
			       name);
	}
}
