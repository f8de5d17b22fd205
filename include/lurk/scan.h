/*
 * Scan codes: what a keyboard sends for one physical key.
 *
 * A scan code is a PS/2 set 1 or set 2 byte sequence (0x3a, 0xe05b, 0xe11d45), or a USB HID usage
 * (page in the upper, id in the lower 16 bits), or, where nothing better is known, the raw value
 * that the operating system reports. It is a type of its own, so that no one passes a key where a
 * scan code is wanted. Written form:
 *
 *     set1:e05b   set2:e01f   hid:07:39   raw:0x70039
 *
 * References: IBM PS/2 Hardware Interface Technical Reference (sets 1 and 2), the 8042 controller's
 * translation of set 2 to set 1, USB Device Class Definition for HID 1.11 (boot reports, appendix
 * B), HID Usage Tables.
 */
#ifndef LURK_INCLUDE_SCAN_H
#define LURK_INCLUDE_SCAN_H

#include "lurk/declare.h"
#include "lurk/error.h"
#include "lurk/key.h"

LURK_BEGIN_C

enum lurk_scan_kind {
	LURK_SCAN_NONE,
	LURK_SCAN_SET1,
	LURK_SCAN_SET2,
	LURK_SCAN_HID,
	LURK_SCAN_RAW
};

typedef struct lurk_scan {
	uint32_t code;
	uint8_t kind; /* enum lurk_scan_kind */
} lurk_scan;

/* How a keyboard is wired settles which kind of scan code it reports. */
enum lurk_wiring {
	LURK_WIRING_HID,  /* USB or Bluetooth: usages */
	LURK_WIRING_SET1, /* PS/2 behind a translating controller, or set 1 itself */
	LURK_WIRING_SET2, /* PS/2, untranslated */
};

lurk_scan lurk_scan_make(enum lurk_scan_kind kind, uint32_t code);
bool lurk_scan_same(lurk_scan a, lurk_scan b);

/* The key that a scan code stands for, LURK_KEY_NONE where it has no name. */
lurk_key lurk_scan_key(lurk_scan scan);
/* The index-th scan code of a key in the order of the table; kind LURK_SCAN_NONE past the last. */
lurk_scan lurk_key_scan(lurk_key key, size_t index);
/* The first as a keyboard so wired reports it, of kind LURK_SCAN_NONE where it has none. */
lurk_scan lurk_key_scan_on(lurk_key key, enum lurk_wiring wiring);

/* The same physical key as that wiring reports it: set 2 turned into set 1 and back by the 8042's
 * translation, raw values into what they stand for. Kind LURK_SCAN_NONE where a keyboard so wired
 * cannot send it. */
lurk_scan lurk_scan_on(lurk_scan scan, enum lurk_wiring wiring);

/* The raw scan value that the Linux kernel reports for a scan code: page << 16 | id for a usage;
 * for PS/2 the code's low seven bits, 0x80 added for an e0 or e1 prefix, 0x100 for bit 7. */
uint32_t lurk_scan_raw(lurk_scan scan);

/* Writes the scan code as text with a closing NUL. LURK_SCAN_TEXT bytes are always enough. Returns
 * text. */
enum { LURK_SCAN_TEXT = 24 };
char *lurk_scan_write(lurk_scan scan, char text[LURK_SCAN_TEXT]);
/* The part after "set1:", "hid:", …, as lists of one kind show it. */
char *lurk_scan_write_bare(lurk_scan scan, char text[LURK_SCAN_TEXT]);

/* Reads any written form: the four above, with or without 0x, spaces or commas between bytes; a
 * page and usage without "hid:". Returns LURK_ERR_SYNTAX for anything else, bare numbers
 * included. */
enum lurk_error lurk_scan_read(const char *text, size_t length, lurk_scan *scan);

/* ---- Key events ---------------------------------------------------------------------------- */

enum lurk_state { LURK_UP, LURK_DOWN, LURK_REPEAT };

struct lurk_key_event {
	lurk_scan scan;
	lurk_key key;      /* LURK_KEY_NONE where the scan code has no name */
	uint8_t state;     /* enum lurk_state */
	bool more;         /* more events of the same report follow */
	uint8_t interface; /* of the keyboard that it came from, 0 for the first */
};

/* ---- PS/2 decoder: one byte at a time ------------------------------------------------------ */

/*
 * Feed a byte, then take events until there are none. Fake shifts give nothing; Pause (e1 …) and
 * PrintScreen in all its forms are one key each; the two Korean keys f1 and f2, which never send a
 * release, are given as a press and a release. A reset (aa) releases what was held. After a lost,
 * doubled or foreign byte the decoder goes on with the next key; `dropped` counts the bytes that
 * came to nothing.
 */
enum { LURK_PS2_CODES = 0x201 };

struct lurk_ps2 {
	uint8_t set; /* 1 or 2 */
	uint8_t prefix, second;
	bool release;
	bool fake_shift; /* set 2: one was pressed and is not released yet */
	uint32_t dropped;
	uint8_t pending_count, pending_next;
	struct lurk_key_event pending[2];
	uint16_t releasing; /* next code to look at while a reset releases */
	uint32_t down[(LURK_PS2_CODES + 31) / 32];
};

void lurk_ps2_init(struct lurk_ps2 *ps2, unsigned set);
void lurk_ps2_feed(struct lurk_ps2 *ps2, uint8_t byte);
bool lurk_ps2_next(struct lurk_ps2 *ps2, struct lurk_key_event *event);

/* The 8042's translation of one set 2 code byte (below 0x80, or 0x83, 0x84) to set 1, and back.
 * 0 where there is none. */
uint8_t lurk_set2_to_set1(uint8_t byte);
uint8_t lurk_set1_to_set2(uint8_t byte);

/* ---- HID decoder: one report at a time ----------------------------------------------------- */

enum lurk_hid_report {
	LURK_HID_BOOT,     /* 8 bytes: modifiers, reserved, six usages of the keyboard page */
	LURK_HID_CONSUMER, /* 2 to 12 bytes: little-endian 16-bit usages of the consumer page */
};
enum { LURK_HID_SLOTS = 6, LURK_HID_EVENTS = 8 + 2 * LURK_HID_SLOTS };

/*
 * Feed a report, then take its events until there are none; all belong to one frame. While too many
 * keys are held a boot report says 01 in every slot (rollover): the slots are then as before. A
 * report of another length is dropped whole and counted. Feeding NULL releases what is held, as
 * when the keyboard is unplugged.
 */
struct lurk_hid {
	uint8_t kind; /* enum lurk_hid_report */
	uint8_t modifiers;
	uint16_t slots[LURK_HID_SLOTS];
	uint32_t dropped;
	uint8_t pending_count, pending_next;
	struct lurk_key_event pending[LURK_HID_EVENTS];
};

void lurk_hid_init(struct lurk_hid *hid, enum lurk_hid_report kind);
/* Returns false where the report was dropped. */
bool lurk_hid_feed(struct lurk_hid *hid, const uint8_t *report, size_t length);
bool lurk_hid_next(struct lurk_hid *hid, struct lurk_key_event *event);

LURK_END_C

#endif
