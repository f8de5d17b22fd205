/* Words that are nearly the same: for "did you mean". */
#include "core/plain.h"

static unsigned least(unsigned a, unsigned b)
{
	return a < b ? a : b;
}

/* How many letters must be left out, put in, changed or exchanged to make one of the other. */
static unsigned distance(const struct lurk_plain *a, const struct lurk_plain *b)
{
	uint8_t lines[3][LURK_PLAIN_MAX + 1];

	for (size_t j = 0; j <= b->length; j++)
		lines[0][j] = (uint8_t)j;
	for (size_t i = 1; i <= a->length; i++) {
		uint8_t *now = lines[i % 3], *last = lines[(i - 1) % 3];
		const uint8_t *before = lines[(i + 1) % 3];

		now[0] = (uint8_t)i;
		for (size_t j = 1; j <= b->length; j++) {
			bool same = a->text[i - 1] == b->text[j - 1];
			unsigned d =
				least(least(last[j] + 1U, now[j - 1] + 1U), last[j - 1] + !same);

			if (i > 1 && j > 1 && a->text[i - 1] == b->text[j - 2] &&
			    a->text[i - 2] == b->text[j - 1])
				d = least(d, before[j - 2] + 1U);
			now[j] = (uint8_t)d;
		}
	}
	return lines[a->length % 3][b->length];
}

/* How many changes still make of a word one that may have been meant: one, from eight letters on a
 * quarter of them. Of two letters none is left. */
static unsigned still_near(const struct lurk_plain *a, const struct lurk_plain *b)
{
	const unsigned longer = (unsigned)(a->length > b->length ? a->length : b->length);

	return longer < 3 ? 0 : longer < 8 ? 1 : longer / 4;
}

/* A letter a bit. */
static uint64_t letters_of(const struct lurk_plain *plain)
{
	uint64_t letters = 0;

	for (size_t i = 0; i < plain->length; i++)
		letters |= UINT64_C(1) << (plain->text[i] & 63);
	return letters;
}

static unsigned count_bits(uint64_t set)
{
	unsigned n = 0;

	for (; set; set &= set - 1)
		n++;
	return n;
}

/* Whether two words can be so near at all: each letter that one has and the other lacks is a change
 * of its own. Said of nearly all words, and quickly. */
static bool may_be_near(const struct lurk_plain *a, uint64_t letters, const struct lurk_plain *b,
			unsigned worst)
{
	const uint64_t others = letters_of(b);

	return a->length <= b->length + worst && b->length <= a->length + worst &&
	       count_bits(letters & ~others) <= worst && count_bits(others & ~letters) <= worst;
}

void lurk_near_consider(struct lurk_near *near, const struct lurk_plain *plain, const char *word,
			lurk_key key)
{
	struct lurk_plain other;
	unsigned d, worst, at = 0;

	if (!lurk_plain_make(word, lurk_length(word), &other))
		return;
	worst = still_near(plain, &other);
	if (!may_be_near(plain, letters_of(plain), &other, worst))
		return;
	d = distance(plain, &other);
	if (d > worst)
		return;
	for (unsigned i = 0; i < near->name->count; i++) {
		if (near->name->keys[i] == key)
			return;
	}
	while (at < near->name->count && near->distances[at] <= d)
		at++;
	if (at >= 3)
		return;
	for (unsigned i = 2; i > at; i--) {
		near->name->keys[i] = near->name->keys[i - 1];
		near->distances[i] = near->distances[i - 1];
	}
	near->name->keys[at] = key;
	near->distances[at] = d;
	if (near->name->count < 3)
		near->name->count++;
}

const char *lurk_name_nearest(const char *word, const char *const *words, size_t count)
{
	struct lurk_plain plain, other;
	const char *nearest = NULL;
	unsigned best = LURK_PLAIN_MAX;

	if (!lurk_plain_make(word, lurk_length(word), &plain))
		return NULL;
	for (size_t i = 0; i < count; i++) {
		unsigned d;

		if (!lurk_plain_make(words[i], lurk_length(words[i]), &other))
			continue;
		d = distance(&plain, &other);
		if (d < best && d <= still_near(&plain, &other)) {
			best = d;
			nearest = words[i];
		}
	}
	return nearest;
}
