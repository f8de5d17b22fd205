#include "port/linux/persons.h"

#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/image.h"

#ifdef LURK_SYSTEMD
#include <systemd/sd-login.h>

/* Of sessions too: one that is being left stays its seat's until it is gone. */
struct lurk_persons *lurk_persons_open(void)
{
	sd_login_monitor *monitor = NULL;

	return sd_login_monitor_new(NULL, &monitor) < 0 ? NULL : (struct lurk_persons *)monitor;
}

static sd_login_monitor *monitor_of(const struct lurk_persons *persons)
{
	return (sd_login_monitor *)persons;
}

void lurk_persons_close(struct lurk_persons *persons)
{
	sd_login_monitor_unref(monitor_of(persons));
}

int lurk_persons_descriptor(const struct lurk_persons *persons)
{
	return sd_login_monitor_get_fd(monitor_of(persons));
}

void lurk_persons_read(struct lurk_persons *persons)
{
	sd_login_monitor_flush(monitor_of(persons));
}

static bool is(int got, char *word, const char *wanted)
{
	const bool same = got >= 0 && word && !strcmp(word, wanted);

	free(word);
	return same;
}

/* A login prompt has a session of its own, of another class. One that is being left is nobody's any
 * more; one that begins (`opening`) has somebody already. */
static bool is_persons(const char *session)
{
	char *class = NULL, *state = NULL;
	const int got_class = sd_session_get_class(session, &class);
	const int got_state = sd_session_get_state(session, &state);
	const bool is_user = is(got_class, class, "user");

	return !is(got_state, state, "closing") && got_state >= 0 && is_user;
}

uint32_t lurk_person_at(const char *seat)
{
	char *session = NULL;
	uid_t uid = 0;
	const int got = sd_seat_get_active(*seat ? seat : "seat0", &session, &uid);
	const bool found = got >= 0 && session && uid && is_persons(session);

	free(session);
	return found ? (uint32_t)uid : LURK_NOBODY;
}
#else
struct lurk_persons *lurk_persons_open(void)
{
	return NULL;
}

void lurk_persons_close(struct lurk_persons *persons)
{
	(void)persons;
}

int lurk_persons_descriptor(const struct lurk_persons *persons)
{
	(void)persons;
	return -1;
}

void lurk_persons_read(struct lurk_persons *persons)
{
	(void)persons;
}

uint32_t lurk_person_at(const char *seat)
{
	(void)seat;
	return LURK_NOBODY;
}
#endif
