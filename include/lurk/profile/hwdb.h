/*
 * Entries for keys in udev's hardware database, in text: hwdb(7), and the head of systemd's
 * 60-keyboard.hwdb. The kernel's table of each keyboard that fits is changed by them whenever it
 * comes, by udev and nobody else:
 *
 *     evdev:input:b0003vFADEp0001*
 *      KEYBOARD_KEY_70053=tab
 *
 * A match, then under it what the keyboard's scan codes give: as the kernel has them, in
 * hexadecimal, and the key's event code name in small letters without KEY_.
 */
#ifndef LURK_INCLUDE_PROFILE_HWDB_H
#define LURK_INCLUDE_PROFILE_HWDB_H

#include "lurk/declare.h"
#include "lurk/keyboard.h"
#include "lurk/text/file.h"

LURK_BEGIN_C

/* Which keyboards a match is for. */
struct lurk_hwdb_match {
	uint8_t bus;     /* enum lurk_bus: USB, Bluetooth, or PS/2 as the kernel's atkbd has it */
	bool by_product; /* else every one on that bus */
	uint16_t vendor, product;
};

enum { LURK_HWDB_MATCH = 64 };
/* As a line of the database; reads one. False for other forms, as by the name of a machine. */
const char *lurk_hwdb_match_write(const struct lurk_hwdb_match *match, char out[LURK_HWDB_MATCH]);
bool lurk_hwdb_match_read(const char *text, struct lurk_hwdb_match *match);
/* In which form such keyboards report scan codes. */
enum lurk_wiring lurk_hwdb_wiring(const struct lurk_hwdb_match *match);

/* One key under one match. */
struct lurk_hwdb_entry {
	const char *match; /* as it is written */
	unsigned line;
	uint32_t raw;    /* see lurk_scan_raw() */
	bool known;      /* what it gives is a key's name or nothing; else `key` is not set */
	bool press_only; /* with a `!`: the keyboard never sends the key's release */
	lurk_key key;    /* LURK_KEY_NONE for `unknown` and `reserved`: nothing */
};

/* Tells each entry for a key, with each match that it stands under; other properties are passed
 * over. What is told lives until the next. False where there are more than LURK_HWDB_MOST: those
 * that follow are not read. */
enum { LURK_HWDB_MOST = 4096 };
typedef void lurk_hwdb_tell(void *data, const struct lurk_hwdb_entry *entry);
bool lurk_hwdb_read(const char *text, lurk_hwdb_tell *tell, void *data);

/* "tab", "unknown" for LURK_KEY_NONE; "" where udev has no name for the key. Returns out. */
enum { LURK_HWDB_KEY = 40 };
const char *lurk_hwdb_key(lurk_key key, char out[LURK_HWDB_KEY]);

LURK_END_C

#endif
