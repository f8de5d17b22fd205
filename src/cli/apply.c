/* apply: the profile into force. */
#include <stdlib.h>

#include "cli/applying.h"
#include "cli/commands.h"
#include "lurk/work/acting.h"
#include "lurk/work/apply.h"
#include "tell/finding.h"
#include "tell/json.h"
#include "tell/lock.h"
#include "tell/refusal.h"
#include "tell/way.h"

enum { OPTION_TABLE = 1000, OPTION_RELAY, OPTION_KEEP_LOCKS, OPTION_FORCE };

static const struct argp_option options[] = {
	{"table", OPTION_TABLE, NULL, 0,
	 "Use the kernel's table on every keyboard that has one, also where it does not do exactly "
	 "what the rules say; `lurk status` then says what differs",
	 0},
	{"relay", OPTION_RELAY, NULL, 0, "Use the relay on every keyboard that rules change", 0},
	{"force", OPTION_FORCE, NULL, 0, "Also where something could no longer be done", 0},
	{"keep-locks", OPTION_KEEP_LOCKS, NULL, 0,
	 "Leave CapsLock, NumLock and ScrollLock on where the rules take their key away", 0},
	{0},
};

struct apply {
	uint8_t way;
	bool keep_locks, force;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct apply *apply = state->input;

	(void)arg;
	switch (key) {
	case OPTION_TABLE:
	case OPTION_RELAY:
		if (apply->way)
			argp_error(state, "one of --table and --relay");
		apply->way = key == OPTION_TABLE ? LURK_WAY_TABLE : LURK_WAY_RELAY;
		return 0;
	case OPTION_KEEP_LOCKS:
		apply->keep_locks = true;
		return 0;
	case OPTION_FORCE:
		apply->force = true;
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static void print_json(const struct cli *cli, const struct lurk_apply_report *report)
{
	struct json_object *object = json_object_new_object();

	tell_put_text(object, "applied", cli->ws.profile_path);
	tell_put_text(object, "profile", cli->machine->profile);
	tell_put_number(object, "rules", cli->ws.profile.count);
	tell_put_flag(object, "after_reboot", lurk_survives(cli->machine));
	json_object_object_add(
		object, "locks_turned_off",
		tell_locks_json(report->locks_pressed & (uint8_t)~cli->machine->lit));
	json_object_object_add(object, "locks_unknown", tell_locks_json(report->locks_unknown));
	json_object_object_add(object, "keyboards",
			       tell_ways_json(cli->machine, &cli->ws.keyboards));
	term_json(object);
}

/* What moved is worth knowing now; warnings can be looked at later. */
static void say_findings(const struct lurk_findings *findings)
{
	char count[LURK_COUNT_WORDS], words[TELL_FINDING];

	for (unsigned i = 0; i < findings->count; i++) {
		if (findings->all[i].code != LURK_CHECK_MOVED)
			continue;
		tell_finding(findings, &findings->all[i], words);
		puts(words);
	}
	cli_print_layout_findings(findings);
	if (findings->by_severity[LURK_WARNING])
		printf("%s: `lurk check` tells %s.\n",
		       lurk_words_count(findings->by_severity[LURK_WARNING], "warning", count),
		       findings->by_severity[LURK_WARNING] == 1 ? "it" : "them");
}

int cli_apply(struct cli *cli, int argc, char **argv)
{
	static const struct cli_words words = {
		options, parse_option, "",
		"Put the profile into force now, and store it so that it will be after a reboot. "
		"The other profiles are stored with it, to switch to. With --profile NAME that one "
		"is in force, also after a reboot, until another is applied."
		"\vExamples:\n  lurk apply\n  lurk apply --profile night\n"
		"  lurk apply --profile /media/stick/profile.yaml"};
	struct apply apply = {0};
	struct lurk_outcome outcome;
	struct lurk_findings findings;
	struct lurk_message why;
	char rules[LURK_COUNT_WORDS], *changes = NULL;

	cli_parse(cli, &words, argc, argv, &apply);
	cli->ws.editing = true;
	cli->ws.judged = true;
	if (!cli_read_files(cli) || !cli_machine(cli) || !cli_have_profile(cli))
		return CLI_COULD_NOT;
	if (!cli_may_apply(cli, apply.force, &findings))
		return CLI_FOUND;
	cli->ws.profile.way = apply.way;
	cli->machine->keep_locks = apply.keep_locks;
	if (!cli->json)
		changes = cli_changes(cli);
	if (!lurk_apply(&cli->ws, cli->machine, false, &outcome)) {
		free(changes);
		tell_refusal(&cli->ws, cli->machine, &outcome, &why);
		lurk_findings_free(&findings);
		return cli_not_done(&outcome, "", why.text, "; nothing was changed");
	}
	if (cli->json) {
		print_json(cli, &outcome.report);
		lurk_findings_free(&findings);
		return CLI_DONE;
	}
	printf("%s%s: %s from %s",
	       cli->machine->off
		       ? "Stored, but rules are off, by another user (`lurk on` where you "
			 "may): in force after that"
		       : "In force now",
	       !lurk_survives(cli->machine) ? ""
	       : cli->machine->own ? ", and whenever you are at the screen, also after a reboot"
				   : ", and again after every reboot",
	       lurk_words_count(cli->ws.profile.count, "rule", rules), cli->ws.profile_path);
	if (*cli->ws.profile.based_on)
		printf(", on top of %u from %s",
		       lurk_rules_in_force(cli->machine) - cli->ws.profile.count,
		       cli->ws.profile.based_on);
	puts(".");
	fputs(changes ? changes : "", stdout);
	free(changes);
	if (!lurk_survives(cli->machine))
		puts(tell_survival(cli->machine));
	tell_locks(stdout, cli->machine, &outcome.report);
	cli_print_ways(cli);
	cli_say_hwdb(cli);
	say_findings(&findings);
	if (outcome.fresh)
		puts("`lurk undo` takes this back.");
	else
		puts("Nothing in it is new, so there is no new version.");
	lurk_findings_free(&findings);
	return CLI_DONE;
}
