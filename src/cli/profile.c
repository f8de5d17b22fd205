/* profile: the list of profiles, or a new one. */
#include <limits.h>
#include <string.h>

#include "cli/profiles.h"
#include "tell/json.h"

struct profile {
	struct cli *cli;
	const char *what, *name, *fresh, *based_on;
};

enum { OPTION_BASED_ON = 1000 };

static const struct argp_option profile_options[] = {
	{"based-on", OPTION_BASED_ON, "NAME", 0,
	 "With `new`: it says only what differs from this profile", 0},
	{0},
};

static error_t parse_profile(int key, char *arg, struct argp_state *state)
{
	static const char *const words[] = {"list", "new", "rename", "remove", NULL};
	struct profile *p = state->input;

	switch (key) {
	case OPTION_BASED_ON:
		p->based_on = arg;
		return 0;
	case ARGP_KEY_ARG:
		if (!p->what)
			p->what = arg;
		else if (!p->name && strcmp(p->what, "list") != 0)
			p->name = arg;
		else if (!p->fresh && !strcmp(p->what, "rename"))
			p->fresh = arg;
		else
			argp_error(state, "`%s` is not expected here", arg);
		return 0;
	case ARGP_KEY_END:
		p->what = p->what ? p->what : "list";
		if (!cli_is_one_of(p->what, words))
			argp_error(state, "`lurk profile list`, new, rename or remove, not `%s`",
				   p->what);
		else if (!p->name && strcmp(p->what, "list") != 0)
			argp_error(state, !strcmp(p->what, "new")
						  ? "say what the new profile is called"
						  : "say which profile");
		else if (!p->fresh && !strcmp(p->what, "rename"))
			argp_error(state, "say what %s is called from now on", p->name);
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

/* Renamed or removed: what is in force is as it was. */
static int change(struct profile *p)
{
	struct cli *cli = p->cli;
	const bool renamed = p->fresh != NULL;
	char path[PATH_MAX] = "";
	struct lurk_message why;
	enum lurk_went went;

	cli->ws.editing = true;
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	went = renamed ? lurk_workspace_rename_profile(&cli->ws, p->name, p->fresh, path, &why)
		       : lurk_workspace_remove_profile(&cli->ws, p->name, &why);
	if (went != LURK_DONE)
		return cli_fail((int)went, "%s; nothing is changed", why.text);
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_text(object, renamed ? "renamed" : "removed", p->name);
		tell_put_text(object, "file", renamed ? path : NULL);
		term_json(object);
		return CLI_DONE;
	}
	if (renamed)
		printf("The profile %s is called %s from now on, wherever others speak of it.\n",
		       p->name, p->fresh);
	else
		printf("The profile %s is removed.\n", p->name);
	puts("What is in force has not changed: `lurk apply` applies all profiles, `lurk undo` "
	     "takes "
	     "this back.");
	return CLI_DONE;
}

int cli_profile(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		profile_options, parse_profile,
		"[list]\nnew NAME\nrename NAME NEWNAME\nremove NAME",
		"List the profiles, make a new one, rename or remove one: another set of rules "
		"that "
		"a command or a key switches to. They stand in the folder profiles/ beside "
		"profile.yaml, which is "
		"the one called base."
		"\vExamples:\n  lurk profile list\n  lurk profile new night --based-on base"};
	struct profile p = {.cli = cli};

	cli_parse(cli, &words, argc, argv, &p);
	return !strcmp(p.what, "new")    ? make_new(&p)
	       : !strcmp(p.what, "list") ? cli_list_profiles(cli)
					 : change(&p);
}
