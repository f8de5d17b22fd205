/* The keymaps that are compiled, and the rule sets that somebody holds. */
#include "core/session/parts.h"

#include "core/assert.h"
#include "core/mem.h"

/* What it is compiled for, as a line of the list. */
static struct lurk_compiled wanted(struct lurk_session *s, const struct lurk_session_mode *mode,
				   const struct lurk_session_keyboard *k)
{
	const struct lurk_ruleset *computer = lurk_session_ruleset(s, mode, 0);
	const struct lurk_session_plan *plan = &k->plan;
	struct lurk_compiled one = {.described = plan->top ? plan->own_described : plan->described,
				    .profile = mode->parts[plan->top].profile,
				    .wiring = k->info.identity.wiring,
				    .toggles_only = mode->off[k->part].now};

	if (plan->top && computer) {
		one.below_described = plan->described;
		one.below_profile = mode->parts[0].profile;
		one.below = computer->generation;
	}
	return one;
}

static bool is_same(const struct lurk_compiled *one, const struct lurk_compiled *other)
{
	return one->described == other->described && one->wiring == other->wiring &&
	       one->profile == other->profile && one->toggles_only == other->toggles_only &&
	       one->below == other->below && one->below_described == other->below_described &&
	       one->below_profile == other->below_profile;
}

enum lurk_error lurk_rules_keymap(struct lurk_session *s, const struct lurk_session_mode *mode,
				  uint16_t number, const struct lurk_keymap **keymap,
				  struct lurk_compile_report *report)
{
	const struct lurk_session_keyboard *k = lurk_session_at(s, number);
	const unsigned ruleset = mode->parts[k->plan.top].ruleset;
	struct lurk_ruleset *set = &s->rulesets[ruleset];
	struct lurk_compiled one = wanted(s, mode, k);
	struct lurk_compile_part below;
	struct lurk_compile_job job = {&set->image, one.profile,      one.described,
				       one.wiring,  one.toggles_only, NULL};
	enum lurk_error error;

	for (unsigned i = 0; i < set->keymap_count; i++) {
		if (is_same(&set->keymaps[i], &one)) {
			*keymap = set->keymaps[i].keymap;
			return LURK_OK;
		}
	}
	if (set->keymap_count == LURK_SESSION_KEYMAPS)
		return LURK_ERR_ROOM;
	if (one.below) {
		below = (struct lurk_compile_part){&lurk_session_ruleset(s, mode, 0)->image,
						   one.below_profile, one.below_described};
		job.below = &below;
	}
	error = lurk_compile(&job, (uint8_t *)s->memory.keymaps[ruleset] + set->keymap_used,
			     s->memory.keymap_size - set->keymap_used, &one.keymap, report);
	if (error)
		return error;
	set->keymaps[set->keymap_count++] = one;
	set->keymap_used += (report->needed + 15) & ~(size_t)15;
	*keymap = one.keymap;
	return LURK_OK;
}

static bool is_half_full(const struct lurk_session *s, const struct lurk_ruleset *set)
{
	return set->keymap_count > LURK_SESSION_KEYMAPS / 2 ||
	       set->keymap_used > s->memory.keymap_size / 2;
}

bool lurk_rules_make_room(struct lurk_session *s, const struct lurk_session_mode *to)
{
	bool any = false;

	for (unsigned part = 0; part < LURK_SESSION_PARTS; part++) {
		struct lurk_ruleset *set = lurk_session_ruleset(s, to, part);

		if (!set || to->parts[part].ruleset != s->mode.parts[part].ruleset ||
		    !is_half_full(s, set))
			continue;
		set->keymap_count = 0;
		set->keymap_used = 0;
		any = true;
	}
	for (uint16_t i = 0; any && i < s->numbers; i++) {
		if (!lurk_session_at(s, i)->present)
			continue;
		lurk_session_at(s, i)->keymap = NULL;
		lurk_engine_use(lurk_session_engine_of(s, i), i, lurk_keymap_plain());
	}
	return any;
}

bool lurk_rules_held(const struct lurk_session *s, unsigned ruleset)
{
	for (unsigned part = 0; part < LURK_SESSION_PARTS; part++) {
		if (s->mode.parts[part].ruleset == ruleset ||
		    (s->mode.trying && s->before.parts[part].ruleset == ruleset))
			return true;
	}
	return false;
}

unsigned lurk_rules_free(const struct lurk_session *s)
{
	for (unsigned i = 0; i < LURK_SESSION_RULESETS; i++) {
		if (s->memory.images[i] && !lurk_rules_held(s, i))
			return i;
	}
	return LURK_NO_RULESET;
}

void lurk_rules_retire(struct lurk_session *s)
{
	for (unsigned i = 0; i < LURK_SESSION_RULESETS; i++) {
		if (!lurk_rules_held(s, i) && lurk_engines_end_text(s, i))
			lurk_session_send(s); /* what waited goes by the rules in force */
	}
}
