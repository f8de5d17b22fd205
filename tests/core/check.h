/* What every test file needs. */
#ifndef LURK_TESTS_CHECK_H
#define LURK_TESTS_CHECK_H

#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <cmocka.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* Opens a file of tests/data. */
static inline FILE *open_data(const char *name)
{
	char path[512];
	FILE *file;

	snprintf(path, sizeof path, "%s/%s", LURK_TEST_DATA, name);
	file = fopen(path, "r");
	if (!file)
		fail_msg("cannot open %s", path);
	return file;
}

/* A fresh folder, in memory where the one who runs the tests says so (TMPDIR). */
static inline void make_folder(char folder[64])
{
	const char *where = getenv("TMPDIR");

	snprintf(folder, 64, "%.44s/lurk-test-XXXXXX", where ? where : "/tmp");
	if (!mkdtemp(folder))
		fail_msg("cannot make %s", folder);
}

/* How often something random is done, of so many times: LURK_SOAK=N for N times as often,
 * LURK_SOAK=1/N where each step is watched and costs as much more. */
static inline unsigned long as_often(unsigned long count)
{
	const char *soak = getenv("LURK_SOAK");

	if (!soak)
		return count;
	return strncmp(soak, "1/", 2) ? count * strtoul(soak, NULL, 10)
				      : count / strtoul(soak + 2, NULL, 10) + 1;
}

/* The same random numbers on every machine (xorshift64*). */
static inline uint32_t random_next(uint64_t *state)
{
	*state ^= *state >> 12;
	*state ^= *state << 25;
	*state ^= *state >> 27;
	return (uint32_t)((*state * 2685821657736338717U) >> 32);
}

#endif
