/* What a layout of one's own takes away, and what in it leads nowhere. */
#include <stdlib.h>
#include <string.h>

#include "layout/own_file.h"
#include "layout/rows.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

enum {
	LAST_CODE = LURK_KEY_MAX + LURK_KEYCODE_OFFSET,
	SEEN = 1024,
	TYPED = LURK_KEY_COUNT * LURK_COMBINATIONS
};

struct check {
	struct lurk_own_layout *own;
	void (*tell)(void *data, const struct lurk_own_layout_finding *finding);
	void *data;
	unsigned count;
	bool third;          /* AltRight chooses signs */
	uint32_t lost[SEEN]; /* told already */
	unsigned lost_count;
	uint32_t typed[TYPED]; /* by its keys, in order */
	unsigned typed_count;
	xkb_keycode_t changed[LAST_CODE]; /* keys that differ from the base's */
	unsigned changed_count;
	uint32_t first; /* of its sequences */
};

static void add(struct check *check, const struct lurk_own_layout_finding *finding)
{
	check->count++;
	if (check->tell)
		check->tell(check->data, finding);
}

static void find(struct check *check, enum lurk_own_layout_fault fault, xkb_keycode_t code,
		 unsigned combination, uint32_t symbol)
{
	const struct lurk_own_layout_finding finding = {
		.fault = (uint8_t)fault,
		.needed = fault == LURK_OWN_LOST && symbol > ' ' && symbol < 0x7f,
		.key = (lurk_key)(code - LURK_KEYCODE_OFFSET),
		.modifiers = lurk_combinations[combination],
		.symbol = symbol};

	add(check, &finding);
}

/* ---- What is lost ---------------------------------------------------------------------------- */

static int by_number(const void *a, const void *b)
{
	const uint32_t one = *(const uint32_t *)a, other = *(const uint32_t *)b;

	return (one > other) - (one < other);
}

static void list_typed(struct check *check)
{
	for (xkb_keycode_t code = LURK_KEYCODE_OFFSET + 1; code <= LAST_CODE; code++) {
		for (unsigned i = 0; xkb_keymap_key_get_name(check->own->layout->keymap, code) &&
				     i < LURK_COMBINATIONS;
		     i++)
			check->typed[check->typed_count++] =
				lurk_symbol_with(check->own->layout, code, lurk_combinations[i]);
	}
	qsort(check->typed, check->typed_count, sizeof *check->typed, by_number);
}

/* By a key, or for a character by several one after the other. */
static bool types_still(const struct check *check, uint32_t symbol)
{
	const uint32_t c = xkb_keysym_to_utf32(symbol);

	return bsearch(&symbol, check->typed, check->typed_count, sizeof symbol, by_number) ||
	       (c && lurk_layout_gives(check->own->layout, c));
}

static bool is_told(struct check *check, uint32_t symbol)
{
	for (unsigned i = 0; i < check->lost_count; i++) {
		if (check->lost[i] == symbol)
			return true;
	}
	if (check->lost_count < SEEN)
		check->lost[check->lost_count++] = symbol;
	return false;
}

static void look_for_lost(struct check *check, xkb_keycode_t code)
{
	for (unsigned i = 0; i < LURK_COMBINATIONS; i++) {
		const uint32_t was = lurk_symbol_with(check->own->base, code, lurk_combinations[i]);

		if (was && !lurk_symbol_is_modifier(was) && !types_still(check, was) &&
		    !is_told(check, was))
			find(check, LURK_OWN_LOST, code, i, was);
	}
}

/* One that begins from nothing loses nothing; what it has to have by itself is told once. */
static void look_for_missing(struct check *check)
{
	struct lurk_own_layout_finding finding = {.fault = LURK_OWN_MISSING, .needed = true};

	for (uint32_t c = '!'; c <= '~'; c++) {
		if (types_still(check, c))
			continue;
		if (finding.symbol)
			finding.more++;
		else
			finding.symbol = c;
	}
	if (finding.symbol)
		add(check, &finding);
}

/* ---- What leads nowhere ---------------------------------------------------------------------- */

/* A dead key that begins no sequence. */
static bool is_dead_end(struct lurk_layout *layout, uint32_t symbol)
{
	struct xkb_compose_state *sequence =
		lurk_symbol_is_dead(symbol) ? lurk_layout_sequences(layout) : NULL;
	bool nowhere = false;

	if (sequence) {
		xkb_compose_state_feed(sequence, symbol);
		nowhere = xkb_compose_state_get_status(sequence) != XKB_COMPOSE_COMPOSING;
	}
	xkb_compose_state_unref(sequence);
	return nowhere;
}

/* A small letter whose capital is neither with Shift nor on another key. */
static void look_at_capital(struct check *check, xkb_keycode_t code)
{
	const uint32_t small = lurk_symbol_with(check->own->layout, code, 0);
	const uint32_t with_shift = lurk_symbol_with(check->own->layout, code, LURK_MOD_SHIFT);
	const uint32_t c = xkb_keysym_to_utf32(small);
	const uint32_t capital = c ? (uint32_t)lurk_utf8_upper((wchar_t)c) : 0;

	if (capital != c && xkb_keysym_to_utf32(with_shift) != capital &&
	    !types_still(check, xkb_utf32_to_keysym(capital)))
		find(check, LURK_OWN_NO_CAPITAL, code, 1, xkb_utf32_to_keysym(capital));
}

/* The kernel has characters below U+F000 on its keys, console-setup these dead keys, counted from
 * XKB's first, and of the keys that type nothing these. */
static bool is_on_console(uint32_t symbol)
{
	enum { CHARACTERS = 0xf000, FIRST_DEAD = 0xfe50 };
	static const uint32_t dead = 0x3fffU | 0xfU << 16 | 1U << 22 | 7U << 29;
	static const uint32_t keys[][2] = {
		{XKB_KEY_ISO_Left_Tab, XKB_KEY_ISO_Left_Tab},
		{XKB_KEY_Pause, XKB_KEY_Sys_Req},
		{XKB_KEY_Multi_key, XKB_KEY_Multi_key},
		{XKB_KEY_Home, XKB_KEY_End},
		{XKB_KEY_Select, XKB_KEY_Print},
		{XKB_KEY_Insert, XKB_KEY_Insert},
		{XKB_KEY_Help, XKB_KEY_Break},
		{XKB_KEY_KP_Space, XKB_KEY_KP_End},
		{XKB_KEY_KP_Insert, XKB_KEY_KP_Insert},
		{XKB_KEY_KP_Multiply, XKB_KEY_F35},
	};
	const uint32_t c = xkb_keysym_to_utf32(symbol);

	if (lurk_symbol_is_dead(symbol))
		return symbol - FIRST_DEAD < 32 && dead >> (symbol - FIRST_DEAD) & 1;
	for (size_t i = 0; i < sizeof keys / sizeof *keys; i++) {
		if (symbol >= keys[i][0] && symbol <= keys[i][1])
			return true;
	}
	return c ? c < CHARACTERS : lurk_symbol_is_modifier(symbol);
}

static void look_at_console(struct check *check, xkb_keycode_t code)
{
	for (unsigned i = 0; i < LURK_COMBINATIONS; i++) {
		const uint32_t now =
			lurk_symbol_with(check->own->layout, code, lurk_combinations[i]);

		if (now && !is_on_console(now) &&
		    now != lurk_symbol_with(check->own->base, code, lurk_combinations[i]) &&
		    !is_told(check, now))
			find(check, LURK_OWN_NOT_ON_CONSOLE, code, i, now);
	}
}

static void look_at_key(struct check *check, xkb_keycode_t code)
{
	struct lurk_row row;

	look_for_lost(check, code);
	look_at_capital(check, code);
	for (unsigned i = 0; i < LURK_COMBINATIONS; i++) {
		const uint32_t now =
			lurk_symbol_with(check->own->layout, code, lurk_combinations[i]);

		if (is_dead_end(check->own->layout, now) && !is_told(check, now))
			find(check, LURK_OWN_DEAD_END, code, i, now);
	}
	lurk_row_of(check->own->layout, code, &row);
	for (unsigned i = 2; !check->third && i < row.levels && i < LURK_COMBINATIONS; i++) {
		if (row.level[i].count && row.level[i].syms[0] != LURK_SYMBOL_NOTHING)
			find(check, LURK_OWN_UNREACHED, code, i, row.level[i].syms[0]);
	}
}

static void list_changed(struct check *check)
{
	const struct lurk_own_layout *own = check->own;

	for (xkb_keycode_t code = LURK_KEYCODE_OFFSET + 1; own->base && code <= LAST_CODE; code++) {
		if (!lurk_row_same(own->base->keymap, own->layout->keymap, code))
			check->changed[check->changed_count++] = code;
	}
}

/* Sequences that no key begins. */
static void look_at_first(void *data, uint32_t first)
{
	struct check *check = data;

	if (!bsearch(&first, check->typed, check->typed_count, sizeof first, by_number) &&
	    !is_told(check, first))
		find(check, LURK_OWN_UNBEGUN, LURK_KEYCODE_OFFSET, 0, first);
	check->first = check->first ? check->first : first;
}

unsigned lurk_own_layout_judge(struct lurk_own_layout *own,
			       void (*tell)(void *data,
					    const struct lurk_own_layout_finding *finding),
			       void *data)
{
	struct check *check = lurk_allocate(1, sizeof *check);
	unsigned count;

	check->own = own;
	check->tell = tell;
	check->data = data;
	check->third = lurk_layout_has_third(own->layout);
	list_typed(check);
	if (own->base && !strcmp(own->base->name, LURK_LAYOUT_EMPTY))
		look_for_missing(check);
	list_changed(check);
	for (unsigned i = 0; i < check->changed_count; i++)
		look_at_key(check, check->changed[i]);
	for (unsigned i = 0; i < check->changed_count; i++)
		look_at_console(check, check->changed[i]);
	lurk_own_layout_firsts(own, look_at_first, check);
	if (check->first)
		find(check, LURK_OWN_NOT_COMPOSED, LURK_KEYCODE_OFFSET, 0, check->first);
	count = check->count;
	lurk_release(check);
	return count;
}
