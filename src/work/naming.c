#include "lurk/work/naming.h"

#include <stdio.h>
#include <string.h>

#include "lurk/profile/edit.h"
#include "lurk/text/memory.h"

static enum lurk_went went(bool fine)
{
	return fine ? LURK_DONE : LURK_COULD_NOT;
}

static const char *name_of(const struct lurk_naming *naming, uint16_t described)
{
	return naming->ws->keyboards.keyboards[described - 1].name.bytes;
}

/* The description of a keyboard in the file: the first way in which it is recognised. */
static const struct lurk_node *description(const struct lurk_naming *naming, uint16_t described)
{
	const struct lurk_node *way = naming->ws->keyboards.nodes[described - 1];

	return way->kind == LURK_NODE_LIST ? way->first : way;
}

static bool set(struct lurk_naming *naming, const struct lurk_node *map, const char *name,
		const char *value)
{
	const struct lurk_field field = {name, value};

	return lurk_edit_set(&naming->ws->keyboards.yaml, map, &field, &naming->why) &&
	       lurk_workspace_reread_keyboards(naming->ws, &naming->why);
}

/* ---- Names ----------------------------------------------------------------------------------- */

/* How keyboards.yaml will recognise it: as little as tells it from the others. To be freed. */
static char *recognise_by(const struct lurk_identity *identity)
{
	char *name = lurk_yaml_scalar(identity->name), *out;

	if (identity->bus == LURK_BUS_USB || identity->bus == LURK_BUS_BLUETOOTH)
		out = lurk_print("{%s: \"%04x:%04x\"}",
				 identity->bus == LURK_BUS_BLUETOOTH ? "bluetooth" : "usb",
				 identity->vendor, identity->product);
	else if (identity->built_in)
		out = lurk_print("{built-in: true}");
	else if (identity->bus == LURK_BUS_PS2)
		out = lurk_print("{ps2: true}");
	else
		out = lurk_print("{calls-itself: %s}", name);
	lurk_release(name);
	return out;
}

static bool has_no_name(struct lurk_naming *naming, const struct lurk_identity *identity)
{
	const uint16_t described = lurk_keyboards_recognise(&naming->ws->keyboards, identity);

	return !described ||
	       lurk_say(&naming->why, "that keyboard is called %s already; rename it in %s",
			name_of(naming, described), naming->ws->keyboards_path);
}

enum lurk_went lurk_naming_name(struct lurk_naming *naming, const struct lurk_identity *identity,
				const char *name)
{
	struct lurk_workspace *ws = naming->ws;
	struct lurk_field field = {name, NULL};
	char *value;
	bool fine;

	if (!has_no_name(naming, identity))
		return LURK_ASKED_WRONGLY;
	value = recognise_by(identity);
	field.value = value;
	fine = lurk_edit_name(&ws->keyboards.yaml, "keyboards", &field, &naming->why) &&
	       lurk_workspace_reread_keyboards(ws, &naming->why);
	lurk_release(value);
	snprintf(naming->summary, LURK_NAMING, "%s is now called %s",
		 *identity->name ? identity->name : "That keyboard", name);
	return fine ? LURK_DONE : LURK_ASKED_WRONGLY;
}

enum lurk_went lurk_naming_join(struct lurk_naming *naming, uint16_t described,
				const struct lurk_identity *identity)
{
	struct lurk_workspace *ws = naming->ws;
	const struct lurk_node *old = ws->keyboards.nodes[described - 1];
	const char *said = ws->keyboards.yaml.bytes + old->start;
	const bool is_list = old->kind == LURK_NODE_LIST;
	const size_t length = old->end - old->start - is_list; /* without a list's bracket */
	char *way, *value, name[64];
	bool fine;

	if (!has_no_name(naming, identity))
		return LURK_ASKED_WRONGLY;
	snprintf(name, sizeof name, "%s", name_of(naming, described));
	way = recognise_by(identity);
	if (memchr(said, '\n', old->end - old->start)) {
		lurk_say(&naming->why,
			 "%s stands on several lines in %s; add this to its list there: - %s", name,
			 ws->keyboards_path, way);
		lurk_release(way);
		return LURK_COULD_NOT;
	}
	value = lurk_print("%s%.*s, %s]", is_list ? "" : "[", (int)length, said, way);
	lurk_release(way);
	snprintf(naming->summary, LURK_NAMING, "%s is the same keyboard as %s", identity->name,
		 name);
	fine = set(naming, lurk_node_get(ws->keyboards.yaml.root, "keyboards"), name, value);
	lurk_release(value);
	return went(fine);
}

/* ---- Keys ------------------------------------------------------------------------------------ */

static bool is_chord(const char *list)
{
	return !strcmp(list, "off-chord");
}

/* The list as it is to be: what it has, and what is new; a chord is another one. */
static bool new_list(struct lurk_naming *naming, const struct lurk_node *old, char *const *keys,
		     unsigned count, char *out, size_t size)
{
	snprintf(out, size, "[");
	for (const struct lurk_node *key = old ? old->first : NULL; key; key = key->next)
		snprintf(out + strlen(out), size - strlen(out), "%s%s", out[1] ? ", " : "",
			 key->text);
	for (unsigned i = 0; i < count; i++) {
		struct lurk_press press;

		if (!lurk_words_press(keys[i], lurk_workspace_characters(naming->ws), &press,
				      &naming->why))
			return false;
		if (press.on.kind != LURK_TARGET_KEY)
			return lurk_say(&naming->why, "`%s` is not one key", keys[i]);
		snprintf(out + strlen(out), size - strlen(out), "%s%s", out[1] ? ", " : "",
			 lurk_key_name(press.on.key));
	}
	snprintf(out + strlen(out), size - strlen(out), "]");
	return true;
}

enum lurk_went lurk_naming_mark(struct lurk_naming *naming, uint16_t described, const char *list,
				char *const *keys, unsigned count)
{
	const struct lurk_node *way = description(naming, described);
	char value[512];

	if (!new_list(naming, is_chord(list) ? NULL : lurk_node_get(way, list), keys, count, value,
		      sizeof value))
		return LURK_ASKED_WRONGLY;
	snprintf(naming->summary, LURK_NAMING,
		 is_chord(list) ? "On %s the %s is %.*s" : "On %s these are %s: %.*s",
		 name_of(naming, described), list, (int)strlen(value) - 2, value + 1);
	return went(set(naming, way, list, value));
}

enum lurk_went lurk_naming_nickname(struct lurk_naming *naming, uint16_t described,
				    const char *code, const char *nickname)
{
	const struct lurk_keyboards_file *keyboards = &naming->ws->keyboards;
	char list[1024] = "{", on[LURK_WORDS];
	struct lurk_press press;

	if (!lurk_words_press(code, lurk_workspace_characters(naming->ws), &press, &naming->why))
		return LURK_ASKED_WRONGLY;
	if (press.modifiers || press.only || press.on.kind < LURK_TARGET_KEY) {
		lurk_say(&naming->why, "`%s`: a nickname stands for one key or scan code", code);
		return LURK_ASKED_WRONGLY;
	}
	lurk_words_target(&press.on, on);
	for (uint16_t i = 0; i < keyboards->nickname_count; i++) {
		const struct lurk_nickname *n = &keyboards->nicknames[i];
		char one[LURK_WORDS];

		if (n->keyboard == described && strcmp(lurk_words_target(&n->on, one), on) != 0)
			snprintf(list + strlen(list), sizeof list - strlen(list), "%s: \"%s\", ",
				 n->name, one);
	}
	snprintf(list + strlen(list), sizeof list - strlen(list), "%s: \"%s\"}", nickname, on);
	snprintf(naming->summary, LURK_NAMING, "%s on %s is called %s from now on", on,
		 name_of(naming, described), nickname);
	return set(naming, description(naming, described), "nicknames", list) ? LURK_DONE
									      : LURK_ASKED_WRONGLY;
}

/* ---- What it is ------------------------------------------------------------------------------ */

enum lurk_went lurk_naming_set_apart(struct lurk_naming *naming, uint16_t described)
{
	snprintf(naming->summary, LURK_NAMING,
		 "%s stands apart: rules for all keyboards leave it alone",
		 name_of(naming, described));
	return went(set(naming, description(naming, described), "apart", "true"));
}

enum lurk_went lurk_naming_set_form(struct lurk_naming *naming, uint16_t described,
				    const char *form)
{
	struct lurk_forms forms;
	char wrong[32], value[32];
	bool fine = lurk_forms_read(form, &forms, wrong);

	if (!fine || (!forms.has_form && !forms.has_arrangement)) {
		lurk_say(&naming->why, "%s%s%s; write " LURK_FORMS_WORDS,
			 fine ? "--form is empty" : "`", fine ? "" : wrong,
			 fine ? "" : "` is no form");
		return LURK_ASKED_WRONGLY;
	}
	snprintf(value, sizeof value, "%s%s%s", forms.has_form ? lurk_form_name(forms.form) : "",
		 forms.has_form && forms.has_arrangement ? " " : "",
		 forms.has_arrangement ? lurk_arrangement_name(forms.arrangement) : "");
	snprintf(naming->summary, LURK_NAMING, "%s is drawn as %s: `lurk picture --keyboard %s`",
		 name_of(naming, described), value, name_of(naming, described));
	return went(set(naming, description(naming, described), "form", value));
}

/* ---- Who is here ----------------------------------------------------------------------------- */

bool lurk_are_twins(const struct lurk_identity *one, const struct lurk_identity *other)
{
	return one->bus == other->bus && one->vendor == other->vendor &&
	       one->product == other->product && !strcmp(one->serial, other->serial) &&
	       !strcmp(one->name, other->name);
}

int lurk_only_unnamed(const struct lurk_workspace *ws, const struct lurk_machine *machine,
		      unsigned *count)
{
	int only = -1;

	*count = 0;
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];

		if (!k->present || lurk_keyboards_recognise(&ws->keyboards, &k->info.identity))
			continue;
		++*count;
		only = i;
	}
	return *count == 1 ? only : -1;
}
