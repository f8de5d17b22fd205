/* The HID decoder: boot keyboard reports and consumer-control reports. */
#include "lurk/scan.h"

#include "core/mem.h"

enum { USAGE_ROLLOVER = 1, USAGE_FIRST_KEY = 4, USAGE_LEFT_CONTROL = 0xe0, BOOT_SIZE = 8 };

void lurk_hid_init(struct lurk_hid *hid, enum lurk_hid_report kind)
{
	memset(hid, 0, sizeof *hid);
	hid->kind = (uint8_t)kind;
}

static void emit(struct lurk_hid *hid, uint16_t usage, enum lurk_state state)
{
	struct lurk_key_event *event = &hid->pending[hid->pending_count++];
	uint32_t page = hid->kind == LURK_HID_BOOT ? 0x07 : 0x0c;

	event->scan = lurk_scan_make(LURK_SCAN_HID, page << 16 | usage);
	event->key = lurk_scan_key(event->scan);
	event->state = (uint8_t)state;
	event->more = true;
}

static bool holds(const uint16_t slots[LURK_HID_SLOTS], uint16_t usage)
{
	for (int i = 0; i < LURK_HID_SLOTS; i++) {
		if (slots[i] == usage)
			return true;
	}
	return false;
}

/* Slot by slot, first what left it, then what came into it: the order in which the Linux kernel
 * reports them. `now` holds no usage twice. */
static void change_slots(struct lurk_hid *hid, const uint16_t now[LURK_HID_SLOTS])
{
	uint16_t was[LURK_HID_SLOTS];

	memcpy(was, hid->slots, sizeof was);
	memcpy(hid->slots, now, sizeof was);
	for (int i = 0; i < LURK_HID_SLOTS; i++) {
		if (was[i] && !holds(now, was[i]))
			emit(hid, was[i], LURK_UP);
		if (now[i] && !holds(was, now[i]))
			emit(hid, now[i], LURK_DOWN);
	}
}

static bool is_modifier(uint8_t usage)
{
	return usage >= USAGE_LEFT_CONTROL && usage < USAGE_LEFT_CONTROL + 8;
}

static void boot(struct lurk_hid *hid, const uint8_t report[BOOT_SIZE])
{
	uint8_t modifiers = report[0], changed;
	uint16_t now[LURK_HID_SLOTS] = {0};

	/* Some keyboards put modifiers into the slots. */
	for (int i = 2; i < BOOT_SIZE; i++) {
		if (is_modifier(report[i]))
			modifiers |= (uint8_t)(1U << (report[i] - USAGE_LEFT_CONTROL));
	}
	changed = hid->modifiers ^ modifiers;
	for (unsigned bit = 0; bit < 8; bit++) {
		if (changed >> bit & 1)
			emit(hid, (uint16_t)(USAGE_LEFT_CONTROL + bit),
			     modifiers >> bit & 1 ? LURK_DOWN : LURK_UP);
	}
	hid->modifiers = modifiers;
	for (int i = 0; i < LURK_HID_SLOTS; i++) {
		if (report[2 + i] == USAGE_ROLLOVER)
			return;
		if (report[2 + i] >= USAGE_FIRST_KEY && !is_modifier(report[2 + i]) &&
		    !holds(now, report[2 + i]))
			now[i] = report[2 + i];
	}
	change_slots(hid, now);
}

static void consumer(struct lurk_hid *hid, const uint8_t *report, size_t length)
{
	uint16_t now[LURK_HID_SLOTS] = {0};

	for (size_t i = 0; i < length / 2; i++) {
		uint16_t usage = (uint16_t)(report[2 * i] | report[2 * i + 1] << 8);

		if (!holds(now, usage))
			now[i] = usage;
	}
	change_slots(hid, now);
}

bool lurk_hid_feed(struct lurk_hid *hid, const uint8_t *report, size_t length)
{
	static const uint8_t empty[BOOT_SIZE] = {0};
	bool is_boot = hid->kind == LURK_HID_BOOT;

	hid->pending_count = hid->pending_next = 0;
	if (!report) {
		report = empty;
		length = is_boot ? BOOT_SIZE : 2;
	}
	if (is_boot ? length != BOOT_SIZE
		    : !length || length % 2 || length > 2 * (size_t)LURK_HID_SLOTS) {
		hid->dropped++;
		return false;
	}
	if (is_boot)
		boot(hid, report);
	else
		consumer(hid, report, length);
	if (hid->pending_count)
		hid->pending[hid->pending_count - 1].more = false;
	return true;
}

bool lurk_hid_next(struct lurk_hid *hid, struct lurk_key_event *event)
{
	if (hid->pending_next == hid->pending_count)
		return false;
	*event = hid->pending[hid->pending_next++];
	return true;
}
