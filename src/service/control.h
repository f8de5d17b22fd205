/*
 * The control socket: clients of a Unix stream socket, a JSON object a line, carried out by
 * service/rpc.h for whoever the kernel says they are.
 *
 *     control.c   clients: who comes, who waits, who has to go
 *     bytes.h     their buffers, which are wiped wherever they have been
 *
 * No client can harm another or the keyboards: lines, requests per second, clients per user and
 * what waits to be read are limited, and who goes over a limit is told once and shown out. Where
 * there is no place left, the one with the least rights that was silent for longest goes. Only one
 * client at a time has a long line on its way, in or out; others with one wait for it, and not
 * longer than LURK_CONTROL_PATIENCE_S.
 */
#ifndef LURK_SERVICE_CONTROL_H
#define LURK_SERVICE_CONTROL_H

#include "lurk/session.h"
#include "service/protocol.h"
#include "service/rights.h"
#include "lurk/text/file.h"

enum { LURK_CONTROL_CLIENTS = 32, LURK_CONTROL_PER_USER = 8, LURK_CONTROL_STRANGERS = 16 };
enum { LURK_CONTROL_BURST = 100, LURK_CONTROL_PER_SECOND = 50 };

struct lurk_control_options {
	const char *path; /* of the socket */
	struct lurk_rights_from rights;
	void (*log)(void *data, const char *line);
	void *log_data;
	/* Whether anything is on its way to the disk: who asked for that waits for its answer, and
	 * who asks for more for its turn, until lurk_control_stored(). NULL where it never is. */
	bool (*storing)(void *data);
	void *storing_data;
};

struct lurk_control;

/* Both must live as long. NULL with a message where the socket cannot be made. */
struct lurk_control *lurk_control_open(struct lurk_session *session,
				       const struct lurk_control_options *options,
				       struct lurk_message *message);
void lurk_control_close(struct lurk_control *control);

/* Readable when there is something to do. */
int lurk_control_descriptor(const struct lurk_control *control);
/* Does what there is to do, without blocking. */
void lurk_control_step(struct lurk_control *control);
/* None is on its way any more: all are safe, or not (`error`). */
void lurk_control_stored(struct lurk_control *control, enum lurk_error error);
/* After the session did something: those who follow are told where that concerns them. */
void lurk_control_tell(struct lurk_control *control);

#endif
