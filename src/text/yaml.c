#include "lurk/text/yaml.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>
#include <yaml.h>

#include "lurk/name.h"
#include "lurk/text/memory.h"

enum { DEPTH_MAX = 16, FIELDS_MAX = 2048 };

/* libyaml counts characters; edits need bytes. Events come in order, so that one walk does. */
struct walk {
	const char *bytes;
	size_t length, byte, character;
};

static size_t byte_at(struct walk *walk, size_t character)
{
	if (character < walk->character)
		walk->byte = walk->character = 0;
	if (!walk->character && !walk->byte && walk->length >= 3 &&
	    !memcmp(walk->bytes, "\xef\xbb\xbf", 3))
		walk->byte = 3; /* a byte order mark is not counted */
	for (; walk->character < character && walk->byte < walk->length; walk->character++) {
		walk->byte++;
		while (walk->byte < walk->length &&
		       ((uint8_t)walk->bytes[walk->byte] & 0xc0) == 0x80)
			walk->byte++;
	}
	return walk->byte;
}

struct reader {
	struct lurk_yaml *yaml;
	struct lurk_message *message;
	yaml_parser_t parser;
	struct walk walk;
	struct lurk_node *stack[DEPTH_MAX], *key[DEPTH_MAX];
	unsigned depth;
};

bool lurk_yaml_say(const struct lurk_yaml *yaml, const struct lurk_node *node,
		   struct lurk_message *message, const char *format, ...)
{
	char text[sizeof message->text];
	va_list args;

	va_start(args, format);
	vsnprintf(text, sizeof text, format, args);
	va_end(args);
	return lurk_say(message, "%s:%u:%u: %s", yaml->path, node->line, node->column, text);
}

static bool say_at(struct reader *r, yaml_mark_t mark, const char *text)
{
	return lurk_say(r->message, "%s:%zu:%zu: %s", r->yaml->path, mark.line + 1, mark.column + 1,
			text);
}

/* NUL bytes and bytes that are not UTF-8, with their place. */
static bool check_bytes(struct lurk_yaml *yaml, struct lurk_message *message)
{
	unsigned line = 1, column = 1;

	for (size_t i = 0; i < yaml->length;) {
		char b = yaml->bytes[i];
		uint32_t unused;
		size_t n = lurk_character_read(yaml->bytes + i, yaml->length - i, &unused);

		if (!n || !b)
			return lurk_say(message, "%s:%u:%u: %s; save the file as UTF-8 text",
					yaml->path, line, column,
					b ? "a byte that is not UTF-8" : "a NUL byte");
		column = b == '\n' ? 1 : column + 1;
		line += b == '\n';
		i += n;
	}
	return true;
}

static struct lurk_node *new_node(struct reader *r, const yaml_event_t *event,
				  enum lurk_node_kind kind, const char *text, size_t length)
{
	struct lurk_node *node = lurk_allocate(1, sizeof *node + length + 1);

	if (length)
		memcpy(node + 1, text, length);
	node->text = (const char *)(node + 1);
	node->kind = kind;
	node->line = (unsigned)event->start_mark.line + 1;
	node->column = (unsigned)event->start_mark.column + 1;
	node->start = byte_at(&r->walk, event->start_mark.index);
	node->end = byte_at(&r->walk, event->end_mark.index);
	node->made_before = r->yaml->nodes;
	r->yaml->nodes = node;
	return node;
}

static bool refuse_duplicate(struct reader *r, const struct lurk_node *map,
			     const struct lurk_node *key)
{
	const struct lurk_node *other = lurk_node_get(map, key->text);

	if (map->count == FIELDS_MAX)
		return lurk_yaml_say(r->yaml, key, r->message, "more than %d fields", FIELDS_MAX);

	return !other || lurk_yaml_say(r->yaml, key, r->message,
				       "`%s` is already given on line %u; keep one of them",
				       key->text, other->key->line);
}

/* Puts a finished node where it belongs; in a map, keys and values take turns. */
static bool attach(struct reader *r, struct lurk_node *node)
{
	struct lurk_node *parent = r->depth ? r->stack[r->depth - 1] : NULL;
	struct lurk_node **key = r->depth ? &r->key[r->depth - 1] : NULL;

	if (!parent) {
		r->yaml->root = node;
		return true;
	}
	if (parent->kind == LURK_NODE_MAP && !*key) {
		*key = node;
		if (node->kind != LURK_NODE_SCALAR)
			return lurk_yaml_say(r->yaml, node, r->message,
					     "a field's name was expected here");
		return refuse_duplicate(r, parent, node);
	}
	if (parent->kind == LURK_NODE_MAP) {
		node->key = *key;
		*key = NULL;
	}
	if (parent->last)
		parent->last->next = node;
	else
		parent->first = node;
	parent->last = node;
	parent->count++;
	return true;
}

static bool open_node(struct reader *r, const yaml_event_t *event, enum lurk_node_kind kind,
		      bool flow)
{
	struct lurk_node *node;

	if (r->depth == DEPTH_MAX)
		return say_at(r, event->start_mark, "nested too deeply");
	node = new_node(r, event, kind, "", 0);
	node->flow = flow;
	if (!attach(r, node))
		return false;
	r->stack[r->depth] = node;
	r->key[r->depth++] = NULL;
	return true;
}

static bool take_event(struct reader *r, const yaml_event_t *event)
{
	struct lurk_node *node;

	switch (event->type) {
	case YAML_SCALAR_EVENT:
		node = new_node(r, event, LURK_NODE_SCALAR, (const char *)event->data.scalar.value,
				event->data.scalar.length);
		node->plain = event->data.scalar.style == YAML_PLAIN_SCALAR_STYLE;
		if (event->data.scalar.anchor || strlen(node->text) != event->data.scalar.length)
			return say_at(r, event->start_mark,
				      event->data.scalar.anchor
					      ? "anchors and aliases are not read here; write "
						"the value out where it is needed"
					      : "a NUL character is not read here");
		return attach(r, node);
	case YAML_SEQUENCE_START_EVENT:
		return open_node(r, event, LURK_NODE_LIST,
				 event->data.sequence_start.style == YAML_FLOW_SEQUENCE_STYLE);
	case YAML_MAPPING_START_EVENT:
		return open_node(r, event, LURK_NODE_MAP,
				 event->data.mapping_start.style == YAML_FLOW_MAPPING_STYLE);
	case YAML_SEQUENCE_END_EVENT:
	case YAML_MAPPING_END_EVENT:
		node = r->stack[--r->depth];
		node->end = byte_at(&r->walk, event->end_mark.index);
		if (!node->flow && node->last) /* not the blank lines and comments that follow */
			node->end = node->last->end;
		return true;
	case YAML_ALIAS_EVENT:
		return say_at(r, event->start_mark,
			      "anchors and aliases are not read here; write the value out where it "
			      "is needed");
	case YAML_DOCUMENT_START_EVENT:
		return !r->yaml->root ||
		       say_at(r, event->start_mark, "a second document; one is expected");
	default:
		return true;
	}
}

/* ---- What the parser says, and what would be right ------------------------------------------- */

/* The line of a mark, up to it; its places count characters. */
static size_t line_before(const struct lurk_yaml *yaml, const yaml_mark_t *mark, const char **line)
{
	const char *at = yaml->bytes, *end = yaml->bytes + yaml->length;
	uint32_t unused;

	for (size_t n = 0; n < mark->line && at < end; n++) {
		const char *next = memchr(at, '\n', (size_t)(end - at));

		at = next ? next + 1 : end;
	}
	*line = at;
	for (size_t n = 0; n < mark->column && at < end; n++) {
		const size_t bytes = lurk_character_read(at, (size_t)(end - at), &unused);

		at += bytes ? bytes : 1;
	}
	return (size_t)(at - *line);
}

/* `note: worn: see log`; or the line before it has none of its own. */
static const char *stray_colon(const struct lurk_yaml *yaml, const yaml_mark_t *mark)
{
	const char *line;
	const size_t n = line_before(yaml, mark, &line);

	return memmem(line, n, ": ", 2)
		       ? "a text with a colon in it needs quotes: note: 'wet: do not use'"
		       : "the line before lacks its colon, as in press: F9, or this one is "
			 "indented "
			 "too far";
}

/* What would be right, in words that need no grammar of YAML; the parser's own where none fits. */
static const char *cure(const struct lurk_yaml *yaml, const yaml_parser_t *parser, char out[128])
{
	static const struct {
		const char *problem, *cure;
	} cures[] = {
		{"found a tab", "a tab stands here: YAML is indented with spaces"},
		{"did not find expected ',' or '}'",
		 "a comma between two fields, or the closing }, is missing before this"},
		{"did not find expected ',' or ']'",
		 "a comma between two items, or the closing ], is missing before this"},
		{"did not find expected '-'",
		 "this line is not indented as those that it belongs to"},
		{"did not find expected key",
		 "this line is not indented as those that it belongs to"},
		{"could not find expected ':'", "a colon is missing, as in press: F9"},
		{"did not find expected node content",
		 "something is missing before this: a value, or a closing ] or }"},
	};
	const char *problem = parser->problem ? parser->problem : "not YAML", *line;
	const size_t column = line_before(yaml, &parser->problem_mark, &line);
	const char *at = line + column;

	if (!strncmp(problem, "found character that cannot start", 33) &&
	    at < yaml->bytes + yaml->length) {
		if (*at == '\t')
			return cures[0].cure;
		snprintf(out, 128, "what begins with %c needs quotes: '%c'", *at, *at);
		return out;
	}
	if (!strcmp(problem, "mapping values are not allowed in this context"))
		return stray_colon(yaml, &parser->problem_mark);
	if (!strcmp(problem, "found unexpected end of stream")) {
		snprintf(out, 128, "the quote that line %zu opens is not closed",
			 parser->context_mark.line + 1);
		return out;
	}
	for (size_t i = 0; i < sizeof cures / sizeof *cures; i++) {
		if (!strncmp(problem, cures[i].problem, strlen(cures[i].problem)))
			return cures[i].cure;
	}
	return problem;
}

bool lurk_yaml_parse(struct lurk_yaml *yaml, const char *path, char *bytes, size_t length,
		     struct lurk_message *message)
{
	struct reader r = {.yaml = yaml, .message = message, .walk = {bytes, length, 0, 0}};
	yaml_event_t event;
	char words[128];
	bool going = true, fine = true;

	memset(yaml, 0, sizeof *yaml);
	yaml->path = path;
	yaml->bytes = bytes;
	yaml->length = length;
	if (!check_bytes(yaml, message))
		return false;
	if (!yaml_parser_initialize(&r.parser))
		return lurk_say(message, "%s: not enough memory", path);
	yaml_parser_set_input_string(&r.parser, (const unsigned char *)bytes, length);
	while (going && fine) {
		if (!yaml_parser_parse(&r.parser, &event)) {
			fine = say_at(&r, r.parser.problem_mark, cure(yaml, &r.parser, words));
			break;
		}
		fine = take_event(&r, &event);
		going = event.type != YAML_STREAM_END_EVENT;
		yaml_event_delete(&event);
	}
	yaml_parser_delete(&r.parser);
	return fine;
}

void lurk_yaml_free(struct lurk_yaml *yaml)
{
	while (yaml->nodes) {
		struct lurk_node *node = yaml->nodes;

		yaml->nodes = node->made_before;
		lurk_release(node);
	}
	lurk_release(yaml->bytes);
	memset(yaml, 0, sizeof *yaml);
}

char *lurk_yaml_copy(const struct lurk_yaml *yaml, size_t *length)
{
	char *bytes = lurk_resize(NULL, yaml->length + 1);

	memcpy(bytes, yaml->bytes, yaml->length);
	bytes[yaml->length] = '\0';
	*length = yaml->length;
	return bytes;
}

struct lurk_node *lurk_node_get(const struct lurk_node *map, const char *key)
{
	for (struct lurk_node *node = map && map->kind == LURK_NODE_MAP ? map->first : NULL; node;
	     node = node->next) {
		if (!strcmp(node->key->text, key))
			return node;
	}
	return NULL;
}

bool lurk_node_empty(const struct lurk_node *node)
{
	return node->kind == LURK_NODE_SCALAR && node->plain && !*node->text;
}

bool lurk_yaml_fields(const struct lurk_yaml *yaml, const struct lurk_node *map, const char *what,
		      const char *const *names, struct lurk_message *message)
{
	char list[256] = "";

	if (map->kind != LURK_NODE_MAP)
		return lurk_yaml_say(yaml, map, message, "%s is written as `field: value`", what);
	for (const struct lurk_node *node = map->first; node; node = node->next) {
		const char *near;
		size_t i = 0;

		while (names[i] && strcmp(names[i], node->key->text))
			i++;
		if (names[i])
			continue;
		near = lurk_name_nearest(node->key->text, names, i);
		if (near)
			return lurk_yaml_say(yaml, node->key, message,
					     "%s has no field `%s`; did you mean `%s`?", what,
					     node->key->text, near);
		for (i = 0; names[i]; i++)
			snprintf(list + strlen(list), sizeof list - strlen(list), "%s%s",
				 i ? ", " : "", names[i]);
		return lurk_yaml_say(yaml, node->key, message,
				     "%s has no field `%s`; it can have %s", what, node->key->text,
				     list);
	}
	return true;
}

bool lurk_yaml_bool(const struct lurk_yaml *yaml, const struct lurk_node *node, bool *value,
		    struct lurk_message *message)
{
	bool yes = !strcmp(node->text, "true");

	if (node->kind != LURK_NODE_SCALAR || (!yes && strcmp(node->text, "false")))
		return lurk_yaml_say(yaml, node, message, "`%s:` is true or false, not `%s`",
				     node->key ? node->key->text : "", node->text);
	*value = yes;
	return true;
}

/* ---- Writing --------------------------------------------------------------------------------- */

struct written {
	char *bytes;
	size_t length;
};

static int add_bytes(void *data, unsigned char *bytes, size_t length)
{
	struct written *out = data;

	out->bytes = lurk_resize(out->bytes, out->length + length + 1);
	memcpy(out->bytes + out->length, bytes, length);
	out->length += length;
	out->bytes[out->length] = '\0';
	return 1;
}

static bool emit_text(yaml_emitter_t *emitter, const char *text)
{
	yaml_event_t event;

	/* libyaml itself falls back to quotes where a style cannot say it. */
	return yaml_scalar_event_initialize(
		       &event, NULL, NULL, (const yaml_char_t *)text, (int)strlen(text), 1, 1,
		       strchr(text, '\n') ? YAML_LITERAL_SCALAR_STYLE : YAML_ANY_SCALAR_STYLE) &&
	       yaml_emitter_emit(emitter, &event);
}

static bool emit_all(yaml_emitter_t *emitter, const char *const *pairs, unsigned count)
{
	yaml_event_t event;
	bool fine = yaml_stream_start_event_initialize(&event, YAML_UTF8_ENCODING) &&
		    yaml_emitter_emit(emitter, &event) &&
		    yaml_document_start_event_initialize(&event, NULL, NULL, NULL, 1) &&
		    yaml_emitter_emit(emitter, &event) &&
		    yaml_mapping_start_event_initialize(&event, NULL, NULL, 1,
							YAML_BLOCK_MAPPING_STYLE) &&
		    yaml_emitter_emit(emitter, &event);

	for (unsigned i = 0; i < 2 * count && fine; i += 2)
		fine = !pairs[i + 1] ||
		       (emit_text(emitter, pairs[i]) && emit_text(emitter, pairs[i + 1]));
	return fine && yaml_mapping_end_event_initialize(&event) &&
	       yaml_emitter_emit(emitter, &event) &&
	       yaml_document_end_event_initialize(&event, 1) &&
	       yaml_emitter_emit(emitter, &event) && yaml_stream_end_event_initialize(&event) &&
	       yaml_emitter_emit(emitter, &event);
}

static bool reads_back(const char *bytes, size_t length, const char *const *pairs, unsigned count)
{
	struct lurk_message unused;
	struct lurk_yaml yaml;
	bool same = lurk_yaml_parse(&yaml, "", lurk_copy(bytes, length), length, &unused);

	for (unsigned i = 0; i < 2 * count && same; i += 2) {
		const struct lurk_node *node = lurk_node_get(yaml.root, pairs[i]);

		same = pairs[i + 1] ? node && node->kind == LURK_NODE_SCALAR &&
					      !strcmp(node->text, pairs[i + 1])
				    : !node;
	}
	lurk_yaml_free(&yaml);
	return same;
}

char *lurk_yaml_write(const char *const *pairs, unsigned count)
{
	struct written out = {NULL, 0};
	yaml_emitter_t emitter;
	bool fine;

	if (!yaml_emitter_initialize(&emitter))
		return NULL;
	yaml_emitter_set_output(&emitter, add_bytes, &out);
	yaml_emitter_set_unicode(&emitter, 1);
	yaml_emitter_set_width(&emitter, -1);
	fine = emit_all(&emitter, pairs, count);
	yaml_emitter_delete(&emitter);
	if (fine && out.bytes && reads_back(out.bytes, out.length, pairs, count))
		return out.bytes;
	lurk_release(out.bytes);
	return NULL;
}
