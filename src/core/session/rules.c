/* Rule sets and the keymaps compiled from them; and the ways to change which is in force.
 *
 * A rule set is held by the mode that has it in force, and by the mode that a trial goes back to.
 * One that nobody holds is free to be overwritten: no keyboard has its keymaps, and no text is
 * typed out of its bytes. */
#include "core/session/parts.h"

#include "core/assert.h"
#include "core/mem.h"

/* ---- Rules for keyboards that are not here, and in other profiles -----------------------------
 */

/* Those that have rules of their own in a profile, or in one that it is based on, or are odd in a
 * way that compiling minds: all others compile as one that nobody described. */
static void mark_own(const struct lurk_image *image, unsigned profile_index,
		     uint8_t own[LURK_KEYBOARDS_MAX / 8], uint32_t *rules)
{
	for (unsigned next = profile_index + 1; next;) {
		struct lurk_profile profile;

		lurk_image_profile(image, next - 1, &profile);
		for (uint32_t i = 0; i < profile.rule_count; i++) {
			struct lurk_rule rule;

			lurk_image_rule(image, profile.first_rule + i, &rule);
			if (rule.keyboard)
				own[(rule.keyboard - 1) / 8] |=
					(uint8_t)(1U << (rule.keyboard - 1) % 8);
		}
		*rules += profile.rule_count;
		next = profile.based_on;
	}
}

static void mark_odd(const struct lurk_image *image, uint8_t odd[LURK_KEYBOARDS_MAX / 8])
{
	for (unsigned i = 0; i < image->keyboard_count; i++) {
		struct lurk_keyboard keyboard;
		struct lurk_quirk quirk;
		bool minds;

		lurk_image_keyboard(image, i, &keyboard);
		minds = keyboard.apart;
		for (unsigned q = 0; q < keyboard.quirk_count && !minds; q++) {
			lurk_image_quirk(image, i, q, &quirk);
			minds = quirk.kind == LURK_QUIRK_PRESS_ONLY;
		}
		if (minds)
			odd[i / 8] |= (uint8_t)(1U << i % 8);
	}
}

/* All must compile, once each where it makes a difference. */
static enum lurk_error compile_all(struct lurk_session *s, unsigned ruleset,
				   struct lurk_apply_report *report)
{
	const struct lurk_ruleset *set = &s->rulesets[ruleset];
	uint8_t odd[LURK_KEYBOARDS_MAX / 8] = {0};
	uint64_t work = 0;

	mark_odd(&set->image, odd);
	for (uint16_t profile = 0; profile < set->image.profile_count; profile++) {
		uint8_t own[LURK_KEYBOARDS_MAX / 8];
		uint32_t rules = 0;

		memcpy(own, odd, sizeof own);
		mark_own(&set->image, profile, own, &rules);
		for (unsigned k = 0; k <= set->image.keyboard_count; k++) {
			struct lurk_compile_job job = {.image = &set->image,
						       .profile = profile,
						       .keyboard = (uint16_t)k,
						       .wiring = LURK_WIRING_HID};
			struct lurk_keymap *keymap;
			enum lurk_error error;

			if (k && !(own[(k - 1) / 8] >> (k - 1) % 8 & 1))
				continue;
			work += rules;
			if (work > LURK_SESSION_WORK)
				return LURK_ERR_WORK;
			error = lurk_compile(
				&job, (uint8_t *)s->memory.keymaps[ruleset] + set->keymap_used,
				s->memory.keymap_size - set->keymap_used, &keymap,
				&report->compile);
			if (error)
				return error;
		}
	}
	return LURK_OK;
}

/* ---- Rule sets ------------------------------------------------------------------------------ */

/* The profile of that word, else the first one; and the one before it. */
static void start_with(const struct lurk_ruleset *set, struct lurk_text word,
		       struct lurk_session_mode *mode)
{
	struct lurk_profile profile;
	uint16_t found = word.length ? lurk_image_find_profile(&set->image, word) : 0;

	mode->profile = mode->previous = found ? (uint16_t)(found - 1U) : 0;
	if (mode->profile >= set->image.profile_count)
		return;
	lurk_image_profile(&set->image, mode->profile, &profile);
	if (profile.based_on)
		mode->previous = (uint16_t)(profile.based_on - 1U);
	mode->asked_profile = mode->profile;
	mode->asked_previous = mode->previous;
}

/* The memory of a rule set that nobody holds. */
static unsigned free_ruleset(struct lurk_session *s)
{
	unsigned free = 0;

	while (lurk_rules_held(s, free))
		free++;
	lurk_assert(free < LURK_SESSION_RULESETS);
	lurk_assert(
		!lurk_engine_types_from(&s->engine, s->memory.images[free], s->memory.image_size));
	return free;
}

/* Opens an image in memory that is free, for which a trial ends: a good one does that. */
static enum lurk_error open_next(struct lurk_session *s, const uint8_t *image, size_t length,
				 struct lurk_text profile, struct lurk_session_mode *to)
{
	struct lurk_image opened;
	struct lurk_ruleset *set;
	enum lurk_error error = length > s->memory.image_size
					? LURK_ERR_ROOM
					: lurk_image_open(image, length, &opened);

	if (error)
		return error;
	lurk_session_end_try(s);
	memset(to, 0, sizeof *to);
	to->ruleset = free_ruleset(s);
	set = &s->rulesets[to->ruleset];
	memset(set, 0, sizeof *set);
	memcpy(s->memory.images[to->ruleset], image, length);
	opened.bytes = s->memory.images[to->ruleset];
	set->image = opened;
	set->loaded = true;
	start_with(set, profile, to);
	return LURK_OK;
}

/* With its new stamp. */
static void reopen(struct lurk_session *s, unsigned ruleset)
{
	struct lurk_image *image = &s->rulesets[ruleset].image;

	lurk_image_open(s->memory.images[ruleset], image->length, image);
}

/* Whether an image says what is stored already, as the newest: then it gets that one's stamp, and
 * there is no version with nothing new in it. */
static bool is_stored(struct lurk_session *s, const struct lurk_session_mode *was, unsigned ruleset)
{
	const struct lurk_ruleset *old = &s->rulesets[was->ruleset];
	const int newest = s->store.newest;

	if (!old->loaded || was->trying || newest < 0 || s->store.why[newest] ||
	    s->store.sequence[newest] != old->image.sequence ||
	    !lurk_image_same(&old->image, &s->rulesets[ruleset].image))
		return false;
	lurk_image_stamp(s->memory.images[ruleset], old->image.sequence, old->image.saved_at_us,
			 old->image.saved_by);
	return true;
}

/* ---- The ways to change what is in force ------------------------------------------------------
 */

enum lurk_error lurk_session_apply(struct lurk_session *session, const struct lurk_request *request,
				   const uint8_t *image, size_t length, struct lurk_text profile,
				   struct lurk_apply_report *report)
{
	struct lurk_session_mode to, was;
	enum lurk_error error;

	memset(report, 0, sizeof *report);
	error = open_next(session, image, length, profile, &to);
	if (error)
		return error;
	was = session->mode;
	error = compile_all(session, to.ruleset, report);
	if (!error)
		error = lurk_change(session, &to, request, report);
	if (error)
		return error;
	if (!is_stored(session, &was, to.ruleset))
		error = lurk_store_save(session->port, session->memory.images[to.ruleset], length,
					request ? request->by : LURK_NOBODY, &session->store);
	if (error) {
		report->keyboard = UINT16_MAX; /* none of them is why */
		lurk_change_back(session, &was);
	} else {
		reopen(session, to.ruleset);
	}
	return error;
}

enum lurk_error lurk_session_try(struct lurk_session *session, const struct lurk_request *request,
				 const uint8_t *image, size_t length, uint64_t for_us,
				 struct lurk_apply_report *report)
{
	struct lurk_session_mode to;
	enum lurk_error error;

	memset(report, 0, sizeof *report);
	error = open_next(session, image, length, LURK_NO_TEXT, &to);
	if (error)
		return error;
	/* Not a version of what is stored, even where it once was one. */
	lurk_image_stamp(session->memory.images[to.ruleset], 0, 0, LURK_NOBODY);
	reopen(session, to.ruleset);
	session->before = session->mode;
	to.trying = true;
	to.tried_by = request ? request->by : LURK_NOBODY;
	to.until_us = session->port->calls->elapsed(session->port) + for_us;
	error = compile_all(session, to.ruleset, report);
	if (!error)
		error = lurk_change(session, &to, request, report);
	session->trials += !error;
	return error;
}

enum lurk_error lurk_session_keep(struct lurk_session *session, const struct lurk_request *request)
{
	struct lurk_session_mode to = session->mode;
	enum lurk_error error;

	if (!to.trying)
		return LURK_ERR_EMPTY;
	error = lurk_store_save(session->port, session->memory.images[to.ruleset],
				session->rulesets[to.ruleset].image.length,
				request ? request->by : LURK_NOBODY, &session->store);
	if (error)
		return error;
	reopen(session, to.ruleset);
	to.trying = false;
	lurk_change_back(session, &to); /* the same rules, by the way that fits each keyboard */
	return LURK_OK;
}

void lurk_session_end_try(struct lurk_session *session)
{
	if (session->mode.trying)
		lurk_change_back(session, &session->before);
}

enum lurk_error lurk_session_switch(struct lurk_session *session,
				    const struct lurk_request *request, bool off,
				    struct lurk_apply_report *report)
{
	struct lurk_session_mode to;

	lurk_session_end_try(session);
	memset(report, 0, sizeof *report);
	to = session->mode;
	to.off = to.asked_off = off;
	to.toggled = false;
	return lurk_change(session, &to, request, report);
}

/* While rules are tried, a key of theirs switches those; what the trial ends with is not touched.
 */
enum lurk_error lurk_rules_toggle(struct lurk_session *s)
{
	struct lurk_apply_report report = {.keyboard = 0};
	struct lurk_session_mode to = s->mode;

	to.off = !to.off;
	to.toggled = to.off;
	return lurk_change(s, &to, NULL, &report);
}

static enum lurk_error use(struct lurk_session *s, const struct lurk_request *request,
			   uint16_t profile, bool asked, struct lurk_apply_report *report)
{
	const struct lurk_ruleset *set = &s->rulesets[s->mode.ruleset];
	struct lurk_session_mode to = s->mode;

	memset(report, 0, sizeof *report);
	if (profile == LURK_PREVIOUS)
		profile = to.previous;
	if (!set->loaded || profile >= set->image.profile_count)
		return LURK_ERR_NO_PROFILE;
	if (profile != to.profile)
		to.previous = to.profile;
	to.profile = profile;
	if (asked && profile != to.asked_profile) {
		to.asked_previous = to.asked_profile;
		to.asked_profile = profile;
	}
	if (profile != s->mode.profile)
		return lurk_change(s, &to, request, report);
	s->mode = to;
	lurk_change_tell(s);
	return LURK_OK;
}

enum lurk_error lurk_session_use(struct lurk_session *session, const struct lurk_request *request,
				 uint16_t profile, struct lurk_apply_report *report)
{
	return use(session, request, profile, true, report);
}

enum lurk_error lurk_rules_use_by_key(struct lurk_session *s, uint16_t profile)
{
	struct lurk_apply_report unused;

	return use(s, NULL, profile, false, &unused);
}

const struct lurk_image *lurk_session_image(const struct lurk_session *session)
{
	const struct lurk_ruleset *current = &session->rulesets[session->mode.ruleset];

	return current->loaded ? &current->image : NULL;
}

uint16_t lurk_session_profile(const struct lurk_session *session)
{
	return session->mode.profile;
}

/* ---- Start ---------------------------------------------------------------------------------- */

enum lurk_error lurk_rules_load(struct lurk_session *s)
{
	struct lurk_ruleset *set = &s->rulesets[0];
	enum lurk_error error = lurk_store_load(s->port, LURK_NEVER, s->memory.images[0],
						s->memory.image_size, &set->image, &s->store);

	set->loaded = error == LURK_OK;
	if (set->loaded)
		start_with(set, LURK_NO_TEXT, &s->mode);
	return error == LURK_ERR_EMPTY ? LURK_OK : error;
}
