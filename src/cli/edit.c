#include "cli/edit.h"

#include <stdlib.h>
#include <string.h>

#include "text/utf8.h"

const struct argp_option edit_options[] = {
	{"keyboard", 'k', "NAME", 0, "Only on this keyboard", 0},
	{"note", 'n', "TEXT", 0, "Say why, for later", 0},
	{"apply", 'a', NULL, 0, "Put the profile into force at once", 0},
	{0},
};

const struct argp_child edit_children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};

error_t edit_parse_option(int key, char *arg, struct argp_state *state)
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

/* ---- Rules in and out ----------------------------------------------------------------------- */

static void name_keyboard(struct edit *edit)
{
	if (edit->keyboard)
		snprintf(edit->where, sizeof edit->where, " on %s",
			 edit->cli->keyboards.keyboards[edit->keyboard - 1].name.bytes);
}

int edit_start(struct edit *edit)
{
	struct cli *cli = edit->cli;

	cli->editing = true;
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	if (!cli_keyboard_option(cli, edit->keyboard_name, &edit->keyboard))
		return CLI_USAGE;
	name_keyboard(edit);
	edit->json = json_object_new_object();
	edit->gave = "";
	cli_check(cli, &edit->found);
	return cli_effects(cli, edit->keyboard, &edit->before) ? CLI_DONE : CLI_COULD_NOT;
}

bool edit_read_press(struct edit *edit, const char *word, struct lurk_press *press)
{
	const struct lurk_nickname *nickname =
		lurk_nickname_find(&edit->cli->keyboards, edit->keyboard, word);

	if (nickname) {
		/* It is a name on one keyboard, so the rule is for that one. */
		memset(press, 0, sizeof *press);
		press->on = nickname->on;
		edit->keyboard = nickname->keyboard;
		name_keyboard(edit);
		return true;
	}
	return lurk_words_press(word, cli_characters(edit->cli), press, &edit->why);
}

bool edit_same_target(const struct lurk_target *a, const struct lurk_target *b, bool scans)
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

bool edit_touches(const struct lurk_rule *rule, const struct lurk_rule *other, bool scans)
{
	struct lurk_change mine[4], theirs[4];
	unsigned n = break_up(rule, mine), m = break_up(other, theirs);

	for (unsigned i = 0; i < n; i++) {
		for (unsigned k = 0; k < m; k++) {
			if (edit_same_target(&mine[i].on, &theirs[k].on, scans))
				return true;
		}
	}
	return false;
}

static bool reread(struct edit *edit)
{
	struct lurk_message why;

	/* Its lines are those of a file that will not be. */
	return cli_reread_profile(edit->cli, &why) ||
	       lurk_say(&edit->why, "nothing is changed, since then: %s", why.text);
}

char *edit_gives(const struct lurk_result *result)
{
	char words[LURK_WORDS], *text, *whole = NULL;
	struct lurk_text given = result->text;
	const char *field = result->kind == LURK_GIVES_TEXT      ? "text"
			    : result->kind == LURK_GIVES_PROFILE ? "profile"
								 : NULL;

	if (result->kind == LURK_GIVES_TOGGLE)
		return strdup("{rules: toggle}");
	if (result->kind == LURK_GIVES_CHORDS && *given.bytes == '[')
		return strndup(given.bytes, given.length);
	if (!field && result->kind != LURK_GIVES_CHORDS)
		return lurk_yaml_scalar(lurk_words_result(result, words));
	whole = strndup(given.bytes, given.length);
	text = lurk_yaml_scalar(whole);
	free(whole);
	if (!field)
		return text;
	if (asprintf(&whole, "{%s: %s}", field, text) < 0)
		abort();
	free(text);
	return whole;
}

bool edit_append(struct edit *edit, const char *press, const char *gives, const char *swap_list)
{
	struct cli *cli = edit->cli;
	char *press_text = lurk_yaml_scalar(press ? press : "");
	char *note = lurk_yaml_scalar(edit->note ? edit->note : "");
	struct lurk_field fields[4];
	uint32_t before = cli->profile.count;
	size_t n = 0;
	bool fine;

	if (swap_list) {
		fields[n++] = (struct lurk_field){"swap", swap_list};
	} else {
		fields[n++] = (struct lurk_field){"press", press_text};
		fields[n++] = (struct lurk_field){"gives", gives};
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
	free(note);
	return fine;
}

bool edit_remove_rule(struct edit *edit, uint32_t index)
{
	struct cli *cli = edit->cli;
	struct lurk_node *list = lurk_node_get(cli->profile.yaml.root, "rules");

	return lurk_edit_remove(&cli->profile.yaml, list, cli->profile.nodes[index], &edit->why) &&
	       reread(edit);
}

/* Adds a change as a rule of its own, for what is left of a rule that was broken up. */
static bool append_change(struct edit *edit, const struct lurk_press *press, const char *gives,
			  uint16_t keyboard)
{
	char words[LURK_WORDS];
	const char *note = edit->note;
	uint16_t on = edit->keyboard;
	bool fine;

	edit->keyboard = keyboard;
	edit->note = NULL;
	fine = edit_append(edit, lurk_words_for_press(press, words), gives, NULL);
	edit->keyboard = on;
	edit->note = note;
	return fine;
}

bool edit_take_out(struct edit *edit, uint32_t index, const struct lurk_rule *wanted, bool scans)
{
	struct lurk_rule rule = edit->cli->profile.rules[index];
	struct lurk_change changes[4];
	unsigned n = break_up(&rule, changes);
	char *gives[4];
	bool fine;

	for (unsigned i = 0; i < n; i++) { /* before the text that they stand in goes */
		struct lurk_result result = rule.gives;

		result.kind = changes[i].gives;
		result.key = changes[i].key;
		gives[i] = edit_gives(&result);
	}
	fine = edit_remove_rule(edit, index);
	for (unsigned i = 0; i < n; i++) {
		struct lurk_rule one = {.press = rule.press, .gives = {.kind = LURK_GIVES_NOTHING}};

		one.press.on = changes[i].on;
		if (fine && !edit_touches(&one, wanted, scans))
			fine = append_change(edit, &one.press, gives[i], rule.keyboard);
		free(gives[i]);
	}
	return fine;
}

/* A rule that only needs another result keeps its place, its note and its comments. */
static bool change_in_place(struct edit *edit, uint32_t index, const char *gives)
{
	struct cli *cli = edit->cli;
	char *note = lurk_yaml_scalar(edit->note ? edit->note : "");
	struct lurk_field field = {"gives", gives}, note_field = {"note", note};
	bool fine;

	fine = lurk_edit_set(&cli->profile.yaml, cli->profile.nodes[index], &field, &edit->why) &&
	       reread(edit);
	if (fine && edit->note)
		fine = lurk_edit_set(&cli->profile.yaml, cli->profile.nodes[index], &note_field,
				     &edit->why) &&
		       reread(edit);
	edit->line = fine ? cli->profile.rules[index].line : 0;
	free(note);
	return fine;
}

bool edit_make_room(struct edit *edit, const struct lurk_rule *wanted, const char *gives,
		    bool *done)
{
	for (uint32_t i = 0; i < edit->cli->profile.count;) {
		const struct lurk_rule *rule = &edit->cli->profile.rules[i];
		bool alike = !rule->swap && !wanted->swap &&
			     rule->press.on.kind == wanted->press.on.kind;

		if (rule->off || rule->keyboard != wanted->keyboard ||
		    rule->press.modifiers != wanted->press.modifiers ||
		    rule->press.only != wanted->press.only || !edit_touches(rule, wanted, false)) {
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
		if (!edit_take_out(edit, i, wanted, false))
			return false;
	}
	return true;
}

bool edit_put_rule(struct edit *edit, const struct lurk_press *press,
		   const struct lurk_result *result)
{
	struct lurk_rule wanted = {.press = *press, .gives = *result, .keyboard = edit->keyboard};
	char press_words[LURK_WORDS], *gives = edit_gives(result);
	bool done = false, fine;

	lurk_words_for_press(press, press_words);
	fine = edit_make_room(edit, &wanted, gives, &done) &&
	       (done || edit_append(edit, press_words, gives, NULL));
	free(gives);
	return fine;
}

bool edit_can_type(struct edit *edit, struct lurk_text text)
{
	const struct lurk_characters *characters = cli_characters(edit->cli);
	const char *with;
	char sign[5];
	uint32_t c;

	if (!text.length)
		return lurk_say(&edit->why, "--text is empty; `lurk disable KEY` makes a key do "
					    "nothing");
	if (!characters)
		return lurk_say(&edit->why, "which keys type this depends on the layout, and none "
					    "is known here; give `layout:` in the profile, such as "
					    "layout: gb");
	if (!cli_untypable(characters, text, &c))
		return true;
	with = characters->elsewhere(characters->data, c);
	return lurk_say(&edit->why, "the layout %s has no keys for %s (U+%04X)%s%s",
			edit->cli->layout_name, lurk_utf8_write(c, sign), c,
			*with ? "; these have: " : "", with);
}

bool edit_has_profile(struct edit *edit, const char *word)
{
	struct lurk_profile_set set = cli_profile_set(edit->cli);

	if (lurk_profile_find(&set, (struct lurk_text){word, strlen(word)}))
		return true;
	return !strcmp(word, "previous") ||
	       lurk_say(&edit->why,
			"there is no profile `%s`; `lurk profile new %s` makes it, `lurk profile "
			"list` lists them",
			word, word);
}

/* ---- What is said --------------------------------------------------------------------------- */

/* What the check finds now and did not find before the edit. */
static void say_findings(struct edit *edit)
{
	struct json_object *list = edit->cli->json ? json_object_new_array() : NULL;
	struct cli_findings now;

	if (cli_check(edit->cli, &now)) {
		for (unsigned i = 0; i < now.count; i++) {
			if (cli_findings_have(&edit->found, &now.all[i]))
				continue;
			if (list)
				json_object_array_add(
					list, cli_finding_json(edit->cli, &now, &now.all[i]));
			else
				cli_tell_finding(edit->cli, &now, &now.all[i]);
		}
	}
	if (list)
		json_object_object_add(edit->json, "findings", list);
	cli_findings_free(&now);
}

/* What the key gave before, and what follows from the change. */
static void say_changes(struct edit *edit)
{
	if (edit->cli->json)
		json_object_object_add(edit->json, "before", json_object_new_string(edit->gave));
	else if (*edit->gave)
		printf("Before, it gave %s.\n", edit->gave);
	say_findings(edit);
}

/* --apply does what apply does: it refuses what locks out. */
static bool may_apply(struct edit *edit)
{
	struct cli_findings findings;
	bool may = cli_check_first(edit->cli, false, &findings);

	if (may)
		cli_findings_free(&findings);
	return may;
}

static bool in_force(const struct cli *cli)
{
	return cli_acts(cli, cli->machine->profile, cli->profile.word);
}

static void tell_applied(struct cli *cli)
{
	const char *word = cli->profile.word;
	char start[LURK_PROFILE_WORD];

	if (!in_force(cli))
		printf("It is applied, and in force when the profile %s is: `lurk use %s`.\n", word,
		       word);
	else if (!cli_acts(cli, cli_start_profile(cli, start), word))
		printf("It is in force now; after a reboot %s is: `lurk apply --profile %s` "
		       "changes that.\n",
		       start, word);
	else if (cli_survives(cli))
		puts("It is in force now, and will be after a reboot.");
	else
		puts("It is in force now, but not after a reboot: `sudo lurk install` makes it "
		     "so.");
}

int edit_finish(struct edit *edit, const char *summary)
{
	struct cli *cli = edit->cli;
	struct lurk_message why;

	if (!cli_save_profile(cli, summary)) {
		cli_findings_free(&edit->found);
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
	cli_findings_free(&edit->found);
	if (edit->apply && !may_apply(edit)) {
		json_object_put(edit->json);
		return CLI_FOUND;
	}
	if (edit->apply && !cli_apply_edit(cli, &why)) {
		json_object_put(edit->json);
		return cli_fail(CLI_COULD_NOT, "the file is changed, but not in force: %s",
				why.text);
	}
	if (cli->json) {
		json_object_object_add(edit->json, "applied", json_object_new_boolean(edit->apply));
		json_object_object_add(edit->json, "in_force",
				       json_object_new_boolean(edit->apply && in_force(cli)));
		cli_print_json(edit->json);
		return CLI_DONE;
	}
	json_object_put(edit->json);
	if (edit->apply)
		tell_applied(cli);
	else if (edit->line)
		printf("It stands in %s, line %u. Not in force yet: `lurk apply` puts it into "
		       "force.\n",
		       cli->profile_path, edit->line);
	else
		printf("%s is changed. Not in force yet: `lurk apply` puts it into force.\n",
		       cli->profile_path);
	return CLI_DONE;
}

int edit_failed(struct edit *edit, int status)
{
	cli_findings_free(&edit->found);
	if (edit->json)
		json_object_put(edit->json);
	return edit->why.text[0] ? cli_fail(status, "%s", edit->why.text) : status;
}

void edit_note_before(struct edit *edit, const struct lurk_target *on)
{
	lurk_key key = on->kind == LURK_TARGET_SCAN ? lurk_scan_key(on->scan) : on->key;

	if (on->kind == LURK_TARGET_SCAN && !key)
		edit->gave = "nothing: its code has no name";
	else if (on->kind >= LURK_TARGET_KEY && !edit->before.more[key])
		edit->gave = edit->before.gives[key] ? lurk_key_name(edit->before.gives[key])
						     : "nothing";
}
