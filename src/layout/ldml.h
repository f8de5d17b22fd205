/* What reading and writing LDML keyboards share. Private to this room. */
#ifndef LURK_LAYOUT_LDML_H
#define LURK_LAYOUT_LDML_H

#include "layout/rows.h"
#include "lurk/layout/ldml.h"

/* No modifier, Shift, AltRight, both; then the same with Caps Lock on. */
enum { LDML_LAYERS = 8, LDML_CAPS = 4, LDML_ROWS = 5, LDML_ROW = 14 };

/* A form of keyboard, as LDML's implied forms have it: rows of keys by XKB's names and codes. */
struct ldml_form {
	const char *id;
	struct {
		const char *names[LDML_ROW]; /* NULL ends it */
		lurk_key keys[LDML_ROW];
	} rows[LDML_ROWS];
};

/* By its id; NULL where there is none. */
const struct ldml_form *ldml_form(const char *id);

/* Tells what is left out, in a sentence that no terminal obeys. */
void ldml_leave_out(lurk_left_out *left, void *data, const char *format, ...) LURK_PRINTF(3, 4);

/* What each of the key's layers types, as libxkbcommon says; 0 for nothing. */
void ldml_types(struct lurk_layout *layout, lurk_key key, uint32_t symbols[LDML_LAYERS]);

/* What the keys of a form type in each layer, and which layers the file has. */
struct ldml_layers {
	const struct ldml_form *form;
	bool has[LDML_LAYERS];
	uint32_t types[LDML_ROWS][LDML_ROW][LDML_LAYERS];
};

/* The symbols file, to be released; what cannot be said is told. */
char *ldml_symbols(struct ldml_layers *layers, const char *words, lurk_left_out *left, void *data);

#endif
