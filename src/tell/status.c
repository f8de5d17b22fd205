#include "tell/status.h"

#include <pwd.h>
#include <unistd.h>

#include "lurk/work/acting.h"
#include "tell/json.h"
#include "tell/layout.h"
#include "tell/storage.h"
#include "tell/way.h"
#include "tell/words.h"

static const char *user_name(uint32_t user, char number[16])
{
	const struct passwd *person = getpwuid(user);

	snprintf(number, 16, "%u", user);
	return person ? person->pw_name : number;
}

/* Whose rules these are, and whose hold beside them. */
static void tell_whose(FILE *out, const struct lurk_machine *machine)
{
	char rules[LURK_COUNT_WORDS], number[16];

	if (machine->own) {
		for (unsigned i = 0; i < machine->person_count; i++) {
			if (machine->persons[i].user == getuid() && machine->persons[i].why)
				fprintf(out, "Your own rules are not in force: %s.\n",
					lurk_error_text(machine->persons[i].why));
		}
		if (machine->image)
			fputs("They are your own, and hold while you are at this screen.\n", out);
		if (machine->computer_rules)
			fprintf(out,
				"%s of the computer's hold%s wherever yours say nothing: `lurk "
				"status --computer`.\n",
				lurk_words_count(machine->computer_rules, "rule", rules),
				machine->computer_rules == 1 ? "s" : "");
		return;
	}
	for (unsigned i = 0; i < machine->person_count; i++) {
		const struct lurk_machine_person *p = &machine->persons[i];

		if (p->why)
			fprintf(out,
				"The rules of %s, who is at the screen, are not in force: "
				"%s.\n",
				user_name(p->user, number), lurk_error_text(p->why));
		else if (p->rules)
			fprintf(out,
				"On top of them holds what %s, who is at the screen, has: %s.\n",
				user_name(p->user, number),
				lurk_words_count(p->rules, "rule", rules));
		if (p->off && !machine->off)
			fprintf(out, "At %s, where %s sits, all rules are off%s.\n", p->seat,
				user_name(p->user, number),
				machine->may_change ? ": `lurk on` switches them on at every seat"
						    : "");
	}
	fprintf(out, "Root and members of the group lurk may change that: %s.\n",
		machine->may_change ? "you may" : "you may not");
}

void tell_status(FILE *out, const struct lurk_machine *machine, const struct lurk_workspace *ws,
		 unsigned pending)
{
	const struct lurk_image *image = machine->image;
	struct lurk_profile profile = {0};
	char rules[LURK_COUNT_WORDS], since[TELL_TIME], source[256], texts[TELL_LAYOUT];
	unsigned next = 0;

	if (machine->trying) {
		fprintf(out,
			"Rules are being tried, for %u more seconds; then all is as before. `lurk "
			"keep` keeps them.\n",
			machine->seconds_left);
	} else if (image && image->rule_count) {
		lurk_next_profile(machine, machine->profile, &next, &profile);
		lurk_words_count(lurk_rules_in_force(machine), "rule", rules);
		tell_time(image->saved_at_us, since);
		lurk_words_text(profile.source, source, sizeof source);
		if (machine->off)
			fprintf(out,
				"All rules are off: every key does its usual job. `lurk on` "
				"switches on %s from %s.\n",
				rules, source);
		else
			fprintf(out, "%s in force since %s, from %s.\n", rules, since, source);
		if (image->profile_count > 1)
			fprintf(out,
				"The profile in force is %s, one of %u: `lurk use --list` lists "
				"them.\n",
				machine->profile, image->profile_count);
		fprintf(out, "%s\n", tell_survival(machine));
	} else if (machine->own && machine->computer_rules) {
		fputs("You have no rules of your own in force.\n", out);
	} else {
		fputs("No rule is in force: every key does its usual job.\n", out);
	}
	if (pending && !machine->trying)
		fprintf(out,
			"%s has %s that %s not in force: `lurk diff` lists %s, `lurk apply` "
			"applies the file.\n",
			ws->profile_path, lurk_words_count(pending, "difference", rules),
			pending == 1 ? "is" : "are", pending == 1 ? "it" : "them");
	if (*tell_texts(machine, ws, texts))
		fprintf(out, "%s\n", texts);
	tell_storage(out, machine);
	if (machine->service)
		tell_whose(out, machine);
}

static struct json_object *persons_json(const struct lurk_machine *machine)
{
	struct json_object *list = json_object_new_array();

	for (unsigned i = 0; i < machine->person_count; i++) {
		const struct lurk_machine_person *p = &machine->persons[i];
		struct json_object *one = json_object_new_object();

		tell_put_text(one, "seat", p->seat);
		tell_put_number(one, "user", p->user);
		tell_put_number(one, "rules", p->rules);
		tell_put_text(one, "why_not", p->why ? lurk_error_text(p->why) : "");
		tell_put_flag(one, "off", p->off);
		json_object_array_add(list, one);
	}
	return list;
}

struct json_object *tell_status_json(const struct lurk_machine *machine,
				     const struct lurk_workspace *ws, unsigned pending)
{
	const struct lurk_image *image = machine->image;
	struct json_object *object;
	struct lurk_profile profile = {0};
	unsigned next = 0;

	object = json_object_new_object();
	tell_put_number(object, "rules", lurk_rules_in_force(machine));
	tell_put_text(object, "profile", machine->profile);
	if (image) {
		lurk_next_profile(machine, machine->profile, &next, &profile);
		tell_put_time(object, "since", image->saved_at_us);
		tell_put_number(object, "version", (int64_t)image->sequence);
		tell_put_words(object, "source", profile.source);
	}
	tell_put_flag(object, "off", machine->off);
	tell_put_text(object, "storage", machine->storage);
	tell_put_flag(object, "trying", machine->trying);
	tell_put_flag(object, "after_reboot", image != NULL && lurk_survives(machine));
	tell_put_flag(object, "may_change", machine->may_change);
	tell_put_text(object, "whose", machine->own ? "own" : "computer");
	tell_put_number(object, "computer_rules", machine->computer_rules);
	json_object_object_add(object, "persons", persons_json(machine));
	tell_put_texts(object, machine);
	tell_put_number(object, "differences", pending);
	json_object_object_add(object, "bad_slots", tell_storage_json(machine));
	json_object_object_add(object, "keyboards", tell_ways_json(machine, &ws->keyboards));
	return object;
}

void tell_overview(FILE *out, const struct lurk_machine *machine)
{
	const struct lurk_image *image = machine ? machine->image : NULL;
	unsigned keyboards = 0;
	char rules[LURK_COUNT_WORDS], count[LURK_COUNT_WORDS], since[TELL_TIME];

	for (uint16_t i = 0; machine && i < machine->keyboard_count; i++)
		keyboards += machine->keyboards[i].present;
	if (image && image->rule_count && !machine->off)
		fprintf(out, "%s in force on %s since %s%s.\n",
			lurk_words_count(lurk_rules_in_force(machine), "rule", rules),
			lurk_words_count(keyboards, "keyboard", count),
			tell_time(image->saved_at_us, since),
			lurk_survives(machine) ? ", and after every reboot" : "");
	else if (machine && machine->own && machine->computer_rules && !machine->off)
		fprintf(out, "You have no rules of your own in force; of the computer's, %s.\n",
			lurk_words_count(machine->computer_rules, "rule", rules));
	else if (machine && machine->off)
		fputs("All rules are off: every key does its usual job. `lurk on` switches them "
		      "on.\n",
		      out);
	else if (machine)
		fputs("No rule is in force: every key does its usual job.\n", out);
	else
		fputs("Lurk gives keys another job. Its service does not answer: `lurk status` "
		      "says "
		      "why; --desk FOLDER works on a simulated desk.\n",
		      out);
}

struct json_object *tell_overview_json(const struct lurk_machine *machine,
				       const struct lurk_workspace *ws, unsigned pending)
{
	struct json_object *object =
		machine ? tell_status_json(machine, ws, pending) : json_object_new_object();

	tell_put_flag(object, "reached", machine != NULL);
	return object;
}
