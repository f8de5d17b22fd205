#include "lurk/work/layouts.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/check.h"
#include "lurk/layout/own.h"
#include "lurk/text/memory.h"
#include "lurk/text/yaml.h"
#include "work/desktop.h"

/* ---- The system's ---------------------------------------------------------------------------- */

/* NAME="value" or NAME=value. */
static void read_setting(const char *line, const char *name, char *out, size_t size)
{
	size_t n = strlen(name);

	if (strncmp(line, name, n) != 0 || line[n] != '=')
		return;
	line += n + 1 + (line[n + 1] == '"');
	snprintf(out, size, "%.*s", (int)strcspn(line, "\"\n"), line);
}

/* The index-th of a list with commas; "" past the end. */
static void take_item(const char *list, unsigned index, char out[32])
{
	for (; index && *list; index--)
		list += strcspn(list, ",") + (list[strcspn(list, ",")] == ',');
	snprintf(out, 32, "%.*s", (int)strcspn(list, ","), list);
}

static bool read_system(struct lurk_chosen_layout *choice, const char *path)
{
	FILE *file = fopen(path, "r");
	char line[256], layouts[128] = "", variants[128] = "";

	while (file && fgets(line, sizeof line, file)) {
		read_setting(line, "XKBLAYOUT", layouts, sizeof layouts);
		read_setting(line, "XKBVARIANT", variants, sizeof variants);
		read_setting(line, "XKBOPTIONS", choice->options, sizeof choice->options);
	}
	if (file)
		fclose(file);
	for (choice->count = 0; choice->count < LURK_LAYOUTS_IN_TURN; choice->count++) {
		char layout[32], variant[32];

		take_item(layouts, choice->count, layout);
		take_item(variants, choice->count, variant);
		if (!*layout)
			break;
		snprintf(choice->in_turn[choice->count], sizeof *choice->in_turn, "%s%s%s", layout,
			 *variant ? ":" : "", variant);
	}
	choice->source = path;
	return choice->count;
}

/* As Debian keeps it, or as systemd does; of several the first. */
static void system_layout(struct lurk_chosen_layout *choice)
{
	if (!read_system(choice, "/etc/default/keyboard"))
		read_system(choice, "/etc/vconsole.conf");
	snprintf(choice->name, sizeof choice->name, "%s", choice->in_turn[0]);
}

/* ---- Opening --------------------------------------------------------------------------------- */

/* The session's go before what the system was set up with. */
static void ask_session(struct lurk_chosen_layout *choice)
{
	struct lurk_desktop_layouts session;

	if (!choice->asks_session || !lurk_desktop_layouts(&session))
		return;
	choice->from = LURK_LAYOUT_OF_SESSION;
	choice->source = session.wayland ? "Wayland" : "X";
	choice->count = session.count;
	choice->active_known = session.active >= 0;
	choice->at = choice->active_known ? (unsigned)session.active : 0;
	memcpy(choice->each, session.each, sizeof session.each);
	snprintf(choice->name, sizeof choice->name, "%s",
		 lurk_layout_name(choice->each[choice->at]));
}

/* By their names; any that is not there ends them. */
static void open_all(struct lurk_chosen_layout *choice)
{
	const unsigned count = choice->count;
	struct lurk_message why;

	for (choice->count = 0; choice->count < count; choice->count++) {
		struct lurk_layout *one = lurk_layout_open_in(
			choice->folder, choice->in_turn[choice->count], choice->options, &why);

		if (!one) {
			if (choice->caution)
				choice->caution(choice->data, why.text);
			return;
		}
		choice->each[choice->count] = one;
	}
}

/* Opened when first asked for. */
struct lurk_layout *lurk_layout_chosen(struct lurk_chosen_layout *choice)
{
	if (!choice->opened) {
		choice->opened = true;
		ask_session(choice);
		if (choice->from != LURK_LAYOUT_OF_SESSION)
			open_all(choice);
	}
	return choice->each[choice->at];
}

struct lurk_layout *lurk_layout_in_turn(struct lurk_chosen_layout *choice, unsigned index)
{
	lurk_layout_chosen(choice);
	return index < choice->count ? choice->each[index] : NULL;
}

bool lurk_layout_is_assumed(struct lurk_chosen_layout *choice)
{
	const char *session = getenv("XDG_SESSION_TYPE");

	lurk_layout_chosen(choice);
	if (choice->from == LURK_LAYOUT_OF_SESSION)
		return choice->count > 1 && !choice->active_known;
	return choice->from == LURK_LAYOUT_OF_SYSTEM &&
	       (choice->count > 1 ||
		(session && (!strcmp(session, "x11") || !strcmp(session, "wayland"))));
}

struct lurk_layout *lurk_layout_shown(struct lurk_chosen_layout *choice)
{
	struct lurk_message unused;
	struct lurk_layout *own = lurk_layout_chosen(choice);

	if (!own && !choice->usual)
		choice->usual = lurk_layout_open("us", &unused);
	return own ? own : choice->usual;
}

static bool find_character(void *data, uint32_t codepoint, lurk_key *key, uint16_t *modifiers)
{
	struct lurk_layout *layout = lurk_layout_chosen(data);
	struct lurk_characters characters;

	if (!layout)
		return false;
	characters = lurk_layout_characters(layout);
	return characters.find(characters.data, codepoint, key, modifiers);
}

static unsigned type_character(void *data, uint32_t codepoint,
			       struct lurk_step steps[LURK_CHARACTER_STEPS])
{
	struct lurk_layout *layout = lurk_layout_chosen(data);
	struct lurk_characters characters;

	if (!layout)
		return 0;
	characters = lurk_layout_characters(layout);
	return characters.type(characters.data, codepoint, steps);
}

static bool each_character(void *data, unsigned index, struct lurk_characters *one,
			   uint32_t *number)
{
	struct lurk_layout *layout = lurk_layout_in_turn(data, index);

	if (!layout)
		return false;
	*one = lurk_layout_characters(layout);
	*number = lurk_layout_number_of(layout);
	return true;
}

static const char *layouts_with(void *data, uint32_t codepoint)
{
	static _Thread_local char out[64];

	(void)data;
	return lurk_layouts_with(codepoint, out);
}

static bool cap(void *data, lurk_key key, uint16_t modifiers, char out[LURK_CAP])
{
	struct lurk_layout *layout = lurk_layout_chosen(data);

	*out = '\0';
	return layout && lurk_layout_legend(layout, key, modifiers, out);
}

const struct lurk_characters *lurk_layout_names(const struct lurk_chosen_layout *choice)
{
	return *choice->name || (choice->asks_session && !choice->opened) ? &choice->characters
									  : NULL;
}

void lurk_layout_typing_keys(struct lurk_chosen_layout *choice, uint8_t typing[LURK_KEY_COUNT / 8])
{
	static const char characters[] = "abcdefghijklmnopqrstuvwxyz0123456789";
	lurk_key key;
	uint16_t modifiers;

	memset(typing, 0, LURK_KEY_COUNT / 8);
	for (const char *c = characters; *c && lurk_layout_names(choice); c++) {
		if (!find_character(choice, (uint8_t)*c, &key, &modifiers)) {
			lurk_check_typing(typing); /* a layout for another script */
			return;
		}
		typing[key / 8] |= (uint8_t)(1U << key % 8);
	}
	if (!lurk_layout_names(choice))
		lurk_check_typing(typing);
}

/* In one layout. */
static bool lacks(const struct lurk_characters *characters, struct lurk_text text,
		  uint32_t *codepoint)
{
	struct lurk_step steps[LURK_CHARACTER_STEPS];

	for (size_t at = 0; at < text.length;) {
		size_t n = lurk_character_read(text.bytes + at, text.length - at, codepoint);

		if (!n || !characters->type(characters->data, *codepoint, steps))
			return n != 0;
		at += n;
	}
	return false;
}

bool lurk_layout_lacks(const struct lurk_characters *characters, struct lurk_text text,
		       uint32_t *codepoint)
{
	struct lurk_characters one;
	uint32_t unused;

	for (unsigned i = 0;
	     characters->each && characters->each(characters->data, i, &one, &unused); i++) {
		if (!lacks(&one, text, codepoint))
			return false;
	}
	return lacks(characters, text, codepoint);
}

static bool is_made_for(struct lurk_text steps, uint32_t layout)
{
	struct lurk_steps_part part;
	bool made = false;

	for (size_t at = 0; lurk_steps_next(steps, &at, &part);)
		made = made || part.layout == layout;
	return made;
}

enum lurk_texts lurk_texts_of(const struct lurk_image *image, uint32_t active)
{
	enum lurk_texts texts = LURK_TEXTS_NONE;

	for (uint32_t i = 0; image && i < image->rule_count; i++) {
		struct lurk_steps_part part;
		struct lurk_rule rule;
		size_t at = 0;

		lurk_image_rule(image, i, &rule);
		if (rule.off || rule.gives.kind != LURK_GIVES_TEXT ||
		    !lurk_steps_next(rule.gives.steps, &at, &part) || !part.layout)
			continue;
		if (!active)
			return LURK_TEXTS_ASSUMED;
		if (!is_made_for(rule.gives.steps, active))
			return LURK_TEXTS_UNMADE;
		if (!lurk_steps_for(rule.gives.steps, active).length)
			texts = LURK_TEXTS_LACK;
		else if (texts == LURK_TEXTS_NONE)
			texts = LURK_TEXTS_FOLLOW;
	}
	return texts;
}

void lurk_layout_choose(struct lurk_chosen_layout *choice, const char *said, const char *desk)
{
	lurk_layout_forget(choice);
	*choice->options = '\0';
	choice->active_known = choice->asks_session = false;
	choice->count = choice->at = 0;
	snprintf(choice->name, sizeof choice->name, "%s", said);
	choice->from = LURK_LAYOUT_OF_PROFILE;
	if (!*choice->name && desk) {
		choice->from = LURK_LAYOUT_OF_DESK;
		snprintf(choice->name, sizeof choice->name, "%s", desk);
	} else if (!*choice->name) {
		choice->from = LURK_LAYOUT_OF_SYSTEM;
		choice->asks_session = lurk_desktop_is_here();
		system_layout(choice);
	}
	if (choice->from != LURK_LAYOUT_OF_SYSTEM) {
		snprintf(choice->in_turn[0], sizeof *choice->in_turn, "%s", choice->name);
		choice->count = *choice->name != 0;
	}
	if (!*choice->name && !choice->asks_session)
		choice->from = LURK_LAYOUT_UNKNOWN;
	choice->characters = (struct lurk_characters){
		choice,
		find_character,
		type_character,
		layouts_with,
		cap,
		choice->from == LURK_LAYOUT_OF_SYSTEM ? each_character : NULL};
}

void lurk_layout_forget(struct lurk_chosen_layout *choice)
{
	for (unsigned i = 0; i < LURK_LAYOUTS_IN_TURN; i++) {
		lurk_layout_close(choice->each[i]);
		choice->each[i] = NULL;
	}
	lurk_layout_close(choice->usual);
	choice->usual = NULL;
	choice->opened = false;
}
