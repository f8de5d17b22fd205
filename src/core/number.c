/* Bare numbers, and all the ways in which people meet them for keys. */
#include "core/plain.h"

#define COUNT(array) (sizeof(array) / sizeof *(array))

static int digit(char c)
{
	return c >= '0' && c <= '9' ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : -1;
}

bool lurk_number_read(const struct lurk_plain *plain, struct lurk_name *name)
{
	const char *p = plain->text;
	bool prefixed = p[0] == '0' && p[1] == 'x', digits_only = !prefixed, any_digit = prefixed;
	size_t n = 0;

	if (prefixed)
		p += 2;
	name->decimal = name->hex = 0;
	for (; p[n]; n++) {
		int d = digit(p[n]);

		if (d < 0 || n == 8)
			return false;
		any_digit = any_digit || d < 10;
		digits_only = digits_only && d < 10;
		name->hex = name->hex << 4 | (uint32_t)d;
		if (d < 10)
			name->decimal = name->decimal * 10 + (uint32_t)d;
	}
	name->is_decimal = digits_only;
	return n && any_digit;
}

/* Digits alone can be meant either way; where both are the same number, one reading is enough. */
enum base { HEX, DECIMAL, HEX_ELSE, DECIMAL_ELSE };

struct reader {
	const char *as;
	uint8_t kind; /* enum lurk_scan_kind, NONE for an event code */
	uint8_t base; /* enum base */
	bool (*turn)(uint32_t *value);
};

static bool as_it_is(uint32_t *value)
{
	return *value != 0;
}

static bool keyboard_usage(uint32_t *value)
{
	bool fits = *value <= 0xff;

	*value |= 0x070000;
	return fits;
}

static bool consumer_usage(uint32_t *value)
{
	bool fits = *value <= 0xffff;

	*value |= 0x0c0000;
	return fits;
}

static bool keycode(uint32_t *value)
{
	*value -= 8;
	return *value <= LURK_KEY_MAX;
}

static bool nine_bit(uint32_t *value)
{
	bool fits = *value > 0x100 && *value < 0x200;

	*value = 0xe000 | (*value & 0xff);
	return fits;
}

static bool swapped(uint32_t *value)
{
	bool fits = *value <= 0xffff && (*value & 0xff) == 0xe0;

	*value = 0xe000 | *value >> 8;
	return fits;
}

static bool raw_usage(uint32_t *value)
{
	return *value > 0xffff;
}

static const struct reader readers[] = {
	{"set 1", LURK_SCAN_SET1, HEX, as_it_is},
	{"set 2", LURK_SCAN_SET2, HEX, as_it_is},
	{"HID usage, keyboard page", LURK_SCAN_HID, HEX, keyboard_usage},
	{"HID usage, consumer page", LURK_SCAN_HID, HEX, consumer_usage},
	{"raw scan value", LURK_SCAN_HID, HEX, raw_usage},
	{"set 1, nine bits", LURK_SCAN_SET1, HEX, nine_bit},
	{"set 1, bytes swapped", LURK_SCAN_SET1, HEX, swapped},
	{"event code", LURK_SCAN_NONE, DECIMAL, as_it_is},
	{"event code, hex", LURK_SCAN_NONE, HEX_ELSE, as_it_is},
	{"display keycode", LURK_SCAN_NONE, DECIMAL, keycode},
	{"display keycode, hex", LURK_SCAN_NONE, HEX_ELSE, keycode},
	{"set 1, decimal", LURK_SCAN_SET1, DECIMAL_ELSE, as_it_is},
	{"HID usage, decimal", LURK_SCAN_HID, DECIMAL_ELSE, keyboard_usage},
};

static bool reads(const struct reader *reader, const struct lurk_name *name)
{
	bool same = name->is_decimal && name->decimal == name->hex;

	switch (reader->base) {
	case DECIMAL:
		return name->is_decimal;
	case DECIMAL_ELSE:
		return name->is_decimal && !same;
	case HEX_ELSE:
		return !same;
	default:
		return true;
	}
}

bool lurk_name_reading(const struct lurk_name *name, unsigned index, struct lurk_reading *reading)
{
	for (size_t i = 0; i < COUNT(readers); i++) {
		const struct reader *r = &readers[i];
		bool decimal = r->base == DECIMAL || r->base == DECIMAL_ELSE;
		uint32_t value = decimal ? name->decimal : name->hex;

		if (!reads(r, name) || !r->turn(&value) ||
		    (r->kind == LURK_SCAN_NONE && value > LURK_KEY_MAX))
			continue;
		reading->as = r->as;
		reading->scan = lurk_scan_make((enum lurk_scan_kind)r->kind, value);
		reading->key =
			r->kind == LURK_SCAN_NONE ? (lurk_key)value : lurk_scan_key(reading->scan);
		if (lurk_key_known(reading->key) && !index--)
			return true;
	}
	return false;
}
