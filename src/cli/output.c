#include "cli/output.h"

#include <stdarg.h>
#include <stdio.h>

int cli_fail(int status, const char *format, ...)
{
	va_list args;

	fflush(stdout);
	fputs("lurk: ", stderr);
	va_start(args, format);
	vfprintf(stderr, format, args);
	va_end(args);
	fputc('\n', stderr);
	return status;
}
