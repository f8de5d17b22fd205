/* Images: rules and keyboards as bytes, and back. */
#include "lurk/image.h"

#include "core/bare_rule.h"
#include "core/bytes.h"
#include "core/mem.h"

enum {
	AT_VERSION = 4,
	AT_HEADER_SIZE = 6,
	AT_LENGTH = 8,
	AT_CRC = 12,
	AT_SEQUENCE = 16,
	AT_SAVED = 24,
	AT_PROFILES = 32,
	AT_KEYBOARDS = 34,
	AT_RECOGNISERS = 36,
	AT_QUIRKS = 38,
	AT_RULES = 40,
	AT_STRINGS = 44,
	AT_SAVED_BY = 48,
	HEADER_SIZE = 52,
};
enum { TEXT_OFFSET = 0, TEXT_LENGTH = 4 };
enum {
	PROFILE_NAME = 0,
	PROFILE_SOURCE = 8,
	PROFILE_FIRST_RULE = 16,
	PROFILE_RULES = 20,
	PROFILE_WAY = 24,
	PROFILE_BASED_ON = 26,
	PROFILE_WORD = 28,
	PROFILE_SIZE = 36,
};
enum {
	KEYBOARD_NAME = 0,
	KEYBOARD_FIRST_RECOGNISER = 8,
	KEYBOARD_RECOGNISERS = 10,
	KEYBOARD_FIRST_QUIRK = 12,
	KEYBOARD_QUIRKS = 14,
	KEYBOARD_FLAGS = 16,
	KEYBOARD_SIZE = 20,
};
enum {
	RECOGNISER_BUS = 0,
	RECOGNISER_FLAGS = 1,
	RECOGNISER_VENDOR = 2,
	RECOGNISER_PRODUCT = 4,
	RECOGNISER_SERIAL = 8,
	RECOGNISER_NAME = 16,
	RECOGNISER_PLACE = 24,
	RECOGNISER_SIZE = 32,
};
enum { QUIRK_KIND = 0, QUIRK_KEY = 2, QUIRK_SIZE = 4 };
enum {
	RULE_TARGET = 0,
	RULE_GIVES = 1,
	RULE_FLAGS = 2,
	RULE_SCAN_KIND = 3,
	RULE_PRESSED = 4,
	RULE_GIVEN = 6,
	RULE_SCAN = 8,
	RULE_MODIFIERS = 12,
	RULE_KEYBOARD = 14,
	RULE_LINE = 16,
	RULE_TEXT = 20,
	RULE_NOTE = 28,
	RULE_STEPS = 36,
	RULE_SIZE = 44,
};

enum { RECOGNISER_BUILT_IN = 1, RECOGNISER_BY_PRODUCT = 2 };
enum { KEYBOARD_APART = 1 };
enum { RULE_SWAP = 1, RULE_OFF = 2, RULE_ONLY = 4 };

static const uint8_t magic[4] = {'L', 'U', 'R', 'K'};

/* ---- Writing ------------------------------------------------------------------------------- */

/* Bytes are counted when there is no room for them any more. */
struct writer {
	uint8_t *bytes;
	size_t size, at;
	size_t strings, string_at; /* where the strings begin, and how far they have come */
	bool bad;
};

static uint8_t *claim(struct writer *w, size_t size)
{
	uint8_t *at = w->at + size <= w->size ? w->bytes + w->at : NULL;

	w->at += size;
	if (at)
		memset(at, 0, size);
	return at;
}

static void write_text(struct writer *w, uint8_t *at, struct lurk_text text)
{
	size_t end = w->strings + w->string_at + text.length;

	if (text.length > 0xffff)
		w->bad = true;
	if (at && end <= w->size) {
		put32(at + TEXT_OFFSET, (uint32_t)w->string_at);
		put16(at + TEXT_LENGTH, (unsigned)text.length);
		if (text.length)
			memcpy(w->bytes + w->strings + w->string_at, text.bytes, text.length);
	}
	w->string_at += text.length;
}

static void write_recogniser(struct writer *w, const struct lurk_recogniser *r)
{
	uint8_t *at = claim(w, RECOGNISER_SIZE);

	if (at) {
		at[RECOGNISER_BUS] = r->bus;
		at[RECOGNISER_FLAGS] = (uint8_t)((r->built_in ? RECOGNISER_BUILT_IN : 0) |
						 (r->by_product ? RECOGNISER_BY_PRODUCT : 0));
		put16(at + RECOGNISER_VENDOR, r->vendor);
		put16(at + RECOGNISER_PRODUCT, r->product);
	}
	write_text(w, at ? at + RECOGNISER_SERIAL : NULL, r->serial);
	write_text(w, at ? at + RECOGNISER_NAME : NULL, r->name);
	write_text(w, at ? at + RECOGNISER_PLACE : NULL, r->place);
}

static void write_rule(struct writer *w, const struct lurk_rule *rule)
{
	uint8_t *at = claim(w, RULE_SIZE);

	if (at) {
		at[RULE_TARGET] = rule->press.on.kind;
		at[RULE_GIVES] = rule->gives.kind;
		at[RULE_FLAGS] =
			(uint8_t)((rule->swap ? RULE_SWAP : 0) | (rule->off ? RULE_OFF : 0) |
				  (rule->press.only ? RULE_ONLY : 0));
		at[RULE_SCAN_KIND] = rule->press.on.scan.kind;
		put16(at + RULE_PRESSED, rule->press.on.key);
		put16(at + RULE_GIVEN, rule->gives.key);
		put32(at + RULE_SCAN, rule->press.on.scan.code);
		put16(at + RULE_MODIFIERS, rule->press.modifiers);
		put16(at + RULE_KEYBOARD, rule->keyboard);
		put32(at + RULE_LINE, rule->line);
	}
	write_text(w, at ? at + RULE_TEXT : NULL, rule->gives.text);
	write_text(w, at ? at + RULE_NOTE : NULL, rule->note);
	write_text(w, at ? at + RULE_STEPS : NULL, rule->gives.steps);
}

static void write_keyboards(struct writer *w, const struct lurk_image_parts *parts)
{
	unsigned recognisers = 0, quirks = 0;

	for (unsigned i = 0; i < parts->keyboard_count; i++) {
		const struct lurk_keyboard *k = &parts->keyboards[i];
		uint8_t *at = claim(w, KEYBOARD_SIZE);

		write_text(w, at ? at + KEYBOARD_NAME : NULL, k->name);
		if (at) {
			put16(at + KEYBOARD_FIRST_RECOGNISER, recognisers);
			put16(at + KEYBOARD_RECOGNISERS, k->recogniser_count);
			put16(at + KEYBOARD_FIRST_QUIRK, quirks);
			put16(at + KEYBOARD_QUIRKS, k->quirk_count);
			at[KEYBOARD_FLAGS] = k->apart ? KEYBOARD_APART : 0;
		}
		recognisers += k->recogniser_count;
		quirks += k->quirk_count;
	}
	for (unsigned i = 0; i < parts->keyboard_count; i++) {
		for (unsigned r = 0; r < parts->keyboards[i].recogniser_count; r++)
			write_recogniser(w, &parts->keyboards[i].recognisers[r]);
	}
	for (unsigned i = 0; i < parts->keyboard_count; i++) {
		for (unsigned q = 0; q < parts->keyboards[i].quirk_count; q++) {
			uint8_t *at = claim(w, QUIRK_SIZE);

			if (!at)
				continue;
			at[QUIRK_KIND] = parts->keyboards[i].quirks[q].kind;
			put16(at + QUIRK_KEY, parts->keyboards[i].quirks[q].key);
		}
	}
}

struct totals {
	uint32_t rules, recognisers, quirks;
};

static bool add_up(const struct lurk_image_parts *parts, struct totals *totals)
{
	memset(totals, 0, sizeof *totals);
	for (unsigned i = 0; i < parts->profile_count; i++) {
		const struct lurk_profile *p = &parts->profiles[i];

		totals->rules += p->rule_count;
		if (p->rule_count > LURK_RULES_MAX || totals->rules > LURK_RULES_MAX ||
		    p->based_on > parts->profile_count)
			return false;
		for (uint32_t r = 0; r < p->rule_count; r++) {
			if (lurk_rule_check(&p->rules[r]) == LURK_ERR_CONTENT ||
			    p->rules[r].keyboard > parts->keyboard_count)
				return false;
		}
	}
	for (unsigned i = 0; i < parts->keyboard_count; i++) {
		totals->recognisers += parts->keyboards[i].recogniser_count;
		totals->quirks += parts->keyboards[i].quirk_count;
	}
	return parts->keyboard_count <= LURK_KEYBOARDS_MAX &&
	       parts->profile_count <= LURK_PROFILES_MAX && totals->recognisers <= 0xffff &&
	       totals->quirks <= 0xffff;
}

enum lurk_error lurk_image_write(const struct lurk_image_parts *parts, uint8_t *bytes, size_t size,
				 size_t *needed)
{
	struct writer w = {.bytes = bytes, .size = size};
	struct totals totals;
	uint32_t first_rule = 0;
	uint8_t *header;

	*needed = 0;
	if (!add_up(parts, &totals))
		return LURK_ERR_CONTENT;
	w.strings = HEADER_SIZE + (size_t)parts->profile_count * PROFILE_SIZE +
		    (size_t)parts->keyboard_count * KEYBOARD_SIZE +
		    (size_t)totals.recognisers * RECOGNISER_SIZE +
		    (size_t)totals.quirks * QUIRK_SIZE + (size_t)totals.rules * RULE_SIZE;
	header = claim(&w, HEADER_SIZE);
	for (unsigned i = 0; i < parts->profile_count; i++) {
		uint8_t *at = claim(&w, PROFILE_SIZE);

		write_text(&w, at ? at + PROFILE_NAME : NULL, parts->profiles[i].name);
		write_text(&w, at ? at + PROFILE_SOURCE : NULL, parts->profiles[i].source);
		if (at) {
			put32(at + PROFILE_FIRST_RULE, first_rule);
			put32(at + PROFILE_RULES, parts->profiles[i].rule_count);
			at[PROFILE_WAY] = parts->profiles[i].way;
			put16(at + PROFILE_BASED_ON, parts->profiles[i].based_on);
		}
		write_text(&w, at ? at + PROFILE_WORD : NULL, parts->profiles[i].word);
		first_rule += parts->profiles[i].rule_count;
	}
	write_keyboards(&w, parts);
	for (unsigned i = 0; i < parts->profile_count; i++) {
		for (uint32_t r = 0; r < parts->profiles[i].rule_count; r++)
			write_rule(&w, &parts->profiles[i].rules[r]);
	}
	*needed = w.strings + w.string_at;
	if (w.bad || *needed > UINT32_MAX)
		return LURK_ERR_CONTENT;
	if (*needed > size)
		return LURK_ERR_ROOM;
	memcpy(header, magic, sizeof magic);
	put16(header + AT_VERSION, LURK_IMAGE_VERSION);
	put16(header + AT_HEADER_SIZE, HEADER_SIZE);
	put32(header + AT_LENGTH, (uint32_t)*needed);
	put16(header + AT_PROFILES, parts->profile_count);
	put16(header + AT_KEYBOARDS, parts->keyboard_count);
	put16(header + AT_RECOGNISERS, totals.recognisers);
	put16(header + AT_QUIRKS, totals.quirks);
	put32(header + AT_RULES, totals.rules);
	put32(header + AT_STRINGS, (uint32_t)w.string_at);
	lurk_image_stamp(bytes, 0, 0, LURK_NOBODY);
	return LURK_OK;
}

void lurk_image_stamp(uint8_t *bytes, uint64_t sequence, uint64_t saved_at_us, uint32_t saved_by)
{
	put64(bytes + AT_SEQUENCE, sequence);
	put64(bytes + AT_SAVED, saved_at_us);
	put32(bytes + AT_SAVED_BY, saved_by);
	put32(bytes + AT_CRC, crc32(bytes + AT_SEQUENCE, get32(bytes + AT_LENGTH) - AT_SEQUENCE));
}

bool lurk_image_same(const struct lurk_image *one, const struct lurk_image *other)
{
	return one->length == other->length &&
	       !memcmp(one->bytes + AT_PROFILES, other->bytes + AT_PROFILES,
		       AT_SAVED_BY - AT_PROFILES) &&
	       !memcmp(one->bytes + HEADER_SIZE, other->bytes + HEADER_SIZE,
		       one->length - HEADER_SIZE);
}

/* ---- Reading ------------------------------------------------------------------------------- */

static struct lurk_text read_text(const struct lurk_image *image, const uint8_t *at)
{
	return (struct lurk_text){(const char *)image->bytes + image->strings +
					  get32(at + TEXT_OFFSET),
				  get16(at + TEXT_LENGTH)};
}

static bool text_fits(const struct lurk_image *image, const uint8_t *at)
{
	uint32_t size = image->length - image->strings;

	return get32(at + TEXT_OFFSET) <= size &&
	       get16(at + TEXT_LENGTH) <= size - get32(at + TEXT_OFFSET);
}

static const uint8_t *profile_at(const struct lurk_image *image, unsigned index)
{
	return image->bytes + HEADER_SIZE + (size_t)index * PROFILE_SIZE;
}

static const uint8_t *keyboard_at(const struct lurk_image *image, unsigned index)
{
	return image->bytes + image->keyboards + (size_t)index * KEYBOARD_SIZE;
}

/* Whether what a profile is based on, and that on, ends: none is based on itself. */
static bool bases_end(const struct lurk_image *image, unsigned profile)
{
	for (unsigned bases = 0; bases < LURK_BASES_MAX; bases++) {
		unsigned base = get16(profile_at(image, profile) + PROFILE_BASED_ON);

		if (!base || base > image->profile_count)
			return !base;
		profile = base - 1;
	}
	return false;
}

/* The rules of the profiles stand one after the other. */
static bool profiles_fit(const struct lurk_image *image)
{
	uint32_t next = 0;

	for (unsigned i = 0; i < image->profile_count; i++) {
		const uint8_t *at = profile_at(image, i);

		if (!text_fits(image, at + PROFILE_NAME) ||
		    !text_fits(image, at + PROFILE_SOURCE) ||
		    !text_fits(image, at + PROFILE_WORD) ||
		    get32(at + PROFILE_FIRST_RULE) != next || at[PROFILE_WAY] > LURK_WAY_RELAY ||
		    get32(at + PROFILE_RULES) > image->rule_count - next || !bases_end(image, i))
			return false;
		next += get32(at + PROFILE_RULES);
	}
	return next == image->rule_count;
}

static bool keyboards_fit(const struct lurk_image *image)
{
	for (unsigned i = 0; i < image->keyboard_count; i++) {
		const uint8_t *at = keyboard_at(image, i);

		if (!text_fits(image, at + KEYBOARD_NAME) || at[KEYBOARD_FLAGS] > KEYBOARD_APART ||
		    get16(at + KEYBOARD_FIRST_RECOGNISER) + get16(at + KEYBOARD_RECOGNISERS) >
			    image->recogniser_count ||
		    get16(at + KEYBOARD_FIRST_QUIRK) + get16(at + KEYBOARD_QUIRKS) >
			    image->quirk_count)
			return false;
	}
	for (unsigned i = 0; i < image->recogniser_count; i++) {
		const uint8_t *at = image->bytes + image->recognisers + (size_t)i * RECOGNISER_SIZE;

		if (at[RECOGNISER_BUS] >= LURK_BUS_COUNT ||
		    !text_fits(image, at + RECOGNISER_SERIAL) ||
		    !text_fits(image, at + RECOGNISER_NAME) ||
		    !text_fits(image, at + RECOGNISER_PLACE))
			return false;
	}
	for (unsigned i = 0; i < image->quirk_count; i++) {
		const uint8_t *at = image->bytes + image->quirks + (size_t)i * QUIRK_SIZE;

		if (!at[QUIRK_KIND] || at[QUIRK_KIND] >= LURK_QUIRK_END ||
		    !lurk_key_known(get16(at + QUIRK_KEY)))
			return false;
	}
	return true;
}

static bool rules_fit(const struct lurk_image *image)
{
	for (uint32_t i = 0; i < image->rule_count; i++) {
		const uint8_t *at = image->bytes + image->rules + (size_t)i * RULE_SIZE;
		struct lurk_rule rule;

		if (!text_fits(image, at + RULE_TEXT) || !text_fits(image, at + RULE_NOTE) ||
		    !text_fits(image, at + RULE_STEPS))
			return false;
		lurk_image_rule(image, i, &rule);
		if (lurk_rule_check(&rule) == LURK_ERR_CONTENT ||
		    rule.keyboard > image->keyboard_count || rule.press.modifiers > LURK_MOD_ALL)
			return false;
	}
	return true;
}

enum lurk_error lurk_image_open(const uint8_t *bytes, size_t length, struct lurk_image *image)
{
	size_t end;

	if (length < sizeof magic || memcmp(bytes, magic, sizeof magic))
		return LURK_ERR_MAGIC;
	if (length < AT_HEADER_SIZE || get16(bytes + AT_VERSION) != LURK_IMAGE_VERSION)
		return length < AT_HEADER_SIZE ? LURK_ERR_LENGTH : LURK_ERR_VERSION;
	if (length < HEADER_SIZE || get32(bytes + AT_LENGTH) != length)
		return LURK_ERR_LENGTH;
	if (get32(bytes + AT_CRC) != crc32(bytes + AT_SEQUENCE, length - AT_SEQUENCE))
		return LURK_ERR_CRC;
	memset(image, 0, sizeof *image);
	image->bytes = bytes;
	image->length = (uint32_t)length;
	image->sequence = get64(bytes + AT_SEQUENCE);
	image->saved_at_us = get64(bytes + AT_SAVED);
	image->saved_by = get32(bytes + AT_SAVED_BY);
	image->profile_count = get16(bytes + AT_PROFILES);
	image->keyboard_count = get16(bytes + AT_KEYBOARDS);
	image->recogniser_count = get16(bytes + AT_RECOGNISERS);
	image->quirk_count = get16(bytes + AT_QUIRKS);
	image->rule_count = get32(bytes + AT_RULES);
	if (image->rule_count > LURK_RULES_MAX || image->keyboard_count > LURK_KEYBOARDS_MAX ||
	    !image->profile_count || image->profile_count > LURK_PROFILES_MAX ||
	    get16(bytes + AT_HEADER_SIZE) != HEADER_SIZE)
		return LURK_ERR_CONTENT;
	image->keyboards = HEADER_SIZE + image->profile_count * (uint32_t)PROFILE_SIZE;
	image->recognisers = image->keyboards + image->keyboard_count * (uint32_t)KEYBOARD_SIZE;
	image->quirks = image->recognisers + image->recogniser_count * (uint32_t)RECOGNISER_SIZE;
	image->rules = image->quirks + image->quirk_count * (uint32_t)QUIRK_SIZE;
	image->strings = image->rules + image->rule_count * (uint32_t)RULE_SIZE;
	end = (size_t)image->strings + get32(bytes + AT_STRINGS);
	if (end != length || !profiles_fit(image) || !keyboards_fit(image) || !rules_fit(image))
		return LURK_ERR_CONTENT;
	return LURK_OK;
}

void lurk_image_profile(const struct lurk_image *image, unsigned index,
			struct lurk_profile *profile)
{
	const uint8_t *at = profile_at(image, index);

	profile->name = read_text(image, at + PROFILE_NAME);
	profile->source = read_text(image, at + PROFILE_SOURCE);
	profile->rules = NULL;
	profile->first_rule = get32(at + PROFILE_FIRST_RULE);
	profile->rule_count = get32(at + PROFILE_RULES);
	profile->way = at[PROFILE_WAY];
	profile->based_on = get16(at + PROFILE_BASED_ON);
	profile->word = read_text(image, at + PROFILE_WORD);
}

uint16_t lurk_image_find_profile(const struct lurk_image *image, struct lurk_text word)
{
	for (unsigned i = 0; i < image->profile_count; i++) {
		struct lurk_profile profile;
		size_t n = 0;

		lurk_image_profile(image, i, &profile);
		while (n < word.length && n < profile.word.length &&
		       lurk_lower(word.bytes[n]) == lurk_lower(profile.word.bytes[n]))
			n++;
		if (n == word.length && n == profile.word.length)
			return (uint16_t)(i + 1);
	}
	return 0;
}

unsigned lurk_image_profile_of(const struct lurk_image *image, uint32_t rule)
{
	struct lurk_profile profile;

	for (unsigned i = 0; i < image->profile_count; i++) {
		lurk_image_profile(image, i, &profile);
		if (rule - profile.first_rule < profile.rule_count)
			return i;
	}
	return 0;
}

static const uint8_t *rule_at(const struct lurk_image *image, uint32_t index)
{
	return image->bytes + image->rules + (size_t)index * RULE_SIZE;
}

void lurk_bare_rule(const struct lurk_image *image, uint32_t index, struct lurk_rule *rule)
{
	const uint8_t *at = rule_at(image, index);

	memset(rule, 0, sizeof *rule);
	rule->press.on.kind = at[RULE_TARGET];
	rule->press.on.key = get16(at + RULE_PRESSED);
	if (at[RULE_SCAN_KIND] != LURK_SCAN_NONE)
		rule->press.on.scan = lurk_scan_make((enum lurk_scan_kind)at[RULE_SCAN_KIND],
						     get32(at + RULE_SCAN));
	rule->press.modifiers = get16(at + RULE_MODIFIERS);
	rule->press.only = at[RULE_FLAGS] & RULE_ONLY;
	rule->gives.kind = at[RULE_GIVES];
	rule->gives.key = get16(at + RULE_GIVEN);
	rule->gives.steps = read_text(image, at + RULE_STEPS);
	rule->keyboard = get16(at + RULE_KEYBOARD);
	rule->swap = at[RULE_FLAGS] & RULE_SWAP;
	rule->off = at[RULE_FLAGS] & RULE_OFF;
}

void lurk_image_rule(const struct lurk_image *image, uint32_t index, struct lurk_rule *rule)
{
	const uint8_t *at = rule_at(image, index);

	lurk_bare_rule(image, index, rule);
	rule->line = get32(at + RULE_LINE);
	rule->gives.text = read_text(image, at + RULE_TEXT);
	rule->note = read_text(image, at + RULE_NOTE);
}

void lurk_image_keyboard(const struct lurk_image *image, unsigned index,
			 struct lurk_keyboard *keyboard)
{
	const uint8_t *at = keyboard_at(image, index);

	memset(keyboard, 0, sizeof *keyboard);
	keyboard->name = read_text(image, at + KEYBOARD_NAME);
	keyboard->recogniser_count = get16(at + KEYBOARD_RECOGNISERS);
	keyboard->quirk_count = get16(at + KEYBOARD_QUIRKS);
	keyboard->apart = at[KEYBOARD_FLAGS] & KEYBOARD_APART;
}

void lurk_image_recogniser(const struct lurk_image *image, unsigned keyboard, unsigned index,
			   struct lurk_recogniser *r)
{
	size_t place =
		get16(keyboard_at(image, keyboard) + KEYBOARD_FIRST_RECOGNISER) + (size_t)index;
	const uint8_t *at = image->bytes + image->recognisers + place * RECOGNISER_SIZE;

	r->bus = at[RECOGNISER_BUS];
	r->built_in = at[RECOGNISER_FLAGS] & RECOGNISER_BUILT_IN;
	r->by_product = at[RECOGNISER_FLAGS] & RECOGNISER_BY_PRODUCT;
	r->vendor = get16(at + RECOGNISER_VENDOR);
	r->product = get16(at + RECOGNISER_PRODUCT);
	r->serial = read_text(image, at + RECOGNISER_SERIAL);
	r->name = read_text(image, at + RECOGNISER_NAME);
	r->place = read_text(image, at + RECOGNISER_PLACE);
}

void lurk_image_quirk(const struct lurk_image *image, unsigned keyboard, unsigned index,
		      struct lurk_quirk *quirk)
{
	size_t place = get16(keyboard_at(image, keyboard) + KEYBOARD_FIRST_QUIRK) + (size_t)index;
	const uint8_t *at = image->bytes + image->quirks + place * QUIRK_SIZE;

	quirk->kind = at[QUIRK_KIND];
	quirk->key = get16(at + QUIRK_KEY);
}

uint16_t lurk_image_recognise(const struct lurk_image *image, const struct lurk_identity *identity)
{
	unsigned best = 0;
	uint16_t who = 0;

	for (unsigned k = 0; k < image->keyboard_count; k++) {
		struct lurk_keyboard keyboard;

		lurk_image_keyboard(image, k, &keyboard);
		for (unsigned i = 0; i < keyboard.recogniser_count; i++) {
			struct lurk_recogniser r;
			unsigned fit;

			lurk_image_recogniser(image, k, i, &r);
			fit = lurk_recognise(&r, identity);
			if (fit > best) {
				best = fit;
				who = (uint16_t)(k + 1);
			}
		}
	}
	return who;
}
