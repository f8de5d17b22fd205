/* check: what is wrong with the profile, what it takes away, what it would change. */
#include "cli/applying.h"
#include "cli/commands.h"
#include "tell/finding.h"
#include "tell/layout.h"
#include "tell/json.h"

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct cli *cli = state->input;

	switch (key) {
	case ARGP_KEY_ARG:
		if (cli->ws.wanted)
			argp_error(state, "one profile at a time; `%s` is one too many", arg);
		cli->ws.wanted = arg;
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static void report(struct cli *cli, const struct lurk_findings *findings)
{
	const bool bad = lurk_findings_refuse(findings);
	char count[96], rules[LURK_COUNT_WORDS], layout[TELL_LAYOUT];

	lurk_words_count(cli->ws.profile.count, "rule", rules);
	if (!findings->count)
		printf("Nothing is wrong with the %s in %s.\n", rules, cli->ws.profile_path);
	else
		printf("%s in the %s of %s%s\n", tell_findings_count(findings, count), rules,
		       cli->ws.profile_path, bad ? ": it will not be applied as it is." : ".");
	cli_print_findings(findings, LURK_NOTE);
	puts(tell_layout(&cli->ws.layout, layout));
	if (findings->imagined)
		puts("No computer was looked at: keyboards are taken to be of full size, and no "
		     "rule to be in force.");
	if (cli->machine && cli_print_edits(cli, "\nApplied, it would change this:", false) && !bad)
		puts("`lurk try` tries it for half a minute.");
}

int cli_check(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		NULL, parse_option, "[PROFILE]",
		"Look for what is wrong with a profile, what can no longer be done with it, and "
		"what it would change. docs/checks.md (in packages: /usr/share/doc/lurk) explains "
		"each finding."
		"\vExamples:\n  lurk check\n  lurk check /media/stick/profile.yaml"};
	struct lurk_findings findings;
	int status;

	cli_parse(cli, &words, argc, argv, cli);
	cli->ws.judging = cli->ws.judged = true;
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	if (!cli->ws.profile_exists && cli->ws.wanted)
		return cli_fail(CLI_COULD_NOT, "%s: there is no such profile",
				cli->ws.profile_path);
	if (!cli->ws.profile_exists && !cli->json) {
		cli_say_no_profile(cli);
		return CLI_DONE;
	}
	if (!lurk_judge(&cli->ws, cli_machine_if_any(cli), &findings))
		return cli_fail(CLI_COULD_NOT, "%s: more rules than can be judged",
				cli->ws.profile_path);
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_text(object, "file", cli->ws.profile_path);
		tell_put_flag(object, "refused", lurk_findings_refuse(&findings));
		tell_put_layout(object, &cli->ws.layout);
		json_object_object_add(object, "findings", tell_findings_json(&findings, NULL));
		term_json(object);
	} else {
		report(cli, &findings);
	}
	status = lurk_findings_refuse(&findings) ? CLI_FOUND : CLI_DONE;
	lurk_findings_free(&findings);
	return status;
}
