/* What the command does, in a program of one's own: keyboards, a rule, what it takes away, a trial,
 * and into force. Here on a simulated desk in a folder; lurk_machine_of_service(NULL, false, &why)
 * is this computer.
 *
 * $ ./rules
 * Wagtail desk keyboard is here, 0 rules act on it.
 * NumLock now gives Tab.
 * lost: NumLock, line 6.
 * Tried: 1 rule is in force, nothing is stored.
 * Applied as version 1: added NumLock gives Tab.
 * Taken back: 1 rule.
 */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <lurk/work/acting.h>
#include <lurk/work/apply.h>
#include <lurk/work/differences.h>
#include <lurk/work/edits.h>
#include <lurk/work/judge.h>

static const char desk[] = "desk: 1\nkeyboards:\n"
			   "  wagtail: {wired: usb, calls-itself: Wagtail desk keyboard, "
			   "product: \"fade:0001\"}\n";

static void fail(const char *why)
{
	fprintf(stderr, "%s\n", why);
	exit(EXIT_FAILURE);
}

static void say_difference(void *data, const struct lurk_difference *d)
{
	printf("Applied as version %" PRIu64 ": %s %s.\n",
	       ((const struct lurk_machine *)data)->image->sequence,
	       d->kind == LURK_ADDED ? "added" : "changed", d->rule);
}

int main(void)
{
	char folder[] = "/tmp/lurk-rules-XXXXXX", path[64];
	static struct lurk_computer computer;
	static struct lurk_workspace ws;
	struct lurk_edits edits = {.ws = &ws};
	const struct lurk_result tab = {.kind = LURK_GIVES_KEY, .key = LURK_KEY_TAB};
	struct lurk_machine *machine;
	struct lurk_findings findings;
	struct lurk_outcome outcome;
	struct lurk_message why;
	struct lurk_undo_step step;

	if (!mkdtemp(folder))
		fail("no folder can be made in /tmp");
	snprintf(path, sizeof path, "%s/desk.yaml", folder);
	if (!lurk_file_write(path, desk, strlen(desk), &why) ||
	    !lurk_computer_open(&computer, folder, &why))
		fail(why.text);
	machine = lurk_machine_of_desk(&computer);
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		if (machine->keyboards[i].present)
			printf("%s is here, %u rules act on it.\n",
			       machine->keyboards[i].info.identity.name,
			       lurk_rules_on(machine, machine->keyboards[i].described));
	}
	ws.desk = folder;
	ws.desk_layout = "gb";
	if (!lurk_workspace_read(&ws, &why))
		fail(why.text);
	edits.machine = machine;
	if (lurk_edits_map(&edits, "NumLock", &tab) != LURK_DONE)
		fail(edits.why.text);
	printf("%s.\n", edits.summary);
	if (!lurk_workspace_save(&ws, edits.summary, &why))
		fail(why.text);
	if (!lurk_judge_all(&ws, machine, &findings))
		fail("it would lock somebody out");
	for (unsigned i = 0; i < findings.count; i++) {
		const struct lurk_finding *f = &findings.all[i];

		printf("%s: %s, line %u.\n", lurk_check_name(f->code), lurk_key_name(f->key),
		       ws.profile.rules[f->rule].line);
	}
	lurk_findings_free(&findings);
	if (!lurk_apply_for_now(&ws, machine, 30, &outcome))
		fail(outcome.why.text);
	printf("Tried: %u rule is in force, nothing is stored.\n", lurk_rules_in_force(machine));
	lurk_machine_end_try(machine, &outcome);
	if (!lurk_apply(&ws, machine, false, &outcome))
		fail(outcome.why.text);
	lurk_differences(NULL, machine->image, say_difference, machine);
	if (lurk_undo_step_read(ws.state_folder, 0, &step, &why) != LURK_DONE ||
	    !lurk_take_back(&ws, machine, &step, &outcome))
		fail(outcome.why.text);
	printf("Taken back: %s.\n", lurk_undo_step_summary(&step));
	lurk_undo_step_free(&step);
	lurk_workspace_free(&ws);
	lurk_machine_close(machine);
	lurk_computer_close(&computer);
	return EXIT_SUCCESS;
}
