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
static enum lurk_error compile_all(struct lurk_session *s, const struct lurk_session_mode *to,
				   unsigned part, struct lurk_apply_report *report)
{
	const unsigned ruleset = to->parts[part].ruleset;
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
			if (work > (part ? LURK_OWN_WORK : LURK_SESSION_WORK))
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

static struct lurk_store_report *store_of(struct lurk_session *s, unsigned part)
{
	return part ? &s->seats[part - 1].store : &s->store;
}

static uint32_t owner_of(const struct lurk_session *s, unsigned part)
{
	return part ? s->seats[part - 1].person : (uint32_t)LURK_NOBODY;
}

/* And the one before it. */
void lurk_rules_start_with(const struct lurk_session *s, unsigned ruleset, struct lurk_text word,
			   struct lurk_session_part *part)
{
	const struct lurk_image *image = &s->rulesets[ruleset].image;
	const uint16_t found = word.length ? lurk_image_find_profile(image, word) : 0;
	struct lurk_profile profile;

	memset(part, 0, sizeof *part);
	part->ruleset = (uint8_t)ruleset;
	part->profile = part->previous = found ? (uint16_t)(found - 1U) : 0;
	if (part->profile >= image->profile_count)
		return;
	lurk_image_profile(image, part->profile, &profile);
	if (profile.based_on)
		part->previous = (uint16_t)(profile.based_on - 1U);
	part->asked_profile = part->profile;
	part->asked_previous = part->previous;
}

void lurk_rules_put(struct lurk_session *s, unsigned ruleset, const struct lurk_image *image)
{
	struct lurk_ruleset *set = &s->rulesets[ruleset];

	memset(set, 0, sizeof *set);
	set->image = *image;
	set->image.bytes = s->memory.images[ruleset];
	set->generation = ++s->generations;
	set->loaded = true;
}

/* Opens an image in memory that is free, for which a trial ends: a good one does that. */
static enum lurk_error open_next(struct lurk_session *s, const struct lurk_request *request,
				 const uint8_t *image, size_t length, struct lurk_text profile,
				 struct lurk_session_mode *to)
{
	const unsigned part = request ? request->part : 0;
	struct lurk_image opened;
	unsigned ruleset;
	enum lurk_error error = length > s->memory.image_size
					? LURK_ERR_ROOM
					: lurk_image_open(image, length, &opened);

	if (!error && part && owner_of(s, part) == LURK_NOBODY)
		error = LURK_ERR_DENIED;
	if (!error && part)
		error = lurk_own_check(s, &opened);
	if (error)
		return error;
	lurk_session_end_try(s);
	ruleset = lurk_rules_free(s);
	if (ruleset == LURK_NO_RULESET)
		return LURK_ERR_ROOM;
	lurk_assert(!lurk_engines_type_from(s, ruleset));
	*to = s->mode;
	if (!request || !request->keep_off ||
	    !lurk_session_off_by_other(&to->off[part], request->by))
		lurk_rules_set_off(to, part, false, LURK_NOBODY);
	memcpy(s->memory.images[ruleset], image, length);
	lurk_rules_put(s, ruleset, &opened);
	lurk_rules_start_with(s, ruleset, profile, &to->parts[part]);
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
static bool is_stored(struct lurk_session *s, const struct lurk_session_mode *was, unsigned part,
		      unsigned ruleset)
{
	const struct lurk_ruleset *old = lurk_session_ruleset(s, was, part);
	const struct lurk_store_report *store = store_of(s, part);
	const int newest = store->newest;

	if (!old || was->trying || newest < 0 || store->why[newest] ||
	    store->sequence[newest] != old->image.sequence ||
	    !lurk_image_same(&old->image, &s->rulesets[ruleset].image))
		return false;
	lurk_image_stamp(s->memory.images[ruleset], old->image.sequence, old->image.saved_at_us,
			 old->image.saved_by);
	return true;
}

static enum lurk_error save(struct lurk_session *s, unsigned part, unsigned ruleset,
			    const struct lurk_request *request)
{
	return lurk_store_save(s->port, owner_of(s, part), s->memory.images[ruleset],
			       s->rulesets[ruleset].image.length,
			       request ? request->by : (uint32_t)LURK_NOBODY, store_of(s, part));
}

void lurk_session_unstored(struct lurk_session *session, uint32_t owner, unsigned slot,
			   enum lurk_error error)
{
	for (unsigned part = 0; part < LURK_SESSION_PARTS && slot < LURK_SLOTS_MAX; part++) {
		if (owner_of(session, part) == owner && (!part || owner != LURK_NOBODY))
			store_of(session, part)->why[slot] = error;
	}
}

/* ---- The ways to change what is in force ------------------------------------------------------
 */

enum lurk_error lurk_session_apply(struct lurk_session *session, const struct lurk_request *request,
				   const uint8_t *image, size_t length, struct lurk_text profile,
				   struct lurk_apply_report *report)
{
	const unsigned part = request ? request->part : 0;
	struct lurk_session_mode to, was;
	unsigned ruleset;
	enum lurk_error error;

	memset(report, 0, sizeof *report);
	error = open_next(session, request, image, length, profile, &to);
	if (error)
		return error;
	was = session->mode;
	ruleset = to.parts[part].ruleset;
	error = compile_all(session, &to, part, report);
	if (!error)
		error = lurk_change(session, &to, request, report);
	if (error)
		return error;
	if (!is_stored(session, &was, part, ruleset))
		error = save(session, part, ruleset, request);
	if (error) {
		report->keyboard = UINT16_MAX; /* none of them is why */
		lurk_change_back(session, &was);
	} else {
		reopen(session, ruleset);
	}
	return error;
}

enum lurk_error lurk_session_try(struct lurk_session *session, const struct lurk_request *request,
				 const uint8_t *image, size_t length, uint64_t for_us,
				 struct lurk_apply_report *report)
{
	const unsigned part = request ? request->part : 0;
	struct lurk_session_mode to;
	unsigned ruleset;
	enum lurk_error error;

	memset(report, 0, sizeof *report);
	error = open_next(session, request, image, length, LURK_NO_TEXT, &to);
	if (error)
		return error;
	ruleset = to.parts[part].ruleset;
	/* Not a version of what is stored, even where it once was one. */
	lurk_image_stamp(session->memory.images[ruleset], 0, 0, LURK_NOBODY);
	reopen(session, ruleset);
	session->before = session->mode;
	to.trying = true;
	to.tried = (uint8_t)part;
	to.tried_by = request ? request->by : (uint32_t)LURK_NOBODY;
	to.until_us = session->port->calls->elapsed(session->port) + for_us;
	error = compile_all(session, &to, part, report);
	if (!error)
		error = lurk_change(session, &to, request, report);
	session->trials += !error;
	return error;
}

enum lurk_error lurk_session_keep(struct lurk_session *session, const struct lurk_request *request)
{
	struct lurk_session_mode to = session->mode;
	const unsigned ruleset = to.parts[to.tried].ruleset;
	enum lurk_error error;

	if (!to.trying)
		return LURK_ERR_EMPTY;
	error = save(session, to.tried, ruleset, request);
	if (error)
		return error;
	reopen(session, ruleset);
	to.trying = false;
	lurk_change_back(session, &to); /* the same rules, by the way that fits each keyboard */
	return LURK_OK;
}

void lurk_session_end_try(struct lurk_session *session)
{
	if (session->mode.trying)
		lurk_change_back(session, &session->before);
}

void lurk_rules_set_off(struct lurk_session_mode *mode, unsigned part, bool off, uint32_t by)
{
	for (unsigned i = 0; i < LURK_SESSION_PARTS; i++) {
		if (!part || i == part)
			mode->off[i] = (struct lurk_session_off){off, off, false, by};
	}
}

bool lurk_rules_tried_at(const struct lurk_session *s, unsigned part)
{
	return s->mode.trying && (!part || !s->mode.tried || s->mode.tried == part);
}

/* What is tried at another seat goes on, and ends with what is off by then. */
static enum lurk_error change_off(struct lurk_session *s, const struct lurk_session_mode *to,
				  bool keep_locks, unsigned part, struct lurk_apply_report *report)
{
	const struct lurk_request request = {.by = LURK_NOBODY, .keep_locks = keep_locks};
	const enum lurk_error error = lurk_change(s, to, &request, report);

	if (!error && s->mode.trying && !lurk_rules_tried_at(s, part))
		s->before.off[part] = to->off[part];
	return error;
}

enum lurk_error lurk_session_switch(struct lurk_session *session,
				    const struct lurk_request *request, bool off,
				    struct lurk_apply_report *report)
{
	const unsigned part = request ? request->part : 0;
	struct lurk_session_mode to;

	if (lurk_rules_tried_at(session, part))
		lurk_session_end_try(session);
	memset(report, 0, sizeof *report);
	to = session->mode;
	lurk_rules_set_off(&to, part, off, off && request ? request->by : (uint32_t)LURK_NOBODY);
	return change_off(session, &to, request && request->keep_locks, part, report);
}

/* While rules are tried, a key of theirs switches those; what the trial ends with is not touched.
 */
enum lurk_error lurk_rules_toggle(struct lurk_session *s, unsigned part)
{
	struct lurk_apply_report report = {.keyboard = 0};
	struct lurk_session_mode to = s->mode;

	to.off[part].now = !to.off[part].now;
	to.off[part].toggled = to.off[part].now;
	return change_off(s, &to, false, part, &report);
}

static enum lurk_error use(struct lurk_session *s, const struct lurk_request *request,
			   unsigned number, uint16_t profile, bool asked,
			   struct lurk_apply_report *report)
{
	const struct lurk_ruleset *set = lurk_session_ruleset(s, &s->mode, number);
	struct lurk_session_mode to = s->mode;
	struct lurk_session_part *part = &to.parts[number];

	memset(report, 0, sizeof *report);
	if (profile == LURK_PREVIOUS)
		profile = part->previous;
	if (!set || profile >= set->image.profile_count)
		return LURK_ERR_NO_PROFILE;
	if (profile != part->profile)
		part->previous = part->profile;
	part->profile = profile;
	if (asked && profile != part->asked_profile) {
		part->asked_previous = part->asked_profile;
		part->asked_profile = profile;
	}
	if (profile != s->mode.parts[number].profile)
		return lurk_change(s, &to, request, report);
	s->mode = to;
	lurk_change_tell(s);
	return LURK_OK;
}

enum lurk_error lurk_session_use(struct lurk_session *session, const struct lurk_request *request,
				 uint16_t profile, struct lurk_apply_report *report)
{
	return use(session, request, request ? request->part : 0, profile, true, report);
}

enum lurk_error lurk_rules_use_by_key(struct lurk_session *s, unsigned part, uint16_t profile)
{
	struct lurk_apply_report unused;

	return use(s, NULL, part, profile, false, &unused);
}

const struct lurk_image *lurk_session_image(const struct lurk_session *session, unsigned part)
{
	const unsigned ruleset = session->mode.parts[part].ruleset;

	return ruleset != LURK_NO_RULESET && session->rulesets[ruleset].loaded
		       ? &session->rulesets[ruleset].image
		       : NULL;
}

uint16_t lurk_session_profile(const struct lurk_session *session, unsigned part)
{
	return session->mode.parts[part].profile;
}

/* ---- Start ---------------------------------------------------------------------------------- */

enum lurk_error lurk_rules_load(struct lurk_session *s)
{
	struct lurk_image image;
	enum lurk_error error =
		lurk_store_load(s->port, LURK_NOBODY, LURK_NEVER, s->memory.images[0],
				s->memory.image_size, &image, &s->store);

	if (error == LURK_OK) {
		lurk_rules_put(s, 0, &image);
		lurk_rules_start_with(s, 0, LURK_NO_TEXT, &s->mode.parts[0]);
	}
	lurk_rules_set_off(&s->mode, 0, false, LURK_NOBODY);
	return error == LURK_ERR_EMPTY ? LURK_OK : error;
}
