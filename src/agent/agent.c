/*
 * lurk-agent: runs in a desktop's session, with no rights but its user's, and tells the service
 * which layout is active there, so that texts come out right, and shows when rules went off, on, or
 * are others. It sees no key, and tells nothing else.
 *
 *     agent.c     one a session; what is told when
 *     display.c   the layouts of the session, and which is active
 *     service.c   the connection to the service
 *     notify.c    what became of the rules, as the desktop shows it
 */
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sysexits.h>
#include <unistd.h>

#include <glib-unix.h>
#ifdef LURK_SYSTEMD
#include <systemd/sd-login.h>
#endif

#include "agent/display.h"
#include "agent/notify.h"
#include "agent/service.h"
#include "service/protocol.h"

/* The longest that `--layouts` waits for a display that is stuck, and `--use` for a desktop. */
enum { LAYOUTS_S = 3, USE_S = 50 };

struct agent {
	struct display display;
	struct service service;
	GMainLoop *loop;
};

/* ---- Whether the session is at the screen ---------------------------------------------------- */

#ifdef LURK_SYSTEMD
/* Another of the same person's sessions, such as a text console, has another layout. Where logind
 * knows none of that person's, nobody can know. */
static bool is_active(void)
{
	char *session = NULL;
	bool active;

	if (sd_pid_get_session(0, &session) < 0) {
		const char *named = getenv("XDG_SESSION_ID");

		session = named ? strdup(named) : NULL;
		if (!session && sd_uid_get_display(getuid(), &session) < 0)
			session = NULL;
	}
	active = !session || sd_session_is_active(session) > 0;
	free(session);
	return active;
}
#else
static bool is_active(void)
{
	return true;
}
#endif

/* ---- Telling --------------------------------------------------------------------------------- */

static void tell(struct agent *a, bool again)
{
	const int active = is_active() ? a->display.active : DISPLAY_UNKNOWN;

	service_tell(&a->service, active < 0 ? "" : a->display.words[active], again);
}

static void on_change(void *data)
{
	tell(data, false);
}

#ifdef LURK_SYSTEMD
static gboolean on_sessions(int fd, GIOCondition condition, void *data)
{
	static sd_login_monitor *monitor;
	struct agent *a = data;

	(void)condition;
	if (fd >= 0) {
		sd_login_monitor_flush(monitor);
		tell(a, true);
	} else if (sd_login_monitor_new("session", &monitor) >= 0) {
		g_unix_fd_add(sd_login_monitor_get_fd(monitor), G_IO_IN, on_sessions, a);
	}
	return G_SOURCE_CONTINUE;
}
#endif

static void stop(void *data)
{
	struct agent *a = data;

	g_main_loop_quit(a->loop);
}

static gboolean on_signal(void *data)
{
	stop(data);
	return G_SOURCE_REMOVE;
}

/* ---- One a session --------------------------------------------------------------------------- */

static int lock_file(void)
{
	const char *folder = getenv("XDG_RUNTIME_DIR"), *wayland = getenv("WAYLAND_DISPLAY");
	char path[512];
	char *name;

	if (!folder)
		return -1;
	name = g_strdup(wayland && *wayland ? wayland : getenv("DISPLAY"));
	for (char *c = name; c && *c; c++)
		*c = *c == '/' ? '-' : *c;
	snprintf(path, sizeof path, "%s/lurk-agent-%s", folder, name ? name : "");
	g_free(name);
	return open(path, O_CREAT | O_RDWR | O_CLOEXEC | O_NOFOLLOW, 0600);
}

/* A desktop may start it twice, as a unit and by its list of what to start. Held until the end. */
static bool is_first(void)
{
	struct flock lock = {.l_type = F_WRLCK, .l_whence = SEEK_SET};
	const int fd = lock_file();

	return fd < 0 || fcntl(fd, F_SETLK, &lock) == 0 || (errno != EAGAIN && errno != EACCES);
}

/* Without taking it. */
static bool another_runs(void)
{
	struct flock lock = {.l_type = F_WRLCK, .l_whence = SEEK_SET};
	const int fd = lock_file();
	const bool runs = fd >= 0 && fcntl(fd, F_GETLK, &lock) == 0 && lock.l_type != F_UNLCK;

	if (fd >= 0)
		close(fd);
	return runs;
}

/* ---- The display ----------------------------------------------------------------------------- */

/* By the environment, which may name none (*nowhere). A display of another machine, as ssh brings
 * one, has another keyboard. */
static bool find_display(struct display *display, bool *nowhere, char why[256])
{
	const char *wayland = getenv("WAYLAND_DISPLAY"), *x = getenv("DISPLAY");
	const bool here = !getenv("SSH_CONNECTION");

	display->active = DISPLAY_UNKNOWN;
	display->context = xkb_context_new(XKB_CONTEXT_NO_ENVIRONMENT_NAMES);
	if (!display->context)
		abort();
	xkb_context_set_log_level(display->context, XKB_LOG_LEVEL_CRITICAL);
	if (here && wayland && *wayland)
		return wayland_open(display, why);
	if (here && x && *x == ':')
		return x11_open(display, why);
	*nowhere = true;
	snprintf(why, 256,
		 "no session of a desktop is here: neither WAYLAND_DISPLAY nor a DISPLAY of this "
		 "computer is set");
	return false;
}

/* ---- A command's words ----------------------------------------------------------------------- */

/* Its output, to be freed; NULL where it could not be started. */
static char *run(char **words, char **env, char **err, bool *fine)
{
	char *out = NULL;
	int status = 1;

	*fine = g_spawn_sync(NULL, words, env, G_SPAWN_SEARCH_PATH, NULL, NULL, &out, err, &status,
			     NULL) &&
		g_spawn_check_wait_status(status, NULL);
	return out;
}

/* What all can see of the service. The session is not asked for its layouts: one that is stuck is
 * no reason to wait with a command that makes keys plain. */
static char *status_now(void)
{
	char **env = g_environ_unsetenv(g_get_environ(), "DISPLAY"), *err = NULL, *out;
	bool fine;

	env = g_environ_unsetenv(env, "WAYLAND_DISPLAY");
	out = run((char *[]){"lurk", "status", "--json", NULL}, env, &err, &fine);
	g_strfreev(env);
	g_free(err);
	return out;
}

/* For an entry of a menu: runs it, and shows what it says; where it went well, only if nobody else
 * in the session shows that: nobody runs, or nothing has changed. Its own status. */
static int show_command(char **words)
{
	char *before = status_now(), *err = NULL, *after = NULL, *safe;
	bool fine;
	char *out = run(words, NULL, &err, &fine);
	const int status = fine ? 0 : out ? 1 : 127;

	if (fine)
		after = status_now();
	if (out)
		notify_open();
	if (out && (!fine || !another_runs() || !g_strcmp0(before, after))) {
		safe = g_markup_escape_text(fine ? out : err, -1);
		notify_now(fine ? "Done" : "That could not be done", g_strstrip(safe));
		g_free(safe);
	}
	fputs(out ? out : "", stdout);
	fputs(err ? err : "", stderr);
	g_free(before);
	g_free(after);
	g_free(out);
	g_free(err);
	return status;
}

/* ---- Starting -------------------------------------------------------------------------------- */

/* For the lurk command: how it was asked, which is active, and the keymap. */
static int print_layouts(const struct display *d)
{
	if (d->active >= 0)
		printf("%s %d\n", d->how, d->active);
	else
		printf("%s -\n", d->how);
	fputs(d->keymap, stdout);
	return fflush(stdout) ? 1 : 0;
}

static int fail(const char *why)
{
	fprintf(stderr, "lurk-agent: %s\n", why);
	return 1;
}

int main(int argc, char **argv)
{
	static struct agent a = {.service = {.fd = -1}};
	gboolean layouts = FALSE, version = FALSE, shows = FALSE;
	bool nowhere = false;
	static char *socket_path, *use;
	int active = 0;
	char why[256] = "";
	const GOptionEntry entries[] = {
		{"layouts", 0, 0, G_OPTION_ARG_NONE, &layouts,
		 "Only print the session's layouts, as one keymap, and which is active", NULL},
		{"use", 0, 0, G_OPTION_ARG_STRING, &use,
		 "Only let the session type with these layouts, where it lets a program do that",
		 "NAMES"},
		{"active", 0, 0, G_OPTION_ARG_INT, &active,
		 "With --use: which of them is active, counted from 0", "N"},
		{"show", 0, 0, G_OPTION_ARG_NONE, &shows,
		 "Run the command that follows, and show as a notification what it says", NULL},
		{"socket", 0, 0, G_OPTION_ARG_FILENAME, &socket_path,
		 "The service's control socket (default: /run/lurk/control)", "PATH"},
		{"version", 0, 0, G_OPTION_ARG_NONE, &version, "Print the version", NULL},
		{NULL, 0, 0, G_OPTION_ARG_NONE, NULL, NULL, NULL}};
	GOptionContext *context = g_option_context_new("- tell lurkd which layout is active");
	GError *error = NULL;

	g_option_context_add_main_entries(context, entries, NULL);
	g_option_context_set_description(context, "Started by the desktop's session. Example:\n"
						  "  lurk-agent --layouts | head -1\n");
	g_option_context_set_strict_posix(context, TRUE); /* a command's own options are its own */
	g_option_context_parse(context, &argc, &argv, &error);
	g_option_context_free(context);
	if (error) {
		snprintf(why, sizeof why, "%s", error->message);
		g_error_free(error);
		return fail(why);
	}
	if (shows && argc == 1)
		return fail("--show takes a command, as in lurk-agent --show lurk off");
	if (shows)
		return show_command(argv + 1 + !strcmp(argv[1], "--"));
	if (argc > 1) {
		snprintf(why, sizeof why, "`%s` is not expected here", argv[1]);
		return fail(why);
	}
	if (version) {
		puts("lurk-agent " LURK_VERSION);
		return 0;
	}
	if (layouts || use)
		alarm(use ? USE_S : LAYOUTS_S);
	if (use && desktop_use(use, active, &nowhere, why))
		return 0;
	if (use) {
		fail(why);
		return nowhere ? EX_UNAVAILABLE : 1;
	}
	if (!layouts && !is_first())
		return 0;
	if (!find_display(&a.display, &nowhere, why)) {
		fail(why);
		return nowhere ? EX_CONFIG : 1;
	}
	if (layouts)
		return a.display.keymap ? print_layouts(&a.display)
					: fail("the session has no keyboard");
	a.loop = g_main_loop_new(NULL, FALSE);
	a.display.changed = on_change;
	a.display.gone = stop;
	a.display.data = &a;
	notify_open();
	tell(&a, false);
	service_open(&a.service, socket_path ? socket_path : LURK_CONTROL_PATH);
#ifdef LURK_SYSTEMD
	on_sessions(-1, 0, &a);
#endif
	g_unix_signal_add(SIGTERM, on_signal, &a);
	g_unix_signal_add(SIGINT, on_signal, &a);
	g_main_loop_run(a.loop);
	return 0;
}
