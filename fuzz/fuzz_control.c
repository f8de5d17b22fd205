/* Control messages from anyone, a line each, by turns from a caller who may do everything and from
 * the person at the screen, against a session on a machine without keyboards. Whatever comes, an
 * answer is one line of JSON-RPC, and the person changes nothing of the computer's. */
#include <stdlib.h>
#include <string.h>

#include "service/rpc.h"

enum { IMAGE = 1 << 14, KEYMAPS = 1 << 16, KEYBOARDS = 2, SLOTS = 4, RULESETS = 4 };
enum { PERSON = 1000 };

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

struct machine {
	struct lurk_port port;
	uint8_t slots[2 * SLOTS][IMAGE]; /* the computer's, then the person's */
	size_t lengths[2 * SLOTS];
};

static unsigned slots(struct lurk_port *port, size_t *size)
{
	(void)port;
	*size = IMAGE;
	return SLOTS;
}

static uint32_t person(struct lurk_port *port, const char *seat)
{
	(void)port;
	return *seat ? LURK_NOBODY : (uint32_t)PERSON;
}

static enum lurk_error slot_read(struct lurk_port *port, uint32_t owner, unsigned slot,
				 uint8_t *bytes, size_t size, size_t *length)
{
	const struct machine *m = (struct machine *)port;

	slot += owner == PERSON ? SLOTS : 0;
	*length = m->lengths[slot] < size ? m->lengths[slot] : size;
	memcpy(bytes, m->slots[slot], *length);
	return LURK_OK;
}

static enum lurk_error slot_write(struct lurk_port *port, uint32_t owner, unsigned slot,
				  const uint8_t *bytes, size_t length)
{
	struct machine *m = (struct machine *)port;

	slot += owner == PERSON ? SLOTS : 0;
	memcpy(m->slots[slot], bytes, length);
	m->lengths[slot] = length;
	return LURK_OK;
}

static uint64_t now(struct lurk_port *port)
{
	(void)port;
	return 1;
}

static const struct lurk_port_class class = {.person = person,
					     .slots = slots,
					     .slot_read = slot_read,
					     .slot_write = slot_write,
					     .now = now,
					     .elapsed = now};

static void say(void *data, const char *line)
{
	(void)data;
	if (strchr(line, '\n'))
		abort();
}

static void call(struct lurk_rpc *rpc, struct lurk_caller *caller, const char *line, size_t length)
{
	enum lurk_rpc_silence silence;
	json_t *reply = lurk_rpc_call(rpc, caller, line, length, &silence);
	char *text = reply ? json_dumps(reply, JSON_COMPACT) : NULL;

	if (reply && (!text || strchr(text, '\n') ||
		      !json_object_get(reply, "result") == !json_object_get(reply, "error")))
		abort();
	free(text);
	json_decref(reply);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static struct machine machine = {.port = {&class}};
	static struct lurk_session session;
	static struct lurk_session_keyboard keyboards[KEYBOARDS];
	static struct lurk_engine_keyboard engines[KEYBOARDS];
	static uint8_t images[RULESETS][IMAGE];
	static _Alignas(16) uint8_t keymaps[RULESETS][KEYMAPS];
	struct lurk_session_memory memory = {.keyboards = keyboards,
					     .engine_keyboards = engines,
					     .keyboard_count = KEYBOARDS,
					     .image_size = IMAGE,
					     .keymap_size = KEYMAPS};
	struct lurk_caller callers[2] = {
		{.rights = {.status = true, .change = true, .off = true, .watch = true}},
		{.uid = PERSON,
		 .rights = {.status = true, .off = true, .watch = true, .own = true}}};
	struct lurk_rpc rpc = {&session, say, NULL, NULL, false};
	const char *at = (const char *)data, *end = at + size;

	memset(machine.lengths, 0, sizeof machine.lengths);
	for (unsigned i = 0; i < RULESETS; i++) {
		memory.images[i] = images[i];
		memory.keymaps[i] = keymaps[i];
	}
	lurk_session_start(&session, &memory, &machine.port);
	lurk_session_allow(&session, LURK_OWN_EVERYTHING);
	lurk_rpc_come(&rpc, &callers[0]);
	lurk_rpc_come(&rpc, &callers[1]);
	for (bool persons = false; at < end; persons = !persons) {
		const struct lurk_image *computers = lurk_session_image(&session, 0);
		const uint64_t was = computers ? computers->sequence : 0;
		const bool tried = session.mode.trying;
		const char *line_end = memchr(at, '\n', (size_t)(end - at));

		line_end = line_end ? line_end : end;
		call(&rpc, &callers[persons], at, (size_t)(line_end - at));
		computers = lurk_session_image(&session, 0);
		if (persons && !tried && (computers ? computers->sequence : 0) != was)
			abort();
		at = line_end + 1;
	}
	return 0;
}
