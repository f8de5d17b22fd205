#include "lurk/profile/edit.h"

#include <stdio.h>
#include <string.h>

#include "lurk/name.h"
#include "lurk/text/memory.h"

/* ---- Text that grows ------------------------------------------------------------------------ */

struct text {
	char *bytes;
	size_t length;
};

static void put(struct text *t, const char *bytes, size_t length)
{
	char *grown = lurk_resize(t->bytes, t->length + length + 1);

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

/* ---- What an edit says ---------------------------------------------------------------------- */

/* The one thing that is to be different afterwards. */
struct change {
	const struct lurk_node *in;  /* the list or map; NULL for a new one at the top */
	const char *name;            /* of that */
	const struct lurk_node *out; /* an item that goes */
	const struct lurk_field *fields;
	size_t count;
	bool item; /* the fields are an item of a list, else one field of a map */
};

static void tell_node(struct text *t, const struct lurk_node *node, const struct change *change);

/* A value that is YAML already; what it is not is told as nothing else is. */
static void tell_value(struct text *t, const char *value)
{
	struct lurk_message unused;
	struct text one = {0};
	struct lurk_yaml yaml;

	puts_to(&one, "v: ");
	puts_to(&one, value);
	puts_to(&one, "\n");
	if (lurk_yaml_parse(&yaml, "", one.bytes, one.length, &unused) && yaml.root &&
	    yaml.root->kind == LURK_NODE_MAP && yaml.root->count == 1)
		tell_node(t, yaml.root->first, NULL);
	else
		puts_to(t, "?");
	lurk_yaml_free(&yaml);
}

static void tell_text(struct text *t, const char *text)
{
	char head[24];

	snprintf(head, sizeof head, "%zu:", strlen(text));
	puts_to(t, head);
	puts_to(t, text);
}

static void tell_fields(struct text *t, const struct lurk_field *fields, size_t count)
{
	for (size_t i = 0; i < count; i++) {
		tell_text(t, fields[i].name);
		puts_to(t, "=");
		tell_value(t, fields[i].value);
		puts_to(t, ";");
	}
}

static void tell_new(struct text *t, const struct change *change)
{
	puts_to(t, change->item ? "[{" : "{");
	tell_fields(t, change->fields, change->count);
	puts_to(t, change->item ? "};]" : "}");
}

/* The inside of a list or map. Returns how much there is. */
static size_t tell_inside(struct text *t, const struct lurk_node *node, const struct change *change)
{
	static const struct change none;
	const struct change *here = change && change->in == node ? change : &none;
	bool set = false;
	size_t told = 0;

	for (const struct lurk_node *child = node->first; child; child = child->next) {
		if (child == here->out)
			continue;
		told++;
		if (child->key) {
			tell_text(t, child->key->text);
			puts_to(t, "=");
		}
		if (child->key && here->count && !here->item &&
		    !strcmp(child->key->text, here->fields->name)) {
			tell_value(t, here->fields->value);
			set = true;
		} else {
			tell_node(t, child, change);
		}
		puts_to(t, ";");
	}
	if (here->item) {
		puts_to(t, "{");
		tell_fields(t, here->fields, here->count);
		puts_to(t, "};");
	} else if (here->count && !set) {
		tell_fields(t, here->fields, 1);
	}
	return told + (here->count && !set);
}

/* All that a tree says, with the change made, in a form that says the same for trees that do. */
static void tell_node(struct text *t, const struct lurk_node *node, const struct change *change)
{
	struct text inside = {0};
	size_t told;

	if (node->kind == LURK_NODE_SCALAR && change && change->in == node) {
		tell_new(t, change);
		return;
	}
	if (node->kind == LURK_NODE_SCALAR) {
		if (lurk_node_empty(node))
			puts_to(t, "~");
		else
			tell_text(t, node->text);
		return;
	}
	told = tell_inside(&inside, node, change);
	if (!told) { /* empty in one way or another */
		puts_to(t, "~");
	} else {
		puts_to(t, node->kind == LURK_NODE_LIST ||
					   (change && change->in == node && change->item)
				   ? "["
				   : "{");
		put(t, inside.bytes, inside.length);
		puts_to(t, node->kind == LURK_NODE_LIST ||
					   (change && change->in == node && change->item)
				   ? "]"
				   : "}");
	}
	lurk_release(inside.bytes);
}

static struct text tell_all(const struct lurk_yaml *yaml, const struct change *change)
{
	struct text t = {0};

	if (yaml->root && (!change || change->in || change->out)) {
		tell_node(&t, yaml->root, change);
		return t;
	}
	puts_to(&t, "{");
	if (yaml->root)
		tell_inside(&t, yaml->root, NULL);
	if (change && change->name) {
		tell_text(&t, change->name);
		puts_to(&t, "=");
		tell_new(&t, change);
		puts_to(&t, ";");
	}
	puts_to(&t, "}");
	return t;
}

static bool blank(char c)
{
	return c == ' ' || c == '\t';
}

/* Behind the line's last byte, where the next line begins. */
static size_t line_end(const struct lurk_yaml *yaml, size_t at)
{
	const char *end = memchr(yaml->bytes + at, '\n', yaml->length - at);

	return end ? (size_t)(end - yaml->bytes) + 1 : yaml->length;
}

/* ---- Comments ------------------------------------------------------------------------------- */

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

/* Where the next comment from `at` on begins, `end` where there is none. */
static size_t next_comment(const struct lurk_yaml *yaml, size_t at, size_t end)
{
	for (; at < end; at++) {
		if (yaml->bytes[at] == '#' &&
		    (!at || blank(yaml->bytes[at - 1]) || yaml->bytes[at - 1] == '\n') &&
		    !(yaml->root && inside_scalar(yaml->root, at)))
			return at;
	}
	return end;
}

/* Those within some lines, each as a line of its own. */
static void keep_comments(const struct lurk_yaml *yaml, size_t columns, size_t start, size_t end,
			  struct text *t)
{
	size_t stop;

	for (size_t at = next_comment(yaml, start, end); at < end;
	     at = next_comment(yaml, stop, end)) {
		stop = line_end(yaml, at);
		indent(t, columns);
		put(t, yaml->bytes + at, stop - at);
	}
}

/* Whether no comment is lost with what is replaced. */
static bool keeps_comments(const struct lurk_yaml *yaml, size_t start, size_t end,
			   const struct text *with)
{
	size_t stop;

	for (size_t at = next_comment(yaml, start, end); at < end;
	     at = next_comment(yaml, stop, end)) {
		stop = at;
		while (stop < yaml->length && !strchr("\r\n", yaml->bytes[stop]))
			stop++;
		if (!with->length ||
		    !memmem(with->bytes, with->length, yaml->bytes + at, stop - at))
			return false;
	}
	return true;
}

/* ---- Edits ---------------------------------------------------------------------------------- */

/* Replaces the bytes from `start` to `end`, and parses the file anew. Where it does not say exactly
 * what was wanted then, nothing is changed, and the place is told: what programs and people write
 * as YAML is more than can be foreseen. */
static bool splice(struct lurk_yaml *yaml, size_t start, size_t end, struct text *with,
		   const struct change *change, struct lurk_message *message)
{
	struct text wanted = tell_all(yaml, change), got = {0}, fresh = {0};
	const struct lurk_node *at;
	struct lurk_message why;
	struct lurk_yaml next;
	bool fine = start <= end && end <= yaml->length && keeps_comments(yaml, start, end, with);

	if (fine) {
		put(&fresh, yaml->bytes, start);
		put(&fresh, with->bytes, with->length);
		put(&fresh, yaml->bytes + end, yaml->length - end);
		fine = lurk_yaml_parse(&next, yaml->path, fresh.bytes, fresh.length, &why);
		if (fine)
			got = tell_all(&next, NULL);
		fine = fine && got.length == wanted.length &&
		       !memcmp(got.bytes, wanted.bytes, got.length);
		if (fine) {
			lurk_yaml_free(yaml);
			*yaml = next;
		} else {
			lurk_yaml_free(&next);
		}
	}
	lurk_release(with->bytes);
	lurk_release(wanted.bytes);
	lurk_release(got.bytes);
	if (fine)
		return true;
	at = change->out ? change->out : change->in ? change->in : yaml->root;
	if (!at)
		return lurk_say(message, "%s: nothing is changed: it is not a file that Lurk edits",
				yaml->path);
	return lurk_yaml_say(yaml, at, message,
			     "written in a form that Lurk does not edit; nothing is changed, do it "
			     "by hand");
}

/* ---- Places --------------------------------------------------------------------------------- */

static size_t line_start(const struct lurk_yaml *yaml, size_t at)
{
	while (at > 0 && yaml->bytes[at - 1] != '\n')
		at--;
	return at;
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

static void put_single(struct text *t, const char *text)
{
	puts_to(t, "'");
	for (const char *c = text; *c; c++)
		put(t, *c == '\'' ? "''" : c, *c == '\'' ? 2 : 1);
	puts_to(t, "'");
}

/* Whatever it is: all but plain ASCII in numbers. */
static void put_double(struct text *t, const char *text)
{
	size_t left = strlen(text), n;

	puts_to(t, "\"");
	for (; left; left -= n, text += n) {
		char code[16];
		uint32_t c;

		n = lurk_character_read(text, left, &c);
		if (!n) { /* no character: as Latin-1 would have it */
			n = 1;
			c = (uint8_t)*text;
		}
		if (c == '"' || c == '\\')
			snprintf(code, sizeof code, "\\%c", (char)c);
		else if (c >= ' ' && c < 0x7f)
			snprintf(code, sizeof code, "%c", (char)c);
		else
			snprintf(code, sizeof code,
				 c < 0x100     ? "\\x%02X"
				 : c < 0x10000 ? "\\u%04X"
					       : "\\U%08X",
				 (unsigned)c);
		puts_to(t, code);
	}
	puts_to(t, "\"");
}

/* Whether it is read as that text, on a line and between brackets. */
static bool says(const char *written, const char *text)
{
	static const char *const around[][2] = {{"v: ", "\n"}, {"v: {w: ", ", x: 1}\n"}};
	bool same = true;

	for (size_t i = 0; i < 2 && same; i++) {
		struct lurk_message unused;
		struct text one = {0};
		struct lurk_yaml yaml;
		const struct lurk_node *node;

		puts_to(&one, around[i][0]);
		puts_to(&one, written);
		puts_to(&one, around[i][1]);
		same = lurk_yaml_parse(&yaml, "", one.bytes, one.length, &unused);
		node = same ? lurk_node_get(yaml.root, "v") : NULL;
		node = i && node ? lurk_node_get(node, "w") : node;
		same = node && node->kind == LURK_NODE_SCALAR && !strcmp(node->text, text);
		lurk_yaml_free(&yaml);
	}
	return same;
}

char *lurk_yaml_scalar(const char *text)
{
	struct text t = {0};

	if (needs_quotes(text))
		put_single(&t, text);
	else
		puts_to(&t, text);
	if (says(t.bytes, text))
		return t.bytes;
	lurk_release(t.bytes);
	t = (struct text){0};
	put_double(&t, text);
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
			const struct change *change, struct lurk_message *message)
{
	struct text t = {0};
	size_t at = node->last ? node->last->end : node->end - 1;

	puts_to(&t, node->last ? ", " : "");
	put(&t, item->bytes, item->length);
	lurk_release(item->bytes);
	return splice(yaml, at, at, &t, change, message);
}

/* Lines below `name:` at the top of the file: behind what is there, or below a head of its own. */
static bool add_below(struct lurk_yaml *yaml, const char *name, struct text *lines,
		      const struct change *change, struct lurk_message *message)
{
	const struct lurk_node *root = yaml->root, *node = root ? lurk_node_get(root, name) : NULL;
	struct text t = {0};
	size_t at = yaml->length, end;

	if (node && node->first)
		at = line_after(yaml, node->last);
	else if (node)
		at = line_end(yaml, node->end > node->key->end ? node->end : node->key->end);
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
		keep_comments(yaml, 2, node->start, node->end, &t);
	} else {
		begin_line(yaml, at, &t);
	}
	if (!node) {
		puts_to(&t, name);
		puts_to(&t, ":");
		puts_to(&t, newline(yaml));
	}
	put(&t, lines->bytes, lines->length);
	lurk_release(lines->bytes);
	return splice(yaml, at, end, &t, change, message);
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
	const struct change change = {
		.in = list, .name = list_name, .fields = fields, .count = count, .item = true};
	struct text t = {0};

	if (list && list->flow && list->first) {
		put_flow_item(&t, fields, count);
		return add_in_flow(yaml, list, &t, &change, message);
	}
	if (yaml->root && yaml->root->flow)
		return refuse_flow_file(yaml, list_name, message);
	put_block_item(yaml, &t, list && list->first ? list->column - 1 : 2, fields, count);
	return add_below(yaml, list_name, &t, &change, message);
}

bool lurk_edit_name(struct lurk_yaml *yaml, const char *map_name, const struct lurk_field *field,
		    struct lurk_message *message)
{
	const struct lurk_node *map = yaml->root ? lurk_node_get(yaml->root, map_name) : NULL;
	const struct change change = {.in = map, .name = map_name, .fields = field, .count = 1};
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
	return add_below(yaml, map_name, &t, &change, message);
}

/* ---- Removing ------------------------------------------------------------------------------- */

static bool remove_from_flow(struct lurk_yaml *yaml, const struct lurk_node *list,
			     const struct lurk_node *item, struct lurk_message *message)
{
	const struct change change = {.in = list, .out = item};
	const struct lurk_node *before = NULL;
	struct text none = {0};

	for (const struct lurk_node *node = list->first; node != item; node = node->next)
		before = node;
	if (item->next)
		return splice(yaml, item->start, item->next->start, &none, &change, message);
	return splice(yaml, before ? before->end : item->start, item->end, &none, &change, message);
}

/* Where the line of an item's dash begins: some write that on a line of its own. */
static size_t dash_line(const struct lurk_yaml *yaml, const struct lurk_node *item)
{
	size_t at = item->start;

	while (at > 0 && (blank(yaml->bytes[at - 1]) || yaml->bytes[at - 1] == '\n' ||
			  yaml->bytes[at - 1] == '\r'))
		at--;
	return line_start(yaml, at > 0 && yaml->bytes[at - 1] == '-' ? at - 1 : item->start);
}

bool lurk_edit_remove(struct lurk_yaml *yaml, const struct lurk_node *list,
		      const struct lurk_node *item, struct lurk_message *message)
{
	const struct change change = {.in = list, .out = item};
	struct text t = {0};
	size_t start = dash_line(yaml, item), end;

	if (list->flow)
		return remove_from_flow(yaml, list, item, message);
	end = line_after(yaml, item);
	keep_comments(yaml, item->column > 3 ? item->column - 3U : 0, start, end, &t);
	return splice(yaml, start, end, &t, &change, message);
}

/* ---- Setting -------------------------------------------------------------------------------- */

bool lurk_edit_set(struct lurk_yaml *yaml, const struct lurk_node *map,
		   const struct lurk_field *field, struct lurk_message *message)
{
	const struct lurk_node *old = lurk_node_get(map, field->name);
	const struct change change = {.in = map, .fields = field, .count = 1};
	struct text t = {0};
	size_t at;

	if (old && !lurk_node_empty(old)) {
		puts_to(&t, field->value);
		for (at = old->end; strchr("\r\n", yaml->bytes[at - 1]);)
			at--; /* a text on lines of its own ends with the last one's end */
		return splice(yaml, old->start, at, &t, &change, message);
	}
	if (old) {
		puts_to(&t, ": ");
		puts_to(&t, field->value);
		for (at = old->key->end; at < yaml->length && yaml->bytes[at] != ':';)
			at++;
		return splice(yaml, at, at + 1, &t, &change, message);
	}
	if (map->flow) {
		puts_to(&t, field->name);
		puts_to(&t, ": ");
		puts_to(&t, field->value);
		return add_in_flow(yaml, map, &t, &change, message);
	}
	at = line_after(yaml, map->last);
	begin_line(yaml, at, &t);
	indent(&t, map->column - 1);
	puts_to(&t, field->name);
	puts_to(&t, ": ");
	puts_to(&t, field->value);
	puts_to(&t, newline(yaml));
	return splice(yaml, at, at, &t, &change, message);
}
