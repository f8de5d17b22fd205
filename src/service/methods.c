#include "service/methods.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "core/hash.h"
#include "service/protocol.h"
#include "text/hex.h"

static void add_locks(struct lurk_call *call, json_t *data, const char *name, uint8_t locks)
{
	json_t *list = json_array();

	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		if (locks >> lock & 1)
			lurk_call_append(call, list,
					 lurk_call_words(lurk_key_name(
						 lurk_lock_key((enum lurk_lock)lock))));
	}
	lurk_call_add(call, data, name, list);
}

/* What came of a change of rules. Which locks were on is for who may watch: a rule can let any key
 * switch them. */
static void answer_change(struct lurk_call *call, enum lurk_error error,
			  const struct lurk_apply_report *report, unsigned part, const char *what)
{
	const struct lurk_image *now = lurk_session_image(call->rpc->session, part);
	json_t *data = json_object();
	char line[160];

	if (error) {
		lurk_call_fail(call, LURK_RPC_REFUSED, lurk_error_text(error));
		lurk_call_add(call, data, "error", json_integer(error));
		lurk_call_add(call, data, "keyboard", json_integer(report->keyboard));
		lurk_call_add(call, data, "whose", lurk_call_words(part ? "own" : "computer"));
		lurk_call_add(call, data, "rule", json_integer(report->compile.rules[0]));
		lurk_call_add(call, data, "other_rule", json_integer(report->compile.rules[1]));
		lurk_call_add(call, call->error, "data", data);
		snprintf(line, sizeof line, "refused to user %u: %s: %s", call->caller->uid, what,
			 lurk_error_text(error));
	} else {
		lurk_call_add(call, data, "sequence",
			      json_integer(now ? (int64_t)now->sequence : 0));
		if (call->caller->rights.watch)
			add_locks(call, data, "locks_pressed", report->locks_pressed);
		add_locks(call, data, "locks_unknown", report->locks_unknown);
		call->result = data;
		snprintf(line, sizeof line, "by user %u%s: %s", call->caller->uid,
			 part ? ", for that user alone" : "", what);
	}
	call->rpc->log(call->rpc->log_data, line);
}

/* Whose rules are to be what the parameter `image` says: its bytes, to be freed; NULL with the call
 * failed. */
static uint8_t *read_image(struct lurk_call *call, struct lurk_request *request, size_t *length)
{
	const struct lurk_text digits = lurk_call_text_of(call, "image");
	uint8_t *bytes;
	unsigned part;

	if (!lurk_call_changed_part(call, &part))
		return NULL;
	*request = lurk_call_request(call, part);
	bytes = lurk_call_room(call, digits.length / 2 + 1);
	*length = digits.length / 2;
	if (!bytes || lurk_hex_read(digits.bytes, digits.length, bytes))
		return bytes;
	lurk_call_fail(call, LURK_RPC_INVALID_PARAMS,
		       "`image` is not hexadecimal digits, two a byte");
	free(bytes);
	return NULL;
}

void lurk_method_apply(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	struct lurk_apply_report report;
	const struct lurk_image *now;
	char what[64] = "rules to apply";
	struct lurk_request request;
	enum lurk_error error;
	size_t length;
	uint8_t *bytes = read_image(call, &request, &length);

	if (!bytes)
		return;
	error = lurk_session_apply(session, &request, bytes, length,
				   lurk_call_text_of(call, "profile"), &report);
	now = lurk_session_image(session, request.part);
	if (!error)
		snprintf(what, sizeof what, "applied %u rules, version %llu", now->rule_count,
			 (unsigned long long)now->sequence);
	answer_change(call, error, &report, request.part, what);
	free(bytes);
}

void lurk_method_try(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const unsigned seconds = (unsigned)lurk_call_number(call, "seconds");
	struct lurk_apply_report report;
	struct lurk_request request;
	enum lurk_error error;
	char what[64];
	size_t length;
	uint8_t *bytes = read_image(call, &request, &length);

	if (!bytes)
		return;
	error = lurk_session_try(session, &request, bytes, length, seconds * UINT64_C(1000000),
				 &report);
	if (!error)
		call->caller->trial = session->trials;
	snprintf(what, sizeof what, "rules to try for %u seconds", seconds);
	answer_change(call, error, &report, request.part, what);
	free(bytes);
}

/* Whose the rules are that are tried: not everybody's to keep. */
void lurk_method_keep(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const unsigned part = session->mode.tried;
	const struct lurk_request request = lurk_call_request(call, part);
	struct lurk_apply_report report = {0};

	if (!session->mode.trying)
		lurk_call_fail(call, LURK_RPC_NOT_STORED, "nothing is being tried");
	else if (part ? lurk_call_own_part(call) != part : !call->caller->rights.change)
		lurk_call_fail(call, LURK_RPC_NOT_ALLOWED, "somebody else tries these rules");
	else
		answer_change(call, lurk_session_keep(session, &request), &report, part,
			      "keep what is tried");
}

void lurk_method_end_try(struct lurk_call *call)
{
	const unsigned tried = call->rpc->session->mode.tried;
	struct lurk_apply_report report = {0};

	if (!call->rpc->session->mode.trying) {
		lurk_call_fail(call, LURK_RPC_NOT_STORED, "nothing is being tried");
		return;
	}
	if (tried && tried != lurk_call_screen(call) && !call->caller->rights.change) {
		lurk_call_fail(call, LURK_RPC_NOT_ALLOWED,
			       "it is another seat's; root, the group lurk and who sits there may "
			       "end it");
		return;
	}
	lurk_session_end_try(call->rpc->session);
	/* Another's versions are not told. */
	answer_change(call, LURK_OK, &report, tried == lurk_call_own_part(call) ? tried : 0,
		      "end what is tried");
}

static uint16_t find_profile(const struct lurk_call *call, unsigned part, struct lurk_text word)
{
	const struct lurk_image *image = lurk_session_image(call->rpc->session, part);

	return image ? lurk_image_find_profile(image, word) : 0;
}

/* Which profile a call means, and whose: its own, where it has that one, else the computer's. False
 * with the call failed. */
static bool read_profile(struct lurk_call *call, unsigned *part, uint16_t *profile)
{
	const struct lurk_text word = lurk_call_text_of(call, "profile");
	const bool either = !lurk_call_text_of(call, "whose").bytes;
	uint16_t found;

	if (!lurk_call_part(call, part))
		return false;
	if (lurk_call_flag(call, "previous")) {
		const struct lurk_image *own = lurk_session_image(call->rpc->session, *part);

		if (either && (!own || own->profile_count < 2))
			*part = 0;
		*profile = lurk_call_mode(call).parts[*part].previous;
		return true;
	}
	if (!word.bytes) {
		lurk_call_fail(call, LURK_RPC_INVALID_PARAMS,
			       "`profile` is missing: its name; or `previous`: true");
		return false;
	}
	found = find_profile(call, *part, word);
	if (!found && either) {
		*part = 0;
		found = find_profile(call, 0, word);
	}
	*profile = (uint16_t)(found - 1U);
	if (found)
		return true;
	lurk_call_fail(call, LURK_RPC_NOT_STORED, "no profile of that name was applied");
	return false;
}

/* The word of a part's profile that is in force as far as this caller may know. */
static const char *profile_word(const struct lurk_session *session,
				const struct lurk_caller *caller, unsigned part,
				char word[LURK_RPC_WORD])
{
	const struct lurk_image *image = lurk_session_image(session, part);
	struct lurk_profile profile = {0};

	if (image)
		lurk_image_profile(image,
				   caller->rights.watch ? session->mode.parts[part].profile
							: session->mode.parts[part].asked_profile,
				   &profile);
	snprintf(word, LURK_RPC_WORD, "%.*s", (int)profile.word.length, profile.word.bytes);
	return word;
}

/* With `while_connected` what was in force comes back when the connection ends. */
void lurk_method_use(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	struct lurk_caller *caller = call->caller;
	struct lurk_request request;
	struct lurk_apply_report report = {0};
	char before[LURK_RPC_WORD];
	uint16_t profile;
	unsigned part;

	if (!read_profile(call, &part, &profile))
		return;
	request = lurk_call_request(call, part);
	profile_word(session, caller, part, before);
	answer_change(call, lurk_session_use(session, &request, profile, &report), &report, part,
		      "another profile");
	if (call->error || !lurk_call_flag(call, "while_connected"))
		return;
	if (!caller->using || caller->used_part != part)
		memcpy(caller->used_before, before, sizeof before);
	caller->using = true;
	caller->used_part = (uint8_t)part;
	profile_word(session, caller, part, caller->used);
}

/* Where somebody has chosen another one meanwhile, that stays. */
static void end_using(struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	const struct lurk_text before = {caller->used_before, strlen(caller->used_before)};
	const unsigned part = caller->used_part;
	const struct lurk_request request = {.by = LURK_NOBODY, .part = (uint8_t)part};
	const struct lurk_image *image = lurk_session_image(rpc->session, part);
	const uint16_t back = image ? lurk_image_find_profile(image, before) : 0;
	struct lurk_apply_report report;
	char now[LURK_RPC_WORD];

	if (!caller->using)
		return;
	caller->using = false;
	if (part && rpc->session->seats[part - 1].person != caller->uid)
		return; /* gone with that person */
	/* Who chose after this one comes back to what was before both. */
	for (struct lurk_caller *one = rpc->callers; one; one = one->next) {
		if (one->using && one->used_part == part && !strcmp(one->used_before, caller->used))
			memcpy(one->used_before, caller->used_before, sizeof one->used_before);
	}
	if (!back || strcmp(profile_word(rpc->session, caller, part, now), caller->used) != 0)
		return;
	lurk_session_use(rpc->session, &request, (uint16_t)(back - 1U), &report);
	rpc->log(rpc->log_data,
		 "the connection that chose a profile is gone: the one before again");
}

void lurk_method_switch(struct lurk_call *call)
{
	const bool everywhere = call->caller->rights.change;
	const unsigned part = everywhere ? 0 : lurk_call_screen(call);
	const struct lurk_request request = lurk_call_request(call, part);
	const bool off = lurk_call_flag(call, "off");
	struct lurk_apply_report report;

	if (!everywhere && !part) {
		lurk_call_fail(call, LURK_RPC_NOT_ALLOWED,
			       "there is no keyboard where you sit; only root and the group lurk "
			       "may switch rules of others");
		return;
	}
	if (!off && !lurk_call_may_switch_on(call)) {
		lurk_call_fail(call, LURK_RPC_NOT_ALLOWED,
			       "only root, the group lurk and who switched them off may switch "
			       "rules on");
		return;
	}
	answer_change(call, lurk_session_switch(call->rpc->session, &request, off, &report),
		      &report, 0, off ? "rules off" : "rules on");
}

/* ---- Watching ------------------------------------------------------------------------------ */

/* Whether anything is withheld on a seat: the off chord ends it for all who take. */
static bool is_withheld(const struct lurk_session *session, const char *seat)
{
	for (uint16_t i = 0; i < session->numbers; i++) {
		const struct lurk_session_keyboard *k = &session->memory.keyboards[i];

		if (k->present && !strcmp(k->info.seat, seat) && k->holds & LURK_HOLD_WITHHELD)
			return true;
	}
	return false;
}

/* Brings in force what those who take want together of a seat: until the last of them ends. */
static void withhold(struct lurk_rpc *rpc, const char *seat)
{
	const uint64_t now = rpc->session->port->calls->elapsed(rpc->session->port);
	uint64_t until = now;

	for (const struct lurk_caller *one = rpc->callers; one; one = one->next) {
		if (one->takes_until_us > until && !strcmp(one->takes_seat, seat))
			until = one->takes_until_us;
	}
	lurk_session_withhold(rpc->session, seat, until - now);
}

static void end_take(struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	if (!caller->takes_until_us)
		return;
	caller->takes_until_us = 0;
	if (is_withheld(rpc->session, caller->takes_seat))
		withhold(rpc, caller->takes_seat);
}

static void begin_take(struct lurk_rpc *rpc, struct lurk_caller *caller, uint64_t for_us)
{
	struct lurk_session *session = rpc->session;
	const bool over = !is_withheld(session, caller->seat);

	if (strcmp(caller->takes_seat, caller->seat) != 0)
		end_take(rpc, caller);
	for (struct lurk_caller *one = rpc->callers; over && one; one = one->next) {
		if (!strcmp(one->takes_seat, caller->seat))
			one->takes_until_us = 0;
	}
	memcpy(caller->takes_seat, caller->seat, sizeof caller->seat);
	caller->takes_until_us = session->port->calls->elapsed(session->port) + for_us;
	withhold(rpc, caller->takes_seat);
}

/* With `take`, what is pressed reaches nobody else meanwhile; that always ends by itself. */
void lurk_method_watch(struct lurk_call *call)
{
	const int64_t seconds = lurk_call_number(call, "seconds");

	if (lurk_call_flag(call, "take") && !seconds) {
		lurk_call_fail(call, LURK_RPC_INVALID_PARAMS,
			       "`seconds` is missing: a number from 1 to 60");
		return;
	}
	if (lurk_call_flag(call, "take"))
		begin_take(call->rpc, call->caller, (uint64_t)seconds * 1000000);
	call->caller->watching = true;
	call->result = json_true();
}

void lurk_rpc_end_watch(struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	end_take(rpc, caller);
	caller->watching = false;
}

void lurk_method_unwatch(struct lurk_call *call)
{
	lurk_rpc_end_watch(call->rpc, call->caller);
	call->result = json_true();
}

/* ---- Following ----------------------------------------------------------------------------- */

/* Of what the caller may know of what is in force: what single presses decide is in it for who may
 * watch alone. */
static uint32_t hash_of(struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	const struct lurk_call call = {.rpc = rpc, .caller = caller};
	const struct lurk_session *s = rpc->session;
	const struct lurk_session_mode mode = lurk_call_mode(&call);
	const unsigned own = lurk_call_own_part(&call), parts[] = {0, own};
	uint64_t known[7] = {(uint64_t)(mode.off[lurk_call_screen(&call)].now | mode.trying << 1)};

	for (unsigned i = 0; i < 2; i++) {
		const struct lurk_image *image = lurk_session_image(s, parts[i]);

		known[1 + 2 * i] = image ? image->sequence + 1 : 0;
		known[2 + 2 * i] = mode.parts[parts[i]].profile;
	}
	known[5] = own ? s->seats[own - 1].why : LURK_OK;
	for (uint16_t i = 0; i < s->numbers; i++)
		known[6] =
			known[6] * LURK_ERROR_COUNT +
			(s->memory.keyboards[i].present ? s->memory.keyboards[i].trouble : LURK_OK);
	return lurk_hash((const char *)known, sizeof known);
}

void lurk_method_follow(struct lurk_call *call)
{
	call->caller->following = true;
	call->caller->known = hash_of(call->rpc, call->caller);
	call->result = json_true();
}

bool lurk_rpc_changed(struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	const uint32_t now = caller->following ? hash_of(rpc, caller) : caller->known;
	const bool changed = now != caller->known && caller->rights.status;

	caller->known = now;
	return changed;
}

/* ---- The layout ---------------------------------------------------------------------------- */

/* By whoever is at a screen, of that seat; until the connection ends, or another one tells. */
void lurk_method_layout(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_text active = lurk_call_text_of(call, "active");
	const struct lurk_request request = {.by = call->caller->uid,
					     .part = (uint8_t)lurk_call_screen(call)};
	const uint32_t layout = lurk_layout_number(active.bytes, active.length);

	if (lurk_session_layout(session, &request, layout) != LURK_OK) {
		lurk_call_fail(call, LURK_RPC_NOT_ALLOWED,
			       "only the person at the screen may tell which layout is active");
		return;
	}
	for (struct lurk_caller *one = call->rpc->callers; one; one = one->next)
		one->told_layout = one->told_layout == request.part ? 0 : one->told_layout;
	call->caller->told_layout = request.part;
	call->result = json_true();
}

static void end_layout(struct lurk_rpc *rpc, const struct lurk_caller *caller)
{
	const struct lurk_request request = {.by = caller->uid, .part = caller->told_layout};

	lurk_session_layout(rpc->session, &request, 0); /* not where somebody else is by now */
}

/* ---- The end ------------------------------------------------------------------------------- */

void lurk_rpc_come(struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	caller->next = rpc->callers;
	rpc->callers = caller;
}

void lurk_rpc_gone(struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	struct lurk_caller **at = &rpc->callers;

	lurk_rpc_end_watch(rpc, caller);
	end_using(rpc, caller);
	end_layout(rpc, caller);
	if (caller->trial && caller->trial == rpc->session->trials && rpc->session->mode.trying) {
		lurk_session_end_try(rpc->session);
		rpc->log(rpc->log_data, "the connection that tried rules is gone: they end");
	}
	while (*at && *at != caller)
		at = &(*at)->next;
	if (*at)
		*at = caller->next;
}
