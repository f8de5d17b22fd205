/* What every test file needs. */
#ifndef LURK_TESTS_CHECK_H
#define LURK_TESTS_CHECK_H

#include <ftw.h>
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

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

static struct {
	char path[44];
	pid_t maker; /* and not what it forks */
	unsigned count;
} folders;

static inline int remove_one(const char *path, const struct stat *unused, int kind, struct FTW *at)
{
	(void)unused;
	(void)kind;
	(void)at;
	return remove(path);
}

static inline void remove_folders(void)
{
	if (getpid() == folders.maker)
		nftw(folders.path, remove_one, 16, FTW_DEPTH | FTW_PHYS);
}

/* A fresh folder, in memory where the one who runs the tests says so (TMPDIR). All of a process
 * are in one, which goes when it ends. */
static inline void make_folder(char folder[64])
{
	const char *where = getenv("TMPDIR");

	if (!folders.maker) {
		snprintf(folders.path, sizeof folders.path, "%.26s/lurk-test-XXXXXX",
			 where ? where : "/tmp");
		if (!mkdtemp(folders.path) || atexit(remove_folders))
			fail_msg("cannot make %s", folders.path);
		folders.maker = getpid();
	}
	snprintf(folder, 64, "%s/%u", folders.path, folders.count++);
	if (mkdir(folder, 0700))
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

/* Of what there are many, one in so many; each with LURK_SOAK=16. */
static inline unsigned one_in(unsigned long many)
{
	const unsigned long times = as_often(1);

	return times < 16 ? (unsigned)(many / times) : 1;
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
