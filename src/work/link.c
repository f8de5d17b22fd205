#include "work/link.h"

#include <errno.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "text/hex.h"
#include "work/rights.h"

enum { NOT_ALLOWED = -32001 }; /* docs/control.md */

enum { PATIENCE_S = 10 };

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
	n = recv(link->fd, link->in + link->length, link->size - link->length, 0);
	if (n <= 0)
		return lurk_say(message, n < 0 && errno == EAGAIN
						 ? "the service does not answer; `systemctl status "
						   "lurkd` may say why"
						 : "the service ended the connection");
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

/* Sends a request and returns the answer's result, to be freed; NULL with what the service said.
 * Takes `params`. */
struct json_object *lurk_link_call(struct lurk_link *link, const char *method,
				   struct json_object *params, struct lurk_outcome *outcome)
{
	struct json_object *request = json_object_new_object(), *answer, *result = NULL, *error;
	char remedy[LURK_REMEDY];

	if (link->computer && is_about_rules(method)) {
		params = params ? params : json_object_new_object();
		json_object_object_add(params, "whose", json_object_new_string("computer"));
	}
	json_object_object_add(request, "jsonrpc", json_object_new_string("2.0"));
	json_object_object_add(request, "id", json_object_new_int64(++link->calls));
	json_object_object_add(request, "method", json_object_new_string(method));
	if (params)
		json_object_object_add(request, "params", params);
	dprintf(link->fd, "%s\n", json_object_to_json_string_ext(request, JSON_C_TO_STRING_PLAIN));
	json_object_put(request);
	outcome->error = LURK_ERR_PORT;
	do { /* a notification may come between: it is for follow() */
		answer = lurk_link_read(link, &outcome->why);
		if (!answer)
			return NULL;
		if (!json_object_object_get_ex(answer, "method", &error))
			break;
		json_object_array_add(link->kept, answer);
	} while (true);
	if (json_object_object_get_ex(answer, "error", &error)) {
		struct json_object *data = NULL;

		lurk_say(&outcome->why, "the service refuses: %s%s",
			 lurk_link_text(error, "message"),
			 lurk_link_number(error, "code") == NOT_ALLOWED
				 ? lurk_rights_remedy(lurk_link_text(error, "message"), remedy)
				 : "");
		if (json_object_object_get_ex(error, "data", &data)) {
			outcome->error = (enum lurk_error)lurk_link_number(data, "error");
			outcome->report.keyboard = (uint16_t)lurk_link_number(data, "keyboard");
			outcome->report.compile.rules[0] = (uint32_t)lurk_link_number(data, "rule");
			outcome->report.compile.rules[1] =
				(uint32_t)lurk_link_number(data, "other_rule");
		}
	} else if (json_object_object_get_ex(answer, "result", &result)) {
		outcome->error = LURK_OK;
		result = json_object_get(result);
	}
	json_object_put(answer);
	return result;
}

struct lurk_link *lurk_link_open(const char *path, int *error)
{
	struct sockaddr_un address = {.sun_family = AF_UNIX};
	const struct timeval patience = {.tv_sec = PATIENCE_S};
	struct lurk_link *link;
	int fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);

	snprintf(address.sun_path, sizeof address.sun_path, "%s", path);
	if (fd < 0 || connect(fd, (struct sockaddr *)&address, sizeof address)) {
		*error = errno;
		if (fd >= 0)
			close(fd);
		return NULL;
	}
	setsockopt(fd, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
	link = lurk_allocate(1, sizeof *link);
	link->fd = fd;
	link->kept = json_object_new_array();
	return link;
}

void lurk_link_close(struct lurk_link *link)
{
	close(link->fd);
	lurk_release(link->in);
	json_object_put(link->kept);
	lurk_release(link->bytes);
	lurk_release(link->below_bytes);
	lurk_release(link);
}
