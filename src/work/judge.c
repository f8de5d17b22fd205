#include "lurk/work/judge.h"

#include <string.h>
#include <strings.h>

#include "lurk/text/memory.h"
#include "lurk/work/effects.h"
#include "work/characters.h"
#include "work/link.h"

enum { KEYMAP_SIZE = 1 << 22 };

void lurk_sources_of(const struct lurk_rules *rules, const struct lurk_port_keyboard *keyboard,
		     bool broken_too, uint8_t held_with, struct lurk_source sources[LURK_KEY_COUNT])
{
	void *memory = lurk_resize(NULL, KEYMAP_SIZE);

	lurk_sources(rules, keyboard, broken_too, held_with, memory, KEYMAP_SIZE, sources);
	lurk_release(memory);
}

/* Where there is no machine to look at: keyboards of full size, one for each that is described. */
static uint16_t imagined(const struct lurk_workspace *ws, struct lurk_port_keyboard *all,
			 uint16_t most)
{
	uint16_t count = 0;

	for (uint16_t d = 0; d <= ws->keyboards.count && count < most; d++) {
		struct lurk_port_keyboard *k = &all[count];
		const struct lurk_recogniser *r;

		if (d && !ws->keyboards.keyboards[d - 1].recogniser_count)
			continue;
		memset(k, 0, sizeof *k);
		for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
			if (lurk_on_a_full_keyboard(key))
				k->declares[key / 8] |= (uint8_t)(1U << key % 8);
		}
		count++;
		if (!d)
			continue;
		r = ws->keyboards.keyboards[d - 1].recognisers;
		k->identity = (struct lurk_identity){.bus = r->bus,
						     .built_in = r->built_in,
						     .vendor = r->vendor,
						     .product = r->product};
		lurk_words_text(r->serial, k->identity.serial, sizeof k->identity.serial);
		lurk_words_text(r->name, k->identity.name, sizeof k->identity.name);
		lurk_words_text(r->place, k->identity.place, sizeof k->identity.place);
	}
	return count;
}

static void add(void *data, const struct lurk_finding *finding)
{
	struct lurk_findings *f = data;

	if (f->count % 16 == 0)
		f->all = lurk_resize(f->all, (f->count + 16) * sizeof *f->all);
	f->all[f->count++] = *finding;
	f->by_severity[finding->severity]++;
}

/* Where the key itself is lost it is one matter. */
static void add_characters(void *data, const struct lurk_finding *finding)
{
	struct lurk_findings *f = data;

	for (unsigned i = 0; i < f->count; i++) {
		struct lurk_finding *of = &f->all[i];

		if ((of->code == LURK_CHECK_LOST || of->code == LURK_CHECK_LOCKED_OUT) &&
		    of->key == finding->key && !of->modifiers &&
		    (!of->keyboard || of->keyboard == finding->keyboard)) {
			of->levels |= finding->levels;
			return;
		}
	}
	add(f, finding);
}

static bool has_profile(const struct lurk_workspace *ws, struct lurk_text word)
{
	const struct lurk_profile_set set = lurk_workspace_set(ws);

	return lurk_profile_find(&set, word) ||
	       (word.length == strlen("previous") && !strncmp(word.bytes, "previous", word.length));
}

/* Function keys that most keyboards lack are what people give to keys to have one of their own:
 * desktops know most of them by other names, and some not at all. */
static void check_symbols(struct lurk_workspace *ws, uint32_t index, struct lurk_findings *f)
{
	enum { X_MAX = 247 }; /* above it there is another finding */
	struct lurk_layout *layout = lurk_layout_chosen(&ws->layout);
	struct lurk_change change;

	for (unsigned n = 0; layout && lurk_rule_change(&ws->profile.rules[index], n, &change);
	     n++) {
		struct lurk_finding finding = {.code = LURK_CHECK_NO_SYMBOL,
					       .severity = LURK_WARNING,
					       .rule = index,
					       .other = LURK_NO_RULE,
					       .key = change.key};
		char name[LURK_SYMBOL];
		uint32_t symbol;

		if (change.gives != LURK_GIVES_KEY || change.key > X_MAX)
			continue;
		symbol = lurk_layout_symbol(layout, change.key);
		if (symbol) { /* no rule has to do with it */
			finding.code = LURK_CHECK_OTHER_SYMBOL;
			finding.severity = LURK_NOTE;
			finding.other = symbol;
		}
		if (!symbol || (change.key >= LURK_KEY_F13 && change.key <= LURK_KEY_F24 &&
				strcmp(lurk_symbol_name(symbol, name), lurk_key_name(change.key))))
			add(f, &finding);
	}
}

/* Where texts follow the layout: those in which the rule types nothing. */
static void check_each_layout(struct lurk_workspace *ws, uint32_t index, struct lurk_findings *f)
{
	const struct lurk_characters *characters = lurk_workspace_characters(ws);
	const struct lurk_result *gives = &ws->profile.rules[index].gives;
	struct lurk_finding finding = {.code = LURK_CHECK_LACKED,
				       .severity = LURK_WARNING,
				       .rule = index,
				       .other = LURK_NO_RULE};
	struct lurk_characters one;
	uint32_t number;

	if (gives->kind != LURK_GIVES_TEXT || !gives->steps.length || !characters ||
	    !characters->each)
		return;
	for (unsigned i = 0; characters->each(characters->data, i, &one, &number); i++) {
		finding.by = (lurk_key)i;
		if (lurk_layout_lacks(&one, gives->text, &finding.other))
			add(f, &finding);
	}
}

/* Results that this layout has no keys for, and that lead nowhere. */
static void check_results(struct lurk_workspace *ws, struct lurk_findings *f)
{
	const struct lurk_characters *characters = lurk_workspace_characters(ws);
	const struct lurk_finding no_layout = {.code = LURK_CHECK_NO_SUCH_LAYOUT,
					       .severity = LURK_ERROR,
					       .rule = LURK_NO_RULE,
					       .other = LURK_NO_RULE};
	bool assumed = false;

	if (ws->layout.from == LURK_LAYOUT_OF_PROFILE && !lurk_layout_chosen(&ws->layout))
		add(f, &no_layout);
	for (uint32_t i = 0; i < ws->profile.count; i++) {
		const struct lurk_rule *rule = &ws->profile.rules[i];
		struct lurk_finding finding = {
			.severity = LURK_ERROR, .rule = i, .other = LURK_NO_RULE};
		uint32_t codepoint;

		finding.code = LURK_CHECK_UNKNOWN_KEYBOARD;
		if (!rule->keyboard && lurk_node_get(ws->profile.nodes[i], "keyboard"))
			add(f, &finding);
		if (rule->off)
			continue;
		finding.code = LURK_CHECK_NO_PROFILE;
		if (rule->gives.kind == LURK_GIVES_PROFILE && !has_profile(ws, rule->gives.text))
			add(f, &finding);
		check_symbols(ws, i, f);
		finding.code = LURK_CHECK_ASSUMED_LAYOUT;
		finding.severity = LURK_WARNING;
		if (!assumed && rule->gives.kind == LURK_GIVES_TEXT &&
		    lurk_layout_is_assumed(&ws->layout)) {
			add(f, &finding);
			assumed = true; /* once */
		}
		finding.severity = LURK_ERROR;
		check_each_layout(ws, i, f);
		if (lurk_rule_check(rule) != LURK_ERR_UNTYPED)
			continue;
		finding.code = LURK_CHECK_NO_LAYOUT;
		if (characters && lurk_layout_lacks(characters, rule->gives.text, &codepoint)) {
			finding.code = LURK_CHECK_CANNOT_TYPE;
			finding.other = codepoint; /* no rule has to do with it */
		}
		add(f, &finding);
	}
}

/* Whether a key of the profile, or of one that it is based on, leads to another one. */
static bool leads_out(const struct lurk_profile_set *set, const struct lurk_profile_file *of,
		      const struct lurk_profile_file *file)
{
	for (uint32_t i = 0; i < file->count; i++) {
		const struct lurk_rule *rule = &file->rules[i];

		if (!rule->off && (rule->gives.kind == LURK_GIVES_TOGGLE ||
				   (rule->gives.kind == LURK_GIVES_PROFILE &&
				    lurk_profile_find(set, rule->gives.text) != of)))
			return true;
	}
	file = lurk_profile_find(set, (struct lurk_text){file->based_on, strlen(file->based_on)});
	return file && leads_out(set, of, file);
}

/* A key leads there, and none leads back. */
static void check_ways_back(struct lurk_workspace *ws, struct lurk_findings *f)
{
	const struct lurk_profile_set set = lurk_workspace_set(ws);

	for (uint32_t i = 0; i < ws->profile.count; i++) {
		const struct lurk_rule *rule = &ws->profile.rules[i];
		struct lurk_finding finding = {.code = LURK_CHECK_NO_WAY_BACK,
					       .severity = LURK_WARNING,
					       .rule = i,
					       .other = LURK_NO_RULE};
		const struct lurk_profile_file *to =
			rule->off || rule->gives.kind != LURK_GIVES_PROFILE
				? NULL
				: lurk_profile_find(&set, rule->gives.text);

		if (to && to != &ws->profile && !leads_out(&set, to, to))
			add(f, &finding);
	}
}

/* A profile that stands beside the base, and that a key leads out of, locks nobody out. */
static void weigh(const struct lurk_workspace *ws, struct lurk_findings *f)
{
	const struct lurk_profile_set set = lurk_workspace_set(ws);

	if (!strcasecmp(ws->profile.word, LURK_PROFILE_BASE) || set.count == 1 ||
	    !leads_out(&set, &ws->profile, &ws->profile))
		return;
	for (unsigned i = 0; i < f->count; i++) {
		if (f->all[i].severity == LURK_LOCK_OUT)
			f->all[i].severity = LURK_WARNING;
	}
	f->by_severity[LURK_WARNING] += f->by_severity[LURK_LOCK_OUT];
	f->by_severity[LURK_LOCK_OUT] = 0;
}

bool lurk_judge(struct lurk_workspace *ws, const struct lurk_machine *machine,
		struct lurk_findings *findings)
{
	struct lurk_port_keyboard *infos = NULL;
	struct lurk_check_keyboard keyboards[LURK_CHECK_KEYBOARDS];
	struct lurk_check_job job = {.keyboards = keyboards};
	struct lurk_check_work *work = lurk_allocate(1, sizeof *work);
	struct lurk_layout *layout;
	struct lurk_image after;
	enum lurk_error error = LURK_ERR_CONTENT;
	uint8_t *bytes = lurk_workspace_image(ws, &after);

	*findings = (struct lurk_findings){.ws = ws, .machine = machine, .profile = &ws->profile};
	for (uint16_t i = 0; machine && i < machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &machine->keyboards[i];

		if (!k->present || job.keyboard_count == LURK_CHECK_KEYBOARDS)
			continue;
		findings->keyboards[job.keyboard_count] = i;
		keyboards[job.keyboard_count].used = k->used;
		keyboards[job.keyboard_count++].info = &k->info;
	}
	findings->imagined = !job.keyboard_count;
	if (findings->imagined) {
		infos = lurk_allocate(LURK_CHECK_KEYBOARDS, sizeof *infos);
		job.keyboard_count = imagined(ws, infos, LURK_CHECK_KEYBOARDS);
		for (uint16_t i = 0; i < job.keyboard_count; i++)
			keyboards[i] = (struct lurk_check_keyboard){&infos[i], false};
	}
	work->keymap = lurk_resize(NULL, KEYMAP_SIZE);
	work->keymap_size = KEYMAP_SIZE;
	lurk_layout_typing_keys(&ws->layout, job.typing);
	layout = lurk_layout_chosen(&ws->layout);
	job.third_level = layout && lurk_layout_third_level(layout);
	job.before = machine && !machine->off && !machine->trying ? machine->image : NULL;
	job.after = &after;
	job.below = machine ? lurk_link_below(machine, &job.below_profile) : NULL;
	if (bytes)
		error = lurk_check(&job, work, add, findings);
	if (error == LURK_OK) {
		lurk_characters_lost(ws, &job, add_characters, findings);
		check_results(ws, findings);
		check_ways_back(ws, findings);
		weigh(ws, findings);
	}
	lurk_release(bytes);
	lurk_release(infos);
	lurk_release(work->keymap);
	lurk_release(work);
	return error == LURK_OK;
}

void lurk_findings_free(struct lurk_findings *findings)
{
	lurk_release(findings->all);
	findings->all = NULL;
	findings->count = 0;
}

const struct lurk_rule *lurk_findings_rule(const struct lurk_findings *findings, uint32_t number,
					   const struct lurk_profile_file **file)
{
	const struct lurk_profile_set set = lurk_workspace_set(findings->ws);
	const struct lurk_profile_file *of = findings->profile;

	/* As lurk_profile_order() has them in an image. */
	for (unsigned i = 0; of && i <= LURK_PROFILES_MAX && number >= of->count; i++) {
		number -= of->count;
		of = *of->based_on
			     ? lurk_profile_find(
				       &set, (struct lurk_text){of->based_on, strlen(of->based_on)})
			     : NULL;
	}
	if (!of || number >= of->count)
		return NULL;
	if (file)
		*file = of;
	return &of->rules[number];
}

bool lurk_findings_have(const struct lurk_findings *findings, const struct lurk_finding *wanted)
{
	for (unsigned i = 0; i < findings->count; i++) {
		const struct lurk_finding *f = &findings->all[i];

		if (f->code == wanted->code && f->key == wanted->key && f->by == wanted->by &&
		    f->modifiers == wanted->modifiers && f->keyboard == wanted->keyboard &&
		    f->levels == wanted->levels)
			return true;
	}
	return false;
}

bool lurk_findings_refuse(const struct lurk_findings *findings)
{
	return findings->by_severity[LURK_LOCK_OUT] || findings->by_severity[LURK_ERROR];
}

bool lurk_judge_all(struct lurk_workspace *ws, const struct lurk_machine *machine,
		    struct lurk_findings *findings)
{
	/* Where it cannot be judged, applying says what is wrong. */
	bool fine = !lurk_judge(ws, machine, findings) || !lurk_findings_refuse(findings);

	for (unsigned i = 0; fine && i < ws->beside_count; i++) {
		struct lurk_findings other;

		lurk_workspace_turn_to(ws, i);
		fine = !lurk_judge(ws, machine, &other) || !lurk_findings_refuse(&other);
		lurk_workspace_turn_to(ws, i);
		if (fine) {
			lurk_findings_free(&other);
			continue;
		}
		lurk_findings_free(findings);
		*findings = other;
		findings->profile = &ws->beside[i].file;
	}
	return fine;
}

static void were_meant(struct lurk_findings *findings, const struct lurk_findings *before)
{
	for (unsigned i = 0; i < findings->count; i++) {
		struct lurk_finding *f = &findings->all[i];

		if (f->severity != LURK_LOCK_OUT || lurk_findings_have(before, f))
			continue;
		findings->by_severity[LURK_LOCK_OUT]--;
		findings->by_severity[LURK_WARNING]++;
		f->severity = LURK_WARNING;
	}
}

bool lurk_judge_edit(struct lurk_workspace *ws, const struct lurk_machine *machine,
		     const struct lurk_findings *before, struct lurk_findings *findings)
{
	if (lurk_judge_all(ws, machine, findings))
		return true;
	if (findings->profile != &ws->profile)
		return false;
	were_meant(findings, before);
	return !lurk_findings_refuse(findings);
}
