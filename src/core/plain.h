/* Names without case and separators, and what the files that read names share. */
#ifndef LURK_CORE_PLAIN_H
#define LURK_CORE_PLAIN_H

#include "core/mem.h"
#include "lurk/name.h"

enum { LURK_PLAIN_MAX = 40 };

struct lurk_plain {
	char text[LURK_PLAIN_MAX];
	size_t length;
};

static inline bool lurk_is_separator(char c)
{
	return c == ' ' || c == '_' || c == '-';
}

static inline bool lurk_is_letter(char c)
{
	return (uint8_t)((c | 0x20) - 'a') < 26;
}

/* False where the text is longer than any name. A last `-` is a character, as in "kp -". */
static inline bool lurk_plain_make(const char *text, size_t length, struct lurk_plain *plain)
{
	size_t n = 0;

	for (size_t i = 0; i < length; i++) {
		char c = text[i];

		if (lurk_is_letter(c))
			c |= 0x20;
		else if (lurk_is_separator(c) && (i + 1 < length || length == 1 || c == ' '))
			continue;
		if (n == LURK_PLAIN_MAX - 1)
			return false;
		plain->text[n++] = c;
	}
	plain->length = n;
	plain->text[plain->length] = '\0';
	return plain->length > 0;
}

/* number.c: reads a number into name->decimal and name->hex; false where it is none. */
bool lurk_number_read(const struct lurk_plain *plain, struct lurk_name *name);

/* near.c: the keys with names nearly the same, gathered one word after the other. */
struct lurk_near {
	struct lurk_name *name;
	unsigned distances[3];
};
void lurk_near_consider(struct lurk_near *near, const struct lurk_plain *plain, const char *word,
			lurk_key key);

#endif
