#include "layout/lexer.h"

#include <ctype.h>
#include <string.h>
#include <strings.h>

unsigned lurk_lexer_line(const struct lurk_lexer *r, size_t at)
{
	unsigned line = 1;

	for (size_t i = 0; i < at; i++)
		line += r->text[i] == '\n';
	return line;
}

/* White space, and comments: both kinds end with the line. */
static void skip_blank(struct lurk_lexer *r)
{
	while (r->at < r->length) {
		const char c = r->text[r->at];
		const bool comment = c == '#' || (c == '/' && r->at + 1 < r->length &&
						  r->text[r->at + 1] == '/');

		if (comment) {
			const char *end = memchr(r->text + r->at, '\n', r->length - r->at);

			r->at = end ? (size_t)(end - r->text) : r->length;
		} else if (isspace((unsigned char)c)) {
			r->at++;
		} else {
			return;
		}
	}
}

static bool in_word(char c)
{
	return isalnum((unsigned char)c) || c == '_';
}

/* Up to the sign that ends it, on one line. */
static void take_quoted(struct lurk_lexer *r, enum lurk_token_kind kind, char end)
{
	size_t at = ++r->at;

	while (at < r->length && r->text[at] != end && r->text[at] != '\n')
		at++;
	r->token = (struct lurk_token){
		at < r->length && r->text[at] == end ? kind : LURK_TOKEN_BROKEN, {r->at, at}, end};
	r->at = at < r->length ? at + 1 : at;
}

void lurk_lexer_next(struct lurk_lexer *r)
{
	skip_blank(r);
	if (r->at == r->length) {
		r->token = (struct lurk_token){LURK_TOKEN_END, {r->at, r->at}, 0};
	} else if (in_word(r->text[r->at])) {
		r->token = (struct lurk_token){LURK_TOKEN_WORD, {r->at, r->at}, 0};
		while (r->at < r->length && in_word(r->text[r->at]))
			r->at++;
		r->token.span.end = r->at;
	} else if (r->text[r->at] == '"') {
		take_quoted(r, LURK_TOKEN_STRING, '"');
	} else if (r->text[r->at] == '<') {
		take_quoted(r, LURK_TOKEN_KEY_NAME, '>');
	} else {
		r->token = (struct lurk_token){LURK_TOKEN_SIGN, {r->at, r->at + 1}, r->text[r->at]};
		r->at++;
	}
}

bool lurk_lexer_is_word(const struct lurk_lexer *r, const char *word)
{
	const size_t length = r->token.span.end - r->token.span.start;

	return r->token.kind == LURK_TOKEN_WORD && length == strlen(word) &&
	       !strncasecmp(r->text + r->token.span.start, word, length);
}

bool lurk_lexer_is_sign(const struct lurk_lexer *r, char sign)
{
	return r->token.kind == LURK_TOKEN_SIGN && r->token.sign == sign;
}
