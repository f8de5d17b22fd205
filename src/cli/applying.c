/* Before and after rules come into force: refusals, differences, which way they go. */
#include "cli/applying.h"

#include <limits.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/work/acting.h"
#include "lurk/work/apply.h"
#include "lurk/work/hwdb.h"
#include "tell/difference.h"
#include "tell/finding.h"
#include "tell/lock.h"
#include "tell/refusal.h"
#include "tell/way.h"

/* ---- What was found -------------------------------------------------------------------------- */

static void print_finding(const struct lurk_findings *all, const struct lurk_finding *f,
			  bool line_too)
{
	const char *severity = tell_severity((enum lurk_severity)f->severity);
	const struct lurk_characters *characters = lurk_workspace_characters(all->ws);
	char words[TELL_FINDING], line[32] = "", told[2 * TELL_FINDING];

	if (line_too && tell_finding_line(all, f))
		snprintf(line, sizeof line, "line %u", tell_finding_line(all, f));
	printf("  ");
	term_strong(severity);
	tell_finding(all, f, words);
	printf("%*s  %-8s  %s  [%s]\n", (int)(8 - strlen(severity)), "", line,
	       lurk_words_with_caps(words, characters, told, sizeof told), tell_finding_code(f));
	tell_finding_remedy(all, f, words);
	if (*words)
		printf("  %20s%s\n", "",
		       lurk_words_with_caps(words, characters, told, sizeof told));
}

static void print_findings(const struct lurk_findings *all, enum lurk_severity least, bool lines)
{
	for (int severity = LURK_LOCK_OUT; severity >= (int)least; severity--) {
		for (unsigned i = 0; i < all->count; i++) {
			if (all->all[i].severity == severity)
				print_finding(all, &all->all[i], lines);
		}
	}
}

static bool contradict(const struct lurk_findings *findings)
{
	bool any = false;

	for (unsigned i = 0; i < findings->count; i++)
		any = any || findings->all[i].code == LURK_CHECK_SAME_PRESS;
	return any;
}

void cli_print_findings(const struct lurk_findings *all, enum lurk_severity least)
{
	print_findings(all, least, true);
}

void cli_print_layout_findings(const struct lurk_findings *all)
{
	for (unsigned i = 0; i < all->count; i++) {
		if (all->all[i].code == LURK_CHECK_LACKED ||
		    all->all[i].code == LURK_CHECK_ASSUMED_LAYOUT)
			print_finding(all, &all->all[i], true);
	}
}

void cli_say_refused(const struct cli *cli, const struct lurk_findings *findings, bool written)
{
	if (cli->json) {
		struct json_object *object = json_object_new_object();

		json_object_object_add(object, "refused", tell_findings_json(findings, NULL));
		term_json(object);
		return;
	}
	fflush(stdout);
	if (findings->profile != &cli->ws.profile)
		fprintf(stderr, "lurk: in the profile %s:\n", findings->profile->word);
	cli_fail(CLI_FOUND, "refused, and nothing is changed: %s",
		 findings->by_severity[LURK_LOCK_OUT]
			 ? "with these rules this could no longer be done"
			 : "these rules cannot be meant so");
	print_findings(findings, LURK_ERROR, written);
	if (!contradict(findings))
		puts("--force applies them all the same; `lurk try --force` does for a while.");
}

bool cli_may_apply(struct cli *cli, bool force, struct lurk_findings *findings)
{
	struct lurk_findings own;
	bool fine = true;

	if (force)
		lurk_judge(&cli->ws, cli->machine, &own);
	else
		fine = lurk_judge_all(&cli->ws, cli->machine, &own);
	if (!fine)
		cli_say_refused(cli, &own, true);
	if (findings && fine)
		*findings = own;
	else
		lurk_findings_free(&own);
	return fine;
}

/* ---- Applying -------------------------------------------------------------------------------- */

int cli_not_done(const struct lurk_outcome *outcome, const char *before, const char *why,
		 const char *after)
{
	return cli_fail(CLI_COULD_NOT, "%s%s%s", outcome->unknown ? "" : before, why,
			outcome->unknown ? "" : after);
}

bool cli_apply_files(struct cli *cli, bool stay, struct lurk_message *why)
{
	struct lurk_machine *machine = cli_machine(cli);
	struct lurk_outcome outcome;

	if (!machine)
		return lurk_say(why, "there is no computer to apply to");
	if (!lurk_apply(&cli->ws, machine, stay, &outcome)) {
		tell_refusal(&cli->ws, machine, &outcome, why);
		return false;
	}
	if (!cli->json)
		tell_locks(stdout, machine, &outcome.report);
	return true;
}

void cli_say_hwdb(const struct cli *cli)
{
	if (!cli->desk && lurk_hwdb_is_there())
		puts("udev changes keys as well, before these rules: `lurk hwdb` lists them, `sudo "
		     "lurk "
		     "hwdb remove` takes them away.");
}

void cli_print_ways(const struct cli *cli)
{
	static const char *const heads[] = {"keyboard", "rules", "way", "why"};
	const struct lurk_machine *machine = cli->machine;
	struct term_table table;
	char why[TELL_WHY], rules[16];

	term_table_init(&table, heads, 4);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];

		if (!k->present || tell_is_untouched(k))
			continue;
		snprintf(rules, sizeof rules, "%u", lurk_rules_on(machine, k->described));
		term_table_row(&table, cli_keyboard_name(cli, i), rules, tell_way(k),
			       tell_why(k, why));
	}
	term_table_print(&table, "  ");
	if (*tell_untouched(machine, &cli->ws.keyboards, why))
		puts(why);
}

/* ---- Differences ----------------------------------------------------------------------------- */

struct printing {
	const struct cli *cli;
	const char *title; /* NULL once it is printed */
	FILE *out;
	unsigned most, count; /* how many are printed at most; so far */
};

static void print_difference(void *data, const struct lurk_difference *d)
{
	struct printing *p = data;
	char words[TELL_DIFFERENCE], told[CLI_TOLD];

	if (p->title)
		fprintf(p->out, "%s\n", p->title);
	p->title = NULL;
	if (++p->count > p->most)
		return;
	fprintf(p->out, "  %-8s  %s", tell_difference_kind(d),
		cli_caps(p->cli, tell_difference(d, words), told));
	if (*d->before)
		fprintf(p->out, " (before: %s)", cli_caps(p->cli, d->before, told));
	putc('\n', p->out);
}

/* A person looks at that many before what comes below them. */
enum { SHORTLY = 8 };

unsigned cli_print_edits(const struct cli *cli, const char *title, bool shortly)
{
	struct printing p = {cli, title, stdout, shortly ? SHORTLY : UINT_MAX, 0};

	lurk_differences_of_edits(&cli->ws, cli->machine, print_difference, &p);
	if (p.count > p.most)
		printf("  and %u more: `lurk diff` lists them\n", p.count - p.most);
	return p.count;
}

unsigned cli_print_differences(const struct cli *cli, const struct lurk_image *from,
			       const struct lurk_image *to, const char *title)
{
	struct printing p = {cli, title, stdout, UINT_MAX, 0};

	return lurk_differences(from, to, print_difference, &p);
}

unsigned cli_print_files(const struct cli *cli, const char *title)
{
	struct printing p = {cli, title, stdout, UINT_MAX, 0};

	return lurk_differences_of_files(&cli->ws, cli->machine, print_difference, &p);
}

char *cli_changes(const struct cli *cli)
{
	char *text = NULL;
	size_t size = 0;
	struct printing p = {cli, NULL, open_memstream(&text, &size), SHORTLY, 0};

	if (!p.out)
		return NULL;
	lurk_differences_of_files(&cli->ws, cli->machine, print_difference, &p);
	if (p.count > p.most)
		fprintf(p.out, "  and %u more\n", p.count - p.most);
	fclose(p.out);
	return text;
}
