/* The connection to the service: tells it which layout is active, asks what is in force when that
 * is another, and finds it again when it was away. */
#ifndef LURK_AGENT_SERVICE_H
#define LURK_AGENT_SERVICE_H

#include <stdbool.h>
#include <stddef.h>

struct service {
	const char *path; /* its control socket */
	char active[128]; /* "" for not known */
	int fd;           /* -1 while there is none */
	unsigned watch;   /* GLib's number for it */
	/* A line that is on its way. */
	char *line;
	size_t length;
	bool asked, again; /* what is in force; something changed since */
};

void service_open(struct service *service, const char *path);
/* Told at once where it is another, and again whenever the service is new; and with `again` in any
 * case, since whoever leaves the screen is forgotten there. */
void service_tell(struct service *service, const char *active, bool again);

#endif
