/* What keys type, level by level, and the line of a symbols file that says so. */
#include "layout/rows.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/layout/own.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

enum { MASKS = 16 };

const uint16_t lurk_combinations[LURK_COMBINATIONS] = {0, LURK_MOD_SHIFT, LURK_MOD_RIGHT_ALT,
						       LURK_MOD_SHIFT | LURK_MOD_RIGHT_ALT};

/* A state in which they are held. */
static struct xkb_state *state_with(struct lurk_layout *layout, uint16_t modifiers)
{
	struct xkb_state *state = lurk_typing_state(layout->keymap, layout->group);

	if (!state)
		abort();
	xkb_state_update_mask(state, lurk_layout_mask(layout->keymap, modifiers), 0, 0, 0, 0,
			      layout->group);
	return state;
}

xkb_level_index_t lurk_level_of(struct lurk_layout *layout, xkb_keycode_t code, uint16_t modifiers)
{
	struct xkb_state *state = state_with(layout, modifiers);
	const xkb_level_index_t level =
		xkb_state_key_get_level(state, code, lurk_layout_group_of(layout, code));

	xkb_state_unref(state);
	return level;
}

uint32_t lurk_symbol_with(struct lurk_layout *layout, xkb_keycode_t code, uint16_t modifiers)
{
	struct xkb_state *state = state_with(layout, modifiers);
	const xkb_keysym_t symbol = xkb_state_key_get_one_sym(state, code);

	xkb_state_unref(state);
	return symbol == LURK_SYMBOL_NOTHING ? 0 : symbol;
}

uint32_t lurk_layout_types(struct lurk_layout *layout, lurk_key key, uint16_t modifiers)
{
	return lurk_symbol_with(layout, (xkb_keycode_t)key + LURK_KEYCODE_OFFSET, modifiers);
}

/* Whether a level is reached by the same modifiers and has the same symbols. */
static bool same_level(struct xkb_keymap *a, struct xkb_keymap *b, xkb_keycode_t code,
		       xkb_level_index_t level)
{
	xkb_mod_mask_t masks[2][MASKS];
	const size_t counts[2] = {
		xkb_keymap_key_get_mods_for_level(a, code, 0, level, masks[0], MASKS),
		xkb_keymap_key_get_mods_for_level(b, code, 0, level, masks[1], MASKS)};
	const xkb_keysym_t *syms[2];
	const int n = xkb_keymap_key_get_syms_by_level(a, code, 0, level, &syms[0]);

	return counts[0] == counts[1] && !memcmp(masks[0], masks[1], counts[0] * sizeof **masks) &&
	       n == xkb_keymap_key_get_syms_by_level(b, code, 0, level, &syms[1]) &&
	       (n <= 0 || !memcmp(syms[0], syms[1], (size_t)n * sizeof **syms));
}

/* What is held, latched or locked while a key is down with these held, and after it. */
struct effect {
	xkb_mod_mask_t mods[2][3];
	xkb_layout_index_t layout[2];
};

static void read_effect(struct xkb_keymap *keymap, xkb_keycode_t code, xkb_mod_mask_t held,
			struct effect *effect)
{
	static const enum xkb_state_component parts[] = {
		XKB_STATE_MODS_DEPRESSED, XKB_STATE_MODS_LATCHED, XKB_STATE_MODS_LOCKED};
	struct xkb_state *state = xkb_state_new(keymap);

	if (!state)
		abort();
	memset(effect, 0, sizeof *effect);
	xkb_state_update_mask(state, held, 0, 0, 0, 0, 0);
	for (unsigned up = 0; up < 2; up++) {
		xkb_state_update_key(state, code, up ? XKB_KEY_UP : XKB_KEY_DOWN);
		for (unsigned i = 0; i < 3; i++)
			effect->mods[up][i] = xkb_state_serialize_mods(state, parts[i]);
		effect->layout[up] = xkb_state_serialize_layout(state, XKB_STATE_LAYOUT_EFFECTIVE);
	}
	xkb_state_unref(state);
}

/* The same symbol may do something else, by what the system's rules add for single layouts. A sign
 * does nothing but stand there. */
static bool same_effects(struct xkb_keymap *a, struct xkb_keymap *b, xkb_keycode_t code)
{
	const xkb_level_index_t levels = xkb_keymap_num_levels_for_key(a, code, 0);

	for (xkb_level_index_t level = 0; level < levels; level++) {
		const xkb_keysym_t *syms;
		struct effect effects[2];
		xkb_mod_mask_t held;

		if (xkb_keymap_key_get_syms_by_level(a, code, 0, level, &syms) < 1 ||
		    xkb_keysym_to_utf32(syms[0]) ||
		    !xkb_keymap_key_get_mods_for_level(a, code, 0, level, &held, 1))
			continue;
		read_effect(a, code, held, &effects[0]);
		read_effect(b, code, held, &effects[1]);
		if (memcmp(&effects[0], &effects[1], sizeof *effects) != 0)
			return false;
	}
	return true;
}

bool lurk_row_same(struct xkb_keymap *a, struct xkb_keymap *b, xkb_keycode_t code)
{
	const xkb_layout_index_t groups = xkb_keymap_num_layouts_for_key(a, code);
	const xkb_level_index_t levels = groups ? xkb_keymap_num_levels_for_key(a, code, 0) : 0;

	if (groups != xkb_keymap_num_layouts_for_key(b, code) ||
	    (groups && levels != xkb_keymap_num_levels_for_key(b, code, 0)) ||
	    xkb_keymap_key_repeats(a, code) != xkb_keymap_key_repeats(b, code))
		return false;
	for (xkb_level_index_t level = 0; level < levels; level++) {
		if (!same_level(a, b, code, level))
			return false;
	}
	return !groups || same_effects(a, b, code);
}

xkb_keycode_t lurk_row_first_other(struct xkb_keymap *a, struct xkb_keymap *b, xkb_keycode_t but,
				   xkb_keycode_t nor)
{
	for (xkb_keycode_t code = xkb_keymap_min_keycode(a); code <= xkb_keymap_max_keycode(a);
	     code++) {
		if (code != but && code != nor && !lurk_row_same(a, b, code))
			return code;
	}
	return 0;
}

/* ---- Rows -------------------------------------------------------------------------------------
 */

void lurk_row_of(struct lurk_layout *layout, xkb_keycode_t code, struct lurk_row *row)
{
	const xkb_layout_index_t group = lurk_layout_group_of(layout, code);

	memset(row, 0, sizeof *row);
	row->levels = xkb_keymap_num_levels_for_key(layout->keymap, code, group);
	if (row->levels > LURK_ROW_LEVELS)
		row->levels = LURK_ROW_LEVELS;
	for (unsigned i = 0; i < row->levels; i++) {
		const xkb_keysym_t *syms;
		const int n =
			xkb_keymap_key_get_syms_by_level(layout->keymap, code, group, i, &syms);

		for (int s = 0; s < n && s < LURK_ROW_SYMBOLS; s++)
			row->level[i].syms[row->level[i].count++] = syms[s];
	}
}

void lurk_row_of_combinations(struct lurk_layout *layout, xkb_keycode_t code, unsigned levels,
			      struct lurk_row *row)
{
	memset(row, 0, sizeof *row);
	row->levels = levels;
	for (unsigned i = 0; i < levels; i++) {
		row->level[i].syms[0] = lurk_symbol_with(layout, code, lurk_combinations[i]);
		row->level[i].count = row->level[i].syms[0] != 0;
	}
}

/* NoSymbol leaves what the base has there, which is none. */
static void write_symbols(const struct lurk_row *row, char *out, size_t size)
{
	char name[LURK_SYMBOL];

	for (unsigned i = 0; i < row->levels; i++) {
		const unsigned count = row->level[i].count;

		lurk_append(out, size, i ? ", " : "");
		lurk_append(out, size, count > 1 ? "{ " : count ? "" : "NoSymbol");
		for (unsigned s = 0; s < count; s++) {
			lurk_append(out, size, s ? ", " : "");
			lurk_append(out, size, lurk_symbol_name(row->level[i].syms[s], name));
		}
		lurk_append(out, size, count > 1 ? " }" : "");
	}
}

char *lurk_row_write(const char *key, const struct lurk_row *row, const char *type)
{
	char symbols[1024] = "";

	write_symbols(row, symbols, sizeof symbols);
	if (type)
		return lurk_print("key <%s> { type[Group1] = \"%s\", symbols[Group1] = [ %s ] };",
				  key, type, symbols);
	return lurk_print("key <%s> { [ %s ] };", key, symbols);
}

/* XKB's real modifiers, "Shift+Lock". */
static void write_modifiers(struct xkb_keymap *keymap, xkb_mod_mask_t mask, char *out, size_t size)
{
	bool any = false;

	for (xkb_mod_index_t i = 0; i < 8; i++) {
		if (!(mask >> i & 1))
			continue;
		lurk_append(out, size, any ? "+" : "");
		lurk_append(out, size, xkb_keymap_mod_get_name(keymap, i));
		any = true;
	}
}

/* What it does by what is held, latched and locked then. */
static void write_action(struct xkb_keymap *keymap, xkb_keycode_t code, xkb_level_index_t level,
			 char *out, size_t size)
{
	enum { DEPRESSED, LATCHED, LOCKED };
	static const char *const names[] = {"SetMods", "LatchMods", "LockMods"};
	xkb_mod_mask_t held = 0, mods = 0;
	unsigned does = DEPRESSED;
	struct effect effect;

	xkb_keymap_key_get_mods_for_level(keymap, code, 0, level, &held, 1);
	read_effect(keymap, code, held, &effect);
	for (unsigned i = LATCHED; !mods && i <= LOCKED; i++) {
		mods = effect.mods[1][i];
		does = mods ? i : does;
	}
	mods = mods ? mods : effect.mods[0][DEPRESSED] & ~held;
	lurk_append(out, size, mods ? names[does] : "NoAction");
	lurk_append(out, size, mods ? "(modifiers=" : "(");
	write_modifiers(keymap, mods, out, size);
	lurk_append(out, size, ")");
}

char *lurk_row_write_acting(const char *key, struct lurk_layout *layout, xkb_keycode_t code)
{
	char symbols[1024] = "", actions[1024] = "";
	struct lurk_row row;

	lurk_row_of(layout, code, &row);
	write_symbols(&row, symbols, sizeof symbols);
	for (unsigned i = 0; i < row.levels; i++) {
		lurk_append(actions, sizeof actions, i ? ", " : "");
		write_action(layout->keymap, code, i, actions, sizeof actions);
	}
	/* A key with actions does not repeat unless that is said. */
	return lurk_print(
		"key <%s> { repeat = %s, symbols[Group1] = [ %s ], actions[Group1] = [ %s "
		"] };",
		key, xkb_keymap_key_repeats(layout->keymap, code) ? "yes" : "no", symbols, actions);
}

/* ---- AltRight ---------------------------------------------------------------------------------
 */

static void look_for_third(struct xkb_keymap *keymap, xkb_keycode_t code, void *data)
{
	const char *name = xkb_keymap_key_get_name(keymap, code);
	const xkb_keysym_t *syms;

	/* <LVL3> stands for the modifier, and is on no keyboard. */
	if (name && strcmp(name, "LVL3") != 0 &&
	    xkb_keymap_key_get_syms_by_level(keymap, code, 0, 0, &syms) == 1 &&
	    (syms[0] == XKB_KEY_ISO_Level3_Shift || syms[0] == XKB_KEY_ISO_Level3_Latch ||
	     syms[0] == XKB_KEY_ISO_Level3_Lock))
		*(bool *)data = true;
}

bool lurk_layout_has_third(struct lurk_layout *layout)
{
	bool has = false;

	xkb_keymap_key_for_each(layout->keymap, look_for_third, &has);
	return has;
}
