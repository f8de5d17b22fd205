/* The check. All is judged by sources: which key of which keyboard gives each key, without rules,
 * with those in force, and with those to be judged. */
#include "lurk/check.h"

#include "core/mem.h"

struct check {
	const struct lurk_check_job *job;
	struct lurk_check_work *work;
	lurk_check_tell *tell;
	void *data;
	bool judged_used;    /* only keyboards that were used count: there is one */
	uint32_t own, rules; /* of the profile to be judged; with those that it is based on */
	uint16_t described[LURK_CHECK_KEYBOARDS]; /* what each is in the image to be judged */
};

static void found(struct check *c, enum lurk_check_code code, enum lurk_severity severity,
		  struct lurk_finding finding)
{
	finding.code = (uint8_t)code;
	finding.severity = (uint8_t)severity;
	c->tell(c->data, &finding);
}

const char *lurk_check_name(uint8_t code)
{
	static const char *const names[LURK_CHECK_END] = {
		[LURK_CHECK_SAME_PRESS] = "same-press",
		[LURK_CHECK_TAP_MODIFIER] = "tap-modifier",
		[LURK_CHECK_LOCKED_OUT] = "locked-out",
		[LURK_CHECK_MOVED] = "moved",
		[LURK_CHECK_LOST] = "lost",
		[LURK_CHECK_HALF_PAIR] = "half-pair",
		[LURK_CHECK_NEVER_ACTS] = "never-acts",
		[LURK_CHECK_NO_SUCH_KEY] = "no-such-key",
		[LURK_CHECK_BROKEN_KEY] = "broken-key",
		[LURK_CHECK_NO_CHANGE] = "no-change",
		[LURK_CHECK_UNSEEN_BY_X] = "unseen-by-x",
		[LURK_CHECK_THIRD_LEVEL] = "third-level",
		[LURK_CHECK_NEVER_USED] = "never-used",
		[LURK_CHECK_NEVER_SENT] = "never-sent",
		[LURK_CHECK_NO_KEYBOARD] = "no-keyboard",
		[LURK_CHECK_ONE_SIDE] = "one-side",
		[LURK_CHECK_NO_OFF_CHORD] = "no-off-chord",
	};

	return code < LURK_CHECK_END && names[code] ? names[code] : "";
}

/* ---- Single keys ---------------------------------------------------------------------------- */

void lurk_check_typing(uint8_t typing[LURK_KEY_COUNT / 8])
{
	memset(typing, 0, LURK_KEY_COUNT / 8);
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		for (size_t i = 0; lurk_key_scan(key, i).kind; i++) {
			lurk_scan scan = lurk_key_scan(key, i);

			/* Keyboard a to z, 1 to 0: HID usage tables, page 07. */
			if (scan.kind == LURK_SCAN_HID && scan.code >= 0x70004 &&
			    scan.code <= 0x70027)
				typing[key / 8] |= (uint8_t)(1U << key % 8);
		}
	}
}

static bool has_quirk(const struct lurk_image *image, uint16_t described, enum lurk_quirk_kind kind,
		      lurk_key key)
{
	struct lurk_keyboard keyboard;
	struct lurk_quirk quirk;

	if (!image || !described)
		return false;
	lurk_image_keyboard(image, described - 1U, &keyboard);
	for (unsigned i = 0; i < keyboard.quirk_count; i++) {
		lurk_image_quirk(image, described - 1U, i, &quirk);
		if (quirk.kind == kind && quirk.key == key)
			return true;
	}
	return false;
}

static lurk_key target_key(const struct lurk_target *on)
{
	return on->kind == LURK_TARGET_SCAN ? lurk_scan_key(on->scan) : on->key;
}

static lurk_key change_gives(const struct lurk_change *change)
{
	return change->gives == LURK_GIVES_ITSELF ? target_key(&change->on)
	       : change->gives == LURK_GIVES_KEY  ? change->key
						  : (lurk_key)LURK_KEY_NONE;
}

static bool is_modifier(lurk_key key)
{
	return lurk_key_other_side(key) != LURK_KEY_NONE;
}

/* ---- Sources -------------------------------------------------------------------------------- */

/* A key that gives itself is the best source; then the first. */
static void note(struct lurk_source *source, struct lurk_source from, lurk_key gives)
{
	if ((!source->key && !source->scan.kind) || (from.key == gives && source->key != gives))
		*source = from;
}

/* The image to be judged, for one kind of keyboard. */
static enum lurk_error compile(const struct check *c, uint16_t described, unsigned wiring,
			       struct lurk_keymap **keymap, struct lurk_compile_report *report)
{
	struct lurk_compile_job job = {c->job->after, 0, described, (uint8_t)wiring, false, NULL};

	return lurk_compile(&job, c->work->keymap, c->work->keymap_size, keymap, report);
}

/* Codes without a name that rules for this very keyboard are on: it is taken to have them. */
static void note_nameless(const struct lurk_image *image, const struct lurk_keymap *keymap,
			  uint16_t described, struct lurk_source sources[LURK_KEY_COUNT])
{
	for (uint32_t i = 0; image && described && i < image->rule_count; i++) {
		const struct lurk_action *action;
		struct lurk_rule rule;

		lurk_image_rule(image, i, &rule);
		if (rule.off || rule.keyboard != described ||
		    rule.press.on.kind != LURK_TARGET_SCAN || lurk_scan_key(rule.press.on.scan))
			continue;
		action = lurk_keymap_find(keymap, rule.press.on.scan, LURK_KEY_NONE);
		if (action->gives != LURK_GIVES_KEY)
			continue;
		note(&sources[action->key],
		     (struct lurk_source){.rule = i, .scan = rule.press.on.scan}, action->key);
	}
}

enum lurk_error lurk_sources(const struct lurk_rules *rules,
			     const struct lurk_port_keyboard *keyboard, bool broken_too,
			     uint8_t held_with, void *memory, size_t size,
			     struct lurk_source sources[LURK_KEY_COUNT])
{
	const struct lurk_image *image = rules->image, *below = rules->below;
	const enum lurk_wiring wiring = (enum lurk_wiring)keyboard->identity.wiring;
	uint16_t described = image ? lurk_image_recognise(image, &keyboard->identity) : 0;
	const struct lurk_compile_part part = {
		below, rules->below_profile,
		below ? lurk_image_recognise(below, &keyboard->identity) : (uint16_t)0};
	const struct lurk_compile_job own = {image,           rules->profile, described,
					     (uint8_t)wiring, false,          below ? &part : NULL};
	const struct lurk_compile_job alone = {below,           part.profile, part.keyboard,
					       (uint8_t)wiring, false,        NULL};
	struct lurk_compile_report report;
	struct lurk_keymap *keymap = NULL;
	enum lurk_error error =
		image || below ? lurk_compile(image ? &own : &alone, memory, size, &keymap, &report)
			       : LURK_OK;

	if (error)
		return error;
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		struct lurk_source from = {
			.rule = LURK_NO_RULE, .scan = lurk_key_scan_on(key, wiring), .key = key};
		lurk_key gives = key;

		if (!lurk_declares(keyboard, key) ||
		    (!broken_too && (has_quirk(image, described, LURK_QUIRK_BROKEN, key) ||
				     has_quirk(image, described, LURK_QUIRK_MISSING, key) ||
				     has_quirk(below, part.keyboard, LURK_QUIRK_BROKEN, key) ||
				     has_quirk(below, part.keyboard, LURK_QUIRK_MISSING, key))))
			continue;
		if (keymap) {
			const struct lurk_action *action =
				lurk_keymap_find_held(keymap, from.scan, key, held_with);

			gives = lurk_action_key(action, key);
			from.rule = action->rank && image && !action->below ? action->rule
									    : LURK_NO_RULE;
		}
		if (gives)
			note(&sources[gives], from, gives);
	}
	if (keymap)
		note_nameless(image, keymap, described, sources);
	return LURK_OK;
}

/* Of one keyboard, where it counts. With no image it is plain, as far as what is below lets it be.
 * Keys that the image to be judged marks broken count in no case.
 */
static enum lurk_error add_sources(struct check *c, uint16_t number, const struct lurk_image *image,
				   uint8_t held_with, struct lurk_source sources[LURK_KEY_COUNT])
{
	const struct lurk_check_keyboard *k = &c->job->keyboards[number];
	const struct lurk_rules rules = {
		.image = image, .below = c->job->below, .below_profile = c->job->below_profile};
	struct lurk_port_keyboard info = *k->info;
	uint16_t judged = c->described[number];
	struct lurk_keyboard described = {.apart = false};

	if (judged)
		lurk_image_keyboard(c->job->after, judged - 1U, &described);
	if (described.apart || (c->judged_used && !k->used))
		return LURK_OK;
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		if (has_quirk(c->job->after, judged, LURK_QUIRK_BROKEN, key) ||
		    has_quirk(c->job->after, judged, LURK_QUIRK_MISSING, key))
			info.declares[key / 8] &= (uint8_t) ~(1U << key % 8);
	}
	return lurk_sources(&rules, &info, true, held_with, c->work->keymap, c->work->keymap_size,
			    sources);
}

static enum lurk_error all_sources(struct check *c, const struct lurk_image *image,
				   uint8_t held_with, struct lurk_source sources[LURK_KEY_COUNT])
{
	enum lurk_error error = LURK_OK;

	memset(sources, 0, LURK_KEY_COUNT * sizeof *sources);
	for (uint16_t i = 0; i < c->job->keyboard_count && !error; i++)
		error = add_sources(c, i, image, held_with, sources);
	return error;
}

static const struct lurk_source *source_of(const struct lurk_source sources[LURK_KEY_COUNT],
					   lurk_key key)
{
	const struct lurk_source *s = &sources[key];

	return s->key || s->scan.kind ? s : NULL;
}

/* Of the key, or of another with its meaning. */
static const struct lurk_source *meaning_source(const struct lurk_source sources[LURK_KEY_COUNT],
						lurk_key key)
{
	const struct lurk_source *s = source_of(sources, key);

	for (lurk_key k = lurk_key_next(0); !s && k; k = lurk_key_next(k)) {
		if (lurk_key_same_meaning(k, key))
			s = source_of(sources, k);
	}
	return s;
}

/* ---- What can be done: lock-out and what moved ---------------------------------------------- */

/* What must stay possible: a key, or one with modifiers; what the kernel and the login listen to.
 */
static const struct {
	lurk_key key;
	uint16_t modifiers;
} needs[] = {
	{LURK_KEY_ENTER, 0},
	{LURK_KEY_BACKSPACE, 0},
	{LURK_KEY_LEFTSHIFT, 0},
	{LURK_KEY_DELETE, LURK_MOD_CONTROL | LURK_MOD_ALT},
	{LURK_KEY_F1, LURK_MOD_CONTROL | LURK_MOD_ALT},
	{LURK_KEY_F2, LURK_MOD_CONTROL | LURK_MOD_ALT},
	{LURK_KEY_F3, LURK_MOD_CONTROL | LURK_MOD_ALT},
	{LURK_KEY_F4, LURK_MOD_CONTROL | LURK_MOD_ALT},
	{LURK_KEY_F5, LURK_MOD_CONTROL | LURK_MOD_ALT},
	{LURK_KEY_F6, LURK_MOD_CONTROL | LURK_MOD_ALT},
	{LURK_KEY_SYSRQ, LURK_MOD_ALT},
};

/* Either side of a modifier: one that gives itself, where it is to be had, the left one first. */
static const struct lurk_source *side_source(const struct lurk_source sources[LURK_KEY_COUNT],
					     lurk_key left)
{
	lurk_key right = lurk_key_other_side(left);
	const struct lurk_source *s = source_of(sources, left), *other = source_of(sources, right);

	if (!s || (s->key != left && other && other->key == right))
		s = other;
	return s;
}

static const struct {
	uint16_t modifier;
	lurk_key left;
} held[] = {{LURK_MOD_CONTROL, LURK_KEY_LEFTCTRL}, {LURK_MOD_ALT, LURK_KEY_LEFTALT}};

/* Whether what gives a modifier is one of its own two keys. */
static bool is_side(const struct lurk_source *source, unsigned modifier)
{
	return source->key == held[modifier].left ||
	       source->key == lurk_key_other_side(held[modifier].left);
}

/* How a need is met: what is pressed for it. */
struct way_to {
	bool possible;
	const struct lurk_source *key;
	const struct lurk_source *modifiers[2];
};

static struct way_to how(const struct lurk_source sources[LURK_KEY_COUNT],
			 const struct lurk_source with[LURK_KEY_COUNT], lurk_key key,
			 uint16_t modifiers)
{
	struct way_to way = {.key = is_modifier(key) ? side_source(sources, key)
				    : modifiers      ? source_of(with, key)
						     : meaning_source(sources, key)};

	way.possible = way.key != NULL;
	for (unsigned i = 0; i < 2; i++) {
		if (!(modifiers & held[i].modifier))
			continue;
		way.modifiers[i] = side_source(sources, held[i].left);
		way.possible = way.possible && way.modifiers[i];
	}
	return way;
}

static bool same_source(const struct lurk_source *a, const struct lurk_source *b)
{
	return !a || !b ? a == b : a->key == b->key && lurk_scan_same(a->scan, b->scan);
}

/* The first rule that takes its usual job from a key, on a described keyboard or (0) on any. */
static uint32_t taker(const struct check *c, lurk_key key, uint16_t described)
{
	for (uint32_t i = 0; i < c->rules; i++) {
		struct lurk_change change;
		struct lurk_rule rule;

		lurk_image_rule(c->job->after, i, &rule);
		for (unsigned n = 0;
		     !rule.off && !rule.press.modifiers && lurk_rule_change(&rule, n, &change);
		     n++) {
			if (target_key(&change.on) == key && change_gives(&change) != key &&
			    (!described || !rule.keyboard || rule.keyboard == described))
				return i;
		}
	}
	return LURK_NO_RULE;
}

/* Modifiers that moved are one matter, told of the first chord only; a chord's own key is its own.
 */
static void judge_need(struct check *c, lurk_key key, uint16_t modifiers, uint16_t *told)
{
	struct way_to before = how(c->work->before, c->work->before_with, key, modifiers);
	struct way_to after = how(c->work->after, c->work->after_with, key, modifiers);
	struct lurk_finding f = {
		.rule = LURK_NO_RULE, .other = LURK_NO_RULE, .key = key, .modifiers = modifiers};
	bool moved = false;

	if (!before.possible)
		return;
	f.rule = taker(c, before.key->key, 0);
	for (unsigned i = 0; f.rule == LURK_NO_RULE && i < 2; i++)
		f.rule = before.modifiers[i] ? taker(c, before.modifiers[i]->key, 0) : f.rule;
	if (!after.possible) {
		if (!(modifiers && after.key && *told & modifiers))
			found(c, LURK_CHECK_LOCKED_OUT, LURK_LOCK_OUT, f);
		if (after.key)
			*told |= modifiers;
		return;
	}
	for (unsigned i = 0; i < 2; i++)
		moved = moved || (after.modifiers[i] &&
				  !same_source(before.modifiers[i], after.modifiers[i]) &&
				  !is_side(after.modifiers[i], i));
	if (!moved && after.key->key == key)
		return; /* as without rules */
	if (same_source(before.key, after.key) && (!moved || *told & modifiers))
		return;
	if (moved && same_source(before.key, after.key))
		*told |= modifiers;
	f.by = after.key->key;
	f.by_scan = after.key->scan;
	for (unsigned i = 0; i < 2; i++)
		f.by_held[i] = after.modifiers[i] ? after.modifiers[i]->key : LURK_KEY_NONE;
	if (after.key->rule != LURK_NO_RULE)
		f.rule = after.key->rule;
	if (modifiers) /* single keys that moved are what the rules say */
		found(c, LURK_CHECK_MOVED, LURK_NOTE, f);
}

static void judge_needs(struct check *c)
{
	uint16_t told = 0;

	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		if (c->job->typing[key / 8] >> key % 8 & 1)
			judge_need(c, key, 0, &told);
	}
	for (size_t i = 0; i < sizeof needs / sizeof *needs; i++)
		judge_need(c, needs[i].key, needs[i].modifiers, &told);
}

/* Whether a loss of this key was told as a lock-out: no two findings say the same. */
static bool is_needed(const struct check *c, lurk_key key)
{
	if (c->job->typing[key / 8] >> key % 8 & 1)
		return true;
	for (unsigned i = 0; i < 3; i++) {
		if (needs[i].key == key || lurk_key_same_meaning(needs[i].key, key))
			return true;
	}
	return false;
}

/* ---- What got lost -------------------------------------------------------------------------- */

/* An earlier key with the same meaning that is lost as well: one matter. */
static bool told_already(const struct check *c, lurk_key key)
{
	for (lurk_key k = lurk_key_next(0); k < key; k = lurk_key_next(k)) {
		if (lurk_key_same_meaning(k, key) && source_of(c->work->plain, k))
			return true;
	}
	return false;
}

/* A key that is broken, say, and whose job another one did. */
static bool anybody_declares(const struct check *c, lurk_key key)
{
	for (uint16_t i = 0; i < c->job->keyboard_count; i++) {
		if (lurk_declares(c->job->keyboards[i].info, key))
			return true;
	}
	return false;
}

/* Which key gave one before the rules that are judged: itself, but for what is below them. */
static lurk_key giver(const struct lurk_source plain[LURK_KEY_COUNT], lurk_key key)
{
	const struct lurk_source *source = source_of(plain, key);

	return source && source->key ? source->key : key;
}

static void judge_losses(struct check *c)
{
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		struct lurk_finding f = {.other = LURK_NO_RULE, .key = key};
		bool level = key == LURK_KEY_RIGHTALT && c->job->third_level;
		const struct lurk_source *other;

		if (!source_of(c->work->plain, key) &&
		    !(source_of(c->work->before, key) && anybody_declares(c, key)))
			continue;
		other = source_of(c->work->after, lurk_key_other_side(key));
		if (is_modifier(key) && !level && other && !source_of(c->work->after, key)) {
			f.rule = taker(c, key, 0);
			f.by = other->key;
			f.by_scan = other->scan;
			found(c, LURK_CHECK_ONE_SIDE, LURK_NOTE, f);
			continue;
		}
		if (level ? source_of(c->work->after, key) != NULL
			  : meaning_source(c->work->after, key) || told_already(c, key) ||
				    (is_needed(c, key) && meaning_source(c->work->before, key)))
			continue;
		f.rule = taker(c, giver(c->work->plain, key), 0);
		found(c, level ? LURK_CHECK_THIRD_LEVEL : LURK_CHECK_LOST, LURK_WARNING, f);
	}
}

/* What one keyboard alone does not give any more, while another still does. Uses the memory of what
 * was judged before. */
static void judge_losses_on(struct check *c, uint16_t number)
{
	struct lurk_source *plain = c->work->plain, *after = c->work->before;

	memset(plain, 0, sizeof c->work->plain);
	memset(after, 0, sizeof c->work->before);
	if (add_sources(c, number, NULL, 0, plain) ||
	    add_sources(c, number, c->job->after, 0, after))
		return;
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		struct lurk_finding f = {
			.keyboard = (uint16_t)(number + 1), .other = LURK_NO_RULE, .key = key};

		if (!source_of(plain, key) || meaning_source(after, key) ||
		    !meaning_source(c->work->after, key) || told_already(c, key))
			continue;
		f.rule = taker(c, giver(plain, key), c->described[number]);
		found(c, LURK_CHECK_LOST, LURK_NOTE, f);
	}
}

/* ---- Single rules --------------------------------------------------------------------------- */

/* Whether any keyboard here that a rule is for has the key; *any tells whether one is here at all.
 */
static bool somebody_has(const struct check *c, const struct lurk_rule *rule, lurk_key key,
			 bool *any, uint16_t *lacks)
{
	bool has = false;

	for (uint16_t i = 0; i < c->job->keyboard_count; i++) {
		const struct lurk_port_keyboard *info = c->job->keyboards[i].info;
		uint16_t described = c->described[i];

		if (rule->keyboard && rule->keyboard != described)
			continue;
		*any = true;
		if (lurk_declares(info, key) &&
		    !has_quirk(c->job->after, described, LURK_QUIRK_MISSING, key))
			has = true;
		else
			*lacks = (uint16_t)(i + 1);
	}
	return has;
}

/* Whether a rule is on a code that no keyboard here that it is for could send: another one's, by
 * what is on the wire. *number is 1 + that of the last. */
static bool never_sent(const struct check *c, const struct lurk_rule *rule, uint16_t *number)
{
	bool any = false;

	for (uint16_t i = 0; i < c->job->keyboard_count; i++) {
		const uint8_t wiring = c->job->keyboards[i].info->identity.wiring;

		if (rule->keyboard && rule->keyboard != c->described[i])
			continue;
		if (lurk_scan_on(rule->press.on.scan, (enum lurk_wiring)wiring).kind)
			return false;
		any = true;
		*number = (uint16_t)(i + 1);
	}
	return any;
}

static void judge_press(struct check *c, uint32_t index, const struct lurk_rule *rule,
			const struct lurk_change *change)
{
	lurk_key key = target_key(&change->on);
	struct lurk_finding f = {.rule = index, .other = LURK_NO_RULE, .key = key};
	bool any = false;

	if (rule->press.on.kind == LURK_TARGET_SCAN && never_sent(c, rule, &f.keyboard)) {
		f.keyboard = rule->keyboard ? f.keyboard : 0;
		found(c, LURK_CHECK_NEVER_SENT, LURK_WARNING, f);
		return;
	}
	/* A code of its own may be one that no node declares; a meaning is any of its keys. */
	if (!key || rule->press.on.kind == LURK_TARGET_MEANING)
		return;
	if (!somebody_has(c, rule, key, &any, &f.keyboard) && any) {
		f.keyboard = rule->keyboard ? f.keyboard : 0;
		found(c, rule->keyboard ? LURK_CHECK_NO_SUCH_KEY : LURK_CHECK_NEVER_USED,
		      LURK_WARNING, f);
		return;
	}
	if (rule->keyboard && change->gives != LURK_GIVES_NOTHING &&
	    has_quirk(c->job->after, rule->keyboard, LURK_QUIRK_BROKEN, key)) {
		somebody_has(c, rule, LURK_KEY_NONE, &any, &f.keyboard);
		found(c, LURK_CHECK_BROKEN_KEY, LURK_WARNING, f);
	}
}

static bool is_on(const struct lurk_rule *rule, lurk_key key)
{
	struct lurk_change change;

	for (unsigned n = 0; !rule->off && lurk_rule_change(rule, n, &change); n++) {
		if (target_key(&change.on) == key)
			return true;
	}
	return false;
}

/* Whether another rule, or one of those below, is on the same key: then giving what it gives anyway
 * is an exemption. */
static bool exempts(const struct check *c, uint32_t index, lurk_key key)
{
	const struct lurk_image *below = c->job->below;
	struct lurk_rule rule;

	for (uint32_t i = 0; i < c->rules; i++) {
		lurk_image_rule(c->job->after, i, &rule);
		if (i != index && is_on(&rule, key))
			return true;
	}
	for (uint32_t i = 0; below && i < below->rule_count; i++) {
		lurk_image_rule(below, i, &rule);
		if (is_on(&rule, key))
			return true;
	}
	return false;
}

/* The other sides of two pairs, when one side of each was swapped: whether no rule is on them. */
static bool half_a_pair(const struct check *c, uint32_t index, const struct lurk_rule *rule)
{
	lurk_key one = lurk_key_other_side(rule->press.on.key);
	lurk_key two = lurk_key_other_side(rule->gives.key);

	return rule->swap && rule->press.on.kind == LURK_TARGET_KEY && one && two &&
	       one != rule->gives.key && source_of(c->work->plain, one) &&
	       source_of(c->work->plain, two) && !exempts(c, index, one) && !exempts(c, index, two);
}

static bool tap_made_modifier(const struct check *c, const struct lurk_rule *rule,
			      const struct lurk_change *change)
{
	lurk_key key = target_key(&change->on);

	if (change->gives != LURK_GIVES_KEY || !is_modifier(change->key) || !key)
		return false;
	for (uint16_t d = 1; d <= c->job->after->keyboard_count; d++) {
		if ((!rule->keyboard || rule->keyboard == d) &&
		    has_quirk(c->job->after, d, LURK_QUIRK_PRESS_ONLY, key))
			return true;
	}
	return false;
}

static void judge_rule(struct check *c, uint32_t index, const struct lurk_rule *rule)
{
	enum { X_MAX = 247 }; /* X11 keycodes are event codes plus 8, and end at 255 */
	struct lurk_finding f = {.rule = index, .other = LURK_NO_RULE};
	struct lurk_change change;
	bool changes = false, told_x = false;

	for (unsigned n = 0; lurk_rule_change(rule, n, &change); n++) {
		lurk_key key = target_key(&change.on), gives = change_gives(&change);

		f.key = key;
		judge_press(c, index, rule, &change);
		if (tap_made_modifier(c, rule, &change))
			found(c, LURK_CHECK_TAP_MODIFIER, LURK_ERROR, f);
		changes = changes || gives != key || !key || exempts(c, index, key);
		if (gives > X_MAX && gives != key && !told_x) {
			f.key = gives;
			found(c, LURK_CHECK_UNSEEN_BY_X, LURK_WARNING, f);
			told_x = true;
		}
	}
	if (!changes) {
		f.key = target_key(&rule->press.on);
		found(c, LURK_CHECK_NO_CHANGE, LURK_WARNING, f);
	}
	if (half_a_pair(c, index, rule)) {
		f.key = rule->press.on.key;
		f.by = rule->gives.key;
		found(c, LURK_CHECK_HALF_PAIR, LURK_WARNING, f);
	}
}

/* ---- Which rules act ------------------------------------------------------------------------ */

/* Whether some code of the key, on a keyboard so wired, comes to what a rule on the key says. */
static bool reached_by_key(const struct lurk_keymap *keymap, lurk_key key, uint8_t wiring,
			   uint8_t with, const struct lurk_action *action)
{
	bool any = false;

	for (size_t i = 0; lurk_key_scan(key, i).kind; i++) {
		lurk_scan scan = lurk_scan_on(lurk_key_scan(key, i), (enum lurk_wiring)wiring);

		any = any || scan.kind;
		if (scan.kind && lurk_keymap_find_held(keymap, scan, key, with) == action)
			return true;
	}
	return !any;
}

/* What a code gives under any modifiers. */
static void mark_slot(struct check *c, const struct lurk_keymap *keymap, uint8_t wiring,
		      const struct lurk_keymap_slot *slot)
{
	const struct lurk_action *base = &keymap->actions[slot->action];
	const uint8_t *shape = keymap->shapes + base->shape * (size_t)LURK_SHAPE_SIZE;

	for (unsigned with = 0; with < (base->shape ? (unsigned)LURK_SHAPE_SIZE : 1U); with++) {
		const struct lurk_action *a = base + shape[with];

		if (a->rank && !(c->work->acts[a->rule / 8] >> a->rule % 8 & 1) &&
		    (slot->kind != LURK_SCAN_NONE ||
		     reached_by_key(keymap, (lurk_key)slot->code, wiring, (uint8_t)with, a)))
			c->work->acts[a->rule / 8] |= (uint8_t)(1U << a->rule % 8);
	}
}

static void mark(struct check *c, const struct lurk_keymap *keymap, uint8_t wiring)
{
	for (uint32_t i = 0; i <= keymap->mask; i++) {
		if (keymap->slots[i].action)
			mark_slot(c, keymap, wiring, &keymap->slots[i]);
	}
}

/* The rule that wins where this one never acts. */
static uint32_t winner(struct check *c, uint32_t index, const struct lurk_rule *rule)
{
	struct lurk_change change;
	bool any = lurk_rule_change(rule, 0, &change);

	for (unsigned wiring = LURK_WIRING_HID; any && wiring <= LURK_WIRING_SET2; wiring++) {
		const enum lurk_wiring w = (enum lurk_wiring)wiring;
		lurk_key key = target_key(&change.on);
		lurk_scan scan = change.on.kind == LURK_TARGET_SCAN
					 ? lurk_scan_on(change.on.scan, w)
					 : lurk_key_scan_on(key, w);
		const struct lurk_action *action;
		struct lurk_compile_report report;
		struct lurk_keymap *keymap;

		if (compile(c, rule->keyboard, wiring, &keymap, &report))
			continue;
		action = lurk_keymap_find(keymap, scan, key);
		if (action->rank && action->rule != index)
			return action->rule;
	}
	return LURK_NO_RULE;
}

static void judge_acting(struct check *c)
{
	const struct lurk_image *image = c->job->after;

	for (uint32_t i = 0; i < c->own; i++) {
		struct lurk_finding f = {.rule = i};
		struct lurk_rule rule;

		lurk_image_rule(image, i, &rule);
		if (rule.off)
			continue;
		if (!(c->work->acts[i / 8] >> i % 8 & 1)) {
			f.other = winner(c, i, &rule);
			f.key = target_key(&rule.press.on);
			found(c, LURK_CHECK_NEVER_ACTS, LURK_WARNING, f);
			continue;
		}
		judge_rule(c, i, &rule);
	}
}

/* Pairs of rules that are remembered, so that each is told once. */
enum { CONFLICTS = 32 };

static bool told_before(uint32_t told[CONFLICTS][2], unsigned count, const uint32_t rules[2])
{
	for (unsigned i = 0; i < count && i < CONFLICTS; i++) {
		if (told[i][0] == rules[0] && told[i][1] == rules[1])
			return true;
	}
	return false;
}

/* Rules that contradict each other; true where there are any. Marks those that act. */
static enum lurk_error compile_all(struct check *c, bool *conflicts)
{
	struct lurk_finding last = {.rule = LURK_NO_RULE, .other = LURK_NO_RULE};
	uint32_t told[CONFLICTS][2];
	unsigned count = 0;

	memset(c->work->acts, 0, sizeof c->work->acts);
	for (uint16_t d = 0; d <= c->job->after->keyboard_count; d++) {
		for (unsigned wiring = LURK_WIRING_HID; wiring <= LURK_WIRING_SET2; wiring++) {
			struct lurk_compile_report report;
			struct lurk_keymap *keymap;
			struct lurk_rule rule;
			enum lurk_error error = compile(c, d, wiring, &keymap, &report);

			if (error == LURK_OK) {
				mark(c, keymap, (uint8_t)wiring);
				continue;
			}
			if (error != LURK_ERR_CONFLICT)
				return error;
			*conflicts = true;
			if (told_before(told, count, report.rules))
				continue;
			memcpy(told[count++ % CONFLICTS], report.rules, sizeof *told);
			lurk_image_rule(c->job->after, report.rules[1], &rule);
			last.rule = report.rules[0];
			last.other = report.rules[1];
			last.key = target_key(&rule.press.on);
			found(c, LURK_CHECK_SAME_PRESS, LURK_ERROR, last);
		}
	}
	return LURK_OK;
}

/* ---- Keyboards ------------------------------------------------------------------------------ */

static bool all_for_others(const struct check *c)
{
	bool any = false;

	for (uint32_t i = 0; i < c->rules; i++) {
		struct lurk_rule rule;

		lurk_image_rule(c->job->after, i, &rule);
		if (rule.off)
			continue;
		any = true;
		if (!rule.keyboard)
			return false;
		for (uint16_t k = 0; k < c->job->keyboard_count; k++) {
			if (c->described[k] == rule.keyboard)
				return false;
		}
	}
	return any && c->job->keyboard_count;
}

static bool types_letters(const struct lurk_port_keyboard *info)
{
	return lurk_declares(info, LURK_KEY_A) && lurk_declares(info, LURK_KEY_Z);
}

/* The off chord must be there on each keyboard that a person types on. */
static void judge_chord(struct check *c, uint16_t number)
{
	const struct lurk_port_keyboard *info = c->job->keyboards[number].info;
	uint16_t described = c->described[number];
	struct lurk_keyboard keyboard = {.apart = false};
	struct lurk_chord chord;

	if (described)
		lurk_image_keyboard(c->job->after, described - 1U, &keyboard);
	lurk_image_chord(c->job->after, described, &chord);
	for (unsigned i = 0; i < chord.count && !keyboard.apart && types_letters(info); i++) {
		struct lurk_finding f = {.keyboard = (uint16_t)(number + 1),
					 .rule = LURK_NO_RULE,
					 .other = LURK_NO_RULE,
					 .key = chord.keys[i]};

		if (lurk_declares(info, f.key) &&
		    !has_quirk(c->job->after, described, LURK_QUIRK_MISSING, f.key) &&
		    !has_quirk(c->job->after, described, LURK_QUIRK_BROKEN, f.key))
			continue;
		found(c, LURK_CHECK_NO_OFF_CHORD, LURK_WARNING, f);
		return;
	}
}

/* ---- All ------------------------------------------------------------------------------------ */

enum lurk_error lurk_check(const struct lurk_check_job *job, struct lurk_check_work *work,
			   lurk_check_tell *tell, void *data)
{
	struct check c = {.job = job, .work = work, .tell = tell, .data = data};
	struct lurk_finding none = {.rule = LURK_NO_RULE, .other = LURK_NO_RULE};
	struct lurk_profile profile;
	/* What the kernel and the login listen to is pressed with these. */
	const uint8_t with = LURK_MOD_LEFT_CONTROL | LURK_MOD_LEFT_ALT;
	bool conflicts = false;
	enum lurk_error error = job->keyboard_count > LURK_CHECK_KEYBOARDS
					? LURK_ERR_ROOM
					: compile_all(&c, &conflicts);

	if (error || conflicts)
		return error;
	lurk_image_profile(job->after, 0, &profile);
	c.own = profile.rule_count;
	for (c.rules = c.own; profile.based_on; c.rules += profile.rule_count)
		lurk_image_profile(job->after, profile.based_on - 1U, &profile);
	for (uint16_t i = 0; i < job->keyboard_count; i++) {
		c.described[i] =
			lurk_image_recognise(job->after, &job->keyboards[i].info->identity);
		c.judged_used = c.judged_used ||
				(job->keyboards[i].used && types_letters(job->keyboards[i].info));
	}
	error = all_sources(&c, NULL, 0, work->plain);
	if (!error)
		error = all_sources(&c, job->before, 0, work->before);
	if (!error)
		error = all_sources(&c, job->before, with, work->before_with);
	if (!error)
		error = all_sources(&c, job->after, with, work->after_with);
	if (!error)
		error = all_sources(&c, job->after, 0, work->after);
	if (error)
		return error;
	if (all_for_others(&c)) {
		found(&c, LURK_CHECK_NO_KEYBOARD, LURK_WARNING, none);
		return LURK_OK;
	}
	judge_needs(&c);
	judge_acting(&c);
	judge_losses(&c);
	for (uint16_t i = 0; i < job->keyboard_count; i++)
		judge_losses_on(&c, i);
	for (uint16_t i = 0; i < job->keyboard_count; i++)
		judge_chord(&c, i);
	return LURK_OK;
}
