#include "lurk/work/acting.h"

#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "work/link.h"

const struct lurk_session_keyboard *lurk_keyboard_here(const struct lurk_machine *machine,
						       const struct lurk_keyboards_file *keyboards,
						       uint16_t described)
{
	for (uint16_t i = 0; i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];

		if (k->present &&
		    lurk_keyboards_recognise(keyboards, &k->info.identity) == described)
			return k;
	}
	return NULL;
}

void lurk_rules_of(const struct lurk_machine *machine, struct lurk_rules *rules)
{
	*rules = (struct lurk_rules){.image = NULL};
	if (machine->off)
		return;
	rules->image = machine->image;
	rules->profile = machine->image ? lurk_link_profile(machine->image, machine->profile) : 0;
	rules->below = lurk_link_below(machine, &rules->below_profile);
}

struct lurk_compile_part lurk_below_on(const struct lurk_machine *machine,
				       const struct lurk_identity *identity)
{
	struct lurk_compile_part below = {.image = NULL};

	if (machine)
		below.image = lurk_link_below(machine, &below.profile);
	if (below.image && identity)
		below.keyboard = lurk_image_recognise(below.image, identity);
	return below;
}

bool lurk_next_profile(const struct lurk_machine *machine, const char *top, unsigned *next,
		       struct lurk_profile *profile)
{
	const struct lurk_text word = {top, strlen(top)};

	*next = *next ? profile->based_on : lurk_image_find_profile(machine->image, word);
	if (*next)
		lurk_image_profile(machine->image, *next - 1, profile);
	return *next;
}

bool lurk_next_rule(const struct lurk_image *image, struct lurk_rule_walk *walk,
		    struct lurk_rule *rule)
{
	struct lurk_profile profile;

	for (; walk->profiles < image->profile_count; walk->profiles++) {
		lurk_image_profile(image, walk->profile, &profile);
		if (walk->next < profile.rule_count) {
			lurk_image_rule(image, profile.first_rule + walk->next++, rule);
			return true;
		}
		if (!profile.based_on)
			return false;
		walk->profile = (uint16_t)(profile.based_on - 1U);
		walk->next = 0;
	}
	return false;
}

static bool holds(const struct lurk_machine *machine, uint32_t rule)
{
	struct lurk_profile profile = {0};

	for (unsigned next = 0; lurk_next_profile(machine, machine->profile, &next, &profile);) {
		if (rule - profile.first_rule < profile.rule_count)
			return true;
	}
	return false;
}

bool lurk_profile_acts(const struct lurk_machine *machine, const char *top, const char *word)
{
	struct lurk_profile profile = {0};

	for (unsigned next = 0; lurk_next_profile(machine, top, &next, &profile);) {
		if (profile.word.length == strlen(word) &&
		    !strncasecmp(profile.word.bytes, word, profile.word.length))
			return true;
	}
	return false;
}

bool lurk_rule_acts_on(const struct lurk_machine *machine, uint32_t index, uint16_t described,
		       struct lurk_rule *rule)
{
	struct lurk_keyboard keyboard = {.apart = false};

	if (described)
		lurk_image_keyboard(machine->image, described - 1U, &keyboard);
	lurk_image_rule(machine->image, index, rule);
	return !rule->off && holds(machine, index) &&
	       (rule->keyboard ? rule->keyboard == described : !keyboard.apart);
}

unsigned lurk_rules_on(const struct lurk_machine *machine, uint16_t described)
{
	unsigned count = 0;
	struct lurk_rule rule;

	for (uint32_t i = 0; machine->image && i < machine->image->rule_count; i++)
		count += lurk_rule_acts_on(machine, i, described, &rule);
	return count;
}

unsigned lurk_rules_in_force(const struct lurk_machine *machine)
{
	unsigned count = 0;

	for (uint32_t i = 0; machine->image && i < machine->image->rule_count; i++)
		count += holds(machine, i);
	return count;
}

uint32_t lurk_line_that_changes(const struct lurk_image *image,
				const struct lurk_identity *identity, lurk_key key)
{
	const uint16_t described = lurk_image_recognise(image, identity);

	for (uint32_t i = 0; i < image->rule_count; i++) {
		struct lurk_change change;
		struct lurk_rule rule;

		lurk_image_rule(image, i, &rule);
		for (unsigned n = 0; !rule.off && lurk_rule_change(&rule, n, &change); n++) {
			if (lurk_target_key(&change.on) == key &&
			    (!rule.keyboard || rule.keyboard == described))
				return rule.line;
		}
	}
	return 0;
}

bool lurk_survives(const struct lurk_machine *machine)
{
	static const char enabled[] = "/etc/systemd/system/multi-user.target.wants/lurkd.service";

	return machine->desk || (machine->service && access(enabled, F_OK) == 0);
}
