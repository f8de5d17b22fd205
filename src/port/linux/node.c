#include "port/linux/node.h"

#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <linux/uinput.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum { TABLE_MAX = 2048, TABLE_STEP = 64, EVENTS = 64 };

#define NO_RAW ((uint64_t)1 << 32)

/* By this in their place ours are told from all others; "virtual" alone says nothing, since
 * Bluetooth keyboards are virtual too. */
static const char own_phys[] = "lurk/relay";

static bool is_button(unsigned code)
{
	return code >= BTN_MISC && code < KEY_OK && code != BTN_MISC;
}

/* ---- The table ------------------------------------------------------------------------------ */

static bool read_entry(int fd, uint16_t index, struct lurk_node_entry *entry)
{
	struct input_keymap_entry ke = {.flags = INPUT_KEYMAP_BY_INDEX, .index = index};

	if (ioctl(fd, EVIOCGKEYCODE_V2, &ke))
		return false;
	memset(entry, 0, sizeof *entry);
	memcpy(&entry->raw, ke.scancode, ke.len < 4 ? ke.len : 4);
	entry->original = entry->now = (uint16_t)ke.keycode;
	entry->index = index;
	return true;
}

unsigned lurk_node_reread(struct lurk_event_node *node)
{
	struct lurk_node_entry entry, *grown;
	unsigned others = 0;

	node->table_entries = 0;
	while (node->table_entries < TABLE_MAX &&
	       read_entry(node->fd, node->table_entries, &entry)) {
		bool by_other;

		entry.original = lurk_record_original(node->record, node->input, entry.index,
						      entry.now, &by_other);
		others += by_other;
		if (node->table_entries % TABLE_STEP == 0) {
			grown = realloc(node->table,
					(node->table_entries + TABLE_STEP) * sizeof *node->table);
			if (!grown)
				break;
			node->table = grown;
		}
		node->table[node->table_entries++] = entry;
	}
	return others;
}

enum lurk_error lurk_node_error(int error)
{
	switch (error) {
	case 0:
		return LURK_OK;
	case EACCES:
	case EPERM:
		return LURK_ERR_DENIED;
	case ENODEV:
		return LURK_ERR_GONE;
	case EBUSY:
		return LURK_ERR_HELD;
	default:
		return LURK_ERR_PORT;
	}
}

enum lurk_error lurk_node_set(struct lurk_event_node *node, uint16_t entry, uint16_t code)
{
	struct lurk_node_entry *e = &node->table[entry];
	struct input_keymap_entry ke = {
		.flags = INPUT_KEYMAP_BY_INDEX, .index = e->index, .keycode = code, .len = 4};

	memcpy(ke.scancode, &e->raw, 4);
	if (!lurk_record_add(node->record,
			     &(struct lurk_record_line){node->input, e->index, e->original, code}))
		return LURK_ERR_PORT;
	if (ioctl(node->fd, EVIOCSKEYCODE_V2, &ke))
		return lurk_node_error(errno);
	e->now = code;
	return LURK_OK;
}

/* The key that a scan code is, whatever the table makes of it. */
static lurk_key original_key(struct lurk_event_node *node, uint32_t raw, uint16_t code)
{
	uint16_t key = code;

	uint16_t entry = node->last;

	if (entry >= node->table_entries || node->table[entry].raw != raw) {
		for (entry = 0; entry < node->table_entries; entry++) {
			if (node->table[entry].raw == raw)
				break;
		}
		if (entry < node->table_entries)
			node->last = entry; /* a release follows its press */
	}
	if (entry < node->table_entries)
		key = node->table[entry].original;
	return key == KEY_UNKNOWN || key > LURK_KEY_MAX ? (lurk_key)LURK_KEY_NONE : key;
}

/* ---- Opening -------------------------------------------------------------------------------- */

static bool hears(const struct lurk_event_node *node, lurk_key key)
{
	for (uint32_t i = 0; i < node->heard && i < LURK_NODE_HEARS; i++) {
		if (node->hears[i] == key)
			return true;
	}
	return false;
}

/* The key that a code is which came without its scan code. */
static lurk_key key_of_code(const struct lurk_event_node *node, uint16_t code)
{
	for (unsigned i = 0; i < node->table_entries; i++) {
		if (node->table[i].now == code && hears(node, node->table[i].original))
			return node->table[i].original;
	}
	return code;
}

/* The codes that the wanted keys send as the table is now. */
static void heard_codes(const struct lurk_event_node *node, uint8_t codes[KEY_CNT / 8])
{
	memset(codes, 0, KEY_CNT / 8);
	for (uint32_t i = 0; i < node->heard && i < LURK_NODE_HEARS; i++)
		codes[node->hears[i] / 8] |= (uint8_t)(1U << node->hears[i] % 8);
	for (unsigned i = 0; i < node->table_entries; i++) {
		const struct lurk_node_entry *e = &node->table[i];

		if (hears(node, e->original) && e->now < KEY_CNT)
			codes[e->now / 8] |= (uint8_t)(1U << e->now % 8);
	}
}

/* A reader that wants nothing is not woken up by any key, and one that wants a few not by others:
 * it does not get their scan codes either, which come with every key. What is no key, such as the
 * motion of a pointer on the same node, is for the relay alone. */
static void set_mask(const struct lurk_event_node *node)
{
	static const uint16_t relayed[] = {EV_KEY, EV_REL, EV_ABS, EV_MSC, EV_SW};
	static const uint8_t none[KEY_CNT / 8];
	uint8_t all[KEY_CNT / 8], keys[KEY_CNT / 8];
	bool every = node->heard == LURK_LISTEN_ALL;
	struct input_mask mask = {.codes_size = sizeof all};

	memset(all, 0xff, sizeof all);
	heard_codes(node, keys);
	for (unsigned code = 0; every && code < KEY_CNT; code++) {
		if (!is_button(code))
			keys[code / 8] |= (uint8_t)(1U << code % 8);
	}
	for (unsigned type = EV_KEY; type < EV_CNT; type++) {
		const uint8_t *wanted = type == EV_KEY            ? keys
					: type == EV_MSC && every ? all
								  : none;

		for (size_t i = 0; node->taken && i < sizeof relayed / sizeof *relayed; i++)
			wanted = relayed[i] == type ? all : wanted;
		mask.type = type;
		mask.codes_ptr = (uintptr_t)wanted;
		ioctl(node->fd, EVIOCSMASK, &mask);
	}
}

int lurk_node_open(struct lurk_event_node *node, const char *path, unsigned input,
		   struct lurk_record *record)
{
	int error;

	memset(node, 0, sizeof *node);
	snprintf(node->path, sizeof node->path, "%s", path);
	node->input = input;
	node->record = record;
	node->fd = open(path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
	if (node->fd < 0)
		return errno;
	error = -libevdev_new_from_fd(node->fd, &node->evdev);
	if (error) {
		close(node->fd);
		node->fd = -1;
		return error;
	}
	node->wiring = LURK_WIRING_HID;
	if (libevdev_get_id_bustype(node->evdev) == BUS_I8042)
		node->wiring = libevdev_get_id_product(node->evdev) == 1 ? LURK_WIRING_SET1
									 : LURK_WIRING_SET2;
	lurk_node_reread(node);
	set_mask(node);
	return 0;
}

void lurk_node_close(struct lurk_event_node *node)
{
	if (node->fd >= 0)
		close(node->fd);
	node->fd = -1;
	if (node->evdev)
		libevdev_free(node->evdev);
	node->evdev = NULL;
	free(node->table);
	node->table = NULL;
	node->table_entries = 0;
}

unsigned lurk_node_key_count(const struct lurk_event_node *node)
{
	unsigned count = 0;

	for (unsigned code = 1; node->evdev && code <= LURK_KEY_MAX; code++)
		count += !is_button(code) && libevdev_has_event_code(node->evdev, EV_KEY, code);
	return count;
}

bool lurk_node_wanted(const struct lurk_event_node *node)
{
	const char *phys = libevdev_get_phys(node->evdev);

	return (!phys || strncmp(phys, own_phys, sizeof own_phys - 1) != 0) &&
	       lurk_node_key_count(node);
}

/* ---- Events --------------------------------------------------------------------------------- */

static int held_place(const struct lurk_event_node *node, uint64_t raw)
{
	for (unsigned i = 0; i < node->held_count; i++) {
		if (node->held[i].raw == raw)
			return (int)i;
	}
	return -1;
}

static void tell_key(struct lurk_event_node *node, const struct lurk_node_sink *sink, uint64_t raw,
		     lurk_key key, enum lurk_state state)
{
	struct lurk_key_event event = {
		.key = key,
		.state = (uint8_t)state,
		.more = true,
	};

	if (!(raw & NO_RAW))
		event.scan = lurk_scan_on(lurk_scan_make(LURK_SCAN_RAW, (uint32_t)raw),
					  (enum lurk_wiring)node->wiring);
	sink->key(sink->data, node->time_us, &event);
}

static void key_event(struct lurk_event_node *node, const struct lurk_node_sink *sink,
		      uint16_t code, int value)
{
	/* Without a scan value (a repeat by the kernel, a device that has none) the key stands for
	 * it. */
	uint64_t raw = node->have_raw ? node->raw : NO_RAW | code;
	lurk_key key = node->have_raw ? original_key(node, node->raw, code)
		       : node->taken  ? code
				      : key_of_code(node, code);
	int place = held_place(node, raw);

	node->have_raw = false;
	if (value == 2)
		return;
	if (value && place < 0 && node->held_count < LURK_NODE_HELD) {
		node->held[node->held_count].raw = raw;
		node->held[node->held_count].code = code;
		node->held[node->held_count++].key = key;
	} else if (!value && place >= 0) {
		node->held[place] = node->held[--node->held_count];
	}
	tell_key(node, sink, raw, key, value ? LURK_DOWN : LURK_UP);
}

/* After lost events: what is no longer down is released; nothing is pressed. */
static void catch_up(struct lurk_event_node *node, const struct lurk_node_sink *sink)
{
	unsigned char down[KEY_CNT / 8 + 1] = {0};

	if (ioctl(node->fd, EVIOCGKEY(sizeof down), down) < 0)
		return;
	for (unsigned i = 0; i < node->held_count;) {
		uint16_t code = node->held[i].code;

		if (down[code / 8] >> code % 8 & 1) {
			i++;
			continue;
		}
		tell_key(node, sink, node->held[i].raw, node->held[i].key, LURK_UP);
		node->held[i] = node->held[--node->held_count];
	}
	sink->end(sink->data);
}

static void pass_on(struct lurk_event_node *node, const struct input_event *e)
{
	if (node->virtual)
		libevdev_uinput_write_event(node->virtual, e->type, e->code, e->value);
}

static void take_event(struct lurk_event_node *node, const struct lurk_node_sink *sink,
		       const struct input_event *e, bool *others)
{
	if (e->type == EV_SYN && e->code == SYN_DROPPED) {
		node->lost = true;
	} else if (e->type == EV_SYN && e->code == SYN_REPORT) {
		node->time_us =
			(uint64_t)e->input_event_sec * 1000000U + (uint64_t)e->input_event_usec;
		if (node->lost)
			catch_up(node, sink);
		else
			sink->end(sink->data);
		if (*others)
			pass_on(node, e);
		node->lost = node->have_raw = *others = false;
	} else if (node->lost) {
		return;
	} else if (e->type == EV_MSC && e->code == MSC_SCAN) {
		node->raw = (uint32_t)e->value;
		node->have_raw = true;
	} else if (e->type == EV_KEY && !is_button(e->code)) {
		node->time_us =
			(uint64_t)e->input_event_sec * 1000000U + (uint64_t)e->input_event_usec;
		key_event(node, sink, e->code, e->value);
	} else if (e->type == EV_KEY || e->type == EV_REL || e->type == EV_ABS ||
		   e->type == EV_SW) {
		pass_on(node, e);
		*others = true;
	}
}

bool lurk_node_read(struct lurk_event_node *node, const struct lurk_node_sink *sink)
{
	struct input_event events[EVENTS];
	bool others = false;

	for (;;) {
		ssize_t n = read(node->fd, events, sizeof events);

		if (n < 0 && errno == EINTR)
			continue;
		if (n <= 0)
			return n < 0 && errno == EAGAIN;
		for (size_t i = 0; i < (size_t)n / sizeof *events; i++)
			take_event(node, sink, &events[i], &others);
		if ((size_t)n < sizeof events)
			return true; /* that was all; what comes now wakes us up again */
	}
}

/* ---- Taking --------------------------------------------------------------------------------- */

static bool write_events(int fd, struct input_event *events, unsigned count)
{
	events[count++] = (struct input_event){.type = EV_SYN, .code = SYN_REPORT};
	return write(fd, events, count * sizeof *events) == (ssize_t)(count * sizeof *events);
}

static struct libevdev *describe(const struct lurk_event_node *node, bool every_key)
{
	struct libevdev *like = libevdev_new();
	char name[UINPUT_MAX_NAME_SIZE];

	if (!like)
		return NULL;
	snprintf(name, sizeof name, "%.60s (Lurk)", libevdev_get_name(node->evdev));
	libevdev_set_name(like, name);
	libevdev_set_id_bustype(like, libevdev_get_id_bustype(node->evdev));
	libevdev_set_id_vendor(like, libevdev_get_id_vendor(node->evdev));
	libevdev_set_id_product(like, libevdev_get_id_product(node->evdev));
	libevdev_set_id_version(like, libevdev_get_id_version(node->evdev));
	for (unsigned type = EV_KEY; type < EV_CNT; type++) {
		if (type == EV_FF || type == EV_PWR || type == EV_REP ||
		    !libevdev_has_event_type(node->evdev, type))
			continue;
		for (int code = 0; code <= libevdev_event_type_get_max(type); code++) {
			if (libevdev_has_event_code(node->evdev, type, (unsigned)code))
				libevdev_enable_event_code(
					like, type, (unsigned)code,
					type == EV_ABS
						? libevdev_get_abs_info(node->evdev, (unsigned)code)
						: NULL);
		}
	}
	for (lurk_key key = lurk_key_next(0); every_key && key; key = lurk_key_next(key))
		libevdev_enable_event_code(like, EV_KEY, key, NULL);
	if (libevdev_has_event_type(node->evdev, EV_REP))
		libevdev_enable_event_type(like, EV_REP);
	return like;
}

/* Repeats at the rate that the source was set to. */
static void copy_repeat(struct lurk_event_node *node)
{
	unsigned rate[2];
	struct input_event events[3] = {{.type = EV_REP, .code = REP_DELAY},
					{.type = EV_REP, .code = REP_PERIOD}};

	node->repeat_ms = 0;
	node->typed = false;
	if (ioctl(node->fd, EVIOCGREP, rate) < 0)
		return;
	events[0].value = node->repeat_ms = (int)rate[0];
	events[1].value = (int)rate[1];
	write_events(node->out, events, 2);
}

/* The place by which udev's rule gives the virtual node the source's seat. */
static const char *place(const struct lurk_event_node *node, char out[64])
{
	snprintf(out, 64, "%s%s%s", own_phys, *node->seat ? " " : "", node->seat);
	return out;
}

static enum lurk_error make_virtual(struct lurk_event_node *node, bool every_key)
{
	int fd = open("/dev/uinput", O_RDWR | O_NONBLOCK | O_CLOEXEC), error;
	struct libevdev *like;
	char phys[64];

	if (fd < 0)
		return errno == EACCES || errno == EPERM ? LURK_ERR_DENIED : LURK_ERR_NO_RELAY;
	like = describe(node, every_key);
	error = !like || ioctl(fd, UI_SET_PHYS, place(node, phys)) < 0
			? EIO
			: -libevdev_uinput_create_from_device(like, fd, &node->virtual);
	libevdev_free(like);
	if (error) {
		close(fd);
		return LURK_ERR_PORT;
	}
	node->out = fd;
	copy_repeat(node);
	return LURK_OK;
}

/* The kernel throws away a reader's waiting key events when that reader asks which keys are down;
 * so another one asks. */
static bool ask_down(const struct lurk_event_node *node, unsigned char down[KEY_CNT / 8 + 1])
{
	int fd = node->fd >= 0 ? open(node->path, O_RDONLY | O_NONBLOCK | O_CLOEXEC) : -1;
	bool known;

	memset(down, 0, KEY_CNT / 8 + 1);
	known = fd >= 0 && ioctl(fd, EVIOCGKEY(KEY_CNT / 8 + 1), down) >= 0;
	if (fd >= 0)
		close(fd);
	return known;
}

/* Writes presses or releases of all these keys into the source. */
static void write_held(const struct lurk_event_node *node,
		       const unsigned char down[KEY_CNT / 8 + 1], bool press)
{
	struct input_event events[KEY_CNT + 1] = {0};
	unsigned count = 0;

	for (unsigned code = 1; code < KEY_CNT; code++) {
		if (down[code / 8] >> code % 8 & 1)
			events[count++] = (struct input_event){
				.type = EV_KEY, .code = (uint16_t)code, .value = press};
	}
	if (count)
		write_events(node->fd, events, count);
}

enum lurk_error lurk_node_take(struct lurk_event_node *node, bool every_key)
{
	enum lurk_error error = make_virtual(node, every_key);
	unsigned char down[KEY_CNT / 8 + 1];
	uint32_t heard = node->heard;

	if (error)
		return error;
	/* What is held is released for everybody else before the grab, so that nothing stays
	 * pressed behind it; and pressed again behind it, or the kernel would not tell us when it
	 * comes up. None of this is for our own ears. */
	node->heard = 0;
	set_mask(node);
	ask_down(node, down);
	write_held(node, down, false);
	node->heard = heard;
	if (ioctl(node->fd, EVIOCGRAB, 1)) {
		error = lurk_node_error(errno);
		lurk_node_release(node);
		return error;
	}
	write_held(node, down, true);
	/* Only now: what came before the grab reached its readers by itself. */
	node->taken = true;
	node->held_count = 0;
	set_mask(node);
	return LURK_OK;
}

void lurk_node_release(struct lurk_event_node *node)
{
	unsigned char down[KEY_CNT / 8 + 1];

	if (node->fd >= 0 && node->taken) {
		/* What is held would go on repeating for everybody. */
		ask_down(node, down);
		write_held(node, down, false);
		ioctl(node->fd, EVIOCGRAB, 0);
	}
	node->taken = false;
	if (node->fd >= 0)
		set_mask(node);
	if (!node->virtual)
		return;
	libevdev_uinput_destroy(node->virtual);
	close(node->out);
	node->virtual = NULL;
}

/* Not only when something else is wanted: the table may have changed. */
void lurk_node_listen(struct lurk_event_node *node, const lurk_key *keys, uint32_t count)
{
	bool all = count == LURK_LISTEN_ALL;

	if (node->fd < 0)
		return;
	if (all != (node->heard == LURK_LISTEN_ALL))
		node->held_count = 0;
	node->heard = all || count < LURK_NODE_HEARS ? count : LURK_NODE_HEARS;
	for (uint32_t i = 0; !all && i < node->heard; i++)
		node->hears[i] = keys[i];
	if (!node->taken)
		set_mask(node);
}

bool lurk_node_is_down(const struct lurk_event_node *node, uint16_t code)
{
	unsigned char down[KEY_CNT / 8 + 1];

	return ask_down(node, down) && (down[code / 8] >> code % 8 & 1);
}

/* The kernel's numbers of the three lights are those of the HID usage tables, less one. */
uint8_t lurk_node_lit(const struct lurk_event_node *node)
{
	unsigned char lights[LED_CNT / 8 + 1] = {0};

	if (node->fd < 0 || ioctl(node->fd, EVIOCGLED(sizeof lights), lights) < 0)
		return 0;
	return lights[0] & ((1U << LURK_LOCK_COUNT) - 1);
}

uint8_t lurk_node_locks(const struct lurk_event_node *node)
{
	uint8_t locks = 0;

	for (unsigned lock = 0; node->evdev && lock < LURK_LOCK_COUNT; lock++)
		locks |= (uint8_t)(libevdev_has_event_code(node->evdev, EV_LED, lock) ? 1U << lock
										      : 0);
	return locks;
}

void lurk_node_hear_programs(struct lurk_event_node *node)
{
	struct input_event e[2];

	while (node->virtual && read(node->out, e, sizeof *e) == sizeof *e) {
		if (e->type == EV_LED && node->fd >= 0)
			write_events(node->fd, e, 1);
		else if (e->type == EV_REP && e->code == REP_DELAY && e->value > 0)
			node->repeat_ms = e->value;
	}
}

/* What is written into a source comes back to its readers, of which we are one: not for our ears.
 */
bool lurk_node_write(struct lurk_event_node *node, const struct lurk_stroke *strokes,
		     unsigned count, bool typed)
{
	int fd = node->virtual ? node->out : node->fd;
	struct input_event events[LURK_FRAME_STROKES + 2], *e = events;
	uint32_t heard = node->heard;
	bool written;

	if (node->virtual && node->repeat_ms && typed != node->typed) {
		*e++ = (struct input_event){
			.type = EV_REP, .code = REP_DELAY, .value = typed ? 0 : node->repeat_ms};
		node->typed = typed;
	}
	for (unsigned i = 0; i < count; i++)
		*e++ = (struct input_event){
			.type = EV_KEY, .code = strokes[i].key, .value = strokes[i].state};
	count = (unsigned)(e - events);
	if (node->virtual)
		return write_events(fd, events, count);
	node->heard = 0;
	set_mask(node);
	written = write_events(fd, events, count);
	node->heard = heard;
	set_mask(node);
	return written;
}
