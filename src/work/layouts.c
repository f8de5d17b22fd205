#include "lurk/work/layouts.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/check.h"
#include "lurk/text/memory.h"
#include "lurk/text/yaml.h"

/* NAME="value" or NAME=value, up to one of `ends`. */
static void read_setting(const char *line, const char *name, const char *ends, char *out,
			 size_t size)
{
	size_t n = strlen(name);

	if (strncmp(line, name, n) != 0 || line[n] != '=')
		return;
	line += n + 1 + (line[n + 1] == '"');
	n = 0;
	while (line[n] && !strchr("\"\n", line[n]) && !strchr(ends, line[n]))
		n++;
	snprintf(out, size, "%.*s", (int)n, line);
}

/* The layout that the system was set up with, as Debian keeps it: of several the first. */
static void system_layout(struct lurk_chosen_layout *choice)
{
	FILE *file = fopen("/etc/default/keyboard", "r");
	char line[256], variant[64] = "", all[64] = "";

	while (file && fgets(line, sizeof line, file)) {
		read_setting(line, "XKBLAYOUT", "", all, sizeof all);
		read_setting(line, "XKBLAYOUT", ",", choice->name, 32);
		read_setting(line, "XKBVARIANT", ",", variant, 32);
		read_setting(line, "XKBOPTIONS", "", choice->options, sizeof choice->options);
	}
	if (*choice->name && *variant)
		snprintf(choice->name + strlen(choice->name),
			 sizeof choice->name - strlen(choice->name), ":%s", variant);
	choice->several = strchr(all, ',') != NULL;
	if (file)
		fclose(file);
}

bool lurk_layout_is_assumed(const struct lurk_chosen_layout *choice)
{
	const char *session = getenv("XDG_SESSION_TYPE");

	return choice->from == LURK_LAYOUT_OF_SYSTEM &&
	       (choice->several ||
		(session && (!strcmp(session, "x11") || !strcmp(session, "wayland"))));
}

/* Opened when first asked for. */
struct lurk_layout *lurk_layout_chosen(struct lurk_chosen_layout *choice)
{
	struct lurk_message why;

	if (!choice->own && !choice->missing && *choice->name) {
		choice->own = lurk_layout_open_with(choice->name, choice->options, &why);
		if (!choice->own && choice->caution)
			choice->caution(choice->data, why.text);
	}
	choice->missing = !choice->own;
	return choice->own;
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
	return *choice->name ? &choice->characters : NULL;
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

bool lurk_layout_lacks(const struct lurk_characters *characters, struct lurk_text text,
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

void lurk_layout_said(const char *bytes, size_t length, char *name, size_t size)
{
	struct lurk_message unused;
	struct lurk_yaml yaml = {0};
	const struct lurk_node *layout;
	/* Most say none: no need to read them twice for it. With a backslash it may be in disguise.
	 */
	bool may_say = memmem(bytes, length, "layout", 6) || memchr(bytes, '\\', length);
	char *copy = may_say ? lurk_copy(bytes, length) : NULL;

	*name = '\0';
	if (copy && lurk_yaml_parse(&yaml, "", copy, length, &unused)) {
		layout = lurk_node_get(yaml.root, "layout");
		if (layout && layout->kind == LURK_NODE_SCALAR)
			snprintf(name, size, "%s", layout->text);
	}
	if (copy)
		lurk_yaml_free(&yaml);
}

void lurk_layout_choose(struct lurk_chosen_layout *choice, const char *bytes, size_t length,
			const char *desk)
{
	*choice->options = '\0';
	choice->several = false;
	lurk_layout_said(bytes, length, choice->name, sizeof choice->name);
	choice->from = LURK_LAYOUT_OF_PROFILE;
	if (!*choice->name && desk) {
		choice->from = LURK_LAYOUT_OF_DESK;
		snprintf(choice->name, sizeof choice->name, "%s", desk);
	} else if (!*choice->name) {
		choice->from = LURK_LAYOUT_OF_SYSTEM;
		system_layout(choice);
	}
	if (!*choice->name)
		choice->from = LURK_LAYOUT_UNKNOWN;
	choice->characters =
		(struct lurk_characters){choice, find_character, type_character, layouts_with, cap};
}

void lurk_layout_forget(struct lurk_chosen_layout *choice)
{
	lurk_layout_close(choice->own);
	lurk_layout_close(choice->usual);
	choice->own = choice->usual = NULL;
	choice->missing = false;
}
