/* layout: a layout of one's own, from beginning it to having it in the desktop's menu. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "cli/layout.h"
#include "lurk/text/memory.h"
#include "tell/json.h"
#include "tell/own_layout.h"

enum { OPTION_FROM = 1000, OPTION_WORDS, OPTION_ABOUT, OPTION_FOR, OPTION_RULES, OPTION_SECONDS };

struct verb {
	const char *name;
	unsigned least, most; /* words behind it */
	const char *missing;
	int (*run)(struct layout *l);
	bool opens, edits; /* the first is a layout that is there; and it becomes another */
};

/* ---- Beginning, and taking somebody else's --------------------------------------------------- */

static void tell_rule(void *data, const struct lurk_rule *rule, const char *why)
{
	struct layout *l = data;
	char words[512];

	if (!l->count++)
		printf("Of the rules in %s:\n", l->cli->ws.profile_path);
	lurk_words_rule(rule, "", words, sizeof words);
	if (why)
		printf("  Not in it: %s; %s.\n", words, why);
	else
		printf("  %s\n", words);
}

static void keep_silent(void *data, const struct lurk_rule *rule, const char *why)
{
	(void)data, (void)rule, (void)why;
}

/* What the profile's rules type is in the layout then, and the rules stay as they are. */
static enum lurk_went take_rules(struct layout *l, struct lurk_message *why)
{
	const struct lurk_profile_file *profile = &l->cli->ws.profile;
	const bool silent = l->cli->json;
	unsigned taken;

	l->count = 0;
	taken = lurk_own_layout_take_rules(&l->file, profile, silent ? keep_silent : tell_rule, l);
	if (!silent && !l->count)
		printf("No rule in %s gives a text.\n", l->cli->ws.profile_path);
	else if (!silent && taken)
		puts("Rules that are in it now act as well, until `lurk restore KEY`.");
	return lurk_own_layout_file_save(&l->cli->ws, &l->file, "what rules typed", why);
}

static int begin(struct layout *l)
{
	struct lurk_message why;
	enum lurk_went went;

	if (l->rules && !cli_read_files(l->cli))
		return CLI_COULD_NOT;
	went = lurk_own_layout_file_begin(&l->cli->ws, l->words[0], l->from, l->called, &l->file,
					  &why);
	if (went == LURK_DONE && !l->cli->json)
		printf("%s begins as %s, in %s.\n", l->words[0], cli_layout_base(l), l->file.path);
	if (went == LURK_DONE && l->rules)
		went = take_rules(l, &why);
	if (went != LURK_DONE)
		return cli_layout_failed(went, &why);
	if (l->cli->json)
		return cli_layout_json(l);
	printf("`lurk layout type %s KEY SIGN` changes what a key types; `lurk layout install %s` "
	       "then puts it into the desktop's menu, as \"%s\".\n",
	       l->words[0], l->words[0], lurk_own_layout_words(l->file.own));
	return CLI_DONE;
}

static int take(struct layout *l)
{
	char profile[LURK_PATH];
	struct lurk_message why;
	const enum lurk_went went = lurk_layout_package_take(&l->cli->ws, l->words[0],
							     l->count > 1 ? l->words[1] : NULL,
							     &l->file, profile, &why);
	const char *name;

	if (went == LURK_ASKED_WRONGLY && l->count == 1)
		return cli_fail(CLI_USAGE, "%s; `lurk layout take FILE NAME` calls it otherwise",
				why.text);
	if (went != LURK_DONE)
		return cli_layout_failed(went, &why);
	if (l->cli->json)
		return cli_layout_json(l);
	name = lurk_own_layout_name(l->file.own);
	printf("%s is a layout of yours now: \"%s\", in %s.\n", name,
	       lurk_own_layout_words(l->file.own), l->file.path);
	if (*profile)
		printf("Its rules are %s, and not in force: `lurk check %s` looks at them, `lurk "
		       "apply --profile %s` puts them in the place of yours.\n",
		       profile, profile, profile);
	printf("`lurk layout show %s` says what it types, `lurk layout install %s` puts it into "
	       "the desktop's menu.\n",
	       name, name);
	return CLI_DONE;
}

/* What one of two forms cannot say, a line each. */
static void print_left(const char *left, const char *form)
{
	if (left)
		printf("Left out, as %s cannot say it:\n", form);
	for (const char *at = left; at && *at; at += strcspn(at, "\n"), at += *at == '\n')
		printf("  %.*s\n", (int)strcspn(at, "\n"), at);
}

/* For other systems. */
static int pack_ldml(struct layout *l)
{
	const char *path = l->words[1];
	struct lurk_message why;
	char *left;
	enum lurk_went went;

	if (l->about || l->meant || l->rules)
		return cli_fail(CLI_USAGE,
				"an LDML keyboard has no place for --about, --for and --rules; a "
				".yaml file has");
	went = lurk_layout_package_write_ldml(&l->file, path, &left, &why);
	if (went != LURK_DONE)
		return cli_layout_failed(went, &why);
	if (l->cli->json) {
		cli_layout_json(l);
	} else {
		printf("%s is the layout %s as an LDML keyboard, the standard that other systems "
		       "read.\n",
		       path, l->words[0]);
		print_left(left, "that");
	}
	lurk_release(left);
	return CLI_DONE;
}

/* For somebody else, in one file. */
static int pack(struct layout *l)
{
	const struct lurk_profile_file *rules = l->rules ? &l->cli->ws.profile : NULL;
	const char *path = l->words[1];
	struct lurk_message why;
	enum lurk_went went;

	if (strlen(path) > 4 && !strcmp(path + strlen(path) - 4, ".xml"))
		return pack_ldml(l);
	if (l->rules && !cli_read_files(l->cli))
		return CLI_COULD_NOT;
	went = lurk_layout_package_write(&l->file, l->about, l->meant, rules, path, &why);
	if (went != LURK_DONE)
		return cli_layout_failed(went, &why);
	if (l->cli->json)
		return cli_layout_json(l);
	printf("%s has the layout %s in it%s%s.\nIt can be read with any editor; `lurk layout show "
	       "%s` says in words what it would do, and whoever gets it says `lurk layout take "
	       "%s`.\n",
	       path, l->words[0],
	       *lurk_own_layout_compose(l->file.own) ? ", what comes after its dead keys" : "",
	       rules ? ", and the rules of your profile" : "", path, path);
	return CLI_DONE;
}

/* A name has none of these. */
static bool is_file(const char *word)
{
	return strpbrk(word, "./") != NULL;
}

/* ---- Looking --------------------------------------------------------------------------------- */

static void add_row(void *data, const struct lurk_own_layout_change *change)
{
	char press[LURK_WORDS], now[LURK_SYMBOL], was[LURK_SYMBOL];

	term_table_row(data, tell_own_press(change->key, change->modifiers, press),
		       lurk_symbol_words(change->now, now), lurk_symbol_words(change->was, was));
}

static void add_sequence(void *data, const struct lurk_own_sequence *one)
{
	char words[TELL_OWN];

	term_table_row(data, tell_own_sequence(one, words), one->gives,
		       *one->was ? one->was : "nothing");
}

/* Of somebody's file: what it is for, and what else taking it would do. */
static void print_package(const struct layout *l)
{
	const struct lurk_layout_package *package = &l->package;
	const struct lurk_profile_file *profile = &package->profile;
	char words[TELL_OWN], count[LURK_COUNT_WORDS];

	if (*package->about)
		printf("About it: %s\n", package->about);
	if (*package->keyboard)
		printf("Meant for: %s\n", package->keyboard);
	if (package->has_profile)
		printf("%s would become a profile by themselves, in force only when you apply "
		       "that:\n",
		       lurk_words_count(profile->count, "rule", count));
	for (uint32_t i = 0; package->has_profile && i < profile->count; i++)
		printf("  %s\n", tell_own_rule(profile, i, words));
	print_left(package->left, "a layout of one's own");
	printf("`lurk layout take %s` makes it yours; nothing else is written.\n", l->words[0]);
}

static void print_place(struct layout *l)
{
	const char *name = l->words[0], *words;
	const enum lurk_own_layout_installed installed =
		lurk_own_layout_is_installed(&l->cli->ws, &l->file);

	printf("It is the file %s; `lurk layout pack %s FILE` makes one to be sent to somebody.\n",
	       l->file.path, name);
	words = tell_own_installed_words(installed);
	printf("%c%s: `lurk layout %s %s` %s.\n", toupper(*words), words + 1,
	       installed == LURK_OWN_INSTALLED ? "uninstall" : "install", name,
	       installed == LURK_OWN_INSTALLED ? "takes it from them" : "gives it to them");
}

static int show(struct layout *l)
{
	static const char *const heads[] = {"press", "types", "instead of"};
	const char *name = lurk_own_layout_name(l->file.own);
	struct lurk_message why;
	struct term_table table;
	unsigned count;

	if (l->cli->json)
		return cli_layout_json(l);
	term_table_init(&table, heads, 3);
	count = lurk_own_layout_changes(l->file.own, add_row, &table);
	count += lurk_own_layout_sequences(l->file.own, add_sequence, &table);
	printf("%s, \"%s\", is %s%s\n", name, lurk_own_layout_words(l->file.own),
	       cli_layout_base(l), count ? " but for this:" : ", with nothing changed yet.");
	term_table_print(&table, "  ");
	if (!lurk_own_layout_edits(l->file.own, &why))
		printf("It is not edited here, since it has more in it than a layout of one's own: "
		       "%s.\n",
		       why.text);
	if (is_file(l->words[0]))
		print_package(l);
	else
		print_place(l);
	return CLI_DONE;
}

/* Kept, since how many there are is said first. */
struct judged {
	struct lurk_own_layout_finding *all;
	unsigned count;
	bool needed; /* something is lost that programs need */
};

static void keep_finding(void *data, const struct lurk_own_layout_finding *finding)
{
	struct judged *judged = data;

	judged->all = lurk_resize(judged->all, (judged->count + 1) * sizeof *judged->all);
	judged->all[judged->count++] = *finding;
	judged->needed = judged->needed || finding->needed;
}

static void print_findings(const struct layout *l, const struct judged *judged)
{
	char words[TELL_OWN], count[LURK_COUNT_WORDS];

	if (!judged->count)
		printf("Nothing is wrong with %s, and nothing that %s types got lost.\n",
		       l->words[0], cli_layout_base(l));
	else
		printf("%s to know of %s:\n", lurk_words_count(judged->count, "thing", count),
		       l->words[0]);
	for (unsigned i = 0; i < judged->count; i++) {
		const struct lurk_own_layout_finding *finding = &judged->all[i];

		printf("  %s%s.  [%s]\n", tell_own_finding(finding, words),
		       finding->needed ? ", and programs and passwords need it" : "",
		       tell_own_code(finding));
		printf("      %s\n", tell_own_to_do(l->file.own, finding, words));
	}
}

static int check(struct layout *l)
{
	struct judged judged = {NULL, 0, false};

	if (l->cli->json)
		return cli_layout_json_needed(l) ? CLI_FOUND : CLI_DONE;
	lurk_own_layout_judge(l->file.own, keep_finding, &judged);
	print_findings(l, &judged);
	lurk_release(judged.all);
	return judged.needed ? CLI_FOUND : CLI_DONE;
}

static void list_one(void *data, const char *name)
{
	struct layout *l = data;
	char count[LURK_COUNT_WORDS];
	struct lurk_message why;

	l->count++;
	if (lurk_own_layout_file_open(&l->cli->ws, name, &l->file, &why) != LURK_DONE) {
		cli_fail(CLI_DONE, "%s", why.text);
		return;
	}
	if (l->cli->json)
		cli_layout_json(l);
	else
		printf("  %s, \"%s\": %s with %s; %s\n", name, lurk_own_layout_words(l->file.own),
		       cli_layout_base(l),
		       lurk_words_count(lurk_own_layout_changes(l->file.own, NULL, NULL), "change",
					count),
		       tell_own_installed_words(
			       lurk_own_layout_is_installed(&l->cli->ws, &l->file)));
	lurk_own_layout_file_close(&l->file);
}

static int list(struct layout *l)
{
	if (!l->cli->json)
		puts("Layouts of your own:");
	lurk_own_layout_files_each(&l->cli->ws, list_one, l);
	if (!l->cli->json)
		puts(l->count ? "`lurk layout show NAME` says what differs."
			      : "  None yet: `lurk layout begin NAME` makes one from the layout in "
				"use.");
	return CLI_DONE;
}

/* ---- The desktop's menu ---------------------------------------------------------------------- */

static int install(struct layout *l)
{
	struct cli *cli = l->cli;
	char folder[LURK_PATH], chosen[TELL_OWN];
	struct lurk_message why;
	const enum lurk_went went = lurk_own_layout_install(&cli->ws, &l->file, &why);

	if (went == LURK_COULD_NOT)
		return cli_layout_failed(went, &why);
	if (cli->json)
		return cli_layout_json(l);
	printf("%s is %s in %s, and \"%s\" in the menu of layouts.\n", l->words[0],
	       went == LURK_FOUND ? "installed already" : "installed",
	       lurk_own_layout_installed_folder(&cli->ws, folder),
	       lurk_own_layout_words(l->file.own));
	puts(tell_own_chosen(&cli->ws, &l->file, getenv("XDG_CURRENT_DESKTOP"),
			     getenv("XDG_SESSION_TYPE"), chosen));
	printf("`lurk layout uninstall %s` takes it away; the layout that you have stays as it "
	       "is.\n",
	       l->words[0]);
	return CLI_DONE;
}

static int uninstall(struct layout *l)
{
	struct lurk_message why;
	const enum lurk_went went = lurk_own_layout_uninstall(&l->cli->ws, l->words[0], &why);

	if (went != LURK_DONE)
		return cli_layout_failed(went, &why);
	if (l->cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_text(object, "uninstalled", l->words[0]);
		term_json(object);
		return CLI_DONE;
	}
	printf("%s is taken from the menu of layouts. Choose another one where it is in use; your "
	       "own file of it stays, and `lurk layout install %s` brings it back.\n",
	       l->words[0], l->words[0]);
	return CLI_DONE;
}

/* For packages: after an upgrade of what the X server reads, and before this one goes. */

static void tell_again(void *data, const char *name, const struct lurk_message *why)
{
	(void)data;
	if (why)
		cli_fail(CLI_DONE, "%s: %s", name, why->text);
	else
		printf("The X server and the text console have %s again.\n", name);
}

static void tell_out(void *data, const char *name, const struct lurk_message *why)
{
	(void)data;
	if (why)
		cli_fail(CLI_DONE, "%s: %s", name, why->text);
	else
		printf("The X server and the text console have %s no more; its file stays.\n",
		       name);
}

static int renew_all(const struct layout *l, bool away)
{
	struct lurk_workspace *ws = &l->cli->ws;

	if (!lurk_own_layout_is_everybodys(ws))
		return cli_fail(CLI_USAGE, "that is for what everybody has: `sudo lurk layout %s`",
				l->verb->name);
	return lurk_own_layouts_renew(ws, away, away ? tell_out : tell_again, NULL) ? CLI_DONE
										    : CLI_COULD_NOT;
}

static int renew(struct layout *l)
{
	return renew_all(l, false);
}

static int withdraw(struct layout *l)
{
	return renew_all(l, true);
}

/* ---- Words ----------------------------------------------------------------------------------- */

static const struct verb verbs[] = {
	{"list", 0, 0, "", list, false, false},
	{"begin", 1, 1, "what it is called: `lurk layout begin NAME`", begin, false, true},
	{"pack", 2, 2, "which layout, and into which file: `lurk layout pack NAME FILE`", pack,
	 true, false},
	{"take", 1, 2, "which file: `lurk layout take FILE`", take, false, true},
	{"type", 3, 3, "which layout, which key and which sign: `lurk layout type NAME KEY SIGN`",
	 cli_layout_type, true, true},
	{"copy", 3, 3, "which layout, and which key like which: `lurk layout copy NAME KEY OTHER`",
	 cli_layout_copy, true, true},
	{"after", 4, 4,
	 "which layout, which dead key, which sign and what comes of them: `lurk layout after NAME "
	 "'dead acute' q 'q́'`",
	 cli_layout_after, true, true},
	{"restore", 2, 2, "which layout and which key: `lurk layout restore NAME KEY`",
	 cli_layout_restore, true, true},
	{"call", 2, 2, "which layout, and what menus call it: `lurk layout call NAME WORDS`",
	 cli_layout_call, true, true},
	{"show", 1, 1, "which layout: `lurk layout show NAME`", show, true, false},
	{"check", 1, 1, "which layout: `lurk layout check NAME`", check, true, false},
	{"install", 1, 1, "which layout: `lurk layout install NAME`", install, true, true},
	{"use", 1, 1, "which layout: `lurk layout use NAME`", cli_layout_use, false, false},
	{"uninstall", 1, 1, "which layout: `lurk layout uninstall NAME`", uninstall, false, true},
	{"renew", 0, 0, "", renew, false, true},
	{"withdraw", 0, 0, "", withdraw, false, true},
};
enum { VERBS = sizeof verbs / sizeof *verbs };

static const struct verb *find_verb(const char *word, struct argp_state *state)
{
	const char *names[VERBS], *near;

	for (unsigned i = 0; i < VERBS; i++) {
		names[i] = verbs[i].name;
		if (!strcmp(word, names[i]))
			return &verbs[i];
	}
	near = lurk_name_nearest(word, names, VERBS);
	argp_error(
		state, "`lurk layout %s` is nothing; did you mean %s?", word,
		near ? near
		     : "list, begin, take, type, copy, after, restore, call, show, check, install, "
		       "use, uninstall or pack");
	return NULL;
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct layout *l = state->input;

	switch (key) {
	case OPTION_FROM:
		l->from = arg;
		return 0;
	case OPTION_WORDS:
		l->called = arg;
		return 0;
	case OPTION_ABOUT:
		l->about = arg;
		return 0;
	case OPTION_FOR:
		l->meant = arg;
		return 0;
	case OPTION_RULES:
		l->rules = true;
		return 0;
	case OPTION_SECONDS:
		l->seconds = strspn(arg, "0123456789") == strlen(arg) ? (unsigned)atoi(arg) : 0;
		if (!l->seconds || l->seconds > 3600)
			argp_error(state, "--seconds takes a number from 1 to 3600, not `%s`", arg);
		return 0;
	case ARGP_KEY_ARG:
		if (!l->verb)
			l->verb = find_verb(arg, state);
		else if (l->count < l->verb->most)
			l->words[l->count++] = arg;
		else
			argp_error(state, "`%s` is not expected here", arg);
		return 0;
	case ARGP_KEY_END:
		l->verb = l->verb ? l->verb : verbs;
		if (l->count < l->verb->least)
			argp_error(state, "say %s", l->verb->missing);
		else if ((l->from || l->called) && l->verb->run != begin)
			argp_error(state, "--from and --words are for `lurk layout begin`");
		else if ((l->about || l->meant) && l->verb->run != pack)
			argp_error(state, "--about and --for are for `lurk layout pack`");
		else if (l->seconds && l->verb->run != cli_layout_use)
			argp_error(state, "--seconds is for `lurk layout use`");
		else if (l->rules && l->verb->run != pack && l->verb->run != begin)
			argp_error(state,
				   "--rules is for `lurk layout begin` and `lurk layout pack`");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static const struct argp_option options[] = {
	{"from", OPTION_FROM, "LAYOUT", 0,
	 "With `begin`: from this one, such as gb, de:nodeadkeys or Danish, or from `nothing`; "
	 "else from the one in use",
	 0},
	{"words", OPTION_WORDS, "WORDS", 0, "With `begin`: what menus call it", 0},
	{"about", OPTION_ABOUT, "TEXT", 0, "With `pack`: what it is for, in a line", 0},
	{"for", OPTION_FOR, "TEXT", 0, "With `pack`: the keyboard that it is meant for", 0},
	{"rules", OPTION_RULES, NULL, 0,
	 "With `pack`: the profile's rules go along; with `begin`: what they type is in it", 0},
	{"seconds", OPTION_SECONDS, "N", 0,
	 "With `use`: for so long; then the session has the layout of before", 0},
	{0},
};

/* Somebody's file, to be looked at. */
static enum lurk_went open_package(struct layout *l, struct lurk_message *why)
{
	const char *path = l->words[0];
	char *bytes;
	size_t length;
	bool exists, fine;

	if (!lurk_file_read(path, &bytes, &length, &exists, why))
		return LURK_COULD_NOT;
	fine = lurk_layout_package_read(&l->package, path, bytes, length, why);
	lurk_release(bytes);
	return fine ? lurk_layout_package_open(&l->package, path, NULL, &l->file, why)
		    : LURK_COULD_NOT;
}

int cli_layout(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		options, parse_option,
		"[list]\nbegin NAME\ntype NAME KEY SIGN\ncopy NAME KEY OTHERKEY\nrestore NAME "
		"KEY\nafter NAME DEADKEY SIGN RESULT\ncall NAME WORDS\nshow NAME\ncheck NAME\n"
		"install NAME\nuse NAME\nuninstall NAME\npack NAME FILE\ntake FILE "
		"[NAME]\nrenew\nwithdraw",
		"A layout of your own: begin one from a layout that exists, change what single "
		"keys "
		"type, look at it, and put it into the desktop's menu. KEY may be pressed with "
		"Shift and AltRight, or be the sign that stands there now; SIGN is a character, "
		"U+2713, `dead acute`, `nothing`, or a key such as ArrowLeft."
		"\vExamples:\n  lurk layout begin reedbed --from gb --words 'Reed bed'\n"
		"  lurk layout type reedbed AltRight+M ♂\n"
		"  lurk layout type reedbed '¬' '…'\n"
		"  lurk layout after reedbed 'dead caron' q ɋ\n"
		"  lurk picture --layout reedbed --with AltRight\n"
		"  lurk layout check reedbed\n  lurk layout install reedbed\n"
		"  lurk layout use reedbed --seconds 60\n"
		"  lurk layout pack reedbed reedbed.yaml --about 'signs for the log'\n"
		"  lurk layout show reedbed.yaml\n"
		"  lurk layout pack reedbed reedbed.xml     as an LDML keyboard, for other "
		"systems"};
	struct layout l = {.cli = cli};
	struct lurk_message why;
	enum lurk_went went = LURK_DONE;
	int status;

	cli_parse(cli, &words, argc, argv, &l);
	cli_find_layout(cli);
	cli->ws.editing = l.verb->edits;
	if (l.verb->opens && !l.verb->edits && is_file(l.words[0]))
		went = open_package(&l, &why);
	else if (l.verb->opens)
		went = lurk_own_layout_file_open(&cli->ws, l.words[0], &l.file, &why);
	status = went == LURK_DONE ? l.verb->run(&l) : cli_layout_failed(went, &why);
	lurk_own_layout_file_close(&l.file);
	lurk_layout_package_free(&l.package);
	return status;
}
