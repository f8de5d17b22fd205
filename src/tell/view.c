#include "tell/view.h"

#include <inttypes.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>
#include <time.h>

#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"
#include "lurk/work/acting.h"
#include "lurk/work/apply.h"
#include "lurk/work/chord_watch.h"
#include "lurk/work/differences.h"
#include "lurk/work/judge.h"
#include "tell/json.h"
#include "tell/layout.h"
#include "tell/own_layout.h"
#include "tell/words.h"

static const struct tell_side *subject(const struct tell_view *v)
{
	return &v->sides[v->side_count - 1];
}

/* ---- Which keyboard, which rules, which form ------------------------------------------------- */

static bool has_rules(const struct lurk_workspace *ws, uint16_t described)
{
	for (uint32_t i = 0; i < ws->profile.count; i++) {
		const struct lurk_rule *rule = &ws->profile.rules[i];

		if (!rule->off && rule->keyboard == described)
			return true;
	}
	return false;
}

/* The one that was wanted; else the first that has rules of its own, or that types letters (a
 * computer's buttons come as keyboards as well), or the first of all. */
static int find_here(const struct tell_view *v)
{
	const uint16_t wanted = v->wanted->keyboard;
	int first = -1, typing = -1;

	for (int i = 0; v->machine && i < v->machine->keyboard_count; i++) {
		const struct lurk_session_keyboard *k = &v->machine->keyboards[i];
		uint16_t described =
			k->present ? lurk_keyboards_recognise(&v->ws->keyboards, &k->info.identity)
				   : 0;

		if (!k->present || (wanted && described != wanted))
			continue;
		if (wanted || (described && has_rules(v->ws, described)))
			return i;
		first = first < 0 ? i : first;
		if (typing < 0 && lurk_declares(&k->info, LURK_KEY_A))
			typing = i;
	}
	return typing < 0 ? first : typing;
}

static void choose_keyboard(struct tell_view *v)
{
	const int here = find_here(v);
	const char *name = "any keyboard";

	v->described = v->wanted->keyboard;
	if (here >= 0) {
		v->info = &v->machine->keyboards[here].info;
		v->described = lurk_keyboards_recognise(&v->ws->keyboards, &v->info->identity);
		name = tell_keyboard(v->machine, &v->ws->keyboards, (uint16_t)here);
	} else if (v->described) {
		name = v->ws->keyboards.keyboards[v->described - 1].name.bytes;
	}
	snprintf(v->keyboard, sizeof v->keyboard, "%s", name);
}

/* As was asked for; as keyboards.yaml says, or the desk; or what the keyboard can send, and is
 * usual for the layout. */
static void choose_form(const struct lurk_workspace *ws, const struct lurk_machine *machine,
			const struct lurk_forms *wanted, uint16_t described,
			struct picture_job *job)
{
	const struct lurk_forms none = {0};
	const struct lurk_forms *known = described ? &ws->keyboards.forms[described - 1] : &none;
	const struct lurk_computer *desk = machine ? machine->desk : NULL;

	job->form = job->info ? lurk_form_guess(job->info) : LURK_FORM_FULL;
	for (unsigned i = 0; desk && job->info && i < desk->desk.keyboard_count; i++) {
		const struct lurk_desk_keyboard *k = &desk->desk.keyboards[i];

		if (!strcmp(k->identity.name, job->info->identity.name))
			job->form = k->form;
	}
	job->form = wanted->has_form ? wanted->form : known->has_form ? known->form : job->form;
	job->arrangement = wanted->has_arrangement  ? wanted->arrangement
			   : known->has_arrangement ? known->arrangement
			   : job->layout && job->layout != ws->layout.usual
				   ? lurk_arrangement_for(lurk_layout_name(job->layout))
				   : LURK_ISO;
}

/* The keyboard as the image numbers it. */
static uint16_t keyboard_in(const struct tell_view *v, const struct lurk_image *image)
{
	const struct lurk_keyboard *wanted =
		v->described ? &v->ws->keyboards.keyboards[v->described - 1] : NULL;

	for (uint16_t i = 0; wanted && i < image->keyboard_count; i++) {
		struct lurk_keyboard k;

		lurk_image_keyboard(image, i, &k);
		if (k.name.length == wanted->name.length &&
		    !memcmp(k.name.bytes, wanted->name.bytes, k.name.length))
			return (uint16_t)(i + 1);
	}
	return 0;
}

/* Keys that have no name of their own are called as the person calls them. */
static void name_caps(const struct tell_view *v, struct picture *picture)
{
	for (unsigned i = 0; v->described && i < picture->count; i++) {
		struct picture_cap *cap = &picture->caps[i];
		const struct lurk_nickname *nickname = lurk_nickname_of(
			&v->ws->keyboards, v->described, cap->scan, cap->place.key);

		if (!cap->place.key && nickname)
			snprintf(cap->mark ? cap->small : cap->main, PICTURE_TEXT, "%s",
				 nickname->name);
	}
}

static void add_lost(const struct tell_view *v, struct picture_cap *cap, uint8_t levels)
{
	struct lurk_layout *layout = lurk_layout_chosen(&v->ws->layout);

	for (unsigned level = 0; layout && level < LURK_LEVELS; level++) {
		char sign[LURK_LEGEND];

		if (!(levels >> level & 1))
			continue;
		lurk_layout_legend(layout, cap->place.key, lurk_level_modifiers(level), sign);
		snprintf(cap->lost + strlen(cap->lost), PICTURE_TEXT - strlen(cap->lost), "%s%s",
			 *cap->lost ? " " : "", sign);
	}
}

/* Signs that the file's rules take away, on the caps that typed them. */
static void note_losses(struct tell_view *v)
{
	struct picture *picture = &tell_view_subject(v)->picture;
	struct lurk_findings findings;

	lurk_judge(v->ws, v->machine, &findings);
	for (unsigned i = 0; i < findings.count; i++) {
		const struct lurk_finding *f = &findings.all[i];
		const bool here =
			!f->keyboard || findings.imagined ||
			&v->machine->keyboards[findings.keyboards[f->keyboard - 1]].info == v->info;

		for (unsigned c = 0; here && f->code == LURK_CHECK_CHARACTERS && c < picture->count;
		     c++) {
			if (picture->caps[c].place.key == f->key)
				add_lost(v, &picture->caps[c], f->levels);
		}
	}
	lurk_findings_free(&findings);
}

/* Those that the layout takes away. */
static void add_lost_sign(void *data, const struct lurk_own_layout_finding *finding)
{
	struct picture *picture = data;
	char sign[LURK_SYMBOL];

	for (unsigned i = 0; i < picture->count && finding->fault == LURK_OWN_LOST; i++) {
		struct picture_cap *cap = &picture->caps[i];

		if (cap->place.key != finding->key)
			continue;
		lurk_append(cap->lost, PICTURE_TEXT, *cap->lost ? " " : "");
		lurk_append(cap->lost, PICTURE_TEXT, lurk_symbol_words(finding->symbol, sign));
	}
}

static void prepare_job(const struct tell_view *v, struct tell_side *side)
{
	const struct tell_wanted *o = v->wanted;
	struct lurk_layout *base = o->own ? lurk_own_layout_base(o->own) : NULL;

	side->job = (struct picture_job){
		.image = &side->image,
		.without_rules = side->without_rules,
		.keyboard = keyboard_in(v, &side->image),
		.info = v->info,
		.layout = side->base ? base : v->layout,
		.base = side->base ? NULL : base,
		.held = o->held,
		.codes = o->codes,
	};
	if (!side->without_rules)
		side->job.below = lurk_below_on(v->machine, v->info ? &v->info->identity : NULL);
	choose_form(v->ws, v->machine, &o->forms, v->described, &side->job);
	picture_fill(&side->picture, &side->job);
	name_caps(v, &side->picture);
}

static bool open_file(struct tell_view *v, bool rules, struct lurk_message *message)
{
	struct tell_side *side = &v->sides[v->side_count++];

	side->bytes = lurk_workspace_image(v->ws, &side->image);
	side->without_rules = !rules;
	snprintf(side->words, sizeof side->words, rules ? "With the rules" : "Without rules");
	return side->bytes || lurk_say(message, "%s: too long", v->ws->profile_path);
}

/* The same rules twice: with the layout's base, and with it. */
static bool open_layouts(struct tell_view *v, struct lurk_message *message)
{
	const struct lurk_layout *base = lurk_own_layout_base(v->wanted->own);

	if (!base)
		return lurk_say(message, "%s begins from no layout that is here",
				lurk_own_layout_name(v->wanted->own));
	for (unsigned i = 0; i < TELL_VERSIONS; i++) {
		if (!open_file(v, true, message))
			return false;
	}
	v->sides[0].base = true;
	snprintf(v->sides[0].words, sizeof v->sides[0].words, "%.63s",
		 lurk_layout_words(lurk_own_layout_base(v->wanted->own)));
	snprintf(v->sides[1].words, sizeof v->sides[1].words, "%.63s",
		 lurk_own_layout_words(v->wanted->own));
	return true;
}

static bool open_version(struct tell_view *v, uint64_t version, struct lurk_message *message)
{
	struct tell_side *side = &v->sides[v->side_count++];

	snprintf(side->words, sizeof side->words, "Version %" PRIu64, version);
	return v->machine
		       ? lurk_version_open(v->machine, version, &side->bytes, &side->image, message)
		       : lurk_say(message, "no computer is reached, so no version is known");
}

static bool open_sides(struct tell_view *v, struct lurk_message *message)
{
	const struct tell_wanted *o = v->wanted;

	if (o->before_after && o->own && !o->version_count)
		return open_layouts(v, message);
	if (o->before_after && !o->version_count && !open_file(v, false, message))
		return false;
	for (unsigned i = 0; i < o->version_count; i++) {
		if (!open_version(v, o->versions[i], message))
			return false;
	}
	return o->version_count == (o->before_after ? 2U : 1U) || open_file(v, true, message);
}

/* ---- What is said of it ---------------------------------------------------------------------- */

static uint64_t now_us(const struct lurk_machine *machine)
{
	struct lurk_port *port = machine && machine->desk ? machine->desk->session.port : NULL;

	return port ? port->calls->now(port) : (uint64_t)time(NULL) * 1000000U;
}

static const char *const code_words[PICTURE_CODES_COUNT] = {
	[PICTURE_SCAN_CODES] = "PS/2 scan codes: above set 1, below set 2, in hexadecimal",
	[PICTURE_HID_CODES] = "USB HID usages: page and id, in hexadecimal",
	[PICTURE_EVDEV_CODES] = "Linux event codes",
	[PICTURE_NAMES] = "W3C names of keys (code)",
	[PICTURE_MEANINGS] = "Meanings of keys (W3C key, on a US layout)",
};

unsigned tell_view_changed(const struct tell_view *v)
{
	const struct picture *picture = &subject(v)->picture;
	unsigned count = 0;

	for (unsigned i = 0; i < picture->count; i++)
		count += picture_cap_changed(&picture->caps[i]);
	return count;
}

static void write_title(struct tell_view *v)
{
	const struct tell_wanted *o = v->wanted;
	struct lurk_profile profile = {0};
	char name[80] = "", with[96] = "";

	if (o->codes) {
		snprintf(v->title, sizeof v->title, "%s", code_words[o->codes]);
		return;
	}
	if (subject(v)->image.profile_count) {
		lurk_image_profile(&subject(v)->image, 0, &profile);
		lurk_words_text(profile.name.length ? profile.name : profile.word, name,
				sizeof name);
	}
	if (o->held)
		snprintf(with, sizeof with, ", while %s is held", o->held_words);
	if (o->version_count && !o->before_after)
		snprintf(v->title, sizeof v->title, "Version %" PRIu64 " on %s%s", o->versions[0],
			 v->keyboard, with);
	else if (v->ws->profile_exists || o->version_count)
		snprintf(v->title, sizeof v->title, "%s on %s%s", *name ? name : "base",
			 v->keyboard, with);
	else if (o->own)
		snprintf(v->title, sizeof v->title, "%s on %s%s", lurk_own_layout_words(o->own),
			 v->keyboard, with);
	else
		snprintf(v->title, sizeof v->title, "%s, without rules%s", v->keyboard, with);
}

static void write_under(struct tell_view *v)
{
	const struct tell_wanted *o = v->wanted;
	const struct picture_job *job = &subject(v)->job;
	char form[32], arrangement[8], date[TELL_TIME], source[TELL_LAYOUT], layout[192] = "";
	const char *state = "";

	snprintf(form, sizeof form, "%s", lurk_form_name(job->form));
	snprintf(arrangement, sizeof arrangement, "%s", lurk_arrangement_name(job->arrangement));
	for (char *c = arrangement; *c; c++)
		*c = (char)(*c - 'a' + 'A');
	if (v->layout)
		snprintf(layout, sizeof layout, "; layout %s%s", lurk_layout_words(v->layout),
			 v->layout == v->ws->layout.usual ? ", as none is known (`--layout`)"
			 : v->layout == lurk_layout_chosen(&v->ws->layout)
				 ? tell_layout_source(&v->ws->layout, source)
				 : "");
	if (v->machine && v->ws->profile_exists && !o->version_count && !o->codes)
		state = lurk_differences_of_edits(v->ws, v->machine, NULL, NULL)
				? "; not in force: `lurk apply`"
			: v->machine->off       ? "; all rules are off"
			: !*v->machine->profile ? ""
			: strcasecmp(v->machine->profile, v->ws->profile.word) != 0
				? "; another profile is in force: `lurk status`"
				: "; in force";
	snprintf(v->under, sizeof v->under, "%s%s%s%s; %s%s%s", form,
		 job->form == LURK_FORM_PAD ? "" : ", ",
		 job->form == LURK_FORM_PAD ? "" : arrangement, layout,
		 tell_time(now_us(v->machine), date), state,
		 job->below.image ? "; with the computer's rules below" : "");
}

/* Takes the text. */
static void add_line(struct tell_lines *lines, char *text)
{
	lines->lines = lurk_resize(lines->lines, (lines->count + 1U) * sizeof *lines->lines);
	lines->lines[lines->count++] = text;
}

static void free_lines(struct tell_lines *lines)
{
	for (unsigned i = 0; i < lines->count; i++)
		lurk_release(lines->lines[i]);
	lurk_release(lines->lines);
}

static void add_change(void *data, const struct lurk_own_layout_change *change)
{
	char press[LURK_WORDS], now[LURK_SYMBOL], was[LURK_SYMBOL];

	add_line(data, lurk_print("%s types %s instead of %s",
				  tell_own_press(change->key, change->modifiers, press),
				  lurk_symbol_words(change->now, now),
				  lurk_symbol_words(change->was, was)));
}

static void write_rules(struct tell_view *v)
{
	const struct tell_side *side = subject(v);
	struct lurk_rule rule;
	unsigned index = 0;
	char words[512];

	if (v->wanted->own && !v->wanted->codes)
		lurk_own_layout_changes(v->wanted->own, add_change, &v->rules);
	while (!v->wanted->codes && picture_next_rule(&side->picture, &side->job, &index, &rule))
		add_line(&v->rules,
			 lurk_print("%s", lurk_words_rule(&rule, "", words, sizeof words)));
}

/* By rules, of which there is a way back. */
static bool has_other_jobs(const struct picture *picture)
{
	struct picture_cap cap;

	for (unsigned i = 0; i < picture->count; i++) {
		cap = picture->caps[i];
		cap.own = 0;
		if (picture_cap_changed(&cap))
			return true;
	}
	return false;
}

static void write_back(struct tell_view *v)
{
	const struct tell_side *side = subject(v);
	struct lurk_chord chord;
	char keys[LURK_WORDS];

	if (v->wanted->codes || !has_other_jobs(&side->picture))
		return;
	lurk_image_chord(&side->image, side->job.keyboard, &chord);
	tell_chord(&chord, keys);
	if (v->info && lurk_chord_lacks(&v->ws->keyboards, v->info, &chord))
		*keys = '\0'; /* none that this one cannot send */
	if (!v->wanted->card) {
		add_line(&v->back, *keys ? lurk_print("All rules off: hold %s for 2 s, or `lurk "
						      "off`.",
						      keys)
					 : lurk_print("All rules off: `lurk off`; no chord of this "
						      "keyboard does that."));
		return;
	}
	add_line(&v->back, lurk_print("All rules off, and on again: %s",
				      *keys ? "hold" : "`lurk off`, `lurk on`."));
	add_line(&v->back, *keys ? lurk_print("%s for two seconds,", keys)
				 : lurk_print("This keyboard has no chord for it: see"));
	add_line(&v->back, *keys ? lurk_print("or type `lurk off`, `lurk on`.")
				 : lurk_print("`lurk keyboards`."));
	add_line(&v->back, lurk_print("The last change: `lurk undo`. A key: `lurk restore KEY`."));
	add_line(&v->back, lurk_print("At boot: the word lurk.off on the kernel's command line."));
	add_line(&v->back, lurk_print("More: `lurk help back`."));
}

/* ---- All of it ------------------------------------------------------------------------------- */

/* What it gives with modifiers, one after the other. */
static const char *with_words(const struct picture_cap *cap, char out[PICTURE_TEXT])
{
	static const char *const levels[] = {"", "Shift", "AltGr", "AltGr+Shift"};
	const char *at = cap->all_with;
	char line[PICTURE_TEXT];

	*out = '\0';
	for (unsigned i = 1; i < PICTURE_LEGENDS; i++) {
		if (cap->levels >> i & 1)
			snprintf(out + strlen(out), PICTURE_TEXT - strlen(out), "%s%s: %s",
				 *out ? "; " : "", levels[i], cap->legends[i]);
	}
	while (picture_next_line(&at, line)) {
		lurk_append(out, PICTURE_TEXT, *out ? "; " : "");
		lurk_append(out, PICTURE_TEXT, line);
	}
	return out;
}

static struct json_object *cap_json(const struct picture_cap *cap)
{
	static const char *const marks[] = {NULL, "changed", "swapped", "nothing"};
	struct json_object *object = json_object_new_object(), *list = json_object_new_array();
	const struct lurk_place *p = &cap->place;
	char text[PICTURE_TEXT], scan[LURK_SCAN_TEXT];

	tell_put_text(object, "key", lurk_key_name(p->key));
	tell_put_text(object, "scan", lurk_scan_write(cap->scan, scan));
	json_object_object_add(object, "x", json_object_new_double(p->x / 4.0));
	json_object_object_add(object, "y", json_object_new_double(p->y / 4.0));
	json_object_object_add(object, "width", json_object_new_double(p->width / 4.0));
	json_object_object_add(object, "height", json_object_new_double(p->height / 4.0));
	for (unsigned i = 0; i < PICTURE_LEGENDS; i++)
		json_object_array_add(list, json_object_new_string(cap->legends[i]));
	json_object_object_add(object, "legends", list);
	picture_first(cap->main, text);
	tell_put_text(object, "says", text);
	picture_first(cap->small, text);
	tell_put_text(object, "usually", text);
	tell_put_text(object, "with", with_words(cap, text));
	if (*cap->lost)
		tell_put_text(object, "lost", cap->lost);
	tell_put_text(object, "mark", cap->mark ? marks[cap->mark] : NULL);
	tell_put_number(object, "pair", cap->pair);
	tell_put_flag(object, "by_code", cap->by_code);
	tell_put_flag(object, "broken", cap->broken);
	tell_put_flag(object, "absent", cap->absent);
	tell_put_flag(object, "own", cap->own != 0);
	tell_put_flag(object, "differs", !cap->faint);
	return object;
}

struct json_object *tell_view_json(const struct tell_view *v)
{
	struct json_object *object = json_object_new_object(), *list = json_object_new_array();
	struct json_object *lines = json_object_new_array();

	tell_put_text(object, "title", v->title);
	tell_put_text(object, "keyboard", v->keyboard);
	tell_put_text(object, "form", lurk_form_name(subject(v)->job.form));
	tell_put_text(object, "arrangement", lurk_arrangement_name(subject(v)->job.arrangement));
	tell_put_text(object, "layout", v->layout ? lurk_layout_name(v->layout) : NULL);
	for (unsigned i = 0; i < subject(v)->picture.count; i++)
		json_object_array_add(list, cap_json(&subject(v)->picture.caps[i]));
	for (unsigned i = 0; i < v->rules.count; i++)
		json_object_array_add(lines, json_object_new_string(v->rules.lines[i]));
	json_object_object_add(object, "caps", list);
	json_object_object_add(object, "rules", lines);
	return object;
}

bool tell_view_fill(struct tell_view *v, struct lurk_message *message)
{
	v->layout = v->wanted->layout ? v->wanted->layout : lurk_layout_shown(&v->ws->layout);
	choose_keyboard(v);
	if (!open_sides(v, message))
		return false;
	for (unsigned i = 0; i < v->side_count; i++)
		prepare_job(v, &v->sides[i]);
	if (v->wanted->losses && !v->wanted->version_count)
		note_losses(v);
	if (v->wanted->losses && v->wanted->own)
		lurk_own_layout_judge(v->wanted->own, add_lost_sign,
				      &tell_view_subject(v)->picture);
	if (v->side_count > 1)
		picture_compare(&v->sides[0].picture, &v->sides[1].picture);
	write_title(v);
	write_under(v);
	write_rules(v);
	write_back(v);
	return true;
}

void tell_view_free(struct tell_view *v)
{
	for (unsigned i = 0; i < TELL_VERSIONS; i++)
		lurk_release(v->sides[i].bytes);
	free_lines(&v->rules);
	free_lines(&v->back);
}

/* ---- A press on its keyboard ----------------------------------------------------------------- */

static void light(struct picture *picture, const struct lurk_press_record *r)
{
	lurk_key gives = lurk_action_key(&r->gives, r->key);

	for (unsigned i = 0; i < picture->count; i++) {
		struct picture_cap *cap = &picture->caps[i];

		if (r->key ? cap->place.key == r->key : lurk_scan_same(cap->scan, r->scan))
			cap->pressed = true;
		else if (gives && gives != r->key && cap->place.key == gives)
			cap->target = true;
	}
}

struct picture *tell_lit_keyboard(struct lurk_workspace *ws, const struct lurk_machine *machine,
				  const struct lurk_history *history,
				  const struct lurk_press_record *press)
{
	const struct lurk_port_keyboard *info = &machine->keyboards[press->keyboard].info;
	struct lurk_rules rules;
	struct picture_job job = {
		.info = info,
		.layout = lurk_layout_shown(&ws->layout),
	};
	const struct lurk_forms any = {0};
	struct picture *picture = lurk_allocate(1, sizeof *picture);
	const struct lurk_press_record *r;

	lurk_rules_of(machine, &rules);
	job.image = rules.image ? rules.image : rules.below;
	job.profile = rules.image ? rules.profile : rules.below_profile;
	if (job.image)
		job.keyboard = lurk_image_recognise(job.image, &info->identity);
	if (rules.image && rules.below)
		job.below = lurk_below_on(machine, &info->identity);
	choose_form(ws, machine, &any, lurk_keyboards_recognise(&ws->keyboards, &info->identity),
		    &job);
	picture_fill(picture, &job);
	light(picture, press);
	for (uint32_t i = 0; (r = lurk_history_at(history, i)); i++) {
		if (r->held && r->keyboard == press->keyboard)
			light(picture, r);
	}
	return picture;
}
