#include "lurk/work/differences.h"

#include <stdio.h>
#include <string.h>
#include <strings.h>

#include "lurk/text/memory.h"
#include "lurk/text/words.h"
#include "lurk/work/apply.h"
#include "core/hash.h"

enum { RULE_TEXT = 512 };

/* One side's rule: what is said of it, and what it is on. */
struct said {
	char full[RULE_TEXT], press[RULE_TEXT];
	uint32_t full_hash, press_hash;
	bool swap, matched;
};

struct side {
	struct said *rules;
	uint32_t count;
	char start[LURK_PROFILE_WORD]; /* the profile in force after a start, "" for none */
};

static void say_rule(struct said *said, const struct lurk_rule *rule, const char *keyboard,
		     const char *profile)
{
	char press[LURK_WORDS], words[RULE_TEXT];

	lurk_words_rule(rule, keyboard, words, sizeof words);
	snprintf(said->full, sizeof said->full, "%s%s%.*s", profile, *profile ? ": " : "",
		 RULE_TEXT - LURK_PROFILE_WORD - 4, words);
	lurk_words_for_press(&rule->press, press);
	snprintf(said->press, sizeof said->press, "%s on %s in %s", press, keyboard, profile);
	said->full_hash = lurk_hash(said->full, strlen(said->full));
	said->press_hash = lurk_hash(said->press, strlen(said->press));
	said->swap = rule->swap;
}

static struct side make_side(uint32_t count)
{
	struct side side = {lurk_allocate(count + 1U, sizeof *side.rules), count, ""};

	return side;
}

static struct side side_of_image(const struct lurk_image *image)
{
	struct side side = make_side(image ? image->rule_count : 0);
	struct lurk_profile profile;

	if (image && image->profile_count) {
		lurk_image_profile(image, 0, &profile);
		lurk_words_text(profile.word, side.start, sizeof side.start);
	}
	for (uint32_t i = 0; i < side.count; i++) {
		struct lurk_keyboard keyboard;
		struct lurk_rule rule;
		char name[64] = "", word[LURK_PROFILE_WORD];

		lurk_image_profile(image, lurk_image_profile_of(image, i), &profile);
		lurk_words_text(profile.word, word, sizeof word);
		if (!strcasecmp(word, LURK_PROFILE_BASE))
			*word = '\0';
		lurk_image_rule(image, i, &rule);
		if (rule.keyboard) {
			lurk_image_keyboard(image, rule.keyboard - 1U, &keyboard);
			lurk_words_text(keyboard.name, name, sizeof name);
		}
		say_rule(&side.rules[i], &rule, name, word);
	}
	return side;
}

static struct side side_of_files(struct lurk_profile_set set,
				 const struct lurk_keyboards_file *keyboards)
{
	struct lurk_image image;
	struct side side;
	size_t length;
	uint8_t *bytes = lurk_profile_image_as_is(&set, keyboards, &length);
	bool fine = bytes && lurk_image_open(bytes, length, &image) == LURK_OK;

	side = side_of_image(fine ? &image : NULL);
	lurk_release(bytes);
	return side;
}

static struct said *find(struct side *side, const struct said *wanted, bool by_press)
{
	for (uint32_t i = 0; i < side->count; i++) {
		struct said *s = &side->rules[i];

		if (s->matched ||
		    (by_press ? s->press_hash != wanted->press_hash || s->swap || wanted->swap ||
					strcmp(s->press, wanted->press) != 0
			      : s->full_hash != wanted->full_hash ||
					strcmp(s->full, wanted->full) != 0))
			continue;
		return s;
	}
	return NULL;
}

static void add(lurk_difference_fn *tell, void *data, enum lurk_difference_kind kind,
		const char *rule, const char *before)
{
	const struct lurk_difference difference = {kind, rule, before};

	if (tell)
		tell(data, &difference);
}

static unsigned compare(struct side *from, struct side *to, lurk_difference_fn *tell, void *data)
{
	unsigned count = 0;

	if (*from->start && *to->start && strcasecmp(from->start, to->start) != 0) {
		add(tell, data, LURK_STARTS_WITH, to->start, from->start);
		count++;
	}
	for (uint32_t i = 0; i < to->count; i++) {
		struct said *same = find(from, &to->rules[i], false);

		if (same)
			same->matched = to->rules[i].matched = true;
	}
	for (uint32_t i = 0; i < to->count; i++) {
		struct said *rule = &to->rules[i], *before;

		if (rule->matched)
			continue;
		before = find(from, rule, true);
		if (before)
			before->matched = true;
		count++;
		add(tell, data, before ? LURK_CHANGED : LURK_ADDED, rule->full,
		    before ? before->full : "");
	}
	for (uint32_t i = 0; i < from->count; i++) {
		if (from->rules[i].matched)
			continue;
		count++;
		add(tell, data, LURK_REMOVED, from->rules[i].full, "");
	}
	lurk_release(from->rules);
	lurk_release(to->rules);
	return count;
}

unsigned lurk_differences(const struct lurk_image *from, const struct lurk_image *to,
			  lurk_difference_fn *tell, void *data)
{
	struct side before = side_of_image(from), after = side_of_image(to);

	return compare(&before, &after, tell, data);
}

unsigned lurk_differences_of_edits(const struct lurk_workspace *ws,
				   const struct lurk_machine *machine, lurk_difference_fn *tell,
				   void *data)
{
	struct side force = side_of_image(machine->image);
	struct side files = side_of_files(lurk_set_as_applied(ws, machine), &ws->keyboards);

	return compare(&force, &files, tell, data);
}

unsigned lurk_differences_of_files(const struct lurk_workspace *ws,
				   const struct lurk_machine *machine, lurk_difference_fn *tell,
				   void *data)
{
	struct side force = side_of_image(machine->image);
	struct side files = side_of_files(lurk_workspace_set(ws), &ws->keyboards);

	return compare(&force, &files, tell, data);
}
