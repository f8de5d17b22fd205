/* What a terminal would obey does not get to it, whoever wrote it into a name, a path or a word:
 * all that is printed goes through here. Only term_raw() passes. On a terminal lines that are too
 * long for it are broken at blanks. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/name.h"
#include "lurk/text/file.h"
#include "lurk/text/utf8.h"
#include "terminal/terminal.h"
#include "text/whole.h"

struct guard {
	int fd;
	bool wraps;
	char begun[4]; /* of a character whose rest is still to come */
	size_t begun_length;

	/* The line so far: its columns, and where what it goes on with on the next line begins. */
	unsigned width, column, indent, blanks,
		kept; /* blanks before a word; those not written yet */
	bool as_it_is, within_word;
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

/* ---- Lines ----------------------------------------------------------------------------------- */

enum { CHUNK = 4096 };

static unsigned columns_of(const char *text, size_t length)
{
	char word[CHUNK + 1];

	memcpy(word, text, length);
	word[length] = '\0';
	return lurk_utf8_columns(word);
}

/* The bytes up to where a line may be broken: a word, or a command in backquotes that a line has
 * room for. */
static size_t word_at(const struct guard *g, const char *text, size_t length)
{
	const char *close = length > 1 && *text == '`' ? memchr(text + 1, '`', length - 1) : NULL;
	size_t n = close ? (size_t)(close - text) : 0;

	if (n && (memchr(text, '\n', n) || g->indent + columns_of(text, n) + 2 > g->width))
		n = 0;
	while (n < length && text[n] != ' ' && text[n] != '\n')
		n++;
	return n;
}

/* Where the text of a line stands behind others, as in a list, it goes on below itself. */
static void take_blank(struct guard *g)
{
	g->column++;
	g->blanks++;
	g->kept++;
	if (g->column == g->blanks || (g->blanks > 1 && g->column < g->width / 2))
		g->indent = g->column;
}

struct sink {
	int fd;
	bool fine;
	char bytes[CHUNK];
	size_t used;
};

static void put(struct sink *sink, const char *bytes, size_t length)
{
	if (sink->used + length > sizeof sink->bytes) {
		sink->fine = lurk_write_whole(sink->fd, sink->bytes, sink->used) && sink->fine;
		sink->used = 0;
	}
	memcpy(sink->bytes + sink->used, bytes, length);
	sink->used += length;
}

static void put_blanks(struct sink *sink, unsigned count)
{
	while (count--)
		put(sink, " ", 1);
}

/* A word, on the next line where there is no room for it on this one. */
static void put_word(struct guard *g, struct sink *sink, const char *word, size_t length)
{
	const unsigned columns = columns_of(word, length);

	/* An object is one line for programs. */
	g->as_it_is = g->as_it_is || (!g->column && (*word == '{' || *word == '['));
	if (!g->as_it_is && !g->within_word && g->column > g->indent &&
	    g->column + columns > g->width) {
		put(sink, "\n", 1);
		g->column = g->kept = g->indent;
	}
	put_blanks(sink, g->kept);
	g->kept = 0;
	g->column += columns;
	g->blanks = 0;
	g->within_word = true;
	put(sink, word, length);
}

static bool write_wrapped(struct guard *g, const char *in, size_t length)
{
	struct sink sink = {.fd = g->fd, .fine = true};
	size_t n;

	g->width = term_columns();
	for (size_t at = 0; at < length; at += n) {
		n = in[at] == ' ' || in[at] == '\n' ? 1 : word_at(g, in + at, length - at);
		if (in[at] != ' ' && in[at] != '\n') {
			put_word(g, &sink, in + at, n);
			continue;
		}
		g->within_word = false;
		if (in[at] == ' ') {
			take_blank(g);
			continue;
		}
		put(&sink, "\n", 1);
		g->column = g->indent = g->blanks = g->kept = 0;
		g->as_it_is = false;
	}
	if (g->column <= g->width) { /* as behind a question */
		put_blanks(&sink, g->kept);
		g->kept = 0;
	}
	return lurk_write_whole(sink.fd, sink.bytes, sink.used) && sink.fine;
}

static ssize_t guarded(void *cookie, const char *bytes, size_t size)
{
	struct guard *g = cookie;
	char chunk[CHUNK];
	size_t done = 0;

	if (raw && memchr(bytes, '\n', size))
		g->column = g->indent = g->blanks = g->kept = 0;
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
		if (!(g->wraps ? write_wrapped(g, chunk, length)
			       : lurk_write_whole(g->fd, chunk, length)))
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
	out.wraps = isatty(STDOUT_FILENO);
	err.wraps = isatty(STDERR_FILENO);
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
