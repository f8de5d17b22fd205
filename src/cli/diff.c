/* diff: rules that were added, removed or changed, in words. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

enum { RULE_TEXT = 512 };

/* One side's rule: what is said of it, and what it is on. */
struct said {
	char full[RULE_TEXT], press[RULE_TEXT];
	uint32_t full_hash, press_hash;
	bool swap, matched;
};

struct side {
	struct said *rules;
	uint32_t count;
	char start[LURK_PROFILE_WORD]; /* the profile in force after a start, "" for none */
};

static uint32_t hash(const char *text)
{
	uint32_t h = 2166136261U;

	while (*text)
		h = (h ^ (uint8_t)*text++) * 16777619U;
	return h;
}

static void say_rule(struct said *said, const struct lurk_rule *rule, const char *keyboard,
		     const char *profile)
{
	char press[LURK_WORDS], words[RULE_TEXT];

	cli_rule_words(rule, keyboard, words, sizeof words);
	snprintf(said->full, sizeof said->full, "%s%s%.*s", profile, *profile ? ": " : "",
		 RULE_TEXT - LURK_PROFILE_WORD - 4, words);
	lurk_words_for_press(&rule->press, press);
	snprintf(said->press, sizeof said->press, "%s on %s in %s", press, keyboard, profile);
	said->full_hash = hash(said->full);
	said->press_hash = hash(said->press);
	said->swap = rule->swap;
}

static struct side make_side(uint32_t count)
{
	struct side side = {calloc(count + 1U, sizeof *side.rules), count, ""};

	if (!side.rules)
		abort();
	return side;
}

static struct side side_of_image(const struct lurk_image *image)
{
	struct side side = make_side(image ? image->rule_count : 0);
	struct lurk_profile profile;

	if (image && image->profile_count) {
		lurk_image_profile(image, 0, &profile);
		cli_safe(profile.word, side.start, sizeof side.start);
	}
	for (uint32_t i = 0; i < side.count; i++) {
		struct lurk_keyboard keyboard;
		struct lurk_rule rule;
		char name[64] = "", word[LURK_PROFILE_WORD];

		lurk_image_profile(image, lurk_image_profile_of(image, i), &profile);
		cli_safe(profile.word, word, sizeof word);
		if (!strcasecmp(word, LURK_PROFILE_BASE))
			*word = '\0';
		lurk_image_rule(image, i, &rule);
		if (rule.keyboard) {
			lurk_image_keyboard(image, rule.keyboard - 1U, &keyboard);
			cli_safe(keyboard.name, name, sizeof name);
		}
		say_rule(&side.rules[i], &rule, name, word);
	}
	return side;
}

static struct side side_of_files(struct lurk_profile_set set, const struct cli *cli)
{
	struct lurk_image image;
	struct side side;
	size_t length;
	uint8_t *bytes = lurk_profile_image_as_is(&set, &cli->keyboards, &length);
	bool fine = bytes && lurk_image_open(bytes, length, &image) == LURK_OK;

	side = side_of_image(fine ? &image : NULL);
	free(bytes);
	return side;
}

/* As an edit would be applied. */
static struct side side_of_edits(const struct cli *cli)
{
	return side_of_files(cli_set_as_applied(cli), cli);
}

static struct said *find(struct side *side, const struct said *wanted, bool by_press)
{
	for (uint32_t i = 0; i < side->count; i++) {
		struct said *s = &side->rules[i];

		if (s->matched ||
		    (by_press ? s->press_hash != wanted->press_hash || s->swap || wanted->swap ||
					strcmp(s->press, wanted->press) != 0
			      : s->full_hash != wanted->full_hash ||
					strcmp(s->full, wanted->full) != 0))
			continue;
		return s;
	}
	return NULL;
}

/* What to do with each difference; `before` is "" but for rules that changed. */
typedef void tell_change(void *data, const char *what, const char *rule, const char *before);

static unsigned compare(struct side *from, struct side *to, tell_change *tell, void *data)
{
	char told[LURK_PROFILE_WORD + 48];
	unsigned count = 0;

	if (*from->start && *to->start && strcasecmp(from->start, to->start) != 0) {
		snprintf(told, sizeof told, "the profile %s is in force after a start", to->start);
		tell(data, "changed", told, from->start);
		count++;
	}
	for (uint32_t i = 0; i < to->count; i++) {
		struct said *same = find(from, &to->rules[i], false);

		if (same)
			same->matched = to->rules[i].matched = true;
	}
	for (uint32_t i = 0; i < to->count; i++) {
		struct said *rule = &to->rules[i], *before;

		if (rule->matched)
			continue;
		before = find(from, rule, true);
		if (before)
			before->matched = true;
		count++;
		tell(data, before ? "changed" : "added", rule->full, before ? before->full : "");
	}
	for (uint32_t i = 0; i < from->count; i++) {
		if (from->rules[i].matched)
			continue;
		count++;
		tell(data, "removed", from->rules[i].full, "");
	}
	free(from->rules);
	free(to->rules);
	return count;
}

static void print(void *data, const char *what, const char *rule, const char *before)
{
	const char **title = data;

	if (*title)
		puts(*title);
	*title = NULL;
	printf("  %-8s  %s%s%s%s\n", what, rule, *before ? " (before: " : "", before,
	       *before ? ")" : "");
}

static void add_json(void *data, const char *what, const char *rule, const char *before)
{
	struct json_object *object = json_object_new_object();

	json_object_object_add(object, "what", json_object_new_string(what));
	json_object_object_add(object, "rule", json_object_new_string(rule));
	if (*before)
		json_object_object_add(object, "before", json_object_new_string(before));
	json_object_array_add(data, object);
}

static void count_only(void *data, const char *what, const char *rule, const char *before)
{
	(void)data;
	(void)what;
	(void)rule;
	(void)before;
}

/* The first two, and how many more. */
struct summary {
	char *out;
	size_t size;
	unsigned told;
};

static void sum_up(void *data, const char *what, const char *rule, const char *before)
{
	struct summary *s = data;

	(void)before;
	if (s->told++ < 2)
		snprintf(s->out + strlen(s->out), s->size - strlen(s->out), "%s%s: %s",
			 s->told > 1 ? "; " : "", what, rule);
}

unsigned cli_pending(struct cli *cli)
{
	struct side force, file;

	if (cli->profile_broken)
		return 0;
	force = side_of_image(cli->machine->image);
	file = side_of_edits(cli);
	return compare(&force, &file, count_only, NULL);
}

unsigned cli_print_changes(struct cli *cli, const char *title)
{
	struct side force = side_of_image(cli->machine->image), file = side_of_edits(cli);

	return compare(&force, &file, print, &title);
}

struct json_object *cli_changes_json(struct cli *cli)
{
	struct side force = side_of_image(cli->machine->image), file = side_of_edits(cli);
	struct json_object *list = json_object_new_array();

	compare(&force, &file, add_json, list);
	return list;
}

const char *cli_sum_up_changes(const struct lurk_image *from, const struct lurk_image *to,
			       char *out, size_t size)
{
	struct side before = side_of_image(from), after = side_of_image(to);
	struct summary s = {out, size, 0};

	*out = '\0';
	if (!compare(&before, &after, sum_up, &s))
		snprintf(out, size, "nothing");
	else if (s.told > 2)
		snprintf(out + strlen(out), size - strlen(out), "; and %u more", s.told - 2);
	return out;
}

/* ---- lurk diff ------------------------------------------------------------------------------ */

struct diff {
	struct cli *cli;
	uint64_t versions[2];
	unsigned count;
};

bool cli_read_version(const char *text, uint64_t *version)
{
	char *end;

	*version = strtoull(text, &end, 10);
	return *text >= '0' && *text <= '9' && !*end && *version;
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct diff *diff = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = diff->cli;
		return 0;
	case ARGP_KEY_ARG:
		if (diff->count == 2)
			argp_error(state, "two versions are compared; `%s` is one too many", arg);
		if (!cli_read_version(arg, &diff->versions[diff->count++]))
			argp_error(state,
				   "`%s` is not a version's number; `lurk versions` lists "
				   "them",
				   arg);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

bool cli_open_version(struct cli *cli, uint64_t version, uint8_t **bytes, struct lurk_image *image)
{
	size_t length;

	*bytes = NULL;
	if (lurk_machine_stored(cli->machine, version, bytes, &length) &&
	    lurk_image_open(*bytes, length, image) == LURK_OK)
		return true;
	free(*bytes);
	*bytes = NULL;
	cli_fail(CLI_USAGE, "version %" PRIu64 " is not kept; `lurk versions` lists those that are",
		 version);
	return false;
}

static int print_all(struct cli *cli, struct side *from, struct side *to, const char *title,
		     const char *none)
{
	struct json_object *list;

	if (!cli->json) {
		if (!compare(from, to, print, &title))
			puts(none);
		return CLI_DONE;
	}
	list = json_object_new_array();
	compare(from, to, add_json, list);
	cli_print_json(list);
	return CLI_DONE;
}

/* Version 3 alone: what it changed of the one in force. */
static int versions(struct diff *diff)
{
	struct cli *cli = diff->cli;
	struct lurk_image images[2];
	uint8_t *bytes[2] = {NULL, NULL};
	char title[96], none[96];
	struct side from, to;
	int status = CLI_USAGE;

	snprintf(title, sizeof title, "From version %" PRIu64 " to %" PRIu64 ":", diff->versions[0],
		 diff->versions[1]);
	snprintf(none, sizeof none, "Versions %" PRIu64 " and %" PRIu64 " have the same rules.",
		 diff->versions[0], diff->versions[1]);
	if (cli_open_version(cli, diff->versions[0], &bytes[0], &images[0]) &&
	    cli_open_version(cli, diff->versions[1], &bytes[1], &images[1])) {
		from = side_of_image(&images[0]);
		to = side_of_image(&images[1]);
		status = print_all(cli, &from, &to, title, none);
	}
	free(bytes[0]);
	free(bytes[1]);
	return status;
}

int cli_diff(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		NULL,
		parse_option,
		"[VERSION [VERSION]]",
		"What would change if the file were applied; or between two of the versions that "
		"`lurk versions` lists (one alone: from it to what is in force)."
		"\vExamples:\n  lurk diff\n  lurk diff 3 5",
		children,
		NULL,
		NULL};
	struct diff diff = {.cli = cli};
	struct side from, to;

	cli_parse(cli, &argp, argc, argv, &diff);
	if (!cli_read_files(cli) || !cli_machine(cli))
		return CLI_COULD_NOT;
	if (diff.count == 1)
		diff.versions[1] = cli->machine->image ? cli->machine->image->sequence : 0;
	if (diff.count)
		return versions(&diff);
	from = side_of_image(cli->machine->image);
	to = side_of_files(cli_profile_set(cli), cli);
	return print_all(cli, &from, &to, "Applying the file would change this:",
			 "The file and what is in force are the same.");
}
