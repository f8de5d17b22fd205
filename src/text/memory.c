#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/text/memory.h"

static void *resize(void *data, void *block, size_t size)
{
	(void)data;
	if (size)
		return realloc(block, size);
	free(block);
	return NULL;
}

static const struct lurk_allocator usual = {resize, NULL};
static struct lurk_allocator used = {resize, NULL};

void lurk_use_allocator(const struct lurk_allocator *allocator)
{
	used = allocator ? *allocator : usual;
}

void *lurk_resize(void *block, size_t size)
{
	block = used.resize(used.data, block, size ? size : 1);
	if (!block)
		abort();
	return block;
}

void *lurk_allocate(size_t count, size_t size)
{
	void *block;

	if (size && count > SIZE_MAX / size)
		abort();
	block = lurk_resize(NULL, count * size);
	memset(block, 0, count * size);
	return block;
}

void lurk_release(void *block)
{
	if (block)
		used.resize(used.data, block, 0);
}

char *lurk_copy(const char *bytes, size_t length)
{
	char *copy = lurk_resize(NULL, length + 1);

	memcpy(copy, bytes, length);
	copy[length] = '\0';
	return copy;
}

char *lurk_print(const char *format, ...)
{
	va_list args;
	char *text;
	int length;

	va_start(args, format);
	length = vsnprintf(NULL, 0, format, args);
	va_end(args);
	if (length < 0)
		abort();
	text = lurk_resize(NULL, (size_t)length + 1);
	va_start(args, format);
	vsnprintf(text, (size_t)length + 1, format, args);
	va_end(args);
	return text;
}
