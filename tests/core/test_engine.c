/* What presses give under rules: tables, and a property over random rules and streams. */
#include "rules.h"

#include "lurk/engine.h"
#include "lurk/history.h"

/* An engine with three keyboards that have the rules of the three descriptions. */
struct bench {
	struct test_rules rules;
	struct lurk_engine engine;
	struct lurk_engine_keyboard keyboards[3];
	_Alignas(16) uint8_t memory[3][TEST_KEYMAP];
	const struct lurk_keymap *keymaps[3];
	char out[2048];
	size_t length;
	uint64_t now_us;
	bool caps_lock;
	uint32_t layout;     /* that is active */
	unsigned presses[2]; /* of what was typed: [true] */
};

static bool bench_caps_lock(void *data, uint16_t keyboard)
{
	const struct bench *b = data;

	return keyboard == 0 && b->caps_lock;
}

static uint32_t bench_layout(void *data, uint16_t keyboard)
{
	const struct bench *b = data;

	return keyboard ? 0 : b->layout;
}

static struct bench *bench_new(void)
{
	struct bench *b = calloc(1, sizeof *b);

	lurk_engine_init(&b->engine, b->keyboards, 3);
	b->engine.caps_lock = bench_caps_lock;
	b->engine.layout = bench_layout;
	b->engine.asked = b;
	return b;
}

static enum lurk_error bench_compile(struct bench *b, struct lurk_compile_report *report)
{
	for (uint16_t i = 0; i < 3; i++) {
		struct lurk_compile_job job = {&b->rules.image, 0,     (uint16_t)(i + 1),
					       LURK_WIRING_HID, false, NULL};
		struct lurk_keymap *keymap;
		enum lurk_error error =
			lurk_compile(&job, b->memory[i], TEST_KEYMAP, &keymap, report);

		if (error)
			return error;
		b->keymaps[i] = keymap;
	}
	return LURK_OK;
}

static void bench_use(struct bench *b, const char *rules)
{
	struct lurk_compile_report report;

	test_rules_read(&b->rules, rules);
	assert_int_equal(bench_compile(b, &report), LURK_OK);
	for (uint16_t i = 0; i < 3; i++)
		lurk_engine_use(&b->engine, i, b->keymaps[i]);
}

/* A key's strokes; of the second keyboard "2:KeyA", the unknown key `?`. */
static bool bench_pull_frame(struct bench *b)
{
	struct lurk_frame frame;

	if (!lurk_engine_pull(&b->engine, b->now_us, &frame))
		return false;
	for (unsigned i = 0; i < frame.count; i++) {
		const struct lurk_stroke *s = &frame.strokes[i];
		bool unknown = s->key == LURK_KEY_UNKNOWN;

		b->presses[frame.typed] += s->state == LURK_DOWN;
		if (unknown && s->state == LURK_UP)
			continue; /* a tap of it is one thing */
		b->length += (size_t)snprintf(
			b->out + b->length, sizeof b->out - b->length, "%s%s%c%s ",
			frame.keyboard ? "2:" : "", unknown ? "" : lurk_key_name(s->key),
			unknown ? '?' : "-+"[s->state], i + 1 < frame.count ? "&" : "");
	}
	return true;
}

/* Until nothing is left, with as much time as that takes. */
static void bench_pull(struct bench *b)
{
	struct lurk_wish wish;

	for (;;) {
		while (bench_pull_frame(b))
			;
		if (lurk_engine_take_wish(&b->engine, &wish)) {
			b->length += (size_t)snprintf(b->out + b->length, sizeof b->out - b->length,
						      "%s ",
						      wish.gives == LURK_GIVES_TOGGLE ? "toggle"
						      : wish.profile == LURK_PREVIOUS ? "previous"
										      : "profile");
			continue;
		}
		if (lurk_engine_deadline(&b->engine) == LURK_NEVER)
			return;
		b->now_us = lurk_engine_deadline(&b->engine);
	}
}

/* "+CapsLock -CapsLock", on the second keyboard "+2:KeyA", with its second scan code
 * "+AudioVolumeMute'", in one report with the next "+KeyA&", unplug "x1", other rules in (…), a
 * repeat "=KeyA", Caps Lock found on "caps", text cut short "cut"; "+F1~" leaves most of what it
 * types for later, "s2" is a keyboard that is not taken, "L2" another layout on the first. */
static void bench_play(struct bench *b, const char *presses)
{
	char copy[512], *rest = copy, *one;

	snprintf(copy, sizeof copy, "%s", presses);
	while ((one = strsep(&rest, " "))) {
		struct lurk_event event = {0};
		char *key = one + 1, *mark;
		bool second = false, later = false;

		if (!*one)
			continue;
		if (*one == 'x' || !strcmp(one, "cut")) {
			if (*one == 'x')
				lurk_engine_release(&b->engine, (uint16_t)(one[1] - '1'));
			else
				lurk_engine_cancel(&b->engine);
			bench_pull(b);
			continue;
		}
		if (*one == 's' || *one == 'L' || !strcmp(one, "caps")) {
			b->layout = *one == 'L' ? (uint32_t)(one[1] - '0') : b->layout;
			if (*one == 's')
				lurk_engine_silence(&b->engine, (uint16_t)(one[1] - '1'), true);
			b->caps_lock = b->caps_lock || *one == 'c';
			continue;
		}
		if (*one == '(') {
			one[strlen(one) - 1] = '\0';
			bench_use(b, one + 1);
			continue;
		}
		if (key[0] && key[1] == ':') {
			event.keyboard = (uint16_t)(key[0] - '1');
			key += 2;
		}
		if ((mark = strchr(key, '~'))) {
			later = true;
			*mark = '\0';
		}
		if ((mark = strchr(key, '&'))) {
			event.key.more = true;
			*mark = '\0';
		}
		if ((mark = strchr(key, '\''))) {
			second = true;
			*mark = '\0';
		}
		event.key.state = *one == '+' ? LURK_DOWN : *one == '=' ? LURK_REPEAT : LURK_UP;
		if (strchr(key, ':')) {
			event.key.scan = test_press(key).on.scan;
			event.key.key = lurk_scan_key(event.key.scan);
		} else {
			event.key.key = test_press(key).on.key;
			for (size_t i = 0; lurk_key_scan(event.key.key, i).kind; i++) {
				if (lurk_key_scan(event.key.key, i).kind != LURK_SCAN_HID)
					continue;
				event.key.scan = lurk_key_scan(event.key.key, i);
				if (!second)
					break;
				second = false;
			}
		}
		assert_int_equal(lurk_engine_feed(&b->engine, &event), LURK_OK);
		if (later)
			bench_pull_frame(b);
		else
			bench_pull(b);
	}
}

/* Rules, presses, strokes. */
static const struct {
	const char *rules, *presses, *strokes;
} plays[] = {
	{"", "+KeyA -KeyA", "KeyA+ KeyA- "},
	{"", "+KeyA =KeyA =KeyA +KeyA -KeyA -KeyA", "KeyA+ KeyA- "},
	{"", "+KeyA& +KeyB -KeyA& -KeyB", "KeyA+& KeyB+ KeyA-& KeyB- "},
	{"CapsLock>Insert", "+CapsLock -CapsLock +Insert -Insert",
	 "Insert+ Insert- Insert+ Insert- "},
	{"CapsLock>nothing", "+CapsLock +KeyA -CapsLock -KeyA", "KeyA+ KeyA- "},
	{"CapsLock>nothing", "+CapsLock& +KeyA -CapsLock& -KeyA", "KeyA+ KeyA- "},
	{"CapsLock>nothing", "+KeyA& +CapsLock -KeyA", "KeyA+ KeyA- "},
	{"!CapsLock>Insert", "+CapsLock -CapsLock", "CapsLock+ CapsLock- "},
	/* Never in a chain; a swap is two rules. */
	{"KeyA>KeyB; KeyB>KeyC", "+KeyA +KeyB -KeyA -KeyB", "KeyB+ KeyC+ KeyB- KeyC- "},
	{"KeyA<>KeyB", "+KeyA +KeyB -KeyB -KeyA", "KeyB+ KeyA+ KeyA- KeyB- "},
	{"CapsLock<>hid:07:a5", "", ""},
	{"hid:07:39<>Escape", "+CapsLock -CapsLock +Escape -Escape",
	 "Escape+ Escape- CapsLock+ CapsLock- "},
	/* Pairs go side to side; to a single key, both give that. */
	{"Control<>Meta", "+ControlRight -ControlRight +MetaLeft -MetaLeft",
	 "MetaRight+ MetaRight- ControlLeft+ ControlLeft- "},
	{"Control>Meta", "+ControlLeft +ControlRight -ControlLeft -ControlRight",
	 "MetaLeft+ MetaRight+ MetaLeft- MetaRight- "},
	{"CapsLock>Control", "+CapsLock -CapsLock", "ControlLeft+ ControlLeft- "},
	{"Shift>Space", "+ShiftLeft +ShiftRight -ShiftLeft -ShiftRight", "Space+ Space- "},
	/* Two held keys that give one key: up with the last. */
	{"CapsLock>Insert", "+CapsLock +Insert -CapsLock -Insert", "Insert+ Insert- "},
	{"CapsLock>Insert", "+Insert +CapsLock -CapsLock +CapsLock -Insert -CapsLock",
	 "Insert+ Insert- "},
	{"", "+AudioVolumeMute +AudioVolumeMute' -AudioVolumeMute -AudioVolumeMute'",
	 "AudioVolumeMute+ AudioVolumeMute- "},
	/* A rule on a key changes all its scan codes, one on a scan code that alone. */
	{"AudioVolumeMute>Tab",
	 "+AudioVolumeMute -AudioVolumeMute +AudioVolumeMute' -AudioVolumeMute'",
	 "Tab+ Tab- Tab+ Tab- "},
	{"hid:07:ef>Space", "+AudioVolumeMute -AudioVolumeMute +AudioVolumeMute' -AudioVolumeMute'",
	 "AudioVolumeMute+ AudioVolumeMute- Space+ Space- "},
	{"raw:0x70039>Escape", "+CapsLock -CapsLock", "Escape+ Escape- "},
	{"set1:3a>Escape", "+CapsLock -CapsLock", "CapsLock+ CapsLock- "},
	{"hid:07:a5>LaunchMail", "+hid:07:a5 -hid:07:a5", "LaunchMail+ LaunchMail- "},
	{"", "+hid:07:a5 -hid:07:a5", ""},
	/* The more specific wins: keyboard, then scan code, key, meaning. */
	{"any Enter>Space", "+Enter -Enter +NumpadEnter -NumpadEnter",
	 "Space+ Space- Space+ Space- "},
	{"any Enter>Space; Enter>itself", "+Enter -Enter +NumpadEnter -NumpadEnter",
	 "Enter+ Enter- Space+ Space- "},
	{"any Alt>Meta", "+AltRight -AltRight", "MetaLeft+ MetaLeft- "},
	{"CapsLock>Insert; hid:07:39>Escape", "+CapsLock -CapsLock", "Escape+ Escape- "},
	{"CapsLock>Tab @1; hid:07:39>Escape", "+CapsLock -CapsLock +2:CapsLock -2:CapsLock",
	 "Tab+ Tab- 2:Escape+ 2:Escape- "},
	{"any CapsLock>Tab @1; CapsLock>Insert", "+CapsLock -CapsLock", "Tab+ Tab- "},
	{"CapsLock>Insert; CapsLock>itself @1", "+CapsLock -CapsLock +2:CapsLock -2:CapsLock",
	 "CapsLock+ CapsLock- 2:Insert+ 2:Insert- "},
	{"!CapsLock>Insert @1; CapsLock>Tab", "+CapsLock -CapsLock", "Tab+ Tab- "},
	/* A key that never sends its release is a tap, with a rule or without. */
	{"", "+2:F13 +2:F13 +1:F13 -1:F13", "2:F13+ 2:F13- 2:F13+ 2:F13- F13+ F13- "},
	{"F13>Space", "+2:F13 =2:F13", "2:Space+ 2:Space- 2:Space+ 2:Space- "},
	{"CapsLock>Tab", "=CapsLock +CapsLock -CapsLock", "Tab+ Tab- "},
	{"hid:07:68>Space", "+2:F13 +2:KeyA& +2:F13 -2:KeyA",
	 "2:Space+ 2:Space- 2:KeyA+& 2:Space+ 2:Space- 2:KeyA- "},
	/* Modifiers that belong to the press are lifted, and back afterwards: in every order of
	   releases. */
	{"Shift+Digit3>KeyX", "+ShiftLeft +Digit3 -Digit3 -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft-& KeyX+ KeyX-& ShiftLeft+ ? ShiftLeft- "},
	{"Shift+Digit3>KeyX", "+ShiftLeft +Digit3 -ShiftLeft -Digit3",
	 "ShiftLeft+ ? ShiftLeft-& KeyX+ KeyX- "},
	{"Shift+Digit3>KeyX", "+Digit3 +ShiftLeft -ShiftLeft -Digit3",
	 "Digit3+ ShiftLeft+ ShiftLeft- Digit3- "},
	{"Shift+Digit3>KeyX", "+ShiftLeft +Digit3 +KeyA -KeyA -Digit3 -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft-& KeyX+ ShiftLeft+& KeyA+ KeyA- KeyX- ShiftLeft- "},
	{"Shift+Digit3>KeyX",
	 "+ShiftLeft +Digit3 +Digit3 =Digit3 -Digit3 +Digit3 -Digit3 -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft-& KeyX+ KeyX-& ShiftLeft+ ? ShiftLeft-& KeyX+ KeyX-& ShiftLeft+ ? "
	 "ShiftLeft- "},
	{"Shift+Digit3>KeyX", "+ShiftLeft +KeyA -KeyA +Digit3 -Digit3 +KeyB -KeyB -ShiftLeft",
	 "ShiftLeft+ KeyA+ KeyA- ShiftLeft-& KeyX+ KeyX-& ShiftLeft+ KeyB+ KeyB- ShiftLeft- "},
	{"Shift+Digit3>KeyX", "+ShiftLeft +ShiftRight +Digit3 -Digit3 -ShiftRight -ShiftLeft",
	 "ShiftLeft+ ShiftRight+ ? ShiftLeft-& ShiftRight-& KeyX+ KeyX-& ShiftLeft+& ? ShiftRight+ "
	 "? ShiftRight- ShiftLeft- "},
	{"ShiftLeft+Digit3>KeyX",
	 "+ShiftRight +Digit3 -Digit3 -ShiftRight +ShiftLeft +ShiftRight +Digit3 -ShiftLeft "
	 "-Digit3 -ShiftRight",
	 "ShiftRight+ Digit3+ Digit3- ShiftRight- ShiftLeft+ ShiftRight+ ? ShiftLeft-& KeyX+ KeyX- "
	 "ShiftRight- "},
	/* What gives nothing leaves no modifier alone; a key without a name is no key. */
	{"Meta+KeyL>nothing", "+MetaLeft +KeyL -KeyL -MetaLeft", "MetaLeft+ ? MetaLeft- "},
	{"KeyL>nothing", "+MetaLeft +KeyL -KeyL -MetaLeft", "MetaLeft+ ? MetaLeft- "},
	{"", "+MetaLeft +hid:07:a5 -hid:07:a5 -MetaLeft", "MetaLeft+ MetaLeft- "},
	/* A character is a key; longer text is typed, and what comes meanwhile waits. */
	{"Shift+Digit3>\"#\"", "+ShiftLeft +Digit3 -Digit3 -ShiftLeft",
	 "ShiftLeft+ Digit3+ Digit3- ShiftLeft- "},
	{"Digit3>\"#\"",
	 "+Digit3 -Digit3 +ShiftLeft +Digit3 -Digit3 -ShiftLeft +ControlLeft +Digit3 -Digit3 "
	 "-ControlLeft",
	 "ShiftLeft+& Digit3+ Digit3-& ShiftLeft- ShiftLeft+ Digit3+ Digit3- ShiftLeft- "
	 "ControlLeft+ ShiftLeft+& Digit3+ Digit3-& ShiftLeft- ControlLeft- "},
	{"KeyE>\"a\"", "+ShiftLeft +KeyE -KeyE -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft-& KeyA+ KeyA-& ShiftLeft+ ? ShiftLeft- "},
	{"KeyE>\"a\"", "caps +KeyE -KeyE", "CapsLock+ CapsLock- KeyA+ KeyA- CapsLock+ CapsLock- "},
	{"F1>\"Ab #\"", "+F1 -F1",
	 "ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyB+ KeyB- Space+ Space- ShiftLeft+& Digit3+ "
	 "Digit3-& ShiftLeft- "},
	{"F1>\"Ab\"", "caps +F1 -F1",
	 "CapsLock+ CapsLock- ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyB+ KeyB- CapsLock+ "
	 "CapsLock- "},
	{"F1>\"#\"", "caps +F1 -F1", "ShiftLeft+& Digit3+ Digit3-& ShiftLeft- "},
	/* By the layout that is active at the press; where it is not known, by the first. Nothing
	 * where there are no steps for it, and no modifier is left alone for that. */
	{"F1>\"%1ab%2#%3\"", "+F1 -F1 L1 +F1 -F1",
	 "KeyA+ KeyA- KeyB+ KeyB- KeyA+ KeyA- KeyB+ KeyB- "},
	{"F1>\"%1ab%2#%3\"", "L2 +F1 +KeyX -F1 -KeyX L3 +F1 -F1 L4 +F1 -F1",
	 "ShiftLeft+& Digit3+ ShiftLeft-& KeyX+ Digit3- KeyX- "},
	{"F1>\"%1ab%2#%3\"", "L2 +2:F1 -2:F1", "2:KeyA+ 2:KeyA- 2:KeyB+ 2:KeyB- "},
	{"F1>\"%1a%2#\"", "L2 +F1 L1 -F1 +F1 L2 -F1",
	 "ShiftLeft+& Digit3+ Digit3-& ShiftLeft- KeyA+ KeyA- "},
	{"F1>\"%1a%2#\"", "caps L2 +F1 -F1 L1 +F1 -F1",
	 "ShiftLeft+& Digit3+ Digit3-& ShiftLeft- CapsLock+ CapsLock- KeyA+ KeyA- CapsLock+ "
	 "CapsLock- "},
	{"Meta+F1>\"%1ab%3\"", "L3 +MetaLeft +F1 -F1 -MetaLeft", "MetaLeft+ ? MetaLeft- "},
	{"F1>\"%1a%2ab\"", "+ControlLeft +F1 -F1 -ControlLeft",
	 "ControlLeft+ F1+ F1- ControlLeft- "},
	{"F1>\"Ab\"", "+ShiftLeft +F1 -F1 -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft- ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyB+ KeyB- ShiftLeft+ ? "
	 "ShiftLeft- "},
	{"F1>\"Ab\"", "+AltRight +F1~ -F1~ +KeyX~ -AltRight -KeyX",
	 "AltRight+ ? AltRight- ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyB+ KeyB- AltRight+ KeyX+ "
	 "AltRight- KeyX- "},
	/* With Control, Alt or Meta a key stays a command, unless they are part of the press. */
	{"F1>\"Ab\"", "+ControlLeft +AltLeft +F1 -F1 -AltLeft -ControlLeft",
	 "ControlLeft+ AltLeft+ F1+ F1- AltLeft- ControlLeft- "},
	{"Meta+F1>\"Ab\"; F1>KeyX",
	 "+MetaRight +F1 -F1 +ControlLeft +F1 -F1 -ControlLeft -MetaRight",
	 "MetaRight+ ? MetaRight- ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyB+ KeyB- MetaRight+ "
	 "ControlLeft+ KeyX+ KeyX- ControlLeft- MetaRight- "},
	{"F1>\"Ab\"", "+KeyB +F1~ +KeyC~ -KeyB -KeyC -F1",
	 "KeyB+ KeyB- ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyB+ KeyB- KeyC+ KeyC- "},
	{"F1>\"Ab\"", "+F1~ +KeyX~ cut -KeyX -F1",
	 "ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyX+ KeyX- "},
	{"F1>\"Ab\"", "caps +F1~ +KeyX~ x1 +KeyY -KeyY",
	 "CapsLock+ CapsLock- CapsLock+ CapsLock- KeyY+ KeyY- "},
	{"Meta+F1>\"Ab\"", "+KeyB +2:MetaRight +1:F1~ x1 -2:MetaRight",
	 "KeyB+ 2:MetaRight+ KeyB- ? 2:MetaRight- "},
	{"Meta+F1>\"Ab\"", "+KeyB +MetaRight +F1~ cut -F1 -MetaRight -KeyB",
	 "KeyB+ MetaRight+ KeyB- ? MetaRight- "},
	{"Pause>Meta+KeyC", "+Pause -Pause", "MetaLeft+& KeyC+ KeyC-& MetaLeft- "},
	{"Pause>Meta+KeyC", "+Pause +KeyX -Pause -KeyX",
	 "MetaLeft+& KeyC+ MetaLeft-& KeyX+ KeyC- KeyX- "},
	/* Chords, and modifiers that are held already. */
	{"Pause>Meta+KeyC", "+MetaRight +Pause -MetaRight -Pause",
	 "MetaRight+ KeyC+ KeyC-& MetaRight- "},
	{"Pause>Meta+KeyC", "+MetaRight +Pause -Pause -MetaRight",
	 "MetaRight+ KeyC+ KeyC- MetaRight- "},
	{"Pause>Meta+KeyC", "+KeyC +Pause -Pause -KeyC",
	 "KeyC+ MetaLeft+& KeyC- KeyC+ MetaLeft- KeyC- "},
	{"Pause>Meta+KeyC", "+2:MetaLeft +1:Pause -1:Pause -2:MetaLeft",
	 "2:MetaLeft+ KeyC+ KeyC- 2:MetaLeft- "},
	{"Pause>Meta+KeyC", "s2 +2:MetaLeft +1:Pause -1:Pause -2:MetaLeft",
	 "MetaLeft+& KeyC+ KeyC-& MetaLeft- "},
	{"Control+KeyC>Meta+KeyC", "+ControlLeft +KeyC -KeyC -ControlLeft",
	 "ControlLeft+ ? ControlLeft-& MetaLeft+& KeyC+ KeyC-& MetaLeft-& ControlLeft+ ? "
	 "ControlLeft- "},
	{"Control+KeyC>Meta+KeyC", "+ControlLeft +KeyC -ControlLeft -KeyC",
	 "ControlLeft+ ? ControlLeft-& MetaLeft+& KeyC+ KeyC-& MetaLeft- "},
	{"Control+KeyC>Control+KeyV", "+ControlLeft +KeyC -ControlLeft -KeyC",
	 "ControlLeft+ KeyV+ KeyV-& ControlLeft- "},
	{"Control+KeyC>Control+KeyV", "+ControlRight +KeyC -KeyC +KeyC -ControlRight -KeyC",
	 "ControlRight+ KeyV+ KeyV- KeyV+ KeyV-& ControlRight- "},
	{"Control+KeyC>Meta+KeyC", "+ControlLeft +ShiftLeft +KeyC -ControlLeft -ShiftLeft -KeyC",
	 "ControlLeft+ ShiftLeft+ ? ControlLeft-& MetaLeft+& KeyC+ ShiftLeft- KeyC-& MetaLeft- "},
	{"Control+KeyC>Meta+KeyC", "+2:ControlLeft +1:KeyC -1:KeyC -2:ControlLeft",
	 "2:ControlLeft+ 2:? 2:ControlLeft- MetaLeft+& KeyC+ KeyC-& MetaLeft- 2:ControlLeft+ 2:? "
	 "2:ControlLeft- "},
	{"Control+KeyC>Meta+KeyC", "s2 +2:ControlLeft +1:KeyC -1:KeyC -2:ControlLeft",
	 "MetaLeft+& KeyC+ KeyC-& MetaLeft- "},
	{"F1>Control+KeyA,Control+KeyC", "+F1 -F1",
	 "ControlLeft+& KeyA+ KeyA-& ControlLeft- ControlLeft+& KeyC+ KeyC-& ControlLeft- "},
	/* Rows of chords: the last is held. */
	{"F1>Control+KeyA,Control+KeyC", "+F1~ +KeyX -F1 -KeyX",
	 "ControlLeft+& KeyA+ KeyA-& ControlLeft- ControlLeft+& KeyC+ ControlLeft-& KeyX+ KeyC- "
	 "KeyX- "},
	{"F1>KeyA,ShiftLeft", "+F1~ +KeyX~ -KeyX -F1 +KeyY -KeyY",
	 "KeyA+ KeyA- ShiftLeft+ KeyX+ KeyX- ShiftLeft- KeyY+ KeyY- "},
	{"F1>KeyA,Control+ShiftLeft; Shift+KeyB>KeyC", "+F1 +KeyB -KeyB -F1",
	 "KeyA+ KeyA- ControlLeft+& ShiftLeft+ ? ShiftLeft-& KeyC+ KeyC-& ShiftLeft+ ControlLeft-& "
	 "? ShiftLeft- "},
	{"Control+F1>Control+KeyA,KeyB", "+ControlLeft +F1 -F1 -ControlLeft",
	 "ControlLeft+ ? ControlLeft- ControlLeft+& KeyA+ KeyA-& ControlLeft- KeyB+ KeyB-& "
	 "ControlLeft+ ? ControlLeft- "},
	{"CapsLock>Control+Alt+ShiftLeft", "+CapsLock +KeyA -KeyA -CapsLock",
	 "ControlLeft+& ShiftLeft+& AltLeft+ KeyA+ KeyA- ControlLeft-& ShiftLeft-& AltLeft- "},
	/* Modifiers alone count as if they were pressed themselves. */
	{"CapsLock>Control; Control+KeyA>KeyX", "+CapsLock +KeyA -KeyA -CapsLock",
	 "ControlLeft+ ? ControlLeft-& KeyX+ KeyX-& ControlLeft+ ? ControlLeft- "},
	{"only KeyH>ArrowLeft", "+KeyH -KeyH +ShiftLeft +KeyH -KeyH -ShiftLeft",
	 "ArrowLeft+ ArrowLeft- ShiftLeft+ KeyH+ KeyH- ShiftLeft- "},
	/* With modifiers or without: which rule wins. */
	{"only KeyH>ArrowLeft; KeyH>KeyJ; Shift+KeyH>KeyK; Shift+Control+KeyH>KeyL",
	 "+KeyH -KeyH +AltLeft +KeyH -KeyH -AltLeft +ShiftLeft +KeyH -KeyH +ControlLeft +KeyH "
	 "-KeyH -ControlLeft -ShiftLeft",
	 "ArrowLeft+ ArrowLeft- AltLeft+ KeyJ+ KeyJ- AltLeft- ShiftLeft+ ? ShiftLeft-& KeyK+ "
	 "KeyK-& ShiftLeft+ ControlLeft+ ? ControlLeft-& ShiftLeft-& KeyL+ KeyL-& ControlLeft+& ? "
	 "ShiftLeft+ ControlLeft- ? ShiftLeft- "},
	{"Control+AltRight+KeyE>KeyX",
	 "+AltRight +KeyE -KeyE +ControlRight +KeyE -KeyE -AltRight -ControlRight",
	 "AltRight+ KeyE+ KeyE- ControlRight+ ? ControlRight-& AltRight-& KeyX+ KeyX-& "
	 "ControlRight+& ? AltRight+ ? AltRight- ControlRight- "},
	{"Shift+KeyE>KeyX @1; KeyE>KeyY @1; Shift+KeyE>KeyZ", "+ShiftLeft +KeyE -KeyE -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft-& KeyX+ KeyX-& ShiftLeft+ ? ShiftLeft- "},
	{"KeyE>KeyY @1; Shift+KeyE>KeyZ", "+ShiftLeft +KeyE -KeyE -ShiftLeft",
	 "ShiftLeft+ KeyY+ KeyY- ShiftLeft- "},
	{"Shift+KeyE>KeyX; hid:07:08>KeyY", "+ShiftLeft +KeyE -KeyE -ShiftLeft",
	 "ShiftLeft+ KeyY+ KeyY- ShiftLeft- "},
	{"Shift+KeyE>KeyX; Shift+Enter>KeyY",
	 "+ShiftLeft +Enter -Enter +NumpadEnter -NumpadEnter -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft-& KeyY+ KeyY-& ShiftLeft+ NumpadEnter+ NumpadEnter- ShiftLeft- "},
	{"Shift+Alt+KeyE>KeyX", "+AltLeft +ShiftLeft +KeyE -KeyE -ShiftLeft -AltLeft",
	 "AltLeft+ ShiftLeft+ ? ShiftLeft-& AltLeft-& KeyX+ KeyX-& ShiftLeft+& ? AltLeft+ "
	 "ShiftLeft- ? AltLeft- "},
	{"Control+KeyE>itself; KeyE>KeyX", "+ControlLeft +KeyE -KeyE -ControlLeft +KeyE -KeyE",
	 "ControlLeft+ KeyE+ KeyE- ControlLeft- KeyX+ KeyX- "},
	{"Shift+CapsLock>ShiftLeft", "+ShiftLeft +CapsLock -ShiftLeft +KeyA -KeyA -CapsLock",
	 "ShiftLeft+ ? KeyA+ KeyA- ShiftLeft- "},
	{"Shift+Alt>Meta", "+ShiftLeft +AltRight +KeyA -KeyA -AltRight -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft-& MetaRight+ ? ShiftLeft+& KeyA+ KeyA- MetaRight- ShiftLeft- "},
	{"F1>toggle", "+MetaLeft +F1 -F1 -MetaLeft", "MetaLeft+ ? toggle MetaLeft- "},
	/* What the session is asked for. */
	{"Shift+F13>KeyX", "+2:ShiftLeft +2:F13 +2:F13 -2:ShiftLeft",
	 "2:ShiftLeft+ 2:? 2:ShiftLeft-& 2:KeyX+ 2:KeyX-& 2:ShiftLeft+ 2:? 2:ShiftLeft-& 2:KeyX+ "
	 "2:KeyX-& 2:ShiftLeft+ 2:? 2:ShiftLeft- "},
	{"F13>\"ab\"", "+2:F13 +2:KeyA -2:KeyA",
	 "2:KeyA+ 2:KeyA- 2:KeyB+ 2:KeyB- 2:KeyA+ 2:KeyA- "},
	{"Shift+Digit3>KeyX", "+2:ShiftLeft +1:Digit3 x2 -1:Digit3",
	 "2:ShiftLeft+ 2:? 2:ShiftLeft- KeyX+ KeyX- "},
	{"Shift+Digit3>KeyX", "+2:ShiftLeft +1:Digit3 x1 -2:ShiftLeft",
	 "2:ShiftLeft+ 2:? 2:ShiftLeft- KeyX+ 2:ShiftLeft+ KeyX- 2:? 2:ShiftLeft- "},
	{"Shift+Digit3>KeyX", "+ShiftLeft +Digit3 x1 +KeyA -KeyA",
	 "ShiftLeft+ ? ShiftLeft-& KeyX+ KeyX- KeyA+ KeyA- "},
	{"Pause>Meta+KeyC", "+2:MetaLeft +1:Pause x2 -1:Pause",
	 "2:MetaLeft+ KeyC+ 2:MetaLeft- KeyC- "},
	{"Shift+Digit3>KeyX", "+ShiftLeft +Digit3 (KeyA>KeyB) -Digit3 +KeyA -KeyA -ShiftLeft",
	 "ShiftLeft+ ? ShiftLeft-& KeyX+ KeyX-& ShiftLeft+ KeyB+ KeyB- ShiftLeft- "},
	{"F1>=previous; F2>=test", "+F1 +KeyA -F1 -KeyA +F2 -F2", "previous KeyA+ KeyA- profile "},
	{"F1>\"Ab\"; F2>toggle", "+F1~ +F2~ -F2~ +KeyX~ -F1 -KeyX",
	 "ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyB+ KeyB- toggle KeyX+ KeyX- "},
	{"F1>\"Ab\"", "+2:ShiftLeft +F1~ x2 -F1 +ShiftLeft -ShiftLeft",
	 "2:ShiftLeft+ 2:? 2:ShiftLeft- ShiftLeft+& KeyA+ KeyA-& ShiftLeft- KeyB+ KeyB- ShiftLeft+ "
	 "ShiftLeft- "},
	{"F1>\"#\"; F2>\"@\"", "+F1 +F2 -F1 -F2",
	 "ShiftLeft+& Digit3+ ShiftLeft-& ShiftLeft+& Digit2+ Digit3- Digit2-& ShiftLeft- "},
	{"F1>\"#\"; F2>Meta+KeyC", "+F1 +F2 -F2 -F1",
	 "ShiftLeft+& Digit3+ ShiftLeft-& MetaLeft+& KeyC+ KeyC-& MetaLeft- Digit3- "},
	{"Shift+F1>\"#\"; Shift+F2>\"@\"", "+ShiftLeft +F1 +F2 -F1 -F2 -ShiftLeft",
	 "ShiftLeft+ Digit3+ Digit2+ Digit3- Digit2- ShiftLeft- "},
	{"Shift+F1>KeyX", "+ShiftLeft +F1 -ShiftLeft +ShiftRight -F1 -ShiftRight",
	 "ShiftLeft+ ? ShiftLeft-& KeyX+ ShiftRight+ KeyX- ShiftRight- "},
	{"Shift+F1>KeyX", "+ShiftLeft& +F1 -F1& -ShiftLeft",
	 "ShiftLeft+& ? ShiftLeft-& KeyX+ KeyX-& ShiftLeft+& ? ShiftLeft- "},
	{"F1>\"A A\"", "+ShiftLeft +KeyQ +F1 -KeyQ -ShiftLeft -F1",
	 "ShiftLeft+ KeyQ+ KeyQ- ShiftLeft- ShiftLeft+& KeyA+ KeyA-& ShiftLeft- Space+ Space- "
	 "ShiftLeft+& KeyA+ KeyA-& ShiftLeft- ShiftLeft+ ? ShiftLeft- "},
	/* A release undoes its own press, whatever has changed; what is unplugged is released. */
	{"CapsLock>Insert", "+CapsLock (KeyA>KeyB) -CapsLock +CapsLock -CapsLock",
	 "Insert+ Insert- CapsLock+ CapsLock- "},
	{"CapsLock>Tab", "+CapsLock +KeyA x1 -KeyA -CapsLock +KeyB -KeyB",
	 "Tab+ KeyA+ Tab-& KeyA- KeyB+ KeyB- "},
	{"", "+1:KeyA +2:KeyA x1 -2:KeyA", "KeyA+ 2:KeyA+ KeyA- 2:KeyA- "},
	{"", "-KeyA +KeyA& x1", "KeyA+ KeyA- "},
};

static void presses_and_strokes(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(plays); i++) {
		struct bench *b = bench_new();

		if (strstr(plays[i].rules, "<>hid:07:a5")) {
			/* A swap with a key that has no name: nothing could be given back for it.
			 */
			struct lurk_rule bad = {.swap = true};

			bad.press = test_press("hid:07:a5");
			bad.gives.kind = LURK_GIVES_KEY;
			bad.gives.key = LURK_KEY_A;
			assert_int_equal(lurk_rule_check(&bad), LURK_ERR_CONTENT);
		} else {
			bench_use(b, plays[i].rules);
			bench_play(b, plays[i].presses);
		}
		if (strcmp(b->out, plays[i].strokes))
			fail_msg("%s: %s\n  %s, not\n  %s", plays[i].rules, plays[i].presses,
				 b->out, plays[i].strokes);
		for (uint16_t k = 0; k < 3; k++)
			assert_false(lurk_engine_holds(&b->engine, k));
		free(b);
	}
}

static const struct {
	const char *rules;
	enum lurk_error error;
	uint32_t one, two;
} compiles[] = {
	{"CapsLock>Insert; CapsLock>Tab", LURK_ERR_CONFLICT, 0, 1},
	{"Control<>Meta @1; ControlLeft>Tab @1", LURK_ERR_CONFLICT, 0, 1},
	{"Control<>Meta; ControlLeft>Tab @3", LURK_OK, 0, 0},
	{"any Enter>Tab; any Enter>Space", LURK_ERR_CONFLICT, 0, 1},
	{"hid:07:39>Tab; raw:0x70039>Space", LURK_ERR_CONFLICT, 0, 1},
	{"KeyA<>KeyA", LURK_ERR_CONFLICT, 0, 0},
	{"KeyB>KeyC; F1>\"\"", LURK_ERR_UNTYPED, 1, 1},
	{"only KeyA>KeyB; Shift+KeyA>KeyB; KeyA>KeyC", LURK_OK, 0, 0},
	{"Shift+KeyA>KeyB; ShiftLeft+KeyA>KeyC; Control+KeyA>KeyD", LURK_OK, 0, 0},
	{"KeyB>KeyC; Shift+KeyA>KeyB; shift+KeyA>KeyC", LURK_ERR_CONFLICT, 1, 2},
	{"only KeyA>KeyB; only KeyA>KeyC", LURK_ERR_CONFLICT, 0, 1},
	{"F1>=previous; F2>=TEST", LURK_OK, 0, 0},
	{"F1>=dusk", LURK_ERR_NO_PROFILE, 0, 0},
	{"F1>\"ab\"; F1>Tab", LURK_ERR_CONFLICT, 0, 1},
	{"F1>\"ab\"; F1>Tab @1; Control+F1>\"ab\"", LURK_OK, 0, 0},
	{"F1>=prev", LURK_ERR_NO_PROFILE, 0, 0},
};

static void conflicts_are_found(void **state)
{
	struct bench *b = calloc(1, sizeof *b);

	(void)state;
	for (size_t i = 0; i < COUNT(compiles); i++) {
		struct lurk_compile_report report;

		test_rules_read(&b->rules, compiles[i].rules);
		assert_int_equal(bench_compile(b, &report), compiles[i].error);
		assert_int_equal(report.rules[0], compiles[i].one);
		assert_int_equal(report.rules[1], compiles[i].two);
	}
	free(b);
}

/* 4,096 rules on scan codes; memory one byte short is refused with the size. */
static void many_rules_fit(void **state)
{
	static struct lurk_rule rules[4096];
	static uint8_t bytes[1 << 18];
	static _Alignas(16) uint8_t memory[1 << 19];
	const struct lurk_profile profile = {
		.name = {"many", 4}, .rules = rules, .rule_count = COUNT(rules)};
	const struct lurk_image_parts parts = {&profile, 1, NULL, 0};
	struct lurk_compile_report report;
	struct lurk_keymap *keymap;
	struct lurk_image image;
	struct lurk_compile_job job = {&image, 0, 0, LURK_WIRING_HID, false, NULL};
	size_t needed;

	(void)state;
	for (uint32_t i = 0; i < COUNT(rules); i++) {
		rules[i].press.on.kind = LURK_TARGET_SCAN;
		rules[i].press.on.scan = lurk_scan_make(LURK_SCAN_HID, 0xff000000 + i * 7);
		rules[i].gives.kind = LURK_GIVES_KEY;
		rules[i].gives.key = (lurk_key)(LURK_KEY_1 + i % 50);
	}
	assert_int_equal(lurk_image_write(&parts, bytes, 0, &needed), LURK_ERR_ROOM);
	assert_int_equal(lurk_image_write(&parts, bytes, needed - 1, &needed), LURK_ERR_ROOM);
	assert_int_equal(lurk_image_write(&parts, bytes, needed, &needed), LURK_OK);
	assert_int_equal(lurk_image_open(bytes, needed, &image), LURK_OK);
	assert_int_equal(lurk_compile(&job, NULL, 0, &keymap, &report), LURK_ERR_ROOM);
	assert_true(report.needed > 0 && report.needed < sizeof memory);
	assert_int_equal(lurk_compile(&job, memory, report.needed - 1, &keymap, &report),
			 LURK_ERR_ROOM);
	assert_int_equal(lurk_compile(&job, memory, report.needed, &keymap, &report), LURK_OK);
	for (uint32_t i = 0; i < COUNT(rules); i++) {
		const struct lurk_action *action =
			lurk_keymap_find(keymap, rules[i].press.on.scan, 0);

		assert_int_equal(action->rule, i);
		assert_int_equal(lurk_action_key(action, 0), rules[i].gives.key);
	}
}

static void limits_hold(void **state)
{
	struct bench *b = calloc(1, sizeof *b);
	struct lurk_frame frame;
	struct lurk_event event = {0};
	unsigned fed = 0, strokes = 0;

	(void)state;
	lurk_engine_init(&b->engine, b->keyboards, 3);
	assert_int_equal(lurk_engine_feed(&b->engine, &event), LURK_OK); /* no keymap: nothing */
	bench_use(b, "");
	assert_true(lurk_engine_deadline(&b->engine) == LURK_NEVER);
	/* Frames that nobody pulls: busy, and nothing is lost. */
	for (event.key.state = LURK_DOWN; fed < 300; fed++) {
		event.key.scan = lurk_scan_make(LURK_SCAN_HID, 0xff000000 + fed);
		event.key.key = (lurk_key)(1 + fed % 200);
		if (lurk_engine_feed(&b->engine, &event) == LURK_OK)
			continue;
		assert_int_equal(lurk_engine_deadline(&b->engine), 0);
		while (lurk_engine_pull(&b->engine, 0, &frame))
			strokes += frame.count;
		assert_int_equal(lurk_engine_feed(&b->engine, &event), LURK_OK);
	}
	while (lurk_engine_pull(&b->engine, 0, &frame))
		strokes += frame.count;
	/* More keys held than anybody has fingers for: the rest is dropped whole. */
	assert_int_equal(strokes, 200);
	assert_int_equal(b->keyboards[0].dropped, 300 - LURK_HELD_MAX);
	lurk_engine_release(&b->engine, 0);
	assert_int_equal(lurk_engine_feed(&b->engine, &event), LURK_ERR_BUSY);
	assert_int_equal(lurk_engine_deadline(&b->engine), 0);
	while (lurk_engine_pull(&b->engine, 0, &frame)) {
		assert_true(frame.count <= LURK_FRAME_STROKES);
		strokes -= frame.count;
	}
	assert_int_equal(strokes, 0);
	/* One report with more strokes than a frame holds is split. */
	event.key.more = true;
	for (fed = 0; fed < 40; fed++) {
		event.key.scan.code = fed;
		event.key.key = (lurk_key)(1 + fed);
		lurk_engine_feed(&b->engine, &event);
	}
	assert_true(lurk_engine_pull(&b->engine, 0, &frame));
	assert_int_equal(frame.count, LURK_FRAME_STROKES);
	free(b);
}

/* However many keys there are and are held, in whichever order they come up, also where their names
 * or the rules change meanwhile: each takes back its own press. */
static void held_keys_in_any_order(void **state)
{
	struct bench *b = calloc(1, sizeof *b);
	lurk_key gave[300] = {0};
	unsigned held = 0;
	struct lurk_frame frame;
	uint64_t seed = 99;

	(void)state;
	lurk_engine_init(&b->engine, b->keyboards, 3);
	bench_use(b, "");
	for (unsigned step = 0; step < 90000; step++) {
		unsigned i = random_next(&seed) % COUNT(gave);
		/* In the last steps fingers only come off. */
		bool press = step < 80000 && !gave[i] && held < 200;
		lurk_key named = (lurk_key)(1 + i + (random_next(&seed) % 2 ? COUNT(gave) : 0));
		struct lurk_event event = {.key = {.scan = {i * 4096, LURK_SCAN_HID},
						   .key = named,
						   .state = press ? LURK_DOWN : LURK_UP}};
		lurk_key expected = press ? named : gave[i];

		held += press ? 1U : gave[i] ? -1U : 0U;
		gave[i] = press ? named : LURK_KEY_NONE;
		if (step % 1000 == 999)
			lurk_engine_use(&b->engine, 0, b->keyboards[0].keymap);
		assert_int_equal(lurk_engine_feed(&b->engine, &event), LURK_OK);
		for (; lurk_engine_pull(&b->engine, 0, &frame); expected = LURK_KEY_NONE) {
			assert_int_equal(frame.strokes[0].key, expected);
			assert_int_equal(frame.strokes[0].state, event.key.state);
		}
		assert_int_equal(expected, LURK_KEY_NONE);
		assert_int_equal(lurk_engine_held(&b->engine, 0), held);
	}
	assert_int_equal(held, 0);
	assert_int_equal(b->keyboards[0].dropped, 0);
	free(b);
}

/* Its letters do not repeat; a key that is held does, and so does the last of a row. */
static void what_is_typed_is_marked(void **state)
{
	static const struct {
		const char *presses;
		unsigned repeat, typed;
	} rows[] = {{"+F1 -F1", 0, 2}, {"+F2 -F2", 1, 1}, {"+F3 -F3", 1, 0}, {"+F4 -F4", 1, 0}};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct bench *b = bench_new();

		bench_use(b, "F1>\"ab\"; F2>KeyA,KeyB; F3>KeyA; F4>\"a\"");
		bench_play(b, rows[i].presses);
		assert_int_equal(b->presses[false], rows[i].repeat);
		assert_int_equal(b->presses[true], rows[i].typed);
		free(b);
	}
}

static void presses_are_put_together(void **state)
{
	static const struct lurk_action itself = {.gives = LURK_GIVES_ITSELF};
	struct lurk_history *h = calloc(1, sizeof *h);
	struct lurk_event event = {
		.time_us = 5, .keyboard = 1, .key = {.scan = {4, LURK_SCAN_HID}, .key = 30}};
	const struct lurk_press_record *r;

	(void)state;
	lurk_history_init(h);
	r = lurk_history_feed(h, &event, &itself); /* released without having been pressed */
	assert_non_null(r);
	assert_int_equal(r->down_us, 0);
	event.key.state = LURK_DOWN;
	assert_null(lurk_history_feed(h, &event, &itself));
	event.key.state = LURK_REPEAT;
	assert_null(lurk_history_feed(h, &event, &itself));
	assert_true(lurk_history_at(h, 1)->held);
	event.time_us = 85;
	event.key.state = LURK_UP;
	r = lurk_history_feed(h, &event, &itself);
	assert_ptr_equal(r, lurk_history_at(h, 1));
	assert_int_equal(r->up_us - r->down_us, 80);
	assert_int_equal(r->repeats, 1);
	for (unsigned i = 0; i < LURK_HISTORY_PRESSES; i++)
		lurk_history_feed(h, &event, &itself);
	assert_int_equal(h->lost, 2);
	assert_null(lurk_history_at(h, LURK_HISTORY_PRESSES));
	free(h);
}

/* Events (a time in ms, + - or = for a repeat, a key: a capital one is on a PS/2 keyboard), the
 * time when asked, and what is odd about the newest press. */
static const struct {
	const char *events;
	unsigned now_ms;
	enum lurk_oddity odd;
} oddities[] = {
	{"10+a 90-a", 0, LURK_ODD_NOTHING},
	{"10+a 90-a 119+a", 0, LURK_ODD_BOUNCED},
	{"10+a 90-a 120+a", 0, LURK_ODD_NOTHING},
	{"10+a 90-a 95+b", 0, LURK_ODD_NOTHING},
	{"10+a 90-a 119+a 190-a", 0, LURK_ODD_BOUNCED},
	{"10-a", 0, LURK_ODD_WAS_DOWN},
	{"10+a", 5009, LURK_ODD_NOTHING},
	{"10+a", 5010, LURK_ODD_LONG},
	{"10+a 5010-a", 9000, LURK_ODD_NOTHING},
	{"10+a 510=a 540=a 570=a", 600, LURK_ODD_NOTHING},
	{"10+a 1211+a", 0, LURK_ODD_NO_RELEASE},
	{"10+a 1210=a", 0, LURK_ODD_NOTHING},
	{"10+a 1211+a 1300-a", 0, LURK_ODD_NOTHING},
	{"10+a let 9000+a", 9010, LURK_ODD_NOTHING},
	/* The other key took the repeats over, so this is another press. */
	{"10+a 100+b 180-b 200=a", 0, LURK_ODD_NO_RELEASE},
	{"10+b 100+a 400=a", 0, LURK_ODD_NOTHING},
	/* Not held, since it does not repeat; which of two keys repeats is not known. */
	{"10+A", 1210, LURK_ODD_NOTHING},
	{"10+A", 1211, LURK_ODD_NO_RELEASE},
	{"10+A 510=A 1000=A", 2200, LURK_ODD_NOTHING},
	{"10+A 510=A 1000=A", 2201, LURK_ODD_NO_RELEASE},
	{"10+B 20+A 100-B", 9000, LURK_ODD_LONG},
	{"10+A 2000-A", 9000, LURK_ODD_NOTHING}, /* it only came late */
	{"10+A 2000+A 2010-A", 9000, LURK_ODD_NOTHING},
};

static void what_is_odd_is_said(void **state)
{
	static const struct lurk_action itself = {.gives = LURK_GIVES_ITSELF};
	struct lurk_history *h = calloc(1, sizeof *h);

	(void)state;
	for (size_t i = 0; i < COUNT(oddities); i++) {
		char copy[128], *rest = copy, *one;

		lurk_history_init(h);
		snprintf(copy, sizeof copy, "%s", oddities[i].events);
		while ((one = strsep(&rest, " "))) {
			char *sign;
			uint64_t ms = strtoul(one, &sign, 10);
			struct lurk_event event = {.time_us = ms * 1000};

			if (!strcmp(one, "let")) {
				lurk_history_let_go(h);
				continue;
			}
			while (lurk_history_overdue(h, event.time_us))
				;
			event.key = (struct lurk_key_event){
				.scan = {(uint32_t)sign[1],
					 sign[1] < 'a' ? LURK_SCAN_SET1 : LURK_SCAN_HID},
				.state = *sign == '+'   ? LURK_DOWN
					 : *sign == '-' ? LURK_UP
							: LURK_REPEAT};
			lurk_history_feed(h, &event, &itself);
		}
		while (lurk_history_overdue(h, oddities[i].now_ms * UINT64_C(1000)))
			;
		if (lurk_press_oddity(h, lurk_history_at(h, h->count - 1),
				      oddities[i].now_ms * UINT64_C(1000)) != oddities[i].odd)
			fail_msg("%s", oddities[i].events);
	}
	free(h);
}

/* Two presses by keyboard, code and key, and how they are told apart. */
static void two_presses_are_compared(void **state)
{
	static const struct {
		struct lurk_press_record a, b;
		enum lurk_relation relation;
	} rows[] = {
		{{.scan = {1, LURK_SCAN_HID}, .key = LURK_KEY_A},
		 {.scan = {1, LURK_SCAN_HID}, .key = LURK_KEY_A},
		 LURK_SAME_CODE},
		{{.scan = {1, LURK_SCAN_HID}}, {.scan = {1, LURK_SCAN_HID}}, LURK_SAME_CODE},
		{{.scan = {1, LURK_SCAN_HID}, .key = LURK_KEY_A},
		 {.keyboard = 1, .scan = {1, LURK_SCAN_HID}, .key = LURK_KEY_A},
		 LURK_OTHER_KEYBOARD},
		{{.scan = {1, LURK_SCAN_HID}, .key = LURK_KEY_MUTE},
		 {.scan = {2, LURK_SCAN_HID}, .key = LURK_KEY_MUTE},
		 LURK_SAME_KEY},
		{{.scan = {1, LURK_SCAN_HID}, .key = LURK_KEY_ENTER},
		 {.scan = {2, LURK_SCAN_HID}, .key = LURK_KEY_KPENTER},
		 LURK_SAME_MEANING},
		{{.scan = {1, LURK_SCAN_HID}, .key = LURK_KEY_A},
		 {.scan = {2, LURK_SCAN_HID}, .key = LURK_KEY_B},
		 LURK_DIFFERENT},
		{{.scan = {1, LURK_SCAN_HID}}, {.scan = {2, LURK_SCAN_HID}}, LURK_DIFFERENT},
	};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		assert_int_equal(lurk_press_compare(&rows[i].a, &rows[i].b), rows[i].relation);
		assert_int_equal(lurk_press_compare(&rows[i].b, &rows[i].a), rows[i].relation);
	}
}

/* ---- The property --------------------------------------------------------------------------- */

enum { MODEL_SOURCES = 24, MODEL_KEYBOARDS = 3 };

/* The engine's promises said in the plainest way: each source remembers the key it gave; a key is
 * down while any source of its keyboard gives it. */
struct model {
	bool held[MODEL_KEYBOARDS][MODEL_SOURCES];
	lurk_key gave[MODEL_KEYBOARDS][MODEL_SOURCES];
	bool down[MODEL_KEYBOARDS][LURK_KEY_COUNT];
};

static bool model_down(const struct model *m, unsigned keyboard, lurk_key key)
{
	for (unsigned s = 0; s < MODEL_SOURCES; s++) {
		if (m->held[keyboard][s] && m->gave[keyboard][s] == key)
			return true;
	}
	return false;
}

static const lurk_key some_keys[MODEL_SOURCES / 2] = {
	LURK_KEY_CAPSLOCK, LURK_KEY_ENTER,    LURK_KEY_KPENTER,  LURK_KEY_LEFTALT,
	LURK_KEY_RIGHTALT, LURK_KEY_LEFTMETA, LURK_KEY_LEFTCTRL, LURK_KEY_A,
	LURK_KEY_MUTE,     LURK_KEY_DELETE,   LURK_KEY_SPACE,    LURK_KEY_NONE,
};

/* Every key has two sources, as mute and PrintScreen have; the last key has no name. */
static struct lurk_key_event source_event(unsigned source, uint8_t state)
{
	return (struct lurk_key_event){
		{0x70000 + source, LURK_SCAN_HID}, some_keys[source / 2], state, false, 0};
}

/* What a press gives by the rules as written, found without hashing: the best of all that fit. */
static lurk_key model_gives(const struct test_rules *rules, unsigned keyboard,
			    const struct lurk_key_event *key)
{
	unsigned best = 0;
	lurk_key gives = key->key;

	for (uint32_t i = 0; i < rules->count; i++) {
		const struct lurk_rule *rule = &rules->rules[i];
		struct lurk_change c;

		if (rule->off || (rule->keyboard && rule->keyboard != keyboard + 1))
			continue;
		for (unsigned n = 0; lurk_rule_change(rule, n, &c); n++) {
			bool fits = c.on.kind == LURK_TARGET_SCAN
					    ? lurk_scan_same(c.on.scan, key->scan)
					    : key->key && c.on.key == key->key;

			if (!fits || lurk_change_rank(rule, &c) <= best)
				continue;
			best = lurk_change_rank(rule, &c);
			gives = c.gives == LURK_GIVES_ITSELF    ? key->key
				: c.gives == LURK_GIVES_NOTHING ? (lurk_key)LURK_KEY_NONE
								: c.key;
		}
	}
	return gives;
}

static lurk_key any_key(uint64_t *seed)
{
	return some_keys[random_next(seed) % (COUNT(some_keys) - 1)];
}

static void random_rule(uint64_t *seed, struct lurk_rule *rule)
{
	lurk_key key = any_key(seed);

	memset(rule, 0, sizeof *rule);
	rule->keyboard = (uint16_t)(random_next(seed) % (MODEL_KEYBOARDS + 1));
	rule->off = random_next(seed) % 8 == 0;
	rule->press.on.kind = (uint8_t)(LURK_TARGET_MEANING + random_next(seed) % 4);
	rule->press.on.key = key;
	if (rule->press.on.kind == LURK_TARGET_PAIR && lurk_key_side(key) != LURK_SIDE_LEFT)
		rule->press.on.kind = LURK_TARGET_KEY;
	if (rule->press.on.kind == LURK_TARGET_SCAN)
		rule->press.on.scan = source_event(random_next(seed) % MODEL_SOURCES, 0).scan;
	rule->gives.kind = (uint8_t)(LURK_GIVES_KEY + random_next(seed) % 4);
	rule->gives.key = any_key(seed);
	if (rule->gives.kind == LURK_GIVES_PAIR && lurk_key_side(rule->gives.key) != LURK_SIDE_LEFT)
		rule->gives.kind = LURK_GIVES_KEY;
	rule->swap = random_next(seed) % 3 == 0;
	if (lurk_rule_check(rule) != LURK_OK)
		rule->swap = false;
}

static void random_rules(uint64_t *seed, struct bench *b)
{
	struct lurk_compile_report report;

	do {
		memset(&b->rules, 0, sizeof b->rules);
		b->rules.count = random_next(seed) % 12;
		for (uint32_t i = 0; i < b->rules.count; i++)
			random_rule(seed, &b->rules.rules[i]);
		assert_int_equal(test_rules_image(&b->rules), LURK_OK);
	} while (bench_compile(b, &report) != LURK_OK);
}

/* Pulls all frames into the model's view of what is down, which must never go down twice. */
static void take_strokes(struct lurk_engine *engine, struct model *m)
{
	struct lurk_frame frame;

	while (lurk_engine_pull(engine, 0, &frame)) {
		for (unsigned i = 0; i < frame.count; i++) {
			bool *down = &m->down[frame.keyboard][frame.strokes[i].key];

			assert_int_equal(*down, frame.strokes[i].state == LURK_UP);
			*down = !*down;
		}
	}
}

static void agree(const struct model *m, unsigned keyboard)
{
	for (lurk_key k = lurk_key_next(LURK_KEY_NONE); k && k < 256; k = lurk_key_next(k)) {
		if (m->down[keyboard][k] != model_down(m, keyboard, k))
			fail_msg("keyboard %u: %s is %s", keyboard, lurk_key_name(k),
				 m->down[keyboard][k] ? "stuck" : "lost");
	}
}

static void nothing_sticks_and_nothing_is_lost(void **state)
{
	struct bench *b = calloc(1, sizeof *b);
	struct model *m = calloc(1, sizeof *m);
	uint64_t seed = 0x4c75726b;
	unsigned events = 0;

	(void)state;
	lurk_engine_init(&b->engine, b->keyboards, MODEL_KEYBOARDS);
	while (events < as_often(600000)) {
		/* Other rules; keys held go on. */
		random_rules(&seed, b);
		for (uint16_t k = 0; k < MODEL_KEYBOARDS; k++)
			lurk_engine_use(&b->engine, k, b->keymaps[k]);
		for (unsigned step = random_next(&seed) % 400; step; step--, events++) {
			uint16_t k = (uint16_t)(random_next(&seed) % MODEL_KEYBOARDS);
			unsigned source = random_next(&seed) % MODEL_SOURCES;
			uint8_t key_state = (uint8_t)(random_next(&seed) % 3);
			struct lurk_event event = {events, k, source_event(source, key_state)};

			if (random_next(&seed) % 64 == 0) { /* unplugged, or the machine slept */
				lurk_engine_release(&b->engine, k);
				memset(m->held[k], 0, sizeof m->held[k]);
			} else {
				if (key_state == LURK_DOWN && !m->held[k][source])
					m->gave[k][source] = model_gives(&b->rules, k, &event.key);
				if (key_state != LURK_REPEAT)
					m->held[k][source] = key_state == LURK_DOWN;
				assert_int_equal(lurk_engine_feed(&b->engine, &event), LURK_OK);
			}
			take_strokes(&b->engine, m);
			if (step % 16 == 0)
				agree(m, k);
		}
		for (unsigned k = 0; k < MODEL_KEYBOARDS; k++)
			agree(m, k);
	}
	/* All fingers off: all keys up. */
	for (uint16_t k = 0; k < MODEL_KEYBOARDS; k++) {
		for (unsigned source = 0; source < MODEL_SOURCES; source++) {
			struct lurk_event event = {events, k, source_event(source, LURK_UP)};

			lurk_engine_feed(&b->engine, &event);
			take_strokes(&b->engine, m);
		}
		assert_false(lurk_engine_holds(&b->engine, k));
	}
	print_message("%u random events\n", events);
	free(m);
	free(b);
}

/* ---- Properties of modifiers and text ------------------------------------------------------- */

static const char *const loud_presses[] = {
	"KeyA",      "Shift+KeyA", "only KeyA", "Control+KeyA",    "ShiftLeft+KeyB",
	"Meta+KeyB", "KeyC",       "Alt+KeyC",  "Shift+Meta+KeyC", "KeyD",
	"Alt+KeyD",  "CapsLock",   "F1",        "Control+F1",      "Control+Alt+KeyD",
};
static const char *const loud_results[] = {
	"KeyX",      "nothing",      "itself",
	"Meta+KeyY", "Control+KeyX", "\"qRs\"",
	"\"qRs\"",   "ControlLeft",  "Control+KeyX,Meta+KeyY",
	"Shift",     "\"#\"",        "\"%1qRs%2#%3\"",
	"KeyE",      "toggle",       "Control+Alt+ShiftLeft",
};
static const char *const loud_keys[] = {"KeyA", "KeyB", "KeyC", "KeyD", "CapsLock", "F1"};
static const char *const quiet_keys[] = {"ShiftLeft", "ShiftRight", "ControlLeft", "AltLeft",
					 "AltRight",  "MetaLeft",   "KeyE",        "KeyZ"};

/* What programs see, and what they must not. */
struct watcher {
	bool down[3][LURK_KEY_COUNT];
	bool held[3][LURK_KEY_COUNT]; /* by the person */
	unsigned presses;             /* of keys that are no modifiers */
	unsigned event, loud; /* numbers of this event, and of the last that gave more than a key */
	bool waits;           /* what is pressed may be given later than it is fed */
	lurk_key event_gives; /* the modifier that this event's key gives by itself */
	bool event_gives_modifiers; /* several */
	unsigned modifiers_down;
	struct {
		unsigned at, event;
		bool own; /* pressed by its own key */
	} pressed[3][8];
	lurk_key expected; /* the next letter of a text that was begun */
	unsigned texts, taps;
	bool unplugging; /* what goes up with a keyboard is not judged */
};

static void watch_text(struct watcher *w, lurk_key key)
{
	static const lurk_key letters[] = {LURK_KEY_Q, LURK_KEY_R, LURK_KEY_S};
	unsigned shifts = 0;

	for (unsigned i = 0; i < 3; i++)
		shifts += w->down[i][LURK_KEY_LEFTSHIFT] + w->down[i][LURK_KEY_RIGHTSHIFT];
	if (key != letters[0] && key != letters[1] && key != letters[2]) {
		assert_true(!w->expected || key == LURK_KEY_UNKNOWN); /* nothing in between */
		return;
	}
	assert_int_equal(key, w->expected ? w->expected : letters[0]);
	assert_int_equal(w->modifiers_down, key == letters[1] ? 1 : 0);
	assert_int_equal(shifts, key == letters[1] ? 1 : 0);
	w->texts += key == letters[2];
	w->expected = key == letters[0] ? letters[1] : key == letters[1] ? letters[2] : 0;
}

static void watch_stroke(struct watcher *w, uint16_t keyboard, lurk_key key, uint8_t state)
{
	int place = lurk_modifier_place(key);

	assert_int_equal(w->down[keyboard][key], state == LURK_UP);
	w->down[keyboard][key] = state == LURK_DOWN;
	if (place < 0) {
		w->presses += state == LURK_DOWN;
		if (state == LURK_DOWN)
			watch_text(w, key);
		return;
	}
	w->modifiers_down += state == LURK_DOWN ? 1U : -1U;
	if (state == LURK_DOWN) {
		w->pressed[keyboard][place].at = w->presses;
		w->pressed[keyboard][place].event = w->waits ? UINT32_MAX : w->event;
		w->pressed[keyboard][place].own =
			w->waits || w->event_gives == key || w->event_gives_modifiers;
	} else if (w->pressed[keyboard][place].at == w->presses && !w->unplugging) {
		/* A tap of it alone: the person's own, with no other key in between. */
		w->taps++;
		assert_true(w->pressed[keyboard][place].own);
		assert_true(w->loud <= w->pressed[keyboard][place].event);
	}
}

static void watch_frames(struct bench *b, struct watcher *w)
{
	struct lurk_frame frame;
	struct lurk_wish wish;

	do {
		while (lurk_engine_pull(&b->engine, b->now_us, &frame)) {
			for (unsigned i = 0; i < frame.count; i++)
				watch_stroke(w, frame.keyboard, frame.strokes[i].key,
					     frame.strokes[i].state);
		}
	} while (lurk_engine_take_wish(&b->engine, &wish));
}

static void watch_to_the_end(struct bench *b, struct watcher *w)
{
	for (watch_frames(b, w); lurk_engine_deadline(&b->engine) != LURK_NEVER; watch_frames(b, w))
		b->now_us = lurk_engine_deadline(&b->engine);
}

static void loud_rules(uint64_t *seed, char out[1024])
{
	*out = '\0';
	for (size_t i = 0; i < COUNT(loud_presses); i++) {
		size_t n = strlen(out);

		if (random_next(seed) % 3 == 0)
			snprintf(out + n, 1024 - n, "%s>%s; ", loud_presses[i],
				 loud_results[random_next(seed) % COUNT(loud_results)]);
	}
}

static void feed_key(struct bench *b, struct watcher *w, const char *name, uint16_t keyboard,
		     bool down)
{
	struct lurk_event event = {.keyboard = keyboard};
	const struct lurk_action *action;
	bool more;

	event.key.key = test_press(name).on.key;
	event.key.scan = lurk_key_scan_on(event.key.key, LURK_WIRING_HID);
	event.key.state = down ? LURK_DOWN : LURK_UP;
	action = lurk_keymap_find_held(b->keymaps[keyboard], event.key.scan, event.key.key,
				       b->engine.held);
	more = action->gives >= LURK_GIVES_CHORDS || action->modifiers || action->only;
	w->event++;
	w->loud = more && down && !w->held[keyboard][event.key.key] ? w->event : w->loud;
	w->held[keyboard][event.key.key] = down;
	w->event_gives = down ? lurk_action_key(action, event.key.key) : LURK_KEY_NONE;
	w->event_gives_modifiers =
		down && action->steps.length == LURK_STEP_BYTES &&
		lurk_modifier_place(lurk_step_read((const uint8_t *)action->steps.bytes).key) >= 0;
	w->waits = lurk_engine_types(&b->engine) || b->engine.pending_count;
	assert_int_equal(lurk_engine_feed(&b->engine, &event), LURK_OK);
}

/* Nothing sticks, text is whole, no modifier is seen tapped alone that was not; keys without rules
 * pass unchanged. Some of the time text is typed while keys are hammered. */
static void modifiers_and_text(void **state)
{
	uint64_t seed = 0x5eed;
	unsigned texts = 0, taps = 0, events = 0;

	(void)state;
	for (unsigned round = 0; round < as_often(1500); round++) {
		struct bench *b = bench_new();
		struct watcher *w = calloc(1, sizeof *w);
		char rules[1024];
		bool quiet = round % 8 == 0;

		loud_rules(&seed, rules);
		bench_use(b, rules);
		for (unsigned step = 0; step < 200; step++, events++) {
			bool loud = !quiet && random_next(&seed) % 2;
			size_t count = loud ? COUNT(loud_keys) : COUNT(quiet_keys);
			unsigned key = random_next(&seed) % (unsigned)count;
			const char *name = loud ? loud_keys[key] : quiet_keys[key];
			uint16_t keyboard = (uint16_t)(random_next(&seed) % 2);
			bool cut;
			unsigned pressed_before = w->modifiers_down + w->presses;

			if (random_next(&seed) % 100 == 0) {
				w->event++;
				w->event_gives = LURK_KEY_NONE;
				w->unplugging = true;
				memset(w->held[keyboard], 0, sizeof w->held[keyboard]);
				cut = b->engine.typing.active &&
				      b->engine.typing.keyboard == keyboard;
				lurk_engine_release(&b->engine, keyboard);
				w->expected = cut ? LURK_KEY_NONE : w->expected;
				watch_frames(b, w);
				w->unplugging = false;
				continue;
			}
			feed_key(b, w, name, keyboard, random_next(&seed) % 2);
			if (random_next(&seed) % 4)
				watch_frames(b, w);
			else
				watch_to_the_end(b, w);
			b->now_us += random_next(&seed) % 6000;
			b->layout = random_next(&seed) % 8 ? b->layout : random_next(&seed) % 5;
			if (quiet) /* an event is one stroke at most */
				assert_true(w->modifiers_down + w->presses + 1 >= pressed_before &&
					    w->modifiers_down + w->presses <= pressed_before + 1);
		}
		for (uint16_t k = 0; k < 2; k++) {
			for (size_t i = 0; i < COUNT(loud_keys); i++)
				feed_key(b, w, loud_keys[i], k, false);
			for (size_t i = 0; i < COUNT(quiet_keys); i++)
				feed_key(b, w, quiet_keys[i], k, false);
		}
		watch_to_the_end(b, w);
		for (uint16_t k = 0; k < 2; k++) {
			for (lurk_key key = 1; key < LURK_KEY_COUNT; key++)
				assert_false(w->down[k][key]);
			assert_false(lurk_engine_holds(&b->engine, k));
		}
		assert_int_equal(b->engine.held | b->engine.lifted_count, 0);
		texts += w->texts;
		taps += w->taps;
		free(w);
		free(b);
	}
	print_message("%u random events, %u texts, %u taps of modifiers alone\n", events, texts,
		      taps);
	assert_true(texts > as_often(250) && taps > as_often(1000));
}

/* ---- Rules of two owners ----------------------------------------------------------------------
 */

/* One owner's, with some for single keyboards; the third keyboard may be left alone by the rest. */
static void owned_rules(uint64_t *seed, char out[1024])
{
	static const char *const where[] = {"", "", "", " @1", " @2", " @3"};

	*out = '\0';
	for (size_t i = 0; i < COUNT(loud_presses); i++) {
		size_t n = strlen(out);

		if (random_next(seed) % 3 == 0)
			snprintf(out + n, 1024 - n, "%s>%s%s; ", loud_presses[i],
				 loud_results[random_next(seed) % COUNT(loud_results)],
				 where[random_next(seed) % COUNT(where)]);
	}
}

struct owned {
	struct test_rules rules;
	struct lurk_keymap *keymap;
	_Alignas(16) uint8_t memory[TEST_KEYMAP];
};

static enum lurk_error compile_owned(struct owned *o, uint16_t profile, uint16_t keyboard,
				     const struct lurk_compile_part *below)
{
	const struct lurk_compile_job job = {&o->rules.image, profile, keyboard,
					     LURK_WIRING_HID, false,   below};
	struct lurk_compile_report report;

	return lurk_compile(&job, o->memory, sizeof o->memory, &o->keymap, &report);
}

static void give_the_same(const struct owned *one, const struct owned *both, uint32_t below,
			  const char *name, uint8_t held)
{
	const lurk_key key = test_press(name).on.key;
	const lurk_scan scan = lurk_key_scan_on(key, LURK_WIRING_HID);
	const struct lurk_action *a = lurk_keymap_find_held(one->keymap, scan, key, held);
	const struct lurk_action *b = lurk_keymap_find_held(both->keymap, scan, key, held);

	if (a->gives != b->gives || a->key != b->key || a->steps.length != b->steps.length ||
	    (a->steps.length && memcmp(a->steps.bytes, b->steps.bytes, a->steps.length) != 0) ||
	    !a->rank != !b->rank || a->more != b->more || a->unless != b->unless ||
	    a->modifiers != b->modifiers)
		fail_msg("%s, %02x held: gives %u %s, not %u %s", name, held, a->gives,
			 lurk_key_name(a->key), b->gives, lurk_key_name(b->key));
	if (a->rank)
		assert_int_equal(a->rule + (a->below ? 0 : below), b->rule);
}

/* Rules below hold just as those of a profile that the one above is based on: so two images are
 * compared with one in which they are two such profiles. */
static void rules_below_hold_as_those_of_a_base(void **state)
{
	struct owned *own = calloc(1, sizeof *own), *both = calloc(1, sizeof *both);
	struct test_rules *computer = calloc(1, sizeof *computer);
	static const char *const names[] = {"KeyA", "KeyB",     "KeyC", "KeyD",
					    "KeyE", "CapsLock", "F1",   "ShiftLeft"};
	char text[2][1024], merged[2200];
	uint64_t seed = 77;
	unsigned compared = 0;

	(void)state;
	for (unsigned long round = 0; round < as_often(3000); round++) {
		const uint16_t keyboard = (uint16_t)(random_next(&seed) % 4);
		struct lurk_compile_part below = {&computer->image, 0, keyboard};

		owned_rules(&seed, text[0]);
		owned_rules(&seed, text[1]);
		snprintf(merged, sizeof merged, "%s|own/test; %s", text[0], text[1]);
		computer->apart = own->rules.apart = both->rules.apart = round % 2;
		test_rules_read(computer, text[0]);
		test_rules_read(&own->rules, text[1]);
		test_rules_read(&both->rules, merged);
		assert_int_equal(compile_owned(own, 0, keyboard, &below), LURK_OK);
		assert_int_equal(compile_owned(both, 1, keyboard, NULL), LURK_OK);
		assert_int_equal(own->keymap->minds_modifiers, both->keymap->minds_modifiers);
		for (size_t i = 0; i < COUNT(names); i++) {
			for (unsigned held = 0; held < LURK_SHAPE_SIZE; held += 1 + held % 7)
				give_the_same(own, both, computer->count, names[i], (uint8_t)held);
			compared++;
		}
	}
	print_message("%u keys compared\n", compared);
	free(computer);
	free(both);
	free(own);
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(presses_and_strokes),
		cmocka_unit_test(conflicts_are_found),
		cmocka_unit_test(many_rules_fit),
		cmocka_unit_test(limits_hold),
		cmocka_unit_test(held_keys_in_any_order),
		cmocka_unit_test(what_is_typed_is_marked),
		cmocka_unit_test(presses_are_put_together),
		cmocka_unit_test(what_is_odd_is_said),
		cmocka_unit_test(two_presses_are_compared),
		cmocka_unit_test(nothing_sticks_and_nothing_is_lost),
		cmocka_unit_test(modifiers_and_text),
		cmocka_unit_test(rules_below_hold_as_those_of_a_base),
	};

	cmocka_set_test_filter(getenv("LURK_TEST")); /* one of them alone, or all */
	return cmocka_run_group_tests_name("engine", tests, NULL, NULL);
}
