#include "agent/service.h"

#include <errno.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <glib-unix.h>
#include <json-c/json.h>

#include "agent/notify.h"

/* While it is away it is looked for, not often: it is there whenever rules are. */
enum { LOOK_S = 3 };

static gboolean look(void *data);

/* No status is as long. */
enum { LINE_MAX_BYTES = 1 << 20 };

static void lose(struct service *s)
{
	close(s->fd);
	g_free(s->line);
	s->fd = -1;
	s->watch = 0;
	s->line = NULL;
	s->length = 0;
	s->asked = s->again = false;
	notify_forget();
	g_timeout_add_seconds(LOOK_S, look, s);
}

/* Without an id nothing is answered. False where the service is gone. */
static bool ask(struct service *s, const char *method, const char *active, bool answered)
{
	struct json_object *line = json_object_new_object(), *params;
	char text[512];
	int length;

	json_object_object_add(line, "jsonrpc", json_object_new_string("2.0"));
	json_object_object_add(line, "method", json_object_new_string(method));
	if (answered)
		json_object_object_add(line, "id", json_object_new_int(1));
	if (active) {
		params = json_object_new_object();
		json_object_object_add(params, "active", json_object_new_string(active));
		json_object_object_add(line, "params", params);
	}
	length = snprintf(text, sizeof text, "%s\n",
			  json_object_to_json_string_ext(line, JSON_C_TO_STRING_PLAIN));
	json_object_put(line);
	return length < (int)sizeof text &&
	       send(s->fd, text, (size_t)length, MSG_NOSIGNAL) == length;
}

/* One question at a time, however often something changes. */
static bool ask_status(struct service *s)
{
	if (s->asked) {
		s->again = true;
		return true;
	}
	s->asked = true;
	s->again = false;
	return ask(s, "status", NULL, true);
}

/* "changed", or what was asked for then. */
static bool take_line(struct service *s, const char *text)
{
	struct json_object *line = json_tokener_parse(text), *found;
	bool fine = true;

	if (json_object_object_get_ex(line, "method", &found)) {
		if (!g_strcmp0(json_object_get_string(found), "changed"))
			fine = ask_status(s);
	} else {
		if (json_object_object_get_ex(line, "result", &found) &&
		    json_object_is_type(found, json_type_object))
			notify_status(found);
		s->asked = false;
		fine = !s->again || ask_status(s);
	}
	json_object_put(line);
	return fine;
}

static bool take_bytes(struct service *s, const char *bytes, unsigned count)
{
	s->line = g_realloc(s->line, s->length + count + 1);
	for (unsigned i = 0; i < count; i++) {
		if (bytes[i] != '\n') {
			s->line[s->length++] = bytes[i];
			continue;
		}
		s->line[s->length] = '\0';
		s->length = 0;
		if (!take_line(s, s->line))
			return false;
	}
	return s->length < LINE_MAX_BYTES;
}

static gboolean on_input(int fd, GIOCondition condition, void *data)
{
	char bytes[4096];
	const ssize_t n = read(fd, bytes, sizeof bytes);

	(void)condition;
	if ((n < 0 && (errno == EAGAIN || errno == EINTR)) ||
	    (n > 0 && take_bytes(data, bytes, (unsigned)n)))
		return G_SOURCE_CONTINUE;
	lose(data);
	return G_SOURCE_REMOVE;
}

static void send_active(struct service *s)
{
	if (ask(s, "layout", s->active, false))
		return;
	g_source_remove(s->watch);
	lose(s);
}

static gboolean look(void *data)
{
	struct service *s = data;
	struct sockaddr_un address = {.sun_family = AF_UNIX};

	snprintf(address.sun_path, sizeof address.sun_path, "%s", s->path);
	s->fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
	if (s->fd < 0 || connect(s->fd, (struct sockaddr *)&address, sizeof address) < 0) {
		if (s->fd >= 0)
			close(s->fd);
		s->fd = -1;
		return G_SOURCE_CONTINUE;
	}
	s->watch = g_unix_fd_add(s->fd, G_IO_IN | G_IO_HUP | G_IO_ERR, on_input, s);
	if (ask(s, "follow", NULL, false) && ask_status(s))
		send_active(s);
	return G_SOURCE_REMOVE;
}

void service_open(struct service *service, const char *path)
{
	service->path = path;
	service->fd = -1;
	if (look(service) == G_SOURCE_CONTINUE)
		g_timeout_add_seconds(LOOK_S, look, service);
}

void service_tell(struct service *service, const char *active, bool again)
{
	if (!again && !strcmp(service->active, active))
		return;
	snprintf(service->active, sizeof service->active, "%s", active);
	if (service->fd >= 0)
		send_active(service);
}
