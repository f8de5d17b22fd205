/* One set of rules in force for another: planned for all keyboards before anything changes, then
 * brought into force on each; where the machine refuses one, all go back. */
#include "core/session/parts.h"

#include "core/assert.h"
#include "core/mem.h"

enum lurk_error lurk_change_plan(struct lurk_session *s, const struct lurk_session_mode *mode,
				 uint16_t number, struct lurk_compile_report *report)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	const struct lurk_ruleset *set = &s->rulesets[mode->ruleset];
	struct lurk_session_plan *plan = &k->plan;
	struct lurk_profile profile;
	enum lurk_error error;

	memset(plan, 0, sizeof *plan);
	if (!set->loaded)
		return LURK_OK;
	plan->described = lurk_image_recognise(&set->image, &k->info.identity);
	lurk_image_chord(&set->image, plan->described, &plan->chord);
	if (mode->off && !mode->toggled)
		return LURK_OK;
	error = lurk_rules_keymap(s, mode, plan->described, k->info.identity.wiring, &plan->keymap,
				  report);
	if (error)
		return error;
	lurk_image_profile(&set->image, mode->profile, &profile);
	if (mode->trying)
		profile.way = LURK_WAY_RELAY;
	error = lurk_way_choose(s->port, number, &k->info, plan->keymap, &plan->chord,
				(enum lurk_way)profile.way, &plan->choice);
	if (!error && mode->trying && plan->choice.reason == LURK_BECAUSE_ASKED)
		plan->choice.reason = LURK_BECAUSE_TRYING;
	return error;
}

static enum lurk_error plan_all(struct lurk_session *s, const struct lurk_session_mode *mode,
				struct lurk_apply_report *report)
{
	for (uint16_t i = 0; i < s->numbers; i++) {
		enum lurk_error error = LURK_OK;

		if (lurk_session_at(s, i)->present)
			error = lurk_change_plan(s, mode, i, &report->compile);
		if (error) {
			report->keyboard = i;
			return error;
		}
	}
	return LURK_OK;
}

/* From here on what is pressed gives what the plan says. What is down of a chord that stays the
 * same is not forgotten. */
static void adopt(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	k->keymap = k->plan.keymap;
	k->choice = k->plan.choice;
	k->described = k->plan.described;
	if (k->chord.count != k->plan.chord.count ||
	    memcmp(k->chord.keys, k->plan.chord.keys, sizeof k->chord.keys) != 0)
		k->chord = k->plan.chord;
	lurk_engine_use(&s->engine, number, k->keymap ? k->keymap : lurk_keymap_plain());
}

static bool is_unwritten(enum lurk_error error)
{
	return error == LURK_ERR_NO_SPACE || error == LURK_ERR_READ_ONLY ||
	       error == LURK_ERR_DISK || error == LURK_ERR_NO_FOLDER;
}

/* Taking comes before the table is put back, giving back before it is changed. */
static enum lurk_error enforce(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	k->trouble = lurk_hold(s, number, LURK_HOLD_RULES, k->choice.way == LURK_WAY_RELAY);
	if (!k->trouble)
		k->trouble = lurk_hold_settle(s, number);
	if (k->choice.way != LURK_WAY_TABLE || !is_unwritten(k->trouble))
		return k->trouble;
	/* A table that could not be put back after a crash is not changed: the relay needs none. */
	k->choice.way = LURK_WAY_RELAY;
	k->choice.reason = LURK_BECAUSE_UNWRITTEN;
	k->choice.forced = false;
	k->trouble = lurk_hold(s, number, LURK_HOLD_RULES, true);
	if (!k->trouble)
		k->trouble = lurk_hold_settle(s, number);
	return k->trouble;
}

static void adopt_all(struct lurk_session *s)
{
	for (uint16_t i = 0; i < s->numbers; i++) {
		if (lurk_session_at(s, i)->present)
			adopt(s, i);
	}
	lurk_rules_retire(s);
}

static void tell_one(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	const struct lurk_session_mode asked = lurk_session_asked(s);
	struct lurk_compile_report unused;

	k->told = k->choice;
	if (asked.profile == s->mode.profile && asked.off == s->mode.off)
		return;
	if (lurk_change_plan(s, &asked, number, &unused))
		memset(&k->plan, 0, sizeof k->plan);
	k->told = k->plan.choice;
}

void lurk_change_tell(struct lurk_session *s)
{
	for (uint16_t i = 0; i < s->numbers; i++) {
		if (lurk_session_at(s, i)->present)
			tell_one(s, i);
	}
}

void lurk_change_give_up(struct lurk_session *s, uint16_t number, enum lurk_error why)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);

	memset(&k->plan, 0, sizeof k->plan);
	k->plan.chord = k->chord;
	k->plan.described = k->described;
	adopt(s, number);
	lurk_hold_drop(s, number);
	lurk_hold_settle(s, number);
	k->trouble = why;
	s->changes++;
}

/* What cannot be brought back to what it was is plain. */
void lurk_change_back(struct lurk_session *s, const struct lurk_session_mode *to)
{
	struct lurk_compile_report unused;

	s->mode = *to;
	s->changes++;
	for (uint16_t i = 0; i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);

		if (!k->present)
			continue;
		k->trouble = lurk_change_plan(s, to, i, &unused);
		if (k->trouble)
			memset(&k->plan, 0, sizeof k->plan);
	}
	adopt_all(s);
	for (uint16_t i = 0; i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);

		if (k->present && (k->trouble || enforce(s, i)))
			lurk_change_give_up(s, i, k->trouble);
	}
	lurk_change_tell(s);
	lurk_hold_listen_all(s);
}

enum lurk_error lurk_change(struct lurk_session *s, const struct lurk_session_mode *to,
			    const struct lurk_request *request, struct lurk_apply_report *report)
{
	const struct lurk_session_mode was = s->mode;
	bool changed = to->ruleset == was.ruleset && lurk_rules_make_room(s, was.ruleset);
	enum lurk_error error = plan_all(s, to, report);

	if (!error) {
		if (!request || !request->keep_locks)
			lurk_locks_turn_off(s, report);
		s->mode = *to;
		s->changes++;
		adopt_all(s);
		changed = true;
	}
	for (uint16_t i = 0; !error && i < s->numbers; i++) {
		if (!lurk_session_at(s, i)->present)
			continue;
		error = enforce(s, i);
		report->keyboard = i;
	}
	if (error && changed) {
		lurk_change_back(s, &was);
	} else if (!error) {
		lurk_change_tell(s);
		lurk_hold_listen_all(s);
	}
	return error;
}

void lurk_change_one(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	struct lurk_compile_report unused;
	enum lurk_error error = lurk_change_plan(s, &s->mode, number, &unused);

	s->changes++;
	if (error && k->keymap) {
		k->trouble = error; /* what is in force stays */
	} else {
		if (!error)
			adopt(s, number);
		if (error || enforce(s, number))
			lurk_change_give_up(s, number, error ? error : k->trouble);
	}
	tell_one(s, number);
	lurk_hold_listen_all(s);
}
