/* What a person does with rules on a machine, without a command: the record of what can be taken
 * back, and a machine that is a desk. */
#include "folder.h"
#include "../core/rules.h"

#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "lurk/profile/profile.h"
#include "lurk/work/layouts.h"
#include "lurk/work/machine.h"
#include "lurk/work/undo.h"

/* ---- What can be taken back ----------------------------------------------------------------- */

/* An edit of a file from one text to another; NULL for none. */
static void edit(const char *name, const char *from, const char *to)
{
	struct lurk_file_seen seen = {from != NULL, (char *)(uintptr_t)from,
				      from ? strlen(from) : 0};
	struct lurk_message why;

	put(name, to);
	assert_true(
		lurk_undo_note_edit(folder, 0, in_folder(name), &seen, to, strlen(to), to, &why));
}

static bool take_back(struct lurk_message *why)
{
	struct lurk_undo undo;
	bool fine = lurk_undo_read(folder, lurk_undo_newest(folder, 0), &undo, why) &&
		    lurk_undo_edit(&undo, why);

	if (fine)
		lurk_undo_forget(&undo);
	lurk_undo_free(&undo);
	return fine;
}

static void edits_are_taken_back_in_turn(void **state)
{
	struct lurk_message why;
	struct stat about;

	(void)state;
	clear();
	assert_int_equal(lurk_undo_newest(folder, 0), 0);
	edit("a", NULL, "one\n");
	edit("b", NULL, "other\n");
	edit("a", "one\n", "two\n");
	assert_int_equal(lurk_undo_newest(folder, 0), 3);
	assert_int_equal(stat(in_folder("undo/000003"), &about), 0);
	assert_int_equal(about.st_mode & 077, 0);
	assert_true(take_back(&why));
	expect("a", "one\n");
	assert_false(lurk_undo_note_edit(folder, 0, "/a\nb", &(struct lurk_file_seen){0}, "", 0, "",
					 &why));
	assert_non_null(strstr(why.text, "cannot be undone"));
	/* Somebody else was at it: nothing is undone, and the step stays. */
	put("b", "an editor's\n");
	assert_false(take_back(&why));
	assert_non_null(strstr(why.text, "was changed by someone else"));
	expect("b", "an editor's\n");
	put("b", "other\n");
	assert_true(take_back(&why));
	expect("b", NULL);
	assert_true(take_back(&why));
	expect("a", NULL);
	assert_int_equal(lurk_undo_newest(folder, 0), 0);
}

static void fifty_are_kept(void **state)
{
	char from[16] = "0\n", to[16];

	(void)state;
	clear();
	put("a", from);
	for (unsigned i = 1; i <= 60; i++) {
		snprintf(to, sizeof to, "%u\n", i);
		edit("a", from, to);
		memcpy(from, to, sizeof from);
	}
	assert_int_equal(lurk_undo_newest(folder, 0), 60);
	assert_int_equal(access(in_folder("undo/000010"), F_OK), -1);
	assert_int_equal(access(in_folder("undo/000011"), F_OK), 0);
}

static void what_is_damaged_is_said(void **state)
{
	static const char *const files[] = {"",
					    "edit",
					    "edit\nx\n",
					    "edit\nx\n/file\n",
					    "edit\nx\n/file\nno 7\n",
					    "apply\nx\n",
					    "apply\nx\n1\n",
					    "frob\nx\n1 2\n"};
	struct lurk_message why;
	struct lurk_undo undo;

	(void)state;
	for (size_t i = 0; i < COUNT(files); i++) {
		clear();
		put("undo/000001", files[i]);
		assert_false(lurk_undo_read(folder, lurk_undo_newest(folder, 0), &undo, &why));
		assert_non_null(strstr(why.text, "damaged"));
	}
}

/* The second apply is taken back: what the first one put there is there again, as version 3. */
static void an_apply_gets_its_new_number(void **state)
{
	struct lurk_message why;
	struct lurk_undo undo;

	(void)state;
	clear();
	assert_true(lurk_undo_note_apply(folder, 0, 0, 1, "first", &why));
	edit("a", NULL, "one\n");
	assert_true(lurk_undo_note_apply(folder, 0, 1, 2, "second", &why));
	lurk_undo_renumber(folder, 3, 1, 3);
	assert_true(lurk_undo_read(folder, 1, &undo, &why));
	assert_int_equal(undo.before, 0);
	assert_int_equal(undo.after, 3);
	assert_string_equal(undo.summary, "first");
	lurk_undo_free(&undo);
}

/* Two commands that end at the same moment: each step has a number of its own. */
static void steps_at_once_are_all_kept(void **state)
{
	enum { PEOPLE = 8, EACH = 5 };
	struct lurk_message why;
	bool seen[PEOPLE][EACH] = {0};
	int status;

	(void)state;
	clear();
	for (unsigned person = 0; person < PEOPLE; person++) {
		pid_t child = fork();

		assert_int_not_equal(child, -1);
		for (unsigned i = 0; !child && i < EACH; i++) {
			if (!lurk_undo_note_apply(folder, 0, person, i, "at once", &why))
				_exit(1);
		}
		if (!child)
			_exit(0);
	}
	for (unsigned person = 0; person < PEOPLE; person++) {
		assert_true(wait(&status) > 0);
		assert_int_equal(status, 0);
	}
	assert_int_equal(lurk_undo_newest(folder, 0), PEOPLE * EACH);
	for (unsigned number = 1; number <= PEOPLE * EACH; number++) {
		struct lurk_undo undo;

		assert_true(lurk_undo_read(folder, number, &undo, &why));
		assert_true(undo.before < PEOPLE && undo.after < EACH &&
			    !seen[undo.before][undo.after]);
		seen[undo.before][undo.after] = true;
		lurk_undo_free(&undo);
	}
}

/* ---- A desk as the machine ------------------------------------------------------------------ */

static uint8_t *image_of(const char *rules, size_t *length)
{
	struct lurk_keyboards_file keyboards = {0};
	struct lurk_profile_file file = {0};
	struct lurk_profile_set set = {.files = {&file}, .count = 1};
	struct lurk_message why;
	char *text;
	uint8_t *bytes;

	if (asprintf(&text, "lurk: 1\nrules:\n%s", rules) < 0 ||
	    !lurk_profile_read(&file, "profile", text, strlen(text), &keyboards, NULL, &why))
		fail_msg("%s", why.text);
	bytes = lurk_profile_image(&set, &keyboards, length, &why);
	if (!bytes)
		fail_msg("%s", why.text);
	lurk_profile_free(&file);
	return bytes;
}

/* What F12 gives on the desk's keyboard by what is in force now. */
static lurk_key f12(struct lurk_machine *machine)
{
	struct lurk_session *s = &machine->desk->session;
	const struct lurk_keymap *keymap = s->memory.keyboards[0].keymap;
	lurk_scan none = {0, LURK_SCAN_NONE};

	return keymap ? lurk_action_key(lurk_keymap_find(keymap, none, LURK_KEY_F12), LURK_KEY_F12)
		      : LURK_KEY_F12;
}

static void a_desk_is_a_machine(void **state)
{
	static const char *const rules[] = {"  - {press: F12, gives: Insert}\n",
					    "  - {press: F12, gives: Pause}\n"};
	static struct lurk_computer computer;
	struct lurk_machine *machine;
	struct lurk_outcome outcome;
	struct lurk_message why;
	uint8_t *bytes[2], *old;
	size_t lengths[2], length;

	(void)state;
	clear();
	put("desk.yaml", "desk: 1\nkeyboards:\n  wagtail: {wired: usb, product: \"fade:0001\"}\n");
	if (!lurk_computer_open(&computer, folder, &why))
		fail_msg("%s", why.text);
	lurk_computer_settle(&computer);
	machine = lurk_machine_of_desk(&computer);
	for (int i = 0; i < 2; i++)
		bytes[i] = image_of(rules[i], &lengths[i]);
	assert_null(machine->image);
	assert_true(lurk_machine_apply(machine, bytes[0], lengths[0], NULL, &outcome));
	assert_int_equal(machine->image->sequence, 1);
	assert_int_equal(f12(machine), LURK_KEY_INSERT);
	/* A trial ends with everything as before, or is kept. */
	assert_true(lurk_machine_try(machine, bytes[1], lengths[1], 30, &outcome));
	assert_true(machine->trying);
	assert_int_equal(f12(machine), LURK_KEY_PAUSE);
	assert_true(lurk_machine_end_try(machine, &outcome));
	assert_int_equal(f12(machine), LURK_KEY_INSERT);
	assert_true(lurk_machine_try(machine, bytes[1], lengths[1], 30, &outcome));
	assert_true(lurk_machine_keep(machine, &outcome));
	assert_false(machine->trying);
	assert_int_equal(machine->image->sequence, 2);
	/* Off, and on again. */
	assert_true(lurk_machine_switch(machine, true, &outcome));
	assert_true(machine->off);
	assert_int_equal(f12(machine), LURK_KEY_F12);
	assert_true(lurk_machine_switch(machine, false, &outcome));
	assert_int_equal(f12(machine), LURK_KEY_PAUSE);
	/* Back to a version, to none, and not to one that never was. */
	assert_true(lurk_machine_version(machine, 1, &old, &length));
	assert_true(lurk_machine_go_back(machine, old, length, &outcome));
	free(old);
	assert_int_equal(f12(machine), LURK_KEY_INSERT);
	assert_int_equal(machine->image->sequence, 3);
	assert_true(lurk_machine_version(machine, 0, &old, &length));
	assert_true(lurk_machine_go_back(machine, old, length, &outcome));
	free(old);
	assert_int_equal(f12(machine), LURK_KEY_F12);
	assert_false(lurk_machine_version(machine, 77, &old, &length));
	/* Rubbish is refused, with words, and changes nothing. */
	assert_false(lurk_machine_apply(machine, bytes[0], lengths[0] - 1, NULL, &outcome));
	assert_true(*outcome.why.text);
	assert_int_equal(machine->image->sequence, 4);
	for (int i = 0; i < 2; i++)
		free(bytes[i]);
	lurk_machine_close(machine);
	lurk_computer_close(&computer);
}

/* ---- How texts are typed --------------------------------------------------------------------- */

static void texts_by_the_layout(void **state)
{
	static const struct {
		const char *rules;
		uint32_t active;
		enum lurk_texts texts;
	} rows[] = {
		{"F1>KeyA; F2>KeyA,KeyB", 1, LURK_TEXTS_NONE},
		{"F1>\"ab\"", 1, LURK_TEXTS_NONE}, /* a layout of the profile's own */
		{"F1>\"%1ab%2#%3\"", 1, LURK_TEXTS_FOLLOW},
		{"F1>\"%1ab%2#%3\"", 3, LURK_TEXTS_LACK},
		{"F1>\"%1ab%2#%3\"", 4, LURK_TEXTS_UNMADE},
		{"F1>\"%1ab%2#%3\"", 0, LURK_TEXTS_ASSUMED},
		/* The worst of all that are on. */
		{"F1>\"%1ab%2#\"; F2>\"%1%2#\"", 1, LURK_TEXTS_LACK},
		{"F1>\"%1%2#\"; F2>\"%1ab%2#\"", 1, LURK_TEXTS_LACK},
		{"F1>\"%1%2#\"; F2>\"%2#\"", 1, LURK_TEXTS_UNMADE},
		{"F1>\"%1ab\"; !F2>\"%2#\"", 1, LURK_TEXTS_FOLLOW},
	};
	static struct test_rules t;

	(void)state;
	assert_int_equal(lurk_texts_of(NULL, 1), LURK_TEXTS_NONE);
	for (size_t i = 0; i < COUNT(rows); i++) {
		test_rules_read(&t, rows[i].rules);
		assert_int_equal(test_rules_image(&t), LURK_OK);
		if (lurk_texts_of(&t.image, rows[i].active) != rows[i].texts)
			fail_msg("%s with %u", rows[i].rules, rows[i].active);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(texts_by_the_layout),
		cmocka_unit_test(edits_are_taken_back_in_turn),
		cmocka_unit_test(fifty_are_kept),
		cmocka_unit_test(what_is_damaged_is_said),
		cmocka_unit_test(an_apply_gets_its_new_number),
		cmocka_unit_test(steps_at_once_are_all_kept),
		cmocka_unit_test(a_desk_is_a_machine),
	};

	return cmocka_run_group_tests(tests, begin_in_folder, end_in_folder);
}
