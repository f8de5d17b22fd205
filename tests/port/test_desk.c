/* The simulated desk itself: its files, its wires against the core's decoders, its layouts, and a
 * session on it under random fingers, rules and plugs. */
#include "../core/rules.h"
#include "rig.h"

#include "lurk/layout/layout.h"
#include "lurk/session.h"

/* A desk file below `desk: 1`, and what is said of it. */
static const struct {
	const char *text, *message;
} refused[] = {
	{"", "d:1:1: a desk has `keyboards:`, a name each"},
	{"colour: teal\n",
	 "d:2:1: a desk has no field `colour`; it can have desk, name, clock, layout, keyboards"},
	{"clock: noon\nkeyboards: {}\n", "d:2:8: `clock:` is a time such as 2031-05-04 05:30:00"},
	{"keyboards: [a]\n", "d:2:12: a desk has `keyboards:`, a name each"},
	{"keyboards:\n  a: {wired: radio}\n", "d:3:14: `wired:` is usb, set1, set2 or translated"},
	{"keyboards:\n  a: {product: fade}\n",
	 "d:3:16: `product:` is a vendor and a product such as \"fade:0001\""},
	{"keyboards:\n  a: {form: round}\n",
	 "d:3:13: `form:` is full, no-keypad, compact, pad or none"},
	{"keyboards:\n  a: {keys: F1}\n", "d:3:13: `keys:` takes a list of keys"},
	{"keyboards:\n  a: {keys: [F1, Capslok]}\n",
	 "d:3:18: `Capslok` is no key; did you mean CapsLock?"},
	{"keyboards:\n  a: {keys: [Alt]}\n", "d:3:14: a single key is expected"},
	{"keyboards:\n  a: {odd: [F1]}\n", "d:3:12: `odd:` takes a key a line"},
	{"keyboards:\n  a: {odd: {Fn: {}}}\n",
	 "d:3:13: the keyboard has no such key; say what it `sends`"},
	{"keyboards:\n  a: {odd: {F1: {sends: set1:3a}}}\n",
	 "d:3:25: a USB key sends a usage such as hid:07:a5 or hid:0c:e9, or nothing"},
	{"keyboards:\n  a: {odd: {F1: {sends: hid:01:82}}}\n",
	 "d:3:25: a USB key sends a usage such as hid:07:a5 or hid:0c:e9, or nothing"},
	{"keyboards:\n  a: {wired: set2, odd: {F1: {sends: set1:3a}}}\n",
	 "d:3:38: a PS/2 key sends a scan code of its set, such as set2:58, or nothing"},
	{"keyboards:\n  a: {odd: {F1: {presses-itself: often}}}\n",
	 "d:3:34: a time such as 40s is expected"},
	{"keyboards:\n  a: {odd: {F1: {press-only: often}}}\n",
	 "d:3:30: `press-only:` is true or false, not `often`"},
	{"keyboards:\n  a: {built-in: 1}\n", "d:3:17: `built-in:` is true or false, not `1`"},
	{"keyboards:\n  a: {radio: {produkt: x}}\n",
	 "d:3:15: `radio:` has no field `produkt`; did you mean `product`?"},
	{"keyboards:\n  a: {place: " /* 60 characters */
	 "123456789012345678901234567890123456789012345678901234567890}\n",
	 "d:3:14: `place:` takes a text of up to 47 characters"},
};

static void desks_are_read(void **state)
{
	static struct lurk_desk desk;
	struct lurk_message why;

	(void)state;
	for (size_t i = 0; i < COUNT(refused); i++) {
		char *text;

		assert_true(asprintf(&text, "desk: 1\n%s", refused[i].text) > 0);
		assert_false(lurk_desk_read(&desk, "d", text, strlen(text), &why));
		assert_string_equal(why.text, refused[i].message);
	}
	assert_false(lurk_desk_read(&desk, "d", strdup("desk: 2\n"), 8, &why));
	assert_string_equal(why.text, "d:1:7: a desk begins with `desk: 1`");
	assert_false(lurk_desk_read(&desk, "d", strdup(""), 0, &why));
}

static void times_are_read(void **state)
{
	static const struct {
		const char *text;
		int64_t us;
	} rows[] = {{"80ms", 80000}, {"2s", 2000000}, {"0s", 0},  {"", -1},    {"s", -1},
		    {"-1s", -1},     {"2", -1},       {"2m", -1}, {"2 s", -1}, {"9999999s", -1}};
	uint64_t us;

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		assert_int_equal(lurk_desk_time(rows[i].text, &us), rows[i].us >= 0);
		if (rows[i].us >= 0)
			assert_int_equal(us, rows[i].us);
	}
}

/* ---- Wires: what goes in at one end comes out at the other -------------------------------------
 */

static const enum lurk_desk_wired wirings[] = {LURK_WIRED_USB, LURK_WIRED_SET1, LURK_WIRED_SET2,
					       LURK_WIRED_TRANSLATED};

static lurk_scan as_wired(enum lurk_desk_wired wired, lurk_key key)
{
	uint8_t kind = wired == LURK_WIRED_USB    ? LURK_SCAN_HID
		       : wired == LURK_WIRED_SET1 ? LURK_SCAN_SET1
						  : LURK_SCAN_SET2;

	for (size_t i = 0; lurk_key_scan(key, i).kind; i++) {
		if (lurk_key_scan(key, i).kind == kind)
			return lurk_key_scan(key, i);
	}
	return (lurk_scan){0, LURK_SCAN_NONE};
}

struct receiver {
	struct lurk_ps2 ps2;
	struct lurk_hid hid;
	bool down[LURK_KEY_COUNT];
};

static void receive(struct receiver *r, enum lurk_desk_wired wired,
		    const struct lurk_wire_data *data)
{
	struct lurk_key_event e;

	if (wired == LURK_WIRED_USB) {
		assert_true(lurk_hid_feed(&r->hid, data->bytes, data->length));
		while (lurk_hid_next(&r->hid, &e))
			r->down[e.key] = e.state != LURK_UP;
		return;
	}
	for (unsigned i = 0; i < data->length; i++) {
		lurk_ps2_feed(&r->ps2, data->bytes[i]);
		while (lurk_ps2_next(&r->ps2, &e))
			r->down[e.key] = e.state != LURK_UP;
	}
}

/* Up to four keys at once, in every wiring, among them those that send something special. */
static void wires_carry_keys(void **state)
{
	static const lurk_key keys[] = {LURK_KEY_A,         LURK_KEY_SYSRQ,     LURK_KEY_PAUSE,
					LURK_KEY_LEFTALT,   LURK_KEY_LEFTCTRL,  LURK_KEY_RIGHTALT,
					LURK_KEY_LEFTSHIFT, LURK_KEY_F7,        LURK_KEY_HOME,
					LURK_KEY_KPENTER,   LURK_KEY_RIGHTMETA, LURK_KEY_102ND};
	uint64_t seed = 5;

	(void)state;
	for (size_t w = 0; w < COUNT(wirings); w++) {
		struct receiver *r = calloc(1, sizeof *r);
		bool held[COUNT(keys)] = {false};
		struct lurk_wire wire;
		unsigned count = 0;

		lurk_wire_init(&wire, wirings[w]);
		lurk_ps2_init(&r->ps2, wirings[w] == LURK_WIRED_SET2 ? 2 : 1);
		lurk_hid_init(&r->hid, LURK_HID_BOOT);
		for (unsigned step = 0; step < 20000; step++) {
			unsigned i = random_next(&seed) % COUNT(keys);
			struct lurk_wire_data data;

			if (!held[i] && count == 4)
				continue;
			held[i] = !held[i];
			count += held[i] ? 1U : -1U;
			lurk_wire_send(&wire, as_wired(wirings[w], keys[i]),
				       held[i] ? LURK_DOWN : LURK_UP, &data);
			receive(r, wirings[w], &data);
			/* Pause is never held on PS/2, and PrintScreen's code depends on what is
			 * held with it. */
			for (size_t k = 0; k < COUNT(keys); k++) {
				if (wirings[w] != LURK_WIRED_USB &&
				    (keys[k] == LURK_KEY_PAUSE || keys[k] == LURK_KEY_SYSRQ))
					continue;
				if (r->down[keys[k]] != held[k])
					fail_msg("wiring %zu: %s is %s", w, lurk_key_name(keys[k]),
						 held[k] ? "lost" : "stuck");
			}
		}
		free(r);
	}
}

static void every_key_of_a_wiring_arrives(void **state)
{
	(void)state;
	for (size_t w = 0; w < COUNT(wirings); w++) {
		unsigned keys = 0;

		for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
			lurk_scan scan = as_wired(wirings[w], key);
			struct receiver *r = calloc(1, sizeof *r);
			struct lurk_wire_data data;
			struct lurk_wire wire;

			lurk_wire_init(&wire, wirings[w]);
			lurk_ps2_init(&r->ps2, wirings[w] == LURK_WIRED_SET2 ? 2 : 1);
			lurk_hid_init(&r->hid,
				      scan.code >> 16 == 0x0c ? LURK_HID_CONSUMER : LURK_HID_BOOT);
			if (scan.kind && scan.code >> 16 != 0x01 && scan.code != 0xf1 &&
			    scan.code != 0xf2 && key != LURK_KEY_PAUSE) {
				lurk_wire_send(&wire, scan, LURK_DOWN, &data);
				receive(r, wirings[w], &data);
				assert_true(r->down[key]);
				lurk_wire_send(&wire, scan, LURK_UP, &data);
				receive(r, wirings[w], &data);
				assert_false(r->down[key]);
				keys++;
			}
			free(r);
		}
		assert_true(keys > 130);
	}
}

/* ---- Layouts ------------------------------------------------------------------------------------
 */

/* Every printable ASCII character that the layout's keys give comes out when its key is pressed. */
static void characters_come_back(void **state)
{
	static const char *const names[] = {"us", "gb", "de", "fr", "us:dvorak"};
	struct lurk_message why;

	(void)state;
	assert_null(lurk_layout_open("xyzzy", &why));
	assert_string_equal(
		why.text, "there is no layout `xyzzy`; write one such as us, gb or de:nodeadkeys");
	for (size_t i = 0; i < COUNT(names); i++) {
		struct lurk_layout *layout = lurk_layout_open(names[i], &why);
		struct lurk_characters characters = lurk_layout_characters(layout);
		unsigned found = 0;

		for (uint32_t c = '!'; c < 127; c++) {
			char text[LURK_LAYOUT_TEXT], none[LURK_LAYOUT_TEXT];
			uint16_t modifiers;
			lurk_key key;

			if (!characters.find(characters.data, c, &key, &modifiers))
				continue;
			if (modifiers & LURK_MOD_SHIFT)
				lurk_layout_key(layout, LURK_KEY_LEFTSHIFT, LURK_DOWN, none);
			if (modifiers & LURK_MOD_RIGHT_ALT)
				lurk_layout_key(layout, LURK_KEY_RIGHTALT, LURK_DOWN, none);
			lurk_layout_key(layout, key, LURK_DOWN, text);
			if (!*text) { /* a dead key, which has it on its cap */
				lurk_layout_key(layout, key, LURK_UP, none);
				lurk_layout_key(layout, key, LURK_DOWN, text);
			}
			assert_int_equal(text[0], c);
			lurk_layout_reset(layout);
			found++;
		}
		assert_int_equal(found, 127 - '!');
		lurk_layout_close(layout);
	}
}

/* ---- A session under random fingers
 * -------------------------------------------------------------- */

enum { IMAGE = 8192, KEYMAPS = 1 << 16, STEPS = 12000 };

static const char *const labels[] = {"CapsLock", "Enter", "AltLeft", "AltRight",
				     "MetaLeft", "KeyA",  "Tab",     "Delete"};

struct world {
	struct sim_rig *rig;
	struct lurk_session session;
	struct lurk_session_memory memory;
	struct lurk_session_keyboard keyboards[2];
	struct lurk_engine_keyboard engines[2];
	uint8_t images[2][IMAGE];
	_Alignas(16) uint8_t keymaps[2][KEYMAPS];
	bool held[2][COUNT(labels)];
	struct test_rules rules;
};

static void settle(struct world *w)
{
	lurk_session_run(&w->session);
}

static void finger(struct world *w, unsigned keyboard, unsigned key, bool down)
{
	if (!lurk_sim_plugged(w->rig->sim, keyboard) || w->held[keyboard][key] == down)
		return;
	w->held[keyboard][key] = down;
	sim_rig_key(w->rig, keyboard, labels[key], down);
	settle(w);
	w->rig->length = 0; /* what the programs got is not looked at here */
}

static void random_apply(struct world *w, uint64_t *seed)
{
	static const char *const pool[] = {
		"CapsLock>Insert",  "Control<>Meta",       "CapsLock<>Tab",
		"Delete>nothing",   "KeyA>Delete",         "CapsLock>Control",
		"any Insert>Tab",   "KeyA>LaunchMail",     "ControlLeft>ControlRight",
		"hid:07:39>Insert", "CapsLock>nothing @1", "KeyA<>Tab @2",
		"Control<>Meta @2", "Insert>itself @1",    "set2:58>Escape",
	};
	struct lurk_apply_report report;
	char text[256] = "";

	for (unsigned n = random_next(seed) % 4; n; n--) {
		strcat(text, pool[random_next(seed) % COUNT(pool)]);
		strcat(text, ";");
	}
	test_rules_read(&w->rules, text);
	/* Some are in conflict: then nothing changes. */
	lurk_session_apply(&w->session, NULL, w->rules.bytes, w->rules.length, LURK_NO_TEXT,
			   &report);
	settle(w);
}

static void fingers_off(struct world *w)
{
	for (unsigned k = 0; k < 2; k++) {
		for (unsigned i = 0; i < COUNT(labels); i++)
			finger(w, k, i, false);
	}
}

/* The rules in force do what they say, by table or relay. */
static void agree(struct world *w)
{
	for (unsigned k = 0; k < 2; k++) {
		for (unsigned i = 0; i < COUNT(labels); i++) {
			const struct lurk_session_keyboard *keyboard = &w->keyboards[k];
			lurk_key key = test_press(labels[i]).on.key, gives = key;
			char expected[128] = "";

			if (!keyboard->present)
				continue;
			if (keyboard->keymap)
				gives = lurk_action_key(
					lurk_keymap_find(
						keyboard->keymap,
						as_wired(k ? LURK_WIRED_SET1 : LURK_WIRED_USB, key),
						key),
					key);
			if (gives)
				snprintf(expected, sizeof expected, "%s+ %s- ",
					 lurk_key_name(gives), lurk_key_name(gives));
			sim_rig_got(w->rig);
			sim_rig_key(w->rig, k, labels[i], true);
			settle(w);
			sim_rig_key(w->rig, k, labels[i], false);
			settle(w);
			assert_string_equal(sim_rig_got(w->rig), expected);
		}
	}
}

static void random_step(struct world *w, uint64_t *seed)
{
	unsigned k = random_next(seed) % 2, what = random_next(seed) % 100;

	if (what < 90)
		finger(w, k, random_next(seed) % COUNT(labels), random_next(seed) % 2);
	else if (what < 95)
		random_apply(w, seed);
	else if (what < 98 && lurk_sim_plugged(w->rig->sim, k))
		lurk_sim_unplug(w->rig->sim, k);
	else
		lurk_sim_plug(w->rig->sim, k, false, NULL);
	if (what >= 95)
		memset(w->held[k], 0, sizeof w->held[k] * !lurk_sim_plugged(w->rig->sim, k));
	settle(w);
}

static void nothing_sticks_on_a_desk(void **state)
{
	struct world *w = calloc(1, sizeof *w);
	uint64_t seed = 1717;

	(void)state;
	w->rig = sim_rig_make("  wagtail: {wired: usb, product: \"fade:0001\"}\n"
			      "  heron: {wired: translated, product: \"fade:0002\"}\n");
	w->memory = (struct lurk_session_memory){
		.keyboards = w->keyboards,
		.engine_keyboards = w->engines,
		.keyboard_count = 2,
		.images = {w->images[0], w->images[1]},
		.image_size = IMAGE,
		.keymaps = {w->keymaps[0], w->keymaps[1]},
		.keymap_size = KEYMAPS,
	};
	assert_int_equal(lurk_session_start(&w->session, &w->memory, w->rig->rig.port), LURK_OK);
	settle(w);
	for (unsigned step = 1; step <= STEPS; step++) {
		random_step(w, &seed);
		if (step % 100)
			continue;
		fingers_off(w);
		if (lurk_sim_anything_down(w->rig->sim))
			fail_msg("after %u steps something is down", step);
		agree(w);
	}
	sim_rig_end(w->rig);
	free(w);
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(desks_are_read),
		cmocka_unit_test(times_are_read),
		cmocka_unit_test(wires_carry_keys),
		cmocka_unit_test(every_key_of_a_wiring_arrives),
		cmocka_unit_test(characters_come_back),
		cmocka_unit_test(nothing_sticks_on_a_desk),
	};

	return cmocka_run_group_tests_name("desk", tests, NULL, NULL);
}
