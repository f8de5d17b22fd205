/* Images and the ring of slots they are stored in. */
#include "rules.h"

#include "lurk/store.h"

static bool same_text(struct lurk_text a, struct lurk_text b)
{
	return a.length == b.length && (!a.length || !memcmp(a.bytes, b.bytes, a.length));
}

static void what_goes_in_comes_out(void **state)
{
	static struct test_rules t;
	struct lurk_identity identity = {.bus = LURK_BUS_USB, .vendor = 0xfade, .product = 2};
	struct lurk_keyboard keyboard;
	struct lurk_quirk quirk;
	struct lurk_profile profile;

	(void)state;
	test_rules_read(
		&t, "CapsLock>Insert; Control<>Meta @1; !Delete>nothing @2; hid:07:a5>LaunchMail; "
		    "any Insert>itself; Shift+KeyA>KeyB; only KeyH>KeyJ; F1>\"Ab #\"; "
		    "Pause>Meta+KeyC,KeyV; F2>toggle; |dusk/test; F3>=previous; |guest/dusk; "
		    "F4>=DUSK");
	t.rules[0].note = (struct lurk_text){"one hand", 8};
	assert_int_equal(test_rules_image(&t), LURK_OK);
	lurk_image_profile(&t.image, 0, &profile);
	assert_true(same_text(profile.name, (struct lurk_text){"test", 4}));
	assert_true(same_text(profile.source, (struct lurk_text){"test.yaml", 9}));
	assert_int_equal(profile.rule_count, t.count - 2);
	lurk_image_profile(&t.image, 2, &profile);
	assert_int_equal(profile.based_on, 2);
	assert_int_equal(lurk_image_profile_of(&t.image, t.count - 1), 2);
	assert_int_equal(lurk_image_find_profile(&t.image, (struct lurk_text){"Dusk", 4}), 2);
	assert_int_equal(lurk_image_find_profile(&t.image, (struct lurk_text){"gam", 3}), 0);
	for (uint32_t i = 0; i < t.count; i++) {
		const struct lurk_rule *in = &t.rules[i];
		struct lurk_rule out;

		lurk_image_rule(&t.image, i, &out);
		assert_memory_equal(&in->press, &out.press, sizeof in->press);
		assert_int_equal(in->gives.kind, out.gives.kind);
		assert_int_equal(in->gives.key, out.gives.key);
		assert_int_equal(in->swap * 4 + in->off * 2, out.swap * 4 + out.off * 2);
		assert_int_equal(in->keyboard, out.keyboard);
		assert_int_equal(in->line, out.line);
		assert_true(same_text(in->note, out.note) &&
			    same_text(in->gives.text, out.gives.text) &&
			    same_text(in->gives.steps, out.gives.steps));
	}
	assert_int_equal(lurk_image_recognise(&t.image, &identity), 2);
	lurk_image_keyboard(&t.image, 1, &keyboard);
	assert_true(same_text(keyboard.name, (struct lurk_text){"two", 3}));
	assert_int_equal(keyboard.quirk_count, 2);
	lurk_image_quirk(&t.image, 1, 1, &quirk);
	assert_int_equal(quirk.kind, LURK_QUIRK_PRESS_ONLY);
	assert_int_equal(quirk.key, LURK_KEY_F13);
	identity.product = 9;
	assert_int_equal(lurk_image_recognise(&t.image, &identity), 0);
}

static void the_better_description_wins(void **state)
{
	struct lurk_identity identity = {LURK_BUS_USB, LURK_WIRING_HID, true,   0xfade, 1, 2,
					 "S7",         "Teal",          "usb-1"};
	static const struct {
		struct lurk_recogniser r;
		unsigned fit;
	} rows[] = {
		{{.bus = LURK_BUS_PS2}, 0},
		{{.bus = LURK_BUS_USB}, 1},
		{{.built_in = true}, 2},
		{{.name = {"Teal", 4}}, 2},
		{{.name = {"Teak", 4}}, 0},
		{{.name = {"Teal!", 5}}, 0},
		{{.bus = LURK_BUS_USB, .by_product = true, .vendor = 0xfade, .product = 1}, 5},
		{{.by_product = true, .vendor = 0xfade, .product = 2}, 0},
		{{.by_product = true, .vendor = 0xfade, .product = 1, .place = {"usb-1", 5}}, 12},
		{{.serial = {"S7", 2}, .place = {"usb-1", 5}}, 24},
		{{.serial = {"S8", 2}, .place = {"usb-1", 5}}, 0},
	};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++)
		assert_int_equal(lurk_recognise(&rows[i].r, &identity), rows[i].fit);
	assert_string_equal(lurk_bus_name(LURK_BUS_BLUETOOTH), "Bluetooth");
}

static void damage_is_refused(void **state)
{
	static struct test_rules t;
	uint8_t copy[TEST_IMAGE];
	struct lurk_image image;

	(void)state;
	test_rules_read(&t, "CapsLock>Insert; Control<>Meta @1");
	for (size_t byte = 0; byte < t.length; byte++) {
		for (unsigned bit = 0; bit < 8; bit++) {
			memcpy(copy, t.bytes, t.length);
			copy[byte] ^= (uint8_t)(1U << bit);
			assert_int_not_equal(lurk_image_open(copy, t.length, &image), LURK_OK);
		}
		assert_int_not_equal(lurk_image_open(t.bytes, byte, &image), LURK_OK);
	}
	memcpy(copy, t.bytes, t.length);
	assert_int_equal(lurk_image_open(copy, t.length + 1, &image), LURK_ERR_LENGTH);
	copy[4] = 2;
	assert_int_equal(lurk_image_open(copy, t.length, &image), LURK_ERR_VERSION);
	assert_int_equal(lurk_image_open(copy, 5, &image), LURK_ERR_LENGTH);
	copy[0] = 'l';
	assert_int_equal(lurk_image_open(copy, t.length, &image), LURK_ERR_MAGIC);
}

/* Bytes that no writer of ours writes, with a checksum that fits. */
static void nonsense_is_refused(void **state)
{
	static const struct {
		size_t at;
		uint8_t value;
	} pokes[] = {
		{6, 47},          /* header size */
		{32, 0},          /* no profile */
		{40, 0xff},       /* more rules than there are */
		{41, 0xff},       /* too many rules */
		{35, 0xff},       /* too many keyboards */
		{44, 1},          /* strings */
		{52 + 16, 9},     /* a profile beyond the rules */
		{52 + 4, 0xff},   /* a name beyond the strings */
		{52 + 24, 3},     /* a way that does not exist */
		{52 + 26, 1},     /* a profile based on itself */
		{52 + 33, 0xff},  /* its word beyond the strings */
		{88 + 8, 9},      /* a keyboard's recognisers */
		{88 + 12, 9},     /* its quirks */
		{88 + 16, 2},     /* flags that do not exist */
		{88 + 5, 0xff},   /* its name */
		{148, 99},        /* a bus that does not exist */
		{148 + 13, 0xff}, /* a serial too long */
		{244, 0},         /* a quirk of no kind */
		{244 + 3, 9},     /* of no key */
		{252, 0},         /* a rule on nothing */
		{252, 9},         /* on what does not exist */
		{252 + 1, 0},     /* that gives nothing known */
		{252 + 1, 99},    /* the same */
		{252 + 15, 9},    /* for a keyboard that is not there */
		{252 + 13, 0xff}, /* with modifiers that do not exist */
		{252 + 5, 9},     /* on a key that does not exist */
		{252 + 7, 9},     /* that gives one */
		{252 + 33, 0xff}, /* a note too long */
		{252 + 40, 1},    /* steps of one byte */
		{252 + 41, 0xff}, /* too many */
		{252 + 2, 5},     /* a swap without modifiers */
		{252 + 2, 1 | 0}, /* a swap of a key with nothing */
	};
	static struct test_rules t;
	struct lurk_image image;

	(void)state;
	for (size_t i = 0; i < COUNT(pokes); i++) {
		test_rules_read(&t, i + 1 == COUNT(pokes) ? "KeyA>nothing" : "CapsLock>Insert");
		t.bytes[pokes[i].at] = pokes[i].value;
		lurk_image_stamp(t.bytes, 1, 1, 0);
		if (lurk_image_open(t.bytes, t.length, &image) != LURK_ERR_CONTENT)
			fail_msg("byte %zu as %u was taken", pokes[i].at, pokes[i].value);
	}
}

/* A text's steps, by layout or not; what is no rule, and what steps there are for a layout. */
static void steps_of_layouts(void **state)
{
	enum { A = LURK_KEY_A, H = 0xffff };
	static const struct {
		uint16_t words[14];
		unsigned count;
		uint8_t kind;
		int is;            /* enum lurk_error */
		int first, second; /* how many steps there are for layouts 1 and 2; -1: not asked */
	} rows[] = {
		{{A, 0}, 1, LURK_GIVES_TEXT, LURK_OK, 1, 1},
		{{H, 1, 1, 0, A, 0}, 3, LURK_GIVES_TEXT, LURK_OK, 1, 0},
		{{H, 0, 1, 0, H, 1, 2, 0, A, 0}, 5, LURK_GIVES_TEXT, LURK_OK, 0, 1},
		{{H, 0, 1, 0}, 2, LURK_GIVES_TEXT, LURK_OK, 0, 0},
		{{0}, 0, LURK_GIVES_TEXT, LURK_ERR_UNTYPED, 0, 0},
		/* Chords are the same in every layout. */
		{{H, 1, 1, 0, A, 0}, 3, LURK_GIVES_CHORDS, LURK_ERR_CONTENT, -1, -1},
		{{H, 1, 1, 0, A, 0}, 3, LURK_GIVES_NOTHING, LURK_ERR_CONTENT, -1, -1},
		/* Of no layout; half a heading; more steps than there are; more layouts than XKB
		   has. */
		{{H, 1, 0, 0, A, 0}, 3, LURK_GIVES_TEXT, LURK_ERR_CONTENT, 0, 0},
		{{H, 0}, 1, LURK_GIVES_TEXT, LURK_ERR_CONTENT, 0, 0},
		{{H, 2, 1, 0, A, 0}, 3, LURK_GIVES_TEXT, LURK_ERR_CONTENT, 0, 0},
		{{H, 0xffff, 1, 0, A, 0}, 3, LURK_GIVES_TEXT, LURK_ERR_CONTENT, 0, 0},
		{{H, 0, 1, 0, H, 0, 2, 0, H, 0, 3, 0}, 6, LURK_GIVES_TEXT, LURK_OK, 0, 0},
		/* Steps for whichever after those of one; a key held at the end of a part. */
		{{H, 1, 1, 0, A, 0, A, 0}, 4, LURK_GIVES_TEXT, LURK_ERR_CONTENT, 1, 1},
		{{H, 1, 1, 0, A, LURK_STEP_HOLD, H, 1, 2, 0, A, 0},
		 6,
		 LURK_GIVES_TEXT,
		 LURK_ERR_CONTENT,
		 1,
		 1},
	};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct lurk_rule rule = {.press = test_press("F1")};
		uint8_t bytes[28];

		for (unsigned w = 0; w < rows[i].count; w++)
			lurk_step_write(
				&(struct lurk_step){rows[i].words[2 * w], rows[i].words[2 * w + 1]},
				bytes + (size_t)w * LURK_STEP_BYTES);
		rule.gives.kind = rows[i].kind;
		rule.gives.steps =
			(struct lurk_text){(char *)bytes, rows[i].count * LURK_STEP_BYTES};
		if ((int)lurk_rule_check(&rule) != rows[i].is)
			fail_msg("row %zu is %s", i, lurk_error_text(lurk_rule_check(&rule)));
		if (rows[i].first >= 0)
			assert_int_equal(lurk_steps_for(rule.gives.steps, 1).length,
					 rows[i].first * LURK_STEP_BYTES);
		if (rows[i].second >= 0)
			assert_int_equal(lurk_steps_for(rule.gives.steps, 2).length,
					 rows[i].second * LURK_STEP_BYTES);
	}
	assert_int_equal(lurk_layout_number("", 0), 0);
	assert_int_not_equal(lurk_layout_number("German", 6), lurk_layout_number("Danish", 6));
}

static void too_much_is_refused(void **state)
{
	static struct lurk_rule rules[LURK_RULES_MAX + 1];
	struct lurk_profile profile = {
		.name = {"x", 1}, .rules = rules, .rule_count = COUNT(rules)};
	struct lurk_image_parts parts = {&profile, 1, NULL, 0};
	size_t needed;

	(void)state;
	for (size_t i = 0; i < COUNT(rules); i++) {
		rules[i].press = test_press("KeyA");
		rules[i].gives.kind = LURK_GIVES_NOTHING;
	}
	assert_int_equal(lurk_image_write(&parts, NULL, 0, &needed), LURK_ERR_CONTENT);
	profile.rule_count = 1;
	assert_int_equal(lurk_image_write(&parts, NULL, 0, &needed), LURK_ERR_ROOM);
	rules[0].note.length = 70000;
	assert_int_equal(lurk_image_write(&parts, NULL, 0, &needed), LURK_ERR_CONTENT);
	rules[0].note.length = 0;
	rules[0].keyboard = 1;
	assert_int_equal(lurk_image_write(&parts, NULL, 0, &needed), LURK_ERR_CONTENT);
}

/* ---- Slots: a port that is nothing but storage, and can lose its power ----------------------- */

enum { SLOTS = 4, SLOT_SIZE = 1024 };

struct shelf {
	struct lurk_port port;
	uint8_t slots[SLOTS][SLOT_SIZE];
	size_t lengths[SLOTS];
	size_t power; /* bytes that can still be written */
};

static unsigned shelf_slots(struct lurk_port *port, size_t *size)
{
	(void)port;
	*size = SLOT_SIZE;
	return SLOTS;
}

static enum lurk_error shelf_read(struct lurk_port *port, uint32_t owner, unsigned slot,
				  uint8_t *bytes, size_t size, size_t *length)
{
	struct shelf *shelf = (struct shelf *)port;

	assert_int_equal(owner, LURK_NOBODY);
	*length = shelf->lengths[slot];
	assert_true(*length <= size);
	memcpy(bytes, shelf->slots[slot], *length);
	return LURK_OK;
}

static enum lurk_error shelf_write(struct lurk_port *port, uint32_t owner, unsigned slot,
				   const uint8_t *bytes, size_t length)
{
	struct shelf *shelf = (struct shelf *)port;
	size_t n = length < shelf->power ? length : shelf->power;

	assert_int_equal(owner, LURK_NOBODY);
	memcpy(shelf->slots[slot], bytes, n);
	if (n)
		shelf->lengths[slot] = n > shelf->lengths[slot] ? n : shelf->lengths[slot];
	if (n == length)
		shelf->lengths[slot] = length;
	shelf->power -= n;
	return n < length ? LURK_ERR_POWER : LURK_OK;
}

static uint64_t shelf_now(struct lurk_port *port)
{
	(void)port;
	return 77;
}

static const struct lurk_port_class shelf_class = {
	.slots = shelf_slots, .slot_read = shelf_read, .slot_write = shelf_write, .now = shelf_now};

static uint32_t loaded_rules(struct shelf *shelf, struct lurk_store_report *report)
{
	uint8_t bytes[SLOT_SIZE];
	struct lurk_image image;

	if (lurk_store_load(&shelf->port, LURK_NOBODY, LURK_NEVER, bytes, sizeof bytes, &image,
			    report))
		return 0;
	return image.rule_count;
}

/* Image n has n rules. */
static enum lurk_error save(struct shelf *shelf, unsigned rules, struct lurk_store_report *report)
{
	static struct test_rules t;
	char text[512] = "";

	for (unsigned i = 0; i < rules; i++)
		snprintf(text + strlen(text), sizeof text - strlen(text), "F%u>Enter;", i + 1);
	test_rules_read(&t, text);
	return lurk_store_save(&shelf->port, LURK_NOBODY, t.bytes, t.length, 1000, report);
}

static void at_every_byte_the_old_or_the_new_is_there(void **state)
{
	struct lurk_store_report report;
	unsigned cuts = 0;

	(void)state;
	/* Also behind the last number that there can be, which somebody may have put there. */
	for (unsigned round = 0; round < 13; round++) {
		const unsigned before = round % 7;
		const bool last = round >= 7;

		for (size_t power = 0;; power++, cuts++) {
			struct shelf shelf = {.port = {&shelf_class}, .power = SIZE_MAX};
			enum lurk_error error;

			loaded_rules(&shelf, &report);
			for (unsigned i = 1; i <= before; i++)
				assert_int_equal(save(&shelf, i, &report), LURK_OK);
			if (last && before) {
				lurk_image_stamp(shelf.slots[report.newest], LURK_SEQUENCE_MAX, 0,
						 0);
				loaded_rules(&shelf, &report);
			}
			shelf.power = power;
			error = save(&shelf, before + 1, &report);
			shelf.power = SIZE_MAX;
			assert_int_equal(loaded_rules(&shelf, &report),
					 error ? before : before + 1);
			/* And storing goes on from there. */
			assert_int_equal(save(&shelf, 12, &report), LURK_OK);
			assert_int_equal(loaded_rules(&shelf, &report), 12);
			if (!error)
				break;
		}
	}
	print_message("power cut after each of %u bytes\n", cuts);
}

static void a_bad_slot_is_passed_over_and_said(void **state)
{
	struct lurk_store_report report;
	struct shelf shelf = {.port = {&shelf_class}, .power = SIZE_MAX};
	uint8_t bytes[SLOT_SIZE];
	struct lurk_image image;

	(void)state;
	assert_int_equal(loaded_rules(&shelf, &report), 0);
	assert_int_equal(report.newest, -1);
	for (unsigned i = 1; i <= 3; i++)
		save(&shelf, i, &report);
	shelf.slots[2][60] ^= 4;
	assert_int_equal(loaded_rules(&shelf, &report), 2);
	assert_int_equal(report.newest, 1);
	assert_int_equal(report.why[2], LURK_ERR_CRC);
	assert_int_equal(report.why[3], LURK_ERR_EMPTY);
	shelf.slots[1][4] = 9;
	assert_int_equal(loaded_rules(&shelf, &report), 1);
	assert_int_equal(report.why[1], LURK_ERR_VERSION);
	lurk_image_stamp(shelf.slots[0], UINT64_MAX, 0, 0);
	assert_int_equal(loaded_rules(&shelf, &report), 0);
	assert_int_equal(report.why[0], LURK_ERR_CONTENT);
	/* An older one can be asked for. */
	memset(&shelf.lengths, 0, sizeof shelf.lengths);
	loaded_rules(&shelf, &report);
	for (unsigned i = 1; i <= 3; i++)
		save(&shelf, i, &report);
	assert_int_equal(
		lurk_store_load(&shelf.port, LURK_NOBODY, 3, bytes, sizeof bytes, &image, &report),
		LURK_OK);
	assert_int_equal(image.rule_count, 2);
	assert_int_equal(image.saved_at_us, 77);
	/* More than a slot holds. */
	assert_int_equal(
		lurk_store_save(&shelf.port, LURK_NOBODY, bytes, SLOT_SIZE + 1, 0, &report),
		LURK_ERR_ROOM);
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(what_goes_in_comes_out),
		cmocka_unit_test(the_better_description_wins),
		cmocka_unit_test(damage_is_refused),
		cmocka_unit_test(nonsense_is_refused),
		cmocka_unit_test(steps_of_layouts),
		cmocka_unit_test(too_much_is_refused),
		cmocka_unit_test(at_every_byte_the_old_or_the_new_is_there),
		cmocka_unit_test(a_bad_slot_is_passed_over_and_said),
	};

	return cmocka_run_group_tests_name("image", tests, NULL, NULL);
}
