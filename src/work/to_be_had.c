/* Which layouts a session could type with. */
#include <stdio.h>
#include <string.h>

#include "lurk/work/own_layouts.h"

/* As desktops will read it, by its name and not by words. */
static bool desktops_have(const char *name)
{
	struct lurk_message unused;
	struct lurk_layout *layout = *name ? lurk_layout_open(name, &unused) : NULL;
	const bool have = layout && !strcmp(lurk_layout_name(layout), name);

	lurk_layout_close(layout);
	return have;
}

static bool is_to_be_had(struct lurk_workspace *ws, const char *name, struct lurk_message *message)
{
	struct lurk_own_layout_file file;
	bool installed;

	if (lurk_own_layout_file_open(ws, name, &file, message) != LURK_DONE)
		return desktops_have(name) ||
		       lurk_say(message, "there is no layout `%s`; `lurk layout` lists yours",
				name);
	installed = lurk_own_layout_is_installed(ws, &file) == LURK_OWN_INSTALLED;
	lurk_own_layout_file_close(&file);
	return installed ||
	       lurk_say(message, "no desktop has %s as it is now: `lurk layout install %s`", name,
			name);
}

bool lurk_layouts_to_be_had(struct lurk_workspace *ws, const char *names,
			    struct lurk_message *message)
{
	char name[LURK_SESSION_LAYOUTS];

	for (;; names++) {
		const size_t length = strcspn(names, ",");

		snprintf(name, sizeof name, "%.*s", (int)length, names);
		if (!is_to_be_had(ws, name, message))
			return false;
		names += length;
		if (!*names)
			return true;
	}
}
