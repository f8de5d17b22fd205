/* From an image to one keyboard's keymap.
 *
 * The hash table is a cuckoo table: an entry stands in one of two places, so that finding one takes
 * the same two comparisons whether there is one rule or thousands. Putting an entry into a taken
 * place sends the one there to its other place, and so on; where that does not end, all is begun
 * anew with other hash functions.
 *
 * A code's actions stand together: the one for a press whatever is held, then those for presses
 * with modifiers. Which of them acts is looked up by the set of modifiers held, in a table that was
 * made here (a shape): so a press costs the same however many rules its key has. */
#include "core/bare_rule.h"
#include "core/keyhash.h"
#include "core/mem.h"

enum {
	KICKS = 128,
	SEEDS = 64,
	SLOTS_MAX = 1 << 16,
	ACTIONS_MAX = SLOTS_MAX * 2 / 5,
	VARIANTS_MAX = 255
};

struct build {
	const struct lurk_compile_job *job;
	struct lurk_compile_part parts[2], *part; /* the one that is gone through now */
	unsigned part_count;
	struct lurk_compile_report *report;
	struct lurk_keymap *map;
	struct lurk_keymap_slot *slots;
	struct lurk_action *actions;
	uint8_t *shapes;
	uint16_t next; /* action, where each code has one */
	bool crowded;  /* the seed does not do */
	bool apart;    /* the part's rules for all keyboards leave this one alone */
};

/* A change as it is put in. */
struct entry {
	const struct lurk_rule *rule;
	const struct lurk_change *change;
	uint32_t index, code;
	unsigned layer;
	uint8_t kind;
};

typedef enum lurk_error put_in(struct build *b, const struct entry *entry);

static bool stands_apart(const struct lurk_compile_part *part)
{
	struct lurk_keyboard keyboard;

	if (!part->keyboard)
		return false;
	lurk_image_keyboard(part->image, part->keyboard - 1U, &keyboard);
	return keyboard.apart;
}

/* Goes to the next part, the job's own first; false past the last. */
static bool next_part(struct build *b)
{
	b->part = b->part ? b->part + 1 : b->parts;
	if (b->part == b->parts + b->part_count) {
		b->part = NULL;
		return false;
	}
	b->apart = stands_apart(b->part);
	return true;
}

static bool applies(const struct build *b, const struct lurk_rule *rule)
{
	return !rule->off && (!b->job->toggles_only || rule->gives.kind == LURK_GIVES_TOGGLE) &&
	       (rule->keyboard ? rule->keyboard == b->part->keyboard : !b->apart);
}

/* Modifier keys with which a rule does not act. */
static uint8_t unless(const struct lurk_rule *rule)
{
	enum {
		COMMANDS = LURK_MOD_LEFT_CONTROL | LURK_MOD_RIGHT_CONTROL | LURK_MOD_LEFT_ALT |
			   LURK_MOD_LEFT_META | LURK_MOD_RIGHT_META,
	};
	unsigned own = rule->press.modifiers & LURK_MOD_SIDES, either = rule->press.modifiers >> 8;

	if (rule->press.only)
		return LURK_MOD_SIDES;
	if (rule->gives.kind != LURK_GIVES_TEXT || !lurk_steps_are_many(rule->gives.steps))
		return 0;
	return (uint8_t)(COMMANDS & ~(own | either | either << 4));
}

static bool varies(const struct lurk_rule *rule)
{
	return rule->press.modifiers || unless(rule);
}

/* ---- The hash table ------------------------------------------------------------------------- */

static struct lurk_keymap_slot *find_hashed(const struct build *b, uint32_t code, uint8_t kind,
					    uint32_t hash)
{
	struct lurk_keymap_slot *one = &b->slots[hash & b->map->mask];
	struct lurk_keymap_slot *two = &b->slots[hash >> 16 & b->map->mask];

	if (one->action && one->code == code && one->kind == kind)
		return one;
	return two->action && two->code == code && two->kind == kind ? two : NULL;
}

static struct lurk_keymap_slot *find_slot(const struct build *b, uint32_t code, uint8_t kind)
{
	return find_hashed(b, code, kind, lurk_keymap_hash(code, kind, b->map->seed));
}

static void insert(struct build *b, struct lurk_keymap_slot entry, uint32_t hash)
{
	uint32_t at = hash & b->map->mask;

	for (unsigned kick = 0; kick < KICKS; kick++) {
		struct lurk_keymap_slot out = b->slots[at];

		b->slots[at] = entry;
		if (!out.action)
			return;
		entry = out;
		hash = lurk_keymap_hash(entry.code, entry.kind, b->map->seed);
		at = at == (hash & b->map->mask) ? hash >> 16 & b->map->mask : hash & b->map->mask;
	}
	b->crowded = true;
}

/* Makes room for a code, and counts what it has with modifiers. */
static enum lurk_error claim(struct build *b, uint32_t code, uint8_t kind, bool variant)
{
	const uint32_t hash = lurk_keymap_hash(code, kind, b->map->seed);
	struct lurk_keymap_slot *slot = find_hashed(b, code, kind, hash);

	if (!slot) {
		insert(b, (struct lurk_keymap_slot){code, kind, variant, 1}, hash);
		return LURK_OK;
	}
	if (variant && slot->variants == VARIANTS_MAX)
		return LURK_ERR_CONTENT;
	slot->variants = (uint8_t)(slot->variants + variant);
	return LURK_OK;
}

static enum lurk_error claim_entry(struct build *b, const struct entry *entry)
{
	return claim(b, entry->code, entry->kind, varies(entry->rule));
}

/* Gives every code its place among the actions. */
static void place_actions(struct build *b)
{
	uint16_t next = 1;

	for (uint32_t i = 0; i <= b->map->mask; i++) {
		if (!b->slots[i].action)
			continue;
		b->slots[i].action = next;
		b->actions[next] = (struct lurk_action){.gives = LURK_GIVES_ITSELF};
		next = (uint16_t)(next + 1 + b->slots[i].variants);
		b->slots[i].variants = 0; /* counted again as they come */
	}
	b->map->action_count = next;
}

/* ---- Rules ---------------------------------------------------------------------------------- */

/* The action of a press, a new one without a rank where it is the first for these modifiers; and a
 * rule that is for the same press and as specific, whatever either gives, or NULL. */
static struct lurk_action *action_for(struct build *b, const struct entry *entry, unsigned rank,
				      const struct lurk_action **rival)
{
	struct lurk_keymap_slot *slot = find_slot(b, entry->code, entry->kind);
	struct lurk_action *base = &b->actions[slot->action];
	const struct lurk_press *press = &entry->rule->press;
	const uint8_t when_not = unless(entry->rule);
	struct lurk_action *same = varies(entry->rule) ? NULL : base;

	*rival = NULL;
	for (unsigned i = 0; i <= slot->variants; i++) {
		if (base[i].modifiers != press->modifiers || base[i].only != press->only)
			continue;
		if (base[i].rank == rank)
			*rival = &base[i];
		if (i && !same && base[i].unless == when_not)
			same = &base[i];
	}
	if (same)
		return same;
	base += ++slot->variants;
	*base = (struct lurk_action){
		.modifiers = press->modifiers, .only = press->only, .unless = when_not};
	return base;
}

static enum lurk_error set_result(struct build *b, struct lurk_action *action,
				  const struct entry *entry, unsigned rank)
{
	const struct lurk_result *gives = &entry->rule->gives;
	static const char previous[] = "previous";
	struct lurk_rule whole;

	action->key = entry->change->key;
	action->gives = entry->change->gives;
	action->steps = gives->steps;
	action->rank = (uint16_t)rank;
	action->rule = (uint16_t)entry->index;
	action->below = b->part != b->parts;
	action->more = action->gives >= LURK_GIVES_CHORDS ||
		       (varies(entry->rule) && action->gives != LURK_GIVES_ITSELF);
	action->key = action->gives == LURK_GIVES_KEY ? action->key : (uint16_t)LURK_KEY_NONE;
	if (action->gives != LURK_GIVES_PROFILE)
		return LURK_OK;
	lurk_image_rule(b->part->image, entry->index, &whole);
	/* LURK_PREVIOUS is one less than none. */
	action->key = (uint16_t)(lurk_image_find_profile(b->part->image, whole.gives.text) - 1U);
	if (action->key == LURK_PREVIOUS &&
	    (whole.gives.text.length != sizeof previous - 1 ||
	     memcmp(whole.gives.text.bytes, previous, sizeof previous - 1) != 0)) {
		b->report->rules[0] = b->report->rules[1] = entry->index;
		return LURK_ERR_NO_PROFILE;
	}
	return LURK_OK;
}

/* The more specific change has the press; two that are as specific are a conflict. */
static enum lurk_error settle(struct build *b, const struct entry *entry, unsigned rank,
			      struct lurk_action *action, const struct lurk_action *rival)
{
	if (rival) {
		b->report->rules[0] = rival->rule;
		b->report->rules[1] = entry->index;
		return LURK_ERR_CONFLICT;
	}
	return action->rank > rank ? LURK_OK : set_result(b, action, entry, rank);
}

static unsigned rank_of(const struct entry *entry)
{
	return lurk_change_rank(entry->rule, entry->change) | entry->layer;
}

static enum lurk_error fill_in(struct build *b, const struct entry *entry)
{
	const unsigned rank = rank_of(entry);
	const struct lurk_action *rival;
	struct lurk_action *action = action_for(b, entry, rank, &rival);

	return settle(b, entry, rank, action, rival);
}

/* Where no rule depends on modifiers a code has one action, which is known as soon as the code is.
 */
static struct lurk_action *only_action(struct build *b, uint32_t code, uint8_t kind)
{
	const uint32_t hash = lurk_keymap_hash(code, kind, b->map->seed);
	const struct lurk_keymap_slot *slot = find_hashed(b, code, kind, hash);

	if (slot)
		return &b->actions[slot->action];
	b->actions[b->next] = (struct lurk_action){.gives = LURK_GIVES_ITSELF};
	insert(b, (struct lurk_keymap_slot){code, kind, 0, b->next}, hash);
	return &b->actions[b->next++];
}

static enum lurk_error claim_and_fill(struct build *b, const struct entry *entry)
{
	const unsigned rank = rank_of(entry);
	struct lurk_action *action = only_action(b, entry->code, entry->kind);

	return settle(b, entry, rank, action, action->rank == rank ? action : NULL);
}

/* Most rules are one change, and need not be broken up. */
static bool is_single(const struct lurk_rule *rule)
{
	return !rule->swap && rule->gives.kind != LURK_GIVES_PAIR &&
	       (rule->press.on.kind == LURK_TARGET_KEY || rule->press.on.kind == LURK_TARGET_SCAN);
}

static enum lurk_error put_change(struct build *b, const struct lurk_rule *rule,
				  const struct lurk_change *change, uint32_t index, unsigned layer,
				  put_in *put)
{
	struct entry entry = {rule, change, index, change->on.key, layer, LURK_SCAN_NONE};

	if (change->on.kind == LURK_TARGET_SCAN) {
		lurk_scan scan = lurk_scan_on(change->on.scan, (enum lurk_wiring)b->job->wiring);

		if (scan.kind == LURK_SCAN_NONE)
			return LURK_OK; /* a keyboard so wired never sends it */
		entry.code = scan.code;
		entry.kind = scan.kind;
	}
	return put(b, &entry);
}

static enum lurk_error each_change(struct build *b, const struct lurk_rule *rule, uint32_t index,
				   unsigned layer, put_in *put)
{
	struct lurk_change change = {rule->press.on, rule->gives.kind, rule->gives.key};
	enum lurk_error error = LURK_OK;

	if (is_single(rule))
		return put_change(b, rule, &change, index, layer, put);
	for (unsigned c = 0; !error && !b->crowded && lurk_rule_change(rule, c, &change); c++)
		error = put_change(b, rule, &change, index, layer, put);
	return error;
}

/* Those of the profile first, then those that it is based on: each is a layer below. */
static enum lurk_error each_of_part(struct build *b, unsigned layer, put_in *put)
{
	unsigned profile_index = b->part->profile;
	struct lurk_profile profile;

	for (;;) {
		lurk_image_profile(b->part->image, profile_index, &profile);
		for (uint32_t i = 0; i < profile.rule_count; i++) {
			uint32_t index = profile.first_rule + i;
			struct lurk_rule rule;
			enum lurk_error error = LURK_OK;

			lurk_bare_rule(b->part->image, index, &rule);
			if (applies(b, &rule))
				error = each_change(b, &rule, index, layer, put);
			if (error || b->crowded)
				return error;
		}
		if (!profile.based_on)
			return LURK_OK;
		profile_index = profile.based_on - 1U;
		layer--;
	}
}

static enum lurk_error each_rule(struct build *b, put_in *put)
{
	unsigned layer = 2 * LURK_BASES_MAX - 1;
	enum lurk_error error = LURK_OK;

	for (b->part = NULL; !error && !b->crowded && next_part(b); layer -= LURK_BASES_MAX)
		error = each_of_part(b, layer, put);
	return error;
}

/* ---- Keys that never come up ---------------------------------------------------------------- */

static bool press_only(const struct build *b, unsigned index, lurk_key *key)
{
	for (const struct lurk_compile_part *part = b->parts; part < b->parts + b->part_count;
	     part++) {
		struct lurk_keyboard keyboard = {.quirk_count = 0};
		struct lurk_quirk quirk;

		if (part->keyboard)
			lurk_image_keyboard(part->image, part->keyboard - 1U, &keyboard);
		for (unsigned i = 0; i < keyboard.quirk_count; i++) {
			lurk_image_quirk(part->image, part->keyboard - 1U, i, &quirk);
			if (quirk.kind == LURK_QUIRK_PRESS_ONLY && !index--) {
				*key = quirk.key;
				return true;
			}
		}
	}
	return false;
}

static void claim_taps(struct build *b, bool variants)
{
	lurk_key key;

	for (unsigned i = 0; !b->crowded && press_only(b, i, &key); i++) {
		if (variants)
			claim(b, key, LURK_SCAN_NONE, false);
		else
			only_action(b, key, LURK_SCAN_NONE);
	}
}

static void mark_taps(struct build *b)
{
	lurk_key key;

	for (unsigned i = 0; press_only(b, i, &key); i++)
		b->actions[find_slot(b, key, LURK_SCAN_NONE)->action].tap = true;
}

/* ---- Which action for which modifiers ------------------------------------------------------- */

static void draw_shape(const struct lurk_action *base, unsigned variants, uint8_t *shape)
{
	memset(shape, 0, LURK_SHAPE_SIZE);
	for (unsigned i = 1; i <= variants; i++) {
		const unsigned sides = base[i].modifiers & LURK_MOD_SIDES;
		const unsigned either = base[i].modifiers >> 8;

		/* Each set of modifiers that has these sides. */
		for (unsigned held = sides; held < LURK_SHAPE_SIZE; held = (held + 1) | sides) {
			if (!(held & base[i].unless) && !(either & ~(held | held >> 4)) &&
			    base[i].rank > base[shape[held]].rank)
				shape[held] = (uint8_t)i;
		}
	}
}

/* Shapes that are the same are kept once. */
static void draw_shapes(struct build *b)
{
	for (uint32_t i = 0; i <= b->map->mask; i++) {
		const struct lurk_keymap_slot *slot = &b->slots[i];
		uint8_t *fresh = b->shapes + (size_t)b->map->shape_count * LURK_SHAPE_SIZE;
		uint16_t same = 0;

		if (!slot->variants)
			continue;
		draw_shape(&b->actions[slot->action], slot->variants, fresh);
		while (memcmp(b->shapes + (size_t)same * LURK_SHAPE_SIZE, fresh, LURK_SHAPE_SIZE) !=
		       0)
			same++;
		b->actions[slot->action].shape = same;
		if (same == b->map->shape_count)
			b->map->shape_count++;
	}
}

/* ---- All ------------------------------------------------------------------------------------ */

/* What no layout could give yet; all else was checked when the image was opened. */
static bool untyped(const struct lurk_rule *rule)
{
	return !rule->gives.steps.length &&
	       (rule->gives.kind == LURK_GIVES_CHORDS || rule->gives.kind == LURK_GIVES_TEXT);
}

struct counts {
	size_t actions, variants;
};

static unsigned changes_of(const struct lurk_rule *rule)
{
	struct lurk_change change;
	unsigned count = 0;

	if (is_single(rule))
		return 1;
	while (lurk_rule_change(rule, count, &change))
		count++;
	return count;
}

static enum lurk_error count_part(const struct build *b, struct counts *counts)
{
	const struct lurk_image *image = b->part->image;
	unsigned next = b->part->profile + 1U;

	while (next) {
		struct lurk_profile profile;

		lurk_image_profile(image, next - 1, &profile);
		for (uint32_t i = 0; i < profile.rule_count; i++) {
			struct lurk_rule rule;
			unsigned changes;

			lurk_bare_rule(image, profile.first_rule + i, &rule);
			if (!applies(b, &rule))
				continue;
			if (untyped(&rule)) {
				b->report->rules[0] = b->report->rules[1] = profile.first_rule + i;
				return LURK_ERR_UNTYPED;
			}
			changes = changes_of(&rule);
			counts->variants += varies(&rule) ? changes : 0;
			counts->actions += varies(&rule) ? 2 * changes : changes;
		}
		next = profile.based_on;
	}
	return LURK_OK;
}

static enum lurk_error count(struct build *b, struct counts *counts)
{
	enum lurk_error error = LURK_OK;
	lurk_key key;

	for (b->part = NULL; !error && next_part(b);)
		error = count_part(b, counts);
	for (unsigned i = 0; press_only(b, i, &key); i++)
		counts->actions++;
	return error ? error : counts->actions < ACTIONS_MAX ? LURK_OK : LURK_ERR_CONTENT;
}

static size_t size_of(size_t slots, size_t actions, size_t shapes)
{
	return sizeof(struct lurk_keymap) + slots * sizeof(struct lurk_keymap_slot) +
	       actions * sizeof(struct lurk_action) + shapes * LURK_SHAPE_SIZE;
}

static enum lurk_error build(struct build *b, bool variants)
{
	enum lurk_error error;

	b->next = 1;
	b->actions[0] = (struct lurk_action){.gives = LURK_GIVES_ITSELF};
	error = each_rule(b, variants ? claim_entry : claim_and_fill);
	if (!error)
		claim_taps(b, variants);
	if (error || b->crowded)
		return error;
	if (variants) {
		place_actions(b);
		error = each_rule(b, fill_in);
		if (error)
			return error;
	} else {
		b->map->action_count = b->next;
	}
	mark_taps(b);
	memset(b->shapes, 0, LURK_SHAPE_SIZE);
	b->map->shape_count = 1;
	if (variants)
		draw_shapes(b);
	b->map->minds_modifiers = b->map->shape_count > 1;
	for (uint16_t i = 0; i < b->map->action_count; i++)
		b->map->minds_modifiers |= b->actions[i].steps.length > 0;
	return LURK_OK;
}

/* Pointers come first in memory, so that all is aligned. */
enum lurk_error lurk_compile(const struct lurk_compile_job *job, void *memory, size_t size,
			     struct lurk_keymap **keymap, struct lurk_compile_report *report)
{
	struct build b = {.job = job,
			  .parts = {{job->image, job->profile, job->keyboard}},
			  .part_count = 1,
			  .report = report};
	struct counts counts = {0, 0};
	size_t slots = 8;
	enum lurk_error error;

	if (job->below)
		b.parts[b.part_count++] = *job->below;
	memset(report, 0, sizeof *report);
	error = count(&b, &counts);
	if (error)
		return error;
	while (slots < counts.actions * 5 / 2)
		slots *= 2;
	report->needed = size_of(slots, counts.actions + 1, counts.variants + 1);
	if (size < report->needed)
		return LURK_ERR_ROOM;
	b.map = memory;
	b.actions = (struct lurk_action *)(b.map + 1);
	b.slots = (struct lurk_keymap_slot *)(b.actions + counts.actions + 1);
	b.shapes = (uint8_t *)(b.slots + slots);
	*b.map = (struct lurk_keymap){.slots = b.slots,
				      .actions = b.actions,
				      .shapes = b.shapes,
				      .mask = (uint32_t)slots - 1};
	for (unsigned seed = 0; seed < SEEDS; seed++) {
		memset(b.slots, 0, slots * sizeof *b.slots);
		b.map->seed = seed * 0x85ebca6bU;
		b.crowded = false;
		error = build(&b, counts.variants);
		if (error)
			return error;
		if (b.crowded)
			continue;
		report->needed = size_of(slots, counts.actions + 1, b.map->shape_count);
		*keymap = b.map;
		return LURK_OK;
	}
	return LURK_ERR_CONTENT;
}
