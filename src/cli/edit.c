#include "cli/edit.h"

#include <string.h>

#include "cli/applying.h"
#include "lurk/work/acting.h"
#include "lurk/work/apply.h"
#include "lurk/work/naming.h"
#include "tell/finding.h"
#include "tell/json.h"
#include "tell/lock.h"
#include "tell/refusal.h"

const struct argp_option edit_options[] = {EDIT_KEYBOARD, EDIT_NOTE, EDIT_APPLIES, {0}};
const struct argp_option edit_options_of_broken[] = {
	EDIT_KEYBOARD, EDIT_NOTE, EDIT_BROKEN, EDIT_APPLIES, {0}};

/* What people write between two keys. */
static bool joins(const char *word)
{
	static const char *const words[] = {"to", "and", "with", "=", "=>", "→"};
	bool found = false;

	for (size_t i = 0; i < sizeof words / sizeof *words; i++)
		found = found || !strcmp(word, words[i]);
	return found;
}

/* "Alt -> Meta", quoted, since a shell would take the arrow: the second key, or NULL. */
static char *split(char *words)
{
	for (char *blank = strchr(words, ' '); blank; blank = strchr(blank + 1, ' ')) {
		char *next = strchr(blank + 1, ' ');

		if (!next)
			return NULL;
		*next = '\0';
		if (joins(blank + 1) || !strcmp(blank + 1, "->")) {
			*blank = '\0';
			return next + 1;
		}
		*next = ' ';
	}
	return NULL;
}

static void take_word(struct edit *edit, struct argp_state *state, char *word)
{
	if (edit->count == edit->most)
		argp_error(state, "`%s` is one word too many; quote a name with spaces", word);
	if (!strcmp(word, "-"))
		argp_error(state, "`-` may be what a shell left of an arrow, whose `>` it took for "
				  "a file: write `to` instead; the key is called Minus, or as "
				  "`lurk resolve -- -` says");
	edit->words[edit->count++] = word;
}

/* An arrow is no option, but where it is what an option takes. */
void edit_parse(struct cli *cli, const struct cli_words *words, int argc, char **argv, void *input)
{
	static char arrow[] = "=>";

	for (int i = 2; i < argc && strcmp(argv[i], "--") != 0; i++) {
		if (!strcmp(argv[i], "->") && *argv[i - 1] != '-')
			argv[i] = arrow;
	}
	cli_parse(cli, words, argc, argv, input);
}

error_t edit_parse_option(int key, char *arg, struct argp_state *state)
{
	struct edit *edit = state->input;
	char *other;

	switch (key) {
	case 'k':
		if (edit->keyboard)
			argp_error(state, "one keyboard at a time; the same command again is for "
					  "another");
		edit->keyboard = arg;
		return 0;
	case 'n':
		edit->note = arg;
		return 0;
	case 'a':
		edit->apply = true;
		return 0;
	case EDIT_OPTION_FORCE:
		edit->force = true;
		return 0;
	case EDIT_OPTION_BROKEN:
		edit->broken = true;
		return 0;
	case 'A':
		edit->all = true;
		return 0;
	case ARGP_KEY_ARG:
		if (edit->most == 2 && edit->count == 1 && joins(arg))
			return 0;
		other = edit->most == 2 && !edit->count ? split(arg) : NULL;
		take_word(edit, state, arg);
		if (other)
			take_word(edit, state, other);
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
	cli->ws.judged = edit->apply;
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	edit->edits = (struct lurk_edits){
		.ws = &cli->ws, .machine = cli_machine_if_any(cli), .note = edit->note};
	edit->naming = (struct lurk_naming){.ws = &cli->ws, .machine = cli->machine};
	if (edit->keyboard) {
		enum lurk_went went = lurk_naming_meant(&edit->naming, edit->keyboard, true,
							&edit->edits.keyboard);

		if (went != LURK_DONE)
			return cli_fail((int)went, "%s", edit->naming.why.text);
	}
	if (edit->force && !edit->apply)
		return cli_fail(CLI_USAGE, "--force goes with --apply");
	if (edit->broken && !edit->edits.keyboard)
		return cli_fail(CLI_USAGE, "say on which keyboard it is broken: --broken "
					   "--keyboard NAME");
	lurk_judge(&cli->ws, cli->machine, &edit->found);
	return CLI_DONE;
}

/* ---- What is said --------------------------------------------------------------------------- */

/* Whether `lurk move` is what comes next: a single key was disabled. */
static bool moves(const struct edit *edit)
{
	return edit->takes_away && *edit->edits.gave;
}

/* What is found now and was not before the edit. */
static void say_findings(const struct edit *edit, const struct lurk_findings *now,
			 struct json_object *object)
{
	char words[TELL_FINDING], told[CLI_TOLD];

	if (object)
		json_object_object_add(object, "findings", tell_findings_json(now, &edit->found));
	for (unsigned i = 0; !object && i < now->count; i++) {
		if (lurk_findings_have(&edit->found, &now->all[i]))
			continue;
		tell_finding(now, &now->all[i], words);
		fputs(cli_caps(edit->cli, words, told), stdout);
		tell_finding_remedy(now, &now->all[i], words);
		if (moves(edit))
			*words = '\0';
		printf("%s%s\n", *words ? " " : "", words);
	}
}

static struct json_object *say_edit(const struct edit *edit, const struct lurk_findings *now)
{
	const struct lurk_edits *done = &edit->edits;
	struct json_object *object = edit->cli->json ? json_object_new_object() : NULL;
	char told[CLI_TOLD];

	if (object) {
		tell_put_text(object, "did", done->summary);
		if (done->line)
			tell_put_number(object, "line", done->line);
		tell_put_text(object, "file", edit->cli->ws.profile_path);
		tell_put_text(object, "before", done->gave);
		if (*edit->naming.summary)
			tell_put_text(object, "named", edit->naming.summary);
	} else {
		if (*edit->naming.summary)
			printf("%s.\n", edit->naming.summary);
		term_strong(cli_caps(edit->cli, done->summary, told));
		puts(".");
		if (*done->gave)
			printf("Before, it gave %s.\n", cli_caps(edit->cli, done->gave, told));
	}
	say_findings(edit, now, object);
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

	if (cli->machine->off)
		puts("It is stored, but rules are off, by another user: in force once they are on "
		     "again.");
	else if (!in_force(cli))
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

/* ---- Saving and applying -------------------------------------------------------------------- */

/* --apply does what apply does: it refuses what locks out. */
static bool may_apply(const struct edit *edit, struct lurk_findings *now)
{
	struct cli *cli = edit->cli;
	const bool meant = edit->takes_away && lurk_edits_one_keyboard(&edit->edits);

	if ((meant ? lurk_judge_edit(&cli->ws, cli->machine, &edit->found, now)
		   : lurk_judge_all(&cli->ws, cli->machine, now)) ||
	    edit->force)
		return true;
	cli_say_refused(cli, now, false);
	if (edit->takes_away && !meant && !cli->json)
		puts("A key that is stuck is silenced all the same on the one keyboard that has "
		     "it: --keyboard NAME.");
	return false;
}

/* Of the one keyboard that is meant. */
static bool note_broken(struct edit *edit, struct lurk_message *why)
{
	struct lurk_edits *edits = &edit->edits;
	struct lurk_naming naming = {.ws = &edit->cli->ws, .machine = edit->cli->machine};
	char key[LURK_WORDS], *keys[] = {key};

	snprintf(key, sizeof key, "%s", edit->words[0]);
	if (lurk_naming_mark(&naming, edits->keyboard, "broken", keys, 1) != LURK_DONE) {
		*why = naming.why;
		return false;
	}
	snprintf(edits->summary + strlen(edits->summary),
		 sizeof edits->summary - strlen(edits->summary), "; it is noted as broken");
	return true;
}

static int save(struct edit *edit)
{
	struct cli *cli = edit->cli;
	struct lurk_outcome outcome = {.error = LURK_OK};
	struct lurk_message why;

	if (edit->broken && !note_broken(edit, &why))
		return cli_not_done(&outcome, "", why.text, "; nothing is changed");
	if (!lurk_keep_edit(&cli->ws, edit->apply ? cli->machine : NULL,
			    edit->broken || *edit->naming.summary, edit->edits.summary, &outcome)) {
		if (edit->apply)
			tell_refusal(&cli->ws, cli->machine, &outcome, &why);
		else
			why = outcome.why;
		return cli_not_done(&outcome, "", why.text, "; nothing is changed");
	}
	if (edit->apply && !cli->json)
		tell_locks(stdout, cli->machine, &outcome.report);
	return CLI_DONE;
}

static void say_where(const struct edit *edit)
{
	const struct lurk_workspace *ws = &edit->cli->ws;
	const uint16_t keyboard = edit->edits.keyboard;
	const char *path = ws->profile_path;

	if (moves(edit))
		printf("`lurk move %s NEWKEY%s%s` gives its job to another key.\n", edit->words[0],
		       keyboard ? " --keyboard " : "",
		       keyboard ? ws->keyboards.keyboards[keyboard - 1].name.bytes : "");
	if (edit->apply)
		say_where_in_force(edit->cli);
	else if (edit->edits.line)
		printf("It stands in %s, line %u. Not in force yet: `lurk apply` puts it into "
		       "force.\n",
		       path, edit->edits.line);
	else
		printf("%s is changed. Not in force yet: `lurk apply` puts it into force.\n", path);
}

static int save_and_say(struct edit *edit)
{
	struct cli *cli = edit->cli;
	struct lurk_findings now;
	struct json_object *object;
	int status = CLI_DONE;

	if (edit->apply && !cli_machine(cli))
		return CLI_COULD_NOT;
	if (!edit->apply)
		lurk_judge(&cli->ws, cli->machine, &now);
	else if (!may_apply(edit, &now))
		status = CLI_FOUND;
	if (status == CLI_DONE)
		status = save(edit);
	if (status == CLI_DONE) {
		object = say_edit(edit, &now);
		if (object) {
			tell_put_flag(object, "applied", edit->apply);
			tell_put_flag(object, "in_force", edit->apply && in_force(cli));
			term_json(object);
		} else {
			say_where(edit);
		}
	}
	lurk_findings_free(&now);
	return status;
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
