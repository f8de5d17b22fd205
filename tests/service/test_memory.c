/* A service without memory: while keys are held, each allocation of each request fails in turn,
 * from a client's first byte to its last. Nothing ends, nothing sticks: the request is answered, or
 * its connection ends; the next one is answered as ever. */
#include "../core/rules.h"
#include "../port/refusing.h"
#include "../port/rig.h"

#include <errno.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include "service/control.h"
#include "service/rpc.h"
#include "text/hex.h"

#ifdef LURK_SANITIZED
int main(void)
{
	return 77; /* the sanitizer has an allocator of its own */
}
#else

enum { IMAGE = 4096, KEYMAPS = 1 << 16, KEYBOARDS = 2 };

/* ---- An allocator that fails ------------------------------------------------------------------
 */

static volatile long fails_in = -1; /* so many succeed, then one fails; -1 for never. A compiler
				     * takes it that malloc looks at nothing of ours. */
static volatile unsigned long failed;

static bool fails(void)
{
	if (fails_in < 0)
		return false;
	fails_in = fails_in - 1;
	if (fails_in >= 0)
		return false;
	failed = failed + 1;
	errno = ENOMEM;
	return true;
}

void *__libc_malloc(size_t size);
void *__libc_calloc(size_t count, size_t size);
void *__libc_realloc(void *old, size_t size);

void *malloc(size_t size)
{
	return fails() ? NULL : __libc_malloc(size);
}

void *calloc(size_t count, size_t size)
{
	return fails() ? NULL : __libc_calloc(count, size);
}

void *realloc(void *old, size_t size)
{
	return fails() ? NULL : __libc_realloc(old, size);
}

/* ---- A service --------------------------------------------------------------------------------
 */

struct service {
	struct sim_rig *rig;
	SESSION_FIELDS(KEYBOARDS, IMAGE, KEYMAPS)
	struct lurk_control *control;
	struct lurk_kept_file kept_users, kept_groups;
	char path[128], users[128], groups[128], request[2 * TEST_IMAGE + 400];
	char digits[2 * TEST_IMAGE + 1], answer[1 << 16];
};

static void nobody_reads(void *data, const char *line)
{
	(void)data;
	(void)line;
}

static void settle(struct service *s)
{
	lurk_session_run(&s->session);
}

static void write_file(const char *path, const char *name, unsigned number)
{
	FILE *file = fopen(path, "w");

	assert_non_null(file);
	fprintf(file, name, number);
	fclose(file);
}

static void begin(struct service *s)
{
	const struct lurk_control_options options = {
		.path = s->path,
		.rights = {.users = &s->kept_users, .groups = &s->kept_groups, .group = "test"},
		.log = nobody_reads};
	struct test_rules *rules = calloc(1, sizeof *rules);
	struct lurk_message why = {""};

	s->rig = sim_rig_make("  wagtail: {wired: usb, product: \"fade:0001\", place: usb-1}\n");
	snprintf(s->path, sizeof s->path, "%s-control", s->rig->folder);
	snprintf(s->users, sizeof s->users, "%s-users", s->rig->folder);
	snprintf(s->groups, sizeof s->groups, "%s-groups", s->rig->folder);
	write_file(s->users, "", 0);
	write_file(s->groups, "test:x:%u:\n", getgid());
	s->kept_users = (struct lurk_kept_file){.path = s->users, .fd = -1};
	s->kept_groups = (struct lurk_kept_file){.path = s->groups, .fd = -1};
	s->memory = SESSION_MEMORY(s);
	assert_int_equal(lurk_session_start(&s->session, &s->memory, s->rig->rig.port), LURK_OK);
	settle(s);
	s->control = lurk_control_open(&s->session, &options, &why);
	assert_non_null(s->control);
	rules->way = LURK_WAY_RELAY;
	test_rules_read(rules, "KeyA>KeyX; |dusk/test; KeyA>KeyY");
	assert_int_equal(test_rules_image(rules), LURK_OK);
	lurk_hex_write(rules->bytes, rules->length, s->digits);
	free(rules);
}

static void end(struct service *s)
{
	lurk_control_close(s->control);
	lurk_kept_forget(&s->kept_users);
	lurk_kept_forget(&s->kept_groups);
	lurk_session_stop(&s->session);
	unlink(s->users);
	unlink(s->groups);
	sim_rig_end(s->rig);
	free(s);
}

/* ---- A client ---------------------------------------------------------------------------------
 */

/* A request on a connection of its own, that has as much memory as it needs. What comes back is in
 * s->answer: nothing where the connection ended. */
static void ask(struct service *s, const char *method, const char *params, long fail_in)
{
	struct sockaddr_un address = {.sun_family = AF_UNIX};
	int fd = socket(AF_UNIX, SOCK_STREAM | SOCK_NONBLOCK, 0);
	size_t length = 0;
	ssize_t n;

	memcpy(address.sun_path, s->path, strlen(s->path) + 1);
	snprintf(s->request, sizeof s->request,
		 "{\"jsonrpc\":\"2.0\",\"id\":1,\"method\":\"%s\",\"params\":{%s}}\n", method,
		 params);
	assert_int_equal(connect(fd, (struct sockaddr *)&address, sizeof address), 0);
	assert_int_equal(send(fd, s->request, strlen(s->request), MSG_NOSIGNAL),
			 strlen(s->request));
	fails_in = fail_in;
	for (unsigned i = 0; i < 12; i++) {
		lurk_control_step(s->control);
		settle(s);
	}
	fails_in = -1;
	while ((n = recv(fd, s->answer + length, sizeof s->answer - 1 - length, 0)) > 0)
		length += (size_t)n;
	s->answer[length] = '\0';
	close(fd);
	for (unsigned i = 0; i < 4; i++)
		lurk_control_step(s->control);
}

/* Every key that is pressed is released, and gives what it should. */
static void check_keys(struct service *s)
{
	sim_rig_key(s->rig, 0, "KeyA", false);
	settle(s);
	sim_rig_got(s->rig);
	assert_false(lurk_sim_anything_down(s->rig->sim));
	sim_rig_key(s->rig, 0, "KeyA", true);
	settle(s);
	assert_non_null(strstr(sim_rig_got(s->rig), "+ "));
}

static void each_allocation_fails(void **state)
{
	struct service *s = calloc(1, sizeof *s);
	char params[2 * TEST_IMAGE + 100], again[2 * TEST_IMAGE + 100];
	const struct {
		const char *method, *params;
	} rows[] = {
		{"status", ""},
		{"apply", params},
		{"image", ""},
		{"image", "\"sequence\":1"},
		{"apply", "\"image\":\"00\""},
		{"use", "\"profile\":\"dusk\",\"while_connected\":true"},
		{"use", "\"previous\":true"},
		{"use", "\"profile\":\"nothing\""},
		{"switch", "\"off\":true"},
		{"switch", "\"off\":false"},
		{"try", again},
		{"end_try", ""},
		{"keep", ""},
		{"watch", "\"take\":true,\"seconds\":9"},
		{"unwatch", ""},
		{"follow", ""},
		{"layout", "\"active\":\"Welsh\""},
		{"nothing", ""},
		{"status", "\"x\":1"},
	};

	(void)state;
	begin(s);
	snprintf(params, sizeof params, "\"image\":\"%s\"", s->digits);
	snprintf(again, sizeof again, "\"image\":\"%s\",\"seconds\":9", s->digits);
	ask(s, "apply", params, -1);
	assert_non_null(strstr(s->answer, "\"result\""));
	sim_rig_key(s->rig, 0, "KeyA", true);
	settle(s);
	for (size_t i = 0; i < COUNT(rows); i++) {
		unsigned long before = failed + 1;

		for (long n = 0; before != failed; n++) {
			before = failed;
			ask(s, rows[i].method, rows[i].params, n);
			if (*s->answer && !strstr(s->answer, "\"result\"") &&
			    !strstr(s->answer, "\"error\""))
				fail_msg("%s, allocation %ld: %s", rows[i].method, n, s->answer);
			check_keys(s);
			ask(s, "status", "", -1);
			assert_non_null(strstr(s->answer, "\"result\""));
		}
	}
	print_message("%lu allocations failed\n", failed);
	assert_true(failed > 200);
	end(s);
}

/* Whether it is the allocator above that allocates: valgrind has one of its own. */
static bool is_ours(void)
{
	void *volatile made;

	fails_in = 0;
	made = malloc(16);
	fails_in = -1;
	failed = 0;
	free(made);
	return !made;
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(each_allocation_fails),
	};

	if (!is_ours())
		return 77;
	return cmocka_run_group_tests(tests, NULL, NULL);
}
#endif
