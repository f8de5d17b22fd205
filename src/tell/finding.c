#include "tell/finding.h"

#include <stdio.h>
#include <string.h>

#include "lurk/text/utf8.h"
#include "lurk/work/effects.h"
#include "tell/json.h"
#include "tell/keyboard.h"
#include "tell/layout.h"
#include "tell/words.h"

const char *tell_finding_code(const struct lurk_finding *finding)
{
	const uint8_t code = finding->code;

	return code == LURK_CHECK_CANNOT_TYPE        ? "cannot-type"
	       : code == LURK_CHECK_NO_LAYOUT        ? "no-layout"
	       : code == LURK_CHECK_NO_PROFILE       ? "no-such-profile"
	       : code == LURK_CHECK_NO_WAY_BACK      ? "no-way-back"
	       : code == LURK_CHECK_UNKNOWN_KEYBOARD ? "unknown-keyboard"
	       : code == LURK_CHECK_NO_SUCH_LAYOUT   ? "no-such-layout"
	       : code == LURK_CHECK_CHARACTERS       ? "characters-lost"
	       : code == LURK_CHECK_OTHER_SYMBOL     ? "other-symbol"
	       : code == LURK_CHECK_NO_SYMBOL        ? "no-symbol"
	       : code == LURK_CHECK_ASSUMED_LAYOUT   ? "assumed-layout"
	       : code == LURK_CHECK_LACKED           ? "layout-lacks"
						     : lurk_check_name(code);
}

static const char *keyboard_name(const struct lurk_findings *all, const struct lurk_finding *f)
{
	return f->keyboard && !all->imagined ? tell_keyboard(all->machine, &all->ws->keyboards,
							     all->keyboards[f->keyboard - 1])
					     : "that keyboard";
}

/* Which keyboards send such a scan code. */
static const char *wire_of(lurk_scan scan)
{
	return scan.kind == LURK_SCAN_HID ? "that is what USB and Bluetooth keyboards send"
					  : "that is what PS/2 keyboards send";
}

/* A rule's line: of the profile, or with the name of the one that has it. */
static const char *line_of(const struct lurk_findings *all, uint32_t number, char out[64])
{
	const struct lurk_profile_file *file = all->profile;
	const struct lurk_rule *rule = lurk_findings_rule(all, number, &file);

	snprintf(out, 64, "line %u%s%s", rule ? rule->line : 0, file != all->profile ? " of " : "",
		 file != all->profile ? file->word : "");
	return out;
}

static const char *chord_words(const struct lurk_finding *f, char out[LURK_WORDS])
{
	snprintf(out, LURK_WORDS, "%s%s%s", f->modifiers & LURK_MOD_CONTROL ? "Control+" : "",
		 f->modifiers & LURK_MOD_ALT ? "Alt+" : "", lurk_key_name(f->key));
	return out;
}

/* The keys that do it now: a modifier by its pair where both sides are as ever. */
static const char *by_words(const struct lurk_finding *f, char out[LURK_WORDS])
{
	char key[LURK_WORDS];

	*out = '\0';
	for (unsigned i = 0; i < 2; i++) {
		const char *pair = lurk_key_pair_name(f->by_held[i]);
		bool usual = !strcmp(pair, i ? "Alt" : "Control");

		if (f->by_held[i])
			snprintf(out + strlen(out), LURK_WORDS - strlen(out), "%s+",
				 usual ? pair : lurk_key_name(f->by_held[i]));
	}
	snprintf(out + strlen(out), LURK_WORDS - strlen(out), "%s",
		 lurk_words_key(f->by, f->by_scan, key));
	return out;
}

static const char *pair_or_key(lurk_key key)
{
	const char *pair = lurk_key_pair_name(key);

	return *pair ? pair : lurk_key_name(key);
}

/* "`#` or `~`"; a dead key is called so. */
static const char *signs_words(const struct lurk_findings *all, const struct lurk_finding *f,
			       char out[LURK_WORDS])
{
	const struct lurk_characters *layout = lurk_workspace_characters(all->ws);
	char sign[LURK_CAP];

	*out = '\0';
	for (unsigned level = 0, left = f->levels; layout && left; level++, left >>= 1) {
		const char *between = !*out ? "" : left == 1 ? " or " : ", ";
		const char *quote;
		bool dead;

		if (!(left & 1))
			continue;
		dead = layout->cap(layout->data, f->key, lurk_level_modifiers(level), sign);
		quote = strcmp(sign, "`") != 0 ? "`" : "\"";
		snprintf(out + strlen(out), LURK_WORDS - strlen(out), "%s%s%s%s%s", between,
			 dead ? "the dead key " : "", quote, sign, quote);
	}
	return out;
}

/* The press that typed the first of them: "Shift+Digit3". */
static const char *typed_by(const struct lurk_finding *f, char out[LURK_WORDS])
{
	static const char *const with[] = {"", "Shift+", "AltRight+", "Shift+AltRight+"};
	unsigned level = 0;

	while (level < 3 && !(f->levels >> level & 1))
		level++;
	snprintf(out, LURK_WORDS, "%s%s", with[level], lurk_key_name(f->key));
	return out;
}

/* Those in turn that have all of a rule's text. */
static const char *layouts_having(const struct lurk_findings *all, const struct lurk_finding *f,
				  char out[TELL_LAYOUT])
{
	const struct lurk_rule *rule = lurk_findings_rule(all, f->rule, NULL);
	struct lurk_layout *one;

	*out = '\0';
	for (unsigned i = 0; (one = lurk_layout_in_turn(tell_layout_of(all->ws), i)); i++) {
		const struct lurk_characters characters = lurk_layout_characters(one);
		uint32_t lacked;

		if (!lurk_layout_lacks(&characters, rule->gives.text, &lacked))
			snprintf(out + strlen(out), TELL_LAYOUT - strlen(out), "%s%s",
				 *out ? " or " : "", lurk_layout_name(one));
	}
	return out;
}

void tell_finding(const struct lurk_findings *all, const struct lurk_finding *f,
		  char out[TELL_FINDING])
{
	const char *key = f->key < LURK_KEY_COUNT ? lurk_key_name(f->key) : "";
	char one[LURK_WORDS], two[LURK_WORDS], sign[5], line[64], symbol[LURK_SYMBOL];
	char source[TELL_LAYOUT];
	const struct lurk_rule *rule;

	switch (f->code) {
	case LURK_CHECK_SAME_PRESS:
		rule = lurk_findings_rule(all, f->rule, NULL);
		snprintf(
			out, TELL_FINDING, "Lines %u and %s are for the same press: %s.",
			rule ? rule->line : 0, line_of(all, f->other, line) + strlen("line "),
			lurk_words_for_press(&lurk_findings_rule(all, f->other, NULL)->press, one));
		break;
	case LURK_CHECK_TAP_MODIFIER:
		snprintf(out, TELL_FINDING,
			 "%s never says that it came up: as a modifier it would be of "
			 "no use.",
			 key);
		break;
	case LURK_CHECK_LOCKED_OUT:
		if (f->modifiers)
			snprintf(out, TELL_FINDING, "%s cannot be pressed any more.",
				 chord_words(f, one));
		else
			snprintf(out, TELL_FINDING, "No key gives %s any more%s%s.",
				 pair_or_key(f->key), f->levels ? ", and none types " : "",
				 signs_words(all, f, one));
		break;
	case LURK_CHECK_MOVED:
		snprintf(out, TELL_FINDING, "%s is now %s.", chord_words(f, one), by_words(f, two));
		break;
	case LURK_CHECK_LOST:
		snprintf(out, TELL_FINDING, "No key%s%s gives %s any more%s%s.",
			 f->keyboard ? " on " : "", f->keyboard ? keyboard_name(all, f) : "",
			 pair_or_key(f->key), f->levels ? ", and none types " : "",
			 signs_words(all, f, one));
		break;
	case LURK_CHECK_ONE_SIDE:
		snprintf(out, TELL_FINDING, "%s is on one side only now: %s gives it.",
			 lurk_key_pair_name(f->key), lurk_words_key(f->by, f->by_scan, one));
		break;
	case LURK_CHECK_CHARACTERS:
		snprintf(out, TELL_FINDING, "No key%s%s types %s any more: %s did.",
			 f->keyboard ? " on " : "", f->keyboard ? keyboard_name(all, f) : "",
			 signs_words(all, f, one), typed_by(f, two));
		break;
	case LURK_CHECK_HALF_PAIR:
		snprintf(out, TELL_FINDING, "%s and %s are swapped, %s and %s are not.", key,
			 lurk_key_name(f->by), lurk_key_name(lurk_key_other_side(f->key)),
			 lurk_key_name(lurk_key_other_side(f->by)));
		break;
	case LURK_CHECK_NEVER_ACTS:
		snprintf(out, TELL_FINDING, "This rule never acts%s%s%s.",
			 f->other == LURK_NO_RULE ? "" : ": ",
			 f->other == LURK_NO_RULE ? "" : line_of(all, f->other, line),
			 f->other == LURK_NO_RULE ? "" : " always wins");
		break;
	case LURK_CHECK_NO_SUCH_KEY:
		snprintf(out, TELL_FINDING, "%s has no key %s.", keyboard_name(all, f), key);
		break;
	case LURK_CHECK_BROKEN_KEY:
		snprintf(out, TELL_FINDING, "%s on %s is marked broken.", key,
			 keyboard_name(all, f));
		break;
	case LURK_CHECK_NO_CHANGE:
		snprintf(out, TELL_FINDING,
			 "This rule changes nothing: %s gives itself in any case.", key);
		break;
	case LURK_CHECK_UNSEEN_BY_X:
		snprintf(out, TELL_FINDING,
			 "Programs under X11 do not see %s: its event code, %u, is "
			 "above 247.",
			 key, f->key);
		break;
	case LURK_CHECK_OTHER_SYMBOL:
		snprintf(out, TELL_FINDING, "Programs of a desktop take %s for %s.", key,
			 lurk_symbol_name(f->other, symbol));
		break;
	case LURK_CHECK_ASSUMED_LAYOUT:
		snprintf(out, TELL_FINDING,
			 "Texts are typed as in the layout %s%s, assumed: while another is active "
			 "they come out wrong.",
			 all->ws->layout.name, tell_layout_source(tell_layout_of(all->ws), source));
		break;
	case LURK_CHECK_LACKED:
		snprintf(out, TELL_FINDING,
			 "The layout %s has no key for %s (U+%04X): while it is active this key "
			 "types nothing.",
			 lurk_layout_name(lurk_layout_in_turn(tell_layout_of(all->ws), f->by)),
			 lurk_utf8_write(f->other, sign), f->other);
		break;
	case LURK_CHECK_NO_SYMBOL:
		snprintf(out, TELL_FINDING, "Programs of a desktop get nothing for %s.", key);
		break;
	case LURK_CHECK_THIRD_LEVEL:
		snprintf(out, TELL_FINDING,
			 "No key gives %s any more, with which the layout %s types its "
			 "third characters.",
			 key, all->ws->layout.name);
		break;
	case LURK_CHECK_NEVER_USED:
		snprintf(out, TELL_FINDING, "No keyboard here has %s.", key);
		break;
	case LURK_CHECK_NEVER_SENT:
		rule = lurk_findings_rule(all, f->rule, NULL);
		lurk_scan_write(rule->press.on.scan, one);
		if (f->keyboard)
			snprintf(out, TELL_FINDING, "%s never sends %s: %s.", keyboard_name(all, f),
				 one, wire_of(rule->press.on.scan));
		else
			snprintf(out, TELL_FINDING, "No keyboard here ever sends %s: %s.", one,
				 wire_of(rule->press.on.scan));
		break;
	case LURK_CHECK_NO_KEYBOARD:
		snprintf(out, TELL_FINDING, "All rules are for keyboards of which none is here.");
		break;
	case LURK_CHECK_NO_OFF_CHORD:
		snprintf(out, TELL_FINDING,
			 "The off chord cannot be relied on with %s: %s is missing or "
			 "broken.",
			 keyboard_name(all, f), key);
		break;
	case LURK_CHECK_UNKNOWN_KEYBOARD:
		snprintf(out, TELL_FINDING, "No keyboard is called %s.",
			 lurk_node_get(all->profile->nodes[f->rule], "keyboard")->text);
		break;
	case LURK_CHECK_NO_SUCH_LAYOUT:
		snprintf(out, TELL_FINDING, "There is no layout `%s`.", all->ws->layout.name);
		break;
	case LURK_CHECK_CANNOT_TYPE:
		snprintf(out, TELL_FINDING,
			 "The layout %s has no key for a character of this text: %s (U+%04X).",
			 all->ws->layout.name, lurk_utf8_write(f->other, sign), f->other);
		break;
	case LURK_CHECK_NO_LAYOUT:
		snprintf(out, TELL_FINDING,
			 "Which keys type this depends on the layout, and none is known here.");
		break;
	case LURK_CHECK_NO_PROFILE:
		snprintf(out, TELL_FINDING, "There is no profile of that name to switch to.");
		break;
	default:
		snprintf(out, TELL_FINDING, "No key of the profile %.*s leads out of it again.",
			 (int)all->profile->rules[f->rule].gives.text.length,
			 all->profile->rules[f->rule].gives.text.bytes);
		break;
	}
}

void tell_finding_remedy(const struct lurk_findings *all, const struct lurk_finding *f,
			 char out[TELL_FINDING])
{
	const struct lurk_rule *rule = lurk_findings_rule(all, f->rule, NULL);
	const char *key = f->key < LURK_KEY_COUNT ? lurk_key_name(f->key) : "";
	char press[LURK_WORDS], with[64], offer[TELL_KEYBOARD], source[TELL_LAYOUT];

	*out = '\0';
	switch (f->code) {
	case LURK_CHECK_NO_SUCH_LAYOUT:
		snprintf(out, TELL_FINDING,
			 "Write one such as us, gb or de:nodeadkeys, or take `layout:` out.");
		break;
	case LURK_CHECK_CANNOT_TYPE:
		if (*lurk_layouts_with(f->other, with))
			snprintf(out, TELL_FINDING, "These have: %s.", with);
		break;
	case LURK_CHECK_NO_LAYOUT:
		snprintf(out, TELL_FINDING, "`layout: gb`, say, in the profile tells.");
		break;
	case LURK_CHECK_NO_PROFILE:
		snprintf(out, TELL_FINDING,
			 "`lurk profile list` lists them, `lurk profile new NAME` "
			 "makes one.");
		break;
	case LURK_CHECK_NO_WAY_BACK:
		snprintf(out, TELL_FINDING,
			 "`lurk map KEY --use previous` in it leads back; `lurk use --previous` "
			 "does in any case.");
		break;
	case LURK_CHECK_SAME_PRESS:
		snprintf(out, TELL_FINDING,
			 "Remove one, or write `off: true` in it; `lurk map %s RESULT` puts one in "
			 "their place.",
			 rule ? lurk_words_target(&rule->press.on, press) : "KEY");
		break;
	case LURK_CHECK_LOST:
	case LURK_CHECK_LOCKED_OUT:
	case LURK_CHECK_THIRD_LEVEL:
		if (f->severity == LURK_NOTE)
			break; /* it is what the rule is about */
		if (rule && !f->modifiers && !rule->swap && rule->gives.kind == LURK_GIVES_KEY &&
		    rule->press.on.kind == LURK_TARGET_KEY && rule->press.on.key == f->key &&
		    lurk_on_a_full_keyboard(rule->gives.key))
			snprintf(out, TELL_FINDING,
				 "`lurk swap %s %s` would keep both; `lurk map KEY %s` "
				 "gives another key that job.",
				 key, lurk_key_name(rule->gives.key), key);
		else
			snprintf(out, TELL_FINDING, "`lurk map KEY %s` gives another key that job.",
				 key);
		break;
	case LURK_CHECK_CHARACTERS:
		snprintf(out, TELL_FINDING, "`lurk map KEY %s` gives that job to another key.",
			 typed_by(f, press));
		break;
	case LURK_CHECK_HALF_PAIR:
		snprintf(out, TELL_FINDING, "`lurk swap %s %s` swaps both sides.",
			 lurk_key_pair_name(f->key), lurk_key_pair_name(f->by));
		break;
	case LURK_CHECK_NEVER_ACTS:
	case LURK_CHECK_NO_CHANGE:
		snprintf(out, TELL_FINDING, "It can be removed.");
		break;
	case LURK_CHECK_NEVER_SENT:
		if (!f->key) {
			snprintf(out, TELL_FINDING, "`lurk identify` shows what a key sends.");
			break;
		}
		snprintf(out, TELL_FINDING,
			 "`lurk map %s RESULT` is for that key, whatever it sends.", key);
		break;
	case LURK_CHECK_NO_SUCH_KEY:
	case LURK_CHECK_NEVER_USED:
		snprintf(out, TELL_FINDING, "`lurk identify` shows what a key sends.");
		break;
	case LURK_CHECK_BROKEN_KEY:
		snprintf(out, TELL_FINDING,
			 "`lurk move %s NEWKEY --keyboard %s` lets another key do its "
			 "job.",
			 key, keyboard_name(all, f));
		break;
	case LURK_CHECK_UNSEEN_BY_X:
	case LURK_CHECK_NO_SYMBOL:
		snprintf(out, TELL_FINDING,
			 "F13 to F18 arrive, by the names that `lurk check` then tells.");
		break;
	case LURK_CHECK_ASSUMED_LAYOUT:
		snprintf(out, TELL_FINDING, "`layout: %s`, say, in the profile tells which it is.",
			 all->ws->layout.name);
		break;
	case LURK_CHECK_LACKED:
		snprintf(out, TELL_FINDING, "It is typed while %s is active.",
			 layouts_having(all, f, source));
		break;
	case LURK_CHECK_OTHER_SYMBOL:
		snprintf(out, TELL_FINDING, "A shortcut there is set on that name.");
		break;
	case LURK_CHECK_UNKNOWN_KEYBOARD:
	case LURK_CHECK_NO_KEYBOARD:
		snprintf(out, TELL_FINDING,
			 "`--mine NAME=MINE` takes the rules for NAME for a keyboard of "
			 "yours.");
		break;
	case LURK_CHECK_NO_OFF_CHORD:
		if (!all->imagined && f->keyboard)
			snprintf(out, TELL_FINDING, "%s takes others.",
				 tell_chord_offer(all->machine, &all->ws->keyboards,
						  all->keyboards[f->keyboard - 1], offer));
		break;
	case LURK_CHECK_TAP_MODIFIER:
		snprintf(out, TELL_FINDING, "Give that job to another key.");
		break;
	default:
		break;
	}
}

unsigned tell_finding_line(const struct lurk_findings *all, const struct lurk_finding *finding)
{
	const struct lurk_profile_file *file = NULL;
	const struct lurk_rule *rule = lurk_findings_rule(all, finding->rule, &file);

	return file == all->profile ? rule->line : 0;
}

const char *tell_severity(enum lurk_severity severity)
{
	static const char *const words[] = {"note", "warning", "error", "lock-out"};

	return words[severity];
}

const char *tell_findings_count(const struct lurk_findings *f, char out[96])
{
	char count[LURK_COUNT_WORDS];

	*out = '\0';
	for (int s = LURK_LOCK_OUT; s >= LURK_NOTE; s--) {
		if (f->by_severity[s])
			snprintf(out + strlen(out), 96 - strlen(out), "%s%s", *out ? ", " : "",
				 lurk_words_count(f->by_severity[s],
						  tell_severity((enum lurk_severity)s), count));
	}
	return out;
}

struct json_object *tell_finding_json(const struct lurk_findings *all, const struct lurk_finding *f)
{
	struct json_object *object = json_object_new_object();
	char words[TELL_FINDING];

	tell_put_text(object, "code", tell_finding_code(f));
	tell_put_text(object, "severity", tell_severity((enum lurk_severity)f->severity));
	tell_finding(all, f, words);
	tell_put_text(object, "what", words);
	tell_finding_remedy(all, f, words);
	tell_put_text(object, "to_do", words);
	tell_put_number(object, "line", tell_finding_line(all, f));
	return object;
}

struct json_object *tell_findings_json(const struct lurk_findings *findings,
				       const struct lurk_findings *before)
{
	struct json_object *list = json_object_new_array();

	for (unsigned i = 0; i < findings->count; i++) {
		if (!before || !lurk_findings_have(before, &findings->all[i]))
			json_object_array_add(list, tell_finding_json(findings, &findings->all[i]));
	}
	return list;
}
