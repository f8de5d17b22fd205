/* What a key costs in user space on its way through the service, from the kernel's bytes in to the
 * virtual keyboard's out: relay RULES presses keys on a keyboard of 500 entries under so many
 * rules. The kernel is a pipe, whose end is read as an event node, and a file that takes
 * everything. */
#include "../src/port/linux/linux.c"

#include "lurk/session.h"

enum { ENTRIES = 500, RULES = 4096, PRESSES = 1000 };

static struct lurk_linux machine;
static struct lurk_session session;
static int kernel; /* where its bytes are written */
static uint64_t until_us = LURK_NEVER;

__attribute__((noinline)) static void one_event(void)
{
	lurk_linux_wait(&machine, until_us, NULL, NULL);
	until_us = lurk_session_run(&session);
}

static void make_keyboard(void)
{
	struct keyboard *k = &machine.keyboards[0];
	struct lurk_event_node *node = &k->nodes[0];
	int ends[2];

	if (pipe2(ends, O_NONBLOCK))
		exit(1);
	kernel = ends[1];
	*node = (struct lurk_event_node){.fd = ends[0],
					 .witness = -1,
					 .out = open("/dev/null", O_WRONLY),
					 .virtual = (struct libevdev_uinput *)&machine,
					 .wiring = LURK_WIRING_HID,
					 .scans = true,
					 .taken = true};
	node->codes = calloc(KEY_CNT, sizeof *node->codes);
	node->table = calloc(ENTRIES, sizeof *node->table);
	node->table_entries = ENTRIES;
	for (uint16_t i = 0; i < ENTRIES; i++) {
		lurk_key key = lurk_scan_key(lurk_scan_make(LURK_SCAN_HID, 0x70000U + i));

		node->table[i] = (struct lurk_node_entry){.raw = 0x70000U + i,
							  .scan = {0x70000U + i, LURK_SCAN_HID},
							  .original = key,
							  .now = key,
							  .index = i};
	}
	lurk_node_make_places(node);
	k->used = k->announced = k->taken = true;
	k->node_count = 1;
	watch(&machine, node->fd, 0, 0, false);
}

static void send_key(uint32_t raw, uint16_t code, int value)
{
	const struct input_event events[] = {
		{.type = EV_MSC, .code = MSC_SCAN, .value = (int)raw},
		{.type = EV_KEY, .code = code, .value = value},
		{.type = EV_SYN, .code = SYN_REPORT},
	};

	if (write(kernel, events, sizeof events) != sizeof events)
		exit(1);
	one_event();
}

int main(int argc, char **argv)
{
	static struct lurk_session_keyboard keyboards[LURK_LINUX_KEYBOARDS];
	static struct lurk_engine_keyboard engines[LURK_LINUX_KEYBOARDS];
	static struct lurk_rule rules[RULES];
	static _Alignas(16) uint8_t memory[1 << 20];
	unsigned count = argc > 1 ? (unsigned)atoi(argv[1]) : 1;
	struct lurk_profile profile = {.name = {"bench", 5}, .rules = rules, .rule_count = count};
	struct lurk_image_parts parts = {&profile, 1, NULL, 0};
	struct lurk_compile_report report;
	struct lurk_keymap *keymap;
	struct lurk_image image;
	struct lurk_compile_job job = {&image, 0, 0, LURK_WIRING_HID, false};
	uint8_t *bytes;
	size_t size;

	rules[0].press.on = (struct lurk_target){.kind = LURK_TARGET_KEY, .key = LURK_KEY_CAPSLOCK};
	rules[0].gives = (struct lurk_result){.kind = LURK_GIVES_KEY, .key = LURK_KEY_TAB};
	for (unsigned i = 1; i < count; i++) {
		rules[i].press.on.kind = LURK_TARGET_SCAN;
		rules[i].press.on.scan = lurk_scan_make(LURK_SCAN_HID, 0xff000000U + i * 3);
		rules[i].gives =
			(struct lurk_result){.kind = LURK_GIVES_KEY, .key = LURK_KEY_1 + i % 40};
	}
	lurk_image_write(&parts, NULL, 0, &size);
	bytes = malloc(size);
	if (!bytes || lurk_image_write(&parts, bytes, size, &size) ||
	    lurk_image_open(bytes, size, &image) ||
	    lurk_compile(&job, memory, sizeof memory, &keymap, &report))
		return 1;
	machine.port.calls = &linux_class;
	machine.epoll = epoll_create1(EPOLL_CLOEXEC);
	make_keyboard();
	session.port = &machine.port;
	session.memory = (struct lurk_session_memory){.keyboards = keyboards,
						      .engine_keyboards = engines,
						      .keyboard_count = LURK_LINUX_KEYBOARDS};
	session.numbers = session.engines = 1;
	session.rulesets[0].loaded = true;
	lurk_engine_init(&session.engine, engines, LURK_LINUX_KEYBOARDS);
	lurk_engine_use(&session.engine, 0, keymap);
	keyboards[0] = (struct lurk_session_keyboard){.present = true,
						      .used = true,
						      .taken = true,
						      .holds = LURK_HOLD_RULES,
						      .keymap = keymap,
						      .choice = {.way = LURK_WAY_RELAY},
						      .open_us = LURK_NEVER,
						      .caps_us = LURK_NEVER};
	lurk_chord_init(&keyboards[0].chord);
	for (unsigned i = 0; i < 2 * PRESSES; i++) {
		static const lurk_key keys[] = {LURK_KEY_A, LURK_KEY_CAPSLOCK, LURK_KEY_ENTER,
						LURK_KEY_SPACE};
		lurk_key key = keys[i / 2 % 4];

		send_key(lurk_key_scan_on(key, LURK_WIRING_HID).code, key, i % 2 == 0);
	}
	return session.engine.presses == PRESSES ? 0 : 2;
}
