#include "profile/edit.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* ---- Text that grows ------------------------------------------------------------------------ */

struct text {
	char *bytes;
	size_t length;
};

static void put(struct text *t, const char *bytes, size_t length)
{
	char *grown = realloc(t->bytes, t->length + length + 1);

	if (!grown)
		abort();
	t->bytes = grown;
	if (length)
		memcpy(t->bytes + t->length, bytes, length);
	t->length += length;
	t->bytes[t->length] = '\0';
}

static void puts_to(struct text *t, const char *string)
{
	put(t, string, strlen(string));
}

static void indent(struct text *t, size_t columns)
{
	while (columns--)
		put(t, " ", 1);
}

/* The file's own line ends. */
static const char *newline(const struct lurk_yaml *yaml)
{
	const char *first = memchr(yaml->bytes, '\n', yaml->length);

	return first && first > yaml->bytes && first[-1] == '\r' ? "\r\n" : "\n";
}

/* Replaces the bytes from `start` to `end`, and parses the file anew. */
static bool splice(struct lurk_yaml *yaml, size_t start, size_t end, struct text *with,
		   struct lurk_message *message)
{
	const char *path = yaml->path;
	struct text fresh = {0};

	put(&fresh, yaml->bytes, start);
	put(&fresh, with->bytes, with->length);
	put(&fresh, yaml->bytes + end, yaml->length - end);
	free(with->bytes);
	lurk_yaml_free(yaml);
	return lurk_yaml_parse(yaml, path, fresh.bytes, fresh.length, message);
}

/* ---- Places --------------------------------------------------------------------------------- */

static size_t line_start(const struct lurk_yaml *yaml, size_t at)
{
	while (at > 0 && yaml->bytes[at - 1] != '\n')
		at--;
	return at;
}

/* Behind the line's last byte, where the next line begins. */
static size_t line_end(const struct lurk_yaml *yaml, size_t at)
{
	const char *end = memchr(yaml->bytes + at, '\n', yaml->length - at);

	return end ? (size_t)(end - yaml->bytes) + 1 : yaml->length;
}

/* Where a new line can go behind a node: a block text (| or >) already ends at a line's start. */
static size_t line_after(const struct lurk_yaml *yaml, const struct lurk_node *node)
{
	size_t end = node->end;

	if (end > node->start && end == line_start(yaml, end))
		return end;
	return line_end(yaml, end);
}

/* Begins a line at `at`: the file's last line may lack its end. */
static void begin_line(const struct lurk_yaml *yaml, size_t at, struct text *t)
{
	if (at > 0 && yaml->bytes[at - 1] != '\n')
		puts_to(t, newline(yaml));
}

static bool blank(char c)
{
	return c == ' ' || c == '\t';
}

/* ---- Scalars -------------------------------------------------------------------------------- */

static bool needs_quotes(const char *text)
{
	size_t n = strlen(text);

	if (!n || strchr(" -?:,[]{}#&*!|>'\"%@`~", text[0]) || text[n - 1] == ' ' ||
	    text[n - 1] == ':')
		return true;
	for (size_t i = 0; i < n; i++) {
		if (strchr("[]{},", text[i]) || (unsigned char)text[i] < ' ' ||
		    (text[i] == ':' && text[i + 1] == ' ') ||
		    (text[i] == '#' && i && text[i - 1] == ' '))
			return true;
	}
	return false;
}

char *lurk_yaml_scalar(const char *text)
{
	bool quoted = needs_quotes(text), escaped = false;
	struct text t = {0};

	for (const char *c = text; *c; c++)
		escaped = escaped || (unsigned char)*c < ' ';
	puts_to(&t, escaped ? "\"" : quoted ? "'" : "");
	for (const char *c = text; *c; c++) {
		char code[8];

		snprintf(code, sizeof code, "\\x%02x", (unsigned char)*c);
		if (escaped && (unsigned char)*c < ' ')
			puts_to(&t, code);
		else if (escaped && (*c == '"' || *c == '\\'))
			put(&t, (char[]){'\\', *c}, 2);
		else if (quoted && !escaped && *c == '\'')
			puts_to(&t, "''");
		else
			put(&t, c, 1);
	}
	puts_to(&t, escaped ? "\"" : quoted ? "'" : "");
	return t.bytes;
}

/* ---- Adding --------------------------------------------------------------------------------- */

static void put_flow_item(struct text *t, const struct lurk_field *fields, size_t count)
{
	puts_to(t, "{");
	for (size_t i = 0; i < count; i++) {
		puts_to(t, i ? ", " : "");
		puts_to(t, fields[i].name);
		puts_to(t, ": ");
		puts_to(t, fields[i].value);
	}
	puts_to(t, "}");
}

static void put_block_item(const struct lurk_yaml *yaml, struct text *t, size_t columns,
			   const struct lurk_field *fields, size_t count)
{
	for (size_t i = 0; i < count; i++) {
		indent(t, columns);
		puts_to(t, i ? "  " : "- ");
		puts_to(t, fields[i].name);
		puts_to(t, ": ");
		puts_to(t, fields[i].value);
		puts_to(t, newline(yaml));
	}
}

/* Into [ … ] or { … }, before the closing bracket. */
static bool add_in_flow(struct lurk_yaml *yaml, const struct lurk_node *node, struct text *item,
			struct lurk_message *message)
{
	struct text t = {0};
	size_t at = node->last ? node->last->end : node->end - 1;

	puts_to(&t, node->last ? ", " : "");
	put(&t, item->bytes, item->length);
	free(item->bytes);
	return splice(yaml, at, at, &t, message);
}

/* Lines below `name:` at the top of the file: behind what is there, or below a head of its own. */
static bool add_below(struct lurk_yaml *yaml, const char *name, struct text *lines,
		      struct lurk_message *message)
{
	const struct lurk_node *root = yaml->root, *node = root ? lurk_node_get(root, name) : NULL;
	struct text t = {0};
	size_t at = yaml->length, end;

	if (node && node->first)
		at = line_after(yaml, node->last);
	else if (node)
		at = line_end(yaml, node->key->end);
	else if (root && root->last)
		at = line_after(yaml, root->last);
	end = at;
	if (node && !node->first && !lurk_node_empty(node)) { /* `rules: []`: the brackets go */
		at = node->start;
		while (at > 0 && blank(yaml->bytes[at - 1]))
			at--;
		put(&t, yaml->bytes + node->end, end - node->end);
		if (!t.length || t.bytes[t.length - 1] != '\n')
			puts_to(&t, newline(yaml));
	} else {
		begin_line(yaml, at, &t);
	}
	if (!node) {
		puts_to(&t, name);
		puts_to(&t, ":");
		puts_to(&t, newline(yaml));
	}
	put(&t, lines->bytes, lines->length);
	free(lines->bytes);
	return splice(yaml, at, end, &t, message);
}

static bool refuse_flow_file(const struct lurk_yaml *yaml, const char *name,
			     struct lurk_message *message)
{
	return lurk_yaml_say(
		yaml, yaml->root, message,
		"a file in { } is not edited by Lurk; write `%s:` on a line of its own", name);
}

bool lurk_edit_append(struct lurk_yaml *yaml, const char *list_name,
		      const struct lurk_field *fields, size_t count, struct lurk_message *message)
{
	const struct lurk_node *list = yaml->root ? lurk_node_get(yaml->root, list_name) : NULL;
	struct text t = {0};

	if (list && list->flow && list->first) {
		put_flow_item(&t, fields, count);
		return add_in_flow(yaml, list, &t, message);
	}
	if (yaml->root && yaml->root->flow)
		return refuse_flow_file(yaml, list_name, message);
	put_block_item(yaml, &t, list && list->first ? list->column - 1 : 2, fields, count);
	return add_below(yaml, list_name, &t, message);
}

bool lurk_edit_name(struct lurk_yaml *yaml, const char *map_name, const struct lurk_field *field,
		    struct lurk_message *message)
{
	const struct lurk_node *map = yaml->root ? lurk_node_get(yaml->root, map_name) : NULL;
	struct text t = {0};

	if (yaml->root && yaml->root->flow)
		return refuse_flow_file(yaml, map_name, message);
	if (map && map->kind == LURK_NODE_MAP && map->first)
		return lurk_edit_set(yaml, map, field, message);
	indent(&t, 2);
	puts_to(&t, field->name);
	puts_to(&t, ": ");
	puts_to(&t, field->value);
	puts_to(&t, newline(yaml));
	return add_below(yaml, map_name, &t, message);
}

/* ---- Removing ------------------------------------------------------------------------------- */

static bool inside_scalar(const struct lurk_node *node, size_t at)
{
	if (node->kind == LURK_NODE_SCALAR && at >= node->start && at < node->end)
		return true;
	for (const struct lurk_node *child = node->first; child; child = child->next) {
		if (inside_scalar(child, at) || (child->key && inside_scalar(child->key, at)))
			return true;
	}
	return false;
}

/* The comments within an item's lines, each as a line of its own. */
static void keep_comments(const struct lurk_yaml *yaml, const struct lurk_node *item, size_t start,
			  size_t end, struct text *t)
{
	for (size_t at = start; at < end; at++) {
		size_t stop;

		if (yaml->bytes[at] != '#' ||
		    (at > 0 && !blank(yaml->bytes[at - 1]) && yaml->bytes[at - 1] != '\n') ||
		    inside_scalar(item, at))
			continue;
		stop = line_end(yaml, at);
		indent(t, item->column > 3 ? item->column - 3U : 0);
		put(t, yaml->bytes + at, stop - at);
		at = stop - 1;
	}
}

static bool remove_from_flow(struct lurk_yaml *yaml, const struct lurk_node *list,
			     const struct lurk_node *item, struct lurk_message *message)
{
	const struct lurk_node *before = NULL;
	struct text none = {0};

	for (const struct lurk_node *node = list->first; node != item; node = node->next)
		before = node;
	if (item->next)
		return splice(yaml, item->start, item->next->start, &none, message);
	return splice(yaml, before ? before->end : item->start, item->end, &none, message);
}

bool lurk_edit_remove(struct lurk_yaml *yaml, const struct lurk_node *list,
		      const struct lurk_node *item, struct lurk_message *message)
{
	struct text t = {0};
	size_t start = line_start(yaml, item->start), end;

	if (list->flow)
		return remove_from_flow(yaml, list, item, message);
	end = line_after(yaml, item);
	keep_comments(yaml, item, start, end, &t);
	return splice(yaml, start, end, &t, message);
}

/* ---- Setting -------------------------------------------------------------------------------- */

bool lurk_edit_set(struct lurk_yaml *yaml, const struct lurk_node *map,
		   const struct lurk_field *field, struct lurk_message *message)
{
	const struct lurk_node *old = lurk_node_get(map, field->name);
	struct text t = {0};
	size_t at;

	if (old && !lurk_node_empty(old)) {
		puts_to(&t, field->value);
		return splice(yaml, old->start, old->end, &t, message);
	}
	if (old) {
		puts_to(&t, ": ");
		puts_to(&t, field->value);
		for (at = old->key->end; at < yaml->length && yaml->bytes[at] != ':';)
			at++;
		return splice(yaml, at, at + 1, &t, message);
	}
	if (map->flow) {
		puts_to(&t, field->name);
		puts_to(&t, ": ");
		puts_to(&t, field->value);
		return add_in_flow(yaml, map, &t, message);
	}
	at = line_after(yaml, map->last);
	begin_line(yaml, at, &t);
	indent(&t, map->column - 1);
	puts_to(&t, field->name);
	puts_to(&t, ": ");
	puts_to(&t, field->value);
	puts_to(&t, newline(yaml));
	return splice(yaml, at, at, &t, message);
}
