/* Images: rules and keyboards as bytes, and back. */
#include "lurk/image.h"

#include "core/mem.h"

enum {
	AT_VERSION = 4,
	AT_HEADER_SIZE = 6,
	AT_LENGTH = 8,
	AT_CRC = 12,
	AT_SEQUENCE = 16,
	AT_SAVED = 24,
	AT_COUNTS = 32,
	AT_SAVED_BY = 48,
	HEADER_SIZE = 52,
	TEXT_SIZE = 8,
	PROFILE_SIZE = 36,
	KEYBOARD_SIZE = 20,
	RECOGNISER_SIZE = 32,
	QUIRK_SIZE = 4,
	RULE_SIZE = 44,
};

enum { RECOGNISER_BUILT_IN = 1, RECOGNISER_BY_PRODUCT = 2 };
enum { KEYBOARD_APART = 1 };
enum { RULE_SWAP = 1, RULE_OFF = 2, RULE_ONLY = 4 };

static const uint8_t magic[4] = {'L', 'U', 'R', 'K'};

/* ---- Little-endian, a byte at a time ------------------------------------------------------- */

static uint16_t get16(const uint8_t *at)
{
	return (uint16_t)(at[0] | at[1] << 8);
}

static uint32_t get32(const uint8_t *at)
{
	return get16(at) | (uint32_t)get16(at + 2) << 16;
}

static uint64_t get64(const uint8_t *at)
{
	return get32(at) | (uint64_t)get32(at + 4) << 32;
}

static void put16(uint8_t *at, unsigned value)
{
	at[0] = (uint8_t)value;
	at[1] = (uint8_t)(value >> 8);
}

static void put32(uint8_t *at, uint32_t value)
{
	put16(at, value & 0xffff);
	put16(at + 2, value >> 16);
}

static void put64(uint8_t *at, uint64_t value)
{
	put32(at, (uint32_t)value);
	put32(at + 4, (uint32_t)(value >> 32));
}

/* The CRC-32 of IEEE 802.3. */
static uint32_t crc32(const uint8_t *bytes, size_t length)
{
	/* What four bits make of it, for each value of them. */
	static const uint32_t by_four[16] = {0x00000000, 0x1db71064, 0x3b6e20c8, 0x26d930ac,
					     0x76dc4190, 0x6b6b51f4, 0x4db26158, 0x5005713c,
					     0xedb88320, 0xf00f9344, 0xd6d6a3e8, 0xcb61b38c,
					     0x9b64c2b0, 0x86d3d2d4, 0xa00ae278, 0xbdbdf21c};
	uint32_t crc = 0xffffffff;

	for (size_t i = 0; i < length; i++) {
		crc ^= bytes[i];
		crc = crc >> 4 ^ by_four[crc & 0xf];
		crc = crc >> 4 ^ by_four[crc & 0xf];
	}
	return ~crc;
}

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
		put32(at, (uint32_t)w->string_at);
		put16(at + 4, (unsigned)text.length);
		if (text.length)
			memcpy(w->bytes + w->strings + w->string_at, text.bytes, text.length);
	}
	w->string_at += text.length;
}

static void write_recogniser(struct writer *w, const struct lurk_recogniser *r)
{
	uint8_t *at = claim(w, RECOGNISER_SIZE);

	if (at) {
		at[0] = r->bus;
		at[1] = (uint8_t)((r->built_in ? RECOGNISER_BUILT_IN : 0) |
				  (r->by_product ? RECOGNISER_BY_PRODUCT : 0));
		put16(at + 2, r->vendor);
		put16(at + 4, r->product);
	}
	write_text(w, at ? at + 8 : NULL, r->serial);
	write_text(w, at ? at + 16 : NULL, r->name);
	write_text(w, at ? at + 24 : NULL, r->place);
}

static void write_rule(struct writer *w, const struct lurk_rule *rule)
{
	uint8_t *at = claim(w, RULE_SIZE);

	if (at) {
		at[0] = rule->press.on.kind;
		at[1] = rule->gives.kind;
		at[2] = (uint8_t)((rule->swap ? RULE_SWAP : 0) | (rule->off ? RULE_OFF : 0) |
				  (rule->press.only ? RULE_ONLY : 0));
		at[3] = rule->press.on.scan.kind;
		put16(at + 4, rule->press.on.key);
		put16(at + 6, rule->gives.key);
		put32(at + 8, rule->press.on.scan.code);
		put16(at + 12, rule->press.modifiers);
		put16(at + 14, rule->keyboard);
		put32(at + 16, rule->line);
	}
	write_text(w, at ? at + 20 : NULL, rule->gives.text);
	write_text(w, at ? at + 28 : NULL, rule->note);
	write_text(w, at ? at + 36 : NULL, rule->gives.steps);
}

static void write_keyboards(struct writer *w, const struct lurk_image_parts *parts)
{
	unsigned recognisers = 0, quirks = 0;

	for (unsigned i = 0; i < parts->keyboard_count; i++) {
		const struct lurk_keyboard *k = &parts->keyboards[i];
		uint8_t *at = claim(w, KEYBOARD_SIZE);

		write_text(w, at, k->name);
		if (at) {
			put16(at + 8, recognisers);
			put16(at + 10, k->recogniser_count);
			put16(at + 12, quirks);
			put16(at + 14, k->quirk_count);
			at[16] = k->apart ? KEYBOARD_APART : 0;
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
			at[0] = parts->keyboards[i].quirks[q].kind;
			put16(at + 2, parts->keyboards[i].quirks[q].key);
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

		write_text(&w, at, parts->profiles[i].name);
		write_text(&w, at ? at + TEXT_SIZE : NULL, parts->profiles[i].source);
		if (at) {
			put32(at + 16, first_rule);
			put32(at + 20, parts->profiles[i].rule_count);
			at[24] = parts->profiles[i].way;
			put16(at + 26, parts->profiles[i].based_on);
		}
		write_text(&w, at ? at + 28 : NULL, parts->profiles[i].word);
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
	put16(header + AT_COUNTS, parts->profile_count);
	put16(header + AT_COUNTS + 2, parts->keyboard_count);
	put16(header + AT_COUNTS + 4, totals.recognisers);
	put16(header + AT_COUNTS + 6, totals.quirks);
	put32(header + AT_COUNTS + 8, totals.rules);
	put32(header + AT_COUNTS + 12, (uint32_t)w.string_at);
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

/* ---- Reading ------------------------------------------------------------------------------- */

static struct lurk_text read_text(const struct lurk_image *image, const uint8_t *at)
{
	return (struct lurk_text){(const char *)image->bytes + image->strings + get32(at),
				  get16(at + 4)};
}

static bool text_fits(const struct lurk_image *image, const uint8_t *at)
{
	uint32_t size = image->length - image->strings;

	return get32(at) <= size && get16(at + 4) <= size - get32(at);
}

static const uint8_t *keyboard_at(const struct lurk_image *image, unsigned index)
{
	return image->bytes + image->keyboards + (size_t)index * KEYBOARD_SIZE;
}

/* Whether what a profile is based on, and that on, ends: none is based on itself. */
static bool bases_end(const struct lurk_image *image, unsigned profile)
{
	for (unsigned bases = 0; bases < LURK_BASES_MAX; bases++) {
		unsigned base =
			get16(image->bytes + HEADER_SIZE + (size_t)profile * PROFILE_SIZE + 26);

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
		const uint8_t *at = image->bytes + HEADER_SIZE + (size_t)i * PROFILE_SIZE;

		if (!text_fits(image, at) || !text_fits(image, at + TEXT_SIZE) ||
		    !text_fits(image, at + 28) || get32(at + 16) != next ||
		    at[24] > LURK_WAY_RELAY || get32(at + 20) > image->rule_count - next ||
		    !bases_end(image, i))
			return false;
		next += get32(at + 20);
	}
	return next == image->rule_count;
}

static bool keyboards_fit(const struct lurk_image *image)
{
	for (unsigned i = 0; i < image->keyboard_count; i++) {
		const uint8_t *at = keyboard_at(image, i);

		if (!text_fits(image, at) || at[16] > KEYBOARD_APART ||
		    get16(at + 8) + get16(at + 10) > image->recogniser_count ||
		    get16(at + 12) + get16(at + 14) > image->quirk_count)
			return false;
	}
	for (unsigned i = 0; i < image->recogniser_count; i++) {
		const uint8_t *at = image->bytes + image->recognisers + (size_t)i * RECOGNISER_SIZE;

		if (at[0] >= LURK_BUS_COUNT || !text_fits(image, at + 8) ||
		    !text_fits(image, at + 16) || !text_fits(image, at + 24))
			return false;
	}
	for (unsigned i = 0; i < image->quirk_count; i++) {
		const uint8_t *at = image->bytes + image->quirks + (size_t)i * QUIRK_SIZE;

		if (!at[0] || at[0] >= LURK_QUIRK_END || !lurk_key_known(get16(at + 2)))
			return false;
	}
	return true;
}

static bool rules_fit(const struct lurk_image *image)
{
	for (uint32_t i = 0; i < image->rule_count; i++) {
		const uint8_t *at = image->bytes + image->rules + (size_t)i * RULE_SIZE;
		struct lurk_rule rule;

		if (!text_fits(image, at + 20) || !text_fits(image, at + 28) ||
		    !text_fits(image, at + 36))
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
	image->profile_count = get16(bytes + AT_COUNTS);
	image->keyboard_count = get16(bytes + AT_COUNTS + 2);
	image->recogniser_count = get16(bytes + AT_COUNTS + 4);
	image->quirk_count = get16(bytes + AT_COUNTS + 6);
	image->rule_count = get32(bytes + AT_COUNTS + 8);
	if (image->rule_count > LURK_RULES_MAX || image->keyboard_count > LURK_KEYBOARDS_MAX ||
	    !image->profile_count || image->profile_count > LURK_PROFILES_MAX ||
	    get16(bytes + AT_HEADER_SIZE) != HEADER_SIZE)
		return LURK_ERR_CONTENT;
	image->keyboards = HEADER_SIZE + image->profile_count * (uint32_t)PROFILE_SIZE;
	image->recognisers = image->keyboards + image->keyboard_count * (uint32_t)KEYBOARD_SIZE;
	image->quirks = image->recognisers + image->recogniser_count * (uint32_t)RECOGNISER_SIZE;
	image->rules = image->quirks + image->quirk_count * (uint32_t)QUIRK_SIZE;
	image->strings = image->rules + image->rule_count * (uint32_t)RULE_SIZE;
	end = (size_t)image->strings + get32(bytes + AT_COUNTS + 12);
	if (end != length || !profiles_fit(image) || !keyboards_fit(image) || !rules_fit(image))
		return LURK_ERR_CONTENT;
	return LURK_OK;
}

void lurk_image_profile(const struct lurk_image *image, unsigned index,
			struct lurk_profile *profile)
{
	const uint8_t *at = image->bytes + HEADER_SIZE + (size_t)index * PROFILE_SIZE;

	profile->name = read_text(image, at);
	profile->source = read_text(image, at + TEXT_SIZE);
	profile->rules = NULL;
	profile->first_rule = get32(at + 16);
	profile->rule_count = get32(at + 20);
	profile->way = at[24];
	profile->based_on = get16(at + 26);
	profile->word = read_text(image, at + 28);
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

void lurk_image_rule(const struct lurk_image *image, uint32_t index, struct lurk_rule *rule)
{
	const uint8_t *at = image->bytes + image->rules + (size_t)index * RULE_SIZE;

	memset(rule, 0, sizeof *rule);
	rule->press.on.kind = at[0];
	rule->gives.kind = at[1];
	rule->swap = at[2] & RULE_SWAP;
	rule->off = at[2] & RULE_OFF;
	rule->press.only = at[2] & RULE_ONLY;
	rule->press.on.scan = lurk_scan_make((enum lurk_scan_kind)at[3], get32(at + 8));
	rule->press.on.key = get16(at + 4);
	rule->gives.key = get16(at + 6);
	rule->press.modifiers = get16(at + 12);
	rule->keyboard = get16(at + 14);
	rule->line = get32(at + 16);
	rule->gives.text = read_text(image, at + 20);
	rule->note = read_text(image, at + 28);
	rule->gives.steps = read_text(image, at + 36);
}

void lurk_image_keyboard(const struct lurk_image *image, unsigned index,
			 struct lurk_keyboard *keyboard)
{
	const uint8_t *at = keyboard_at(image, index);

	memset(keyboard, 0, sizeof *keyboard);
	keyboard->name = read_text(image, at);
	keyboard->recogniser_count = get16(at + 10);
	keyboard->quirk_count = get16(at + 14);
	keyboard->apart = at[16] & KEYBOARD_APART;
}

void lurk_image_recogniser(const struct lurk_image *image, unsigned keyboard, unsigned index,
			   struct lurk_recogniser *r)
{
	size_t place = get16(keyboard_at(image, keyboard) + 8) + (size_t)index;
	const uint8_t *at = image->bytes + image->recognisers + place * RECOGNISER_SIZE;

	r->bus = at[0];
	r->built_in = at[1] & RECOGNISER_BUILT_IN;
	r->by_product = at[1] & RECOGNISER_BY_PRODUCT;
	r->vendor = get16(at + 2);
	r->product = get16(at + 4);
	r->serial = read_text(image, at + 8);
	r->name = read_text(image, at + 16);
	r->place = read_text(image, at + 24);
}

void lurk_image_quirk(const struct lurk_image *image, unsigned keyboard, unsigned index,
		      struct lurk_quirk *quirk)
{
	size_t place = get16(keyboard_at(image, keyboard) + 12) + (size_t)index;
	const uint8_t *at = image->bytes + image->quirks + place * QUIRK_SIZE;

	quirk->kind = at[0];
	quirk->key = get16(at + 2);
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
