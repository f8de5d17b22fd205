#include "service/rpc.h"

#include <stdio.h>
#include <string.h>

#include "service/methods.h"
#include "service/protocol.h"

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

enum right { STATUS, CHANGE, OFF, WATCH };

enum { PARAMS = 4 };

#define IMAGE                                                            \
	{                                                                \
		"image", TEXT, 0, true, "an image as hexadecimal digits" \
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
	{"status", STATUS, lurk_method_status, {{0}}},
	{"image",
	 STATUS,
	 lurk_method_image,
	 {{"sequence", NUMBER, INT64_MAX - 1, false, "a number from 1"}}},
	{"apply",
	 CHANGE,
	 lurk_method_apply,
	 {IMAGE, KEEP_LOCKS, {"profile", TEXT, 0, false, "the word of a profile"}}},
	{"try",
	 CHANGE,
	 lurk_method_try,
	 {{"seconds", NUMBER, LURK_TRY_SECONDS, true, "a number from 1 to 3600"},
	  IMAGE,
	  KEEP_LOCKS}},
	{"keep", CHANGE, lurk_method_keep, {KEEP_LOCKS}},
	{"end_try", OFF, lurk_method_end_try, {{0}}},
	{"switch", OFF, lurk_method_switch, {{"off", FLAG, 0, true, "true or false"}, KEEP_LOCKS}},
	{"use",
	 OFF,
	 lurk_method_use,
	 {{"profile", TEXT, 0, false, "the word of a profile"},
	  {"previous", FLAG, 0, false, "true or false"},
	  {"while_connected", FLAG, 0, false, "true or false"},
	  KEEP_LOCKS}},
	{"watch",
	 WATCH,
	 lurk_method_watch,
	 {{"take", FLAG, 0, false, "true or false"},
	  {"seconds", NUMBER, LURK_TAKE_SECONDS, false, "a number from 1 to 60"}}},
	{"unwatch", WATCH, lurk_method_unwatch, {{0}}},
};

static bool has_right(const struct lurk_rights *rights, enum right right)
{
	const bool has[] = {rights->status, rights->change, rights->off, rights->watch};

	return has[right];
}

/* What is said to others. */
static const char *const who[] = {
	"only root, the group lurk and the person at the screen may ask; `lurkd "
	"--status-for-everyone` lets all",
	"only root and the group lurk may change rules",
	"only root, the group lurk and the person at the screen may switch rules off or choose "
	"others",
	"only root and the person at the screen may watch keys, since passwords can be read so",
};

/* ---- Parameters -------------------------------------------------------------------------------
 */

static bool is_right(const struct param *param, struct json_object *value)
{
	switch (param->kind) {
	case FLAG:
		return json_object_is_type(value, json_type_boolean);
	case NUMBER:
		return json_object_is_type(value, json_type_int) &&
		       json_object_get_int64(value) >= 1 &&
		       json_object_get_int64(value) <= param->most;
	default:
		return json_object_is_type(value, json_type_string);
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
	if (call->params) {
		json_object_object_foreach(call->params, name, value)
		{
			const struct param *param = find_param(method, name);

			if (!param) {
				lurk_call_fail(
					call, LURK_RPC_INVALID_PARAMS,
					"there is a parameter that the method does not have");
				return false;
			}
			if (!is_right(param, value))
				return wrong(call, param, "is something else");
		}
	}
	for (unsigned i = 0; i < PARAMS && method->params[i].name; i++) {
		if (method->params[i].needed &&
		    !json_object_object_get_ex(call->params, method->params[i].name, NULL))
			return wrong(call, &method->params[i], "is missing");
	}
	return true;
}

static void dispatch(struct lurk_call *call, struct json_object *name)
{
	for (size_t i = 0; i < sizeof methods / sizeof *methods; i++) {
		if (strcmp(methods[i].name, json_object_get_string(name)) != 0)
			continue;
		if (!has_right(&call->caller->rights, methods[i].right))
			lurk_call_fail(call, LURK_RPC_NOT_ALLOWED, who[methods[i].right]);
		else if (check_params(call, &methods[i]))
			methods[i].run(call);
		return;
	}
	lurk_call_fail(call, NO_METHOD, "there is no such method");
}

/* ---- Answers ----------------------------------------------------------------------------------
 */

struct json_object *lurk_call_object(struct lurk_call *call)
{
	struct json_object *object = json_object_new_object();

	call->starved = call->starved || !object;
	return object;
}

void lurk_call_add(struct lurk_call *call, struct json_object *object, const char *name,
		   struct json_object *value)
{
	if (object && value && !json_object_object_add(object, name, value))
		return;
	call->starved = true;
	json_object_put(value);
}

void lurk_call_add_number(struct lurk_call *call, struct json_object *object, const char *name,
			  int64_t value)
{
	lurk_call_add(call, object, name, json_object_new_int64(value));
}

void lurk_call_add_text(struct lurk_call *call, struct json_object *object, const char *name,
			const char *text)
{
	lurk_call_add(call, object, name, json_object_new_string(text));
}

void lurk_call_add_flag(struct lurk_call *call, struct json_object *object, const char *name,
			bool value)
{
	lurk_call_add(call, object, name, json_object_new_boolean(value));
}

void lurk_call_fail(struct lurk_call *call, int code, const char *text)
{
	call->error = lurk_call_object(call);
	lurk_call_add_number(call, call->error, "code", code);
	lurk_call_add_text(call, call->error, "message", text);
}

/* What was to be answered, with the call's result or error in it. NULL without memory. */
static struct json_object *answer(struct lurk_call *call, struct json_object *id)
{
	struct json_object *object = lurk_call_object(call);

	lurk_call_add_text(call, object, "jsonrpc", "2.0");
	if (object && json_object_object_add(object, "id", json_object_get(id))) {
		json_object_put(id);
		call->starved = true;
	}
	if (call->error)
		lurk_call_add(call, object, "error", call->error);
	else
		lurk_call_add(call, object, "result", call->result);
	call->result = call->error = NULL;
	if (!call->starved)
		return object;
	json_object_put(object);
	return NULL;
}

/* ---- Lines ------------------------------------------------------------------------------------
 */

/* Whether a line has few enough parts to be read at all, and no text with a NUL in it, behind which
 * nobody would look. The rest is for who reads it. */
static bool may_be_read(const char *line, size_t length)
{
	unsigned parts = 0;
	bool in_text = false;

	for (size_t i = 0; i < length; i++) {
		if (in_text && line[i] == '\\') {
			if (length - i >= 6 && !memcmp(line + i, "\\u0000", 6))
				return false;
			i++;
		} else if (line[i] == '"') {
			in_text = !in_text;
		} else if (!in_text && strchr("[]{},:", line[i])) {
			if (!line[i] || ++parts > LURK_RPC_PARTS)
				return false;
		}
	}
	return true;
}

/* One object and nothing after it. */
static struct json_object *parse(const char *line, size_t length)
{
	struct json_tokener *tokener =
		may_be_read(line, length) ? json_tokener_new_ex(LURK_RPC_DEPTH) : NULL;
	struct json_object *object;

	if (!tokener)
		return NULL;
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
static bool take_apart(struct json_object *request, struct json_object **method,
		       struct json_object **params, struct json_object **id, bool *wants_answer)
{
	struct json_object *version;

	if (json_object_get_type(request) != json_type_object ||
	    !json_object_object_get_ex(request, "jsonrpc", &version) ||
	    json_object_get_type(version) != json_type_string ||
	    strcmp(json_object_get_string(version), "2.0") != 0 ||
	    !json_object_object_get_ex(request, "method", method) ||
	    json_object_get_type(*method) != json_type_string)
		return false;
	*wants_answer = json_object_object_get_ex(request, "id", id);
	if (json_object_object_get_ex(request, "params", params) &&
	    json_object_get_type(*params) != json_type_object)
		return false;
	return !*wants_answer || is_id(*id);
}

struct json_object *lurk_rpc_call(struct lurk_rpc *rpc, struct lurk_caller *caller,
				  const char *line, size_t length, bool *starved)
{
	struct lurk_call call = {.rpc = rpc, .caller = caller};
	struct json_object *request = parse(line, length), *id = NULL, *reply = NULL;
	struct json_object *method = NULL;
	bool wants_answer = true;

	if (!request) {
		lurk_call_fail(&call, PARSE_ERROR, "this line is not one JSON object");
	} else if (!take_apart(request, &method, &call.params, &id, &wants_answer)) {
		id = NULL;
		wants_answer = true;
		lurk_call_fail(&call, INVALID_REQUEST,
			       "a request has jsonrpc \"2.0\", method, params (an object) and id; "
			       "one a line");
	} else {
		dispatch(&call, method);
	}
	if (wants_answer)
		reply = answer(&call, id);
	json_object_put(call.error);
	json_object_put(call.result);
	json_object_put(request);
	*starved = wants_answer && call.starved;
	return reply;
}

/* ---- Keys -------------------------------------------------------------------------------------
 */

size_t lurk_rpc_key(const struct lurk_event *event, const struct lurk_action *action,
		    char line[LURK_RPC_KEY_LINE])
{
	char scan[LURK_SCAN_TEXT], rule[48] = "";

	if (action->rank)
		snprintf(rule, sizeof rule, ",\"rule\":%u,\"itself\":%s", action->rule,
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
