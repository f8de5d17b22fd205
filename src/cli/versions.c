/* versions, rollback: what was applied before, and back to it. */
#include <inttypes.h>
#include <pwd.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/cli.h"

/* Numbers of the versions that are kept, the newest first. */
static unsigned kept(const struct lurk_machine *machine, uint64_t out[LURK_SLOTS_MAX])
{
	const struct lurk_store_report *store = machine->store;
	unsigned count = 0;

	for (unsigned i = 0; i < store->slots; i++) {
		unsigned at = count;

		if (store->why[i] || !store->sequence[i])
			continue;
		while (at && out[at - 1] < store->sequence[i]) {
			out[at] = out[at - 1];
			at--;
		}
		out[at] = store->sequence[i];
		count++;
	}
	return count;
}

static const char *who(uint32_t user, char out[64])
{
	const struct passwd *entry = user == LURK_NOBODY ? NULL : getpwuid(user);

	*out = '\0';
	if (entry)
		snprintf(out, 64, "%s", entry->pw_name);
	else if (user != LURK_NOBODY)
		snprintf(out, 64, "user %" PRIu32, user);
	lurk_make_harmless(out);
	return out;
}

static void list_one(struct cli *cli, struct cli_table *table, const struct lurk_image *image,
		     const struct lurk_image *before)
{
	bool now = cli->machine->image && cli->machine->image->sequence == image->sequence;
	char number[32], when[32], by[64], rules[16], changed[600];

	snprintf(number, sizeof number, "%" PRIu64, image->sequence);
	snprintf(rules, sizeof rules, "%" PRIu32, image->rule_count);
	if (before)
		cli_sum_up_changes(before, image, changed, sizeof changed);
	else
		snprintf(changed, sizeof changed, "%s",
			 image->sequence == 1 ? "the first" : "what came before is not kept");
	if (!cli->json) {
		cli_table_row(table, number, cli_time(image->saved_at_us, when),
			      who(image->saved_by, by), rules, now ? "in force" : "", changed);
		return;
	}
	{
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "version",
				       json_object_new_int64((int64_t)image->sequence));
		json_object_object_add(
			object, "applied",
			json_object_new_int64((int64_t)(image->saved_at_us / 1000000)));
		json_object_object_add(object, "by",
				       json_object_new_string(who(image->saved_by, by)));
		json_object_object_add(object, "rules", json_object_new_int64(image->rule_count));
		json_object_object_add(object, "in_force", json_object_new_boolean(now));
		json_object_object_add(object, "changed", json_object_new_string(changed));
		cli_print_json(object);
	}
}

int cli_versions(struct cli *cli, int argc, char **argv)
{
	static const char *const heads[] = {"version", "applied", "by",
					    "rules",   "",        "what changed"};
	uint64_t numbers[LURK_SLOTS_MAX];
	uint8_t *bytes[LURK_SLOTS_MAX];
	struct lurk_image images[LURK_SLOTS_MAX];
	struct cli_table table;
	unsigned count;

	cli_parse_plain(cli, argc, argv,
			"The profiles that were applied, the newest first: when, by whom, and what "
			"each changed of the one before. The last 16 are kept."
			"\vExample:\n  lurk versions");
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	count = kept(cli->machine, numbers);
	if (!count && !cli->json)
		puts("Nothing was applied yet: `lurk apply` makes version 1.");
	for (unsigned i = 0; i < count; i++) {
		if (!cli_open_version(cli, numbers[i], &bytes[i], &images[i]))
			return CLI_COULD_NOT;
	}
	cli_table_init(&table, heads, 6);
	for (unsigned i = 0; i < count; i++)
		list_one(cli, &table, &images[i], i + 1 < count ? &images[i + 1] : NULL);
	cli_table_print(&table, "");
	for (unsigned i = 0; i < count; i++)
		free(bytes[i]);
	if (count && !cli->json)
		puts("`lurk rollback N` puts version N into force again; `lurk diff N` shows what "
		     "that would change back.");
	return CLI_DONE;
}

/* ---- rollback ------------------------------------------------------------------------------- */

struct rollback {
	struct cli *cli;
	uint64_t version;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct rollback *r = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = r->cli;
		return 0;
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

/* The one before what is in force. */
static uint64_t earlier(const struct lurk_machine *machine)
{
	uint64_t numbers[LURK_SLOTS_MAX], now = machine->image ? machine->image->sequence : 0;
	unsigned count = kept(machine, numbers);

	for (unsigned i = 0; i < count; i++) {
		if (numbers[i] < now)
			return numbers[i];
	}
	return 0;
}

int cli_rollback(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		NULL,
		parse_option,
		"[VERSION]",
		"Put an earlier version into force again, and keep it so: the one before what is "
		"in force, or that of a number. The profile file stays as it is."
		"\vExamples:\n  lurk rollback\n  lurk rollback 3",
		children,
		NULL,
		NULL};
	struct rollback r = {.cli = cli};
	struct lurk_outcome outcome = {LURK_OK, {0}, {""}};
	struct lurk_image image;
	uint64_t before;
	uint8_t *bytes;
	char summary[64], changed[600];
	bool fine;

	cli_parse(cli, &argp, argc, argv, &r);
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	before = cli->machine->image ? cli->machine->image->sequence : 0;
	if (!r.version)
		r.version = earlier(cli->machine);
	if (!r.version)
		return cli_fail(CLI_FOUND, "there is no version before what is in force");
	if (r.version == before)
		return cli_fail(CLI_FOUND, "version %" PRIu64 " is in force already", before);
	if (!cli_open_version(cli, r.version, &bytes, &image))
		return CLI_USAGE;
	cli_sum_up_changes(cli->machine->image, &image, changed, sizeof changed);
	fine = lurk_machine_go_back(cli->machine, bytes, image.length, &outcome);
	free(bytes);
	if (!fine)
		return cli_fail(CLI_COULD_NOT, "version %" PRIu64 " cannot be applied: %s",
				r.version, outcome.why.text);
	snprintf(summary, sizeof summary, "version %" PRIu64 " again", r.version);
	cli_note_apply(cli, before, cli->machine->image->sequence, summary);
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "version",
				       json_object_new_int64((int64_t)r.version));
		json_object_object_add(
			object, "as",
			json_object_new_int64((int64_t)cli->machine->image->sequence));
		cli_print_json(object);
		return CLI_DONE;
	}
	printf("Version %" PRIu64 " is in force again, as version %" PRIu64 ".\n", r.version,
	       cli->machine->image->sequence);
	printf("That changed: %s. The file has not changed.\n", changed);
	cli_tell_locks(cli, &outcome.report);
	return CLI_DONE;
}
