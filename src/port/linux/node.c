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

enum { TABLE_MAX = 2048, EVENTS = 64 };

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

static void read_table(struct lurk_event_node *node)
{
	struct lurk_node_entry entry;

	node->table = calloc(TABLE_MAX, sizeof *node->table);
	if (!node->table)
		return;
	while (node->table_entries < TABLE_MAX &&
	       read_entry(node->fd, node->table_entries, &entry)) {
		entry.original =
			lurk_record_original(node->record, node->input, entry.index, entry.now);
		node->table[node->table_entries++] = entry;
	}
}

bool lurk_node_set(struct lurk_event_node *node, uint16_t entry, uint16_t code)
{
	struct lurk_node_entry *e = &node->table[entry];
	struct input_keymap_entry ke = {
		.flags = INPUT_KEYMAP_BY_INDEX, .index = e->index, .keycode = code, .len = 4};

	memcpy(ke.scancode, &e->raw, 4);
	if (!lurk_record_add(node->record,
			     &(struct lurk_record_line){node->input, e->index, e->original, code}))
		return false;
	if (ioctl(node->fd, EVIOCSKEYCODE_V2, &ke))
		return false;
	e->now = code;
	return true;
}

/* The key that a scan code is, whatever the table makes of it. */
static lurk_key original_key(const struct lurk_event_node *node, uint32_t raw, uint16_t code)
{
	uint16_t key = code;

	for (uint16_t i = 0; i < node->table_entries; i++) {
		if (node->table[i].raw == raw) {
			key = node->table[i].original;
			break;
		}
	}
	return key == KEY_UNKNOWN || key > LURK_KEY_MAX ? (lurk_key)LURK_KEY_NONE : key;
}

/* ---- Opening -------------------------------------------------------------------------------- */

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
	read_table(node);
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

bool lurk_node_wanted(const struct lurk_event_node *node)
{
	const char *phys = libevdev_get_phys(node->evdev);

	if (phys && !strncmp(phys, own_phys, sizeof own_phys - 1))
		return false;
	for (unsigned code = 1; code <= LURK_KEY_MAX; code++) {
		if (!is_button(code) && libevdev_has_event_code(node->evdev, EV_KEY, code))
			return true;
	}
	return false;
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
	sink->key(sink->data, &event);
}

static void key_event(struct lurk_event_node *node, const struct lurk_node_sink *sink,
		      uint16_t code, int value)
{
	/* Without a scan value (a repeat by the kernel, a device that has none) the key stands for
	 * it. */
	uint64_t raw = node->have_raw ? node->raw : NO_RAW | code;
	lurk_key key = node->have_raw ? original_key(node, node->raw, code) : code;
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
	}
}

/* ---- Taking --------------------------------------------------------------------------------- */

static bool write_event(int fd, uint16_t type, uint16_t code, int value)
{
	struct input_event e = {.type = type, .code = code, .value = value};

	return write(fd, &e, sizeof e) == sizeof e;
}

/* The virtual node can send all that the source can, and every key, since rules may give any. */
static int make_virtual(struct lurk_event_node *node)
{
	struct libevdev *like = libevdev_new();
	char name[UINPUT_MAX_NAME_SIZE];
	int fd, error;

	if (!like)
		return ENOMEM;
	snprintf(name, sizeof name, "%.60s (Lurk)", libevdev_get_name(node->evdev));
	libevdev_set_name(like, name);
	libevdev_set_id_bustype(like, libevdev_get_id_bustype(node->evdev));
	libevdev_set_id_vendor(like, libevdev_get_id_vendor(node->evdev));
	libevdev_set_id_product(like, libevdev_get_id_product(node->evdev));
	libevdev_set_id_version(like, libevdev_get_id_version(node->evdev));
	for (unsigned type = EV_REL; type < EV_CNT; type++) {
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
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key))
		libevdev_enable_event_code(like, EV_KEY, key, NULL);
	if (libevdev_has_event_type(node->evdev, EV_REP))
		libevdev_enable_event_type(like, EV_REP);
	fd = open("/dev/uinput", O_RDWR | O_NONBLOCK | O_CLOEXEC);
	if (fd < 0 || ioctl(fd, UI_SET_PHYS, own_phys) < 0) {
		error = errno;
		libevdev_free(like);
		if (fd >= 0)
			close(fd);
		return error;
	}
	error = -libevdev_uinput_create_from_device(like, fd, &node->virtual);
	libevdev_free(like);
	if (error)
		close(fd);
	return error;
}

/* What is held is released for everybody else before the grab: nothing stays pressed behind it. */
static void release_held(struct lurk_event_node *node)
{
	unsigned char down[KEY_CNT / 8 + 1] = {0};
	bool any = false;

	if (ioctl(node->fd, EVIOCGKEY(sizeof down), down) < 0)
		return;
	for (unsigned code = 1; code < KEY_CNT; code++) {
		if (down[code / 8] >> code % 8 & 1)
			any = write_event(node->fd, EV_KEY, (uint16_t)code, 0) || any;
	}
	if (any)
		write_event(node->fd, EV_SYN, SYN_REPORT, 0);
}

int lurk_node_take(struct lurk_event_node *node)
{
	int error = make_virtual(node);

	if (error)
		return error;
	release_held(node);
	if (ioctl(node->fd, EVIOCGRAB, 1)) {
		error = errno;
		lurk_node_release(node);
	}
	return error;
}

void lurk_node_release(struct lurk_event_node *node)
{
	int fd;

	if (node->fd >= 0)
		ioctl(node->fd, EVIOCGRAB, 0);
	if (!node->virtual)
		return;
	fd = libevdev_uinput_get_fd(node->virtual);
	libevdev_uinput_destroy(node->virtual);
	close(fd);
	node->virtual = NULL;
}

void lurk_node_pass_lights(struct lurk_event_node *node)
{
	struct input_event e;

	while (node->virtual &&
	       read(libevdev_uinput_get_fd(node->virtual), &e, sizeof e) == sizeof e) {
		if (e.type == EV_LED && node->fd >= 0) {
			write_event(node->fd, EV_LED, e.code, e.value);
			write_event(node->fd, EV_SYN, SYN_REPORT, 0);
		}
	}
}

bool lurk_node_write(struct lurk_event_node *node, uint16_t code, int value, bool last)
{
	int fd = node->virtual ? libevdev_uinput_get_fd(node->virtual) : node->fd;

	return write_event(fd, EV_KEY, code, value) &&
	       (!last || write_event(fd, EV_SYN, SYN_REPORT, 0));
}
