/* versions: what was applied before. */
#include <inttypes.h>
#include <pwd.h>
#include <string.h>

#include "cli/commands.h"
#include "lurk/text/memory.h"
#include "lurk/work/apply.h"
#include "tell/difference.h"
#include "tell/json.h"
#include "tell/words.h"

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

static void list_one(struct cli *cli, struct term_table *table, const struct lurk_image *image,
		     const struct lurk_image *before)
{
	bool now = cli->machine->image && cli->machine->image->sequence == image->sequence;
	char number[32], when[TELL_TIME], by[64], rules[16], changed[TELL_DIFFERENCES];
	struct json_object *object;

	snprintf(number, sizeof number, "%" PRIu64, image->sequence);
	snprintf(rules, sizeof rules, "%" PRIu32, image->rule_count);
	if (before)
		tell_differences(before, image, changed);
	else
		snprintf(changed, sizeof changed, "%s",
			 image->sequence == 1 ? "the first" : "what came before is not kept");
	if (!cli->json) {
		term_table_row(table, number, tell_time(image->saved_at_us, when),
			       who(image->saved_by, by), rules, now ? "in force" : "", changed);
		return;
	}
	object = json_object_new_object();
	tell_put_number(object, "version", (int64_t)image->sequence);
	tell_put_time(object, "applied", image->saved_at_us);
	tell_put_text(object, "by", who(image->saved_by, by));
	tell_put_number(object, "rules", image->rule_count);
	tell_put_flag(object, "in_force", now);
	tell_put_text(object, "changed", changed);
	term_json(object);
}

int cli_versions(struct cli *cli, int argc, char **argv)
{
	static const char *const heads[] = {"version", "applied", "by",
					    "rules",   "",        "what changed"};
	uint64_t numbers[LURK_SLOTS_MAX];
	uint8_t *bytes[LURK_SLOTS_MAX];
	struct lurk_image images[LURK_SLOTS_MAX];
	struct lurk_message why;
	struct term_table table;
	unsigned count;

	cli_parse_plain(cli, argc, argv,
			"The profiles that were applied, the newest first: when, by whom, and what "
			"each changed of the one before. The last 16 are kept."
			"\vExample:\n  lurk versions");
	if (!cli_read_files_if_good(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	count = lurk_versions(cli->machine, numbers);
	if (!count && !cli->json)
		puts("Nothing was applied yet: `lurk apply` makes version 1.");
	for (unsigned i = 0; i < count; i++) {
		if (!lurk_version_open(cli->machine, numbers[i], &bytes[i], &images[i], &why))
			return cli_fail(CLI_COULD_NOT, "%s", why.text);
	}
	term_table_init(&table, heads, 6);
	for (unsigned i = 0; i < count; i++)
		list_one(cli, &table, &images[i], i + 1 < count ? &images[i + 1] : NULL);
	term_table_print(&table, "");
	for (unsigned i = 0; i < count; i++)
		lurk_release(bytes[i]);
	if (count && !cli->json)
		puts("`lurk rollback N` puts version N into force again; `lurk diff N` shows what "
		     "that would change back.");
	return CLI_DONE;
}
