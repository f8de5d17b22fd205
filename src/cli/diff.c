/* diff: rules that were added, removed or changed, in words. */
#include <inttypes.h>

#include "cli/applying.h"
#include "cli/commands.h"
#include "lurk/text/memory.h"
#include "lurk/work/apply.h"
#include "lurk/work/differences.h"
#include "tell/difference.h"

struct diff {
	struct cli *cli;
	uint64_t versions[2];
	unsigned count;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct diff *diff = state->input;

	switch (key) {
	case ARGP_KEY_ARG:
		if (diff->count == 2)
			argp_error(state, "two versions are compared; `%s` is one too many", arg);
		if (!cli_read_version(arg, &diff->versions[diff->count++]))
			argp_error(state,
				   "`%s` is not a version's number; `lurk versions` lists "
				   "them",
				   arg);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

/* One alone: from it to what is in force. */
static int compare_versions(struct diff *diff)
{
	struct lurk_image images[2];
	uint8_t *bytes[2] = {NULL, NULL};
	char title[96];
	struct lurk_message why;
	bool fine = true;

	for (int i = 0; fine && i < 2; i++)
		fine = lurk_version_open(diff->cli->machine, diff->versions[i], &bytes[i],
					 &images[i], &why);
	if (fine && diff->cli->json) {
		struct json_object *list = json_object_new_array();

		lurk_differences(&images[0], &images[1], tell_difference_json, list);
		term_json(list);
	} else if (fine) {
		snprintf(title, sizeof title, "From version %" PRIu64 " to %" PRIu64 ":",
			 diff->versions[0], diff->versions[1]);
		if (!cli_print_differences(diff->cli, &images[0], &images[1], title))
			printf("Versions %" PRIu64 " and %" PRIu64 " have the same rules.\n",
			       diff->versions[0], diff->versions[1]);
	}
	lurk_release(bytes[0]);
	lurk_release(bytes[1]);
	return fine ? CLI_DONE : cli_fail(CLI_USAGE, "%s", why.text);
}

static int compare_files(const struct cli *cli)
{
	if (!cli->ws.profile_exists && !cli->json) {
		cli_say_no_profile(cli);
		return CLI_DONE;
	}
	if (cli->json) {
		struct json_object *list = json_object_new_array();

		lurk_differences_of_files(&cli->ws, cli->machine, tell_difference_json, list);
		term_json(list);
	} else if (!cli_print_files(cli, "Applying the file would change this:")) {
		puts("The file and what is in force are the same.");
	}
	return CLI_DONE;
}

int cli_diff(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		NULL, parse_option, "[VERSION [VERSION]]",
		"What would change if the file were applied; or between two of the versions that "
		"`lurk versions` lists (one alone: from it to what is in force)."
		"\vExamples:\n  lurk diff\n  lurk diff 3 5"};
	struct diff diff = {.cli = cli};

	cli_parse(cli, &words, argc, argv, &diff);
	if (!cli_read_files(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (diff.count == 1)
		diff.versions[1] = lurk_version_in_force(cli->machine);
	return diff.count ? compare_versions(&diff) : compare_files(cli);
}
