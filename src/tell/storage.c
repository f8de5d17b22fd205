#include "tell/storage.h"

#include "tell/json.h"

void tell_storage(FILE *out, const struct lurk_machine *machine)
{
	const struct lurk_store_report *store = machine->store;

	if (*machine->storage)
		fprintf(out,
			"Nothing can be stored: %s. What is in force goes on until the service "
			"ends; what was stored before comes back then. Once that is mended, `lurk "
			"apply` stores.\n",
			machine->storage);
	for (unsigned i = 0; i < store->slots; i++) {
		if (store->why[i] == LURK_ERR_FOREIGN || store->why[i] == LURK_ERR_DENIED)
			fprintf(out, "Where rules are stored, slot-%02u %s; it is passed over.\n",
				i,
				store->why[i] == LURK_ERR_FOREIGN ? "is no plain file"
								  : "belongs to somebody else");
		else if (store->why[i] && store->why[i] != LURK_ERR_EMPTY)
			fprintf(out,
				"An image stored earlier (slot %u) %s; the newest good one is "
				"used, "
				"and the next apply "
				"writes that slot anew.\n",
				i, lurk_error_text(store->why[i]));
	}
}

struct json_object *tell_storage_json(const struct lurk_machine *machine)
{
	const struct lurk_store_report *store = machine->store;
	struct json_object *list = json_object_new_array();

	for (unsigned i = 0; i < store->slots; i++) {
		struct json_object *one;

		if (!store->why[i] || store->why[i] == LURK_ERR_EMPTY)
			continue;
		one = json_object_new_object();
		tell_put_number(one, "slot", i);
		tell_put_text(one, "why", lurk_error_text(store->why[i]));
		json_object_array_add(list, one);
	}
	return list;
}
