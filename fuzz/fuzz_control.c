/* Control messages from anyone, a line each, by a caller who may do everything, against a session
 * on a machine without keyboards. Whatever comes, an answer is one line of JSON-RPC. */
#include <stdlib.h>
#include <string.h>

#include "service/rpc.h"

enum { IMAGE = 1 << 14, KEYMAPS = 1 << 16, KEYBOARDS = 2, SLOTS = 4 };

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

struct machine {
	struct lurk_port port;
	uint8_t slots[SLOTS][IMAGE];
	size_t lengths[SLOTS];
};

static unsigned slots(struct lurk_port *port, size_t *size)
{
	(void)port;
	*size = IMAGE;
	return SLOTS;
}

static enum lurk_error slot_read(struct lurk_port *port, unsigned slot, uint8_t *bytes, size_t size,
				 size_t *length)
{
	const struct machine *m = (struct machine *)port;

	*length = m->lengths[slot] < size ? m->lengths[slot] : size;
	memcpy(bytes, m->slots[slot], *length);
	return LURK_OK;
}

static enum lurk_error slot_write(struct lurk_port *port, unsigned slot, const uint8_t *bytes,
				  size_t length)
{
	struct machine *m = (struct machine *)port;

	memcpy(m->slots[slot], bytes, length);
	m->lengths[slot] = length;
	return LURK_OK;
}

static uint64_t now(struct lurk_port *port)
{
	(void)port;
	return 1;
}

static const struct lurk_port_class class = {.slots = slots,
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
	bool starved;
	json_t *reply = lurk_rpc_call(rpc, caller, line, length, &starved);
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
	static uint8_t images[2][IMAGE];
	static _Alignas(16) uint8_t keymaps[2][KEYMAPS];
	const struct lurk_session_memory memory = {keyboards, engines,
						   KEYBOARDS, {images[0], images[1]},
						   IMAGE,     {keymaps[0], keymaps[1]},
						   KEYMAPS};
	struct lurk_caller caller = {.rights = {true, true, true, true, false}};
	struct lurk_rpc rpc = {&session, say, NULL, NULL};
	const char *at = (const char *)data, *end = at + size;

	memset(machine.lengths, 0, sizeof machine.lengths);
	lurk_session_start(&session, &memory, &machine.port);
	lurk_rpc_come(&rpc, &caller);
	while (at < end) {
		const char *line_end = memchr(at, '\n', (size_t)(end - at));

		line_end = line_end ? line_end : end;
		call(&rpc, &caller, at, (size_t)(line_end - at));
		at = line_end + 1;
	}
	return 0;
}
