/* What a terminal would obey does not get to it, whoever wrote it into a name, a path or a word:
 * all that is printed goes through here. Only term_raw() passes. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/name.h"
#include "lurk/text/file.h"
#include "terminal/terminal.h"
#include "text/whole.h"

struct guard {
	int fd;
	char begun[4]; /* of a character whose rest is still to come */
	size_t begun_length;
};

static struct guard out = {.fd = STDOUT_FILENO}, err = {.fd = STDERR_FILENO};
static bool raw;

/* How much of it is no whole character yet. */
static size_t begun_at_end(const char *bytes, size_t length)
{
	size_t n = 1;

	while (n < 4 && n <= length && !lurk_is_cut(bytes + length - n, n))
		n++;
	return n < 4 && n <= length ? n : 0;
}

static void guard(char *bytes, size_t length)
{
	size_t n;

	for (size_t at = 0; at < length; at += n) {
		uint32_t c;

		for (n = 0; at + n < length && bytes[at + n] >= ' ' && bytes[at + n] <= '~'; n++)
			;
		if (n)
			continue;
		n = lurk_character_read(bytes + at, length - at, &c);
		if (n && (!lurk_is_harmful(c) || c == '\n' || c == '\t'))
			continue;
		n = n ? n : 1;
		memset(bytes + at, '?', n);
	}
}

static ssize_t guarded(void *cookie, const char *bytes, size_t size)
{
	struct guard *g = cookie;
	char chunk[4096];
	size_t done = 0;

	if (raw)
		return lurk_write_whole(g->fd, bytes, size) ? (ssize_t)size : 0;
	while (done < size) {
		const size_t room = sizeof chunk - g->begun_length;
		const size_t n = size - done < room ? size - done : room;
		size_t length = g->begun_length + n, left;

		memcpy(chunk, g->begun, g->begun_length);
		memcpy(chunk + g->begun_length, bytes + done, n);
		left = begun_at_end(chunk, length);
		length -= left;
		memcpy(g->begun, chunk + length, left);
		g->begun_length = left;
		guard(chunk, length);
		if (!lurk_write_whole(g->fd, chunk, length))
			return 0;
		done += n;
	}
	return (ssize_t)size;
}

void term_guard(void)
{
	const cookie_io_functions_t functions = {.write = guarded};
	FILE *guarded_out = fopencookie(&out, "w", functions);
	FILE *guarded_err = fopencookie(&err, "w", functions);

	if (!guarded_out || !guarded_err)
		abort();
	setvbuf(guarded_out, NULL, isatty(STDOUT_FILENO) ? _IOLBF : _IOFBF, BUFSIZ);
	setvbuf(guarded_err, NULL, _IONBF, 0);
	stdout = guarded_out;
	stderr = guarded_err;
}

void term_raw(const char *text)
{
	fflush(stdout);
	raw = true;
	fputs(text, stdout);
	fflush(stdout);
	raw = false;
}
