/* Edits of YAML from anywhere: done as asked and nothing else, or not at all. The first byte says
 * which edit, of which item. */
#include "copy.h"

#include "lurk/profile/edit.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static unsigned items(const struct lurk_node *list)
{
	return list && list->kind == LURK_NODE_LIST ? list->count : 0;
}

static bool edit(struct lurk_yaml *yaml, uint8_t what, struct lurk_message *why)
{
	static const struct lurk_field fields[] = {{"press", "F1"}, {"gives", "\"a: \\x85\""}};
	const struct lurk_node *list = lurk_node_get(yaml->root, "rules"), *item;

	/* What a reader of rules would have refused before. */
	if (list && list->kind != LURK_NODE_LIST && !lurk_node_empty(list) &&
	    !(list->kind == LURK_NODE_MAP && !list->first))
		return lurk_yaml_say(yaml, list, why, "no list");
	if (what % 4 == 0)
		return lurk_edit_append(yaml, "rules", fields, 2, why);
	item = list && list->kind == LURK_NODE_LIST ? list->first : NULL;
	for (unsigned i = what / 4; i % 8 && item && item->next; i--)
		item = item->next;
	if (!item)
		return lurk_say(why, "p.yaml: no item");
	if (what % 4 == 1)
		return lurk_edit_remove(yaml, list, item, why);
	if (item->kind != LURK_NODE_MAP)
		return lurk_yaml_say(yaml, item, why, "no map");
	return lurk_edit_set(yaml, item, &fields[what % 4 - 2], why);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	struct lurk_message why = {""};
	struct lurk_yaml yaml;
	char *before;

	if (size < 2)
		return 0;
	before = copy(data + 1, size - 1);
	if (lurk_yaml_parse(&yaml, "p.yaml", copy(data + 1, size - 1), size - 1, &why)) {
		const struct lurk_node *list = lurk_node_get(yaml.root, "rules");
		const unsigned count = items(list);

		if (edit(&yaml, data[0], &why)) {
			const unsigned now = items(lurk_node_get(yaml.root, "rules"));
			const unsigned kind = data[0] % 4;

			if (now != count + (kind == 0) - (kind == 1))
				abort();
		} else if (yaml.length != size - 1 || memcmp(yaml.bytes, before, size - 1) != 0 ||
			   strncmp(why.text, "p.yaml:", 7) != 0) {
			abort();
		}
	}
	lurk_yaml_free(&yaml);
	free(before);
	return 0;
}
