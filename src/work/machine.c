#include "lurk/work/machine.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "service/protocol.h"
#include "text/hex.h"
#include "work/link.h"
#include "work/system.h"

enum { EMPTY_IMAGE = 256 };

/* ---- Opening ------------------------------------------------------------------------------- */

struct lurk_machine *lurk_machine_of_session(struct lurk_session *session,
					     void (*settle)(void *data), void *data)
{
	struct lurk_outcome unused;
	struct lurk_machine *machine = lurk_allocate(1, sizeof *machine);

	machine->session = session;
	machine->settle = settle;
	machine->settle_data = data;
	machine->keyboards = session->memory.keyboards;
	machine->keyboard_count = session->memory.keyboard_count;
	machine->store = &session->store;
	machine->may_change = machine->may_watch = true;
	lurk_link_see(machine, &unused);
	return machine;
}

static void settle_desk(void *desk)
{
	lurk_computer_settle(desk);
}

struct lurk_machine *lurk_machine_of_desk(struct lurk_computer *desk)
{
	struct lurk_machine *machine = lurk_machine_of_session(&desk->session, settle_desk, desk);

	machine->desk = desk;
	return machine;
}

static struct lurk_request request_of(const struct lurk_machine *machine)
{
	return (struct lurk_request){.by = LURK_NOBODY, .keep_locks = machine->keep_locks};
}

static void settle(const struct lurk_machine *machine)
{
	machine->settle(machine->settle_data);
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

/* systemd's mark that it is to start with the system, which `lurk install` makes. */
#define ENABLED "/etc/systemd/system/multi-user.target.wants/lurkd.service"

static bool say_no_service(struct lurk_message *message, int error)
{
	char state[LURK_UNIT_STATE];

	if (error == EACCES)
		return lurk_say(message, "no permission to reach the service");
	if (kernel_says_off())
		return lurk_say(message,
				"the kernel was started with lurk.off, so the service does "
				"nothing and every key does its usual job; start without "
				"that word to have the rules back");
	if (lurk_link_is_coming(lurk_unit_state(state)))
		return lurk_say(message,
				"the service is being started again, and until then no rule is in "
				"force: try in a moment; `systemctl status lurkd` says what "
				"happened to it");
	if (*state)
		return lurk_say(message,
				"the service does not run, so no rule is in force: `sudo %s, "
				"`systemctl status lurkd` says what happened to it (--desk FOLDER "
				"works on a simulated desk)",
				!strcmp(state, "failed") ? "systemctl restart lurkd` starts it"
				: access(ENABLED, F_OK)  ? "lurk install` sets it up"
							 : "systemctl start lurkd` starts it");
	return lurk_say(message, "the service does not run, so no rule is in force: start lurkd as "
				 "root (--desk FOLDER works on a simulated desk)");
}

struct lurk_machine *lurk_machine_of_service(const char *path, bool computer,
					     struct lurk_message *message)
{
	struct lurk_machine *machine;
	int error;
	struct lurk_link *link = lurk_link_open(path, &error);

	if (!link) {
		say_no_service(message, error);
		return NULL;
	}
	link->computer = computer;
	machine = lurk_allocate(1, sizeof *machine);
	machine->service = link;
	machine->keyboards = link->keyboards;
	machine->keyboard_count = LURK_LINK_KEYBOARDS;
	machine->store = &link->store;
	if (!lurk_machine_look(machine, message)) {
		lurk_machine_close(machine);
		return NULL;
	}
	return machine;
}

void lurk_machine_close(struct lurk_machine *machine)
{
	if (!machine)
		return;
	if (machine->service)
		lurk_link_close(machine->service);
	lurk_release(machine);
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

static bool change(struct lurk_machine *machine, const char *method, struct json_object *params,
		   struct lurk_outcome *outcome)
{
	struct json_object *result;

	result = lurk_link_call(machine->service, method, params, outcome);
	if (!result)
		return false;
	outcome->report.locks_pressed = read_locks(result, "locks_pressed");
	outcome->report.locks_unknown = read_locks(result, "locks_unknown");
	json_object_put(result);
	/* A lock's light follows its key with a little delay. */
	if (outcome->report.locks_pressed)
		usleep(300000);
	return lurk_link_see(machine, outcome);
}

static bool say_outcome(struct lurk_outcome *outcome)
{
	return !outcome->error || lurk_say(&outcome->why, "%s", lurk_error_text(outcome->error));
}

static struct json_object *with_locks(const struct lurk_machine *machine)
{
	struct json_object *params = json_object_new_object();

	json_object_object_add(params, "keep_locks", json_object_new_boolean(machine->keep_locks));
	return params;
}

static struct json_object *with_image(const struct lurk_machine *machine, const uint8_t *image,
				      size_t length)
{
	struct json_object *params = with_locks(machine);
	char *digits = lurk_resize(NULL, 2 * length + 1);

	json_object_object_add(params, "image",
			       json_object_new_string(lurk_hex_write(image, length, digits)));
	lurk_release(digits);
	return params;
}

bool lurk_machine_apply(struct lurk_machine *machine, const uint8_t *image, size_t length,
			const char *profile, struct lurk_outcome *outcome)
{
	const struct lurk_text word = {profile, profile ? strlen(profile) : 0};
	struct json_object *params;

	memset(outcome, 0, sizeof *outcome);
	if (machine->session) {
		const struct lurk_request request = request_of(machine);

		outcome->error = lurk_session_apply(machine->session, &request, image, length, word,
						    &outcome->report);
		if (!outcome->error)
			settle(machine);
		return lurk_link_see(machine, outcome) && say_outcome(outcome);
	}
	params = with_image(machine, image, length);
	if (profile)
		json_object_object_add(params, "profile", json_object_new_string(profile));
	return change(machine, "apply", params, outcome);
}

bool lurk_machine_try(struct lurk_machine *machine, const uint8_t *image, size_t length,
		      unsigned seconds, struct lurk_outcome *outcome)
{
	struct json_object *params;

	memset(outcome, 0, sizeof *outcome);
	if (machine->session) {
		const struct lurk_request request = request_of(machine);

		outcome->error = lurk_session_try(machine->session, &request, image, length,
						  seconds * UINT64_C(1000000), &outcome->report);
		settle(machine);
		return lurk_link_see(machine, outcome) && say_outcome(outcome);
	}
	params = with_image(machine, image, length);
	json_object_object_add(params, "seconds", json_object_new_int64(seconds));
	return change(machine, "try", params, outcome);
}

bool lurk_machine_keep(struct lurk_machine *machine, struct lurk_outcome *outcome)
{
	memset(outcome, 0, sizeof *outcome);
	if (!machine->session)
		return change(machine, "keep", with_locks(machine), outcome);
	outcome->error = lurk_session_keep(machine->session, NULL);
	settle(machine);
	return lurk_link_see(machine, outcome) && say_outcome(outcome);
}

bool lurk_machine_end_try(struct lurk_machine *machine, struct lurk_outcome *outcome)
{
	memset(outcome, 0, sizeof *outcome);
	if (!machine->session)
		return change(machine, "end_try", json_object_new_object(), outcome);
	lurk_session_end_try(machine->session);
	settle(machine);
	return lurk_link_see(machine, outcome);
}

bool lurk_machine_switch(struct lurk_machine *machine, bool off, struct lurk_outcome *outcome)
{
	struct json_object *params;

	memset(outcome, 0, sizeof *outcome);
	if (machine->session) {
		const struct lurk_request request = request_of(machine);

		outcome->error =
			lurk_session_switch(machine->session, &request, off, &outcome->report);
		settle(machine);
		return lurk_link_see(machine, outcome) && say_outcome(outcome);
	}
	params = with_locks(machine);
	json_object_object_add(params, "off", json_object_new_boolean(off));
	return change(machine, "switch", params, outcome);
}

bool lurk_machine_use(struct lurk_machine *machine, const char *word, bool while_open,
		      struct lurk_outcome *outcome)
{
	struct json_object *params;

	memset(outcome, 0, sizeof *outcome);
	if (machine->session) {
		const struct lurk_request request = request_of(machine);
		const struct lurk_text text = {word, word ? strlen(word) : 0};
		const uint16_t found =
			word && machine->image ? lurk_image_find_profile(machine->image, text) : 0;

		if (while_open)
			return lurk_say(&outcome->why, "only a service switches for as long as a "
						       "program is connected");
		if (word && !found)
			return lurk_say(&outcome->why, "there is no profile `%s` that is applied",
					word);
		outcome->error = lurk_session_use(machine->session, &request,
						  word ? (uint16_t)(found - 1) : LURK_PREVIOUS,
						  &outcome->report);
		settle(machine);
		return lurk_link_see(machine, outcome) && say_outcome(outcome);
	}
	params = with_locks(machine);
	if (word)
		json_object_object_add(params, "profile", json_object_new_string(word));
	else
		json_object_object_add(params, "previous", json_object_new_boolean(true));
	json_object_object_add(params, "while_connected", json_object_new_boolean(while_open));
	return change(machine, "use", params, outcome);
}

bool lurk_machine_stored(struct lurk_machine *machine, uint64_t sequence, uint8_t **bytes,
			 size_t *length)
{
	struct lurk_outcome unused;
	struct lurk_store_report report;
	struct lurk_image image;

	if (!machine->session) {
		*bytes = lurk_link_image(machine->service, sequence, length, &unused);
		return *bytes != NULL;
	}
	*bytes = lurk_resize(NULL, LURK_LINK_IMAGE_MAX);
	if (lurk_store_load(machine->session->port, LURK_NOBODY, sequence + 1, *bytes,
			    LURK_LINK_IMAGE_MAX, &image, &report) ||
	    image.sequence != sequence) {
		lurk_release(*bytes);
		*bytes = NULL;
		return false;
	}
	*length = image.length;
	return true;
}

/* ---- Earlier versions ----------------------------------------------------------------------- */

bool lurk_machine_version(struct lurk_machine *machine, uint64_t sequence, uint8_t **bytes,
			  size_t *length)
{
	static const struct lurk_profile nothing = {.name = {"none", 4}};
	static const struct lurk_image_parts parts = {&nothing, 1, NULL, 0};

	if (sequence)
		return lurk_machine_stored(machine, sequence, bytes, length);
	*bytes = lurk_resize(NULL, EMPTY_IMAGE);
	return lurk_image_write(&parts, *bytes, EMPTY_IMAGE, length) == LURK_OK;
}

bool lurk_machine_go_back(struct lurk_machine *machine, const uint8_t *bytes, size_t length,
			  struct lurk_outcome *outcome)
{
	struct lurk_profile start = {0}, old_start = {0};
	struct lurk_image image;
	bool same;

	if (machine->image && machine->image->profile_count)
		lurk_image_profile(machine->image, 0, &start);
	if (lurk_image_open(bytes, length, &image) == LURK_OK && image.profile_count)
		lurk_image_profile(&image, 0, &old_start);
	same = start.word.length == old_start.word.length &&
	       (!start.word.length ||
		!strncasecmp(start.word.bytes, old_start.word.bytes, start.word.length));
	return lurk_machine_apply(machine, bytes, length, same ? machine->profile : NULL, outcome);
}
