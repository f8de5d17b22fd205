#include "work/characters.h"

#include <stdio.h>
#include <string.h>

#include "lurk/text/memory.h"
#include "lurk/work/effects.h"

enum { SIGN = LURK_LEGEND + 1, KEYS_MAX = 96, SIGNS_MAX = 1024 };

/* What the layout's keys type on each level. The accent of a dead key is no sign by itself: it has
 * a mark before it. */
struct caps {
	unsigned count;
	lurk_key keys[KEYS_MAX];
	uint8_t place[LURK_KEY_COUNT]; /* 1 + its place among them */
	char signs[KEYS_MAX][LURK_LEVELS][SIGN];
};

/* What one keyboard types under the rules. */
struct typed {
	const struct lurk_check_keyboard *keyboard;
	uint16_t described;
	bool counts; /* what it types is not missed on another */
	struct lurk_keymap *keymap;
	uint8_t given; /* modifiers that some key gives, by lurk_modifier_place() */
	unsigned count;
	char signs[SIGNS_MAX][SIGN];
};

struct search {
	const struct lurk_workspace *ws;
	const struct lurk_check_job *job;
	lurk_check_tell *tell;
	void *data;
	struct caps caps;
	struct typed *all; /* one a keyboard of the job */
};

static void read_caps(struct lurk_layout *layout, struct caps *caps)
{
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		bool any = false;

		if (caps->count == KEYS_MAX || !lurk_on_a_full_keyboard(key))
			continue;
		for (unsigned level = 0; level < LURK_LEVELS; level++) {
			char legend[LURK_LEGEND];
			bool dead = lurk_layout_legend(layout, key, lurk_level_modifiers(level),
						       legend);

			snprintf(caps->signs[caps->count][level], SIGN, "%s%s", dead ? "\1" : "",
				 legend);
			any = any || *legend;
		}
		if (any) {
			caps->keys[caps->count] = key;
			caps->place[key] = (uint8_t)++caps->count;
		}
	}
}

/* ---- One keyboard ---------------------------------------------------------------------------- */

static void add(struct typed *t, const char *sign)
{
	if (*sign && t->count < SIGNS_MAX)
		snprintf(t->signs[t->count++], SIGN, "%s", sign);
}

static bool types(const struct typed *t, const char *sign)
{
	for (unsigned i = 0; i < t->count; i++) {
		if (*t->signs[i] == *sign && !strcmp(t->signs[i], sign))
			return true;
	}
	return false;
}

static void add_key(const struct caps *caps, struct typed *t, lurk_key key, uint16_t modifiers)
{
	const uint16_t shift = LURK_MOD_SHIFT | LURK_MOD_LEFT_SHIFT | LURK_MOD_RIGHT_SHIFT;
	const unsigned level =
		(modifiers & shift ? 1U : 0) | (modifiers & LURK_MOD_RIGHT_ALT ? 2U : 0);

	if (caps->place[key] && !(modifiers & ~(shift | LURK_MOD_RIGHT_ALT)))
		add(t, caps->signs[caps->place[key] - 1][level]);
}

/* What an action types, with the modifiers held that its press does not need for itself. */
static void add_action(const struct search *s, struct typed *t, const struct lurk_action *action,
		       lurk_key pressed, uint16_t modifiers)
{
	struct lurk_rule rule;
	struct lurk_step step;
	char sign[SIGN];
	uint32_t codepoint;

	switch (action->gives) {
	case LURK_GIVES_CHORDS:
		step = lurk_step_read((const uint8_t *)action->steps.bytes);
		if (action->steps.length == LURK_STEP_BYTES)
			add_key(&s->caps, t, step.key, step.modifiers & LURK_MOD_ALL);
		break;
	case LURK_GIVES_TEXT:
		lurk_image_rule(s->job->after, action->rule, &rule);
		if (lurk_character_read(rule.gives.text.bytes, rule.gives.text.length,
					&codepoint) == rule.gives.text.length)
			add(t, lurk_words_text(rule.gives.text, sign, sizeof sign));
		break;
	default:
		if (action->rank && action->modifiers)
			modifiers = 0;
		add_key(&s->caps, t, lurk_action_key(action, pressed), modifiers);
		break;
	}
}

/* Each set of modifier keys that chooses a level and is to be had, one side of Shift at a time. */
static uint8_t held_for(const struct typed *t, unsigned level, unsigned side, bool *possible)
{
	const lurk_key shift = side ? LURK_KEY_RIGHTSHIFT : LURK_KEY_LEFTSHIFT;
	uint8_t held = 0;

	if (level & 1)
		held |= (uint8_t)(1U << lurk_modifier_place(shift));
	if (level & 2)
		held |= (uint8_t)(1U << lurk_modifier_place(LURK_KEY_RIGHTALT));
	*possible = (t->given & held) == held;
	return held;
}

static bool has_key(const struct search *s, const struct typed *t, lurk_key key)
{
	return lurk_declares(t->keyboard->info, key) &&
	       !lurk_out_of_order(&s->ws->keyboards, t->described, key);
}

static const struct lurk_action *action_of(const struct typed *t, lurk_key key, uint8_t held)
{
	const enum lurk_wiring wiring = (enum lurk_wiring)t->keyboard->info->identity.wiring;

	return lurk_keymap_find_held(t->keymap, lurk_key_scan_on(key, wiring), key, held);
}

/* Codes without a name that rules for this keyboard are on. */
static void add_nameless(const struct search *s, struct typed *t)
{
	struct lurk_rule rule;

	for (uint32_t i = 0; t->described && i < s->job->after->rule_count; i++) {
		lurk_image_rule(s->job->after, i, &rule);
		if (!rule.off && rule.keyboard == t->described &&
		    rule.press.on.kind == LURK_TARGET_SCAN && !lurk_scan_key(rule.press.on.scan))
			add_action(s, t,
				   lurk_keymap_find(t->keymap, rule.press.on.scan, LURK_KEY_NONE),
				   LURK_KEY_NONE, 0);
	}
}

static bool read_typed(const struct search *s, struct typed *t)
{
	t->keymap = lurk_keymap_of(s->job->after, t->described, t->keyboard->info->identity.wiring);
	if (!t->keymap)
		return false;
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		int place;

		if (!has_key(s, t, key))
			continue;
		place = lurk_modifier_place(lurk_action_key(action_of(t, key, 0), key));
		t->given |= (uint8_t)(place >= 0 ? 1U << place : 0);
	}
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		for (unsigned i = 0; has_key(s, t, key) && i < 2 * LURK_LEVELS; i++) {
			const unsigned level = i / 2, side = i % 2;
			bool possible;
			const uint8_t held = held_for(t, level, side, &possible);

			if (possible && (!side || level & 1))
				add_action(s, t, action_of(t, key, held), key,
					   lurk_level_modifiers(level));
		}
	}
	add_nameless(s, t);
	return true;
}

/* ---- What is lost ---------------------------------------------------------------------------- */

static bool anybody_types(const struct search *s, const char *sign)
{
	for (uint16_t i = 0; i < s->job->keyboard_count; i++) {
		if (s->all[i].counts && types(&s->all[i], sign))
			return true;
	}
	return false;
}

static bool on_lower_level(const struct search *s, unsigned place, unsigned level)
{
	const char *sign = s->caps.signs[place][level];

	while (level--) {
		if (!strcmp(s->caps.signs[place][level], sign))
			return true;
	}
	return false;
}

/* A key's signs that are lost on a keyboard: for all, or for that one. */
static void judge_key(const struct search *s, uint16_t number, unsigned place, bool for_all,
		      struct lurk_finding *f)
{
	const struct typed *t = &s->all[number];

	*f = (struct lurk_finding){.code = LURK_CHECK_CHARACTERS,
				   .severity = for_all ? LURK_WARNING : LURK_NOTE,
				   .keyboard = for_all ? 0 : (uint16_t)(number + 1),
				   .rule = LURK_NO_RULE,
				   .other = LURK_NO_RULE,
				   .key = s->caps.keys[place]};
	for (unsigned level = 0; level < LURK_LEVELS; level++) {
		const char *sign = s->caps.signs[place][level];
		const struct lurk_action *action;
		bool left, right;
		uint8_t held = held_for(t, level, 0, &left);

		if (!left)
			held = held_for(t, level, 1, &right);
		if (!*sign || (!left && !right) || types(t, sign) ||
		    anybody_types(s, sign) == for_all || on_lower_level(s, place, level))
			continue; /* that Shift itself is lost is told, and enough */
		action = action_of(t, f->key, held);
		f->levels |= (uint8_t)(1U << level);
		if (f->rule == LURK_NO_RULE && action->rank)
			f->rule = action->rule;
	}
}

/* Each key once for all keyboards. */
static void judge(const struct search *s, uint16_t number, uint8_t told[KEYS_MAX])
{
	struct lurk_finding f;

	for (unsigned place = 0; place < s->caps.count; place++) {
		if (!has_key(s, &s->all[number], s->caps.keys[place]))
			continue;
		judge_key(s, number, place, true, &f);
		f.levels &= (uint8_t)~told[place];
		told[place] |= f.levels;
		if (f.levels)
			s->tell(s->data, &f);
		judge_key(s, number, place, false, &f);
		if (f.levels)
			s->tell(s->data, &f);
	}
}

static void weigh_keyboards(const struct search *s)
{
	bool any_used = false;

	for (uint16_t i = 0; i < s->job->keyboard_count; i++)
		any_used = any_used || s->job->keyboards[i].used;
	for (uint16_t i = 0; i < s->job->keyboard_count; i++) {
		struct typed *t = &s->all[i];
		struct lurk_keyboard described = {.apart = false};

		t->keyboard = &s->job->keyboards[i];
		t->described = lurk_image_recognise(s->job->after, &t->keyboard->info->identity);
		if (t->described)
			lurk_image_keyboard(s->job->after, t->described - 1U, &described);
		t->counts = !described.apart && (t->keyboard->used || !any_used);
	}
}

void lurk_characters_lost(struct lurk_workspace *ws, const struct lurk_check_job *job,
			  lurk_check_tell *tell, void *data)
{
	struct lurk_layout *layout = lurk_layout_chosen(&ws->layout);
	struct search *s = lurk_allocate(1, sizeof *s);
	uint8_t told[KEYS_MAX] = {0};
	bool fine = layout != NULL;

	*s = (struct search){ws, job, tell, data, .all = NULL};
	if (fine) {
		read_caps(layout, &s->caps);
		s->all = lurk_allocate(job->keyboard_count, sizeof *s->all);
		weigh_keyboards(s);
	}
	for (uint16_t i = 0; fine && i < job->keyboard_count; i++)
		fine = read_typed(s, &s->all[i]);
	for (uint16_t i = 0; fine && i < job->keyboard_count; i++)
		judge(s, i, told);
	for (uint16_t i = 0; s->all && i < job->keyboard_count; i++)
		lurk_release(s->all[i].keymap);
	lurk_release(s->all);
	lurk_release(s);
}
