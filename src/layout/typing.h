/*
 * Typing: which strokes give a character in a layout, found by pressing every key with every set of
 * modifiers on the library's own state, and by trying the sequences that Compose knows.
 */
#ifndef LURK_LAYOUT_TYPING_H
#define LURK_LAYOUT_TYPING_H

#include <xkbcommon/xkbcommon-compose.h>
#include <xkbcommon/xkbcommon.h>

#include "lurk/layout/layout.h"

struct lurk_typing_table;

/* Whether modifiers are held with which a program takes the key for a command: others than those
 * that choose its level. */
bool lurk_typing_commands(struct xkb_state *state, xkb_keycode_t code);

/* A state in which one of the keymap's layouts is active; NULL without memory. */
struct xkb_state *lurk_typing_state(struct xkb_keymap *keymap, xkb_layout_index_t group);

/* The keymap must live as long. `compose` is what programs compose by, or NULL. */
struct lurk_typing_table *lurk_typing_new(struct xkb_keymap *keymap, xkb_layout_index_t group,
					  struct xkb_compose_table *compose);
void lurk_typing_free(struct lurk_typing_table *table);

/* How many steps type the character, 0 where none do. */
unsigned lurk_typing_find(struct lurk_typing_table *table, uint32_t codepoint,
			  struct lurk_step steps[LURK_LAYOUT_STEPS]);
/* Whether any do. */
bool lurk_typing_gives(struct lurk_typing_table *table, uint32_t codepoint);
/* The key for a name: one step, the keypad's where no other key has it, a dead key where that has
 * it on its cap. */
bool lurk_typing_key(struct lurk_typing_table *table, uint32_t codepoint, struct lurk_step *step);

#endif
