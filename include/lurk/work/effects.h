/* What rules amount to: what every key gives. */
#ifndef LURK_INCLUDE_WORK_EFFECTS_H
#define LURK_INCLUDE_WORK_EFFECTS_H

#include "lurk/declare.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

/* On one keyboard, under the profile as it stands in the file. */
struct lurk_effects {
	lurk_key gives[LURK_KEY_COUNT];
	bool more[LURK_KEY_COUNT]; /* more than a key */
};

/* `keyboard` as in a rule: 0 is any keyboard, taken to be of full size. `machine` may be NULL.
 * False where the rules cannot be carried out. */
bool lurk_effects_of(const struct lurk_workspace *ws, const struct lurk_machine *machine,
		     uint16_t keyboard, struct lurk_effects *effects);

/* The keymap of an image's first profile for a described keyboard (0: none), to be released; NULL
 * where it cannot be carried out. */
struct lurk_keymap *lurk_keymap_of(const struct lurk_image *image, uint16_t described,
				   uint8_t wiring);

/* Keys that any keyboard of full size has. */
bool lurk_on_a_full_keyboard(lurk_key key);
/* Whether a described keyboard (0: none) has it broken or missing. */
bool lurk_out_of_order(const struct lurk_keyboards_file *keyboards, uint16_t keyboard,
		       lurk_key key);

LURK_END_C

#endif
