/* check: what is wrong with the profile, what it takes away, what it would change. The judging is
 * lurk/check.h's; here are its words. */
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "cli/cli.h"
#include "text/utf8.h"

enum { KEYMAP_SIZE = 1 << 22, WORDS = 400 };

void cli_sources(const struct lurk_image *image, const struct lurk_port_keyboard *keyboard,
		 bool broken_too, uint8_t held_with, struct lurk_source sources[LURK_KEY_COUNT])
{
	void *memory = malloc(KEYMAP_SIZE);

	if (!memory)
		abort();
	lurk_sources(image, keyboard, broken_too, held_with, memory, KEYMAP_SIZE, sources);
	free(memory);
}

/* ---- Judging -------------------------------------------------------------------------------- */

/* Where there is no machine to look at: keyboards of full size, one for each that is described. */
static uint16_t imagined(const struct cli *cli, struct lurk_port_keyboard *all, uint16_t most)
{
	uint16_t count = 0;

	for (uint16_t d = 0; d <= cli->keyboards.count && count < most; d++) {
		struct lurk_port_keyboard *k = &all[count];
		const struct lurk_recogniser *r;

		if (d && !cli->keyboards.keyboards[d - 1].recogniser_count)
			continue;
		memset(k, 0, sizeof *k);
		for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
			if (cli_on_a_full_keyboard(key))
				k->declares[key / 8] |= (uint8_t)(1U << key % 8);
		}
		count++;
		if (!d)
			continue;
		r = cli->keyboards.keyboards[d - 1].recognisers;
		k->identity = (struct lurk_identity){.bus = r->bus,
						     .built_in = r->built_in,
						     .vendor = r->vendor,
						     .product = r->product};
		cli_safe(r->serial, k->identity.serial, sizeof k->identity.serial);
		cli_safe(r->name, k->identity.name, sizeof k->identity.name);
		cli_safe(r->place, k->identity.place, sizeof k->identity.place);
	}
	return count;
}

static void add(void *data, const struct lurk_finding *finding)
{
	struct cli_findings *f = data;

	if (f->count % 16 == 0) {
		f->all = realloc(f->all, (f->count + 16) * sizeof *f->all);
		if (!f->all)
			abort();
	}
	f->all[f->count++] = *finding;
	f->by_severity[finding->severity]++;
}

static bool has_profile(const struct cli *cli, struct lurk_text word)
{
	const struct lurk_profile_set set = cli_profile_set(cli);

	return lurk_profile_find(&set, word) ||
	       (word.length == strlen("previous") && !strncmp(word.bytes, "previous", word.length));
}

/* Results that this layout has no keys for, and that lead nowhere. */
static void check_results(struct cli *cli, struct cli_findings *f)
{
	const struct lurk_characters *characters = cli_characters(cli);

	for (uint32_t i = 0; i < cli->profile.count; i++) {
		const struct lurk_rule *rule = &cli->profile.rules[i];
		struct lurk_finding finding = {
			.severity = LURK_ERROR, .rule = i, .other = LURK_NO_RULE};
		uint32_t codepoint;

		finding.code = CLI_CHECK_UNKNOWN_KEYBOARD;
		if (!rule->keyboard && lurk_node_get(cli->profile.nodes[i], "keyboard"))
			add(f, &finding);
		if (rule->off)
			continue;
		finding.code = CLI_CHECK_NO_PROFILE;
		if (rule->gives.kind == LURK_GIVES_PROFILE && !has_profile(cli, rule->gives.text))
			add(f, &finding);
		if (lurk_rule_check(rule) != LURK_ERR_UNTYPED)
			continue;
		finding.code = CLI_CHECK_NO_LAYOUT;
		if (characters && cli_untypable(characters, rule->gives.text, &codepoint)) {
			finding.code = CLI_CHECK_CANNOT_TYPE;
			finding.other = codepoint; /* no rule has to do with it */
		}
		add(f, &finding);
	}
}

/* Whether a key of the profile, or of one that it is based on, leads to another one. */
static bool leads_out(const struct lurk_profile_set *set, const struct lurk_profile_file *of,
		      const struct lurk_profile_file *file)
{
	for (uint32_t i = 0; i < file->count; i++) {
		const struct lurk_rule *rule = &file->rules[i];

		if (!rule->off && (rule->gives.kind == LURK_GIVES_TOGGLE ||
				   (rule->gives.kind == LURK_GIVES_PROFILE &&
				    lurk_profile_find(set, rule->gives.text) != of)))
			return true;
	}
	file = lurk_profile_find(set, (struct lurk_text){file->based_on, strlen(file->based_on)});
	return file && leads_out(set, of, file);
}

/* A key leads there, and none leads back. */
static void check_ways_back(struct cli *cli, struct cli_findings *f)
{
	const struct lurk_profile_set set = cli_profile_set(cli);

	for (uint32_t i = 0; i < cli->profile.count; i++) {
		const struct lurk_rule *rule = &cli->profile.rules[i];
		struct lurk_finding finding = {.code = CLI_CHECK_NO_WAY_BACK,
					       .severity = LURK_WARNING,
					       .rule = i,
					       .other = LURK_NO_RULE};
		const struct lurk_profile_file *to =
			rule->off || rule->gives.kind != LURK_GIVES_PROFILE
				? NULL
				: lurk_profile_find(&set, rule->gives.text);

		if (to && to != &cli->profile && !leads_out(&set, to, to))
			add(f, &finding);
	}
}

/* A profile that stands beside the base, and that a key leads out of, locks nobody out. */
static void weigh(const struct cli *cli, struct cli_findings *f)
{
	const struct lurk_profile_set set = cli_profile_set(cli);

	if (!strcasecmp(cli->profile.word, LURK_PROFILE_BASE) || set.count == 1 ||
	    !leads_out(&set, &cli->profile, &cli->profile))
		return;
	for (unsigned i = 0; i < f->count; i++) {
		if (f->all[i].severity == LURK_LOCK_OUT)
			f->all[i].severity = LURK_WARNING;
	}
	f->by_severity[LURK_WARNING] += f->by_severity[LURK_LOCK_OUT];
	f->by_severity[LURK_LOCK_OUT] = 0;
}

bool cli_check(struct cli *cli, struct cli_findings *findings)
{
	static struct lurk_port_keyboard infos[LURK_CHECK_KEYBOARDS];
	struct lurk_check_keyboard keyboards[LURK_CHECK_KEYBOARDS];
	struct lurk_check_job job = {.keyboards = keyboards};
	struct lurk_check_work *work = calloc(1, sizeof *work);
	struct lurk_machine *machine = cli_machine_if_any(cli);
	struct lurk_image after;
	enum lurk_error error = LURK_ERR_CONTENT;
	uint8_t *bytes = cli_image(cli, &after);

	memset(findings, 0, sizeof *findings);
	for (uint16_t i = 0; machine && i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];

		if (!k->present || job.keyboard_count == LURK_CHECK_KEYBOARDS)
			continue;
		findings->keyboards[job.keyboard_count] = i;
		keyboards[job.keyboard_count].used = k->used;
		keyboards[job.keyboard_count++].info = &k->info;
	}
	findings->imagined = !job.keyboard_count;
	if (findings->imagined) {
		job.keyboard_count = imagined(cli, infos, LURK_CHECK_KEYBOARDS);
		for (uint16_t i = 0; i < job.keyboard_count; i++)
			keyboards[i] = (struct lurk_check_keyboard){&infos[i], false};
	}
	if (work)
		work->keymap = malloc(KEYMAP_SIZE);
	if (!work || !work->keymap)
		abort();
	work->keymap_size = KEYMAP_SIZE;
	cli_typing_keys(cli, job.typing);
	job.third_level = cli_has_third_level(cli);
	job.before = machine && !machine->off && !machine->trying ? machine->image : NULL;
	job.after = &after;
	if (bytes)
		error = lurk_check(&job, work, add, findings);
	if (error == LURK_OK) {
		check_results(cli, findings);
		check_ways_back(cli, findings);
		weigh(cli, findings);
	}
	free(bytes);
	free(work->keymap);
	free(work);
	return error == LURK_OK;
}

void cli_findings_free(struct cli_findings *findings)
{
	free(findings->all);
	findings->all = NULL;
	findings->count = 0;
}

bool cli_findings_have(const struct cli_findings *findings, const struct lurk_finding *wanted)
{
	for (unsigned i = 0; i < findings->count; i++) {
		const struct lurk_finding *f = &findings->all[i];

		if (f->code == wanted->code && f->key == wanted->key && f->by == wanted->by &&
		    f->modifiers == wanted->modifiers && f->keyboard == wanted->keyboard)
			return true;
	}
	return false;
}

/* ---- Words ---------------------------------------------------------------------------------- */

static const char *check_name(uint8_t code)
{
	return code == CLI_CHECK_CANNOT_TYPE        ? "cannot-type"
	       : code == CLI_CHECK_NO_LAYOUT        ? "no-layout"
	       : code == CLI_CHECK_NO_PROFILE       ? "no-such-profile"
	       : code == CLI_CHECK_NO_WAY_BACK      ? "no-way-back"
	       : code == CLI_CHECK_UNKNOWN_KEYBOARD ? "unknown-keyboard"
						    : lurk_check_name(code);
}

static const char *keyboard_name(const struct cli *cli, const struct cli_findings *all,
				 const struct lurk_finding *f)
{
	return f->keyboard && !all->imagined
		       ? cli_keyboard_name(cli, all->keyboards[f->keyboard - 1])
		       : "that keyboard";
}

static unsigned line_of(const struct cli *cli, uint32_t rule)
{
	return rule < cli->profile.count ? cli->profile.rules[rule].line : 0;
}

static const char *chord_words(const struct lurk_finding *f, char out[LURK_WORDS])
{
	snprintf(out, LURK_WORDS, "%s%s%s", f->modifiers & LURK_MOD_CONTROL ? "Control+" : "",
		 f->modifiers & LURK_MOD_ALT ? "Alt+" : "", lurk_key_name(f->key));
	return out;
}

/* The keys that do it now: a modifier by its pair where both sides are as ever. */
static const char *by_words(const struct lurk_finding *f, char out[LURK_WORDS])
{
	char key[LURK_WORDS];

	*out = '\0';
	for (unsigned i = 0; i < 2; i++) {
		const char *pair = lurk_key_pair_name(f->by_held[i]);
		bool usual = !strcmp(pair, i ? "Alt" : "Control");

		if (f->by_held[i])
			snprintf(out + strlen(out), LURK_WORDS - strlen(out), "%s+",
				 usual ? pair : lurk_key_name(f->by_held[i]));
	}
	snprintf(out + strlen(out), LURK_WORDS - strlen(out), "%s",
		 lurk_words_key(f->by, f->by_scan, key));
	return out;
}

static const char *pair_or_key(lurk_key key)
{
	const char *pair = lurk_key_pair_name(key);

	return *pair ? pair : lurk_key_name(key);
}

static void say_what(const struct cli *cli, const struct cli_findings *all,
		     const struct lurk_finding *f, char out[WORDS])
{
	const char *key = f->key < LURK_KEY_COUNT ? lurk_key_name(f->key) : "";
	char one[LURK_WORDS], two[LURK_WORDS], sign[5];

	switch (f->code) {
	case LURK_CHECK_SAME_PRESS:
		snprintf(out, WORDS, "Lines %u and %u are for the same press: %s.",
			 line_of(cli, f->rule), line_of(cli, f->other),
			 lurk_words_for_press(&cli->profile.rules[f->other].press, one));
		break;
	case LURK_CHECK_TAP_MODIFIER:
		snprintf(out, WORDS,
			 "%s never says that it came up: as a modifier it would be of "
			 "no use.",
			 key);
		break;
	case LURK_CHECK_LOCKED_OUT:
		if (f->modifiers)
			snprintf(out, WORDS, "%s cannot be pressed any more.", chord_words(f, one));
		else
			snprintf(out, WORDS, "No key gives %s any more.", pair_or_key(f->key));
		break;
	case LURK_CHECK_MOVED:
		snprintf(out, WORDS, "%s is now %s.", chord_words(f, one), by_words(f, two));
		break;
	case LURK_CHECK_LOST:
		snprintf(out, WORDS, "No key%s%s gives %s any more.", f->keyboard ? " on " : "",
			 f->keyboard ? keyboard_name(cli, all, f) : "", pair_or_key(f->key));
		break;
	case LURK_CHECK_HALF_PAIR:
		snprintf(out, WORDS, "%s and %s are swapped, %s and %s are not.", key,
			 lurk_key_name(f->by), lurk_key_name(lurk_key_other_side(f->key)),
			 lurk_key_name(lurk_key_other_side(f->by)));
		break;
	case LURK_CHECK_NEVER_ACTS:
		snprintf(out, WORDS, "This rule never acts: line %u always wins.",
			 line_of(cli, f->other));
		break;
	case LURK_CHECK_NO_SUCH_KEY:
		snprintf(out, WORDS, "%s has no key %s.", keyboard_name(cli, all, f), key);
		break;
	case LURK_CHECK_BROKEN_KEY:
		snprintf(out, WORDS, "%s on %s is marked broken.", key, keyboard_name(cli, all, f));
		break;
	case LURK_CHECK_NO_CHANGE:
		snprintf(out, WORDS, "This rule changes nothing: %s gives itself in any case.",
			 key);
		break;
	case LURK_CHECK_UNSEEN_BY_X:
		snprintf(out, WORDS,
			 "Programs under X11 do not see %s: its event code, %u, is "
			 "above 247.",
			 key, f->key);
		break;
	case LURK_CHECK_THIRD_LEVEL:
		snprintf(out, WORDS,
			 "No key gives %s any more, with which the layout %s types its "
			 "third characters.",
			 key, cli->layout_name);
		break;
	case LURK_CHECK_NEVER_USED:
		snprintf(out, WORDS, "No keyboard here has %s.", key);
		break;
	case LURK_CHECK_NO_KEYBOARD:
		snprintf(out, WORDS, "All rules are for keyboards of which none is here.");
		break;
	case LURK_CHECK_NO_OFF_CHORD:
		snprintf(out, WORDS,
			 "The off chord cannot be relied on with %s: %s is missing or "
			 "broken.",
			 keyboard_name(cli, all, f), key);
		break;
	case CLI_CHECK_UNKNOWN_KEYBOARD:
		snprintf(out, WORDS, "No keyboard is called %s.",
			 lurk_node_get(cli->profile.nodes[f->rule], "keyboard")->text);
		break;
	case CLI_CHECK_CANNOT_TYPE:
		snprintf(out, WORDS,
			 "The layout %s has no key for a character of this text: %s (U+%04X).",
			 cli->layout_name, lurk_utf8_write(f->other, sign), f->other);
		break;
	case CLI_CHECK_NO_LAYOUT:
		snprintf(out, WORDS,
			 "Which keys type this depends on the layout, and none is known here.");
		break;
	case CLI_CHECK_NO_PROFILE:
		snprintf(out, WORDS, "There is no profile of that name to switch to.");
		break;
	default:
		snprintf(out, WORDS, "No key of the profile %.*s leads out of it again.",
			 (int)cli->profile.rules[f->rule].gives.text.length,
			 cli->profile.rules[f->rule].gives.text.bytes);
		break;
	}
}

static void say_what_to_do(const struct cli *cli, const struct cli_findings *all,
			   const struct lurk_finding *f, char out[WORDS])
{
	const struct lurk_rule *rule =
		f->rule < cli->profile.count ? &cli->profile.rules[f->rule] : NULL;
	const char *key = f->key < LURK_KEY_COUNT ? lurk_key_name(f->key) : "";
	char press[LURK_WORDS], with[64];

	*out = '\0';
	switch (f->code) {
	case CLI_CHECK_CANNOT_TYPE:
		if (*lurk_layouts_with(f->other, with))
			snprintf(out, WORDS, "These have: %s.", with);
		break;
	case CLI_CHECK_NO_LAYOUT:
		snprintf(out, WORDS, "`layout: gb`, say, in the profile tells.");
		break;
	case CLI_CHECK_NO_PROFILE:
		snprintf(out, WORDS,
			 "`lurk profile list` lists them, `lurk profile new NAME` "
			 "makes one.");
		break;
	case CLI_CHECK_NO_WAY_BACK:
		snprintf(out, WORDS,
			 "`lurk map KEY --use previous` in it leads back; `lurk use --previous` "
			 "does in any case.");
		break;
	case LURK_CHECK_SAME_PRESS:
		snprintf(out, WORDS, "Remove one, or switch it off: `lurk off %s`.",
			 rule ? lurk_words_target(&rule->press.on, press) : "KEY");
		break;
	case LURK_CHECK_LOST:
	case LURK_CHECK_LOCKED_OUT:
	case LURK_CHECK_THIRD_LEVEL:
		if (f->severity == LURK_NOTE)
			break; /* it is what the rule is about */
		if (rule && !f->modifiers && !rule->swap && rule->gives.kind == LURK_GIVES_KEY &&
		    rule->press.on.kind == LURK_TARGET_KEY && rule->press.on.key == f->key &&
		    cli_on_a_full_keyboard(rule->gives.key))
			snprintf(out, WORDS,
				 "`lurk swap %s %s` would keep both; `lurk map KEY %s` "
				 "gives another key that job.",
				 key, lurk_key_name(rule->gives.key), key);
		else
			snprintf(out, WORDS, "`lurk map KEY %s` gives another key that job.", key);
		break;
	case LURK_CHECK_HALF_PAIR:
		snprintf(out, WORDS, "`lurk swap %s %s` swaps both sides.",
			 lurk_key_pair_name(f->key), lurk_key_pair_name(f->by));
		break;
	case LURK_CHECK_NEVER_ACTS:
	case LURK_CHECK_NO_CHANGE:
		snprintf(out, WORDS, "It can be removed.");
		break;
	case LURK_CHECK_NO_SUCH_KEY:
	case LURK_CHECK_NEVER_USED:
		snprintf(out, WORDS, "`lurk identify` shows what a key sends.");
		break;
	case LURK_CHECK_BROKEN_KEY:
		snprintf(out, WORDS,
			 "`lurk move %s NEWKEY --keyboard %s` lets another key do its "
			 "job.",
			 key, keyboard_name(cli, all, f));
		break;
	case LURK_CHECK_UNSEEN_BY_X:
		snprintf(out, WORDS, "F13 to F24 are seen everywhere.");
		break;
	case CLI_CHECK_UNKNOWN_KEYBOARD:
	case LURK_CHECK_NO_KEYBOARD:
		snprintf(out, WORDS,
			 "`--as NAME=MINE` takes the rules for NAME for a keyboard of "
			 "yours.");
		break;
	case LURK_CHECK_NO_OFF_CHORD:
		snprintf(out, WORDS,
			 "`lurk keyboards --keyboard %s --off-chord KEY KEY` takes "
			 "others.",
			 keyboard_name(cli, all, f));
		break;
	case LURK_CHECK_TAP_MODIFIER:
		snprintf(out, WORDS, "Give that job to another key.");
		break;
	default:
		break;
	}
}

/* Two words at most, as they stand before a finding. */
static const char *const severities[] = {"note", "warning", "error", "lock-out"};

struct json_object *cli_finding_json(const struct cli *cli, const struct cli_findings *all,
				     const struct lurk_finding *f)
{
	struct json_object *object = json_object_new_object();
	char what[WORDS], to_do[WORDS];

	say_what(cli, all, f, what);
	say_what_to_do(cli, all, f, to_do);
	json_object_object_add(object, "code", json_object_new_string(check_name(f->code)));
	json_object_object_add(object, "severity", json_object_new_string(severities[f->severity]));
	json_object_object_add(object, "what", json_object_new_string(what));
	json_object_object_add(object, "to_do", json_object_new_string(to_do));
	json_object_object_add(object, "line", json_object_new_int64(line_of(cli, f->rule)));
	return object;
}

void cli_tell_finding(const struct cli *cli, const struct cli_findings *all,
		      const struct lurk_finding *f)
{
	char what[WORDS], to_do[WORDS];

	say_what(cli, all, f, what);
	say_what_to_do(cli, all, f, to_do);
	printf("%s%s%s\n", what, *to_do ? " " : "", to_do);
}

static void print_finding(const struct cli *cli, const struct cli_findings *all,
			  const struct lurk_finding *f)
{
	char what[WORDS], to_do[WORDS], line[32] = "";

	say_what(cli, all, f, what);
	say_what_to_do(cli, all, f, to_do);
	if (line_of(cli, f->rule))
		snprintf(line, sizeof line, "line %u", line_of(cli, f->rule));
	printf("  ");
	cli_print_strong(severities[f->severity]);
	printf("%*s  %-8s  %s  [%s]\n", (int)(8 - strlen(severities[f->severity])), "", line, what,
	       check_name(f->code));
	if (*to_do)
		printf("  %20s%s\n", "", to_do);
}

/* The worst first. */
static void print_findings(const struct cli *cli, const struct cli_findings *all,
			   enum lurk_severity least)
{
	for (int severity = LURK_LOCK_OUT; severity >= (int)least; severity--) {
		for (unsigned i = 0; i < all->count; i++) {
			if (all->all[i].severity == severity)
				print_finding(cli, all, &all->all[i]);
		}
	}
}

static const char *count_findings(const struct cli_findings *f, char out[96])
{
	static const char *const plural[] = {"notes", "warnings", "errors", "lock-outs"};

	*out = '\0';
	for (int s = LURK_LOCK_OUT; s >= LURK_NOTE; s--) {
		if (f->by_severity[s])
			snprintf(out + strlen(out), 96 - strlen(out), "%s%u %s", *out ? ", " : "",
				 f->by_severity[s],
				 f->by_severity[s] == 1 ? severities[s] : plural[s]);
	}
	return out;
}

/* ---- For try and apply ---------------------------------------------------------------------- */

static void print_refusal(struct cli *cli, const struct cli_findings *findings)
{
	fflush(stdout);
	cli_fail(CLI_FOUND, "refused, and nothing is changed: %s",
		 findings->by_severity[LURK_LOCK_OUT]
			 ? "with these rules this could no longer be done"
			 : "these rules cannot be meant so");
	print_findings(cli, findings, LURK_ERROR);
	puts("--force applies them all the same; `lurk try --force` does for a while.");
}

static bool refused(const struct cli_findings *findings)
{
	return findings->by_severity[LURK_LOCK_OUT] || findings->by_severity[LURK_ERROR];
}

static void tell_refusal(struct cli *cli, const struct cli_findings *findings)
{
	if (cli->json) {
		struct json_object *object = json_object_new_object(),
				   *list = json_object_new_array();

		for (unsigned i = 0; i < findings->count; i++)
			json_object_array_add(list,
					      cli_finding_json(cli, findings, &findings->all[i]));
		json_object_object_add(object, "refused", list);
		cli_print_json(object);
	} else {
		print_refusal(cli, findings);
	}
}

static void change_places(struct cli *cli, unsigned other)
{
	struct lurk_profile_file kept = cli->profile;

	cli->profile = cli->others[other].file;
	cli->others[other].file = kept;
}

/* Every profile that can be switched to: what locks out there is refused where no key leads out. */
static bool others_have_a_way_back(struct cli *cli)
{
	bool fine = true;

	for (unsigned i = 0; fine && i < cli->other_count; i++) {
		struct cli_findings findings;

		change_places(cli, i);
		if (cli_check(cli, &findings) && refused(&findings)) {
			fine = false;
			if (!cli->json)
				fprintf(stderr, "lurk: in the profile %s:\n", cli->profile.word);
			tell_refusal(cli, &findings);
		}
		cli_findings_free(&findings);
		change_places(cli, i);
	}
	return fine;
}

bool cli_check_first(struct cli *cli, bool force, struct cli_findings *findings)
{
	if (!cli_check(cli, findings))
		return true; /* applying says what is wrong */
	if (force)
		return true;
	if (refused(findings))
		tell_refusal(cli, findings);
	else if (others_have_a_way_back(cli))
		return true;
	cli_findings_free(findings);
	return false;
}

/* ---- lurk check ----------------------------------------------------------------------------- */

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct cli *cli = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = cli;
		return 0;
	case ARGP_KEY_ARG:
		if (cli->profile_option)
			argp_error(state, "one profile at a time; `%s` is one too many", arg);
		cli->profile_option = arg;
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static void report(struct cli *cli, const struct cli_findings *findings)
{
	const bool bad = refused(findings);
	char count[96], rules[48];

	cli_count(cli->profile.count, "rule", rules);
	if (!findings->count)
		printf("Nothing is wrong with the %s in %s.\n", rules, cli->profile_path);
	else
		printf("%s in the %s of %s%s\n", count_findings(findings, count), rules,
		       cli->profile_path, bad ? ": it will not be applied as it is." : ".");
	print_findings(cli, findings, LURK_NOTE);
	if (findings->imagined)
		puts("No machine was looked at: keyboards are taken to be of full size, and no "
		     "rule to be in force.");
	if (cli->machine && cli_print_changes(cli, "\nApplied, it would change this:") && !bad)
		puts("`lurk try` tries it for half a minute.");
}

int cli_check_command(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		NULL,
		parse_option,
		"[PROFILE]",
		"Look for what is wrong with a profile, what can no longer be done with it, and "
		"what it would change. docs/checks.md (in packages: /usr/share/doc/lurk) explains "
		"each finding."
		"\vExamples:\n  lurk check\n  lurk check /media/stick/profile.yaml",
		children,
		NULL,
		NULL};
	struct cli_findings findings;

	cli_parse(cli, &argp, argc, argv, cli);
	cli->judging = true;
	if (!cli_read_files(cli))
		return CLI_COULD_NOT;
	if (!cli->profile_exists)
		return cli_fail(CLI_COULD_NOT, "%s: there is no such profile", cli->profile_path);
	if (!cli_check(cli, &findings))
		return cli_fail(CLI_COULD_NOT, "%s: more rules than can be judged",
				cli->profile_path);
	if (cli->json) {
		struct json_object *object = json_object_new_object(),
				   *list = json_object_new_array();

		for (unsigned i = 0; i < findings.count; i++)
			json_object_array_add(list,
					      cli_finding_json(cli, &findings, &findings.all[i]));
		json_object_object_add(object, "file", json_object_new_string(cli->profile_path));
		json_object_object_add(object, "refused",
				       json_object_new_boolean(refused(&findings)));
		json_object_object_add(object, "findings", list);
		cli_print_json(object);
	} else {
		report(cli, &findings);
	}
	cli_findings_free(&findings);
	return refused(&findings) ? CLI_FOUND : CLI_DONE;
}
