/*
 * The control protocol: JSON-RPC 2.0, one request in, one answer out. What docs/control.md
 * describes. It knows neither sockets nor who may call: that is the caller's.
 */
#ifndef LURK_SERVICE_RPC_H
#define LURK_SERVICE_RPC_H

#include <json-c/json.h>

#include "lurk/session.h"

enum { LURK_RPC_LINE = 2 * (1 << 19) + 4096, LURK_RPC_SHORT_LINE = 4096 };

/* Errors of ours, beside those of JSON-RPC 2.0. */
enum lurk_rpc_code {
	LURK_RPC_NOT_ALLOWED = -32001, /* data: what would be needed */
	LURK_RPC_REFUSED = -32002,     /* data: an enum lurk_error, its keyboard, its rules */
	LURK_RPC_NOT_STORED = -32003,  /* no image of that number is kept */
	LURK_RPC_TOO_MUCH = -32004,    /* too long, too often, too many */
};

enum { LURK_RPC_WORD = 64 }; /* of a profile */

/* What the one who calls may do. */
struct lurk_rights {
	bool status, change, off, watch;
};

struct lurk_caller {
	uint32_t uid;
	struct lurk_rights rights;
	bool watching;    /* set by `watch` and `unwatch` */
	bool withholding; /* by `watch`, with what is pressed for it alone */
	uint32_t trial;   /* that it began by `try`: lurk_session.trials; 0 for none */
	bool using;       /* a profile is in force until it is gone, then `used_before` again */
	char used[LURK_RPC_WORD], used_before[LURK_RPC_WORD];
};

struct lurk_rpc {
	struct lurk_session *session;
	/* Tells an administrator what was done; never a key. */
	void (*log)(void *data, const char *line);
	void *log_data;
};

/* Carries out one line. Returns the answer, to be freed, or NULL where none is wanted. */
struct json_object *lurk_rpc_call(const struct lurk_rpc *rpc, struct lurk_caller *caller,
				  const char *line, size_t length);

/* What ends with the connection: a trial, a profile that was to end with it, presses withheld. */
void lurk_rpc_gone(const struct lurk_rpc *rpc, struct lurk_caller *caller);

/* An answer to what could not even be read. */
struct json_object *lurk_rpc_error(enum lurk_rpc_code code, const char *text);

/* The notification of a key event, as those who watch get it. */
struct json_object *lurk_rpc_key(const struct lurk_event *event, const struct lurk_action *action);
/* The one that ends a watch. */
struct json_object *lurk_rpc_watch_ended(const char *why);

#endif
