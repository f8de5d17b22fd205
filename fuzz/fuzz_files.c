/* Profiles, keyboards.yaml and desks from anywhere, and edits of profiles that could be read. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "port/sim/desk.h"
#include "profile/edit.h"
#include "profile/profile.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static char *copy(const uint8_t *data, size_t size)
{
	char *bytes = malloc(size + 1);

	memcpy(bytes, data, size);
	bytes[size] = '\0';
	return bytes;
}

/* An edit of a file that was read gives one that can be read, with one rule more or less. */
static void edit(struct lurk_profile_file *file)
{
	static const struct lurk_field fields[] = {{"press", "F1"}, {"gives", "F2"}};
	struct lurk_message why;
	uint32_t count = file->count;
	const struct lurk_node *list;

	if (!lurk_edit_append(&file->yaml, "rules", fields, 2, &why))
		return;
	list = lurk_node_get(file->yaml.root, "rules");
	if (!list || list->count != count + 1)
		abort();
	if (!lurk_edit_remove(&file->yaml, list, list->last, &why))
		abort();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static struct lurk_desk desk;
	struct lurk_keyboards_file keyboards;
	struct lurk_profile_file profile;
	struct lurk_message why;

	lurk_desk_read(&desk, "desk.yaml", copy(data, size), size, &why);
	if (lurk_keyboards_read(&keyboards, "keyboards.yaml", copy(data, size), size, &why))
		lurk_keyboards_free(&keyboards);
	lurk_keyboards_read(&keyboards, "keyboards.yaml",
			    strdup("keyboards: {heron: {built-in: true}}"), 36, &why);
	if (lurk_profile_read(&profile, "profile.yaml", copy(data, size), size, &keyboards, NULL,
			      &why)) {
		struct lurk_profile_set set = {.files = {&profile}, .count = 1};

		lurk_profile_agrees(&set, &keyboards, &why);
		edit(&profile);
		lurk_profile_free(&profile);
	}
	lurk_keyboards_free(&keyboards);
	return 0;
}
