#include "layout/includes.h"

#include <stdio.h>
#include <string.h>

#include "layout/lexer.h"
#include "lurk/text/memory.h"

/* Debian 12's layouts come to 6 and 23. */
enum { DEEPEST = 12, MOST = 400, NAME = 64 };

struct walk {
	struct xkb_context *context;
	unsigned visits;
	bool unclear, outside;
	char way[DEEPEST][NAME]; /* the files that lead to where it is */
	char where[NAME];        /* for the message */
};

static bool walk_text(struct walk *walk, const char *text, size_t length, const char *section,
		      unsigned depth);

/* The first of that name in the context's folders; to be freed, NULL where there is none. */
static char *read_file(const struct walk *walk, const char *name, size_t *length)
{
	for (unsigned i = 0; i < xkb_context_num_include_paths(walk->context); i++) {
		struct lurk_message unused;
		char path[LURK_PATH], *bytes;
		bool exists;

		snprintf(path, sizeof path, "%s/symbols/%s",
			 xkb_context_include_path_get(walk->context, i), name);
		if (lurk_file_read(path, &bytes, length, &exists, &unused) && exists)
			return bytes;
	}
	return NULL;
}

/* The first on the way that comes again on it, else the last. */
static void note_where(struct walk *walk, const char *last, unsigned depth)
{
	snprintf(walk->where, sizeof walk->where, "%s", last);
	for (unsigned i = depth; i-- > 0;) {
		for (unsigned again = i + 1; again < depth; again++) {
			if (!strcmp(walk->way[i], walk->way[again]))
				memcpy(walk->where, walk->way[i], sizeof walk->where);
		}
	}
}

/* FILE or FILE(SECTION), with more behind it. */
static bool walk_one(struct walk *walk, const char *spec, size_t length, unsigned depth)
{
	const char *open = memchr(spec, '(', length);
	const char *close = open ? memchr(open, ')', (size_t)(spec + length - open)) : NULL;
	const size_t plain = strcspn(spec, ":+|^\""), all = plain < length ? plain : length;
	const size_t name = open ? (size_t)(open - spec) : all;
	char file[NAME], section[NAME] = "", *bytes;
	size_t size;
	bool ends;

	snprintf(file, sizeof file, "%.*s", (int)name, spec);
	if (close)
		snprintf(section, sizeof section, "%.*s", (int)(close - open - 1), open + 1);
	/* Folders are XKB's own; a name that leaves them would let a file from anywhere ask for
	 * any. */
	walk->outside = *file == '/' || strstr(file, "..");
	/* What is too long to be compared would be another one here than it is for libraries. */
	walk->unclear = name >= sizeof file || (close && close - open > NAME);
	if (walk->unclear || walk->outside || depth == DEEPEST || ++walk->visits > MOST) {
		note_where(walk, file, depth);
		return false;
	}
	memcpy(walk->way[depth], file, sizeof file);
	bytes = read_file(walk, file, &size);
	ends = !bytes || walk_text(walk, bytes, size, section, depth + 1);
	lurk_release(bytes);
	return ends;
}

/* Several, put together with + and other signs. */
static bool walk_spec(struct walk *walk, const char *spec, size_t length, unsigned depth)
{
	for (size_t at = 0; at < length;) {
		size_t one = 0;

		while (at + one < length && !strchr("+|^", spec[at + one]))
			one++;
		if (!walk_one(walk, spec + at, one, depth))
			return false;
		at += one + 1;
	}
	return true;
}

static bool is_include(const struct lurk_lexer *lexer)
{
	static const char *const words[] = {"include", "augment", "override", "replace",
					    "alternate"};
	bool any = false;

	for (size_t i = 0; i < sizeof words / sizeof *words; i++)
		any = any || lurk_lexer_is_word(lexer, words[i]);
	return any;
}

/* From its brace to the one that closes it; where `walk` is NULL it is passed over. */
static bool walk_section(struct walk *walk, struct lurk_lexer *lexer, unsigned depth)
{
	unsigned braces = 0;

	do {
		const bool includes = walk && is_include(lexer);

		braces += lurk_lexer_is_sign(lexer, '{');
		braces -= lurk_lexer_is_sign(lexer, '}');
		lurk_lexer_next(lexer);
		if (includes && lexer->token.kind == LURK_TOKEN_STRING &&
		    !walk_spec(walk, lexer->text + lexer->token.span.start,
			       lexer->token.span.end - lexer->token.span.start, depth))
			return false;
	} while (braces && lexer->token.kind != LURK_TOKEN_END);
	return true;
}

/* At the brace of its section of that name; without one, of the default, else the first. */
static bool find_section(struct lurk_lexer *lexer, const char *section)
{
	struct lurk_lexer found = {.length = 0};
	bool chosen = false, meant = false;

	lurk_lexer_next(lexer);
	while (lexer->token.kind != LURK_TOKEN_END && !chosen) {
		const struct lurk_span span = lexer->token.span;

		if (lexer->token.kind == LURK_TOKEN_STRING)
			meant = *section ? span.end - span.start == strlen(section) &&
						   !memcmp(lexer->text + span.start, section,
							   span.end - span.start)
					 : meant;
		else if (lurk_lexer_is_word(lexer, "default"))
			meant = !*section;
		if (!lurk_lexer_is_sign(lexer, '{')) {
			lurk_lexer_next(lexer);
			continue;
		}
		chosen = meant;
		if (chosen || (!found.length && !*section))
			found = *lexer;
		meant = false;
		walk_section(NULL, lexer, 0);
	}
	*lexer = found;
	return found.length != 0;
}

static bool walk_text(struct walk *walk, const char *text, size_t length, const char *section,
		      unsigned depth)
{
	struct lurk_lexer lexer = {.text = text, .length = length};

	return !find_section(&lexer, section) || walk_section(walk, &lexer, depth);
}

bool lurk_includes_end(struct xkb_context *context, const char *text, size_t length,
		       struct lurk_message *message)
{
	struct walk walk = {.context = context};

	if (walk_text(&walk, text, length, "", 0))
		return true;
	lurk_make_harmless(walk.where);
	return lurk_say(message,
			walk.outside   ? "it includes `%s`, a file outside of XKB's folders"
			: walk.unclear ? "it includes `%s…`, a name that is too long"
			: walk.visits > MOST
				? "it includes too much, down to `%s`"
				: "what it includes comes back to `%s`, without an end",
			walk.where);
}
