/* Memory that cannot be had, for the command and all its libraries: one line, and the end. What it
 * had written to a file is whole, since files are put in place whole. */
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

#include "cli/output.h"

/* The sanitizers have allocators of their own. */
#ifdef __has_feature
#if __has_feature(address_sanitizer)
#define __SANITIZE_ADDRESS__ 1
#endif
#endif

#if defined __GLIBC__ && !defined __SANITIZE_ADDRESS__
/* NOLINTBEGIN(bugprone-reserved-identifier): the C library's own, by its own names. */
void *__libc_malloc(size_t size);
void *__libc_calloc(size_t count, size_t size);
void *__libc_realloc(void *old, size_t size);
/* NOLINTEND(bugprone-reserved-identifier) */

static _Noreturn void give_up(void)
{
	static const char why[] = "lurk: there is not enough memory for this\n";
	static bool again;
	ssize_t unused;

	if (!again) {
		again = true;
		fflush(stdout);
		unused = write(STDERR_FILENO, why, sizeof why - 1);
		(void)unused;
	}
	_exit(CLI_COULD_NOT);
}

void *malloc(size_t size)
{
	void *made = __libc_malloc(size);

	if (!made)
		give_up();
	return made;
}

void *calloc(size_t count, size_t size)
{
	void *made = __libc_calloc(count, size);

	if (!made)
		give_up();
	return made;
}

void *realloc(void *old, size_t size)
{
	void *made = __libc_realloc(old, size);

	if (!made && size)
		give_up();
	return made;
}
#endif
