/* The decoders: real captures, and tables of bytes and events. */
#include "check.h"

#include "lurk/pairs.h"
#include "lurk/scan.h"

/* Takes bytes of either kind and writes events as "CapsLock+ CapsLock- " (= for a repeat, the scan
 * code for a key without a name, | after the last event of a report). */
struct tap {
	bool hid;
	struct lurk_ps2 ps2;
	struct lurk_hid report;
	char out[4096];
	size_t length;
};

static void tap_init(struct tap *tap, const char *as)
{
	memset(tap, 0, sizeof *tap);
	tap->hid = as[0] == 'h' || as[0] == 'c';
	lurk_ps2_init(&tap->ps2, as[3] == '2' ? 2 : 1);
	lurk_hid_init(&tap->report, as[0] == 'c' ? LURK_HID_CONSUMER : LURK_HID_BOOT);
}

static bool tap_next(struct tap *tap, struct lurk_key_event *event)
{
	return tap->hid ? lurk_hid_next(&tap->report, event) : lurk_ps2_next(&tap->ps2, event);
}

static void tap_write(struct tap *tap)
{
	struct lurk_key_event event;
	char scan[LURK_SCAN_TEXT];

	while (tap_next(tap, &event)) {
		const char *name =
			event.key ? lurk_key_name(event.key) : lurk_scan_write(event.scan, scan);

		tap->length += (size_t)snprintf(
			tap->out + tap->length, sizeof tap->out - tap->length, "%s%c%s ", name,
			"-+="[event.state], tap -> hid && !event.more ? "|" : "");
	}
}

static void tap_line(struct tap *tap, const char *line)
{
	uint8_t bytes[64];
	size_t n = 0;
	char *end;

	for (const char *p = line; n < sizeof bytes; p = end) {
		unsigned long byte = strtoul(p, &end, 16);

		if (end == p)
			break;
		bytes[n++] = (uint8_t)byte;
	}
	if (tap->hid) {
		lurk_hid_feed(&tap->report, bytes, n);
		tap_write(tap);
		return;
	}
	for (size_t i = 0; i < n; i++) {
		lurk_ps2_feed(&tap->ps2, bytes[i]);
		tap_write(tap);
	}
}

static void capture(const char *stream, const char *as, unsigned dropped)
{
	char name[64], line[256];
	FILE *wire, *events;
	struct tap tap;
	struct lurk_key_event event;
	unsigned raw, code, lines = 0;
	char state[8];

	snprintf(name, sizeof name, "%s.wire", stream);
	wire = open_data(name);
	snprintf(name, sizeof name, "%s.events.tsv", stream);
	events = open_data(name);
	tap_init(&tap, as);
	assert_non_null(fgets(line, sizeof line, events));
	while (fgets(line, sizeof line, wire)) {
		uint8_t bytes[8];
		unsigned n = 0;
		int used = 0;

		for (char *p = line; n < 8 && sscanf(p, "%2hhx%n", &bytes[n], &used) == 1;
		     p += used)
			n++;
		if (tap.hid)
			assert_true(lurk_hid_feed(&tap.report, bytes, n));
		else
			lurk_ps2_feed(&tap.ps2, bytes[0]);
		while (tap_next(&tap, &event)) {
			assert_non_null(fgets(line, sizeof line, events));
			assert_int_equal(sscanf(line, "%x %u %*s %7s", &raw, &code, state), 3);
			assert_int_equal(event.key, code);
			assert_int_equal(event.state, strcmp(state, "down") ? LURK_UP : LURK_DOWN);
			if (raw)
				assert_int_equal(lurk_scan_raw(event.scan), raw);
			lines++;
		}
	}
	assert_null(fgets(line, sizeof line, events));
	assert_true(lines >= 188);
	assert_int_equal(tap.ps2.dropped + tap.report.dropped, dropped);
	fclose(wire);
	fclose(events);
}

static void captures(void **state)
{
	(void)state;
	capture("ps2-set1", "set1", 0);
	capture("ps2-set2", "set2", 2); /* one fake shift's release came without its last byte */
	capture("usb-boot-report", "hid", 0);
}

static const struct {
	const char *as, *wire, *events;
	unsigned dropped;
} streams[] = {
	/* Plain keys, extended keys, typematic repeats. */
	{"set1", "1e 9e", "KeyA+ KeyA- ", 0},
	{"set1", "1e 1e 1e 9e", "KeyA+ KeyA= KeyA= KeyA- ", 0},
	{"set1", "e0 5b e0 db", "MetaLeft+ MetaLeft- ", 0},
	{"set2", "1c f0 1c", "KeyA+ KeyA- ", 0},
	{"set2", "e0 1f e0 f0 1f", "MetaLeft+ MetaLeft- ", 0},
	{"set2", "83 f0 83", "F7+ F7- ", 0},
	/* PrintScreen: plain; with Control or Shift; with Alt. */
	{"set1", "e0 2a e0 37 e0 b7 e0 aa", "PrintScreen+ PrintScreen- ", 0},
	{"set1", "1d e0 37 e0 b7 9d", "ControlLeft+ PrintScreen+ PrintScreen- ControlLeft- ", 0},
	{"set1", "38 54 d4 b8", "AltLeft+ PrintScreen+ PrintScreen- AltLeft- ", 0},
	{"set2", "e0 12 e0 7c e0 f0 7c e0 f0 12", "PrintScreen+ PrintScreen- ", 0},
	{"set2", "11 84 f0 84 f0 11", "AltLeft+ PrintScreen+ PrintScreen- AltLeft- ", 0},
	/* Pause sends its release at once; with Control it is another code. */
	{"set1", "e1 1d 45 e1 9d c5", "Pause+ Pause- ", 0},
	{"set1", "1d e0 46 e0 c6 9d", "ControlLeft+ Pause+ Pause- ControlLeft- ", 0},
	{"set2", "e1 14 77 e1 f0 14 f0 77", "Pause+ Pause- ", 0},
	{"set2", "14 e0 7e e0 f0 7e f0 14", "ControlLeft+ Pause+ Pause- ControlLeft- ", 0},
	/* Fake shifts around a navigation key: NumLock on, or a Shift really held. */
	{"set1", "e0 2a e0 47 e0 c7 e0 aa", "Home+ Home- ", 0},
	{"set1", "2a e0 aa e0 4b e0 cb e0 2a aa", "ShiftLeft+ ArrowLeft+ ArrowLeft- ShiftLeft- ",
	 0},
	{"set1", "36 e0 b6 e0 53 e0 d3 e0 36 b6", "ShiftRight+ Delete+ Delete- ShiftRight- ", 0},
	{"set2", "12 e0 f0 12 e0 6b e0 f0 6b e0 12 f0 12",
	 "ShiftLeft+ ArrowLeft+ ArrowLeft- ShiftLeft- ", 0},
	{"set2", "59 e0 f0 59 e0 4a e0 f0 4a e0 59 f0 59",
	 "ShiftRight+ NumpadDivide+ NumpadDivide- ShiftRight- ", 0},
	/* Keys without a release. */
	{"set1", "f1 f2 1e 9e", "Lang2+ Lang2- Lang1+ Lang1- KeyA+ KeyA- ", 0},
	{"set2", "f2 f1", "Lang1+ Lang1- Lang2+ Lang2- ", 0},
	{"set1", "71 f1", "set1:71+ set1:71- ", 0},
	/* Codes without a name come out as scan codes. */
	{"set1", "e0 78 e0 f8", "set1:e078+ set1:e078- ", 0},
	{"set2", "8f f0 8f", "set2:8f+ set2:8f- ", 0},
	/* Answers to the host among the keys; aa is a reset unless it releases a Shift. */
	{"set1", "1e fa 9e fe ee", "KeyA+ KeyA- ", 0},
	{"set1", "e0 fa 5b e0 db", "MetaLeft+ MetaLeft- ", 0},
	{"set1", "2a aa aa", "ShiftLeft+ ShiftLeft- ", 0},
	{"set1", "1e e0 5b aa 9e", "KeyA+ MetaLeft+ KeyA- MetaLeft- ", 1},
	{"set2", "1c aa 1c f0 1c", "KeyA+ KeyA- KeyA+ KeyA- ", 0},
	{"set2", "e1 14 77 fc 1c", "Pause+ Pause- KeyA+ ", 0},
	/* Lost bytes: a release alone, a prefix alone, half a Pause. */
	{"set1", "9e 1e 9e", "KeyA+ KeyA- ", 1},
	{"set1", "e0 e0 5b e0 db", "MetaLeft+ MetaLeft- ", 1},
	{"set1", "e1 1e 9e", "KeyA+ KeyA- ", 1},
	{"set1", "e1 1d 1e 9e", "KeyA+ KeyA- ", 2},
	{"set1", "e1 e0 5b", "MetaLeft+ ", 1},
	{"set1", "e1 1d 45 9d c5 1e", "Pause+ KeyA+ ", 2},
	{"set1", "e0 f1 1e", "KeyA+ ", 1},
	{"set2", "f0 1c 1c f0 1c", "KeyA+ KeyA- ", 1},
	{"set2", "f0 f0 1c 1c", "KeyA+ ", 1},
	{"set2", "e1 14 1c", "KeyA+ ", 2},
	{"set2", "e1 77", "NumLock+ ", 1},
	{"set2", "e0 12 e0 7c e0 f0 7c e0 f0 69 f0 69",
	 "PrintScreen+ PrintScreen- Numpad1+ Numpad1- ", 2},
	/* Overruns. */
	{"set1", "00 1e ff 9e", "KeyA+ KeyA- ", 2},
	{"set2", "e0 00 1c", "KeyA+ ", 1},
	/* HID boot reports. */
	{"hid", "00 00 04 00 00 00 00 00;00 00 00 00 00 00 00 00", "KeyA+| KeyA-| ", 0},
	{"hid", "02 00 04 05 00 00 00 00;00 00 00 00 00 00 00 00",
	 "ShiftLeft+ KeyA+ KeyB+| ShiftLeft- KeyA- KeyB-| ", 0},
	{"hid", "00 00 04 16 00 00 00 00;00 00 16 07 00 00 00 00", "KeyA+ KeyS+| KeyA- KeyD+| ", 0},
	{"hid", "00 00 04 04 00 00 00 00;00 00 04 00 00 00 00 00", "KeyA+| ", 0},
	{"hid", "00 00 04 05 06 07 08 09;02 00 01 01 01 01 01 01;00 00 04 05 06 07 08 09",
	 "KeyA+ KeyB+ KeyC+ KeyD+ KeyE+ KeyF+| ShiftLeft+| ShiftLeft-| ", 0},
	{"hid", "00 00 e0 04 00 00 00 00;01 00 e0 00 00 00 00 00", "ControlLeft+ KeyA+| KeyA-| ",
	 0},
	{"hid", "00 00 a5 00 00 00 00 00;00 00 02 03 00 00 00 00", "hid:07:a5+| hid:07:a5-| ", 0},
	{"hid", "00 00 04;00 00 04 00 00 00 00 00;00;00 00 00 00 00 00 00 00 00", "KeyA+| ", 3},
	{"consumer", "e9 00;e9 00;00 00", "AudioVolumeUp+| AudioVolumeUp-| ", 0},
	{"consumer", "e9 00 cd 00;cd 00;00 00",
	 "AudioVolumeUp+ MediaPlayPause+| AudioVolumeUp-| MediaPlayPause-| ", 0},
	{"consumer", "e9;34 12;00 00", "hid:0c:1234+| hid:0c:1234-| ", 1},
};

static void tables(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(streams); i++) {
		struct tap tap;
		char wire[256], *rest = wire, *report;

		snprintf(wire, sizeof wire, "%s", streams[i].wire);
		tap_init(&tap, streams[i].as);
		while ((report = strsep(&rest, ";")))
			tap_line(&tap, report);
		if (strcmp(tap.out, streams[i].events))
			fail_msg("%s %s:\n  %s, not\n  %s", streams[i].as, streams[i].wire, tap.out,
				 streams[i].events);
		if (tap.ps2.dropped + tap.report.dropped != streams[i].dropped)
			fail_msg("%s %s: dropped %u, not %u", streams[i].as, streams[i].wire,
				 tap.ps2.dropped + tap.report.dropped, streams[i].dropped);
	}
}

static void unplugging_releases(void **state)
{
	struct tap tap;

	(void)state;
	tap_init(&tap, "hid");
	tap_line(&tap, "01 00 04 00 00 00 00 00");
	assert_true(lurk_hid_feed(&tap.report, NULL, 0));
	tap_write(&tap);
	assert_string_equal(tap.out, "ControlLeft+ KeyA+| ControlLeft- KeyA-| ");
}

/* Whatever bytes come, presses and releases of one scan code alternate, and after some quiet bytes
 * the next key is read right. */
static void noise(void **state)
{
	static const char *const kinds[] = {"set1", "set2", "hid", "consumer"};
	uint64_t seed = 20310504;

	(void)state;
	for (unsigned round = 0; round < as_often(40000); round++) {
		const char *as = kinds[round % COUNT(kinds)];
		struct lurk_key_event event;
		uint32_t down[64];
		unsigned held = 0;
		struct tap tap;

		tap_init(&tap, as);
		for (unsigned step = 0; step < 24; step++) {
			uint8_t bytes[8];

			for (size_t b = 0; b < sizeof bytes; b++)
				bytes[b] = (uint8_t)(random_next(&seed) >> random_next(&seed) % 8);
			if (tap.hid)
				lurk_hid_feed(&tap.report, bytes, as[0] == 'h' ? 8 : bytes[7] % 9);
			else
				lurk_ps2_feed(&tap.ps2, bytes[0]);
			while (tap_next(&tap, &event)) {
				unsigned at = 0;

				while (at < held && down[at] != event.scan.code)
					at++;
				if ((at < held) != (event.state != LURK_DOWN))
					fail_msg("%s round %u: code %x, state %u", as, round,
						 event.scan.code, event.state);
				if (event.state == LURK_DOWN)
					down[held++] = event.scan.code;
				else if (event.state == LURK_UP)
					down[at] = down[--held];
			}
		}
		tap_line(&tap, as[0] == 'h'   ? "00 00 00 00 00 00 00 00"
			       : as[0] == 'c' ? "00 00"
					      : "aa aa");
		tap.length = 0;
		tap_line(&tap, as[0] == 'h'          ? "00 00 04 00 00 00 00 00"
			       : as[0] == 'c'        ? "e9 00"
			       : !strcmp(as, "set1") ? "1e"
						     : "1c");
		assert_string_equal(tap.out, as[0] == 'h'   ? "KeyA+| "
					     : as[0] == 'c' ? "AudioVolumeUp+| "
							    : "KeyA+ ");
	}
}

/* ---- Tables of pairs ------------------------------------------------------------------------ */

static const struct {
	const char *bytes, *told;
} pair_tables[] = {
	/* One word of count, two, zeros in front; the end counts or does not. */
	{"0200 0f004500 00000000", "NumLock>Tab "},
	{"0100 0f004500 00000000", "NumLock>Tab "},
	{"02000000 0f004500 00000000", "NumLock>Tab "},
	{"0000000000000000 03000000 0f004500 1d005be0 00000000",
	 "NumLock>Tab MetaLeft>ControlLeft "},
	{"0000000000000000 02000000 00003a00 00000000", "CapsLock>nothing "},
	{"0200 00003a00 00000000", "CapsLock>nothing "},
	{"010000000000 00000000", ""},
	/* Alone. */
	{"5be0", "MetaLeft>nothing "},
	{"0f00 4500", "NumLock>Tab "},
	{"0000 4500", "NumLock>nothing "},
	{"", ""},
	/* Malformed: the kind of fault, and where, or what it says. */
	{"0f", "fault 1 at 0"},
	{"0200 0f00 45", "Tab>Digit1 fault 1 at 4"},
	{"0200 0f004500 00000000 00", "NumLock>Tab fault 1 at 10"},
	{"0200 0f004500 1d00", "NumLock>Tab fault 4 at 8"},
	{"0500 0f004500 00000000", "NumLock>Tab fault 3 says 5, there 2"},
	{"0200 0f008500 00000000", "fault 5 at 4"},
	{"0200 0f00e145 00000000", "fault 5 at 4"},
	{"0200 0fe14500 00000000", "fault 5 at 2"},
	{"0200 0f000000 00000000", "fault 5 at 4"},
	{"8500", "fault 5 at 0"},
	{"0100 0f004500", "NumLock>Tab fault 4 at 6"},
};

static const char *told_pairs(const uint8_t *bytes, size_t length)
{
	static char out[4096];
	struct lurk_pair pairs[64];
	struct lurk_pairs_report report;
	size_t n = 0;

	*out = '\0';
	lurk_pairs_read(bytes, length, pairs, COUNT(pairs), &report);
	for (uint32_t i = 0; i < report.count; i++)
		n += (size_t)snprintf(out + n, sizeof out - n, "%s>%s ",
				      lurk_key_name(lurk_scan_key(pairs[i].press)),
				      pairs[i].gives.kind
					      ? lurk_key_name(lurk_scan_key(pairs[i].gives))
					      : "nothing");
	if (report.fault == LURK_PAIRS_COUNT)
		snprintf(out + n, sizeof out - n, "fault 3 says %u, there %u", report.said,
			 report.there);
	else if (report.fault)
		snprintf(out + n, sizeof out - n, "fault %u at %u", report.fault, report.at);
	return out;
}

static void pairs_are_read(void **state)
{
	(void)state;
	for (size_t i = 0; i < COUNT(pair_tables); i++) {
		uint8_t bytes[64];
		size_t n = 0;
		unsigned byte;

		for (const char *c = pair_tables[i].bytes; *c; c += *c == ' ' ? 1 : 2) {
			if (*c != ' ' && sscanf(c, "%2x", &byte) == 1)
				bytes[n++] = (uint8_t)byte;
		}
		if (strcmp(told_pairs(bytes, n), pair_tables[i].told))
			fail_msg("%s: %s", pair_tables[i].bytes, told_pairs(bytes, n));
	}
}

/* What is written is read; and whatever comes stays within its bounds. */
static void pairs_come_back(void **state)
{
	uint64_t seed = 11;

	(void)state;
	for (unsigned round = 0; round < 2000; round++) {
		struct lurk_pair pairs[64], again[64];
		struct lurk_pairs_report report;
		uint8_t bytes[LURK_PAIRS_SIZE(64)];
		uint32_t count = 1 + random_next(&seed) % 60;

		for (uint32_t i = 0; i < count; i++) {
			uint32_t a = 1 + random_next(&seed) % 0x7f, b = random_next(&seed) % 0x80;

			a |= random_next(&seed) % 4 ? 0 : 0xe000;
			pairs[i].press = lurk_scan_make(LURK_SCAN_SET1, a);
			pairs[i].gives = lurk_scan_make(b ? LURK_SCAN_SET1 : LURK_SCAN_NONE, b);
		}
		lurk_pairs_write(pairs, count, bytes);
		assert_true(lurk_pairs_read(bytes, LURK_PAIRS_SIZE(count), again, 64, &report));
		assert_int_equal(report.count, count);
		for (uint32_t i = 0; i < count; i++)
			assert_true(lurk_scan_same(again[i].press, pairs[i].press) &&
				    (again[i].gives.kind
					     ? lurk_scan_same(again[i].gives, pairs[i].gives)
					     : !pairs[i].gives.kind));
		assert_false(
			lurk_pairs_read(bytes, LURK_PAIRS_SIZE(count), again, count - 1, &report));
		assert_int_equal(report.fault, LURK_PAIRS_ROOM);
		for (size_t n = 0; n < sizeof bytes; n++)
			bytes[n] = (uint8_t)(random_next(&seed) % (round % 2 ? 256 : 2));
		lurk_pairs_read(bytes, random_next(&seed) % sizeof bytes, again, 64, &report);
		assert_true(report.count <= 64 && report.at <= sizeof bytes);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(captures),
		cmocka_unit_test(tables),
		cmocka_unit_test(unplugging_releases),
		cmocka_unit_test(noise),
		cmocka_unit_test(pairs_are_read),
		cmocka_unit_test(pairs_come_back),
	};

	return cmocka_run_group_tests_name("decode", tests, NULL, NULL);
}
