/* hwdb: rules that need no program, as entries for udev. */
#include <glob.h>
#include <string.h>

#include "cli/applying.h"
#include "cli/edit.h"
#include "lurk/text/memory.h"
#include "lurk/work/hwdb.h"
#include "lurk/work/setup.h"
#include "tell/hwdb.h"
#include "tell/json.h"

struct hwdb {
	struct cli *cli;
	const char *what, *file;
	bool partly, force;
	struct term_table table;
	const char *path; /* being listed */
	unsigned found;
};

enum { OPTION_PARTLY = 1000, OPTION_FORCE };

static const struct argp_option options[] = {
	{"partly", OPTION_PARTLY, NULL, 0,
	 "With `write`: leave out the rules that no table can carry out", 0},
	{"force", OPTION_FORCE, NULL, 0,
	 "With `write`: also where something could no longer be done", 0},
	{0},
};

static bool takes_file(const char *what)
{
	return !strcmp(what, "list") || !strcmp(what, "take");
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	static const char *const words[] = {"list", "print", "write", "remove", "take", NULL};
	struct hwdb *h = state->input;

	switch (key) {
	case OPTION_PARTLY:
		h->partly = true;
		return 0;
	case OPTION_FORCE:
		h->force = true;
		return 0;
	case ARGP_KEY_ARG:
		if (h->file || (h->what && !takes_file(h->what)))
			argp_error(state, "`%s` is not expected here", arg);
		if (h->what)
			h->file = arg;
		else
			h->what = arg;
		return 0;
	case ARGP_KEY_END:
		h->what = h->what ? h->what : "list";
		if (!cli_is_one_of(h->what, words))
			argp_error(state,
				   "`lurk hwdb list`, print, write, remove or take, not `%s`",
				   h->what);
		if (!strcmp(h->what, "take") && !h->file)
			argp_error(state, "say which file; `lurk hwdb list` shows those with keys");
		if ((h->partly || h->force) && strcmp(h->what, "write") != 0)
			argp_error(state, "--partly and --force go with `write`");
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

/* ---- What is there --------------------------------------------------------------------------- */

static void list_entry(void *data, const struct lurk_hwdb_entry *entry)
{
	struct hwdb *h = data;
	char match[TELL_HWDB], key[TELL_HWDB], gives[TELL_HWDB], where[LURK_PATH + 16];

	h->found++;
	tell_hwdb_match(&h->cli->ws.keyboards, entry->match, match);
	tell_hwdb_key(entry, key);
	tell_hwdb_gives(entry, gives);
	if (h->cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_text(object, "keyboard", match);
		tell_put_text(object, "key", key);
		tell_put_text(object, "gives", gives);
		tell_put_text(object, "file", h->path);
		tell_put_number(object, "line", entry->line);
		term_json(object);
		return;
	}
	snprintf(where, sizeof where, "%s:%u", h->path, entry->line);
	term_table_row(&h->table, match, key, gives, where);
}

static bool list_file(struct hwdb *h, const char *path)
{
	struct lurk_message why;
	char *text;
	size_t length;
	bool exists, whole;

	if (!lurk_file_read(path, &text, &length, &exists, &why)) {
		cli_fail(CLI_COULD_NOT, "%s", why.text);
		return false;
	}
	h->path = path;
	whole = lurk_hwdb_read(text, list_entry, h);
	lurk_release(text);
	if (!whole)
		cli_fail(CLI_COULD_NOT, "%s: more than %d entries for keys; these are the first",
			 path, LURK_HWDB_MOST);
	return whole;
}

/* What people put there; what the system came with is for machines that need it. */
static int list(struct hwdb *h)
{
	static const char *const heads[] = {"keyboard", "key", "now", "file"};
	char pattern[64];
	glob_t files = {.gl_pathc = 0};
	bool fine = true;

	term_table_init(&h->table, heads, 4);
	if (!cli_read_files_if_good(h->cli))
		return CLI_COULD_NOT;
	snprintf(pattern, sizeof pattern, "%s/*.hwdb", LURK_HWDB_FOLDER);
	if (h->file)
		fine = list_file(h, h->file);
	else if (!h->cli->desk && !glob(pattern, 0, NULL, &files))
		for (size_t i = 0; i < files.gl_pathc; i++)
			fine = list_file(h, files.gl_pathv[i]) && fine;
	if (!h->cli->json && !h->found && fine)
		printf("No key is changed by %s. `lurk hwdb print` shows what the rules of the "
		       "profile would be there.\n",
		       h->file ? h->file : "entries of udev's that somebody put there");
	else if (!h->cli->json && h->found)
		puts("udev changes these keys by itself:");
	term_table_print(&h->table, "  ");
	if (h->found && !h->cli->json)
		puts("`lurk hwdb take FILE` makes rules of the profile of them.");
	globfree(&files);
	return fine ? CLI_DONE : CLI_COULD_NOT;
}

/* ---- What would be, and is put there --------------------------------------------------------- */

static void say_left(const struct lurk_hwdb_plan *plan, FILE *out)
{
	for (unsigned i = 0; i < plan->left_count; i++)
		fprintf(out, "  line %-4u %s: %s\n", plan->left[i].line, plan->left[i].words,
			tell_hwdb_why((enum lurk_hwdb_why)plan->left[i].why));
}

static struct json_object *plan_json(const struct lurk_hwdb_plan *plan)
{
	struct json_object *object = json_object_new_object(), *left = json_object_new_array();

	for (unsigned i = 0; i < plan->left_count; i++)
		json_object_array_add(left, tell_hwdb_left_json(&plan->left[i]));
	tell_put_text(object, "file", LURK_HWDB_FILE);
	tell_put_number(object, "entries", plan->entries);
	json_object_object_add(object, "left", left);
	return object;
}

static int print(struct hwdb *h, const struct lurk_hwdb_plan *plan)
{
	struct json_object *object;

	if (h->cli->json) {
		object = plan_json(plan);
		tell_put_text(object, "text", plan->text);
		term_json(object);
		return CLI_DONE;
	}
	fputs(plan->text, stdout);
	fflush(stdout);
	if (plan->left_count)
		fprintf(stderr, "\nNot in it, since a keyboard's own table cannot carry it out:\n");
	say_left(plan, stderr);
	return CLI_DONE;
}

static bool service_has_rules(struct cli *cli)
{
	const struct lurk_machine *machine = cli_machine_if_any(cli);

	return machine && machine->image && machine->image->rule_count && !machine->off;
}

static int write_it(struct hwdb *h, const struct lurk_hwdb_plan *plan)
{
	struct cli *cli = h->cli;
	char command[LURK_PATH + 32];
	struct lurk_message why;

	if (plan->left_count && !h->partly) {
		cli_fail(CLI_FOUND, "nothing is written: a keyboard's own table cannot carry out");
		say_left(plan, stderr);
		fputs("`--partly` writes the others.\n", stderr);
		return CLI_FOUND;
	}
	if (!plan->entries)
		return cli_fail(CLI_FOUND, "%s has no rule that could be written",
				cli->ws.profile_path);
	snprintf(command, sizeof command, "hwdb write --profile %s", cli->ws.profile_path);
	if (!lurk_setup_as_root(command, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (service_has_rules(cli))
		return cli_fail(CLI_FOUND,
				"the service has rules in force, and would change what udev's "
				"entries give once more: `sudo lurk uninstall` first, or leave "
				"the rules to the service");
	if (!cli_may_apply(cli, h->force, NULL))
		return CLI_FOUND;
	if (!lurk_hwdb_put(plan->text, &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	if (cli->json) {
		term_json(plan_json(plan));
		return CLI_DONE;
	}
	printf("In force now and from every start on, with nothing running: %u entr%s in %s.\n",
	       plan->entries, plan->entries == 1 ? "y" : "ies", LURK_HWDB_FILE);
	puts("No off chord is there for them: `sudo lurk hwdb remove` takes them away again.");
	return CLI_DONE;
}

static int plan_and(struct hwdb *h, int (*act)(struct hwdb *h, const struct lurk_hwdb_plan *plan))
{
	struct lurk_hwdb_plan plan;
	struct lurk_message why;
	int status;

	h->cli->ws.judging = true; /* what is for nobody here is among what is left */
	if (!cli_read_files(h->cli))
		return CLI_COULD_NOT;
	if (!cli_have_profile(h->cli))
		return CLI_COULD_NOT;
	cli_machine_if_any(h->cli);
	status = lurk_hwdb_plan(&h->cli->ws, h->cli->machine, &plan, &why)
			 ? act(h, &plan)
			 : cli_fail(CLI_COULD_NOT, "%s", why.text);
	lurk_hwdb_plan_free(&plan);
	return status;
}

static int take_away(const struct cli *cli)
{
	struct lurk_message why;
	enum lurk_went went;

	if (!lurk_setup_as_root("hwdb remove", &why))
		return cli_fail(CLI_COULD_NOT, "%s", why.text);
	went = lurk_hwdb_remove(&why);
	if (went != LURK_DONE)
		return cli_fail((int)went, "%s", why.text);
	if (!cli->json)
		printf("%s is gone, and every key of it does its usual job again.\n",
		       LURK_HWDB_FILE);
	return CLI_DONE;
}

/* ---- Taken over ------------------------------------------------------------------------------ */

static void remark(void *data, const struct lurk_hwdb_entry *entry, const char *words)
{
	const struct cli *cli = data;
	char match[TELL_HWDB];

	fprintf(stderr, "lurk: line %u, for %s: %s\n", entry->line,
		tell_hwdb_match(&cli->ws.keyboards, entry->match, match), words);
}

static int take(struct hwdb *h)
{
	struct edit edit = {.cli = h->cli};
	int status = edit_begin(&edit);

	if (status)
		return status;
	return edit_finish(&edit, lurk_hwdb_take(&edit.edits, h->file, remark, h->cli));
}

int cli_hwdb(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		options, parse_option, "[list [FILE]]\nprint\nwrite\nremove\ntake FILE",
		"Rules that need no program: where keyboards' own tables in the kernel can do what "
		"the profile says, udev fills them whenever a keyboard comes, from its hardware "
		"database (hwdb(7)), with no service running or installed. `list` shows entries "
		"that somebody put there, as rules; `print` what the profile's would be, and what "
		"cannot be said so; `write` and `remove` need root; `take` makes rules of the "
		"profile of a file's entries."
		"\vExamples:\n"
		"  lurk hwdb print\n"
		"  sudo lurk hwdb write\n"
		"  sudo lurk hwdb remove\n"
		"  lurk hwdb take /etc/udev/hwdb.d/70-pad.hwdb"};
	struct hwdb h = {.cli = cli};

	cli_parse(cli, &words, argc, argv, &h);
	if (!strcmp(h.what, "print"))
		return plan_and(&h, print);
	if (!strcmp(h.what, "take"))
		return take(&h);
	if (!strcmp(h.what, "list"))
		return list(&h);
	if (cli->desk)
		return cli_fail(CLI_COULD_NOT, "a simulated desk has no udev: `lurk hwdb print` "
					       "shows what would be written");
	return !strcmp(h.what, "write") ? plan_and(&h, write_it) : take_away(cli);
}
