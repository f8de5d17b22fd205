/* What is stored by a thread: told when it is safe and not before, each failure once, and nothing
 * is lost where there is no thread, no end, or one after the other. The disk is the test's. */
#include "../core/check.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <semaphore.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "port/linux/syncing.h"

static sem_t disk; /* how often it still writes */
static atomic_uint synced;
static bool threads = true;

static char folder[64];

static bool is_of(int fd, const char *name)
{
	char link[64], path[256] = "";

	snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
	return readlink(link, path, sizeof path - 1) > 0 && strstr(path, name);
}

/* In the place of the system's: slots from 10 on the disk does not take. */
int fsync(int fd)
{
	sem_wait(&disk);
	synced++;
	errno = EIO;
	return is_of(fd, "slot-1") ? -1 : 0;
}

/* Nor is there room for those from 20 on, and that is said when it is asked. */
static sem_t room;
int ftruncate(int fd, off_t length)
{
	(void)length;
	if (is_of(fd, "slot-3"))
		sem_wait(&room);
	errno = ENOSPC;
	return is_of(fd, "slot-2") || is_of(fd, "slot-3") ? -1 : 0;
}

int __real_pthread_create(pthread_t *thread, const pthread_attr_t *attributes, void *(*run)(void *),
			  void *data);
int __wrap_pthread_create(pthread_t *thread, const pthread_attr_t *attributes, void *(*run)(void *),
			  void *data);
int __wrap_pthread_create(pthread_t *thread, const pthread_attr_t *attributes, void *(*run)(void *),
			  void *data)
{
	return threads ? __real_pthread_create(thread, attributes, run, data) : EAGAIN;
}

static void write_for(unsigned times)
{
	for (unsigned i = 0; i < times; i++)
		sem_post(&disk);
}

static enum lurk_error store(struct lurk_syncing *s, unsigned slot)
{
	const struct lurk_slots_place place = {folder, LURK_NOBODY, ""};

	return lurk_syncing_write(s, &place, slot, (const uint8_t *)"rules", 5);
}

static void await(const struct lurk_syncing *s)
{
	struct pollfd wait = {s->ended, POLLIN, 0};

	poll(&wait, 1, -1);
}

/* Both of a slot: the file and its folder. */
enum { BOTH = 2 };

static void nothing_is_told_before_it_is_safe(void **state)
{
	struct lurk_syncing s;
	struct lurk_linux_stored all;
	uint8_t back[8];
	size_t length;

	(void)state;
	assert_true(lurk_syncing_open(&s));
	assert_false(lurk_syncing_now(&s));
	assert_true(lurk_syncing_ended(&s, &all)); /* nothing ever was on its way */
	assert_int_equal(store(&s, 3), LURK_OK);
	assert_true(lurk_syncing_now(&s));
	assert_false(lurk_syncing_ended(&s, &all));
	write_for(1);
	assert_false(lurk_syncing_ended(&s, &all));
	write_for(1);
	await(&s);
	assert_true(lurk_syncing_now(&s)); /* until it is asked for */
	assert_true(lurk_syncing_ended(&s, &all));
	assert_int_equal(all.error, LURK_OK);
	assert_false(lurk_syncing_now(&s));
	assert_int_equal(lurk_slots_read(folder, 3, back, sizeof back, &length), LURK_OK);
	assert_memory_equal(back, "rules", 5);
	/* What is on its way is waited for. */
	assert_int_equal(store(&s, 4), LURK_OK);
	write_for(BOTH);
	lurk_syncing_close(&s);
	assert_int_equal(synced, 2 * BOTH);
}

/* That there is no room is said at once; where the disk does not even say that, later. */
static void no_room_is_said(void **state)
{
	struct lurk_syncing s;
	struct lurk_linux_stored all;
	enum lurk_error error;

	(void)state;
	assert_true(lurk_syncing_open(&s));
	error = store(&s, 20); /* or later, where this machine is that slow; never twice */
	await(&s);
	assert_true(lurk_syncing_ended(&s, &all));
	assert_int_equal(error ? error : all.error, LURK_ERR_NO_SPACE);
	assert_true(!error != !all.error);
	assert_int_equal(store(&s, 30), LURK_OK);
	assert_false(lurk_syncing_ended(&s, &all));
	sem_post(&room);
	await(&s);
	assert_true(lurk_syncing_ended(&s, &all));
	assert_int_equal(all.error, LURK_ERR_NO_SPACE);
	assert_int_equal(all.slot, 30);
	assert_int_equal(all.owner, LURK_NOBODY);
	lurk_syncing_close(&s);
}

/* One after the other, asked for at any time, with and without threads: each begun is ended, and
 * of those that failed since it was last asked the first is told. */
static void any_that_failed_is_told(void **state)
{
	uint64_t seed = 9;

	(void)state;
	for (unsigned long round = 0; round < as_often(300); round++) {
		const unsigned count = 1 + (unsigned)(random_next(&seed) % 4);
		struct lurk_linux_stored all = {.error = LURK_OK};
		struct lurk_syncing s;
		unsigned first = 0;

		assert_true(lurk_syncing_open(&s));
		for (unsigned n = 1; n <= count; n++) {
			const bool fails = random_next(&seed) % 3 == 0;
			const unsigned slot = fails ? 10 + n : n;
			enum lurk_error error;

			threads = random_next(&seed) % 4;
			write_for(fails ? 1 : BOTH);
			error = store(&s, slot);
			assert_int_equal(error, fails && !threads ? LURK_ERR_DISK : LURK_OK);
			if (fails && threads && !first)
				first = slot;
			assert_true(lurk_syncing_now(&s));
			if (n < count && random_next(&seed) % 2)
				continue; /* not asked: the next waits for it */
			do
				await(&s);
			while (!lurk_syncing_ended(&s, &all));
			assert_int_equal(all.error, first ? LURK_ERR_DISK : LURK_OK);
			if (first)
				assert_int_equal(all.slot, first);
			first = 0;
		}
		threads = true;
		lurk_syncing_close(&s);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(nothing_is_told_before_it_is_safe),
		cmocka_unit_test(no_room_is_said),
		cmocka_unit_test(any_that_failed_is_told),
	};
	char name[8];
	int failed;

	sem_init(&disk, 0, 0);
	sem_init(&room, 0, 0);
	strcpy(folder, "/tmp/lurk-test-XXXXXX");
	if (!mkdtemp(folder))
		return 1;
	failed = cmocka_run_group_tests(tests, NULL, NULL);
	for (unsigned slot = 0; slot < 32 && !chdir(folder); slot++) {
		snprintf(name, sizeof name, "slot-%02u", slot);
		unlink(name);
	}
	rmdir(folder);
	return failed;
}
