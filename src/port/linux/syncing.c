#include "port/linux/syncing.h"

#include <string.h>
#include <sys/eventfd.h>
#include <unistd.h>

enum { STACK = 64 * 1024 };

bool lurk_syncing_open(struct lurk_syncing *s)
{
	memset(s, 0, sizeof *s);
	s->ended = eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK);
	return s->ended >= 0;
}

static void *sync_file(void *data)
{
	const uint64_t one = 1;
	struct lurk_syncing *s = data;
	ssize_t unused;

	s->now.error = lurk_slots_sync(&s->file);
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

static void finish(struct lurk_syncing *s)
{
	if (!s->running)
		return;
	pthread_join(s->thread, NULL);
	s->running = false;
	note(s);
}

void lurk_syncing_begin(struct lurk_syncing *s, uint32_t owner, unsigned slot,
			const struct lurk_slots_written *file)
{
	pthread_attr_t small;

	finish(s);
	s->begun++;
	s->file = *file;
	s->now = (struct lurk_slots_synced){.owner = owner, .slot = slot};
	pthread_attr_init(&small);
	pthread_attr_setstacksize(&small, STACK);
	s->running = !pthread_create(&s->thread, &small, sync_file, s);
	pthread_attr_destroy(&small);
	if (s->running)
		return;
	sync_file(s);
	note(s);
}

unsigned lurk_syncing_now(const struct lurk_syncing *s)
{
	return s->told == s->begun ? 0 : s->begun;
}

bool lurk_syncing_ended(struct lurk_syncing *s, struct lurk_slots_synced *all)
{
	uint64_t more = 0;

	if (read(s->ended, &more, sizeof more) == sizeof more)
		s->told += more;
	if (s->told != s->begun)
		return false;
	finish(s);
	*all = s->all;
	s->all = (struct lurk_slots_synced){.error = LURK_OK};
	return true;
}

void lurk_syncing_close(struct lurk_syncing *s)
{
	finish(s);
	if (s->ended >= 0)
		close(s->ended);
	s->ended = -1;
}
