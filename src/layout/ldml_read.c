/* An LDML keyboard as the text of a layout. */
#include <dlfcn.h>
#include <libxml/parser.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "layout/compose.h"
#include "layout/ldml.h"
#include "layout/parts.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

/* Opened where one is read and not before: it would cost every start of a program. */
static _Thread_local struct {
	void *library;
	__typeof__(xmlReadMemory) *ReadMemory;
	__typeof__(xmlFreeDoc) *FreeDoc;
	__typeof__(xmlDocGetRootElement) *DocGetRootElement;
	__typeof__(xmlGetNoNsProp) *GetNoNsProp;
	__typeof__(xmlGetLastError) *GetLastError;
	xmlFreeFunc *Free;
} xml;

static bool find(void *function, const char *name)
{
	void *found = dlsym(xml.library, name);

	memcpy(function, &found, sizeof found);
	return found;
}

static bool open_library(void)
{
	if (!xml.library)
		xml.library = dlopen("libxml2.so.2", RTLD_NOW | RTLD_LOCAL);
	return xml.library && find(&xml.ReadMemory, "xmlReadMemory") &&
	       find(&xml.FreeDoc, "xmlFreeDoc") &&
	       find(&xml.DocGetRootElement, "xmlDocGetRootElement") &&
	       find(&xml.GetNoNsProp, "xmlGetNoNsProp") &&
	       find(&xml.GetLastError, "xmlGetLastError") && find(&xml.Free, "xmlFree");
}

enum {
	KEYS_MOST = 2048, /* of a file */
	TEXT = 64,
	UNKNOWN = 0x7fffffff,
	TRANSFORMS_MOST = 20000,
	LINES_MOST = 1000 /* that are not the locale's */
};

struct key {
	char *id;
	uint32_t symbol; /* 0 for a gap, UNKNOWN for what is no one symbol */
};

struct reader {
	lurk_left_out *left;
	void *data;
	struct key keys[KEYS_MOST];
	unsigned count;
	struct ldml_layers layers;
	char *compose;
	unsigned transforms, lines;
};

/* ---- XML ------------------------------------------------------------------------------------- */

static bool is_named(const xmlNode *node, const char *name)
{
	return node->type == XML_ELEMENT_NODE && !strcmp((const char *)node->name, name);
}

enum found { NONE, FITS, TOO_LONG };

/* Into out, "" where it does not fit. */
static enum found attribute(const xmlNode *node, const char *name, char *out, size_t size)
{
	xmlChar *value = xml.GetNoNsProp((xmlNode *)node, (const xmlChar *)name);
	const enum found found = !value                               ? NONE
				 : strlen((const char *)value) < size ? FITS
								      : TOO_LONG;

	snprintf(out, size, "%s", found == FITS ? (const char *)value : "");
	if (value)
		(*xml.Free)(value);
	return found;
}

/* ---- Strings of LDML ------------------------------------------------------------------------- */

/* UNKNOWN for a number that is no character's. */
static uint32_t symbol_of(uint32_t c)
{
	const uint32_t symbol = xkb_utf32_to_keysym(c);

	return symbol ? symbol : UNKNOWN;
}

/* The next of a string: a character, or a marker's name, whose symbol is its dead key's; UNKNOWN
 * for what cannot be one. */
static uint32_t next_symbol(const char **at)
{
	char name[TEXT] = "dead_";
	const char *end;
	uint32_t c, symbol;
	size_t length;

	if (**at != '\\') {
		c = (uint32_t)lurk_utf8_next(at);
		return c == '$' || c == 0xfffd ? UNKNOWN : symbol_of(c);
	}
	++*at;
	end = strchr(*at, '}');
	if (((*at)[0] != 'u' && (*at)[0] != 'm') || (*at)[1] != '{' || !end) {
		c = **at ? (uint32_t)lurk_utf8_next(at) : 0;
		return symbol_of(c);
	}
	length = (size_t)(end - *at) - 2;
	if (**at == 'u') {
		char *past;

		c = (uint32_t)strtoul(*at + 2, &past, 16);
		*at = end + 1;
		return past == end ? symbol_of(c) : UNKNOWN;
	}
	snprintf(name + 5, sizeof name - 5, "%.*s", (int)(length < 50 ? length : 50), *at + 2);
	*at = end + 1;
	symbol = xkb_keysym_from_name(name + 5, XKB_KEYSYM_CASE_INSENSITIVE);
	if (!lurk_symbol_is_dead(symbol))
		symbol = xkb_keysym_from_name(name, XKB_KEYSYM_CASE_INSENSITIVE);
	return lurk_symbol_is_dead(symbol) ? symbol : UNKNOWN;
}

static uint32_t one_symbol(const char *text)
{
	const uint32_t symbol = *text ? next_symbol(&text) : 0;

	return *text ? UNKNOWN : symbol;
}

/* ---- Keys ------------------------------------------------------------------------------------ */

/* UTS #35, part 7: the keys that every file has, by the names of their signs. */
static const struct {
	const char *id, *sign;
} implied[] = {
	{"space", " "},       {"bang", "!"},         {"double-quote", "\""},
	{"hash", "#"},        {"dollar", "$"},       {"percent", "%"},
	{"amp", "&"},         {"apos", "'"},         {"open-paren", "("},
	{"close-paren", ")"}, {"asterisk", "*"},     {"plus", "+"},
	{"comma", ","},       {"hyphen", "-"},       {"period", "."},
	{"slash", "/"},       {"colon", ":"},        {"semi-colon", ";"},
	{"lt", "<"},          {"equal", "="},        {"gt", ">"},
	{"question", "?"},    {"at", "@"},           {"open-square", "["},
	{"backslash", "\\"},  {"close-square", "]"}, {"caret", "^"},
	{"underscore", "_"},  {"grave", "`"},        {"open-curly", "{"},
	{"pipe", "|"},        {"close-curly", "}"},  {"tilde", "~"},
};

static uint32_t implied_symbol(const char *id)
{
	if (id[0] && !id[1] &&
	    ((*id >= '0' && *id <= '9') || (*id >= 'A' && *id <= 'Z') ||
	     (*id >= 'a' && *id <= 'z')))
		return xkb_utf32_to_keysym((uint32_t)*id);
	for (size_t i = 0; i < sizeof implied / sizeof *implied; i++) {
		if (!strcmp(implied[i].id, id))
			return xkb_utf32_to_keysym((uint32_t)*implied[i].sign);
	}
	return strcmp(id, "gap") != 0 ? UNKNOWN : 0;
}

/* By its id; false where the file has none. */
static bool find_key(const struct reader *r, const char *id, uint32_t *symbol)
{
	for (unsigned i = 0; i < r->count; i++) {
		if (!strcmp(r->keys[i].id, id)) {
			*symbol = r->keys[i].symbol;
			return true;
		}
	}
	*symbol = implied_symbol(id);
	return *symbol != UNKNOWN;
}

static void read_keys(struct reader *r, const xmlNode *keys)
{
	for (const xmlNode *node = keys->children; node; node = node->next) {
		char id[TEXT], output[TEXT], gap[TEXT];
		struct key *key = &r->keys[r->count];

		if (!is_named(node, "key") || r->count == KEYS_MOST ||
		    attribute(node, "id", id, sizeof id) != FITS)
			continue;
		attribute(node, "output", output, sizeof output);
		attribute(node, "gap", gap, sizeof gap);
		key->id = lurk_copy(id, strlen(id));
		key->symbol = !strcmp(gap, "true") ? 0 : *output ? one_symbol(output) : UNKNOWN;
		r->count++;
		if (key->symbol == UNKNOWN)
			ldml_leave_out(r->left, r->data,
				       "the key `%s` types `%s`, which is no one sign", id, output);
	}
}

/* ---- Layers ---------------------------------------------------------------------------------- */

static void read_row(struct reader *r, const char *ids, unsigned row, unsigned layer)
{
	unsigned at = 0;

	while (*(ids += strspn(ids, " \t\r\n"))) {
		const size_t length = strcspn(ids, " \t\r\n");
		uint32_t symbol = UNKNOWN;
		char id[TEXT];

		snprintf(id, sizeof id, "%.*s", (int)(length < TEXT ? length : TEXT - 1), ids);
		ids += length;
		if (row >= LDML_ROWS || !r->layers.form->rows[row].names[at]) {
			ldml_leave_out(r->left, r->data,
				       "the key `%s` has no place on a keyboard of the form `%s`",
				       id, r->layers.form->id);
			continue;
		}
		if (!find_key(r, id, &symbol))
			ldml_leave_out(r->left, r->data,
				       "a layer has a key `%s`, which the file does not describe",
				       id);
		r->layers.types[row][at++][layer] = symbol == UNKNOWN ? 0 : symbol;
	}
}

/* Which of ours a set of modifiers is; -1 for none. */
static int layer_of(char *set)
{
	unsigned layer = 0;
	char *rest = NULL;

	for (const char *word = strtok_r(set, " \t\r\n", &rest); word;
	     word = strtok_r(NULL, " \t\r\n", &rest)) {
		if (!strcmp(word, "shift"))
			layer |= 1;
		else if (!strcmp(word, "altR") || !strcmp(word, "alt"))
			layer |= 2;
		else if (!strcmp(word, "caps"))
			layer |= LDML_CAPS;
		else if (strcmp(word, "none") != 0)
			return -1;
	}
	return (int)layer;
}

static void read_layer(struct reader *r, const xmlNode *node)
{
	char modifiers[256], told[256], *rest = NULL, keys[1024];
	unsigned row;

	if (attribute(node, "modifiers", modifiers, sizeof modifiers) == TOO_LONG) {
		ldml_leave_out(r->left, r->data, "a layer whose modifiers are longer than %zu",
			       sizeof modifiers - 1);
		return;
	}
	if (!*modifiers)
		snprintf(modifiers, sizeof modifiers, "none");
	for (char *set = strtok_r(modifiers, ",", &rest); set; set = strtok_r(NULL, ",", &rest)) {
		int layer;

		snprintf(told, sizeof told, "%s", set + strspn(set, " "));
		if (strstr(told, "alt") && !strstr(told, "altR"))
			ldml_leave_out(r->left, r->data, "the left Alt key for the layer of `%s`",
				       told);
		layer = layer_of(set);
		if (layer < 0) {
			ldml_leave_out(r->left, r->data, "the layer of `%s`", told);
			continue;
		}
		row = 0;
		r->layers.has[layer] = true;
		for (const xmlNode *child = node->children; child; child = child->next) {
			if (!is_named(child, "row"))
				continue;
			if (attribute(child, "keys", keys, sizeof keys) == TOO_LONG)
				ldml_leave_out(r->left, r->data,
					       "a row of a layer, which is longer than %zu",
					       sizeof keys - 1);
			read_row(r, keys, row++, (unsigned)layer);
		}
	}
}

/* The first of them for a keyboard with caps. */
static void read_layers(struct reader *r, const xmlNode *layers)
{
	const struct ldml_form *form;
	char id[TEXT];

	attribute(layers, "formId", id, sizeof id);
	form = ldml_form(id);
	if (!form || r->layers.form) {
		ldml_leave_out(r->left, r->data, "the layers for `%s`", id);
		return;
	}
	r->layers.form = form;
	for (const xmlNode *node = layers->children; node; node = node->next) {
		if (is_named(node, "layer"))
			read_layer(r, node);
	}
}

/* ---- Transforms ------------------------------------------------------------------------------ */

/* What the locale has already is not said again. */
static bool is_known(struct xkb_compose_table *usual, const uint32_t *from, unsigned count,
		     const char *to)
{
	struct xkb_compose_state *state =
		usual ? xkb_compose_state_new(usual, XKB_COMPOSE_STATE_NO_FLAGS) : NULL;
	char gives[TEXT] = "";

	for (unsigned i = 0; i < count && state; i++)
		xkb_compose_state_feed(state, from[i]);
	if (state && xkb_compose_state_get_status(state) == XKB_COMPOSE_COMPOSED)
		xkb_compose_state_get_utf8(state, gives, sizeof gives);
	xkb_compose_state_unref(state);
	return !strcmp(gives, to);
}

/* A text of LDML as it is; false where there is more in it. */
static bool read_text(const char *at, char *out, size_t size)
{
	*out = '\0';
	while (*at) {
		const uint32_t symbol = next_symbol(&at);
		const uint32_t c = symbol == UNKNOWN ? 0 : xkb_keysym_to_utf32(symbol);
		char one[8];

		if (c < ' ' || (c >= 0x7f && c < 0xa0))
			return false;
		lurk_utf8_write(c, one);
		lurk_append(out, size, one);
	}
	return *out;
}

static void read_transform(struct reader *r, const xmlNode *node, struct xkb_compose_table *usual)
{
	enum { MOST = 3 };
	char from[256], to[256], text[TEXT], a[LURK_SYMBOL], b[LURK_SYMBOL], *line;
	uint32_t symbols[MOST + 1];
	unsigned count = 0;
	bool fine = attribute(node, "from", from, sizeof from) == FITS &&
		    attribute(node, "to", to, sizeof to) == FITS &&
		    read_text(to, text, sizeof text);

	for (const char *at = from; *at && fine && count <= MOST; count++)
		fine = (symbols[count] = next_symbol(&at)) != UNKNOWN;
	fine = fine && count > 1 && count <= MOST && lurk_symbol_is_dead(symbols[0]);
	if (fine && is_known(usual, symbols, count, text))
		return;
	if (!fine || count != 2 || strlen(text) >= LURK_SEQUENCE - 1 || strpbrk(text, "\"\\") ||
	    r->lines == LINES_MOST) {
		ldml_leave_out(r->left, r->data, "that `%s` becomes `%s`", from, to);
		return;
	}
	line = lurk_print("%s<%s> <%s> : \"%s\"\n", r->compose, lurk_symbol_name(symbols[0], a),
			  lurk_symbol_name(symbols[1], b), text);
	lurk_release(r->compose);
	r->compose = line;
	r->lines++;
}

static void read_transforms(struct reader *r, const xmlNode *transforms,
			    struct xkb_compose_table *usual)
{
	char type[TEXT];

	attribute(transforms, "type", type, sizeof type);
	if (strcmp(type, "simple") != 0) {
		ldml_leave_out(r->left, r->data, "the transforms of the type `%s`", type);
		return;
	}
	for (const xmlNode *group = transforms->children; group; group = group->next) {
		for (const xmlNode *node = group->children; node; node = node->next) {
			if (is_named(node, "transform") && r->transforms < TRANSFORMS_MOST)
				read_transform(r, node, usual);
			else if (is_named(node, "transform") && r->transforms == TRANSFORMS_MOST)
				ldml_leave_out(r->left, r->data, "transforms behind the first %d",
					       TRANSFORMS_MOST);
			else if (is_named(node, "reorder"))
				ldml_leave_out(r->left, r->data, "a `reorder` of what was typed");
			r->transforms += is_named(node, "transform");
		}
	}
}

/* ---- All of it ------------------------------------------------------------------------------- */

bool lurk_ldml_is(const char *bytes)
{
	return strstr(bytes, "<keyboard3") != NULL;
}

/* Small letters and digits of its words. */
static void make_name(const char *words, char name[LURK_OWN_NAME])
{
	size_t n = 0;

	for (; *words && n + 1 < LURK_OWN_NAME; words++) {
		const char c = *words >= 'A' && *words <= 'Z' ? (char)(*words - 'A' + 'a') : *words;

		if ((c >= 'a' && c <= 'z') || (n && c >= '0' && c <= '9'))
			name[n++] = c;
	}
	name[n] = '\0';
}

/* What menus call it: without what would end the quotes around it. */
static void clean_words(char words[LURK_OWN_WORDS])
{
	lurk_make_harmless(words);
	for (char *c = words; *c; c++)
		*c = *c == '"' || *c == '\\' ? '\'' : *c;
}

static void read_root(struct reader *r, const xmlNode *root, char words[LURK_OWN_WORDS],
		      struct xkb_compose_table *usual)
{
	static const char *const layers[] = {"keys", "layers", "transforms"};

	snprintf(words, LURK_OWN_WORDS, "A keyboard from LDML");
	/* Keys are described before or after the layers that have them. */
	for (unsigned pass = 0; pass < sizeof layers / sizeof *layers; pass++) {
		for (const xmlNode *node = root->children; node; node = node->next) {
			if (!pass && is_named(node, "info"))
				attribute(node, "name", words, LURK_OWN_WORDS);
			if (!pass && (is_named(node, "variables") || is_named(node, "import") ||
				      is_named(node, "forms")))
				ldml_leave_out(r->left, r->data, "its `%s`",
					       (const char *)node->name);
			if (!is_named(node, layers[pass]))
				continue;
			if (pass == 0)
				read_keys(r, node);
			else if (pass == 1)
				read_layers(r, node);
			else
				read_transforms(r, node, usual);
		}
	}
	clean_words(words);
}

bool lurk_ldml_read(struct lurk_ldml *ldml, const char *bytes, size_t length, lurk_left_out *left,
		    void *data, struct lurk_message *message)
{
	struct reader *r;
	struct xkb_context *context;
	struct xkb_compose_table *usual;
	char words[LURK_OWN_WORDS];
	xmlDoc *document;
	xmlNode *root;
	bool fine;

	memset(ldml, 0, sizeof *ldml);
	if (!open_library())
		return lurk_say(message, "libxml2 is not here, which reads such files");
	document = xml.ReadMemory(bytes, (int)length, NULL, "UTF-8",
				  XML_PARSE_NONET | XML_PARSE_NOERROR | XML_PARSE_NOWARNING |
					  XML_PARSE_NOBLANKS);
	root = document ? xml.DocGetRootElement(document) : NULL;
	if (!root || !is_named(root, "keyboard3")) {
		const xmlError *error = document ? NULL : xml.GetLastError();

		if (document)
			xml.FreeDoc(document);
		return lurk_say(message, "it is no LDML keyboard%s%.*s",
				error && error->message ? ": " : "",
				error && error->message ? (int)strcspn(error->message, "\n") : 0,
				error && error->message ? error->message : "");
	}
	r = lurk_allocate(1, sizeof *r);
	r->left = left;
	r->data = data;
	r->compose = lurk_copy("", 0);
	context = lurk_layout_context();
	if (!context)
		abort();
	usual = lurk_compose_table(context, NULL);
	read_root(r, root, words, usual);
	xkb_compose_table_unref(usual);
	xkb_context_unref(context);
	xml.FreeDoc(document);
	fine = r->layers.form && r->layers.has[0];
	if (fine) {
		make_name(words, ldml->name);
		ldml->symbols = ldml_symbols(&r->layers, words, left, data);
		ldml->compose = lurk_copy(r->compose, strlen(r->compose));
	} else {
		lurk_say(message,
			 "it has no layer for a keyboard with caps of the forms iso, us or "
			 "jis");
	}
	for (unsigned i = 0; i < r->count; i++)
		lurk_release(r->keys[i].id);
	lurk_release(r->compose);
	lurk_release(r);
	return fine;
}

void lurk_ldml_free(struct lurk_ldml *ldml)
{
	lurk_release(ldml->symbols);
	lurk_release(ldml->compose);
	memset(ldml, 0, sizeof *ldml);
}
