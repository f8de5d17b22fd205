/*
 * What the files of this room share.
 *
 *     layout.c      which characters keys give
 *     typing.c      which strokes give a character
 *     compose.c     what comes after dead keys
 *     registry.c    what layouts are called
 *     own_file.h    layouts of one's own, a family by themselves
 *     ldml.h        and the form that other systems read
 */
#ifndef LURK_LAYOUT_PARTS_H
#define LURK_LAYOUT_PARTS_H

#include "layout/typing.h"

/* X11 counts keys from 8. */
enum { LURK_KEYCODE_OFFSET = 8 };

/* Asked for again and again where rules are listed. */
struct lurk_known_legend {
	char legend[LURK_LEGEND];
	bool known, dead;
};

struct lurk_layout {
	struct xkb_context *context;
	struct xkb_keymap *keymap;
	struct xkb_state *state;
	struct lurk_typing_table *typing;
	struct xkb_compose_table *compose;  /* read when first asked for */
	struct xkb_compose_state *sequence; /* made when a dead key is pressed */
	struct lurk_known_legend *legends;  /* four a key, by Shift and AltRight; NULL for none */
	char *lines;                        /* of a Compose file, beside the locale's; or NULL */
	xkb_layout_index_t group;           /* of the keymap's */
	char name[64], words[96];           /* looked up when first asked for */
};

/* A dead key, as X11 numbers them. */
static inline bool lurk_symbol_is_dead(xkb_keysym_t symbol)
{
	enum { FIRST = 0xfe50, LAST = 0xfe9f };

	return symbol >= FIRST && symbol <= LAST;
}

/* Not spaces and control characters, nor those that only steer text (Unicode's category Cf). */
static inline bool lurk_is_printed(uint32_t c)
{
	return c > ' ' && !(c >= 0x7f && c <= 0xa0) && c != 0xad && c != 0x61c &&
	       !(c >= 0x2000 && c <= 0x200f) && !(c >= 0x2028 && c <= 0x202f) &&
	       !(c >= 0x205f && c <= 0x206f) && c != 0xfeff;
}

/* One that says nothing by itself; NULL without memory. */
struct xkb_context *lurk_layout_context(void);

/* Where the system's own files are, of a context with the usual paths: its last. */
static inline const char *lurk_layout_system_folder(struct xkb_context *usual)
{
	const unsigned count = xkb_context_num_include_paths(usual);

	return count ? xkb_context_include_path_get(usual, count - 1) : "/";
}

/* Shift and AltRight, of LURK_MOD_…, as the keymap has them. */
xkb_mod_mask_t lurk_layout_mask(struct xkb_keymap *keymap, uint16_t modifiers);

/* Whether any strokes give the character. */
bool lurk_layout_gives(struct lurk_layout *layout, uint32_t codepoint);

/* What comes after its dead keys is what these lines say as well. */
void lurk_layout_compose(struct lurk_layout *layout, const char *lines);

/* A state of its own for sequences with dead keys, to be freed; NULL where none are known. */
struct xkb_compose_state *lurk_layout_sequences(struct lurk_layout *layout);

/* NAME or NAME:VARIANT; NULL where there is none. */
struct xkb_keymap *lurk_layout_keymap(struct xkb_context *context, const char *name,
				      const char *options);

/* One of a keymap's; it holds the keymap and the context by itself. */
struct lurk_layout *lurk_layout_of(struct xkb_context *context, struct xkb_keymap *keymap,
				   xkb_layout_index_t group);

/* Which of a key's own layouts is meant: many keys have one for all. */
xkb_layout_index_t lurk_layout_group_of(const struct lurk_layout *layout, xkb_keycode_t code);

#endif
