#include "lurk/work/undo.h"

#include <dirent.h>
#include <inttypes.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "core/hash.h"

enum { STEPS_KEPT = 50, STEP_MAX = 1000000, APPLY_MAX = 640, SUMMARY_MAX = 512 };

/* The steps' numbers: the newest below one, and how many; 0 where there is none. */
static unsigned newest_step(const char *folder, unsigned below, unsigned *oldest, unsigned *count)
{
	char steps[PATH_MAX];
	struct dirent *entry;
	unsigned newest = 0;
	DIR *dir;

	*oldest = STEP_MAX;
	*count = 0;
	snprintf(steps, sizeof steps, "%.4000s/undo", folder);
	dir = opendir(steps);
	while (dir && (entry = readdir(dir))) {
		unsigned number;
		int used = 0;

		if (sscanf(entry->d_name, "%6u%n", &number, &used) != 1 || entry->d_name[used] ||
		    !number)
			continue;
		newest = number > newest && number < below ? number : newest;
		*oldest = number < *oldest ? number : *oldest;
		++*count;
	}
	if (dir)
		closedir(dir);
	return newest;
}

static void step_path(const char *folder, unsigned number, char path[PATH_MAX])
{
	snprintf(path, PATH_MAX, "%.4000s/undo/%06u", folder, number);
}

/* ---- Noting --------------------------------------------------------------------------------- */

static unsigned note(const char *folder, const char *head, const char *bytes, size_t length,
		     struct lurk_message *message)
{
	unsigned oldest, count, newest = newest_step(folder, STEP_MAX, &oldest, &count);
	size_t n = strlen(head);
	char *text = lurk_resize(NULL, n + length + 1), path[PATH_MAX];
	struct lurk_message why;
	bool fine, taken;

	memcpy(text, head, n + 1);
	if (length)
		memcpy(text + n, bytes, length);
	do /* somebody else may have taken that number just now */
		step_path(folder, ++newest, path);
	while (!(fine = lurk_file_add_secret(path, text, n + length, &taken, &why)) && taken);
	lurk_release(text);
	if (!fine)
		return lurk_say(message, "this step cannot be undone: %s", why.text);
	if (count >= STEPS_KEPT) {
		step_path(folder, oldest, path);
		unlink(path);
	}
	return newest;
}

/* How much of a summary is one line that can be read again. */
static int first_line(const char *summary)
{
	size_t n = strcspn(summary, "\n");

	return n < SUMMARY_MAX ? (int)n : SUMMARY_MAX - 1;
}

unsigned lurk_undo_note_edit(const char *folder, unsigned with, const char *path,
			     const struct lurk_file_seen *old, const char *fresh, size_t length,
			     const char *summary, struct lurk_message *message)
{
	char head[PATH_MAX + 640], left[16] = "gone";

	if (fresh)
		snprintf(left, sizeof left, "%" PRIu32, lurk_hash(fresh, length));
	if (strchr(path, '\n'))
		return lurk_say(message, "this step cannot be undone: %s has a line break in it",
				path);
	snprintf(head, sizeof head, "edit %u\n%.*s\n%s\n%d %s\n", with, first_line(summary),
		 summary, path, old->exists, left);
	return note(folder, head, old->exists ? old->bytes : "", old->length, message);
}

static void write_apply(unsigned with, uint64_t before, uint64_t after, const char *summary,
			char head[APPLY_MAX])
{
	snprintf(head, APPLY_MAX, "apply %u\n%.*s\n%" PRIu64 " %" PRIu64 "\n", with,
		 first_line(summary), summary, before, after);
}

unsigned lurk_undo_note_apply(const char *folder, unsigned with, uint64_t before, uint64_t after,
			      const char *summary, struct lurk_message *message)
{
	char head[APPLY_MAX];

	write_apply(with, before, after, summary, head);
	return note(folder, head, "", 0, message);
}

/* ---- Taking back ---------------------------------------------------------------------------- */

unsigned lurk_undo_newest(const char *folder, unsigned below)
{
	unsigned oldest, count;

	return newest_step(folder, below ? below : STEP_MAX, &oldest, &count);
}

static const char *take_line(const char *at, char *out, size_t size)
{
	size_t n = strcspn(at, "\n");

	snprintf(out, size, "%.*s", (int)(n < size ? n : size - 1), at);
	return at[n] ? at + n + 1 : at + n;
}

bool lurk_undo_read(const char *folder, unsigned number, struct lurk_undo *undo,
		    struct lurk_message *message)
{
	const char *at;
	char line[64];
	bool exists;

	memset(undo, 0, sizeof *undo);
	undo->number = number;
	step_path(folder, number, undo->path);
	if (!lurk_file_read(undo->path, &undo->bytes, &undo->length, &exists, message))
		return false;
	at = take_line(undo->bytes, line, sizeof line);
	sscanf(line, "%15s %6u", undo->kind, &undo->with);
	at = take_line(at, undo->summary, sizeof undo->summary);
	if (!strcmp(undo->kind, "edit")) {
		int existed = 0;

		at = take_line(at, undo->file, sizeof undo->file);
		at = take_line(at, line, sizeof line);
		undo->gone = !strcmp(line, "1 gone");
		if (undo->gone || sscanf(line, "%d %" SCNu32, &existed, &undo->left) == 2) {
			undo->existed = existed || undo->gone;
			undo->old = at;
			undo->old_length = undo->length - (size_t)(at - undo->bytes);
			return true;
		}
	} else if (!strcmp(undo->kind, "apply")) {
		take_line(at, line, sizeof line);
		if (sscanf(line, "%" SCNu64 " %" SCNu64, &undo->before, &undo->after) == 2)
			return true;
	}
	lurk_undo_free(undo);
	return lurk_say(message, "%s: damaged; remove it to undo what came before", undo->path);
}

bool lurk_undo_is_edit(const struct lurk_undo *undo)
{
	return *undo->kind == 'e';
}

void lurk_undo_free(struct lurk_undo *undo)
{
	lurk_release(undo->bytes);
	undo->bytes = NULL;
}

/* ---- All that a command did ----------------------------------------------------------------- */

/* All parts name the first one, and what others did may stand between them. */
enum lurk_went lurk_undo_step_read(const char *folder, unsigned below, struct lurk_undo_step *step,
				   struct lurk_message *message)
{
	unsigned number = lurk_undo_newest(folder, below), first = 0;

	step->count = 0;
	if (!number)
		return LURK_FOUND;
	for (; number >= first && number && step->count < LURK_UNDO_PARTS;
	     number = lurk_undo_newest(folder, number)) {
		struct lurk_undo *part = &step->parts[step->count];

		if (!lurk_undo_read(folder, number, part, message)) {
			lurk_undo_step_free(step);
			return LURK_COULD_NOT;
		}
		if (!step->count)
			first = part->with ? part->with : number;
		if (number == first || part->with == first)
			step->count++;
		else
			lurk_undo_free(part);
	}
	return LURK_DONE;
}

const char *lurk_undo_step_summary(const struct lurk_undo_step *step)
{
	return step->parts[step->count - 1].summary;
}

bool lurk_undo_step_has(const struct lurk_undo_step *step, bool edit)
{
	bool has = false;

	for (unsigned i = 0; i < step->count; i++)
		has = has || lurk_undo_is_edit(&step->parts[i]) == edit;
	return has;
}

void lurk_undo_step_free(struct lurk_undo_step *step)
{
	while (step->count)
		lurk_undo_free(&step->parts[--step->count]);
}

/* ---- Putting back --------------------------------------------------------------------------- */

static bool fits(const struct lurk_undo *undo, struct lurk_file_seen *now,
		 struct lurk_message *message)
{
	struct lurk_message why;

	if (!lurk_file_read(undo->file, &now->bytes, &now->length, &now->exists, &why) &&
	    undo->gone && !now->exists)
		return true;
	if (!now->bytes)
		return lurk_say(message, "%s; so the last edit cannot be taken back", why.text);
	if (!undo->gone && lurk_hash(now->bytes, now->length) == undo->left)
		return true;
	lurk_release(now->bytes);
	return lurk_say(message,
			"%s was changed by someone else since the last edit (%s); nothing is "
			"undone",
			undo->file, undo->summary);
}

bool lurk_undo_fits(const struct lurk_undo *undo, struct lurk_message *message)
{
	struct lurk_file_seen now;
	const bool fine = fits(undo, &now, message);

	if (fine)
		lurk_release(now.bytes);
	return fine;
}

bool lurk_undo_edit(const struct lurk_undo *undo, struct lurk_message *message)
{
	struct lurk_file_seen now;
	bool fine;

	if (!fits(undo, &now, message))
		return false;
	if (undo->existed)
		fine = lurk_file_replace(undo->file, undo->old, undo->old_length, &now, message);
	else
		fine = unlink(undo->file) == 0 ||
		       lurk_say(message, "%s: cannot be put back", undo->file);
	lurk_release(now.bytes);
	return fine;
}

/* The apply itself can be taken back next. */
void lurk_undo_renumber(const char *folder, unsigned below, uint64_t was, uint64_t is)
{
	unsigned oldest, count;
	bool done = false;

	newest_step(folder, STEP_MAX, &oldest, &count);
	while (!done && --below >= oldest) {
		char head[APPLY_MAX];
		struct lurk_message why;
		struct lurk_undo undo;

		if (!lurk_undo_read(folder, below, &undo, &why))
			return;
		done = *undo.kind == 'a';
		if (done && undo.after == was) {
			write_apply(undo.with, undo.before, is, undo.summary, head);
			lurk_file_write(undo.path, head, strlen(head), &why);
		}
		lurk_undo_free(&undo);
	}
}

void lurk_undo_forget(const struct lurk_undo *undo)
{
	unlink(undo->path);
}
