/* What the text of an XKB file consists of, one thing after the other. */
#ifndef LURK_LAYOUT_LEXER_H
#define LURK_LAYOUT_LEXER_H

#include <stdbool.h>
#include <stddef.h>

struct lurk_span {
	size_t start, end; /* bytes of the text; an end of 0 is none */
};

enum lurk_token_kind {
	LURK_TOKEN_END,
	LURK_TOKEN_WORD,
	LURK_TOKEN_STRING,
	LURK_TOKEN_KEY_NAME,
	LURK_TOKEN_SIGN,
	LURK_TOKEN_BROKEN, /* a text or a name that does not end on its line */
};

struct lurk_token {
	enum lurk_token_kind kind;
	struct lurk_span span; /* of a string or a key's name what is within */
	char sign;
};

struct lurk_lexer {
	const char *text;
	size_t length, at;       /* behind the token */
	struct lurk_token token; /* the one that was read last */
};

/* Reads the next one; white space and comments are passed over. */
void lurk_lexer_next(struct lurk_lexer *lexer);

/* Whether it is that word, in any case as XKB has it, or that sign. */
bool lurk_lexer_is_word(const struct lurk_lexer *lexer, const char *word);
bool lurk_lexer_is_sign(const struct lurk_lexer *lexer, char sign);

/* The number of the line that a byte is in, from 1. */
unsigned lurk_lexer_line(const struct lurk_lexer *lexer, size_t at);

#endif
