/* The text of a layout that types what an LDML keyboard does. */
#include <string.h>

#include "layout/ldml.h"
#include "lurk/text/memory.h"

/* XKB's ways in which modifiers choose, as they are in a keymap with AltRight: the level of each
 * layer, and whether Caps Lock makes capitals of letters there. */
static const struct {
	const char *name;
	unsigned levels, level[LDML_LAYERS], capitals; /* the last by bits of the layers */
} types[] = {
	{"TWO_LEVEL", 2, {0, 1, 0, 1, 0, 1, 0, 1}, 0xf0},
	{"ALPHABETIC", 2, {0, 1, 0, 1, 1, 0, 1, 0}, 0},
	{"FOUR_LEVEL", 4, {0, 1, 2, 3, 0, 1, 2, 3}, 0xf0},
	{"FOUR_LEVEL_SEMIALPHABETIC", 4, {0, 1, 2, 3, 1, 0, 2, 3}, 0xc0},
	{"FOUR_LEVEL_ALPHABETIC", 4, {0, 1, 2, 3, 1, 0, 3, 2}, 0},
	{"FOUR_LEVEL_PLUS_LOCK", 5, {0, 1, 2, 3, 4, 1, 2, 3}, 0},
};

static uint32_t layer_symbol(unsigned type, unsigned layer, const uint32_t levels[5])
{
	const uint32_t symbol = levels[types[type].level[layer]];

	return types[type].capitals >> layer & 1 ? xkb_keysym_to_upper(symbol) : symbol;
}

/* The first way in which the key types what it shall; -1 for none. */
static int type_of(const struct ldml_layers *l, const uint32_t wanted[LDML_LAYERS], bool third,
		   uint32_t levels[5])
{
	memcpy(levels, wanted, LDML_CAPS * sizeof *levels);
	levels[4] = wanted[LDML_CAPS];
	for (unsigned type = 0; type < sizeof types / sizeof *types; type++) {
		bool fine = true;

		for (unsigned i = 0; i < LDML_LAYERS && fine; i++)
			fine = (!third && i % LDML_CAPS > 1) || !l->has[i] ||
			       layer_symbol(type, i, levels) == wanted[i];
		if (fine)
			return (int)type;
	}
	return -1;
}

static char *key_line(const struct ldml_layers *l, unsigned row, unsigned at, bool third,
		      lurk_left_out *left, void *data)
{
	const uint32_t *wanted = l->types[row][at];
	const char *name = l->form->rows[row].names[at];
	const bool caps = l->has[LDML_CAPS] || l->has[LDML_CAPS + 1];
	struct lurk_row line = {.levels = third ? 4 : 2};
	uint32_t levels[5];
	int type = caps ? type_of(l, wanted, third, levels) : -1;

	if (caps && type < 0)
		ldml_leave_out(left, data, "what %s types with Caps Lock on",
			       lurk_key_name(l->form->rows[row].keys[at]));
	if (type >= 0)
		line.levels = types[type].levels;
	for (unsigned i = 0; i < line.levels; i++) {
		line.level[i].count = 1;
		line.level[i].syms[0] = i < LDML_CAPS ? wanted[i] : levels[i];
		if (!line.level[i].syms[0])
			line.level[i].syms[0] = LURK_SYMBOL_NOTHING;
	}
	return lurk_row_write(name, &line, type >= 0 ? types[type].name : NULL);
}

/* Layers that the file does not have type what the plain one does. */
static void fill_layers(struct ldml_layers *l)
{
	for (unsigned row = 0; row < LDML_ROWS; row++) {
		for (unsigned at = 0; l->form->rows[row].names[at]; at++) {
			uint32_t *all = l->types[row][at];

			for (unsigned i = 1; i < LDML_CAPS; i++)
				all[i] = l->has[i] ? all[i] : i == 3 ? all[2] : all[0];
		}
	}
}

char *ldml_symbols(struct ldml_layers *l, const char *words, lurk_left_out *left, void *data)
{
	const bool third = l->has[2] || l->has[3];
	char *text = lurk_print("default partial alphanumeric_keys\n"
				"xkb_symbols \"basic\" {\n"
				"    include \"us\"\n"
				"%s"
				"    name[Group1] = \"%s\";\n",
				third ? "    include \"level3(ralt_switch)\"\n" : "", words),
	     *more;

	fill_layers(l);
	for (unsigned row = 0; row < LDML_ROWS; row++) {
		for (unsigned at = 0; l->form->rows[row].names[at]; at++) {
			char *line = key_line(l, row, at, third, left, data);

			more = lurk_print("%s    %s\n", text, line);
			lurk_release(line);
			lurk_release(text);
			text = more;
		}
	}
	more = lurk_print("%s};\n", text);
	lurk_release(text);
	return more;
}
