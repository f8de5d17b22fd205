#include "text/hex.h"

static const char names[] = "0123456789abcdef";

char *lurk_hex_write(const uint8_t *bytes, size_t length, char *out)
{
	for (size_t i = 0; i < length; i++) {
		out[2 * i] = names[bytes[i] >> 4];
		out[2 * i + 1] = names[bytes[i] & 15];
	}
	out[2 * length] = '\0';
	return out;
}

static int value(char digit)
{
	if (digit >= '0' && digit <= '9')
		return digit - '0';
	if (digit >= 'a' && digit <= 'f')
		return digit - 'a' + 10;
	return digit >= 'A' && digit <= 'F' ? digit - 'A' + 10 : -1;
}

bool lurk_hex_read(const char *text, size_t digits, uint8_t *bytes)
{
	if (digits % 2)
		return false;
	for (size_t i = 0; i < digits; i += 2) {
		int high = value(text[i]), low = value(text[i + 1]);

		if (high < 0 || low < 0)
			return false;
		bytes[i / 2] = (uint8_t)(high << 4 | low);
	}
	return true;
}
