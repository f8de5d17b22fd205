#include "agent/display.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

void display_active(struct display *display, int active)
{
	const int now = active < (int)display->count ? active : DISPLAY_UNKNOWN;

	if (display->active == now && !display->fresh)
		return;
	display->active = now;
	display->fresh = false;
	if (display->changed)
		display->changed(display->data);
}

void display_keymap(struct display *display, struct xkb_keymap *keymap)
{
	const unsigned count = xkb_keymap_num_layouts(keymap);

	free(display->keymap);
	display->keymap = xkb_keymap_get_as_string(keymap, XKB_KEYMAP_FORMAT_TEXT_V1);
	display->count = count < DISPLAY_LAYOUTS ? count : DISPLAY_LAYOUTS;
	for (unsigned i = 0; i < display->count; i++) {
		const char *words = xkb_keymap_layout_get_name(keymap, i);

		snprintf(display->words[i], DISPLAY_WORDS, "%s", words ? words : "");
	}
	display->fresh = true;
	xkb_keymap_unref(keymap);
}
