/* From an image to one keyboard's keymap.
 *
 * The hash table is a cuckoo table: an entry stands in one of two places, so that finding one takes
 * the same two comparisons whether there is one rule or thousands. Putting an entry into a taken
 * place sends the one there to its other place, and so on; where that does not end, all is begun
 * anew with other hash functions. */
#include "core/keyhash.h"
#include "core/mem.h"

enum { KICKS = 128, SEEDS = 64, SLOTS_MAX = 1 << 16, ACTIONS_MAX = SLOTS_MAX * 2 / 5 };

struct build {
	const struct lurk_compile_job *job;
	struct lurk_compile_report *report;
	struct lurk_keymap *map;
	struct lurk_keymap_slot *slots;
	struct lurk_action *actions;
	bool crowded; /* the seed does not do */
};

static bool applies(const struct lurk_compile_job *job, const struct lurk_rule *rule)
{
	struct lurk_keyboard keyboard;

	if (rule->off || (rule->keyboard && rule->keyboard != job->keyboard))
		return false;
	if (rule->keyboard || !job->keyboard)
		return true;
	lurk_image_keyboard(job->image, job->keyboard - 1U, &keyboard);
	return !keyboard.apart;
}

static struct lurk_keymap_slot *find_slot(const struct build *b, uint32_t code, uint8_t kind)
{
	uint32_t hash = lurk_keymap_hash(code, kind, b->map->seed);
	struct lurk_keymap_slot *one = &b->slots[hash & b->map->mask];
	struct lurk_keymap_slot *two = &b->slots[hash >> 16 & b->map->mask];

	if (one->action && one->code == code && one->kind == kind)
		return one;
	return two->action && two->code == code && two->kind == kind ? two : NULL;
}

static void insert(struct build *b, struct lurk_keymap_slot entry)
{
	uint32_t at = lurk_keymap_hash(entry.code, entry.kind, b->map->seed) & b->map->mask;

	for (unsigned kick = 0; kick < KICKS; kick++) {
		struct lurk_keymap_slot out = b->slots[at];
		uint32_t hash;

		b->slots[at] = entry;
		if (!out.action)
			return;
		entry = out;
		hash = lurk_keymap_hash(entry.code, entry.kind, b->map->seed);
		at = at == (hash & b->map->mask) ? hash >> 16 & b->map->mask : hash & b->map->mask;
	}
	b->crowded = true;
}

/* The action for a code, made where there is none yet. */
static struct lurk_action *action_for(struct build *b, uint32_t code, uint8_t kind)
{
	struct lurk_keymap_slot *slot = find_slot(b, code, kind);
	struct lurk_keymap_slot fresh = {code, kind, b->map->action_count};

	if (slot)
		return &b->actions[slot->action];
	b->actions[fresh.action] = (struct lurk_action){.gives = LURK_GIVES_ITSELF};
	b->map->action_count++;
	insert(b, fresh);
	return &b->actions[fresh.action];
}

static enum lurk_error add_change(struct build *b, const struct lurk_change *change, unsigned rank,
				  uint32_t rule)
{
	uint32_t code = change->on.key;
	uint8_t kind = LURK_SCAN_NONE;
	struct lurk_action *action;

	if (change->on.kind == LURK_TARGET_SCAN) {
		lurk_scan scan = lurk_scan_on(change->on.scan, (enum lurk_wiring)b->job->wiring);

		if (scan.kind == LURK_SCAN_NONE)
			return LURK_OK; /* a keyboard so wired never sends it */
		code = scan.code;
		kind = scan.kind;
	}
	action = action_for(b, code, kind);
	if (b->crowded)
		return LURK_OK;
	if (action->rank == rank) {
		b->report->rules[0] = action->rule;
		b->report->rules[1] = rule;
		return LURK_ERR_CONFLICT;
	}
	if (action->rank > rank)
		return LURK_OK;
	action->key = change->key;
	action->gives = change->gives;
	action->rank = (uint8_t)rank;
	action->rule = (uint16_t)rule;
	return LURK_OK;
}

static enum lurk_error add_rules(struct build *b)
{
	struct lurk_profile profile;

	lurk_image_profile(b->job->image, b->job->profile, &profile);
	for (uint32_t i = 0; i < profile.rule_count; i++) {
		uint32_t index = profile.first_rule + i;
		struct lurk_change change;
		struct lurk_rule rule;

		lurk_image_rule(b->job->image, index, &rule);
		if (!applies(b->job, &rule))
			continue;
		for (unsigned c = 0; lurk_rule_change(&rule, c, &change); c++) {
			enum lurk_error e =
				add_change(b, &change, lurk_change_rank(&rule, &change), index);

			if (e || b->crowded)
				return e;
		}
	}
	return LURK_OK;
}

static bool press_only(const struct lurk_compile_job *job, unsigned index, lurk_key *key)
{
	struct lurk_keyboard keyboard;
	struct lurk_quirk quirk;

	if (!job->keyboard)
		return false;
	lurk_image_keyboard(job->image, job->keyboard - 1U, &keyboard);
	for (unsigned i = 0; i < keyboard.quirk_count; i++) {
		lurk_image_quirk(job->image, job->keyboard - 1U, i, &quirk);
		if (quirk.kind == LURK_QUIRK_PRESS_ONLY && !index--) {
			*key = quirk.key;
			return true;
		}
	}
	return false;
}

static void add_taps(struct build *b)
{
	lurk_key key;

	for (unsigned i = 0; !b->crowded && press_only(b->job, i, &key); i++)
		action_for(b, key, LURK_SCAN_NONE)->tap = true;
}

static enum lurk_error count(const struct lurk_compile_job *job, struct lurk_compile_report *report,
			     size_t *actions)
{
	struct lurk_profile profile;
	lurk_key key;

	*actions = 0;
	lurk_image_profile(job->image, job->profile, &profile);
	for (uint32_t i = 0; i < profile.rule_count; i++) {
		struct lurk_change change;
		struct lurk_rule rule;

		lurk_image_rule(job->image, profile.first_rule + i, &rule);
		if (!applies(job, &rule))
			continue;
		if (lurk_rule_check(&rule) != LURK_OK) {
			report->rules[0] = report->rules[1] = profile.first_rule + i;
			return LURK_ERR_NOT_YET;
		}
		for (unsigned c = 0; lurk_rule_change(&rule, c, &change); c++)
			++*actions;
	}
	for (unsigned i = 0; press_only(job, i, &key); i++)
		++*actions;
	return *actions < ACTIONS_MAX ? LURK_OK : LURK_ERR_CONTENT;
}

enum lurk_error lurk_compile(const struct lurk_compile_job *job, void *memory, size_t size,
			     struct lurk_keymap **keymap, struct lurk_compile_report *report)
{
	struct build b = {.job = job, .report = report};
	size_t actions, slots = 8;
	enum lurk_error error;

	memset(report, 0, sizeof *report);
	error = count(job, report, &actions);
	if (error)
		return error;
	while (slots < actions * 5 / 2)
		slots *= 2;
	report->needed = sizeof(struct lurk_keymap) + slots * sizeof *b.slots +
			 (actions + 1) * sizeof *b.actions;
	if (size < report->needed)
		return LURK_ERR_ROOM;
	b.map = memory;
	b.slots = (struct lurk_keymap_slot *)(b.map + 1);
	b.actions = (struct lurk_action *)(b.slots + slots);
	*b.map = (struct lurk_keymap){b.slots, b.actions, (uint32_t)slots - 1, 0, 0};
	for (unsigned seed = 0; seed < SEEDS; seed++) {
		memset(b.slots, 0, slots * sizeof *b.slots);
		b.map->seed = seed * 0x85ebca6bU;
		b.map->action_count = 1;
		b.actions[0] = (struct lurk_action){.gives = LURK_GIVES_ITSELF};
		b.crowded = false;
		error = add_rules(&b);
		if (error)
			return error;
		add_taps(&b);
		if (!b.crowded) {
			*keymap = b.map;
			return LURK_OK;
		}
	}
	return LURK_ERR_CONTENT;
}

const struct lurk_action *lurk_keymap_find(const struct lurk_keymap *keymap, lurk_scan scan,
					   lurk_key key)
{
	const struct lurk_action *by_scan = lurk_keymap_action(keymap, scan.code, scan.kind);
	const struct lurk_action *by_key = lurk_keymap_action(keymap, key, LURK_SCAN_NONE);

	return by_scan->rank > by_key->rank ? by_scan : by_key;
}

lurk_key lurk_action_key(const struct lurk_action *action, lurk_key pressed)
{
	return action->gives == LURK_GIVES_ITSELF ? pressed : action->key;
}
