#include "lurk/text/utf8.h"

#include <locale.h>
#include <stdlib.h>
#include <string.h>
#include <threads.h>
#include <wctype.h>

#include "lurk/name.h"
#include "lurk/text/memory.h"

wchar_t lurk_utf8_next(const char **text)
{
	const char *at = *text;
	uint32_t c = (unsigned char)*at;
	size_t n = c < 0x80 ? 1 : lurk_character_read(at, strnlen(at, 4), &c);

	*text += n ? n : 1;
	return n ? (wchar_t)c : 0xfffd;
}

bool lurk_utf8_is(const char *text)
{
	const size_t length = strlen(text);
	uint32_t unused;
	size_t n = 1, at = 0;

	for (; at < length && n; at += n)
		n = lurk_character_read(text + at, length - at, &unused);
	return n != 0;
}

const char *lurk_utf8_write(uint32_t c, char out[5])
{
	const unsigned more = c < 0x80 ? 0 : c < 0x800 ? 1 : c < 0x10000 ? 2 : 3;
	static const uint8_t begins[] = {0, 0xc0, 0xe0, 0xf0};

	for (unsigned i = more; i; i--) {
		out[i] = (char)(0x80 | (c & 0x3f));
		c >>= 6;
	}
	out[0] = (char)(begins[more] | c);
	out[more + 1] = '\0';
	return out;
}

/* What characters are does not depend on how this system, or the program around, is set up; and
 * what is written in plain letters needs no tables to be loaded. */
static locale_t all;

static void load_all(void)
{
	all = newlocale(LC_CTYPE_MASK, "C.UTF-8", (locale_t)0);
}

static locale_t all_characters(void)
{
	static once_flag loaded = ONCE_FLAG_INIT;

	call_once(&loaded, load_all);
	return all;
}

int lurk_utf8_width(wchar_t c)
{
	locale_t before;
	int width;

	if (c >= ' ' && c <= '~')
		return 1;
	before = uselocale(all_characters());
	width = wcwidth(c);
	uselocale(before);
	return width;
}

wchar_t lurk_utf8_upper(wchar_t c)
{
	return (wchar_t)towupper_l((wint_t)c, all_characters());
}

unsigned lurk_utf8_count(const char *text)
{
	unsigned count = 0;

	for (; *text; count++)
		lurk_utf8_next(&text);
	return count;
}

unsigned lurk_utf8_columns(const char *text)
{
	unsigned columns = 0;

	while (*text) {
		int width = lurk_utf8_width(lurk_utf8_next(&text));

		columns += width > 0 ? (unsigned)width : 0;
	}
	return columns;
}

/* Whether a byte goes on with a character. */
static bool goes_on(char byte)
{
	return ((unsigned char)byte & 0xc0) == 0x80;
}

void lurk_append(char *out, size_t size, const char *text)
{
	const size_t used = strlen(out), length = strlen(text);
	size_t n = used + 1 < size ? size - used - 1 : 0;

	n = length < n ? length : n;
	while (n && n < length && goes_on(text[n]))
		n--;
	memcpy(out + used, text, n);
	out[used + n] = '\0';
}

void lurk_drop_last(char *text)
{
	size_t n = strlen(text);

	while (n && goes_on(text[n - 1]))
		n--;
	text[n ? n - 1 : 0] = '\0';
}
