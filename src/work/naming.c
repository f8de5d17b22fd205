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

/* What tells it from another that is here and like it. */
enum likeness { ALONE, LIKE, TWIN };

static enum likeness likeness(const struct lurk_naming *naming, const struct lurk_identity *one)
{
	enum likeness found = ALONE;

	for (uint16_t i = 0; naming->machine && i < naming->machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &naming->machine->keyboards[i];
		const struct lurk_identity *other = &k->info.identity;

		if (!k->present || !strcmp(one->place, other->place))
			continue;
		if (lurk_are_twins(one, other))
			return TWIN;
		if (one->bus == other->bus && one->vendor == other->vendor &&
		    one->product == other->product)
			found = LIKE;
	}
	return found;
}

/* How keyboards.yaml will recognise it: as little as tells it from the others. To be freed. */
static char *recognise_by(const struct lurk_naming *naming, const struct lurk_identity *identity)
{
	const enum likeness like = likeness(naming, identity);
	char *name = lurk_yaml_scalar(identity->name), *serial = lurk_yaml_scalar(identity->serial);
	char *place = lurk_yaml_scalar(identity->place), *base, *out;
	const bool by_serial = like == LIKE && *identity->serial;
	const bool numbered = identity->bus == LURK_BUS_USB || identity->bus == LURK_BUS_BLUETOOTH;
	const bool by_place = like == TWIN || (like == LIKE && numbered && !by_serial);

	if (numbered)
		base = lurk_print("%s: \"%04x:%04x\"%s%s",
				  identity->bus == LURK_BUS_BLUETOOTH ? "bluetooth" : "usb",
				  identity->vendor, identity->product,
				  by_serial ? ", serial: " : "", by_serial ? serial : "");
	else if (identity->built_in)
		base = lurk_print("built-in: true");
	else if (identity->bus == LURK_BUS_PS2)
		base = lurk_print("ps2: true");
	else
		base = lurk_print("calls-itself: %s", name);
	out = lurk_print("{%s%s%s}", base, by_place ? ", place: " : "", by_place ? place : "");
	lurk_release(base);
	lurk_release(name);
	lurk_release(serial);
	lurk_release(place);
	return out;
}

/* Whether another that is here, and says the same of itself, goes by the same name. */
static bool shares_name(const struct lurk_naming *naming, const struct lurk_identity *one,
			uint16_t described)
{
	bool shares = false;

	for (uint16_t i = 0; naming->machine && i < naming->machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &naming->machine->keyboards[i];

		shares = shares || (k->present && strcmp(one->place, k->info.identity.place) != 0 &&
				    lurk_keyboards_recognise(&naming->ws->keyboards,
							     &k->info.identity) == described);
	}
	return shares;
}

static bool has_no_name(struct lurk_naming *naming, const struct lurk_identity *identity)
{
	const uint16_t described = lurk_keyboards_recognise(&naming->ws->keyboards, identity);

	return !described || shares_name(naming, identity, described) ||
	       lurk_say(&naming->why, "that keyboard is called %s already; rename it in %s",
			name_of(naming, described), naming->ws->keyboards_path);
}

enum lurk_went lurk_naming_name(struct lurk_naming *naming, const struct lurk_identity *identity,
				const char *name)
{
	struct lurk_workspace *ws = naming->ws;
	struct lurk_field field = {name, NULL};
	char *value;
	bool fine, by_place;

	if (!has_no_name(naming, identity))
		return LURK_ASKED_WRONGLY;
	value = recognise_by(naming, identity);
	by_place = strstr(value, ", place: ");
	field.value = value;
	fine = lurk_edit_name(&ws->keyboards.yaml, "keyboards", &field, &naming->why) &&
	       lurk_workspace_reread_keyboards(ws, &naming->why);
	lurk_release(value);
	snprintf(naming->summary, LURK_NAMING, "%s is now called %s%s%s%s",
		 *identity->name ? identity->name : "That keyboard", name,
		 by_place ? "; it is known by its place, " : "", by_place ? identity->place : "",
		 by_place ? ", since another one says the same of itself: plugged in elsewhere it "
			    "has to be named again"
			  : "");
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
	way = recognise_by(naming, identity);
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

/* Adds an item to a list in the making, `[` or `{` so far or more. */
static char *with_item(char *list, const char *name, const char *value)
{
	char *longer = lurk_print("%s%s%s%s", list, list[1] ? ", " : "", name, value);

	lurk_release(list);
	return longer;
}

static bool has_item(const struct lurk_node *list, const char *text)
{
	const struct lurk_node *item = list ? list->first : NULL;

	while (item && strcmp(item->text, text) != 0)
		item = item->next;
	return item != NULL;
}

/* The list as it is to be, but for its end: what it has, and what is new; a chord is another one.
 * To be freed; NULL with a message. */
static char *new_list(struct lurk_naming *naming, const struct lurk_node *old, char *const *keys,
		      unsigned count, unsigned *added)
{
	lurk_key *known = lurk_allocate(count, sizeof *known);
	char *list = lurk_print("[");

	*added = 0;
	for (const struct lurk_node *key = old ? old->first : NULL; key; key = key->next)
		list = with_item(list, key->text, "");
	for (unsigned i = 0; i < count; i++) {
		struct lurk_press press;
		bool fine = lurk_words_press(keys[i], lurk_workspace_characters(naming->ws), &press,
					     &naming->why);
		unsigned before = 0;

		if (fine && press.on.kind != LURK_TARGET_KEY)
			fine = lurk_say(&naming->why, "`%s` is not one key", keys[i]);
		if (!fine) {
			lurk_release(list);
			list = NULL;
			break;
		}
		while (before < *added && known[before] != press.on.key)
			before++;
		if (before < *added || has_item(old, lurk_key_name(press.on.key)))
			continue;
		known[(*added)++] = press.on.key;
		list = with_item(list, lurk_key_name(press.on.key), "");
	}
	lurk_release(known);
	return list;
}

enum lurk_went lurk_naming_mark(struct lurk_naming *naming, uint16_t described, const char *list,
				char *const *keys, unsigned count)
{
	const struct lurk_node *way = description(naming, described);
	const bool chord = is_chord(list);
	unsigned added;
	char *value =
		new_list(naming, chord ? NULL : lurk_node_get(way, list), keys, count, &added);
	enum lurk_went done = LURK_ASKED_WRONGLY;
	char *whole;

	if (!value)
		return LURK_ASKED_WRONGLY;
	whole = lurk_print("%s]", value);
	snprintf(naming->summary, LURK_NAMING,
		 chord ? "On %s the %s is %s" : "On %s these are %s: %s",
		 name_of(naming, described), list, value + 1);
	if (chord && (added < 2 || added > LURK_CHORD_KEYS)) {
		lurk_say(&naming->why,
			 "an off chord is 2 to %d different keys that are held together",
			 LURK_CHORD_KEYS);
	} else if (!added) {
		lurk_say(&naming->why, "on %s these are %s already: %.400s",
			 name_of(naming, described), list, value + 1);
		done = LURK_FOUND;
	} else {
		done = went(set(naming, way, list, whole));
	}
	lurk_release(value);
	lurk_release(whole);
	return done;
}

enum lurk_went lurk_naming_nickname(struct lurk_naming *naming, uint16_t described,
				    const char *code, const char *nickname)
{
	const struct lurk_keyboards_file *keyboards = &naming->ws->keyboards;
	const struct lurk_nickname *same = lurk_nickname_find(keyboards, described, nickname);
	char *list, on[LURK_WORDS], other[LURK_WORDS], quoted[LURK_WORDS + 8];
	struct lurk_press press;
	bool fine;

	if (!lurk_words_press(code, lurk_workspace_characters(naming->ws), &press, &naming->why))
		return LURK_ASKED_WRONGLY;
	if (press.modifiers || press.only || press.on.kind < LURK_TARGET_KEY) {
		lurk_say(&naming->why, "`%s`: a nickname stands for one key or scan code", code);
		return LURK_ASKED_WRONGLY;
	}
	lurk_words_target(&press.on, on);
	if (same && strcmp(lurk_words_target(&same->on, other), on) != 0) {
		lurk_say(&naming->why, "on %s %s is called %s already; take another nickname",
			 name_of(naming, described), other, same->name);
		return LURK_ASKED_WRONGLY;
	}
	list = lurk_print("{");
	for (uint16_t i = 0; i < keyboards->nickname_count; i++) {
		const struct lurk_nickname *n = &keyboards->nicknames[i];
		char one[LURK_WORDS];

		if (n->keyboard != described || !strcmp(lurk_words_target(&n->on, one), on))
			continue;
		snprintf(quoted, sizeof quoted, ": \"%s\"", one);
		list = with_item(list, n->name, quoted);
	}
	snprintf(quoted, sizeof quoted, ": \"%s\"}", on);
	list = with_item(list, nickname, quoted);
	snprintf(naming->summary, LURK_NAMING, "%s on %s is called %s from now on", on,
		 name_of(naming, described), nickname);
	fine = set(naming, description(naming, described), "nicknames", list);
	lurk_release(list);
	return fine ? LURK_DONE : LURK_ASKED_WRONGLY;
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

/* ---- Which is meant -------------------------------------------------------------------------- */

/* Letters and digits of what it calls itself, with dashes between. */
static void name_like(const struct lurk_naming *naming, const char *said, char out[40])
{
	struct lurk_message unused;
	size_t n = 0, whole;

	for (const char *c = said; *c && n < 24; c++) {
		const bool plain =
			(*c >= '0' && *c <= '9') || ((*c | 32) >= 'a' && (*c | 32) <= 'z');

		if (plain)
			out[n++] = (char)(*c >= 'A' && *c <= 'Z' ? *c | 32 : *c);
		else if (n && out[n - 1] != '-')
			out[n++] = '-';
	}
	while (n && out[n - 1] == '-')
		n--;
	out[n] = '\0';
	if (!n)
		n = (size_t)snprintf(out, 40, "keyboard");
	whole = n;
	for (unsigned i = 2;; i++) {
		struct lurk_keyboards_file known = naming->ws->keyboards;

		known.ask = NULL;
		if (!lurk_keyboards_find(&known, out, &unused))
			return;
		snprintf(out + whole, 40 - whole, "-%u", i);
	}
}

static bool is_meant(const struct lurk_identity *one, const char *word, bool whole)
{
	return whole ? !strcasecmp(one->name, word) || !strcmp(one->place, word)
		     : strcasestr(one->name, word) != NULL;
}

/* The machine's number of the one that is meant; -1 where none is, -2 for several. */
static int meant_here(const struct lurk_naming *naming, const char *word, bool whole)
{
	const struct lurk_machine *m = naming->machine;
	int found = -1;

	for (uint16_t i = 0; m && i < m->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &m->keyboards[i];

		if (k->present && is_meant(&k->info.identity, word, whole))
			found = found == -1 ? i : -2;
	}
	return found;
}

int lurk_naming_here(struct lurk_naming *naming, const char *word)
{
	const struct lurk_machine *m = naming->machine;
	struct lurk_keyboards_file known = naming->ws->keyboards;
	uint16_t described;
	int number;

	known.ask = NULL; /* it is the one who asks */
	described = lurk_keyboards_find(&known, word, &naming->why);
	number = *word ? meant_here(naming, word, true) : -1;
	if (number == -1 && *word)
		number = meant_here(naming, word, false);
	for (uint16_t i = 0; described && number == -1 && m && i < m->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &m->keyboards[i];

		if (k->present && lurk_keyboards_recognise(&known, &k->info.identity) == described)
			number = i;
	}
	if (number == -2)
		lurk_say(&naming->why,
			 "several keyboards here call themselves `%s`; say which by "
			 "its place, as `lurk keyboards` shows it",
			 word);
	else if (number < 0 && described)
		lurk_say(&naming->why, "%s is not here", word);
	return number < 0 ? -1 : number;
}

enum lurk_went lurk_naming_meant(struct lurk_naming *naming, const char *word, bool name,
				 uint16_t *described)
{
	struct lurk_keyboards_file known = naming->ws->keyboards;
	const struct lurk_identity *one;
	char fresh[40];
	int number;

	*naming->summary = '\0';
	known.ask = NULL; /* it is the one who asks */
	*described = lurk_keyboards_find(&known, word, &naming->why);
	if (*described)
		return LURK_DONE;
	number = lurk_naming_here(naming, word);
	if (number < 0)
		return LURK_ASKED_WRONGLY;
	one = &naming->machine->keyboards[number].info.identity;
	*described = lurk_keyboards_recognise(&naming->ws->keyboards, one);
	if (*described && !shares_name(naming, one, *described))
		return LURK_DONE;
	if (!name) {
		lurk_say(&naming->why,
			 "%s has no name yet; `lurk keyboards --name NAME` gives it one",
			 one->name);
		return LURK_ASKED_WRONGLY;
	}
	name_like(naming, one->name, fresh);
	if (lurk_naming_name(naming, one, fresh) != LURK_DONE)
		return LURK_COULD_NOT;
	*described = lurk_keyboards_recognise(&naming->ws->keyboards, one);
	return LURK_DONE;
}

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
