/* What goes wrong is said to people. With --json a failure is an object too: of what was said the
 * last line that is the command's own word, and the exit status, end what is printed for programs.
 * All ways out come through here: those of argp and of the libraries as well. */
#include "cli/output.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "tell/json.h"

enum { SAID = 1024 };

static struct {
	FILE *people;
	char line[SAID], said[SAID];
	size_t length;
	bool notice;        /* what is said now fails nothing */
	const bool *parsed; /* whether objects were asked for, once the options are read */
	bool asked;         /* whether they are for sure, before that */
} failure;

/* "lurk: WHAT" or "lurk COMMAND: WHAT". */
static void take_line(void)
{
	const char *what = strstr(failure.line, ": ");
	const char *blank = strchr(failure.line, ' ');

	if (!failure.notice && !strncmp(failure.line, "lurk", 4) && what &&
	    (blank > what || !memchr(blank + 1, ' ', (size_t)(what - blank))))
		strcpy(failure.said, what + 2);
}

static ssize_t pass_on(void *cookie, const char *bytes, size_t size)
{
	(void)cookie;
	for (size_t i = 0; i < size; i++) {
		if (bytes[i] != '\n') {
			failure.line[failure.length] = bytes[i];
			failure.length += failure.length + 1 < SAID;
			continue;
		}
		failure.line[failure.length] = '\0';
		failure.length = 0;
		take_line();
	}
	return fwrite(bytes, 1, size, failure.people) == size ? (ssize_t)size : 0;
}

static void tell(int status, void *unused)
{
	struct json_object *object;

	(void)unused;
	if (!status || (status == CLI_FOUND && !*failure.said) ||
	    !(failure.asked || *failure.parsed))
		return;
	object = json_object_new_object();
	tell_put_text(object, "error", *failure.said ? failure.said : NULL);
	tell_put_number(object, "exit", status);
	term_json(object);
}

/* Options that cannot be read may stand before it; and it may stand among others, as in -jk. */
static bool may_be_wanted(char **argv, bool *asked)
{
	bool may = false;

	for (; *argv && strcmp(*argv, "--"); argv++) {
		*asked = *asked || !strcmp(*argv, "--json") || !strcmp(*argv, "-j");
		may = may || (**argv == '-' && (*argv)[1] != '-' && strchr(*argv, 'j'));
	}
	return may || *asked;
}

void cli_tell_failures(char **argv, const bool *json)
{
	const cookie_io_functions_t functions = {.write = pass_on};
	FILE *stream;

	failure.parsed = json;
	if (!may_be_wanted(argv, &failure.asked) || !(stream = fopencookie(NULL, "w", functions)))
		return;
	setvbuf(stream, NULL, _IONBF, 0);
	failure.people = stderr;
	stderr = stream;
	on_exit(tell, NULL);
}

static void tell_unwritten(int status, void *unused)
{
	(void)unused;
	if ((fflush(stdout) || ferror(stdout)) && status <= CLI_FOUND)
		_exit(cli_fail(CLI_COULD_NOT, "the output could not be written"));
}

void cli_tell_unwritten(void)
{
	on_exit(tell_unwritten, NULL);
}

int cli_fail(int status, const char *format, ...)
{
	va_list args;

	fflush(stdout);
	failure.notice = status == CLI_DONE;
	fputs("lurk: ", stderr);
	va_start(args, format);
	vfprintf(stderr, format, args);
	va_end(args);
	fputc('\n', stderr);
	failure.notice = false;
	return status;
}
