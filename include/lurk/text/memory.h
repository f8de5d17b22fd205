/*
 * Memory for everything above the core and the ports: profiles, desks, operations. One allocator
 * for the whole process, which a program may replace before it calls anything else; whoever uses
 * the library beside it uses the same. Libraries that this one is built on have their own.
 *
 * None of these returns NULL: an allocator that has no more memory ends the program, or leaves by
 * longjmp() or an exception, after which nothing of the library may be used. What a function gives
 * "to be freed" is freed with lurk_release().
 */
#ifndef LURK_INCLUDE_TEXT_MEMORY_H
#define LURK_INCLUDE_TEXT_MEMORY_H

#include <stddef.h>

#include "lurk/declare.h"

LURK_BEGIN_C

struct lurk_allocator {
	/* As realloc(): NULL for a new block; of size 0 the block is freed, and the result unused.
	 * Where it returns NULL abort() is called. Called from any thread that uses the library. */
	void *(*resize)(void *data, void *block, size_t size);
	void *data;
};

/* NULL goes back to the C library's. */
void lurk_use_allocator(const struct lurk_allocator *allocator);

/* So many things of a size, all bytes 0. */
void *lurk_allocate(size_t count, size_t size);
/* As realloc(). */
void *lurk_resize(void *block, size_t size);
/* As free(). */
void lurk_release(void *block);

/* A copy of bytes, or of a text that is put together as by printf(), with a NUL behind it. */
char *lurk_copy(const char *bytes, size_t length);
char *lurk_print(const char *format, ...) __attribute__((format(printf, 1, 2)));

LURK_END_C

#endif
