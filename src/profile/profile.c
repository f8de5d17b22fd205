/* Profile files. */
#include "lurk/profile/profile.h"

#include <stdio.h>
#include <string.h>
#include <strings.h>

#include "lurk/keymap.h"
#include "lurk/text/memory.h"

static const char *const top_fields[] = {"lurk", "name", "based-on", "layout", "rules", NULL};
static const char *const rule_fields[] = {"press", "gives", "swap", "keyboard",
					  "note",  "off",   NULL};
static const char *const gives_fields[] = {"text", "profile", "rules", NULL};

struct reader {
	struct lurk_profile_file *file;
	const struct lurk_keyboards_file *keyboards;
	const struct lurk_characters *characters;
	struct lurk_message *message;
	uint16_t keyboard; /* of the rule at hand */
	uint8_t *steps;    /* of the rule at hand; NULL where there are none yet */
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
		      uint8_t step[LURK_STEP_BYTES], struct lurk_message *message)
{
	lurk_key key = lurk_target_key(&press->on);

	memset(result, 0, sizeof *result);
	if (!key || press->only || press->on.kind == LURK_TARGET_MEANING)
		return lurk_say(message,
				"`%s` cannot be given: a rule gives a key, a chord such as "
				"Control+KeyL, {text: ...}, `nothing` or `itself`",
				text);
	if (press->modifiers) {
		lurk_step_write(&(struct lurk_step){key, press->modifiers}, step);
		result->kind = LURK_GIVES_CHORDS;
		result->text = (struct lurk_text){text, strlen(text)};
		result->steps = (struct lurk_text){(const char *)step, LURK_STEP_BYTES};
		return true;
	}
	result->kind = press->on.kind == LURK_TARGET_PAIR ? LURK_GIVES_PAIR : LURK_GIVES_KEY;
	result->key = key;
	return true;
}

bool lurk_profile_result(const char *text, const struct lurk_characters *characters,
			 struct lurk_result *result, uint8_t step[LURK_STEP_BYTES],
			 struct lurk_message *message)
{
	struct lurk_press press;

	memset(result, 0, sizeof *result);
	if (!strcasecmp(text, "nothing") || !strcasecmp(text, "none") ||
	    !strcasecmp(text, "no action") || !strcasecmp(text, "itself")) {
		result->kind = (*text | 32) == 'n' ? LURK_GIVES_NOTHING : LURK_GIVES_ITSELF;
		return true;
	}
	return lurk_words_press(text, characters, &press, message) &&
	       as_result(&press, text, result, step, message);
}

/* ---- Chords, text, and what switches -------------------------------------------------------- */

/* Room for the steps of the rule at hand. */
static uint8_t *make_steps(struct reader *r, const struct lurk_node *node, size_t count)
{
	r->steps = lurk_allocate(count + 1, LURK_STEP_BYTES);
	if (!r->steps)
		say(r, node, "not enough memory");
	return r->steps;
}

/* One chord after the other, the last of which is held. Written in order, as it is shown. */
static bool read_chords(struct reader *r, const struct lurk_node *list, struct lurk_result *result)
{
	size_t length = 0;

	if (!list->count || list->count > LURK_CHORDS_MAX)
		return lurk_yaml_say(&r->file->yaml, list, r->message,
				     list->count ? "at most %d chords in a row"
						 : "an empty list gives nothing; write `gives: "
						   "nothing`",
				     LURK_CHORDS_MAX);
	if (!make_steps(r, list, list->count))
		return false;
	result->kind = LURK_GIVES_CHORDS;
	for (const struct lurk_node *one = list->first; one; one = one->next) {
		struct lurk_press press;
		struct lurk_result chord;
		struct lurk_message why;

		if (!read_press(r, one, "gives", &press))
			return false;
		if (!as_result(&press, one->text, &chord, r->steps + length, &why))
			return say(r, one, why.text);
		if (chord.kind != LURK_GIVES_CHORDS)
			lurk_step_write(&(struct lurk_step){chord.key, 0}, r->steps + length);
		length += LURK_STEP_BYTES;
	}
	result->steps = (struct lurk_text){(char *)r->steps, length};
	result->text =
		(struct lurk_text){r->file->yaml.bytes + list->start, list->end - list->start};
	return true;
}

static size_t characters_in(struct lurk_text text)
{
	size_t count = 0;
	uint32_t c;

	for (size_t at = 0; at < text.length; count++)
		at += lurk_character_read(text.bytes + at, text.length - at, &c);
	return count;
}

/* The strokes of a text in one layout: how many bytes, 0 where it lacks a character. */
static size_t type_text(const struct lurk_characters *characters, struct lurk_text text,
			uint8_t *bytes)
{
	struct lurk_step steps[LURK_CHARACTER_STEPS];
	size_t length = 0;
	uint32_t c;

	for (size_t at = 0; at < text.length;) {
		unsigned n;

		at += lurk_character_read(text.bytes + at, text.length - at, &c);
		n = characters->type(characters->data, c, steps);
		if (!n)
			return 0;
		for (unsigned i = 0; i < n; i++, length += LURK_STEP_BYTES)
			lurk_step_write(&steps[i], bytes + length);
	}
	return length;
}

/* The same in each layout that may be active, one part after the other; 0 where none has all. */
static size_t type_in_each(const struct lurk_characters *characters, struct lurk_text text,
			   uint8_t *bytes)
{
	struct lurk_characters one;
	uint32_t layout;
	size_t length = 0;
	bool any = false;

	for (unsigned i = 0;
	     i < LURK_STEPS_LAYOUTS && characters->each(characters->data, i, &one, &layout); i++) {
		const size_t n = type_text(&one, text, bytes + length + LURK_STEPS_HEADING);

		if (!layout) /* it has no name: it cannot be told from others */
			return type_text(characters, text, bytes);
		any = any || n;
		lurk_steps_heading(layout, (unsigned)(n / LURK_STEP_BYTES), bytes + length);
		length += LURK_STEPS_HEADING + n;
	}
	return any ? length : 0;
}

/* The strokes of a text. Where no layout has some for a character, or none is known, it stays
 * without: that is said when it is applied. */
static bool read_text(struct reader *r, const struct lurk_node *node, struct lurk_result *result)
{
	enum { HEADING = LURK_STEPS_HEADING / LURK_STEP_BYTES };
	const struct lurk_text text = {node->text, strlen(node->text)};
	const struct lurk_characters *characters = r->characters;
	const size_t count = characters_in(text), in_one = count * LURK_CHARACTER_STEPS + HEADING;
	size_t length = 0;

	if (count > LURK_TEXT_MAX)
		return lurk_yaml_say(&r->file->yaml, node, r->message,
				     "a key types %d characters at most, and this is longer",
				     LURK_TEXT_MAX);
	if (!make_steps(r, node,
			in_one * (characters && characters->each ? LURK_STEPS_LAYOUTS : 1)))
		return false;
	if (characters && characters->type)
		length = characters->each ? type_in_each(characters, text, r->steps)
					  : type_text(characters, text, r->steps);
	result->steps = (struct lurk_text){(char *)r->steps, length};
	return true;
}

/* {text: …}, {profile: …}, {rules: toggle}, or a list of chords. */
static bool read_more(struct reader *r, const struct lurk_node *node, struct lurk_result *result)
{
	const struct lurk_node *what = node->first;

	if (node->kind == LURK_NODE_LIST)
		return read_chords(r, node, result);
	if (!lurk_yaml_fields(&r->file->yaml, node, "`gives:`", gives_fields, r->message))
		return false;
	if (node->count != 1)
		return say(r, node, "`gives:` takes one of text, profile and rules");
	if (!want_word(r, what, what->key->text))
		return false;
	result->text = (struct lurk_text){what->text, strlen(what->text)};
	if (!strcmp(what->key->text, "text")) {
		result->kind = LURK_GIVES_TEXT;
		return read_text(r, what, result);
	}
	if (!strcmp(what->key->text, "profile"))
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
		return read_more(r, node, result);
	if (!want_word(r, node, "gives") || !make_steps(r, node, 1))
		return false;
	return lurk_profile_result(node->text, r->characters, result, r->steps, &why) ||
	       say(r, node, why.text);
}

static bool read_swap(struct reader *r, const struct lurk_node *node, struct lurk_rule *rule)
{
	struct lurk_press other;
	struct lurk_message why;
	uint8_t unused[LURK_STEP_BYTES];

	if (node->kind != LURK_NODE_LIST || node->count != 2)
		return say(r, node, "`swap:` takes two keys, as in [Control, Alt]");
	if (!read_press(r, node->first, "swap", &rule->press) ||
	    !read_press(r, node->last, "swap", &other))
		return false;
	if (rule->press.modifiers || rule->press.only || other.modifiers || other.only)
		return say(r, node, "keys are swapped without modifiers");
	if (!as_result(&other, node->last->text, &rule->gives, unused, &why))
		return say(r, node->last, why.text);
	rule->swap = true;
	if (other.on.kind == rule->press.on.kind && other.on.key == rule->press.on.key &&
	    lurk_scan_same(other.on.scan, rule->press.on.scan))
		return say(r, node, "a key cannot be swapped with itself");
	if (lurk_rule_check(rule) != LURK_OK)
		return say(r, node,
			   "two keys that have names are swapped, or two pairs such as Control and "
			   "Alt");
	return true;
}

static bool read_rule(struct reader *r, const struct lurk_node *node, struct lurk_rule *rule)
{
	const struct lurk_node *press, *gives, *swap, *keyboard, *note, *off;
	struct lurk_message why;
	bool unknown = false;

	if (node->kind != LURK_NODE_MAP)
		return say(r, node,
			   "a rule is expected, such as `- press: NumLock` and `gives: Tab` "
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
	f->rules = lurk_allocate(list->count + 1, sizeof *f->rules);
	f->nodes = lurk_allocate(list->count + 1, sizeof *f->nodes);
	f->steps = lurk_allocate(list->count + 1, sizeof *f->steps);
	if (!f->rules || !f->nodes || !f->steps)
		return say(r, list, "not enough memory");
	for (struct lurk_node *node = list->first; node; node = node->next) {
		bool fine;

		r->steps = NULL;
		fine = read_rule(r, node, &f->rules[f->count]);
		f->steps[f->count] = r->steps;
		f->nodes[f->count++] = node;
		if (!fine)
			return false;
	}
	return true;
}

/* All but the rules. */
static bool read_head(struct reader *r)
{
	struct lurk_profile_file *f = r->file;
	const struct lurk_node *root = f->yaml.root, *version, *name, *based_on, *layout;

	if (!root)
		return lurk_say(r->message, "%s:1:1: no profile in it; it begins with `lurk: 1`",
				f->yaml.path);
	if (!lurk_yaml_fields(&f->yaml, root, "a profile", top_fields, r->message))
		return false;
	version = lurk_node_get(root, "lurk");
	name = lurk_node_get(root, "name");
	based_on = lurk_node_get(root, "based-on");
	layout = lurk_node_get(root, "layout");
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
	if (based_on && !want_word(r, based_on, "based-on"))
		return false;
	f->name = name ? name->text : "";
	f->based_on = based_on ? based_on->text : "";
	f->layout = layout ? layout->text : "";
	return true;
}

/* ---- Several profiles ------------------------------------------------------------------------ */

bool lurk_profile_word(const char *path, char word[LURK_PROFILE_WORD])
{
	static const char allowed[] =
		"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-";
	const char *slash = strrchr(path, '/'), *stem = slash ? slash + 1 : path;
	const char *dot = strrchr(stem, '.');
	size_t length = dot ? (size_t)(dot - stem) : strlen(stem);

	*word = '\0';
	if (!length || length >= LURK_PROFILE_WORD || strspn(stem, allowed) < length)
		return false;
	snprintf(word, LURK_PROFILE_WORD, "%.*s", (int)length, stem);
	if (!strcmp(word, "profile"))
		memcpy(word, LURK_PROFILE_BASE, sizeof LURK_PROFILE_BASE);
	return strcmp(word, "previous") != 0;
}

static int find_file(const struct lurk_profile_set *set, struct lurk_text word)
{
	for (unsigned i = 0; i < set->count; i++) {
		if (word.length && strlen(set->files[i]->word) == word.length &&
		    !strncasecmp(set->files[i]->word, word.bytes, word.length))
			return (int)i;
	}
	return -1;
}

const struct lurk_profile_file *lurk_profile_find(const struct lurk_profile_set *set,
						  struct lurk_text word)
{
	int at = find_file(set, word);

	return at < 0 ? NULL : set->files[at];
}

static int find_base(const struct lurk_profile_set *set, const struct lurk_profile_file *file)
{
	return find_file(set, (struct lurk_text){file->based_on, strlen(file->based_on)});
}

static bool say_based_on(const struct lurk_profile_file *file, struct lurk_message *message,
			 const char *what)
{
	return lurk_yaml_say(&file->yaml, lurk_node_get(file->yaml.root, "based-on"), message,
			     "`%s` %s", file->based_on, what);
}

/* Whether all that the profile is based on is there, and ends. */
static bool check_bases(const struct lurk_profile_set *set, unsigned index,
			struct lurk_message *message)
{
	const struct lurk_profile_file *file = set->files[index];

	for (unsigned bases = 0; *file->based_on; bases++) {
		int at = find_base(set, file);

		if (at < 0)
			return say_based_on(file, message,
					    "is no profile here; `lurk profile list` lists them");
		if (at == (int)index || bases + 1 == LURK_BASES_MAX)
			return say_based_on(
				set->files[index], message,
				"cannot be meant: the profile would be based on itself");
		file = set->files[at];
	}
	return true;
}

bool lurk_profile_order(struct lurk_profile_set *set, struct lurk_message *message)
{
	const struct lurk_profile_set old = *set;
	unsigned placed = 1;

	for (unsigned i = 0; i < set->count; i++) {
		if (!check_bases(&old, i, message))
			return false;
	}
	for (const struct lurk_profile_file *file = old.files[0]; *file->based_on;) {
		file = old.files[find_base(&old, file)];
		set->files[placed++] = file;
	}
	for (unsigned i = 1, bases = placed; i < old.count; i++) {
		bool there = false;

		for (unsigned k = 1; k < bases; k++)
			there = there || set->files[k] == old.files[i];
		if (!there)
			set->files[placed++] = old.files[i];
	}
	return true;
}

/* ---- Images, and conflicts between rules ---------------------------------------------------- */

/* Rules that cannot be carried out: text without strokes, profiles that are not there. */
static bool can_be_done(const struct lurk_profile_set *set, const struct lurk_rule *rule)
{
	static const char previous[] = "previous";
	const struct lurk_text *name = &rule->gives.text;

	if (rule->gives.kind != LURK_GIVES_PROFILE)
		return lurk_rule_check(rule) != LURK_ERR_UNTYPED;
	return (name->length == strlen(previous) && !memcmp(name->bytes, previous, name->length)) ||
	       find_file(set, *name) >= 0;
}

static struct lurk_profile describe(const struct lurk_profile_set *set, unsigned index)
{
	const struct lurk_profile_file *file = set->files[index];

	return (struct lurk_profile){
		.name = {file->name, strlen(file->name)},
		.source = {file->yaml.path, strlen(file->yaml.path)},
		.rules = file->rules,
		.rule_count = file->count,
		.way = file->way,
		.word = {file->word, strlen(file->word)},
		.based_on = *file->based_on ? (uint16_t)(find_base(set, file) + 1) : (uint16_t)0,
	};
}

static uint8_t *write_image(const struct lurk_image_parts *parts, size_t *length)
{
	uint8_t *bytes;

	if (lurk_image_write(parts, NULL, 0, length) != LURK_ERR_ROOM)
		return NULL;
	bytes = lurk_resize(NULL, *length);
	if (bytes && lurk_image_write(parts, bytes, *length, length) == LURK_OK)
		return bytes;
	lurk_release(bytes);
	return NULL;
}

/* The rules in copies, those that cannot be carried out switched off. */
static void copy_rules(const struct lurk_profile_set *set, struct lurk_profile *profile)
{
	struct lurk_rule *copy = lurk_allocate(profile->rule_count + 1, sizeof *copy);

	for (uint32_t i = 0; i < profile->rule_count; i++) {
		copy[i] = profile->rules[i];
		copy[i].off = copy[i].off || !can_be_done(set, &copy[i]);
	}
	profile->rules = copy;
}

uint8_t *lurk_profile_image_as_is(struct lurk_profile_set *set,
				  const struct lurk_keyboards_file *keyboards, size_t *length)
{
	struct lurk_profile profiles[LURK_PROFILES_MAX];
	const struct lurk_image_parts parts = {profiles, (uint16_t)set->count, keyboards->keyboards,
					       keyboards->count};
	struct lurk_message unused;
	uint8_t *bytes = NULL;

	if (!lurk_profile_order(set, &unused))
		return NULL;
	for (unsigned i = 0; i < set->count; i++) {
		profiles[i] = describe(set, i);
		copy_rules(set, &profiles[i]);
	}
	bytes = write_image(&parts, length);
	for (unsigned i = 0; i < set->count; i++)
		lurk_release((void *)(uintptr_t)profiles[i].rules);
	return bytes;
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
			struct lurk_compile_job job = {image,      0,     (uint16_t)k,
						       (uint8_t)w, false, NULL};
			struct lurk_compile_report report;
			struct lurk_keymap *keymap;
			enum lurk_error error = lurk_compile(&job, memory, size, &keymap, &report);

			if (error == LURK_ERR_ROOM) {
				lurk_release(memory);
				size = report.needed;
				memory = lurk_resize(NULL, size);
				error = memory ? lurk_compile(&job, memory, size, &keymap, &report)
					       : error;
			}
			/* Those of another profile are said there. */
			if (error == LURK_ERR_CONFLICT && report.rules[1] < file->count)
				fine = say_conflict(file, report.rules, keyboards, message);
			else if (error && error != LURK_ERR_CONFLICT)
				fine = lurk_say(message, "%s: %s", file->yaml.path,
						lurk_error_text(error));
		}
	}
	lurk_release(memory);
	return fine;
}

bool lurk_profile_agrees(const struct lurk_profile_set *set,
			 const struct lurk_keyboards_file *keyboards, struct lurk_message *message)
{
	struct lurk_profile_set ordered = *set;
	struct lurk_image image;
	size_t length;
	uint8_t *bytes;
	bool fine = false;

	if (!lurk_profile_order(&ordered, message))
		return false;
	bytes = lurk_profile_image_as_is(&ordered, keyboards, &length);
	if (bytes && lurk_image_open(bytes, length, &image) == LURK_OK)
		fine = compiles(set->files[0], keyboards, &image, message);
	else
		lurk_say(message, "%s: too long to be stored", set->files[0]->yaml.path);
	lurk_release(bytes);
	return fine;
}

bool lurk_profile_read_head(struct lurk_profile_file *file, const char *path, char *bytes,
			    size_t length, struct lurk_message *message)
{
	struct reader r = {file, NULL, NULL, message, 0, NULL};

	memset(file, 0, sizeof *file);
	lurk_profile_word(path, file->word);
	if (lurk_yaml_parse(&file->yaml, path, bytes, length, message) && read_head(&r))
		return true;
	lurk_profile_free(file);
	return false;
}

bool lurk_profile_read_rules(struct lurk_profile_file *file,
			     const struct lurk_keyboards_file *keyboards,
			     const struct lurk_characters *characters, struct lurk_message *message)
{
	struct reader r = {file, keyboards, characters, message, 0, NULL};
	const struct lurk_node *rules = lurk_node_get(file->yaml.root, "rules");

	file->characters = characters;
	if (!rules || lurk_node_empty(rules) || read_rules(&r, rules))
		return true;
	lurk_profile_free(file);
	return false;
}

bool lurk_profile_read(struct lurk_profile_file *file, const char *path, char *bytes, size_t length,
		       const struct lurk_keyboards_file *keyboards,
		       const struct lurk_characters *characters, struct lurk_message *message)
{
	return lurk_profile_read_head(file, path, bytes, length, message) &&
	       lurk_profile_read_rules(file, keyboards, characters, message);
}

void lurk_profile_free(struct lurk_profile_file *file)
{
	lurk_yaml_free(&file->yaml);
	for (uint32_t i = 0; i < file->count; i++)
		lurk_release(file->steps[i]);
	lurk_release(file->rules);
	lurk_release(file->nodes);
	lurk_release(file->steps);
	memset(file, 0, sizeof *file);
}

/* Names the first character that stays without strokes, and who has it. */
static bool say_untyped(const struct lurk_profile_file *file, const struct lurk_node *node,
			struct lurk_text text, struct lurk_message *message)
{
	const struct lurk_characters *characters = file->characters;
	struct lurk_step steps[LURK_CHARACTER_STEPS];
	const char *elsewhere;
	size_t at = 0, n = 0;
	uint32_t c = 0;

	for (; at < text.length; at += n) {
		n = lurk_character_read(text.bytes + at, text.length - at, &c);
		if (!characters->type(characters->data, c, steps))
			break;
	}
	elsewhere = characters->elsewhere ? characters->elsewhere(characters->data, c) : "";
	return lurk_yaml_say(&file->yaml, node, message,
			     "the layout has no keys for `%.*s` (U+%04X)%s%s%s", (int)n,
			     text.bytes + at, c,
			     *elsewhere ? "; these have: " : ", nor has any common one", elsewhere,
			     *elsewhere ? " (`layout:` in the profile says which is used)" : "");
}

static bool say_cannot(const struct lurk_profile_file *file, uint32_t index,
		       struct lurk_message *message)
{
	const struct lurk_rule *rule = &file->rules[index];
	const struct lurk_node *node = lurk_node_get(file->nodes[index], "gives");
	int length = (int)rule->gives.text.length;

	if (rule->gives.kind == LURK_GIVES_PROFILE)
		return lurk_yaml_say(&file->yaml, node->first, message,
				     "there is no profile `%.*s`; `lurk profile new %.*s` makes it",
				     length, rule->gives.text.bytes, length,
				     rule->gives.text.bytes);
	if (!file->characters)
		return lurk_yaml_say(
			&file->yaml, node->first, message,
			"which keys type this depends on the layout, and none is known "
			"here; give `layout:` in the profile, such as layout: gb");
	return say_untyped(file, node->first, rule->gives.text, message);
}

uint8_t *lurk_profile_image(struct lurk_profile_set *set,
			    const struct lurk_keyboards_file *keyboards, size_t *length,
			    struct lurk_message *message)
{
	struct lurk_profile profiles[LURK_PROFILES_MAX];
	const struct lurk_image_parts parts = {profiles, (uint16_t)set->count, keyboards->keyboards,
					       keyboards->count};
	uint8_t *bytes;

	if (!lurk_profile_order(set, message))
		return NULL;
	for (unsigned i = 0; i < set->count; i++) {
		profiles[i] = describe(set, i);
		for (uint32_t k = 0; k < set->files[i]->count; k++) {
			if (set->files[i]->rules[k].off ||
			    can_be_done(set, &set->files[i]->rules[k]))
				continue;
			say_cannot(set->files[i], k, message);
			return NULL;
		}
	}
	bytes = write_image(&parts, length);
	if (!bytes)
		lurk_say(message, "%s: too long to be stored", set->files[0]->yaml.path);
	return bytes;
}
