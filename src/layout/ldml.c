/* The keys that LDML keyboards have, and what they type in a layout; what is left out. */
#include "layout/ldml.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define ROW_E                                                            \
	{                                                                \
		{"TLDE", "AE01", "AE02", "AE03", "AE04", "AE05", "AE06", \
		 "AE07", "AE08", "AE09", "AE10", "AE11", "AE12", NULL},  \
		{                                                        \
			41, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13       \
		}                                                        \
	}
#define ROW_D                                                            \
	{                                                                \
		{"AD01", "AD02", "AD03", "AD04", "AD05", "AD06", "AD07", \
		 "AD08", "AD09", "AD10", "AD11", "AD12", NULL},          \
		{                                                        \
			16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27   \
		}                                                        \
	}
#define ROW_C                                                            \
	{                                                                \
		{"AC01", "AC02", "AC03", "AC04", "AC05", "AC06", "AC07", \
		 "AC08", "AC09", "AC10", "AC11", "BKSL", NULL},          \
		{                                                        \
			30, 31, 32, 33, 34, 35, 36, 37, 38, 39, 40, 43   \
		}                                                        \
	}
#define ROW_SPACE               \
	{                       \
		{"SPCE", NULL}, \
		{               \
			57      \
		}               \
	}

/* UTS #35, part 7: scanCodes-implied.xml; Linux's codes of keys are those of set 1 here, but for
 * the two that only Japanese keyboards have. */
static const struct ldml_form forms[] = {
	{"iso",
	 {ROW_E,
	  ROW_D,
	  ROW_C,
	  {{"LSGT", "AB01", "AB02", "AB03", "AB04", "AB05", "AB06", "AB07", "AB08", "AB09", "AB10",
	    NULL},
	   {86, 44, 45, 46, 47, 48, 49, 50, 51, 52, 53}},
	  ROW_SPACE}},
	{"us",
	 {ROW_E,
	  {{"AD01", "AD02", "AD03", "AD04", "AD05", "AD06", "AD07", "AD08", "AD09", "AD10", "AD11",
	    "AD12", "BKSL", NULL},
	   {16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 43}},
	  {{"AC01", "AC02", "AC03", "AC04", "AC05", "AC06", "AC07", "AC08", "AC09", "AC10", "AC11",
	    NULL},
	   {30, 31, 32, 33, 34, 35, 36, 37, 38, 39, 40}},
	  {{"AB01", "AB02", "AB03", "AB04", "AB05", "AB06", "AB07", "AB08", "AB09", "AB10", NULL},
	   {44, 45, 46, 47, 48, 49, 50, 51, 52, 53}},
	  ROW_SPACE}},
	{"jis",
	 {{{"AE01", "AE02", "AE03", "AE04", "AE05", "AE06", "AE07", "AE08", "AE09", "AE10", "AE11",
	    "AE12", "AE13", NULL},
	   {2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 124}},
	  ROW_D,
	  ROW_C,
	  {{"AB01", "AB02", "AB03", "AB04", "AB05", "AB06", "AB07", "AB08", "AB09", "AB10", "AB11",
	    NULL},
	   {44, 45, 46, 47, 48, 49, 50, 51, 52, 53, 89}},
	  ROW_SPACE}},
};

const struct ldml_form *ldml_form(const char *id)
{
	for (size_t i = 0; i < sizeof forms / sizeof *forms; i++) {
		if (!strcmp(forms[i].id, id))
			return &forms[i];
	}
	return NULL;
}

void ldml_leave_out(lurk_left_out *left, void *data, const char *format, ...)
{
	char sentence[256];
	va_list args;

	va_start(args, format);
	vsnprintf(sentence, sizeof sentence, format, args);
	va_end(args);
	lurk_make_harmless(sentence);
	left(data, sentence);
}

void ldml_types(struct lurk_layout *layout, lurk_key key, uint32_t symbols[LDML_LAYERS])
{
	const xkb_keycode_t code = (xkb_keycode_t)key + LURK_KEYCODE_OFFSET;
	const xkb_mod_mask_t lock = 1U
				    << xkb_keymap_mod_get_index(layout->keymap, XKB_MOD_NAME_CAPS);

	for (unsigned i = 0; i < LDML_LAYERS; i++) {
		struct xkb_state *state = lurk_typing_state(layout->keymap, layout->group);
		xkb_keysym_t symbol;

		if (!state)
			abort();
		xkb_state_update_mask(
			state, lurk_layout_mask(layout->keymap, lurk_combinations[i % LDML_CAPS]),
			0, i < LDML_CAPS ? 0 : lock, 0, 0, layout->group);
		symbol = xkb_state_key_get_one_sym(state, code);
		symbols[i] = symbol == LURK_SYMBOL_NOTHING ? 0 : symbol;
		xkb_state_unref(state);
	}
}
