#include "tell/layout.h"

#include <stdio.h>

#include "tell/json.h"

static const struct {
	const char *word, *says;
} from_words[] = {
	[LURK_LAYOUT_UNKNOWN] = {NULL, ""},
	[LURK_LAYOUT_OF_PROFILE] = {"profile", "the profile says"},
	[LURK_LAYOUT_OF_DESK] = {"desk", "the desk has"},
	[LURK_LAYOUT_OF_SYSTEM] = {"system", "/etc/default/keyboard says"},
};

const char *tell_layout(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT])
{
	struct lurk_layout *layout = lurk_layout_chosen(choice);

	if (layout)
		snprintf(out, TELL_LAYOUT,
			 "Characters and texts are those of the layout %s (%s), which %s.",
			 lurk_layout_name(layout), lurk_layout_words(layout),
			 from_words[choice->from].says);
	else
		snprintf(out, TELL_LAYOUT,
			 "No layout is known, so characters and texts are not looked at: `layout: "
			 "gb`, say, in the profile tells.");
	return out;
}

void tell_put_layout(struct json_object *object, struct lurk_chosen_layout *choice)
{
	struct lurk_layout *layout = lurk_layout_chosen(choice);

	tell_put_text(object, "layout", layout ? lurk_layout_name(layout) : NULL);
	tell_put_text(object, "layout_from", layout ? from_words[choice->from].word : NULL);
}
