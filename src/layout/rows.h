/* What keys type, level by level, and the line of a symbols file that says so. */
#ifndef LURK_LAYOUT_ROWS_H
#define LURK_LAYOUT_ROWS_H

#include "layout/parts.h"

/* No modifier, Shift, AltRight, both: in the order of XKB's levels. */
enum { LURK_COMBINATIONS = 4 };
extern const uint16_t lurk_combinations[LURK_COMBINATIONS];

enum { LURK_ROW_LEVELS = 8, LURK_ROW_SYMBOLS = 4 };
struct lurk_row {
	unsigned levels;
	struct {
		unsigned count;
		xkb_keysym_t syms[LURK_ROW_SYMBOLS];
	} level[LURK_ROW_LEVELS];
};

/* What a key types at each of its levels; what it types with each of the first combinations. */
void lurk_row_of(struct lurk_layout *layout, xkb_keycode_t code, struct lurk_row *row);
void lurk_row_of_combinations(struct lurk_layout *layout, xkb_keycode_t code, unsigned levels,
			      struct lurk_row *row);

/* The statement of the key with that name; `type` is NULL where it follows from the symbols. To be
 * freed. */
char *lurk_row_write(const char *key, const struct lurk_row *row, const char *type);

/* The same of a key of a layout, with what it does to modifiers. */
char *lurk_row_write_acting(const char *key, struct lurk_layout *layout, xkb_keycode_t code);

/* Which level a key has with these modifiers. */
xkb_level_index_t lurk_level_of(struct lurk_layout *layout, xkb_keycode_t code, uint16_t modifiers);

/* What it types with them; 0 for nothing. */
uint32_t lurk_symbol_with(struct lurk_layout *layout, xkb_keycode_t code, uint16_t modifiers);

/* Whether a key chooses third levels. */
bool lurk_layout_has_third(struct lurk_layout *layout);

/* Whether a key types the same at every level, reached in the same way; the first one that does
 * not, but for two (0 for none): 0 where there is none. */
bool lurk_row_same(struct xkb_keymap *a, struct xkb_keymap *b, xkb_keycode_t code);
xkb_keycode_t lurk_row_first_other(struct xkb_keymap *a, struct xkb_keymap *b, xkb_keycode_t but,
				   xkb_keycode_t nor);

#endif
