/* decode: raw wire bytes into key events. */
#include <ctype.h>
#include <errno.h>
#include <string.h>

#include "cli/commands.h"
#include "lurk/pairs.h"
#include "tell/json.h"
#include "tell/pairs.h"

enum { PAIRS_MAX = 512 };
enum { OPTION_AS = 1000, OPTION_BINARY };

struct decode {
	struct cli *cli;
	const char *as, *path;
	bool binary, hid, pairs;
	uint8_t table[LURK_PAIRS_SIZE(PAIRS_MAX)]; /* bytes of one, as far as they are read */
	size_t table_length;
	struct lurk_ps2 ps2;
	struct lurk_hid report;
	unsigned repeats;
};

static void print_events(struct decode *d)
{
	struct lurk_key_event e;
	char scan[LURK_SCAN_TEXT], name[LURK_WORDS];

	while (d->hid ? lurk_hid_next(&d->report, &e) : lurk_ps2_next(&d->ps2, &e)) {
		const char *state = e.state == LURK_UP ? "up" : "down";

		if (e.state == LURK_REPEAT) {
			d->repeats++;
			continue;
		}
		lurk_scan_write(e.scan, scan);
		lurk_words_key(e.key, e.scan, name);
		if (d->cli->json) {
			struct json_object *object = json_object_new_object();

			tell_put_text(object, "scan", scan);
			tell_put_text(object, "key", name);
			tell_put_number(object, "evdev", e.key);
			tell_put_text(object, "state", state);
			term_json(object);
		} else {
			printf("%-5s %-20s %s\n", state, name, scan);
		}
	}
}

static void feed(struct decode *d, const uint8_t *bytes, size_t length)
{
	if (d->pairs) {
		for (size_t i = 0; i < length && d->table_length < sizeof d->table; i++)
			d->table[d->table_length++] = bytes[i];
		return;
	}
	if (d->hid) {
		lurk_hid_feed(&d->report, bytes, length);
		print_events(d);
		return;
	}
	for (size_t i = 0; i < length; i++) {
		lurk_ps2_feed(&d->ps2, bytes[i]);
		print_events(d);
	}
}

/* A line of hexadecimal bytes: for HID a report. Tables are met with a word in front, and lines
 * that go on after a backslash. */
static int feed_line(struct decode *d, char *line, unsigned number)
{
	char *p = line;
	uint8_t bytes[1024];
	size_t n = 0;

	line[strcspn(line, d->pairs ? "#\r\n\\" : "#\r\n")] = '\0';
	if (d->pairs && strchr(line, ':'))
		p = strchr(line, ':') + 1;
	while (*p) {
		int digits = 0;

		if (isspace((unsigned char)*p) || *p == ',') {
			p++;
			continue;
		}
		if (p[0] == '0' && (p[1] == 'x' || p[1] == 'X'))
			p += 2;
		while (digits < 2 && isxdigit((unsigned char)p[digits]))
			digits++;
		if (digits != 2 || n == sizeof bytes)
			return cli_fail(
				CLI_COULD_NOT,
				"%s:%u:%d: `%.8s` is no byte; write two hexadecimal digits each",
				d->path, number, (int)(p - line) + 1, p);
		sscanf(p, "%2hhx", &bytes[n++]);
		p += 2;
	}
	if (n)
		feed(d, bytes, n);
	return CLI_DONE;
}

static int read_text(struct decode *d, FILE *file)
{
	char line[2048];
	unsigned number = 0;
	int status = CLI_DONE;

	while (status == CLI_DONE && fgets(line, sizeof line, file)) {
		number++;
		if (!strchr(line, '\n') && !feof(file))
			return cli_fail(CLI_COULD_NOT, "%s:%u: a line of more than %zu characters",
					d->path, number, sizeof line - 2);
		status = feed_line(d, line, number);
	}
	return status;
}

static int tell_table(struct decode *d)
{
	static const char *const heads[] = {"key", "now", "as a rule"};
	static struct lurk_pair pairs[PAIRS_MAX];
	struct lurk_pairs_report report;
	struct term_table table;
	char press[LURK_WORDS], gives[LURK_WORDS], rule[3 * LURK_WORDS], why[TELL_PAIRS];
	const bool alone = d->table_length <= 2;

	lurk_pairs_read(d->table, d->table_length, pairs, PAIRS_MAX, &report);
	term_table_init(&table, heads, 3);
	for (uint32_t i = 0; i < report.count; i++) {
		tell_pair_press(&pairs[i], press);
		tell_pair_gives(&pairs[i], gives);
		snprintf(rule, sizeof rule, "lurk map %s %s", press, gives);
		if (d->cli->json)
			term_json(tell_pair_json(&pairs[i]));
		else
			term_table_row(&table, press, alone ? "" : gives, alone ? "" : rule);
	}
	term_table_print(&table, "");
	fflush(stdout);
	if (report.fault)
		return cli_fail(CLI_FOUND, "%s: %s", d->path, tell_pairs_fault(&report, why));
	if (!report.count)
		return cli_fail(CLI_FOUND, "%s: no pairs", d->path);
	return CLI_DONE;
}

static int read_binary(struct decode *d, FILE *file)
{
	size_t piece = d->hid ? d->report.kind == LURK_HID_BOOT ? 8 : 2 : 1, n;
	uint8_t bytes[8];

	while ((n = fread(bytes, 1, piece, file)) > 0)
		feed(d, bytes, n);
	return CLI_DONE;
}

static const struct argp_option options[] = {
	{"as", OPTION_AS, "KIND", 0,
	 "set1, set2, hid (boot keyboard reports), consumer (consumer-control reports) or pairs (a "
	 "table of 16-bit words, what is given and what is pressed)",
	 0},
	{"binary", OPTION_BINARY, NULL, 0, "The file is the bytes themselves, not hexadecimal text",
	 0},
	{0},
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct decode *d = state->input;

	switch (key) {
	case OPTION_AS:
		if (strcmp(arg, "set1") && strcmp(arg, "set2") && strcmp(arg, "hid") &&
		    strcmp(arg, "consumer") && strcmp(arg, "pairs"))
			argp_error(state,
				   "`--as` takes set1, set2, hid, consumer or pairs, not `%s`",
				   arg);
		d->as = arg;
		return 0;
	case OPTION_BINARY:
		d->binary = true;
		return 0;
	case ARGP_KEY_ARG:
		if (d->path)
			argp_error(state, "one file at a time");
		d->path = arg;
		return 0;
	case ARGP_KEY_END:
		if (!d->as)
			argp_error(
				state,
				"say what the bytes are: --as set1, set2, hid, consumer or pairs");
		if (!d->path)
			argp_error(state, "say which file, - for standard input");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_decode(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		options, parse_option, "FILE",
		"Read raw wire bytes and say which key events are in them. In "
		"hexadecimal text, a line is a report "
		"for hid and consumer; after # comes a comment. Bytes may stand in place of FILE."
		"\vExamples:\n"
		"  lurk decode --as set1 keyboard.wire\n"
		"  lurk decode --as hid '00 00 39 00 00 00 00 00'\n"
		"  lurk decode --as pairs '02 00, 0f 00, 45 00, 00 00, 00 00'"};
	struct decode d = {.cli = cli};
	FILE *file;
	int status;

	cli_parse(cli, &words, argc, argv, &d);
	d.hid = *d.as == 'h' || *d.as == 'c';
	lurk_ps2_init(&d.ps2, d.as[3] == '2' ? 2 : 1);
	lurk_hid_init(&d.report, *d.as == 'c' ? LURK_HID_CONSUMER : LURK_HID_BOOT);
	d.pairs = *d.as == 'p';
	file = strcmp(d.path, "-") ? fopen(d.path, "rb") : stdin;
	if (!file && errno == ENOENT && !d.binary && *d.path &&
	    !d.path[strspn(d.path, "0123456789abcdefABCDEFxX ,")])
		file = fmemopen((char *)(uintptr_t)d.path, strlen(d.path), "r");
	if (!file)
		return cli_fail(CLI_COULD_NOT, "%s: %s", d.path, strerror(errno));
	status = d.binary ? read_binary(&d, file) : read_text(&d, file);
	if (status == CLI_DONE && ferror(file))
		status = cli_fail(CLI_COULD_NOT, "%s: %s", d.path, strerror(errno));
	if (file != stdin)
		fclose(file);
	if (status == CLI_DONE && d.pairs)
		return tell_table(&d);
	fflush(stdout);
	if (d.ps2.dropped + d.report.dropped)
		fprintf(stderr, "%u %s came to nothing: lost, doubled or foreign.\n",
			d.ps2.dropped + d.report.dropped, d.hid ? "reports" : "bytes");
	if (d.repeats)
		fprintf(stderr, "%u repeats of held keys are left out.\n", d.repeats);
	return status;
}
