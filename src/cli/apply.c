/* apply: the profile into force. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

enum { OPTION_TABLE = 1000, OPTION_RELAY, OPTION_KEEP_LOCKS, OPTION_FORCE };

void cli_say_refusal(struct cli *cli, const struct lurk_outcome *outcome,
		     struct lurk_message *message)
{
	const struct lurk_profile_file *file = &cli->profile;
	uint32_t one = outcome->report.compile.rules[0], two = outcome->report.compile.rules[1];
	const char *keyboard = "";
	char holders[160];

	if (outcome->report.keyboard < cli->machine->keyboard_count &&
	    cli->machine->keyboards[outcome->report.keyboard].present)
		keyboard = cli_keyboard_name(cli, outcome->report.keyboard);
	if (outcome->error == LURK_ERR_CONFLICT && one < file->count && two < file->count)
		lurk_say(message, "%s: the rules on lines %u and %u are for the same key on %s",
			 cli->profile_path, file->rules[one].line, file->rules[two].line, keyboard);
	else if (outcome->error == LURK_ERR_DENIED && *keyboard)
		lurk_say(message,
			 "the service may not reach %s; `sudo lurk install` "
			 "gives it what it needs",
			 keyboard);
	else if (outcome->error == LURK_ERR_HELD && *keyboard &&
		 *cli_holders(cli->machine->keyboards[outcome->report.keyboard].info.identity.place,
			      holders, sizeof holders))
		lurk_say(message,
			 "%s: another program has taken it for itself: %s; end "
			 "that, then apply again",
			 keyboard, holders);
	else if (outcome->error >= LURK_ERR_GONE && outcome->error != LURK_ERR_POWER && *keyboard)
		lurk_say(message, "%s: %s", keyboard, outcome->why.text);
	else
		lurk_say(message, "%s", outcome->why.text);
}

/* `stay`: with the profile that is in force, now and after a start; else the one that is applied.
 */
static bool apply_profile(struct cli *cli, bool stay, struct lurk_outcome *outcome,
			  struct lurk_message *message)
{
	struct lurk_machine *machine = cli_machine(cli);
	struct lurk_profile_set set = stay ? cli_set_as_applied(cli) : cli_profile_set(cli);
	char in_force[LURK_PROFILE_WORD];
	uint64_t before;
	uint8_t *bytes;
	size_t length;
	char summary[64];
	bool fine;

	if (!machine)
		return lurk_say(message, "there is no computer to apply to");
	bytes = lurk_profile_image(&set, &cli->keyboards, &length, message);
	if (!bytes)
		return false;
	before = machine->image ? machine->image->sequence : 0;
	snprintf(in_force, sizeof in_force, "%s", machine->profile);
	fine = lurk_machine_apply(machine, bytes, length, stay ? in_force : NULL, outcome);
	free(bytes);
	if (!fine) {
		cli_say_refusal(cli, outcome, message);
		return false;
	}
	cli_count(cli->profile.count, "rule", summary);
	cli_note_apply(cli, before, machine->image->sequence, summary);
	return true;
}

static bool apply_and_tell(struct cli *cli, bool stay, struct lurk_message *message)
{
	struct lurk_outcome outcome = {LURK_OK, {0}, {""}};
	bool fine = apply_profile(cli, stay, &outcome, message);

	if (fine && !cli->json)
		cli_tell_locks(cli, &outcome.report);
	return fine;
}

bool cli_apply_profile(struct cli *cli, struct lurk_message *message)
{
	return apply_and_tell(cli, false, message);
}

bool cli_apply_edit(struct cli *cli, struct lurk_message *message)
{
	return apply_and_tell(cli, true, message);
}

/* ---- lurk apply ----------------------------------------------------------------------------- */

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
	struct cli *cli;
	uint8_t way;
	bool keep_locks, force;
};

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct apply *apply = state->input;

	switch (key) {
	case ARGP_KEY_INIT:
		state->child_inputs[0] = apply->cli;
		return 0;
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
	case ARGP_KEY_ARG:
		argp_error(state, "`%s` is not expected here", arg);
		return 0;
	default:
		return ARGP_ERR_UNKNOWN;
	}
}

static void print_json(struct cli *cli, const struct lurk_apply_report *report)
{
	struct json_object *object = json_object_new_object();

	json_object_object_add(object, "applied", json_object_new_string(cli->profile_path));
	json_object_object_add(object, "profile", json_object_new_string(cli->machine->profile));
	json_object_object_add(object, "rules", json_object_new_int64(cli->profile.count));
	json_object_object_add(object, "after_reboot", json_object_new_boolean(cli_survives(cli)));
	json_object_object_add(object, "locks_turned_off",
			       cli_lock_names(report->locks_pressed & (uint8_t)~cli->machine->lit));
	json_object_object_add(object, "locks_unknown", cli_lock_names(report->locks_unknown));
	json_object_object_add(object, "keyboards", cli_ways_json(cli));
	cli_print_json(object);
}

/* What moved is worth knowing now; warnings can be looked at later. */
static void tell_findings(const struct cli *cli, const struct cli_findings *findings)
{
	char count[48];

	for (unsigned i = 0; i < findings->count; i++) {
		if (findings->all[i].code == LURK_CHECK_MOVED)
			cli_tell_finding(cli, findings, &findings->all[i]);
	}
	if (findings->by_severity[LURK_WARNING])
		printf("%s: `lurk check` tells %s.\n",
		       cli_count(findings->by_severity[LURK_WARNING], "warning", count),
		       findings->by_severity[LURK_WARNING] == 1 ? "it" : "them");
}

int cli_apply(struct cli *cli, int argc, char **argv)
{
	static const struct argp_child children[] = {{&cli_common_argp, 0, NULL, 0}, {0}};
	const struct argp argp = {
		options,
		parse_option,
		"",
		"Put the profile into force now, and store it so that it will be after a reboot. "
		"The other profiles are stored with it, to switch to. With --profile NAME that one "
		"is in force, also after a reboot, until another is applied."
		"\vExamples:\n  lurk apply\n  lurk apply --profile game\n"
		"  lurk apply --profile /media/stick/profile.yaml",
		children,
		NULL,
		NULL};
	struct apply apply = {.cli = cli};
	struct lurk_outcome outcome = {LURK_OK, {0}, {""}};
	struct cli_findings findings;
	struct lurk_message why;
	char rules[48];

	cli_parse(cli, &argp, argc, argv, &apply);
	if (!cli_read_files(cli) || !cli_machine(cli) || !cli_have_profile(cli))
		return CLI_COULD_NOT;
	if (!cli_check_first(cli, apply.force, &findings))
		return CLI_FOUND;
	cli->profile.way = apply.way;
	cli->machine->keep_locks = apply.keep_locks;
	if (!apply_profile(cli, false, &outcome, &why)) {
		cli_findings_free(&findings);
		return cli_fail(CLI_COULD_NOT, "%s; nothing was changed", why.text);
	}
	if (cli->json) {
		print_json(cli, &outcome.report);
		cli_findings_free(&findings);
		return CLI_DONE;
	}
	printf("In force now%s: %s from %s",
	       cli_survives(cli) ? ", and again after every reboot" : "",
	       cli_count(cli->profile.count, "rule", rules), cli->profile_path);
	if (*cli->profile.based_on)
		printf(", on top of %u from %s",
		       cli_rules_in_force(cli->machine) - cli->profile.count,
		       cli->profile.based_on);
	puts(".");
	if (!cli_survives(cli))
		cli_tell_survival(cli);
	cli_tell_locks(cli, &outcome.report);
	cli_print_ways(cli);
	tell_findings(cli, &findings);
	puts("`lurk undo` takes this back.");
	cli_findings_free(&findings);
	return CLI_DONE;
}
