/* What a call asks, and whose rules it is about. */
#include <string.h>

#include "service/methods.h"

/* ---- Parameters ---------------------------------------------------------------------------- */

bool lurk_call_flag(const struct lurk_call *call, const char *name)
{
	return json_is_true(json_object_get(call->params, name));
}

struct lurk_text lurk_call_text_of(const struct lurk_call *call, const char *name)
{
	const json_t *value = json_object_get(call->params, name);

	return (struct lurk_text){json_string_value(value), json_string_length(value)};
}

int64_t lurk_call_number(const struct lurk_call *call, const char *name)
{
	return json_integer_value(json_object_get(call->params, name));
}

/* ---- Whose rules ---------------------------------------------------------------------------- */

unsigned lurk_call_screen(const struct lurk_call *call)
{
	return lurk_session_part(call->rpc->session, call->caller->seat);
}

unsigned lurk_call_seat(const struct lurk_call *call)
{
	const struct lurk_session *session = call->rpc->session;
	const unsigned part = lurk_call_screen(call);

	return part && session->seats[part - 1].person == call->caller->uid ? part : 0;
}

unsigned lurk_call_own_part(const struct lurk_call *call)
{
	return call->caller->rights.own ? lurk_call_seat(call) : 0;
}

bool lurk_call_part(struct lurk_call *call, unsigned *part)
{
	const struct lurk_text whose = lurk_call_text_of(call, "whose");

	*part = lurk_call_own_part(call);
	if (!whose.bytes)
		return true;
	if (!strcmp(whose.bytes, "computer")) {
		*part = 0;
		return true;
	}
	if (strcmp(whose.bytes, "own") != 0) {
		lurk_call_fail(call, LURK_RPC_INVALID_PARAMS,
			       "`whose` is something else: \"own\" or \"computer\"");
		return false;
	}
	if (!*part)
		lurk_call_fail(call, LURK_RPC_NOT_ALLOWED,
			       call->caller->uid
				       ? "only the person at the screen has rules of their own"
				       : "root's rules are the computer's");
	return *part;
}

bool lurk_call_changed_part(struct lurk_call *call, unsigned *part)
{
	if (!lurk_call_part(call, part))
		return false;
	if (!*part && !call->caller->rights.change)
		lurk_call_fail(call, LURK_RPC_NOT_ALLOWED,
			       "only root and the group lurk may change the computer's rules");
	return *part || call->caller->rights.change;
}

uint32_t lurk_call_owner(const struct lurk_session *session, unsigned part)
{
	return part ? session->seats[part - 1].person : (uint32_t)LURK_NOBODY;
}

bool lurk_call_may_switch_on(const struct lurk_call *call)
{
	const struct lurk_session_off *off = &call->rpc->session->mode.off[lurk_call_screen(call)];

	return call->caller->rights.change ||
	       (call->caller->rights.off && !lurk_session_off_by_other(off, call->caller->uid));
}

struct lurk_request lurk_call_request(const struct lurk_call *call, unsigned part)
{
	return (struct lurk_request){.by = call->caller->uid,
				     .part = (uint8_t)part,
				     .keep_locks = lurk_call_flag(call, "keep_locks"),
				     .keep_off = !call->caller->rights.change};
}

struct lurk_session_mode lurk_call_mode(const struct lurk_call *call)
{
	return call->caller->rights.watch ? call->rpc->session->mode
					  : lurk_session_asked(call->rpc->session);
}
