#include "terminal/terminal.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "lurk/name.h"
#include "lurk/text/file.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

void term_table_init(struct term_table *table, const char *const *heads, unsigned columns)
{
	*table = (struct term_table){.columns = columns, .heads = heads};
}

void term_table_row(struct term_table *table, ...)
{
	char **row = lurk_allocate(table->columns, sizeof *row);
	char ***grown = lurk_resize(table->cells, (table->rows + 1) * sizeof *grown);
	va_list args;

	table->cells = grown;
	table->cells[table->rows++] = row;
	va_start(args, table);
	for (unsigned i = 0; i < table->columns; i++) {
		const char *cell = va_arg(args, const char *);

		row[i] = lurk_copy(cell, strlen(cell));
	}
	va_end(args);
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

unsigned term_columns(void)
{
	enum { LEAST = 20 }; /* what is said to be narrower is not known */
	const char *wanted = getenv("COLUMNS");
	const int columns = wanted ? atoi(wanted) : 0;
	struct winsize size;

	if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= LEAST)
		return size.ws_col;
	return columns >= LEAST ? (unsigned)columns : 80;
}

unsigned term_rows(void)
{
	struct winsize size;

	return ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row ? size.ws_row : 24;
}

static bool column_empty(const struct term_table *table, unsigned column)
{
	for (unsigned r = 0; r < table->rows; r++) {
		if (*table->cells[r][column])
			return false;
	}
	return true;
}

static void print_row(const struct term_table *table, char *const *cells, const size_t *widths,
		      const char *indent)
{
	unsigned last = 0;

	for (unsigned c = 0; c < table->columns; c++)
		last = widths[c] && *cells[c] ? c : last;
	fputs(indent, stdout);
	for (unsigned c = 0; c <= last; c++) {
		if (!widths[c])
			continue;
		fputs(cells[c], stdout);
		if (c < last)
			for (size_t n = lurk_utf8_columns(cells[c]); n < widths[c] + 2; n++)
				putchar_unlocked(' ');
	}
	putchar('\n');
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
		for (unsigned r = 0; r < table->rows; r++)
			widths[c] = lurk_utf8_columns(table->cells[r][c]) > widths[c]
					    ? lurk_utf8_columns(table->cells[r][c])
					    : widths[c];
	}
	if (table->rows) {
		if (term_styled())
			term_raw("\033[1m");
		print_row(table, heads, widths, indent);
		if (term_styled())
			term_raw("\033[0m");
	}
	for (unsigned r = 0; r < table->rows; r++) {
		print_row(table, table->cells[r], widths, indent);
		for (unsigned c = 0; c < table->columns; c++)
			lurk_release(table->cells[r][c]);
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
