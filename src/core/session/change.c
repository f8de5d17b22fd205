/* One set of rules in force for another: planned for all keyboards before anything changes, then
 * brought into force on each; where the machine refuses one, all go back. */
#include "core/session/parts.h"

#include "core/assert.h"
#include "core/mem.h"

/* Which keyboard of each image it is, and what switches rules off on it. */
static void describe(struct lurk_session *s, const struct lurk_session_mode *mode, uint16_t number)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	const struct lurk_ruleset *computer = lurk_session_ruleset(s, mode, 0);
	const struct lurk_ruleset *own = k->part ? lurk_session_ruleset(s, mode, k->part) : NULL;
	struct lurk_session_plan *plan = &k->plan;

	memset(plan, 0, sizeof *plan);
	plan->top = own ? k->part : 0;
	if (computer)
		plan->described = lurk_image_recognise(&computer->image, &k->info.identity);
	if (own)
		plan->own_described = lurk_image_recognise(&own->image, &k->info.identity);
	/* Whoever knows the computer's chord can rely on it. */
	if (computer && (plan->described || !plan->own_described))
		lurk_image_chord(&computer->image, plan->described, &plan->chord);
	else if (own)
		lurk_image_chord(&own->image, plan->own_described, &plan->chord);
}

/* With the rules that the plan has on top. */
static enum lurk_error plan_rules(struct lurk_session *s, const struct lurk_session_mode *mode,
				  uint16_t number, struct lurk_compile_report *report)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	struct lurk_session_plan *plan = &k->plan;
	const struct lurk_ruleset *set = lurk_session_ruleset(s, mode, plan->top);
	const bool trying = mode->trying && (!mode->tried || mode->tried == plan->top);
	struct lurk_profile profile;
	enum lurk_error error;

	if (!set)
		return LURK_OK;
	error = lurk_rules_keymap(s, mode, number, &plan->keymap, report);
	if (error)
		return error;
	lurk_image_profile(&set->image, mode->parts[plan->top].profile, &profile);
	if (trying)
		profile.way = LURK_WAY_RELAY;
	error = lurk_way_choose(s->port, number, &k->info, plan->keymap, &plan->chord,
				(enum lurk_way)profile.way, &plan->choice);
	if (!error && trying && plan->choice.reason == LURK_BECAUSE_ASKED)
		plan->choice.reason = LURK_BECAUSE_TRYING;
	return error;
}

enum lurk_error lurk_change_plan(struct lurk_session *s, const struct lurk_session_mode *mode,
				 uint16_t number, unsigned part, struct lurk_compile_report *report)
{
	struct lurk_session_keyboard *k = lurk_session_at(s, number);
	struct lurk_session_plan *plan = &k->plan;
	enum lurk_error error;

	describe(s, mode, number);
	if (mode->off[k->part].now && !mode->off[k->part].toggled)
		return LURK_OK;
	error = plan_rules(s, mode, number, report);
	if (!error || !plan->top || plan->top == part)
		return error;
	plan->own_trouble = error;
	plan->top = 0;
	plan->keymap = NULL;
	memset(&plan->choice, 0, sizeof plan->choice);
	return plan_rules(s, mode, number, report);
}

static enum lurk_error plan_all(struct lurk_session *s, const struct lurk_session_mode *mode,
				unsigned part, struct lurk_apply_report *report)
{
	for (uint16_t i = 0; i < s->numbers; i++) {
		enum lurk_error error = LURK_OK;

		if (lurk_session_at(s, i)->present)
			error = lurk_change_plan(s, mode, i, part, &report->compile);
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
	k->top = k->plan.top;
	k->described = k->plan.described;
	k->own_described = k->plan.own_described;
	k->own_trouble = k->plan.own_trouble;
	if (k->chord.count != k->plan.chord.count ||
	    memcmp(k->chord.keys, k->plan.chord.keys, sizeof k->chord.keys) != 0)
		k->chord = k->plan.chord;
	lurk_engine_use(lurk_session_engine_of(s, number), number,
			k->keymap ? k->keymap : lurk_keymap_plain());
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
	if (asked.parts[0].profile == s->mode.parts[0].profile &&
	    asked.parts[k->part].profile == s->mode.parts[k->part].profile &&
	    asked.off[k->part].now == s->mode.off[k->part].now)
		return;
	if (lurk_change_plan(s, &asked, number, 0, &unused))
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
	k->plan.own_described = k->own_described;
	adopt(s, number);
	lurk_hold_drop(s, number);
	lurk_hold_settle(s, number);
	k->trouble = why;
	s->changes++;
}

/* Keyboards on which the mode cannot be are plain. */
static void bring_where_it_can_be(struct lurk_session *s, const struct lurk_session_mode *to,
				  bool for_person)
{
	struct lurk_apply_report unused = {.keyboard = 0};

	for (uint16_t i = 0; i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);

		if (!k->present)
			continue;
		k->trouble = lurk_change_plan(s, to, i, 0, &unused.compile);
		if (k->trouble)
			memset(&k->plan, 0, sizeof k->plan);
	}
	if (for_person)
		lurk_locks_turn_off(s, &unused);
	s->mode = *to;
	s->changes++;
	adopt_all(s);
	for (uint16_t i = 0; i < s->numbers; i++) {
		struct lurk_session_keyboard *k = lurk_session_at(s, i);

		if (k->present && (k->trouble || enforce(s, i)))
			lurk_change_give_up(s, i, k->trouble);
	}
	lurk_change_tell(s);
	lurk_hold_listen_all(s);
}

void lurk_change_back(struct lurk_session *s, const struct lurk_session_mode *to)
{
	bring_where_it_can_be(s, to, false);
}

void lurk_change_person(struct lurk_session *s, const struct lurk_session_mode *to)
{
	lurk_rules_make_room(s, to);
	bring_where_it_can_be(s, to, true);
}

enum lurk_error lurk_change(struct lurk_session *s, const struct lurk_session_mode *to,
			    const struct lurk_request *request, struct lurk_apply_report *report)
{
	const struct lurk_session_mode was = s->mode;
	bool changed = lurk_rules_make_room(s, to);
	enum lurk_error error = plan_all(s, to, request ? request->part : 0, report);

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
	enum lurk_error error = lurk_change_plan(s, &s->mode, number, 0, &unused);

	s->changes++;
	if (error && k->keymap && (!k->top || k->top == k->part)) {
		k->trouble = error; /* what is in force stays; but nobody's from another seat */
	} else {
		if (!error)
			adopt(s, number);
		if (error || enforce(s, number))
			lurk_change_give_up(s, number, error ? error : k->trouble);
	}
	tell_one(s, number);
	lurk_hold_listen_all(s);
}
