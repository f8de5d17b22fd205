/*
 * Which layout counts: the profile's own, else the desk's, else that of the desktop's session in
 * which this runs, else the system's. It is looked for before the rules are read, since they may
 * name keys by their characters, and opened when it is first asked for.
 *
 * The session is asked by lurk-agent, which is started for that. It may have several in turn: keys
 * are then called by the one that is active, or the first where that is not known; texts are typed
 * in each as it is.
 */
#ifndef LURK_INCLUDE_WORK_LAYOUTS_H
#define LURK_INCLUDE_WORK_LAYOUTS_H

#include "lurk/declare.h"
#include "lurk/image.h"
#include "lurk/layout/layout.h"

LURK_BEGIN_C

/* Where it is from. */
enum lurk_layout_from {
	LURK_LAYOUT_UNKNOWN,
	LURK_LAYOUT_OF_PROFILE,
	LURK_LAYOUT_OF_DESK,
	LURK_LAYOUT_OF_SESSION, /* an X server or a Wayland compositor says which it has */
	LURK_LAYOUT_OF_SYSTEM,  /* its files, which a desktop's session need not follow */
};

enum { LURK_LAYOUTS_IN_TURN = LURK_STEPS_LAYOUTS };

struct lurk_chosen_layout {
	uint8_t from;           /* enum lurk_layout_from, once lurk_layout_chosen() was asked */
	bool active_known;      /* which of several is active */
	char name[64];          /* "" where none is known */
	char folder[LURK_PATH]; /* set by the caller: that of the person's own, "" for none */
	char options[128];      /* the system's */
	const char *source;     /* the file that says so, or "X", or "Wayland" */
	struct lurk_layout *each[LURK_LAYOUTS_IN_TURN];
	unsigned count, at;        /* how many in turn; which of them is meant by `name` */
	struct lurk_layout *usual; /* for pictures, where none is known */
	bool asks_session, opened;
	char in_turn[LURK_LAYOUTS_IN_TURN][64]; /* their names, but for a session's */
	struct lurk_characters characters;
	/* Told why it cannot be opened, once; may be NULL. */
	void (*caution)(void *data, const char *text);
	void *data;
};

/* Finds it. `said` is the profile's, "" for none; `desk` is the desk's; NULL asks the system. The
 * choice keeps its place from now on: its characters point to it. */
void lurk_layout_choose(struct lurk_chosen_layout *choice, const char *said, const char *desk);
void lurk_layout_forget(struct lurk_chosen_layout *choice);

/* The layout; NULL where none is known. */
struct lurk_layout *lurk_layout_chosen(struct lurk_chosen_layout *choice);
/* The same for pictures: a US layout where none is known. NULL where even that is not there. */
struct lurk_layout *lurk_layout_shown(struct lurk_chosen_layout *choice);
/* The index-th of those in turn, NULL past the last: that which is chosen is among them. */
struct lurk_layout *lurk_layout_in_turn(struct lurk_chosen_layout *choice, unsigned index);
/* Whether a session may have another one than was chosen, and nobody can know: a desktop's own, or
 * one of several in turn. */
bool lurk_layout_is_assumed(struct lurk_chosen_layout *choice);
/* How the texts of an image are typed while a layout is active (its number, 0 for not known). */
enum lurk_texts {
	LURK_TEXTS_NONE,    /* there are none, or none that depends on it */
	LURK_TEXTS_FOLLOW,  /* as they should be */
	LURK_TEXTS_LACK,    /* it has no keys for some, which type nothing */
	LURK_TEXTS_UNMADE,  /* some were not made for it, and type nothing */
	LURK_TEXTS_ASSUMED, /* as if the first one of each were active */
};
enum lurk_texts lurk_texts_of(const struct lurk_image *image, uint32_t active);

/* For names by character; NULL where no layout is known. */
const struct lurk_characters *lurk_layout_names(const struct lurk_chosen_layout *choice);

/* Bits for the keys of letters and digits in the layout. */
void lurk_layout_typing_keys(struct lurk_chosen_layout *choice, uint8_t typing[LURK_KEY_COUNT / 8]);
/* The first character of a text that it has no key for; false where it has all, or another one in
 * turn has. */
bool lurk_layout_lacks(const struct lurk_characters *characters, struct lurk_text text,
		       uint32_t *codepoint);

LURK_END_C

#endif
