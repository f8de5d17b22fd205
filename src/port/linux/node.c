#include "port/linux/node.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "core/hot.h"
#include "port/slots.h"

enum { TABLE_MAX = 2048, TABLE_STEP = 64 };

/* ---- The table ------------------------------------------------------------------------------ */

static uint32_t place_of(const struct lurk_event_node *node, uint32_t raw)
{
	return (uint32_t)(raw * 0x9e3779b1U) >> 16 & node->places_mask;
}

HOT struct lurk_node_entry *lurk_node_find(const struct lurk_event_node *node, uint32_t raw)
{
	for (uint32_t at = place_of(node, raw); node->places[at];
	     at = (at + 1) & node->places_mask) {
		struct lurk_node_entry *entry = &node->table[node->places[at] - 1];

		if (entry->raw == raw)
			return entry;
	}
	return NULL;
}

/* The first of two entries with one raw value stands for both. */
bool lurk_node_make_places(struct lurk_event_node *node)
{
	uint32_t size = 16;

	while (size < 2U * node->table_entries)
		size *= 2;
	free(node->places);
	node->places = calloc(size, sizeof *node->places);
	node->places_mask = size - 1;
	for (uint16_t i = 0; node->places && i < node->table_entries; i++) {
		uint32_t at = place_of(node, node->table[i].raw);

		if (lurk_node_find(node, node->table[i].raw))
			continue;
		while (node->places[at])
			at = (at + 1) & node->places_mask;
		node->places[at] = (uint16_t)(i + 1);
	}
	return node->places != NULL;
}

static bool hears(const struct lurk_event_node *node, lurk_key key)
{
	for (uint32_t i = 0; node->heard != LURK_LISTEN_ALL && i < node->heard; i++) {
		if (node->hears[i] == key)
			return true;
	}
	return false;
}

/* Where several entries give a code: the one that is down, or that is listened to; else the first.
 */
struct lurk_node_entry *lurk_node_of_code(struct lurk_event_node *node, uint16_t code)
{
	struct lurk_node_entry *found = NULL;

	for (unsigned i = 0; i < node->table_entries; i++) {
		struct lurk_node_entry *e = lurk_node_find(node, node->table[i].raw);

		if ((e->moved ? e->moved : e->now) != code)
			continue;
		if (e->down || hears(node, e->original))
			return e;
		found = found ? found : e;
	}
	return found ? found : &node->codes[code];
}

static bool read_entry(int fd, uint16_t index, struct lurk_node_entry *entry)
{
	struct input_keymap_entry ke = {.flags = INPUT_KEYMAP_BY_INDEX, .index = index};

	if (ioctl(fd, EVIOCGKEYCODE_V2, &ke))
		return false;
	memcpy(&entry->raw, ke.scancode, ke.len < 4 ? ke.len : 4);
	entry->original = entry->now = (uint16_t)ke.keycode;
	entry->index = index;
	return true;
}

/* The table is as long as it was: keyboards do not grow keys. */
unsigned lurk_node_reread(struct lurk_event_node *node)
{
	struct lurk_node_entry fresh, *grown;
	unsigned others = 0, count = 0;
	bool by_other;

	for (; count < TABLE_MAX; count++) {
		memset(&fresh, 0, sizeof fresh);
		if (!read_entry(node->fd, (uint16_t)count, &fresh))
			break;
		fresh.original = lurk_record_original(node->record, node->input, fresh.index,
						      fresh.now, &by_other);
		others += by_other;
		if (count % TABLE_STEP == 0 && count >= node->table_entries) {
			grown = realloc(node->table, (count + TABLE_STEP) * sizeof *node->table);
			if (!grown)
				break;
			node->table = grown;
		}
		if (count < node->table_entries && node->moved)
			continue; /* as it is for a while */
		if (count < node->table_entries) {
			node->table[count].original = fresh.original;
			node->table[count].now = fresh.now;
		} else {
			node->table[count] = fresh;
		}
	}
	node->table_entries = (uint16_t)count;
	for (unsigned i = 0; i < count; i++)
		node->table[i].scan =
			lurk_scan_on(lurk_scan_make(LURK_SCAN_RAW, node->table[i].raw),
				     (enum lurk_wiring)node->wiring);
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

enum lurk_error lurk_node_write_entry(struct lurk_event_node *node,
				      const struct lurk_node_entry *entry, uint16_t code)
{
	struct input_keymap_entry ke = {
		.flags = INPUT_KEYMAP_BY_INDEX, .index = entry->index, .keycode = code, .len = 4};

	memcpy(ke.scancode, &entry->raw, 4);
	/* What is put back needs no line. */
	if (!lurk_record_add(node->record, &(struct lurk_record_line){node->input, entry->index,
								      entry->original, code}) &&
	    code != entry->original)
		return lurk_slots_error(errno);
	return ioctl(node->fd, EVIOCSKEYCODE_V2, &ke) ? lurk_node_error(errno) : LURK_OK;
}

enum lurk_error lurk_node_set(struct lurk_event_node *node, uint16_t entry, uint16_t code)
{
	struct lurk_node_entry *e = &node->table[entry];
	const struct lurk_node_entry *first = lurk_node_find(node, e->raw);
	enum lurk_error error = first->moved ? LURK_OK : lurk_node_write_entry(node, e, code);

	if (!error)
		e->now = code;
	return error;
}

HOT struct lurk_key_event lurk_node_key(const struct lurk_event_node *node,
					const struct lurk_node_entry *entry, enum lurk_state state)
{
	const bool named = entry->original != KEY_UNKNOWN && entry->original <= LURK_KEY_MAX;

	return (struct lurk_key_event){.scan = entry->scan,
				       .key = named ? entry->original : (lurk_key)LURK_KEY_NONE,
				       .state = (uint8_t)state,
				       .more = true,
				       .interface = node->interface};
}

/* ---- What is listened to -------------------------------------------------------------------- */

/* The codes that the wanted keys send as the table is now. */
static void heard_codes(const struct lurk_event_node *node, lurk_codes codes)
{
	memset(codes, 0, sizeof(lurk_codes));
	for (uint32_t i = 0; node->heard != LURK_LISTEN_ALL && i < node->heard; i++)
		lurk_codes_put(codes, node->hears[i], true);
	for (unsigned i = 0; i < node->table_entries; i++) {
		const struct lurk_node_entry *e = &node->table[i];

		if (hears(node, e->original) && e->now < KEY_CNT)
			lurk_codes_put(codes, e->now, true);
	}
}

enum { MASKED = 1, MASKED_EVERY = 2, MASKED_TAKEN = 4 };

static void set_mask(int fd, unsigned type, const lurk_codes wanted)
{
	struct input_mask mask = {
		.type = type, .codes_size = KEY_CNT / 8, .codes_ptr = (uintptr_t)wanted};

	ioctl(fd, EVIOCSMASK, &mask);
}

/* A reader that wants nothing is not woken up by any key, and one that wants a few not by others:
 * it does not get their scan codes either, which come with every key. What is no key, such as the
 * motion of a pointer on the same node, is for the relay alone. The kernel is told what is new to
 * it, of the types that the node has: this is asked for with every keyboard that comes or goes. */
void lurk_node_mask(struct lurk_event_node *node)
{
	static const uint16_t relayed[] = {EV_KEY, EV_REL, EV_ABS, EV_MSC, EV_SW};
	static const lurk_codes none;
	const bool every = node->heard == LURK_LISTEN_ALL;
	const uint8_t masked =
		(uint8_t)(MASKED | every * MASKED_EVERY | node->taken * MASKED_TAKEN);
	lurk_codes all, keys;

	memset(all, 0xff, sizeof all);
	heard_codes(node, keys);
	for (unsigned code = 0; every && code < KEY_CNT; code++)
		lurk_codes_put(keys, code, !lurk_is_button(code));
	if (node->masked == masked && !memcmp(node->mask, keys, sizeof keys))
		return;
	node->masked = masked;
	memcpy(node->mask, keys, sizeof keys);
	for (unsigned type = EV_KEY; type < EV_CNT; type++) {
		const unsigned char *wanted = type == EV_KEY            ? keys
					      : type == EV_MSC && every ? all
									: none;

		for (size_t i = 0; node->taken && i < sizeof relayed / sizeof *relayed; i++)
			wanted = relayed[i] == type ? all : wanted;
		if (libevdev_has_event_type(node->evdev, type))
			set_mask(node->fd, type, wanted);
	}
}

/* Not only when something else is wanted: the table may have changed. */
void lurk_node_listen(struct lurk_event_node *node, const lurk_key *keys, uint32_t count)
{
	bool all = count == LURK_LISTEN_ALL;

	if (node->fd < 0)
		return;
	node->heard = all || count < LURK_NODE_HEARS ? count : LURK_NODE_HEARS;
	for (uint32_t i = 0; !all && i < node->heard; i++)
		node->hears[i] = keys[i];
	if (!node->taken)
		lurk_node_mask(node);
}

/* ---- Opening -------------------------------------------------------------------------------- */

/* The witness hears of no key until the node is taken. */
static int open_witness(const char *path)
{
	static const lurk_codes none;
	int fd = open(path, O_RDONLY | O_NONBLOCK | O_CLOEXEC);

	for (unsigned type = EV_KEY; fd >= 0 && type < EV_CNT; type++)
		set_mask(fd, type, none);
	return fd;
}

int lurk_node_open(struct lurk_event_node *node, const char *path, unsigned input,
		   struct lurk_record *record)
{
	int error;

	memset(node, 0, sizeof *node);
	snprintf(node->path, sizeof node->path, "%s", path);
	node->input = input;
	node->record = record;
	node->witness = node->out = -1;
	node->fd = open(path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
	if (node->fd < 0)
		return errno;
	node->witness = open_witness(path);
	node->codes = calloc(KEY_CNT, sizeof *node->codes);
	error = node->witness < 0 ? errno : !node->codes ? ENOMEM : 0;
	if (!error)
		error = -libevdev_new_from_fd(node->fd, &node->evdev);
	if (error) {
		lurk_node_close(node);
		return error;
	}
	for (uint16_t code = 0; code < KEY_CNT; code++)
		node->codes[code].original = node->codes[code].now = code;
	node->scans = libevdev_has_event_code(node->evdev, EV_MSC, MSC_SCAN);
	node->wiring = LURK_WIRING_HID;
	if (libevdev_get_id_bustype(node->evdev) == BUS_I8042)
		node->wiring = libevdev_get_id_product(node->evdev) == 1 ? LURK_WIRING_SET1
									 : LURK_WIRING_SET2;
	lurk_node_reread(node);
	if (!lurk_node_make_places(node)) {
		lurk_node_close(node);
		return ENOMEM;
	}
	lurk_node_mask(node);
	return 0;
}

void lurk_node_close(struct lurk_event_node *node)
{
	if (node->fd >= 0)
		close(node->fd);
	if (node->witness >= 0)
		close(node->witness);
	node->fd = node->witness = -1;
	if (node->evdev)
		libevdev_free(node->evdev);
	node->evdev = NULL;
	free(node->table);
	free(node->codes);
	free(node->places);
	node->table = node->codes = NULL;
	node->places = NULL;
	node->table_entries = 0;
	node->down = 0;
	node->at = node->count = 0;
	node->more = false;
}

unsigned lurk_node_key_count(const struct lurk_event_node *node)
{
	unsigned count = 0;

	for (unsigned code = 1; node->evdev && code <= LURK_KEY_MAX; code++)
		count +=
			!lurk_is_button(code) && libevdev_has_event_code(node->evdev, EV_KEY, code);
	return count;
}

bool lurk_node_wanted(const struct lurk_event_node *node)
{
	return !lurk_node_is_own(libevdev_get_phys(node->evdev)) && lurk_node_key_count(node);
}

/* ---- What is down, and lit ------------------------------------------------------------------ */

/* Asked by the witness: the kernel throws away the waiting keys of the reader that asks. */
bool lurk_node_any_down(const struct lurk_event_node *node)
{
	lurk_codes down = {0};

	ioctl(node->witness, EVIOCGKEY(sizeof down), down);
	for (unsigned code = 1; code < KEY_CNT; code++) {
		if (lurk_codes_have(down, code) && !lurk_is_button(code))
			return true;
	}
	return false;
}

bool lurk_node_is_down(const struct lurk_event_node *node, uint16_t code)
{
	lurk_codes down = {0};

	return ioctl(node->witness, EVIOCGKEY(sizeof down), down) >= 0 &&
	       lurk_codes_have(down, code);
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
