/* restore: give a key its usual job back. */
#include <stdlib.h>

#include "cli/edit.h"

enum { OPTION_FACTORY = 1000 };

static const struct argp_option restore_options[] = {
	{"keyboard", 'k', "NAME", 0, "Only on this keyboard", 0},
	{"all", 'A', NULL, 0, "Every key: no rule is left", 0},
	{"factory", OPTION_FACTORY, NULL, 0,
	 "No rule in force, now and after a reboot, as if Lurk had never been there; files stay as "
	 "they are",
	 0},
	{"apply", 'a', NULL, 0, "Put the profile into force at once", 0},
	{0},
};

static const char restore_doc[] = "Give a key its usual job back. Where a wider rule would still "
				  "change it, a rule `gives: itself` is "
				  "written."
				  "\vExamples:\n"
				  "  lurk restore CapsLock\n"
				  "  lurk restore Alt --keyboard wagtail\n"
				  "  lurk restore --all --apply\n"
				  "  lurk restore --factory";

static bool restore_all(struct edit *edit)
{
	for (uint32_t i = edit->cli->profile.count; i--;) {
		if (edit->keyboard && edit->cli->profile.rules[i].keyboard != edit->keyboard)
			continue;
		if (!edit_remove_rule(edit, i))
			return false;
	}
	return true;
}

/* Whether the swap was made of this very key or pair: then all of it is taken back. */
static bool is_end_of_swap(const struct lurk_rule *rule, const struct lurk_target *on)
{
	struct lurk_target other = {.kind = rule->gives.kind == LURK_GIVES_PAIR ? LURK_TARGET_PAIR
										: LURK_TARGET_KEY,
				    .key = rule->gives.key};

	return rule->swap &&
	       (edit_same_target(&rule->press.on, on, true) || edit_same_target(&other, on, true));
}

static bool restore_one(struct edit *edit, const struct lurk_press *press, unsigned *removed)
{
	struct lurk_rule wanted = {.press = *press, .gives = {.kind = LURK_GIVES_ITSELF}};

	for (uint32_t i = 0; i < edit->cli->profile.count;) {
		const struct lurk_rule *rule = &edit->cli->profile.rules[i];

		/* With modifiers that one press is meant, else whatever the key does. */
		if ((edit->keyboard && rule->keyboard != edit->keyboard) ||
		    ((press->modifiers || press->only) &&
		     (rule->press.modifiers != press->modifiers ||
		      rule->press.only != press->only)) ||
		    !edit_touches(rule, &wanted, true)) {
			i++;
			continue;
		}
		++*removed;
		if (is_end_of_swap(rule, &press->on) ? !edit_remove_rule(edit, i)
						     : !edit_take_out(edit, i, &wanted, true))
			return false;
	}
	edit->line = 0;
	return true;
}

/* Whether the key still gives something else, by a wider rule. */
static bool still_changed(struct edit *edit, const struct lurk_press *press)
{
	struct lurk_rule wanted = {.press = *press, .gives = {.kind = LURK_GIVES_ITSELF}};
	struct lurk_change change;

	if (press->modifiers || press->only ||
	    !cli_effects(edit->cli, edit->keyboard, &edit->after))
		return false;
	for (unsigned i = 0; lurk_rule_change(&wanted, i, &change); i++) {
		lurk_key key = change.on.kind == LURK_TARGET_SCAN ? lurk_scan_key(change.on.scan)
								  : change.on.key;

		if (edit->after.gives[key] != key)
			return true;
	}
	return false;
}

static int nothing_to_restore(struct edit *edit, const char *why)
{
	cli_findings_free(&edit->found);
	if (edit->cli->json) {
		json_object_object_add(edit->json, "did", NULL);
		cli_print_json(edit->json);
	} else {
		json_object_put(edit->json);
		printf("%s: there is nothing to restore.\n", why);
	}
	return CLI_FOUND;
}

static error_t parse_option(int key, char *arg, struct argp_state *state)
{
	struct edit *edit = state->input;

	if (key != OPTION_FACTORY)
		return edit_parse_option(key, arg, state);
	edit->factory = edit->all = true;
	return 0;
}

/* What is in force goes; files, and versions to go back to, stay. */
static int factory(struct cli *cli)
{
	struct lurk_machine *machine = cli_read_files_if_good(cli) ? cli_machine(cli) : NULL;
	struct lurk_outcome outcome;
	uint64_t before;
	uint8_t *bytes = NULL;
	size_t length;
	bool fine;

	if (!machine)
		return CLI_COULD_NOT;
	before = machine->image && !machine->trying ? machine->image->sequence : 0;
	fine = lurk_machine_version(machine, 0, &bytes, &length) &&
	       lurk_machine_apply(machine, bytes, length, NULL, &outcome);
	free(bytes);
	if (!fine)
		return cli_fail(CLI_COULD_NOT, "the rules cannot be taken away: %s",
				outcome.why.text);
	cli_note_apply(cli, before, machine->image->sequence, "no rule at all");
	if (cli->json) {
		puts("{\"did\":\"no rule is in force\"}");
		return CLI_DONE;
	}
	puts("No rule is in force any more, now and after every reboot: each keyboard is as if "
	     "Lurk "
	     "had never been there.");
	printf("%s is as it was; `lurk apply` or `lurk rollback` brings rules back.\n",
	       cli->profile_path);
	return CLI_DONE;
}

int cli_restore(struct cli *cli, int argc, char **argv)
{
	const struct argp argp = {restore_options, parse_option, "KEY", restore_doc,
				  edit_children,   NULL,         NULL};
	struct lurk_result itself = {.kind = LURK_GIVES_ITSELF};
	struct edit edit = {.cli = cli, .most = 1};
	char words[LURK_WORDS], summary[512];
	struct lurk_press press;
	unsigned removed = 0;
	int status;

	cli_parse(cli, &argp, argc, argv, &edit);
	if (edit.factory)
		return factory(cli);
	if ((status = edit_start(&edit)) != CLI_DONE)
		return edit_failed(&edit, status);
	if (edit.all) {
		if (!cli->profile.count && !edit.apply)
			return nothing_to_restore(&edit, "The profile has no rule");
		if (!restore_all(&edit))
			return edit_failed(&edit, CLI_COULD_NOT);
		snprintf(summary, sizeof summary, "Every key gives its usual job again%s",
			 edit.where);
		return edit_finish(&edit, summary);
	}
	if (!edit_read_press(&edit, edit.words[0], &press))
		return edit_failed(&edit, CLI_USAGE);
	if (!restore_one(&edit, &press, &removed))
		return edit_failed(&edit, CLI_COULD_NOT);
	if (still_changed(&edit, &press)) {
		if (!edit_put_rule(&edit, &press, &itself))
			return edit_failed(&edit, CLI_COULD_NOT);
	} else if (!removed) {
		snprintf(summary, sizeof summary, "No rule changes %s%s",
			 lurk_words_for_press(&press, words), edit.where);
		return nothing_to_restore(&edit, summary);
	}
	snprintf(summary, sizeof summary, "%s has its usual job again%s%s",
		 lurk_words_for_press(&press, words), edit.where,
		 press.on.kind == LURK_TARGET_PAIR ? ", left and right" : "");
	return edit_finish(&edit, summary);
}
