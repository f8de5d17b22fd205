/* The methods of the control protocol, for rpc.c: by then parameters are what the table says. */
#ifndef LURK_SERVICE_METHODS_H
#define LURK_SERVICE_METHODS_H

#include "service/rpc.h"

enum { LURK_RPC_INVALID_PARAMS = -32602 };

/* One call: what it asks, and what is to be answered. */
struct lurk_call {
	struct lurk_rpc *rpc;
	struct lurk_caller *caller;
	struct json_object *params; /* an object, or NULL */
	struct json_object *result, *error;
	bool starved; /* there was no memory for something: what is answered is not whole */
};

/* Objects that can be had or not: `call->starved` says so at the end. A value is taken over. */
struct json_object *lurk_call_object(struct lurk_call *call);
void lurk_call_add(struct lurk_call *call, struct json_object *object, const char *name,
		   struct json_object *value);
void lurk_call_add_number(struct lurk_call *call, struct json_object *object, const char *name,
			  int64_t value);
void lurk_call_add_text(struct lurk_call *call, struct json_object *object, const char *name,
			const char *text);
void lurk_call_add_flag(struct lurk_call *call, struct json_object *object, const char *name,
			bool value);
void lurk_call_fail(struct lurk_call *call, int code, const char *text);

typedef void lurk_method(struct lurk_call *call);

lurk_method lurk_method_status, lurk_method_image, lurk_method_apply, lurk_method_try,
	lurk_method_keep, lurk_method_end_try, lurk_method_switch, lurk_method_use,
	lurk_method_watch, lurk_method_unwatch;

#endif
