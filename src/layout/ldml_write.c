/* A layout as an LDML keyboard. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "layout/compose.h"
#include "layout/ldml.h"
#include "layout/own_file.h"
#include "layout/registry.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

enum { KEYS_MOST = LDML_ROWS * LDML_ROW, SYMBOLS_MOST = KEYS_MOST * LDML_LAYERS, ID = 40 };

struct writer {
	struct lurk_own_layout *own;
	const struct ldml_form *form;
	lurk_left_out *left;
	void *data;
	FILE *out;
	unsigned layers; /* how many there are: with AltRight only where that chooses signs */
	uint32_t types[LDML_ROWS][LDML_ROW][LDML_LAYERS];
	uint32_t symbols[SYMBOLS_MOST]; /* each once */
	unsigned count;
};

/* ---- What it types --------------------------------------------------------------------------- */

/* Some layouts have numbers of Unicode in them that are no characters. */
static bool can_say(uint32_t symbol)
{
	const uint32_t c = xkb_keysym_to_utf32(symbol);

	return lurk_symbol_is_dead(symbol) || (c >= ' ' && xkb_utf32_to_keysym(c));
}

static void add_symbol(struct writer *w, uint32_t symbol)
{
	for (unsigned i = 0; i < w->count; i++) {
		if (w->symbols[i] == symbol)
			return;
	}
	w->symbols[w->count++] = symbol;
}

static void look_at_key(struct writer *w, unsigned row, unsigned at)
{
	const lurk_key key = w->form->rows[row].keys[at];
	const xkb_keycode_t code = (xkb_keycode_t)key + LURK_KEYCODE_OFFSET;
	struct lurk_layout *layout = w->own->layout;
	uint32_t *types = w->types[row][at], told = 0;
	char words[LURK_SYMBOL];
	struct lurk_row all;

	ldml_types(layout, key, types);
	for (unsigned i = 0; i < LDML_LAYERS; i++) {
		if (types[i] && !can_say(types[i])) {
			if (types[i] != told)
				ldml_leave_out(w->left, w->data, "%s types %s%s, which is no text",
					       lurk_key_name(key),
					       lurk_symbol_words(types[i], words),
					       !i              ? ""
					       : i < LDML_CAPS ? " with modifiers"
							       : " with Caps Lock on");
			told = types[i];
			types[i] = 0;
		}
		if (types[i])
			add_symbol(w, types[i]);
	}
	lurk_row_of(layout, code, &all);
	if (all.levels > LDML_CAPS + 1)
		ldml_leave_out(w->left, w->data, "%s types more than Shift and AltRight choose",
			       lurk_key_name(key));
}

static void look_at_keys(struct writer *w)
{
	for (unsigned row = 0; row < LDML_ROWS; row++) {
		for (unsigned at = 0; w->form->rows[row].names[at]; at++)
			look_at_key(w, row, at);
	}
}

/* ---- Texts ----------------------------------------------------------------------------------- */

/* As LDML writes it: letters and digits as they are, all else by number. */
static void put_text(FILE *out, const char *text)
{
	while (*text) {
		const uint32_t c = (uint32_t)lurk_utf8_next(&text);
		char plain[8];

		if ((c >= '0' && c <= '9') || (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') ||
		    (c >= 0xc0 && lurk_utf8_width((wchar_t)c) > 0 && lurk_is_printed(c))) {
			lurk_utf8_write(c, plain);
			fputs(plain, out);
		} else {
			fprintf(out, "\\u{%X}", c);
		}
	}
}

static void put_symbol(FILE *out, uint32_t symbol)
{
	char name[LURK_SYMBOL], text[8];

	if (lurk_symbol_is_dead(symbol)) {
		fprintf(out, "\\m{%s}", lurk_symbol_name(symbol, name));
	} else {
		lurk_utf8_write(xkb_keysym_to_utf32(symbol), text);
		put_text(out, text);
	}
}

/* A key's id, after what it types. */
static const char *id_of(uint32_t symbol, char id[ID])
{
	char name[LURK_SYMBOL];
	const uint32_t c = xkb_keysym_to_utf32(symbol);

	if (!symbol)
		snprintf(id, ID, "gap");
	else if (lurk_symbol_is_dead(symbol))
		snprintf(id, ID, "%.30s", lurk_symbol_name(symbol, name));
	else if ((c >= '0' && c <= '9') || (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z'))
		snprintf(id, ID, "%c", (char)c);
	else
		snprintf(id, ID, "u%04X", c);
	return id;
}

static void put_attribute(FILE *out, const char *text)
{
	for (; *text; text++) {
		if (*text == '&' || *text == '<' || *text == '>' || *text == '"')
			fprintf(out, "&#%d;", *text);
		else
			putc(*text, out);
	}
}

/* ---- Parts of the file ----------------------------------------------------------------------- */

static void put_head(const struct writer *w)
{
	char brief[LURK_REGISTRY_CODE] = "", language[LURK_REGISTRY_CODE] = "";

	if (w->own->base)
		lurk_registry_language(w->own->base->context, w->own->base->name, brief, language);
	fputs("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n"
	      "<keyboard3 xmlns=\"https://schemas.unicode.org/cldr/45/keyboard3\" locale=\"",
	      w->out);
	put_attribute(w->out, *brief && strlen(brief) <= 3 ? brief : "und");
	fputs("\" conformsTo=\"45\">\n  <info name=\"", w->out);
	put_attribute(w->out, lurk_own_layout_words(w->own));
	fputs("\"/>\n", w->out);
}

static void put_keys(const struct writer *w)
{
	char id[ID];

	fputs("  <keys>\n", w->out);
	for (unsigned i = 0; i < w->count; i++) {
		fprintf(w->out, "    <key id=\"%s\" output=\"", id_of(w->symbols[i], id));
		put_symbol(w->out, w->symbols[i]);
		fputs("\"/>\n", w->out);
	}
	fputs("    <key id=\"gap\" gap=\"true\"/>\n  </keys>\n", w->out);
}

static void put_layer(const struct writer *w, unsigned layer, const char *modifiers)
{
	char id[ID];

	fprintf(w->out, "    <layer modifiers=\"%s\">\n", modifiers);
	for (unsigned row = 0; row < LDML_ROWS; row++) {
		fputs("      <row keys=\"", w->out);
		for (unsigned at = 0; w->form->rows[row].names[at]; at++)
			fprintf(w->out, "%s%s", at ? " " : "", id_of(w->types[row][at][layer], id));
		fputs("\"/>\n", w->out);
	}
	fputs("    </layer>\n", w->out);
}

static bool same_layer(const struct writer *w, unsigned a, unsigned b)
{
	for (unsigned row = 0; row < LDML_ROWS; row++) {
		for (unsigned at = 0; w->form->rows[row].names[at]; at++) {
			if (w->types[row][at][a] != w->types[row][at][b])
				return false;
		}
	}
	return true;
}

/* One for all that type the same. */
static void put_layers(const struct writer *w)
{
	static const char *const modifiers[LDML_LAYERS] = {
		"none", "shift",      "altR",      "altR shift",
		"caps", "caps shift", "caps altR", "caps altR shift"};

	fprintf(w->out, "  <layers formId=\"%s\">\n", w->form->id);
	for (unsigned i = 0; i < LDML_LAYERS; i++) {
		char all[128] = "";
		bool told = w->layers < LDML_LAYERS && i % LDML_CAPS > 1;

		for (unsigned j = 0; j < i && !told; j++)
			told = same_layer(w, i, j);
		for (unsigned j = i; j < LDML_LAYERS && !told; j++) {
			if ((w->layers < LDML_LAYERS && j % LDML_CAPS > 1) || !same_layer(w, i, j))
				continue;
			lurk_append(all, sizeof all, *all ? ", " : "");
			lurk_append(all, sizeof all, modifiers[j]);
		}
		if (!told)
			put_layer(w, i, all);
	}
	fputs("  </layers>\n", w->out);
}

/* What comes of a dead key and another symbol, and of two and another. */
static void put_sequence(const struct writer *w, struct xkb_compose_state *state,
			 const uint32_t *keys, unsigned count)
{
	enum { MOST = 3 };
	char gives[LURK_SEQUENCE];

	xkb_compose_state_reset(state);
	for (unsigned i = 0; i < count; i++)
		xkb_compose_state_feed(state, keys[i]);
	if (xkb_compose_state_get_status(state) == XKB_COMPOSE_COMPOSED &&
	    xkb_compose_state_get_utf8(state, gives, sizeof gives) > 0 && *gives) {
		fputs("      <transform from=\"", w->out);
		for (unsigned i = 0; i < count; i++)
			put_symbol(w->out, keys[i]);
		fputs("\" to=\"", w->out);
		put_text(w->out, gives);
		fputs("\"/>\n", w->out);
	}
	if (xkb_compose_state_get_status(state) != XKB_COMPOSE_COMPOSING || count == MOST)
		return;
	for (unsigned i = 0; i < w->count; i++) {
		const uint32_t more[MOST] = {keys[0], count > 1 ? keys[1] : w->symbols[i],
					     w->symbols[i]};

		put_sequence(w, state, more, count + 1);
	}
}

/* By the locale's table and the layout's lines: what else a person's own file has is nobody's to be
 * sent. */
static struct xkb_compose_table *table_for_others(const struct writer *w)
{
	char *text = lurk_print("include \"%%L\"\n%s", w->own->compose);
	struct xkb_compose_table *table = lurk_compose_read(w->own->layout->context, text);

	lurk_release(text);
	return table;
}

static void put_transforms(const struct writer *w)
{
	struct xkb_compose_table *table = table_for_others(w);
	struct xkb_compose_state *state =
		table ? xkb_compose_state_new(table, XKB_COMPOSE_STATE_NO_FLAGS) : NULL;
	bool any = false;

	for (unsigned i = 0; i < w->count && state; i++) {
		if (!lurk_symbol_is_dead(w->symbols[i]))
			continue;
		if (!any)
			fputs("  <transforms type=\"simple\">\n    <transformGroup>\n", w->out);
		any = true;
		put_sequence(w, state, &w->symbols[i], 1);
	}
	if (any)
		fputs("    </transformGroup>\n  </transforms>\n", w->out);
	xkb_compose_state_unref(state);
	xkb_compose_table_unref(table);
}

/* ---- All of it ------------------------------------------------------------------------------- */

static bool is_japanese(const struct lurk_own_layout *own)
{
	return own->base && !strncmp(own->base->name, "jp", 2);
}

/* Keys that the form has no place for, and that differ from the base. */
static void tell_change(void *data, const struct lurk_own_layout_change *change)
{
	const struct writer *w = data;
	char words[LURK_SYMBOL];

	for (unsigned row = 0; row < LDML_ROWS; row++) {
		for (unsigned at = 0; w->form->rows[row].names[at]; at++) {
			if (w->form->rows[row].keys[at] == change->key)
				return;
		}
	}
	ldml_leave_out(w->left, w->data, "%s types %s, and is no key of LDML's form `%s`",
		       lurk_key_name(change->key), lurk_symbol_words(change->now, words),
		       w->form->id);
}

char *lurk_ldml_write(struct lurk_own_layout *own, lurk_left_out *left, void *data)
{
	struct writer *w = lurk_allocate(1, sizeof *w);
	char *text = NULL, *copy;
	size_t length;

	w->own = own;
	w->left = left;
	w->data = data;
	w->form = ldml_form(is_japanese(own) ? "jis" : "iso");
	w->layers = lurk_layout_has_third(own->layout) ? LDML_LAYERS : 2;
	w->out = open_memstream(&text, &length);
	if (!w->out)
		abort();
	look_at_keys(w);
	lurk_own_layout_changes(own, tell_change, w);
	put_head(w);
	put_keys(w);
	put_layers(w);
	put_transforms(w);
	fputs("</keyboard3>\n", w->out);
	fclose(w->out);
	copy = lurk_copy(text, length);
	free(text);
	lurk_release(w);
	return copy;
}
