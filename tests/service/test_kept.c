/* A file that is kept: each change is seen with the next look, and where there is none the disk is
 * not asked. The clock is the test's. */
#include "../core/check.h"

#include <fcntl.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <time.h>
#include <unistd.h>

#include "service/kept.h"

static time_t ahead; /* of the real clock */
static unsigned opened;

/* In the place of the system's. */
int clock_gettime(clockid_t clock, struct timespec *time)
{
	const long done = syscall(SYS_clock_gettime, clock, time);

	time->tv_sec += ahead;
	return (int)done;
}

int open(const char *path, int flags, ...)
{
	opened++;
	return (int)syscall(SYS_openat, AT_FDCWD, path, flags, 0600);
}

static char folder[64], path[96], other[96];

static void write_to(const char *name, const char *text)
{
	FILE *file = fopen(name, "w");

	assert_non_null(file);
	fputs(text, file);
	assert_int_equal(fclose(file), 0);
}

/* What a look gives, "-" for nothing; and whether the file was opened for it. */
static const char *look(struct lurk_kept_file *file, bool *asked)
{
	static char text[256];
	const unsigned before = opened;
	FILE *stream = lurk_kept_open(file);
	size_t length = stream ? fread(text, 1, sizeof text - 1, stream) : 0;

	text[length] = '\0';
	if (stream)
		fclose(stream);
	else
		strcpy(text, "-");
	*asked = opened != before;
	return text;
}

static const char *const texts[] = {"", "reed\n", "marsh\n",
				    "a line that is longer than the others\n"};

/* One of the ways in which a file changes; what it says then, "-" for nothing. */
static const char *change(uint64_t *seed)
{
	const char *text = texts[random_next(seed) % COUNT(texts)], *is = *text ? text : "-";

	switch (random_next(seed) % 6) {
	case 0: /* as it is */
		return NULL;
	case 1:
		unlink(path);
		return "-";
	case 2: /* a whole one in its place */
		write_to(other, text);
		assert_int_equal(rename(other, path), 0);
		return is;
	case 3: /* a link to one, and that is another */
		unlink(path);
		write_to(other, text);
		assert_int_equal(symlink(other, path), 0);
		return is;
	case 4: /* something that is no file, which nobody waits for */
		unlink(path);
		assert_int_equal(mkfifo(path, 0600), 0);
		return "-";
	default: /* written in its place; a link's file too */
		unlink(path);
		write_to(path, "x");
		write_to(path, text);
		return is;
	}
}

static void each_change_is_seen(void **state)
{
	struct lurk_kept_file file = {.path = path, .fd = -1};
	const char *is = "-";
	uint64_t seed = 5;
	bool asked;

	(void)state;
	for (unsigned long i = 0; i < as_often(4000); i++) {
		const char *now = change(&seed);

		ahead = random_next(&seed) % 2 ? 100 : 0;
		is = now ? now : is;
		assert_string_equal(look(&file, &asked), is);
	}
	lurk_kept_forget(&file);
	unlink(path);
	unlink(other);
}

static void what_is_old_is_not_read_again(void **state)
{
	struct lurk_kept_file file = {.path = path, .fd = -1};
	bool asked;

	(void)state;
	write_to(path, "reed\n");
	for (ahead = 0; ahead < 3; ahead++) { /* another change may look the same */
		assert_string_equal(look(&file, &asked), "reed\n");
		assert_true(asked);
	}
	ahead = 100;
	look(&file, &asked);
	for (unsigned i = 0; i < 3; i++) {
		assert_string_equal(look(&file, &asked), "reed\n");
		assert_false(asked);
	}
	write_to(path, "marsh\n");
	assert_string_equal(look(&file, &asked), "marsh\n");
	ahead = -100; /* the clock is set back: nobody knows how old it is */
	write_to(path, "reed\n");
	assert_string_equal(look(&file, &asked), "reed\n");
	look(&file, &asked);
	assert_true(asked);
	lurk_kept_forget(&file);
	unlink(path);
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(each_change_is_seen),
		cmocka_unit_test(what_is_old_is_not_read_again),
	};
	int failed;

	strcpy(folder, "/tmp/lurk-test-XXXXXX");
	if (!mkdtemp(folder))
		return 1;
	snprintf(path, sizeof path, "%s/group", folder);
	snprintf(other, sizeof other, "%s/other", folder);
	failed = cmocka_run_group_tests(tests, NULL, NULL);
	rmdir(folder);
	return failed;
}
