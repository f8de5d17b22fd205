/* Profile files. */
#include "profile/profile.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/keymap.h"

static const char *const top_fields[] = {"lurk", "name", "layout", "rules", NULL};
static const char *const rule_fields[] = {"press", "gives", "swap", "keyboard",
					  "note",  "off",   NULL};
static const char *const gives_fields[] = {"text", "profile", "rules", NULL};

struct reader {
	struct lurk_profile_file *file;
	const struct lurk_keyboards_file *keyboards;
	const struct lurk_characters *characters;
	struct lurk_message *message;
	uint16_t keyboard; /* of the rule at hand */
};

static bool say(struct reader *r, const struct lurk_node *node, const char *text)
{
	return lurk_yaml_say(&r->file->yaml, node, r->message, "%s", text);
}

/* A scalar that says something: an empty one is mostly a `#` that YAML takes for a comment. */
static bool want_word(struct reader *r, const struct lurk_node *node, const char *field)
{
	if (node->kind != LURK_NODE_SCALAR)
		return lurk_yaml_say(&r->file->yaml, node, r->message, "`%s:` takes one word here",
				     field);
	if (lurk_node_empty(node))
		return lurk_yaml_say(
			&r->file->yaml, node, r->message,
			"`%s:` is empty; if a character such as # was meant, quote it: %s: '#'",
			field, field);
	return true;
}

/* A nickname of the rule's keyboard; where it has none, of any, whose rule it then is. */
static bool read_nickname(struct reader *r, const char *name, struct lurk_press *press)
{
	const struct lurk_nickname *nickname = lurk_nickname_find(r->keyboards, r->keyboard, name);

	if (!nickname)
		return false;
	memset(press, 0, sizeof *press);
	press->on = nickname->on;
	r->keyboard = nickname->keyboard;
	return true;
}

static bool read_press(struct reader *r, const struct lurk_node *node, const char *field,
		       struct lurk_press *press)
{
	struct lurk_message why;

	if (!want_word(r, node, field))
		return false;
	return read_nickname(r, node->text, press) ||
	       lurk_words_press(node->text, r->characters, press, &why) || say(r, node, why.text);
}

static bool as_result(const struct lurk_press *press, const char *text, struct lurk_result *result,
		      struct lurk_message *message)
{
	lurk_key key =
		press->on.kind == LURK_TARGET_SCAN ? lurk_scan_key(press->on.scan) : press->on.key;

	if (press->modifiers) {
		result->kind = LURK_GIVES_CHORDS;
		result->text = (struct lurk_text){text, strlen(text)};
		return true;
	}
	if (!key || press->only || press->on.kind == LURK_TARGET_MEANING)
		return lurk_say(message,
				"`%s` cannot be given: a rule gives a key, `nothing` or `itself`",
				text);
	result->kind = press->on.kind == LURK_TARGET_PAIR ? LURK_GIVES_PAIR : LURK_GIVES_KEY;
	result->key = key;
	return true;
}

bool lurk_profile_result(const char *text, const struct lurk_characters *characters,
			 struct lurk_result *result, struct lurk_message *message)
{
	struct lurk_press press;

	memset(result, 0, sizeof *result);
	if (!strcmp(text, "nothing") || !strcmp(text, "itself")) {
		result->kind = *text == 'n' ? LURK_GIVES_NOTHING : LURK_GIVES_ITSELF;
		return true;
	}
	return lurk_words_press(text, characters, &press, message) &&
	       as_result(&press, text, result, message);
}

/* Results of later kinds: {text: …}, {profile: …}, {rules: toggle}, a list of chords. */
static bool read_later_result(struct reader *r, const struct lurk_node *node,
			      struct lurk_result *result)
{
	const struct lurk_node *what = node->first;

	if (node->kind == LURK_NODE_LIST) {
		size_t from = node->start, to = node->end;

		for (; what; what = what->next) {
			struct lurk_press press;

			if (!read_press(r, what, "gives", &press))
				return false;
		}
		result->kind = LURK_GIVES_CHORDS;
		result->text = (struct lurk_text){r->file->yaml.bytes + from, to - from};
		return node->count > 0 ||
		       say(r, node, "an empty list gives nothing; write `gives: nothing`");
	}
	if (!lurk_yaml_fields(&r->file->yaml, node, "`gives:`", gives_fields, r->message))
		return false;
	if (node->count != 1)
		return say(r, node, "`gives:` takes one of text, profile and rules");
	if (!want_word(r, what, what->key->text))
		return false;
	result->text = (struct lurk_text){what->text, strlen(what->text)};
	if (!strcmp(what->key->text, "text"))
		result->kind = LURK_GIVES_TEXT;
	else if (!strcmp(what->key->text, "profile"))
		result->kind = LURK_GIVES_PROFILE;
	else if (!strcmp(what->text, "toggle"))
		result->kind = LURK_GIVES_TOGGLE;
	else
		return say(r, what, "`rules:` here takes `toggle`");
	return true;
}

static bool read_gives(struct reader *r, const struct lurk_node *node, struct lurk_result *result)
{
	struct lurk_message why;

	if (node->kind != LURK_NODE_SCALAR)
		return read_later_result(r, node, result);
	if (!want_word(r, node, "gives"))
		return false;
	return lurk_profile_result(node->text, r->characters, result, &why) ||
	       say(r, node, why.text);
}

static bool read_swap(struct reader *r, const struct lurk_node *node, struct lurk_rule *rule)
{
	struct lurk_press other;
	struct lurk_message why;

	if (node->kind != LURK_NODE_LIST || node->count != 2)
		return say(r, node, "`swap:` takes two keys, as in [Alt, Meta]");
	if (!read_press(r, node->first, "swap", &rule->press) ||
	    !read_press(r, node->last, "swap", &other))
		return false;
	if (rule->press.modifiers || rule->press.only || other.modifiers || other.only)
		return say(r, node, "keys are swapped without modifiers");
	if (!as_result(&other, node->last->text, &rule->gives, &why))
		return say(r, node->last, why.text);
	rule->swap = true;
	if (other.on.kind == rule->press.on.kind && other.on.key == rule->press.on.key &&
	    lurk_scan_same(other.on.scan, rule->press.on.scan))
		return say(r, node, "a key cannot be swapped with itself");
	if (lurk_rule_check(rule) != LURK_OK)
		return say(
			r, node,
			"two keys that have names are swapped, or two pairs such as Alt and Meta");
	return true;
}

static bool read_rule(struct reader *r, const struct lurk_node *node, struct lurk_rule *rule)
{
	const struct lurk_node *press, *gives, *swap, *keyboard, *note, *off;
	struct lurk_message why;
	bool unknown = false;

	if (node->kind != LURK_NODE_MAP)
		return say(r, node,
			   "a rule is expected, such as `- press: CapsLock` and `gives: Enter` "
			   "below it");
	if (!lurk_yaml_fields(&r->file->yaml, node, "a rule", rule_fields, r->message))
		return false;
	press = lurk_node_get(node, "press");
	gives = lurk_node_get(node, "gives");
	swap = lurk_node_get(node, "swap");
	keyboard = lurk_node_get(node, "keyboard");
	note = lurk_node_get(node, "note");
	off = lurk_node_get(node, "off");
	if (swap ? press || gives : !press || !gives)
		return say(r, node,
			   swap    ? "a rule has `swap`, or `press` and `gives`, not both"
			   : press ? "this rule has `press` but no `gives`; add what the key gives"
				   : "this rule needs `press` and `gives`, or `swap`");
	rule->line = node->line;
	if (keyboard) {
		if (!want_word(r, keyboard, "keyboard"))
			return false;
		rule->keyboard = lurk_keyboards_find(r->keyboards, keyboard->text, &why);
		if (!rule->keyboard)
			return say(r, keyboard, why.text);
		unknown = rule->keyboard == LURK_KEYBOARD_UNKNOWN;
		rule->keyboard = unknown ? 0 : rule->keyboard;
	}
	r->keyboard = rule->keyboard;
	if (swap ? !read_swap(r, swap, rule)
		 : !read_press(r, press, "press", &rule->press) ||
			    !read_gives(r, gives, &rule->gives))
		return false;
	rule->keyboard = r->keyboard;
	if (off && !lurk_yaml_bool(&r->file->yaml, off, &rule->off, r->message))
		return false;
	rule->off = rule->off || unknown;
	if (note) {
		if (note->kind != LURK_NODE_SCALAR)
			return say(r, note, "`note:` takes one text");
		rule->note = (struct lurk_text){note->text, strlen(note->text)};
	}
	if (lurk_rule_check(rule) == LURK_ERR_CONTENT)
		return say(r, node, "this rule makes no sense");
	return true;
}

static bool read_rules(struct reader *r, const struct lurk_node *list)
{
	struct lurk_profile_file *f = r->file;

	if (list->kind != LURK_NODE_LIST || list->count > LURK_RULES_MAX)
		return lurk_yaml_say(&f->yaml, list, r->message,
				     "`rules:` takes a list of up to %d rules", LURK_RULES_MAX);
	f->rules = calloc(list->count + 1, sizeof *f->rules);
	f->nodes = calloc(list->count + 1, sizeof *f->nodes);
	if (!f->rules || !f->nodes)
		return say(r, list, "not enough memory");
	for (struct lurk_node *node = list->first; node; node = node->next) {
		struct lurk_rule *rule = &f->rules[f->count];

		if (!read_rule(r, node, rule))
			return false;
		f->nodes[f->count++] = node;
		if (!rule->off && !f->not_yet && lurk_rule_check(rule) == LURK_ERR_NOT_YET)
			f->not_yet = f->count;
	}
	return true;
}

static bool read_top(struct reader *r)
{
	struct lurk_profile_file *f = r->file;
	const struct lurk_node *root = f->yaml.root, *version, *name, *layout, *rules;

	if (!root)
		return lurk_say(r->message, "%s:1:1: no profile in it; it begins with `lurk: 1`",
				f->yaml.path);
	if (!lurk_yaml_fields(&f->yaml, root, "a profile", top_fields, r->message))
		return false;
	version = lurk_node_get(root, "lurk");
	name = lurk_node_get(root, "name");
	layout = lurk_node_get(root, "layout");
	rules = lurk_node_get(root, "rules");
	if (!version)
		return say(r, root, "a profile begins with `lurk: 1`");
	if (strcmp(version->text, "1"))
		return lurk_yaml_say(&f->yaml, version, r->message,
				     "this version reads profiles with `lurk: 1`, not `%s`",
				     version->text);
	if (name && name->kind != LURK_NODE_SCALAR)
		return say(r, name, "`name:` takes one text");
	if (layout && layout->kind != LURK_NODE_SCALAR)
		return say(r, layout, "`layout:` takes one name, such as gb");
	f->name = name ? name->text : "";
	f->layout = layout ? layout->text : "";
	return !rules || lurk_node_empty(rules) || read_rules(r, rules);
}

/* ---- Images, and conflicts between rules ---------------------------------------------------- */

static uint8_t *write_image(const struct lurk_profile_file *file,
			    const struct lurk_keyboards_file *keyboards, size_t *length)
{
	const struct lurk_profile profile = {
		{file->name, strlen(file->name)},
		{file->yaml.path, strlen(file->yaml.path)},
		file->rules,
		0,
		file->count,
		file->way,
	};
	const struct lurk_image_parts parts = {&profile, 1, keyboards->keyboards, keyboards->count};
	uint8_t *bytes;

	if (lurk_image_write(&parts, NULL, 0, length) != LURK_ERR_ROOM)
		return NULL;
	bytes = malloc(*length);
	if (bytes && lurk_image_write(&parts, bytes, *length, length) == LURK_OK)
		return bytes;
	free(bytes);
	return NULL;
}

static bool say_conflict(const struct lurk_profile_file *file, const uint32_t rules[2],
			 const struct lurk_keyboards_file *keyboards, struct lurk_message *message)
{
	const struct lurk_rule *later = &file->rules[rules[1]];
	char press[LURK_WORDS];

	return lurk_yaml_say(
		&file->yaml, file->nodes[rules[1]], message,
		"this rule (%s%s%s) and the one on line %u are for the same key and equally "
		"specific; remove one, or write `off: true` in it",
		lurk_words_for_press(&later->press, press), later->keyboard ? " on " : "",
		later->keyboard ? keyboards->keyboards[later->keyboard - 1].name.bytes : "",
		file->rules[rules[0]].line);
}

static bool compiles(const struct lurk_profile_file *file,
		     const struct lurk_keyboards_file *keyboards, const struct lurk_image *image,
		     struct lurk_message *message)
{
	bool fine = true;
	size_t size = 0;
	void *memory = NULL;

	for (unsigned k = 0; k <= keyboards->count && fine; k++) {
		for (unsigned w = LURK_WIRING_HID; w <= LURK_WIRING_SET2 && fine; w++) {
			struct lurk_compile_job job = {image, 0, (uint16_t)k, (uint8_t)w};
			struct lurk_compile_report report;
			struct lurk_keymap *keymap;
			enum lurk_error error = lurk_compile(&job, memory, size, &keymap, &report);

			if (error == LURK_ERR_ROOM) {
				free(memory);
				size = report.needed;
				memory = malloc(size);
				error = memory ? lurk_compile(&job, memory, size, &keymap, &report)
					       : error;
			}
			if (error == LURK_ERR_CONFLICT)
				fine = say_conflict(file, report.rules, keyboards, message);
			else if (error && error != LURK_ERR_NOT_YET)
				fine = lurk_say(message, "%s: %s", file->yaml.path,
						lurk_error_text(error));
		}
	}
	free(memory);
	return fine;
}

uint8_t *lurk_profile_image_of_now(const struct lurk_profile_file *file,
				   const struct lurk_keyboards_file *keyboards, size_t *length)
{
	struct lurk_profile_file copy = *file;
	uint8_t *bytes;

	copy.rules = calloc(file->count + 1, sizeof *copy.rules);
	if (!copy.rules)
		return NULL;
	for (uint32_t i = 0; i < file->count; i++) {
		copy.rules[i] = file->rules[i];
		if (lurk_rule_check(&copy.rules[i]) == LURK_ERR_NOT_YET)
			copy.rules[i].off = true;
	}
	bytes = write_image(&copy, keyboards, length);
	free(copy.rules);
	return bytes;
}

bool lurk_profile_agrees(const struct lurk_profile_file *file,
			 const struct lurk_keyboards_file *keyboards, struct lurk_message *message)
{
	struct lurk_image image;
	size_t length;
	uint8_t *bytes = lurk_profile_image_of_now(file, keyboards, &length);
	bool fine = false;

	if (bytes && lurk_image_open(bytes, length, &image) == LURK_OK)
		fine = compiles(file, keyboards, &image, message);
	else
		lurk_say(message, "%s: too long to be stored", file->yaml.path);
	free(bytes);
	return fine;
}

bool lurk_profile_read(struct lurk_profile_file *file, const char *path, char *bytes, size_t length,
		       const struct lurk_keyboards_file *keyboards,
		       const struct lurk_characters *characters, struct lurk_message *message)
{
	struct reader r = {file, keyboards, characters, message, 0};

	memset(file, 0, sizeof *file);
	if (lurk_yaml_parse(&file->yaml, path, bytes, length, message) && read_top(&r))
		return true;
	lurk_profile_free(file);
	return false;
}

void lurk_profile_free(struct lurk_profile_file *file)
{
	lurk_yaml_free(&file->yaml);
	free(file->rules);
	free(file->nodes);
	memset(file, 0, sizeof *file);
}

static const char *later_kind(const struct lurk_rule *rule)
{
	switch (rule->gives.kind) {
	case LURK_GIVES_TEXT:
		return "rules that type text";
	case LURK_GIVES_CHORDS:
		return "rules that give several keys at once";
	case LURK_GIVES_PROFILE:
		return "rules that switch profiles";
	case LURK_GIVES_TOGGLE:
		return "rules that switch rules off and on";
	default:
		return "rules for a key pressed with modifiers";
	}
}

uint8_t *lurk_profile_image(const struct lurk_profile_file *file,
			    const struct lurk_keyboards_file *keyboards, size_t *length,
			    struct lurk_message *message)
{
	uint8_t *bytes;

	if (file->not_yet) {
		lurk_yaml_say(&file->yaml, file->nodes[file->not_yet - 1], message,
			      "not yet: %s come in a later version; write `off: true` in it to "
			      "keep it and "
			      "apply the others",
			      later_kind(&file->rules[file->not_yet - 1]));
		return NULL;
	}
	bytes = write_image(file, keyboards, length);
	if (!bytes)
		lurk_say(message, "%s: too long to be stored", file->yaml.path);
	return bytes;
}
