#include "tell/reach.h"

#include <inttypes.h>
#include <stdio.h>
#include <string.h>

#include "lurk/text/words.h"
#include "lurk/work/acting.h"
#include "tell/json.h"

static bool has_both(const struct lurk_reach_part *part)
{
	return lurk_is_source(&part->by) && lurk_is_source(&part->by_other);
}

/* Either of two keys that have no name together. */
static bool is_choice(const struct lurk_reach_part *part)
{
	return has_both(part) &&
	       (!part->by.key || part->by_other.key != lurk_key_other_side(part->by.key));
}

static void add_part(const struct lurk_reach_part *part, char out[TELL_REACH])
{
	const struct lurk_source *a = &part->by, *b = &part->by_other;
	const struct lurk_source *first = lurk_is_source(a) ? a : b;
	char one[LURK_WORDS], two[LURK_WORDS];
	size_t n = strlen(out);

	if (has_both(part) && !is_choice(part))
		snprintf(out + n, TELL_REACH - n, "%s", lurk_key_pair_name(a->key));
	else if (is_choice(part))
		snprintf(out + n, TELL_REACH - n, "%s (or %s)",
			 lurk_words_key(a->key, a->scan, one),
			 lurk_words_key(b->key, b->scan, two));
	else
		snprintf(out + n, TELL_REACH - n, "%s",
			 lurk_words_key(first->key, first->scan, one));
}

const char *tell_reach(const struct lurk_reach *reach, char out[TELL_REACH])
{
	bool either = false; /* a choice takes more room than a chord in one word has */

	*out = '\0';
	for (unsigned i = 0; i < reach->count; i++)
		either = either || is_choice(&reach->parts[i]);
	for (unsigned i = 0; reach->missing < 0 && i < reach->count; i++) {
		if (i)
			snprintf(out + strlen(out), TELL_REACH - strlen(out), either ? " + " : "+");
		add_part(&reach->parts[i], out);
	}
	for (unsigned i = 0; i < reach->more_count; i++) {
		char press[LURK_WORDS];

		snprintf(out + strlen(out), TELL_REACH - strlen(out), "%s%s", *out ? ", or " : "",
			 lurk_words_for_press(&reach->more[i], press));
	}
	return out;
}

const char *tell_why_not(const struct lurk_reach *reach, const struct lurk_rules *rules,
			 const struct lurk_port_keyboard *keyboard, char out[TELL_REACH])
{
	lurk_key key;
	bool has;
	uint32_t own, below;

	*out = '\0';
	if (lurk_is_reached(reach))
		return out;
	key = reach->parts[reach->missing].key;
	has = lurk_declares(keyboard, key);
	own = has && rules->image ? lurk_line_that_changes(rules->image, &keyboard->identity, key)
				  : 0;
	below = has && rules->below ? lurk_line_that_changes(rules->below, &keyboard->identity, key)
				    : 0;
	if (own || below)
		snprintf(out, TELL_REACH,
			 "nothing gives %s: line %" PRIu32 "%s gives that key another job",
			 lurk_key_name(key), own ? own : below,
			 own ? "" : " of the computer's rules");
	else
		snprintf(out, TELL_REACH, "nothing gives %s%s", lurk_key_name(key),
			 has ? "" : "; it has no such key");
	return out;
}

struct json_object *tell_reach_json(const struct lurk_reach *reach, const struct lurk_rules *rules,
				    const struct lurk_port_keyboard *keyboard, const char *name)
{
	struct json_object *object = json_object_new_object();
	const bool reached = lurk_is_reached(reach);
	char words[TELL_REACH];

	tell_put_text(object, "keyboard", name);
	tell_put_text(object, "press", reached ? tell_reach(reach, words) : NULL);
	tell_put_text(object, "why_not",
		      reached ? NULL : tell_why_not(reach, rules, keyboard, words));
	return object;
}
