/* The methods of the control protocol, for rpc.c: by then parameters are what the table says. */
#ifndef LURK_SERVICE_METHODS_H
#define LURK_SERVICE_METHODS_H

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

typedef void lurk_method(struct lurk_call *call);

lurk_method lurk_method_status, lurk_method_image, lurk_method_apply, lurk_method_try,
	lurk_method_keep, lurk_method_end_try, lurk_method_switch, lurk_method_use,
	lurk_method_watch, lurk_method_unwatch;

#endif
