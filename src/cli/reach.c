/* reach: which physical keys to press for a key or a chord, as the rules are. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

enum { PARTS = 6, PATH_WORDS = 512 };

/* One thing to hold or press: a key, or either side of a modifier. */
struct part {
	lurk_key key, other;
};

struct reach {
	struct cli *cli;
	const char *wanted;
	bool from_file;
	struct part parts[PARTS];
	unsigned count, found;
	struct lurk_image image; /* of the file, where that was asked for */
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct reach *r = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = r->cli;
		return 0;
	case ARGP_KEY_ARG:
		if (r->wanted)
			argp_error(state, "`%s` is one word too many; quote a name with spaces",
				   arg);
		r->wanted = arg;
		return 0;
	case ARGP_KEY_END:
		if (!r->wanted)
			argp_error(state, "say which key or chord, as in Control+Alt+Delete");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

/* Modifiers in the order in which they are read, then the key. */
static void take_apart(struct reach *r, const struct lurk_press *press)
{
	static const struct {
		uint16_t either, left, right;
		lurk_key key;
	} modifiers[] = {
		{LURK_MOD_CONTROL, LURK_MOD_LEFT_CONTROL, LURK_MOD_RIGHT_CONTROL,
		 LURK_KEY_LEFTCTRL},
		{LURK_MOD_ALT, LURK_MOD_LEFT_ALT, LURK_MOD_RIGHT_ALT, LURK_KEY_LEFTALT},
		{LURK_MOD_SHIFT, LURK_MOD_LEFT_SHIFT, LURK_MOD_RIGHT_SHIFT, LURK_KEY_LEFTSHIFT},
		{LURK_MOD_META, LURK_MOD_LEFT_META, LURK_MOD_RIGHT_META, LURK_KEY_LEFTMETA},
	};

	for (size_t i = 0; i < sizeof modifiers / sizeof *modifiers; i++) {
		lurk_key left = modifiers[i].key, right = lurk_key_other_side(left);

		if (press->modifiers & modifiers[i].either)
			r->parts[r->count++] = (struct part){left, right};
		else if (press->modifiers & modifiers[i].left)
			r->parts[r->count++] = (struct part){left, LURK_KEY_NONE};
		else if (press->modifiers & modifiers[i].right)
			r->parts[r->count++] = (struct part){right, LURK_KEY_NONE};
	}
	r->parts[r->count++] =
		(struct part){press->on.key, press->on.kind == LURK_TARGET_PAIR
						     ? lurk_key_other_side(press->on.key)
						     : (lurk_key)LURK_KEY_NONE};
}

static const char *source_words(const struct lurk_source *source, char out[LURK_WORDS])
{
	return lurk_words_key(source->key, source->scan, out);
}

/* Why a key cannot be had on a keyboard. */
static void say_why_not(const struct reach *r, const struct lurk_image *image, uint16_t number,
			lurk_key key, char *out, size_t size)
{
	const struct lurk_session_keyboard *k = &r->cli->machine->keyboards[number];
	uint16_t described = image ? lurk_image_recognise(image, &k->info.identity) : 0;

	snprintf(out, size, "nothing gives %s%s", lurk_key_name(key),
		 lurk_declares(&k->info, key) ? "" : "; it has no such key");
	for (uint32_t i = 0; image && lurk_declares(&k->info, key) && i < image->rule_count; i++) {
		struct lurk_change change;
		struct lurk_rule rule;

		lurk_image_rule(image, i, &rule);
		for (unsigned n = 0; !rule.off && lurk_rule_change(&rule, n, &change); n++) {
			lurk_key on = change.on.kind == LURK_TARGET_SCAN
					      ? lurk_scan_key(change.on.scan)
					      : change.on.key;

			if (on != key || (rule.keyboard && rule.keyboard != described))
				continue;
			snprintf(out, size, "nothing gives %s: line %u gives that key another job",
				 lurk_key_name(key), rule.line);
			return;
		}
	}
}

static void answer(struct reach *r, const struct lurk_image *image, uint16_t number,
		   struct cli_table *table)
{
	/* The last key is pressed while the others are held. */
	static struct lurk_source alone[LURK_KEY_COUNT], with[LURK_KEY_COUNT];
	const struct lurk_session_keyboard *k = &r->cli->machine->keyboards[number];
	uint8_t held = 0;
	char path[PATH_WORDS] = "", one[LURK_WORDS], two[LURK_WORDS], why[PATH_WORDS] = "";

	for (unsigned i = 0; i + 1 < r->count; i++)
		held |= (uint8_t)(1U << lurk_modifier_place(r->parts[i].key));
	memset(alone, 0, sizeof alone);
	memset(with, 0, sizeof with);
	cli_sources(image, &k->info, false, 0, alone);
	cli_sources(image, &k->info, false, held, with);
	for (unsigned i = 0; i < r->count && !*why; i++) {
		const struct lurk_source *sources = i + 1 < r->count ? alone : with;
		const struct lurk_source *a = &sources[r->parts[i].key];
		const struct lurk_source *b = &sources[r->parts[i].other];
		bool has_a = a->key || a->scan.kind;
		bool has_b = r->parts[i].other && (b->key || b->scan.kind);
		const char *word = source_words(has_a ? a : b, one);

		if (!has_a && !has_b)
			say_why_not(r, image, number, r->parts[i].key, why, sizeof why);
		else if (has_a && has_b && a->key == r->parts[i].key && b->key == r->parts[i].other)
			word = lurk_key_pair_name(a->key);
		snprintf(path + strlen(path), sizeof path - strlen(path), "%s%s", i ? " + " : "",
			 word);
		if (has_a && has_b && word == one)
			snprintf(path + strlen(path), sizeof path - strlen(path), " (or %s)",
				 source_words(b, two));
	}
	r->found += !*why;
	if (r->cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "keyboard",
				       json_object_new_string(cli_keyboard_name(r->cli, number)));
		json_object_object_add(object, "press", *why ? NULL : json_object_new_string(path));
		json_object_object_add(object, "why_not",
				       *why ? json_object_new_string(why) : NULL);
		cli_print_json(object);
		return;
	}
	cli_table_row(table, cli_keyboard_name(r->cli, number), *why ? "" : path, why);
}

static int run(struct reach *r)
{
	static const char *const heads[] = {"keyboard", "press", "not by itself"};
	const struct lurk_machine *machine = r->cli->machine;
	const struct lurk_image *image = r->from_file   ? &r->image
					 : machine->off ? NULL
							: machine->image;
	struct cli_table table;

	cli_table_init(&table, heads, 3);
	if (!r->cli->json)
		printf("%s, %s:\n", r->wanted,
		       r->from_file   ? "if the file were applied"
		       : machine->off ? "while all rules are off"
				      : "as the rules are now");
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		if (machine->keyboards[i].present)
			answer(r, image, i, &table);
	}
	cli_table_print(&table, "  ");
	if (!r->found && !r->cli->json)
		puts("It cannot be reached on any one keyboard here. `lurk map KEY RESULT` gives a "
		     "key that is missing another place.");
	return r->found ? CLI_DONE : CLI_FOUND;
}

int cli_reach(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		NULL,
		parse_option,
		"KEY",
		"Which keys to press on each keyboard for a key or a chord, as the "
		"rules are; with --profile, as that file would have it."
		"\vExamples:\n"
		"  lurk reach Control+Alt+Delete\n"
		"  lurk reach Enter --profile profile.yaml",
		children,
		NULL,
		NULL};
	struct reach r = {.cli = cli};
	struct lurk_message why;
	struct lurk_press press;
	uint8_t *bytes = NULL;
	int status;

	cli_parse(cli, &argp, argc, argv, &r);
	r.from_file = cli->profile_option != NULL;
	if (!cli_read_files(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (!lurk_words_press(r.wanted, cli_characters(cli), &press, &why))
		return cli_fail(CLI_USAGE, "%s", why.text);
	if (press.on.kind == LURK_TARGET_MEANING || press.on.kind == LURK_TARGET_SCAN)
		return cli_fail(CLI_USAGE,
				"`%s` is not one key or chord; `lurk resolve` tells what "
				"it is",
				r.wanted);
	take_apart(&r, &press);
	if (r.from_file) {
		bytes = cli_image(cli, &r.image);
		if (!bytes)
			return cli_fail(CLI_COULD_NOT, "%s: too long", cli->profile_path);
	}
	status = run(&r);
	free(bytes);
	return status;
}
