/* Output: tables, JSON, times. */
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include <sys/ioctl.h>

#include "cli/cli.h"
#include "text/utf8.h"

int cli_fail(int status, const char *format, ...)
{
	va_list args;

	fflush(stdout);
	fputs("lurk: ", stderr);
	va_start(args, format);
	vfprintf(stderr, format, args);
	va_end(args);
	fputc('\n', stderr);
	return status;
}

void cli_table_init(struct cli_table *table, const char *const *heads, unsigned columns)
{
	*table = (struct cli_table){.columns = columns, .heads = heads};
}

void cli_table_row(struct cli_table *table, ...)
{
	char **row = calloc(table->columns, sizeof *row);
	char ***grown = realloc(table->cells, (table->rows + 1) * sizeof *grown);
	va_list args;

	if (!row || !grown)
		abort();
	table->cells = grown;
	table->cells[table->rows++] = row;
	va_start(args, table);
	for (unsigned i = 0; i < table->columns; i++)
		row[i] = strdup(va_arg(args, const char *));
	va_end(args);
}

bool cli_styled(void)
{
	const char *no = getenv("NO_COLOR"), *term = getenv("TERM");

	return isatty(STDOUT_FILENO) && !(no && *no) && !(term && !strcmp(term, "dumb"));
}

void cli_print_strong(const char *text)
{
	const bool styled = cli_styled();

	if (styled)
		cli_raw("\033[1m");
	fputs(text, stdout);
	if (styled)
		cli_raw("\033[0m");
}

unsigned cli_columns(void)
{
	enum { LEAST = 20 }; /* what is said to be narrower is not known */
	const char *wanted = getenv("COLUMNS");
	const int columns = wanted ? atoi(wanted) : 0;
	struct winsize size;

	if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= LEAST)
		return size.ws_col;
	return columns >= LEAST ? (unsigned)columns : 80;
}

unsigned cli_rows(void)
{
	struct winsize size;

	return ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row ? size.ws_row : 24;
}

static bool column_empty(const struct cli_table *table, unsigned column)
{
	for (unsigned r = 0; r < table->rows; r++) {
		if (*table->cells[r][column])
			return false;
	}
	return true;
}

static void print_row(const struct cli_table *table, char *const *cells, const size_t *widths,
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

void cli_table_print(struct cli_table *table, const char *indent)
{
	size_t widths[CLI_COLUMNS] = {0};
	char *heads[CLI_COLUMNS];

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
		if (cli_styled())
			cli_raw("\033[1m");
		print_row(table, heads, widths, indent);
		if (cli_styled())
			cli_raw("\033[0m");
	}
	for (unsigned r = 0; r < table->rows; r++) {
		print_row(table, table->cells[r], widths, indent);
		for (unsigned c = 0; c < table->columns; c++)
			free(table->cells[r][c]);
		free(table->cells[r]);
	}
	free(table->cells);
	table->cells = NULL;
	table->rows = 0;
}

void cli_print_json(struct json_object *object)
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

const char *cli_time(uint64_t time_us, char out[32])
{
	time_t seconds = (time_t)(time_us / 1000000);
	struct tm tm;

	if (!gmtime_r(&seconds, &tm) || !strftime(out, 32, "%Y-%m-%d %H:%M", &tm))
		snprintf(out, 32, "an unknown time");
	return out;
}

const char *cli_safe(struct lurk_text text, char *out, size_t size)
{
	snprintf(out, size, "%.*s", (int)(text.length < size ? text.length : size - 1),
		 text.length ? text.bytes : "");
	lurk_make_harmless(out);
	return out;
}

struct json_object *cli_json_text(struct lurk_text text)
{
	return json_object_new_string_len(text.bytes, (int)text.length);
}

const char *cli_count(unsigned count, const char *one, char out[48])
{
	snprintf(out, 48, "%u %s%s", count, one, count == 1 ? "" : "s");
	return out;
}
