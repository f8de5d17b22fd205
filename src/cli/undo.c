/* undo: takes back the last edit or apply. */
#include <stdlib.h>

#include "cli/cli.h"

static int undo_edit(struct cli *cli, const struct lurk_undo *undo)
{
	struct lurk_message why;

	if (!lurk_undo_edit(undo, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (cli->json)
		return CLI_DONE;
	printf("Took back the last edit: %s.\n", undo->summary);
	printf("%s is as before it. What is in force has not changed; `lurk apply` puts the file "
	       "into force.\n",
	       undo->file);
	return CLI_DONE;
}

static int undo_apply(struct cli *cli, const struct lurk_undo *undo)
{
	struct lurk_machine *machine = cli_machine(cli);
	struct lurk_outcome outcome;
	const struct lurk_image *now;
	uint8_t *bytes = NULL;
	size_t length;
	bool fine;

	if (!machine)
		return CLI_COULD_NOT;
	now = machine->image;
	if (!now || now->sequence != undo->after)
		return cli_fail(
			CLI_COULD_NOT,
			"what is in force is not what the last apply put there; nothing is undone");
	if (!lurk_machine_version(machine, undo->before, &bytes, &length)) {
		return cli_fail(
			CLI_COULD_NOT,
			"the rules in force before are not stored any more; nothing is undone");
	}
	fine = lurk_machine_go_back(machine, bytes, length, &outcome);
	free(bytes);
	if (!fine)
		return cli_fail(CLI_COULD_NOT, "the rules of before cannot be applied: %s",
				outcome.why.text);
	lurk_undo_renumber(cli->state_folder, undo->number, undo->before, machine->image->sequence);
	if (cli->json)
		return CLI_DONE;
	printf("Took back the last apply: %s.\n", undo->summary);
	cli_tell_locks(cli, &outcome.report);
	printf("In force now: %s. The file has not changed.\n",
	       machine->image->rule_count ? "the rules of before it" : "no rule");
	return CLI_DONE;
}

int cli_undo(struct cli *cli, int argc, char **argv)
{
	struct lurk_message why;
	struct lurk_undo undo;
	unsigned newest;
	int status;

	cli_parse_plain(cli, argc, argv,
			"Take back the last edit or the last apply, whichever came last; again, "
			"the one before."
			"\vExample:\n  lurk undo");
	cli->editing = true;
	if (!cli_read_files_if_good(cli))
		return CLI_COULD_NOT;
	newest = lurk_undo_newest(cli->state_folder);
	if (!newest) {
		if (cli->json)
			puts("{\"undid\":null}");
		else
			puts("There is nothing to undo.");
		return CLI_FOUND;
	}
	if (!lurk_undo_read(cli->state_folder, newest, &undo, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	status = *undo.kind == 'e' ? undo_edit(cli, &undo) : undo_apply(cli, &undo);
	if (status == CLI_DONE) {
		lurk_undo_forget(&undo);
		if (cli->json) {
			struct json_object *object = json_object_new_object();

			json_object_object_add(object, "undid", json_object_new_string(undo.kind));
			json_object_object_add(object, "what",
					       json_object_new_string(undo.summary));
			cli_print_json(object);
		}
	}
	lurk_undo_free(&undo);
	return status;
}
