/*
 * The control protocol: JSON-RPC 2.0, one request in, one answer out. What docs/control.md
 * describes. It knows neither sockets nor who may call: that is the caller's.
 *
 *     rpc.c       lines in, answers out: what may be a request, who may make it, and with which
 *                 parameters, by the table of methods
 *     methods.c   what each method does
 *
 * Their JSON is read and written by jansson, which goes on where there is no memory for something.
 *
 * Nothing that depends on single presses is answered to who may not watch: two runs that differ
 * only in which keys were pressed look the same to them. So they are told the rules as they were
 * asked for, whatever keys have switched since.
 */
#ifndef LURK_SERVICE_RPC_H
#define LURK_SERVICE_RPC_H

#include <jansson.h>

#include "lurk/session.h"

/* The longest lines; what of a request is no text may have so many parts, one in another so deep:
 * so that reading one takes little more memory than its line. */
enum {
	LURK_RPC_LINE = 2 * (1 << 19) + 4096,
	LURK_RPC_OWN_LINE = 2 * LURK_OWN_IMAGE_MAX + 4096, /* for rules of one's own */
	LURK_RPC_SHORT_LINE = 4096
};
enum { LURK_RPC_PARTS = 64, LURK_RPC_DEPTH = 6 };

/* Errors of ours, beside those of JSON-RPC 2.0. */
enum lurk_rpc_code {
	LURK_RPC_NOT_ALLOWED = -32001, /* data: what would be needed */
	LURK_RPC_REFUSED = -32002,     /* data: an enum lurk_error, its keyboard, its rules */
	LURK_RPC_NOT_STORED = -32003,  /* no image of that number is kept */
	LURK_RPC_TOO_MUCH = -32004,    /* too long, too often, too many */
	LURK_RPC_NO_MEMORY = -32005,   /* what came of the request is not known */
	LURK_RPC_UNSAFE = -32006,      /* it is in force, and not stored */
};

enum { LURK_RPC_WORD = 64 }; /* of a profile */

/* What the one who calls may do. */
struct lurk_rights {
	bool status, change, off, watch;
	bool own; /* rules of its own, at the seat */
	/* Nobody else, and nobody at all, as the machine's owner has set. */
	bool watch_by_root, nobodys_own;
};

/* One connection: lurk_rpc_come() when it begins, lurk_rpc_gone() when it ends; its memory stays
 * where it is meanwhile. */
struct lurk_caller {
	struct lurk_caller *next;
	uint32_t uid;
	struct lurk_rights rights;
	char seat[32]; /* whose screen that person is at; "" for the main one */
	bool watching; /* set by `watch` and `unwatch` */
	/* By `watch` with `take`: until when what is pressed on a seat is withheld for it. */
	uint64_t takes_until_us;
	char takes_seat[32];
	uint32_t trial; /* that it began by `try`: lurk_session.trials; 0 for none */
	bool following; /* is told when what it may know of the mode is another than this */
	uint32_t known;
	uint8_t told_layout; /* it told last which layout is active there: a part; 0 for none */
	/* A profile is in force until it is gone, then `used_before` again; whose: a part. */
	bool using;
	uint8_t used_part;
	char used[LURK_RPC_WORD], used_before[LURK_RPC_WORD];
};

/* What there is in the place of an answer. */
enum lurk_rpc_silence {
	LURK_RPC_ANSWERED,
	LURK_RPC_UNASKED, /* none is wanted */
	LURK_RPC_STARVED, /* there is no memory for one */
	LURK_RPC_LATER,   /* nothing was done: to be called again when all is stored */
};

struct lurk_rpc {
	struct lurk_session *session;
	/* Tells an administrator what was done; never a key. */
	void (*log)(void *data, const char *line);
	void *log_data;
	struct lurk_caller *callers; /* all that are connected */
	bool storing;                /* something is on its way to the disk: what stores waits */
};

/* Carries out one line. Returns the answer, to be freed; or NULL, and *silence says why. */
json_t *lurk_rpc_call(struct lurk_rpc *rpc, struct lurk_caller *caller, const char *line,
		      size_t length, enum lurk_rpc_silence *silence);

/* The answer in the place of another, which is freed: what that speaks of is in force, but could
 * not be stored. NULL where there is no memory for it. */
json_t *lurk_rpc_unsafe(json_t *answer, enum lurk_error error);

void lurk_rpc_come(struct lurk_rpc *rpc, struct lurk_caller *caller);
/* What the connection began ends with it: its trial, its profile, its take; nobody else's. */
void lurk_rpc_gone(struct lurk_rpc *rpc, struct lurk_caller *caller);
/* Its watch ends, and its take, since it may not watch any more. */
void lurk_rpc_end_watch(struct lurk_rpc *rpc, struct lurk_caller *caller);

/* An answer to what could not even be read, as a line with its newline: a constant, for which no
 * memory is needed. */
#define LURK_RPC_ERROR_LINE(code, text)                                                      \
	"{\"jsonrpc\":\"2.0\",\"id\":null,\"error\":{\"code\":" #code ",\"message\":\"" text \
	"\"}}\n"

/* Whether what the caller may know is another than it was told of: then it is to be told
 * LURK_RPC_CHANGED. Its rights are as they are now. */
#define LURK_RPC_CHANGED "{\"jsonrpc\":\"2.0\",\"method\":\"changed\"}\n"
bool lurk_rpc_changed(struct lurk_rpc *rpc, struct lurk_caller *caller);

/* The notification of a key event, as those who watch get it: a line with its newline; `own` where
 * the rule that acts is of the person's at the seat, and not of the computer's. No library
 * writes it, in whose memory it would stay. Returns its length. */
enum { LURK_RPC_KEY_LINE = 320 };
size_t lurk_rpc_key(const struct lurk_event *event, const struct lurk_action *action, bool own,
		    char line[LURK_RPC_KEY_LINE]);

#endif
