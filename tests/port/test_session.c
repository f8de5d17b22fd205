/* The session on the simulated desk: rules into force by table and relay, with keys held, with
 * keyboards coming and going, and with a machine that refuses. */
#include "../core/rules.h"
#include "refusing.h"
#include "rig.h"

#include "lurk/session.h"

enum { IMAGE = 8192, KEYMAPS = 1 << 16, KEYBOARDS = 4 };

struct bench {
	struct sim_rig *rig;
	struct refusing refusing;
	unsigned calls, refuse_at; /* the n-th change is refused, 0 for none */
	SESSION_FIELDS(KEYBOARDS, IMAGE, KEYMAPS)
	struct test_rules rules;
	struct lurk_apply_report report;
};

static bool refuses(void *data, enum refusable call)
{
	struct bench *b = data;

	return call <= REFUSE_TABLE && ++b->calls == b->refuse_at;
}

static void settle(struct bench *b)
{
	lurk_session_run(&b->session);
}

static void start(struct bench *b)
{
	assert_int_equal(lurk_session_start(&b->session, &b->memory, &b->refusing.port), LURK_OK);
	settle(b);
}

static struct bench *make(const char *keyboards)
{
	struct bench *b = calloc(1, sizeof *b);

	b->rig = sim_rig_make(keyboards);
	b->refusing = (struct refusing){.real = b->rig->rig.port, .refuses = refuses, .data = b};
	refusing_init(&b->refusing);
	b->memory = SESSION_MEMORY(b);
	start(b);
	return b;
}

static void end(struct bench *b)
{
	lurk_session_stop(&b->session);
	sim_rig_end(b->rig);
	free(b);
}

static enum lurk_error apply_with(struct bench *b, const char *profile)
{
	return lurk_session_apply(&b->session, NULL, b->rules.bytes, b->rules.length,
				  (struct lurk_text){profile, strlen(profile)}, &b->report);
}

/* `table` or `relay` before the rules asks for that way. */
static enum lurk_error apply(struct bench *b, const char *rules)
{
	bool table = !strncmp(rules, "table ", 6), relay = !strncmp(rules, "relay ", 6);

	test_rules_read(&b->rules, rules + (table || relay ? 6 : 0));
	b->rules.way = table ? LURK_WAY_TABLE : relay ? LURK_WAY_RELAY : LURK_WAY_PLAIN;
	assert_int_equal(test_rules_image(&b->rules), LURK_OK);
	return apply_with(b, "");
}

/* Lets so many milliseconds pass, and the session do what is due then. */
static void pass(struct bench *b, unsigned ms)
{
	uint64_t until = lurk_sim_now(b->rig->sim) + ms * UINT64_C(1000);

	for (;;) {
		uint64_t due = lurk_session_deadline(&b->session);
		bool more = lurk_sim_pass(b->rig->sim, due < until ? due : until);

		settle(b);
		if (!more && due >= until)
			return;
	}
}

/* "+CapsLock -CapsLock" on keyboard 0, "+1:KeyA" on another, "~90" for 90 ms; what the programs
 * got. */
static void press(struct bench *b, const char *presses)
{
	char copy[512], *rest = copy, *one;

	snprintf(copy, sizeof copy, "%s", presses);
	while ((one = strsep(&rest, " "))) {
		bool elsewhere = *one && one[1] && one[2] == ':';
		unsigned keyboard = elsewhere ? (unsigned)(one[1] - '0') : 0;

		if (*one == '~')
			pass(b, (unsigned)atoi(one + 1));
		else if (*one)
			sim_rig_key(b->rig, keyboard, one + (elsewhere ? 3 : 1), *one == '+');
		settle(b);
	}
}

static void play(struct bench *b, const char *presses, const char *expected)
{
	const char *got;

	press(b, presses);
	got = sim_rig_got(b->rig);
	if (strcmp(got, expected))
		fail_msg("%s: %s, not %s", presses, got, expected);
}

#define USB "  wagtail: {wired: usb, product: \"fade:0001\", place: usb-1}\n"
#define USB_TWICE \
	"  wagtail: {wired: usb, product: \"fade:0001\", place: usb-1, declares-twice: true}\n"
#define TRANSLATED "  heron: {wired: translated, product: \"fade:0001\", built-in: true}\n"
#define SET2 "  heron: {wired: set2, built-in: true}\n"

/* Desk, rules, the way chosen and why, presses, what the programs get. */
static const struct {
	const char *desk, *rules;
	uint8_t way, reason;
	const char *presses, *got;
} ways[] = {
	{USB, "", LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, "+KeyA -KeyA", "KeyA+ KeyA- "},
	{USB, "CapsLock>Escape @2", LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, "+CapsLock -CapsLock",
	 "CapsLock+ CapsLock- "},
	{USB, "Control<>Meta @1", LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 "+ControlLeft +MetaRight -ControlLeft -MetaRight",
	 "MetaLeft+ ControlRight+ MetaLeft- ControlRight- "},
	{USB, "Delete<>Insert", LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 "+Delete -Delete +KeyA -KeyA", "Insert+ Insert- KeyA+ KeyA- "},
	/* Programs that start now would never learn of Delete. */
	{USB, "Delete>nothing", LURK_WAY_RELAY, LURK_BECAUSE_FORGOTTEN,
	 "+Delete -Delete +KeyA -KeyA", "KeyA+ KeyA- "},
	{USB, "table Delete>nothing", LURK_WAY_TABLE, LURK_BECAUSE_FORGOTTEN,
	 "+Delete -Delete +KeyA -KeyA", "KeyA+ KeyA- "},
	{USB_TWICE, "CapsLock<>Escape", LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 "+CapsLock -CapsLock", "Escape+ Escape- "},
	{USB, "CapsLock>Insert", LURK_WAY_RELAY, LURK_BECAUSE_TWICE,
	 "+CapsLock +Insert -CapsLock -Insert", "Insert+ Insert- "},
	{USB, "CapsLock>LaunchMail", LURK_WAY_RELAY, LURK_BECAUSE_UNDECLARED, "+CapsLock -CapsLock",
	 "LaunchMail+ LaunchMail- "},
	{USB, "hid:07:a5>KeyA; KeyA>nothing", LURK_WAY_RELAY, LURK_BECAUSE_NOT_IN_TABLE,
	 "+KeyA -KeyA", ""},
	/* Asked for. By the table either key's release ends what both give. */
	{USB, "relay CapsLock<>Escape", LURK_WAY_RELAY, LURK_BECAUSE_ASKED,
	 "+CapsLock -CapsLock +KeyA -KeyA", "Escape+ Escape- KeyA+ KeyA- "},
	{USB, "relay ", LURK_WAY_PLAIN, LURK_BECAUSE_NO_RULE, "+KeyA -KeyA", "KeyA+ KeyA- "},
	{USB, "table CapsLock>Insert", LURK_WAY_TABLE, LURK_BECAUSE_TWICE,
	 "+CapsLock +Insert -CapsLock -Insert", "Insert+ Insert- "},
	{USB, "table hid:07:a5>KeyA", LURK_WAY_TABLE, LURK_BECAUSE_NOT_IN_TABLE, "+KeyA -KeyA",
	 "KeyA+ KeyA- "},
	{TRANSLATED, "CapsLock<>Escape", LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 "+CapsLock -CapsLock", "Escape+ Escape- "},
	{TRANSLATED, "set2:58>Tab; Tab>CapsLock", LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 "+CapsLock -CapsLock +Tab -Tab", "Tab+ Tab- CapsLock+ CapsLock- "},
	/* Where the table would hide a key of the off chord. */
	{TRANSLATED, "set2:58>Escape; Escape>nothing", LURK_WAY_RELAY, LURK_BECAUSE_CHORD,
	 "+CapsLock -CapsLock", "Escape+ Escape- "},
	{TRANSLATED, "PrintScreen<>Pause", LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 "+PrintScreen -PrintScreen +Pause", "Pause+ Pause- PrintScreen+ PrintScreen- "},
	{SET2, "set1:3a>Escape; raw:0x76>CapsLock", LURK_WAY_TABLE, LURK_BECAUSE_ONE_TO_ONE,
	 "+CapsLock -CapsLock +Escape -Escape", "Escape+ Escape- CapsLock+ CapsLock- "},
};

static void the_way_fits_the_rules(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(ways); i++) {
		struct bench *b = make(ways[i].desk);
		const struct lurk_way_choice *choice = &b->keyboards[0].choice;

		assert_int_equal(apply(b, ways[i].rules), LURK_OK);
		if (choice->way != ways[i].way || choice->reason != ways[i].reason)
			fail_msg("%s: way %u for reason %u", ways[i].rules, choice->way,
				 choice->reason);
		play(b, ways[i].presses, ways[i].got);
		assert_false(lurk_sim_anything_down(b->rig->sim));
		end(b);
	}
}

#define TWO USB "  dipper: {wired: usb, product: \"fade:0003\", place: usb-2}\n"

/* Rules that need more than one event, on two keyboards of which those for @1 leave the second one
 * in the table way, or plain: its modifiers count all the same, and are lifted. Commands: `!1` uses
 * a profile, `!p` the one before. */
static const struct {
	const char *rules, *presses, *got;
} more[] = {
	{"Pause>Meta+KeyC", "+Pause -Pause", "MetaLeft+ KeyC+ KeyC- MetaLeft- "},
	{"F1>\"Ab\"", "+F1 -F1 +KeyX -KeyX ~100",
	 "ShiftLeft+ KeyA+ KeyA- ShiftLeft- KeyB+ KeyB- KeyX+ KeyX- "},
	{"F1>\"Ab\" @1", "+1:ShiftLeft +F1 -F1 ~100 -1:ShiftLeft +1:KeyX -1:KeyX",
	 "ShiftLeft+ ShiftLeft+ ShiftLeft- KEY_UNKNOWN+ KEY_UNKNOWN- "
	 "ShiftLeft- ShiftLeft+ KeyA+ KeyA- ShiftLeft- KeyB+ KeyB- ShiftLeft+ KEY_UNKNOWN+ "
	 "KEY_UNKNOWN- ShiftLeft- KeyX+ KeyX- "},
	{"Shift+Digit3>KeyX @1", "+1:ShiftLeft +Digit3 -Digit3 +1:KeyB -1:KeyB -1:ShiftLeft",
	 "ShiftLeft+ ShiftLeft+ ShiftLeft- KEY_UNKNOWN+ KEY_UNKNOWN- "
	 "ShiftLeft- KeyX+ KeyX- ShiftLeft+ KeyB+ KeyB- ShiftLeft- "},
	{"Control+KeyE>nothing @1", "+1:ControlLeft +KeyE -KeyE -1:ControlLeft +KeyE -KeyE",
	 "ControlLeft+ KEY_UNKNOWN+ KEY_UNKNOWN- ControlLeft- KeyE+ KeyE- "},
	{"only KeyH>ArrowLeft @1", "+1:AltLeft +KeyH -KeyH -1:AltLeft +KeyH -KeyH",
	 "AltLeft+ KeyH+ KeyH- AltLeft- ArrowLeft+ ArrowLeft- "},
	/* A modifier is what the table makes of it. */
	{"CapsLock<>ControlLeft @3; Control+KeyE>KeyX @1",
	 "+1:CapsLock +KeyE -KeyE -1:CapsLock +1:ControlLeft +KeyE -KeyE -1:ControlLeft",
	 "ControlLeft+ ControlLeft+ ControlLeft- KEY_UNKNOWN+ "
	 "KEY_UNKNOWN- ControlLeft- KeyX+ KeyX- ControlLeft+ KEY_UNKNOWN+ KEY_UNKNOWN- "
	 "ControlLeft- CapsLock+ KeyE+ KeyE- CapsLock- "},
	/* Caps Lock does not spoil text, nor get lost. */
	{"F1>\"ab\"", "+CapsLock -CapsLock +F1 -F1 ~100",
	 "CapsLock+ CapsLock- CapsLock+ CapsLock- KeyA+ KeyA- KeyB+ KeyB- CapsLock+ CapsLock- "},
	/* The off chord ends text; both are physical. */
	{"F1>\"abcdefghijklmnopqrstuvwxyz\"; Escape>nothing",
	 "+F1 -F1 +ShiftLeft +ShiftRight +Escape ~2100 +KeyX -KeyX -ShiftLeft -ShiftRight -Escape",
	 "KeyA+ KeyA- KeyB+ KeyB- KeyC+ KeyC- KeyD+ KeyD- KeyX+ KeyX- "},
	{"KeyA>KeyB; F12>=dusk; |dusk/test; KeyA>KeyC; KeyW>PageUp; F12>=previous",
	 "+KeyA -KeyA +F12 -F12 +KeyA +KeyW -KeyA +F12 -KeyW -F12 +KeyA -KeyA +KeyW -KeyW",
	 "KeyB+ KeyB- KeyC+ PageUp+ KeyC- PageUp- KeyB+ KeyB- KeyW+ KeyW- "},
	/* Into a profile that the table can do, and back: held keys end with their keyboard's way.
	 */
	{"F12>=plain; |plain; KeyA<>KeyB", "+KeyX +F12 -F12 -KeyX +KeyA -KeyA !p +KeyA -KeyA",
	 "KeyX+ KeyX- KeyB+ KeyB- KeyA+ KeyA- "},
	{"KeyA>KeyB; |dusk/test; KeyA>KeyC",
	 "+KeyA !1 -KeyA +KeyA -KeyA !0 +KeyA -KeyA !p +KeyA -KeyA",
	 "KeyB+ KeyB- KeyC+ KeyC- KeyB+ KeyB- KeyC+ KeyC- "},
	/* Applied again with a profile to start in; its previous one is what it is based on. */
	{"KeyA>KeyB; |dusk/test; KeyA>KeyC",
	 "!=dusk +KeyA -KeyA !p +KeyA -KeyA !=DUSK !=nowhere +KeyA -KeyA",
	 "KeyC+ KeyC- KeyB+ KeyB- KeyB+ KeyB- "},
	{"Delete>nothing; F9>toggle",
	 "+Delete -Delete +F9 -F9 +Delete -Delete +F9 +Delete -F9 -Delete", "Delete+ Delete- "},
};

static void more_than_keys(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(more); i++) {
		struct bench *b = make(TWO);
		char copy[512], *rest = copy, *one;
		const char *got;

		assert_int_equal(apply(b, more[i].rules), LURK_OK);
		press(b, "+KeyZ -KeyZ +1:KeyZ -1:KeyZ"); /* both were used */
		sim_rig_got(b->rig);
		snprintf(copy, sizeof copy, "%s", more[i].presses);
		while ((one = strsep(&rest, " "))) {
			if (*one == '!' && one[1] == '=')
				assert_int_equal(apply_with(b, one + 2), LURK_OK);
			else if (*one == '!')
				assert_int_equal(
					lurk_session_use(&b->session, NULL,
							 one[1] == 'p' ? LURK_PREVIOUS
								       : (uint16_t)(one[1] - '0'),
							 &b->report),
					LURK_OK);
			else
				press(b, one);
		}
		got = sim_rig_got(b->rig);
		if (strcmp(got, more[i].got))
			fail_msg("%s: %s: %s, not %s", more[i].rules, more[i].presses, got,
				 more[i].got);
		assert_false(lurk_sim_anything_down(b->rig->sim));
		pass(b, LURK_IDLE_US / 1000);
		for (uint16_t k = 0; k < 2; k++) {
			if (b->keyboards[k].taken != (b->keyboards[k].choice.way == LURK_WAY_RELAY))
				fail_msg("%s: %s: keyboard %u is %s", more[i].rules,
					 more[i].presses, k,
					 b->keyboards[k].taken ? "taken" : "free");
		}
		end(b);
	}
}

static void without_spacers(const char *got, char *out, size_t size)
{
	static const char spacer[] = "KEY_UNKNOWN+ KEY_UNKNOWN- ";
	size_t n = 0;

	while (*got && n + 1 < size) {
		if (!strncmp(got, spacer, sizeof spacer - 1))
			got += sizeof spacer - 1;
		else
			out[n++] = *got++;
	}
	out[n] = '\0';
}

/* The same rules and presses by the table and by the relay: programs get the same. */
static void both_ways_give_the_same(void **state)
{
	static const char *const keys[] = {"KeyA",      "KeyB",     "CapsLock", "Escape",
					   "ShiftLeft", "AltRight", "MetaLeft", "Delete",
					   "Tab",       "Enter"};
	uint64_t seed = 7;
	unsigned compared = 0;

	(void)state;
	for (unsigned round = 0; round < as_often(60); round++) {
		struct bench *table = make(USB), *relay = make(USB);
		char rules[256] = "relay ", by_table[256], presses[512] = "", got[2048],
		     by_relay[2048];
		unsigned order[COUNT(keys)], n;

		for (unsigned i = 0; i < COUNT(keys); i++)
			order[i] = i;
		for (unsigned i = COUNT(keys) - 1; i; i--) {
			unsigned other = random_next(&seed) % (i + 1), kept = order[i];

			order[i] = order[other];
			order[other] = kept;
		}
		for (unsigned i = 0; i + 1 < COUNT(keys) - 2; i += 2) {
			n = (unsigned)strlen(rules);
			if (random_next(&seed) % 3)
				snprintf(rules + n, sizeof rules - n, "%s<>%s; ", keys[order[i]],
					 keys[order[i + 1]]);
			else if (strcmp(keys[order[i]], "Escape") &&
				 strcmp(keys[order[i]], "ShiftLeft"))
				snprintf(rules + n, sizeof rules - n, "%s>nothing; ",
					 keys[order[i]]);
		}
		snprintf(by_table, sizeof by_table, "table %s", rules + strlen("relay "));
		assert_int_equal(apply(table, by_table), LURK_OK);
		assert_int_equal(apply(relay, rules), LURK_OK);
		for (unsigned i = 0; i < 30; i++) {
			n = (unsigned)strlen(presses);
			snprintf(presses + n, sizeof presses - n, "%c%s ",
				 "+-"[random_next(&seed) % 2],
				 keys[random_next(&seed) % COUNT(keys)]);
		}
		compared += table->keyboards[0].choice.way == LURK_WAY_TABLE &&
			    relay->keyboards[0].choice.way == LURK_WAY_RELAY;
		press(table, presses);
		snprintf(got, sizeof got, "%s", sim_rig_got(table->rig));
		press(relay, presses);
		/* By the table nothing comes between a modifier and a key that is dead. */
		without_spacers(sim_rig_got(relay->rig), by_relay, sizeof by_relay);
		if (strcmp(got, by_relay))
			fail_msg("%s: by the table %s, by the relay %s", presses, got, by_relay);
		end(table);
		end(relay);
	}
	assert_true(compared * 60UL > 40 * as_often(60));
}

static void a_nameless_key_gets_a_job(void **state)
{
	struct bench *b = make("  curlew: {wired: usb, product: \"fade:0001\", odd: {Feather: "
			       "{sends: \"hid:07:a5\"}, "
			       "Reed: {sends: \"hid:07:a6\"}}}\n");

	(void)state;
	play(b, "+Feather -Feather", "");
	assert_int_equal(apply(b, "hid:07:a5>F13"), LURK_OK);
	assert_int_equal(b->keyboards[0].choice.way, LURK_WAY_RELAY);
	play(b, "+Feather -Feather", "F13+ F13- ");
	/* Two of them that give one key would not be counted by the table. */
	assert_int_equal(apply(b, "hid:07:a5>KeyA; hid:07:a6>KeyA; KeyA>nothing"), LURK_OK);
	assert_int_equal(b->keyboards[0].choice.reason, LURK_BECAUSE_TWICE);
	play(b, "+Feather +Reed -Feather -Reed", "KeyA+ KeyA- ");
	end(b);
}

/* A key that never comes up, on a PS/2 keyboard: the kernel tells its second press, and all after
 * it, as repeats. Each acts; a key that is only held is not pressed again by its repeats. */
static void each_press_of_a_key_that_never_comes_up_acts(void **state)
{
	struct bench *b =
		make("  heron: {wired: translated, product: \"fade:0001\", built-in: true, "
		     "odd: {Perch: {sends: \"set2:2f\", press-only: true}}}\n");
	const lurk_key key = lurk_scan_key((lurk_scan){0x2f, LURK_SCAN_SET2});
	const struct lurk_quirk quirk = {LURK_QUIRK_PRESS_ONLY, key};
	const struct lurk_recogniser ps2 = {.bus = LURK_BUS_PS2};
	const struct lurk_keyboard heron = {{"heron", 5}, &ps2, &quirk, 1, 1, false};
	const struct lurk_profile profile = {.name = {"test", 4}, .word = {"test", 4}};
	const struct lurk_image_parts parts = {&profile, 1, &heron, 1};
	char expected[128];
	size_t length;

	(void)state;
	assert_int_equal(lurk_image_write(&parts, b->rules.bytes, sizeof b->rules.bytes, &length),
			 LURK_OK);
	b->rules.length = length;
	assert_int_equal(apply_with(b, ""), LURK_OK);
	assert_int_equal(b->keyboards[0].choice.way, LURK_WAY_RELAY);
	snprintf(expected, sizeof expected, "%s+ %s- %s+ %s- ", lurk_key_name(key),
		 lurk_key_name(key), lurk_key_name(key), lurk_key_name(key));
	play(b, "+Perch -Perch +Perch -Perch", expected);
	play(b, "+KeyC ~2000 -KeyC", "KeyC+ KeyC- ");
	end(b);
}

/* Rules that change while keys are held, by each way into each other. */
static const char *const sets[] = {"", "CapsLock<>Tab", "CapsLock>nothing", "CapsLock>Insert",
				   "CapsLock>Space"};

static void nothing_sticks_when_rules_change(void **state)
{
	(void)state;
	for (size_t from = 0; from < COUNT(sets); from++) {
		for (size_t to = 0; to < COUNT(sets); to++) {
			for (int translated = 0; translated < 2; translated++) {
				struct bench *b = make(translated ? TRANSLATED : USB);

				apply(b, sets[from]);
				sim_rig_key(b->rig, 0, "CapsLock", true);
				settle(b);
				assert_int_equal(apply(b, sets[to]), LURK_OK);
				settle(b);
				sim_rig_key(b->rig, 0, "CapsLock", false);
				settle(b);
				if (lurk_sim_anything_down(b->rig->sim))
					fail_msg("from \"%s\" to \"%s\": %s", sets[from], sets[to],
						 b->rig->got);
				/* And from now on the new rules hold, whatever the way. */
				sim_rig_got(b->rig);
				play(b, "+CapsLock -CapsLock",
				     to == 0   ? "CapsLock+ CapsLock- "
				     : to == 1 ? "Tab+ Tab- "
				     : to == 2 ? ""
				     : to == 3 ? "Insert+ Insert- "
					       : "Space+ Space- ");
				end(b);
			}
		}
	}
}

static void a_stuck_key_can_be_disabled(void **state)
{
	struct bench *b = make(USB);

	(void)state;
	sim_rig_key(b->rig, 0, "Delete", true); /* and never up again */
	settle(b);
	assert_int_equal(apply(b, "Delete>nothing"), LURK_OK);
	assert_string_equal(sim_rig_got(b->rig), "Delete+ ");
	pass(b, LURK_PATIENCE_US / 1000); /* nobody waits for ever for a key to come up */
	assert_string_equal(sim_rig_got(b->rig), "Delete- ");
	assert_false(lurk_sim_anything_down(b->rig->sim));
	end(b);
}

static void keyboards_come_and_go(void **state)
{
	struct bench *b = make(USB "  dipper: {wired: usb, product: \"fade:0002\", place: usb-2, "
				   "radio: {product: \"fade:0003\"}}\n");

	(void)state;
	apply(b, "CapsLock>Insert; KeyA>KeyB @3");
	play(b, "+CapsLock", "Insert+ ");
	lurk_sim_unplug(b->rig->sim, 0);
	settle(b);
	assert_string_equal(sim_rig_got(b->rig), "Insert- ");
	assert_false(b->keyboards[0].present);
	lurk_sim_plug(b->rig->sim, 0, false, "usb-9");
	settle(b);
	play(b, "+CapsLock -CapsLock", "Insert+ Insert- ");
	/* By radio it is another described keyboard, with rules of its own. */
	play(b, "+1:KeyA -1:KeyA", "KeyA+ KeyA- ");
	lurk_sim_unplug(b->rig->sim, 1);
	lurk_sim_plug(b->rig->sim, 1, true, NULL);
	settle(b);
	play(b, "+1:KeyA -1:KeyA", "KeyB+ KeyB- ");
	/* Plugged in and out before anybody looked. */
	lurk_sim_unplug(b->rig->sim, 1);
	lurk_sim_plug(b->rig->sim, 1, false, NULL);
	lurk_sim_unplug(b->rig->sim, 1);
	settle(b);
	assert_false(b->keyboards[1].present);
	assert_false(lurk_sim_anything_down(b->rig->sim));
	end(b);
}

static void rules_hold_after_a_reboot(void **state)
{
	struct bench *b = make(USB);

	(void)state;
	assert_null(lurk_session_image(&b->session, 0));
	apply(b, "CapsLock>Insert");
	apply(b, "CapsLock>Tab");
	lurk_sim_boot(b->rig->sim);
	start(b);
	assert_int_equal(lurk_session_image(&b->session, 0)->sequence, 2);
	play(b, "+CapsLock -CapsLock", "Tab+ Tab- ");
	lurk_session_stop(&b->session);
	play(b, "+CapsLock -CapsLock", "CapsLock+ CapsLock- ");
	end(b);
}

static void switched_off_and_on(void **state)
{
	/* By table; by relay. */
	static const char *const rules[] = {"CapsLock>Tab; Tab>nothing", "CapsLock>Tab"};

	(void)state;
	for (size_t i = 0; i < COUNT(rules); i++) {
		struct bench *b =
			make(USB "  late: {wired: usb, product: \"fade:0002\", away: true}\n");

		apply(b, rules[i]);
		play(b, "+CapsLock", "Tab+ ");
		assert_int_equal(lurk_session_switch(&b->session, NULL, true, &b->report), LURK_OK);
		play(b, "-CapsLock +CapsLock -CapsLock", "Tab- CapsLock+ CapsLock- ");
		lurk_sim_plug(b->rig->sim, 1, false, NULL);
		settle(b);
		play(b, "+1:CapsLock -1:CapsLock", "CapsLock+ CapsLock- ");
		assert_int_equal(lurk_session_switch(&b->session, NULL, false, &b->report),
				 LURK_OK);
		play(b, "+CapsLock -CapsLock +1:CapsLock -1:CapsLock", "Tab+ Tab- Tab+ Tab- ");
		lurk_session_switch(&b->session, NULL, true, &b->report);
		assert_int_not_equal(apply(b, "CapsLock>Tab; CapsLock>Space"), LURK_OK);
		play(b, "+CapsLock -CapsLock", "CapsLock+ CapsLock- "); /* off as before */
		/* CapsLock is on by now, and no key gives it under the rules. */
		assert_int_equal(lurk_session_switch(&b->session, NULL, false, &b->report),
				 LURK_OK);
		assert_int_equal(b->report.locks_pressed, 1 << LURK_LOCK_CAPS);
		play(b, "", "CapsLock+ CapsLock- ");
		apply(b, "CapsLock>Space");
		play(b, "+CapsLock -CapsLock", "Space+ Space- ");
		end(b);
	}
}

/* The off chord: rules, presses, what programs get, whether rules are off then. */
static const struct {
	const char *rules, *presses, *got;
	bool off, own;
	uint8_t way;
} chords[] = {
	/* Plain, table, relay; keys with other jobs are the same keys. */
	{"", "+ShiftLeft +ShiftRight +Escape ~2100 -Escape -ShiftRight -ShiftLeft",
	 "ShiftLeft+ ShiftRight+ Escape+ Escape- ShiftLeft- ShiftRight- ", true, false, 0},
	{"CapsLock<>Escape", "+ShiftLeft +Escape +ShiftRight ~2000 -Escape -ShiftRight -ShiftLeft",
	 "ShiftLeft+ CapsLock+ ShiftRight+ KEY_UNKNOWN+ KEY_UNKNOWN- ShiftLeft- ShiftRight- "
	 "CapsLock- ",
	 true, false, 0},
	{"CapsLock>Tab", "+Escape +ShiftRight +ShiftLeft ~2000 -Escape -ShiftRight -ShiftLeft",
	 "Escape+ ShiftRight+ Escape- ShiftRight- ", true, false, 0},
	{"CapsLock>Tab; Escape>nothing; ShiftLeft>KeyA; ShiftRight>KeyA",
	 "+ShiftLeft +ShiftRight +Escape ~2000 -Escape -ShiftRight -ShiftLeft", "KeyA+ KeyA- ",
	 true, false, 0},
	/* Let go too early; one key too few; let go and pressed again; on another keyboard. */
	{"CapsLock>Tab",
	 "+ShiftLeft +ShiftRight +Escape ~1900 -Escape ~200 -ShiftRight -ShiftLeft +KeyA -KeyA",
	 "ShiftLeft+ ShiftRight+ ShiftLeft- ShiftRight- KeyA+ KeyA- ", false, false, 0},
	{"CapsLock>Tab", "+ShiftLeft +ShiftRight ~3000 -ShiftRight -ShiftLeft",
	 "ShiftLeft+ ShiftRight+ ShiftRight- ShiftLeft- ", false, false, 0},
	{"CapsLock<>Escape", "+ShiftLeft +ShiftRight +Escape ~1000 -Escape +Escape ~2100",
	 "ShiftLeft+ ShiftRight+ ShiftLeft- ShiftRight- ", true, false, LURK_WAY_RELAY},
	{"CapsLock>Tab", "+1:ShiftLeft +1:ShiftRight +1:Escape ~2100 +CapsLock -CapsLock",
	 "ShiftLeft+ ShiftRight+ ShiftLeft- ShiftRight- CapsLock+ CapsLock- ", true, false, 0},
	{"CapsLock>Tab", "+ShiftLeft +ShiftRight +1:Escape ~2100 -1:Escape +CapsLock -CapsLock",
	 "ShiftLeft+ ShiftRight+ Escape+ Escape- Tab+ Tab- ", false, false, 0},
	/* A key that is stuck silences nothing. */
	{"CapsLock>Tab",
	 "+ShiftLeft +ShiftRight +Escape -Escape -ShiftRight +KeyA -KeyA +Escape -Escape",
	 "ShiftLeft+ ShiftRight+ ShiftLeft- ShiftRight- KeyA+ KeyA- Escape+ Escape- ", false, false,
	 0},
	/* Keys of its own; the usual ones do not switch there. */
	{"CapsLock>Tab", "+ShiftLeft +ShiftRight +Escape ~2100", "ShiftLeft+ ShiftRight+ Escape+ ",
	 false, true, 0},
	/* (Each is named twice, as with two ways to recognise the keyboard.) */
	{"CapsLock>Tab", "+ControlLeft +KeyQ ~2100 -KeyQ", "ControlLeft+ ControlLeft- ", true, true,
	 0},
};

/* At the main seat, where a keyboard is if nothing else is said. */
static bool is_off(const struct bench *b)
{
	return b->session.mode.off[1].now;
}

static void a_chord_switches_off(void **state)
{
	static const struct lurk_quirk own[] = {{LURK_QUIRK_OFF_CHORD, LURK_KEY_LEFTCTRL},
						{LURK_QUIRK_OFF_CHORD, LURK_KEY_Q},
						{LURK_QUIRK_OFF_CHORD, LURK_KEY_LEFTCTRL},
						{LURK_QUIRK_OFF_CHORD, LURK_KEY_Q}};

	(void)state;
	for (size_t i = 0; i < COUNT(chords); i++) {
		struct bench *b = make(USB "  other: {wired: usb, product: \"fade:0002\"}\n");
		const char *got;

		test_rules_read(&b->rules, chords[i].rules);
		b->rules.odd = own;
		b->rules.odd_count = chords[i].own ? COUNT(own) : 0;
		b->rules.way = chords[i].way;
		test_rules_image(&b->rules);
		assert_int_equal(lurk_session_apply(&b->session, NULL, b->rules.bytes,
						    b->rules.length, LURK_NO_TEXT, &b->report),
				 LURK_OK);
		press(b, chords[i].presses);
		got = sim_rig_got(b->rig);
		if (strcmp(got, chords[i].got) || is_off(b) != chords[i].off)
			fail_msg("%s, %s: %s, not %s; %s", chords[i].rules, chords[i].presses, got,
				 chords[i].got, is_off(b) ? "off" : "on");
		if (is_off(b) && !chords[i].own) { /* and on again */
			press(b, "-ShiftLeft -ShiftRight -Escape +ShiftLeft +ShiftRight +Escape "
				 "~2100 -ShiftLeft -ShiftRight -Escape");
			assert_false(is_off(b));
			assert_false(lurk_sim_anything_down(b->rig->sim));
		}
		end(b);
	}
}

static enum lurk_error try_out(struct bench *b, const char *rules)
{
	test_rules_read(&b->rules, rules);
	return lurk_session_try(&b->session, NULL, b->rules.bytes, b->rules.length, 30000000,
				&b->report);
}

/* Rules in force, rules tried for 30 s, what happens then, what CapsLock gives after it and after a
 * reboot. */
static const struct {
	const char *before, *tried;
	enum { NOTHING, WAIT, ALMOST, KEEP, END, APPLY, BAD_IMAGE, OFF, CHORD, AGAIN, PLUG } then;
	const char *got, *after_boot;
} trials[] = {
	{"CapsLock<>Tab", "CapsLock>F1", NOTHING, "F1+ F1- ", "Tab+ Tab- "},
	{"CapsLock<>Tab", "CapsLock>F1", ALMOST, "F1+ F1- ", "Tab+ Tab- "},
	{"CapsLock<>Tab", "CapsLock>F1", WAIT, "Tab+ Tab- ", "Tab+ Tab- "},
	{"CapsLock>Tab", "CapsLock>F1", WAIT, "Tab+ Tab- ", "Tab+ Tab- "},
	{"CapsLock>Tab", "", WAIT, "Tab+ Tab- ", "Tab+ Tab- "},
	{NULL, "CapsLock<>Tab", WAIT, "CapsLock+ CapsLock- ", "CapsLock+ CapsLock- "},
	{NULL, "CapsLock<>Tab", KEEP, "Tab+ Tab- ", "Tab+ Tab- "},
	{"CapsLock>F1", "CapsLock>F2", KEEP, "F2+ F2- ", "F2+ F2- "},
	{"CapsLock>F1", "CapsLock>F2", END, "F1+ F1- ", "F1+ F1- "},
	{"CapsLock>F1", "CapsLock>F2", APPLY, "F3+ F3- ", "F3+ F3- "},
	{"CapsLock>F1", "CapsLock>F2", BAD_IMAGE, "F2+ F2- ", "F1+ F1- "},
	{"CapsLock>F1", "CapsLock>F2", OFF, "CapsLock+ CapsLock- ", "F1+ F1- "},
	{"CapsLock>F1", "CapsLock>F2", CHORD, "CapsLock+ CapsLock- ", "F1+ F1- "},
	{"CapsLock>F1", "CapsLock>F2", AGAIN, "F1+ F1- ", "F1+ F1- "},
	{"CapsLock>F1", "CapsLock>F2", PLUG, "F2+ F2- ", "F1+ F1- "},
};

static void happen(struct bench *b, unsigned then)
{
	static const uint8_t noise[64] = {0};

	switch (then) {
	case WAIT:
		pass(b, 30000);
		break;
	case ALMOST:
		pass(b, 29900);
		break;
	case KEEP:
		assert_int_equal(lurk_session_keep(&b->session, NULL), LURK_OK);
		pass(b, 31000);
		break;
	case END:
		lurk_session_end_try(&b->session);
		break;
	case APPLY:
		assert_int_equal(apply(b, "CapsLock>F3"), LURK_OK);
		pass(b, 31000);
		break;
	case BAD_IMAGE:
		assert_int_not_equal(lurk_session_apply(&b->session, NULL, noise, sizeof noise,
							LURK_NO_TEXT, &b->report),
				     LURK_OK);
		break;
	case OFF:
		lurk_session_switch(&b->session, NULL, true, &b->report);
		break;
	case CHORD:
		press(b, "+ShiftLeft +ShiftRight +Escape ~2100 -ShiftLeft -ShiftRight -Escape");
		break;
	case AGAIN: /* goes back to what was before both */
		pass(b, 20000);
		assert_int_equal(try_out(b, "CapsLock>F4"), LURK_OK);
		pass(b, 20000);
		sim_rig_got(b->rig);
		play(b, "+CapsLock -CapsLock", "F4+ F4- ");
		pass(b, 20000);
		break;
	case PLUG:
		lurk_sim_unplug(b->rig->sim, 0);
		settle(b);
		lurk_sim_plug(b->rig->sim, 0, false, NULL);
		settle(b);
		break;
	default:
		break;
	}
	sim_rig_got(b->rig);
}

static void tried_it_ends_by_itself(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(trials); i++) {
		struct bench *b = make(USB);
		enum lurk_way way;

		if (trials[i].before)
			assert_int_equal(apply(b, trials[i].before), LURK_OK);
		way = (enum lurk_way)b->keyboards[0].choice.way;
		press(b, "+KeyA");
		assert_int_equal(try_out(b, trials[i].tried), LURK_OK);
		assert_int_equal(b->keyboards[0].choice.way,
				 *trials[i].tried ? LURK_WAY_RELAY : LURK_WAY_PLAIN);
		press(b, "-KeyA");
		happen(b, trials[i].then);
		assert_int_equal(b->session.mode.trying,
				 trials[i].then == NOTHING || trials[i].then == ALMOST ||
					 trials[i].then == BAD_IMAGE || trials[i].then == PLUG);
		if (trials[i].then == WAIT)
			assert_int_equal(b->keyboards[0].choice.way, way);
		press(b, "+CapsLock -CapsLock");
		assert_string_equal(sim_rig_got(b->rig), trials[i].got);
		assert_false(lurk_sim_anything_down(b->rig->sim));
		lurk_sim_boot(b->rig->sim);
		start(b);
		sim_rig_got(b->rig);
		play(b, "+CapsLock -CapsLock", trials[i].after_boot);
		assert_int_equal(lurk_session_keep(&b->session, NULL), LURK_ERR_EMPTY);
		end(b);
	}
}

static bool refuses_tables(void *data, enum refusable call)
{
	struct bench *b = data;

	return call == REFUSE_TABLE && ++b->calls == b->refuse_at;
}

/* A full disk, at each entry of the table: what cannot be written down is not changed, and the
 * rules are in force all the same, by the relay. */
static void a_table_that_cannot_be_written_down(void **state)
{
	static const enum lurk_error full[] = {LURK_ERR_NO_SPACE, LURK_ERR_READ_ONLY,
					       LURK_ERR_DISK};

	(void)state;
	for (size_t i = 0; i < 2 * COUNT(full); i++) {
		struct bench *b = make(USB);

		assert_int_equal(apply(b, "CapsLock<>Tab"), LURK_OK);
		assert_int_equal(b->keyboards[0].choice.way, LURK_WAY_TABLE);
		lurk_sim_unplug(b->rig->sim, 0);
		settle(b);
		b->refusing.refuses = refuses_tables;
		b->refusing.with = full[i % COUNT(full)];
		b->calls = 0;
		b->refuse_at = 1 + (unsigned)i / COUNT(full);
		lurk_sim_plug(b->rig->sim, 0, false, NULL);
		settle(b);
		assert_int_equal(b->keyboards[0].choice.way, LURK_WAY_RELAY);
		assert_int_equal(b->keyboards[0].choice.reason, LURK_BECAUSE_UNWRITTEN);
		b->refuse_at = 0;
		pass(b, 2000);
		play(b, "+CapsLock -CapsLock", "Tab+ Tab- ");
		play(b, "+Tab -Tab", "CapsLock+ CapsLock- ");
		end(b);
	}
}

/* What is withheld on one seat, and the off chord there, is nothing to another. */
static void seats_are_apart(void **state)
{
	struct bench *b = make(TWO);

	(void)state;
	assert_int_equal(apply(b, "CapsLock>Tab"), LURK_OK);
	lurk_sim_seat(b->rig->sim, 1, "seat1");
	settle(b);
	lurk_session_withhold(&b->session, "", 10000000);
	lurk_session_withhold(&b->session, "seat1", 5000000);
	lurk_session_withhold(&b->session, "seat2", 5000000);
	play(b, "+KeyA -KeyA +1:KeyA -1:KeyA", "");
	pass(b, 6000); /* the one of seat1 is over */
	play(b, "+KeyA -KeyA +1:KeyB -1:KeyB", "KeyB+ KeyB- ");
	play(b, "+1:ShiftLeft +1:ShiftRight +1:Escape ~2100 -1:Escape -1:ShiftRight -1:ShiftLeft",
	     "ShiftLeft+ ShiftRight+ ShiftLeft- ShiftRight- ");
	assert_true(!is_off(b) && b->session.mode.off[2].now);
	play(b, "+KeyA -KeyA", "");
	press(b, "+ShiftLeft +ShiftRight +Escape ~2100 -Escape -ShiftRight -ShiftLeft");
	assert_true(is_off(b));
	sim_rig_got(b->rig);
	play(b, "+KeyA -KeyA +CapsLock -CapsLock", "KeyA+ KeyA- CapsLock+ CapsLock- ");
	end(b);
}

/* ---- Rules of one's own --------------------------------------------------------------------- */

/* For whoever is at a seat, if anybody is. */
static enum lurk_error apply_own(struct bench *b, const char *seat, const char *rules)
{
	const struct lurk_request request = {.by = 1,
					     .part = (uint8_t)lurk_session_part(&b->session, seat)};

	assert_true(request.part);
	test_rules_read(&b->rules, rules);
	assert_int_equal(test_rules_image(&b->rules), LURK_OK);
	return lurk_session_apply(&b->session, &request, b->rules.bytes, b->rules.length,
				  LURK_NO_TEXT, &b->report);
}

static void sit(struct bench *b, const char *seat, uint32_t person)
{
	lurk_sim_sit(b->rig->sim, seat, person);
	settle(b);
}

enum { ANN = 1001, BEN };

/* By whoever is at the main seat; nobody else may. */
static void tell_layout(struct bench *b, uint32_t layout, const char *got)
{
	const struct lurk_session_seat *seat = &b->session.seats[0];
	const struct lurk_request other = {.by = ANN + BEN, .part = 1},
				  elsewhere = {.by = seat->person, .part = 2},
				  nowhere = {.by = seat->person},
				  right = {.by = seat->person, .part = 1};

	assert_int_equal(lurk_session_layout(&b->session, &other, 9), LURK_ERR_DENIED);
	assert_int_equal(lurk_session_layout(&b->session, &elsewhere, 9), LURK_ERR_DENIED);
	assert_int_equal(lurk_session_layout(&b->session, &nowhere, 9), LURK_ERR_DENIED);
	assert_int_equal(lurk_session_layout(&b->session, &right, layout),
			 seat->person == LURK_NOBODY ? LURK_ERR_DENIED : LURK_OK);
	settle(b);
	assert_string_equal(sim_rig_got(b->rig), got);
}

static void give_to(struct bench *b, const char *seat, const char *got)
{
	lurk_sim_seat(b->rig->sim, 0, seat);
	settle(b);
	assert_string_equal(sim_rig_got(b->rig), got);
}

/* "off" and "on" at every seat; "off0" by the one at the main seat, "off1" at seat1. */
static void switch_rules(struct bench *b, const char *what)
{
	const char *where = strpbrk(what, "01");
	const struct lurk_request request = {.by = 1,
					     .part = (uint8_t)(where ? *where - '0' + 1 : 0)};

	assert_int_equal(lurk_session_switch(&b->session, &request, what[1] == 'f', &b->report),
			 LURK_OK);
	settle(b);
}

static void try_own(struct bench *b, const char *rules)
{
	const struct lurk_request request = {.by = 1, .part = 2};

	test_rules_read(&b->rules, rules);
	assert_int_equal(test_rules_image(&b->rules), LURK_OK);
	assert_int_equal(lurk_session_try(&b->session, &request, b->rules.bytes, b->rules.length,
					  30000000, &b->report),
			 LURK_OK);
}

/* What is done, step by step, and what programs get of presses: "ANN" or "BEN" or "nobody" sits
 * down at the main seat, or at seat1 with a "1" before it; "own RULES" are that of the one at the
 * main seat, "own1 RULES" at seat1, which "try1 RULES" tries until "end"; "all RULES" the
 * computer's; "L2" another layout for the one at the main seat; "moved" gives the first keyboard to
 * seat1, and "back"; anything else is pressed.
 */
static void do_step(struct bench *b, const char *what, const char *got)
{
	static const struct {
		const char *word;
		uint32_t person;
	} people[] = {{"ANN", ANN}, {"BEN", BEN}, {"nobody", LURK_NOBODY}};
	const char *seat = *what == '1' ? "seat1" : "";

	for (size_t i = 0; i < COUNT(people); i++) {
		if (!strcmp(what + (*what == '1'), people[i].word)) {
			sit(b, seat, people[i].person);
			assert_string_equal(sim_rig_got(b->rig), got);
			return;
		}
	}
	if (!strncmp(what, "own ", 4))
		assert_int_equal(apply_own(b, "", what + 4), LURK_OK);
	else if (!strncmp(what, "own1 ", 5))
		assert_int_equal(apply_own(b, "seat1", what + 5), LURK_OK);
	else if (!strncmp(what, "try1 ", 5))
		try_own(b, what + 5);
	else if (!strcmp(what, "end"))
		lurk_session_end_try(&b->session);
	else if (*what == 'o')
		switch_rules(b, what);
	else if (!strcmp(what, "moved") || !strcmp(what, "back"))
		give_to(b, *what == 'm' ? "seat1" : "", got);
	else if (*what == 'L')
		tell_layout(b, (uint32_t)(what[1] - '0'), got);
	else if (!strncmp(what, "all ", 4))
		assert_int_equal(apply(b, what + 4), LURK_OK);
	else
		play(b, what, got);
}

/* The second keyboard belongs to seat1. */
static const struct {
	struct {
		const char *what, *got;
	} steps[12];
} own_stories[] = {
	/* On top of the computer's, there alone, and back with the person. */
	{{{"all KeyA>KeyX", ""},
	  {"ANN", ""},
	  {"own KeyB>KeyY; KeyC>KeyZ", ""},
	  {"+KeyA -KeyA +KeyB -KeyB", "KeyX+ KeyX- KeyY+ KeyY- "},
	  {"+1:KeyA -1:KeyA +1:KeyB -1:KeyB", "KeyX+ KeyX- KeyB+ KeyB- "},
	  {"nobody", ""},
	  {"+KeyA -KeyA +KeyB -KeyB", "KeyX+ KeyX- KeyB+ KeyB- "},
	  {"BEN", ""},
	  {"+KeyB -KeyB", "KeyB+ KeyB- "},
	  {"own KeyB>KeyW", ""},
	  {"+KeyB -KeyB +KeyC -KeyC", "KeyW+ KeyW- KeyC+ KeyC- "},
	  {"ANN", ""}}},
	/* What a person says of a key goes before what the computer says; but not where that is
	 * more specific. */
	{{{"all KeyA>KeyX; KeyB>KeyX @1", ""},
	  {"ANN", ""},
	  {"own KeyA>KeyY; KeyB>KeyY", ""},
	  {"+KeyA -KeyA +KeyB -KeyB", "KeyY+ KeyY- KeyX+ KeyX- "},
	  {"all KeyA>KeyZ", ""},
	  {"+KeyA -KeyA +KeyB -KeyB", "KeyY+ KeyY- KeyY+ KeyY- "},
	  {"nobody", ""},
	  {"+KeyA -KeyA +KeyB -KeyB", "KeyZ+ KeyZ- KeyB+ KeyB- "}}},
	/* Two people at two seats, with nothing for all. */
	{{{"ANN", ""},
	  {"1BEN", ""},
	  {"own KeyA>KeyX", ""},
	  {"own1 KeyA>KeyY; KeyD<>KeyE", ""},
	  {"+KeyA +1:KeyA -1:KeyA -KeyA", "KeyX+ KeyY+ KeyY- KeyX- "},
	  {"1ANN", ""},
	  {"+KeyA +1:KeyA -1:KeyA -KeyA", "KeyX+ KeyX+ KeyX- KeyX- "},
	  {"nobody", ""},
	  {"+KeyA +1:KeyA -1:KeyA -KeyA", "KeyA+ KeyX+ KeyX- KeyA- "}}},
	/* What is held at one seat, or typed, is nothing to the other. */
	{{{"all Shift+KeyA>KeyX; F1>\"qrs\"", ""},
	  {"+1:ShiftLeft +KeyA -KeyA -1:ShiftLeft", "ShiftLeft+ KeyA+ KeyA- ShiftLeft- "},
	  {"+F1 +1:KeyB -1:KeyB", "KeyQ+ KeyQ- KeyB+ KeyR+ KeyR- KeyB- KeyS+ KeyS- "}}},
	/* A keyboard that goes to another seat: what it types, and what is down on it, ends; what
	 * waited behind its text comes, and what waits for another one's goes along. */
	{{{"all F1>\"qrs\"; KeyA>KeyX", ""},
	  {"+KeyA +F1 +KeyI", "KeyX+ KeyX- KeyQ+ KeyQ- "},
	  {"moved", "KeyI+ KeyI- "},
	  {"-KeyI -KeyA ~400 +KeyA", "KeyX+ "},
	  {"+1:F1 +KeyI", "KeyX- KeyQ+ KeyQ- "},
	  {"back", "KeyI+ "},
	  {"-KeyI ~400", "KeyI- KeyR+ KeyR- KeyS+ KeyS- "}}},
	/* A key that is held goes on as it was pressed. */
	{{{"ANN", ""},
	  {"own KeyA>KeyX; CapsLock>Control", ""},
	  {"+KeyA +CapsLock", "KeyX+ ControlLeft+ "},
	  {"BEN", ""},
	  {"-KeyA -CapsLock +KeyA -KeyA", "KeyX- ControlLeft- KeyA+ KeyA- "},
	  {"+KeyA", "KeyA+ "},
	  {"ANN", ""},
	  {"-KeyA ~400 +KeyA -KeyA", "KeyA- KeyX+ KeyX- "}}},
	/* What is being typed ends: the next one's session gets none of it. */
	{{{"ANN", ""},
	  {"own F1>\"qrs\"", ""},
	  {"+F1", "KeyQ+ KeyQ- "},
	  {"nobody", ""},
	  {"-F1 ~400 +KeyA -KeyA", "KeyA+ KeyA- "}}},
	{{{"all F1>\"qrs\"", ""},
	  {"ANN", ""},
	  {"+F1", "KeyQ+ KeyQ- "},
	  {"BEN", ""},
	  {"-F1 ~400 +KeyA -KeyA", "KeyA+ KeyA- "}}},
	/* Text follows the layout that is active at its keyboard's seat, the computer's too; it is
	 * forgotten with the one who told it, and text that is under way ends. */
	{{{"all F2>\"%1q%2r\"", ""},
	  {"ANN", ""},
	  {"own F1>\"%1a%2b\"", ""},
	  {"L2", ""},
	  {"+F1 -F1 +F2 -F2 +1:F2 -1:F2", "KeyB+ KeyB- KeyR+ KeyR- KeyQ+ KeyQ- "},
	  {"L3", ""},
	  {"+F1 -F1 +F2 -F2", ""},
	  {"nobody", ""},
	  {"+F2 -F2", "KeyQ+ KeyQ- "},
	  {"L2", ""},
	  {"ANN", ""},
	  {"+F1 -F1 +F2 -F2", "KeyA+ KeyA- KeyQ+ KeyQ- "}}},
	{{{"ANN", ""},
	  {"own F1>\"%1qrs%2ab\"; F2>KeyX,KeyY,KeyZ", ""},
	  {"+F1", "KeyQ+ KeyQ- "},
	  {"L2", ""},
	  {"-F1 ~400 +F1 -F1 ~400", "KeyA+ KeyA- KeyB+ KeyB- "},
	  {"+F2", "KeyX+ KeyX- "},
	  {"L1", ""},
	  {"~400 -F2", "KeyY+ KeyY- KeyZ+ KeyZ- "}}},
	/* Off at one seat is on at the other; and "on" there is for that seat alone. */
	{{{"all KeyA>KeyX", ""},
	  {"1BEN", ""},
	  {"off1", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyX+ KeyX- KeyA+ KeyA- "},
	  {"off", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyA+ KeyA- KeyA+ KeyA- "},
	  {"on1", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyA+ KeyA- KeyX+ KeyX- "},
	  {"own1 KeyA>KeyY", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyA+ KeyA- KeyY+ KeyY- "},
	  {"all KeyA>KeyZ", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyZ+ KeyZ- KeyY+ KeyY- "}}},
	/* The same by a key; a keyboard is as the seat is that it goes to. */
	{{{"all KeyA>KeyX; F4>toggle", ""},
	  {"+1:F4 -1:F4", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyX+ KeyX- KeyA+ KeyA- "},
	  {"moved", ""},
	  {"+KeyA -KeyA", "KeyA+ KeyA- "},
	  {"+F4 -F4", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyX+ KeyX- KeyX+ KeyX- "},
	  {"back", ""},
	  {"+F4 -F4", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyA+ KeyA- KeyX+ KeyX- "}}},
	/* What is tried at one seat goes on while another's are switched, and ends with that. */
	{{{"all KeyA>KeyX; F4>toggle", ""},
	  {"1BEN", ""},
	  {"try1 KeyA>KeyY", ""},
	  {"off0", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyA+ KeyA- KeyY+ KeyY- "},
	  {"end", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyA+ KeyA- KeyX+ KeyX- "},
	  {"on0", ""},
	  {"try1 KeyA>KeyY", ""},
	  {"+F4 -F4 +1:KeyA -1:KeyA", "KeyY+ KeyY- "},
	  {"off1", ""},
	  {"+KeyA -KeyA +1:KeyA -1:KeyA", "KeyA+ KeyA- KeyA+ KeyA- "}}},
	/* Each one's profiles are switched by their own keys, the computer's by its own. */
	{{{"all F1>=dusk; KeyA>KeyX; |dusk/test; KeyA>KeyY; F1>=test", ""},
	  {"ANN", ""},
	  {"own F2>=late; KeyB>KeyU; |late/test; KeyB>KeyV; F2>=previous", ""},
	  {"+KeyA -KeyA +KeyB -KeyB", "KeyX+ KeyX- KeyU+ KeyU- "},
	  {"+F2 -F2 +KeyA -KeyA +KeyB -KeyB", "KeyX+ KeyX- KeyV+ KeyV- "},
	  {"+F1 -F1 +KeyA -KeyA +KeyB -KeyB", "KeyY+ KeyY- KeyV+ KeyV- "},
	  {"BEN", ""},
	  {"+KeyA -KeyA +KeyB -KeyB", "KeyY+ KeyY- KeyB+ KeyB- "},
	  {"ANN", ""},
	  {"+KeyA -KeyA +KeyB -KeyB", "KeyY+ KeyY- KeyU+ KeyU- "}}},
};

static void rules_of_ones_own(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(own_stories); i++) {
		struct bench *b = make(TWO);

		lurk_session_allow(&b->session, LURK_OWN_EVERYTHING);
		lurk_sim_seat(b->rig->sim, 1, "seat1");
		settle(b);
		for (size_t n = 0; n < 12 && own_stories[i].steps[n].what; n++)
			do_step(b, own_stories[i].steps[n].what, own_stories[i].steps[n].got);
		end(b);
	}
}

/* What the owner allows, rules, and whether a person may have them; and once they are stored, what
 * they give. */
static const struct {
	enum lurk_own may;
	const char *rules;
	bool allowed;
} own_levels[] = {
	{LURK_OWN_EVERYTHING, "F1>\"qrs\"", true},
	{LURK_OWN_EVERYTHING, "KeyA>KeyB", true},
	{LURK_OWN_NO_TEXT, "F1>\"qrs\"", false},
	{LURK_OWN_NO_TEXT, "F1>\"#\"", false},
	{LURK_OWN_NO_TEXT, "F1>KeyA,KeyB", false},
	{LURK_OWN_NO_TEXT, "F1>Shift+KeyA,Space", false},
	{LURK_OWN_NO_TEXT, "F1>Home,Shift+End,Delete", true},
	{LURK_OWN_NO_TEXT, "F1>Control+KeyA,Control+KeyC", true},
	{LURK_OWN_NO_TEXT, "|dusk; F1>KeyA,KeyB", false},
	{LURK_OWN_NO_TEXT, "!F1>KeyA,KeyB", false},
	{LURK_OWN_KEYS, "F1>Control+KeyA,Control+KeyC", false},
	{LURK_OWN_KEYS, "F1>Control+KeyC; KeyA<>KeyB; Delete>nothing; F9>toggle", true},
	{LURK_OWN_NOTHING, "KeyA<>KeyB", false},
};

static void own_rules_do_what_the_owner_allows(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(own_levels); i++) {
		struct bench *b = make(USB);
		const enum lurk_error wanted = own_levels[i].allowed ? LURK_OK : LURK_ERR_NOT_OWN;

		lurk_sim_sit(b->rig->sim, "", ANN);
		lurk_session_allow(&b->session, own_levels[i].may);
		settle(b);
		if (apply_own(b, "", own_levels[i].rules) != wanted)
			fail_msg("%s", own_levels[i].rules);
		/* The same where they were stored when more was allowed. */
		lurk_session_allow(&b->session, LURK_OWN_EVERYTHING);
		assert_int_equal(apply_own(b, "", own_levels[i].rules), LURK_OK);
		lurk_session_allow(&b->session, own_levels[i].may);
		assert_int_equal(lurk_session_image(&b->session, 1) != NULL, own_levels[i].allowed);
		assert_int_equal(b->session.seats[0].why, own_levels[i].may ? wanted : LURK_OK);
		end(b);
	}
}

/* By table, by relay, plain: only the watch gets what is pressed, and for no longer than asked. */
static void withheld_presses_reach_nobody(void **state)
{
	static const char *const rules[] = {"", "CapsLock<>Tab", "CapsLock>Tab"};

	(void)state;
	for (size_t i = 0; i < COUNT(rules); i++) {
		for (int end_by = 0; end_by < 3; end_by++) {
			struct bench *b = make(USB);
			bool off = end_by == 2;

			assert_int_equal(apply(b, rules[i]), LURK_OK);
			press(b, "+KeyA");
			lurk_session_withhold(&b->session, "", 10000000);
			play(b, "-KeyA +CapsLock -CapsLock +KeyB ~7000", "KeyA+ KeyA- ");
			if (end_by == 0)
				pass(b, 3000);
			else if (end_by == 1)
				lurk_session_withhold(&b->session, "", 0);
			else
				press(b, "+ShiftLeft +ShiftRight +Escape ~2100");
			play(b, "-KeyB -ShiftLeft -ShiftRight -Escape", "");
			assert_int_equal(is_off(b), off);
			play(b, "+CapsLock -CapsLock",
			     i && !off ? "Tab+ Tab- " : "CapsLock+ CapsLock- ");
			/* Other rules, by the relay, while they are withheld. */
			lurk_session_withhold(&b->session, "", 10000000);
			assert_int_equal(apply(b, "KeyA>Enter"), LURK_OK);
			lurk_session_withhold(&b->session, "", 0);
			sim_rig_got(b->rig);
			play(b, "+KeyA -KeyA", "Enter+ Enter- ");
			end(b);
		}
	}
}

/* Lit before, rules, locks pressed so that they go off. */
static const struct {
	const char *lit, *rules;
	uint8_t pressed;
	const char *got;
} locks[] = {
	{"", "CapsLock>nothing", 0, ""},
	{"+CapsLock -CapsLock", "CapsLock>nothing", 1 << LURK_LOCK_CAPS, "CapsLock+ CapsLock- "},
	{"+CapsLock -CapsLock", "CapsLock>Insert", 1 << LURK_LOCK_CAPS, "CapsLock+ CapsLock- "},
	{"+CapsLock -CapsLock", "CapsLock<>Escape", 0, ""},
	{"+CapsLock -CapsLock", "CapsLock>nothing @1", 0, ""}, /* the other one still has it */
	{"+CapsLock -CapsLock +NumLock -NumLock", "CapsLock>Tab; NumLock>nothing; F1>NumLock",
	 1 << LURK_LOCK_CAPS, "CapsLock+ CapsLock- "},
	{"+NumLock -NumLock", "NumLock>nothing", 1 << LURK_LOCK_NUM, "NumLock+ NumLock- "},
};

static void locks_do_not_stay_on_for_ever(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(locks); i++) {
		struct bench *b =
			make(USB "  two: {wired: usb, product: \"fade:0002\", place: usb-2}\n");

		press(b, locks[i].lit);
		sim_rig_got(b->rig);
		assert_int_equal(apply(b, locks[i].rules), LURK_OK);
		if (b->report.locks_pressed != locks[i].pressed)
			fail_msg("%s: %x", locks[i].rules, b->report.locks_pressed);
		play(b, "", locks[i].got);
		/* Nothing is taken away any more: nothing is pressed. */
		assert_int_equal(apply(b, locks[i].rules), LURK_OK);
		play(b, "", "");
		end(b);
	}
}

/* CapsLock and NumLock were turned on while the service was away. */
static void nor_when_the_service_starts(void **state)
{
	static const struct {
		const char *rules, *got;
	} rows[] = {
		{"CapsLock>nothing; NumLock>nothing", "CapsLock+ CapsLock- "},
		{"CapsLock>Insert", "CapsLock+ CapsLock- "},
		{"CapsLock<>Escape", ""},
	};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct bench *b = make(USB);

		apply(b, rows[i].rules);
		lurk_session_stop(&b->session);
		press(b, "+CapsLock -CapsLock +NumLock -NumLock");
		sim_rig_got(b->rig);
		lurk_sim_unplug(b->rig->sim, 0);
		settle(b);
		lurk_sim_plug(b->rig->sim, 0, false, NULL);
		start(b);
		play(b, "", rows[i].got);
		end(b);
	}
}

/* A trial's text is typed, its key is pressed again and waits, and other rules come over it: what
 * is typed ends with the rules that it is from, and never reads those that took their place. */
static void text_ends_with_its_rules(void **state)
{
	static const char *const others[] = {"KeyA>KeyB; F2>\"A A A A\"", "Control+KeyX>Meta+KeyY"};

	(void)state;
	for (size_t i = 0; i < COUNT(others); i++) {
		for (int again = 0; again < 2; again++) {
			struct bench *b = make(USB);
			const char *got;

			assert_int_equal(apply(b, "KeyA>KeyB"), LURK_OK);
			assert_int_equal(try_out(b, "F1>\"qrs qrs qrs\""), LURK_OK);
			press(b, "+F1 -F1 +F1 -F1");
			if (again)
				assert_int_equal(try_out(b, others[i]), LURK_OK);
			else
				assert_int_equal(apply(b, others[i]), LURK_OK);
			pass(b, 2000);
			got = sim_rig_got(b->rig);
			for (const char *c = got; *c; c++) /* its letters, and no others */
				assert_true(strncmp(c, "Alt", 3) && strncmp(c, "Meta", 4) &&
					    strncmp(c, "Escape", 6));
			assert_false(lurk_sim_anything_down(b->rig->sim));
			end(b);
		}
	}
}

/* Rules, by a key off, then what; whether the same key switches on again. */
static void a_key_that_switched_off_switches_on(void **state)
{
	(void)state;
	for (unsigned then = 0; then < 4; then++) {
		struct bench *b = make(USB);

		assert_int_equal(apply(b, "F9>toggle; KeyA>KeyB"), LURK_OK);
		play(b, "+F9 -F9 +KeyA -KeyA", "KeyA+ KeyA- ");
		if (then == 1) {
			assert_int_equal(try_out(b, "KeyA>KeyX"), LURK_OK);
			lurk_session_end_try(&b->session);
		} else if (then == 2) { /* a trial that is refused */
			assert_int_not_equal(try_out(b, "KeyA>KeyX; KeyA>KeyY"), LURK_OK);
		} else if (then == 3) { /* rules that are refused */
			assert_int_not_equal(apply(b, "KeyA>KeyX; KeyA>KeyY"), LURK_OK);
		}
		pass(b, 500);
		sim_rig_got(b->rig);
		play(b, "+KeyA -KeyA +F9 -F9 +KeyA -KeyA", "KeyA+ KeyA- KeyB+ KeyB- ");
		end(b);
	}
}

/* A toggle by a scan code, on a keyboard without a table. */
static void a_scan_code_is_enough(void **state)
{
	struct lurk_port_keyboard none = {.table_entries = 0};
	struct bench *b = make(USB);

	(void)state;
	none = b->keyboards[0].info;
	b->keyboards[0].info.table_entries = 0;
	assert_int_equal(apply(b, "hid:07:42>toggle"), LURK_OK); /* F9 */
	assert_int_equal(b->keyboards[0].choice.reason, LURK_BECAUSE_NO_TABLE);
	press(b, "+F9 -F9");
	assert_true(is_off(b) && b->session.mode.off[1].toggled);
	press(b, "+F9 -F9");
	assert_false(is_off(b));
	b->keyboards[0].info = none;
	end(b);
}

/* Whoever relays keyboards must be watched: that they are taken, for whatever reason, is told. */
static void what_is_taken_is_told(void **state)
{
	struct bench *b = make(TWO);
	unsigned before;

	(void)state;
	assert_int_equal(apply(b, "Shift+Digit3>KeyX @1"), LURK_OK);
	press(b, "+KeyZ -KeyZ +1:KeyZ -1:KeyZ");
	before = b->session.changes;
	press(b, "+1:ShiftLeft +Digit3");
	assert_true(b->keyboards[1].taken); /* lent */
	assert_int_not_equal(b->session.changes, before);
	press(b, "-Digit3 -1:ShiftLeft");
	pass(b, 500);
	assert_false(b->keyboards[1].taken);
	before = b->session.changes;
	lurk_session_withhold(&b->session, "", 100000);
	assert_true(b->keyboards[1].taken);
	assert_int_not_equal(b->session.changes, before);
	pass(b, 1000);
	assert_false(b->keyboards[1].taken);
	before = b->session.changes;
	press(b, "+1:ShiftLeft +1:ShiftRight +1:Escape");
	assert_true(b->keyboards[1].taken); /* the off chord */
	assert_int_not_equal(b->session.changes, before);
	press(b, "-1:ShiftLeft -1:ShiftRight -1:Escape");
	end(b);
}

/* A modifier that is lent came up while text was typed; and one whose loan was refused still
 * counts. */
static void loans_end(void **state)
{
	struct bench *b = make(TWO);

	(void)state;
	assert_int_equal(apply(b, "F1>\"qrs qrs\" @1; Shift+Digit3>KeyX @1"), LURK_OK);
	press(b, "+KeyZ -KeyZ +1:KeyZ -1:KeyZ +1:ShiftLeft +F1 -F1 -1:ShiftLeft");
	assert_true(b->keyboards[1].taken);
	pass(b, 1000);
	assert_false(b->keyboards[1].taken || lurk_sim_anything_down(b->rig->sim));
	press(b, "+1:ShiftLeft");
	b->calls = 0;
	b->refuse_at = 1; /* take() */
	press(b, "+Digit3 -Digit3");
	b->refuse_at = 0;
	assert_false(b->keyboards[1].taken);
	sim_rig_got(b->rig);
	press(b, "+Digit3");
	assert_true(b->keyboards[1].taken);
	assert_non_null(strstr(sim_rig_got(b->rig), "KeyX+ "));
	press(b, "-Digit3 -1:ShiftLeft");
	end(b);
}

/* A stand-in that appears while programs run is not spoken by before they have opened it; until
 * then, and while a key is down, programs read the keyboard itself. */
static void nothing_is_lost_on_a_keyboard_in_use(void **state)
{
	struct bench *b = make(USB);

	(void)state;
	assert_int_equal(apply(b, "CapsLock>Insert"), LURK_OK);
	lurk_session_stop(&b->session);
	pass(b, 100);
	lurk_sim_plugged_anew(b->rig->sim);
	start(b);
	assert_true(b->keyboards[0].waits);
	play(b, "+KeyA -KeyA +CapsLock -CapsLock", "KeyA+ KeyA- CapsLock+ CapsLock- ");
	press(b, "+ShiftLeft +KeyB");
	pass(b, LURK_OPENING_US / 1000);
	assert_true(b->keyboards[0].waits);
	press(b, "-KeyB -ShiftLeft");
	assert_true(b->keyboards[0].taken);
	sim_rig_got(b->rig);
	play(b, "+CapsLock -CapsLock +KeyC -KeyC", "Insert+ Insert- KeyC+ KeyC- ");
	end(b);
}

/* Whichever call the machine refuses: the old rules are in force, and the old image is stored. */
static void all_or_nothing(void **state)
{
	unsigned refused = 0;

	(void)state;
	for (unsigned at = 1; at < 40; at++) {
		struct bench *b = make(
			USB
			"  other: {wired: usb, product: \"fade:0002\", place: usb-2}\n" TRANSLATED);
		enum lurk_error error;

		assert_int_equal(apply(b, "CapsLock>Insert @1; Control<>Meta @2; Delete<>Insert"),
				 LURK_OK);
		b->calls = 0;
		b->refuse_at = at;
		error = apply(b, "CapsLock<>Tab @1; CapsLock>Insert @2; Delete<>Home");
		b->refuse_at = 0;
		refused += error == LURK_ERR_PORT;
		settle(b);
		if (error)
			play(b,
			     "+CapsLock -CapsLock +1:ControlLeft -1:ControlLeft +Delete -Delete "
			     "+2:Home "
			     "-2:Home",
			     "Insert+ Insert- MetaLeft+ MetaLeft- Insert+ Insert- Home+ Home- ");
		else
			play(b,
			     "+CapsLock -CapsLock +1:ControlLeft -1:ControlLeft +Delete -Delete "
			     "+2:Home "
			     "-2:Home",
			     "Tab+ Tab- ControlLeft+ ControlLeft- Home+ Home- Delete+ Delete- ");
		lurk_sim_boot(b->rig->sim);
		start(b);
		play(b, "+CapsLock -CapsLock", error ? "Insert+ Insert- " : "Tab+ Tab- ");
		end(b);
	}
	assert_true(refused > 5);
}

static enum lurk_error use_dusk(struct bench *b)
{
	return lurk_session_use(&b->session, NULL, 1, &b->report);
}

static enum lurk_error switch_off(struct bench *b)
{
	return lurk_session_switch(&b->session, NULL, true, &b->report);
}

static enum lurk_error switch_on(struct bench *b)
{
	return lurk_session_switch(&b->session, NULL, false, &b->report);
}

static enum lurk_error try_others(struct bench *b)
{
	return try_out(b, "KeyA>KeyY @1");
}

/* What is done, and what two keys give before and after. */
static const struct {
	const char *name;
	enum lurk_error (*change)(struct bench *b);
	bool off;
	const char *before, *after;
} whole[] = {
	{"use", use_dusk, false, "KeyB+ KeyB- ControlLeft+ ControlLeft- ",
	 "KeyX+ KeyX- ShiftLeft+ ShiftLeft- "},
	{"off", switch_off, false, "KeyB+ KeyB- ControlLeft+ ControlLeft- ",
	 "KeyA+ KeyA- AltLeft+ AltLeft- "},
	{"on", switch_on, true, "KeyA+ KeyA- AltLeft+ AltLeft- ",
	 "KeyB+ KeyB- ControlLeft+ ControlLeft- "},
	{"try", try_others, false, "KeyB+ KeyB- ControlLeft+ ControlLeft- ",
	 "KeyY+ KeyY- AltLeft+ AltLeft- "},
};

static void all_or_nothing_whatever_changes(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(whole); i++) {
		unsigned refused = 0;

		for (unsigned at = 1; at < 30; at++) {
			struct bench *b = make(TWO);
			enum lurk_error error;

			assert_int_equal(
				apply(b, "KeyA>KeyB @1; Alt<>Control @3; |dusk; KeyA>KeyX @1; "
					 "Alt<>Shift @3"),
				LURK_OK);
			if (whole[i].off)
				lurk_session_switch(&b->session, NULL, true, &b->report);
			pass(b, 500);
			b->calls = 0;
			b->refuse_at = at;
			error = whole[i].change(b);
			b->refuse_at = 0;
			pass(b, 500);
			refused += error != LURK_OK;
			sim_rig_got(b->rig);
			press(b, "+KeyA -KeyA +1:AltLeft -1:AltLeft");
			if (strcmp(sim_rig_got(b->rig), error ? whole[i].before : whole[i].after))
				fail_msg("%s, refused at %u: %s", whole[i].name, at,
					 lurk_error_text(error));
			end(b);
		}
		assert_true(refused > 1);
	}
}

/* Work that an honest image is far from is refused, at once. */
static void work_is_limited(void **state)
{
	enum { PROFILES = 64, MANY = 1000 };
	static struct lurk_keyboard keyboards[MANY];
	static struct lurk_recogniser recognisers[MANY];
	static struct lurk_rule rules[MANY];
	static char names[MANY][8];
	static struct lurk_profile profiles[PROFILES];
	struct lurk_image_parts parts = {profiles, PROFILES, keyboards, MANY};
	struct bench *b = make(USB);
	size_t length;

	(void)state;
	for (unsigned i = 0; i < MANY; i++) {
		snprintf(names[i], sizeof names[i], "k%u", i);
		recognisers[i].bus = LURK_BUS_USB;
		recognisers[i].vendor = (uint16_t)i;
		recognisers[i].by_product = true;
		keyboards[i] = (struct lurk_keyboard){.name = {names[i], strlen(names[i])},
						      .recognisers = &recognisers[i],
						      .recogniser_count = 1};
		rules[i].press.on.kind = LURK_TARGET_KEY;
		rules[i].press.on.key = (lurk_key)(LURK_KEY_1 + i % 10);
		rules[i].gives.kind = LURK_GIVES_NOTHING;
		rules[i].keyboard = (uint16_t)(i + 1);
	}
	for (unsigned i = 0; i < PROFILES; i++) {
		profiles[i] = (struct lurk_profile){.name = {names[i], strlen(names[i])},
						    .word = {names[i], strlen(names[i])},
						    .rules = rules,
						    .rule_count = i ? 100 : 1000,
						    .based_on = (uint16_t)(i ? 1 : 0)};
	}
	lurk_image_write(&parts, NULL, 0, &length);
	b->memory.image_size = b->session.memory.image_size = length;
	for (int i = 0; i < 2; i++)
		b->session.memory.images[i] = malloc(length);
	{
		uint8_t *bytes = malloc(length);

		assert_int_equal(lurk_image_write(&parts, bytes, length, &length), LURK_OK);
		assert_int_equal(lurk_session_apply(&b->session, NULL, bytes, length, LURK_NO_TEXT,
						    &b->report),
				 LURK_ERR_WORK);
		free(bytes);
	}
	for (int i = 0; i < 2; i++)
		free(b->session.memory.images[i]);
	end(b);
}

static void what_cannot_be_applied_changes_nothing(void **state)
{
	static const struct {
		const char *rules;
		enum lurk_error error;
	} rows[] = {
		{"CapsLock>Tab; CapsLock>Space", LURK_ERR_CONFLICT},
		{"F1>\"\"", LURK_ERR_UNTYPED},
		{"F1>=nowhere", LURK_ERR_NO_PROFILE},
		{"CapsLock>Tab @3; CapsLock>Space @3",
		 LURK_ERR_CONFLICT}, /* for one that is not here */
	};
	struct bench *b = make(USB);
	uint8_t noise[64] = {0};

	(void)state;
	apply(b, "CapsLock>Insert");
	for (size_t i = 0; i < COUNT(rows); i++) {
		assert_int_equal(apply(b, rows[i].rules), rows[i].error);
		play(b, "+CapsLock -CapsLock", "Insert+ Insert- ");
	}
	assert_int_equal(lurk_session_apply(&b->session, NULL, noise, sizeof noise, LURK_NO_TEXT,
					    &b->report),
			 LURK_ERR_MAGIC);
	assert_int_equal(
		lurk_session_apply(&b->session, NULL, noise, IMAGE + 1, LURK_NO_TEXT, &b->report),
		LURK_ERR_ROOM);
	b->memory.keymap_size = b->session.memory.keymap_size = 64;
	assert_int_equal(apply(b, "CapsLock>Tab"), LURK_ERR_ROOM);
	play(b, "+CapsLock -CapsLock", "Insert+ Insert- ");
	end(b);
}

/* A scanner, say: rules for all keyboards leave it alone, its own do not. */
static void one_stands_apart(void **state)
{
	struct bench *b = make("  token: {wired: usb, product: \"fade:0003\"}\n"
			       "  other: {wired: usb, product: \"fade:0001\"}\n");

	(void)state;
	test_rules_read(&b->rules, "KeyA>KeyB; CapsLock>Insert; KeyC>KeyD @3");
	b->rules.apart = true;
	assert_int_equal(test_rules_image(&b->rules), LURK_OK);
	assert_int_equal(lurk_session_apply(&b->session, NULL, b->rules.bytes, b->rules.length,
					    LURK_NO_TEXT, &b->report),
			 LURK_OK);
	play(b, "+KeyA -KeyA +CapsLock -CapsLock +KeyC -KeyC",
	     "KeyA+ KeyA- CapsLock+ CapsLock- KeyD+ KeyD- ");
	play(b, "+1:KeyA -1:KeyA", "KeyB+ KeyB- ");
	end(b);
}

/* More keyboards than there is memory for stay plain; equal ones share a keymap. */
static void many_keyboards(void **state)
{
	struct bench *b = make(
		USB "  b: {wired: usb}\n  c: {wired: usb}\n  d: {wired: usb}\n  e: {wired: usb}\n");

	(void)state;
	assert_int_equal(apply(b, "CapsLock>Insert"), LURK_OK);
	assert_ptr_equal(b->keyboards[1].keymap, b->keyboards[2].keymap);
	play(b, "+3:CapsLock -3:CapsLock", "Insert+ Insert- ");
	play(b, "+4:CapsLock -4:CapsLock", "CapsLock+ CapsLock- ");
	end(b);
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(the_way_fits_the_rules),
		cmocka_unit_test(more_than_keys),
		cmocka_unit_test(both_ways_give_the_same),
		cmocka_unit_test(a_nameless_key_gets_a_job),
		cmocka_unit_test(each_press_of_a_key_that_never_comes_up_acts),
		cmocka_unit_test(nothing_sticks_when_rules_change),
		cmocka_unit_test(a_stuck_key_can_be_disabled),
		cmocka_unit_test(keyboards_come_and_go),
		cmocka_unit_test(rules_hold_after_a_reboot),
		cmocka_unit_test(switched_off_and_on),
		cmocka_unit_test(a_chord_switches_off),
		cmocka_unit_test(tried_it_ends_by_itself),
		cmocka_unit_test(withheld_presses_reach_nobody),
		cmocka_unit_test(locks_do_not_stay_on_for_ever),
		cmocka_unit_test(nor_when_the_service_starts),
		cmocka_unit_test(text_ends_with_its_rules),
		cmocka_unit_test(a_key_that_switched_off_switches_on),
		cmocka_unit_test(a_scan_code_is_enough),
		cmocka_unit_test(what_is_taken_is_told),
		cmocka_unit_test(loans_end),
		cmocka_unit_test(nothing_is_lost_on_a_keyboard_in_use),
		cmocka_unit_test(all_or_nothing_whatever_changes),
		cmocka_unit_test(work_is_limited),
		cmocka_unit_test(all_or_nothing),
		cmocka_unit_test(what_cannot_be_applied_changes_nothing),
		cmocka_unit_test(one_stands_apart),
		cmocka_unit_test(a_table_that_cannot_be_written_down),
		cmocka_unit_test(seats_are_apart),
		cmocka_unit_test(rules_of_ones_own),
		cmocka_unit_test(own_rules_do_what_the_owner_allows),
		cmocka_unit_test(many_keyboards),
	};

	return cmocka_run_group_tests_name("session", tests, NULL, NULL);
}
