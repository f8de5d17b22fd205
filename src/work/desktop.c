#include "work/desktop.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <sysexits.h>
#include <time.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"
#include "lurk/work/own_layouts.h"

/* A keymap with four layouts has some 200 KiB; and whoever is stuck ends by itself before this. */
enum { TOLD_MAX = 4 << 20, WAIT_MS = 8000, USE_WAIT_MS = 60000, OPTIONS = 4 };

bool lurk_desktop_is_here(void)
{
	const char *wayland = getenv("WAYLAND_DISPLAY"), *x = getenv("DISPLAY");

	return !getenv("SSH_CONNECTION") && ((wayland && *wayland) || (x && *x == ':'));
}

/* Starts it with a pipe to read what it prints, or what goes wrong; -1 where that cannot be. */
static int start(const char *const *options, bool asks, pid_t *child)
{
	const char *other = secure_getenv("LURK_AGENT");
	char path[4096];
	const char *words[OPTIONS + 2] = {path};
	posix_spawn_file_actions_t files;
	int ends[2];
	bool started;

	for (unsigned i = 0; i < OPTIONS && options[i]; i++)
		words[i + 1] = options[i];
	snprintf(path, sizeof path, "%s", other && *other ? other : LURK_AGENT);
	if (pipe2(ends, O_CLOEXEC) < 0)
		return -1;
	posix_spawn_file_actions_init(&files);
	posix_spawn_file_actions_addopen(&files, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
	posix_spawn_file_actions_adddup2(&files, ends[1], asks ? STDOUT_FILENO : STDERR_FILENO);
	posix_spawn_file_actions_addopen(&files, asks ? STDERR_FILENO : STDOUT_FILENO, "/dev/null",
					 O_WRONLY, 0);
	started = !posix_spawn(child, path, &files, NULL, (char *const *)(uintptr_t)words, environ);
	posix_spawn_file_actions_destroy(&files);
	close(ends[1]);
	if (started)
		return ends[0];
	close(ends[0]);
	return -1;
}

static char *read_all(int from, int wait_ms, size_t *length)
{
	char *told = lurk_allocate(1, TOLD_MAX + 1);

	for (*length = 0; *length < TOLD_MAX;) {
		struct pollfd wait = {.fd = from, .events = POLLIN};
		ssize_t n;

		if (poll(&wait, 1, wait_ms) == 0)
			break;
		n = read(from, told + *length, TOLD_MAX - *length);
		if (n == 0)
			return told;
		if (n < 0 && errno != EINTR)
			break;
		*length += n > 0 ? (size_t)n : 0;
	}
	lurk_release(told);
	return NULL;
}

/* "x11 1" or "wayland -", and the keymap from the next line on. */
static bool take(struct lurk_desktop_layouts *session, const char *told, size_t length)
{
	const char *line = memchr(told, '\n', length), *space = strchr(told, ' ');

	if (!line || !space || space > line)
		return false;
	session->wayland = !strncmp(told, "wayland ", 8);
	session->count = lurk_layouts_of_keymap(line + 1, length - (size_t)(line + 1 - told),
						session->each, LURK_LAYOUTS_IN_TURN);
	session->active = space[1] == '-' ? -1 : atoi(space + 1);
	if (session->active >= (int)session->count)
		session->active = -1;
	return session->count;
}

/* What it told, to be released, and its status; -1 and NULL where that came to nothing. */
static char *ask(const char *const *options, bool asks, size_t *length, int *status)
{
	pid_t child;
	int from = start(options, asks, &child);
	char *told;

	*status = -1;
	if (from < 0)
		return NULL;
	told = read_all(from, asks ? WAIT_MS : USE_WAIT_MS, length);
	close(from);
	if (!told)
		kill(child, SIGKILL);
	while (waitpid(child, status, 0) < 0 && errno == EINTR)
		;
	*status = told && WIFEXITED(*status) ? WEXITSTATUS(*status) : -1;
	return told;
}

bool lurk_desktop_layouts(struct lurk_desktop_layouts *session)
{
	static const char *const options[] = {"--layouts", NULL};
	size_t length;
	int status;
	char *told = ask(options, true, &length, &status);
	bool fine;

	memset(session, 0, sizeof *session);
	fine = told && !status && take(session, told, length);
	lurk_release(told);
	return fine;
}

bool lurk_layouts_of_session(struct lurk_session_layouts *session)
{
	struct lurk_desktop_layouts told = {.count = 0};
	bool fine = lurk_desktop_is_here() && lurk_desktop_layouts(&told);

	*session = (struct lurk_session_layouts){.active = fine ? told.active : -1};
	for (unsigned i = 0; fine && i < told.count; i++) {
		const char *name = lurk_layout_name(told.each[i]);

		/* One that is in no list is called by its words. */
		fine = !strpbrk(name, " (,");
		lurk_append(session->names, LURK_SESSION_LAYOUTS, i ? "," : "");
		lurk_append(session->names, LURK_SESSION_LAYOUTS, name);
	}
	for (unsigned i = 0; i < told.count; i++)
		lurk_layout_close(told.each[i]);
	return fine && *session->names;
}

/* Keyboards may have settings of their own, which go before. */
static enum lurk_went look_whether(const char *names, struct lurk_message *message)
{
	struct lurk_session_layouts now;

	if (!lurk_layouts_of_session(&now) || !strcmp(now.names, names))
		return LURK_DONE;
	lurk_say(message,
		 "the desktop took %s, and types with %s all the same: it may have settings "
		 "for a keyboard of its own",
		 names, now.names);
	return LURK_COULD_NOT;
}

enum lurk_went lurk_layouts_use(const char *names, int active, struct lurk_message *message)
{
	char number[16];
	const char *const options[] = {"--use", names, active > 0 ? "--active" : NULL, number,
				       NULL};
	enum lurk_went went = LURK_COULD_NOT;
	size_t length;
	int status;
	char *told;

	if (!lurk_desktop_is_here())
		return LURK_FOUND;
	snprintf(number, sizeof number, "%d", active);
	told = ask(options, false, &length, &status);
	if (told && !status)
		went = look_whether(names, message);
	else if (status == EX_UNAVAILABLE)
		went = LURK_FOUND;
	else if (!told || !*told)
		lurk_say(message, "lurk-agent, which speaks with the desktop, does not answer");
	else
		lurk_say(message, "%.*s", (int)strcspn(told, "\n"),
			 told + (strncmp(told, "lurk-agent: ", 12) ? 0 : 12));
	lurk_release(told);
	return went;
}
