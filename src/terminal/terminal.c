#include "terminal/terminal.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/name.h"
#include "lurk/text/file.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

void term_table_init(struct term_table *table, const char *const *heads, unsigned columns)
{
	*table = (struct term_table){.columns = columns, .heads = heads};
}

/* A row is one block, its cells behind their places. */
void term_table_row(struct term_table *table, ...)
{
	const size_t places = table->columns * sizeof(char *);
	size_t size = places;
	char **row, *at;
	va_list args;

	va_start(args, table);
	for (unsigned i = 0; i < table->columns; i++)
		size += strlen(va_arg(args, const char *)) + 1;
	va_end(args);
	row = lurk_resize(NULL, size);
	at = (char *)row + places;
	va_start(args, table);
	for (unsigned i = 0; i < table->columns; i++) {
		row[i] = at;
		at = stpcpy(at, va_arg(args, const char *)) + 1;
	}
	va_end(args);
	if (!(table->rows & (table->rows + 1))) /* each time as many again */
		table->cells =
			lurk_resize(table->cells, 2 * (table->rows + 1UL) * sizeof *table->cells);
	table->cells[table->rows++] = row;
}

bool term_styled(void)
{
	const char *no = getenv("NO_COLOR"), *term = getenv("TERM");

	return isatty(STDOUT_FILENO) && !(no && *no) && !(term && !strcmp(term, "dumb"));
}

void term_strong(const char *text)
{
	const bool styled = term_styled();

	if (styled)
		term_raw("\033[1m");
	fputs(text, stdout);
	if (styled)
		term_raw("\033[0m");
}

static bool column_empty(const struct term_table *table, unsigned column)
{
	for (unsigned r = 0; r < table->rows; r++) {
		if (*table->cells[r][column])
			return false;
	}
	return true;
}

/* ---- Cells that take several lines ----------------------------------------------------------- */

/* The part of a cell that goes on one line of so many columns, up to a blank where there is one;
 * then the rest. */
static size_t part_of(const char *cell, size_t width, const char **rest)
{
	const char *at = cell, *blank = NULL;
	size_t columns = 0;

	while (*at) {
		const char *next = at;
		const int wide = lurk_utf8_width(lurk_utf8_next(&next));

		columns += wide > 0 ? (size_t)wide : 0;
		if (columns > width && at > cell) /* one character is too wide for no line */
			break;
		at = next;
		if (*at == ' ')
			blank = at;
	}
	if (*at && blank)
		at = blank;
	*rest = at + strspn(at, " ");
	return (size_t)(at - cell);
}

static void print_line(const char **cells, const struct term_table *table, const size_t *widths,
		       const char *indent)
{
	size_t blanks = strlen(indent);

	for (unsigned c = 0; c < table->columns; c++) {
		const char *cell = cells[c], *rest;
		const size_t n = widths[c] ? part_of(cell, widths[c], &rest) : 0;
		char part[4 * TERM_PART + 1];
		const size_t bytes = n < sizeof part ? n : sizeof part - 1;

		if (!widths[c])
			continue;
		memcpy(part, cell, bytes);
		part[bytes] = '\0';
		cells[c] = rest;
		if (bytes) {
			for (; blanks; blanks--)
				putchar_unlocked(' ');
			fputs(part, stdout);
		}
		blanks += widths[c] + 2 - lurk_utf8_columns(part);
	}
	putchar('\n');
}

static bool all_printed(const char *const *cells, const struct term_table *table,
			const size_t *widths)
{
	for (unsigned c = 0; c < table->columns; c++) {
		if (widths[c] && *cells[c])
			return false;
	}
	return true;
}

static void print_row(const struct term_table *table, char *const *cells, const size_t *widths,
		      const char *indent)
{
	const char *left[TERM_COLUMNS];

	for (unsigned c = 0; c < table->columns; c++)
		left[c] = cells[c];
	do
		print_line(left, table, widths, indent);
	while (!all_printed(left, table, widths));
}

/* The longest word of a column or its head, which are not broken as long as there is another way.
 */
static size_t longest_word(const struct term_table *table, unsigned column)
{
	size_t longest = lurk_utf8_columns(table->heads[column]);

	for (unsigned r = 0; r < table->rows; r++) {
		const char *rest;

		for (const char *at = table->cells[r][column]; *at; at = rest) {
			const char *end = at + strcspn(at, " ");
			size_t n = 0;

			for (const char *c = at; c < end;) {
				const int wide = lurk_utf8_width(lurk_utf8_next(&c));

				n += wide > 0 ? (size_t)wide : 0;
			}
			longest = n > longest ? n : longest;
			rest = end + strspn(end, " ");
		}
	}
	return longest;
}

/* The widest columns become narrower, down to `least`, until all fit on a terminal. */
static bool fit(const struct term_table *table, size_t *widths, const size_t *least, size_t room)
{
	for (;;) {
		size_t all = 0;
		unsigned widest = TERM_COLUMNS;

		for (unsigned c = 0; c < table->columns; c++) {
			all += widths[c] ? widths[c] + 2 : 0;
			if (widths[c] > least[c] &&
			    (widest == TERM_COLUMNS || widths[c] > widths[widest]))
				widest = c;
		}
		if (all <= room + 2 || widest == TERM_COLUMNS)
			return all <= room + 2;
		widths[widest]--;
	}
}

static void fit_terminal(const struct term_table *table, size_t *widths, size_t room)
{
	enum { LEAST = 8 };
	size_t least[TERM_COLUMNS] = {0};

	for (unsigned c = 0; c < table->columns; c++)
		least[c] = longest_word(table, c);
	if (fit(table, widths, least, room))
		return;
	for (unsigned c = 0; c < table->columns; c++)
		least[c] = least[c] < LEAST ? least[c] : LEAST;
	fit(table, widths, least, room);
}

void term_table_print(struct term_table *table, const char *indent)
{
	size_t widths[TERM_COLUMNS] = {0};
	char *heads[TERM_COLUMNS];

	for (unsigned c = 0; c < table->columns; c++) {
		heads[c] = (char *)(uintptr_t)table->heads[c];
		if (column_empty(table, c))
			continue; /* a column with nothing in it is left out */
		widths[c] = lurk_utf8_columns(heads[c]);
		for (unsigned r = 0; r < table->rows; r++) {
			const size_t columns = lurk_utf8_columns(table->cells[r][c]);

			widths[c] = columns > widths[c] ? columns : widths[c];
		}
		widths[c] = widths[c] < TERM_PART ? widths[c] : TERM_PART;
	}
	if (isatty(STDOUT_FILENO))
		fit_terminal(table, widths, term_columns() - strlen(indent));
	if (table->rows) {
		if (term_styled())
			term_raw("\033[1m");
		print_row(table, heads, widths, indent);
		if (term_styled())
			term_raw("\033[0m");
	}
	for (unsigned r = 0; r < table->rows; r++) {
		print_row(table, table->cells[r], widths, indent);
		lurk_release(table->cells[r]);
	}
	lurk_release(table->cells);
	table->cells = NULL;
	table->rows = 0;
}

void term_json(struct json_object *object)
{
	const char *text = json_object_to_json_string_ext(
		object, JSON_C_TO_STRING_PLAIN | JSON_C_TO_STRING_NOSLASHESCAPE);
	size_t left = strlen(text), n;

	/* What a terminal would obey can only be within a text, and is there in another way. */
	for (; left; left -= n, text += n) {
		uint32_t c = 0;

		n = lurk_character_read(text, left, &c);
		n = n ? n : 1;
		if (c >= 0x7f && c < 0x10000 && lurk_is_harmful(c))
			printf("\\u%04x", (unsigned)c);
		else
			fwrite(text, 1, n, stdout);
	}
	putchar('\n');
	json_object_put(object);
}
