/* What the check finds: rules in force, rules to be judged, findings. */
#include "rules.h"

#include "lurk/check.h"

/* One of full size, fade:0001; a pad with digits, Enter and Escape, fade:0002. */
static struct lurk_port_keyboard full, pad;

static void declare(struct lurk_port_keyboard *keyboard, uint32_t first, uint32_t last)
{
	for (uint32_t code = first; code <= last; code++) {
		lurk_key key = lurk_scan_key(lurk_scan_make(LURK_SCAN_HID, code));

		if (key)
			keyboard->declares[key / 8] |= (uint8_t)(1U << key % 8);
	}
}

static int setup(void **state)
{
	(void)state;
	full.identity = (struct lurk_identity){
		.bus = LURK_BUS_USB, .vendor = 0xfade, .product = 1, .name = "full"};
	declare(&full, 0x70004, 0x70065);
	declare(&full, 0x700e0, 0x700e7);
	pad.identity = (struct lurk_identity){
		.bus = LURK_BUS_USB, .vendor = 0xfade, .product = 2, .name = "pad"};
	declare(&pad, 0x7001e, 0x70029);
	return 0;
}

static const struct lurk_quirk broken_delete[] = {{LURK_QUIRK_BROKEN, LURK_KEY_DELETE}};
static const struct lurk_quirk no_context[] = {{LURK_QUIRK_MISSING, LURK_KEY_COMPOSE}};
static const struct lurk_quirk tap_f5[] = {{LURK_QUIRK_PRESS_ONLY, LURK_KEY_F5}};
static const struct lurk_quirk own_chord[] = {{LURK_QUIRK_OFF_CHORD, LURK_KEY_LEFTCTRL},
					      {LURK_QUIRK_OFF_CHORD, LURK_KEY_KATAKANA}};
static const struct lurk_quirk broken_escape[] = {{LURK_QUIRK_BROKEN, LURK_KEY_ESC}};

/* Rules before, rules to be judged, quirks of the full keyboard, findings: a name, the key, `@` and
 * the rules by their lines. `below RULES /` before the first: those of the computer. `pad` before
 * the rules: that is the only keyboard used. */
static const struct {
	const char *before, *after;
	const struct lurk_quirk *odd;
	uint16_t odd_count;
	const char *findings;
} rows[] = {
	{"", "", NULL, 0, ""},
	{"", "CapsLock<>Escape", NULL, 0, "lost Escape @1 on pad; "},
	{"", "CapsLock>Insert", NULL, 0, "lost CapsLock @1; "},
	{"CapsLock>Insert", "CapsLock>Insert", NULL, 0, "lost CapsLock @1; "},
	{"", "CapsLock>Insert; Pause>CapsLock", NULL, 0, "lost Pause @2; "},
	/* On top of the computer's, which count as what they are. */
	{"below CapsLock<>Escape /", "", NULL, 0, ""},
	{"below CapsLock<>Escape /", "CapsLock>nothing", NULL, 0, "lost Escape @1; "},
	{"below CapsLock<>Escape /", "Escape>nothing", NULL, 0, "lost CapsLock @1; "},
	{"below CapsLock>Enter; Enter>CapsLock /", "CapsLock>nothing", NULL, 0, ""},
	{"below ScrollLock>Tab /", "ScrollLock>itself", NULL, 0, ""},
	{"below ScrollLock>Tab /", "Pause>itself", NULL, 0, "no-change Pause @1; "},
	{"below |dusk; ScrollLock>Tab /", "ScrollLock>itself", NULL, 0, ""},
	{"below Delete>nothing; Pause>Delete /", "Pause>Tab", NULL, 0,
	 "locked-out Control+Alt+Delete @1; lost Delete @1; "},
	{"below |dusk; KeyA>KeyB /", "KeyB>nothing", NULL, 0, "locked-out KeyB @1; "},
	/* The same press twice. */
	{"", "CapsLock>Insert; CapsLock>Tab", NULL, 0, "same-press CapsLock @1 @2; "},
	{"", "CapsLock>Insert @1; CapsLock>Tab @1", NULL, 0, "same-press CapsLock @1 @2; "},
	{"", "CapsLock>Insert @1; CapsLock>Tab @2", NULL, 0,
	 "no-such-key CapsLock @2 on pad; lost CapsLock @1; "},
	/* Lock-out: refused; but not for what could not be done before. */
	{"", "KeyA>nothing", NULL, 0, "locked-out KeyA @1; "},
	{"KeyA>nothing", "KeyA>nothing", NULL, 0, "lost KeyA @1; "},
	{"", "Digit1>nothing", NULL, 0, "lost Digit1 @1 on pad; "}, /* by the numpad */
	{"", "Digit1>nothing @1", NULL, 0, ""},
	{"", "KeyA<>KeyB", NULL, 0, ""},
	{"", "any Enter>nothing", NULL, 0, "locked-out Enter @1; "},
	{"", "Enter>nothing", NULL, 0, "lost Enter @1 on pad; "},
	{"", "Backspace>Tab", NULL, 0, "locked-out Backspace @1; "},
	{"", "Shift>nothing", NULL, 0, "locked-out ShiftLeft @1; "},
	{"", "ShiftLeft>nothing", NULL, 0, "one-side ShiftLeft and ShiftRight @1; "},
	{"", "ControlRight>F13 @1", NULL, 0, "one-side ControlRight and ControlLeft @1; "},
	{"", "ControlRight>F13; CapsLock>ControlRight", NULL, 0, "lost CapsLock @2; "},
	{"", "Control>nothing", NULL, 0, "locked-out Control+Alt+Delete @1; lost ControlLeft @1; "},
	/* The kernel's chords: gone, or on other keys. Modifiers that are gone are one matter. */
	{"", "Delete>nothing", NULL, 0, "locked-out Control+Alt+Delete @1; lost Delete @1; "},
	{"", "Delete>nothing; Pause>Delete", NULL, 0,
	 "moved Control+Alt+Delete is Pause @2; lost Pause @2; "},
	{"", "Alt>nothing", NULL, 0, "locked-out Control+Alt+Delete @1; lost AltLeft @1; "},
	{"", "Control<>Meta", NULL, 0, "moved Control+Alt+Delete is Delete with MetaLeft @1; "},
	{"Control<>Meta", "Control<>Meta", NULL, 0, ""},
	{"", "PrintScreen>F13", NULL, 0, "locked-out Alt+PrintScreen @1; lost PrintScreen @1; "},
	{"", "F1<>F7", NULL, 0, "moved Control+Alt+F1 is F7 @1; "},
	/* Broken keys do not count. */
	{"", "ScrollLock>nothing", broken_delete, 1, "lost ScrollLock @1; "},
	{"Pause>Delete", "", broken_delete, 1, "locked-out Control+Alt+Delete; lost Delete; "},
	{"Pause>F20", "", NULL, 0, ""},
	{"Delete<>Pause", "", NULL, 0, ""},
	{"", "Delete>Tab @1", broken_delete, 1, "broken-key Delete @1 on full; "},
	{"", "Delete>nothing @1", broken_delete, 1, ""},
	/* Pairs. */
	{"", "AltLeft<>MetaLeft", NULL, 0, "half-pair AltLeft and MetaLeft @1; "},
	{"", "AltLeft<>MetaLeft; AltRight<>MetaRight", NULL, 0,
	 "moved Control+Alt+Delete is Delete with MetaLeft @1; "},
	{"", "CapsLock<>ControlLeft", NULL, 0, ""},
	{"", "AltLeft<>AltRight", NULL, 0, ""},
	/* Rules without effect. */
	{"", "CapsLock>CapsLock", NULL, 0, "no-change CapsLock @1; "},
	{"", "CapsLock>itself", NULL, 0, "no-change CapsLock @1; "},
	{"", "CapsLock>itself @1; CapsLock<>Tab", NULL, 0, "lost Tab @2; "},
	{"", "CapsLock>Tab; hid:07:39>Escape; set1:3a>Escape", NULL, 0,
	 "never-acts CapsLock @1 @2; never-sent CapsLock @3; lost CapsLock @1; "},
	{"", "set2:14>Tab @1", NULL, 0, "never-sent ControlLeft @1 on full; "},
	{"", "set1:e037>Tab @3; CapsLock<>Escape", NULL, 0, "lost Escape @2 on pad; "},
	{"", "!CapsLock>CapsLock", NULL, 0, ""},
	/* Keys that are not there. */
	{"", "F20>Tab @1", NULL, 0, "no-such-key F20 @1 on full; "},
	{"", "F20>Tab", NULL, 0, "never-used F20 @1; "},
	{"", "ContextMenu>Tab @1", no_context, 1, "no-such-key ContextMenu @1 on full; "},
	{"", "hid:07:a5>Tab @1", NULL, 0, ""},
	{"", "F20>Tab @3", NULL, 0, "no-keyboard; "},
	{"", "F20>Tab @3; CapsLock<>Escape", NULL, 0, "lost Escape @2 on pad; "},
	/* Results that some programs cannot see; keys that never come up. */
	{"", "Pause>KEY_PROG3; ScrollLock>KEY_MICMUTE; F12>KEY_BUTTONCONFIG", NULL, 0,
	 "unseen-by-x MicrophoneMuteToggle @2; unseen-by-x KEY_BUTTONCONFIG @3; lost ScrollLock "
	 "@2; "
	 "lost F12 @3; lost Pause @1; "},
	{"", "F5>ControlLeft", tap_f5, 1,
	 "locked-out Control+Alt+F5 @1; tap-modifier F5 @1; lost F5 @1; "},
	{"", "F5<>F6", tap_f5, 1, "moved Control+Alt+F5 is F6 @1; moved Control+Alt+F6 is F5 @1; "},
	/* The layout's third level. */
	{"", "level AltRight>MetaRight", NULL, 0, "third-level AltRight @1; "},
	{"", "level AltRight<>CapsLock", NULL, 0, ""},
	/* The off chord. */
	{"", "", own_chord, 2, "no-off-chord Lang3 on full; "},
	{"", "", broken_escape, 1, "no-off-chord Escape on full; "},
	/* Only what is used counts: nobody types letters on the pad. */
	{"", "pad KeyA>nothing", NULL, 0, "locked-out KeyA @1; "},
	{"", "any Enter>nothing @1", NULL, 0, "lost Enter @1 on full; "},
	{"", "used any Enter>nothing @1", NULL, 0, "locked-out Enter @1; "},
};

struct told {
	char text[1024];
	size_t length;
};

static void add(struct told *t, const char *format, ...)
{
	va_list args;

	va_start(args, format);
	t->length +=
		(size_t)vsnprintf(t->text + t->length, sizeof t->text - t->length, format, args);
	va_end(args);
}

static void tell(void *data, const struct lurk_finding *f)
{
	static const char *const names[] = {"", " on full", " on pad"};
	struct told *t = data;

	add(t, "%s", lurk_check_name(f->code));
	if (f->key)
		add(t, " %s%s%s", f->modifiers & LURK_MOD_CONTROL ? "Control+" : "",
		    f->modifiers & LURK_MOD_ALT ? "Alt+" : "", lurk_key_name(f->key));
	if (f->by)
		add(t, "%s%s", f->code == LURK_CHECK_MOVED ? " is " : " and ",
		    lurk_key_name(f->by));
	for (unsigned i = 0; i < 2; i++) {
		if (f->by_held[i] && lurk_key_side(f->by_held[i]) &&
		    strcmp(lurk_key_pair_name(f->by_held[i]), i ? "Alt" : "Control") != 0)
			add(t, " with %s", lurk_key_name(f->by_held[i]));
	}
	if (f->rule != LURK_NO_RULE)
		add(t, " @%u", f->rule + 1);
	if (f->other != LURK_NO_RULE)
		add(t, " @%u", f->other + 1);
	add(t, "%s; ", names[f->keyboard]);
}

static void findings(void **state)
{
	static struct lurk_check_work work;
	static _Alignas(16) uint8_t keymap[1 << 16];
	static struct test_rules below, before, after;
	unsigned wrong = 0;

	(void)state;
	work.keymap = keymap;
	work.keymap_size = sizeof keymap;
	for (size_t i = 0; i < COUNT(rows); i++) {
		const char *rules = rows[i].after;
		bool level = !strncmp(rules, "level ", 6), used = !strncmp(rules, "used ", 5),
		     on_pad = !strncmp(rules, "pad ", 4);
		const struct lurk_check_keyboard keyboards[] = {{&full, used}, {&pad, on_pad}};
		struct lurk_check_job job = {
			.before = &before.image,
			.after = &after.image,
			.keyboards = keyboards,
			.keyboard_count = 2,
			.third_level = level,
		};
		struct told told = {.length = 0};
		const char *first = rows[i].before, *slash = strstr(first, " /");

		if (slash) {
			char text[200];

			snprintf(text, sizeof text, "%.*s", (int)(slash - first - 6), first + 6);
			test_rules_read(&below, text);
			job.below = &below.image;
			first = slash + 2;
		}
		test_rules_read(&before, first);
		test_rules_read(&after, rules + (level ? 6 : used ? 5 : on_pad ? 4 : 0));
		after.odd = rows[i].odd;
		after.odd_count = rows[i].odd_count;
		test_rules_image(&after);
		lurk_check_typing(job.typing);
		assert_int_equal(lurk_check(&job, &work, tell, &told), LURK_OK);
		if (!strcmp(told.text, rows[i].findings))
			continue;
		print_error("\"%s\", then \"%s\": %s, not %s\n", rows[i].before, rows[i].after,
			    told.text, rows[i].findings);
		wrong++;
	}
	assert_int_equal(wrong, 0);
	work.keymap_size = 10;
	assert_int_equal(
		lurk_check(&(struct lurk_check_job){.after = &after.image}, &work, tell, NULL),
		LURK_ERR_ROOM);
	assert_string_equal(lurk_check_name(LURK_CHECK_END), "");
}

int main(void)
{
	const struct CMUnitTest tests[] = {cmocka_unit_test(findings)};

	return cmocka_run_group_tests_name("check", tests, setup, NULL);
}
