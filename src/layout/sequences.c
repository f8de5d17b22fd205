/* What comes after dead keys: the lines of a Compose file that are a layout's own. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "layout/compose.h"
#include "layout/own_file.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

/* A person's file with nothing but the locale's in it. */
static const char whole[] = "include \"%L\"\n";

/* ---- Lines ----------------------------------------------------------------------------------- */

struct line {
	struct lurk_span span; /* with its end */
	uint32_t first, next;
	unsigned keys; /* how many the sequence has */
};

static size_t line_length(const char *at)
{
	const size_t length = strcspn(at, "\n");

	return length + (at[length] == '\n');
}

/* `<dead_acute> <q>`; a line without is none. */
static void read_line(const char *text, size_t at, struct line *line)
{
	const size_t length = line_length(text + at);
	const char *end = text + at + length, *c = text + at;
	char name[LURK_SYMBOL];

	*line = (struct line){.span = {at, at + length}};
	for (; c < end && *c != ':' && *c != '#'; c++) {
		size_t n;
		uint32_t symbol;

		if (*c != '<')
			continue;
		n = strcspn(c + 1, ">\n");
		snprintf(name, sizeof name, "%.*s", (int)(n < sizeof name ? n : sizeof name - 1),
			 c + 1);
		symbol = xkb_keysym_from_name(name, XKB_KEYSYM_NO_FLAGS);
		if (line->keys == 0)
			line->first = symbol;
		else
			line->next = symbol;
		line->keys++;
		c += n;
	}
}

static struct xkb_compose_state *state_of(struct xkb_compose_table *table, uint32_t first,
					  uint32_t next)
{
	struct xkb_compose_state *state = xkb_compose_state_new(table, XKB_COMPOSE_STATE_NO_FLAGS);

	if (!state)
		abort();
	xkb_compose_state_feed(state, first);
	xkb_compose_state_feed(state, next);
	return state;
}

static enum xkb_compose_status after(struct xkb_compose_table *table, uint32_t first, uint32_t next,
				     char gives[LURK_SEQUENCE])
{
	struct xkb_compose_state *state = state_of(table, first, next);
	const enum xkb_compose_status status = xkb_compose_state_get_status(state);

	*gives = '\0';
	if (status == XKB_COMPOSE_COMPOSED)
		xkb_compose_state_get_utf8(state, gives, LURK_SEQUENCE);
	xkb_compose_state_unref(state);
	return status;
}

/* What a person has where the layout is not installed. */
static struct xkb_compose_table *table_without(const struct lurk_own_layout *own)
{
	struct xkb_context *context = own->layout->context;
	struct xkb_compose_table *table;
	struct lurk_message unused;
	char path[LURK_PATH], *bytes, *rest;
	size_t length;
	bool exists;

	if (!lurk_compose_own_file(path) ||
	    !lurk_file_read(path, &bytes, &length, &exists, &unused))
		return lurk_compose_table(context, NULL);
	rest = lurk_compose_without(bytes, own->name);
	table = rest ? lurk_compose_read(context, *rest ? rest : whole)
		     : lurk_compose_table(context, NULL);
	lurk_release(rest);
	lurk_release(bytes);
	return table;
}

void lurk_own_layout_firsts(const struct lurk_own_layout *own,
			    void (*tell)(void *data, uint32_t first), void *data)
{
	struct line line;

	for (size_t at = 0; own->compose[at]; at = line.span.end) {
		read_line(own->compose, at, &line);
		if (line.keys == 2)
			tell(data, line.first);
	}
}

unsigned lurk_own_layout_sequences(struct lurk_own_layout *own,
				   void (*tell)(void *data, const struct lurk_own_sequence *one),
				   void *data)
{
	struct xkb_context *context = own->layout->context;
	struct xkb_compose_table *usual, *now;
	unsigned count = 0;

	if (!*own->compose)
		return 0;
	usual = table_without(own);
	now = lurk_compose_table(context, own->compose);
	for (size_t at = 0; own->compose[at]; at += line_length(own->compose + at)) {
		struct lurk_own_sequence one;
		struct line line;

		read_line(own->compose, at, &line);
		if (line.keys != 2 || !now)
			continue;
		one.first = line.first;
		one.next = line.next;
		after(now, line.first, line.next, one.gives);
		*one.was = '\0';
		if (usual)
			after(usual, line.first, line.next, one.was);
		lurk_make_harmless(one.gives);
		lurk_make_harmless(one.was);
		count++;
		if (tell)
			tell(data, &one);
	}
	xkb_compose_table_unref(usual);
	xkb_compose_table_unref(now);
	return count;
}

/* ---- Reading --------------------------------------------------------------------------------- */

/* How the lines begin and end that are put into a person's file. */
static const char lurks[] = "# Lurk: ";

/* Only lines of two keys, and comments but those: what has more is not a layout's. */
static bool is_own_line(const char *text, size_t at, const struct line *line)
{
	const char *c = text + at + strspn(text + at, " \t");

	if (line->keys == 2)
		return lurk_symbol_is_dead(line->first) && line->next;
	return (*c == '#' && strncmp(c, lurks, sizeof lurks - 1) != 0) || *c == '\n' || *c == '\0';
}

/* The library passes over lines that it cannot read: whether all are there, else the first that is
 * not. */
static bool gives_something(const struct lurk_own_layout *own, const char *text, unsigned *number)
{
	struct xkb_compose_table *table = lurk_compose_read(own->layout->context, text);
	char gives[LURK_SEQUENCE];
	bool fine = table != NULL;

	*number = 0;
	for (size_t at = 0; fine && text[at]; at += line_length(text + at)) {
		struct line line;

		++*number;
		read_line(text, at, &line);
		fine = line.keys != 2 ||
		       (after(table, line.first, line.next, gives) == XKB_COMPOSE_COMPOSED &&
			*gives);
	}
	xkb_compose_table_unref(table);
	return fine;
}

bool lurk_own_layout_take_compose(struct lurk_own_layout *own, const char *text, size_t length,
				  struct lurk_message *message)
{
	char *copy;
	unsigned number = 1;

	if (memchr(text, '\0', length))
		return lurk_say(message, "it is no text");
	copy = lurk_copy(text, length);
	for (size_t at = 0; copy[at]; at += line_length(copy + at), number++) {
		struct line line;

		read_line(copy, at, &line);
		if (is_own_line(copy, at, &line))
			continue;
		lurk_release(copy);
		return lurk_say(message,
				"line %u: only what one sign gives after a dead key, such as "
				"`<dead_acute> <q> : \"q́\"`",
				number);
	}
	if (!gives_something(own, copy, &number)) {
		lurk_release(copy);
		return lurk_say(message, "line %u: it gives nothing", number);
	}
	lurk_release(own->compose);
	own->compose = copy;
	lurk_layout_compose(own->layout, copy);
	return true;
}

const char *lurk_own_layout_compose(const struct lurk_own_layout *own)
{
	return own->compose;
}

/* ---- Changing -------------------------------------------------------------------------------- */

/* The lines but those of a sequence. */
static char *without(const char *text, uint32_t first, uint32_t next)
{
	char *out = lurk_copy(text, strlen(text));
	size_t at = 0;

	while (out[at]) {
		struct line line;

		read_line(out, at, &line);
		if (line.keys == 2 && line.first == first && line.next == next)
			memmove(out + at, out + line.span.end, strlen(out + line.span.end) + 1);
		else
			at = line.span.end;
	}
	return out;
}

static bool is_result(const char *text)
{
	if (strlen(text) >= LURK_SEQUENCE || lurk_utf8_count(text) > 4)
		return false;
	for (const char *at = text; *at;) {
		const uint32_t c = (uint32_t)lurk_utf8_next(&at);

		if (c < ' ' || c == 0xfffd || (c >= 0x7f && c < 0xa0) || lurk_is_harmful(c))
			return false;
	}
	return true;
}

static char *write_line(uint32_t first, uint32_t next, const char *gives)
{
	char a[LURK_SYMBOL], b[LURK_SYMBOL], text[2 * LURK_SEQUENCE] = "";
	size_t n = 0;

	for (; *gives; gives++) {
		if (*gives == '"' || *gives == '\\')
			text[n++] = '\\';
		text[n++] = *gives;
	}
	return lurk_print("<%s> <%s> : \"%s\"\n", lurk_symbol_name(first, a),
			  lurk_symbol_name(next, b), text);
}

/* Whether the sequence may end with the next sign. */
static bool may_follow(struct lurk_own_layout *own, uint32_t first, uint32_t next,
		       struct lurk_message *message)
{
	char a[LURK_SYMBOL], b[LURK_SYMBOL], unused[LURK_SEQUENCE];
	struct xkb_compose_table *usual;
	enum xkb_compose_status status;

	lurk_symbol_words(first, a);
	lurk_symbol_words(next, b);
	if (!lurk_symbol_is_dead(first))
		return lurk_say(message, "`%s` is no dead key, such as `dead acute`", a);
	if (next == LURK_SYMBOL_NOTHING || lurk_symbol_is_modifier(next))
		return lurk_say(message, "`%s` types nothing that could come after it", b);
	usual = lurk_compose_table(own->layout->context, NULL);
	status = usual ? after(usual, first, next, unused) : XKB_COMPOSE_NOTHING;
	xkb_compose_table_unref(usual);
	return status != XKB_COMPOSE_COMPOSING ||
	       lurk_say(message, "after %s, %s waits for a third sign; that would be lost", a, b);
}

enum lurk_own_layout_edit lurk_own_layout_follow(struct lurk_own_layout *own, uint32_t first,
						 uint32_t next, const char *gives,
						 struct lurk_message *message)
{
	char *rest, *line, *text;
	bool same, taken;

	if (!may_follow(own, first, next, message))
		return LURK_OWN_REFUSED;
	if (gives && (!*gives || !is_result(gives))) {
		lurk_say(message, "what comes of it is at most four characters; a text is a rule's "
				  "work: `lurk map KEY --text TEXT`");
		return LURK_OWN_REFUSED;
	}
	rest = without(own->compose, first, next);
	line = gives ? write_line(first, next, gives) : lurk_copy("", 0);
	text = lurk_print("%s%s%s", rest, *rest && rest[strlen(rest) - 1] != '\n' ? "\n" : "",
			  line);
	same = !strcmp(text, own->compose) ||
	       (gives && strlen(text) == strlen(own->compose) && strstr(own->compose, line));
	taken = same || lurk_own_layout_take_compose(own, text, strlen(text), message);
	lurk_release(rest);
	lurk_release(line);
	lurk_release(text);
	return same ? LURK_OWN_SAME : taken ? LURK_OWN_EDITED : LURK_OWN_REFUSED;
}

/* ---- A person's own file --------------------------------------------------------------------- */

static char *mark(const char *name, bool end)
{
	return lurk_print("# Lurk: %s the layout %s\n", end ? "end of" : "after dead keys of",
			  name);
}

/* The next place of a line. */
static const char *find_line(const char *text, const char *at, const char *line)
{
	while ((at = strstr(at, line)) && at != text && at[-1] != '\n')
		at++;
	return at;
}

/* From the line that begins those of a layout to the next one that ends them; where it begins twice
 * what somebody wrote behind the first is not the layout's. */
static struct lurk_span block_of(const char *text, const char *name)
{
	char *begin = mark(name, false), *end = mark(name, true);
	const char *from = find_line(text, text, begin);
	const char *to = from ? find_line(text, from, end) : NULL, *again = from;
	struct lurk_span span = {0, 0};

	while (to && again && again < to) {
		from = again;
		again = find_line(text, again + 1, begin);
	}
	if (to)
		span = (struct lurk_span){(size_t)(from - text), (size_t)(to - text) + strlen(end)};
	lurk_release(begin);
	lurk_release(end);
	return span;
}

char *lurk_compose_without(const char *text, const char *name)
{
	const struct lurk_span span = block_of(text, name);
	char *out;

	if (!span.end)
		return NULL;
	out = lurk_print("%.*s%s", (int)span.start, text, text + span.end);
	if (!strcmp(out, whole))
		*out = '\0'; /* only ours was in it */
	return out;
}

char *lurk_compose_with(const char *text, const struct lurk_own_layout *own,
			struct lurk_message *message)
{
	char *fresh = text ? lurk_compose_without(text, own->name) : NULL, *begin, *end, *out;
	const char *before = fresh && *fresh ? fresh : text && !fresh ? text : whole;
	const size_t length = strlen(before), lines = strlen(own->compose);
	struct xkb_compose_table *table;

	if (!*own->compose)
		return fresh ? fresh : lurk_copy(text ? text : "", text ? strlen(text) : 0);
	begin = mark(own->name, false);
	end = mark(own->name, true);
	out = lurk_print("%s%s%s%s%s%s", before, length && before[length - 1] != '\n' ? "\n" : "",
			 begin, own->compose, own->compose[lines - 1] != '\n' ? "\n" : "", end);
	table = lurk_compose_read(own->layout->context, out);
	lurk_release(fresh);
	lurk_release(begin);
	lurk_release(end);
	if (!table) {
		lurk_release(out);
		lurk_say(message, "programs could not read it with `%s` in it", own->name);
		return NULL;
	}
	xkb_compose_table_unref(table);
	return out;
}
