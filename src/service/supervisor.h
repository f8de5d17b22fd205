/*
 * What a service manager is told: that the service is ready, how it is, and that it is alive.
 *
 * Alive is told only while a keyboard goes through the relay, since only then a service that hangs
 * would keep a keyboard from its owner; idle, it is not woken up for it. Without systemd all of
 * this does nothing.
 */
#ifndef LURK_SERVICE_SUPERVISOR_H
#define LURK_SERVICE_SUPERVISOR_H

#include <stdbool.h>
#include <stdint.h>

struct lurk_supervisor {
	int timer;           /* readable when it is time to say so; -1 where nobody waits */
	uint64_t timeout_us; /* after which the service counts as hung */
	bool watched;
};

void lurk_supervisor_open(struct lurk_supervisor *supervisor);
void lurk_supervisor_close(struct lurk_supervisor *supervisor);

void lurk_supervisor_ready(const char *status);
void lurk_supervisor_stopping(void);
/* Whether the service must prove from now on that it is alive. */
void lurk_supervisor_watch(struct lurk_supervisor *supervisor, bool watch);
/* To be called when the timer is readable. */
void lurk_supervisor_alive(const struct lurk_supervisor *supervisor);

#endif
