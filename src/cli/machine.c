#include "cli/machine.h"

#include <errno.h>
#include <poll.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include <json-c/json.h>

#include "service/protocol.h"
#include "text/hex.h"

enum { KEYBOARDS = 64, IMAGE_MAX = 1 << 19, PATIENCE_S = 10, TICK_MS = 100 };

/* A connection to the service, and what it last said. */
struct service_link {
	int fd;
	unsigned calls;
	char *in; /* what came, and was not taken yet */
	size_t length, size;
	struct json_object *kept; /* notifications that came while an answer was awaited */
	struct lurk_session_keyboard keyboards[KEYBOARDS];
	struct lurk_store_report store;
	uint8_t *bytes; /* of the image */
	struct lurk_image image;
};

/* ---- One call ------------------------------------------------------------------------------ */

static int64_t number(struct json_object *object, const char *name)
{
	struct json_object *value;

	return json_object_object_get_ex(object, name, &value) ? json_object_get_int64(value) : 0;
}

static bool flag(struct json_object *object, const char *name)
{
	struct json_object *value;

	return json_object_object_get_ex(object, name, &value) && json_object_get_boolean(value);
}

static const char *text(struct json_object *object, const char *name)
{
	struct json_object *value;

	return json_object_object_get_ex(object, name, &value) &&
			       json_object_get_type(value) == json_type_string
		       ? json_object_get_string(value)
		       : "";
}

static void copy_text(struct json_object *object, const char *name, char *out, size_t size)
{
	snprintf(out, size, "%s", text(object, name));
	lurk_make_harmless(out);
}

static char *line_end(const struct service_link *link)
{
	return link->length ? memchr(link->in, '\n', link->length) : NULL;
}

static bool receive(struct service_link *link, struct lurk_message *message)
{
	ssize_t n;

	if (link->length == link->size) {
		link->size = link->size ? 2 * link->size : 4096;
		link->in = realloc(link->in, link->size);
		if (!link->in)
			abort();
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

static struct json_object *read_line(struct service_link *link, struct lurk_message *message)
{
	struct json_object *object;
	char *end;

	while (!(end = line_end(link))) {
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

/* Sends a request and returns the answer's result, to be freed; NULL with what the service said.
 * Takes `params`. */
static struct json_object *call(struct service_link *link, const char *method,
				struct json_object *params, struct cli_outcome *outcome)
{
	struct json_object *request = json_object_new_object(), *answer, *result = NULL, *error;

	json_object_object_add(request, "jsonrpc", json_object_new_string("2.0"));
	json_object_object_add(request, "id", json_object_new_int64(++link->calls));
	json_object_object_add(request, "method", json_object_new_string(method));
	if (params)
		json_object_object_add(request, "params", params);
	dprintf(link->fd, "%s\n", json_object_to_json_string_ext(request, JSON_C_TO_STRING_PLAIN));
	json_object_put(request);
	outcome->error = LURK_ERR_PORT;
	do { /* a notification may come between: it is for follow() */
		answer = read_line(link, &outcome->why);
		if (!answer)
			return NULL;
		if (!json_object_object_get_ex(answer, "method", &error))
			break;
		json_object_array_add(link->kept, answer);
	} while (true);
	if (json_object_object_get_ex(answer, "error", &error)) {
		struct json_object *data = NULL;

		lurk_say(&outcome->why, "the service refuses: %s", text(error, "message"));
		if (json_object_object_get_ex(error, "data", &data)) {
			outcome->error = (enum lurk_error)number(data, "error");
			outcome->report.keyboard = (uint16_t)number(data, "keyboard");
			outcome->report.compile.rules[0] = (uint32_t)number(data, "rule");
			outcome->report.compile.rules[1] = (uint32_t)number(data, "other_rule");
		}
	} else if (json_object_object_get_ex(answer, "result", &result)) {
		outcome->error = LURK_OK;
		result = json_object_get(result);
	}
	json_object_put(answer);
	return result;
}

/* ---- What it said -------------------------------------------------------------------------- */

static uint8_t place_in(const char *word, const char *const *words, unsigned count)
{
	for (unsigned i = 0; i < count; i++) {
		if (!strcmp(words[i], word))
			return (uint8_t)i;
	}
	return 0;
}

static void read_keyboard(struct json_object *one, struct cli_machine *machine)
{
	int64_t place = number(one, "number");
	struct lurk_session_keyboard *k;
	struct lurk_identity *identity;

	if (place < 0 || place >= KEYBOARDS)
		return;
	k = &machine->service->keyboards[place];
	identity = &k->info.identity;
	k->present = true;
	copy_text(one, "name", identity->name, sizeof identity->name);
	copy_text(one, "serial", identity->serial, sizeof identity->serial);
	copy_text(one, "place", identity->place, sizeof identity->place);
	copy_text(one, "seat", k->info.seat, sizeof k->info.seat);
	identity->bus = place_in(text(one, "bus"), lurk_bus_words, 5);
	identity->wiring = place_in(text(one, "wiring"), lurk_wiring_words, 3);
	identity->built_in = flag(one, "built_in");
	identity->vendor = (uint16_t)number(one, "vendor");
	identity->product = (uint16_t)number(one, "product");
	identity->version = (uint16_t)number(one, "version");
	k->info.table_entries = (uint16_t)number(one, "table_entries");
	k->info.others_changes = (uint16_t)number(one, "others_changes");
	k->info.locks = (uint8_t)number(one, "locks");
	if (strlen(text(one, "declares")) == 2 * sizeof k->info.declares)
		lurk_hex_read(text(one, "declares"), 2 * sizeof k->info.declares, k->info.declares);
	k->used = flag(one, "used");
	k->described = (uint16_t)number(one, "described");
	k->choice.way = place_in(text(one, "way"), lurk_way_words, 3);
	k->choice.reason = (uint8_t)number(one, "reason");
	k->choice.forced = flag(one, "forced");
	k->choice.key = (lurk_key)number(one, "key");
	k->choice.from = (lurk_key)number(one, "from");
	k->choice.other = (lurk_key)number(one, "other");
	k->choice.changes = (unsigned)number(one, "changes");
	k->unsettled = (lurk_key)number(one, "waits_for");
	k->trouble = (enum lurk_error)number(one, "trouble");
	machine->lit |= (uint8_t)number(one, "lit");
}

static void read_slots(struct json_object *list, struct lurk_store_report *store)
{
	size_t count = json_object_array_length(list);

	store->slots = count < LURK_SLOTS_MAX ? (unsigned)count : LURK_SLOTS_MAX;
	for (unsigned i = 0; i < store->slots; i++) {
		struct json_object *one = json_object_array_get_idx(list, i);

		store->why[i] = (enum lurk_error)number(one, "error");
		store->sequence[i] = (uint64_t)number(one, "sequence");
	}
}

/* The bytes of an image that the service has, to be freed; NULL where it does not. */
static uint8_t *get_image(struct service_link *link, uint64_t sequence, size_t *length,
			  struct cli_outcome *outcome)
{
	struct json_object *params = json_object_new_object(), *result;
	uint8_t *bytes;
	const char *digits;

	if (sequence) /* else the one that is loaded */
		json_object_object_add(params, "sequence",
				       json_object_new_int64((int64_t)sequence));
	result = call(link, "image", params, outcome);
	if (!result)
		return NULL;
	digits = text(result, "image");
	*length = strlen(digits) / 2;
	bytes = malloc(*length + 1);
	if (!bytes)
		abort();
	if (!lurk_hex_read(digits, 2 * *length, bytes)) {
		free(bytes);
		bytes = NULL;
	}
	json_object_put(result);
	return bytes;
}

static bool look_at_image(struct cli_machine *machine, uint64_t sequence,
			  struct cli_outcome *outcome)
{
	struct service_link *link = machine->service;
	size_t length;

	if (!sequence && !machine->trying)
		return true;
	if (!link->bytes || link->image.sequence != sequence || !sequence) {
		free(link->bytes);
		link->bytes = get_image(link, sequence, &length, outcome);
		if (!link->bytes)
			return false;
		if (lurk_image_open(link->bytes, length, &link->image))
			return lurk_say(&outcome->why,
					"the service's rules cannot be read; is it of another "
					"version?");
	}
	machine->image = &link->image;
	return true;
}

static bool look(struct cli_machine *machine, struct cli_outcome *outcome)
{
	struct service_link *link = machine->service;
	struct json_object *status, *may = NULL, *list;
	bool fine;

	if (machine->desk) {
		machine->image = lurk_session_image(&machine->desk->session);
		if (machine->image) {
			struct lurk_profile profile;

			lurk_image_profile(machine->image,
					   lurk_session_profile(&machine->desk->session), &profile);
			snprintf(machine->profile, sizeof machine->profile, "%.*s",
				 (int)profile.word.length, profile.word.bytes);
		}
		machine->off = machine->desk->session.mode.off;
		machine->trying = machine->desk->session.mode.trying;
		return true;
	}
	status = call(link, "status", NULL, outcome);
	if (!status)
		return false;
	memset(link->keyboards, 0, sizeof link->keyboards);
	memset(&link->store, 0, sizeof link->store);
	machine->image = NULL;
	machine->lit = 0;
	copy_text(status, "profile", machine->profile, sizeof machine->profile);
	copy_text(status, "storage", machine->storage, sizeof machine->storage);
	machine->off = flag(status, "off");
	machine->trying = flag(status, "trying");
	machine->seconds_left = (unsigned)number(status, "seconds_left");
	machine->may_change = json_object_object_get_ex(status, "may", &may) && flag(may, "change");
	machine->may_watch = may && flag(may, "watch");
	link->store.newest = (int)number(status, "newest");
	if (json_object_object_get_ex(status, "slots", &list))
		read_slots(list, &link->store);
	if (json_object_object_get_ex(status, "keyboards", &list)) {
		for (size_t i = 0; i < json_object_array_length(list); i++)
			read_keyboard(json_object_array_get_idx(list, i), machine);
	}
	fine = look_at_image(machine, (uint64_t)number(status, "sequence"), outcome);
	json_object_put(status);
	return fine;
}

bool cli_machine_look(struct cli_machine *machine, struct lurk_message *message)
{
	struct cli_outcome outcome = {LURK_OK, {0}, {""}};
	bool fine = look(machine, &outcome);

	if (!fine)
		*message = outcome.why;
	return fine;
}

/* ---- Opening ------------------------------------------------------------------------------- */

struct cli_machine *cli_machine_of_desk(struct lurk_computer *desk)
{
	struct cli_outcome unused;
	struct cli_machine *machine = calloc(1, sizeof *machine);

	if (!machine)
		abort();
	machine->desk = desk;
	machine->keyboards = desk->session.memory.keyboards;
	machine->keyboard_count = desk->session.memory.keyboard_count;
	machine->store = &desk->session.store;
	machine->may_change = machine->may_watch = true;
	look(machine, &unused);
	return machine;
}

static bool kernel_says_off(void)
{
	char line[4096] = "";
	FILE *file = fopen("/proc/cmdline", "re");
	const char *found =
		file && fgets(line, sizeof line, file) ? strstr(line, "lurk.off") : NULL;

	if (file)
		fclose(file);
	return found && (found == line || found[-1] == ' ') &&
	       (found[8] == ' ' || found[8] == '\n' || !found[8]);
}

static bool say_no_service(struct lurk_message *message, int error)
{
	if (error == EACCES)
		return lurk_say(message, "no permission to reach the service");
	if (kernel_says_off())
		return lurk_say(message,
				"the kernel was started with lurk.off, so the service does "
				"nothing and every key does its usual job; start without "
				"that word to have the rules back");
	if (access("/run/systemd/system", F_OK) == 0)
		return lurk_say(message,
				"the service does not run, so no rule is in force: `sudo lurk "
				"install` sets it up, `systemctl status lurkd` says what happened "
				"to it (--desk FOLDER works on a simulated desk)");
	return lurk_say(message, "the service does not run, so no rule is in force: start lurkd as "
				 "root (--desk FOLDER works on a simulated desk)");
}

struct cli_machine *cli_machine_of_service(struct lurk_message *message)
{
	const char *path = getenv("LURK_SOCKET");
	struct sockaddr_un address = {.sun_family = AF_UNIX};
	const struct timeval patience = {.tv_sec = PATIENCE_S};
	struct cli_machine *machine;
	struct service_link *link;
	int fd;

	snprintf(address.sun_path, sizeof address.sun_path, "%s",
		 path && *path ? path : LURK_CONTROL_PATH);
	fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
	if (fd < 0 || connect(fd, (struct sockaddr *)&address, sizeof address)) {
		say_no_service(message, errno);
		if (fd >= 0)
			close(fd);
		return NULL;
	}
	setsockopt(fd, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
	machine = calloc(1, sizeof *machine);
	link = calloc(1, sizeof *link);
	if (!machine || !link)
		abort();
	link->fd = fd;
	link->kept = json_object_new_array();
	machine->service = link;
	machine->keyboards = link->keyboards;
	machine->keyboard_count = KEYBOARDS;
	machine->store = &link->store;
	if (!cli_machine_look(machine, message)) {
		cli_machine_close(machine);
		return NULL;
	}
	return machine;
}

void cli_machine_close(struct cli_machine *machine)
{
	if (!machine)
		return;
	if (machine->service) {
		close(machine->service->fd);
		free(machine->service->in);
		json_object_put(machine->service->kept);
		free(machine->service->bytes);
		free(machine->service);
	}
	free(machine);
}

/* ---- Changing ------------------------------------------------------------------------------ */

static uint8_t read_locks(struct json_object *result, const char *name)
{
	struct json_object *list;
	uint8_t locks = 0;

	if (!json_object_object_get_ex(result, name, &list))
		return 0;
	for (size_t i = 0; i < json_object_array_length(list); i++) {
		const char *key = json_object_get_string(json_object_array_get_idx(list, i));

		for (unsigned lock = 0; lock < LURK_LOCK_COUNT; lock++) {
			if (key && !strcmp(key, lurk_key_name(lurk_lock_key((enum lurk_lock)lock))))
				locks |= (uint8_t)(1U << lock);
		}
	}
	return locks;
}

static bool change(struct cli_machine *machine, const char *method, struct json_object *params,
		   struct cli_outcome *outcome)
{
	struct json_object *result;

	json_object_object_add(params, "keep_locks", json_object_new_boolean(machine->keep_locks));
	result = call(machine->service, method, params, outcome);
	if (!result)
		return false;
	outcome->report.locks_pressed = read_locks(result, "locks_pressed");
	outcome->report.locks_unknown = read_locks(result, "locks_unknown");
	json_object_put(result);
	/* A lock's light follows its key with a little delay. */
	if (outcome->report.locks_pressed)
		usleep(300000);
	return look(machine, outcome);
}

static bool say_outcome(struct cli_outcome *outcome)
{
	return !outcome->error || lurk_say(&outcome->why, "%s", lurk_error_text(outcome->error));
}

static struct json_object *with_image(const uint8_t *image, size_t length)
{
	struct json_object *params = json_object_new_object();
	char *digits = malloc(2 * length + 1);

	if (!digits)
		abort();
	json_object_object_add(params, "image",
			       json_object_new_string(lurk_hex_write(image, length, digits)));
	free(digits);
	return params;
}

bool cli_machine_apply(struct cli_machine *machine, const uint8_t *image, size_t length,
		       const char *profile, struct cli_outcome *outcome)
{
	const struct lurk_text word = {profile, profile ? strlen(profile) : 0};
	struct json_object *params;

	memset(outcome, 0, sizeof *outcome);
	if (machine->desk) {
		const struct lurk_request request = {LURK_NOBODY, machine->keep_locks};

		outcome->error = lurk_session_apply(&machine->desk->session, &request, image,
						    length, word, &outcome->report);
		if (!outcome->error)
			lurk_computer_settle(machine->desk);
		return look(machine, outcome) && say_outcome(outcome);
	}
	params = with_image(image, length);
	if (profile)
		json_object_object_add(params, "profile", json_object_new_string(profile));
	return change(machine, "apply", params, outcome);
}

bool cli_machine_try(struct cli_machine *machine, const uint8_t *image, size_t length,
		     unsigned seconds, struct cli_outcome *outcome)
{
	struct json_object *params;

	memset(outcome, 0, sizeof *outcome);
	if (machine->desk) {
		const struct lurk_request request = {LURK_NOBODY, machine->keep_locks};

		outcome->error = lurk_session_try(&machine->desk->session, &request, image, length,
						  seconds * UINT64_C(1000000), &outcome->report);
		lurk_computer_settle(machine->desk);
		return look(machine, outcome) && say_outcome(outcome);
	}
	params = with_image(image, length);
	json_object_object_add(params, "seconds", json_object_new_int64(seconds));
	return change(machine, "try", params, outcome);
}

bool cli_machine_keep(struct cli_machine *machine, struct cli_outcome *outcome)
{
	memset(outcome, 0, sizeof *outcome);
	if (!machine->desk)
		return change(machine, "keep", json_object_new_object(), outcome);
	outcome->error = lurk_session_keep(&machine->desk->session, NULL);
	lurk_computer_settle(machine->desk);
	return look(machine, outcome) && say_outcome(outcome);
}

bool cli_machine_end_try(struct cli_machine *machine, struct cli_outcome *outcome)
{
	memset(outcome, 0, sizeof *outcome);
	if (!machine->desk)
		return change(machine, "end_try", json_object_new_object(), outcome);
	lurk_session_end_try(&machine->desk->session);
	lurk_computer_settle(machine->desk);
	return look(machine, outcome);
}

bool cli_machine_switch(struct cli_machine *machine, bool off, struct cli_outcome *outcome)
{
	struct json_object *params;

	memset(outcome, 0, sizeof *outcome);
	if (machine->desk) {
		const struct lurk_request request = {LURK_NOBODY, machine->keep_locks};

		outcome->error = lurk_session_switch(&machine->desk->session, &request, off,
						     &outcome->report);
		lurk_computer_settle(machine->desk);
		return look(machine, outcome) && say_outcome(outcome);
	}
	params = json_object_new_object();
	json_object_object_add(params, "off", json_object_new_boolean(off));
	return change(machine, "switch", params, outcome);
}

bool cli_machine_use(struct cli_machine *machine, const char *word, bool while_open,
		     struct cli_outcome *outcome)
{
	struct json_object *params;

	memset(outcome, 0, sizeof *outcome);
	if (machine->desk)
		return lurk_say(&outcome->why, "on a simulated desk a script chooses the profile: "
					       "`use NAME` in it, or a key with such a rule");
	params = json_object_new_object();
	if (word)
		json_object_object_add(params, "profile", json_object_new_string(word));
	else
		json_object_object_add(params, "previous", json_object_new_boolean(true));
	json_object_object_add(params, "while_connected", json_object_new_boolean(while_open));
	return change(machine, "use", params, outcome);
}

bool cli_machine_stored(struct cli_machine *machine, uint64_t sequence, uint8_t **bytes,
			size_t *length)
{
	struct cli_outcome unused;
	struct lurk_store_report report;
	struct lurk_image image;

	if (!machine->desk) {
		*bytes = get_image(machine->service, sequence, length, &unused);
		return *bytes != NULL;
	}
	*bytes = malloc(IMAGE_MAX);
	if (!*bytes)
		abort();
	if (lurk_store_load(lurk_sim_port(machine->desk->sim), sequence + 1, *bytes, IMAGE_MAX,
			    &image, &report) ||
	    image.sequence != sequence) {
		free(*bytes);
		*bytes = NULL;
		return false;
	}
	*length = image.length;
	return true;
}

/* ---- Watching ------------------------------------------------------------------------------ */

static volatile sig_atomic_t interrupted;

static void on_interrupt(int signal)
{
	(void)signal;
	interrupted = 1;
}

static bool tell_key(struct json_object *params, const struct cli_watching *w)
{
	struct lurk_event event = {.time_us = (uint64_t)number(params, "time_us"),
				   .keyboard = (uint16_t)number(params, "keyboard")};
	struct lurk_action action = {.gives = LURK_GIVES_ITSELF};
	struct json_object *rule;
	const char *scan = text(params, "scan");

	event.key.interface = (uint8_t)number(params, "interface");
	event.key.key = (lurk_key)number(params, "key");
	event.key.state = place_in(text(params, "state"), lurk_state_words, 3);
	lurk_scan_read(scan, strlen(scan), &event.key.scan);
	if (json_object_object_get_ex(params, "rule", &rule)) {
		action.rank = 1;
		action.rule = (uint16_t)json_object_get_int64(rule);
		action.key = (lurk_key)number(params, "gives");
		action.gives = action.key ? LURK_GIVES_KEY : LURK_GIVES_NOTHING;
		if (flag(params, "itself"))
			action.gives = LURK_GIVES_ITSELF;
	}
	return w->key(w->data, &event, &action);
}

static int64_t now_ms(void)
{
	struct timespec now;

	clock_gettime(CLOCK_MONOTONIC, &now);
	return (int64_t)now.tv_sec * 1000 + now.tv_nsec / 1000000;
}

static struct json_object *next_line(struct service_link *link, struct lurk_message *message)
{
	struct json_object *line = json_object_array_get_idx(link->kept, 0);

	if (!line)
		return read_line(link, message);
	json_object_get(line);
	json_object_array_del_idx(link->kept, 0, 1);
	return line;
}

/* Deals with one notification; false where the watch is over, `fine` whether as it should be. */
static bool take_notification(struct service_link *link, const struct cli_watching *w, bool *fine,
			      struct lurk_message *message)
{
	struct json_object *line = next_line(link, message), *params = NULL;
	bool going = true;

	*fine = line != NULL;
	if (!line)
		return false;
	json_object_object_get_ex(line, "params", &params);
	if (!strcmp(text(line, "method"), "watch_ended"))
		*fine = going = lurk_say(message, "the watch ended: %s", text(params, "why"));
	else if (!strcmp(text(line, "method"), "key"))
		going = tell_key(params, w);
	json_object_put(line);
	return going;
}

static bool take_typed(const struct cli_watching *w)
{
	char typed[64];
	ssize_t n = read(STDIN_FILENO, typed, sizeof typed);
	bool going = true;

	for (ssize_t i = 0; w->typed && going && i < n; i++)
		going = w->typed(w->data, typed[i]);
	return going;
}

/* Until one of the two ends it, by itself or from outside. */
static bool follow(struct service_link *link, const struct cli_watching *w, bool tty,
		   struct lurk_message *message)
{
	int64_t until = now_ms() + (int64_t)w->seconds * 1000;
	struct pollfd ready[2] = {{link->fd, POLLIN, 0}, {tty ? STDIN_FILENO : -1, POLLIN, 0}};
	bool fine = true;

	interrupted = 0;
	while (!interrupted) {
		int64_t left = w->seconds ? until - now_ms() : INT32_MAX;
		bool waits = json_object_array_length(link->kept) || line_end(link);
		int n;

		if (left <= 0 || (w->tick && !w->tick(w->data, (unsigned)(left + 999) / 1000)))
			return true;
		n = poll(ready, 2, waits ? 0 : w->tick && left > TICK_MS ? TICK_MS : (int)left);
		if (n > 0 && ready[1].revents && !take_typed(w))
			return true;
		if ((waits || (n > 0 && ready[0].revents)) &&
		    !take_notification(link, w, &fine, message))
			return fine;
	}
	return true;
}

bool cli_machine_watch(struct cli_machine *machine, const struct cli_watching *watching,
		       struct lurk_message *message)
{
	struct sigaction on = {.sa_handler = on_interrupt}, before;
	struct termios silent, terminal;
	bool tty = tcgetattr(STDIN_FILENO, &terminal) == 0, fine;
	struct json_object *params = watching->take ? json_object_new_object() : NULL, *result;
	struct cli_outcome outcome;

	if (params) {
		json_object_object_add(params, "take", json_object_new_boolean(true));
		json_object_object_add(params, "seconds", json_object_new_int64(watching->seconds));
	}
	result = call(machine->service, watching->deaf ? "status" : "watch", params, &outcome);
	if (!result) {
		*message = outcome.why;
		return false;
	}
	json_object_put(result);
	sigaction(SIGINT, &on, &before);
	if (tty) { /* what is typed meanwhile shall not end up in the shell */
		silent = terminal;
		silent.c_lflag &= ~(tcflag_t)(ECHO | ICANON);
		tcsetattr(STDIN_FILENO, TCSANOW, &silent);
	}
	if (watching->prompt)
		fprintf(stderr, "%s\n", watching->prompt);
	fine = follow(machine->service, watching, tty, message);
	if (tty)
		tcsetattr(STDIN_FILENO, TCSAFLUSH, &terminal);
	sigaction(SIGINT, &before, NULL);
	result = fine && !watching->deaf ? call(machine->service, "unwatch", NULL, &outcome) : NULL;
	json_object_put(result);
	json_object_put(machine->service->kept);
	machine->service->kept = json_object_new_array();
	return fine;
}
