#include "lurk/work/apply.h"

#include <inttypes.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/text/words.h"
#include "work/noted.h"

/* Where nothing was new there is nothing to take back. */
static void note(struct lurk_workspace *ws, uint64_t before, uint64_t after, const char *summary)
{
	struct lurk_message why;

	if (before == after)
		return;
	lurk_workspace_noted(
		ws, lurk_undo_note_apply(ws->state_folder, ws->step, before, after, summary, &why),
		&why);
}

/* ---- The files ------------------------------------------------------------------------------- */

struct lurk_profile_set lurk_set_as_applied(const struct lurk_workspace *ws,
					    const struct lurk_machine *machine)
{
	struct lurk_profile_set set = lurk_workspace_set(ws);
	char start[LURK_PROFILE_WORD];

	lurk_machine_start_profile(machine, start);
	if (!lurk_profile_find(&set, (struct lurk_text){start, strlen(start)}))
		snprintf(start, sizeof start, "%s", LURK_PROFILE_BASE);
	for (unsigned i = 1; i < set.count; i++) {
		if (strcasecmp(set.files[i]->word, start) != 0)
			continue;
		set.files[0] = set.files[i];
		set.files[i] = &ws->profile;
	}
	return set;
}

static void note_files(struct lurk_workspace *ws, uint64_t before, uint64_t after)
{
	char summary[LURK_COUNT_WORDS];

	note(ws, before, after, lurk_words_count(ws->profile.count, "rule", summary));
}

bool lurk_apply(struct lurk_workspace *ws, struct lurk_machine *machine, bool stay,
		struct lurk_outcome *outcome)
{
	struct lurk_profile_set set =
		stay ? lurk_set_as_applied(ws, machine) : lurk_workspace_set(ws);
	const uint64_t before = lurk_version_in_force(machine);
	char profile[LURK_PROFILE_WORD];
	uint8_t *bytes;
	size_t length;
	bool fine;

	memset(outcome, 0, sizeof *outcome);
	bytes = lurk_profile_image(&set, &ws->keyboards, &length, &outcome->why);
	if (!bytes)
		return false;
	snprintf(profile, sizeof profile, "%s", machine->profile);
	fine = lurk_machine_apply(machine, bytes, length, stay ? profile : NULL, outcome);
	lurk_release(bytes);
	outcome->fresh = fine && machine->image->sequence != before;
	if (fine)
		note_files(ws, before, machine->image->sequence);
	return fine;
}

bool lurk_apply_for_now(const struct lurk_workspace *ws, struct lurk_machine *machine,
			unsigned seconds, struct lurk_outcome *outcome)
{
	struct lurk_profile_set set = lurk_workspace_set(ws);
	uint8_t *bytes;
	size_t length;
	bool fine;

	memset(outcome, 0, sizeof *outcome);
	bytes = lurk_profile_image(&set, &ws->keyboards, &length, &outcome->why);
	fine = bytes && lurk_machine_try(machine, bytes, length, seconds, outcome);
	lurk_release(bytes);
	return fine;
}

bool lurk_apply_holds(const struct lurk_workspace *ws, const struct lurk_machine *machine)
{
	struct lurk_profile_set set = lurk_workspace_set(ws);
	struct lurk_image image;
	struct lurk_message unused;
	size_t length;
	uint8_t *bytes =
		machine->image ? lurk_profile_image(&set, &ws->keyboards, &length, &unused) : NULL;
	const bool same = bytes && lurk_image_open(bytes, length, &image) == LURK_OK &&
			  lurk_image_same(machine->image, &image);

	lurk_release(bytes);
	return same;
}

bool lurk_apply_was_kept(struct lurk_workspace *ws, const struct lurk_machine *machine,
			 uint64_t before)
{
	const struct lurk_image *now = machine->image;

	struct lurk_message unused;
	struct lurk_undo newest;
	bool noted;

	if (!now || now->sequence <= before || machine->trying || !lurk_apply_holds(ws, machine))
		return false;
	/* Another command may have applied the same, and noted that. */
	noted = lurk_undo_read(ws->state_folder, lurk_undo_newest(ws->state_folder, 0), &newest,
			       &unused) &&
		!lurk_undo_is_edit(&newest) && newest.after == now->sequence;
	lurk_undo_free(&newest);
	if (!noted)
		note_files(ws, before, now->sequence);
	return true;
}

bool lurk_apply_nothing(struct lurk_workspace *ws, struct lurk_machine *machine,
			struct lurk_outcome *outcome)
{
	const uint64_t before = lurk_version_in_force(machine);
	uint8_t *bytes = NULL;
	size_t length;
	bool fine = lurk_machine_version(machine, 0, &bytes, &length) &&
		    lurk_machine_apply(machine, bytes, length, NULL, outcome);

	lurk_release(bytes);
	if (fine)
		note(ws, before, machine->image->sequence, "no rule at all");
	return fine;
}

/* ---- An edit and its apply --------------------------------------------------------------------
 */

/* A file as it was before it was saved, where it has been since. */
struct kept {
	const char *path;
	struct lurk_file_seen old;
	const struct lurk_file_seen *now;
	bool saved;
};

static struct kept keep(const char *path, const struct lurk_file_seen *seen)
{
	struct kept kept = {path, *seen, seen, false};

	kept.old.bytes = lurk_copy(seen->exists ? seen->bytes : "", seen->length);
	return kept;
}

static void put_back(const struct lurk_workspace *ws, const struct kept *kept)
{
	struct lurk_message why;
	char text[LURK_PATH + 64];

	if (!kept->saved || (kept->old.exists ? lurk_file_replace(kept->path, kept->old.bytes,
								  kept->old.length, kept->now, &why)
					      : unlink(kept->path) == 0))
		return;
	snprintf(text, sizeof text, "%s is changed, but not in force", kept->path);
	if (ws->caution)
		ws->caution(ws->data, text);
}

/* Those of this step that were noted after one. */
static void forget_after(const struct lurk_workspace *ws, unsigned before)
{
	struct lurk_message unused;
	struct lurk_undo undo;

	for (unsigned n = lurk_undo_newest(ws->state_folder, 0); ws->step && n > before;
	     n = lurk_undo_newest(ws->state_folder, n)) {
		if (!lurk_undo_read(ws->state_folder, n, &undo, &unused))
			continue;
		if (undo.number == ws->step || undo.with == ws->step)
			lurk_undo_forget(&undo);
		lurk_undo_free(&undo);
	}
}

bool lurk_keep_edit(struct lurk_workspace *ws, struct lurk_machine *machine, bool keyboards,
		    const char *summary, struct lurk_outcome *outcome)
{
	struct kept known = keep(ws->keyboards_path, &ws->keyboards_seen);
	struct kept rules = keep(ws->profile_path, &ws->profile_seen);
	const bool was_one_step = ws->one_step;
	const unsigned before = lurk_undo_newest(ws->state_folder, 0), step = ws->step;
	bool fine;

	memset(outcome, 0, sizeof *outcome);
	ws->one_step = true;
	known.saved = keyboards && lurk_workspace_save_keyboards(ws, summary, &outcome->why);
	rules.saved = known.saved == keyboards && lurk_workspace_save(ws, summary, &outcome->why);
	fine = rules.saved && (!machine || lurk_apply(ws, machine, true, outcome));
	if (!fine && !outcome->unknown) {
		put_back(ws, &rules);
		put_back(ws, &known);
		forget_after(ws, before);
	}
	if (!fine || !was_one_step)
		ws->step = step;
	ws->one_step = was_one_step;
	lurk_release(known.old.bytes);
	lurk_release(rules.old.bytes);
	return fine;
}

/* ---- Versions -------------------------------------------------------------------------------- */

unsigned lurk_versions(const struct lurk_machine *machine, uint64_t out[LURK_SLOTS_MAX])
{
	const struct lurk_store_report *store = machine->store;
	unsigned count = 0;

	for (unsigned i = 0; i < store->slots; i++) {
		unsigned at = count;

		if (store->why[i] || !store->sequence[i])
			continue;
		while (at && out[at - 1] < store->sequence[i]) {
			out[at] = out[at - 1];
			at--;
		}
		out[at] = store->sequence[i];
		count++;
	}
	return count;
}

uint64_t lurk_version_in_force(const struct lurk_machine *machine)
{
	if (machine->trying)
		return machine->store->newest < 0
			       ? 0
			       : machine->store->sequence[machine->store->newest];
	return machine->image ? machine->image->sequence : 0;
}

uint64_t lurk_version_before(const struct lurk_machine *machine)
{
	uint64_t numbers[LURK_SLOTS_MAX], now = lurk_version_in_force(machine);
	unsigned count = lurk_versions(machine, numbers);

	for (unsigned i = 0; i < count; i++) {
		if (numbers[i] < now)
			return numbers[i];
	}
	return 0;
}

bool lurk_version_open(struct lurk_machine *machine, uint64_t version, uint8_t **bytes,
		       struct lurk_image *image, struct lurk_message *message)
{
	size_t length;

	*bytes = NULL;
	if (lurk_machine_stored(machine, version, bytes, &length) &&
	    lurk_image_open(*bytes, length, image) == LURK_OK)
		return true;
	lurk_release(*bytes);
	*bytes = NULL;
	return lurk_say(message,
			"version %" PRIu64 " is not kept; `lurk versions` lists those that are",
			version);
}

bool lurk_apply_version(struct lurk_workspace *ws, struct lurk_machine *machine,
			const struct lurk_image *version, struct lurk_outcome *outcome)
{
	const uint64_t before = lurk_version_in_force(machine);
	char summary[64];

	snprintf(summary, sizeof summary, "version %" PRIu64 " again", version->sequence);
	if (!lurk_machine_go_back(machine, version->bytes, version->length, outcome))
		return false;
	note(ws, before, machine->image->sequence, summary);
	return true;
}

/* ---- Taking back ----------------------------------------------------------------------------- */

static bool take_back_apply(const struct lurk_workspace *ws, struct lurk_machine *machine,
			    const struct lurk_undo *undo, struct lurk_outcome *outcome)
{
	uint8_t *bytes = NULL;
	size_t length;
	bool fine;

	if (!machine || !machine->image || machine->image->sequence != undo->after)
		return lurk_say(&outcome->why, "what is in force is not what the last apply put "
					       "there; nothing is undone");
	if (!lurk_machine_version(machine, undo->before, &bytes, &length))
		return lurk_say(&outcome->why, "the rules in force before are not stored any more; "
					       "nothing is undone");
	fine = lurk_machine_go_back(machine, bytes, length, outcome);
	lurk_release(bytes);
	if (!fine && !outcome->unknown) {
		const struct lurk_message why = outcome->why;

		lurk_say(&outcome->why, "the rules of before cannot be applied: %.600s", why.text);
	}
	if (fine)
		lurk_undo_renumber(ws->state_folder, undo->number, undo->before,
				   machine->image->sequence);
	return fine;
}

bool lurk_take_back(const struct lurk_workspace *ws, struct lurk_machine *machine,
		    const struct lurk_undo_step *step, struct lurk_outcome *outcome)
{
	bool fine = true;

	memset(outcome, 0, sizeof *outcome);
	for (unsigned i = 0; fine && i < step->count; i++) {
		bool last = lurk_undo_is_edit(&step->parts[i]);

		for (unsigned j = 0; j < i; j++) /* a file's last edit is what it is as */
			last = last && strcmp(step->parts[j].file, step->parts[i].file) != 0;
		fine = !last || lurk_undo_fits(&step->parts[i], &outcome->why);
	}
	for (unsigned i = 0; fine && i < step->count; i++) {
		const struct lurk_undo *part = &step->parts[i];

		fine = lurk_undo_is_edit(part) ? lurk_undo_edit(part, &outcome->why)
					       : take_back_apply(ws, machine, part, outcome);
		if (fine)
			lurk_undo_forget(part);
	}
	return fine;
}
