#include "text/utf8.h"

#include <stdbool.h>
#include <string.h>

wchar_t lurk_utf8_next(const char **text)
{
	mbstate_t state = {0};
	wchar_t c;
	size_t n = mbrtowc(&c, *text, strlen(*text), &state);

	if (n == (size_t)-1 || n == (size_t)-2) {
		++*text;
		return 0xfffd;
	}
	*text += n;
	return c;
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
		int width = wcwidth(lurk_utf8_next(&text));

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
