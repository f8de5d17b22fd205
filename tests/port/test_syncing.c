/* What is stored by a thread: told when it is safe and not before, each failure once, and nothing
 * is lost where there is no thread, no end, or one after the other. The disk is the test's. */
#include "../core/check.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <semaphore.h>
#include <stdatomic.h>
#include <string.h>
#include <unistd.h>

#include "port/linux/syncing.h"

static sem_t disk; /* how often it still writes */
static atomic_uint synced;
static bool threads = true;

/* In the place of the system's: what is open for reading alone the disk does not take. */
int fsync(int fd)
{
	sem_wait(&disk);
	synced++;
	errno = EIO;
	return (fcntl(fd, F_GETFL) & O_ACCMODE) == O_RDONLY ? -1 : 0;
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

static struct lurk_slots_written written(bool fails)
{
	return (struct lurk_slots_written){
		.file = open("/dev/null", (fails ? O_RDONLY : O_WRONLY) | O_CLOEXEC),
		.folder = open("/dev/null", O_WRONLY | O_CLOEXEC)};
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
	struct lurk_slots_synced all;
	struct lurk_slots_written file = written(false);

	(void)state;
	assert_true(lurk_syncing_open(&s));
	assert_int_equal(lurk_syncing_now(&s), 0);
	assert_true(lurk_syncing_ended(&s, &all)); /* nothing ever was on its way */
	lurk_syncing_begin(&s, 7, 3, &file);
	assert_int_equal(lurk_syncing_now(&s), 1);
	assert_false(lurk_syncing_ended(&s, &all));
	write_for(1);
	assert_false(lurk_syncing_ended(&s, &all));
	write_for(1);
	await(&s);
	assert_int_equal(lurk_syncing_now(&s), 1); /* until it is asked for */
	assert_true(lurk_syncing_ended(&s, &all));
	assert_int_equal(all.error, LURK_OK);
	assert_int_equal(lurk_syncing_now(&s), 0);
	/* What is on its way is waited for. */
	file = written(false);
	lurk_syncing_begin(&s, 7, 4, &file);
	write_for(BOTH);
	lurk_syncing_close(&s);
	assert_int_equal(synced, 2 * BOTH);
	assert_int_equal(fcntl(file.file, F_GETFD), -1);
}

/* One after the other, asked for at any time, with and without threads: each begun is ended, and
 * of those that failed since it was last asked the first is told. */
static void any_that_failed_is_told(void **state)
{
	uint64_t seed = 9;

	(void)state;
	for (unsigned long round = 0; round < as_often(300); round++) {
		const unsigned count = 1 + (unsigned)(random_next(&seed) % 4);
		struct lurk_slots_synced all = {.error = LURK_OK};
		struct lurk_syncing s;
		unsigned first = 0;

		assert_true(lurk_syncing_open(&s));
		for (unsigned slot = 1; slot <= count; slot++) {
			const bool fails = random_next(&seed) % 3 == 0;
			const struct lurk_slots_written file = written(fails);

			threads = random_next(&seed) % 4;
			if (fails && !first)
				first = slot;
			write_for(fails ? 1 : BOTH);
			lurk_syncing_begin(&s, 0, slot, &file);
			assert_int_equal(lurk_syncing_now(&s), slot);
			if (slot < count && random_next(&seed) % 2)
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
		cmocka_unit_test(any_that_failed_is_told),
	};

	sem_init(&disk, 0, 0);
	return cmocka_run_group_tests(tests, NULL, NULL);
}
