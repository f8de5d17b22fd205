/* profile: the list of profiles, or a new one. */
#include <limits.h>
#include <string.h>

#include "cli/profiles.h"
#include "tell/json.h"

struct profile {
	struct cli *cli;
	const char *what, *name, *based_on;
};

enum { OPTION_BASED_ON = 1000 };

static const struct argp_option profile_options[] = {
	{"based-on", OPTION_BASED_ON, "NAME", 0,
	 "With `new`: it says only what differs from this profile", 0},
	{0},
};

static error_t parse_profile(int key, char *arg, struct argp_state *state)
{
	struct profile *p = state->input;

	switch (key) {
	case OPTION_BASED_ON:
		p->based_on = arg;
		return 0;
	case ARGP_KEY_ARG:
		if (p->name || (p->what && strcmp(p->what, "new") != 0))
			argp_error(state, "`%s` is not expected here", arg);
		if (!p->what)
			p->what = arg;
		else
			p->name = arg;
		return 0;
	case ARGP_KEY_END:
		if (p->what && strcmp(p->what, "list") && strcmp(p->what, "new"))
			argp_error(state,
				   "`lurk profile list` or `lurk profile new NAME`, not `%s`",
				   p->what);
		else if (p->what && !strcmp(p->what, "new") && !p->name)
			argp_error(state, "say what the new profile is called");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static int make_new(struct profile *p)
{
	struct cli *cli = p->cli;
	char path[PATH_MAX], word[LURK_PROFILE_WORD];
	struct lurk_message why;
	enum lurk_went went;

	cli->ws.editing = true;
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	went = lurk_workspace_add_profile(&cli->ws, p->name, p->based_on, path, &why);
	if (went != LURK_DONE)
		return cli_fail((int)went, "%s", why.text);
	lurk_profile_word(p->name, word);
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_text(object, "profile", word);
		tell_put_text(object, "file", path);
		term_json(object);
		return CLI_DONE;
	}
	printf("%s is a new profile%s%s, without a rule of its own yet.\n"
	       "`lurk map KEY RESULT --profile %s` adds one, `lurk apply` applies all profiles, "
	       "`lurk use %s` then switches to it.\n",
	       path, p->based_on ? ", based on " : "", p->based_on ? p->based_on : "", word, word);
	return CLI_DONE;
}

int cli_profile(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		profile_options, parse_profile, "[list]\nnew NAME",
		"List the profiles, or make a new one: another set of rules that a command or a "
		"key switches to. They stand in the folder profiles/ beside profile.yaml, which is "
		"the one called base."
		"\vExamples:\n  lurk profile list\n  lurk profile new night --based-on base"};
	struct profile p = {.cli = cli};

	cli_parse(cli, &words, argc, argv, &p);
	return p.what && !strcmp(p.what, "new") ? make_new(&p) : cli_list_profiles(cli);
}
