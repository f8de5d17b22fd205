/*
 * The memory and string functions that every C compiler expects to find, also without a standard
 * library; the core declares them for itself and includes no hosted header.
 */
#ifndef LURK_CORE_MEM_H
#define LURK_CORE_MEM_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

void *memcpy(void *restrict to, const void *restrict from, size_t size);
void *memmove(void *to, const void *from, size_t size);
void *memset(void *at, int byte, size_t size);
int memcmp(const void *a, const void *b, size_t size);

static inline size_t lurk_length(const char *text)
{
	size_t n = 0;

	while (text[n])
		n++;
	return n;
}

static inline bool lurk_equal(const char *a, const char *b)
{
	while (*a && *a == *b) {
		a++;
		b++;
	}
	return *a == *b;
}

static inline char lurk_lower(char c)
{
	return c >= 'A' && c <= 'Z' ? (char)(c - 'A' + 'a') : c;
}

#endif
