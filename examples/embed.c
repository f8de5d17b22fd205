/* Between a keyboard and a computer, as in a cable's microcontroller: boot reports of a USB
 * keyboard in, boot reports out, with the rules of an image in flash. All memory is static, there
 * is no heap, no clock and no operating system; main() stands for the two ends of the cable.
 *
 * $ ./embed
 * 00 00 53 00 00 00 00 00 -> 00 00 2b 00 00 00 00 00
 * 00 00 53 04 00 00 00 00 -> 00 00 2b 04 00 00 00 00
 * 04 00 00 04 00 00 00 00 -> 01 00 00 04 00 00 00 00
 * 00 00 00 00 00 00 00 00 -> 00 00 00 00 00 00 00 00
 */
#include <stdio.h>

#include <lurk/engine.h>

/* What `lurk apply` stores: here NumLock gives Tab, and Control and Alt are swapped. */
static const uint8_t flash[] = {
	0x4c, 0x55, 0x52, 0x4b, 0x01, 0x00, 0x34, 0x00, 0xcc, 0x00, 0x00, 0x00, 0xb8, 0x8f, 0xb3,
	0x2d, 0x01, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x26, 0x02, 0x13, 0x74, 0xe0,
	0x06, 0x00, 0x01, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x02, 0x00, 0x00, 0x00, 0x1c,
	0x00, 0x00, 0x00, 0xff, 0xff, 0xff, 0xff, 0x00, 0x00, 0x00, 0x00, 0x07, 0x00, 0x00, 0x00,
	0x07, 0x00, 0x00, 0x00, 0x11, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x02, 0x00, 0x00,
	0x00, 0x00, 0x00, 0x00, 0x00, 0x18, 0x00, 0x00, 0x00, 0x04, 0x00, 0x00, 0x00, 0x03, 0x01,
	0x00, 0x00, 0x45, 0x00, 0x0f, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x06,
	0x00, 0x00, 0x00, 0x1c, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x1c, 0x00, 0x00, 0x00,
	0x00, 0x00, 0x00, 0x00, 0x1c, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x02, 0x02, 0x01,
	0x00, 0x1d, 0x00, 0x38, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x08, 0x00,
	0x00, 0x00, 0x1c, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x1c, 0x00, 0x00, 0x00, 0x00,
	0x00, 0x00, 0x00, 0x1c, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00, 0x64, 0x65, 0x66, 0x61,
	0x75, 0x6c, 0x74, 0x68, 0x69, 0x64, 0x65, 0x2f, 0x70, 0x72, 0x6f, 0x66, 0x69, 0x6c, 0x65,
	0x2e, 0x79, 0x61, 0x6d, 0x6c, 0x62, 0x61, 0x73, 0x65,
};

static _Alignas(16) uint8_t memory[4096]; /* for the keymap */
static struct lurk_image image;
static struct lurk_hid wire;
static struct lurk_engine engine;
static struct lurk_engine_keyboard keyboard;

enum { REPORT = 8, SLOTS = 2 }; /* modifiers, a reserved byte, six keys */
static uint8_t report[REPORT];

static bool start(void)
{
	const struct lurk_compile_job job = {.image = &image, .wiring = LURK_WIRING_HID};
	struct lurk_compile_report told;
	struct lurk_keymap *keymap;

	if (lurk_image_open(flash, sizeof flash, &image) != LURK_OK ||
	    lurk_compile(&job, memory, sizeof memory, &keymap, &told) != LURK_OK)
		return false;
	lurk_hid_init(&wire, LURK_HID_BOOT);
	lurk_engine_init(&engine, &keyboard, 1);
	lurk_engine_use(&engine, 0, keymap);
	return true;
}

/* Changes the report by one stroke; keys that the boot protocol does not know are left out. */
static void stroke(const struct lurk_stroke *s)
{
	const lurk_scan scan = lurk_key_scan_on(s->key, LURK_WIRING_HID);
	const uint8_t usage = scan.code >> 16 == 0x07 ? (uint8_t)scan.code : 0;
	const int place = lurk_modifier_place(s->key);

	if (place >= 0) {
		report[0] = (uint8_t)(s->state == LURK_DOWN ? report[0] | 1 << place
							    : report[0] & ~(1 << place));
		return;
	}
	for (unsigned i = SLOTS; usage && i < REPORT; i++) {
		if (report[i] == (s->state == LURK_DOWN ? 0 : usage)) {
			report[i] = s->state == LURK_DOWN ? usage : 0;
			return;
		}
	}
}

static void print(const uint8_t bytes[REPORT])
{
	for (unsigned i = 0; i < REPORT; i++)
		printf("%s%02x", i ? " " : "", bytes[i]);
}

/* A report of the keyboard; each frame is a report to the computer. */
static void on_report(const uint8_t bytes[REPORT])
{
	struct lurk_event event = {0};
	struct lurk_frame frame;
	const char *between = " -> ";

	print(bytes);
	lurk_hid_feed(&wire, bytes, REPORT);
	while (lurk_hid_next(&wire, &event.key)) {
		lurk_engine_feed(&engine, &event);
		while (lurk_engine_pull(&engine, 0, &frame)) {
			for (unsigned i = 0; i < frame.count; i++)
				stroke(&frame.strokes[i]);
			printf("%s", between);
			print(report);
			between = ", ";
		}
	}
	putchar('\n');
}

int main(void)
{
	static const uint8_t pressed[][REPORT] = {
		{0, 0, 0x53}, {0, 0, 0x53, 0x04}, {0x04, 0, 0, 0x04}, {0}};

	if (!start())
		return 1;
	for (unsigned i = 0; i < sizeof pressed / sizeof *pressed; i++)
		on_report(pressed[i]);
	return 0;
}
