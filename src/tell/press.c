#include "tell/press.h"

#include <stdio.h>
#include <string.h>

#include "lurk/work/presses.h"
#include "tell/json.h"
#include "tell/words.h"

enum { BRIEF_US = 200000 };

const char *tell_press_key(const struct tell_presses *p, const struct lurk_press_record *r,
			   char out[LURK_WORDS])
{
	const struct lurk_nickname *nickname = lurk_press_nickname(p->ws, p->machine, r);

	if (!nickname)
		return lurk_words_key(r->key, r->scan, out);
	snprintf(out, LURK_WORDS, "%s", nickname->name);
	return out;
}

/* What the press gives, by the rule where that is more than a key. */
static const char *given(const struct tell_presses *p, const struct lurk_press_record *r,
			 char out[LURK_WORDS])
{
	const struct lurk_image *image = p->machine->image;
	lurk_key gives = lurk_action_key(&r->gives, r->key);
	struct lurk_rule rule = {.gives = {.kind = LURK_GIVES_NOTHING}};

	if (r->gives.rank && image && r->gives.rule < image->rule_count)
		lurk_image_rule(image, r->gives.rule, &rule);
	if (rule.gives.kind >= LURK_GIVES_CHORDS)
		return lurk_words_result(&rule.gives, out);
	snprintf(out, LURK_WORDS, "%s", gives ? lurk_key_name(gives) : "nothing");
	return out;
}

static const char *gives_words(const struct tell_presses *p, const struct lurk_press_record *r,
			       char *out, size_t size)
{
	const struct lurk_image *image = p->machine->image;
	struct lurk_rule rule;
	char words[LURK_WORDS], told[LURK_WORDS + sizeof "gives "];

	if (!r->gives.rank) {
		snprintf(out, size, "%s", r->key ? "gives itself" : "gives nothing");
		return out;
	}
	snprintf(told, sizeof told, "gives %s", given(p, r, words));
	lurk_words_with_caps(told, lurk_workspace_characters(p->ws), out, size);
	if (r->gives.gives == LURK_GIVES_ITSELF)
		snprintf(out, size, "gives itself");
	if (image && r->gives.rule < image->rule_count) {
		lurk_image_rule(image, r->gives.rule, &rule);
		snprintf(out + strlen(out), size - strlen(out), " (line %u)", rule.line);
	}
	return out;
}

static const char *duration(uint64_t us, char out[32])
{
	if (us < 10000000)
		snprintf(out, 32, "%u ms", (unsigned)(us / 1000));
	else
		snprintf(out, 32, "%u s", (unsigned)(us / 1000000));
	return out;
}

static const char *time_words(const struct tell_presses *p, const struct lurk_press_record *r,
			      char *out, size_t size)
{
	char time[32];

	if ((r->held && p->ended) || r->unreleased)
		snprintf(out, size, "pressed, not released");
	else if (r->held)
		snprintf(out, size, "is down");
	else if (!r->down_us)
		snprintf(out, size, "released, not pressed");
	else
		snprintf(out, size, "down %s", duration(r->up_us - r->down_us, time));
	if (r->repeats)
		snprintf(out + strlen(out), size - strlen(out), ", repeated");
	return out;
}

/* Knobs and media keys mostly come from another interface than letters do. */
static const char *interface_words(const struct lurk_press_record *r, char out[64])
{
	static const char *const nth[] = {"", "second", "third", "fourth"};

	*out = '\0';
	if (r->interface && r->interface < sizeof nth / sizeof *nth)
		snprintf(out, 64, "from its %s interface", nth[r->interface]);
	else if (r->interface)
		snprintf(out, 64, "from its interface number %u", r->interface + 1U);
	return out;
}

static const char *means_words(const struct tell_presses *p, lurk_key key, char out[96])
{
	char cap[LURK_CAP];
	const char *meaning = lurk_words_meaning(key, lurk_workspace_characters(p->ws), cap);

	snprintf(out, 96, "%s%s", *meaning ? "means " : "",
		 !strcmp(meaning, " ") ? "a space" : meaning);
	return out;
}

const char *tell_press_oddity(const struct tell_presses *p, const struct lurk_press_record *r,
			      uint64_t now_us, char out[TELL_PRESS])
{
	char name[LURK_WORDS], on[LURK_WORDS];

	tell_keyboard_option(p->machine, &p->ws->keyboards, r->keyboard, on);
	*out = '\0';
	tell_press_key(p, r, name);
	switch (lurk_press_oddity(p->history, r, now_us)) {
	case LURK_ODD_BOUNCED:
		snprintf(out, TELL_PRESS,
			 "It came again within %u ms: it bounces. `lurk move %s NEWKEY%s` lets "
			 "another key do its job.",
			 (unsigned)LURK_BOUNCE_US / 1000, name, on);
		break;
	case LURK_ODD_LONG:
		snprintf(
			out, TELL_PRESS,
			"If nobody holds it, it is stuck: `lurk move %s NEWKEY%s` lets another key "
			"do its job.",
			name, on);
		break;
	case LURK_ODD_WAS_DOWN:
		snprintf(out, TELL_PRESS, "It was down before this began.");
		break;
	case LURK_ODD_NO_RELEASE:
		snprintf(out, TELL_PRESS,
			 "It never said that it came up: `lurk keyboards%s --press-only "
			 "%s` "
			 "tells Lurk that it never is.",
			 on, name);
		break;
	default:
		if (!r->key && !r->gives.rank)
			snprintf(out, TELL_PRESS, "It can have a job all the same: lurk map %s KEY",
				 name);
		if (!r->key && !r->gives.rank && *on && !lurk_press_nickname(p->ws, p->machine, r))
			snprintf(out + strlen(out), TELL_PRESS - strlen(out),
				 "; and a name: lurk keyboards%s --nickname %s=NAME", on, name);
		break;
	}
	return out;
}

const char *tell_press(const struct tell_presses *p, const struct lurk_press_record *r,
		       char out[TELL_PRESS])
{
	char scan[LURK_SCAN_TEXT], name[LURK_WORDS], with[LURK_WORDS + LURK_CAP + 8];

	if (r->key)
		snprintf(out, TELL_PRESS, "%s on %s, scan code %s",
			 lurk_words_with_caps(tell_press_key(p, r, name),
					      lurk_workspace_characters(p->ws), with, sizeof with),
			 tell_keyboard(p->machine, &p->ws->keyboards, r->keyboard),
			 lurk_scan_write(r->scan, scan));
	else
		snprintf(out, TELL_PRESS, "a key without a name on %s, scan code %s",
			 tell_keyboard(p->machine, &p->ws->keyboards, r->keyboard),
			 lurk_scan_write(r->scan, scan));
	return out;
}

/* ---- One press after the other --------------------------------------------------------------- */

struct json_object *tell_press_json(const struct tell_presses *p, const struct lurk_press_record *r,
				    uint64_t now_us)
{
	struct json_object *object = json_object_new_object();
	char scan[LURK_SCAN_TEXT], name[LURK_WORDS], odd[TELL_PRESS], words[LURK_WORDS];

	tell_put_text(object, "keyboard",
		      tell_keyboard(p->machine, &p->ws->keyboards, r->keyboard));
	tell_put_text(object, "key", tell_press_key(p, r, name));
	tell_put_text(object, "scan", lurk_scan_write(r->scan, scan));
	tell_put_text(object, "meaning", lurk_key_meaning(r->key));
	tell_put_text(object, "gives", given(p, r, words));
	tell_put_flag(object, "pressed", r->down_us != 0);
	tell_put_flag(object, "released", !r->held && !r->unreleased);
	tell_put_number(object, "down_ms",
			r->down_us && r->up_us ? (int64_t)(r->up_us - r->down_us) / 1000 : 0);
	tell_put_number(object, "repeats", r->repeats);
	tell_put_number(object, "interface", r->interface + 1);
	tell_put_text(object, "odd", tell_press_oddity(p, r, now_us, odd));
	return object;
}

/* Names of one's own are short; what keyboards call themselves is not. */
static size_t name_width(const struct tell_presses *p)
{
	size_t most = 8;

	for (uint16_t i = 0; i < p->machine->keyboard_count; i++) {
		size_t n = p->machine->keyboards[i].present
				   ? strlen(tell_keyboard(p->machine, &p->ws->keyboards, i))
				   : 0;

		most = n > most ? n : most;
	}
	return most;
}

const char *tell_press_row(const struct tell_presses *p, const struct lurk_press_record *r,
			   char out[TELL_PRESS])
{
	char scan[LURK_SCAN_TEXT], gives[128], time[64], means[96], name[LURK_WORDS], from[64];
	const bool named = r->key || lurk_press_nickname(p->ws, p->machine, r);

	interface_words(r, from);
	snprintf(out, TELL_PRESS, "%-*s  %-16s  %-11s  %-21s  %-26s  %s%s%s", (int)name_width(p),
		 tell_keyboard(p->machine, &p->ws->keyboards, r->keyboard),
		 named ? tell_press_key(p, r, name) : "(no name)", lurk_scan_write(r->scan, scan),
		 means_words(p, r->key, means), gives_words(p, r, gives, sizeof gives),
		 time_words(p, r, time, sizeof time), *from ? ", " : "", from);
	return out;
}

const char *tell_press_now(const struct tell_presses *p, const struct lurk_press_record *r,
			   uint64_t now_us, char out[TELL_PRESS])
{
	char gives[128], means[96], scan[LURK_SCAN_TEXT], time[32], from[64];
	size_t n;

	means_words(p, r->key, means);
	snprintf(out, TELL_PRESS, "Scan code %s. %s%s%sNow %s. ", lurk_scan_write(r->scan, scan),
		 *means ? "M" : "", *means ? means + 1 : "", *means ? ". " : "",
		 gives_words(p, r, gives, sizeof gives));
	n = strlen(out);
	if (r->held && now_us < r->down_us + BRIEF_US)
		snprintf(out + n, TELL_PRESS - n, "It is down.");
	else if (r->held)
		snprintf(out + n, TELL_PRESS - n, "Down for %s by now%s.",
			 duration(now_us - r->down_us, time), r->repeats ? ", repeating" : "");
	else if (r->unreleased)
		snprintf(out + n, TELL_PRESS - n, "Nothing said that it came up.");
	else if (r->down_us)
		snprintf(out + n, TELL_PRESS - n, "It was down for %s.",
			 duration(r->up_us - r->down_us, time));
	n = strlen(out);
	if (*interface_words(r, from))
		snprintf(out + n, TELL_PRESS - n, " It comes %s.", from);
	return out;
}

/* ---- Conclusions ----------------------------------------------------------------------------- */

const char *tell_relation(const struct lurk_press_record *a, const struct lurk_press_record *b)
{
	static const char *const words[] = {[LURK_SAME_CODE] = "same code",
					    [LURK_OTHER_KEYBOARD] = "other keyboard",
					    [LURK_SAME_KEY] = "same key",
					    [LURK_SAME_MEANING] = "same meaning",
					    [LURK_DIFFERENT] = "different"};

	return words[lurk_press_compare(a, b)];
}

const char *tell_comparison(const struct tell_presses *p, const struct lurk_press_record *a,
			    const struct lurk_press_record *b, char out[TELL_CONCLUSION])
{
	char one[TELL_PRESS], two[TELL_PRESS], x[LURK_WORDS], y[LURK_WORDS];

	tell_press(p, a, one);
	tell_press(p, b, two);
	lurk_words_key(a->key, a->scan, x);
	lurk_words_key(b->key, b->scan, y);
	switch (lurk_press_compare(a, b)) {
	case LURK_SAME_CODE:
		snprintf(out, TELL_CONCLUSION,
			 "The same code both times: %s.\n"
			 "If these were two keys, no program can tell them apart, and a rule "
			 "changes both.",
			 one);
		break;
	case LURK_OTHER_KEYBOARD:
		snprintf(out, TELL_CONCLUSION,
			 "The same code on two keyboards: %s; %s.\n"
			 "`--keyboard NAME` makes a rule for one of them.",
			 one, two);
		break;
	case LURK_SAME_KEY:
		snprintf(out, TELL_CONCLUSION,
			 "One key with two codes: %s; %s.\n"
			 "A rule on %s changes both, one on a scan code only that one.",
			 one, two, x);
		break;
	case LURK_SAME_MEANING:
		snprintf(out, TELL_CONCLUSION,
			 "Two keys with one meaning: %s; %s.\n"
			 "They can be changed separately; `any %s` is both.",
			 one, two, lurk_key_meaning(a->key));
		break;
	default:
		snprintf(out, TELL_CONCLUSION,
			 "Two different keys: %s; %s.\n"
			 "They can be changed separately; `lurk swap %s %s` lets them change "
			 "places.",
			 one, two, x, y);
		break;
	}
	return out;
}

const char *tell_arrival(const struct tell_presses *p, const struct lurk_press_record *r,
			 char out[TELL_CONCLUSION])
{
	char words[TELL_PRESS];

	if (r)
		snprintf(out, TELL_CONCLUSION,
			 "It arrives: %s.\n`lurk map` can give it another job.",
			 tell_press(p, r, words));
	else
		snprintf(
			out, TELL_CONCLUSION, "%s",
			"Nothing arrived. The keyboard keeps this key to itself, as it does with "
			"Fn, or the key is dead:\n"
			"no program can see it, and none can give it a job. What can be tried: "
			"another keyboard, to see that\n"
			"this one sends anything at all; and the keyboard's own lock or layer (its "
			"manual tells), with which\n"
			"such keys may send something.");
	return out;
}

const char *tell_pressing_itself(const struct tell_presses *p, const struct lurk_press_record *r,
				 unsigned times, char out[TELL_CONCLUSION])
{
	char words[TELL_PRESS], name[LURK_WORDS], on[LURK_WORDS];

	snprintf(out, TELL_CONCLUSION,
		 "It presses itself, %u time%s: %s.\n`lurk move %s NEWKEY%s` lets another key do "
		 "its job.",
		 times, times > 1 ? "s" : "", tell_press(p, r, words),
		 lurk_words_key(r->key, r->scan, name),
		 tell_keyboard_option(p->machine, &p->ws->keyboards, r->keyboard, on));
	return out;
}
