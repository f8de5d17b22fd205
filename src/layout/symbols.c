#include "layout/symbols.h"

#include <stdio.h>
#include <string.h>

#include "lurk/text/memory.h"

struct reader {
	struct lurk_lexer lexer;
	struct lurk_message *message;
};

/* What stands there is not what stands in a layout of one's own. */
static bool refuse(const struct reader *r, const char *wanted)
{
	char seen[32];
	const struct lurk_span span = r->lexer.token.span;

	if (r->lexer.token.kind == LURK_TOKEN_END)
		return lurk_say(r->message, "line %u: it ends where %s would stand",
				lurk_lexer_line(&r->lexer, r->lexer.length), wanted);
	snprintf(seen, sizeof seen, "%.*s", (int)(span.end - span.start),
		 r->lexer.text + span.start);
	lurk_make_harmless(seen);
	return lurk_say(r->message, "line %u: `%s` stands where %s would",
			lurk_lexer_line(&r->lexer, span.start), seen, wanted);
}

static bool take_sign(struct reader *r, char sign)
{
	const char wanted[] = {'`', sign, '`', 0};

	if (!lurk_lexer_is_sign(&r->lexer, sign))
		return refuse(r, wanted);
	lurk_lexer_next(&r->lexer);
	return true;
}

static bool take_string(struct reader *r, struct lurk_span *span)
{
	if (r->lexer.token.kind != LURK_TOKEN_STRING)
		return refuse(r, "a text in quotes");
	*span = r->lexer.token.span;
	lurk_lexer_next(&r->lexer);
	return true;
}

/* name[Group1] = "…"; */
static bool read_name(struct reader *r, struct lurk_symbols *symbols)
{
	lurk_lexer_next(&r->lexer);
	if (!take_sign(r, '['))
		return false;
	if (!lurk_lexer_is_word(&r->lexer, "Group1") && !lurk_lexer_is_word(&r->lexer, "group1") &&
	    !lurk_lexer_is_word(&r->lexer, "1"))
		return refuse(r, "`Group1`");
	lurk_lexer_next(&r->lexer);
	if (!take_sign(r, ']') || !take_sign(r, '=') || !take_string(r, &symbols->name))
		return false;
	if (!lurk_lexer_is_sign(&r->lexer, ';'))
		return refuse(r, "`;`");
	symbols->place = r->lexer.at;
	lurk_lexer_next(&r->lexer);
	return true;
}

/* key <AB07> { … }; where braces may stand in braces. */
static bool read_key(struct reader *r, struct lurk_symbols *symbols)
{
	struct lurk_symbols_key *key = &symbols->keys[symbols->key_count];
	unsigned depth = 0;

	if (symbols->key_count == LURK_SYMBOLS_KEYS)
		return refuse(r, "the end of a layout that long");
	key->span.start = r->lexer.token.span.start;
	lurk_lexer_next(&r->lexer);
	if (r->lexer.token.kind != LURK_TOKEN_KEY_NAME ||
	    r->lexer.token.span.end - r->lexer.token.span.start >= sizeof key->name)
		return refuse(r, "a key's name such as <AB07>");
	snprintf(key->name, sizeof key->name, "%.*s",
		 (int)(r->lexer.token.span.end - r->lexer.token.span.start),
		 r->lexer.text + r->lexer.token.span.start);
	lurk_lexer_next(&r->lexer);
	if (!lurk_lexer_is_sign(&r->lexer, '{'))
		return refuse(r, "`{`");
	do {
		depth += lurk_lexer_is_sign(&r->lexer, '{');
		depth -= lurk_lexer_is_sign(&r->lexer, '}');
		lurk_lexer_next(&r->lexer);
	} while (depth && r->lexer.token.kind != LURK_TOKEN_END &&
		 r->lexer.token.kind != LURK_TOKEN_BROKEN);
	if (depth || !lurk_lexer_is_sign(&r->lexer, ';'))
		return refuse(r, depth ? "`}`" : "`;`");
	key->span.end = symbols->place = r->lexer.at;
	symbols->key_count++;
	lurk_lexer_next(&r->lexer);
	return true;
}

/* include "…", for which some write a semicolon as well. */
static bool read_include(struct reader *r, struct lurk_symbols *symbols)
{
	struct lurk_span span = {0, 0};

	lurk_lexer_next(&r->lexer);
	symbols->place = r->lexer.at;
	if (!take_string(r, &span))
		return false;
	if (!*symbols->base)
		snprintf(symbols->base, sizeof symbols->base, "%.*s",
			 (int)(span.end - span.start < sizeof symbols->base ? span.end - span.start
									    : 0),
			 r->lexer.text + span.start);
	if (lurk_lexer_is_sign(&r->lexer, ';')) {
		symbols->place = r->lexer.at;
		lurk_lexer_next(&r->lexer);
	}
	return true;
}

/* default, partial and what it has: any words. */
static bool read_head(struct reader *r, struct lurk_symbols *symbols)
{
	struct lurk_span unused;

	while (r->lexer.token.kind == LURK_TOKEN_WORD &&
	       !lurk_lexer_is_word(&r->lexer, "xkb_symbols"))
		lurk_lexer_next(&r->lexer);
	if (!lurk_lexer_is_word(&r->lexer, "xkb_symbols"))
		return refuse(r, "`xkb_symbols`");
	lurk_lexer_next(&r->lexer);
	if (!take_string(r, &unused))
		return false;
	if (!lurk_lexer_is_sign(&r->lexer, '{'))
		return refuse(r, "`{`");
	symbols->body.start = symbols->place = r->lexer.at;
	lurk_lexer_next(&r->lexer);
	return true;
}

bool lurk_symbols_read(const char *text, size_t length, struct lurk_symbols *symbols,
		       struct lurk_message *message)
{
	struct reader r = {{.text = text, .length = length}, message};

	memset(symbols, 0, sizeof *symbols);
	lurk_lexer_next(&r.lexer);
	if (!read_head(&r, symbols))
		return false;
	while (!lurk_lexer_is_sign(&r.lexer, '}')) {
		if (lurk_lexer_is_word(&r.lexer, "include") ? !read_include(&r, symbols)
		    : lurk_lexer_is_word(&r.lexer, "name")  ? !read_name(&r, symbols)
		    : lurk_lexer_is_word(&r.lexer, "key")
			    ? !read_key(&r, symbols)
			    : !refuse(&r, "`include`, `name`, `key` or `}`"))
			return false;
	}
	symbols->body.end = r.lexer.token.span.start;
	lurk_lexer_next(&r.lexer);
	if (!take_sign(&r, ';'))
		return false;
	return r.lexer.token.kind == LURK_TOKEN_END || refuse(&r, "the end of the only section");
}

const struct lurk_symbols_key *lurk_symbols_key(const struct lurk_symbols *symbols,
						const char *name)
{
	for (unsigned i = symbols->key_count; i-- > 0;) {
		if (!strcmp(symbols->keys[i].name, name))
			return &symbols->keys[i];
	}
	return NULL;
}

/* ---- Editing --------------------------------------------------------------------------------- */

/* So much of it replaced; to be freed. */
static char *splice(const char *text, struct lurk_span span, const char *by)
{
	return lurk_print("%.*s%s%s", (int)span.start, text, by, text + span.end);
}

static bool is_comment(const char *text)
{
	return *text == '#' || !strncmp(text, "//", 2);
}

/* Behind what stands on that line, a comment too, so that it stays where it belongs. */
static size_t end_of_line(const char *text, size_t at)
{
	const size_t rest = strspn(text + at, " \t\r");

	if (is_comment(text + at + rest))
		return at + strcspn(text + at, "\n");
	return text[at + rest] == '\n' ? at + rest : at;
}

/* Spaces and tabs that the line of the byte begins with. */
static struct lurk_span indentation(const char *text, size_t at)
{
	size_t start = at;

	while (start > 0 && text[start - 1] != '\n')
		start--;
	return (struct lurk_span){start, start + strspn(text + start, " \t")};
}

char *lurk_symbols_add(const char *text, const struct lurk_symbols *symbols, const char *statement)
{
	const struct lurk_span indented = indentation(text, symbols->place);
	const size_t at = end_of_line(text, symbols->place);
	char *whole = indented.end > indented.start
			      ? lurk_print("\n%.*s%s", (int)(indented.end - indented.start),
					   text + indented.start, statement)
			      : lurk_print("\n    %s", statement);
	char *out = splice(text, (struct lurk_span){at, at}, whole);

	lurk_release(whole);
	return out;
}

/* A statement, and before it, each on a line of its own, the comments within the one whose place it
 * takes. To be freed. */
static char *with_comments(const char *text, struct lurk_span span, const char *statement)
{
	const struct lurk_span indented = indentation(text, span.start);
	struct lurk_lexer lexer = {.text = text, .length = span.end, .at = span.start};
	char *out = lurk_print("%s", ""), *whole;

	do {
		size_t at = lexer.at + strspn(text + lexer.at, " \t\r\n");

		while (at < span.end && is_comment(text + at)) {
			const size_t length = strcspn(text + at, "\n");
			char *more = lurk_print("%s%.*s\n%.*s", out, (int)length, text + at,
						(int)(indented.end - indented.start),
						text + indented.start);

			lurk_release(out);
			out = more;
			at += length;
			at += strspn(text + at, " \t\r\n");
		}
		lurk_lexer_next(&lexer);
	} while (lexer.token.kind != LURK_TOKEN_END);
	whole = lurk_print("%s%s", out, statement);
	lurk_release(out);
	return whole;
}

char *lurk_symbols_with(const char *text, const struct lurk_symbols *symbols, const char *key,
			const char *statement)
{
	const struct lurk_symbols_key *there = lurk_symbols_key(symbols, key);
	char *whole, *out;

	if (!there)
		return lurk_symbols_add(text, symbols, statement);
	whole = with_comments(text, there->span, statement);
	out = splice(text, there->span, whole);
	lurk_release(whole);
	return out;
}

char *lurk_symbols_named(const char *text, const struct lurk_symbols *symbols, const char *name)
{
	char *statement, *out;

	if (symbols->name.end)
		return splice(text, symbols->name, name);
	statement = lurk_print("name[Group1] = \"%s\";", name);
	out = lurk_symbols_add(text, symbols, statement);
	lurk_release(statement);
	return out;
}

/* A statement with the line that it leaves empty. */
static struct lurk_span whole_line(const char *text, struct lurk_span span)
{
	const struct lurk_span indented = indentation(text, span.start);
	const size_t rest = span.end + strspn(text + span.end, " \t\r");

	if (indented.end == span.start && text[rest] == '\n')
		return (struct lurk_span){indented.start, rest + 1};
	return span;
}

char *lurk_symbols_without(const char *text, const struct lurk_symbols_key *key)
{
	return splice(text, whole_line(text, key->span), "");
}
