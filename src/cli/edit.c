#include "cli/edit.h"

#include <string.h>

#include "cli/applying.h"
#include "lurk/work/acting.h"
#include "tell/finding.h"
#include "tell/json.h"

const struct argp_option edit_options[] = {
	{"keyboard", 'k', "NAME", 0, "Only on this keyboard", 0},
	{"note", 'n', "TEXT", 0, "Say why, for later", 0},
	{"apply", 'a', NULL, 0, "Put the profile into force at once", 0},
	{0},
};

error_t edit_parse_option(int key, char *arg, struct argp_state *state)
{
	struct edit *edit = state->input;

	switch (key) {
	case 'k':
		edit->keyboard = arg;
		return 0;
	case 'n':
		edit->note = arg;
		return 0;
	case 'a':
		edit->apply = true;
		return 0;
	case 'A':
		edit->all = true;
		return 0;
	case ARGP_KEY_ARG:
		/* `lurk map KEY to RESULT` reads well too. */
		if (edit->most == 2 && edit->count == 1 && !strcmp(arg, "to"))
			return 0;
		if (edit->count == edit->most)
			argp_error(state, "`%s` is one word too many; quote a name with spaces",
				   arg);
		edit->words[edit->count++] = arg;
		return 0;
	case ARGP_KEY_END:
		if (edit->count < edit->most && !edit->all && !edit->optional)
			argp_error(state,
				   edit->count ? "the second key is missing" : "say which key");
		if (edit->all && edit->count)
			argp_error(state, "`--all` and a key do not go together");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int edit_begin(struct edit *edit)
{
	struct cli *cli = edit->cli;

	cli->ws.editing = true;
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	edit->edits = (struct lurk_edits){
		.ws = &cli->ws, .machine = cli_machine_if_any(cli), .note = edit->note};
	if (!cli_keyboard_option(cli, edit->keyboard, &edit->edits.keyboard))
		return CLI_USAGE;
	lurk_judge(&cli->ws, cli->machine, &edit->found);
	return CLI_DONE;
}

/* ---- What is said --------------------------------------------------------------------------- */

/* What is found now and was not before the edit. */
static void say_findings(const struct edit *edit, struct json_object *object)
{
	struct lurk_findings now;
	char words[TELL_FINDING];

	lurk_judge(&edit->cli->ws, edit->cli->machine, &now);
	if (object)
		json_object_object_add(object, "findings", tell_findings_json(&now, &edit->found));
	for (unsigned i = 0; !object && i < now.count; i++) {
		if (lurk_findings_have(&edit->found, &now.all[i]))
			continue;
		tell_finding(&now, &now.all[i], words);
		fputs(words, stdout);
		tell_finding_remedy(&now, &now.all[i], words);
		printf("%s%s\n", *words ? " " : "", words);
	}
	lurk_findings_free(&now);
}

static struct json_object *say_edit(const struct edit *edit)
{
	const struct lurk_edits *done = &edit->edits;
	struct json_object *object = edit->cli->json ? json_object_new_object() : NULL;

	if (object) {
		tell_put_text(object, "did", done->summary);
		if (done->line)
			tell_put_number(object, "line", done->line);
		tell_put_text(object, "file", edit->cli->ws.profile_path);
		tell_put_text(object, "before", done->gave);
	} else {
		term_strong(done->summary);
		puts(".");
		if (*done->gave)
			printf("Before, it gave %s.\n", done->gave);
	}
	say_findings(edit, object);
	return object;
}

static bool in_force(const struct cli *cli)
{
	return lurk_profile_acts(cli->machine, cli->machine->profile, cli->ws.profile.word);
}

static void say_where_in_force(const struct cli *cli)
{
	const char *word = cli->ws.profile.word;
	char start[LURK_PROFILE_WORD];

	if (!in_force(cli))
		printf("It is applied, and in force when the profile %s is: `lurk use %s`.\n", word,
		       word);
	else if (!lurk_profile_acts(cli->machine, lurk_machine_start_profile(cli->machine, start),
				    word))
		printf("It is in force now; after a reboot %s is: `lurk apply --profile %s` "
		       "changes that.\n",
		       start, word);
	else if (lurk_survives(cli->machine))
		puts("It is in force now, and will be after a reboot.");
	else
		puts("It is in force now, but not after a reboot: `sudo lurk install` makes it "
		     "so.");
}

/* --apply does what apply does: it refuses what locks out. */
static int apply(const struct edit *edit)
{
	struct cli *cli = edit->cli;
	struct lurk_message why;

	if (!cli_may_apply(cli, false, NULL))
		return CLI_FOUND;
	return cli_apply_files(cli, true, &why)
		       ? CLI_DONE
		       : cli_fail(CLI_COULD_NOT, "the file is changed, but not in force: %s",
				  why.text);
}

/* What was printed already is one object; the rest of it follows. */
static int save_and_say(struct edit *edit)
{
	struct cli *cli = edit->cli;
	const struct lurk_edits *done = &edit->edits;
	struct lurk_message why;
	struct json_object *object;
	int status;

	if (!lurk_workspace_save(&cli->ws, done->summary, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	object = say_edit(edit);
	status = edit->apply ? apply(edit) : CLI_DONE;
	if (object && status == CLI_DONE) {
		tell_put_flag(object, "applied", edit->apply);
		tell_put_flag(object, "in_force", edit->apply && in_force(cli));
		term_json(object);
		return status;
	}
	json_object_put(object);
	if (status != CLI_DONE)
		return status;
	if (edit->apply)
		say_where_in_force(cli);
	else if (done->line)
		printf("It stands in %s, line %u. Not in force yet: `lurk apply` puts it into "
		       "force.\n",
		       cli->ws.profile_path, done->line);
	else
		printf("%s is changed. Not in force yet: `lurk apply` puts it into force.\n",
		       cli->ws.profile_path);
	return CLI_DONE;
}

int edit_finish(struct edit *edit, enum lurk_went went)
{
	int status = (int)went;

	if (went == LURK_DONE)
		status = save_and_say(edit);
	else if (*edit->edits.why.text)
		cli_fail(status, "%s", edit->edits.why.text);
	lurk_findings_free(&edit->found);
	return status;
}
