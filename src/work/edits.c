#include "lurk/work/edits.h"

#include <stdio.h>
#include <string.h>

#include "lurk/profile/edit.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"
#include "lurk/work/effects.h"
#include "work/rule_edit.h"

/* " on wagtail", or "". */
static const char *where(const struct lurk_edits *edits, char out[LURK_WORDS])
{
	*out = '\0';
	if (edits->keyboard)
		snprintf(out, LURK_WORDS, " on %s",
			 edits->ws->keyboards.keyboards[edits->keyboard - 1].name.bytes);
	return out;
}

static const char *both_sides(const struct lurk_press *press)
{
	return press->on.kind == LURK_TARGET_PAIR ? ", left and right" : "";
}

static bool read_press(struct lurk_edits *edits, const char *word, struct lurk_press *press)
{
	const struct lurk_nickname *nickname =
		lurk_nickname_find(&edits->ws->keyboards, edits->keyboard, word);

	if (!nickname)
		return lurk_words_press(word, lurk_workspace_characters(edits->ws), press,
					&edits->why);
	/* It is a name on one keyboard, so the rule is for that one. */
	memset(press, 0, sizeof *press);
	press->on = nickname->on;
	edits->keyboard = nickname->keyboard;
	return true;
}

bool lurk_edits_one_keyboard(const struct lurk_edits *edits)
{
	const struct lurk_machine *m = edits->machine;
	unsigned here = 0;

	for (uint16_t i = 0; m && i < m->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &m->keyboards[i];

		/* A power button is none that anybody types on. */
		here += k->present && lurk_declares(&k->info, LURK_KEY_A);
	}
	return edits->keyboard || here == 1;
}

bool lurk_edits_is_key(struct lurk_edits *edits, const char *key)
{
	struct lurk_edits unused = *edits;
	struct lurk_press press;
	bool fine = read_press(&unused, key, &press);

	edits->why = unused.why;
	return fine;
}

/* ---- Results --------------------------------------------------------------------------------- */

bool lurk_edits_result(struct lurk_edits *edits, const char *word, struct lurk_result *result,
		       uint8_t step[LURK_STEP_BYTES])
{
	const struct lurk_characters *characters = lurk_workspace_characters(edits->ws);
	const struct lurk_nickname *nickname;
	lurk_key key;

	if (lurk_profile_result(word, characters, result, step, &edits->why))
		return true;
	/* What a key that has a name of the person's own usually gives. */
	nickname = lurk_nickname_find(&edits->ws->keyboards, edits->keyboard, word);
	key = nickname ? lurk_target_key(&nickname->on) : (lurk_key)LURK_KEY_NONE;
	return key != LURK_KEY_NONE &&
	       lurk_profile_result(lurk_key_name(key), characters, result, step, &edits->why);
}

static void give_words(struct lurk_result *result, uint8_t kind, const char *text)
{
	*result = (struct lurk_result){.kind = kind, .text = {text, strlen(text)}};
}

bool lurk_edits_text(struct lurk_edits *edits, const char *text, struct lurk_result *result)
{
	const struct lurk_characters *characters = lurk_workspace_characters(edits->ws);
	const char *with;
	char sign[5];
	uint32_t c;

	give_words(result, LURK_GIVES_TEXT, text);
	if (!*text)
		return lurk_say(&edits->why, "--text is empty; `lurk disable KEY` makes a key do "
					     "nothing");
	if (!lurk_utf8_is(text))
		return lurk_say(&edits->why, "--text is not UTF-8, which all files of rules are");
	if (!characters)
		return lurk_say(&edits->why,
				"which keys type this depends on the layout, and none "
				"is known here; give `layout:` in the profile, such as "
				"layout: gb");
	if (!lurk_layout_lacks(characters, result->text, &c))
		return true;
	with = characters->elsewhere(characters->data, c);
	return lurk_say(&edits->why, "the layout %s has no keys for %s (U+%04X)%s%s",
			edits->ws->layout.name, lurk_utf8_write(c, sign), c,
			*with ? "; these have: " : "", with);
}

bool lurk_edits_profile(struct lurk_edits *edits, const char *word, struct lurk_result *result)
{
	const struct lurk_profile_set set = lurk_workspace_set(edits->ws);

	give_words(result, LURK_GIVES_PROFILE, word);
	return lurk_profile_find(&set, result->text) || !strcmp(word, "previous") ||
	       lurk_say(&edits->why,
			"there is no profile `%s`; `lurk profile new %s` makes it, `lurk profile "
			"list` lists them",
			word, word);
}

/* ---- One key --------------------------------------------------------------------------------- */

static const char *gives_now(const struct lurk_edits *edits, const struct lurk_target *on)
{
	lurk_key key = lurk_target_key(on);
	struct lurk_effects now;

	if (on->kind == LURK_TARGET_SCAN && !key)
		return "nothing: its code has no name";
	if (on->kind < LURK_TARGET_KEY ||
	    !lurk_effects_of(edits->ws, edits->machine, edits->keyboard, &now) || now.more[key])
		return "";
	return now.gives[key] ? lurk_key_name(now.gives[key]) : "nothing";
}

enum lurk_went lurk_edits_map(struct lurk_edits *edits, const char *key,
			      const struct lurk_result *result)
{
	char words[LURK_WORDS], gives[LURK_WORDS], on[LURK_WORDS];
	struct lurk_press press;
	const char *gave;

	edits->gave = "";
	if (!read_press(edits, key, &press))
		return LURK_ASKED_WRONGLY;
	gave = press.modifiers || press.only ? "" : gives_now(edits, &press.on);
	if (!lurk_rule_put(edits, &press, result))
		return LURK_COULD_NOT;
	snprintf(edits->summary, sizeof edits->summary, "%s now gives %s%s%s",
		 lurk_words_for_press(&press, words), lurk_words_result(result, gives),
		 where(edits, on), both_sides(&press));
	edits->gave = gave;
	return LURK_DONE;
}

enum lurk_went lurk_edits_switch(struct lurk_edits *edits, const char *key, bool off)
{
	const struct lurk_profile_file *profile = &edits->ws->profile;
	struct lurk_rule wanted = {.gives = {.kind = LURK_GIVES_NOTHING}};
	char words[LURK_WORDS], on[LURK_WORDS];
	unsigned count = 0;

	edits->gave = "";
	if (!read_press(edits, key, &wanted.press))
		return LURK_ASKED_WRONGLY;
	for (uint32_t i = 0; i < profile->count; i++) {
		const struct lurk_rule *rule = &profile->rules[i];

		if (rule->off == off || (edits->keyboard && rule->keyboard != edits->keyboard) ||
		    !lurk_rule_touches(rule, &wanted, true))
			continue;
		if (!lurk_rule_set(edits, i, "off", off ? "true" : "false"))
			return LURK_COULD_NOT;
		count++;
	}
	lurk_words_target(&wanted.press.on, words);
	where(edits, on);
	if (!count) {
		lurk_say(&edits->why, "no rule on %s%s is switched %s", words, on,
			 off ? "on" : "off");
		return LURK_FOUND;
	}
	snprintf(edits->summary, sizeof edits->summary, "%s on %s%s %s switched %s%s",
		 count == 1 ? "The rule" : "The rules", words, on, count == 1 ? "is" : "are",
		 off ? "off" : "on", off ? ", and kept in the file" : "");
	return LURK_DONE;
}

/* ---- Two keys -------------------------------------------------------------------------------- */

enum lurk_went lurk_edits_swap(struct lurk_edits *edits, const char *one, const char *two)
{
	struct lurk_rule wanted = {.swap = true};
	char list[2 * LURK_WORDS + 8], a[LURK_WORDS], b[LURK_WORDS], on[LURK_WORDS];
	char *a_text, *b_text;
	uint8_t unused[LURK_STEP_BYTES];
	struct lurk_press other;
	bool done = false, fine;

	edits->gave = "";
	if (!read_press(edits, one, &wanted.press) || !read_press(edits, two, &other) ||
	    !lurk_edits_result(edits, two, &wanted.gives, unused))
		return LURK_ASKED_WRONGLY;
	wanted.keyboard = edits->keyboard;
	if (lurk_same_target(&wanted.press.on, &other.on, true)) {
		lurk_say(&edits->why, "%s cannot be swapped with itself", one);
		return LURK_ASKED_WRONGLY;
	}
	if ((wanted.press.on.kind == LURK_TARGET_PAIR) != (other.on.kind == LURK_TARGET_PAIR) &&
	    !wanted.press.modifiers && !other.modifiers) {
		const bool first = wanted.press.on.kind == LURK_TARGET_PAIR;
		const char *pair = lurk_key_pair_name(first ? wanted.press.on.key : other.on.key);

		lurk_say(&edits->why,
			 "%s is two keys, and %s is one: say %sLeft or %sRight; a key of one's own "
			 "for each takes two swaps",
			 pair, first ? two : one, pair, pair);
		return LURK_ASKED_WRONGLY;
	}
	if (lurk_rule_check(&wanted) != LURK_OK || wanted.press.modifiers) {
		lurk_say(&edits->why, "two keys that have names are swapped, or two pairs such as "
				      "Control and Alt");
		return LURK_ASKED_WRONGLY;
	}
	a_text = lurk_yaml_scalar(lurk_words_target(&wanted.press.on, a));
	b_text = lurk_yaml_scalar(lurk_words_target(&other.on, b));
	snprintf(list, sizeof list, "[%s, %s]", a_text, b_text);
	lurk_release(a_text);
	lurk_release(b_text);
	fine = lurk_rule_make_room(edits, &wanted, NULL, &done) &&
	       lurk_rule_append(edits, NULL, NULL, list);
	snprintf(edits->summary, sizeof edits->summary, "%s and %s are swapped%s%s", a, b,
		 where(edits, on), both_sides(&wanted.press));
	return fine ? LURK_DONE : LURK_COULD_NOT;
}

/* The job of the key that moves: what it gives, or for a scan code what that stands for. One that
 * gives nothing by now was disabled, or has moved before. */
static lurk_key job_of(const struct lurk_edits *edits, const struct lurk_target *on, bool *before)
{
	struct lurk_effects now;

	*before = false;
	if (on->kind == LURK_TARGET_SCAN)
		return lurk_scan_key(on->scan);
	if (on->kind != LURK_TARGET_KEY ||
	    !lurk_effects_of(edits->ws, edits->machine, edits->keyboard, &now))
		return LURK_KEY_NONE;
	*before = !now.gives[on->key] && !now.more[on->key];
	return *before ? on->key : now.gives[on->key];
}

/* Which rule alone has another key do that job, on the same keyboard; count for none. */
static uint32_t substitute(const struct lurk_edits *edits, lurk_key job)
{
	const struct lurk_profile_file *profile = &edits->ws->profile;
	uint32_t found = profile->count;

	for (uint32_t i = 0; i < profile->count; i++) {
		const struct lurk_rule *rule = &profile->rules[i];

		if (rule->swap || rule->off || rule->press.modifiers || rule->press.only ||
		    rule->keyboard != edits->keyboard || rule->gives.kind != LURK_GIVES_KEY ||
		    rule->gives.key != job)
			continue;
		if (found < profile->count)
			return profile->count;
		found = i;
	}
	return found;
}

enum lurk_went lurk_edits_move(struct lurk_edits *edits, const char *from, const char *to)
{
	const struct lurk_result nothing = {.kind = LURK_GIVES_NOTHING};
	struct lurk_result job = {.kind = LURK_GIVES_KEY};
	char old_words[LURK_WORDS], new_words[LURK_WORDS], on[LURK_WORDS],
		freed[LURK_WORDS + 32] = "";
	struct lurk_press old, new;
	uint32_t earlier;
	bool again;

	edits->gave = "";
	if (!read_press(edits, from, &old) || !read_press(edits, to, &new))
		return LURK_ASKED_WRONGLY;
	if (!edits->ws->agrees) {
		lurk_say(&edits->why, "which job %s has is not clear before that is mended", from);
		return LURK_COULD_NOT;
	}
	job.key = job_of(edits, &old.on, &again);
	if (old.modifiers || new.modifiers || old.on.kind < LURK_TARGET_KEY ||
	    new.on.kind < LURK_TARGET_KEY || !job.key || lurk_same_target(&old.on, &new.on, true)) {
		lurk_say(&edits->why, "`move` takes two different single keys, the first of which "
				      "does something");
		return LURK_ASKED_WRONGLY;
	}
	earlier = again ? substitute(edits, job.key) : edits->ws->profile.count;
	if (earlier < edits->ws->profile.count &&
	    !lurk_same_target(&edits->ws->profile.rules[earlier].press.on, &new.on, true)) {
		snprintf(freed, sizeof freed, "; %s has its usual job again",
			 lurk_words_for_press(&edits->ws->profile.rules[earlier].press, old_words));
		if (!lurk_rule_remove(edits, earlier))
			return LURK_COULD_NOT;
	}
	if (!lurk_rule_put(edits, &old, &nothing) || !lurk_rule_put(edits, &new, &job))
		return LURK_COULD_NOT;
	snprintf(edits->summary, sizeof edits->summary, "%s now gives %s%s, and %s gives nothing%s",
		 lurk_words_target(&new.on, new_words), lurk_key_name(job.key), where(edits, on),
		 lurk_words_target(&old.on, old_words), freed);
	return LURK_DONE;
}

/* ---- The usual job --------------------------------------------------------------------------- */

enum lurk_went lurk_edits_restore_all(struct lurk_edits *edits)
{
	const struct lurk_profile_file *profile = &edits->ws->profile;
	const bool any = profile->count;
	char on[LURK_WORDS];

	edits->gave = "";
	for (uint32_t i = profile->count; i--;) {
		if (edits->keyboard && profile->rules[i].keyboard != edits->keyboard)
			continue;
		if (!lurk_rule_remove(edits, i))
			return LURK_COULD_NOT;
	}
	snprintf(edits->summary, sizeof edits->summary, "Every key gives its usual job again%s",
		 where(edits, on));
	lurk_say(&edits->why, "The profile has no rule");
	return any ? LURK_DONE : LURK_FOUND;
}

/* Whether the swap was made of this very key or pair: then all of it is taken back. */
static bool is_end_of_swap(const struct lurk_rule *rule, const struct lurk_target *on)
{
	const struct lurk_target other = {
		.kind = rule->gives.kind == LURK_GIVES_PAIR ? LURK_TARGET_PAIR : LURK_TARGET_KEY,
		.key = rule->gives.key};

	return rule->swap &&
	       (lurk_same_target(&rule->press.on, on, true) || lurk_same_target(&other, on, true));
}

static bool take_out_all(struct lurk_edits *edits, const struct lurk_press *press,
			 unsigned *removed)
{
	const struct lurk_rule wanted = {.press = *press, .gives = {.kind = LURK_GIVES_ITSELF}};

	for (uint32_t i = 0; i < edits->ws->profile.count;) {
		const struct lurk_rule *rule = &edits->ws->profile.rules[i];

		/* With modifiers that one press is meant, else whatever the key does. */
		if ((edits->keyboard && rule->keyboard != edits->keyboard) ||
		    ((press->modifiers || press->only) &&
		     (rule->press.modifiers != press->modifiers ||
		      rule->press.only != press->only)) ||
		    !lurk_rule_touches(rule, &wanted, true)) {
			i++;
			continue;
		}
		++*removed;
		if (is_end_of_swap(rule, &press->on) ? !lurk_rule_remove(edits, i)
						     : !lurk_rule_take_out(edits, i, &wanted, true))
			return false;
	}
	edits->line = 0;
	return true;
}

/* Whether the key still gives something else, by a wider rule. */
static bool still_changed(const struct lurk_edits *edits, const struct lurk_press *press)
{
	const struct lurk_rule wanted = {.press = *press, .gives = {.kind = LURK_GIVES_ITSELF}};
	struct lurk_effects now;
	struct lurk_change change;

	if (press->modifiers || press->only ||
	    !lurk_effects_of(edits->ws, edits->machine, edits->keyboard, &now))
		return false;
	for (unsigned i = 0; lurk_rule_change(&wanted, i, &change); i++) {
		lurk_key key = lurk_target_key(&change.on);

		if (now.gives[key] != key)
			return true;
	}
	return false;
}

enum lurk_went lurk_edits_restore(struct lurk_edits *edits, const char *key)
{
	const struct lurk_result itself = {.kind = LURK_GIVES_ITSELF};
	char words[LURK_WORDS], on[LURK_WORDS];
	struct lurk_press press;
	unsigned removed = 0;

	edits->gave = "";
	if (!read_press(edits, key, &press))
		return LURK_ASKED_WRONGLY;
	if (!take_out_all(edits, &press, &removed))
		return LURK_COULD_NOT;
	lurk_words_for_press(&press, words);
	where(edits, on);
	if (still_changed(edits, &press)) {
		if (!lurk_rule_put(edits, &press, &itself))
			return LURK_COULD_NOT;
	} else if (!removed) {
		lurk_say(&edits->why, "No rule changes %s%s", words, on);
		return LURK_FOUND;
	}
	snprintf(edits->summary, sizeof edits->summary, "%s has its usual job again%s%s", words, on,
		 both_sides(&press));
	return LURK_DONE;
}
