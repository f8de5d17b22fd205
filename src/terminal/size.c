/* How large the terminal is. */
#include <stdlib.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "terminal/terminal.h"

unsigned term_columns(void)
{
	enum { LEAST = 20 }; /* what is said to be narrower is not known */
	const char *wanted = getenv("COLUMNS");
	const int columns = wanted ? atoi(wanted) : 0;
	struct winsize size;

	if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= LEAST)
		return size.ws_col;
	return columns >= LEAST ? (unsigned)columns : 80;
}

unsigned term_rows(void)
{
	struct winsize size;

	return ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row ? size.ws_row : 24;
}
