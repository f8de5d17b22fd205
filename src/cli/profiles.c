/* The list of profiles. */
#include "cli/profiles.h"

#include <string.h>
#include <strings.h>

#include "tell/json.h"

/* The profiles that were applied have an index; a file alone has none. */
bool cli_profile_is_applied(const struct cli *cli, const char *word)
{
	const struct lurk_text text = {word, strlen(word)};

	return cli->machine && cli->machine->image &&
	       lurk_image_find_profile(cli->machine->image, text);
}

static bool in_force(const struct cli *cli, const char *word)
{
	return cli->machine && cli->machine->image && !cli->machine->off &&
	       !strcasecmp(cli->machine->profile, word);
}

static void list_json(const struct cli *cli, const struct lurk_profile_file *file)
{
	struct json_object *object = json_object_new_object();

	tell_put_text(object, "profile", file->word);
	tell_put_text(object, "name", file->name);
	tell_put_text(object, "file", file->yaml.path);
	tell_put_text(object, "based_on", file->based_on);
	tell_put_number(object, "rules", file->count);
	tell_put_flag(object, "applied", cli_profile_is_applied(cli, file->word));
	tell_put_flag(object, "in_force", in_force(cli, file->word));
	term_json(object);
}

int cli_list_profiles(struct cli *cli)
{
	static const char *const heads[] = {"profile", "rules", "based on", "called", ""};
	struct lurk_profile_set set;
	struct term_table table;

	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	cli_machine_if_any(cli);
	set = lurk_workspace_set(&cli->ws);
	term_table_init(&table, heads, 5);
	for (unsigned i = 0; i < set.count; i++) {
		const struct lurk_profile_file *file = set.files[i];
		char rules[16];

		if (cli->json) {
			list_json(cli, file);
			continue;
		}
		snprintf(rules, sizeof rules, "%u", file->count);
		term_table_row(&table, file->word, rules, file->based_on, file->name,
			       in_force(cli, file->word)                  ? "in force"
			       : !cli_profile_is_applied(cli, file->word) ? "not applied yet"
									  : "");
	}
	term_table_print(&table, "");
	if (!cli->json)
		puts("`lurk use NAME` switches to one that is applied; `lurk profile new NAME "
		     "--based-on base` makes another.");
	return CLI_DONE;
}
