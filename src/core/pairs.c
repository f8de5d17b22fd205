#include "lurk/pairs.h"

static uint16_t word_at(const uint8_t *bytes, size_t word)
{
	return (uint16_t)(bytes[2 * word] | bytes[2 * word + 1] << 8);
}

/* A code as it goes down, alone or behind e0. */
static bool read_code(uint16_t word, lurk_scan *scan)
{
	const unsigned prefix = word >> 8, code = word & 0xff;

	*scan = lurk_scan_make(LURK_SCAN_SET1, word);
	return (prefix == 0 || prefix == 0xe0) && code && code < 0x80;
}

static void fault(struct lurk_pairs_report *report, enum lurk_pairs_fault fault, size_t at)
{
	if (report->fault)
		return;
	report->fault = (uint8_t)fault;
	report->at = (uint32_t)at;
}

/* Where the pairs begin, of words that are not all zero: behind the count, which is one word, or
 * two where the pairs would not come out even otherwise. */
static size_t first_pair(const uint8_t *bytes, size_t words, uint32_t *said)
{
	size_t at = 0;

	while (at < words && !word_at(bytes, at))
		at++;
	*said = at < words ? word_at(bytes, at) : 0;
	at++;
	return at + (at < words && (words - at) % 2 && !word_at(bytes, at));
}

static void read_pairs(const uint8_t *bytes, size_t first, size_t words, struct lurk_pair *pairs,
		       uint32_t room, struct lurk_pairs_report *report)
{
	bool ended = false;

	for (size_t at = first; at + 2 <= words; at += 2) {
		const uint16_t gives = word_at(bytes, at), press = word_at(bytes, at + 1);
		struct lurk_pair pair = {.gives = {0, LURK_SCAN_NONE}};

		report->there++;
		ended = !gives && !press;
		if (ended)
			continue;
		if (!read_code(press, &pair.press)) {
			fault(report, LURK_PAIRS_CODE, 2 * at + 2);
			continue;
		}
		if (gives && !read_code(gives, &pair.gives)) {
			fault(report, LURK_PAIRS_CODE, 2 * at);
			continue;
		}
		if (report->count == room) {
			fault(report, LURK_PAIRS_ROOM, 2 * at);
			return;
		}
		pairs[report->count++] = pair;
	}
	if (!ended)
		fault(report, LURK_PAIRS_NO_END, 2 * words);
}

bool lurk_pairs_read(const uint8_t *bytes, size_t length, struct lurk_pair *pairs, uint32_t room,
		     struct lurk_pairs_report *report)
{
	const size_t words = length / 2;
	size_t first = 0;

	*report = (struct lurk_pairs_report){.fault = LURK_PAIRS_FINE};
	if (words <= 2) { /* no table */
		struct lurk_pair pair = {.gives = {0, LURK_SCAN_NONE}};

		if (words && !read_code(word_at(bytes, words - 1), &pair.press))
			fault(report, LURK_PAIRS_CODE, 2 * words - 2);
		else if (words == 2 && word_at(bytes, 0) &&
			 !read_code(word_at(bytes, 0), &pair.gives))
			fault(report, LURK_PAIRS_CODE, 0);
		else if (words && room)
			pairs[report->count++] = pair;
	} else {
		first = first_pair(bytes, words, &report->said);
		read_pairs(bytes, first, words, pairs, room, report);
		if ((words - first) % 2)
			fault(report, LURK_PAIRS_HALF, 2 * words - 2);
		if (report->said != report->there && report->said + 1 != report->there)
			fault(report, LURK_PAIRS_COUNT, 0);
	}
	if (length % 2)
		fault(report, LURK_PAIRS_ODD, length - 1);
	return !report->fault;
}

uint16_t lurk_pairs_word(lurk_scan scan)
{
	lurk_scan read;

	return scan.kind == LURK_SCAN_SET1 && scan.code <= 0xffff &&
			       read_code((uint16_t)scan.code, &read)
		       ? (uint16_t)scan.code
		       : 0;
}

static uint8_t *put_word(uint8_t *at, uint32_t word)
{
	at[0] = (uint8_t)word;
	at[1] = (uint8_t)(word >> 8);
	return at + 2;
}

void lurk_pairs_write(const struct lurk_pair *pairs, uint32_t count, uint8_t *bytes)
{
	const uint32_t with_end = count + 1;

	for (unsigned i = 0; i < 4; i++)
		bytes = put_word(bytes, 0);
	bytes = put_word(put_word(bytes, with_end), with_end >> 16);
	for (uint32_t i = 0; i < count; i++)
		bytes = put_word(put_word(bytes, lurk_pairs_word(pairs[i].gives)),
				 lurk_pairs_word(pairs[i].press));
	put_word(put_word(bytes, 0), 0);
}
