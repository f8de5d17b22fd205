#include "service/rpc.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "service/methods.h"
#include "service/protocol.h"
#include "lurk/text/file.h"

enum { PARSE_ERROR = -32700, INVALID_REQUEST = -32600, NO_METHOD = -32601 };

/* ---- The table of methods ---------------------------------------------------------------------
 */

enum kind { FLAG = 1, NUMBER, TEXT };

/* A parameter; numbers from 1 to `most`. */
struct param {
	const char *name;
	enum kind kind;
	int64_t most;
	bool needed;
	const char *is; /* what is said where it is missing or something else */
};

/* RULES: to change rules, the computer's or one's own; which, the method asks. */
enum right { STATUS, RULES, OFF, WATCH };

enum { PARAMS = 5 };

#define IMAGE                                                            \
	{                                                                \
		"image", TEXT, 0, true, "an image as hexadecimal digits" \
	}
#define WHOSE                                                      \
	{                                                          \
		"whose", TEXT, 0, false, "\"own\" or \"computer\"" \
	}
#define KEEP_LOCKS                                            \
	{                                                     \
		"keep_locks", FLAG, 0, false, "true or false" \
	}

static const struct method {
	const char *name;
	enum right right;
	lurk_method *run;
	struct param params[PARAMS];
} methods[] = {
	{"status", STATUS, lurk_method_status, {WHOSE}},
	{"image",
	 STATUS,
	 lurk_method_image,
	 {WHOSE, {"sequence", NUMBER, INT64_MAX - 1, false, "a number from 1"}}},
	{"apply",
	 RULES,
	 lurk_method_apply,
	 {IMAGE, WHOSE, KEEP_LOCKS, {"profile", TEXT, 0, false, "the word of a profile"}}},
	{"try",
	 RULES,
	 lurk_method_try,
	 {{"seconds", NUMBER, LURK_TRY_SECONDS, true, "a number from 1 to 3600"},
	  IMAGE,
	  WHOSE,
	  KEEP_LOCKS}},
	{"keep", RULES, lurk_method_keep, {KEEP_LOCKS}},
	{"end_try", OFF, lurk_method_end_try, {{0}}},
	{"switch", OFF, lurk_method_switch, {{"off", FLAG, 0, true, "true or false"}, KEEP_LOCKS}},
	{"use",
	 OFF,
	 lurk_method_use,
	 {WHOSE,
	  {"profile", TEXT, 0, false, "the word of a profile"},
	  {"previous", FLAG, 0, false, "true or false"},
	  {"while_connected", FLAG, 0, false, "true or false"},
	  KEEP_LOCKS}},
	{"watch",
	 WATCH,
	 lurk_method_watch,
	 {{"take", FLAG, 0, false, "true or false"},
	  {"seconds", NUMBER, LURK_TAKE_SECONDS, false, "a number from 1 to 60"}}},
	{"unwatch", WATCH, lurk_method_unwatch, {{0}}},
	{"follow", STATUS, lurk_method_follow, {{0}}},
	{"layout",
	 OFF,
	 lurk_method_layout,
	 {{"active", TEXT, 0, true, "what the active layout is called, or an empty text"}}},
};

static bool has_right(const struct lurk_rights *rights, enum right right)
{
	const bool has[] = {rights->status, rights->change || rights->own, rights->off,
			    rights->watch};

	return has[right];
}

/* What is said to others. */
#define PERSONS "only root, the group lurk and the person at the screen may "
static const char *const who[] = {
	PERSONS "ask",
	PERSONS "change rules",
	PERSONS "switch rules off or choose others",
	"only root and the person at the screen may watch keys, since passwords can be read so",
};

/* ---- Parameters -------------------------------------------------------------------------------
 */

static bool is_right(const struct param *param, json_t *value)
{
	switch (param->kind) {
	case FLAG:
		return json_is_boolean(value);
	case NUMBER:
		return json_is_integer(value) && json_integer_value(value) >= 1 &&
		       json_integer_value(value) <= param->most;
	default:
		return json_is_string(value);
	}
}

static const struct param *find_param(const struct method *method, const char *name)
{
	for (unsigned i = 0; i < PARAMS && method->params[i].name; i++) {
		if (!strcmp(method->params[i].name, name))
			return &method->params[i];
	}
	return NULL;
}

static bool wrong(struct lurk_call *call, const struct param *param, const char *how)
{
	char text[128];

	snprintf(text, sizeof text, "`%s` %s: %s", param->name, how, param->is);
	lurk_call_fail(call, LURK_RPC_INVALID_PARAMS, text);
	return false;
}

/* All that are there are known and of their kind, and all that are needed are there. */
static bool check_params(struct lurk_call *call, const struct method *method)
{
	const char *name;
	json_t *value;

	json_object_foreach(call->params, name, value)
	{
		const struct param *param = find_param(method, name);

		if (!param) {
			lurk_call_fail(call, LURK_RPC_INVALID_PARAMS,
				       "there is a parameter that the method does not have");
			return false;
		}
		if (!is_right(param, value))
			return wrong(call, param, "is something else");
	}
	for (unsigned i = 0; i < PARAMS && method->params[i].name; i++) {
		if (method->params[i].needed &&
		    !json_object_get(call->params, method->params[i].name))
			return wrong(call, &method->params[i], "is missing");
	}
	return true;
}

/* Why the caller may not do this. */
static const char *refusal(const struct lurk_rights *rights, enum right right)
{
	if (right == WATCH && rights->watch_by_root)
		return "only root may watch keys on this computer";
	if (right == RULES && rights->nobodys_own)
		return "only root and the group lurk may change rules on this computer";
	return who[right];
}

/* One at a time. */
static bool stores(const struct method *method)
{
	return method->run == lurk_method_apply || method->run == lurk_method_keep;
}

/* False where it has to wait. */
static bool dispatch(struct lurk_call *call, const char *name)
{
	for (size_t i = 0; i < sizeof methods / sizeof *methods; i++) {
		if (strcmp(methods[i].name, name) != 0)
			continue;
		if (!has_right(&call->caller->rights, methods[i].right))
			lurk_call_fail(call, LURK_RPC_NOT_ALLOWED,
				       refusal(&call->caller->rights, methods[i].right));
		else if (stores(&methods[i]) && call->rpc->storing)
			return false;
		else if (check_params(call, &methods[i]))
			methods[i].run(call);
		return true;
	}
	lurk_call_fail(call, NO_METHOD, "there is no such method");
	return true;
}

/* ---- Answers ----------------------------------------------------------------------------------
 */

/* What was to be answered, with the call's result or error in it. NULL without memory. */
static json_t *answer(struct lurk_call *call, json_t *id)
{
	json_t *object = json_object();

	lurk_call_add(call, object, "jsonrpc", json_string("2.0"));
	lurk_call_add(call, object, "id", id ? json_incref(id) : json_null());
	if (call->error)
		lurk_call_add(call, object, "error", json_incref(call->error));
	else
		lurk_call_add(call, object, "result", json_incref(call->result));
	if (!call->starved)
		return object;
	json_decref(object);
	return NULL;
}

/* ---- Lines ------------------------------------------------------------------------------------
 */

/* Whether a line has few enough parts, not too deep in each other, to be read at all. The rest is
 * for who reads it. */
static bool may_be_read(const char *line, size_t length)
{
	static const char marks[] = {'[', ']', '{', '}', ',', ':'};
	unsigned parts = 0, depth = 0;
	bool in_text = false;

	for (size_t i = 0; i < length; i++) {
		const char c = line[i];

		if (in_text && c == '\\')
			i++;
		else if (c == '"')
			in_text = !in_text;
		if (in_text || !memchr(marks, c, sizeof marks))
			continue;
		depth += (c == '[' || c == '{') - (unsigned)(c == ']' || c == '}');
		if (++parts > LURK_RPC_PARTS || depth > LURK_RPC_DEPTH)
			return false;
	}
	return true;
}

/* One value and nothing after it, without a NUL in any text, behind which nobody would look. */
static json_t *parse(const char *line, size_t length, bool *starved)
{
	json_error_t error = {.line = 0};
	json_t *value = NULL;

	if (may_be_read(line, length))
		value = json_loadb(line, length, JSON_DECODE_ANY | JSON_REJECT_DUPLICATES, &error);
	*starved = !value && json_error_code(&error) == json_error_out_of_memory;
	return value;
}

static bool is_id(const json_t *id)
{
	return json_is_null(id) || json_is_string(id) || json_is_number(id);
}

/* Whether it is a request, and its parts. */
static bool take_apart(const json_t *request, const char **method, json_t **params, json_t **id,
		       bool *wants_answer)
{
	const char *version = json_string_value(json_object_get(request, "jsonrpc"));

	*method = json_string_value(json_object_get(request, "method"));
	*params = json_object_get(request, "params");
	*id = json_object_get(request, "id");
	*wants_answer = *id;
	return version && !strcmp(version, "2.0") && *method &&
	       (!*params || json_is_object(*params)) && (!*id || is_id(*id));
}

json_t *lurk_rpc_call(struct lurk_rpc *rpc, struct lurk_caller *caller, const char *line,
		      size_t length, enum lurk_rpc_silence *silence)
{
	struct lurk_call call = {.rpc = rpc, .caller = caller};
	json_t *request = parse(line, length, &call.starved), *id = NULL, *reply = NULL;
	const char *method = NULL;
	bool wants_answer = true, waits = false;

	if (!request) {
		lurk_call_fail(&call, PARSE_ERROR, "this line is not one JSON object");
	} else if (!take_apart(request, &method, &call.params, &id, &wants_answer)) {
		id = NULL;
		wants_answer = true;
		lurk_call_fail(&call, INVALID_REQUEST,
			       "a request has jsonrpc \"2.0\", method, params (an object) and id; "
			       "one a line");
	} else {
		waits = !dispatch(&call, method);
	}
	if (wants_answer && !waits)
		reply = answer(&call, id);
	json_decref(call.error);
	json_decref(call.result);
	json_decref(request);
	*silence = waits           ? LURK_RPC_LATER
		   : !wants_answer ? LURK_RPC_UNASKED
		   : call.starved  ? LURK_RPC_STARVED
				   : LURK_RPC_ANSWERED;
	return reply;
}

json_t *lurk_rpc_unsafe(json_t *was, enum lurk_error error)
{
	struct lurk_call call = {0};
	char text[160];
	json_t *reply;

	snprintf(text, sizeof text,
		 "in force now, but not after a reboot, since it is not stored: %s",
		 lurk_error_text(error));
	lurk_call_fail(&call, LURK_RPC_UNSAFE, text);
	reply = answer(&call, json_object_get(was, "id"));
	json_decref(call.error);
	json_decref(was);
	return reply;
}

/* ---- Keys -------------------------------------------------------------------------------------
 */

size_t lurk_rpc_key(const struct lurk_event *event, const struct lurk_action *action, bool own,
		    char line[LURK_RPC_KEY_LINE])
{
	char scan[LURK_SCAN_TEXT], rule[80] = "";

	if (action->rank)
		snprintf(rule, sizeof rule, ",\"rule\":%u,\"whose\":\"%s\",\"itself\":%s",
			 action->rule, own ? "own" : "computer",
			 action->gives == LURK_GIVES_ITSELF ? "true" : "false");
	snprintf(line, LURK_RPC_KEY_LINE,
		 "{\"jsonrpc\":\"2.0\",\"method\":\"key\",\"params\":{\"time_us\":%llu,"
		 "\"keyboard\":%u,\"interface\":%u,\"scan\":\"%s\",\"key\":%u,\"state\":\"%s\","
		 "\"gives\":%u%s}}\n",
		 (unsigned long long)event->time_us, event->keyboard, event->key.interface,
		 lurk_scan_write(event->key.scan, scan), event->key.key,
		 lurk_state_words[event->key.state], lurk_action_key(action, event->key.key), rule);
	return strlen(line);
}
