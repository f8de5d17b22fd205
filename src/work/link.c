#include "work/link.h"

#include <errno.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "service/protocol.h"
#include "text/hex.h"
#include "work/rights.h"
#include "work/system.h"

enum { NOT_ALLOWED = -32001, UNSAFE = -32006 }; /* docs/control.md */

/* Longer than the service lets one wait for another's long line, and than it may hang before
 * systemd ends it. */
enum { PATIENCE_S = 3 * LURK_CONTROL_PATIENCE_S };

/* ---- The connection -------------------------------------------------------------------------- */

static int connect_to(const char *path, int *error)
{
	const struct timeval patience = {.tv_sec = PATIENCE_S};
	struct sockaddr_un address = {.sun_family = AF_UNIX};
	int fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);

	snprintf(address.sun_path, sizeof address.sun_path, "%s", path);
	if (fd < 0 || connect(fd, (struct sockaddr *)&address, sizeof address)) {
		*error = errno;
		if (fd >= 0)
			close(fd);
		return -1;
	}
	setsockopt(fd, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
	setsockopt(fd, SOL_SOCKET, SO_SNDTIMEO, &patience, sizeof patience);
	return fd;
}

bool lurk_link_is_coming(const char *state)
{
	return !strcmp(state, "active") || !strcmp(state, "activating");
}

/* Once it was killed, systemd starts it again at once: nobody need be told. */
static int connect_when_it_is_back(int *error)
{
	enum { PAUSE_US = 100000, PAUSES = 50 };
	char state[LURK_UNIT_STATE];
	int fd = connect_to(LURK_CONTROL_PATH, error);

	for (unsigned i = 0; fd < 0 && *error != EACCES && i < PAUSES; i++) {
		if (!lurk_link_is_coming(lurk_unit_state(state)) &&
		    strcmp(state, "deactivating") != 0)
			break;
		usleep(PAUSE_US);
		fd = connect_to(LURK_CONTROL_PATH, error);
	}
	return fd;
}

/* To the service that was started in the place of the one that ended. */
static bool open_again(struct lurk_link *link)
{
	int error,
		fd = link->path ? connect_to(link->path, &error) : connect_when_it_is_back(&error);

	if (fd < 0)
		return false;
	close(link->fd);
	link->fd = fd;
	link->length = 0;
	return true;
}

/* ---- Requests and answers -------------------------------------------------------------------- */

int64_t lurk_link_number(struct json_object *object, const char *name)
{
	struct json_object *value;

	return json_object_object_get_ex(object, name, &value) ? json_object_get_int64(value) : 0;
}

bool lurk_link_flag(struct json_object *object, const char *name)
{
	struct json_object *value;

	return json_object_object_get_ex(object, name, &value) && json_object_get_boolean(value);
}

const char *lurk_link_text(struct json_object *object, const char *name)
{
	struct json_object *value;

	return json_object_object_get_ex(object, name, &value) &&
			       json_object_get_type(value) == json_type_string
		       ? json_object_get_string(value)
		       : "";
}

void lurk_link_copy(struct json_object *object, const char *name, char *out, size_t size)
{
	snprintf(out, size, "%s", lurk_link_text(object, name));
	lurk_make_harmless(out);
}

char *lurk_link_line(const struct lurk_link *link)
{
	return link->length ? memchr(link->in, '\n', link->length) : NULL;
}

static bool receive(struct lurk_link *link, struct lurk_message *message)
{
	ssize_t n;

	if (link->length == link->size) {
		link->size = link->size ? 2 * link->size : 4096;
		link->in = lurk_resize(link->in, link->size);
	}
	do
		n = recv(link->fd, link->in + link->length, link->size - link->length, 0);
	while (n < 0 && errno == EINTR);
	if (n < 0 && errno == EAGAIN)
		return lurk_say(message,
				"the service has not answered for %d seconds; `systemctl status "
				"lurkd` may say why, and `lurk status` later what is in force",
				PATIENCE_S);
	if (n <= 0) {
		shutdown(link->fd, SHUT_RDWR); /* for whoever asks next */
		return lurk_say(message, "the service ended the connection");
	}
	link->length += (size_t)n;
	return true;
}

struct json_object *lurk_link_read(struct lurk_link *link, struct lurk_message *message)
{
	struct json_object *object;
	char *end;

	while (!(end = lurk_link_line(link))) {
		if (!receive(link, message))
			return NULL;
	}
	*end = '\0';
	object = json_tokener_parse(link->in);
	link->length -= (size_t)(end + 1 - link->in);
	memmove(link->in, end + 1, link->length);
	if (!object)
		lurk_say(message, "the service's answer cannot be read; is it of another version?");
	return object;
}

/* Whether a method asks whose rules are meant. */
static bool is_about_rules(const char *method)
{
	static const char *const methods[] = {"status", "image", "apply", "try", "use"};
	bool is = false;

	for (size_t i = 0; i < sizeof methods / sizeof *methods; i++)
		is = is || !strcmp(method, methods[i]);
	return is;
}

/* Where it cannot be sent, that shows when the answer is awaited. */
static void send_line(const struct lurk_link *link, struct json_object *request)
{
	size_t length;
	const char *text =
		json_object_to_json_string_length(request, JSON_C_TO_STRING_PLAIN, &length);
	char *line = lurk_copy(text, length + 1), *at = line;
	ssize_t n;

	line[length++] = '\n';
	while (length && (n = send(link->fd, at, length, MSG_NOSIGNAL)) >= 0) {
		at += n;
		length -= (size_t)n;
	}
	lurk_release(line);
}

/* The answer, to be freed; NULL with a message, and with `ended` where the service did. */
static struct json_object *ask(struct lurk_link *link, struct json_object *request,
			       struct lurk_message *message, bool *ended)
{
	struct json_object *answer, *unused;
	char byte;

	send_line(link, request);
	/* A notification may come between: it is for follow(). */
	while ((answer = lurk_link_read(link, message)) &&
	       json_object_object_get_ex(answer, "method", &unused))
		json_object_array_add(link->kept, answer);
	*ended = !answer && !recv(link->fd, &byte, 1, MSG_PEEK | MSG_DONTWAIT);
	return answer;
}

/* Whether it is as good twice as once: the others mean what was there before. */
static bool may_be_repeated(const char *method, struct json_object *params)
{
	return strcmp(method, "keep") != 0 && strcmp(method, "end_try") != 0 &&
	       !lurk_link_flag(params, "previous");
}

static struct json_object *result_of(struct json_object *answer, struct lurk_outcome *outcome)
{
	struct json_object *result = NULL, *error, *data = NULL;
	char remedy[LURK_REMEDY];

	if (json_object_object_get_ex(answer, "result", &result)) {
		outcome->error = LURK_OK;
		return json_object_get(result);
	}
	if (!json_object_object_get_ex(answer, "error", &error))
		return NULL;
	if (lurk_link_number(error, "code") == UNSAFE) {
		outcome->unknown = true;
		lurk_say(&outcome->why, "%s", lurk_link_text(error, "message"));
		return NULL;
	}
	lurk_say(&outcome->why, "the service refuses: %s%s", lurk_link_text(error, "message"),
		 lurk_link_number(error, "code") == NOT_ALLOWED
			 ? lurk_rights_remedy(lurk_link_text(error, "message"), remedy)
			 : "");
	if (json_object_object_get_ex(error, "data", &data)) {
		outcome->error = (enum lurk_error)lurk_link_number(data, "error");
		outcome->report.keyboard = (uint16_t)lurk_link_number(data, "keyboard");
		outcome->report.compile.rules[0] = (uint32_t)lurk_link_number(data, "rule");
		outcome->report.compile.rules[1] = (uint32_t)lurk_link_number(data, "other_rule");
	}
	return NULL;
}

struct json_object *lurk_link_call(struct lurk_link *link, const char *method,
				   struct json_object *params, struct lurk_outcome *outcome)
{
	struct json_object *request = json_object_new_object(), *answer, *result = NULL;
	bool ended;

	params = params ? params : json_object_new_object();
	if (link->computer && is_about_rules(method))
		json_object_object_add(params, "whose", json_object_new_string("computer"));
	json_object_object_add(request, "jsonrpc", json_object_new_string("2.0"));
	json_object_object_add(request, "id", json_object_new_int64(++link->calls));
	json_object_object_add(request, "method", json_object_new_string(method));
	json_object_object_add(request, "params", params);
	outcome->error = LURK_ERR_PORT;
	answer = ask(link, request, &outcome->why, &ended);
	if (!answer && ended && may_be_repeated(method, params) && open_again(link))
		answer = ask(link, request, &outcome->why, &ended);
	outcome->unknown = !answer;
	if (answer) /* which may say so as well */
		result = result_of(answer, outcome);
	else if (ended)
		lurk_say(&outcome->why, "the service ended before it answered; `lurk status` tells "
					"what is in force now");
	json_object_put(request);
	json_object_put(answer);
	return result;
}

struct lurk_link *lurk_link_open(const char *path, int *error)
{
	const bool usual = !path || !*path;
	struct lurk_link *link;
	int fd = usual ? connect_when_it_is_back(error) : connect_to(path, error);

	if (fd < 0)
		return NULL;
	link = lurk_allocate(1, sizeof *link);
	link->fd = fd;
	link->path = usual ? NULL : lurk_copy(path, strlen(path));
	link->kept = json_object_new_array();
	return link;
}

void lurk_link_close(struct lurk_link *link)
{
	close(link->fd);
	lurk_release(link->path);
	lurk_release(link->in);
	json_object_put(link->kept);
	lurk_release(link->bytes);
	lurk_release(link->below_bytes);
	lurk_release(link);
}
