/* Keys as they come, from the service. */
#include <poll.h>
#include <string.h>
#include <time.h>

#include "service/protocol.h"
#include "work/link.h"

enum { TICK_MS = 100 };

/* A rule of somebody else's than those that are looked at has no number here. */
static bool tell_key(const struct lurk_machine *machine, struct json_object *params,
		     const struct lurk_watching *w)
{
	struct lurk_event event = {.time_us = (uint64_t)lurk_link_number(params, "time_us"),
				   .keyboard = (uint16_t)lurk_link_number(params, "keyboard")};
	struct lurk_action action = {.gives = LURK_GIVES_ITSELF};
	struct json_object *rule;
	const char *scan = lurk_link_text(params, "scan");

	event.key.interface = (uint8_t)lurk_link_number(params, "interface");
	event.key.key = (lurk_key)lurk_link_number(params, "key");
	event.key.state = lurk_link_place(lurk_link_text(params, "state"), lurk_state_words, 3);
	lurk_scan_read(scan, strlen(scan), &event.key.scan);
	if (json_object_object_get_ex(params, "rule", &rule)) {
		action.rank = machine->own == !strcmp(lurk_link_text(params, "whose"), "own");
		action.rule = (uint16_t)json_object_get_int64(rule);
		action.key = (lurk_key)lurk_link_number(params, "gives");
		action.gives = action.key ? LURK_GIVES_KEY : LURK_GIVES_NOTHING;
		if (lurk_link_flag(params, "itself"))
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

static struct json_object *next_line(struct lurk_link *link, struct lurk_message *message)
{
	struct json_object *line = json_object_array_get_idx(link->kept, 0);

	if (!line)
		return lurk_link_read(link, message);
	json_object_get(line);
	json_object_array_del_idx(link->kept, 0, 1);
	return line;
}

/* Deals with one notification; false where the watch is over, `fine` whether as it should be. */
static bool take_notification(const struct lurk_machine *machine, const struct lurk_watching *w,
			      bool *fine, struct lurk_message *message)
{
	struct lurk_link *link = machine->service;
	struct json_object *line = next_line(link, message), *params = NULL;
	bool going = true;

	*fine = line != NULL;
	if (!line)
		return false;
	json_object_object_get_ex(line, "params", &params);
	if (!strcmp(lurk_link_text(line, "method"), "watch_ended"))
		*fine = going =
			lurk_say(message, "the watch ended: %s", lurk_link_text(params, "why"));
	else if (!strcmp(lurk_link_text(line, "method"), "key"))
		going = tell_key(machine, params, w);
	json_object_put(line);
	return going;
}

/* Until one of the two ends it, by itself or from outside. */
static bool follow(const struct lurk_machine *machine, const struct lurk_watching *w,
		   struct lurk_message *message)
{
	struct lurk_link *link = machine->service;
	int64_t until = now_ms() + (int64_t)w->seconds * 1000;
	struct pollfd ready[2] = {{link->fd, POLLIN, 0}, {w->also ? w->also_fd : -1, POLLIN, 0}};
	bool fine = true;

	while (!w->stop || !*w->stop) {
		int64_t left = w->seconds ? until - now_ms() : INT32_MAX;
		bool waits = json_object_array_length(link->kept) || lurk_link_line(link);
		int n;

		if (left <= 0 || (w->tick && !w->tick(w->data, (unsigned)(left + 999) / 1000)))
			return true;
		n = poll(ready, 2, waits ? 0 : w->tick && left > TICK_MS ? TICK_MS : (int)left);
		if (n > 0 && ready[1].revents && w->also && !w->also(w->also_data))
			return true;
		if ((waits || (n > 0 && ready[0].revents)) &&
		    !take_notification(machine, w, &fine, message))
			return fine;
	}
	return true;
}

bool lurk_machine_watch(struct lurk_machine *machine, const struct lurk_watching *watching,
			struct lurk_message *message)
{
	struct json_object *params = watching->take ? json_object_new_object() : NULL, *result;
	struct lurk_outcome outcome;
	bool fine;

	if (!machine->service) {
		json_object_put(params);
		return lurk_say(message, "a session is watched with lurk_session_watch()");
	}
	if (params) {
		json_object_object_add(params, "take", json_object_new_boolean(true));
		json_object_object_add(params, "seconds", json_object_new_int64(watching->seconds));
	}
	result = lurk_link_call(machine->service, watching->deaf ? "status" : "watch", params,
				&outcome);
	if (!result) {
		*message = outcome.why;
		return false;
	}
	json_object_put(result);
	if (watching->begun)
		watching->begun(watching->also_data);
	fine = follow(machine, watching, message);
	result = fine && !watching->deaf
			 ? lurk_link_call(machine->service, "unwatch", NULL, &outcome)
			 : NULL;
	json_object_put(result);
	json_object_put(machine->service->kept);
	machine->service->kept = json_object_new_array();
	return fine;
}
