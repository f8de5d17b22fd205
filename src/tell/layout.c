#include "tell/layout.h"

#include <stdio.h>
#include <string.h>

#include "tell/json.h"

static const char *const from_words[] = {
	[LURK_LAYOUT_UNKNOWN] = NULL,       [LURK_LAYOUT_OF_PROFILE] = "profile",
	[LURK_LAYOUT_OF_DESK] = "desk",     [LURK_LAYOUT_OF_SESSION] = "session",
	[LURK_LAYOUT_OF_SYSTEM] = "system",
};

const char *tell_layouts_in_turn(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT])
{
	struct lurk_layout *one;

	*out = '\0';
	for (unsigned i = 0; (one = lurk_layout_in_turn(choice, i)); i++)
		snprintf(out + strlen(out), TELL_LAYOUT - strlen(out), "%s%s",
			 !i                                   ? ""
			 : lurk_layout_in_turn(choice, i + 1) ? ", "
							      : " and ",
			 lurk_layout_name(one));
	return out;
}

/* After its name: who says so. */
static const char *who_says(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT])
{
	switch (choice->from) {
	case LURK_LAYOUT_OF_PROFILE:
		return "which the profile says";
	case LURK_LAYOUT_OF_DESK:
		return "which the desk has";
	case LURK_LAYOUT_OF_SESSION:
		snprintf(out, TELL_LAYOUT,
			 choice->active_known && choice->count > 1
				 ? "which is active in this %s session"
			 : choice->count > 1 ? "the first of this %s session"
					     : "which this %s session has",
			 choice->source);
		return out;
	default:
		snprintf(out, TELL_LAYOUT,
			 choice->count > 1 ? "the first that %s says" : "which %s says",
			 choice->source ? choice->source : "");
		return out;
	}
}

const char *tell_layout(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT])
{
	struct lurk_layout *layout = lurk_layout_chosen(choice);
	const bool follows = choice->characters.each && choice->count > 1;
	char by[TELL_LAYOUT], all[TELL_LAYOUT];

	if (!layout) {
		snprintf(out, TELL_LAYOUT,
			 "No layout is known, so characters and texts are not looked at: `layout: "
			 "gb`, say, in the profile tells.");
		return out;
	}
	snprintf(out, TELL_LAYOUT, "%s are those of the layout %s (%s), %s.",
		 follows ? "Characters" : "Characters and texts", lurk_layout_name(layout),
		 lurk_layout_words(layout), who_says(choice, by));
	if (follows)
		snprintf(out + strlen(out), TELL_LAYOUT - strlen(out),
			 " Texts are typed in whichever of %s is active.",
			 tell_layouts_in_turn(choice, all));
	return out;
}

struct lurk_chosen_layout *tell_layout_of(const struct lurk_workspace *ws)
{
	return (struct lurk_chosen_layout *)(uintptr_t)&ws->layout;
}

/* "de (German)" where the number is that of one in turn. */
static bool name_active(struct lurk_chosen_layout *choice, uint32_t number, char out[TELL_LAYOUT])
{
	struct lurk_layout *one;

	*out = '\0';
	for (unsigned i = 0; (one = lurk_layout_in_turn(choice, i)); i++) {
		if (lurk_layout_number_of(one) == number)
			snprintf(out, TELL_LAYOUT, "%s (%s)", lurk_layout_name(one),
				 lurk_layout_words(one));
	}
	return *out;
}

const char *tell_texts(const struct lurk_machine *machine, const struct lurk_workspace *ws,
		       char out[TELL_LAYOUT])
{
	struct lurk_chosen_layout *choice = tell_layout_of(ws);
	const enum lurk_texts texts = lurk_texts_of(machine->image, machine->layout);
	char name[TELL_LAYOUT], source[TELL_LAYOUT];

	*out = '\0';
	switch (texts) {
	case LURK_TEXTS_FOLLOW:
	case LURK_TEXTS_LACK:
		if (name_active(choice, machine->layout, name))
			snprintf(out, TELL_LAYOUT,
				 "Texts follow the layout that is active: now %.100s%s", name,
				 texts == LURK_TEXTS_LACK
					 ? ", which has no keys for some: `lurk check`."
					 : ".");
		break;
	case LURK_TEXTS_UNMADE:
		name_active(choice, machine->layout, name);
		snprintf(out, TELL_LAYOUT,
			 "Texts type nothing in the layout that is active now%s%.100s, which they "
			 "were not "
			 "made for: `lurk apply` makes them.",
			 *name ? ", " : "", name);
		break;
	case LURK_TEXTS_ASSUMED:
		if (lurk_layout_chosen(choice))
			snprintf(out, TELL_LAYOUT,
				 "Texts are typed as in the layout %s%.100s: nobody tells the "
				 "service which is "
				 "active.",
				 choice->name, tell_layout_source(choice, source));
		break;
	default:
		break;
	}
	return out;
}

const char *tell_layout_source(struct lurk_chosen_layout *choice, char out[TELL_LAYOUT])
{
	char by[TELL_LAYOUT];

	*out = '\0';
	lurk_layout_chosen(choice);
	if (choice->from == LURK_LAYOUT_OF_SESSION || choice->from == LURK_LAYOUT_OF_SYSTEM)
		snprintf(out, TELL_LAYOUT, ", %.200s", who_says(choice, by));
	return out;
}

void tell_put_texts(struct json_object *object, const struct lurk_machine *machine)
{
	static const char *const words[] = {"none", "follow", "lack", "unmade", "assumed"};

	tell_put_text(object, "texts", words[lurk_texts_of(machine->image, machine->layout)]);
}

void tell_put_layout(struct json_object *object, struct lurk_chosen_layout *choice)
{
	struct lurk_layout *layout = lurk_layout_chosen(choice);
	struct json_object *all = json_object_new_array();

	tell_put_text(object, "layout", layout ? lurk_layout_name(layout) : NULL);
	tell_put_text(object, "layout_from", layout ? from_words[choice->from] : NULL);
	for (unsigned i = 0; (layout = lurk_layout_in_turn(choice, i)); i++)
		json_object_array_add(all, json_object_new_string(lurk_layout_name(layout)));
	json_object_object_add(object, "layouts", all);
	json_object_object_add(object, "layout_assumed",
			       json_object_new_boolean(lurk_layout_is_assumed(choice)));
}
