/* resolve: all the names and codes of a key. */
#include <string.h>

#include "cli/commands.h"
#include "tell/json.h"
#include "tell/key.h"

struct resolve {
	struct cli *cli;
	bool list, all, layout_found;
	char **words;
	unsigned count;
	struct term_table table;
	unsigned found;
	char more[128]; /* what is said below the table */
};

/* Once, and only where it counts. */
static void find_layout(struct resolve *r)
{
	if (!r->layout_found)
		cli_find_layout(r->cli);
	r->layout_found = true;
}

static void add_row(struct resolve *r, const char *reading, lurk_key key, lurk_scan scan)
{
	const struct tell_key what = {reading, key, scan};
	char told[LURK_WORDS + LURK_CAP + 8], cap[LURK_CAP], set1[TELL_CODES], set2[TELL_CODES],
		hid[TELL_CODES], evdev[64] = "", name[LURK_WORDS];

	const struct lurk_characters *characters;
	const char *meaning;

	r->found++;
	if (r->cli->json) {
		term_json(tell_key_json(&what));
		return;
	}
	if (key)
		snprintf(evdev, sizeof evdev, "%u %s", key, lurk_key_evdev_name(key));
	if (strlen(lurk_key_meaning(key)) == 1)
		find_layout(r);
	characters = lurk_workspace_characters(&r->cli->ws);
	meaning = lurk_words_meaning(key, characters, cap);
	term_table_row(&r->table, reading,
		       lurk_words_with_caps(lurk_words_key(key, scan, name), characters, told,
					    sizeof told),
		       evdev, strcmp(meaning, " ") ? meaning : "space", tell_side(key),
		       tell_codes(&what, LURK_SCAN_SET1, set1),
		       tell_codes(&what, LURK_SCAN_SET2, set2),
		       tell_codes(&what, LURK_SCAN_HID, hid));
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

/* The likely readings come first, and are all that a person is told without --all; a single one
 * more is not kept back. */
enum { LIKELY = 4 };

static bool resolve_number(struct resolve *r, const char *word, const struct lurk_name *name)
{
	struct lurk_reading reading;
	unsigned count = 0, shown;

	while (lurk_name_reading(name, count, &reading))
		count++;
	shown = r->all || r->cli->json || count <= LIKELY + 1 ? count : LIKELY;
	for (unsigned i = 0; i < shown && lurk_name_reading(name, i, &reading); i++)
		add_row(r, reading.as, reading.key, reading.scan);
	if (shown < count)
		snprintf(r->more, sizeof r->more,
			 "%u more readings, less likely: `lurk resolve --all %.40s`.\n",
			 count - shown, word);
	return count > 0;
}

/* A name that was given to a key of a keyboard here. */
static bool resolve_nickname(struct resolve *r, const char *word)
{
	const struct lurk_nickname *nickname;
	char on[LURK_WORDS];

	if (!cli_read_files_if_good(r->cli))
		return false;
	nickname = lurk_nickname_find(&r->cli->ws.keyboards, 0, word);
	if (!nickname)
		return false;
	if (!r->cli->json)
		printf("%s: %s on %s.\n", nickname->name, lurk_words_target(&nickname->on, on),
		       r->cli->ws.keyboards.keyboards[nickname->keyboard - 1].name.bytes);
	resolve_target(r, &nickname->on);
	return true;
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

/* How a character is typed in the layout, before what its key is; false for what is none. */
static bool say_how_typed(const struct resolve *r, const char *word,
			  const struct lurk_characters *characters)
{
	const size_t length = strlen(word);
	struct lurk_step steps[LURK_CHARACTER_STEPS];
	struct json_object *object;
	char how[TELL_STEPS];
	uint32_t codepoint;
	unsigned count;

	if (!characters || !length || lurk_character_read(word, length, &codepoint) != length)
		return false;
	count = characters->type(characters->data, codepoint, steps);
	tell_steps(steps, count, how);
	if (count && !r->cli->json) {
		printf("`%s`: %s.\n", word, how);
	} else if (count > 1) { /* no key has it alone */
		object = json_object_new_object();
		tell_put_text(object, "character", word);
		tell_put_text(object, "typed", how);
		term_json(object);
	}
	return count > 1;
}

static int resolve_word(struct resolve *r, const char *word)
{
	const struct lurk_characters *characters;
	struct lurk_message why;
	struct lurk_press press;
	struct lurk_name name;

	if (may_be_character(word))
		find_layout(r);
	characters = lurk_workspace_characters(&r->cli->ws);
	if (say_how_typed(r, word, characters))
		return CLI_DONE;
	switch (lurk_name_read(word, strlen(word), characters, &name)) {
	case LURK_NAME_PRESS:
		resolve_modifiers(r, name.press.modifiers);
		resolve_target(r, &name.press.on);
		return CLI_DONE;
	case LURK_NAME_NUMBER:
		if (resolve_number(r, word, &name))
			return CLI_DONE;
		break;
	case LURK_NAME_MANY:
		if (!r->cli->json)
			printf("`%s` can mean several keys.\n", word);
		for (unsigned i = 0; i < name.count; i++)
			add_row(r, "", name.keys[i], (lurk_scan){0, LURK_SCAN_NONE});
		return CLI_DONE;
	default:
		if (resolve_nickname(r, word))
			return CLI_DONE;
		break;
	}
	lurk_words_press(word, characters, &press, &why);
	return cli_fail(CLI_FOUND, "%s", why.text);
}

static int resolve_list(struct resolve *r)
{
	const char *word = r->count ? r->words[0] : "";

	for (lurk_key k = lurk_key_next(0); k; k = lurk_key_next(k)) {
		if (tell_key_has(k, word))
			add_row(r, "", k, (lurk_scan){0, LURK_SCAN_NONE});
	}
	return r->found ? CLI_DONE
			: cli_fail(CLI_FOUND, "no key has `%s` in its names or codes", word);
}

enum { OPTION_ALL = 1000 };

static const struct argp_option options[] = {
	{"list", 'l', NULL, 0, "Search all keys for a word; without one, list them all", 0},
	{"all", OPTION_ALL, NULL, 0, "Of a bare number every reading, the unlikely ones too", 0},
	{0},
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct resolve *r = state->input;

	switch (key) {
	case 'l':
		r->list = true;
		return 0;
	case OPTION_ALL:
		r->all = true;
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
	static const struct cli_words words = {
		options, parse_option, "WHAT...",
		"All the names and codes of a key. WHAT is a name, a nickname, a character, a "
		"scan code in any notation, or a bare number, which is read in each way that is "
		"likely."
		"\vExamples:\n"
		"  lurk resolve NumLock\n"
		"  lurk resolve 'kp enter' e05b hid:07:39\n"
		"  lurk resolve 58\n"
		"  lurk resolve --list volume"};
	struct resolve r = {.cli = cli};
	int status = CLI_DONE;

	cli_parse(cli, &words, argc, argv, &r);
	term_table_init(&r.table, heads, 8);
	if (r.list)
		status = resolve_list(&r);
	for (unsigned i = 0; i < r.count && !r.list; i++) {
		int one = resolve_word(&r, r.words[i]);

		status = one > status ? one : status;
	}
	term_table_print(&r.table, "");
	fputs(r.more, stdout);
	return status;
}
