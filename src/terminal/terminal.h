/* A terminal, or what stands in for one: tables, JSON, and what may not be obeyed. */
#ifndef LURK_TERMINAL_TERMINAL_H
#define LURK_TERMINAL_TERMINAL_H

#include <json-c/json.h>
#include <stdbool.h>

enum { TERM_COLUMNS = 8, TERM_PART = 1024 };

/* A table whose columns are as wide as they must be. */
struct term_table {
	unsigned columns, rows;
	char ***cells;
	const char *const *heads;
};

void term_table_init(struct term_table *table, const char *const *heads, unsigned columns);
/* Takes `columns` strings. */
void term_table_row(struct term_table *table, ...);
void term_table_print(struct term_table *table, const char *indent);

/* Bold on a terminal that shows it, plain elsewhere. */
void term_strong(const char *text);
/* Whether it does. */
bool term_styled(void);
/* How wide the terminal is; $COLUMNS, or 80, where there is none. */
unsigned term_columns(void);
unsigned term_rows(void);
/* Prints an object as one line and frees it. */
void term_json(struct json_object *object);

/* ---- guard.c --------------------------------------------------------------------------------- */

/* From here on nothing that is printed is obeyed by a terminal; but for what goes to term_raw(). */
void term_guard(void);
void term_raw(const char *text);

#endif
