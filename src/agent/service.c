#include "agent/service.h"

#include <errno.h>
#include <stdbool.h>
#include <stdio.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <glib-unix.h>
#include <json-c/json.h>

/* While it is away it is looked for, not often: it is there whenever rules are. */
enum { LOOK_S = 3 };

static gboolean look(void *data);

static void lose(struct service *s)
{
	close(s->fd);
	s->fd = -1;
	s->watch = 0;
	g_timeout_add_seconds(LOOK_S, look, s);
}

/* Nothing is answered but errors in what cannot be read: all of it is passed over. */
static gboolean on_input(int fd, GIOCondition condition, void *data)
{
	char unread[512];
	const ssize_t n = read(fd, unread, sizeof unread);

	(void)condition;
	if (n > 0 || (n < 0 && (errno == EAGAIN || errno == EINTR)))
		return G_SOURCE_CONTINUE;
	lose(data);
	return G_SOURCE_REMOVE;
}

static void send_active(struct service *s)
{
	struct json_object *line = json_object_new_object(), *params = json_object_new_object();
	char text[512];
	int length;

	json_object_object_add(line, "jsonrpc", json_object_new_string("2.0"));
	json_object_object_add(line, "method", json_object_new_string("layout"));
	json_object_object_add(params, "active", json_object_new_string(s->active));
	json_object_object_add(line, "params", params);
	length = snprintf(text, sizeof text, "%s\n",
			  json_object_to_json_string_ext(line, JSON_C_TO_STRING_PLAIN));
	json_object_put(line);
	if (length < (int)sizeof text && send(s->fd, text, (size_t)length, MSG_NOSIGNAL) == length)
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
