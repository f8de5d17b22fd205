/* Layouts of one's own, as other programs read them: what libxkbcommon makes of a file that is
 * found by its name, written down again by itself, line against line. */
#include "../core/check.h"

#include <sys/stat.h>
#include <xkbcommon/xkbcommon.h>

#include "lurk/layout/own.h"
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

/* As a desktop does: by the rules, with the person's folder before the system's. NULL where it is
 * none. To be freed with free(). */
static char *as_desktops_read(const char *name)
{
	char layout[64] = "", variant[64] = "", *text = NULL;
	struct xkb_rule_names names = {"evdev", "pc105", layout, variant, ""};
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_DEFAULT_INCLUDES);
	struct xkb_keymap *keymap;

	sscanf(name, "%63[^:]:%63s", layout, variant);
	xkb_context_set_log_fn(context, no_log);
	xkb_context_include_path_append(context, folder);
	xkb_context_include_path_append_default(context);
	keymap = xkb_keymap_new_from_names(context, &names, XKB_KEYMAP_COMPILE_NO_FLAGS);
	if (keymap)
		text = xkb_keymap_get_as_string(keymap, XKB_KEYMAP_FORMAT_TEXT_V1);
	xkb_keymap_unref(keymap);
	xkb_context_unref(context);
	return text;
}

static void write_own(const struct lurk_own_layout *own)
{
	char path[128];
	size_t length;
	const char *text = lurk_own_layout_text(own, &length);
	struct lurk_message why;

	snprintf(path, sizeof path, "%s/symbols/%s", folder, lurk_own_layout_name(own));
	if (!lurk_file_write(path, text, length, &why))
		fail_msg("%s", why.text);
}

enum { STATEMENTS = 4096 };

static int by_text(const void *a, const void *b)
{
	return strcmp(*(char *const *)a, *(char *const *)b);
}

/* The statements of a keymap's text, in an order. Left out: other names of keys, what levels and
 * groups are called, and how symbols act, which is compared by pressing. */
static unsigned statements_of(char *text, char *out[STATEMENTS])
{
	unsigned count = 0;

	for (char *at = strtok(text, ";"); at && count < STATEMENTS; at = strtok(NULL, ";")) {
		at += strspn(at, " \t\n");
		if (strncmp(at, "alias", 5) && !strstr(at, "name[") &&
		    strncmp(at, "interpret", 9) && strncmp(at, "virtualModifier=", 16) &&
		    strncmp(at, "useModMapMods=", 14) && strncmp(at, "action=", 7) &&
		    strncmp(at, "repeat=", 7) && *at != '}')
			out[count++] = at;
	}
	qsort(out, count, sizeof *out, by_text);
	return count;
}

/* How many statements only one of two keymaps has, the greater of both; the last one, of the
 * second. */
static unsigned differences(const char *a, const char *b, char last[256])
{
	static char *lists[2][STATEMENTS];
	char *copies[2] = {strdup(a), strdup(b)};
	unsigned counts[2], at[2] = {0, 0}, only[2] = {0, 0};

	for (unsigned i = 0; i < 2; i++)
		counts[i] = statements_of(copies[i], lists[i]);
	while (at[0] < counts[0] || at[1] < counts[1]) {
		const int order = at[0] == counts[0]   ? 1
				  : at[1] == counts[1] ? -1
						       : strcmp(lists[0][at[0]], lists[1][at[1]]);

		if (order > 0)
			snprintf(last, 256, "%s", lists[1][at[1]]);
		only[0] += order < 0;
		only[1] += order > 0;
		at[0] += order <= 0;
		at[1] += order >= 0;
	}
	free(copies[0]);
	free(copies[1]);
	return only[0] > only[1] ? only[0] : only[1];
}

/* ---- Every layout ---------------------------------------------------------------------------- */

struct all {
	unsigned layouts, acting, passed_over;
};

/* Keys that type letters, digits or signs everywhere: one of them each. */
static const lurk_key single[] = {LURK_KEY_M, LURK_KEY_1, LURK_KEY_Q, LURK_KEY_COMMA,
				  LURK_KEY_SPACE};

/* Whether a press does the same, with any of the modifiers that choose levels. */
static void press_all(const char *name, const char *base, const char *mine)
{
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_FLAGS);
	struct xkb_keymap *keymaps[2];

	xkb_context_set_log_fn(context, no_log);
	keymaps[0] = xkb_keymap_new_from_string(context, base, XKB_KEYMAP_FORMAT_TEXT_V1, 0);
	keymaps[1] = xkb_keymap_new_from_string(context, mine, XKB_KEYMAP_FORMAT_TEXT_V1, 0);
	for (xkb_keycode_t code = 9; code < 256; code++) {
		for (xkb_mod_mask_t held = 0; held < 256; held += held ? 127 : 1) {
			xkb_mod_mask_t mods[2][2];

			for (unsigned i = 0; i < 2; i++) {
				struct xkb_state *state = xkb_state_new(keymaps[i]);

				xkb_state_update_mask(state, held, 0, 0, 0, 0, 0);
				xkb_state_update_key(state, code, XKB_KEY_DOWN);
				mods[i][0] =
					xkb_state_serialize_mods(state, XKB_STATE_MODS_EFFECTIVE);
				xkb_state_update_key(state, code, XKB_KEY_UP);
				mods[i][1] =
					xkb_state_serialize_mods(state, XKB_STATE_MODS_EFFECTIVE);
				xkb_state_unref(state);
			}
			if (memcmp(mods[0], mods[1], sizeof *mods) != 0)
				fail_msg("%s: key %u with %x acts otherwise", name, code, held);
		}
	}
	xkb_keymap_unref(keymaps[0]);
	xkb_keymap_unref(keymaps[1]);
	xkb_context_unref(context);
}

static char *expect_differences(const char *name, const char *base, unsigned most,
				const char *within)
{
	char *mine = as_desktops_read("reedbed"), last[256] = "";
	unsigned count = mine ? differences(base, mine, last) : STATEMENTS;

	if (count > most || (count && !strstr(last, within)))
		fail_msg("%s: %u statements differ, such as %s", name, count, last);
	return mine;
}

static void begin_from(void *data, const char *name)
{
	struct all *all = data;
	struct lurk_message why;
	struct lurk_own_layout *own;
	char *base = as_desktops_read(name), *mine;
	const lurk_key key = single[all->layouts % COUNT(single)];
	size_t length;
	bool third, acts;

	if (!base)
		return; /* a place that others fill */
	if (all->passed_over++ % one_in(64)) {
		free(base);
		return;
	}
	own = lurk_own_layout_begin(folder, "reedbed", name, "Reed bed", &why);
	if (!own)
		fail_msg("%s: %s", name, why.text);
	write_own(own);
	/* What the system's rules add for a name of its own stands in the file. */
	acts = strstr(lurk_own_layout_text(own, &length), "actions[") != NULL;
	all->acting += acts;
	mine = expect_differences(name, base, acts ? 3 : 0, "actions[");
	press_all(name, base, mine);
	assert_int_equal(lurk_own_layout_changes(own, NULL, NULL), 0);
	free(base);
	if (lurk_own_layout_type(own, key, LURK_MOD_SHIFT, 0x1002713, &third, &why) !=
	    LURK_OWN_EDITED)
		fail_msg("%s: %s: %s", name, lurk_key_name(key), why.text);
	write_own(own);
	free(expect_differences(name, mine, 1, "2713"));
	assert_int_equal(lurk_layout_types(lurk_own_layout(own), key, LURK_MOD_SHIFT), 0x1002713);
	all->layouts++;
	free(mine);
	lurk_own_layout_close(own);
}

static void every_layout_can_be_begun_from(void **state)
{
	struct all all = {0};

	(void)state;
	lurk_layouts_each(begin_from, &all);
	assert_true(all.layouts > 500 / one_in(64));
	if (one_in(64) == 1)
		assert_true(all.acting > 0); /* 6 with xkb-data 2.35 */
}

static uint32_t plain_symbol(struct xkb_keymap *keymap, xkb_keycode_t code)
{
	const xkb_keysym_t *syms;

	return xkb_keymap_key_get_syms_by_level(keymap, code, 0, 0, &syms) == 1 ? syms[0] : 0;
}

/* Then desktops have every key that types no sign, and AltRight chooses the third. */
static void nothing_can_be_begun_from(void **state)
{
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_FLAGS);
	struct lurk_message why;
	struct lurk_own_layout *own =
		lurk_own_layout_begin(folder, "reedbed", "nothing", NULL, &why);
	struct xkb_keymap *us, *mine;
	char *text = as_desktops_read("us");
	unsigned signs = 0, others = 0;

	(void)state;
	assert_non_null(own);
	write_own(own);
	us = xkb_keymap_new_from_string(context, text, XKB_KEYMAP_FORMAT_TEXT_V1, 0);
	free(text);
	text = as_desktops_read("reedbed");
	mine = xkb_keymap_new_from_string(context, text, XKB_KEYMAP_FORMAT_TEXT_V1, 0);
	free(text);
	for (xkb_keycode_t code = 9; code < 256; code++) {
		const uint32_t was = plain_symbol(us, code), now = plain_symbol(mine, code);
		const char *name = xkb_keymap_key_get_name(us, code);
		/* "Common to all layouts", says xkb-data of two keys with signs. */
		const bool sign = xkb_keysym_to_utf32(was) > ' ' && was < XKB_KEY_BackSpace &&
				  strcmp(name, "BKSL") != 0 && strcmp(name, "LSGT") != 0 &&
				  *name != 'I';

		if (was == XKB_KEY_Alt_R)
			assert_int_equal(now, XKB_KEY_ISO_Level3_Shift);
		else
			assert_int_equal(now, sign ? 0 : was);
		signs += sign;
		others += was && !sign;
	}
	assert_true(signs == 46 && others > 150);
	assert_int_equal(lurk_own_layout_changes(own, NULL, NULL), 0);
	lurk_own_layout_close(own);
	xkb_keymap_unref(us);
	xkb_keymap_unref(mine);
	xkb_context_unref(context);
}

/* ---- One edit -------------------------------------------------------------------------------- */

/* The press, what it is to type, and the line of the key then; or what is said. */
static const struct {
	const char *base, *press, *symbol, *line;
} edits[] = {
	{"de", "AltRight+KeyM", "✓", "key <AB07> { [ m, M, checkmark, masculine ] };"},
	{"de", "Shift+KeyM", "✓", "key <AB07> { [ m, checkmark, mu, masculine ] };"},
	{"de", "AltRight+Shift+KeyM", "U+2713", "key <AB07> { [ m, M, mu, checkmark ] };"},
	{"de", "KeyM", "✓", "key <AB07> { [ checkmark, M, mu, masculine ] };"},
	{"de", "KeyM", "dead caron", "key <AB07> { [ dead_caron, M, mu, masculine ] };"},
	{"de", "KeyM", "Dead Above-Dot", "key <AB07> { [ dead_abovedot, M, mu, masculine ] };"},
	{"de", "KeyM", "dead_small_schwa",
	 "key <AB07> { [ dead_small_schwa, M, mu, masculine ] };"},
	{"de", "KeyM", "nothing", "key <AB07> { [ VoidSymbol, M, mu, masculine ] };"},
	{"de", "KeyM", "ArrowLeft", "key <AB07> { [ Left, M, mu, masculine ] };"},
	{"de", "KeyM", "Page Down", "key <AB07> { [ Next, M, mu, masculine ] };"},
	{"de", "KeyM", "XF86AudioMute", "key <AB07> { [ XF86AudioMute, M, mu, masculine ] };"},
	{"de", "KeyM", "KeyZ", "key <AB07> { [ y, M, mu, masculine ] };"},
	{"de", "F6", "🦆", "key <FK06> { [ U0001F986, F6, F6, F6, XF86Switch_VT_6 ] };"},
	{"de", "Space", "U+00A0", "key <SPCE> { [ nobreakspace ] };"},
	{"de", "Shift+Space", "U+00A0", "key <SPCE> { [ space, nobreakspace ] };"},
	{"de", "AltRight+Space", "U+202F", "key <SPCE> { [ space, space, U202F, space ] };"},
	{"us", "AltRight+KeyM", "✓", "key <AB07> { [ m, M, checkmark, M ] };"},
	{"us", "AltRight+Digit4", "€", "key <AE04> { [ 4, dollar, EuroSign, dollar ] };"},
	{"ru", "KeyM", "m", "key <AB07> { [ m, Cyrillic_SOFTSIGN ] };"},
	{"de", "KeyM", "m", "same"},
	{"us", "AltRight+KeyM", "m", "same"},
	{"de", "KeyM", "seen",
	 "a text or a shortcut is a rule's work: `lurk map KEY --text 'seen'`"},
	{"de", "KeyM", "\x1b[2J", "`?[2J` is no character"},
	{"de", "KeyM", "U+1b", "`U+1b` is no character"},
	{"de", "KeyM", "U+110000", "`U+110000` is no character"},
	{"de", "KeyM", "U+202E", "`U+202E` is no character"},
	{"de", "KeyM", "", "`` is no character"},
	{"de", "KeyM", "ShiftLeft", "`ShiftLeft` is a modifier, which is a rule's work"},
	{"de", "KeyM", "ISO_Level3_Shift", "is a modifier"},
	{"de", "ShiftLeft", "x",
	 "ShiftLeft is a modifier; to make it another key is a rule's work"},
	{"de", "AltRight", "x", "AltRight is a modifier"},
	{"de", "Control+KeyM", "x", "is chosen with Shift, AltRight or both"},
	{"de", "KEY_FN_B", "x", "key <I492> {"},
	{"de", "F13", "x", "the system says what F13 types behind every layout"},
	{"de", "KEY_LINK_PHONE", "x", "layouts know no key KEY_LINK_PHONE"},
};

static enum lurk_own_layout_edit edit(struct lurk_own_layout *own, const char *press,
				      const char *symbol, struct lurk_message *why)
{
	struct lurk_name name;
	uint32_t number;
	bool third;

	assert_int_equal(lurk_name_read(press, strlen(press), NULL, &name), LURK_NAME_PRESS);
	return lurk_symbol_read(symbol, lurk_own_layout_base(own), &number, why)
		       ? lurk_own_layout_type(own, name.press.on.key, name.press.modifiers, number,
					      &third, why)
		       : LURK_OWN_REFUSED;
}

/* One that begins as the base: begun once, and read for each row after that. */
static struct lurk_own_layout *fresh(const char *base)
{
	static char *text;
	static const char *of = "";
	struct lurk_message why = {""};
	struct lurk_own_layout *own;
	size_t length;

	if (strcmp(of, base) != 0) {
		own = lurk_own_layout_begin(folder, "reedbed", base, "Reed bed", &why);
		assert_non_null(own);
		free(text);
		text = strdup(lurk_own_layout_text(own, &length));
		of = base;
		lurk_own_layout_close(own);
	}
	own = lurk_own_layout_read(folder, "reedbed", text, strlen(text), &why);
	assert_non_null(own);
	return own;
}

static void one_line_changes(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(edits); i++) {
		struct lurk_message why = {""};
		struct lurk_own_layout *own = fresh(edits[i].base);
		size_t length;
		char *before = strdup(lurk_own_layout_text(own, &length));
		enum lurk_own_layout_edit went = edit(own, edits[i].press, edits[i].symbol, &why);
		const char *text = lurk_own_layout_text(own, &length), *seen = text;

		if (went == LURK_OWN_REFUSED)
			seen = why.text;
		else if (went == LURK_OWN_SAME)
			seen = "same";
		if (!strstr(seen, edits[i].line))
			fail_msg("%s: %s: %s: %s", edits[i].base, edits[i].press, edits[i].symbol,
				 seen);
		assert_int_equal(length, strlen(text));
		assert_true((went == LURK_OWN_EDITED) == (strcmp(before, text) != 0));
		free(before);
		lurk_own_layout_close(own);
	}
}

/* ---- Files ----------------------------------------------------------------------------------- */

#define SIXTY "abcdefghijklmnopqrstuvwxyzabcdefghijklmnopqrstuvwxyzabcdefgh"
#define HEAD "// of the hide\ndefault partial alphanumeric_keys // flags\nxkb_symbols \"basic\" {\n"

/* A file, an edit, and the file then; or, without one, what is said of it. */
static const struct {
	const char *before, *press, *symbol, *after;
} files[] = {
	{HEAD "  include \"de\" # its base\n  name[Group1]=\"Reed\"; // its name\n};\n// end\n",
	 "KeyM", "✓",
	 HEAD "  include \"de\" # its base\n  name[Group1]=\"Reed\"; // its name\n"
	      "  key <AB07> { [ checkmark, M, mu, masculine ] };\n};\n// end\n"},
	{HEAD "include \"de\"\n\n\tkey <AB07> {[m,M]}; // why\n\n\tkey <AB06>{ [ n ] }  ;\n};",
	 "KeyM", "✓",
	 HEAD "include \"de\"\n\n\tkey <AB07> { [ checkmark, M, mu, masculine ] }; // why\n\n\tkey "
	      "<AB06>{ [ n ] }  ;\n};"},
	{"xkb_symbols \"a\" { include \"de\" };", "KeyM", "✓",
	 "xkb_symbols \"a\" { include \"de\"\n    key <AB07> { [ checkmark, M, mu, masculine ] }; "
	 "};"},
	{HEAD "include \"de\"\nkey <AB07> { [ x ] };\nkey <AB07> { [ y ] };\n};", "KeyM", "✓",
	 HEAD "include \"de\"\nkey <AB07> { [ x ] };\nkey <AB07> { [ checkmark, M, mu, masculine ] "
	      "};\n};"},
	{HEAD "include \"de\"\nkey <AB07> { [ x ] }; // stays\n  key <AB07> { [ y ] };\n};", "KeyM",
	 NULL, HEAD "include \"de\"\n // stays\n};"},
	{HEAD "include \"de\"\n\tkey <AB07> { // one\n\t\t[m, # \"two\" <AB07>\n\n\t\t// three { "
	      "[\n M] };\n};",
	 "KeyM", "✓",
	 HEAD "include \"de\"\n\t// one\n\t# \"two\" <AB07>\n\t// three { [\n\tkey <AB07> { [ "
	      "checkmark, M, "
	      "mu, masculine ] };\n};"},
	{HEAD
	 "include \"de\"\n  key <AB06> { [ numbersign ] }; key <AB07> { [ x ] //\n}; // four\n};",
	 "KeyM", "✓",
	 HEAD
	 "include \"de\"\n  key <AB06> { [ numbersign ] }; //\n  key <AB07> { [ checkmark, M, mu, "
	 "masculine ] }; // "
	 "four\n};"},
	{HEAD "  include \"de\"\n  name[Group1]=\"Reed\"; // its name\n};", "", "Moor, ♂",
	 HEAD "  include \"de\"\n  name[Group1]=\"Moor, ♂\"; // its name\n};"},
	{HEAD "  include \"de\" // base\n};", "", "Moor",
	 HEAD "  include \"de\" // base\n  name[Group1] = \"Moor\";\n};"},
	{HEAD "include \"de\"\n};", "", "Danish", "dk is called \"Danish\" already"},
	{HEAD "include \"de\"\n};", "", "a\";}; x", "without quotes and backslashes"},
	{HEAD "include \"de\"\nmodifier_map Mod3 { <AB07> };\n};", "", "Moor",
	 "line 5: `modifier_map` stands where"},
	/* More than a layout of one's own has. */
	{HEAD "include \"de\"\nmodifier_map Mod3 { <AB07> };\n};", "KeyM", "✓",
	 "line 5: `modifier_map` stands where"},
	{HEAD "include \"de\"\n};\nxkb_symbols \"b\" { };", "KeyM", "✓",
	 "line 6: `xkb_symbols` stands where the end"},
	{HEAD "include \"de\"\naugment \"us\"\n};", "KeyM", "✓", "line 5: `augment` stands where"},
	/* What is no layout. */
	{"", NULL, NULL, "it is no layout"},
	{HEAD "include \"nowhere\"\n};", NULL, NULL, "it is no layout: "},
	{HEAD "include \"../../../etc/passwd\"\n};", NULL, NULL, "it is no layout: "},
	{HEAD "key <AB07> { [ x ] };", NULL, NULL, "it is no layout: "},
	{HEAD "key <AB07> { [ \"x\n\" ] }; };", NULL, NULL, "it is no layout: "},
	{"xkb_symbols \"a\" { include \"reedbed\" };", NULL, NULL,
	 "comes back to `reedbed`, without an end"},
	{"XKB_SYMBOLS \"a\" { Augment \"us+reedbed(a)\" };", NULL, NULL,
	 "comes back to `reedbed`, without an end"},
	{"xkb_symbols \"b\" { }; Default xkb_symbols \"a\" { override \"reedbed(a):1|us\" };", NULL,
	 NULL, "comes back to `reedbed`, without an end"},
	{"xkb_symbols \"a\" { include \"us(" SIXTY SIXTY ")\" };", NULL, NULL,
	 "a name that is too long"},
	{"xkb_symbols \"a\" { include \"" SIXTY SIXTY "\" };", NULL, NULL,
	 "a name that is too long"},
};

/* A key types a symbol; without one it is brought back; without a key that is what menus call it.
 */
static enum lurk_own_layout_edit edit_as(struct lurk_own_layout *own, const char *press,
					 const char *symbol, struct lurk_message *why)
{
	return !symbol   ? lurk_own_layout_restore(own, LURK_KEY_M, why)
	       : !*press ? lurk_own_layout_call(own, symbol, why)
			 : edit(own, press, symbol, why);
}

static void the_rest_of_a_file_stays(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(files); i++) {
		const size_t length = strlen(files[i].before);
		struct lurk_message why = {""};
		char path[128];
		struct lurk_own_layout *own;
		const char *seen;
		size_t unused;

		snprintf(path, sizeof path, "%s/symbols/reedbed", folder);
		assert_true(lurk_file_write(path, files[i].before, length, &why));
		own = lurk_own_layout_read(folder, "reedbed", files[i].before, length, &why);
		if (!own != !files[i].press)
			fail_msg("%s: %s", files[i].before, why.text);
		seen = why.text;
		if (own && edit_as(own, files[i].press, files[i].symbol, &why) == LURK_OWN_EDITED) {
			assert_int_equal(edit_as(own, files[i].press, files[i].symbol, &why),
					 LURK_OWN_SAME);
			seen = lurk_own_layout_text(own, &unused);
		}
		if (strcmp(seen, files[i].after) && !strstr(seen, files[i].after))
			fail_msg("%s\nbecame: %s", files[i].before, seen);
		lurk_own_layout_close(own);
	}
}

/* Cut anywhere, or with any byte another one, it is a layout or it is refused. */
static void broken_files_are_refused(void **state)
{
	static const char whole[] =
		HEAD "include \"us\" name[Group1] = \"Reed\"; # x\n"
		     "key <AB07> { type[Group1] = \"FOUR_LEVEL\", [ m, { M, N } ] }; };";
	uint64_t seed = 5;

	(void)state;
	for (unsigned long i = 0; i < as_often(40); i++) {
		char *bytes = strdup(whole);
		size_t length = sizeof whole - 1;
		struct lurk_message why = {""};
		struct lurk_own_layout *own;

		if (i % 2)
			length = random_next(&seed) % length;
		else
			bytes[random_next(&seed) % length] =
				"{}[]();<>\"#/\n\0xkb01"[random_next(&seed) % 20];
		own = lurk_own_layout_read(folder, "torn", bytes, length, &why);
		assert_true(own || *why.text);
		if (own)
			edit(own, "KeyM", "✓", &why);
		lurk_own_layout_close(own);
		free(bytes);
	}
}

/* ---- Beginning ------------------------------------------------------------------------------- */

static const struct {
	const char *name, *base, *words, *said;
} beginnings[] = {
	{"reedbed", "Danish", "Reed bed", NULL},
	{"reed_2", "gb", "Röhricht & <Schilf>", NULL},
	{"Reed", "gb", "Reed", "`Reed` is no name for a layout"},
	{"../reed", "gb", "Reed", "is no name for a layout"},
	{"reed(a)", "gb", "Reed", "is no name for a layout"},
	{"", "gb", "Reed", "is no name for a layout"},
	{"de", "gb", "Reed", "the system has a layout, or a part of some, that is called `de`"},
	{"latin", "gb", "Reed",
	 "the system has a layout, or a part of some, that is called `latin`"},
	{"abcdefghijklmnopqrstuvwxyzabcdef", "gb", "Reed", "is no name for a layout"},
	{"reed", "gb", "say \"Reed\"", "what menus call it"},
	{"reed", "gb", "Reed\nbed", "what menus call it"},
	{"reed", "gb", "", "what menus call it"},
	{"reed", "gb", "English (UK)", "gb is called \"English (UK)\" already"},
	{"reed", "qx", "Reed", "there is no layout `qx`"},
	{"reed", "de:qx", "Reed", "there is no layout `de:qx`"},
};

static void names_are_looked_at(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(beginnings); i++) {
		struct lurk_message why = {""};
		struct lurk_own_layout *own = lurk_own_layout_begin(
			folder, beginnings[i].name, beginnings[i].base, beginnings[i].words, &why);

		if (!own != (beginnings[i].said != NULL) ||
		    (!own && !strstr(why.text, beginnings[i].said)))
			fail_msg("%s from %s: %s", beginnings[i].name, beginnings[i].base,
				 why.text);
		if (own)
			assert_string_equal(lurk_own_layout_words(own), beginnings[i].words);
		lurk_own_layout_close(own);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(one_line_changes),
		cmocka_unit_test(the_rest_of_a_file_stays),
		cmocka_unit_test(broken_files_are_refused),
		cmocka_unit_test(names_are_looked_at),
		cmocka_unit_test(every_layout_can_be_begun_from),
		cmocka_unit_test(nothing_can_be_begun_from),
	};

	make_folder(folder);
	return cmocka_run_group_tests_name("own layouts", tests, NULL, NULL);
}
