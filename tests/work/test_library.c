/* The library in somebody else's program: its allocator, two who use it in one process, threads,
 * and a session of the caller's own. */
#include "folder.h"

#include <pthread.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/work/acting.h"
#include "lurk/work/apply.h"
#include "lurk/work/differences.h"
#include "lurk/work/edits.h"
#include "lurk/work/judge.h"

static const char desk[] = "desk: 1\nlayout: gb\nkeyboards:\n"
			   "  wagtail: {wired: usb, product: \"fade:0001\"}\n";

/* One who uses it: a desk in a folder of its own, with a rule of its own. */
struct user {
	char folder[96];
	const char *from;
	struct lurk_computer computer;
	struct lurk_machine *machine;
	struct lurk_workspace ws;
};

static void check(bool fine, const struct lurk_message *why)
{
	if (!fine)
		fail_msg("%s", why->text);
}

static void begin(struct user *u, const char *name, const char *from)
{
	char path[128];
	struct lurk_message why;

	memset(u, 0, sizeof *u);
	u->from = from;
	snprintf(u->folder, sizeof u->folder, "%s/%s", folder, name);
	snprintf(path, sizeof path, "%s/desk.yaml", u->folder);
	check(lurk_file_write(path, desk, sizeof desk - 1, &why), &why);
	check(lurk_computer_open(&u->computer, u->folder, &why), &why);
	u->machine = lurk_machine_of_desk(&u->computer);
	u->ws.desk = u->folder;
	u->ws.desk_layout = "gb";
	check(lurk_workspace_read(&u->ws, &why), &why);
}

static void work(struct user *u)
{
	const struct lurk_result insert = {.kind = LURK_GIVES_KEY, .key = LURK_KEY_INSERT};
	struct lurk_edits edits = {.ws = &u->ws, .machine = u->machine};
	struct lurk_findings findings;
	struct lurk_outcome outcome;
	struct lurk_message why;

	if (lurk_edits_map(&edits, u->from, &insert) != LURK_DONE)
		fail_msg("%s", edits.why.text);
	check(lurk_workspace_save(&u->ws, edits.summary, &why), &why);
	assert_true(lurk_judge_all(&u->ws, u->machine, &findings));
	lurk_findings_free(&findings);
	check(lurk_apply(&u->ws, u->machine, false, &outcome), &outcome.why);
	assert_int_equal(lurk_differences_of_edits(&u->ws, u->machine, NULL, NULL), 0);
}

/* What the desk's keyboard gives for a key now. */
static lurk_key gives(const struct user *u, lurk_key key)
{
	const struct lurk_keymap *keymap = u->machine->keyboards[0].keymap;
	const lurk_scan none = {0, LURK_SCAN_NONE};

	return keymap ? lurk_action_key(lurk_keymap_find(keymap, none, key), key) : key;
}

static void end(struct user *u)
{
	lurk_workspace_free(&u->ws);
	lurk_machine_close(u->machine);
	lurk_computer_close(&u->computer);
}

/* ---- The allocator -------------------------------------------------------------------------- */

struct count {
	size_t blocks, calls;
};

static void *count_blocks(void *data, void *block, size_t size)
{
	struct count *count = data;

	count->calls++;
	count->blocks += !block && size;
	count->blocks -= block && !size;
	if (size)
		return realloc(block, size);
	free(block);
	return NULL;
}

static void one_allocator_has_it_all(void **state)
{
	struct count count = {0, 0};
	const struct lurk_allocator counting = {count_blocks, &count};
	struct user u;

	(void)state;
	clear();
	lurk_use_allocator(&counting);
	begin(&u, "one", "F12");
	work(&u);
	assert_true(count.blocks > 10 && count.calls > 100);
	end(&u);
	assert_int_equal(count.blocks, 0);
	lurk_use_allocator(NULL);
	begin(&u, "two", "F12");
	end(&u);
	assert_int_equal(count.blocks, 0);
}

/* ---- Two at once ---------------------------------------------------------------------------- */

static void two_in_one_process(void **state)
{
	static struct user one, two;

	(void)state;
	clear();
	begin(&one, "one", "F11");
	begin(&two, "two", "F12");
	work(&one);
	assert_int_equal(gives(&two, LURK_KEY_F11), LURK_KEY_F11);
	work(&two);
	assert_int_equal(gives(&one, LURK_KEY_F11), LURK_KEY_INSERT);
	assert_int_equal(gives(&one, LURK_KEY_F12), LURK_KEY_F12);
	assert_int_equal(gives(&two, LURK_KEY_F12), LURK_KEY_INSERT);
	end(&one);
	assert_int_equal(gives(&two, LURK_KEY_F12), LURK_KEY_INSERT);
	end(&two);
}

static void *work_in_thread(void *data)
{
	work(data);
	return NULL;
}

static void a_thread_each(void **state)
{
	enum { THREADS = 4 };
	static struct user users[THREADS];
	static const char *const keys[] = {"F9", "F10", "F11", "F12"};
	static const lurk_key codes[] = {LURK_KEY_F9, LURK_KEY_F10, LURK_KEY_F11, LURK_KEY_F12};
	pthread_t threads[THREADS];

	(void)state;
	clear();
	for (int i = 0; i < THREADS; i++)
		begin(&users[i], keys[i], keys[i]);
	for (int i = 0; i < THREADS; i++)
		assert_int_equal(pthread_create(&threads[i], NULL, work_in_thread, &users[i]), 0);
	for (int i = 0; i < THREADS; i++)
		assert_int_equal(pthread_join(threads[i], NULL), 0);
	for (int i = 0; i < THREADS; i++) {
		for (int k = 0; k < THREADS; k++)
			assert_int_equal(gives(&users[i], codes[k]),
					 i == k ? LURK_KEY_INSERT : codes[k]);
		end(&users[i]);
	}
}

/* ---- A session of one's own ------------------------------------------------------------------ */

static void settle(void *data)
{
	lurk_session_run(data);
}

/* The caller's session on any port is a machine like the others. */
static void a_session_is_a_machine(void **state)
{
	static struct user u;
	struct lurk_session *session = &u.computer.session;
	struct lurk_machine *machine;
	struct lurk_outcome outcome;
	struct lurk_message why;
	char path[128];

	(void)state;
	clear();
	begin(&u, "one", "F12");
	snprintf(path, sizeof path, "%s/profiles/dusk.yaml", u.folder);
	check(lurk_file_write(path, "lurk: 1\nrules:\n- {press: F12, gives: Pause}\n", 43, &why),
	      &why);
	lurk_workspace_free(&u.ws);
	u.ws = (struct lurk_workspace){.desk = u.folder, .desk_layout = "gb"};
	check(lurk_workspace_read(&u.ws, &why), &why);
	machine = lurk_machine_of_session(session, settle, session);
	lurk_machine_close(u.machine);
	u.machine = machine;
	work(&u);
	assert_int_equal(gives(&u, LURK_KEY_F12), LURK_KEY_INSERT);
	assert_true(lurk_machine_use(machine, "dusk", false, &outcome));
	assert_string_equal(machine->profile, "dusk");
	assert_int_equal(gives(&u, LURK_KEY_F12), LURK_KEY_PAUSE);
	assert_true(lurk_machine_use(machine, NULL, false, &outcome));
	assert_int_equal(gives(&u, LURK_KEY_F12), LURK_KEY_INSERT);
	assert_false(lurk_machine_use(machine, "night", false, &outcome));
	assert_non_null(strstr(outcome.why.text, "no profile `night`"));
	assert_false(lurk_machine_use(machine, "dusk", true, &outcome));
	assert_false(lurk_machine_watch(machine, &(struct lurk_watching){0}, &why));
	assert_non_null(strstr(why.text, "lurk_session_watch()"));
	assert_true(lurk_machine_switch(machine, true, &outcome));
	assert_true(machine->off);
	assert_false(lurk_survives(machine));
	end(&u);
}

/* Memory in one block: as much as is asked for, and each part where it can stand. */
static void memory_is_asked_for(void **state)
{
	(void)state;
	for (uint16_t keyboards = 1; keyboards < 40; keyboards += 13) {
		for (size_t size = 1; size < 100; size += 7) {
			const size_t all = lurk_session_size(keyboards, size, 3 * size);
			uint8_t *block = malloc(all);
			struct lurk_session_memory m;

			memset(block, 0xaa, all);
			lurk_session_divide(&m, block, keyboards, size, 3 * size);
			assert_ptr_equal(m.keyboards, block);
			assert_int_equal((uintptr_t)m.engine_keyboards % sizeof(void *), 0);
			assert_int_equal((uintptr_t)m.engines % sizeof(void *), 0);
			memset(m.engines, 1, m.engine_count * sizeof *m.engines);
			assert_int_equal((uintptr_t)m.keymaps[0] % sizeof(void *), 0);
			assert_int_equal((uintptr_t)m.keymaps[1] % sizeof(void *), 0);
			assert_false(m.keyboards[keyboards - 1].present);
			/* A sanitizer tells whether all of it is there. */
			for (int i = 0; i < LURK_SESSION_RULESETS; i++) {
				memset(m.images[i], i, size);
				memset(m.keymaps[i], i, 3 * size);
			}
			assert_true((uint8_t *)m.keymaps[1] + 3 * size <= block + all);
			assert_int_equal(m.images[0][size - 1], 0);
			free(block);
		}
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(one_allocator_has_it_all),
		cmocka_unit_test(two_in_one_process),
		cmocka_unit_test(a_thread_each),
		cmocka_unit_test(a_session_is_a_machine),
		cmocka_unit_test(memory_is_asked_for),
	};

	return cmocka_run_group_tests(tests, begin_in_folder, end_in_folder);
}
