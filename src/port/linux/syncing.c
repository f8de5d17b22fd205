#include "port/linux/syncing.h"

#include <stdlib.h>
#include <string.h>
#include <sys/eventfd.h>
#include <time.h>
#include <unistd.h>

/* For so long a key waits at most for a disk that does not even say whether it has room. */
enum { STACK = 64 * 1024, MOMENT_S = 1 };

bool lurk_syncing_open(struct lurk_syncing *s)
{
	memset(s, 0, sizeof *s);
	sem_init(&s->written, 0, 0);
	s->ended = eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK);
	return s->ended >= 0;
}

static void *store(void *data)
{
	const uint64_t one = 1;
	struct lurk_syncing *s = data;
	struct lurk_slots_written file;
	ssize_t unused;

	s->error = lurk_slots_write(&s->place, s->now.slot, s->bytes, s->length, s->length, &file);
	s->now.error = s->error;
	free(s->bytes);
	sem_post(&s->written);
	if (!s->now.error)
		s->now.error = lurk_slots_sync(&file);
	unused = write(s->ended, &one, sizeof one);
	(void)unused; /* a counter that nobody read so often that it is full */
	return NULL;
}

/* The first that went wrong is what is told. */
static void note(struct lurk_syncing *s)
{
	if (!s->all.error)
		s->all = s->now;
}

static void join(struct lurk_syncing *s)
{
	pthread_join(s->thread, NULL);
	s->running = false;
	sem_trywait(&s->written); /* where nobody waited for it */
}

static void finish(struct lurk_syncing *s)
{
	if (!s->running)
		return;
	join(s);
	note(s);
}

static bool is_written_soon(struct lurk_syncing *s)
{
	struct timespec until;

	clock_gettime(CLOCK_MONOTONIC, &until);
	until.tv_sec += MOMENT_S;
	return sem_clockwait(&s->written, CLOCK_MONOTONIC, &until) == 0;
}

enum lurk_error lurk_syncing_write(struct lurk_syncing *s, const struct lurk_slots_place *place,
				   unsigned slot, const uint8_t *bytes, size_t length)
{
	pthread_attr_t small;

	finish(s);
	s->place = *place;
	s->bytes = malloc(length + 1);
	if (!s->bytes)
		return LURK_ERR_ROOM;
	memcpy(s->bytes, bytes, length);
	s->length = length;
	s->begun++;
	s->now = (struct lurk_linux_stored){.owner = place->owner, .slot = slot};
	pthread_attr_init(&small);
	pthread_attr_setstacksize(&small, STACK);
	s->running = !pthread_create(&s->thread, &small, store, s);
	pthread_attr_destroy(&small);
	if (!s->running) {
		store(s);
		sem_wait(&s->written);
		return s->now.error;
	}
	if (!is_written_soon(s) || !s->error)
		return LURK_OK;
	join(s);
	return s->error;
}

bool lurk_syncing_now(const struct lurk_syncing *s)
{
	return s->told != s->begun;
}

bool lurk_syncing_ended(struct lurk_syncing *s, struct lurk_linux_stored *all)
{
	uint64_t more = 0;

	if (read(s->ended, &more, sizeof more) == sizeof more)
		s->told += more;
	if (s->told != s->begun)
		return false;
	finish(s);
	*all = s->all;
	s->all = (struct lurk_linux_stored){.error = LURK_OK};
	return true;
}

void lurk_syncing_close(struct lurk_syncing *s)
{
	finish(s);
	if (s->ended >= 0)
		close(s->ended);
	s->ended = -1;
}
