/*
 * A person's files for one machine, as they were read: what keyboards are called, the profile that
 * is worked on, those that stand beside it, and the layout that counts for them.
 *
 * Where they are: on a desk in its folder; else where the XDG base directory specification has a
 * person's files, and in /etc/lurk and /var/lib/lurk for root.
 */
#ifndef LURK_INCLUDE_WORK_WORKSPACE_H
#define LURK_INCLUDE_WORK_WORKSPACE_H

#include <limits.h>

#include "lurk/declare.h"
#include "lurk/profile/profile.h"
#include "lurk/text/file.h"
#include "lurk/work/layouts.h"
#include "lurk/work/went.h"

LURK_BEGIN_C

/* A name that a profile from someone else has for a keyboard, and whose it is here. */
struct lurk_alias {
	const char *name, *mine; /* the caller's; `mine` is NULL for one that was asked for */
	uint16_t keyboard;       /* 1 + index, 0 for none of these here */
};

enum { LURK_ALIASES = 16 };

/* Another profile, with its own layout where it says one. */
struct lurk_profile_beside {
	char path[LURK_PATH]; /* which the file points to */
	struct lurk_profile_file file;
	struct lurk_layout *layout;
	struct lurk_characters characters;
};

struct lurk_workspace {
	/* ---- Set by the caller before anything is read; zeros do. ---- */

	const char *desk;        /* a desk's folder; NULL for the machine */
	const char *desk_layout; /* the desk's; NULL for none */
	const char *wanted;      /* a profile's file, or its word; NULL for the one called base */
	bool editing;  /* it, or what is in force, will be written: others who do so wait */
	bool judging;  /* rules for keyboards that nobody knows are read all the same */
	bool judged;   /* the profile will be: no caution about what that finds */
	bool one_step; /* what is saved and applied from now on is taken back at once */
	struct lurk_alias aliases[LURK_ALIASES];
	unsigned alias_count;
	/* Asked which of the described keyboards is meant by a name that none of them has; the
	 * answer lives until the next question. NULL, or a NULL: none. */
	const char *(*ask)(void *data, const struct lurk_workspace *ws, const char *name);
	/* Told what went on all the same, in a sentence. May be NULL. */
	void (*caution)(void *data, const char *text);
	void *data;

	/* ---- What was read. ---- */

	char profile_path[LURK_PATH], keyboards_path[LURK_PATH], state_folder[LURK_PATH];
	bool profile_exists;
	/* Whether the profiles could come into force as they were read: else why not, which bars
	 * applying and nothing else. An edit never brings such a fault. */
	bool agrees;
	struct lurk_message why;
	struct lurk_file_seen profile_seen, keyboards_seen; /* as they were read */
	struct lurk_keyboards_file keyboards;
	struct lurk_profile_file profile; /* the one that is worked on */
	struct lurk_profile_beside *beside;
	unsigned beside_count;
	struct lurk_chosen_layout layout;
	unsigned step; /* with one_step: the number of the first of it, 0 for none yet */
	int lock;      /* 1 + the descriptor of the folder's of all profiles, 0 without one */
};

/* Where it is for editing: waits for others who edit, so that what is looked at from now on is as
 * they left it. Reading does it, where it was not done; a machine, and a desk, is opened after it.
 */
void lurk_workspace_lock(struct lurk_workspace *ws);

/* Reads keyboards.yaml and the profiles; missing ones are empty. False with a message. The
 * workspace keeps its place from now on. */
bool lurk_workspace_read(struct lurk_workspace *ws, struct lurk_message *message);
/* Finds the paths and the layout, and reads nothing else. */
void lurk_workspace_find_layout(struct lurk_workspace *ws);
void lurk_workspace_free(struct lurk_workspace *ws);

/* Reads the profile's text, or that of keyboards.yaml, anew after an edit. */
bool lurk_workspace_reread(struct lurk_workspace *ws, struct lurk_message *message);
bool lurk_workspace_reread_keyboards(struct lurk_workspace *ws, struct lurk_message *message);

/* Writes the edited profile, or keyboards.yaml, and how to take that back; where only the latter
 * fails there is a caution. What was read is what is replaced, whoever else is at work on it. */
bool lurk_workspace_save(struct lurk_workspace *ws, const char *summary,
			 struct lurk_message *message);
bool lurk_workspace_save_keyboards(struct lurk_workspace *ws, const char *summary,
				   struct lurk_message *message);
/* Makes a new profile without rules beside the others; its path is written to `path`. */
enum lurk_went lurk_workspace_add_profile(struct lurk_workspace *ws, const char *name,
					  const char *based_on, char path[LURK_PATH],
					  struct lurk_message *message);

/* Gives one another name, also where others are based on it or their keys lead to it: one step. */
enum lurk_went lurk_workspace_rename_profile(struct lurk_workspace *ws, const char *name,
					     const char *fresh, char path[LURK_PATH],
					     struct lurk_message *message);
/* Takes one away. LURK_FOUND where another is based on it, or a key of one leads to it. */
enum lurk_went lurk_workspace_remove_profile(struct lurk_workspace *ws, const char *name,
					     struct lurk_message *message);

/* For names by character; NULL where no layout is known. */
static inline const struct lurk_characters *
lurk_workspace_characters(const struct lurk_workspace *ws)
{
	return lurk_layout_names(&ws->layout);
}

/* The profile that is worked on first, then those beside it. */
struct lurk_profile_set lurk_workspace_set(const struct lurk_workspace *ws);
/* For looking: as an image in which the profile comes first; bytes to be freed, or NULL where it is
 * too long. */
uint8_t *lurk_workspace_image(const struct lurk_workspace *ws, struct lurk_image *image);
/* Which of the profiles is worked on: the one beside it with that index and it change places. */
void lurk_workspace_turn_to(struct lurk_workspace *ws, unsigned beside);

LURK_END_C

#endif
