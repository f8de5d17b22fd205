/* Layouts as LDML keyboards and back: each key is pressed in both, and what comes after dead keys
 * is the same; what is not the same was told before. */
#include "../core/check.h"

#include <xkbcommon/xkbcommon-compose.h>
#include <xkbcommon/xkbcommon.h>

#include "lurk/layout/ldml.h"
#include "lurk/text/memory.h"

static char folder[64];

static void no_log(struct xkb_context *context, enum xkb_log_level level, const char *format,
		   va_list args)
{
	(void)context;
	(void)level;
	(void)format;
	(void)args;
}

static struct xkb_keymap *as_desktops_read(const char *name)
{
	struct xkb_rule_names names = {"evdev", "pc105", name, "", ""};
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_DEFAULT_INCLUDES);
	struct xkb_keymap *keymap;

	xkb_context_set_log_fn(context, no_log);
	xkb_context_include_path_append(context, folder);
	xkb_context_include_path_append_default(context);
	keymap = xkb_keymap_new_from_names(context, &names, XKB_KEYMAP_COMPILE_NO_FLAGS);
	xkb_context_unref(context);
	return keymap;
}

static void put(const char *name, const char *text)
{
	char path[128];
	struct lurk_message why;

	snprintf(path, sizeof path, "%s/symbols/%s", folder, name);
	if (!lurk_file_write(path, text, strlen(text), &why))
		fail_msg("%s", why.text);
}

/* ---- What is told ---------------------------------------------------------------------------- */

static char told[1 << 16];

static void tell(void *data, const char *sentence)
{
	(void)data;
	snprintf(told + strlen(told), sizeof told - strlen(told), "%s\n", sentence);
}

static bool is_told(lurk_key key)
{
	char name[64];

	snprintf(name, sizeof name, "%s types", lurk_key_name(key));
	return strstr(told, name) != NULL;
}

/* ---- Pressing -------------------------------------------------------------------------------- */

enum { LAYERS = 8, OFFSET = 8, CAPS = 58 + OFFSET, SHIFT = 42 + OFFSET, ALT_RIGHT = 100 + OFFSET };

/* The keys of LDML's forms. */
static const lurk_key all_keys[] = {41, 2,  3,  4,  5,  6,  7,  8,  9,  10, 11, 12, 13,
				    16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 30,
				    31, 32, 33, 34, 35, 36, 37, 38, 39, 40, 43, 86, 44,
				    45, 46, 47, 48, 49, 50, 51, 52, 53, 57};

static bool has(struct xkb_keymap *keymap, xkb_keycode_t code, xkb_keysym_t symbol)
{
	const xkb_keysym_t *syms;

	return xkb_keymap_key_get_syms_by_level(keymap, code, 0, 0, &syms) == 1 && *syms == symbol;
}

/* Some layouts have other keys there, which no form of LDML does. */
static bool can_press(struct xkb_keymap *keymap, unsigned layer)
{
	return (!(layer & 2) || has(keymap, ALT_RIGHT, XKB_KEY_ISO_Level3_Shift)) &&
	       (!(layer & 4) || has(keymap, CAPS, XKB_KEY_Caps_Lock));
}

static xkb_keysym_t press(struct xkb_keymap *keymap, lurk_key key, unsigned layer)
{
	struct xkb_state *state = xkb_state_new(keymap);
	xkb_keysym_t sym;

	if (layer & 4) {
		xkb_state_update_key(state, CAPS, XKB_KEY_DOWN);
		xkb_state_update_key(state, CAPS, XKB_KEY_UP);
	}
	if (layer & 1)
		xkb_state_update_key(state, SHIFT, XKB_KEY_DOWN);
	if (layer & 2)
		xkb_state_update_key(state, ALT_RIGHT, XKB_KEY_DOWN);
	sym = xkb_state_key_get_one_sym(state, (xkb_keycode_t)key + OFFSET);
	xkb_state_unref(state);
	return sym == XKB_KEY_VoidSymbol ? 0 : sym;
}

static bool is_dead(xkb_keysym_t sym)
{
	return sym >= XKB_KEY_dead_grave && sym <= XKB_KEY_dead_longsolidusoverlay;
}

/* A symbol that LDML can say: others are nothing there. */
static xkb_keysym_t said(xkb_keysym_t sym)
{
	const uint32_t c = xkb_keysym_to_utf32(sym);

	return is_dead(sym) ? sym : c >= ' ' ? xkb_utf32_to_keysym(c) : 0;
}

/* ---- There and back -------------------------------------------------------------------------- */

struct counts {
	unsigned passed_over, layouts, keys, lost, sequences;
};

static void compare_keys(const char *name, struct xkb_keymap *one, struct xkb_keymap *other,
			 struct counts *counts)
{
	for (size_t i = 0; i < COUNT(all_keys); i++) {
		/* The form for Japanese keyboards has two others instead. */
		if (!strncmp(name, "jp", 2) && (all_keys[i] == 41 || all_keys[i] == 86))
			continue;
		for (unsigned layer = 0; layer < LAYERS; layer++) {
			const xkb_keysym_t was = press(one, all_keys[i], layer);
			const xkb_keysym_t now = press(other, all_keys[i], layer);

			if (!can_press(one, layer))
				continue;
			counts->keys++;
			if (said(was) == said(now) && (said(was) || !was || is_told(all_keys[i])))
				continue;
			if (!is_told(all_keys[i]))
				fail_msg("%s: %s in layer %u: %x became %x\n%s", name,
					 lurk_key_name(all_keys[i]), layer, was, now, told);
			counts->lost++;
		}
	}
}

static struct xkb_compose_table *compose(struct xkb_context *context, const char *lines)
{
	char *text = lurk_print("include \"%%L\"\n%s", lines);
	struct xkb_compose_table *table = xkb_compose_table_new_from_buffer(
		context, text, strlen(text), "en_US.UTF-8", XKB_COMPOSE_FORMAT_TEXT_V1, 0);

	lurk_release(text);
	return table;
}

static void read_back(void *data, const char *name)
{
	struct counts *counts = data;
	struct xkb_keymap *one, *other;
	struct lurk_own_layout *own;
	struct lurk_message why;
	struct lurk_ldml ldml;
	size_t length;
	char *file;

	if (counts->passed_over++ % one_in(64))
		return;
	own = lurk_own_layout_begin(folder, "reedbed", name, "Reed & <bed>", &why);
	if (!own)
		return; /* a place that others fill */
	put("reedbed", lurk_own_layout_text(own, &length));
	*told = '\0';
	file = lurk_ldml_write(own, tell, NULL);
	lurk_own_layout_close(own);
	if (!lurk_ldml_read(&ldml, file, strlen(file), tell, NULL, &why))
		fail_msg("%s: %s", name, why.text);
	assert_string_equal(ldml.name, "reedbed");
	assert_string_equal(ldml.compose, ""); /* all that is after dead keys is the locale's */
	put("back", ldml.symbols);
	own = lurk_own_layout_read(folder, "back", ldml.symbols, strlen(ldml.symbols), &why);
	if (!own)
		fail_msg("%s: %s\n%s", name, why.text, ldml.symbols);
	assert_string_equal(lurk_own_layout_words(own), "Reed & <bed>");
	assert_true(lurk_own_layout_edits(own, &why));
	lurk_own_layout_close(own);
	one = as_desktops_read("reedbed");
	other = as_desktops_read("back");
	assert_non_null(one);
	assert_non_null(other);
	compare_keys(name, one, other, counts);
	counts->layouts++;
	xkb_keymap_unref(one);
	xkb_keymap_unref(other);
	lurk_ldml_free(&ldml);
	lurk_release(file);
}

static void each_layout_is_the_same_there_and_back(void **state)
{
	struct counts counts = {0};

	(void)state;
	lurk_layouts_each(read_back, &counts);
	print_message("%u layouts, %u presses, %u told as left out\n", counts.layouts, counts.keys,
		      counts.lost);
	assert_true(counts.layouts > 500 / one_in(64));
	assert_true(counts.lost * 20 < counts.keys);
}

/* ---- After dead keys ------------------------------------------------------------------------- */

/* What the file says of dead keys is all that the locale's table has of the layout's signs, and
 * what the layout says itself comes back. */
static void what_comes_after_dead_keys_is_there(void **state)
{
	static const char lines[] = "<dead_acute> <q> : \"q\u0301\"\n<dead_grave> <e> : \"x\"\n";
	struct lurk_message why;
	struct lurk_own_layout *own = lurk_own_layout_begin(folder, "reedbed", "de", "Reed", &why);
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_FLAGS);
	struct xkb_compose_table *table = compose(context, lines);
	struct xkb_compose_state *sequence = xkb_compose_state_new(table, 0);
	struct lurk_ldml ldml;
	unsigned found = 0;
	char *file;

	(void)state;
	assert_true(lurk_own_layout_take_compose(own, lines, strlen(lines), &why));
	file = lurk_ldml_write(own, tell, NULL);
	for (char c = 'a'; c <= 'z'; c++) {
		char from[64], to[16] = "";
		const char *at;

		xkb_compose_state_reset(sequence);
		xkb_compose_state_feed(sequence, XKB_KEY_dead_acute);
		xkb_compose_state_feed(sequence, (xkb_keysym_t)c);
		if (xkb_compose_state_get_status(sequence) == XKB_COMPOSE_COMPOSED)
			xkb_compose_state_get_utf8(sequence, to, sizeof to);
		snprintf(from, sizeof from, "from=\"\\m{dead_acute}%c\" to=\"", c);
		at = strstr(file, from);
		assert_int_equal(at != NULL, *to != '\0');
		/* Combining marks are written by number. */
		if (at && strlen(to) == 2 && strncmp(at + strlen(from), to, strlen(to)) != 0)
			fail_msg("%s: not %s", from, to);
		found += at != NULL;
	}
	assert_true(found > 10);
	assert_true(lurk_ldml_read(&ldml, file, strlen(file), tell, NULL, &why));
	assert_non_null(strstr(ldml.compose, "<dead_acute> <q> : \"q\u0301\"\n"));
	assert_non_null(strstr(ldml.compose, "<dead_grave> <e> : \"x\"\n"));
	assert_int_equal(strlen(ldml.compose), strlen(lines));
	lurk_ldml_free(&ldml);
	lurk_release(file);
	lurk_own_layout_close(own);
	xkb_compose_state_unref(sequence);
	xkb_compose_table_unref(table);
	xkb_context_unref(context);
}

/* ---- From elsewhere -------------------------------------------------------------------------- */

#define HEAD "<keyboard3 locale=\"en\" conformsTo=\"45\"><info name=\"Reed\"/>"
#define LAYER \
	"<layers formId=\"us\"><layer><row keys=\"grave 1 2\"/><row keys=\"q\"/></layer></layers>"

/* The file, what is told of it, and what stands in its symbols; or with no symbols, what is said.
 */
static const struct {
	const char *file, *told, *symbols;
} files[] = {
	{HEAD LAYER "</keyboard3>", "", "key <TLDE> { [ grave, grave ] };"},
	{HEAD LAYER "</keyboard3>", "", "key <AE03> { [ VoidSymbol, VoidSymbol ] };"},
	{HEAD "<keys><key id=\"q\" output=\"\\u{2642}\"/></keys>" LAYER "</keyboard3>", "",
	 "key <AD01> { [ malesymbol, malesymbol ] };"},
	{HEAD LAYER "<keys><key id=\"q\" output=\"\\m{acute}\"/></keys></keyboard3>", "",
	 "key <AD01> { [ dead_acute, dead_acute ] };"},
	{HEAD "<keys><key id=\"q\" output=\"qu\"/></keys>" LAYER "</keyboard3>",
	 "the key `q` types `qu`, which is no one sign\n", "key <AD01> { [ VoidSymbol"},
	{HEAD "<keys><key id=\"q\" output=\"\\u{FDD7}\"/></keys>" LAYER "</keyboard3>",
	 "the key `q` types `\\u{FDD7}`, which is no one sign\n", "key <AD01> { [ VoidSymbol"},
	{HEAD "<keys><key id=\"q\" output=\"${x}\"/></keys>" LAYER "</keyboard3>",
	 "the key `q` types `${x}`, which is no one sign\n", "key <AD01> { [ VoidSymbol"},
	{HEAD "<layers formId=\"touch\"/>" LAYER "</keyboard3>", "the layers for `touch`\n",
	 "key <AD01> { [ q, q ] };"},
	{HEAD "<layers formId=\"us\"><layer modifiers=\"none, ctrl alt\"><row keys=\"q z-z\"/>"
	      "</layer></layers></keyboard3>",
	 "a layer has a key `z-z`, which the file does not describe\nthe left Alt key for the "
	 "layer "
	 "of `ctrl alt`\nthe layer of `ctrl alt`\n",
	 "key <TLDE> { [ q, q ] };"},
	{HEAD LAYER "<transforms type=\"simple\"><transformGroup><transform from=\"\\m{acute}q\" "
		    "to=\"q\\u{301}\"/><transform from=\"[aeiou]\" to=\"x\"/><reorder/>"
		    "</transformGroup></transforms></keyboard3>",
	 "that `[aeiou]` becomes `x`\na `reorder` of what was typed\n", "include \"us\""},
	{HEAD LAYER "<transforms type=\"simple\"><transformGroup><transform from=\"\\m{acute}q\" "
		    "to=\"x\\u{A}include\"/></transformGroup></transforms></keyboard3>",
	 "that `\\m{acute}q` becomes `x\\u{A}include`\n", "include \"us\""},
	{HEAD "<layers formId=\"us\"><layer><row keys=\"q\"/></layer><layer modifiers=\"alt\"><row "
	      "keys=\"z\"/></layer></layers></keyboard3>",
	 "the left Alt key for the layer of `alt`\n", "key <TLDE> { [ q, q, z, z ] };"},
	{HEAD LAYER "<variables/></keyboard3>", "its `variables`\n", "include \"us\""},
	{"<keyboard3><info name='say \"x\"; }; \\'/>" LAYER "</keyboard3>", "",
	 "name[Group1] = \"say 'x'; }; '\";"},
	{"<keyboard3><layers formId=\"us\"><layer modifiers=\"shift\"><row keys=\"q\"/></layer>"
	 "</layers></keyboard3>",
	 "it has no layer for a keyboard with caps", NULL},
	{"<keyboard3>", "it is no LDML keyboard: ", NULL},
	{"<a><keyboard3/></a>", "it is no LDML keyboard", NULL},
	{"<!DOCTYPE keyboard3 [<!ENTITY a SYSTEM \"/etc/passwd\">]><keyboard3><info name=\"&a;\"/>"
	 "</keyboard3>",
	 "it is no LDML keyboard: ", NULL},
};

static void files_of_others_are_read(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(files); i++) {
		struct lurk_message why = {""};
		struct lurk_ldml ldml;
		bool read;

		*told = '\0';
		read = lurk_ldml_read(&ldml, files[i].file, strlen(files[i].file), tell, NULL,
				      &why);
		if (read != (files[i].symbols != NULL) ||
		    (read ? strcmp(told, files[i].told) != 0 ||
				     !strstr(ldml.symbols, files[i].symbols)
			  : !strstr(why.text, files[i].told)))
			fail_msg("%s\n%s%s%s", files[i].file, told, why.text,
				 read ? ldml.symbols : "");
		if (read)
			lurk_own_layout_close(lurk_own_layout_read(folder, "reedbed", ldml.symbols,
								   strlen(ldml.symbols), &why));
		lurk_ldml_free(&ldml);
	}
}

/* Whatever is torn is read or refused, with a word. */
static void torn_files_are_harmless(void **state)
{
	uint64_t seed = 11;

	(void)state;
	for (unsigned long i = 0; i < as_often(400); i++) {
		const char *whole = files[i % COUNT(files)].file;
		size_t length = strlen(whole);
		char *bytes = strdup(whole);
		struct lurk_message why = {""};
		struct lurk_ldml ldml;

		if (i % 3 == 0)
			length = random_next(&seed) % length;
		else
			bytes[random_next(&seed) % length] =
				"<>\"&\\{}\xff u= "[random_next(&seed) % 12];
		*told = '\0';
		assert_true(lurk_ldml_read(&ldml, bytes, length, tell, NULL, &why) || *why.text);
		lurk_ldml_free(&ldml);
		free(bytes);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(files_of_others_are_read),
		cmocka_unit_test(torn_files_are_harmless),
		cmocka_unit_test(what_comes_after_dead_keys_is_there),
		cmocka_unit_test(each_layout_is_the_same_there_and_back),
	};

	make_folder(folder);
	return cmocka_run_group_tests_name("ldml", tests, NULL, NULL);
}
