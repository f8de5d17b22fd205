/* The keymaps that are compiled, and the rule sets that somebody holds. */
#include "core/session/parts.h"

#include "core/assert.h"
#include "core/mem.h"

enum lurk_error lurk_rules_keymap(struct lurk_session *s, const struct lurk_session_mode *mode,
				  uint16_t described, uint8_t wiring,
				  const struct lurk_keymap **keymap,
				  struct lurk_compile_report *report)
{
	struct lurk_ruleset *set = &s->rulesets[mode->ruleset];
	struct lurk_compile_job job = {&set->image, mode->profile, described, wiring, mode->off};
	struct lurk_keymap *fresh;
	enum lurk_error error;

	for (unsigned i = 0; i < set->keymap_count; i++) {
		if (set->keymaps[i].described == described && set->keymaps[i].wiring == wiring &&
		    set->keymaps[i].profile == mode->profile &&
		    set->keymaps[i].toggles_only == mode->off) {
			*keymap = set->keymaps[i].keymap;
			return LURK_OK;
		}
	}
	if (set->keymap_count == LURK_SESSION_KEYMAPS)
		return LURK_ERR_ROOM;
	error = lurk_compile(&job, (uint8_t *)s->memory.keymaps[mode->ruleset] + set->keymap_used,
			     s->memory.keymap_size - set->keymap_used, &fresh, report);
	if (error)
		return error;
	set->keymaps[set->keymap_count].described = described;
	set->keymaps[set->keymap_count].wiring = wiring;
	set->keymaps[set->keymap_count].profile = mode->profile;
	set->keymaps[set->keymap_count].toggles_only = mode->off;
	set->keymaps[set->keymap_count].keymap = fresh;
	set->keymap_count++;
	set->keymap_used += (report->needed + 15) & ~(size_t)15;
	*keymap = fresh;
	return LURK_OK;
}

bool lurk_rules_make_room(struct lurk_session *s, unsigned ruleset)
{
	struct lurk_ruleset *set = &s->rulesets[ruleset];

	lurk_assert(ruleset == s->mode.ruleset);
	if (set->keymap_count <= LURK_SESSION_KEYMAPS / 2 &&
	    set->keymap_used <= s->memory.keymap_size / 2)
		return false;
	set->keymap_count = 0;
	set->keymap_used = 0;
	for (uint16_t i = 0; i < s->numbers; i++) {
		if (!lurk_session_at(s, i)->present)
			continue;
		lurk_session_at(s, i)->keymap = NULL;
		lurk_engine_use(&s->engine, i, lurk_keymap_plain());
	}
	return true;
}

bool lurk_rules_held(const struct lurk_session *s, unsigned ruleset)
{
	return s->mode.ruleset == ruleset || (s->mode.trying && s->before.ruleset == ruleset);
}

void lurk_rules_retire(struct lurk_session *s)
{
	for (unsigned i = 0; i < LURK_SESSION_RULESETS; i++) {
		if (lurk_rules_held(s, i) ||
		    !lurk_engine_types_from(&s->engine, s->memory.images[i], s->memory.image_size))
			continue;
		lurk_engine_cancel(&s->engine);
		lurk_session_send(s); /* what waited goes by the rules in force */
	}
}
