/* Profile files and keyboards.yaml: what is read, what is refused and how, and edits that leave the
 * rest of the text alone. */
#include "../core/check.h"

#include "lurk/profile/edit.h"
#include "lurk/profile/hwdb.h"
#include "lurk/profile/profile.h"
#include "lurk/text/memory.h"

static const char keyboards_text[] =
	"keyboards:\n"
	"  wagtail: {usb: \"fade:0001\"}\n"
	"  heron: {built-in: true, broken: [Delete], press-only: [F13]}\n"
	"  dipper: [{usb: \"fade:0003\", serial: D-17}, {bluetooth: \"fade:8003\", apart: true}]\n";

static bool read_keyboards(struct lurk_keyboards_file *file, const char *text,
			   struct lurk_message *why)
{
	return lurk_keyboards_read(file, "keyboards.yaml", strdup(text), strlen(text), why);
}

static bool read_profile(struct lurk_profile_file *file, struct lurk_keyboards_file *keyboards,
			 const char *text, size_t length, struct lurk_message *why)
{
	char *copy = malloc(length + 1);

	memcpy(copy, text, length);
	copy[length] = '\0';
	assert_true(read_keyboards(keyboards, keyboards_text, why));
	struct lurk_profile_set set = {.files = {file}, .count = 1};

	if (!lurk_profile_read(file, "p.yaml", copy, length, keyboards, NULL, why))
		return false;
	if (lurk_profile_agrees(&set, keyboards, why))
		return true;
	lurk_profile_free(file);
	return false;
}

#define HEAD "lurk: 1\nrules:\n"

/* A rule as it stands in the file, and what it is read as. */
static const struct {
	const char *rule, *words;
} rules[] = {
	{"- press: CapsLock\n  gives: Insert\n", "CapsLock gives Insert"},
	{"- {press: caps, gives: kp enter}\n", "CapsLock gives NumpadEnter"},
	{"- press: 'any Enter'\n  gives: nothing\n  keyboard: WAGTAIL\n",
	 "any Enter gives nothing @1"},
	{"- swap: [Control, Meta]\n  keyboard: wagtail\n", "swap Control gives Meta @1"},
	{"- swap: [lctrl, Caps Lock]\n", "swap ControlLeft gives CapsLock"},
	{"- press: hid:07:a5\n  gives: LaunchMail\n", "hid:07:a5 gives LaunchMail"},
	{"- press: Delete\n  gives: itself\n  off: true\n  note: \"wet: never\"\n",
	 "Delete gives itself off (wet: never)"},
	{"- press: Control\n  gives: Meta\n", "Control gives Meta"},
	{"- press: Shift+Digit3\n  gives: {text: \"#\"}\n", "Shift+Digit3 gives the text \"#\""},
	{"- press: only KeyH\n  gives: KeyJ\n", "only KeyH gives KeyJ"},
	{"- press: Pause\n  gives: Meta+KeyC\n", "Pause gives Meta+KeyC"},
	{"- press: Pause\n  gives: [Control+KeyA, Control+KeyC]\n",
	 "Pause gives [Control+KeyA, Control+KeyC]"},
	{"- press: F12\n  gives: {profile: dusk}\n", "F12 gives profile dusk"},
	{"- press: F12\n  gives: {rules: toggle}\n", "F12 gives rules off and on"},
};

static void rules_are_read(void **state)
{
	struct lurk_keyboards_file keyboards;
	struct lurk_profile_file file;
	struct lurk_message why;

	(void)state;
	for (size_t i = 0; i < COUNT(rules); i++) {
		char text[512], press[LURK_WORDS], gives[LURK_WORDS], words[600];
		const struct lurk_rule *r;

		snprintf(text, sizeof text, "%s%s", HEAD, rules[i].rule);
		if (!read_profile(&file, &keyboards, text, strlen(text), &why))
			fail_msg("%s", why.text);
		assert_int_equal(file.count, 1);
		r = &file.rules[0];
		snprintf(words, sizeof words, "%s%s gives %s", r->swap ? "swap " : "",
			 lurk_words_for_press(&r->press, press),
			 lurk_words_result(&r->gives, gives));
		if (r->keyboard)
			snprintf(words + strlen(words), sizeof words - strlen(words), " @%u",
				 r->keyboard);
		if (r->off)
			strcat(words, " off");
		if (r->note.length)
			snprintf(words + strlen(words), sizeof words - strlen(words), " (%.*s)",
				 (int)r->note.length, r->note.bytes);
		assert_string_equal(words, rules[i].words);
		assert_int_equal(lurk_rule_check(r), r->gives.kind == LURK_GIVES_TEXT
							     ? LURK_ERR_UNTYPED
							     : LURK_OK); /* no layout is known */
		lurk_profile_free(&file);
		lurk_keyboards_free(&keyboards);
	}
}

/* A whole file and the message that it is refused with. */
static const struct {
	const char *text, *message;
} refused[] = {
	{"", "p.yaml:1:1: no profile in it; it begins with `lurk: 1`"},
	{"# nothing\n", "p.yaml:1:1: no profile in it; it begins with `lurk: 1`"},
	{"- a\n", "p.yaml:1:1: a profile is written as `field: value`"},
	{"name: x\n", "p.yaml:1:1: a profile begins with `lurk: 1`"},
	{"lurk: 2\n", "p.yaml:1:7: this version reads profiles with `lurk: 1`, not `2`"},
	{"lurk: 1\nrulez: []\n",
	 "p.yaml:2:1: a profile has no field `rulez`; did you mean `rules`?"},
	{"lurk: 1\ncolour: teal\n",
	 "p.yaml:2:1: a profile has no field `colour`; it can have lurk, name, based-on, "
	 "layout, rules"},
	{"lurk: 1\nlurk: 1\n", "p.yaml:2:1: `lurk` is already given on line 1; keep one of them"},
	{"lurk: 1\nname: [a]\n", "p.yaml:2:7: `name:` takes one text"},
	{"lurk: 1\nlayout: [a]\n", "p.yaml:2:9: `layout:` takes one name, such as gb"},
	{"lurk: 1\nrules: yes\n", "p.yaml:2:8: `rules:` takes a list of up to 8192 rules"},
	{HEAD "- CapsLock\n",
	 "p.yaml:3:3: a rule is expected, such as `- press: NumLock` and `gives: Tab` below it"},
	{HEAD "- press: CapsLok\n  gives: Enter\n",
	 "p.yaml:3:10: `CapsLok` is no key; did you mean CapsLock?"},
	{HEAD "- press: CapsLock\n  gives: delete\n",
	 "p.yaml:4:10: `delete` can mean several keys: Delete, Backspace, NumpadDecimal, "
	 "KEY_DELETEFILE; write one of "
	 "these, spelled like this"},
	{HEAD "- press: CapsLock\n  gives: #\n",
	 "p.yaml:4:9: `gives:` is empty; if a character such as # was meant, quote it: gives: '#'"},
	{HEAD "- press: CapsLock\n",
	 "p.yaml:3:3: this rule has `press` but no `gives`; add what the key gives"},
	{HEAD "- gives: Enter\n", "p.yaml:3:3: this rule needs `press` and `gives`, or `swap`"},
	{HEAD "- swap: [Control, Meta]\n  press: F1\n",
	 "p.yaml:3:3: a rule has `swap`, or `press` and `gives`, not both"},
	{HEAD "- swap: [Alt]\n", "p.yaml:3:9: `swap:` takes two keys, as in [Control, Alt]"},
	{HEAD "- swap: [Alt, CapsLock]\n",
	 "p.yaml:3:9: two keys that have names are swapped, or two pairs such as Control and Alt"},
	{HEAD "- swap: [F1, f1]\n", "p.yaml:3:9: a key cannot be swapped with itself"},
	{HEAD "- swap: [Shift+F1, F2]\n", "p.yaml:3:9: keys are swapped without modifiers"},
	{HEAD "- swap: [F1, any Enter]\n", "p.yaml:3:14: `any Enter` cannot be given: a rule gives "
					   "a key, a chord such as Control+KeyL, "
					   "{text: ...}, `nothing` or `itself`"},
	{HEAD "- press: F1\n  gives: hid:07:a5\n",
	 "p.yaml:4:10: `hid:07:a5` cannot be given: a rule gives a key, a chord such as "
	 "Control+KeyL, "
	 "{text: ...}, `nothing` or `itself`"},
	{HEAD "- press: F1\n  gives: F2\n  keyboard: wagtial\n",
	 "p.yaml:5:13: no keyboard is called `wagtial`; keyboards.yaml has wagtail, heron, dipper"},
	{HEAD "- press: F1\n  gives: F2\n  of: true\n",
	 "p.yaml:5:3: a rule has no field `of`; did you mean `off`?"},
	{HEAD "- press: F1\n  gives: F2\n  off: no\n",
	 "p.yaml:5:8: `off:` is true or false, not `no`"},
	{HEAD "- press: F1\n  gives: F2\n  note: [x]\n", "p.yaml:5:9: `note:` takes one text"},
	{HEAD "- press: F1\n  gives: []\n",
	 "p.yaml:4:10: an empty list gives nothing; write `gives: nothing`"},
	{HEAD "- press: F1\n  gives: {text: a, profile: b}\n",
	 "p.yaml:4:10: `gives:` takes one of text, profile and rules"},
	{HEAD "- press: F1\n  gives: {rules: off}\n", "p.yaml:4:18: `rules:` here takes `toggle`"},
	{HEAD "- press: ';'\n  gives: F1\n",
	 "p.yaml:3:10: which key types `;` depends on the layout, and none is known here; name the "
	 "key itself, or give "
	 "`layout:` in the profile"},
	{HEAD "- press: 58\n  gives: F1\n",
	 "p.yaml:3:10: `58` is a bare number and can be read in several ways; write one: set1:58 "
	 "is "
	 "F12 (set 1); set2:58 is CapsLock (set 2); hid:07:58 is NumpadEnter (HID usage, keyboard "
	 "page); evdev:58 is CapsLock (event code); evdev:88 is F12 (event code, hex); evdev:50 is "
	 "KeyM "
	 "(display keycode); evdev:80 is Numpad2 (display keycode, hex); set1:3a is CapsLock (set "
	 "1, "
	 "decimal); hid:07:3a is F1 (HID usage, decimal)"},
	{HEAD "- press: F1\n  gives: F2\n# é\n- press: f 1\n  gives: F3\n",
	 "p.yaml:6:3: this rule (F1) and the one on line 3 are for the same key and equally "
	 "specific; remove one, or "
	 "write `off: true` in it"},
	{HEAD
	 "- swap: [Control, Meta]\n  keyboard: heron\n- {press: MetaRight, gives: F1, keyboard: "
	 "heron}\n",
	 "p.yaml:5:3: this rule (MetaRight on heron) and the one on line 3 are for the same key "
	 "and equally specific; "
	 "remove one, or write `off: true` in it"},
	{HEAD "- {press: set1:3a, gives: F1}\n- {press: set2:58, gives: F2}\n",
	 "p.yaml:4:3: this rule (set2:58) and the one on line 3 are for the same key and equally "
	 "specific; remove one, or "
	 "write `off: true` in it"},
	{"lurk: &a 1\n", "p.yaml:1:7: anchors and aliases are not read here; write the value out "
			 "where it is needed"},
	{"lurk: 1\nrules: &r [*r]\n", "p.yaml:2:12: anchors and aliases are not read here; write "
				      "the value out where it is needed"},
	{"lurk: [[[[[[[[[[[[[[[[[[[1]]]]]]]]]]]]]]]]]]]\n", "p.yaml:1:22: nested too deeply"},
	{"lurk: 1\nname: \"\\0\"\n", "p.yaml:2:7: a NUL character is not read here"},
	{"lurk: 1\nname: caf\xe9\n",
	 "p.yaml:2:10: a byte that is not UTF-8; save the file as UTF-8 text"},
	{"lurk: 1\nname: a\xc3",
	 "p.yaml:2:8: a byte that is not UTF-8; save the file as UTF-8 text"},
	{"lurk: 1\n---\nlurk: 1\n", "p.yaml:2:1: a second document; one is expected"},
	{"lurk: 1\n  name: 'x\n",
	 "p.yaml:2:7: the line before lacks its colon, as in press: F9, or this one is "
	 "indented too far"},
	/* What would be right: a tab, a colon, a comma, a quote, how far a line is indented. */
	{"lurk: 1\nrules:\n\t- press: F9\n",
	 "p.yaml:3:1: a tab stands here: YAML is indented with spaces"},
	{"lurk: 1\nrules:\n  - press F9\n    gives: F8\n",
	 "p.yaml:4:10: the line before lacks its colon, as in press: F9, or this one is indented "
	 "too "
	 "far"},
	{"lurk: 1\nname: Møwe: wet\n",
	 "p.yaml:2:11: a text with a colon in it needs quotes: note: 'wet: do not use'"},
	{"lurk: 1\nname: \"M\xc3\xb8we\nrules: []\n",
	 "p.yaml:4:1: the quote that line 2 opens is not closed"},
	{"lurk: 1\nname: @hide\n", "p.yaml:2:7: what begins with @ needs quotes: '@'"},
	{"lurk: 1\nname: `hide\n", "p.yaml:2:7: what begins with ` needs quotes: '`'"},
	{"lurk: 1\nrules: [{press: F9 gives: F8}]\n",
	 "p.yaml:2:25: a comma between two fields, or the closing }, is missing before this"},
	{"lurk: 1\nrules: [a b: c: d\n",
	 "p.yaml:2:15: a comma between two items, or the closing ], is missing before this"},
	{"lurk: 1\nrules:\n  - press: F9\n   gives: F8\n",
	 "p.yaml:4:4: this line is not indented as those that it belongs to"},
	{"lurk: 1\nrules:\nname\n", "p.yaml:4:1: a colon is missing, as in press: F9"},
	{"{a: 1}: 2\n", "p.yaml:1:1: a field's name was expected here"},
};

static void what_is_wrong_is_said(void **state)
{
	struct lurk_keyboards_file keyboards;
	struct lurk_profile_file file;
	struct lurk_message why;

	(void)state;
	for (size_t i = 0; i < COUNT(refused); i++) {
		if (read_profile(&file, &keyboards, refused[i].text, strlen(refused[i].text), &why))
			fail_msg("taken: %s", refused[i].text);
		assert_string_equal(why.text, refused[i].message);
		lurk_keyboards_free(&keyboards);
	}
	assert_false(read_profile(&file, &keyboards, "lurk: 1\n\0", 9, &why));
	assert_string_equal(why.text, "p.yaml:2:1: a NUL byte; save the file as UTF-8 text");
	lurk_keyboards_free(&keyboards);
}

static const struct {
	const char *text, *message;
} keyboards_refused[] = {
	{"keyboards: 1\n", "keyboards.yaml:1:12: `keyboards:` takes up to 1024 names, a line each"},
	{"keyboard: {}\n",
	 "keyboards.yaml:1:1: keyboards.yaml has no field `keyboard`; did you mean `keyboards`?"},
	{"keyboards:\n  all: {usb: \"1:1\"}\n",
	 "keyboards.yaml:2:3: `all` is no name for a keyboard; take up to 32 letters, digits, - "
	 "and _, but not `all`"},
	{"keyboards:\n  a: {usb: \"1:1\"}\n  A: {usb: \"1:2\"}\n",
	 "keyboards.yaml:3:3: the name `A` is already given on line 2"},
	{"keyboards:\n  a: {usb: fade}\n",
	 "keyboards.yaml:2:12: `fade` is no vendor and product; write them as \"fade:0001\""},
	{"keyboards:\n  a: {broken: [F1]}\n",
	 "keyboards.yaml:2:3: nothing says how `a` is recognised; give it usb, bluetooth, ps2, "
	 "built-in, serial, place or "
	 "calls-itself"},
	{"keyboards:\n  a: {ps2: true, broken: F1}\n",
	 "keyboards.yaml:2:26: `broken:` takes a list, as in [End]"},
	{"keyboards:\n  a: {ps2: true, broken: [F99]}\n",
	 "keyboards.yaml:2:27: `F99` is no key; did you mean F9 or F19?"},
	{"keyboards:\n  a: {ps2: true, broken: [Alt]}\n",
	 "keyboards.yaml:2:27: `Alt` is not one key"},
	{"keyboards:\n  a: {ps2: true, off-chord: [Escape]}\n",
	 "keyboards.yaml:2:29: `off-chord:` takes 2 to 4 different keys that are held together"},
	{"keyboards:\n  a: {ps2: true, off-chord: [Escape, escape]}\n",
	 "keyboards.yaml:2:29: `off-chord:` takes 2 to 4 different keys that are held together"},
	/* Two ways to recognise one keyboard: it has one chord. */
	{"keyboards:\n  a:\n    - {ps2: true, off-chord: [F1, F2, F3]}\n"
	 "    - {usb: \"1:1\", off-chord: [F4, F5, F6]}\n",
	 "keyboards.yaml:4:31: `off-chord:` takes 2 to 4 different keys that are held together"},
	{"keyboards:\n  a: {ps2: maybe}\n",
	 "keyboards.yaml:2:12: `ps2:` is true or false, not `maybe`"},
	{"keyboards:\n  a: {ps2: true, apart: x}\n",
	 "keyboards.yaml:2:25: `apart:` is true or false, not `x`"},
	{"keyboards:\n  a: {usbb: 1}\n",
	 "keyboards.yaml:2:7: a keyboard has no field `usbb`; did you mean `usb`?"},
	{"keyboards:\n  a: {serial: [1]}\n", "keyboards.yaml:2:15: `serial:` takes one text"},
};

static void keyboards_are_read(void **state)
{
	struct lurk_keyboards_file file;
	struct lurk_message why;

	(void)state;
	assert_true(read_keyboards(&file, keyboards_text, &why));
	assert_int_equal(file.count, 3);
	assert_int_equal(file.keyboards[1].quirk_count, 2);
	assert_int_equal(file.keyboards[1].quirks[1].kind, LURK_QUIRK_PRESS_ONLY);
	assert_int_equal(file.keyboards[2].recogniser_count, 2);
	assert_int_equal(file.keyboards[2].recognisers[1].product, 0x8003);
	assert_true(file.keyboards[2].apart && !file.keyboards[1].apart);
	assert_int_equal(lurk_keyboards_find(&file, "DIPPER", &why), 3);
	assert_int_equal(lurk_keyboards_find(&file, "gull", &why), 0);
	lurk_keyboards_free(&file);
	assert_true(read_keyboards(&file, "", &why));
	lurk_keyboards_free(&file);
	for (size_t i = 0; i < COUNT(keyboards_refused); i++) {
		assert_false(read_keyboards(&file, keyboards_refused[i].text, &why));
		assert_string_equal(why.text, keyboards_refused[i].message);
	}
}

/* ---- Edits ----------------------------------------------------------------------------------- */

/* An edit of a file, and the file afterwards: "+" adds press F1 gives F2, "-n" removes rule n, "=n"
 * makes it give Tab, "!n" adds a note to it. */
static const struct {
	const char *edit, *before, *after;
} edits[] = {
	{"+", "lurk: 1\n", "lurk: 1\nrules:\n  - press: F1\n    gives: F2\n"},
	{"+", "lurk: 1", "lurk: 1\nrules:\n  - press: F1\n    gives: F2\n"},
	{"+", "lurk: 1\nrules:\n", "lurk: 1\nrules:\n  - press: F1\n    gives: F2\n"},
	{"+", "lurk: 1\nrules: # none yet\nname: x\n",
	 "lurk: 1\nrules: # none yet\n  - press: F1\n    gives: F2\nname: x\n"},
	{"+", "lurk: 1\nrules: []  # none\nname: x\n",
	 "lurk: 1\nrules:  # none\n  - press: F1\n    gives: F2\nname: x\n"},
	{"+", "# Kopf: Vögel\nlurk: 1\nrules:\n- press: é\n  gives: Tab # Möwe\n\n# Ende\n", NULL},
	{"+", "lurk: 1\nrules:\n- press: Tab # Möwe\n  gives: F9   # für den Eisvogel\n\n# Ende\n",
	 "lurk: 1\nrules:\n- press: Tab # Möwe\n  gives: F9   # für den Eisvogel\n- press: F1\n  "
	 "gives: F2\n\n# Ende\n"},
	{"+", "lurk: 1\nrules:\n    -   press: Tab\n        gives: F9\nname: Zaunkönig 🪶\n",
	 "lurk: 1\nrules:\n    -   press: Tab\n        gives: F9\n    - press: F1\n      gives: "
	 "F2\nname: Zaunkönig 🪶\n"},
	{"+", "lurk: 1\nrules: [{press: Tab, gives: F9}] # kurz\n",
	 "lurk: 1\nrules: [{press: Tab, gives: F9}, {press: F1, gives: F2}] # kurz\n"},
	{"+", "\xef\xbb\xbflurk: 1\r\nname: Möwe\r\nrules:\r\n  - press: Tab\r\n    gives: F9\r\n",
	 "\xef\xbb\xbflurk: 1\r\nname: Möwe\r\nrules:\r\n  - press: Tab\r\n    gives: F9\r\n  - "
	 "press: F1\r\n    gives: "
	 "F2\r\n"},
	{"+",
	 "lurk: 1\nrules:\n  - press: Tab\n    gives: F9\n    note: |\n      zwei\n      "
	 "Zeilen\n\nname: x\n",
	 "lurk: 1\nrules:\n  - press: Tab\n    gives: F9\n    note: |\n      zwei\n      "
	 "Zeilen\n\n  - press: F1\n    gives: "
	 "F2\nname: x\n"},
	{"+", "{lurk: 1}\n", NULL},
	{"-0",
	 "lurk: 1\nrules:\n  # warum\n  - press: Tab # Möwe #1\n    gives: F9\n    note: 'a # b'\n "
	 " - press: F3\n    "
	 "gives: F4\n",
	 "lurk: 1\nrules:\n  # warum\n  # Möwe #1\n  - press: F3\n    gives: F4\n"},
	{"-1",
	 "lurk: 1\nrules:\n  - press: Tab\n    gives: F9\n\n  # zweite\n  - press: F3\n    gives: "
	 "F4",
	 "lurk: 1\nrules:\n  - press: Tab\n    gives: F9\n\n  # zweite\n"},
	{"-0", "lurk: 1\nrules:\n  - {press: Tab, gives: F9}\n", "lurk: 1\nrules:\n"},
	{"-0", "lurk: 1\nrules: [{press: Tab, gives: F9}, {press: F3, gives: F4}]\n",
	 "lurk: 1\nrules: [{press: F3, gives: F4}]\n"},
	{"-1", "lurk: 1\nrules: [{press: Tab, gives: F9}, {press: F3, gives: F4}]\n",
	 "lurk: 1\nrules: [{press: Tab, gives: F9}]\n"},
	{"=0",
	 "lurk: 1\nrules:\n  - press: Tab\n    gives:\n      text: |\n        zwei\n        "
	 "Zeilen\n\n  "
	 "- press: F3\n    gives: F4\n",
	 "lurk: 1\nrules:\n  - press: Tab\n    gives:\n      Tab\n\n  - press: F3\n    gives: "
	 "F4\n"},
	{"=0", "lurk: 1\nrules:\n  - press: CapsLock\n    gives: 'F9' # Möwe\n    note: ü\n",
	 "lurk: 1\nrules:\n  - press: CapsLock\n    gives: Tab # Möwe\n    note: ü\n"},
	{"=1",
	 "lurk: 1\nname: 🪶🪶\nrules: [{press: F5, gives: F9}, {gives: \"F4\", press: F3}]\n",
	 "lurk: 1\nname: 🪶🪶\nrules: [{press: F5, gives: F9}, {gives: Tab, press: F3}]\n"},
	{"!0", "lurk: 1\nrules:\n  - press: F5\n    gives: F9 # Möwe\n  - {press: F3, gives: F4}\n",
	 "lurk: 1\nrules:\n  - press: F5\n    gives: F9 # Möwe\n    note: 'it''s: wet'\n  - "
	 "{press: F3, gives: F4}\n"},
	{"!1", "lurk: 1\nrules:\n  - press: F5\n    gives: F9\n  - {press: F3, gives: F4}\n",
	 "lurk: 1\nrules:\n  - press: F5\n    gives: F9\n  - {press: F3, gives: F4, note: 'it''s: "
	 "wet'}\n"},
	{"-0", "rules:\n  -\n    press: F5\n    gives: F9\n  - {press: F3, gives: F4}\n",
	 "rules:\n  - {press: F3, gives: F4}\n"},
	{"+", "rules: [\n]\nname: x\n", "rules:\n  - press: F1\n    gives: F2\nname: x\n"},
	{"+", "rules: [ # a\n ] # b\n", "rules: # b\n  # a\n  - press: F1\n    gives: F2\n"},
	{"+", "rules: {\n}", "rules:\n  - press: F1\n    gives: F2\n"},
	{"!0", "lurk: 1\nrules:\n  - press: F5\n    note:  # leer\n    gives: F9\n",
	 "lurk: 1\nrules:\n  - press: F5\n    note: 'it''s: wet'  # leer\n    gives: F9\n"},
};

static bool do_edit(const char *edit, struct lurk_yaml *yaml, struct lurk_message *why)
{
	static const struct lurk_field rule[] = {{"press", "F1"}, {"gives", "F2"}};
	struct lurk_field tab = {"gives", "Tab"}, note = {"note", NULL};
	struct lurk_node *list = lurk_node_get(yaml->root, "rules"),
			 *item = list ? list->first : NULL;
	char *scalar = lurk_yaml_scalar("it's: wet");
	bool fine;

	if (*edit == '+') {
		free(scalar);
		return lurk_edit_append(yaml, "rules", rule, 2, why);
	}
	for (int i = atoi(edit + 1); i; i--)
		item = item->next;
	note.value = scalar;
	fine = *edit == '-' ? lurk_edit_remove(yaml, list, item, why)
			    : lurk_edit_set(yaml, item, *edit == '=' ? &tab : &note, why);
	free(scalar);
	return fine;
}

static void edits_leave_the_rest_alone(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(edits); i++) {
		struct lurk_message why = {""};
		struct lurk_yaml yaml;
		bool fine;

		if (!lurk_yaml_parse(&yaml, "p.yaml", strdup(edits[i].before),
				     strlen(edits[i].before), &why))
			fail_msg("%s", why.text);
		fine = do_edit(edits[i].edit, &yaml, &why);
		if (edits[i].after) {
			assert_true(fine);
			assert_string_equal(yaml.bytes, edits[i].after);
		} else {
			assert_true(!fine || strstr(yaml.bytes, "Möwe\n- press: F1\n"));
		}
		lurk_yaml_free(&yaml);
	}
}

/* Whatever form a file has, and whoever wrote it: after an edit it says exactly the change, all
 * comments are there, and what stands around is as it was; or nothing is changed, and a place of
 * the file that is there is told. */
static const char *const heads[] = {"lurk: 1\nrules:\n",
				    "rules: # c%\n",
				    "%YAML 1.1\n--- # c%\nrules:\n",
				    "\xef\xbb\xbfrules:\n",
				    "rules: !!seq\n",
				    "# c%\n\nname: \"a: b\"\nrules:   \n\n",
				    "? rules\n:\n",
				    "rules: [\n # c%\n]\n",
				    "rules: {}\n",
				    "rules:"};
static const char *const items[] = {
	"  - press: F%\n    gives: F9\n",
	"  -\n    press: F%\n    gives: F9 # c%\n",
	"  - {press: F%, gives: F9}\n",
	"  - {press: F%,\n     gives: F9} # c%\n",
	"  - press: F%\n    gives: |\n      F9\n",
	"  - press: F%\n    note: >-\n      two\n\n      lines # no comment\n",
	"  - !!map\n    press: F%\n    gives: F9\n",
	"  - ? press\n    : F%\n    ? gives\n    : F9\n",
	"  - press: \"F%\"\n    gives: 'F9' # c%\n",
	"  # c%\n  - press: F% # c%\n    # c%\n    gives: F9\n\n",
	"  -   press: F%   \n      gives:\tF9\n",
	"  - press: F%\r\n    gives: F9\r\n",
	"  - press: F%\n    note: a\xe2\x80\xa8"
	"b\n",
	"  - press: F%\n    note: \"a\xc2\x85"
	"b\"\n",
	"  - press: F%\n    gives:\n      F9\n",
	"  - press: F%\n    gives:\n",
	"  - gives: F9\n    press:\n      F%",
	"  - press: F%\n    note: two\n      lines\n",
};
static const char *const tails[] = {"",      "# c%\n",     "name: x\n",
				    "...\n", "\n\n  # c%", "name: x # c%"};

/* Each % becomes a number of its own. */
static void write_piece(char *text, const char *piece, unsigned *number)
{
	char *to = text + strlen(text);

	for (; *piece; piece++) {
		if (*piece == '%' && piece[1] != 'Y')
			to += sprintf(to, "%u", ++*number);
		else
			*to++ = *piece;
	}
	*to = '\0';
}

static unsigned presses_of(const struct lurk_yaml *yaml, const char *presses[16])
{
	struct lurk_node *list = lurk_node_get(yaml->root, "rules");
	unsigned n = 0;

	for (struct lurk_node *item = list ? list->first : NULL; item && n < 16;
	     item = item->next) {
		const struct lurk_node *press = lurk_node_get(item, "press");

		presses[n++] = press ? press->text : "";
	}
	return n;
}

static void check_comments(const char *before, const char *after)
{
	for (const char *c = strstr(before, "# c"); c; c = strstr(c + 1, "# c")) {
		char comment[16] = "";
		size_t n = 3 + strspn(c + 3, "0123456789");

		memcpy(comment, c, n);
		if ((c == before || strchr(" \n", c[-1])) && !strstr(after, comment))
			fail_msg("%s is gone:\n%s\nwas:\n%s", comment, after, before);
	}
}

static bool edit_any(uint64_t *seed, const char *text)
{
	static const char kinds[] = "+-=!";
	struct lurk_message why = {""};
	const char *was[16], *is[16];
	struct lurk_yaml yaml, old;
	char edit[16];
	unsigned n, m, index;
	bool fine;

	if (!lurk_yaml_parse(&yaml, "p.yaml", strdup(text), strlen(text), &why) ||
	    !lurk_node_get(yaml.root, "rules")) {
		lurk_yaml_free(&yaml);
		return false;
	}
	assert_true(lurk_yaml_parse(&old, "p.yaml", strdup(text), strlen(text), &why));
	n = presses_of(&old, was);
	index = n ? random_next(seed) % n : 0;
	snprintf(edit, sizeof edit, "%c%u", kinds[n ? random_next(seed) % 4 : 0], index);
	fine = do_edit(edit, &yaml, &why);
	m = presses_of(&yaml, is);
	if (!fine) {
		assert_string_equal(yaml.bytes, text);
		if (strncmp(why.text, "p.yaml:", 7))
			fail_msg("%s", why.text);
	} else {
		check_comments(text, yaml.bytes);
		if (m != n + (*edit == '+') - (*edit == '-'))
			fail_msg("%s: %u, %u:\n%s\nwas:\n%s", edit, n, m, yaml.bytes, text);
		for (unsigned i = 0; i < m && i < n; i++)
			assert_string_equal(is[i], was[i + (*edit == '-' && i >= index)]);
	}
	lurk_yaml_free(&yaml);
	lurk_yaml_free(&old);
	return fine;
}

static void any_form_is_edited_or_refused(void **state)
{
	unsigned done = 0, refused = 0;
	uint64_t seed = 14;

	(void)state;
	for (unsigned i = 0; i < as_often(60000); i++) {
		char text[4096] = "";
		unsigned number = 0;

		write_piece(text, heads[random_next(&seed) % COUNT(heads)], &number);
		for (unsigned k = random_next(&seed) % 4; k; k--)
			write_piece(text, items[random_next(&seed) % COUNT(items)], &number);
		write_piece(text, tails[random_next(&seed) % COUNT(tails)], &number);
		*(edit_any(&seed, text) ? &done : &refused) += 1;
	}
	print_message("%u edits, %u refused or no YAML\n", done, refused);
	assert_true(done > as_often(20000));
}

static void names_are_added(void **state)
{
	static const struct {
		const char *before, *after;
	} rows[] = {
		{"keyboards:\n", "keyboards:\n  teal: {ps2: true}\n"},
		{"", "keyboards:\n  teal: {ps2: true}\n"},
		{"keyboards:\n  a: {usb: \"1:1\"} # x\n\n# y\n",
		 "keyboards:\n  a: {usb: \"1:1\"} # x\n  teal: {ps2: true}\n\n# y\n"},
		{"keyboards: {}\n", "keyboards:\n  teal: {ps2: true}\n"},
		{"keyboards: {a: {usb: \"1:1\"}}\n",
		 "keyboards: {a: {usb: \"1:1\"}, teal: {ps2: true}}\n"},
	};
	struct lurk_field field = {"teal", "{ps2: true}"};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_message why;
		struct lurk_yaml yaml;

		assert_true(lurk_yaml_parse(&yaml, "k.yaml", strdup(rows[i].before),
					    strlen(rows[i].before), &why));
		assert_true(lurk_edit_name(&yaml, "keyboards", &field, &why));
		assert_string_equal(yaml.bytes, rows[i].after);
		lurk_yaml_free(&yaml);
	}
}

static void scalars_are_quoted(void **state)
{
	static const char *const texts[] = {"plain",
					    "",
					    " a",
					    "a ",
					    "a: b",
					    "a #b",
					    "#",
					    "'",
					    "it's",
					    "\"",
					    "- x",
					    "a\nb\"\\",
					    "hid:07:a5",
					    "Möwe",
					    "[x]",
					    "a, b",
					    "*",
					    "&",
					    "~",
					    "!",
					    "%",
					    "@",
					    "`",
					    "?",
					    "x:",
					    "a\x7f"
					    "b",
					    "a\xc2\x85"
					    "b",
					    "\xe2\x80\xa8",
					    "a\xe2\x80\xa9",
					    "\xef\xbb\xbf"
					    "a",
					    "a\xf4\x80\x80\x80",
					    "a\x1b[1m",
					    "---",
					    "...",
					    "- ",
					    "null",
					    "a\tb",
					    "\t",
					    "a:\tb",
					    "a\xc2\xa0"};

	(void)state;
	for (size_t i = 0; i < COUNT(texts); i++) {
		char *scalar = lurk_yaml_scalar(texts[i]), *text;
		struct lurk_message why = {""};
		struct lurk_yaml yaml;

		assert_true(asprintf(&text, "a: %s # x\nb: {c: %s}\n", scalar, scalar) > 0);
		if (!lurk_yaml_parse(&yaml, "x", text, strlen(text), &why))
			fail_msg("%s: %s", scalar, why.text);
		assert_string_equal(lurk_node_get(yaml.root, "a")->text, texts[i]);
		assert_string_equal(lurk_node_get(lurk_node_get(yaml.root, "b"), "c")->text,
				    texts[i]);
		lurk_yaml_free(&yaml);
		free(scalar);
	}
}

/* A layout of small letters, which others than this one have as well. */
static unsigned type_letter(void *data, uint32_t c, struct lurk_step steps[LURK_CHARACTER_STEPS])
{
	(void)data;
	steps[0] = (struct lurk_step){(lurk_key)(LURK_KEY_A + c - 'a'), 0};
	return c >= 'a' && c <= 'z';
}

static const char *with_umlauts(void *data, uint32_t c)
{
	(void)data;
	return c == 0xe4 ? "de or se" : "";
}

#define RULE(gives) HEAD "- press: F1\n  gives: " gives "\n"

/* Up to three profiles: profile.yaml, dusk.yaml, guest.yaml, and what is said when they shall be
 * applied; "" where nothing is. The words of the order in the image. */
static const struct {
	const char *texts[3];
	bool layout;
	const char *message, *order;
} sets_of_profiles[] = {
	{{RULE("{text: teal}")}, true, "", "base"},
	{{RULE("{text: teal}")},
	 false,
	 "profile.yaml:4:17: which keys type this depends on the layout, and none is known here; "
	 "give `layout:` in the profile, such as layout: gb",
	 ""},
	{{RULE("{text: 'käfer'}")},
	 true,
	 "profile.yaml:4:17: the layout has no keys for `ä` (U+00E4); these have: de or se "
	 "(`layout:` in the profile says which is used)",
	 ""},
	{{RULE("{text: A}")},
	 true,
	 "profile.yaml:4:17: the layout has no keys for `A` (U+0041), nor has any common one",
	 ""},
	{{RULE("{text: A}") "  off: true\n"}, true, "", "base"},
	{{RULE("{profile: dusk}")},
	 true,
	 "profile.yaml:4:20: there is no profile `dusk`; `lurk profile new dusk` makes it",
	 ""},
	{{RULE("{profile: dusk}"), HEAD}, true, "", "base dusk"},
	{{RULE("{profile: previous}")}, true, "", "base"},
	{{HEAD, "lurk: 1\nbased-on: BASE\n", HEAD}, true, "", "base dusk guest"},
	{{HEAD, "lurk: 1\nbased-on: guest\n", "lurk: 1\nbased-on: base\n"},
	 true,
	 "",
	 "base dusk guest"},
	{{"lurk: 1\nbased-on: guest\n", HEAD, HEAD}, true, "", "base guest dusk"},
	{{HEAD, "lurk: 1\nbased-on: gust\n"},
	 true,
	 "dusk.yaml:2:11: `gust` is no profile here; `lurk profile list` lists them",
	 ""},
	{{HEAD, "lurk: 1\nbased-on: guest\n", "lurk: 1\nbased-on: dusk\n"},
	 true,
	 "dusk.yaml:2:11: `guest` cannot be meant: the profile would be based on itself",
	 ""},
};

static void several_profiles_go_into_one_image(void **state)
{
	static const char *const paths[] = {"profile.yaml", "dusk.yaml", "guest.yaml"};
	const struct lurk_characters letters = {.type = type_letter, .elsewhere = with_umlauts};

	(void)state;
	for (size_t i = 0; i < COUNT(sets_of_profiles); i++) {
		struct lurk_keyboards_file keyboards;
		struct lurk_profile_file files[3];
		struct lurk_profile_set set = {.count = 0};
		struct lurk_message why = {""};
		struct lurk_image image;
		char order[64] = "";
		size_t length;
		uint8_t *bytes;

		assert_true(read_keyboards(&keyboards, keyboards_text, &why));
		for (; set.count < 3 && sets_of_profiles[i].texts[set.count]; set.count++) {
			const char *text = sets_of_profiles[i].texts[set.count];

			if (!lurk_profile_read(&files[set.count], paths[set.count], strdup(text),
					       strlen(text), &keyboards,
					       sets_of_profiles[i].layout ? &letters : NULL, &why))
				fail_msg("%s", why.text);
			set.files[set.count] = &files[set.count];
		}
		bytes = lurk_profile_image(&set, &keyboards, &length, &why);
		assert_string_equal(bytes ? "" : why.text, sets_of_profiles[i].message);
		if (bytes)
			assert_int_equal(lurk_image_open(bytes, length, &image), LURK_OK);
		for (unsigned p = 0; bytes && p < image.profile_count; p++) {
			struct lurk_profile profile;

			lurk_image_profile(&image, p, &profile);
			snprintf(order + strlen(order), sizeof order - strlen(order), "%s%.*s",
				 p ? " " : "", (int)profile.word.length, profile.word.bytes);
		}
		assert_string_equal(order, sets_of_profiles[i].order);
		free(bytes);
		for (unsigned p = 0; p < set.count; p++)
			lurk_profile_free(&files[p]);
		lurk_keyboards_free(&keyboards);
	}
}

static void words_of_files(void **state)
{
	static const struct {
		const char *path, *word;
	} rows[] = {{"/etc/lurk/profile.yaml", "base"},
		    {"profiles/dusk-2.yaml", "dusk-2"},
		    {"a b.yaml", ""},
		    {"previous.yaml", NULL},
		    {".yaml", ""},
		    {"Dusk", "Dusk"}};
	char word[LURK_PROFILE_WORD];

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		assert_int_equal(lurk_profile_word(rows[i].path, word),
				 rows[i].word && *rows[i].word);
		if (rows[i].word)
			assert_string_equal(word, rows[i].word);
	}
}

/* What a terminal or an XML reader could stumble over. */
static void texts_become_harmless(void **state)
{
	static const char *const rows[][2] = {
		{"teal", "teal"},
		{"a\033[2Jb\n", "a?[2Jb?"},
		{"Möwe 雁 \360\237\246\206", "Möwe 雁 \360\237\246\206"},
		{"a\302\233b", "a?b"},     /* C1 */
		{"a\342\200\256b", "a?b"}, /* right-to-left override */
		{"a\342\200\250b", "a?b"}, /* line separator */
		{"a\357\277\277b", "a?b"}, /* no character */
		{"a\303(b\377", "a?(b?"},  /* no UTF-8 */
		{"a\355\240\200", "a???"}, /* half of a pair */
		{"M\303", "M"},
		{"\342\200", ""}, /* cut off */
	};

	(void)state;
	for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
		char text[32];

		snprintf(text, sizeof text, "%s", rows[i][0]);
		lurk_make_harmless(text);
		assert_string_equal(text, rows[i][1]);
	}
}

/* ---- Entries of udev's hardware database ---------------------------------------------------- */

static const struct {
	const char *text, *told;
} entries[] = {
	{"evdev:atkbd:*\n KEYBOARD_KEY_45=tab\n", "2 evdev:atkbd:* 45 Tab; "},
	{"evdev:input:b0003*\nevdev:input:b0005*\n KEYBOARD_KEY_700a5=mail\n "
	 "KEYBOARD_KEY_C00E2=record",
	 "3 evdev:input:b0003* 700a5 LaunchMail; 3 evdev:input:b0005* 700a5 LaunchMail; "
	 "4 evdev:input:b0003* c00e2 MediaRecord; 4 evdev:input:b0005* c00e2 MediaRecord; "},
	{"a\n KEYBOARD_KEY_1=!f1 # a tap\n\tKEYBOARD_KEY_2=unknown\r\n KEYBOARD_KEY_3=reserved\n",
	 "2 a 1 F1!; 3 a 2 nothing; 4 a 3 nothing; "},
	{"a\n KEYBOARD_KEY_1=xyzzyx\n KEYBOARD_KEY_2=\n KEYBOARD_KEY_3=a b\n",
	 "2 a 1 ?; 3 a 2 ?; 4 a 3 KeyA; "},
	{"a\n\nb\n# c\n ID_INPUT_KEY=1\n KEYBOARD_KEY_1=f1\nc\n KEYBOARD_KEY_2=f2\n",
	 "6 b 1 F1; 8 c 2 F2; "},
	/* Of no match, and what is no entry at all. */
	{" KEYBOARD_KEY_1=f1\n", ""},
	{"a\n KEYBOARD_KEY_=f1\n KEYBOARD_KEY_x=f1\n KEYBOARD_KEY_1 =f1\n KEYBOARD_KEY_-1=f1\n "
	 "KEYBOARD_KEY_123456789=f1\n KEYBOARD_KEY_1\n XKEYBOARD_KEY_1=f1\n",
	 ""},
	{"", ""},
};

static void note_entry(void *data, const struct lurk_hwdb_entry *e)
{
	char *out = data;

	sprintf(out + strlen(out), "%u %s %x %s%s; ", e->line, e->match, e->raw,
		!e->known ? "?"
		: e->key  ? lurk_key_name(e->key)
			  : "nothing",
		e->press_only ? "!" : "");
}

static void count_entry(void *data, const struct lurk_hwdb_entry *entry)
{
	(void)entry;
	++*(unsigned *)data;
}

static void entries_are_read(void **state)
{
	char told[600];

	(void)state;
	for (size_t i = 0; i < COUNT(entries); i++) {
		*told = '\0';
		lurk_hwdb_read(entries[i].text, note_entry, told);
		assert_string_equal(told, entries[i].told);
	}
}

/* Under each of so many matches there would be millions. */
static void few_are_read_of_very_many(void **state)
{
	unsigned told = 0;
	char *text = lurk_allocate(3 * 300 + 30 * 300, 1), *at = text;

	(void)state;
	for (int i = 0; i < 300; i++)
		at += sprintf(at, "m\n");
	for (int i = 0; i < 300; i++)
		at += sprintf(at, " KEYBOARD_KEY_1=f1\n");
	assert_false(lurk_hwdb_read(text, count_entry, &told));
	assert_int_equal(told, LURK_HWDB_MOST);
	lurk_release(text);
}

/* Those that it writes it reads, and no others. */
static void matches_are_read(void **state)
{
	static const char *const mine[] = {"evdev:atkbd:*", "evdev:input:b0003*",
					   "evdev:input:b0005*", "evdev:input:b0003vFADEp0001*",
					   "evdev:input:b0005vFADEp8003*"};
	static const char *const others[] = {
		"",
		"evdev:atkbd:dmi:*",
		"evdev:name:Curlew pad:*",
		"evdev:input:b0003",
		"evdev:input:b0011*",
		"evdev:input:b0003vFADE*",
		"evdev:input:b0003vFADEp0001e0111*",
		"evdev:input:b0003v+ADEp0001*",
		"evdev:input:b 003*",
	};
	struct lurk_hwdb_match match;
	char text[LURK_HWDB_MATCH];

	(void)state;
	for (size_t i = 0; i < COUNT(mine); i++) {
		assert_true(lurk_hwdb_match_read(mine[i], &match));
		assert_string_equal(lurk_hwdb_match_write(&match, text), mine[i]);
	}
	for (size_t i = 0; i < COUNT(others); i++) {
		if (lurk_hwdb_match_read(others[i], &match))
			fail_msg("%s", others[i]);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(entries_are_read),
		cmocka_unit_test(few_are_read_of_very_many),
		cmocka_unit_test(matches_are_read),
		cmocka_unit_test(rules_are_read),
		cmocka_unit_test(what_is_wrong_is_said),
		cmocka_unit_test(keyboards_are_read),
		cmocka_unit_test(edits_leave_the_rest_alone),
		cmocka_unit_test(any_form_is_edited_or_refused),
		cmocka_unit_test(names_are_added),
		cmocka_unit_test(scalars_are_quoted),
		cmocka_unit_test(several_profiles_go_into_one_image),
		cmocka_unit_test(words_of_files),
		cmocka_unit_test(texts_become_harmless),
	};

	return cmocka_run_group_tests_name("profile", tests, NULL, NULL);
}
