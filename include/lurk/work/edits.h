/*
 * Edits of the rules of the profile that is worked on, in memory: each either is done as a whole,
 * with a sentence that says so, or fails with a message, and then the workspace is to be read anew
 * or given up. lurk_workspace_save() makes it last.
 *
 * Comments, blank lines and the order of everything else in the file stay as they are. Words are
 * keys as lurk_words_press() reads them, or nicknames.
 */
#ifndef LURK_INCLUDE_WORK_EDITS_H
#define LURK_INCLUDE_WORK_EDITS_H

#include "lurk/declare.h"
#include "lurk/work/machine.h"
#include "lurk/work/went.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

struct lurk_edits {
	/* ---- Set by the caller. ---- */
	struct lurk_workspace *ws;
	const struct lurk_machine *machine; /* for what keys give now; may be NULL */
	uint16_t keyboard;                  /* only rules for this one: 1 + index; 0 for all */
	const char *note;                   /* why, for the file; NULL for none */

	/* ---- What came of it. ---- */
	uint32_t line;     /* of the rule that was added or changed last, 0 for none */
	char summary[512]; /* "NumLock now gives Tab on wagtail" */
	const char *gave;  /* what the key gave before, "" where that is not one thing */
	struct lurk_message why;
};

/* What a key shall give: a word as lurk_profile_result() reads it, or a key's nickname, for what
 * that key usually gives; a text; another profile. Where it cannot be, false with edits->why. The
 * step must live as long as the result. */
bool lurk_edits_result(struct lurk_edits *edits, const char *word, struct lurk_result *result,
		       uint8_t step[LURK_STEP_BYTES]);
bool lurk_edits_text(struct lurk_edits *edits, const char *text, struct lurk_result *result);
bool lurk_edits_profile(struct lurk_edits *edits, const char *word, struct lurk_result *result);

/* Whether the rules are for one keyboard, or only one is here. */
bool lurk_edits_one_keyboard(const struct lurk_edits *edits);

/* Whether a word is one key; else edits->why. */
bool lurk_edits_is_key(struct lurk_edits *edits, const char *key);

/* Adds a rule, or changes the one that is there for the same press. */
enum lurk_went lurk_edits_map(struct lurk_edits *edits, const char *key,
			      const struct lurk_result *result);
enum lurk_went lurk_edits_swap(struct lurk_edits *edits, const char *one, const char *two);
/* Lets another key do a key's job, and that one nothing. A key that gives nothing already had the
 * job it usually has, and the only one that has it instead gets its own back. */
enum lurk_went lurk_edits_move(struct lurk_edits *edits, const char *from, const char *to);
/* A key's usual job; where a wider rule would still change it, by a rule `gives: itself`.
 * LURK_FOUND where no rule changes it. */
enum lurk_went lurk_edits_restore(struct lurk_edits *edits, const char *key);
/* Every key's; LURK_FOUND where there is no rule. */
enum lurk_went lurk_edits_restore_all(struct lurk_edits *edits);
/* Rules on a key stay in the file, with `off:` in them. LURK_FOUND where there is none to switch.
 */
enum lurk_went lurk_edits_switch(struct lurk_edits *edits, const char *key, bool off);

LURK_END_C

#endif
