/* The key table and what is looked up in it by key. */
#include "lurk/key.h"

#include "core/keytable.h"
#include "core/mem.h"

/* Positions in the table: a row a key, a place in the list of scan codes for every code. */
enum row {
	ROW_NONE,
#define KEY(code, name, w3c, meaning, side) ROW_KEY_##name,
#define BTN(code, name, w3c, meaning, side) ROW_KEY_BTN_##name,
#include "lurk/keys.def"
	ROW_COUNT
};

enum first_scan {
#define KEY(code, name, w3c, meaning, side) \
	FIRST_KEY_##name, BEFORE_KEY_##name = FIRST_KEY_##name - 1,
#define BTN(code, name, w3c, meaning, side) \
	FIRST_KEY_BTN_##name, BEFORE_KEY_BTN_##name = FIRST_KEY_BTN_##name - 1,
#define SET1(name, hex) PLACE_SET1_##name##_##hex,
#define SET2(name, hex) PLACE_SET2_##name##_##hex,
#define HID07(name, hex) PLACE_HID07_##name##_##hex,
#define HID0C(name, hex) PLACE_HID0C_##name##_##hex,
#define HID01(name, hex) PLACE_HID01_##name##_##hex,
#include "lurk/keys.def"
	SCAN_COUNT
};

static const struct key_row {
	const char *evdev, *w3c, *meaning;
	uint16_t key, first_scan;
	uint8_t side;
} rows[ROW_COUNT + 1] = {
	[ROW_NONE] = {"", "", "", 0, 0, LURK_SIDE_NONE},
#define KEY(code, name, w3c, meaning, side) \
	[ROW_KEY_##name] = {"KEY_" #name, w3c, meaning, code, FIRST_KEY_##name, LURK_SIDE_##side},
#define BTN(code, name, w3c, meaning, side)                                                \
	[ROW_KEY_BTN_##name] = {"BTN_" #name,    w3c, meaning, code, FIRST_KEY_BTN_##name, \
				LURK_SIDE_##side},
#include "lurk/keys.def"
	[ROW_COUNT] = {"", "", "", LURK_KEY_COUNT, SCAN_COUNT, LURK_SIDE_NONE},
};

static const uint16_t row_of_key[LURK_KEY_COUNT] = {
#define KEY(code, name, w3c, meaning, side) [code] = ROW_KEY_##name,
#define BTN(code, name, w3c, meaning, side) [code] = ROW_KEY_BTN_##name,
#include "lurk/keys.def"
};

static const lurk_scan scans[SCAN_COUNT] = {
#define SET1(name, hex) {0x##hex, LURK_SCAN_SET1},
#define SET2(name, hex) {0x##hex, LURK_SCAN_SET2},
#define HID07(name, hex) {0x070000 | 0x##hex, LURK_SCAN_HID},
#define HID0C(name, hex) {0x0c0000 | 0x##hex, LURK_SCAN_HID},
#define HID01(name, hex) {0x010000 | 0x##hex, LURK_SCAN_HID},
#include "lurk/keys.def"
};

static const struct {
	uint16_t left, right;
	const char *name;
} pairs[] = {
	{LURK_KEY_LEFTCTRL, LURK_KEY_RIGHTCTRL, "Control"},
	{LURK_KEY_LEFTSHIFT, LURK_KEY_RIGHTSHIFT, "Shift"},
	{LURK_KEY_LEFTALT, LURK_KEY_RIGHTALT, "Alt"},
	{LURK_KEY_LEFTMETA, LURK_KEY_RIGHTMETA, "Meta"},
};

static const struct key_row *row(lurk_key key)
{
	return &rows[key < LURK_KEY_COUNT ? row_of_key[key] : ROW_NONE];
}

const char *lurk_key_name(lurk_key key)
{
	const struct key_row *r = row(key);

	return *r->w3c ? r->w3c : r->evdev;
}

const char *lurk_key_w3c(lurk_key key)
{
	return row(key)->w3c;
}

const char *lurk_key_evdev_name(lurk_key key)
{
	return row(key)->evdev;
}

const char *lurk_key_meaning(lurk_key key)
{
	return row(key)->meaning;
}

enum lurk_side lurk_key_side(lurk_key key)
{
	return (enum lurk_side)row(key)->side;
}

bool lurk_key_known(lurk_key key)
{
	return row(key)->key != LURK_KEY_NONE;
}

lurk_key lurk_key_next(lurk_key key)
{
	const struct key_row *next = row(key) + 1;

	return next->key == LURK_KEY_COUNT ? (lurk_key)LURK_KEY_NONE : next->key;
}

lurk_key lurk_key_other_side(lurk_key key)
{
	for (size_t i = 0; i < sizeof pairs / sizeof *pairs; i++) {
		if (pairs[i].left == key)
			return pairs[i].right;
		if (pairs[i].right == key)
			return pairs[i].left;
	}
	return LURK_KEY_NONE;
}

const char *lurk_key_pair_name(lurk_key key)
{
	for (size_t i = 0; i < sizeof pairs / sizeof *pairs; i++) {
		if (pairs[i].left == key || pairs[i].right == key)
			return pairs[i].name;
	}
	return "";
}

bool lurk_key_same_meaning(lurk_key a, lurk_key b)
{
	return *row(a)->meaning && lurk_equal(row(a)->meaning, row(b)->meaning);
}

lurk_scan lurk_key_scan(lurk_key key, size_t index)
{
	const struct key_row *r = row(key);
	lurk_scan none = {0, LURK_SCAN_NONE};

	if (r->key == LURK_KEY_NONE || index >= (size_t)(r[1].first_scan - r->first_scan))
		return none;
	return scans[r->first_scan + index];
}
