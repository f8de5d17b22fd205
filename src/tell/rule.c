#include "tell/rule.h"

#include <stdio.h>
#include <string.h>

#include "lurk/work/acting.h"
#include "tell/json.h"
#include "tell/way.h"
#include "tell/words.h"

/* ---- In a file ------------------------------------------------------------------------------- */

static const char *usually(const struct lurk_target *target, char out[LURK_WORDS])
{
	lurk_key key = lurk_scan_key(target->scan);

	if (target->kind != LURK_TARGET_SCAN)
		return lurk_words_target(target, out);
	snprintf(out, LURK_WORDS, "%s", key ? lurk_key_name(key) : "(no name)");
	return out;
}

static const char *keyboard_of(const struct lurk_keyboards_file *keyboards,
			       const struct lurk_rule *rule)
{
	return rule->keyboard ? keyboards->keyboards[rule->keyboard - 1].name.bytes : NULL;
}

static void tell_key_of(const struct lurk_keyboards_file *keyboards, const struct lurk_rule *rule,
			char out[LURK_WORDS])
{
	const struct lurk_nickname *nickname =
		rule->keyboard ? lurk_nickname_of(keyboards, rule->keyboard, rule->press.on.scan,
						  rule->press.on.key)
			       : NULL;

	lurk_words_for_press(&rule->press, out);
	if (nickname)
		snprintf(out + strlen(out), LURK_WORDS - strlen(out), " (%s)", nickname->name);
}

void tell_rule(const struct lurk_keyboards_file *keyboards, const struct lurk_rule *rule, bool back,
	       struct tell_rule *out)
{
	const struct lurk_target other = {
		.kind = rule->gives.kind == LURK_GIVES_PAIR ? LURK_TARGET_PAIR : LURK_TARGET_KEY,
		.key = rule->gives.key};
	size_t n;

	if (back)
		lurk_words_target(&other, out->key);
	else
		tell_key_of(keyboards, rule, out->key);
	usually(back ? &other : &rule->press.on, out->usual);
	if (back)
		usually(&rule->press.on, out->now);
	else
		lurk_words_result(&rule->gives, out->now);
	n = strlen(out->now);
	if (rule->off)
		snprintf(out->now + n, sizeof out->now - n, " (switched off)");
	else if (lurk_rule_check(rule) == LURK_ERR_UNTYPED)
		snprintf(out->now + n, sizeof out->now - n, " (no keys for it)");
	out->keyboard = rule->keyboard ? keyboard_of(keyboards, rule) : "all";
	lurk_words_text(rule->note, out->note, sizeof out->note);
}

struct json_object *tell_rule_json(const struct lurk_keyboards_file *keyboards,
				   const struct lurk_rule *rule)
{
	struct json_object *object = json_object_new_object();
	char words[LURK_WORDS];

	tell_put_text(object, "press", lurk_words_for_press(&rule->press, words));
	tell_put_text(object, "gives", lurk_words_result(&rule->gives, words));
	tell_put_flag(object, "swap", rule->swap);
	tell_put_text(object, "keyboard", keyboard_of(keyboards, rule));
	tell_put_flag(object, "off", rule->off);
	tell_put_number(object, "line", rule->line);
	tell_put_words(object, "note", rule->note);
	return object;
}

/* ---- At work --------------------------------------------------------------------------------- */

static bool has_key(const struct lurk_session_keyboard *k, const struct lurk_rule *rule)
{
	struct lurk_change change;

	for (unsigned i = 0; lurk_rule_change(rule, i, &change); i++) {
		if (change.on.kind == LURK_TARGET_SCAN || lurk_declares(&k->info, change.on.key))
			return true;
	}
	return false;
}

bool tell_acting(const struct lurk_machine *machine, const struct lurk_keyboards_file *keyboards,
		 uint16_t number, uint32_t index, struct tell_acting *out)
{
	const struct lurk_session_keyboard *k = &machine->keyboards[number];
	struct lurk_keyboard keyboard;
	struct lurk_profile profile;
	struct lurk_rule rule;
	char name[64];
	size_t n;

	if (!lurk_rule_acts_on(machine, index, k->described, &rule) || !has_key(k, &rule))
		return false;
	lurk_image_profile(machine->image, lurk_image_profile_of(machine->image, index), &profile);
	lurk_words_text(profile.word, out->profile, sizeof out->profile);
	out->keyboard = tell_keyboard(machine, keyboards, number);
	out->way = tell_way(k);
	out->line = rule.line;
	n = strlen(lurk_words_rule(&rule, "", out->words, sizeof out->words));
	if (rule.keyboard) {
		lurk_image_keyboard(machine->image, rule.keyboard - 1U, &keyboard);
		snprintf(out->words + n, sizeof out->words - n, " (only %s)",
			 lurk_words_text(keyboard.name, name, sizeof name));
	}
	return true;
}

struct json_object *tell_acting_json(const struct tell_acting *acting)
{
	struct json_object *object = json_object_new_object();

	tell_put_text(object, "keyboard", acting->keyboard);
	tell_put_text(object, "way", acting->way);
	tell_put_text(object, "rule", acting->words);
	tell_put_number(object, "line", acting->line);
	tell_put_text(object, "profile", acting->profile);
	return object;
}
