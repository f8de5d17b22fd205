/* reach: which physical keys to press for a key or a chord, as the rules are. */
#include "cli/commands.h"
#include "lurk/text/memory.h"
#include "lurk/work/acting.h"
#include "tell/reach.h"

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	const char **wanted = state->input;

	switch (key) {
	case ARGP_KEY_ARG:
		if (*wanted)
			argp_error(state, "`%s` is one word too many; quote a name with spaces",
				   arg);
		*wanted = arg;
		return 0;
	case ARGP_KEY_END:
		if (!*wanted)
			argp_error(state, "say which key or chord, as in Control+Alt+Delete");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static int show(const struct cli *cli, struct lurk_reach *reach, const struct lurk_rules *rules)
{
	static const char *const heads[] = {"keyboard", "press", "not by itself"};
	const struct lurk_machine *machine = cli->machine;
	char path[TELL_REACH], why[TELL_REACH], told[CLI_TOLD], told_why[CLI_TOLD];
	struct term_table table;
	bool found = false;

	term_table_init(&table, heads, 3);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_port_keyboard *info = &machine->keyboards[i].info;

		if (!machine->keyboards[i].present)
			continue;
		lurk_reach_on(rules, info, reach);
		found = found || lurk_is_reached(reach);
		if (cli->json)
			term_json(tell_reach_json(reach, rules, info, cli_keyboard_name(cli, i)));
		else
			term_table_row(
				&table, cli_keyboard_name(cli, i),
				cli_caps(cli, tell_reach(reach, path), told),
				cli_caps(cli, tell_why_not(reach, rules, info, why), told_why));
	}
	term_table_print(&table, "  ");
	if (!found && !cli->json)
		puts("It cannot be reached on any one keyboard here. `lurk map KEY RESULT` gives a "
		     "key that is missing another place.");
	return found ? CLI_DONE : CLI_FOUND;
}

int cli_reach(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		NULL, parse_option, "KEY",
		"Which keys to press on each keyboard for a key or a chord, as the "
		"rules are; with --profile, as that file would have it."
		"\vExamples:\n"
		"  lurk reach Control+Alt+Delete\n"
		"  lurk reach Enter --profile profile.yaml"};
	const char *wanted = NULL;
	struct lurk_message why;
	struct lurk_press press;
	struct lurk_reach reach;
	struct lurk_image of_file;
	struct lurk_rules rules;
	uint8_t *bytes = NULL;
	char spelled[LURK_WORDS], told[CLI_TOLD];
	bool off;
	int status;

	cli_parse(cli, &words, argc, argv, &wanted);
	if (!cli_read_files(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (!lurk_words_press(wanted, lurk_workspace_characters(&cli->ws), &press, &why))
		return cli_fail(CLI_USAGE, "%s", why.text);
	if (!lurk_reach_parts(&press, &reach))
		return cli_fail(CLI_USAGE,
				"`%s` is not one key or chord; `lurk resolve` tells what it is",
				wanted);
	if (cli->ws.wanted && !(bytes = lurk_workspace_image(&cli->ws, &of_file)))
		return cli_fail(CLI_COULD_NOT, "%s: too long", cli->ws.profile_path);
	off = cli->machine->off;
	if (!cli->json)
		printf("%s, %s:\n", cli_caps(cli, lurk_words_for_press(&press, spelled), told),
		       bytes ? "if the file were applied"
		       : off ? "while all rules are off"
			     : "as the rules are now");
	lurk_rules_of(cli->machine, &rules);
	if (bytes) {
		rules.image = &of_file;
		rules.profile = 0;
	}
	status = show(cli, &reach, &rules);
	lurk_release(bytes);
	return status;
}
