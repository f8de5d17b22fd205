#include "service/control.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <sys/epoll.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/timerfd.h>
#include <sys/un.h>
#include <time.h>
#include <unistd.h>

#include "service/bytes.h"
#include "service/rpc.h"

enum { LISTENER = 0xfffe, TIMER, READ_SIZE = 4096, WAITING_MAX = 64 * 1024, BACKLOG = 16 };
/* Beyond this a line, in or out, is long. */
enum { LONG = 64 * 1024 };

struct client {
	int fd; /* -1 where free */
	struct lurk_peer peer;
	enum lurk_rank rank;
	struct lurk_caller caller;
	struct lurk_bytes in, out;
	unsigned budget; /* requests that it may make at once */
	time_t refilled;
	uint64_t last;   /* counts all that clients do: when this one did something */
	bool leaving;    /* told why; closed as soon as that is read */
	bool waits;      /* until no other client's long line is on its way */
	uint64_t queued; /* by the clock, since when its line waits until all is stored; or 0 */
	json_t *held;    /* its answer, until what it asked for is safe from a power cut */
};

struct lurk_control {
	struct lurk_session *session;
	struct lurk_control_options options;
	struct lurk_rpc rpc;
	int listener, epoll, timer;
	int spare; /* a descriptor that is given up where there is none to answer with */
	unsigned watchers;
	unsigned changes; /* of the session's, those that were told of */
	uint64_t clock;
	struct client *long_one; /* whose long line is on its way */
	time_t long_since;
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

/* What lies below the stack: registers that a call has saved may be part of a line. */
static __attribute__((noinline)) void wipe_stack(void)
{
	char below[64 * 1024];

	explicit_bzero(below, sizeof below);
}

static void shut(struct lurk_control *c, struct client *client)
{
	bool watched = client->caller.watching;

	if (client->fd < 0)
		return;
	lurk_rpc_gone(&c->rpc, &client->caller);
	close(client->fd);
	lurk_bytes_free(&client->in);
	lurk_bytes_free(&client->out);
	json_decref(client->held);
	memset(client, 0, sizeof *client);
	client->fd = -1;
	if (c->long_one == client)
		c->long_one = NULL;
	if (watched) {
		count_watchers(c);
		wipe_stack();
	}
}

/* A client that does not read its answers is not asked for more; one that waits is asked nothing.
 */
static void listen_for(struct lurk_control *c, struct client *client)
{
	struct epoll_event e = {.data.u32 = (uint32_t)(client - c->clients)};

	if (client->out.length)
		e.events = EPOLLOUT;
	else if (!client->waits && !client->held && !client->queued)
		e.events = EPOLLIN;
	epoll_ctl(c->epoll, EPOLL_CTL_MOD, client->fd, &e);
}

static void flush(struct lurk_control *c, struct client *client)
{
	bool waited = client->out.length;

	while (client->out.length) {
		ssize_t n = send(client->fd, client->out.at, client->out.length,
				 MSG_NOSIGNAL | MSG_DONTWAIT);

		if (n < 0 && errno == EINTR)
			continue;
		if (n < 0 && errno == EAGAIN)
			break;
		if (n <= 0) {
			shut(c, client);
			return;
		}
		lurk_bytes_drop(&client->out, (size_t)n);
	}
	if (!client->out.length && client->out.size > LONG)
		lurk_bytes_free(&client->out);
	if (client->leaving && !client->out.length)
		shut(c, client);
	else if (waited)
		listen_for(c, client);
}

/* Who cannot be told is shown out: an answer too few would be taken for another's. */
static void tell(struct lurk_control *c, struct client *client, const char *line, size_t length)
{
	if (client->fd < 0)
		return;
	if (lurk_bytes_add(&client->out, line, length))
		flush(c, client);
	else
		shut(c, client);
}

static void show_out(struct lurk_control *c, struct client *client, const char *line)
{
	if (client->fd < 0)
		return;
	client->leaving = true;
	tell(c, client, line, strlen(line));
}

/* ---- Long lines -------------------------------------------------------------------------------
 */

/* At the latest in so many seconds: one timer wakes whoever waits, and the listener. */
static void set_timer(struct lurk_control *c, time_t seconds)
{
	const struct itimerspec time = {.it_value = {.tv_sec = seconds}};
	struct itimerspec set = {.it_value = {0}};

	timerfd_gettime(c->timer, &set);
	if ((!set.it_value.tv_sec && !set.it_value.tv_nsec) || set.it_value.tv_sec >= seconds)
		timerfd_settime(c->timer, 0, &time, NULL);
}

static bool has_long(const struct client *client)
{
	return client->in.size > LONG || client->out.size > LONG;
}

/* For how long others still wait for the long line that is on its way; 0 where they need not. */
static time_t patience_left(const struct lurk_control *c)
{
	const time_t until = c->long_since + LURK_CONTROL_PATIENCE_S, now = now_s();

	return c->long_one && has_long(c->long_one) && until > now ? until - now : 0;
}

/* Whether this client may have a long line on its way now; else it waits. */
static bool may_be_long(struct lurk_control *c, struct client *client)
{
	const time_t left = c->long_one == client ? 0 : patience_left(c);

	if (left) {
		client->waits = true;
		listen_for(c, client);
		set_timer(c, left);
		return false;
	}
	if (c->long_one && c->long_one != client && has_long(c->long_one))
		shut(c, c->long_one);
	if (c->long_one != client)
		c->long_since = now_s();
	c->long_one = client;
	return true;
}

/* ---- Watching ------------------------------------------------------------------------------ */

/* Each seat's keys are for who is at its screen; another seat's end nothing. */
static void on_key(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	static const char ended[] =
		"{\"jsonrpc\":\"2.0\",\"method\":\"watch_ended\",\"params\":{\"why\":"
		"\"another session is at the screen now\"}}\n";
	static const char deaf[] = LURK_RPC_ERROR_LINE(-32004, "does not read what it watches");
	struct lurk_control *c = data;
	const struct lurk_session_keyboard *k = &c->session->memory.keyboards[event->keyboard];
	const bool own = k->top && !action->below;
	const char *seat = k->info.seat;
	char line[LURK_RPC_KEY_LINE] = "";
	size_t length = 0;

	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		struct client *client = &c->clients[i];

		if (client->fd < 0 || !client->caller.watching)
			continue;
		if (!lurk_peer_may_watch(&client->peer, &c->options.rights, client->caller.seat)) {
			lurk_rpc_end_watch(&c->rpc, &client->caller);
			count_watchers(c);
			tell(c, client, ended, sizeof ended - 1);
		} else if (!lurk_peer_may_watch(&client->peer, &c->options.rights, seat)) {
			continue;
		} else if (client->out.length > WAITING_MAX - LURK_RPC_KEY_LINE) {
			show_out(c, client, deaf);
			shut(c, client);
		} else {
			length = length ? length : lurk_rpc_key(event, action, own, line);
			tell(c, client, line, length);
		}
	}
	explicit_bzero(line, sizeof line);
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

static void ask_rights(struct lurk_control *c, struct client *client)
{
	client->rank = lurk_peer_rights(&client->peer, &c->options.rights, &client->caller);
}

static int write_part(const char *part, size_t length, void *client)
{
	return lurk_bytes_add(&((struct client *)client)->out, part, length) ? 0 : -1;
}

/* Sends an answer as a line, and frees it. False where it has to wait: then it is to be asked for
 * again, which only a long one is, that tells and changes nothing. */
static bool tell_answer(struct lurk_control *c, struct client *client, json_t *answer)
{
	static const char starved[] = LURK_RPC_ERROR_LINE(
		-32005, "the service has no memory for this; what came of it is not known");
	const size_t before = client->out.length;
	const bool whole = answer &&
			   !json_dump_callback(answer, write_part, client, JSON_COMPACT) &&
			   lurk_bytes_add(&client->out, "\n", 1);

	json_decref(answer);
	if (!whole || (client->out.size > LONG && !may_be_long(c, client))) {
		client->out.length = before;
		if (whole) {
			lurk_bytes_free(&client->out);
			return false;
		}
		tell(c, client, starved, sizeof starved - 1);
		return true;
	}
	flush(c, client);
	return true;
}

static bool is_storing(const struct lurk_control *c)
{
	return c->options.storing && c->options.storing(c->options.storing_data);
}

/* False where the line has to wait. What stores waits for what is being stored, and its answer for
 * the disk: no key does. */
static bool take_line(struct lurk_control *c, struct client *client, size_t length)
{
	const bool watched = client->caller.watching;
	enum lurk_rpc_silence silence;
	json_t *answer;

	ask_rights(c, client);
	c->rpc.storing = is_storing(c);
	answer = lurk_rpc_call(&c->rpc, &client->caller, client->in.at, length, &silence);
	if (silence == LURK_RPC_LATER) {
		client->queued = ++c->clock;
		client->budget++; /* asked once, however often it is looked at */
		listen_for(c, client);
		return false;
	}
	if (client->caller.watching != watched)
		count_watchers(c);
	if (answer && !c->rpc.storing && is_storing(c)) {
		client->held = answer;
		listen_for(c, client);
		return true;
	}
	return silence == LURK_RPC_UNASKED || tell_answer(c, client, answer);
}

static size_t longest(const struct client *client)
{
	return client->rank >= LURK_RANK_MEMBER ? LURK_RPC_LINE
	       : client->caller.rights.own      ? LURK_RPC_OWN_LINE
						: LURK_RPC_SHORT_LINE;
}

static void take_lines(struct lurk_control *c, struct client *client)
{
	while (client->fd >= 0 && !client->leaving && !client->out.length && !client->waits &&
	       !client->held && !client->queued) {
		char *end =
			client->in.length ? memchr(client->in.at, '\n', client->in.length) : NULL;
		size_t length = end ? (size_t)(end - client->in.at) : client->in.length;

		if (length > longest(client))
			ask_rights(c, client);
		if (length > longest(client)) {
			show_out(c, client,
				 LURK_RPC_ERROR_LINE(-32004, "a line longer than it may be"));
			return;
		}
		if (!end)
			break;
		if (!within_budget(client)) {
			show_out(c, client,
				 LURK_RPC_ERROR_LINE(-32004, "too many requests in a second"));
			return;
		}
		if (!take_line(c, client, length) || client->fd < 0)
			return;
		lurk_bytes_drop(&client->in, length + 1);
	}
	if (client->fd >= 0 && !client->in.length && client->in.size > LONG)
		lurk_bytes_free(&client->in);
}

static void read_client(struct lurk_control *c, struct client *client)
{
	ssize_t n;

	client->last = ++c->clock;
	if (client->in.length + READ_SIZE > LONG && !may_be_long(c, client))
		return;
	if (!lurk_bytes_room(&client->in, READ_SIZE)) {
		shut(c, client);
		return;
	}
	n = recv(client->fd, client->in.at + client->in.length, READ_SIZE, MSG_DONTWAIT);
	if (n < 0 && (errno == EAGAIN || errno == EINTR))
		return;
	if (n <= 0) {
		shut(c, client);
		return;
	}
	client->in.length += (size_t)n;
	take_lines(c, client);
}

/* Those that waited go on where nothing long is on its way any more. */
static void go_on(struct lurk_control *c)
{
	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		struct client *client = &c->clients[i];

		if (client->fd < 0 || !client->waits)
			continue;
		if (patience_left(c)) {
			set_timer(c, patience_left(c));
			return;
		}
		client->waits = false;
		listen_for(c, client);
		take_lines(c, client);
	}
}

/* Who has waited longest to store something. */
static struct client *first_queued(struct lurk_control *c)
{
	struct client *first = NULL;

	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		struct client *one = &c->clients[i];

		if (one->fd >= 0 && one->queued && (!first || one->queued < first->queued))
			first = one;
	}
	return first;
}

static void take_on(struct lurk_control *c, struct client *client)
{
	client->queued = 0;
	if (client->fd < 0)
		return;
	listen_for(c, client);
	take_lines(c, client);
}

/* What they ask next comes after all that wait. */
void lurk_control_stored(struct lurk_control *control, enum lurk_error error)
{
	bool answered[LURK_CONTROL_CLIENTS] = {false};
	struct client *next;

	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		struct client *client = &control->clients[i];
		json_t *answer = client->held;

		if (client->fd < 0 || !answer)
			continue;
		client->held = NULL;
		answered[i] = true;
		tell_answer(control, client, error ? lurk_rpc_unsafe(answer, error) : answer);
	}
	while (!is_storing(control) && (next = first_queued(control)))
		take_on(control, next);
	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		if (answered[i])
			take_on(control, &control->clients[i]);
	}
}

/* ---- Places -------------------------------------------------------------------------------- */

/* Who goes where there is no place: of the least rights, below these, the longest silent. */
static struct client *least(struct lurk_control *c, enum lurk_rank below)
{
	struct client *found = NULL;

	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		struct client *one = &c->clients[i];

		if (one->fd < 0 || one->rank >= below)
			continue;
		if (!found || one->rank < found->rank ||
		    (one->rank == found->rank && one->last < found->last))
			found = one;
	}
	return found;
}

/* A place for somebody new, for whom another may have to go. */
static struct client *make_place(struct lurk_control *c, uid_t uid, enum lurk_rank rank)
{
	struct client *place = NULL, *goes = NULL;
	unsigned same = 0, strangers = 0;

	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		struct client *one = &c->clients[i];

		if (one->fd < 0) {
			place = place ? place : one;
			continue;
		}
		same += one->peer.uid == uid;
		strangers += one->rank == LURK_RANK_NONE;
	}
	if (same >= LURK_CONTROL_PER_USER)
		return NULL;
	if (rank == LURK_RANK_NONE && strangers >= LURK_CONTROL_STRANGERS)
		goes = least(c, LURK_RANK_AT_SCREEN);
	else if (!place)
		goes = least(c, rank);
	if (goes)
		shut(c, goes);
	return goes ? goes : place;
}

static const char full[] = LURK_RPC_ERROR_LINE(-32004, "too many clients");

/* Where there is no descriptor for somebody new, one is kept to say so; and where even that does
 * not help, nobody is let in for a second, lest the knocking keeps the service awake. */
static void turn_away(struct lurk_control *c)
{
	int fd;

	close(c->spare);
	fd = accept4(c->listener, NULL, NULL, SOCK_CLOEXEC | SOCK_NONBLOCK);
	if (fd >= 0) {
		send(fd, full, sizeof full - 1, MSG_NOSIGNAL | MSG_DONTWAIT);
		close(fd);
	}
	c->spare = open("/dev/null", O_RDONLY | O_CLOEXEC);
	if (fd >= 0)
		return;
	epoll_ctl(c->epoll, EPOLL_CTL_DEL, c->listener, NULL);
	set_timer(c, 1);
}

static void accept_client(struct lurk_control *c)
{
	int fd = accept4(c->listener, NULL, NULL, SOCK_CLOEXEC | SOCK_NONBLOCK);
	struct epoll_event e = {.events = EPOLLIN};
	struct client fresh = {.fd = fd, .budget = LURK_CONTROL_BURST, .last = ++c->clock};
	struct client *client = NULL;

	if (fd < 0) {
		if (errno == EMFILE || errno == ENFILE || errno == ENOMEM || errno == ENOBUFS)
			turn_away(c);
		return;
	}
	if (lurk_peer_of(fd, &c->options.rights, &fresh.peer)) {
		ask_rights(c, &fresh);
		client = make_place(c, fresh.peer.uid, fresh.rank);
	}
	if (!client) {
		send(fd, full, sizeof full - 1, MSG_NOSIGNAL | MSG_DONTWAIT);
		close(fd);
		return;
	}
	*client = fresh;
	client->caller.uid = fresh.peer.uid;
	client->refilled = now_s();
	lurk_rpc_come(&c->rpc, &client->caller);
	e.data.u32 = (uint32_t)(client - c->clients);
	if (epoll_ctl(c->epoll, EPOLL_CTL_ADD, fd, &e))
		shut(c, client);
}

static void listen_again(struct lurk_control *c)
{
	struct epoll_event e = {.events = EPOLLIN, .data.u32 = LISTENER};
	uint64_t expired;

	if (read(c->timer, &expired, sizeof expired) < 0)
		return;
	epoll_ctl(c->epoll, EPOLL_CTL_ADD, c->listener, &e); /* where it is not there already */
}

/* ---- A step --------------------------------------------------------------------------------- */

static void serve(struct lurk_control *c, struct client *client, uint32_t events)
{
	if (client->fd < 0)
		return;
	if (events & EPOLLOUT) {
		client->last = ++c->clock;
		flush(c, client);
		if (client->fd >= 0)
			take_lines(c, client);
	} else if (events & EPOLLIN) {
		read_client(c, client);
	} else {
		shut(c, client);
	}
}

void lurk_control_step(struct lurk_control *control)
{
	struct epoll_event events[LURK_CONTROL_CLIENTS + 2];
	int n = epoll_wait(control->epoll, events, LURK_CONTROL_CLIENTS + 2, 0);
	bool knock = false;

	for (int i = 0; i < n; i++) {
		if (events[i].data.u32 == LISTENER)
			knock = true;
		else if (events[i].data.u32 == TIMER)
			listen_again(control);
		else
			serve(control, &control->clients[events[i].data.u32], events[i].events);
	}
	go_on(control);
	if (knock) /* last: a place that becomes free here is not meant by what is above */
		accept_client(control);
}

/* ---- Opening ------------------------------------------------------------------------------- */

void lurk_control_tell(struct lurk_control *control)
{
	static const char changed[] = LURK_RPC_CHANGED;
	static const char deaf[] = LURK_RPC_ERROR_LINE(-32004, "does not read what it follows");

	if (control->changes == control->session->changes)
		return;
	control->changes = control->session->changes;
	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++) {
		struct client *client = &control->clients[i];

		if (client->fd < 0 || client->leaving || !client->caller.following)
			continue;
		ask_rights(control, client);
		if (!lurk_rpc_changed(&control->rpc, &client->caller))
			continue;
		if (client->out.length > WAITING_MAX - sizeof changed) {
			show_out(control, client, deaf);
			shut(control, client);
		} else {
			tell(control, client, changed, sizeof changed - 1);
		}
	}
}

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

static bool open_rest(struct lurk_control *c)
{
	struct epoll_event e = {.events = EPOLLIN, .data.u32 = LISTENER};
	struct epoll_event time = {.events = EPOLLIN, .data.u32 = TIMER};

	c->epoll = epoll_create1(EPOLL_CLOEXEC);
	c->timer = timerfd_create(CLOCK_MONOTONIC, TFD_CLOEXEC | TFD_NONBLOCK);
	c->spare = open("/dev/null", O_RDONLY | O_CLOEXEC);
	return c->epoll >= 0 && c->timer >= 0 && c->spare >= 0 &&
	       !epoll_ctl(c->epoll, EPOLL_CTL_ADD, c->listener, &e) &&
	       !epoll_ctl(c->epoll, EPOLL_CTL_ADD, c->timer, &time);
}

struct lurk_control *lurk_control_open(struct lurk_session *session,
				       const struct lurk_control_options *options,
				       struct lurk_message *message)
{
	struct lurk_control *c = calloc(1, sizeof *c);

	if (!c) {
		lurk_say(message, "%s: no memory for it", options->path);
		return NULL;
	}
	c->session = session;
	c->options = *options;
	c->rpc = (struct lurk_rpc){
		.session = session, .log = options->log, .log_data = options->log_data};
	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++)
		c->clients[i].fd = -1;
	c->epoll = c->timer = c->spare = -1;
	c->listener = make_listener(options->path, message);
	if (c->listener < 0) {
		free(c);
		return NULL;
	}
	if (open_rest(c))
		return c;
	lurk_say(message, "%s: cannot be served: %s", options->path, strerror(errno));
	lurk_control_close(c);
	return NULL;
}

void lurk_control_close(struct lurk_control *control)
{
	if (!control)
		return;
	for (unsigned i = 0; i < LURK_CONTROL_CLIENTS; i++)
		shut(control, &control->clients[i]);
	close(control->listener);
	if (control->epoll >= 0)
		close(control->epoll);
	if (control->timer >= 0)
		close(control->timer);
	if (control->spare >= 0)
		close(control->spare);
	unlink(control->options.path);
	free(control);
}
