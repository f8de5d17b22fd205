#include "lurk/desk/wire.h"

#include <string.h>

enum { ROLLOVER = 6, BOOT_SIZE = 8, CONSUMER_SLOTS = 2 };

void lurk_wire_init(struct lurk_wire *wire, enum lurk_desk_wired wired)
{
	memset(wire, 0, sizeof *wire);
	wire->wired = wired;
}

static bool holds(const struct lurk_wire *wire, uint8_t kind, uint32_t code)
{
	for (unsigned i = 0; i < wire->held_count; i++) {
		if (wire->held[i].kind == kind && wire->held[i].code == code)
			return true;
	}
	return false;
}

static void note(struct lurk_wire *wire, lurk_scan scan, enum lurk_state state)
{
	unsigned i = 0;

	while (i < wire->held_count && !lurk_scan_same(wire->held[i], scan))
		i++;
	if (state == LURK_DOWN && i == wire->held_count && i < LURK_WIRE_HELD)
		wire->held[wire->held_count++] = scan;
	if (state == LURK_UP && i < wire->held_count) {
		wire->held_count--;
		memmove(&wire->held[i], &wire->held[i + 1],
			(wire->held_count - i) * sizeof *wire->held);
	}
}

static void put(struct lurk_wire_data *data, unsigned byte)
{
	data->bytes[data->length++] = (uint8_t)byte;
}

static void put_all(struct lurk_wire_data *data, const uint8_t *bytes, unsigned length)
{
	for (unsigned i = 0; i < length; i++)
		put(data, bytes[i]);
}

/* ---- USB ------------------------------------------------------------------------------------ */

static void boot_report(const struct lurk_wire *wire, struct lurk_wire_data *data)
{
	unsigned keys = 0;

	data->length = BOOT_SIZE;
	for (unsigned i = 0; i < wire->held_count; i++) {
		uint32_t usage = wire->held[i].code;

		if (usage >> 16 != 0x07)
			continue;
		usage &= 0xffff;
		if (usage >= 0xe0 && usage <= 0xe7)
			data->bytes[0] |= (uint8_t)(1U << (usage - 0xe0));
		else if (keys++ < ROLLOVER)
			data->bytes[1 + keys] = (uint8_t)usage;
	}
	if (keys > ROLLOVER)
		memset(data->bytes + 2, 1, ROLLOVER);
}

static void consumer_report(const struct lurk_wire *wire, struct lurk_wire_data *data)
{
	unsigned keys = 0;

	data->consumer = true;
	data->length = 2 * CONSUMER_SLOTS;
	for (unsigned i = 0; i < wire->held_count; i++) {
		if (wire->held[i].code >> 16 != 0x0c || keys == CONSUMER_SLOTS)
			continue;
		data->bytes[2 * keys] = (uint8_t)wire->held[i].code;
		data->bytes[2 * keys + 1] = (uint8_t)(wire->held[i].code >> 8);
		keys++;
	}
}

/* ---- PS/2 ----------------------------------------------------------------------------------- */

/* One code of set 2: prefix, f0 before the code where it is released. */
static void set2_code(struct lurk_wire_data *data, uint32_t code, bool release)
{
	if (code > 0xff)
		put(data, code >> 8);
	if (release)
		put(data, 0xf0);
	put(data, code & 0xff);
}

static void set1_code(struct lurk_wire_data *data, uint32_t code, bool release)
{
	if (code > 0xff)
		put(data, code >> 8);
	put(data, (code & 0xff) | (release ? 0x80U : 0U));
}

static const struct special {
	uint32_t pause, alt, shift[2], control[2], shift_fake;
	uint32_t print, print_alt, pause_control;
	uint8_t pause_bytes[8];
	unsigned pause_length;
	void (*code)(struct lurk_wire_data *data, uint32_t code, bool release);
} specials[] = {
	[LURK_SCAN_SET1] = {0xe11d45,
			    0x38,
			    {0x2a, 0x36},
			    {0x1d, 0xe01d},
			    0xe02a,
			    0xe037,
			    0x54,
			    0xe046,
			    {0xe1, 0x1d, 0x45, 0xe1, 0x9d, 0xc5},
			    6,
			    set1_code},
	[LURK_SCAN_SET2] = {0xe11477,
			    0x11,
			    {0x12, 0x59},
			    {0x14, 0xe014},
			    0xe012,
			    0xe07c,
			    0x84,
			    0xe07e,
			    {0xe1, 0x14, 0x77, 0xe1, 0xf0, 0x14, 0xf0, 0x77},
			    8,
			    set2_code},
};

/* PrintScreen is another code with Alt, and comes with a fake shift when nothing else is held;
 * Pause sends press and release at once. */
static void ps2_code(const struct lurk_wire *wire, lurk_scan scan, enum lurk_state state,
		     struct lurk_wire_data *data)
{
	const struct special *s = &specials[scan.kind];
	bool release = state == LURK_UP;
	bool control =
		holds(wire, scan.kind, s->control[0]) || holds(wire, scan.kind, s->control[1]);
	bool shift = holds(wire, scan.kind, s->shift[0]) || holds(wire, scan.kind, s->shift[1]);

	if (scan.code == s->pause && control) {
		if (state == LURK_DOWN) {
			s->code(data, s->pause_control, false);
			s->code(data, s->pause_control, true);
		}
	} else if (scan.code == s->pause) {
		if (state == LURK_DOWN)
			put_all(data, s->pause_bytes, s->pause_length);
	} else if (scan.code == s->print && holds(wire, scan.kind, s->alt)) {
		s->code(data, s->print_alt, release);
	} else if (scan.code == s->print && !control && !shift) {
		if (!release)
			s->code(data, s->shift_fake, false);
		s->code(data, scan.code, release);
		if (release)
			s->code(data, s->shift_fake, true);
	} else {
		s->code(data, scan.code, release);
	}
}

/* The controller between keyboard and computer: set 2 in, set 1 out. */
static void translate(struct lurk_wire_data *data)
{
	struct lurk_wire_data out = {0};
	bool release = false;

	for (unsigned i = 0; i < data->length; i++) {
		uint8_t byte = data->bytes[i];
		uint8_t code = lurk_set2_to_set1(byte);

		if (byte == 0xf0) {
			release = true;
			continue;
		}
		put(&out, code ? code | (release ? 0x80U : 0U) : byte);
		if (byte != 0xe0 && byte != 0xe1)
			release = false;
	}
	*data = out;
}

void lurk_wire_send(struct lurk_wire *wire, lurk_scan scan, enum lurk_state state,
		    struct lurk_wire_data *data)
{
	memset(data, 0, sizeof *data);
	if (scan.kind == LURK_SCAN_HID) {
		note(wire, scan, state);
		if (state == LURK_REPEAT)
			return; /* the computer repeats for it */
		if (scan.code >> 16 == 0x0c)
			consumer_report(wire, data);
		else
			boot_report(wire, data);
		return;
	}
	ps2_code(wire, scan, state, data);
	note(wire, scan, state);
	if (wire->wired == LURK_WIRED_TRANSLATED)
		translate(data);
}
