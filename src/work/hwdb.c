#include "lurk/work/hwdb.h"

#include <errno.h>
#include <glob.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/work/acting.h"
#include "lurk/work/effects.h"
#include "work/system.h"
#include "work/tables.h"

lurk_scan lurk_hwdb_scan(const struct lurk_hwdb_entry *entry)
{
	struct lurk_hwdb_match match;

	if (!lurk_hwdb_match_read(entry->match, &match))
		return (lurk_scan){0, LURK_SCAN_NONE};
	return lurk_scan_on(lurk_scan_make(LURK_SCAN_RAW, entry->raw), lurk_hwdb_wiring(&match));
}

uint16_t lurk_hwdb_described(const struct lurk_keyboards_file *keyboards,
			     const struct lurk_hwdb_match *match)
{
	for (uint16_t d = 1; d <= keyboards->count; d++) {
		const struct lurk_keyboard *k = &keyboards->keyboards[d - 1];

		for (uint16_t i = 0; i < k->recogniser_count; i++) {
			const struct lurk_recogniser *r = &k->recognisers[i];

			if (match->by_product ? r->by_product && r->vendor == match->vendor &&
							r->product == match->product &&
							(!r->bus || r->bus == match->bus)
					      : match->bus == LURK_BUS_PS2 && r->built_in)
				return d;
		}
	}
	return 0;
}

/* ---- What a file would say ------------------------------------------------------------------- */

struct planning {
	const struct lurk_workspace *ws;
	const struct lurk_machine *machine;
	const struct lurk_image *image;
	struct lurk_hwdb_plan *plan;
	FILE *out;
	struct lurk_keymap *general[LURK_WIRING_SET2]; /* of keyboards that nothing is said of */
	const char *match;                             /* written once something stands under it */
};

/* udev's match for a way to recognise a keyboard; false where it has none. */
static bool match_of(const struct planning *p, uint16_t described, const struct lurk_recogniser *r,
		     struct lurk_hwdb_match *match)
{
	const struct lurk_session_keyboard *here =
		p->machine ? lurk_keyboard_here(p->machine, &p->ws->keyboards, described) : NULL;

	*match = (struct lurk_hwdb_match){r->bus, r->by_product, r->vendor, r->product};
	if (r->serial.length || r->name.length || r->place.length)
		return false;
	if (r->built_in && !r->by_product && here && here->info.identity.bus != LURK_BUS_PS2)
		*match = (struct lurk_hwdb_match){here->info.identity.bus, true,
						  here->info.identity.vendor,
						  here->info.identity.product};
	else if (r->built_in && !r->by_product)
		match->bus = LURK_BUS_PS2;
	if (here && here->info.identity.wiring == LURK_WIRING_SET2)
		return false;
	return match->bus == LURK_BUS_PS2 ||
	       (match->by_product &&
		(match->bus == LURK_BUS_USB || match->bus == LURK_BUS_BLUETOOTH));
}

static void write_entry(void *data, lurk_scan scan, lurk_key key)
{
	struct planning *p = data;
	char name[LURK_HWDB_KEY];

	if (!*lurk_hwdb_key(key, name))
		return;
	if (p->match)
		fprintf(p->out, "\n%s\n", p->match);
	p->match = NULL;
	fprintf(p->out, " KEYBOARD_KEY_%x=%s\n", lurk_scan_raw(scan), name);
	p->plan->entries++;
}

static void write_blocks(struct planning *p)
{
	static const char *const everywhere[] = {[LURK_WIRING_HID] =
							 "evdev:input:b0003*\nevdev:input:b0005*",
						 [LURK_WIRING_SET1] = "evdev:atkbd:*"};
	char text[LURK_HWDB_MATCH];

	for (unsigned w = 0; w < LURK_WIRING_SET2; w++) {
		p->match = everywhere[w];
		lurk_table_each(p->image, p->general[w], NULL, (enum lurk_wiring)w, write_entry, p);
	}
	for (uint16_t d = 1; d <= p->ws->keyboards.count; d++) {
		const struct lurk_keyboard *k = &p->ws->keyboards.keyboards[d - 1];

		for (uint16_t i = 0; i < k->recogniser_count; i++) {
			struct lurk_hwdb_match match;
			enum lurk_wiring wiring;
			struct lurk_keymap *keymap;

			if (!match_of(p, d, &k->recognisers[i], &match))
				continue;
			wiring = lurk_hwdb_wiring(&match);
			keymap = lurk_keymap_of(p->image, d, (uint8_t)wiring);
			p->match = lurk_hwdb_match_write(&match, text);
			if (keymap)
				lurk_table_each(p->image, keymap, p->general[wiring], wiring,
						write_entry, p);
			lurk_release(keymap);
		}
	}
}

/* ---- What it cannot say ---------------------------------------------------------------------- */

/* Whether all that a keyboard is recognised by can be said to udev. */
static bool told_apart(const struct planning *p, uint16_t described)
{
	const struct lurk_keyboard *k = &p->ws->keyboards.keyboards[described - 1];
	struct lurk_hwdb_match match;
	bool fine = k->recogniser_count > 0;

	for (uint16_t i = 0; i < k->recogniser_count; i++)
		fine = fine && match_of(p, described, &k->recognisers[i], &match);
	return fine;
}

static enum lurk_hwdb_why why_left(void *data, const struct lurk_rule *rule)
{
	const struct planning *p = data;
	const enum lurk_hwdb_why why = lurk_table_why_not(rule);
	char name[LURK_HWDB_KEY];

	if (why)
		return why;
	if (rule->gives.kind == LURK_GIVES_KEY && !*lurk_hwdb_key(rule->gives.key, name))
		return LURK_HWDB_NO_NAME;
	return rule->keyboard && !told_apart(p, rule->keyboard) ? LURK_HWDB_NOT_APART : 0;
}

bool lurk_hwdb_plan(const struct lurk_workspace *ws, const struct lurk_machine *machine,
		    struct lurk_hwdb_plan *plan, struct lurk_message *message)
{
	struct lurk_image image;
	uint8_t *bytes = lurk_workspace_image(ws, &image);
	struct planning p = {.ws = ws, .machine = machine, .image = &image, .plan = plan};
	char *text = NULL, *from = lurk_print("%s", ws->profile_path);
	size_t length = 0;
	bool fine = bytes != NULL;

	*plan = (struct lurk_hwdb_plan){.text = NULL};
	for (unsigned w = 0; fine && w < LURK_WIRING_SET2; w++) {
		p.general[w] = lurk_keymap_of(&image, 0, (uint8_t)w);
		fine = p.general[w] != NULL;
	}
	p.out = open_memstream(&text, &length);
	if (!p.out)
		abort();
	lurk_make_harmless(from); /* a line break in a path begins no entry */
	fprintf(p.out,
		"# Made by `lurk hwdb write` from %s. udev gives the kernel these entries for "
		"each\n"
		"# keyboard that comes; `lurk hwdb remove` takes them away again.\n",
		from);
	lurk_release(from);
	if (fine) {
		write_blocks(&p);
		lurk_table_left(ws, &image, why_left, &p, &plan->left, &plan->left_count);
	}
	if (fclose(p.out))
		abort();
	plan->text = lurk_copy(text, length);
	free(text);
	for (unsigned w = 0; w < LURK_WIRING_SET2; w++)
		lurk_release(p.general[w]);
	lurk_release(bytes);
	return fine || lurk_table_cannot(ws, message);
}

void lurk_hwdb_plan_free(struct lurk_hwdb_plan *plan)
{
	lurk_release(plan->text);
	lurk_release(plan->left);
	*plan = (struct lurk_hwdb_plan){.text = NULL};
}

/* ---- Given to udev --------------------------------------------------------------------------- */

bool lurk_hwdb_is_there(void)
{
	return access(LURK_HWDB_FILE, F_OK) == 0;
}

static void add_usual(void *data, const struct lurk_hwdb_entry *entry)
{
	const lurk_scan scan = lurk_hwdb_scan(entry);
	char name[LURK_HWDB_KEY];

	if (scan.kind)
		fprintf(data, "%s\n KEYBOARD_KEY_%x=%s\n\n", entry->match, entry->raw,
			lurk_hwdb_key(lurk_scan_key(scan), name));
}

/* For every key that the file names so far, what it usually gives: udev changes nothing back. */
static char *usual_of_all(const char *earlier)
{
	char *text = NULL, *copy;
	size_t length = 0;
	FILE *out = open_memstream(&text, &length);

	if (!out)
		abort();
	lurk_hwdb_read(earlier, add_usual, out);
	if (fclose(out))
		abort();
	copy = lurk_copy(text, length);
	free(text);
	return copy;
}

/* The database that was made of the files in /etc stands before the system's own: where nothing is
 * left there that one counts again. */
static void drop_own_database(void)
{
	static const char *const systems[] = {"/usr/lib/udev/hwdb.bin", "/lib/udev/hwdb.bin"};
	char pattern[64];
	glob_t files;

	snprintf(pattern, sizeof pattern, "%s/*.hwdb", LURK_HWDB_FOLDER);
	if (glob(pattern, 0, NULL, &files) == GLOB_NOMATCH &&
	    (!access(systems[0], F_OK) || !access(systems[1], F_OK)))
		unlink("/etc/udev/hwdb.bin");
	globfree(&files);
}

static bool have_udev_read(void)
{
	if (!RUN("systemd-hwdb", "update"))
		return false;
	drop_own_database();
	return RUN("udevadm", "trigger", "--subsystem-match=input", "--action=change") &&
	       RUN("udevadm", "settle");
}

static bool put(const char *text, struct lurk_message *message)
{
	return lurk_file_write(LURK_HWDB_FILE, text, strlen(text), message) &&
	       (have_udev_read() ||
		lurk_say(message, "%s: udev could not be made to read it", LURK_HWDB_FILE));
}

bool lurk_hwdb_put(const char *text, struct lurk_message *message)
{
	char *earlier = NULL, *usual, *both;
	size_t length;
	bool exists, fine = true;

	if (lurk_file_read(LURK_HWDB_FILE, &earlier, &length, &exists, message)) {
		usual = usual_of_all(earlier);
		both = lurk_print("%s%s", usual, text); /* what stands later wins */
		fine = put(both, message);
		lurk_release(both);
		lurk_release(usual);
	} else if (exists) {
		return false;
	}
	lurk_release(earlier);
	return fine && put(text, message);
}

enum lurk_went lurk_hwdb_remove(struct lurk_message *message)
{
	char *earlier = NULL, *usual;
	size_t length;
	bool exists, fine;

	if (!lurk_file_read(LURK_HWDB_FILE, &earlier, &length, &exists, message)) {
		if (exists)
			return LURK_COULD_NOT;
		lurk_say(message, "udev has no rules of Lurk: %s is not there", LURK_HWDB_FILE);
		return LURK_FOUND;
	}
	usual = usual_of_all(earlier);
	fine = put(usual, message);
	lurk_release(usual);
	lurk_release(earlier);
	if (fine && unlink(LURK_HWDB_FILE)) {
		lurk_say(message, "%s: %s", LURK_HWDB_FILE, strerror(errno));
		return LURK_COULD_NOT;
	}
	return fine && (have_udev_read() ||
			lurk_say(message, "%s is gone; udev could not be made to see it",
				 LURK_HWDB_FILE))
		       ? LURK_DONE
		       : LURK_COULD_NOT;
}

/* ---- Taken over ------------------------------------------------------------------------------ */

struct taking {
	struct lurk_edits *edits;
	lurk_hwdb_remark *tell;
	void *data;
	unsigned taken;
	bool failed;
};

/* Whether the name of a code's key says that code alone, however it is connected. */
static bool is_only_code(lurk_key key, lurk_scan scan)
{
	unsigned count = 0;

	for (size_t i = 0; key && lurk_key_scan(key, i).kind; i++)
		count += lurk_key_scan(key, i).kind == scan.kind;
	return count == 1;
}

static void take(void *data, const struct lurk_hwdb_entry *entry)
{
	struct taking *t = data;
	const char *why = NULL;
	struct lurk_result result = {.kind = LURK_GIVES_NOTHING};
	const lurk_scan scan = lurk_hwdb_scan(entry);
	const lurk_key usual = lurk_scan_key(scan);
	struct lurk_hwdb_match match;
	char word[LURK_SCAN_TEXT];

	if (t->failed)
		return;
	if (!scan.kind)
		why = "not taken over: it is for machines, or for keyboards by another sign than "
		      "their numbers";
	else if (!entry->known)
		why = "not taken over: it names no key";
	lurk_hwdb_match_read(entry->match, &match);
	t->edits->keyboard = lurk_hwdb_described(&t->edits->ws->keyboards, &match);
	if (!why && !t->edits->keyboard && (match.by_product || match.bus == LURK_BUS_PS2))
		why = "not taken over: no keyboard of that kind has a name yet; `lurk keyboards "
		      "--name NAME` gives it one while it is here";
	if (why) {
		t->tell(t->data, entry, why);
		return;
	}
	if (entry->key) {
		result.kind = LURK_GIVES_KEY;
		result.key = entry->key;
	}
	t->failed = lurk_edits_map(t->edits,
				   is_only_code(usual, scan) ? lurk_key_name(usual)
							     : lurk_scan_write(scan, word),
				   &result) != LURK_DONE;
	t->taken += !t->failed;
	if (!t->failed && entry->press_only)
		t->tell(t->data, entry,
			"taken over; that this keyboard never sends the key's release is said with "
			"`lurk keyboards --keyboard NAME --press-only KEY`");
}

enum lurk_went lurk_hwdb_take(struct lurk_edits *edits, const char *path, lurk_hwdb_remark *tell,
			      void *data)
{
	struct taking t = {.edits = edits, .tell = tell, .data = data};
	char count[LURK_COUNT_WORDS], *text;
	size_t length;
	bool exists;

	if (!lurk_file_read(path, &text, &length, &exists, &edits->why))
		return LURK_COULD_NOT;
	if (!lurk_hwdb_read(text, take, &t))
		t.failed = !lurk_say(&edits->why, "%s: more than %d entries for keys", path,
				     LURK_HWDB_MOST);
	lurk_release(text);
	edits->keyboard = 0;
	edits->gave = "";
	if (t.failed)
		return LURK_COULD_NOT;
	if (!t.taken) {
		lurk_say(&edits->why, "%s: no entry for a key that could be taken over", path);
		return LURK_FOUND;
	}
	snprintf(edits->summary, sizeof edits->summary, "%s taken over from %.300s",
		 lurk_words_count(t.taken, "rule", count), path);
	return LURK_DONE;
}
