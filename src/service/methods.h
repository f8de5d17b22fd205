/* The methods of the control protocol, for rpc.c: by then parameters are what the table says. */
#ifndef LURK_SERVICE_METHODS_H
#define LURK_SERVICE_METHODS_H

#include <string.h>

#include "service/rpc.h"

enum { LURK_RPC_INVALID_PARAMS = -32602 };

/* One call: what it asks, and what is to be answered. */
struct lurk_call {
	struct lurk_rpc *rpc;
	struct lurk_caller *caller;
	json_t *params; /* an object, or NULL */
	json_t *result, *error;
	bool starved; /* there was no memory for something: what is answered is not whole */
};

/* Parts of an answer, of which any may be NULL where there is no memory: adding it says so in
 * call->starved. A value is taken over. */
void lurk_call_add(struct lurk_call *call, json_t *object, const char *name, json_t *value);
void lurk_call_append(struct lurk_call *call, json_t *list, json_t *value);
/* A text that comes from elsewhere; what is no UTF-8 in it is made harmless. */
json_t *lurk_call_text(const char *text, size_t length);
void lurk_call_fail(struct lurk_call *call, int code, const char *text);

static inline json_t *lurk_call_words(const char *text)
{
	return lurk_call_text(text, strlen(text));
}
/* Memory for what is asked, to be freed; NULL with the call failed. */
void *lurk_call_room(struct lurk_call *call, size_t size);

/* What a call asks: what is left out is false, empty, 0. A text lasts as long as the call. */
bool lurk_call_flag(const struct lurk_call *call, const char *name);
struct lurk_text lurk_call_text_of(const struct lurk_call *call, const char *name);
int64_t lurk_call_number(const struct lurk_call *call, const char *name);

/* The part of the seat that requests are about: the caller's; the main one of root and of who is at
 * no screen; 0 where no keyboard is there. */
unsigned lurk_call_screen(const struct lurk_call *call);
/* The part of the seat at whose screen the caller is, whatever that person may; 0 for none. */
unsigned lurk_call_seat(const struct lurk_call *call);
/* The caller's own part, 0 where there is none: that person must be who the session has there. */
unsigned lurk_call_own_part(const struct lurk_call *call);
/* Whose rules a call is about: `whose`; without it the caller's own, and those of the computer for
 * who has none. False with the call failed. And the same where they are to be changed. */
bool lurk_call_part(struct lurk_call *call, unsigned *part);
bool lurk_call_changed_part(struct lurk_call *call, unsigned *part);
/* In whose storage they are: a user's number, or LURK_NOBODY. */
uint32_t lurk_call_owner(const struct lurk_session *session, unsigned part);

/* Who may switch on again what is off: who may change the computer's rules, who switched it off,
 * and whoever is there where the chord did. */
bool lurk_call_may_switch_on(const struct lurk_call *call);
struct lurk_request lurk_call_request(const struct lurk_call *call, unsigned part);
/* The mode as this caller may know it. */
struct lurk_session_mode lurk_call_mode(const struct lurk_call *call);

typedef void lurk_method(struct lurk_call *call);

lurk_method lurk_method_status, lurk_method_image, lurk_method_apply, lurk_method_try,
	lurk_method_keep, lurk_method_end_try, lurk_method_switch, lurk_method_use,
	lurk_method_watch, lurk_method_unwatch, lurk_method_layout, lurk_method_follow;

#endif
