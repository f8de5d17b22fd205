/*
 * The text of an XKB symbols file with a layout of one's own: where its statements stand, so that
 * one line is changed and every other byte stays.
 *
 * Of that shape is a file with one section in which there are only includes, the name of the layout
 * and keys:
 *
 *     default partial alphanumeric_keys
 *     xkb_symbols "basic" {
 *         include "de(nodeadkeys)"
 *         name[Group1] = "Reed bed";
 *         key <AB07> { [ m, M, U2713, NoSymbol ] };
 *     };
 */
#ifndef LURK_LAYOUT_SYMBOLS_H
#define LURK_LAYOUT_SYMBOLS_H

#include "layout/lexer.h"
#include "lurk/text/file.h"

enum { LURK_SYMBOLS_KEYS = 256, LURK_SYMBOLS_SPEC = 64 };

struct lurk_symbols {
	char base[LURK_SYMBOLS_SPEC]; /* the first include, "de(nodeadkeys)"; "" for none */
	struct lurk_span body;        /* between the braces */
	struct lurk_span name;        /* the words within the quotes of the name */
	size_t place;                 /* where the line of a new key goes */
	unsigned key_count;
	struct lurk_symbols_key {
		char name[8];          /* "AB07" */
		struct lurk_span span; /* from `key` to the semicolon */
	} keys[LURK_SYMBOLS_KEYS];
};

/* False with a message, that begins with the number of a line, where it has another shape. */
bool lurk_symbols_read(const char *text, size_t length, struct lurk_symbols *symbols,
		       struct lurk_message *message);

/* The key's statement, the last where there are several: that is what counts. NULL for none. */
const struct lurk_symbols_key *lurk_symbols_key(const struct lurk_symbols *symbols,
						const char *name);

/* The text with a statement for the key instead of its own, or on a line of its own; with any
 * statement on a line of its own; without a statement, and without its line where it stands alone.
 * To be freed. */
char *lurk_symbols_with(const char *text, const struct lurk_symbols *symbols, const char *key,
			const char *statement);
char *lurk_symbols_add(const char *text, const struct lurk_symbols *symbols, const char *statement);
/* The text with that name, which has none of what ends it. To be freed. */
char *lurk_symbols_named(const char *text, const struct lurk_symbols *symbols, const char *name);
char *lurk_symbols_without(const char *text, const struct lurk_symbols_key *key);

#endif
