/* keyboards.yaml: what keyboards are called, how they are recognised, what is odd about them. */
#include <stdio.h>
#include <string.h>
#include <strings.h>

#include "lurk/chord.h"
#include "lurk/profile/profile.h"
#include "lurk/text/memory.h"

static const char *const top_fields[] = {"keyboards", NULL};
static const char *const way_fields[] = {
	"usb",       "bluetooth",    "ps2",    "built-in",  "serial",
	"place",     "calls-itself", "broken", "missing",   "press-only",
	"off-chord", "apart",        "form",   "nicknames", NULL};

static const struct {
	const char *field;
	enum lurk_quirk_kind kind;
} quirk_fields[] = {
	{"broken", LURK_QUIRK_BROKEN},
	{"missing", LURK_QUIRK_MISSING},
	{"press-only", LURK_QUIRK_PRESS_ONLY},
	{"off-chord", LURK_QUIRK_OFF_CHORD},
};

enum { QUIRK_FIELDS = sizeof quirk_fields / sizeof *quirk_fields };

struct reader {
	struct lurk_keyboards_file *file;
	struct lurk_message *message;
	size_t recognisers, quirks;
};

static bool read_product(struct reader *r, const struct lurk_node *node,
			 struct lurk_recogniser *way)
{
	unsigned vendor, product;
	int used = 0;

	if (node->kind != LURK_NODE_SCALAR ||
	    sscanf(node->text, "%4x:%4x%n", &vendor, &product, &used) != 2 || node->text[used])
		return lurk_yaml_say(&r->file->yaml, node, r->message,
				     "`%s` is no vendor and product; write them as \"fade:0001\"",
				     node->text);
	way->by_product = true;
	way->vendor = (uint16_t)vendor;
	way->product = (uint16_t)product;
	return true;
}

static bool read_way_field(struct reader *r, const struct lurk_node *node,
			   struct lurk_recogniser *way)
{
	const char *field = node->key->text;
	struct lurk_text text = {node->text, strlen(node->text)};
	bool yes = false;

	if (!strcmp(field, "usb") || !strcmp(field, "bluetooth")) {
		way->bus = *field == 'u' ? LURK_BUS_USB : LURK_BUS_BLUETOOTH;
		return read_product(r, node, way);
	}
	if (!strcmp(field, "ps2") || !strcmp(field, "built-in")) {
		if (!lurk_yaml_bool(&r->file->yaml, node, &yes, r->message))
			return false;
		if (*field == 'p' && yes)
			way->bus = LURK_BUS_PS2;
		way->built_in = way->built_in || (*field == 'b' && yes);
		return true;
	}
	if (node->kind != LURK_NODE_SCALAR)
		return lurk_yaml_say(&r->file->yaml, node, r->message, "`%s:` takes one text",
				     field);
	if (!strcmp(field, "serial"))
		way->serial = text;
	else if (!strcmp(field, "place"))
		way->place = text;
	else
		way->name = text;
	return true;
}

static bool read_quirk(struct reader *r, const struct lurk_node *node, enum lurk_quirk_kind kind)
{
	struct lurk_message why;
	struct lurk_press press;

	if (node->kind != LURK_NODE_SCALAR || !lurk_words_press(node->text, NULL, &press, &why))
		return lurk_yaml_say(&r->file->yaml, node, r->message, "%s",
				     node->kind == LURK_NODE_SCALAR ? why.text
								    : "a key's name is expected");
	if (press.on.kind != LURK_TARGET_KEY || press.modifiers || press.only)
		return lurk_yaml_say(&r->file->yaml, node, r->message, "`%s` is not one key",
				     node->text);
	r->file->quirks[r->quirks++] = (struct lurk_quirk){(uint8_t)kind, press.on.key};
	return true;
}

/* All ways to recognise a keyboard share one chord, whose keys may be named with each of them. */
static bool chord_fits(struct reader *r, const struct lurk_node *list,
		       const struct lurk_keyboard *keyboard)
{
	struct lurk_chord chord = {.count = 0};
	bool fits = true;

	for (unsigned i = 0; i < keyboard->quirk_count; i++) {
		if (keyboard->quirks[i].kind == LURK_QUIRK_OFF_CHORD)
			fits = lurk_chord_add(&chord, keyboard->quirks[i].key) && fits;
	}
	return (fits && chord.count >= 2) ||
	       lurk_yaml_say(&r->file->yaml, list, r->message,
			     "`off-chord:` takes 2 to %d different keys that are held together",
			     LURK_CHORD_KEYS);
}

/* A word that names a key already would hide that key. */
static bool read_nickname(struct reader *r, const struct lurk_node *node)
{
	struct lurk_keyboards_file *f = r->file;
	struct lurk_message unused, why;
	struct lurk_press press;
	size_t letters = strspn(node->key->text,
				"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_");

	if (!letters || node->key->text[letters] || strlen(node->key->text) > LURK_NICKNAME)
		return lurk_yaml_say(&f->yaml, node->key, r->message,
				     "`%s` is no nickname; take up to %d letters, digits, - and _",
				     node->key->text, LURK_NICKNAME);
	if (lurk_words_press(node->key->text, NULL, &press, &unused))
		return lurk_yaml_say(&f->yaml, node->key, r->message,
				     "`%s` names a key already; take another nickname",
				     node->key->text);
	if (node->kind != LURK_NODE_SCALAR || !lurk_words_press(node->text, NULL, &press, &why) ||
	    press.modifiers || press.only || press.on.kind < LURK_TARGET_KEY)
		return lurk_yaml_say(&f->yaml, node, r->message,
				     "a nickname stands for one key or scan code, such as "
				     "\"hid:07:a5\"");
	f->nicknames[f->nickname_count++] =
		(struct lurk_nickname){(uint16_t)(f->count + 1), node->key->text, press.on};
	return true;
}

static bool read_nicknames(struct reader *r, const struct lurk_node *map)
{
	if (map->kind != LURK_NODE_MAP)
		return lurk_yaml_say(&r->file->yaml, map, r->message,
				     "`nicknames:` takes names, as in {Feather: \"hid:07:a5\"}");
	for (const struct lurk_node *node = map->first; node; node = node->next) {
		if (!read_nickname(r, node))
			return false;
	}
	return true;
}

static bool read_forms(struct reader *r, const struct lurk_node *node)
{
	char wrong[32];

	if (node->kind == LURK_NODE_SCALAR &&
	    lurk_forms_read(node->text, &r->file->forms[r->file->count], wrong))
		return true;
	return lurk_yaml_say(&r->file->yaml, node, r->message, "`form:` takes " LURK_FORMS_WORDS);
}

static bool read_way(struct reader *r, const struct lurk_node *map, struct lurk_keyboard *keyboard)
{
	struct lurk_recogniser *way = &r->file->recognisers[r->recognisers];

	if (!lurk_yaml_fields(&r->file->yaml, map, "a keyboard", way_fields, r->message))
		return false;
	for (const struct lurk_node *node = map->first; node; node = node->next) {
		size_t q = 0;

		while (q < QUIRK_FIELDS && strcmp(quirk_fields[q].field, node->key->text))
			q++;
		if (!strcmp(node->key->text, "apart")) {
			if (!lurk_yaml_bool(&r->file->yaml, node, &keyboard->apart, r->message))
				return false;
			continue;
		}
		if (!strcmp(node->key->text, "form")) {
			if (!read_forms(r, node))
				return false;
			continue;
		}
		if (!strcmp(node->key->text, "nicknames")) {
			if (!read_nicknames(r, node))
				return false;
			continue;
		}
		if (q == QUIRK_FIELDS) {
			if (!read_way_field(r, node, way))
				return false;
			continue;
		}
		if (node->kind != LURK_NODE_LIST)
			return lurk_yaml_say(&r->file->yaml, node, r->message,
					     "`%s:` takes a list, as in [End]", node->key->text);
		for (const struct lurk_node *key = node->first; key; key = key->next) {
			if (!read_quirk(r, key, quirk_fields[q].kind))
				return false;
			keyboard->quirk_count++;
		}
		if (quirk_fields[q].kind == LURK_QUIRK_OFF_CHORD && !chord_fits(r, node, keyboard))
			return false;
	}
	if (way->bus || way->built_in || way->serial.length || way->place.length ||
	    way->name.length) {
		r->recognisers++;
		keyboard->recogniser_count++;
	}
	return true;
}

static bool good_name(const char *name)
{
	size_t n = strspn(name, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_");

	return n > 0 && n <= 32 && !name[n] && strcasecmp(name, "all");
}

static bool read_keyboard(struct reader *r, const struct lurk_node *list, struct lurk_node *node)
{
	struct lurk_keyboards_file *f = r->file;
	struct lurk_keyboard *keyboard = &f->keyboards[f->count];
	const char *name = node->key->text;

	if (!good_name(name))
		return lurk_yaml_say(
			&f->yaml, node->key, r->message,
			"`%s` is no name for a keyboard; take up to 32 letters, digits, - and _, "
			"but not `all`",
			name);
	for (const struct lurk_node *other = list->first; other != node; other = other->next) {
		if (!strcasecmp(name, other->key->text))
			return lurk_yaml_say(&f->yaml, node->key, r->message,
					     "the name `%s` is already given on line %u", name,
					     other->key->line);
	}
	keyboard->name = (struct lurk_text){name, strlen(name)};
	keyboard->recognisers = f->recognisers + r->recognisers;
	keyboard->quirks = f->quirks + r->quirks;
	if (node->kind == LURK_NODE_LIST) {
		for (const struct lurk_node *way = node->first; way; way = way->next) {
			if (!read_way(r, way, keyboard))
				return false;
		}
	} else if (!read_way(r, node, keyboard)) {
		return false;
	}
	if (!keyboard->recogniser_count)
		return lurk_yaml_say(&f->yaml, node->key, r->message,
				     "nothing says how `%s` is recognised; give it usb, bluetooth, "
				     "ps2, built-in, "
				     "serial, place or calls-itself",
				     name);
	f->nodes[f->count++] = node;
	return true;
}

static size_t count_below(const struct lurk_node *node)
{
	size_t n = 1;

	for (const struct lurk_node *child = node->first; child; child = child->next)
		n += count_below(child);
	return n;
}

static bool read_all(struct reader *r)
{
	struct lurk_keyboards_file *f = r->file;
	struct lurk_node *list;
	size_t most;

	if (!f->yaml.root)
		return true;
	if (!lurk_yaml_fields(&f->yaml, f->yaml.root, "keyboards.yaml", top_fields, r->message))
		return false;
	list = lurk_node_get(f->yaml.root, "keyboards");
	if (!list || lurk_node_empty(list))
		return true;
	if (list->kind != LURK_NODE_MAP || list->count > LURK_KEYBOARDS_MAX)
		return lurk_yaml_say(&f->yaml, list, r->message,
				     "`keyboards:` takes up to %d names, a line each",
				     LURK_KEYBOARDS_MAX);
	most = count_below(list);
	f->keyboards = lurk_allocate(list->count, sizeof *f->keyboards);
	f->nodes = lurk_allocate(list->count, sizeof *f->nodes);
	f->forms = lurk_allocate(list->count, sizeof *f->forms);
	f->recognisers = lurk_allocate(most, sizeof *f->recognisers);
	f->quirks = lurk_allocate(most, sizeof *f->quirks);
	f->nicknames = lurk_allocate(most, sizeof *f->nicknames);
	if (!f->keyboards || !f->nodes || !f->forms || !f->recognisers || !f->quirks ||
	    !f->nicknames || most > 0xffff)
		return lurk_yaml_say(&f->yaml, list, r->message, "too much to be read");
	for (struct lurk_node *node = list->first; node; node = node->next) {
		if (!read_keyboard(r, list, node))
			return false;
	}
	return true;
}

bool lurk_keyboards_read(struct lurk_keyboards_file *file, const char *path, char *bytes,
			 size_t length, struct lurk_message *message)
{
	struct reader r = {.file = file, .message = message};

	memset(file, 0, sizeof *file);
	if (lurk_yaml_parse(&file->yaml, path, bytes, length, message) && read_all(&r))
		return true;
	lurk_keyboards_free(file);
	return false;
}

void lurk_keyboards_free(struct lurk_keyboards_file *file)
{
	lurk_yaml_free(&file->yaml);
	lurk_release(file->keyboards);
	lurk_release(file->nodes);
	lurk_release(file->forms);
	lurk_release(file->recognisers);
	lurk_release(file->quirks);
	lurk_release(file->nicknames);
	memset(file, 0, sizeof *file);
}

uint16_t lurk_keyboards_find(const struct lurk_keyboards_file *file, const char *name,
			     struct lurk_message *message)
{
	char list[256] = "";
	uint16_t asked = 0;

	for (uint16_t i = 0; i < file->count; i++) {
		const char *known = file->keyboards[i].name.bytes;

		if (!strcasecmp(known, name))
			return (uint16_t)(i + 1);
		if (strlen(list) + strlen(known) + 8 < sizeof list)
			snprintf(list + strlen(list), sizeof list - strlen(list), "%s%s",
				 i ? ", " : "", known);
	}
	if (file->ask)
		asked = file->ask(file->ask_data, name);
	if (asked)
		return asked;
	lurk_say(message, "no keyboard is called `%s`; keyboards.yaml has %s", name,
		 *list ? list : "none yet");
	return 0;
}

const struct lurk_nickname *lurk_nickname_find(const struct lurk_keyboards_file *file,
					       uint16_t keyboard, const char *name)
{
	for (uint16_t i = 0; i < file->nickname_count; i++) {
		const struct lurk_nickname *n = &file->nicknames[i];

		if ((!keyboard || n->keyboard == keyboard) && !strcasecmp(n->name, name))
			return n;
	}
	return NULL;
}

const struct lurk_nickname *lurk_nickname_of(const struct lurk_keyboards_file *file,
					     uint16_t keyboard, lurk_scan scan, lurk_key key)
{
	for (uint16_t i = 0; i < file->nickname_count; i++) {
		const struct lurk_nickname *n = &file->nicknames[i];

		if (n->keyboard == keyboard &&
		    (n->on.kind == LURK_TARGET_SCAN ? lurk_scan_same(n->on.scan, scan)
						    : key && n->on.key == key))
			return n;
	}
	return NULL;
}

uint16_t lurk_keyboards_recognise(const struct lurk_keyboards_file *file,
				  const struct lurk_identity *identity)
{
	unsigned best = 0;
	uint16_t who = 0;

	for (uint16_t i = 0; i < file->count; i++) {
		const struct lurk_keyboard *k = &file->keyboards[i];

		for (unsigned r = 0; r < k->recogniser_count; r++) {
			unsigned fit = lurk_recognise(&k->recognisers[r], identity);

			who = fit > best ? (uint16_t)(i + 1) : who;
			best = fit > best ? fit : best;
		}
	}
	return who;
}
