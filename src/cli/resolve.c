/* resolve: all the names and codes of a key. */
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "cli/cli.h"

struct resolve {
	struct cli *cli;
	bool list;
	char **words;
	unsigned count;
	struct cli_table table;
	unsigned found;
};

enum { CODES = 128 };

/* The key's scan codes of one kind, as text or as a JSON list. */
static void list_codes(lurk_key key, uint8_t kind, char out[CODES], struct json_object *list)
{
	char text[LURK_SCAN_TEXT];

	*out = '\0';
	for (size_t i = 0; lurk_key_scan(key, i).kind; i++) {
		size_t n = strlen(out);

		if (lurk_key_scan(key, i).kind != kind)
			continue;
		lurk_scan_write_bare(lurk_key_scan(key, i), text);
		snprintf(out + n, CODES - n, "%s%s", n ? ", " : "", text);
		if (list)
			json_object_array_add(list, json_object_new_string(text));
	}
}

/* A scan code without a key: the code itself, and what it is on the other set's wire. */
static void list_scan(lurk_scan scan, uint8_t kind, char out[CODES], struct json_object *list)
{
	lurk_scan as = kind == LURK_SCAN_SET1   ? lurk_scan_on(scan, LURK_WIRING_SET1)
		       : kind == LURK_SCAN_SET2 ? lurk_scan_on(scan, LURK_WIRING_SET2)
						: lurk_scan_on(scan, LURK_WIRING_HID);

	*out = '\0';
	if (scan.kind == LURK_SCAN_RAW || as.kind != kind)
		return;
	lurk_scan_write_bare(as, out);
	if (list)
		json_object_array_add(list, json_object_new_string(out));
}

static const char *side_name(lurk_key key)
{
	static const char *const names[] = {"", "left", "right", "keypad"};

	return names[lurk_key_side(key)];
}

static void add_row(struct resolve *r, const char *reading, lurk_key key, lurk_scan scan)
{
	static const uint8_t kinds[] = {LURK_SCAN_SET1, LURK_SCAN_SET2, LURK_SCAN_HID};
	static const char *const names[] = {"set1", "set2", "hid"};
	char codes[3][CODES], evdev[64] = "", name[LURK_WORDS];
	struct json_object *lists[3], *object;

	r->found++;
	lurk_words_key(key, scan, name);
	for (int i = 0; i < 3; i++) {
		lists[i] = r->cli->json ? json_object_new_array() : NULL;
		if (key)
			list_codes(key, kinds[i], codes[i], lists[i]);
		else
			list_scan(scan, kinds[i], codes[i], lists[i]);
	}
	if (r->cli->json) {
		object = json_object_new_object();
		if (*reading)
			json_object_object_add(object, "reading", json_object_new_string(reading));
		json_object_object_add(object, "key", json_object_new_string(name));
		json_object_object_add(object, "evdev", json_object_new_int(key));
		json_object_object_add(object, "evdev_name",
				       json_object_new_string(lurk_key_evdev_name(key)));
		json_object_object_add(object, "meaning",
				       json_object_new_string(lurk_key_meaning(key)));
		json_object_object_add(object, "side", json_object_new_string(side_name(key)));
		for (int i = 0; i < 3; i++)
			json_object_object_add(object, names[i], lists[i]);
		cli_print_json(object);
		return;
	}
	if (key)
		snprintf(evdev, sizeof evdev, "%u %s", key, lurk_key_evdev_name(key));
	cli_table_row(&r->table, reading, name, evdev,
		      strcmp(lurk_key_meaning(key), " ") ? lurk_key_meaning(key) : "space",
		      side_name(key), codes[0], codes[1], codes[2]);
}

static void resolve_target(struct resolve *r, const struct lurk_target *on)
{
	struct lurk_rule rule = {.press = {.on = *on}, .gives = {.kind = LURK_GIVES_NOTHING}};
	struct lurk_change change;

	if (on->kind == LURK_TARGET_SCAN) {
		lurk_scan scan = on->scan;

		if (scan.kind == LURK_SCAN_RAW && scan.code > 0xffff) /* page << 16 | id */
			scan = lurk_scan_on(scan, LURK_WIRING_HID);
		add_row(r, "", lurk_scan_key(scan), scan);
		return;
	}
	for (unsigned i = 0; lurk_rule_change(&rule, i, &change); i++)
		add_row(r, "", change.on.key, change.on.scan);
}

static bool resolve_number(struct resolve *r, const struct lurk_name *name)
{
	struct lurk_reading reading;
	unsigned i = 0;

	for (; lurk_name_reading(name, i, &reading); i++)
		add_row(r, reading.as, reading.key, reading.scan);
	return i > 0;
}

/* Modifiers of a chord, as rows of their own. */
static void resolve_modifiers(struct resolve *r, uint16_t modifiers)
{
	static const struct {
		uint16_t bits;
		lurk_key key;
	} rows[] = {
		{LURK_MOD_CONTROL | LURK_MOD_LEFT_CONTROL, LURK_KEY_LEFTCTRL},
		{LURK_MOD_CONTROL | LURK_MOD_RIGHT_CONTROL, LURK_KEY_RIGHTCTRL},
		{LURK_MOD_SHIFT | LURK_MOD_LEFT_SHIFT, LURK_KEY_LEFTSHIFT},
		{LURK_MOD_SHIFT | LURK_MOD_RIGHT_SHIFT, LURK_KEY_RIGHTSHIFT},
		{LURK_MOD_ALT | LURK_MOD_LEFT_ALT, LURK_KEY_LEFTALT},
		{LURK_MOD_ALT | LURK_MOD_RIGHT_ALT, LURK_KEY_RIGHTALT},
		{LURK_MOD_META | LURK_MOD_LEFT_META, LURK_KEY_LEFTMETA},
		{LURK_MOD_META | LURK_MOD_RIGHT_META, LURK_KEY_RIGHTMETA},
	};

	for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
		if (modifiers & rows[i].bits)
			add_row(r, "", rows[i].key, (lurk_scan){0, LURK_SCAN_NONE});
	}
}

/* Only for a character, alone, in quotes or in a chord, does the layout count: most words need no
 * look at it. */
static bool may_be_character(const char *word)
{
	return strlen(word) <= 6 || strpbrk(word, "+'\"");
}

static int resolve_word(struct resolve *r, const char *word)
{
	const struct lurk_characters *characters;
	struct lurk_message why;
	struct lurk_press press;
	struct lurk_name name;

	if (may_be_character(word))
		cli_find_layout(r->cli);
	characters = cli_characters(r->cli);
	switch (lurk_name_read(word, strlen(word), characters, &name)) {
	case LURK_NAME_PRESS:
		resolve_modifiers(r, name.press.modifiers);
		resolve_target(r, &name.press.on);
		return CLI_DONE;
	case LURK_NAME_NUMBER:
		if (resolve_number(r, &name))
			return CLI_DONE;
		break;
	default:
		break;
	}
	lurk_words_press(word, characters, &press, &why);
	return cli_fail(CLI_FOUND, "%s", why.text);
}

static bool contains(const char *text, const char *word)
{
	return strcasestr(text, word) != NULL;
}

static int resolve_list(struct resolve *r)
{
	const char *word = r->count ? r->words[0] : "";
	char codes[CODES];

	for (lurk_key k = lurk_key_next(0); k; k = lurk_key_next(k)) {
		bool hit = contains(lurk_key_name(k), word) ||
			   contains(lurk_key_evdev_name(k), word) ||
			   contains(lurk_key_meaning(k), word);

		for (uint8_t kind = LURK_SCAN_SET1; kind <= LURK_SCAN_HID && !hit; kind++) {
			list_codes(k, kind, codes, NULL);
			hit = contains(codes, word);
		}
		if (hit)
			add_row(r, "", k, (lurk_scan){0, LURK_SCAN_NONE});
	}
	return r->found ? CLI_DONE
			: cli_fail(CLI_FOUND, "no key has `%s` in its names or codes", word);
}

static const struct argp_option options[] = {
	{"list", 'l', NULL, 0, "Search all keys for a word; without one, list them all", 0},
	{0},
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct resolve *r = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = r->cli;
		return 0;
	case 'l':
		r->list = true;
		return 0;
	case ARGP_KEY_ARGS:
		r->words = state->argv + state->next;
		r->count = (unsigned)(state->argc - state->next);
		return 0;
	case ARGP_KEY_END:
		if (!r->count && !r->list)
			argp_error(state, "say which key: a name, a scan code or a number");
		if (r->list && r->count > 1)
			argp_error(state, "`--list` takes one word");
		return 0;
	default:
		(void)arg;
		return ARGP_ERR_UNKNOWN;
	}
}

int cli_resolve(struct cli *cli, int argc, char **argv)
{
	static const char *const heads[] = {"read as", "key",   "event code", "meaning",
					    "side",    "set 1", "set 2",      "HID"};
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {options,
				  parse_option,
				  "WHAT...",
				  "All the names and codes of a key. WHAT is a name, a scan code "
				  "in any notation, or a bare number, "
				  "which is read in every way that it can be."
				  "\vExamples:\n"
				  "  lurk resolve CapsLock\n"
				  "  lurk resolve 'kp enter' e05b hid:07:39\n"
				  "  lurk resolve 58\n"
				  "  lurk resolve --list volume",
				  children,
				  NULL,
				  NULL};
	struct resolve r = {.cli = cli};
	int status = CLI_DONE;

	cli_parse(cli, &argp, argc, argv, &r);
	cli_table_init(&r.table, heads, 8);
	if (r.list)
		status = resolve_list(&r);
	for (unsigned i = 0; i < r.count && !r.list; i++) {
		int one = resolve_word(&r, r.words[i]);

		status = one > status ? one : status;
	}
	cli_table_print(&r.table, "");
	return status;
}
