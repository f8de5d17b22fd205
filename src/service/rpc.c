#include "service/rpc.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "service/protocol.h"
#include "text/hex.h"

enum { DEPTH = 6, PARSE_ERROR = -32700, INVALID_REQUEST = -32600, NO_METHOD = -32601 };
enum { INVALID_PARAMS = -32602 };

/* One call: what it asks, and what is to be answered. */
struct call {
	const struct lurk_rpc *rpc;
	struct lurk_caller *caller;
	struct json_object *params; /* an object, or NULL */
	struct json_object *result, *error;
};

static void add(struct json_object *object, const char *name, struct json_object *value)
{
	json_object_object_add(object, name, value);
}

static void add_number(struct json_object *object, const char *name, int64_t value)
{
	add(object, name, json_object_new_int64(value));
}

static void add_text(struct json_object *object, const char *name, const char *text)
{
	add(object, name, json_object_new_string(text));
}

static void add_flag(struct json_object *object, const char *name, bool value)
{
	add(object, name, json_object_new_boolean(value));
}

static struct json_object *make_error(int code, const char *text)
{
	struct json_object *error = json_object_new_object();

	add_number(error, "code", code);
	add_text(error, "message", text);
	return error;
}

static void fail(struct call *call, int code, const char *text)
{
	call->error = make_error(code, text);
}

/* ---- Status -------------------------------------------------------------------------------- */

static void add_identity(struct json_object *one, const struct lurk_identity *identity)
{
	add_text(one, "name", identity->name);
	add_text(one, "bus", lurk_bus_words[identity->bus < LURK_BUS_COUNT ? identity->bus : 0]);
	add_text(one, "wiring",
		 lurk_wiring_words[identity->wiring <= LURK_WIRING_SET2 ? identity->wiring : 0]);
	add_flag(one, "built_in", identity->built_in);
	add_number(one, "vendor", identity->vendor);
	add_number(one, "product", identity->product);
	add_number(one, "version", identity->version);
	add_text(one, "serial", identity->serial);
	add_text(one, "place", identity->place);
}

static struct json_object *keyboard_json(struct lurk_session *session, uint16_t number)
{
	const struct lurk_session_keyboard *k = &session->memory.keyboards[number];
	struct json_object *one = json_object_new_object();
	char declares[2 * sizeof k->info.declares + 1];

	add_number(one, "number", number);
	add_identity(one, &k->info.identity);
	add_text(one, "seat", *k->info.seat ? k->info.seat : "seat0");
	add_number(one, "table_entries", k->info.table_entries);
	add_number(one, "others_changes", k->info.others_changes);
	add_number(one, "locks", k->info.locks);
	add_number(one, "lit", lurk_port_lit(session->port, number));
	add_text(one, "declares",
		 lurk_hex_write(k->info.declares, sizeof k->info.declares, declares));
	add_flag(one, "used", k->used);
	add_number(one, "described", k->described);
	add_text(one, "way", lurk_way_words[k->choice.way]);
	add_number(one, "reason", k->choice.reason);
	add_flag(one, "forced", k->choice.forced);
	add_number(one, "key", k->choice.key);
	add_number(one, "from", k->choice.from);
	add_number(one, "other", k->choice.other);
	add_number(one, "changes", k->choice.changes);
	add_number(one, "waits_for", k->unsettled);
	add_number(one, "trouble", k->trouble);
	return one;
}

static struct json_object *slots_json(const struct lurk_store_report *store)
{
	struct json_object *list = json_object_new_array();

	for (unsigned i = 0; i < store->slots; i++) {
		struct json_object *one = json_object_new_object();

		add_number(one, "error", store->why[i]);
		add_number(one, "sequence", (int64_t)store->sequence[i]);
		json_object_array_add(list, one);
	}
	return list;
}

static int64_t seconds_left(struct lurk_session *session)
{
	uint64_t now = session->port->class->elapsed(session->port);

	return session->mode.until_us > now
		       ? (int64_t)((session->mode.until_us - now + 999999) / 1000000)
		       : 0;
}

static void status(struct call *call)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_image *image = lurk_session_image(session);
	const struct lurk_rights *rights = &call->caller->rights;
	struct json_object *result = json_object_new_object(), *may = json_object_new_object();
	struct json_object *keyboards = json_object_new_array();

	add_text(result, "version", LURK_VERSION);
	add_flag(result, "off", session->mode.off);
	add_flag(result, "trying", session->mode.trying);
	if (session->mode.trying) {
		add_number(result, "seconds_left", seconds_left(session));
		add_number(result, "tried_by", session->mode.tried_by);
	}
	if (image) {
		struct lurk_profile profile;

		lurk_image_profile(image, lurk_session_profile(session), &profile);
		add(result, "profile",
		    json_object_new_string_len(profile.word.bytes, (int)profile.word.length));
	}
	add_number(result, "sequence", image ? (int64_t)image->sequence : 0);
	add_flag(may, "change", rights->change);
	add_flag(may, "off", rights->off);
	add_flag(may, "watch", rights->watch);
	add(result, "may", may);
	add_number(result, "newest", session->store.newest);
	add(result, "slots", slots_json(&session->store));
	for (uint16_t i = 0; i < session->memory.keyboard_count; i++) {
		if (session->memory.keyboards[i].present)
			json_object_array_add(keyboards, keyboard_json(session, i));
	}
	add(result, "keyboards", keyboards);
	call->result = result;
}

/* ---- Images -------------------------------------------------------------------------------- */

static void answer_image(struct call *call, const struct lurk_image *image)
{
	char *text = malloc(2 * (size_t)image->length + 1);

	if (!text)
		abort();
	call->result = json_object_new_object();
	add_number(call->result, "sequence", (int64_t)image->sequence);
	add_text(call->result, "image", lurk_hex_write(image->bytes, image->length, text));
	free(text);
}

static void image(struct call *call)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_image *now = lurk_session_image(session);
	struct json_object *asked;
	struct lurk_store_report report;
	struct lurk_image older;
	uint64_t sequence;
	uint8_t *bytes;
	size_t size;

	if (!call->params || !json_object_object_get_ex(call->params, "sequence", &asked)) {
		if (now)
			answer_image(call, now);
		else
			fail(call, LURK_RPC_NOT_STORED, "no rules are loaded");
		return;
	}
	if (json_object_get_type(asked) != json_type_int || json_object_get_int64(asked) < 1) {
		fail(call, INVALID_PARAMS, "`sequence` is a number from 1");
		return;
	}
	sequence = (uint64_t)json_object_get_int64(asked);
	session->port->class->slots(session->port, &size);
	bytes = malloc(size);
	if (!bytes)
		abort();
	if (lurk_store_load(session->port, sequence + 1, bytes, size, &older, &report) == LURK_OK &&
	    older.sequence == sequence)
		answer_image(call, &older);
	else
		fail(call, LURK_RPC_NOT_STORED, "no image of that number is kept");
	free(bytes);
}

/* What came of a change of rules. */
static void answer_change(struct call *call, enum lurk_error error,
			  const struct lurk_apply_report *report, const char *what)
{
	const struct lurk_image *now = lurk_session_image(call->rpc->session);
	struct json_object *data = json_object_new_object();
	char line[160];

	if (error) {
		fail(call, LURK_RPC_REFUSED, lurk_error_text(error));
		add_number(data, "error", error);
		add_number(data, "keyboard", report->keyboard);
		add_number(data, "rule", report->compile.rules[0]);
		add_number(data, "other_rule", report->compile.rules[1]);
		add(call->error, "data", data);
		snprintf(line, sizeof line, "refused to user %u: %s: %s", call->caller->uid, what,
			 lurk_error_text(error));
	} else {
		add_number(data, "sequence", now ? (int64_t)now->sequence : 0);
		add(data, "locks_pressed", lurk_lock_names(report->locks_pressed));
		add(data, "locks_unknown", lurk_lock_names(report->locks_unknown));
		call->result = data;
		snprintf(line, sizeof line, "by user %u: %s", call->caller->uid, what);
	}
	call->rpc->log(call->rpc->log_data, line);
}

static struct lurk_request read_request(const struct call *call)
{
	struct json_object *keep;

	return (struct lurk_request){
		.by = call->caller->uid,
		.keep_locks = json_object_object_get_ex(call->params, "keep_locks", &keep) &&
			      json_object_get_boolean(keep),
	};
}

/* A parameter, for as long as the call; empty where it is left out or no text. */
static struct lurk_text read_text(const struct call *call, const char *name)
{
	struct json_object *text;

	if (!call->params || !json_object_object_get_ex(call->params, name, &text) ||
	    json_object_get_type(text) != json_type_string)
		return LURK_NO_TEXT;
	return (struct lurk_text){json_object_get_string(text),
				  (size_t)json_object_get_string_len(text)};
}

/* The bytes of the parameter `image`, to be freed; NULL with the call failed. */
static uint8_t *read_image(struct call *call, size_t *length)
{
	struct lurk_text digits = read_text(call, "image");
	uint8_t *bytes;

	if (!digits.bytes) {
		fail(call, INVALID_PARAMS, "`image` is missing: an image as hexadecimal digits");
		return NULL;
	}
	bytes = malloc(digits.length / 2 + 1);
	if (!bytes)
		abort();
	*length = digits.length / 2;
	if (lurk_hex_read(digits.bytes, digits.length, bytes))
		return bytes;
	fail(call, INVALID_PARAMS, "`image` is not hexadecimal digits, two a byte");
	free(bytes);
	return NULL;
}

static void apply(struct call *call)
{
	struct lurk_session *session = call->rpc->session;
	struct lurk_apply_report report;
	const struct lurk_image *now;
	char what[64] = "rules to apply";
	size_t length;
	uint8_t *bytes = read_image(call, &length);
	struct lurk_request request;
	enum lurk_error error;

	if (!bytes)
		return;
	request = read_request(call);
	error = lurk_session_apply(session, &request, bytes, length, read_text(call, "profile"),
				   &report);
	now = lurk_session_image(session);
	if (!error)
		snprintf(what, sizeof what, "applied %u rules, version %llu", now->rule_count,
			 (unsigned long long)now->sequence);
	answer_change(call, error, &report, what);
	free(bytes);
}

/* The parameter `seconds`, 1 to `most`; 0 with the call failed. */
static unsigned read_seconds(struct call *call, unsigned most)
{
	struct json_object *seconds;
	int64_t value = 0;
	char text[64];

	if (call->params && json_object_object_get_ex(call->params, "seconds", &seconds) &&
	    json_object_get_type(seconds) == json_type_int)
		value = json_object_get_int64(seconds);
	if (value >= 1 && value <= most)
		return (unsigned)value;
	snprintf(text, sizeof text, "`seconds` is a number from 1 to %u", most);
	fail(call, INVALID_PARAMS, text);
	return 0;
}

static void try_rules(struct call *call)
{
	struct lurk_session *session = call->rpc->session;
	struct lurk_apply_report report;
	char what[64];
	unsigned seconds = read_seconds(call, LURK_TRY_SECONDS);
	size_t length;
	uint8_t *bytes = seconds ? read_image(call, &length) : NULL;
	struct lurk_request request;
	enum lurk_error error;

	if (!bytes)
		return;
	request = read_request(call);
	error = lurk_session_try(session, &request, bytes, length, seconds * UINT64_C(1000000),
				 &report);
	if (!error)
		call->caller->trial = session->trials;
	snprintf(what, sizeof what, "rules to try for %u seconds", seconds);
	answer_change(call, error, &report, what);
	free(bytes);
}

static void keep(struct call *call)
{
	struct lurk_session *session = call->rpc->session;
	struct lurk_apply_report report = {0};
	struct lurk_request request;

	if (!session->mode.trying) {
		fail(call, LURK_RPC_NOT_STORED, "nothing is being tried");
		return;
	}
	request = read_request(call);
	answer_change(call, lurk_session_keep(session, &request), &report, "keep what is tried");
}

static void end_try(struct call *call)
{
	struct lurk_apply_report report = {0};

	if (!call->rpc->session->mode.trying) {
		fail(call, LURK_RPC_NOT_STORED, "nothing is being tried");
		return;
	}
	lurk_session_end_try(call->rpc->session);
	answer_change(call, LURK_OK, &report, "end what is tried");
}

/* Which profile a call means; LURK_PREVIOUS may be one. False with the call failed. */
static bool read_profile(struct call *call, const struct lurk_image *image, uint16_t *profile)
{
	struct lurk_text word = read_text(call, "profile");
	struct json_object *previous;

	if (call->params && json_object_object_get_ex(call->params, "previous", &previous) &&
	    json_object_get_boolean(previous)) {
		*profile = LURK_PREVIOUS;
		return true;
	}
	if (!word.bytes) {
		fail(call, INVALID_PARAMS, "`profile` is missing: its name; or `previous`: true");
		return false;
	}
	*profile = image ? (uint16_t)(lurk_image_find_profile(image, word) - 1U) : LURK_PREVIOUS;
	if (*profile != LURK_PREVIOUS)
		return true;
	fail(call, LURK_RPC_NOT_STORED, "no profile of that name was applied");
	return false;
}

static const char *profile_word(const struct lurk_session *session, char word[LURK_RPC_WORD])
{
	const struct lurk_image *image = lurk_session_image(session);
	struct lurk_profile profile = {0};

	if (image)
		lurk_image_profile(image, lurk_session_profile(session), &profile);
	snprintf(word, LURK_RPC_WORD, "%.*s", (int)profile.word.length, profile.word.bytes);
	return word;
}

/* With `while_connected` what was in force comes back when the connection ends. */
static void use(struct call *call)
{
	struct lurk_session *session = call->rpc->session;
	struct lurk_apply_report report = {0};
	struct json_object *while_connected;
	struct lurk_request request;
	char before[LURK_RPC_WORD];
	uint16_t profile;

	if (!read_profile(call, lurk_session_image(session), &profile))
		return;
	profile_word(session, before);
	request = read_request(call);
	answer_change(call, lurk_session_use(session, &request, profile, &report), &report,
		      "another profile");
	if (call->error ||
	    !json_object_object_get_ex(call->params, "while_connected", &while_connected) ||
	    !json_object_get_boolean(while_connected))
		return;
	if (!call->caller->using)
		snprintf(call->caller->used_before, LURK_RPC_WORD, "%s", before);
	call->caller->using = true;
	profile_word(session, call->caller->used);
}

/* Where somebody has chosen another one meanwhile, that stays. */
static void end_using(const struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	const struct lurk_text before = {caller->used_before, strlen(caller->used_before)};
	const struct lurk_image *image = lurk_session_image(rpc->session);
	uint16_t back = image && caller->using ? lurk_image_find_profile(image, before) : 0;
	struct lurk_apply_report report;
	char now[LURK_RPC_WORD];

	if (!back || strcmp(profile_word(rpc->session, now), caller->used) != 0)
		return;
	lurk_session_use(rpc->session, NULL, (uint16_t)(back - 1U), &report);
	rpc->log(rpc->log_data,
		 "the connection that chose a profile is gone: the one before again");
}

void lurk_rpc_gone(const struct lurk_rpc *rpc, struct lurk_caller *caller)
{
	end_using(rpc, caller);
	if (caller->withholding)
		lurk_session_withhold(rpc->session, 0);
	if (caller->trial && caller->trial == rpc->session->trials && rpc->session->mode.trying) {
		lurk_session_end_try(rpc->session);
		rpc->log(rpc->log_data, "the connection that tried rules is gone: they end");
	}
}

static void switch_rules(struct call *call)
{
	struct lurk_apply_report report;
	struct lurk_request request;
	struct json_object *off;

	if (!call->params || !json_object_object_get_ex(call->params, "off", &off) ||
	    json_object_get_type(off) != json_type_boolean) {
		fail(call, INVALID_PARAMS, "`off` is missing: true or false");
		return;
	}
	if (!json_object_get_boolean(off) && !call->caller->rights.change) {
		fail(call, LURK_RPC_NOT_ALLOWED,
		     "only root and the group lurk may switch rules on");
		return;
	}
	request = read_request(call);
	answer_change(call,
		      lurk_session_switch(call->rpc->session, &request,
					  json_object_get_boolean(off), &report),
		      &report, json_object_get_boolean(off) ? "rules off" : "rules on");
}

/* ---- Watching ------------------------------------------------------------------------------ */

/* With `take`, what is pressed reaches nobody else meanwhile; that always ends by itself. */
static void watch(struct call *call)
{
	struct json_object *take;

	if (call->params && json_object_object_get_ex(call->params, "take", &take) &&
	    json_object_get_boolean(take)) {
		unsigned seconds = read_seconds(call, LURK_TAKE_SECONDS);

		if (!seconds)
			return;
		lurk_session_withhold(call->rpc->session, seconds * UINT64_C(1000000));
		call->caller->withholding = true;
	}
	call->caller->watching = true;
	call->result = json_object_new_boolean(true);
}

static void unwatch(struct call *call)
{
	if (call->caller->withholding)
		lurk_session_withhold(call->rpc->session, 0);
	call->caller->watching = call->caller->withholding = false;
	call->result = json_object_new_boolean(true);
}

static struct json_object *notification(const char *method, struct json_object *params)
{
	struct json_object *object = json_object_new_object();

	add_text(object, "jsonrpc", "2.0");
	add_text(object, "method", method);
	add(object, "params", params);
	return object;
}

struct json_object *lurk_rpc_key(const struct lurk_event *event, const struct lurk_action *action)
{
	struct json_object *params = json_object_new_object();
	char scan[LURK_SCAN_TEXT];

	add_number(params, "time_us", (int64_t)event->time_us);
	add_number(params, "keyboard", event->keyboard);
	add_number(params, "interface", event->key.interface);
	add_text(params, "scan", lurk_scan_write(event->key.scan, scan));
	add_number(params, "key", event->key.key);
	add_text(params, "state", lurk_state_words[event->key.state]);
	add_number(params, "gives", lurk_action_key(action, event->key.key));
	if (action->rank) {
		add_number(params, "rule", action->rule);
		add_flag(params, "itself", action->gives == LURK_GIVES_ITSELF);
	}
	return notification("key", params);
}

struct json_object *lurk_rpc_watch_ended(const char *why)
{
	struct json_object *params = json_object_new_object();

	add_text(params, "why", why);
	return notification("watch_ended", params);
}

/* ---- Calls --------------------------------------------------------------------------------- */

static bool may_status(const struct lurk_rights *rights)
{
	return rights->status;
}

static bool may_change(const struct lurk_rights *rights)
{
	return rights->change;
}

static bool may_off(const struct lurk_rights *rights)
{
	return rights->off;
}

static bool may_watch(const struct lurk_rights *rights)
{
	return rights->watch;
}

static const struct method {
	const char *name;
	bool (*may)(const struct lurk_rights *rights);
	const char *who; /* what is said to others */
	void (*run)(struct call *call);
} methods[] = {
	{"status", may_status,
	 "only root, the group lurk and the person at the screen may ask; `lurkd "
	 "--status-for-everyone` lets all",
	 status},
	{"image", may_status,
	 "only root, the group lurk and the person at the screen may ask; `lurkd "
	 "--status-for-everyone` lets all",
	 image},
	{"apply", may_change, "only root and the group lurk may change rules", apply},
	{"try", may_change, "only root and the group lurk may change rules", try_rules},
	{"keep", may_change, "only root and the group lurk may change rules", keep},
	{"end_try", may_off,
	 "only root, the group lurk and the person at the screen may end what is tried", end_try},
	{"switch", may_off,
	 "only root, the group lurk and the person at the screen may switch rules off",
	 switch_rules},
	{"use", may_off,
	 "only root, the group lurk and the person at the screen may choose a profile", use},
	{"watch", may_watch,
	 "only root and the person at the screen may watch keys, since passwords can be read so",
	 watch},
	{"unwatch", may_watch, "only who watches can stop", unwatch},
};

static void dispatch(struct call *call, const char *name)
{
	for (size_t i = 0; i < sizeof methods / sizeof *methods; i++) {
		if (strcmp(methods[i].name, name) != 0)
			continue;
		if (methods[i].may(&call->caller->rights))
			methods[i].run(call);
		else
			fail(call, LURK_RPC_NOT_ALLOWED, methods[i].who);
		return;
	}
	fail(call, NO_METHOD, "there is no such method");
}

static struct json_object *answer(struct json_object *id, struct json_object *result,
				  struct json_object *error)
{
	struct json_object *object = json_object_new_object();

	add_text(object, "jsonrpc", "2.0");
	add(object, "id", id);
	add(object, error ? "error" : "result", error ? error : result);
	return object;
}

struct json_object *lurk_rpc_error(enum lurk_rpc_code code, const char *text)
{
	return answer(NULL, NULL, make_error((int)code, text));
}

/* One object and nothing after it. */
static struct json_object *parse(const char *line, size_t length)
{
	struct json_tokener *tokener = json_tokener_new_ex(DEPTH);
	struct json_object *object;

	if (!tokener)
		abort();
	json_tokener_set_flags(tokener, JSON_TOKENER_STRICT | JSON_TOKENER_VALIDATE_UTF8);
	object = json_tokener_parse_ex(tokener, line, (int)length);
	if (json_tokener_get_error(tokener) != json_tokener_success ||
	    json_tokener_get_parse_end(tokener) != length) {
		json_object_put(object);
		object = NULL;
	}
	json_tokener_free(tokener);
	return object;
}

static bool is_id(struct json_object *id)
{
	enum json_type type = json_object_get_type(id);

	return type == json_type_null || type == json_type_string || type == json_type_int ||
	       type == json_type_double;
}

/* Whether it is a request, and its parts. */
static bool take_apart(struct json_object *request, const char **method,
		       struct json_object **params, struct json_object **id, bool *wants_answer)
{
	struct json_object *version, *name;

	if (json_object_get_type(request) != json_type_object ||
	    !json_object_object_get_ex(request, "jsonrpc", &version) ||
	    json_object_get_type(version) != json_type_string ||
	    strcmp(json_object_get_string(version), "2.0") != 0 ||
	    !json_object_object_get_ex(request, "method", &name) ||
	    json_object_get_type(name) != json_type_string)
		return false;
	*wants_answer = json_object_object_get_ex(request, "id", id);
	*method = json_object_get_string(name);
	if (json_object_object_get_ex(request, "params", params) &&
	    json_object_get_type(*params) != json_type_object)
		return false;
	return !*wants_answer || is_id(*id);
}

struct json_object *lurk_rpc_call(const struct lurk_rpc *rpc, struct lurk_caller *caller,
				  const char *line, size_t length)
{
	struct call call = {.rpc = rpc, .caller = caller};
	struct json_object *request = parse(line, length), *id = NULL, *reply = NULL;
	const char *method = NULL;
	bool wants_answer = true;

	if (!request)
		return answer(NULL, NULL,
			      make_error(PARSE_ERROR, "this line is not one JSON object"));
	if (!take_apart(request, &method, &call.params, &id, &wants_answer)) {
		json_object_put(request);
		return answer(NULL, NULL,
			      make_error(INVALID_REQUEST,
					 "a request has jsonrpc \"2.0\", method, params (an "
					 "object) and id; one a line"));
	}
	dispatch(&call, method);
	if (wants_answer)
		reply = answer(json_object_get(id), call.result, call.error);
	else
		json_object_put(call.error ? call.error : call.result);
	json_object_put(request);
	return reply;
}
