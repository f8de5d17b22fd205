/* Rules in a folder in which anything may lie: whatever is in the way of one slot is in no other's,
 * is neither read nor waited for nor written through; what is stored is there afterwards. */
#include "../core/rules.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <signal.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include "lurk/store.h"
#include "port/slots.h"

enum { SLOTS = 16, SIZE = 1 << 16 };

static char folder[64], outside[96], users[96];

static unsigned slots(struct lurk_port *port, size_t *size)
{
	(void)port;
	*size = SIZE;
	return SLOTS;
}

static enum lurk_error slot_read(struct lurk_port *port, uint32_t owner, unsigned slot,
				 uint8_t *bytes, size_t size, size_t *length)
{
	char path[PATH_MAX];

	(void)port;
	return lurk_slots_read(lurk_slots_of(folder, owner, path), slot, bytes, size, length);
}

static enum lurk_error slot_write(struct lurk_port *port, uint32_t owner, unsigned slot,
				  const uint8_t *bytes, size_t length)
{
	(void)port;
	return lurk_slots_write(&(struct lurk_slots_place){folder, owner, users}, slot, bytes,
				length, length, NULL);
}

static uint64_t now(struct lurk_port *port)
{
	(void)port;
	return 1;
}

static const struct lurk_port_class class = {
	.slots = slots, .slot_read = slot_read, .slot_write = slot_write, .now = now};

enum lies { NOTHING, FOLDER, LINK, PIPE, RUBBISH, LOOSE_LINK, LIES };

static const char *path_of(unsigned slot)
{
	static char path[128];

	snprintf(path, sizeof path, "%s/slot-%02u", folder, slot);
	return path;
}

static void clear(void)
{
	for (unsigned i = 0; i < SLOTS; i++) {
		if (unlink(path_of(i)))
			rmdir(path_of(i));
	}
}

static void lay(unsigned slot, enum lies what)
{
	const char *path = path_of(slot);
	int fd;

	if (what == FOLDER)
		assert_int_equal(mkdir(path, 0700), 0);
	else if (what == LINK)
		assert_int_equal(symlink(outside, path), 0);
	else if (what == PIPE)
		assert_int_equal(mkfifo(path, 0600), 0);
	else if (what == LOOSE_LINK) /* a link to nowhere must not be made there */
		assert_int_equal(symlink("nowhere", path), 0);
	else if (what == RUBBISH) {
		fd = open(path, O_WRONLY | O_CREAT, 0600);
		assert_int_equal(write(fd, "rubbish", 7), 7);
		close(fd);
	}
}

static void check_outside(void)
{
	char got[16] = "", nowhere[96];
	int fd = open(outside, O_RDONLY);

	assert_int_equal(read(fd, got, sizeof got), 7);
	assert_string_equal(got, "outside");
	close(fd);
	snprintf(nowhere, sizeof nowhere, "%s/nowhere", folder);
	assert_int_not_equal(access(nowhere, F_OK), 0);
}

static void what_lies_there_is_in_nobodys_way(void **state)
{
	struct lurk_port port = {&class};
	struct lurk_store_report report;
	struct test_rules *rules = calloc(1, sizeof *rules);
	uint8_t *bytes = malloc(SIZE);
	struct lurk_image image;
	uint64_t seed = 7;
	int fd;

	(void)state;
	test_rules_read(rules, "CapsLock>Insert");
	assert_int_equal(test_rules_image(rules), LURK_OK);
	fd = open(outside, O_WRONLY | O_CREAT, 0600);
	assert_int_equal(write(fd, "outside", 7), 7);
	close(fd);
	for (unsigned round = 0; round < as_often(300); round++) {
		unsigned usable = 0;

		clear();
		for (unsigned i = 0; i < SLOTS; i++) {
			enum lies what = (enum lies)(random_next(&seed) % LIES);

			lay(i, what);
			usable += what == NOTHING || what == RUBBISH;
		}
		assert_int_equal(lurk_store_load(&port, LURK_NOBODY, LURK_NEVER, bytes, SIZE,
						 &image, &report),
				 LURK_ERR_EMPTY);
		for (unsigned version = 1; version <= 20; version++) {
			enum lurk_error error = lurk_store_save(&port, LURK_NOBODY, rules->bytes,
								rules->length, 0, &report);
			const bool fits = usable > 1 || (usable && version == 1);

			if (!error != fits)
				fail_msg("round %u, version %u, %u usable: %s", round, version,
					 usable, lurk_error_text(error));
			if (error)
				break;
			assert_int_equal(lurk_store_load(&port, LURK_NOBODY, LURK_NEVER, bytes,
							 SIZE, &image, &report),
					 LURK_OK);
			assert_int_equal(image.sequence, version);
		}
		check_outside();
	}
	clear();
	unlink(outside);
	free(bytes);
	free(rules);
}

/* The reason is passed on, and a slot that was written in part is no image. */
static void what_the_system_says_is_passed_on(void **state)
{
	static const struct {
		int error;
		enum lurk_error is;
	} rows[] = {{ENOSPC, LURK_ERR_NO_SPACE},  {EDQUOT, LURK_ERR_NO_SPACE},
		    {EROFS, LURK_ERR_READ_ONLY},  {EIO, LURK_ERR_DISK},
		    {EACCES, LURK_ERR_DENIED},    {ELOOP, LURK_ERR_FOREIGN},
		    {ENOENT, LURK_ERR_NO_FOLDER}, {ENOMEM, LURK_ERR_PORT}};
	const struct rlimit small = {100, RLIM_INFINITY};
	struct rlimit before;
	const struct lurk_slots_place nowhere = {"/nowhere/at/all", LURK_NOBODY, ""};
	uint8_t bytes[500] = {1}, back[500];
	char probe[96];
	size_t length;

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++)
		assert_int_equal(lurk_slots_error(rows[i].error), rows[i].is);
	signal(SIGXFSZ, SIG_IGN);
	getrlimit(RLIMIT_FSIZE, &before);
	setrlimit(RLIMIT_FSIZE, &small);
	assert_int_equal(lurk_slots_write(&(struct lurk_slots_place){folder, LURK_NOBODY, users}, 0,
					  bytes, sizeof bytes, sizeof bytes, NULL),
			 LURK_ERR_NO_SPACE);
	setrlimit(RLIMIT_FSIZE, &before);
	assert_int_equal(lurk_slots_read(folder, 0, back, sizeof back, &length), LURK_OK);
	assert_true(length < sizeof bytes);
	/* And is known before anything is stored, without a trace. */
	setrlimit(RLIMIT_FSIZE, &small);
	assert_int_equal(lurk_slots_probe(folder), EFBIG);
	setrlimit(RLIMIT_FSIZE, &before);
	assert_int_equal(lurk_slots_probe(folder), 0);
	snprintf(probe, sizeof probe, "%s/probe", folder);
	assert_int_equal(symlink(outside, probe), 0);
	assert_int_equal(lurk_slots_probe(folder), 0);
	assert_int_equal(access(probe, F_OK), -1);
	assert_int_equal(access(outside, F_OK), -1);
	assert_int_equal(mkdir(probe, 0700), 0);
	assert_int_equal(lurk_slots_probe(folder), 0);
	assert_int_equal(rmdir(probe), 0);
	assert_int_equal(lurk_slots_probe("/nowhere/at/all"), ENOENT);
	assert_int_equal(lurk_slots_probe("/dev/null"), ENOTDIR);
	assert_int_equal(lurk_slots_write(&nowhere, 0, bytes, 1, 1, NULL), LURK_ERR_NO_FOLDER);
	assert_int_equal(lurk_slots_read("/nowhere/at/all", 0, back, 1, &length), LURK_OK);
	assert_int_equal(length, 0);
	clear();
}

static void write_users(const char *text)
{
	FILE *file = fopen(users, "w");

	fputs(text, file);
	fclose(file);
}

static bool has_rules(uint32_t owner)
{
	char path[PATH_MAX];
	uint8_t back[8];
	size_t length = 0;

	lurk_slots_read(lurk_slots_of(folder, owner, path), 0, back, sizeof back, &length);
	return length;
}

static enum lurk_error keep_rules(uint32_t owner)
{
	return lurk_slots_write(&(struct lurk_slots_place){folder, owner, users}, 0,
				(const uint8_t *)"rules", 5, 5, NULL);
}

/* What a person stored goes when the account goes, and is not the next one's with that number. Who
 * is in no such file is known elsewhere, and stays, as all do while it cannot be read. */
static void rules_go_with_the_account(void **state)
{
	enum { ANN = 1000, BEN, ELSEWHERE };
	static char long_lines[6000];
	static const char both[] = "ann:x:1000:1000::/:/\nben:x:1001:1001::/:/\n";
	static const struct {
		const char *users; /* NULL for no file */
		bool ann, ben;
	} rows[] = {
		{both, true, true},
		{NULL, true, true},
		{"ben:x:1001:1001::/:/\n", false, true},
		{"anne:x:1000:1000::/:/\nben:x:1001:1001::/:/\n", false, true},
		{"ann:x:1000:1000::/:/\nbenjamin:x:1001:1001::/:/\n", true, false},
		{"", false, false},
		{long_lines, true, true},
	};
	char path[PATH_MAX];

	(void)state;
	snprintf(long_lines, sizeof long_lines, "cat:x:5:5:%05000d:/:/\n%s", 0, both);
	for (size_t i = 0; i < COUNT(rows); i++) {
		write_users(both);
		for (uint32_t owner = ANN; owner <= ELSEWHERE; owner++)
			assert_int_equal(keep_rules(owner), LURK_OK);
		unlink(users);
		if (rows[i].users)
			write_users(rows[i].users);
		lurk_slots_tidy(folder, users);
		assert_int_equal(has_rules(ANN), rows[i].ann);
		assert_int_equal(has_rules(BEN), rows[i].ben);
		assert_true(has_rules(ELSEWHERE));
		assert_int_equal(access(lurk_slots_of(folder, ANN, path), F_OK) == 0, rows[i].ann);
	}
	/* Nor because nobody can tell: a folder is opened, and cannot be read. */
	write_users(both);
	assert_int_equal(keep_rules(ANN), LURK_OK);
	lurk_slots_tidy(folder, folder);
	assert_true(has_rules(ANN));
	lurk_slots_tidy(folder, "/dev/null");
	assert_false(has_rules(ANN));
	/* Not without end. */
	write_users("");
	for (uint32_t owner = 1; owner <= LURK_SLOTS_PERSONS; owner++)
		keep_rules(ELSEWHERE + owner);
	assert_int_equal(keep_rules(ELSEWHERE + LURK_SLOTS_PERSONS), LURK_ERR_ROOM);
	assert_int_equal(keep_rules(ELSEWHERE), LURK_OK);
	unlink(users);
	for (uint32_t owner = ELSEWHERE; owner <= ELSEWHERE + LURK_SLOTS_PERSONS; owner++) {
		char slot[PATH_MAX + 16];

		snprintf(slot, sizeof slot, "%s/slot-00", lurk_slots_of(folder, owner, path));
		unlink(slot);
		rmdir(path);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(what_lies_there_is_in_nobodys_way),
		cmocka_unit_test(what_the_system_says_is_passed_on),
		cmocka_unit_test(rules_go_with_the_account),
	};
	int failed;

	make_folder(folder);
	snprintf(outside, sizeof outside, "%s-outside", folder);
	snprintf(users, sizeof users, "%s-users", folder);
	failed = cmocka_run_group_tests(tests, NULL, NULL);
	rmdir(folder);
	return failed;
}
