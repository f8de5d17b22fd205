/* rollback: an earlier version into force again. */
#include <inttypes.h>

#include "cli/applying.h"
#include "cli/commands.h"
#include "lurk/text/memory.h"
#include "lurk/work/apply.h"
#include "tell/difference.h"
#include "tell/json.h"
#include "tell/lock.h"

struct rollback {
	uint64_t version;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct rollback *r = state->input;

	switch (key) {
	case ARGP_KEY_ARG:
		if (r->version || !cli_read_version(arg, &r->version))
			argp_error(state,
				   "`%s` is not a version's number; `lurk versions` lists them",
				   arg);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_rollback(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		NULL, parse_option, "[VERSION]",
		"Put an earlier version into force again, and keep it so: the one before what is "
		"in force, or that of a number. The profile file stays as it is."
		"\vExamples:\n  lurk rollback\n  lurk rollback 3"};
	struct rollback r = {0};
	struct lurk_outcome outcome;
	struct lurk_message why;
	struct lurk_image image;
	uint64_t before;
	uint8_t *bytes;
	char changed[TELL_DIFFERENCES];
	bool fine;

	cli_parse(cli, &words, argc, argv, &r);
	cli->ws.editing = true;
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	before = cli->machine->image ? cli->machine->image->sequence : 0;
	if (!r.version)
		r.version = lurk_version_before(cli->machine);
	if (!r.version)
		return cli_fail(CLI_FOUND, "there is no version before what is in force");
	if (r.version == before)
		return cli_fail(CLI_FOUND, "version %" PRIu64 " is in force already", before);
	if (!lurk_version_open(cli->machine, r.version, &bytes, &image, &why))
		return cli_fail(CLI_USAGE, "%s", why.text);
	tell_differences(cli->machine->image, &image, changed);
	fine = lurk_apply_version(&cli->ws, cli->machine, &image, &outcome);
	lurk_release(bytes);
	if (!fine) {
		snprintf(changed, sizeof changed,
			 "version %" PRIu64 " cannot be applied: ", r.version);
		return cli_not_done(&outcome, changed, outcome.why.text, "");
	}
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_number(object, "version", (int64_t)r.version);
		tell_put_number(object, "as", (int64_t)cli->machine->image->sequence);
		term_json(object);
		return CLI_DONE;
	}
	printf("Version %" PRIu64 " is in force again, as version %" PRIu64 ".\n", r.version,
	       cli->machine->image->sequence);
	printf("That changed: %s. The file has not changed.\n", changed);
	tell_locks(stdout, cli->machine, &outcome.report);
	return CLI_DONE;
}
