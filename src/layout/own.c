#include "lurk/layout/own.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "layout/includes.h"
#include "layout/own_file.h"
#include "layout/registry.h"
#include "layout/rows.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

/* With the key that chooses signs of a third level, as most layouts have it. */
#define EMPTY LURK_LAYOUT_EMPTY "+level3(ralt_switch)"

static const char *const of_own_shape = "default partial alphanumeric_keys\n"
					"xkb_symbols \"basic\" {\n"
					"    include \"%s\"\n"
					"    name[Group1] = \"%s\";\n"
					"};\n";

bool lurk_own_layout_is_name(const char *name)
{
	static const char letters[] = "abcdefghijklmnopqrstuvwxyz", more[] = "0123456789_";
	const size_t length = strlen(name);

	if (!length || length >= LURK_OWN_NAME || !strchr(letters, *name))
		return false;
	for (const char *c = name; *c; c++) {
		if (!strchr(letters, *c) && !strchr(more, *c))
			return false;
	}
	return true;
}

/* ---- Compiling ------------------------------------------------------------------------------- */

/* What libxkbcommon says first of what it cannot read. */
struct complaint {
	struct lurk_message first;
	bool any;
};

static LURK_PRINTF(3, 0) void complain(struct xkb_context *context, enum xkb_log_level level,
				       const char *format, va_list args)
{
	struct complaint *complaint = xkb_context_get_user_data(context);

	if (level > XKB_LOG_LEVEL_ERROR || !complaint || complaint->any)
		return;
	complaint->any = true;
	vsnprintf(complaint->first.text, sizeof complaint->first.text, format, args);
	complaint->first.text[strcspn(complaint->first.text, "\n")] = '\0';
	lurk_make_harmless(complaint->first.text);
}

/* The folder's, then the person's, everybody's and the system's, as desktops look for them. */
static struct xkb_context *make_context(const char *folder, struct complaint *complaint)
{
	struct xkb_context *context =
		xkb_context_new(XKB_CONTEXT_NO_ENVIRONMENT_NAMES | XKB_CONTEXT_NO_DEFAULT_INCLUDES);
	struct xkb_context *usual = xkb_context_new(XKB_CONTEXT_NO_FLAGS);

	if (!context || !usual)
		abort();
	xkb_context_set_user_data(context, complaint);
	xkb_context_set_log_fn(context, complain);
	xkb_context_include_path_append(context, folder);
	for (unsigned i = 0; i < xkb_context_num_include_paths(usual); i++)
		xkb_context_include_path_append(context, xkb_context_include_path_get(usual, i));
	xkb_context_unref(usual);
	return context;
}

/* As the system's rules put layouts together: pc, the layout, and the keys of desktops. */
static struct xkb_keymap *compile_body(struct xkb_context *context, const char *text,
				       const struct lurk_span *body)
{
	char *whole = lurk_print("xkb_keymap {\n"
				 "xkb_keycodes { include \"evdev+aliases(qwerty)\" };\n"
				 "xkb_types { include \"complete\" };\n"
				 "xkb_compat { include \"complete\" };\n"
				 "xkb_symbols \"own\" { include \"pc\"\n"
				 "%.*s\n"
				 "include \"inet(evdev)\" };\n"
				 "};\n",
				 (int)(body->end - body->start), text + body->start);
	struct xkb_keymap *keymap =
		xkb_keymap_new_from_buffer(context, whole, strlen(whole), XKB_KEYMAP_FORMAT_TEXT_V1,
					   XKB_KEYMAP_COMPILE_NO_FLAGS);

	lurk_release(whole);
	return keymap;
}

/* By its text, of its own shape or not; the latter is read from its folder. */
static struct lurk_layout *compile(const char *folder, const char *name, const char *text,
				   size_t length, const struct lurk_symbols *symbols,
				   struct lurk_message *message)
{
	struct complaint complaint = {.any = false};
	struct xkb_context *context = make_context(folder, &complaint);
	struct xkb_keymap *keymap = NULL;
	struct lurk_layout *layout = NULL;

	if (!lurk_includes_end(context, text, length, &complaint.first))
		complaint.any = true;
	else
		keymap = symbols ? compile_body(context, text, &symbols->body)
				 : lurk_layout_keymap(context, name, "");
	if (keymap) {
		layout = lurk_layout_of(context, keymap, 0);
		snprintf(layout->name, sizeof layout->name, "%s", name);
		snprintf(layout->words, sizeof layout->words, "%s",
			 xkb_keymap_layout_get_name(keymap, 0)
				 ? xkb_keymap_layout_get_name(keymap, 0)
				 : name);
		lurk_make_harmless(layout->words);
	} else {
		lurk_say(message, "it is no layout: %.600s",
			 complaint.any ? complaint.first.text : "it does not compile");
	}
	xkb_keymap_unref(keymap);
	xkb_context_set_user_data(context, NULL); /* the layout keeps it longer */
	xkb_context_unref(context);
	return layout;
}

bool lurk_own_layout_take_text(struct lurk_own_layout *own, char *text,
			       struct lurk_message *message)
{
	struct lurk_symbols symbols;
	struct lurk_layout *layout = NULL;
	const size_t length = strlen(text);

	if (lurk_symbols_read(text, length, &symbols, message))
		layout = compile(own->folder, own->name, text, length, &symbols, message);
	if (!layout) {
		lurk_release(text);
		return false;
	}
	lurk_layout_close(own->layout);
	lurk_release(own->text);
	own->text = text;
	own->length = length;
	own->symbols = symbols;
	own->layout = layout;
	lurk_layout_compose(layout, own->compose);
	return true;
}

/* ---- Opening --------------------------------------------------------------------------------- */

void lurk_layouts_added_folder(char out[LURK_PATH])
{
	const char *other = getenv("XKB_CONFIG_EXTRA_PATH"); /* as libxkbcommon asks for it */

	snprintf(out, LURK_PATH, "%s", other && *other == '/' ? other : "/etc/xkb");
}

void lurk_layouts_system_folder(char out[LURK_PATH])
{
	struct xkb_context *usual = xkb_context_new(XKB_CONTEXT_NO_FLAGS);

	if (!usual)
		abort();
	snprintf(out, LURK_PATH, "%s", lurk_layout_system_folder(usual));
	xkb_context_unref(usual);
}

static bool has_symbols(const char *folder, const char *name)
{
	char path[LURK_PATH + 64];

	snprintf(path, sizeof path, "%s/symbols/%s", folder, name);
	return access(path, F_OK) == 0;
}

/* A file of the system's, whatever it is for, would be another one's under that name; but not where
 * it is a copy of what was added. */
static bool is_the_systems(const char *name)
{
	char system[LURK_PATH], added[LURK_PATH];

	lurk_layouts_system_folder(system);
	lurk_layouts_added_folder(added);
	return has_symbols(system, name) && !has_symbols(added, name);
}

bool lurk_own_layout_may_be_called(const char *name, struct lurk_message *message)
{
	if (!lurk_own_layout_is_name(name))
		return lurk_say(
			message,
			"`%.40s` is no name for a layout: small letters, digits and _, at most %d",
			name, LURK_OWN_NAME - 1);
	return !is_the_systems(name) ||
	       lurk_say(message, "the system has a layout, or a part of some, that is called `%s`",
			name);
}

static struct lurk_own_layout *make(const char *folder, const char *name)
{
	struct lurk_own_layout *own = lurk_allocate(1, sizeof *own);

	snprintf(own->name, sizeof own->name, "%s", name);
	own->folder = lurk_copy(folder, strlen(folder));
	own->compose = lurk_copy("", 0);
	return own;
}

void lurk_own_layout_close(struct lurk_own_layout *own)
{
	if (!own)
		return;
	lurk_layout_close(own->layout);
	lurk_layout_close(own->base);
	lurk_release(own->folder);
	lurk_release(own->text);
	lurk_release(own->compose);
	lurk_release(own);
}

/* By its own name, in the folder or the system. */
static struct lurk_layout *open_base(const char *folder, const char *name)
{
	static const char nothing[] = "include \"" EMPTY "\"";
	const struct lurk_span whole = {0, sizeof nothing - 1};
	const bool empty = !strcmp(name, LURK_LAYOUT_EMPTY);
	struct complaint unused = {.any = false};
	struct xkb_context *context = make_context(folder, &unused);
	struct xkb_keymap *keymap = empty ? compile_body(context, nothing, &whole)
					  : lurk_layout_keymap(context, name, "");
	struct lurk_layout *layout = NULL;

	if (keymap) {
		layout = lurk_layout_of(context, keymap, 0);
		snprintf(layout->name, sizeof layout->name, "%s", name);
		if (empty)
			snprintf(layout->words, sizeof layout->words, "a keyboard without letters");
	}
	xkb_keymap_unref(keymap);
	xkb_context_set_user_data(context, NULL);
	xkb_context_unref(context);
	return layout;
}

/* "de(nodeadkeys)" is the layout "de:nodeadkeys"; without further parts. */
static void name_of_include(const char *spec, char name[LURK_SYMBOLS_SPEC])
{
	const size_t file = strcspn(spec, "(+|:");

	snprintf(name, LURK_SYMBOLS_SPEC, "%.*s", (int)file, spec);
	if (spec[file] == '(' && spec[file + 1] != ')')
		snprintf(name + file, LURK_SYMBOLS_SPEC - file, ":%.*s",
			 (int)strcspn(spec + file + 1, ")"), spec + file + 1);
}

static void include_of_name(const char *name, char spec[LURK_SYMBOLS_SPEC])
{
	const char *colon = strchr(name, ':');

	if (!strcmp(name, LURK_LAYOUT_EMPTY))
		snprintf(spec, LURK_SYMBOLS_SPEC, EMPTY);
	else if (colon)
		snprintf(spec, LURK_SYMBOLS_SPEC, "%.*s(%s)", (int)(colon - name), name, colon + 1);
	else
		snprintf(spec, LURK_SYMBOLS_SPEC, "%s", name);
}

struct lurk_own_layout *lurk_own_layout_read(const char *folder, const char *name,
					     const char *bytes, size_t length,
					     struct lurk_message *message)
{
	struct lurk_own_layout *own;
	char base[LURK_SYMBOLS_SPEC];

	if (!lurk_own_layout_may_be_called(name, message))
		return NULL;
	own = make(folder, name);
	own->text = lurk_copy(bytes, length);
	own->length = length;
	if (memchr(bytes, '\0', length)) {
		lurk_say(message, "it is no text");
	} else if (lurk_symbols_read(own->text, length, &own->symbols, &own->why)) {
		*own->why.text = '\0';
		own->layout = compile(folder, name, own->text, length, &own->symbols, message);
	} else {
		own->layout = compile(folder, name, own->text, length, NULL, message);
	}
	if (!own->layout) {
		lurk_own_layout_close(own);
		return NULL;
	}
	name_of_include(own->symbols.base, base);
	if (*base && strcmp(base, name) != 0)
		own->base = open_base(folder, base);
	return own;
}

/* A layout of another name may get other keys by the system's rules, or keys that act otherwise:
 * those are written out. */
static bool write_rest(struct lurk_own_layout *own, struct lurk_message *message)
{
	for (unsigned lines = 0; lines < 2 * LURK_SYMBOLS_KEYS; lines++) {
		const xkb_keycode_t code =
			lurk_row_first_other(own->base->keymap, own->layout->keymap, 0, 0);
		const char *key = xkb_keymap_key_get_name(own->base->keymap, code);
		struct lurk_row row;
		char *line;
		bool written;

		if (!code)
			return true;
		if (!key)
			break;
		lurk_row_of(own->base, code, &row);
		line = lurk_symbols_key(&own->symbols, key)
			       ? lurk_row_write_acting(key, own->base, code)
			       : lurk_row_write(key, &row, NULL);
		written = lurk_own_layout_take_text(
			own, lurk_symbols_with(own->text, &own->symbols, key, line), message);
		lurk_release(line);
		if (!written)
			return false;
	}
	return lurk_say(message,
			"no layout of one's own can begin from %s: the system treats it as no "
			"other",
			own->base->name);
}

static bool are_words(const char *words)
{
	if (!*words || strlen(words) >= LURK_OWN_WORDS)
		return false;
	for (const char *at = words; *at;) {
		const uint32_t c = (uint32_t)lurk_utf8_next(&at);

		if (c < ' ' || c == '"' || c == '\\' || c == 0xfffd || lurk_is_harmful(c))
			return false;
	}
	return true;
}

/* The layout that is begun from, by its own name. */
static struct lurk_layout *find_base(const char *folder, const char *base,
				     struct lurk_message *message)
{
	struct lurk_layout *found, *meant;

	found = open_base(folder, strcmp(base, "nothing") ? base : LURK_LAYOUT_EMPTY);
	if (found)
		return found;
	meant = lurk_layout_open(base, message);
	found = meant ? open_base(folder, lurk_layout_name(meant)) : NULL;
	lurk_layout_close(meant);
	return found;
}

bool lurk_layouts_called(const char *words, char name[64])
{
	struct xkb_context *context = lurk_layout_context();

	if (!context)
		abort();
	lurk_registry_called(context, words, name);
	xkb_context_unref(context);
	return strncmp(name, words, 63) != 0; /* longer ones are cut where nothing is called so */
}

/* What menus call it where nobody says: beside its base. */
static void default_words(struct lurk_layout *base, const char *name, char words[LURK_OWN_WORDS])
{
	if (!strcmp(base->name, LURK_LAYOUT_EMPTY)) {
		snprintf(words, LURK_OWN_WORDS, "%s", name);
		return;
	}
	snprintf(words, LURK_OWN_WORDS, "%.*s", (int)(LURK_OWN_WORDS - strlen(name) - 3),
		 lurk_layout_words(base));
	lurk_make_harmless(words);
	snprintf(words + strlen(words), LURK_OWN_WORDS - strlen(words), ", %s", name);
}

/* Two with the same words could not be told apart in a menu. */
bool lurk_own_layout_may_be_words(const char *words, struct lurk_message *message)
{
	char other[64];

	if (!are_words(words))
		return lurk_say(message,
				"what menus call it is at most %d bytes long, without quotes and "
				"backslashes",
				LURK_OWN_WORDS - 1);
	return !lurk_layouts_called(words, other) ||
	       lurk_say(message,
			"%s is called \"%s\" already, and menus tell two apart by their words",
			other, words);
}

struct lurk_own_layout *lurk_own_layout_begin(const char *folder, const char *name,
					      const char *base, const char *words,
					      struct lurk_message *message)
{
	char spec[LURK_SYMBOLS_SPEC], usual[LURK_OWN_WORDS];
	struct lurk_own_layout *own;

	if (!lurk_own_layout_may_be_called(name, message))
		return NULL;
	own = make(folder, name);
	own->base = find_base(folder, base, message);
	if (own->base && !words) {
		default_words(own->base, name, usual);
		words = usual;
	}
	if (own->base && lurk_own_layout_may_be_words(words, message)) {
		include_of_name(own->base->name, spec);
		if (lurk_own_layout_take_text(own, lurk_print(of_own_shape, spec, words),
					      message) &&
		    write_rest(own, message))
			return own;
	}
	lurk_own_layout_close(own);
	return NULL;
}

/* What comes after its dead keys, where a file beside it says that; `path` is that file's then. */
static bool read_compose(struct lurk_own_layout *own, char path[LURK_PATH],
			 struct lurk_message *message)
{
	char *bytes;
	size_t length;
	bool exists, fine;

	snprintf(path, LURK_PATH, "%.*s/compose/%s", LURK_PATH - 64, own->folder, own->name);
	if (!lurk_file_read(path, &bytes, &length, &exists, message))
		return !exists;
	fine = lurk_own_layout_take_compose(own, bytes, length, message);
	lurk_release(bytes);
	return fine;
}

struct lurk_layout *lurk_layout_open_in(const char *folder, const char *name, const char *options,
					struct lurk_message *message)
{
	struct lurk_own_layout *own;
	struct lurk_layout *layout = NULL;
	char path[LURK_PATH], *bytes;
	struct lurk_message why;
	size_t length;
	bool exists;

	if (!folder || !*folder || !lurk_own_layout_is_name(name))
		return lurk_layout_open_with(name, options, message);
	snprintf(path, sizeof path, "%.*s/symbols/%s", LURK_PATH - 64, folder, name);
	if (!lurk_file_read(path, &bytes, &length, &exists, message))
		return exists ? NULL : lurk_layout_open_with(name, options, message);
	own = lurk_own_layout_read(folder, name, bytes, length, &why);
	lurk_release(bytes);
	if (own && read_compose(own, path, &why))
		layout = lurk_own_layout_take(own);
	else
		lurk_say(message, "%.300s: %.400s", path, why.text);
	lurk_own_layout_close(own);
	return layout;
}

/* ---- Looking -------------------------------------------------------------------------------- */

const char *lurk_own_layout_name(const struct lurk_own_layout *own)
{
	return own->name;
}

const char *lurk_own_layout_words(const struct lurk_own_layout *own)
{
	return own->layout->words;
}

const char *lurk_own_layout_text(const struct lurk_own_layout *own, size_t *length)
{
	*length = own->length;
	return own->text;
}

struct lurk_layout *lurk_own_layout(struct lurk_own_layout *own)
{
	return own->layout;
}

struct lurk_layout *lurk_own_layout_base(struct lurk_own_layout *own)
{
	return own->base;
}

struct lurk_layout *lurk_own_layout_take(struct lurk_own_layout *own)
{
	struct lurk_layout *layout = own->layout;

	own->layout = NULL;
	return layout;
}

bool lurk_own_layout_edits(const struct lurk_own_layout *own, struct lurk_message *message)
{
	*message = own->why;
	return !*own->why.text;
}

/* A combination is one for itself where it reaches another level than it does without AltRight, or
 * without Shift. */
static bool is_distinct(struct lurk_layout *layout, xkb_keycode_t code, unsigned combination)
{
	const uint16_t modifiers = lurk_combinations[combination];
	const uint16_t fewer =
		modifiers & LURK_MOD_RIGHT_ALT ? modifiers & (uint16_t)~LURK_MOD_RIGHT_ALT : 0;

	return !combination ||
	       lurk_level_of(layout, code, modifiers) != lurk_level_of(layout, code, fewer);
}

unsigned lurk_own_layout_changes(struct lurk_own_layout *own,
				 void (*tell)(void *data,
					      const struct lurk_own_layout_change *change),
				 void *data)
{
	const xkb_keycode_t last = LURK_KEY_MAX + LURK_KEYCODE_OFFSET;
	unsigned count = 0;

	for (xkb_keycode_t code = LURK_KEYCODE_OFFSET + 1; own->base && code <= last; code++) {
		if (lurk_row_same(own->base->keymap, own->layout->keymap, code))
			continue;
		for (unsigned i = 0; i < LURK_COMBINATIONS; i++) {
			const struct lurk_own_layout_change change = {
				(lurk_key)(code - LURK_KEYCODE_OFFSET), lurk_combinations[i],
				lurk_symbol_with(own->base, code, lurk_combinations[i]),
				lurk_symbol_with(own->layout, code, lurk_combinations[i])};

			/* What a modifier is with others is nobody's matter. */
			if (change.was == change.now ||
			    (i && lurk_symbol_is_modifier(change.now)) ||
			    (!is_distinct(own->base, code, i) &&
			     !is_distinct(own->layout, code, i)))
				continue;
			count++;
			if (tell)
				tell(data, &change);
		}
	}
	return count;
}
