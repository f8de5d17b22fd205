#include "service/control.h"

#include <errno.h>
#include <grp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/epoll.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <time.h>
#include <unistd.h>

#include "service/rights.h"
#include "service/rpc.h"

enum { LISTENER = 0xffff, READ_SIZE = 4096, WAITING_MAX = 64 * 1024, BACKLOG = 16 };

struct client {
	int fd; /* -1 where free */
	struct lurk_peer peer;
	struct lurk_caller caller;
	char *in, *out;
	size_t in_length, in_size, out_length, out_size;
	unsigned budget; /* requests that it may make at once */
	time_t refilled;
	bool leaving; /* told why; closed as soon as that is read */
};

struct lurk_control {
	struct lurk_session *session;
	struct lurk_control_options options;
	struct lurk_rpc rpc;
	gid_t group;
	int listener, epoll;
	unsigned watchers;
	struct client clients[LURK_CONTROL_CLIENTS];
};

static time_t now_s(void)
{
	struct timespec now;

	clock_gettime(CLOCK_MONOTONIC, &now);
	return now.tv_sec;
}

/* ---- Out ----------------------------------------------------------------------------------- */

static void on_key(void *data, const struct lurk_event *event, const struct lurk_action *action);

/* Keys are listened to only while somebody watches. */
static void count_watchers(struct lurk_control *c)
{
	unsigned count = 0;

	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++)
		count += c->clients[i].fd >= 0 && c->clients[i].caller.watching;
	if (!count != !c->watchers)
		lurk_session_watch(c->session, count ? on_key : NULL, c);
	c->watchers = count;
}

/* What was typed may have gone through these. */
static void wipe(char *bytes, size_t size)
{
	if (bytes)
		explicit_bzero(bytes, size);
	free(bytes);
}

static void shut(struct lurk_control *c, struct client *client)
{
	bool watched = client->caller.watching;

	if (client->fd < 0)
		return;
	lurk_rpc_gone(&c->rpc, &client->caller);
	close(client->fd);
	wipe(client->in, client->in_size);
	wipe(client->out, client->out_size);
	memset(client, 0, sizeof *client);
	client->fd = -1;
	if (watched)
		count_watchers(c);
}

static void listen_for(struct lurk_control *c, struct client *client)
{
	struct epoll_event e = {.data.u32 = (uint32_t)(client - c->clients)};

	/* A client that does not read its answers is not asked for more. */
	e.events = client->out_length ? EPOLLOUT : EPOLLIN;
	epoll_ctl(c->epoll, EPOLL_CTL_MOD, client->fd, &e);
}

static void flush(struct lurk_control *c, struct client *client)
{
	bool waited = client->out_length;

	while (client->out_length) {
		ssize_t n = send(client->fd, client->out, client->out_length,
				 MSG_NOSIGNAL | MSG_DONTWAIT);

		if (n < 0 && errno == EINTR)
			continue;
		if (n < 0 && errno == EAGAIN)
			break;
		if (n <= 0) {
			shut(c, client);
			return;
		}
		memmove(client->out, client->out + n, client->out_length - (size_t)n);
		client->out_length -= (size_t)n;
	}
	if (client->leaving && !client->out_length)
		shut(c, client);
	else if (waited)
		listen_for(c, client);
}

static bool grow(char **bytes, size_t *size, size_t needed)
{
	size_t wanted = *size ? *size : READ_SIZE;
	char *grown;

	while (wanted < needed)
		wanted *= 2;
	if (wanted == *size)
		return true;
	grown = realloc(*bytes, wanted);
	if (!grown)
		return false;
	*bytes = grown;
	*size = wanted;
	return true;
}

/* Sends an object as a line, and frees it. */
static void tell(struct lurk_control *c, struct client *client, struct json_object *object)
{
	size_t length;
	const char *text = json_object_to_json_string_length(
		object, JSON_C_TO_STRING_PLAIN | JSON_C_TO_STRING_NOSLASHESCAPE, &length);

	if (client->fd >= 0 &&
	    grow(&client->out, &client->out_size, client->out_length + length + 1)) {
		memcpy(client->out + client->out_length, text, length);
		client->out[client->out_length + length] = '\n';
		client->out_length += length + 1;
		flush(c, client);
	}
	json_object_put(object);
}

static void show_out(struct lurk_control *c, struct client *client, const char *why)
{
	if (client->fd < 0)
		return;
	client->leaving = true;
	tell(c, client, lurk_rpc_error(LURK_RPC_TOO_MUCH, why));
}

/* ---- Watching ------------------------------------------------------------------------------ */

static void on_key(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	struct lurk_control *c = data;
	const char *seat = c->session->memory.keyboards[event->keyboard].info.seat;

	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		struct client *client = &c->clients[i];

		if (client->fd < 0 || !client->caller.watching)
			continue;
		if (!lurk_peer_may_watch(&client->peer, seat)) {
			client->caller.watching = false;
			lurk_rpc_gone(&c->rpc, &client->caller);
			tell(c, client,
			     lurk_rpc_watch_ended("another session is at the screen now"));
			count_watchers(c);
		} else if (client->out_length > WAITING_MAX) {
			show_out(c, client, "does not read what it watches");
			shut(c, client);
		} else {
			tell(c, client, lurk_rpc_key(event, action));
		}
	}
}

/* ---- In ------------------------------------------------------------------------------------ */

static bool within_budget(struct client *client)
{
	time_t now = now_s();
	unsigned elapsed = (unsigned)(now - client->refilled);

	if (elapsed > LURK_CONTROL_BURST / LURK_CONTROL_PER_SECOND)
		client->budget = LURK_CONTROL_BURST;
	else
		client->budget += elapsed * LURK_CONTROL_PER_SECOND;
	if (client->budget > LURK_CONTROL_BURST)
		client->budget = LURK_CONTROL_BURST;
	client->refilled = now;
	return client->budget && client->budget--;
}

static void take_line(struct lurk_control *c, struct client *client, size_t length)
{
	struct json_object *reply;
	bool watched = client->caller.watching;

	if (!within_budget(client)) {
		show_out(c, client, "too many requests in a second");
		return;
	}
	lurk_peer_rights(&client->peer, c->options.status_for_everyone, &client->caller.rights);
	reply = lurk_rpc_call(&c->rpc, &client->caller, client->in, length);
	if (client->caller.watching != watched)
		count_watchers(c);
	if (reply)
		tell(c, client, reply);
}

static void take_lines(struct lurk_control *c, struct client *client)
{
	size_t most = client->peer.in_group ? LURK_RPC_LINE : LURK_RPC_SHORT_LINE;

	while (client->fd >= 0 && !client->leaving && !client->out_length) {
		char *end = client->in_length ? memchr(client->in, '\n', client->in_length) : NULL;
		size_t length = end ? (size_t)(end - client->in) : client->in_length;

		if (length > most) {
			show_out(c, client, "a line longer than it may be");
			return;
		}
		if (!end)
			return;
		take_line(c, client, length);
		if (client->fd < 0)
			return;
		memmove(client->in, end + 1, client->in_length - length - 1);
		client->in_length -= length + 1;
	}
}

static void read_client(struct lurk_control *c, struct client *client)
{
	ssize_t n;

	if (!grow(&client->in, &client->in_size, client->in_length + READ_SIZE)) {
		shut(c, client);
		return;
	}
	n = recv(client->fd, client->in + client->in_length, READ_SIZE, MSG_DONTWAIT);
	if (n < 0 && (errno == EAGAIN || errno == EINTR))
		return;
	if (n <= 0) {
		shut(c, client);
		return;
	}
	client->in_length += (size_t)n;
	take_lines(c, client);
}

static struct client *free_client(struct lurk_control *c, uid_t uid)
{
	struct client *found = NULL;
	unsigned same = 0;

	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		if (c->clients[i].fd < 0)
			found = found ? found : &c->clients[i];
		else
			same += c->clients[i].peer.uid == uid;
	}
	return same < LURK_CONTROL_PER_USER ? found : NULL;
}

static void accept_client(struct lurk_control *c)
{
	static const char full[] = "{\"jsonrpc\":\"2.0\",\"id\":null,\"error\":{\"code\":-32004,"
				   "\"message\":\"too many clients\"}}\n";
	int fd = accept4(c->listener, NULL, NULL, SOCK_CLOEXEC | SOCK_NONBLOCK);
	struct epoll_event e = {.events = EPOLLIN};
	struct lurk_peer peer;
	struct client *client;

	if (fd < 0)
		return;
	client = lurk_peer_of(fd, c->group, &peer) ? free_client(c, peer.uid) : NULL;
	if (!client) {
		send(fd, full, sizeof full - 1, MSG_NOSIGNAL | MSG_DONTWAIT);
		close(fd);
		return;
	}
	memset(client, 0, sizeof *client);
	client->fd = fd;
	client->peer = peer;
	client->caller.uid = peer.uid;
	client->budget = LURK_CONTROL_BURST;
	client->refilled = now_s();
	e.data.u32 = (uint32_t)(client - c->clients);
	if (epoll_ctl(c->epoll, EPOLL_CTL_ADD, fd, &e))
		shut(c, client);
}

void lurk_control_step(struct lurk_control *control)
{
	struct epoll_event events[LURK_CONTROL_CLIENTS];
	int n = epoll_wait(control->epoll, events, LURK_CONTROL_CLIENTS, 0);
	bool knock = false;

	for (int i = 0; i < n; i++) {
		struct client *client = &control->clients[events[i].data.u32 % LISTENER];

		if (events[i].data.u32 == LISTENER) {
			knock = true;
			continue;
		}
		if (client->fd < 0)
			continue;
		if (events[i].events & EPOLLOUT) {
			flush(control, client);
			if (client->fd >= 0)
				take_lines(control, client);
		} else if (events[i].events & EPOLLIN) {
			read_client(control, client);
		} else {
			shut(control, client);
		}
	}
	if (knock) /* last: a place that becomes free here is not meant by what is above */
		accept_client(control);
}

/* ---- Opening ------------------------------------------------------------------------------- */

int lurk_control_descriptor(const struct lurk_control *control)
{
	return control->epoll;
}

static int make_listener(const char *path, struct lurk_message *message)
{
	struct sockaddr_un address = {.sun_family = AF_UNIX};
	int fd;

	if (strlen(path) >= sizeof address.sun_path) {
		lurk_say(message, "%s: longer than a socket's path may be", path);
		return -1;
	}
	memcpy(address.sun_path, path, strlen(path) + 1);
	fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
	/* Who is there is asked of the kernel for each client; so anyone may knock. */
	if (fd < 0 || (unlink(path) && errno != ENOENT) ||
	    bind(fd, (struct sockaddr *)&address, sizeof address) || chmod(path, 0666) ||
	    listen(fd, BACKLOG)) {
		lurk_say(message, "%s: cannot be made: %s", path, strerror(errno));
		if (fd >= 0)
			close(fd);
		return -1;
	}
	return fd;
}

struct lurk_control *lurk_control_open(struct lurk_session *session,
				       const struct lurk_control_options *options,
				       struct lurk_message *message)
{
	struct lurk_control *c = calloc(1, sizeof *c);
	const struct group *group = options->group ? getgrnam(options->group) : NULL;
	struct epoll_event e = {.events = EPOLLIN, .data.u32 = LISTENER};

	if (!c)
		abort();
	c->session = session;
	c->options = *options;
	c->rpc = (struct lurk_rpc){session, options->log, options->log_data};
	c->group = group ? group->gr_gid : (gid_t)-1;
	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++)
		c->clients[i].fd = -1;
	c->listener = make_listener(options->path, message);
	c->epoll = c->listener < 0 ? -1 : epoll_create1(EPOLL_CLOEXEC);
	if (c->epoll < 0 || epoll_ctl(c->epoll, EPOLL_CTL_ADD, c->listener, &e)) {
		free(c);
		return NULL;
	}
	return c;
}

void lurk_control_close(struct lurk_control *control)
{
	if (!control)
		return;
	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++)
		shut(control, &control->clients[i]);
	close(control->listener);
	close(control->epoll);
	unlink(control->options.path);
	free(control);
}
