/* What each cap says. */
#include <ctype.h>
#include <stdio.h>
#include <string.h>

#include "lurk/text/memory.h"
#include "lurk/layout/own.h"
#include "lurk/text/utf8.h"
#include "lurk/text/words.h"
#include "picture/picture.h"

enum { EXTRA_WIDTH = 8, EXTRA_GAP = 2 };
/* How much is told on a cap of what modifiers bring about; and in the place of a legend. */
enum { WITH_TEXT = 40, LEGEND_CHARACTERS = 2 };

struct face {
	const struct picture_job *job;
	struct lurk_keymap *keymap; /* NULL for no rules */
	struct picture *picture;
	uint8_t wiring, held;
	bool third_level;
	lurk_key pairs[64][2];
	unsigned pair_count;
};

/* ---- Texts ----------------------------------------------------------------------------------- */

/* A letter is printed as a capital. */
static bool is_letter(const char *small, const char *large)
{
	const wchar_t a = lurk_utf8_next(&small), b = lurk_utf8_next(&large);

	return a != b && lurk_utf8_upper(a) == b && !*small && !*large;
}

static void key_text(const struct face *f, lurk_key key, char text[PICTURE_TEXT])
{
	char large[LURK_LEGEND];

	picture_label(key, f->job->layout, text);
	if (lurk_key_side(key) == LURK_SIDE_NUMPAD && key != LURK_KEY_KPENTER) {
		char legend[PICTURE_TEXT];

		memcpy(legend, text, sizeof legend);
		snprintf(text, PICTURE_TEXT, "Num %.16s\n%.16s", legend, legend);
	} else if (f->job->layout) {
		lurk_layout_legend(f->job->layout, key, LURK_MOD_SHIFT, large);
		if (is_letter(text, large))
			snprintf(text, PICTURE_TEXT, "%s", large);
	} else if (strlen(text) == 1) {
		*text = (char)toupper(*text);
	}
}

static const struct {
	uint16_t bits;
	const char *name, *brief;
} modifiers[] = {
	{LURK_MOD_CONTROL, "Control", "Ctrl"},
	{LURK_MOD_LEFT_CONTROL, "Control", "Ctrl"},
	{LURK_MOD_RIGHT_CONTROL, "right Control", "RCtrl"},
	{LURK_MOD_ALT, "Alt", "Alt"},
	{LURK_MOD_LEFT_ALT, "Alt", "Alt"},
	{LURK_MOD_RIGHT_ALT, "Alt Gr", "AltGr"},
	{LURK_MOD_SHIFT, "Shift", "Shift"},
	{LURK_MOD_LEFT_SHIFT, "Shift", "Shift"},
	{LURK_MOD_RIGHT_SHIFT, "right Shift", "RShift"},
	{LURK_MOD_META, "Meta", "Meta"},
	{LURK_MOD_LEFT_META, "Meta", "Meta"},
	{LURK_MOD_RIGHT_META, "right Meta", "RMeta"},
};

static void modifiers_text(uint16_t bits, bool brief, char *out, size_t size)
{
	for (size_t i = 0; i < sizeof modifiers / sizeof *modifiers; i++) {
		if (!(bits & modifiers[i].bits))
			continue;
		if (*out)
			lurk_append(out, size, "+\t");
		lurk_append(out, size, brief ? modifiers[i].brief : modifiers[i].name);
	}
}

/* Of a shortcut: programs look for Latin letters, also where the layout has others on its keys. */
static void shortcut_key_text(const struct face *f, lurk_key key, char text[PICTURE_TEXT])
{
	enum { AFTER_LATIN = 0x250 };
	const char *meaning = lurk_key_meaning(key), *at = text;

	key_text(f, key, text);
	if (lurk_utf8_next(&at) >= AFTER_LATIN && isalpha((unsigned char)*meaning) && !meaning[1])
		snprintf(text, PICTURE_TEXT, "%c", toupper((unsigned char)*meaning));
}

/* "Control+C Control+V", or with brief names. */
static void chords_text(const struct face *f, const struct lurk_text *steps, bool brief, char *out)
{
	size_t count = steps->length / LURK_STEP_BYTES;

	for (size_t i = 0; i < count; i++) {
		struct lurk_step step =
			lurk_step_read((const uint8_t *)steps->bytes + i * LURK_STEP_BYTES);
		char held[PICTURE_TEXT] = "", key[PICTURE_TEXT], name[PICTURE_TEXT];

		modifiers_text(step.modifiers & LURK_MOD_ALL, brief, held, sizeof held);
		if (*held)
			shortcut_key_text(f, step.key, key);
		else
			key_text(f, step.key, key);
		picture_first(key, name);
		if (i)
			lurk_append(out, PICTURE_TEXT / 2, " ");
		lurk_append(out, PICTURE_TEXT / 2, held);
		if (*held)
			lurk_append(out, PICTURE_TEXT / 2, "+\t");
		lurk_append(out, PICTURE_TEXT / 2, name);
	}
}

/* Text that came from a file, with what cannot stand on a cap made harmless. */
static void safe_text(struct lurk_text text, char out[PICTURE_TEXT])
{
	char *whole = lurk_copy(text.bytes, text.length);

	*out = '\0';
	lurk_append(out, PICTURE_TEXT - strlen("…"), whole);
	if (strlen(out) < strlen(whole)) /* more than any cap has room for */
		lurk_append(out, PICTURE_TEXT, "…");
	lurk_release(whole);
	lurk_make_harmless(out);
}

/* It may be broken behind signs as well. */
static void add_text(char text[PICTURE_TEXT], const char *words)
{
	for (const char *next; *words; words = next) {
		char part[PICTURE_TEXT];

		next = words + strcspn(words, "-/.,;:_@");
		next += *next != '\0';
		snprintf(part, sizeof part, "%.*s%s", (int)(next - words), words,
			 *next && *next != ' ' ? "\t" : "");
		lurk_append(text, PICTURE_TEXT - strlen("”"), part);
	}
}

static void result_text(const struct face *f, const struct lurk_result *result, lurk_key key,
			char text[PICTURE_TEXT])
{
	char name[PICTURE_TEXT] = "";

	*text = '\0';
	switch (result->kind) {
	case LURK_GIVES_NOTHING:
		snprintf(text, PICTURE_TEXT, "nothing\nnone");
		break;
	case LURK_GIVES_ITSELF:
		key_text(f, key, text);
		break;
	case LURK_GIVES_CHORDS:
		chords_text(f, &result->steps, false, name);
		lurk_append(text, PICTURE_TEXT / 2, name);
		lurk_append(text, PICTURE_TEXT, "\n");
		*name = '\0';
		chords_text(f, &result->steps, true, name);
		lurk_append(text, PICTURE_TEXT, name);
		break;
	case LURK_GIVES_TEXT:
		safe_text(result->text, name);
		if (lurk_utf8_count(name) > 1)
			lurk_append(text, PICTURE_TEXT, "“");
		add_text(text, name);
		if (lurk_utf8_count(name) > 1)
			lurk_append(text, PICTURE_TEXT, "”");
		break;
	case LURK_GIVES_PROFILE:
		safe_text(result->text, name);
		lurk_append(text, PICTURE_TEXT, "use ");
		lurk_append(text, PICTURE_TEXT / 2, name);
		lurk_append(text, PICTURE_TEXT, "\n");
		lurk_append(text, PICTURE_TEXT, name);
		break;
	case LURK_GIVES_TOGGLE:
		snprintf(text, PICTURE_TEXT, "rules on/off\non/off");
		break;
	default:
		key_text(f, result->key, text);
		break;
	}
}

/* ---- Rules ----------------------------------------------------------------------------------- */

static struct lurk_keymap *compile(const struct picture_job *job, uint8_t wiring)
{
	const struct lurk_compile_part *below = job->below.image ? &job->below : NULL;
	struct lurk_compile_job compile = {job->image, job->profile, job->keyboard,
					   wiring,     false,        below};
	struct lurk_compile_report report;
	struct lurk_keymap *keymap = NULL;
	void *memory = NULL;

	if (!job->image || job->without_rules)
		return NULL;
	if (lurk_compile(&compile, NULL, 0, &keymap, &report) == LURK_ERR_ROOM)
		memory = lurk_resize(NULL, report.needed);
	if (memory && lurk_compile(&compile, memory, report.needed, &keymap, &report) == LURK_OK)
		return keymap;
	lurk_release(memory);
	return NULL;
}

/* 1, 2, … for each two keys that changed places. */
static uint8_t pair_number(struct face *f, lurk_key a, lurk_key b)
{
	lurk_key low = a < b ? a : b, high = a < b ? b : a;
	unsigned i;

	for (i = 0; i < f->pair_count; i++) {
		if (f->pairs[i][0] == low && f->pairs[i][1] == high)
			return (uint8_t)(i + 1);
	}
	if (i == sizeof f->pairs / sizeof *f->pairs)
		return 0;
	f->pairs[i][0] = low;
	f->pairs[i][1] = high;
	f->pair_count++;
	return (uint8_t)f->pair_count;
}

/* Whether a rule's press is this key or code; `by_code` tells which. */
static bool is_on(uint8_t wiring, const struct lurk_rule *rule, const struct picture_cap *cap,
		  bool *by_code)
{
	struct lurk_change change;

	for (unsigned i = 0; lurk_rule_change(rule, i, &change); i++) {
		*by_code = change.on.kind == LURK_TARGET_SCAN;
		if (*by_code ? lurk_scan_same(lurk_scan_on(change.on.scan, wiring), cap->scan)
			     : change.on.key == cap->place.key)
			return true;
	}
	return false;
}

static uint8_t wiring_of(const struct picture_job *job)
{
	return job->info ? job->info->identity.wiring : (uint8_t)LURK_WIRING_HID;
}

static bool acts_here(const struct picture_job *job, const struct lurk_rule *rule)
{
	return !rule->off && (!rule->keyboard || rule->keyboard == job->keyboard);
}

/* The rule behind an action. */
static void rule_of(const struct face *f, const struct lurk_action *action, struct lurk_rule *rule)
{
	lurk_image_rule(action->below ? f->job->below.image : f->job->image, action->rule, rule);
}

/* Of a profile and those that it is based on; where there are not as many, `index` is less by how
 * many there are. */
static bool rule_in(const struct lurk_image *image, uint16_t of, unsigned *index,
		    struct lurk_rule *rule)
{
	struct lurk_profile profile = {.based_on = (uint16_t)(of + 1)};

	for (unsigned depth = 0; profile.based_on && depth <= LURK_BASES_MAX; depth++) {
		lurk_image_profile(image, profile.based_on - 1U, &profile);
		if (*index < profile.rule_count) {
			lurk_image_rule(image, profile.first_rule + *index, rule);
			return true;
		}
		*index -= profile.rule_count;
	}
	return false;
}

static bool rule_at(const struct picture_job *job, unsigned index, struct lurk_rule *rule)
{
	enum { ANOTHER = UINT16_MAX };

	if (!job->image || job->without_rules)
		return false;
	if (rule_in(job->image, job->profile, &index, rule))
		return true;
	if (!job->below.image || !rule_in(job->below.image, job->below.profile, &index, rule))
		return false;
	if (rule->keyboard) /* it has a number of its own there */
		rule->keyboard = rule->keyboard == job->below.keyboard ? 0 : (uint16_t)ANOTHER;
	return true;
}

/* The modifiers of each legend. */
static const uint16_t levels[PICTURE_LEGENDS] = {0, LURK_MOD_SHIFT, LURK_MOD_RIGHT_ALT,
						 LURK_MOD_SHIFT | LURK_MOD_RIGHT_ALT};

/* The modifier keys by which a mask is held: the left ones where either will do. */
static uint8_t held_places(uint16_t mask)
{
	uint8_t held = (uint8_t)(mask & LURK_MOD_SIDES);

	for (unsigned place = 0; place < 4; place++) {
		if (mask >> (8 + place) & 1 && !(held & (0x11U << place)))
			held |= (uint8_t)(1U << place);
	}
	return held;
}

/* Whether it asks for the modifiers of a legend and no others. */
static bool is_on_a_level(const struct lurk_rule *rule)
{
	return !rule->press.only && rule->press.modifiers &&
	       !(rule->press.modifiers & ~(LURK_MOD_SHIFT | LURK_MOD_RIGHT_ALT));
}

/* The legend's place has room for a character or two; else it is empty, and what the rule gives is
 * told elsewhere. */
static bool is_brief(const struct lurk_rule *rule, const char *gives)
{
	return rule->gives.kind != LURK_GIVES_NOTHING &&
	       lurk_utf8_count(gives) <= LEGEND_CHARACTERS && strlen(gives) < LURK_LEGEND;
}

/* Legends whose modifiers some rule asks for. */
static void change_legends(const struct face *f, struct picture_cap *cap)
{
	for (unsigned level = 1; level < (f->third_level ? PICTURE_LEGENDS : 2U); level++) {
		const struct lurk_action *action = lurk_keymap_find_held(
			f->keymap, cap->scan, cap->place.key, held_places(levels[level]));
		char gives[PICTURE_TEXT], first[PICTURE_TEXT];
		struct lurk_rule rule = {0};

		if (action->rank)
			rule_of(f, action, &rule);
		if (!is_on_a_level(&rule))
			continue;
		result_text(f, &rule.gives, cap->place.key, gives);
		picture_first(gives, first);
		snprintf(cap->legends[level], LURK_LEGEND, "%.*s",
			 is_brief(&rule, first) ? LURK_LEGEND - 1 : 0, first);
		if (*cap->legends[level])
			cap->levels |= (uint8_t)(1U << level);
	}
	/* What a level below it gives as well is not said twice. */
	if (!strcmp(cap->legends[3], cap->legends[1]) ||
	    !strcmp(cap->legends[3], cap->legends[2])) {
		*cap->legends[3] = '\0';
		cap->levels &= (uint8_t)~8U;
	}
}

/* Of a shortcut, or nothing, the short form; it says as much. */
static const char *briefly(uint8_t kind, const char *alternatives, char out[PICTURE_TEXT])
{
	const char *last = strrchr(alternatives, '\n');

	picture_first(last && (kind == LURK_GIVES_CHORDS || kind == LURK_GIVES_NOTHING)
			      ? last + 1
			      : alternatives,
		      out);
	return out;
}

/* What the key gives with modifiers: the first rule in words and how many more, and all of them. */
static void tell_modified(struct face *f, struct picture_cap *cap, bool legends)
{
	struct lurk_rule rule;
	unsigned more = 0;
	char gives[PICTURE_TEXT], first[PICTURE_TEXT], shorter[PICTURE_TEXT], number[16];
	bool by_code;

	if (legends)
		change_legends(f, cap);
	for (unsigned i = 0; rule_at(f->job, i, &rule); i++) {
		char brief[PICTURE_TEXT] = "";

		if (!(rule.press.modifiers || rule.press.only) || !acts_here(f->job, &rule) ||
		    !is_on(f->wiring, &rule, cap, &by_code))
			continue;
		cap->by_code |= by_code;
		result_text(f, &rule.gives, cap->place.key, gives);
		picture_first(gives, first);
		if (legends && is_on_a_level(&rule) && is_brief(&rule, first))
			continue;
		if (rule.press.only)
			snprintf(brief, sizeof brief, "alone");
		else
			modifiers_text(rule.press.modifiers, true, brief, sizeof brief);
		lurk_append(brief, sizeof brief, ": ");
		lurk_append(cap->all_with, sizeof cap->all_with, *cap->all_with ? "\n" : "");
		lurk_append(cap->all_with, sizeof cap->all_with, brief);
		lurk_append(cap->all_with, sizeof cap->all_with,
			    briefly(rule.gives.kind, gives, shorter));
		if (more++)
			continue;
		lurk_append(cap->with, WITH_TEXT / 2, brief);
		lurk_append(cap->with, WITH_TEXT, first);
	}
	if (more > 1) {
		char once[WITH_TEXT];

		memcpy(once, cap->with, sizeof once);
		snprintf(number, sizeof number, " +%u\n", more - 1);
		lurk_append(cap->with, sizeof cap->with, number);
		lurk_append(cap->with, sizeof cap->with, once);
	}
}

/* ---- Caps ------------------------------------------------------------------------------------ */

/* What a key does that types no sign, as the cap says that does it in any case. */
static void function_label(const struct face *f, uint32_t symbol, char legend[LURK_LEGEND])
{
	char label[PICTURE_TEXT] = "";
	const char *brief;

	for (lurk_key key = lurk_key_next(0); key && !*label; key = lurk_key_next(key)) {
		if (lurk_layout_symbol(f->job->base, key) == symbol)
			picture_label(key, f->job->base, label);
	}
	brief = strrchr(label, '\n');
	if (!*label)
		lurk_symbol_words(symbol, label);
	snprintf(legend, LURK_LEGEND, "%.*s", LURK_LEGEND - 1, brief ? brief + 1 : label);
}

/* Others are called the same, whatever they type. */
static bool has_signs(lurk_key key)
{
	return lurk_key_side(key) != LURK_SIDE_NUMPAD && key != LURK_KEY_SPACE;
}

/* Signs that differ from the base's. */
static void compare_legends(const struct face *f, struct picture_cap *cap)
{
	const lurk_key key = cap->place.key;
	char was[LURK_LEGEND], shifted[LURK_LEGEND];

	for (unsigned i = 0; i < (f->third_level ? PICTURE_LEGENDS : 2U); i++) {
		const uint32_t symbol = lurk_layout_types(f->job->layout, key, levels[i]);

		if (symbol == lurk_layout_types(f->job->base, key, levels[i]))
			continue;
		cap->own |= (uint8_t)(1U << i);
		if (!has_signs(key))
			continue;
		if (!symbol)
			snprintf(cap->legends[i], LURK_LEGEND, "∅");
		else if (!*cap->legends[i])
			function_label(f, symbol, cap->legends[i]);
	}
	picture_legend(key, f->job->base, 0, was);
	picture_legend(key, f->job->base, LURK_MOD_SHIFT, shifted);
	if (cap->own)
		snprintf(cap->printed, PICTURE_TEXT, "%s%s%s",
			 is_letter(was, shifted) || !strcmp(was, shifted) ? "" : shifted,
			 *shifted && *was && !is_letter(was, shifted) ? " " : "",
			 is_letter(was, shifted) ? shifted : was);
}

static void drop_legend(struct picture_cap *cap, unsigned level)
{
	*cap->legends[level] = '\0';
	cap->own &= (uint8_t) ~(1U << level);
}

static void print_legends(const struct face *f, struct picture_cap *cap)
{
	struct lurk_layout *layout = f->job->layout;

	if (!layout)
		return;
	for (unsigned i = 0; i < PICTURE_LEGENDS && has_signs(cap->place.key); i++) {
		if (i < 2 || f->third_level)
			picture_legend(cap->place.key, layout, levels[i], cap->legends[i]);
	}
	if (f->job->base)
		compare_legends(f, cap);
	if (!has_signs(cap->place.key))
		return;
	/* A level that gives what the key gives in any case is left out. */
	for (unsigned i = 2; i < PICTURE_LEGENDS; i++) {
		if (!strcmp(cap->legends[i], cap->legends[0]) ||
		    !strcmp(cap->legends[i], cap->legends[1]))
			drop_legend(cap, i);
	}
	if (is_letter(cap->legends[2], cap->legends[3]) ||
	    !strcmp(cap->legends[2], cap->legends[3]))
		drop_legend(cap, 3);
	if (is_letter(cap->legends[0], cap->legends[1])) {
		memcpy(cap->legends[0], cap->legends[1], LURK_LEGEND);
		cap->own |= cap->own >> 1 & 1U;
		drop_legend(cap, 1);
	}
	if (!strcmp(cap->legends[1], cap->legends[0]))
		drop_legend(cap, 1);
}

/* While some are held: the one sign that the key types then, and what the base has there. */
static void print_held(const struct face *f, struct picture_cap *cap, uint16_t with)
{
	const lurk_key key = cap->place.key;
	struct lurk_layout *base = f->job->base;
	uint32_t symbol = 0;
	char was[LURK_LEGEND];

	picture_legend(key, f->job->layout, with, cap->main);
	memset(cap->legends, 0, sizeof cap->legends);
	cap->own = 0;
	if (base)
		symbol = lurk_layout_types(f->job->layout, key, with);
	if (!base || symbol == lurk_layout_types(base, key, with))
		return;
	if (!symbol)
		snprintf(cap->main, sizeof cap->main, "∅");
	else if (!*cap->main)
		function_label(f, symbol, cap->main);
	picture_legend(key, base, with, was);
	snprintf(cap->small, sizeof cap->small, "%s", was);
	cap->own = 1;
}

static bool has_legends(const struct picture_cap *cap)
{
	for (unsigned i = 0; i < PICTURE_LEGENDS; i++) {
		if (*cap->legends[i])
			return true;
	}
	return false;
}

/* What the cap says without any rule. */
static void print_cap(const struct face *f, struct picture_cap *cap)
{
	const uint16_t sides = f->held, shifts = LURK_MOD_LEFT_SHIFT | LURK_MOD_RIGHT_SHIFT;
	char scan[LURK_SCAN_TEXT];

	print_legends(f, cap);
	if (f->held && has_legends(cap))
		print_held(f, cap,
			   (uint16_t)((sides & shifts ? LURK_MOD_SHIFT : 0) |
				      (f->third_level ? sides & LURK_MOD_RIGHT_ALT : 0)));
	if (*cap->main || has_legends(cap))
		return;
	if (!cap->place.key)
		snprintf(cap->main, sizeof cap->main, "%s", lurk_scan_write(cap->scan, scan));
	else
		picture_label(cap->place.key, f->job->layout, cap->main);
	if (!f->job->layout && strlen(cap->main) == 1)
		*cap->main = (char)toupper(*cap->main);
}

static void cap_name(const struct face *f, const struct picture_cap *cap, char text[PICTURE_TEXT])
{
	char scan[LURK_SCAN_TEXT];

	if (cap->place.key)
		key_text(f, cap->place.key, text);
	else
		snprintf(text, PICTURE_TEXT, "%s", lurk_scan_write(cap->scan, scan));
}

/* What rules make of it. */
static void change_cap(struct face *f, struct picture_cap *cap)
{
	const struct lurk_action *action;
	struct lurk_result result;
	struct lurk_rule rule;
	bool changed;

	if (!f->keymap)
		return;
	action = lurk_keymap_find_held(f->keymap, cap->scan, cap->place.key, f->held);
	changed = action->rank && action->gives != LURK_GIVES_ITSELF &&
		  (action->gives != LURK_GIVES_KEY || action->key != cap->place.key);
	if (lurk_keymap_varies(f->keymap, cap->scan, cap->place.key))
		tell_modified(f, cap, !changed && has_legends(cap));
	if (!changed)
		return;
	rule_of(f, action, &rule);
	cap->by_code |= rule.press.on.kind == LURK_TARGET_SCAN;
	/* A rule that stands for several keys gives each its own. */
	result = rule.gives;
	if (action->gives == LURK_GIVES_KEY) {
		result.kind = LURK_GIVES_KEY;
		result.key = action->key;
	}
	cap_name(f, cap, cap->small);
	memset(cap->legends, 0, sizeof cap->legends);
	cap->own = 0;
	result_text(f, &result, cap->place.key, cap->main);
	cap->mark = action->gives == LURK_GIVES_NOTHING ? PICTURE_NOTHING : PICTURE_CHANGED;
	if (rule.swap && result.kind == LURK_GIVES_KEY) {
		cap->mark = PICTURE_SWAPPED;
		cap->pair = pair_number(f, cap->place.key, result.key);
	}
	/* What it gives alone is what is shown. */
	if (!f->job->held && !strncmp(cap->with, "alone: ", 7)) {
		snprintf(cap->with, sizeof cap->with, "alone");
		snprintf(cap->all_with, sizeof cap->all_with, "alone");
	}
}

static void mark_state(const struct face *f, struct picture_cap *cap)
{
	const struct picture_job *job = f->job;
	struct lurk_keyboard keyboard = {0};
	struct lurk_quirk quirk;
	lurk_key gives = cap->place.key;
	int place;

	if (job->image && job->keyboard)
		lurk_image_keyboard(job->image, job->keyboard - 1U, &keyboard);
	for (unsigned i = 0; cap->place.key && i < keyboard.quirk_count; i++) {
		lurk_image_quirk(job->image, job->keyboard - 1U, i, &quirk);
		cap->broken |= quirk.key == cap->place.key && quirk.kind == LURK_QUIRK_BROKEN;
		cap->absent |= quirk.key == cap->place.key && quirk.kind == LURK_QUIRK_MISSING;
	}
	if (job->info && cap->place.key && !lurk_declares(job->info, cap->place.key))
		cap->absent = true;
	if (f->keymap)
		gives = lurk_action_key(
			lurk_keymap_find_held(f->keymap, cap->scan, cap->place.key, 0), gives);
	place = lurk_modifier_place(gives);
	if (place >= 0)
		cap->held = f->held >> place & 1;
}

/* ---- Charts of codes ------------------------------------------------------------------------- */

static void scan_of_kind(lurk_key key, uint8_t kind, char text[PICTURE_TEXT])
{
	char bare[LURK_SCAN_TEXT];

	*text = '\0';
	for (size_t i = 0; lurk_key_scan(key, i).kind && !*text; i++) {
		lurk_scan scan = lurk_key_scan(key, i);

		if (scan.kind == kind)
			snprintf(text, PICTURE_TEXT, "%s", lurk_scan_write_bare(scan, bare));
	}
	if (!*text)
		snprintf(text, PICTURE_TEXT, "–");
}

static void chart_cap(const struct face *f, struct picture_cap *cap)
{
	const lurk_key key = cap->place.key;

	cap_name(f, cap, cap->small);
	switch (f->job->codes) {
	case PICTURE_SCAN_CODES:
		scan_of_kind(key, LURK_SCAN_SET1, cap->main);
		scan_of_kind(key, LURK_SCAN_SET2, cap->second);
		break;
	case PICTURE_HID_CODES:
		scan_of_kind(key, LURK_SCAN_HID, cap->main);
		break;
	case PICTURE_EVDEV_CODES:
		snprintf(cap->main, sizeof cap->main, "%u", key);
		break;
	case PICTURE_NAMES:
		picture_split_name(lurk_key_name(key), '\t', cap->main);
		break;
	default:
		picture_split_name(*lurk_key_meaning(key) ? lurk_key_meaning(key) : "–", '\t',
				   cap->main);
		if (!strcmp(cap->main, " "))
			snprintf(cap->main, sizeof cap->main, "(space)");
		break;
	}
}

/* ---- All of it ------------------------------------------------------------------------------- */

static bool has_place(const struct picture *picture, lurk_key key, lurk_scan scan)
{
	for (unsigned i = 0; i < picture->count; i++) {
		const struct picture_cap *cap = &picture->caps[i];

		if (scan.kind ? lurk_scan_same(cap->scan, scan) : cap->place.key == key)
			return true;
	}
	return false;
}

static void add_extra(struct face *f, const struct lurk_target *on)
{
	struct picture *p = f->picture;
	lurk_scan scan = on->kind == LURK_TARGET_SCAN ? lurk_scan_on(on->scan, f->wiring)
						      : lurk_key_scan_on(on->key, f->wiring);
	lurk_key key = on->kind == LURK_TARGET_SCAN ? lurk_scan_key(scan) : on->key;
	unsigned extra = 0, row = p->width < EXTRA_WIDTH ? 1 : p->width / EXTRA_WIDTH;

	if (!scan.kind || p->count == PICTURE_CAPS ||
	    has_place(p, key, on->kind == LURK_TARGET_SCAN ? scan : (lurk_scan){0}) ||
	    (key && f->job->info && !lurk_declares(f->job->info, key)))
		return;
	while (extra < p->count && p->caps[p->count - 1 - extra].place.block == PICTURE_EXTRA)
		extra++;
	p->caps[p->count++] = (struct picture_cap){
		.place = {key, (uint8_t)(extra % row * EXTRA_WIDTH),
			  (uint8_t)(p->height + EXTRA_GAP + extra / row * LURK_UNIT_QUARTERS),
			  EXTRA_WIDTH, LURK_UNIT_QUARTERS, LURK_CAP_PLAIN, PICTURE_EXTRA},
		.scan = scan,
	};
}

/* Keys that rules are on, and that have no place in the form. */
static void add_extras(struct face *f)
{
	struct lurk_rule rule;
	struct lurk_change change;

	for (unsigned i = 0; rule_at(f->job, i, &rule); i++) {
		for (unsigned j = 0;
		     acts_here(f->job, &rule) && lurk_rule_change(&rule, j, &change); j++)
			add_extra(f, &change.on);
	}
}

static void measure(struct picture *p)
{
	p->width = p->height = 0;
	for (unsigned i = 0; i < p->count; i++) {
		const struct lurk_place *place = &p->caps[i].place;

		if ((unsigned)place->x + place->width > p->width)
			p->width = (unsigned)place->x + place->width;
		if ((unsigned)place->y + place->height > p->height)
			p->height = (unsigned)place->y + place->height;
	}
}

void picture_fill(struct picture *picture, const struct picture_job *job)
{
	struct face f = {.job = job,
			 .picture = picture,
			 .wiring = wiring_of(job),
			 .held = held_places(job->held),
			 .third_level = job->layout && lurk_layout_third_level(job->layout)};
	struct lurk_place places[LURK_PLACES];

	memset(picture, 0, sizeof *picture);
	picture->count = lurk_form_places(job->form, job->arrangement, places);
	for (unsigned i = 0; i < picture->count; i++)
		picture->caps[i] = (struct picture_cap){
			.place = places[i], .scan = lurk_key_scan_on(places[i].key, f.wiring)};
	measure(picture);
	if (job->codes == PICTURE_LEGEND_CODES) {
		f.keymap = compile(job, f.wiring);
		add_extras(&f);
	}
	for (unsigned i = 0; i < picture->count; i++) {
		struct picture_cap *cap = &picture->caps[i];

		if (job->codes != PICTURE_LEGEND_CODES) {
			chart_cap(&f, cap);
			continue;
		}
		print_cap(&f, cap);
		change_cap(&f, cap);
		mark_state(&f, cap);
	}
	measure(picture);
	lurk_release(f.keymap);
}

bool picture_next_rule(const struct picture *picture, const struct picture_job *job,
		       unsigned *index, struct lurk_rule *rule)
{
	while (rule_at(job, (*index)++, rule)) {
		bool by_code;

		for (unsigned c = 0; acts_here(job, rule) && c < picture->count; c++) {
			if (!picture->caps[c].absent &&
			    is_on(wiring_of(job), rule, &picture->caps[c], &by_code))
				return true;
		}
	}
	return false;
}

bool picture_cap_changed(const struct picture_cap *cap)
{
	return !cap->absent && (cap->mark || picture_cap_varies(cap));
}

/* Whether they say the same, wherever they stand. */
static bool same_cap(const struct picture_cap *a, const struct picture_cap *b)
{
	return a->place.key == b->place.key && lurk_scan_same(a->scan, b->scan) &&
	       !memcmp(a->legends, b->legends, sizeof a->legends) && !strcmp(a->main, b->main) &&
	       !strcmp(a->with, b->with) && !strcmp(a->all_with, b->all_with);
}

static void fade(struct picture *picture, const struct picture *other)
{
	for (unsigned i = 0; i < picture->count; i++) {
		for (unsigned j = 0; j < other->count; j++) {
			if (same_cap(&picture->caps[i], &other->caps[j]))
				picture->caps[i].faint = true;
		}
	}
}

void picture_compare(struct picture *before, struct picture *after)
{
	fade(before, after);
	fade(after, before);
}

/* ---- Signs ----------------------------------------------------------------------------------- */

const char *picture_sign_words(enum picture_sign sign)
{
	static const char *const words[PICTURE_SIGNS] = {
		[PICTURE_SIGN_CHANGED] = "another job; below it the usual one",
		[PICTURE_SIGN_SWAPPED] = "changed places with the key of the same number",
		[PICTURE_SIGN_NOTHING] = "does nothing",
		[PICTURE_SIGN_WITH] = "another job with modifiers",
		[PICTURE_SIGN_OWN] = "not as in the layout it begins from",
		[PICTURE_SIGN_BY_CODE] = "by a rule on its scan code",
		[PICTURE_SIGN_BROKEN] = "marked broken",
		[PICTURE_SIGN_ABSENT] = "not on this keyboard",
		[PICTURE_SIGN_HELD] = "held for this picture",
	};

	return words[sign];
}

static bool shows(const struct picture_cap *cap, enum picture_sign sign)
{
	const bool job = !cap->faint && !cap->held;

	switch (sign) {
	case PICTURE_SIGN_CHANGED:
		return job && cap->mark == PICTURE_CHANGED;
	case PICTURE_SIGN_SWAPPED:
		return job && cap->mark == PICTURE_SWAPPED;
	case PICTURE_SIGN_NOTHING:
		return job && cap->mark == PICTURE_NOTHING;
	case PICTURE_SIGN_WITH:
		return !cap->faint && (*cap->with || cap->levels);
	case PICTURE_SIGN_OWN:
		return job && cap->own;
	case PICTURE_SIGN_BY_CODE:
		return !cap->faint && cap->by_code;
	case PICTURE_SIGN_BROKEN:
		return cap->broken;
	case PICTURE_SIGN_ABSENT:
		return cap->absent;
	default:
		return cap->held;
	}
}

bool picture_has(const struct picture *picture, enum picture_sign sign)
{
	for (unsigned i = 0; i < picture->count; i++) {
		if (shows(&picture->caps[i], sign))
			return true;
	}
	return false;
}
