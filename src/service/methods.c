#include "service/methods.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "service/protocol.h"
#include "text/hex.h"

static json_t *text(const char *text)
{
	return lurk_call_text(text, strlen(text));
}

/* Memory for what is asked; NULL with the call failed. */
static void *room(struct lurk_call *call, size_t size)
{
	void *bytes = malloc(size);

	call->starved = call->starved || !bytes;
	return bytes;
}

/* ---- Status -------------------------------------------------------------------------------- */

static void add_identity(struct lurk_call *call, json_t *one, const struct lurk_identity *identity)
{
	lurk_call_add(call, one, "name", text(identity->name));
	lurk_call_add(call, one, "bus",
		      text(lurk_bus_words[identity->bus < LURK_BUS_COUNT ? identity->bus : 0]));
	lurk_call_add(call, one, "wiring",
		      text(lurk_wiring_words[identity->wiring <= LURK_WIRING_SET2 ? identity->wiring
										  : 0]));
	lurk_call_add(call, one, "built_in", json_boolean(identity->built_in));
	lurk_call_add(call, one, "vendor", json_integer(identity->vendor));
	lurk_call_add(call, one, "product", json_integer(identity->product));
	lurk_call_add(call, one, "version", json_integer(identity->version));
	lurk_call_add(call, one, "serial", text(identity->serial));
	lurk_call_add(call, one, "place", text(identity->place));
}

static void add_choice(struct lurk_call *call, json_t *one, const struct lurk_way_choice *choice)
{
	lurk_call_add(call, one, "way", text(lurk_way_words[choice->way]));
	lurk_call_add(call, one, "reason", json_integer(choice->reason));
	lurk_call_add(call, one, "forced", json_boolean(choice->forced));
	lurk_call_add(call, one, "key", json_integer(choice->key));
	lurk_call_add(call, one, "from", json_integer(choice->from));
	lurk_call_add(call, one, "other", json_integer(choice->other));
	lurk_call_add(call, one, "changes", json_integer(choice->changes));
}

/* Who may not watch gets nothing that single presses decide. */
static json_t *keyboard_json(struct lurk_call *call, uint16_t number)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_session_keyboard *k = &session->memory.keyboards[number];
	json_t *one = json_object();
	char declares[2 * sizeof k->info.declares + 1];

	lurk_call_add(call, one, "number", json_integer(number));
	add_identity(call, one, &k->info.identity);
	lurk_call_add(call, one, "seat", text(*k->info.seat ? k->info.seat : "seat0"));
	lurk_call_add(call, one, "table_entries", json_integer(k->info.table_entries));
	lurk_call_add(call, one, "others_changes", json_integer(k->info.others_changes));
	lurk_call_add(call, one, "locks", json_integer(k->info.locks));
	lurk_call_add(call, one, "declares",
		      text(lurk_hex_write(k->info.declares, sizeof k->info.declares, declares)));
	lurk_call_add(call, one, "described", json_integer(k->described));
	lurk_call_add(call, one, "trouble", json_integer(k->trouble));
	add_choice(call, one, call->caller->rights.watch ? &k->choice : &k->told);
	if (!call->caller->rights.watch)
		return one;
	lurk_call_add(call, one, "used", json_boolean(k->used));
	lurk_call_add(call, one, "lit", json_integer(lurk_port_lit(session->port, number)));
	lurk_call_add(call, one, "waits_for", json_integer(k->unsettled));
	return one;
}

static json_t *slots_json(struct lurk_call *call, const struct lurk_store_report *store)
{
	json_t *list = json_array();

	for (unsigned i = 0; i < store->slots; i++) {
		json_t *one = json_object();

		lurk_call_add(call, one, "error", json_integer(store->why[i]));
		lurk_call_add(call, one, "sequence", json_integer((int64_t)store->sequence[i]));
		lurk_call_append(call, list, one);
	}
	return list;
}

static int64_t seconds_left(struct lurk_session *session)
{
	uint64_t now = session->port->calls->elapsed(session->port);

	return session->mode.until_us > now
		       ? (int64_t)((session->mode.until_us - now + 999999) / 1000000)
		       : 0;
}

/* The mode as this caller may know it. */
static struct lurk_session_mode mode_for(const struct lurk_call *call)
{
	return call->caller->rights.watch ? call->rpc->session->mode
					  : lurk_session_asked(call->rpc->session);
}

static void add_mode(struct lurk_call *call, json_t *result)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_session_mode mode = mode_for(call);
	const struct lurk_image *image = lurk_session_image(session);

	lurk_call_add(call, result, "off", json_boolean(mode.off));
	lurk_call_add(call, result, "trying", json_boolean(mode.trying));
	if (mode.trying) {
		lurk_call_add(call, result, "seconds_left", json_integer(seconds_left(session)));
		lurk_call_add(call, result, "tried_by", json_integer(mode.tried_by));
	}
	if (image) {
		struct lurk_profile profile;

		lurk_image_profile(image, mode.profile, &profile);
		lurk_call_add(call, result, "profile",
			      lurk_call_text(profile.word.bytes, profile.word.length));
	}
	lurk_call_add(call, result, "sequence", json_integer(image ? (int64_t)image->sequence : 0));
}

void lurk_method_status(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_rights *rights = &call->caller->rights;
	json_t *result = json_object(), *may = json_object();
	json_t *keyboards = json_array();

	lurk_call_add(call, result, "version", text(LURK_VERSION));
	add_mode(call, result);
	lurk_call_add(call, may, "change", json_boolean(rights->change));
	lurk_call_add(call, may, "off", json_boolean(rights->off));
	lurk_call_add(call, may, "watch", json_boolean(rights->watch));
	lurk_call_add(call, result, "may", may);
	lurk_call_add(call, result, "storage",
		      text(session->port->calls->trouble
				   ? session->port->calls->trouble(session->port)
				   : ""));
	lurk_call_add(call, result, "newest", json_integer(session->store.newest));
	lurk_call_add(call, result, "slots", slots_json(call, &session->store));
	for (uint16_t i = 0; i < session->memory.keyboard_count; i++) {
		if (session->memory.keyboards[i].present)
			lurk_call_append(call, keyboards, keyboard_json(call, i));
	}
	lurk_call_add(call, result, "keyboards", keyboards);
	call->result = result;
}

/* ---- Images -------------------------------------------------------------------------------- */

static void answer_image(struct lurk_call *call, const struct lurk_image *image)
{
	char *digits = room(call, 2 * (size_t)image->length + 1);

	if (!digits)
		return;
	call->result = json_object();
	lurk_call_add(call, call->result, "sequence", json_integer((int64_t)image->sequence));
	lurk_call_add(call, call->result, "image",
		      text(lurk_hex_write(image->bytes, image->length, digits)));
	free(digits);
}

/* A number, or 0 where it is left out. */
static int64_t number_of(const struct lurk_call *call, const char *name)
{
	return json_integer_value(json_object_get(call->params, name));
}

static bool flag_of(const struct lurk_call *call, const char *name)
{
	return json_is_true(json_object_get(call->params, name));
}

/* For as long as the call; empty where it is left out. */
static struct lurk_text text_of(const struct lurk_call *call, const char *name)
{
	const json_t *value = json_object_get(call->params, name);

	return (struct lurk_text){json_string_value(value), json_string_length(value)};
}

void lurk_method_image(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_image *now = lurk_session_image(session);
	const uint64_t sequence = (uint64_t)number_of(call, "sequence");
	struct lurk_store_report report;
	struct lurk_image older;
	uint8_t *bytes;
	size_t size;

	if (!sequence) {
		if (now)
			answer_image(call, now);
		else
			lurk_call_fail(call, LURK_RPC_NOT_STORED, "no rules are loaded");
		return;
	}
	session->port->calls->slots(session->port, &size);
	bytes = room(call, size);
	if (!bytes)
		return;
	if (lurk_store_load(session->port, sequence + 1, bytes, size, &older, &report) == LURK_OK &&
	    older.sequence == sequence)
		answer_image(call, &older);
	else
		lurk_call_fail(call, LURK_RPC_NOT_STORED, "no image of that number is kept");
	free(bytes);
}

static void add_locks(struct lurk_call *call, json_t *data, const char *name, uint8_t locks)
{
	json_t *list = json_array();

	for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
		if (locks >> lock & 1)
			lurk_call_append(call, list,
					 text(lurk_key_name(lurk_lock_key((enum lurk_lock)lock))));
	}
	lurk_call_add(call, data, name, list);
}

/* What came of a change of rules. Which locks were on is for who may watch: a rule can let any key
 * switch them. */
static void answer_change(struct lurk_call *call, enum lurk_error error,
			  const struct lurk_apply_report *report, const char *what)
{
	const struct lurk_image *now = lurk_session_image(call->rpc->session);
	json_t *data = json_object();
	char line[160];

	if (error) {
		lurk_call_fail(call, LURK_RPC_REFUSED, lurk_error_text(error));
		lurk_call_add(call, data, "error", json_integer(error));
		lurk_call_add(call, data, "keyboard", json_integer(report->keyboard));
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
		snprintf(line, sizeof line, "by user %u: %s", call->caller->uid, what);
	}
	call->rpc->log(call->rpc->log_data, line);
}

static struct lurk_request request_of(const struct lurk_call *call)
{
	return (struct lurk_request){.by = call->caller->uid,
				     .keep_locks = flag_of(call, "keep_locks")};
}

/* The bytes of the parameter `image`, to be freed; NULL with the call failed. */
static uint8_t *read_image(struct lurk_call *call, size_t *length)
{
	const struct lurk_text digits = text_of(call, "image");
	uint8_t *bytes = room(call, digits.length / 2 + 1);

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
	size_t length;
	uint8_t *bytes = read_image(call, &length);
	const struct lurk_request request = request_of(call);
	enum lurk_error error;

	if (!bytes)
		return;
	error = lurk_session_apply(session, &request, bytes, length, text_of(call, "profile"),
				   &report);
	now = lurk_session_image(session);
	if (!error)
		snprintf(what, sizeof what, "applied %u rules, version %llu", now->rule_count,
			 (unsigned long long)now->sequence);
	answer_change(call, error, &report, what);
	free(bytes);
}

void lurk_method_try(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const unsigned seconds = (unsigned)number_of(call, "seconds");
	const struct lurk_request request = request_of(call);
	struct lurk_apply_report report;
	char what[64];
	size_t length;
	uint8_t *bytes = read_image(call, &length);
	enum lurk_error error;

	if (!bytes)
		return;
	error = lurk_session_try(session, &request, bytes, length, seconds * UINT64_C(1000000),
				 &report);
	if (!error)
		call->caller->trial = session->trials;
	snprintf(what, sizeof what, "rules to try for %u seconds", seconds);
	answer_change(call, error, &report, what);
	free(bytes);
}

void lurk_method_keep(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_request request = request_of(call);
	struct lurk_apply_report report = {0};

	if (session->mode.trying)
		answer_change(call, lurk_session_keep(session, &request), &report,
			      "keep what is tried");
	else
		lurk_call_fail(call, LURK_RPC_NOT_STORED, "nothing is being tried");
}

void lurk_method_end_try(struct lurk_call *call)
{
	struct lurk_apply_report report = {0};

	if (!call->rpc->session->mode.trying) {
		lurk_call_fail(call, LURK_RPC_NOT_STORED, "nothing is being tried");
		return;
	}
	lurk_session_end_try(call->rpc->session);
	answer_change(call, LURK_OK, &report, "end what is tried");
}

/* Which profile a call means. False with the call failed. */
static bool read_profile(struct lurk_call *call, uint16_t *profile)
{
	const struct lurk_image *image = lurk_session_image(call->rpc->session);
	const struct lurk_text word = text_of(call, "profile");
	uint16_t found;

	if (flag_of(call, "previous")) {
		*profile = mode_for(call).previous;
		return true;
	}
	if (!word.bytes) {
		lurk_call_fail(call, LURK_RPC_INVALID_PARAMS,
			       "`profile` is missing: its name; or `previous`: true");
		return false;
	}
	found = image ? lurk_image_find_profile(image, word) : 0;
	*profile = (uint16_t)(found - 1U);
	if (found)
		return true;
	lurk_call_fail(call, LURK_RPC_NOT_STORED, "no profile of that name was applied");
	return false;
}

/* The word of the profile that is in force as far as this caller may know. */
static const char *profile_word(const struct lurk_session *session,
				const struct lurk_caller *caller, char word[LURK_RPC_WORD])
{
	const struct lurk_image *image = lurk_session_image(session);
	struct lurk_profile profile = {0};

	if (image)
		lurk_image_profile(image,
				   caller->rights.watch ? session->mode.profile
							: session->mode.asked_profile,
				   &profile);
	snprintf(word, LURK_RPC_WORD, "%.*s", (int)profile.word.length, profile.word.bytes);
	return word;
}

/* With `while_connected` what was in force comes back when the connection ends. */
void lurk_method_use(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	struct lurk_caller *caller = call->caller;
	const struct lurk_request request = request_of(call);
	struct lurk_apply_report report = {0};
	char before[LURK_RPC_WORD];
	uint16_t profile;

	if (!read_profile(call, &profile))
		return;
	profile_word(session, caller, before);
	answer_change(call, lurk_session_use(session, &request, profile, &report), &report,
		      "another profile");
	if (call->error || !flag_of(call, "while_connected"))
		return;
	if (!caller->using)
		memcpy(caller->used_before, before, sizeof before);
	caller->using = true;
	profile_word(session, caller, caller->used);
}

/* Where somebody has chosen another one meanwhile, that stays. */
static void end_using(struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	const struct lurk_text before = {caller->used_before, strlen(caller->used_before)};
	const struct lurk_image *image = lurk_session_image(rpc->session);
	const uint16_t back = image ? lurk_image_find_profile(image, before) : 0;
	struct lurk_apply_report report;
	char now[LURK_RPC_WORD];

	if (!caller->using)
		return;
	caller->using = false;
	/* Who chose after this one comes back to what was before both. */
	for (struct lurk_caller *one = rpc->callers; one; one = one->next) {
		if (one->using && !strcmp(one->used_before, caller->used))
			memcpy(one->used_before, caller->used_before, sizeof one->used_before);
	}
	if (!back || strcmp(profile_word(rpc->session, caller, now), caller->used) != 0)
		return;
	lurk_session_use(rpc->session, NULL, (uint16_t)(back - 1U), &report);
	rpc->log(rpc->log_data,
		 "the connection that chose a profile is gone: the one before again");
}

void lurk_method_switch(struct lurk_call *call)
{
	const struct lurk_request request = request_of(call);
	const bool off = flag_of(call, "off");
	struct lurk_apply_report report;

	if (!off && !call->caller->rights.change) {
		lurk_call_fail(call, LURK_RPC_NOT_ALLOWED,
			       "only root and the group lurk may switch rules on");
		return;
	}
	answer_change(call, lurk_session_switch(call->rpc->session, &request, off, &report),
		      &report, off ? "rules off" : "rules on");
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
	const int64_t seconds = number_of(call, "seconds");

	if (flag_of(call, "take") && !seconds) {
		lurk_call_fail(call, LURK_RPC_INVALID_PARAMS,
			       "`seconds` is missing: a number from 1 to 60");
		return;
	}
	if (flag_of(call, "take"))
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
	if (caller->trial && caller->trial == rpc->session->trials && rpc->session->mode.trying) {
		lurk_session_end_try(rpc->session);
		rpc->log(rpc->log_data, "the connection that tried rules is gone: they end");
	}
	while (*at && *at != caller)
		at = &(*at)->next;
	if (*at)
		*at = caller->next;
}
