/* map, swap, disable, move and restore: edits of the profile, each said in a sentence. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

/* What the five commands take alike. */
struct edit {
	struct cli *cli;
	const char *keyboard_name, *note;
	bool apply, all;
	const char *words[3];
	unsigned count, most;

	uint16_t keyboard;
	struct cli_effects before, after;
	char where[64];   /* " on wagtail" or "" */
	const char *gave; /* what the key gave before, "" where that is not one thing */
	struct lurk_message why;
	uint32_t line; /* of the rule added or changed last */
	struct json_object *json;
};

static const struct argp_option options[] = {
	{"keyboard", 'k', "NAME", 0, "Only on this keyboard", 0},
	{"note", 'n', "TEXT", 0, "Say why, for later", 0},
	{"apply", 'a', NULL, 0, "Put the profile into force at once", 0},
	{0},
};

static const struct argp_option restore_options[] = {
	{"keyboard", 'k', "NAME", 0, "Only on this keyboard", 0},
	{"all", 'A', NULL, 0, "Every key: no rule is left", 0},
	{"apply", 'a', NULL, 0, "Put the profile into force at once", 0},
	{0},
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct edit *edit = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = edit->cli;
		return 0;
	case 'k':
		edit->keyboard_name = arg;
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
		if (edit->count < edit->most && !edit->all)
			argp_error(state,
				   edit->count ? "the second key is missing" : "say which key");
		if (edit->all && edit->count)
			argp_error(state, "`--all` and a key do not go together");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};

/* ---- Steps ---------------------------------------------------------------------------------- */

/* Returns CLI_DONE, or the status to end with. */
static int start(struct edit *edit)
{
	struct cli *cli = edit->cli;

	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	if (!cli_keyboard_option(cli, edit->keyboard_name, &edit->keyboard))
		return CLI_USAGE;
	if (edit->keyboard)
		snprintf(edit->where, sizeof edit->where, " on %s",
			 cli->keyboards.keyboards[edit->keyboard - 1].name.bytes);
	edit->json = json_object_new_object();
	edit->gave = "";
	return cli_effects(cli, edit->keyboard, &edit->before) ? CLI_DONE : CLI_COULD_NOT;
}

static bool read_press(struct edit *edit, const char *word, struct lurk_press *press)
{
	return lurk_words_press(word, cli_characters(edit->cli), press, &edit->why);
}

/* Whether two single targets are the same thing to press; with `scans`, a scan code is also the key
 * that it stands for. */
static bool same_target(const struct lurk_target *a, const struct lurk_target *b, bool scans)
{
	lurk_key ka = a->kind == LURK_TARGET_SCAN ? lurk_scan_key(a->scan) : a->key;
	lurk_key kb = b->kind == LURK_TARGET_SCAN ? lurk_scan_key(b->scan) : b->key;

	if (a->kind == LURK_TARGET_MEANING || b->kind == LURK_TARGET_MEANING)
		return a->kind == b->kind && lurk_key_same_meaning(a->key, b->key);
	if (a->kind == b->kind)
		return a->kind == LURK_TARGET_SCAN ? lurk_scan_same(a->scan, b->scan)
						   : a->key == b->key;
	return scans && ka && ka == kb;
}

/* The rule broken into single changes; a meaning stays whole. */
static unsigned break_up(const struct lurk_rule *rule, struct lurk_change changes[4])
{
	unsigned n = 0;

	if (rule->press.on.kind == LURK_TARGET_MEANING) {
		changes[0] =
			(struct lurk_change){rule->press.on, rule->gives.kind, rule->gives.key};
		return 1;
	}
	while (n < 4 && lurk_rule_change(rule, n, &changes[n]))
		n++;
	return n;
}

static bool touches(const struct lurk_rule *rule, const struct lurk_rule *other, bool scans)
{
	struct lurk_change mine[4], theirs[4];
	unsigned n = break_up(rule, mine), m = break_up(other, theirs);

	for (unsigned i = 0; i < n; i++) {
		for (unsigned k = 0; k < m; k++) {
			if (same_target(&mine[i].on, &theirs[k].on, scans))
				return true;
		}
	}
	return false;
}

static bool reread(struct edit *edit)
{
	return cli_reread_profile(edit->cli, &edit->why);
}

static bool append(struct edit *edit, const char *press, const char *gives, const char *swap_list)
{
	struct cli *cli = edit->cli;
	char *press_text = lurk_yaml_scalar(press ? press : ""),
	     *gives_text = lurk_yaml_scalar(gives ? gives : "");
	char *note = lurk_yaml_scalar(edit->note ? edit->note : "");
	struct lurk_field fields[4];
	uint32_t before = cli->profile.count;
	size_t n = 0;
	bool fine;

	if (swap_list) {
		fields[n++] = (struct lurk_field){"swap", swap_list};
	} else {
		fields[n++] = (struct lurk_field){"press", press_text};
		fields[n++] = (struct lurk_field){"gives", gives_text};
	}
	if (edit->keyboard)
		fields[n++] = (struct lurk_field){
			"keyboard", cli->keyboards.keyboards[edit->keyboard - 1].name.bytes};
	if (edit->note)
		fields[n++] = (struct lurk_field){"note", note};
	fine = lurk_edit_append(&cli->profile.yaml, "rules", fields, n, &edit->why) && reread(edit);
	if (fine && cli->profile.count != before + 1)
		fine = lurk_say(&edit->why,
				"%s: its form is one that Lurk cannot edit; add the rule by hand",
				cli->profile_path);
	if (fine)
		edit->line = cli->profile.rules[before].line;
	free(press_text);
	free(gives_text);
	free(note);
	return fine;
}

static bool remove_rule(struct edit *edit, uint32_t index)
{
	struct cli *cli = edit->cli;
	struct lurk_node *list = lurk_node_get(cli->profile.yaml.root, "rules");

	return lurk_edit_remove(&cli->profile.yaml, list, cli->profile.nodes[index], &edit->why) &&
	       reread(edit);
}

/* Adds a change as a rule of its own, for what is left of a rule that was broken up. */
static bool append_change(struct edit *edit, const struct lurk_change *change, uint16_t keyboard)
{
	struct lurk_result result = {change->gives, change->key, {"", 0}};
	char press[LURK_WORDS], gives[LURK_WORDS];
	const char *note = edit->note;
	uint16_t on = edit->keyboard;
	bool fine;

	edit->keyboard = keyboard;
	edit->note = NULL;
	fine = append(edit, lurk_words_target(&change->on, press),
		      lurk_words_result(&result, gives), NULL);
	edit->keyboard = on;
	edit->note = note;
	return fine;
}

/* Takes a rule out but for those of its changes that `wanted` does not touch. */
static bool take_out(struct edit *edit, uint32_t index, const struct lurk_rule *wanted, bool scans)
{
	struct lurk_rule rule = edit->cli->profile.rules[index];
	struct lurk_change changes[4];
	unsigned n = break_up(&rule, changes);

	if (!remove_rule(edit, index))
		return false;
	for (unsigned i = 0; i < n; i++) {
		struct lurk_rule one = {.press = {.on = changes[i].on},
					.gives = {.kind = LURK_GIVES_NOTHING}};

		if (!touches(&one, wanted, scans) &&
		    !append_change(edit, &changes[i], rule.keyboard))
			return false;
	}
	return true;
}

/* A rule that only needs another result keeps its place, its note and its comments. */
static bool change_in_place(struct edit *edit, uint32_t index, const char *gives)
{
	struct cli *cli = edit->cli;
	char *gives_text = lurk_yaml_scalar(gives),
	     *note = lurk_yaml_scalar(edit->note ? edit->note : "");
	struct lurk_field field = {"gives", gives_text}, note_field = {"note", note};
	bool fine;

	fine = lurk_edit_set(&cli->profile.yaml, cli->profile.nodes[index], &field, &edit->why) &&
	       reread(edit);
	if (fine && edit->note)
		fine = lurk_edit_set(&cli->profile.yaml, cli->profile.nodes[index], &note_field,
				     &edit->why) &&
		       reread(edit);
	edit->line = fine ? cli->profile.rules[index].line : 0;
	free(gives_text);
	free(note);
	return fine;
}

/* Makes room for a rule: those that are for the same press and equally specific go, or give way in
 * part. Sets *done where one could be changed in place. */
static bool make_room(struct edit *edit, const struct lurk_rule *wanted, const char *gives,
		      bool *done)
{
	for (uint32_t i = 0; i < edit->cli->profile.count;) {
		const struct lurk_rule *rule = &edit->cli->profile.rules[i];
		bool alike = !rule->swap && !wanted->swap &&
			     rule->press.on.kind == wanted->press.on.kind;

		if (rule->off || rule->keyboard != wanted->keyboard ||
		    rule->press.modifiers != wanted->press.modifiers ||
		    rule->press.only != wanted->press.only || !touches(rule, wanted, false)) {
			i++;
			continue;
		}
		if (alike && gives && !*done) {
			if (!change_in_place(edit, i, gives))
				return false;
			*done = true;
			i++;
			continue;
		}
		if (!take_out(edit, i, wanted, false))
			return false;
	}
	return true;
}

/* Adds a rule, or changes the one that is there for the same press. */
static bool put_rule(struct edit *edit, const struct lurk_press *press,
		     const struct lurk_result *result)
{
	struct lurk_rule wanted = {.press = *press, .gives = *result, .keyboard = edit->keyboard};
	char press_words[LURK_WORDS], gives[LURK_WORDS];
	bool done = false;

	lurk_words_for_press(press, press_words);
	lurk_words_result(result, gives);
	return make_room(edit, &wanted, gives, &done) &&
	       (done || append(edit, press_words, gives, NULL));
}

/* ---- What is said --------------------------------------------------------------------------- */

/* What the key gave before, and what no key gives any more. */
static void say_changes(struct edit *edit)
{
	char list[256] = "", text[640] = "";

	if (cli_effects(edit->cli, edit->keyboard, &edit->after))
		cli_lost(&edit->before, &edit->after, list, sizeof list);
	if (edit->cli->json) {
		json_object_object_add(edit->json, "before", json_object_new_string(edit->gave));
		json_object_object_add(edit->json, "lost", json_object_new_string(list));
		return;
	}
	if (*edit->gave)
		snprintf(text, sizeof text, "Before, it gave %s%s", edit->gave, *list ? "; " : ".");
	if (*list)
		snprintf(text + strlen(text), sizeof text - strlen(text),
			 "%so key gives %s%s any more.", *edit->gave ? "n" : "N", list,
			 edit->where);
	if (*text)
		puts(text);
}

static int finish(struct edit *edit, const char *summary)
{
	struct cli *cli = edit->cli;
	struct lurk_message why;

	if (!cli_save_profile(cli, summary)) {
		json_object_put(edit->json);
		return CLI_COULD_NOT;
	}
	if (!cli->json)
		cli_print_strong(summary);
	if (!cli->json)
		puts(".");
	else
		json_object_object_add(edit->json, "did", json_object_new_string(summary));
	if (edit->line && cli->json)
		json_object_object_add(edit->json, "line", json_object_new_int64(edit->line));
	json_object_object_add(edit->json, "file", json_object_new_string(cli->profile_path));
	say_changes(edit);
	json_object_object_add(edit->json, "in_force", json_object_new_boolean(edit->apply));
	if (edit->apply && !cli_apply_profile(cli, &why)) {
		json_object_put(edit->json);
		return cli_fail(CLI_COULD_NOT, "the file is changed, but not in force: %s",
				why.text);
	}
	if (cli->json) {
		cli_print_json(edit->json);
		return CLI_DONE;
	}
	json_object_put(edit->json);
	if (edit->apply)
		puts("It is in force now, and will be after a reboot.");
	else if (edit->line)
		printf("It stands in %s, line %u. Not in force yet: `lurk apply` puts it into "
		       "force.\n",
		       cli->profile_path, edit->line);
	else
		printf("%s is changed. Not in force yet: `lurk apply` puts it into force.\n",
		       cli->profile_path);
	return CLI_DONE;
}

static int failed(struct edit *edit, int status)
{
	if (edit->json)
		json_object_put(edit->json);
	return edit->why.text[0] ? cli_fail(status, "%s", edit->why.text) : status;
}

static void note_before(struct edit *edit, const struct lurk_target *on)
{
	lurk_key key = on->kind == LURK_TARGET_SCAN ? lurk_scan_key(on->scan) : on->key;

	if (on->kind == LURK_TARGET_SCAN && !key)
		edit->gave = "nothing: its code has no name";
	else if (on->kind >= LURK_TARGET_KEY)
		edit->gave = edit->before.gives[key] ? lurk_key_name(edit->before.gives[key])
						     : "nothing";
}

/* ---- map and disable ------------------------------------------------------------------------ */

static int map_to(struct edit *edit, const char *result_word)
{
	char press_words[LURK_WORDS], gives[LURK_WORDS], summary[512];
	struct lurk_result result;
	struct lurk_press press;
	int status;

	if ((status = start(edit)) != CLI_DONE)
		return failed(edit, status);
	if (!read_press(edit, edit->words[0], &press) ||
	    !lurk_profile_result(result_word, cli_characters(edit->cli), &result, &edit->why))
		return failed(edit, CLI_USAGE);
	if (press.modifiers || press.only || result.kind >= LURK_GIVES_CHORDS) {
		lurk_say(&edit->why, "not yet: rules with modifiers come in a later version");
		return failed(edit, CLI_COULD_NOT);
	}
	if (!put_rule(edit, &press, &result))
		return failed(edit, CLI_COULD_NOT);
	lurk_words_target(&press.on, press_words);
	lurk_words_result(&result, gives);
	snprintf(summary, sizeof summary, "%s now gives %s%s%s", press_words, gives, edit->where,
		 press.on.kind == LURK_TARGET_PAIR ? ", left and right" : "");
	note_before(edit, &press.on);
	return finish(edit, summary);
}

static const char map_doc[] =
	"Give a key another job. RESULT is a key, `nothing` or `itself`."
	"\vExamples:\n"
	"  lurk map CapsLock Enter\n"
	"  lurk map hid:07:a5 to LaunchMail --keyboard curlew\n"
	"  lurk map 'right alt' ContextMenu --note 'no such key here'\n\n"
	"`lurk resolve WORD` tells what a name means, `lurk identify` what a key sends.";

int cli_map(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {options, parse_option, "KEY [to] RESULT", map_doc, children,
				  NULL,    NULL};
	struct edit edit = {.cli = cli, .most = 2};

	cli_parse(cli, &argp, argc, argv, &edit);
	return map_to(&edit, edit.words[1]);
}

static const char disable_doc[] =
	"Make a key do nothing."
	"\vExamples:\n"
	"  lurk disable CapsLock\n"
	"  lurk disable Delete --keyboard heron --note 'stuck since the rain'";

int cli_disable(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {options, parse_option, "KEY", disable_doc, children, NULL, NULL};
	struct edit edit = {.cli = cli, .most = 1};

	cli_parse(cli, &argp, argc, argv, &edit);
	return map_to(&edit, "nothing");
}

/* ---- swap ----------------------------------------------------------------------------------- */

static const char swap_doc[] =
	"Let two keys change places. Pairs such as Alt and Meta change on both sides."
	"\vExamples:\n"
	"  lurk swap CapsLock Escape\n"
	"  lurk swap Alt Meta --keyboard wagtail";

static bool swap(struct edit *edit, char *summary, size_t size)
{
	struct lurk_rule wanted = {.swap = true, .keyboard = edit->keyboard};
	char list[2 * LURK_WORDS + 8], a[LURK_WORDS], b[LURK_WORDS];
	char *a_text, *b_text;
	struct lurk_press other;
	bool done = false, fine;

	if (!read_press(edit, edit->words[0], &wanted.press) ||
	    !read_press(edit, edit->words[1], &other) ||
	    !lurk_profile_result(edit->words[1], cli_characters(edit->cli), &wanted.gives,
				 &edit->why))
		return false;
	if (same_target(&wanted.press.on, &other.on, true))
		return lurk_say(&edit->why, "%s cannot be swapped with itself", edit->words[0]);
	if (lurk_rule_check(&wanted) != LURK_OK || wanted.press.modifiers)
		return lurk_say(
			&edit->why,
			"two keys that have names are swapped, or two pairs such as Alt and Meta");
	a_text = lurk_yaml_scalar(lurk_words_target(&wanted.press.on, a));
	b_text = lurk_yaml_scalar(lurk_words_target(&other.on, b));
	snprintf(list, sizeof list, "[%s, %s]", a_text, b_text);
	free(a_text);
	free(b_text);
	fine = make_room(edit, &wanted, NULL, &done) && append(edit, NULL, NULL, list);
	snprintf(summary, size, "%s and %s are swapped%s%s", a, b, edit->where,
		 wanted.press.on.kind == LURK_TARGET_PAIR ? ", left and right" : "");
	return fine;
}

int cli_swap(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {options, parse_option, "A B", swap_doc, children, NULL, NULL};
	struct edit edit = {.cli = cli, .most = 2};
	char summary[512];
	int status;

	cli_parse(cli, &argp, argc, argv, &edit);
	if ((status = start(&edit)) != CLI_DONE)
		return failed(&edit, status);
	if (!swap(&edit, summary, sizeof summary))
		return failed(&edit, CLI_USAGE);
	return finish(&edit, summary);
}

/* ---- move ----------------------------------------------------------------------------------- */

static const char move_doc[] =
	"Let NEWKEY take over KEY's job, and KEY do nothing: for keys that are broken."
	"\vExample:\n"
	"  lurk move Delete ScrollLock --keyboard heron --note 'stuck since the rain'";

int cli_move(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {options,  parse_option, "KEY NEWKEY", move_doc,
				  children, NULL,         NULL};
	struct lurk_result nothing = {.kind = LURK_GIVES_NOTHING}, job = {.kind = LURK_GIVES_KEY};
	struct edit edit = {.cli = cli, .most = 2};
	char from_words[LURK_WORDS], to_words[LURK_WORDS], summary[512];
	struct lurk_press from, to;
	int status;

	cli_parse(cli, &argp, argc, argv, &edit);
	if ((status = start(&edit)) != CLI_DONE)
		return failed(&edit, status);
	if (!read_press(&edit, edit.words[0], &from) || !read_press(&edit, edit.words[1], &to))
		return failed(&edit, CLI_USAGE);
	job.key = from.on.kind == LURK_TARGET_SCAN ? lurk_scan_key(from.on.scan) : from.on.key;
	if (from.on.kind == LURK_TARGET_KEY)
		job.key = edit.before.gives[job.key];
	if (from.modifiers || to.modifiers || from.on.kind < LURK_TARGET_KEY ||
	    to.on.kind < LURK_TARGET_KEY || !job.key || same_target(&from.on, &to.on, true)) {
		lurk_say(&edit.why, "`move` takes two different single keys, the first of which "
				    "does something");
		return failed(&edit, CLI_USAGE);
	}
	if (!put_rule(&edit, &from, &nothing) || !put_rule(&edit, &to, &job))
		return failed(&edit, CLI_COULD_NOT);
	snprintf(summary, sizeof summary, "%s now gives %s%s, and %s gives nothing",
		 lurk_words_target(&to.on, to_words), lurk_key_name(job.key), edit.where,
		 lurk_words_target(&from.on, from_words));
	return finish(&edit, summary);
}

/* ---- restore -------------------------------------------------------------------------------- */

static const char restore_doc[] = "Give a key its usual job back. Where a wider rule would still "
				  "change it, a rule `gives: itself` is "
				  "written."
				  "\vExamples:\n"
				  "  lurk restore CapsLock\n"
				  "  lurk restore Alt --keyboard wagtail\n"
				  "  lurk restore --all";

static bool restore_all(struct edit *edit)
{
	for (uint32_t i = edit->cli->profile.count; i--;) {
		if (edit->keyboard && edit->cli->profile.rules[i].keyboard != edit->keyboard)
			continue;
		if (!remove_rule(edit, i))
			return false;
	}
	return true;
}

/* Whether the swap was made of this very key or pair: then all of it is taken back. */
static bool is_end_of_swap(const struct lurk_rule *rule, const struct lurk_target *on)
{
	struct lurk_target other = {.kind = rule->gives.kind == LURK_GIVES_PAIR ? LURK_TARGET_PAIR
										: LURK_TARGET_KEY,
				    .key = rule->gives.key};

	return rule->swap &&
	       (same_target(&rule->press.on, on, true) || same_target(&other, on, true));
}

static bool restore_one(struct edit *edit, const struct lurk_press *press, unsigned *removed)
{
	struct lurk_rule wanted = {.press = *press, .gives = {.kind = LURK_GIVES_ITSELF}};

	for (uint32_t i = 0; i < edit->cli->profile.count;) {
		const struct lurk_rule *rule = &edit->cli->profile.rules[i];

		if ((edit->keyboard && rule->keyboard != edit->keyboard) ||
		    !touches(rule, &wanted, true)) {
			i++;
			continue;
		}
		++*removed;
		if (is_end_of_swap(rule, &press->on) ? !remove_rule(edit, i)
						     : !take_out(edit, i, &wanted, true))
			return false;
	}
	edit->line = 0;
	return true;
}

/* Whether the key still gives something else, by a wider rule. */
static bool still_changed(struct edit *edit, const struct lurk_press *press)
{
	struct lurk_rule wanted = {.press = *press, .gives = {.kind = LURK_GIVES_ITSELF}};
	struct lurk_change change;

	if (!cli_effects(edit->cli, edit->keyboard, &edit->after))
		return false;
	for (unsigned i = 0; lurk_rule_change(&wanted, i, &change); i++) {
		lurk_key key = change.on.kind == LURK_TARGET_SCAN ? lurk_scan_key(change.on.scan)
								  : change.on.key;

		if (edit->after.gives[key] != key)
			return true;
	}
	return false;
}

static int nothing_to_restore(struct edit *edit, const char *why)
{
	if (edit->cli->json) {
		json_object_object_add(edit->json, "did", NULL);
		cli_print_json(edit->json);
	} else {
		json_object_put(edit->json);
		printf("%s: there is nothing to restore.\n", why);
	}
	return CLI_FOUND;
}

int cli_restore(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {restore_options, parse_option, "KEY", restore_doc,
				  children,        NULL,         NULL};
	struct lurk_result itself = {.kind = LURK_GIVES_ITSELF};
	struct edit edit = {.cli = cli, .most = 1};
	char words[LURK_WORDS], summary[512];
	struct lurk_press press;
	unsigned removed = 0;
	int status;

	cli_parse(cli, &argp, argc, argv, &edit);
	if ((status = start(&edit)) != CLI_DONE)
		return failed(&edit, status);
	if (edit.all) {
		if (!cli->profile.count && !edit.apply)
			return nothing_to_restore(&edit, "The profile has no rule");
		if (!restore_all(&edit))
			return failed(&edit, CLI_COULD_NOT);
		snprintf(summary, sizeof summary, "Every key gives its usual job again%s",
			 edit.where);
		return finish(&edit, summary);
	}
	if (!read_press(&edit, edit.words[0], &press))
		return failed(&edit, CLI_USAGE);
	if (!restore_one(&edit, &press, &removed))
		return failed(&edit, CLI_COULD_NOT);
	if (still_changed(&edit, &press)) {
		if (!put_rule(&edit, &press, &itself))
			return failed(&edit, CLI_COULD_NOT);
	} else if (!removed) {
		snprintf(summary, sizeof summary, "No rule changes %s%s",
			 lurk_words_target(&press.on, words), edit.where);
		return nothing_to_restore(&edit, summary);
	}
	snprintf(summary, sizeof summary, "%s has its usual job again%s%s",
		 lurk_words_target(&press.on, words), edit.where,
		 press.on.kind == LURK_TARGET_PAIR ? ", left and right" : "");
	return finish(&edit, summary);
}
