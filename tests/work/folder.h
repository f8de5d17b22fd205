/* A folder of the test's own, with files in it. */
#ifndef LURK_TESTS_WORK_FOLDER_H
#define LURK_TESTS_WORK_FOLDER_H

#include "../core/check.h"

#include <unistd.h>

#include "lurk/text/file.h"

static char folder[64];

static inline const char *in_folder(const char *name)
{
	static char path[4][128];
	static unsigned next;
	char *out = path[next++ % 4];

	snprintf(out, sizeof path[0], "%s/%s", folder, name);
	return out;
}

static inline void put(const char *name, const char *text)
{
	struct lurk_message why;

	if (!lurk_file_write(in_folder(name), text, strlen(text), &why))
		fail_msg("%s", why.text);
}

static inline void expect(const char *name, const char *text)
{
	struct lurk_message why;
	size_t length;
	bool exists;
	char *bytes;

	assert_int_equal(lurk_file_read(in_folder(name), &bytes, &length, &exists, &why),
			 text != NULL);
	assert_int_equal(exists, text != NULL);
	if (text) {
		assert_string_equal(bytes, text);
		free(bytes);
	}
}

static inline void clear(void)
{
	char command[128];

	snprintf(command, sizeof command, "rm -rf '%s'/*", folder);
	assert_int_equal(system(command), 0);
}

/* For the whole of a file's tests. */
static inline int begin_in_folder(void **state)
{
	(void)state;
	make_folder(folder);
	return 0;
}

static inline int end_in_folder(void **state)
{
	(void)state;
	clear();
	return rmdir(folder);
}

#endif
