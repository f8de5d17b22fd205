/* Files that others write as well: what somebody else has written meanwhile is never lost. */
#include "../core/check.h"

#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "lurk/text/file.h"

static char folder[64], path[96];

static void put(const char *text)
{
	char fresh[112];
	FILE *file;

	snprintf(fresh, sizeof fresh, "%s.new", path);
	file = fopen(fresh, "w");
	assert_non_null(file);
	fputs(text, file);
	fclose(file);
	assert_int_equal(rename(fresh, path), 0);
}

static void get(char text[256])
{
	FILE *file = fopen(path, "r");

	memset(text, 0, 256);
	if (file && fread(text, 1, 255, file) == 0)
		*text = '\0';
	if (file)
		fclose(file);
}

static unsigned files_in_folder(void)
{
	char command[128];
	FILE *list;
	unsigned n = 0;

	snprintf(command, sizeof command, "ls -A %s", folder);
	list = popen(command, "r");
	while (list && fgets(command, sizeof command, list))
		n++;
	pclose(list);
	return n;
}

static void only_what_was_seen_is_replaced(void **state)
{
	static const struct {
		const char *seen, *is; /* NULL: not there */
		bool done;
	} rows[] = {{"a", "a", true},   {"a", "b", false},  {"a", "ab", false}, {"ab", "a", false},
		    {"a", NULL, false}, {NULL, NULL, true}, {NULL, "a", false}, {NULL, "", false},
		    {"", "", true},     {"", NULL, false}};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_file_seen seen = {rows[i].seen != NULL, (char *)(uintptr_t)rows[i].seen,
					      rows[i].seen ? strlen(rows[i].seen) : 0};
		struct lurk_message why = {""};
		char text[256];

		unlink(path);
		if (rows[i].is)
			put(rows[i].is);
		assert_int_equal(lurk_file_replace(path, "new", 3, &seen, &why), rows[i].done);
		get(text);
		assert_string_equal(text, rows[i].done ? "new" : rows[i].is ? rows[i].is : "");
		if (!rows[i].done && !strstr(why.text, "by another program meanwhile"))
			fail_msg("%s", why.text);
		assert_int_equal(files_in_folder(), rows[i].done || rows[i].is != NULL);
	}
}

/* The last edit that a text is on top of. */
static unsigned edit_of(const char *text)
{
	const char *e = strrchr(text, 'E');

	return e ? (unsigned)atoi(e + 1) : 0;
}

/* An editor that never stops: each time it looks whether its last text, or what was made of that,
 * is still there. Ends with 1 where it is not. */
static void edit_for_ever(void)
{
	char text[256];

	for (unsigned i = 1;; i++) {
		unsigned looks = 0;

		for (get(text); edit_of(text) != i - 1 && ++looks < 100000; get(text))
			usleep(100); /* what is put back is not there for a moment */
		if (edit_of(text) != i - 1)
			_exit(1);
		snprintf(text, sizeof text, "E%u", i);
		put(text);
	}
}

static void an_editor_loses_nothing(void **state)
{
	unsigned done = 0, told = 0;
	int status = 0;
	pid_t editor;

	(void)state;
	put("E0");
	fflush(NULL);
	editor = fork();
	if (!editor)
		edit_for_ever();
	for (unsigned i = 0; i < 500; i++) {
		struct lurk_file_seen seen;
		struct lurk_message why;
		char text[64];

		assert_true(lurk_file_read(path, &seen.bytes, &seen.length, &seen.exists, &why));
		snprintf(text, sizeof text, "L over E%u", edit_of(seen.bytes));
		if (lurk_file_replace(path, text, strlen(text), &seen, &why))
			done++;
		else
			told++;
		free(seen.bytes);
		assert_int_equal(waitpid(editor, &status, WNOHANG), 0);
	}
	kill(editor, SIGKILL);
	waitpid(editor, &status, 0);
	print_message("%u written, %u told that it was changed meanwhile\n", done, told);
	assert_true(told > 0);
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(only_what_was_seen_is_replaced),
		cmocka_unit_test(an_editor_loses_nothing),
	};
	int failed;
	char fresh[112];

	make_folder(folder);
	snprintf(path, sizeof path, "%s/file", folder);
	failed = cmocka_run_group_tests(tests, NULL, NULL);
	snprintf(fresh, sizeof fresh, "%s.new", path);
	unlink(fresh);
	unlink(path);
	rmdir(folder);
	return failed;
}
