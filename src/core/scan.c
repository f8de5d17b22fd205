/* Scan codes: what they stand for, how they are written, how they look on another wiring. */
#include "lurk/scan.h"

#include "core/keytable.h"
#include "core/mem.h"

static const uint16_t key_of_set1[LURK_PS2_CODES] = {
#define SET1(name, hex) [LURK_PS2_INDEX(0x##hex)] = LURK_KEY_##name,
#include "lurk/keys.def"
};

static const uint16_t key_of_set2[LURK_PS2_CODES] = {
#define SET2(name, hex) [LURK_PS2_INDEX(0x##hex)] = LURK_KEY_##name,
#include "lurk/keys.def"
};

static const uint16_t key_of_hid07[0x100] = {
#define HID07(name, hex) [0x##hex] = LURK_KEY_##name,
#include "lurk/keys.def"
};

static const uint16_t key_of_hid0c[0x300] = {
#define HID0C(name, hex) [0x##hex] = LURK_KEY_##name,
#include "lurk/keys.def"
};

static const uint16_t key_of_hid01[0x100] = {
#define HID01(name, hex) [0x##hex] = LURK_KEY_##name,
#include "lurk/keys.def"
};

/* Set 1 code → set 2 code: the 8042's translation read backwards. */
static const uint8_t set2_of_set1[0x80] = {
	0x00, 0x76, 0x16, 0x1e, 0x26, 0x25, 0x2e, 0x36, 0x3d, 0x3e, 0x46, 0x45, 0x4e, 0x55, 0x66,
	0x0d, 0x15, 0x1d, 0x24, 0x2d, 0x2c, 0x35, 0x3c, 0x43, 0x44, 0x4d, 0x54, 0x5b, 0x5a, 0x14,
	0x1c, 0x1b, 0x23, 0x2b, 0x34, 0x33, 0x3b, 0x42, 0x4b, 0x4c, 0x52, 0x0e, 0x12, 0x5d, 0x1a,
	0x22, 0x21, 0x2a, 0x32, 0x31, 0x3a, 0x41, 0x49, 0x4a, 0x59, 0x7c, 0x11, 0x29, 0x58, 0x05,
	0x06, 0x04, 0x0c, 0x03, 0x0b, 0x83, 0x0a, 0x01, 0x09, 0x77, 0x7e, 0x6c, 0x75, 0x7d, 0x7b,
	0x6b, 0x73, 0x74, 0x79, 0x69, 0x72, 0x7a, 0x70, 0x71, 0x84, 0x60, 0x61, 0x78, 0x07, 0x0f,
	0x17, 0x1f, 0x27, 0x2f, 0x37, 0x3f, 0x47, 0x4f, 0x56, 0x5e, 0x08, 0x10, 0x18, 0x20, 0x28,
	0x30, 0x38, 0x40, 0x48, 0x50, 0x57, 0x6f, 0x13, 0x19, 0x39, 0x51, 0x53, 0x5c, 0x5f, 0x62,
	0x63, 0x64, 0x65, 0x67, 0x68, 0x6a, 0x6d, 0x6e,
};

static const struct {
	const char *prefix;
	uint8_t length;
} kinds[] = {
	[LURK_SCAN_NONE] = {"", 0},      [LURK_SCAN_SET1] = {"set1:", 5},
	[LURK_SCAN_SET2] = {"set2:", 5}, [LURK_SCAN_HID] = {"hid:", 4},
	[LURK_SCAN_RAW] = {"raw:", 4},
};

lurk_scan lurk_scan_make(enum lurk_scan_kind kind, uint32_t code)
{
	return (lurk_scan){code, (uint8_t)kind};
}

bool lurk_scan_same(lurk_scan a, lurk_scan b)
{
	return a.code == b.code && a.kind == b.kind;
}

uint8_t lurk_set1_to_set2(uint8_t byte)
{
	return byte < 0x80 ? set2_of_set1[byte] : 0;
}

uint8_t lurk_set2_to_set1(uint8_t byte)
{
	for (unsigned i = 1; i < 0x80; i++) {
		if (set2_of_set1[i] == byte)
			return (uint8_t)i;
	}
	/* The controller's table also knows what these two became before 83 and 84 took their
	 * place. */
	return byte == 0x02 ? 0x41 : byte == 0x7f ? 0x54 : 0;
}

static bool is_ps2_code(uint32_t code)
{
	return code < 0x100 || code >> 8 == 0xe0 || code == 0xe11d45 || code == 0xe11477;
}

lurk_key lurk_scan_key(lurk_scan scan)
{
	uint32_t id = scan.code & 0xffff;

	switch (scan.kind) {
	case LURK_SCAN_SET1:
		return is_ps2_code(scan.code) ? key_of_set1[LURK_PS2_INDEX(scan.code)] : 0;
	case LURK_SCAN_SET2:
		return is_ps2_code(scan.code) ? key_of_set2[LURK_PS2_INDEX(scan.code)] : 0;
	case LURK_SCAN_HID:
		if (scan.code >> 16 == 0x07)
			return id < 0x100 ? key_of_hid07[id] : 0;
		if (scan.code >> 16 == 0x0c)
			return id < 0x300 ? key_of_hid0c[id] : 0;
		if (scan.code >> 16 == 0x01)
			return id < 0x100 ? key_of_hid01[id] : 0;
		return LURK_KEY_NONE;
	default:
		return LURK_KEY_NONE;
	}
}

/* Translates a PS/2 code of either set to the other. */
static lurk_scan other_set(lurk_scan scan)
{
	bool to_set2 = scan.kind == LURK_SCAN_SET1;
	lurk_scan out = {0, to_set2 ? LURK_SCAN_SET2 : LURK_SCAN_SET1};
	uint8_t low = (uint8_t)scan.code;
	uint8_t byte = to_set2 ? lurk_set1_to_set2(low) : lurk_set2_to_set1(low);

	if (scan.code == (to_set2 ? 0xe11d45U : 0xe11477U))
		out.code = to_set2 ? 0xe11477 : 0xe11d45;
	else if (scan.code == 0xf1 || scan.code == 0xf2)
		out.code = scan.code; /* not translated */
	else if (is_ps2_code(scan.code) && byte)
		out.code = scan.code < 0x100 ? byte : 0xe000U | byte;
	else
		out.kind = LURK_SCAN_NONE;
	return out;
}

static lurk_scan from_raw(uint32_t raw, enum lurk_wiring wiring)
{
	lurk_scan set = {0, wiring == LURK_WIRING_SET1 ? LURK_SCAN_SET1 : LURK_SCAN_SET2};
	uint32_t pause = wiring == LURK_WIRING_SET1 ? 0xc5 : 0xf7;

	if (wiring == LURK_WIRING_HID)
		return lurk_scan_make(LURK_SCAN_HID, raw);
	if (raw > 0x1ff)
		set.kind = LURK_SCAN_NONE;
	else if (raw == pause)
		set.code = wiring == LURK_WIRING_SET1 ? 0xe11d45 : 0xe11477;
	else if (raw & 0x100)
		set.code = (raw & 0x7f) | 0x80;
	else
		set.code = raw & 0x80 ? 0xe000 | (raw & 0x7f) : raw;
	return set;
}

lurk_scan lurk_scan_on(lurk_scan scan, enum lurk_wiring wiring)
{
	lurk_scan none = {0, LURK_SCAN_NONE};

	switch (scan.kind) {
	case LURK_SCAN_RAW:
		return from_raw(scan.code, wiring);
	case LURK_SCAN_HID:
		return wiring == LURK_WIRING_HID ? scan : none;
	case LURK_SCAN_SET1:
		return wiring == LURK_WIRING_SET1   ? scan
		       : wiring == LURK_WIRING_SET2 ? other_set(scan)
						    : none;
	case LURK_SCAN_SET2:
		return wiring == LURK_WIRING_SET2   ? scan
		       : wiring == LURK_WIRING_SET1 ? other_set(scan)
						    : none;
	default:
		return none;
	}
}

lurk_scan lurk_key_scan_on(lurk_key key, enum lurk_wiring wiring)
{
	lurk_scan scan = {0, LURK_SCAN_NONE};

	for (size_t i = 0; !scan.kind && lurk_key_scan(key, i).kind; i++)
		scan = lurk_scan_on(lurk_key_scan(key, i), wiring);
	return scan;
}

uint32_t lurk_scan_raw(lurk_scan scan)
{
	uint32_t low = scan.code & 0x7f;

	if (scan.kind != LURK_SCAN_SET1 && scan.kind != LURK_SCAN_SET2)
		return scan.code;
	return low | (scan.code > 0xff ? 0x80U : (scan.code & 0x80) << 1);
}

/* ---- Text ---------------------------------------------------------------------------------- */

static char *put_hex(char *to, uint32_t value, unsigned digits)
{
	while (digits < 8 && value >> (4 * digits))
		digits++;
	while (digits--)
		*to++ = "0123456789abcdef"[value >> (4 * digits) & 15];
	return to;
}

static char *put_bare(char *to, lurk_scan scan)
{
	switch (scan.kind) {
	case LURK_SCAN_HID:
		to = put_hex(to, scan.code >> 16, 2);
		*to++ = ':';
		return put_hex(to, scan.code & 0xffff, 2);
	case LURK_SCAN_RAW:
		*to++ = '0';
		*to++ = 'x';
		return put_hex(to, scan.code, 1);
	case LURK_SCAN_SET1:
	case LURK_SCAN_SET2:
		return put_hex(to, scan.code, scan.code > 0xffff ? 6 : scan.code > 0xff ? 4 : 2);
	default:
		*to++ = '?';
		return to;
	}
}

char *lurk_scan_write_bare(lurk_scan scan, char text[LURK_SCAN_TEXT])
{
	*put_bare(text, scan) = '\0';
	return text;
}

char *lurk_scan_write(lurk_scan scan, char text[LURK_SCAN_TEXT])
{
	char *to = text;

	if (scan.kind <= LURK_SCAN_RAW) {
		memcpy(to, kinds[scan.kind].prefix, kinds[scan.kind].length);
		to += kinds[scan.kind].length;
	}
	*put_bare(to, scan) = '\0';
	return text;
}

static int hex_digit(char c)
{
	c = lurk_lower(c);
	if (c >= '0' && c <= '9')
		return c - '0';
	return c >= 'a' && c <= 'f' ? c - 'a' + 10 : -1;
}

/* Reads hexadecimal bytes "e05b", "e0 5b", "0xe0, 0x5b" from *at up to `stop` or the end. Returns
 * the number of digits, 0 where there are none or too many for 32 bits. */
static unsigned read_hex(const char **at, const char *end, char stop, uint32_t *value)
{
	const char *p = *at;
	unsigned digits = 0;

	*value = 0;
	while (p < end && *p != stop) {
		if (end - p >= 2 && p[0] == '0' && lurk_lower(p[1]) == 'x') {
			p += 2;
			continue;
		}
		if (*p == ' ' || *p == ',') {
			p++;
			continue;
		}
		if (hex_digit(*p) < 0 || (*value >> 28))
			return 0;
		*value = *value << 4 | (uint32_t)hex_digit(*p++);
		digits++;
	}
	*at = p;
	return digits;
}

static enum lurk_error read_usage(const char *at, const char *end, lurk_scan *scan)
{
	uint32_t page, id;

	if (!read_hex(&at, end, ':', &page) || at == end)
		return LURK_ERR_SYNTAX;
	at++;
	if (!read_hex(&at, end, '\0', &id) || at != end || page > 0xffff || id > 0xffff || !page)
		return LURK_ERR_SYNTAX;
	*scan = lurk_scan_make(LURK_SCAN_HID, page << 16 | id);
	return LURK_OK;
}

enum lurk_error lurk_scan_read(const char *text, size_t length, lurk_scan *scan)
{
	const char *end = text + length;
	uint32_t code;

	for (unsigned kind = LURK_SCAN_SET1; kind <= LURK_SCAN_RAW; kind++) {
		size_t n = kinds[kind].length, i = 0;

		while (i < n && i < length && lurk_lower(text[i]) == kinds[kind].prefix[i])
			i++;
		if (i < n)
			continue;
		text += n;
		if (kind == LURK_SCAN_HID)
			return read_usage(text, end, scan);
		if (!read_hex(&text, end, '\0', &code) || text != end)
			return LURK_ERR_SYNTAX;
		if (kind != LURK_SCAN_RAW && (!is_ps2_code(code) || !(code & 0xff)))
			return LURK_ERR_SYNTAX;
		*scan = lurk_scan_make((enum lurk_scan_kind)kind, code);
		return LURK_OK;
	}
	return read_usage(text, end, scan);
}
