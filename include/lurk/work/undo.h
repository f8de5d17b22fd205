/*
 * What can be taken back: a file for each edit and each apply, with what it replaced, numbered as
 * they were made. Of these the newest fifty are kept, for their owner's eyes only: typed texts
 * stand in them.
 *
 * `folder` is where a person's state is; the files stand in its folder "undo".
 */
#ifndef LURK_INCLUDE_WORK_UNDO_H
#define LURK_INCLUDE_WORK_UNDO_H

#include <limits.h>

#include "lurk/declare.h"
#include "lurk/text/file.h"
#include "lurk/work/went.h"

LURK_BEGIN_C

/* One of them as it was read; freed with lurk_undo_free(). */
struct lurk_undo {
	unsigned number, with; /* with: of the one that it is taken back with, 0 for none */
	char path[LURK_PATH];  /* of its own file */
	char *bytes;
	size_t length;
	/* Fields of its first lines, in the order in which they stand. */
	char kind[16]; /* "edit" or "apply" */
	char summary[512], file[LURK_PATH];
	bool existed;
	uint32_t left;          /* checksum of what the edit left in the file */
	bool gone;              /* it left none */
	uint64_t before, after; /* sequences of an apply */
	const char *old;        /* what the edit replaced */
	size_t old_length;
};

/* Notes that `fresh` is what stands in a file now, NULL for one that is not there any more, and
 * what was there before. Returns its number, or 0 with a message. */
unsigned lurk_undo_note_edit(const char *folder, unsigned with, const char *path,
			     const struct lurk_file_seen *old, const char *fresh, size_t length,
			     const char *summary, struct lurk_message *message);
/* Notes that an apply replaced one version by another. */
unsigned lurk_undo_note_apply(const char *folder, unsigned with, uint64_t before, uint64_t after,
			      const char *summary, struct lurk_message *message);

/* The number of the newest, or with `below` of the newest with a smaller one; 0 where there is
 * none. */
unsigned lurk_undo_newest(const char *folder, unsigned below);
/* False with a message where it cannot be read. */
bool lurk_undo_read(const char *folder, unsigned number, struct lurk_undo *undo,
		    struct lurk_message *message);
bool lurk_undo_is_edit(const struct lurk_undo *undo);
void lurk_undo_free(struct lurk_undo *undo);

/* All that one command did, the last of it first. */
enum { LURK_UNDO_PARTS = 24 };
struct lurk_undo_step {
	struct lurk_undo parts[LURK_UNDO_PARTS];
	unsigned count;
};
/* The newest, or with `below` that before it; LURK_FOUND without a message where there is none. */
enum lurk_went lurk_undo_step_read(const char *folder, unsigned below, struct lurk_undo_step *step,
				   struct lurk_message *message);
/* How it is called: what the command said that it did. */
const char *lurk_undo_step_summary(const struct lurk_undo_step *step);
/* Whether it changed a file, and what is in force. */
bool lurk_undo_step_has(const struct lurk_undo_step *step, bool edit);
void lurk_undo_step_free(struct lurk_undo_step *step);

/* Whether the file is as the edit left it. False with a message. */
bool lurk_undo_fits(const struct lurk_undo *undo, struct lurk_message *message);
/* Puts back what an edit replaced, if it is so. */
bool lurk_undo_edit(const struct lurk_undo *undo, struct lurk_message *message);
/* An apply was taken back: what the one before it put there is there again, under the number `is`.
 */
void lurk_undo_renumber(const char *folder, unsigned below, uint64_t was, uint64_t is);
/* It was taken back. */
void lurk_undo_forget(const struct lurk_undo *undo);

LURK_END_C

#endif
