#include "service/supervisor.h"

#include <stdio.h>
#include <stdlib.h>
#include <sys/timerfd.h>
#include <unistd.h>

#ifdef LURK_SYSTEMD
#include <systemd/sd-daemon.h>
#else
#define sd_notify(unset, state) ((void)(state))
#define sd_notifyf(unset, ...) ((void)sizeof(printf(__VA_ARGS__)))
#define sd_watchdog_enabled(unset, timeout_us) (*(timeout_us) = 0, 0)
#endif

enum { TICKS = 3 }; /* within the timeout: one may be missed */

void lurk_supervisor_open(struct lurk_supervisor *supervisor)
{
	*supervisor = (struct lurk_supervisor){.timer = -1};
	if (sd_watchdog_enabled(0, &supervisor->timeout_us) <= 0)
		return;
	supervisor->timer = timerfd_create(CLOCK_MONOTONIC, TFD_CLOEXEC | TFD_NONBLOCK);
	sd_notify(0, "WATCHDOG_USEC=0");
}

void lurk_supervisor_close(struct lurk_supervisor *supervisor)
{
	if (supervisor->timer >= 0)
		close(supervisor->timer);
	supervisor->timer = -1;
}

void lurk_supervisor_ready(const char *status)
{
	(void)sd_notifyf(0, "READY=1\nSTATUS=%s", status);
}

void lurk_supervisor_stopping(void)
{
	(void)sd_notify(0, "STOPPING=1");
}

void lurk_supervisor_watch(struct lurk_supervisor *supervisor, bool watch)
{
	uint64_t tick_us = watch ? supervisor->timeout_us / TICKS : 0;
	const struct timespec tick = {.tv_sec = (time_t)(tick_us / 1000000),
				      .tv_nsec = (long)(tick_us % 1000000 * 1000)};
	const struct itimerspec timer = {tick, tick};

	if (supervisor->timer < 0 || supervisor->watched == watch)
		return;
	supervisor->watched = watch;
	timerfd_settime(supervisor->timer, 0, &timer, NULL);
	(void)sd_notifyf(0, "WATCHDOG_USEC=%llu",
			 (unsigned long long)(watch ? supervisor->timeout_us : 0));
}

void lurk_supervisor_alive(const struct lurk_supervisor *supervisor)
{
	uint64_t expired;

	if (read(supervisor->timer, &expired, sizeof expired) == sizeof expired)
		(void)sd_notify(0, "WATCHDOG=1");
}
