#include "work/rule_edit.h"

#include <string.h>

#include "lurk/profile/edit.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

bool lurk_same_target(const struct lurk_target *a, const struct lurk_target *b, bool scans)
{
	lurk_key ka = lurk_target_key(a);
	lurk_key kb = lurk_target_key(b);

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

bool lurk_rule_touches(const struct lurk_rule *rule, const struct lurk_rule *other, bool scans)
{
	struct lurk_change mine[4], theirs[4];
	unsigned n = break_up(rule, mine), m = break_up(other, theirs);

	for (unsigned i = 0; i < n; i++) {
		for (unsigned k = 0; k < m; k++) {
			if (lurk_same_target(&mine[i].on, &theirs[k].on, scans))
				return true;
		}
	}
	return false;
}

static bool reread(struct lurk_edits *edits)
{
	struct lurk_message why;

	/* Its lines are those of a file that will not be. */
	return lurk_workspace_reread(edits->ws, &why) ||
	       lurk_say(&edits->why, "nothing is changed, since then: %s", why.text);
}

/* A result as it is written in the file, with quotes where it needs them; to be freed. */
static char *gives_yaml(const struct lurk_result *result)
{
	char words[LURK_WORDS], *text, *whole = NULL;
	struct lurk_text given = result->text;
	const char *field = result->kind == LURK_GIVES_TEXT      ? "text"
			    : result->kind == LURK_GIVES_PROFILE ? "profile"
								 : NULL;

	if (result->kind == LURK_GIVES_TOGGLE)
		return lurk_copy("{rules: toggle}", strlen("{rules: toggle}"));
	if (result->kind == LURK_GIVES_CHORDS) { /* names of keys, which need no quotes */
		whole = lurk_allocate(LURK_CHORDS_MAX, LURK_WORDS);
		lurk_words_chords(result->steps, whole, (size_t)LURK_CHORDS_MAX * LURK_WORDS);
		return whole;
	}
	if (!field)
		return lurk_yaml_scalar(lurk_words_result(result, words));
	whole = lurk_copy(given.bytes, given.length);
	text = lurk_yaml_scalar(whole);
	lurk_release(whole);
	whole = lurk_print("{%s: %s}", field, text);
	lurk_release(text);
	return whole;
}

/* For the file, to be freed; NULL with a message where it cannot be written. */
static char *note_yaml(struct lurk_edits *edits)
{
	const char *note = edits->note ? edits->note : "";

	if (lurk_utf8_is(note))
		return lurk_yaml_scalar(note);
	lurk_say(&edits->why, "the note is not UTF-8, which all files of rules are");
	return NULL;
}

bool lurk_rule_append(struct lurk_edits *edits, const char *press, const char *gives,
		      const char *swap_list)
{
	struct lurk_workspace *ws = edits->ws;
	char *press_text = lurk_yaml_scalar(press ? press : ""), *note = note_yaml(edits);
	struct lurk_field fields[4];
	uint32_t before = ws->profile.count;
	size_t n = 0;
	bool fine;

	if (swap_list) {
		fields[n++] = (struct lurk_field){"swap", swap_list};
	} else {
		fields[n++] = (struct lurk_field){"press", press_text};
		fields[n++] = (struct lurk_field){"gives", gives};
	}
	if (edits->keyboard)
		fields[n++] = (struct lurk_field){
			"keyboard", ws->keyboards.keyboards[edits->keyboard - 1].name.bytes};
	if (edits->note)
		fields[n++] = (struct lurk_field){"note", note};
	fine = note && lurk_edit_append(&ws->profile.yaml, "rules", fields, n, &edits->why) &&
	       reread(edits);
	if (fine && ws->profile.count != before + 1)
		fine = lurk_say(&edits->why,
				"%s: its form is one that Lurk cannot edit; add the rule by hand",
				ws->profile_path);
	if (fine)
		edits->line = ws->profile.rules[before].line;
	lurk_release(press_text);
	lurk_release(note);
	return fine;
}

bool lurk_rule_remove(struct lurk_edits *edits, uint32_t index)
{
	struct lurk_workspace *ws = edits->ws;
	struct lurk_node *list = lurk_node_get(ws->profile.yaml.root, "rules");

	return lurk_edit_remove(&ws->profile.yaml, list, ws->profile.nodes[index], &edits->why) &&
	       reread(edits);
}

/* Adds a change as a rule of its own, for what is left of a rule that was broken up. */
static bool append_change(struct lurk_edits *edits, const struct lurk_press *press,
			  const char *gives, uint16_t keyboard)
{
	char words[LURK_WORDS];
	const char *note = edits->note;
	uint16_t on = edits->keyboard;
	bool fine;

	edits->keyboard = keyboard;
	edits->note = NULL;
	fine = lurk_rule_append(edits, lurk_words_for_press(press, words), gives, NULL);
	edits->keyboard = on;
	edits->note = note;
	return fine;
}

bool lurk_rule_take_out(struct lurk_edits *edits, uint32_t index, const struct lurk_rule *wanted,
			bool scans)
{
	struct lurk_rule rule = edits->ws->profile.rules[index];
	struct lurk_change changes[4];
	unsigned n = break_up(&rule, changes);
	char *gives[4];
	bool fine;

	for (unsigned i = 0; i < n; i++) { /* before the text that they stand in goes */
		struct lurk_result result = rule.gives;

		result.kind = changes[i].gives;
		result.key = changes[i].key;
		gives[i] = gives_yaml(&result);
	}
	fine = lurk_rule_remove(edits, index);
	for (unsigned i = 0; i < n; i++) {
		struct lurk_rule one = {.press = rule.press, .gives = {.kind = LURK_GIVES_NOTHING}};

		one.press.on = changes[i].on;
		if (fine && !lurk_rule_touches(&one, wanted, scans))
			fine = append_change(edits, &one.press, gives[i], rule.keyboard);
		lurk_release(gives[i]);
	}
	return fine;
}

bool lurk_rule_set(struct lurk_edits *edits, uint32_t index, const char *name, const char *value)
{
	struct lurk_profile_file *profile = &edits->ws->profile;
	const struct lurk_field field = {name, value};

	if (!lurk_edit_set(&profile->yaml, profile->nodes[index], &field, &edits->why) ||
	    !reread(edits))
		return false;
	edits->line = profile->rules[index].line;
	return true;
}

/* A rule that only needs another result keeps its place, its note and its comments. */
static bool change_in_place(struct lurk_edits *edits, uint32_t index, const char *gives)
{
	char *note = note_yaml(edits);
	bool fine;

	fine = note && lurk_rule_set(edits, index, "gives", gives) &&
	       (!edits->note || lurk_rule_set(edits, index, "note", note));
	lurk_release(note);
	return fine;
}

bool lurk_rule_make_room(struct lurk_edits *edits, const struct lurk_rule *wanted,
			 const char *gives, bool *done)
{
	for (uint32_t i = 0; i < edits->ws->profile.count;) {
		const struct lurk_rule *rule = &edits->ws->profile.rules[i];
		bool alike = !rule->swap && !wanted->swap &&
			     rule->press.on.kind == wanted->press.on.kind;

		if (rule->off || rule->keyboard != wanted->keyboard ||
		    rule->press.modifiers != wanted->press.modifiers ||
		    rule->press.only != wanted->press.only ||
		    !lurk_rule_touches(rule, wanted, false)) {
			i++;
			continue;
		}
		if (alike && gives && !*done) {
			if (!change_in_place(edits, i, gives))
				return false;
			*done = true;
			i++;
			continue;
		}
		if (!lurk_rule_take_out(edits, i, wanted, false))
			return false;
	}
	return true;
}

bool lurk_rule_put(struct lurk_edits *edits, const struct lurk_press *press,
		   const struct lurk_result *result)
{
	struct lurk_rule wanted = {.press = *press, .gives = *result, .keyboard = edits->keyboard};
	char press_words[LURK_WORDS], *gives = gives_yaml(result);
	bool done = false, fine;

	lurk_words_for_press(press, press_words);
	fine = lurk_rule_make_room(edits, &wanted, gives, &done) &&
	       (done || lurk_rule_append(edits, press_words, gives, NULL));
	lurk_release(gives);
	return fine;
}
