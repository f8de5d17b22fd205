/* Rules as a person works on them, on the demo's desk: edits, what they amount to, what is found in
 * them, how they differ, where they lead. */
#include "folder.h"

#include <unistd.h>

#include "lurk/layout/layout.h"
#include "lurk/text/memory.h"
#include "tell/difference.h"
#include "tell/finding.h"
#include "tell/press.h"
#include "tell/reach.h"
#include "lurk/work/acting.h"
#include "lurk/work/apply.h"
#include "lurk/work/differences.h"
#include "lurk/work/edits.h"
#include "lurk/work/effects.h"
#include "lurk/work/hwdb.h"
#include "lurk/work/judge.h"
#include "lurk/work/naming.h"
#include "lurk/work/presses.h"

#define HEAD "lurk: 1\nrules:\n"

/* The desk, and the files on it. */
static struct lurk_computer computer;
static struct lurk_machine *machine;
static struct lurk_workspace ws;
static char cautions[1024];

static void take_caution(void *data, const char *text)
{
	(void)data;
	snprintf(cautions + strlen(cautions), sizeof cautions - strlen(cautions), "%s\n", text);
}

static void copy_demo(const char *name)
{
	char path[512], *bytes;
	struct lurk_message why;
	size_t length;
	bool exists;

	snprintf(path, sizeof path, "%s/%s", LURK_DEMO, name);
	assert_true(lurk_file_read(path, &bytes, &length, &exists, &why));
	put(name, bytes);
	free(bytes);
}

static void open_desk(void)
{
	struct lurk_message why;

	clear();
	copy_demo("desk.yaml");
	copy_demo("keyboards.yaml");
	if (!lurk_computer_open(&computer, folder, &why))
		fail_msg("%s", why.text);
	machine = lurk_machine_of_desk(&computer);
}

static void close_desk(void)
{
	lurk_machine_close(machine);
	lurk_computer_close(&computer);
}

static bool read_files(const char *wanted, struct lurk_message *why)
{
	memset(&ws, 0, sizeof ws);
	*cautions = '\0';
	ws.desk = folder;
	ws.desk_layout = computer.desk.layout;
	ws.wanted = wanted;
	ws.caution = take_caution;
	return lurk_workspace_read(&ws, why);
}

/* A profile of these rules, or whole where it begins with its version. */
static void put_rules(const char *name, const char *rules)
{
	char text[4096];

	snprintf(text, sizeof text, "%s%s", strncmp(rules, "lurk:", 5) ? HEAD : "", rules);
	put(name, text);
}

static void begin(const char *rules)
{
	struct lurk_message why;

	put_rules("profile.yaml", rules);
	if (!read_files(NULL, &why))
		fail_msg("%s", why.text);
}

static uint16_t keyboard(const char *name)
{
	struct lurk_message why;
	uint16_t found = lurk_keyboards_find(&ws.keyboards, name, &why);

	if (!found)
		fail_msg("%s", why.text);
	return found;
}

/* ---- Edits ---------------------------------------------------------------------------------- */

/* "map A B", "swap A B", "move A B", "disable A", "restore A", "restore-all", "off A", "on A", each
 * with "-k KEYBOARD" behind it. Words are parted by blanks, and "_" stands for one. */
static enum lurk_went perform(struct lurk_edits *edits, const char *command)
{
	char text[128], *words[5] = {0}, *rest = text;
	struct lurk_result result = {.kind = LURK_GIVES_NOTHING};
	uint8_t step[LURK_STEP_BYTES];
	unsigned count = 0;

	snprintf(text, sizeof text, "%s", command);
	for (char *word; (word = strsep(&rest, " ")) && count < COUNT(words);) {
		for (char *c = word; (c = strchr(c, '_'));)
			*c = ' ';
		words[count++] = word;
	}
	*edits = (struct lurk_edits){.ws = &ws, .machine = machine};
	if (count > 2 && !strcmp(words[count - 2], "-k"))
		edits->keyboard = keyboard(words[count - 1]);
	switch (*words[0]) {
	case 'm':
		if (words[0][1] == 'o')
			return lurk_edits_move(edits, words[1], words[2]);
		return lurk_edits_result(edits, words[2], &result, step)
			       ? lurk_edits_map(edits, words[1], &result)
			       : LURK_ASKED_WRONGLY;
	case 's':
		return lurk_edits_swap(edits, words[1], words[2]);
	case 'd':
		return lurk_edits_map(edits, words[1], &result);
	case 'o':
		return lurk_edits_switch(edits, words[1], words[0][1] == 'f');
	default:
		return words[0][7] ? lurk_edits_restore_all(edits)
				   : lurk_edits_restore(edits, words[1]);
	}
}

/* The rules of the file in words, parted by "; ". */
static const char *rules_in_words(void)
{
	static char out[8192];

	*out = '\0';
	for (uint32_t i = 0; i < ws.profile.count; i++) {
		const struct lurk_rule *rule = &ws.profile.rules[i];
		const char *on =
			rule->keyboard ? ws.keyboards.keyboards[rule->keyboard - 1].name.bytes : "";
		char words[512];

		snprintf(out + strlen(out), sizeof out - strlen(out), "%s%s", i ? "; " : "",
			 lurk_words_rule(rule, on, words, sizeof words));
	}
	return out;
}

static void edits_make_room(void **state)
{
	static const struct {
		const char *commands[3], *after;
	} rows[] = {
		{{"map CapsLock Insert"}, "CapsLock gives Insert"},
		{{"map CapsLock Insert", "map caps Tab"}, "CapsLock gives Tab"},
		{{"map CapsLock Insert", "map CapsLock Tab -k heron"},
		 "CapsLock gives Insert; CapsLock gives Tab on heron"},
		{{"swap Control Meta", "swap Meta Control"}, "Meta and Control are swapped"},
		{{"swap F1 F2", "map F1 F5"}, "F2 gives F1; F1 gives F5"},
		{{"swap Control Meta -k wagtail", "map lctrl F5 -k wagtail"},
		 "ControlRight gives MetaRight on wagtail; MetaLeft gives ControlLeft on wagtail; "
		 "MetaRight gives ControlRight on wagtail; ControlLeft gives F5 on wagtail"},
		{{"disable Delete -k heron"}, "Delete gives nothing on heron"},
		{{"map Delete F1 -k heron", "move Delete F9 -k heron"},
		 "Delete gives nothing on heron; F9 gives F1 on heron"},
		{{"disable End -k heron", "move End Pause -k heron"},
		 "End gives nothing on heron; Pause gives End on heron"},
		{{"move End Pause -k heron", "move End ScrollLock -k heron"},
		 "End gives nothing on heron; ScrollLock gives End on heron"},
		{{"move End Pause -k heron", "move End Pause -k heron"},
		 "End gives nothing on heron; Pause gives End on heron"},
		/* What another key does with Shift alone is no substitute. */
		{{"disable End -k heron", "map Shift+F1 End -k heron", "move End Pause -k heron"},
		 "End gives nothing on heron; Shift+F1 gives End on heron; Pause gives End on "
		 "heron"},
		{{"disable End", "map F1 End", "move End Pause -k heron"},
		 "End gives nothing; F1 gives End; End gives nothing on heron; "
		 "Pause gives End on heron"},
		{{"map any_Enter Tab", "restore Enter"}, "any Enter gives Tab; Enter gives itself"},
		{{"map CapsLock Insert", "restore caps -k heron"},
		 "CapsLock gives Insert; CapsLock gives itself on heron"},
		{{"swap Control Meta", "restore Meta"}, ""},
		{{"swap F1 F2", "map F5 F6", "restore F2"}, "F5 gives F6"},
		{{"swap Control Meta", "restore MetaRight"},
		 "ControlLeft gives MetaLeft; ControlRight gives MetaRight; MetaLeft gives "
		 "ControlLeft"},
		{{"map hid:07:39 Enter", "restore CapsLock"}, ""},
		{{"map hid:07:a5 LaunchMail", "map hid:07:a5 nothing"}, "hid:07:a5 gives nothing"},
		{{"map CapsLock Insert", "map F1 F2 -k heron", "restore-all -k heron"},
		 "CapsLock gives Insert"},
		{{"map CapsLock Insert", "swap F1 F2", "restore-all"}, ""},
		{{"map ; F1", "map # F2"}, "Semicolon gives F1; Backslash gives F2"},
		{{"map F1 F2", "off F1", "map F1 F3"}, "F1 gives F2 (switched off); F1 gives F3"},
		{{"map F1 F2", "off F1", "on F1"}, "F1 gives F2"},
		{{"map Shift+F1 F2", "map F1 F3", "restore Shift+F1"}, "F1 gives F3"},
		{{"map Shift+F1 F2", "map F1 F3", "restore F1"}, ""},
		{{"map only_F1 F2", "map F1 F3"}, "only F1 gives F2; F1 gives F3"},
	};

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_edits edits;

		begin("");
		for (size_t k = 0; k < COUNT(rows[i].commands) && rows[i].commands[k]; k++) {
			if (perform(&edits, rows[i].commands[k]) != LURK_DONE)
				fail_msg("%s: %s", rows[i].commands[k], edits.why.text);
			assert_true(*edits.summary);
		}
		assert_string_equal(rules_in_words(), rows[i].after);
		lurk_workspace_free(&ws);
	}
	close_desk();
}

static void edits_say_what_is_wrong(void **state)
{
	static const struct {
		const char *rules, *command;
		enum lurk_went went;
		const char *why;
	} rows[] = {
		{"", "map CapsLok Enter", LURK_ASKED_WRONGLY, "did you mean CapsLock?"},
		{"", "map CapsLock Entre", LURK_ASKED_WRONGLY, "did you mean Enter?"},
		{"", "map F1 ctrl-c", LURK_ASKED_WRONGLY, "did you mean Control+KeyC?"},
		{"", "map F1 ctrl_shift_l", LURK_ASKED_WRONGLY, "did you mean Control+Shift+KeyL?"},
		{"", "map alt-gull Tab", LURK_ASKED_WRONGLY, "`alt-gull` is no key; `lurk"},
		{"", "map CapsLock hid:07:a5", LURK_ASKED_WRONGLY, "cannot be given"},
		{"", "swap Alt CapsLock", LURK_ASKED_WRONGLY, "say AltLeft or AltRight"},
		{"", "swap Shift+F1 CapsLock", LURK_ASKED_WRONGLY, "two keys that have names"},
		{"", "swap caps CapsLock", LURK_ASKED_WRONGLY, "cannot be swapped with itself"},
		{"", "move Delete Delete", LURK_ASKED_WRONGLY, "two different single keys"},
		{"", "move Alt F1", LURK_ASKED_WRONGLY, "two different single keys"},
		{"- {press: F1, gives: {text: x}}\n", "move F1 F2", LURK_ASKED_WRONGLY,
		 "the first of which does something"},
		{"- {press: F1, gives: F2}\n", "restore F3", LURK_FOUND, "No rule changes F3"},
		{"- {press: F1, gives: F2}\n", "restore F1 -k heron", LURK_DONE, ""},
		{"", "restore-all", LURK_FOUND, "The profile has no rule"},
		{"- {press: F1, gives: F2}\n", "on F1", LURK_FOUND, "is switched off"},
		{"- {press: F1, gives: F2}\n", "off F1 -k curlew", LURK_FOUND,
		 "no rule on F1 on curlew is switched on"},
		/* A form that cannot be edited. */
		{"lurk: 1\nrules: &all\n- {press: F1, gives: F2}\nname: x\n", "map F1 F3",
		 LURK_DONE, ""},
	};

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_edits edits;

		begin(rows[i].rules);
		if (perform(&edits, rows[i].command) != rows[i].went)
			fail_msg("%s: %s", rows[i].command, edits.why.text);
		if (!strstr(edits.why.text, rows[i].why))
			fail_msg("%s says: %s", rows[i].command, edits.why.text);
		lurk_workspace_free(&ws);
	}
	close_desk();
}

static void comments_stay(void **state)
{
	static const char before[] =
		"# Kopf der Vogelliste: Möwe 🪶\nlurk: 1\nname: 'Hütte'\n\nrules:\n  # für "
		"die "
		"linke Hand\n  - press: CapsLock   # groß\n    gives: Tab\n\n  # Ende\n";
	static const char after[] =
		"# Kopf der Vogelliste: Möwe 🪶\nlurk: 1\nname: 'Hütte'\n\nrules:\n  # für "
		"die "
		"linke Hand\n  - press: CapsLock   # groß\n    gives: Enter\n    note: Zaunkönig\n"
		"  - press: F1\n    gives: F2\n\n  # Ende\n";
	struct lurk_result enter;
	struct lurk_edits edits = {.ws = &ws, .note = "Zaunkönig"};
	uint8_t step[LURK_STEP_BYTES];
	struct lurk_message why;

	(void)state;
	open_desk();
	put("profile.yaml", before);
	assert_true(read_files(NULL, &why));
	assert_true(lurk_edits_result(&edits, "Enter", &enter, step));
	assert_int_equal(lurk_edits_map(&edits, "CapsLock", &enter), LURK_DONE);
	assert_string_equal(edits.gave, "Tab");
	assert_int_equal(edits.line, 7);
	assert_int_equal(perform(&edits, "map F1 F2"), LURK_DONE);
	assert_true(lurk_workspace_save(&ws, edits.summary, &why));
	expect("profile.yaml", after);
	lurk_workspace_free(&ws);
	close_desk();
}

/* Any edits in any order: the file says what the rules are, keys give what the last edit of them
 * said, and all of it is taken back to the first byte. */
static void edits_at_random(void **state)
{
	enum { STEPS = 60, SEEDS = 6 };
	static const char *const keys[] = {"F1",       "F2",  "CapsLock", "Delete",
					   "AltRight", "Tab", "Pause",    "KeyB"};
	static const char *const on[] = {"", " -k heron", " -k wagtail"};
	static char *texts[STEPS + 1];

	(void)state;
	open_desk();
	for (uint64_t seed = 1; seed <= as_often(SEEDS); seed++) {
		uint64_t random = seed * 7919;
		unsigned count = 0;

		begin("# mine\n");
		texts[0] = lurk_copy(ws.profile.yaml.bytes, ws.profile.yaml.length);
		for (unsigned i = 0; i < STEPS; i++) {
			static const char *const verbs[] = {"map", "swap", "move", "disable",
							    "restore"};
			const char *a = keys[random_next(&random) % COUNT(keys)];
			const char *b = keys[random_next(&random) % COUNT(keys)];
			const char *verb = verbs[random_next(&random) % COUNT(verbs)];
			const char *where = on[random_next(&random) % COUNT(on)];
			struct lurk_effects was, is;
			struct lurk_edits edits;
			struct lurk_message why;
			struct lurk_press one, two;
			char command[96];

			assert_true(lurk_words_press(a, NULL, &one, &why) &&
				    lurk_words_press(b, NULL, &two, &why));
			snprintf(command, sizeof command, "%s %s%s%s%s", verb, a,
				 *verb == 'd' || *verb == 'r' ? "" : " ",
				 *verb == 'd' || *verb == 'r' ? "" : b, where);
			assert_true(lurk_effects_of(&ws, machine, *where ? keyboard(where + 4) : 0,
						    &was));
			if (perform(&edits, command) != LURK_DONE) {
				/* It says why, and has changed nothing. */
				assert_true(*edits.why.text);
				assert_string_equal(ws.profile.yaml.bytes, texts[count]);
				continue;
			}
			assert_true(lurk_effects_of(&ws, machine, edits.keyboard, &is));
			if (*verb == 'd')
				assert_int_equal(is.gives[one.on.key], LURK_KEY_NONE);
			else if (*verb == 'r')
				assert_int_equal(is.gives[one.on.key], one.on.key);
			else if (*verb == 's')
				assert_true(is.gives[one.on.key] == two.on.key &&
					    is.gives[two.on.key] == one.on.key);
			else if (verb[1] == 'a')
				assert_int_equal(is.gives[one.on.key], two.on.key);
			else
				assert_true(is.gives[one.on.key] == LURK_KEY_NONE &&
					    is.gives[two.on.key] == (was.gives[one.on.key]
									     ? was.gives[one.on.key]
									     : one.on.key));
			assert_true(lurk_workspace_save(&ws, edits.summary, &why));
			expect("profile.yaml", ws.profile.yaml.bytes);
			texts[++count] = lurk_copy(ws.profile.yaml.bytes, ws.profile.yaml.length);
		}
		assert_true(count > STEPS / 3);
		while (count) {
			struct lurk_outcome outcome;
			struct lurk_undo_step step;
			struct lurk_message why;

			assert_int_equal(lurk_undo_step_read(folder, 0, &step, &why), LURK_DONE);
			if (!lurk_take_back(&ws, NULL, &step, &outcome))
				fail_msg("%s", outcome.why.text);
			lurk_undo_step_free(&step);
			free(texts[count--]);
			expect("profile.yaml", texts[count]);
			if (lurk_undo_newest(folder, 0) == 0)
				break; /* only the newest are kept */
		}
		while (count)
			free(texts[count--]);
		free(texts[0]);
		assert_string_equal(cautions, "");
		lurk_workspace_free(&ws);
	}
	close_desk();
}

/* ---- What is found -------------------------------------------------------------------------- */

/* "lost warning 3; moved note 4": what is found, without notes but for what moved or has another
 * name. */
static const char *found(const struct lurk_findings *findings)
{
	static char out[1024];

	*out = '\0';
	for (unsigned i = 0; i < findings->count; i++) {
		const struct lurk_finding *f = &findings->all[i];
		char words[TELL_FINDING];
		size_t n = strlen(out);

		tell_finding(findings, f, words);
		assert_true(words[0] && words[strlen(words) - 1] == '.');
		tell_finding_remedy(findings, f, words);
		assert_true(*words || f->severity == LURK_NOTE ||
			    f->code == LURK_CHECK_CANNOT_TYPE);
		if (f->severity == LURK_NOTE && f->code != LURK_CHECK_MOVED &&
		    f->code != LURK_CHECK_OTHER_SYMBOL)
			continue;
		snprintf(out + n, sizeof out - n, "%s%s %s %u", n ? "; " : "", tell_finding_code(f),
			 tell_severity((enum lurk_severity)f->severity),
			 tell_finding_line(findings, f));
	}
	return out;
}

static void rules_are_judged(void **state)
{
	static const struct {
		const char *rules, *found;
		bool refused;
	} rows[] = {
		{"- {press: CapsLock, gives: Insert}\n- {press: CapsLock, gives: Tab}\n",
		 "same-press error 3", true},
		/* Each pair once, whatever keyboards are described. */
		{"- {press: F9, gives: F8, keyboard: heron}\n- {press: F9, gives: F7, keyboard: "
		 "heron}\n- {press: F8, gives: F7}\n- {press: F8, gives: F6}\n",
		 "same-press error 5; same-press error 3", true},
		/* In the one that it is based on: no line of its own. */
		{"lurk: 1\nbased-on: twice\nrules:\n- {press: Pause, gives: Insert}\n",
		 "same-press error 0", true},
		{"lurk: 1\nlayout: xyzzyx\nrules:\n- {press: Pause, gives: Pause}\n",
		 "no-change warning 4; no-such-layout error 0", true},
		{"- {press: any Enter, gives: nothing}\n", "locked-out lock-out 3", true},
		{"- {press: Delete, gives: nothing}\n- {press: Pause, gives: Delete}\n",
		 "moved note 4; lost warning 4", false},
		{"- {press: F20, gives: F19, keyboard: wagtail}\n",
		 "no-such-key warning 3; no-symbol warning 3", false},
		{"- {press: \"hid:07:39\", gives: Tab, keyboard: heron}\n", "never-sent warning 3",
		 false},
		{"- {press: AltRight, gives: F19}\n", "third-level warning 3; no-symbol warning 3",
		 false},
		/* What the layout's keymap calls them, which desktops go by. */
		{"- {press: Pause, gives: F13}\n- {press: ScrollLock, gives: F24}\n- {press: F9, "
		 "gives: F12}\n",
		 "lost warning 5; lost warning 4; lost warning 3; other-symbol note 3; "
		 "no-symbol warning 4",
		 false},
		{"- {press: Pause, gives: KEY_KBD_LCD_MENU1}\n",
		 "unseen-by-x warning 3; lost warning 3", false},
		{"- {press: F9, gives: {text: 'чайка'}}\n", "cannot-type error 3", true},
		{"- {press: F9, gives: {profile: night}}\n", "no-such-profile error 3", true},
		{"- {press: Shift+F9, gives: {text: 'gull'}}\n- {press: only F9, gives: "
		 "Meta+KeyC}\n- {press: F9, gives: F10}\n",
		 "lost warning 4", false},
		{"- {press: Pause, gives: {text: 'gull'}, off: true}\n", "", false},
		{"- {press: Pause, gives: Pause}\n", "no-change warning 3", false},
		{"- {press: F1, gives: F2, keyboard: grebe}\n", "unknown-keyboard error 3", true},
		/* Which layouts have a third level, of which AltRight must not be taken. */
		{"lurk: 1\nlayout: us\nrules:\n- {press: Alt, gives: F12}\n",
		 "locked-out lock-out 4; lost warning 4", true},
		{"lurk: 1\nlayout: ru\nrules:\n- {press: Alt, gives: F12}\n",
		 "locked-out lock-out 4; lost warning 4; third-level warning 4", true},
		/* Where a key leads that leads nowhere back. */
		{"- {press: F9, gives: {profile: dusk}}\n", "lost warning 3; no-way-back warning 3",
		 false},
	};

	(void)state;
	open_desk();
	put_rules("profiles/dusk.yaml", "- {press: F8, gives: F7}\n");
	put_rules("profiles/twice.yaml", "- {press: F8, gives: F7, off: true}\n"
					 "- {press: F9, gives: F7}\n- {press: F9, gives: F8}\n");
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_findings findings;
		struct lurk_message why;
		char words[TELL_FINDING];

		put_rules("profile.yaml", rows[i].rules);
		memset(&ws, 0, sizeof ws);
		ws.desk = folder;
		ws.desk_layout = computer.desk.layout;
		ws.judging = true;
		if (!lurk_workspace_read(&ws, &why))
			fail_msg("%s: %s", rows[i].rules, why.text);
		assert_true(lurk_judge(&ws, machine, &findings));
		if (strcmp(found(&findings), rows[i].found))
			fail_msg("%s: %s", rows[i].rules, found(&findings));
		assert_int_equal(lurk_findings_refuse(&findings), rows[i].refused);
		for (unsigned f = 0; f < findings.count; f++) {
			tell_finding(&findings, &findings.all[f], words);
			assert_true(*words && !strstr(words, "line 0") &&
				    !strstr(words, "Lines 0"));
		}
		lurk_findings_free(&findings);
		lurk_workspace_free(&ws);
	}
	close_desk();
}

/* What no press types any more, by the layout of the desk, which is British. */
/* Texts of a profile that says no layout, in a session that may have another; told once. */
static void a_layout_may_only_be_assumed(void **state)
{
	static const struct {
		enum lurk_layout_from from;
		bool several;
		const char *session, *found;
	} rows[] = {
		{LURK_LAYOUT_OF_SYSTEM, false, NULL, ""},
		{LURK_LAYOUT_OF_SYSTEM, false, "tty", ""},
		{LURK_LAYOUT_OF_SYSTEM, false, "wayland", "assumed-layout warning 4"},
		{LURK_LAYOUT_OF_SYSTEM, false, "x11", "assumed-layout warning 4"},
		{LURK_LAYOUT_OF_SYSTEM, true, "tty", "assumed-layout warning 4"},
		{LURK_LAYOUT_OF_PROFILE, true, "x11", ""},
		{LURK_LAYOUT_OF_DESK, true, "x11", ""},
	};

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_findings findings;

		begin("- {press: Shift+F8, gives: F7}\n- {press: Shift+F9, gives: {text: gull}}\n"
		      "- {press: Shift+F7, gives: {text: tern}}\n");
		ws.layout.from = rows[i].from;
		ws.layout.count = rows[i].several ? 2 : 1;
		if (rows[i].session)
			setenv("XDG_SESSION_TYPE", rows[i].session, true);
		else
			unsetenv("XDG_SESSION_TYPE");
		assert_true(lurk_judge(&ws, machine, &findings));
		assert_string_equal(found(&findings), rows[i].found);
		lurk_findings_free(&findings);
		lurk_workspace_free(&ws);
	}
	unsetenv("XDG_SESSION_TYPE");
	close_desk();
}

static void signs_that_get_lost(void **state)
{
	static const char degree[] = "- {press: Shift+Digit3, gives: {text: '°'}}\n";
	static const struct {
		const char *rules, *more, *told;
	} rows[] = {
		{degree, "", "No key types `£` any more: Shift+Digit3 did."},
		/* Another rule types it: as a sign, as a chord, as text; not in the midst of a
		   text. */
		{degree, "- {press: F9, gives: '£'}\n", ""},
		{degree, "- {press: F9, gives: Shift+Digit3}\n", ""},
		{degree, "- {press: F9, gives: ShiftRight+Digit3}\n", ""},
		{degree, "- {press: Shift+F9, gives: {text: '£'}}\n", ""},
		{degree, "- {press: 'hid:07:a5', gives: {text: '£'}, keyboard: curlew}\n",
		 "No key on heron types `£` any more: Shift+Digit3 did.No key on wagtail types `£` "
		 "any more: Shift+Digit3 did.No key on dipper types `£` any more: Shift+Digit3 "
		 "did."},
		{degree, "- {press: F9, gives: {text: '£3'}}\n",
		 "No key types `£` any more: Shift+Digit3 did."},
		{degree, "- {press: F9, gives: Control+Shift+Digit3}\n",
		 "No key types `£` any more: Shift+Digit3 did."},
		{degree, "- {press: F9, gives: {text: '£'}, off: true}\n",
		 "No key types `£` any more: Shift+Digit3 did."},
		/* One side of Shift still does. */
		{"- {press: ShiftLeft+Digit3, gives: {text: '°'}}\n", "", ""},
		{"- {press: ShiftLeft+Digit3, gives: {text: '°'}}\n",
		 "- {press: ShiftRight, gives: nothing}\n",
		 "No key types `£` any more: Shift+Digit3 did."},
		/* A press with Shift gives a key without it. */
		{"- {press: Shift+Digit3, gives: Digit3}\n", "",
		 "No key types `£` any more: Shift+Digit3 did."},
		{"- {swap: [Digit3, Digit4]}\n", "", ""},
		/* A key that is there twice by a US layout's meaning is one alone here. */
		{"- {press: Backslash, gives: Tab}\n", "",
		 "No key types `#`, `~`, the dead key \"`\" or the dead key `˘` any more: "
		 "Backslash "
		 "did."},
		{"- {press: AltRight+Digit4, gives: nothing}\n", "",
		 "No key types `€` or `¼` any more: AltRight+Digit4 did."},
		{"- {press: KeyA, gives: nothing}\n", "",
		 "No key gives KeyA any more, and none types `a`, `A`, `æ` or `Æ`."},
		{"- {press: Quote, gives: Tab, keyboard: dipper}\n", "",
		 "No key on dipper gives Quote any more, and none types `'`, the dead key `^` or "
		 "the "
		 "dead key `ˇ`."},
		{"lurk: 1\nlayout: us\nrules:\n- {press: Shift+Digit3, gives: F13}\n", "",
		 "No key types `#` any more: Shift+Digit3 did."},
		{"lurk: 1\nlayout: de\nrules:\n- {press: Equal, gives: Tab}\n", "",
		 "No key types the dead key `´`, the dead key "
		 "\"`\", "
		 "the dead key `¸` or the dead key `˛` any more: Equal did."},
	};

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_findings findings;
		char rules[400], words[TELL_FINDING], told[TELL_FINDING] = "";

		snprintf(rules, sizeof rules, "%s%s", rows[i].rules, rows[i].more);
		begin(rules);
		assert_true(lurk_judge(&ws, machine, &findings));
		for (unsigned f = 0; f < findings.count; f++) {
			tell_finding(&findings, &findings.all[f], words);
			if (findings.all[f].levels)
				snprintf(told + strlen(told), sizeof told - strlen(told), "%s",
					 words);
		}
		if (strcmp(told, rows[i].told))
			fail_msg("%s: %s", rules, told);
		lurk_findings_free(&findings);
		lurk_workspace_free(&ws);
	}
	close_desk();
}

/* ---- Rules that need no program -------------------------------------------------------------- */

#define BY_USB "\nevdev:input:b0003*\nevdev:input:b0005*\n"
#define BY_PS2 "\nevdev:atkbd:*\n"
#define ENTRY(code, key) " KEYBOARD_KEY_" code "=" key "\n"

static void no_remark(void *data, const struct lurk_hwdb_entry *entry, const char *remark)
{
	(void)data;
	(void)entry;
	fail_msg("%s", remark);
}

static const char *left_words(const struct lurk_hwdb_plan *plan)
{
	static char out[600];

	*out = '\0';
	for (unsigned i = 0; i < plan->left_count; i++)
		sprintf(out + strlen(out), "%u:%u ", plan->left[i].line, plan->left[i].why);
	return out;
}

static void rules_without_a_program(void **state)
{
	static const struct {
		const char *rules, *entries, *left;
	} rows[] = {
		{"- {press: NumLock, gives: Tab}\n",
		 BY_USB ENTRY("70053", "tab") BY_PS2 ENTRY("45", "tab"), ""},
		/* An exemption, and a keyboard to itself. */
		{"- {press: NumLock, gives: Tab}\n- {press: NumLock, gives: itself, keyboard: "
		 "wagtail}\n",
		 BY_USB ENTRY("70053", "tab") BY_PS2 ENTRY(
			 "45", "tab") "\nevdev:input:b0003vFADEp0001*\n" ENTRY("70053", "numlock"),
		 ""},
		{"- {press: End, gives: nothing, keyboard: heron}\n", BY_PS2 ENTRY("cf", "unknown"),
		 ""},
		/* Both codes of a key; both connections of a keyboard; codes without a name. */
		{"- {press: Backslash, gives: Tab, keyboard: wagtail}\n",
		 "\nevdev:input:b0003vFADEp0001*\n" ENTRY("70031", "tab") ENTRY("70032", "tab"),
		 ""},
		{"- {swap: [Control, Meta], keyboard: dipper}\n",
		 "\nevdev:input:b0003vFADEp0003*\n" ENTRY("700e0", "leftmeta") ENTRY(
			 "700e4", "rightmeta") ENTRY("700e3", "leftctrl")
			 ENTRY("700e7", "rightctrl") "\nevdev:input:b0005vFADEp8003*\n" ENTRY(
				 "700e0", "leftmeta") ENTRY("700e4", "rightmeta")
				 ENTRY("700e3", "leftctrl") ENTRY("700e7", "rightctrl"),
		 ""},
		{"- {press: 'hid:07:a5', gives: LaunchMail, keyboard: curlew}\n- {press: "
		 "'hid:0c:e2', "
		 "gives: MediaRecord, keyboard: curlew}\n",
		 "\nevdev:input:b0003vFADEp0002*\n" ENTRY("c00e2", "record") ENTRY("700a5", "mail"),
		 ""},
		{"- {press: Pause, gives: Insert, off: true}\n- {press: Pause, gives: Pause}\n", "",
		 ""},
		/* What no table can do: the line, and why. */
		{"- {press: Shift+Digit6, gives: {text: '°'}}\n- {press: only KeyH, gives: KeyJ}\n"
		 "- {press: F9, gives: Control+KeyC}\n- {press: F8, gives: {text: teal}}\n"
		 "- {press: F7, gives: {profile: dusk}}\n- {press: F6, gives: {rules: toggle}}\n"
		 "- {press: F5, gives: F4, keyboard: grebe}\n- {press: F3, gives: F2}\n",
		 BY_USB ENTRY("7003c", "f2") BY_PS2 ENTRY("3d", "f2"),
		 "3:1 4:1 5:2 6:3 7:4 8:4 9:7 "},
		{"- {press: F9, gives: F8, keyboard: twin}\n", "", "3:6 "},
		/* The rule beside one that depends on what is held. */
		{"- {press: only KeyH, gives: KeyJ, keyboard: wagtail}\n- {press: KeyH, gives: "
		 "KeyK, "
		 "keyboard: wagtail}\n- {press: Control+KeyH, gives: F2, keyboard: wagtail}\n",
		 "\nevdev:input:b0003vFADEp0001*\n" ENTRY("7000b", "k"), "3:1 5:1 "},
		/* Those of the profile that it is based on as well. */
		{"lurk: 1\nbased-on: dusk\nrules:\n- {press: Pause, gives: Insert, keyboard: "
		 "wagtail}\n",
		 "\nevdev:input:b0003vFADEp0001*\n" ENTRY("70041", "f7") ENTRY("70048", "insert")
			 ENTRY("c00b1", "insert"),
		 "4:2 "},
	};

	(void)state;
	open_desk();
	put("keyboards.yaml",
	    "keyboards:\n  heron: {built-in: true}\n  wagtail: {usb: \"fade:0001\"}\n"
	    "  curlew: {usb: \"fade:0002\"}\n"
	    "  dipper: [{usb: \"fade:0003\"}, {bluetooth: \"fade:8003\"}]\n"
	    "  twin: {usb: \"fade:0009\", place: usb-7}\n");
	put_rules("profiles/dusk.yaml",
		  "- {press: F8, gives: F7, keyboard: wagtail}\n- {press: F9, gives: Meta+KeyC}\n");
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_hwdb_plan plan, again;
		struct lurk_message why;
		struct lurk_edits edits = {.ws = &ws, .machine = machine};
		const char *entries;

		put_rules("profile.yaml", rows[i].rules);
		memset(&ws, 0, sizeof ws);
		ws.desk = folder;
		ws.desk_layout = computer.desk.layout;
		ws.judging = true;
		assert_true(lurk_workspace_read(&ws, &why));
		assert_true(lurk_hwdb_plan(&ws, machine, &plan, &why));
		entries = strstr(plan.text, "away again.\n") + strlen("away again.\n");
		if (strcmp(entries, rows[i].entries) || strcmp(left_words(&plan), rows[i].left))
			fail_msg("%s: %s%s", rows[i].rules, entries, left_words(&plan));
		lurk_workspace_free(&ws);
		/* Taken over into an empty profile they say the same. */
		put("taken.hwdb", plan.text);
		begin("");
		edits.ws = &ws;
		assert_int_equal(lurk_hwdb_take(&edits, in_folder("taken.hwdb"), no_remark, NULL),
				 *rows[i].entries ? LURK_DONE : LURK_FOUND);
		assert_true(lurk_hwdb_plan(&ws, machine, &again, &why));
		assert_string_equal(strstr(again.text, "away again."),
				    strstr(plan.text, "away again."));
		assert_int_equal(again.entries, plan.entries);
		lurk_hwdb_plan_free(&plan);
		lurk_hwdb_plan_free(&again);
		lurk_workspace_free(&ws);
	}
	close_desk();
}

/* All that can be switched to is judged, and what locks out there is refused where nothing leads
 * out.
 */
static void profiles_beside_are_judged(void **state)
{
	static const struct {
		const char *beside, *refused;
		bool locks;
	} rows[] = {
		{"- {press: Pause, gives: Insert}\n", NULL, false},
		{"- {press: any Enter, gives: nothing}\n", "dusk", true},
		{"- {press: any Enter, gives: nothing}\n- {press: F12, gives: {profile: base}}\n",
		 NULL, false},
		{"- {press: any Enter, gives: nothing}\n- {press: F12, gives: {rules: toggle}}\n",
		 NULL, false},
		{"- {press: F9, gives: {text: 'чайка'}}\n", "dusk", false},
	};

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_findings findings;

		put_rules("profiles/dusk.yaml", rows[i].beside);
		begin("- {press: Pause, gives: Insert}\n");
		if (lurk_judge_all(&ws, machine, &findings) == (rows[i].refused != NULL))
			fail_msg("%s: %s", rows[i].beside, found(&findings));
		assert_string_equal(findings.profile->word,
				    rows[i].refused ? rows[i].refused : LURK_PROFILE_BASE);
		assert_string_equal(ws.profile.word, LURK_PROFILE_BASE);
		lurk_findings_free(&findings);
		/* What it locks out is told as that where nothing leads out, else as a warning. */
		lurk_workspace_turn_to(&ws, 0);
		assert_true(lurk_judge(&ws, machine, &findings));
		if ((strstr(found(&findings), "lock-out") != NULL) != rows[i].locks)
			fail_msg("%s: %s", rows[i].beside, found(&findings));
		lurk_workspace_turn_to(&ws, 0);
		lurk_findings_free(&findings);
		lurk_workspace_free(&ws);
	}
	close_desk();
}

/* What could not be done before is not taken away: then it is no lock-out. */
static void only_what_gets_lost_is_refused(void **state)
{
	struct lurk_findings findings;
	struct lurk_outcome outcome;

	(void)state;
	open_desk();
	for (int i = 0; i < 2; i++) {
		begin("- {press: Backspace, gives: nothing}\n");
		assert_true(lurk_judge(&ws, machine, &findings));
		assert_int_equal(lurk_findings_refuse(&findings), i == 0);
		lurk_findings_free(&findings);
		assert_true(lurk_apply(&ws, machine, false, &outcome));
		lurk_workspace_free(&ws);
	}
	close_desk();
}

/* ---- Differences ---------------------------------------------------------------------------- */

static void note_difference(void *data, const struct lurk_difference *d)
{
	char *out = data, words[TELL_DIFFERENCE];

	sprintf(out + strlen(out), "%s%s %s%s%s", *out ? "; " : "", tell_difference_kind(d),
		tell_difference(d, words), *d->before ? " < " : "", d->before);
}

static void differences_are_told(void **state)
{
	static const struct {
		const char *from, *to, *told;
	} rows[] = {
		{"", "", ""},
		{"", "- {press: F1, gives: F2}\n", "added F1 gives F2"},
		{"- {press: F1, gives: F2}\n", "", "removed F1 gives F2"},
		{"- {press: F1, gives: F2}\n", "- {press: F1, gives: F3}\n",
		 "changed F1 gives F3 < F1 gives F2"},
		{"- {press: F1, gives: F2}\n- {press: F3, gives: F4}\n",
		 "- {press: F3, gives: F4}\n- {press: F1, gives: F2}\n", ""},
		{"- {press: F1, gives: F2}\n", "- {press: F1, gives: F2, keyboard: heron}\n",
		 "added F1 gives F2 on heron; removed F1 gives F2"},
		{"- {press: F1, gives: F2}\n", "- {press: F1, gives: F2, off: true}\n",
		 "changed F1 gives F2 (switched off) < F1 gives F2"},
		{"- {swap: [F1, F2]}\n", "- {press: F1, gives: F2}\n",
		 "added F1 gives F2; removed F1 and F2 are swapped"},
		{"- {press: F1, gives: F2}\n- {press: F1, gives: F2, keyboard: heron}\n",
		 "- {press: F1, gives: F2}\n", "removed F1 gives F2 on heron"},
	};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		char told[2048] = "";
		struct lurk_outcome outcome;

		open_desk();
		begin(rows[i].from);
		assert_true(lurk_apply(&ws, machine, false, &outcome));
		lurk_workspace_free(&ws);
		begin(rows[i].to);
		lurk_differences_of_edits(&ws, machine, note_difference, told);
		assert_string_equal(told, rows[i].told);
		/* Both ways of applying agree where there is one profile; once applied none is
		 * left. */
		assert_int_equal(lurk_differences_of_files(&ws, machine, NULL, NULL),
				 lurk_differences_of_edits(&ws, machine, NULL, NULL));
		assert_true(lurk_apply(&ws, machine, true, &outcome));
		assert_int_equal(lurk_differences_of_edits(&ws, machine, NULL, NULL), 0);
		lurk_workspace_free(&ws);
		close_desk();
	}
}

/* ---- Back ----------------------------------------------------------------------------------- */

static void nothing_to_take_back(void)
{
	struct lurk_undo_step step;
	struct lurk_message why;

	assert_int_equal(lurk_undo_step_read(folder, 0, &step, &why), LURK_FOUND);
}

/* With what the step is called, or part of why it cannot be. */
static void take_back_newest(enum lurk_went went, const char *said)
{
	struct lurk_outcome outcome = {.error = LURK_OK};
	struct lurk_message why;
	struct lurk_undo_step step;

	assert_int_equal(lurk_undo_step_read(folder, 0, &step, &why), LURK_DONE);
	assert_int_equal(lurk_take_back(&ws, machine, &step, &outcome), went == LURK_DONE);
	if (!strstr(went == LURK_DONE ? lurk_undo_step_summary(&step) : outcome.why.text, said))
		fail_msg("%s, %s", lurk_undo_step_summary(&step), outcome.why.text);
	lurk_undo_step_free(&step);
}

/* Apply, edit, apply, and back through all of it; a version that nobody expected stops it. */
static void applies_are_taken_back(void **state)
{
	struct lurk_outcome outcome;
	struct lurk_edits edits;
	struct lurk_message why;
	struct lurk_image image;
	uint64_t numbers[LURK_SLOTS_MAX];
	uint8_t *bytes;

	(void)state;
	open_desk();
	begin("- {press: F1, gives: F2}\n");
	assert_true(lurk_apply(&ws, machine, false, &outcome));
	assert_int_equal(perform(&edits, "map F3 F4"), LURK_DONE);
	assert_true(lurk_workspace_save(&ws, edits.summary, &why));
	assert_true(lurk_apply(&ws, machine, true, &outcome));
	assert_int_equal(machine->image->rule_count, 2);
	take_back_newest(LURK_DONE, "2 rules");
	assert_int_equal(machine->image->rule_count, 1);
	take_back_newest(LURK_DONE, "F3 now gives F4");
	take_back_newest(LURK_DONE, "");
	assert_int_equal(machine->image->rule_count, 0);
	nothing_to_take_back();
	/* Versions stay, whatever was taken back; the one before what is in force is offered. */
	assert_int_equal(lurk_versions(machine, numbers), 4);
	assert_int_equal(numbers[0], 4);
	assert_int_equal(lurk_version_before(machine), 3);
	assert_true(lurk_version_open(machine, 2, &bytes, &image, &why));
	assert_true(lurk_apply_version(&ws, machine, &image, &outcome));
	free(bytes);
	assert_int_equal(machine->image->rule_count, 2);
	assert_false(lurk_version_open(machine, 9, &bytes, &image, &why));
	/* Nothing at all, and back. */
	assert_true(lurk_apply_nothing(&ws, machine, &outcome));
	assert_int_equal(machine->image->rule_count, 0);
	take_back_newest(LURK_DONE, "");
	assert_int_equal(machine->image->rule_count, 2);
	/* An apply of which the record knows nothing. */
	assert_true(lurk_version_open(machine, 1, &bytes, &image, &why));
	assert_true(lurk_machine_go_back(machine, bytes, image.length, &outcome));
	free(bytes);
	take_back_newest(LURK_COULD_NOT, "is not what the last apply put there");
	assert_int_equal(machine->image->rule_count, 1);
	lurk_workspace_free(&ws);
	close_desk();
}

/* A person's hands off the files: what an edit and its apply did is one step; and refused by the
 * machine, or with no room for it, neither is done. */
static void an_edit_and_its_apply_are_one(void **state)
{
	static const char before[] = HEAD "- {press: F1, gives: F2}\n";
	struct lurk_naming naming = {.ws = &ws};
	struct lurk_outcome outcome;
	struct lurk_edits edits;
	char end[] = "End", command[200], *known;

	(void)state;
	open_desk();
	begin("- {press: F1, gives: F2}\n");
	known = lurk_copy(ws.keyboards.yaml.bytes, ws.keyboards.yaml.length);
	assert_true(lurk_apply(&ws, machine, false, &outcome));
	for (int files = 1; files <= 2; files++) {
		assert_int_equal(perform(&edits, "move End Pause -k heron"), LURK_DONE);
		assert_int_equal(lurk_naming_mark(&naming, keyboard("heron"), "broken",
						  (char *const[]){end}, 1),
				 LURK_DONE);
		assert_true(lurk_keep_edit(&ws, machine, files == 2, edits.summary, &outcome));
		assert_int_equal(machine->image->rule_count, 3);
		take_back_newest(LURK_DONE, "Pause now gives End on heron");
		assert_int_equal(machine->image->rule_count, 1);
		expect("profile.yaml", before);
		expect("keyboards.yaml", known);
		lurk_workspace_free(&ws);
		begin("- {press: F1, gives: F2}\n");
	}
	/* An editor was at it since: all of it stays. */
	assert_int_equal(perform(&edits, "map F3 F4"), LURK_DONE);
	assert_true(lurk_keep_edit(&ws, machine, false, edits.summary, &outcome));
	put("profile.yaml", HEAD "# an editor's\n");
	take_back_newest(LURK_COULD_NOT, "was changed by someone else");
	assert_int_equal(machine->image->rule_count, 2);
	lurk_workspace_free(&ws);
	/* What cannot come into force does not stand in the file, and is no step. */
	begin("- {press: F1, gives: F2}\n");
	snprintf(command, sizeof command, "cd '%s' && mv storage kept && : >storage", folder);
	assert_int_equal(system(command), 0);
	for (int files = 1; files <= 3; files++) {
		assert_int_equal(perform(&edits, "map F5 F6 -k heron"), LURK_DONE);
		assert_int_equal(lurk_naming_mark(&naming, keyboard("heron"), "broken",
						  (char *const[]){end}, 1),
				 LURK_DONE);
		if (files == 3) /* an editor was at the other file, so that is what cannot be */
			put("keyboards.yaml", "keyboards:\n");
		assert_false(lurk_keep_edit(&ws, files == 3 ? NULL : machine, files > 1,
					    edits.summary, &outcome));
		assert_true(*outcome.why.text);
		expect("profile.yaml", before);
		expect("keyboards.yaml", files == 3 ? "keyboards:\n" : known);
		take_back_newest(LURK_COULD_NOT, "(F3 now gives F4)");
		lurk_workspace_free(&ws);
		if (files < 3)
			begin("- {press: F1, gives: F2}\n");
	}
	free(known);
	close_desk();
}

/* That a key's job can no longer be done is a warning where that was meant, and only for what could
 * be done before. */
static void what_is_meant_is_not_refused(void **state)
{
	static const struct {
		const char *before, *edit;
		bool fine;
	} rows[] = {
		{"", "disable Backspace", true},
		{"- {press: any Enter, gives: nothing}\n", "disable Backspace", false},
		{"- {press: F9, gives: {text: 'чайка'}}\n", "disable Backspace", false},
		{"- {press: any Enter, gives: nothing}\n", "disable F9", false},
	};

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_findings found_before, findings;
		struct lurk_edits edits;

		begin(rows[i].before);
		lurk_judge(&ws, machine, &found_before);
		assert_int_equal(perform(&edits, rows[i].edit), LURK_DONE);
		if (lurk_judge_edit(&ws, machine, &found_before, &findings) != rows[i].fine)
			fail_msg("%s: %s", rows[i].before, found(&findings));
		lurk_findings_free(&findings);
		assert_int_equal(lurk_judge_all(&ws, machine, &findings), false);
		lurk_findings_free(&findings);
		lurk_findings_free(&found_before);
		lurk_workspace_free(&ws);
	}
	close_desk();
}

/* A trial leaves nothing behind unless it is kept; then it is a step like any other. */
static void trials_are_noted_when_kept(void **state)
{
	struct lurk_outcome outcome;

	(void)state;
	open_desk();
	begin("- {press: F1, gives: F2}\n");
	assert_true(lurk_apply_for_now(&ws, machine, 30, &outcome));
	assert_true(lurk_machine_end_try(machine, &outcome));
	assert_false(lurk_apply_was_kept(&ws, machine, 0));
	nothing_to_take_back();
	assert_true(lurk_apply_for_now(&ws, machine, 30, &outcome));
	assert_false(lurk_apply_was_kept(&ws, machine, 0));
	assert_true(lurk_machine_keep(machine, &outcome));
	assert_true(lurk_apply_was_kept(&ws, machine, 0));
	/* The version that was in force before is none that was kept. */
	assert_true(lurk_apply_for_now(&ws, machine, 30, &outcome));
	assert_true(lurk_machine_end_try(machine, &outcome));
	assert_false(lurk_apply_was_kept(&ws, machine, 1));
	take_back_newest(LURK_DONE, "");
	assert_int_equal(machine->image->rule_count, 0);
	lurk_workspace_free(&ws);
	close_desk();
}

/* A record that cannot be written does not stop an edit: it is said. */
static void what_cannot_be_undone_is_said(void **state)
{
	struct lurk_edits edits;
	struct lurk_message why;

	(void)state;
	open_desk();
	put("undo", "a file where a folder should be");
	begin("");
	assert_int_equal(perform(&edits, "map F3 F4"), LURK_DONE);
	assert_true(lurk_workspace_save(&ws, edits.summary, &why));
	assert_non_null(strstr(cautions, "this step cannot be undone"));
	lurk_workspace_free(&ws);
	/* Somebody else was at the file meanwhile: nothing is written. */
	begin("");
	assert_int_equal(perform(&edits, "map F3 F5"), LURK_DONE);
	put("profile.yaml", HEAD "# an editor's\n");
	assert_false(lurk_workspace_save(&ws, edits.summary, &why));
	expect("profile.yaml", HEAD "# an editor's\n");
	lurk_workspace_free(&ws);
	close_desk();
}

/* ---- Which files, which layout --------------------------------------------------------------- */

static void the_layout_that_counts(void **state)
{
	static const struct {
		const char *profile, *name;
	} rows[] = {
		{HEAD, "gb"},
		{"lurk: 1\nlayout: fr\nrules:\n", "fr"},
		{"lurk: 1\n\"la\\u0079out\": jp\nrules:\n", "jp"},
		{HEAD "# layout: de\n", "gb"},
		{"lurk: 1\nname: layout\nrules:\n", "gb"},
	};
	struct lurk_message why;

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		put("profile.yaml", rows[i].profile);
		assert_true(read_files(NULL, &why));
		assert_string_equal(ws.layout.name, rows[i].name);
		assert_non_null(lurk_layout_chosen(&ws.layout));
		lurk_workspace_free(&ws);
	}
	/* A desk that says none has none, whatever the system has. */
	put("profile.yaml", HEAD);
	memset(&ws, 0, sizeof ws);
	ws.desk = folder;
	assert_true(lurk_workspace_read(&ws, &why));
	assert_null(lurk_workspace_characters(&ws));
	lurk_workspace_free(&ws);
	/* One that is not there is said once, and the rest goes on without. */
	put("profile.yaml", "lurk: 1\nlayout: xyzzyx\nrules:\n- {press: F1, gives: F2}\n");
	assert_true(read_files(NULL, &why));
	assert_null(lurk_layout_chosen(&ws.layout));
	assert_null(lurk_layout_chosen(&ws.layout));
	assert_string_equal(cautions, "there is no layout `xyzzyx`; write one such as us, gb or "
				      "de:nodeadkeys\n");
	assert_non_null(lurk_layout_shown(&ws.layout));
	lurk_workspace_free(&ws);
	close_desk();
}

static const char *answer(void *data, const struct lurk_workspace *asking, const char *name)
{
	(void)data;
	(void)asking;
	return strcmp(name, "grebe") ? NULL : "dipper";
}

/* A profile from someone else, with keyboards that nobody here calls so. */
static void whose_keyboards(void **state)
{
	struct lurk_message why;

	(void)state;
	open_desk();
	put_rules("theirs/profile.yaml", "- {press: F1, gives: F2, keyboard: grebe}\n");
	for (int i = 0; i < 3; i++) {
		memset(&ws, 0, sizeof ws);
		ws.desk = folder;
		ws.wanted = in_folder("theirs/profile.yaml");
		if (i == 1)
			ws.ask = answer;
		else if (i == 2)
			ws.aliases[ws.alias_count++] = (struct lurk_alias){"GREBE", "heron", 0};
		if (i == 0) {
			assert_false(lurk_workspace_read(&ws, &why));
			assert_non_null(strstr(why.text, "no keyboard is called `grebe`"));
		} else {
			assert_true(lurk_workspace_read(&ws, &why));
			assert_int_equal(ws.profile.rules[0].keyboard,
					 keyboard(i == 1 ? "dipper" : "heron"));
		}
		lurk_workspace_free(&ws);
	}
	close_desk();
}

/* ---- Names ---------------------------------------------------------------------------------- */

static void names_and_oddities(void **state)
{
	static const char before[] = "# mine\nkeyboards:\n  heron: {built-in: true}\n";
	static const char after[] =
		"# mine\nkeyboards:\n  heron: {built-in: true, broken: [Delete, Insert], "
		"off-chord: "
		"[Tab, KeyQ], nicknames: {Reed: \"hid:07:a6\", Quill: \"KeyQ\"}, apart: true, "
		"form: compact iso}\n"
		"  teal: [{usb: \"fade:0001\"}, {bluetooth: \"fade:8003\"}]\n";
	char insert[] = "Insert", delete[] = "Delete", tab[] = "Tab", q[] = "Q", alt[] = "Alt";
	const struct lurk_identity wagtail = {.bus = LURK_BUS_USB, .vendor = 0xfade, .product = 1};
	const struct lurk_identity radio = {
		.bus = LURK_BUS_BLUETOOTH, .vendor = 0xfade, .product = 0x8003};
	struct lurk_naming naming = {.ws = &ws};
	struct lurk_edits edits = {.ws = &ws};
	struct lurk_result result;
	uint8_t step[LURK_STEP_BYTES];
	struct lurk_message why;

	(void)state;
	open_desk();
	put("keyboards.yaml", before);
	begin("");
	assert_int_equal(lurk_naming_name(&naming, &wagtail, "a/b"), LURK_ASKED_WRONGLY);
	lurk_workspace_free(&ws);
	begin("");
	assert_int_equal(lurk_naming_name(&naming, &wagtail, "teal"), LURK_DONE);
	assert_int_equal(lurk_naming_name(&naming, &wagtail, "dove"), LURK_ASKED_WRONGLY);
	assert_int_equal(lurk_naming_join(&naming, keyboard("teal"), &radio), LURK_DONE);
	assert_int_equal(lurk_naming_join(&naming, keyboard("heron"), &radio), LURK_ASKED_WRONGLY);
	assert_int_equal(
		lurk_naming_mark(&naming, keyboard("heron"), "broken", (char *const[]){delete}, 1),
		LURK_DONE);
	assert_int_equal(
		lurk_naming_mark(&naming, keyboard("heron"), "broken", (char *const[]){alt}, 1),
		LURK_ASKED_WRONGLY);
	assert_int_equal(
		lurk_naming_mark(&naming, keyboard("heron"), "broken", (char *const[]){insert}, 1),
		LURK_DONE);
	assert_string_equal(naming.summary, "On heron these are broken: Delete, Insert");
	for (int i = 0; i < 2; i++) /* a chord is another one, not a longer one */
		assert_int_equal(lurk_naming_mark(&naming, keyboard("heron"), "off-chord",
						  (char *const[]){tab, q}, 2),
				 LURK_DONE);
	assert_int_equal(lurk_naming_nickname(&naming, keyboard("heron"), "Shift+A", "Reed"),
			 LURK_ASKED_WRONGLY);
	assert_int_equal(lurk_naming_nickname(&naming, keyboard("heron"), "hid:07:a6", "Reed"),
			 LURK_DONE);
	assert_int_equal(lurk_naming_nickname(&naming, keyboard("heron"), "q", "Quill"), LURK_DONE);
	assert_int_equal(lurk_naming_nickname(&naming, keyboard("heron"), "F9", "reed"),
			 LURK_ASKED_WRONGLY);
	assert_string_equal(naming.why.text,
			    "on heron hid:07:a6 is called Reed already; take another nickname");
	assert_int_equal(lurk_naming_set_apart(&naming, keyboard("heron")), LURK_DONE);
	assert_int_equal(lurk_naming_set_form(&naming, keyboard("heron"), "round"),
			 LURK_ASKED_WRONGLY);
	assert_int_equal(lurk_naming_set_form(&naming, keyboard("heron"), "compact,iso"),
			 LURK_DONE);
	assert_true(lurk_workspace_save_keyboards(&ws, naming.summary, &why));
	expect("keyboards.yaml", after);
	/* A name of one's own is one for what is given, too. */
	assert_true(lurk_edits_result(&edits, "quill", &result, step));
	assert_int_equal(result.key, LURK_KEY_Q);
	assert_false(lurk_edits_result(&edits, "Reed", &result, step)); /* which gives nothing */
	lurk_workspace_free(&ws);
	close_desk();
}

/* ---- Presses, and ways to a key -------------------------------------------------------------- */

static void note_press(void *data, const struct lurk_event *event, const struct lurk_action *action)
{
	lurk_history_feed(data, event, action);
}

static void press(struct lurk_history *history, const char *script)
{
	FILE *file = fmemopen((char *)(uintptr_t)script, strlen(script), "r");
	struct lurk_message why;

	lurk_history_init(history);
	lurk_session_watch(&computer.session, note_press, history);
	if (!lurk_computer_play(&computer, "script", file, &why))
		fail_msg("%s", why.text);
	lurk_session_watch(&computer.session, NULL, NULL);
	fclose(file);
}

static void presses_are_compared(void **state)
{
	static const struct {
		const char *script, *relation, *told;
	} rows[] = {
		{"press Tern on wagtail\npress Gull\n", "same code", "no program can tell them"},
		{"press Enter on wagtail\npress NumpadEnter\n", "same meaning",
		 "They can be changed separately"},
		{"press AltLeft on wagtail\npress AltRight\n", "same meaning", "`any Alt` is both"},
		{"press KeyA on wagtail\npress KeyA on dipper\n", "other keyboard",
		 "`--keyboard NAME`"},
		{"press KeyA on wagtail\npress Tab\n", "different", "`lurk swap KeyA Tab`"},
		{"press Feather on curlew\npress Feather\n", "same code",
		 "a key without a name on curlew, scan code hid:07:a5"},
	};
	static struct lurk_history history;

	(void)state;
	open_desk();
	begin("");
	for (size_t i = 0; i < COUNT(rows); i++) {
		const struct tell_presses about = {&ws, machine, &history, true};
		const struct lurk_press_record *a, *b;
		char told[TELL_CONCLUSION];

		press(&history, rows[i].script);
		assert_int_equal(lurk_presses_begun(&history), 2);
		a = lurk_presses_at(&history, 0);
		b = lurk_presses_at(&history, 1);
		assert_string_equal(tell_relation(a, b), rows[i].relation);
		if (!strstr(tell_comparison(&about, a, b, told), rows[i].told))
			fail_msg("%s: %s", rows[i].script, told);
	}
	lurk_workspace_free(&ws);
	close_desk();
}

static void presses_make_chords(void **state)
{
	static const struct {
		const char *script, *chord, *why;
	} rows[] = {
		{"press F1 on wagtail\n", "F1", ""},
		{"hold AltLeft on wagtail\npress F1\nrelease AltLeft\n", "Alt+F1", ""},
		{"hold ShiftLeft on wagtail\nhold ControlRight\npress KeyC\nrelease ShiftLeft\n"
		 "release ControlRight\n",
		 "Shift+Control+KeyC", ""},
		{"hold KeyA on wagtail\npress KeyB\nrelease KeyA\n", "", "modifiers and one key"},
		{"press Feather on curlew\n", "", "that key has no name"},
	};
	static struct lurk_history history;

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_message why = {""};
		char chord[96];
		bool fine;

		press(&history, rows[i].script);
		fine = lurk_presses_chord(&history, 0, chord, sizeof chord, &why);
		assert_int_equal(fine, *rows[i].chord != '\0');
		assert_true(!fine || !strcmp(chord, rows[i].chord));
		assert_non_null(strstr(why.text, rows[i].why));
	}
	/* What presses itself is told once, with how often. */
	press(&history, "wait 61s\n");
	assert_int_equal(lurk_presses_alike(&history, 0), 3);
	assert_int_equal(lurk_presses_alike(&history, 1), 0);
	close_desk();
}

static void ways_to_a_key(void **state)
{
	static const struct {
		const char *rules, *wanted, *way, *why_not, *below;
	} rows[] = {
		{"", "Control+Alt+Delete", "Control+Alt+Delete", "", NULL},
		{"- {swap: [Delete, F9]}\n", "Delete", "F9", "", NULL},
		{"- {press: ControlRight, gives: nothing}\n", "Control+F1", "ControlLeft+F1", "",
		 NULL},
		{"- {press: AltLeft, gives: F1}\n- {press: F2, gives: AltLeft}\n", "Alt+F3",
		 "F2 (or AltRight) + F3", "", NULL},
		{"- {press: Delete, gives: nothing}\n", "Delete", "",
		 "nothing gives Delete: line 3 gives that key another job", NULL},
		{"", "F24", "", "nothing gives F24; it has no such key", NULL},
		{"- {press: hid:07:3a, gives: F24}\n", "F24", "F1", "", NULL},
		{"- {press: only F9, gives: nothing}\n", "Shift+F9", "Shift+F9", "", NULL},
		{"- {press: only F9, gives: nothing}\n", "F9", "",
		 "nothing gives F9: line 3 gives that key another job", NULL},
		/* Every way: what a rule gives at once, another key, a sign; not what is switched
		 * off, for another keyboard, or more than that. */
		{"- {press: F9, gives: Control+Alt+Delete}\n", "Control+Alt+Delete",
		 "Control+Alt+Delete, or F9", "", NULL},
		{"- {press: Delete, gives: nothing}\n- {press: F9, gives: "
		 "ControlRight+AltLeft+Delete}\n",
		 "Control+Alt+Delete", "F9", "", NULL},
		{"- {press: F9, gives: Control+Alt+Delete, off: true}\n- {press: F8, gives: "
		 "Control+Alt+Delete, keyboard: heron}\n- {press: F7, gives: [Control+Alt+Delete, "
		 "F1]}\n"
		 "- {press: F6, gives: Control+AltRight+Delete}\n",
		 "Control+Alt+Delete", "Control+Alt+Delete", "", NULL},
		{"- {press: NumLock, gives: Tab}\n- {press: Shift+F9, gives: Tab}\n", "Tab",
		 "Tab, or NumLock, or Shift+F9", "", NULL},
		{"- {press: F9, gives: '£'}\n- {press: F8, gives: {text: '£'}}\n", "Shift+Digit3",
		 "Shift+Digit3, or F9, or F8", "", NULL},
		{"- {press: Tab, gives: nothing}\n- {press: NumLock, gives: Tab}\n", "Tab",
		 "NumLock", "", NULL},
		/* The computer's, below one's own. */
		{"", "F9", "F8", "", "- {swap: [F8, F9]}\n"},
		{"- {press: F8, gives: F1}\n", "F9", "",
		 "nothing gives F9: line 3 of the computer's rules gives that key another job",
		 "- {swap: [F8, F9]}\n"},
		{"- {press: F9, gives: itself}\n", "F9", "F9, or F8", "",
		 "- {press: F8, gives: F9}\n- {press: F9, gives: nothing}\n"},
		{"", "F9", "",
		 "nothing gives F9: line 3 of the computer's rules gives that key another job",
		 "- {press: F9, gives: nothing}\n"},
		{"- {press: F8, gives: Tab}\n", "Control+Alt+Delete", "Control+Alt+Delete, or F7",
		 "",
		 "- {press: F8, gives: Control+Alt+Delete}\n- {press: F7, gives: "
		 "Control+Alt+Delete}\n"},
	};

	(void)state;
	open_desk();
	for (size_t i = 0; i < COUNT(rows); i++) {
		const struct lurk_session_keyboard *here;
		const struct lurk_port_keyboard *info;
		char way[TELL_REACH], why[TELL_REACH];
		struct lurk_message message;
		struct lurk_press wanted;
		struct lurk_reach reach;
		struct lurk_rules under = {.image = NULL};
		struct lurk_image image, below;
		uint8_t *bytes, *bytes_below = NULL;

		if (rows[i].below) {
			begin(rows[i].below);
			bytes_below = lurk_workspace_image(&ws, &below);
			under.below = &below;
			lurk_workspace_free(&ws);
		}
		begin(rows[i].rules);
		here = lurk_keyboard_here(machine, &ws.keyboards, keyboard("wagtail"));
		assert_non_null(here);
		info = &here->info;
		bytes = lurk_workspace_image(&ws, &image);
		assert_true(lurk_words_press(rows[i].wanted, NULL, &wanted, &message));
		assert_true(lurk_reach_parts(&wanted, &reach));
		under.image = &image;
		lurk_reach_on(&under, info, &reach);
		assert_string_equal(tell_reach(&reach, way), rows[i].way);
		assert_string_equal(tell_why_not(&reach, &under, info, why), rows[i].why_not);
		free(bytes);
		free(bytes_below);
		lurk_workspace_free(&ws);
	}
	close_desk();
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(edits_make_room),
		cmocka_unit_test(edits_say_what_is_wrong),
		cmocka_unit_test(comments_stay),
		cmocka_unit_test(edits_at_random),
		cmocka_unit_test(rules_are_judged),
		cmocka_unit_test(a_layout_may_only_be_assumed),
		cmocka_unit_test(signs_that_get_lost),
		cmocka_unit_test(rules_without_a_program),
		cmocka_unit_test(profiles_beside_are_judged),
		cmocka_unit_test(only_what_gets_lost_is_refused),
		cmocka_unit_test(differences_are_told),
		cmocka_unit_test(applies_are_taken_back),
		cmocka_unit_test(an_edit_and_its_apply_are_one),
		cmocka_unit_test(what_is_meant_is_not_refused),
		cmocka_unit_test(trials_are_noted_when_kept),
		cmocka_unit_test(what_cannot_be_undone_is_said),
		cmocka_unit_test(the_layout_that_counts),
		cmocka_unit_test(whose_keyboards),
		cmocka_unit_test(names_and_oddities),
		cmocka_unit_test(presses_are_compared),
		cmocka_unit_test(presses_make_chords),
		cmocka_unit_test(ways_to_a_key),
	};

	return cmocka_run_group_tests(tests, begin_in_folder, end_in_folder);
}
