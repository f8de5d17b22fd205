/* A machine on which one thing fails: preloaded, with LURK_FAULT as "KIND N", it lets the N-th call
 * of a kind fail; KIND is memory, or file for opening, writing, syncing, renaming and making, or
 * power, which goes before that call of a file. With N as 0 none fails. How many there were is
 * written to the file that LURK_FAULTS names. */
#undef _FILE_OFFSET_BITS /* both names of a call are meant */
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { MEMORY, FILES, POWER, KINDS };

static unsigned long calls[KINDS], fail_at;
static int kind = -1;

__attribute__((constructor)) static void begin(void)
{
	const char *wanted = getenv("LURK_FAULT");

	if (!wanted)
		return;
	kind = *wanted == 'm' ? MEMORY : *wanted == 'f' ? FILES : POWER;
	fail_at = strtoul(strchr(wanted, ' '), NULL, 10);
	memset(calls, 0, sizeof calls);
}

__attribute__((destructor)) static void end(void)
{
	const char *path = getenv("LURK_FAULTS");
	FILE *file;
	int was = kind;

	kind = -1;
	file = path ? fopen(path, "w") : NULL;
	if (!file)
		return;
	fprintf(file, "%lu\n", calls[was > 0 ? was : MEMORY]);
	fclose(file);
}

static bool fails(int what, int error)
{
	if (kind == POWER && what == FILES && ++calls[POWER] == fail_at)
		kill(getpid(), SIGKILL);
	if (what != kind || ++calls[what] != fail_at)
		return false;
	errno = error;
	return true;
}

#define REAL(name, type) ((type)(size_t)dlsym(RTLD_NEXT, name))

typedef void *allocate(size_t);
typedef void *allocate_many(size_t, size_t);
typedef void *allocate_again(void *, size_t);

void *__libc_malloc(size_t size);
void *__libc_calloc(size_t count, size_t size);
void *__libc_realloc(void *old, size_t size);

void *__libc_malloc(size_t size)
{
	static allocate *real;

	if (!real)
		real = REAL("__libc_malloc", allocate *);
	return fails(MEMORY, ENOMEM) ? NULL : real(size);
}

void *__libc_calloc(size_t count, size_t size)
{
	static allocate_many *real;

	if (!real)
		real = REAL("__libc_calloc", allocate_many *);
	return fails(MEMORY, ENOMEM) ? NULL : real(count, size);
}

void *__libc_realloc(void *old, size_t size)
{
	static allocate_again *real;

	if (!real)
		real = REAL("__libc_realloc", allocate_again *);
	return fails(MEMORY, ENOMEM) ? NULL : real(old, size);
}

static mode_t mode_of(int flags, va_list list)
{
	return flags & (O_CREAT | __O_TMPFILE) ? va_arg(list, mode_t) : 0;
}

#define OPENING(name)                                                                             \
	int name(const char *path, int flags, ...);                                               \
	int name(const char *path, int flags, ...)                                                \
	{                                                                                         \
		va_list list;                                                                     \
		mode_t mode;                                                                      \
                                                                                                  \
		va_start(list, flags);                                                            \
		mode = mode_of(flags, list);                                                      \
		va_end(list);                                                                     \
		return fails(FILES, EMFILE)                                                       \
			       ? -1                                                               \
			       : REAL(#name, int (*)(const char *, int, ...))(path, flags, mode); \
	}
#define OPENING_AT(name)                                                                         \
	int name(int at, const char *path, int flags, ...);                                      \
	int name(int at, const char *path, int flags, ...)                                       \
	{                                                                                        \
		va_list list;                                                                    \
		mode_t mode;                                                                     \
                                                                                                 \
		va_start(list, flags);                                                           \
		mode = mode_of(flags, list);                                                     \
		va_end(list);                                                                    \
		return fails(FILES, EMFILE) ? -1                                                 \
					    : REAL(#name, int (*)(int, const char *, int, ...))( \
						      at, path, flags, mode);                    \
	}
#define CALL(name, error, params, ...)                                                     \
	int name params;                                                                   \
	int name params                                                                    \
	{                                                                                  \
		return fails(FILES, error) ? -1 : REAL(#name, int(*) params)(__VA_ARGS__); \
	}
OPENING(open)
OPENING(open64)
OPENING_AT(openat)
OPENING_AT(openat64)
CALL(mkostemp, EDQUOT, (char *path, int flags), path, flags)
CALL(mkostemp64, EDQUOT, (char *path, int flags), path, flags)
CALL(fsync, EIO, (int fd), fd)
CALL(rename, EIO, (const char *from, const char *to), from, to)
CALL(renameat2, EIO, (int a, const char *from, int b, const char *to, unsigned how), a, from, b, to,
     how)
CALL(mkdir, EDQUOT, (const char *path, mode_t mode), path, mode)
CALL(fchmod, EPERM, (int fd, mode_t mode), fd, mode)
CALL(ftruncate, EIO, (int fd, off_t size), fd, size)
CALL(ftruncate64, EIO, (int fd, off_t size), fd, size)

/* Half of it, and nothing of the rest. */
ssize_t write(int fd, const void *bytes, size_t count)
{
	static bool full;
	ssize_t (*real)(int, const void *, size_t) =
		REAL("write", ssize_t(*)(int, const void *, size_t));

	if (full) {
		full = false;
		errno = ENOSPC;
		return -1;
	}
	if (fd > 2 && fails(FILES, ENOSPC)) {
		full = count > 1;
		return full ? real(fd, bytes, count / 2) : -1;
	}
	return real(fd, bytes, count);
}
