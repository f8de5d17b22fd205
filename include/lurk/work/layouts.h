/*
 * Which layout counts: the profile's own, else the desk's, else the system's. It is looked for
 * before the rules are read, since they may name keys by their characters, and opened when it is
 * first asked for.
 */
#ifndef LURK_INCLUDE_WORK_LAYOUTS_H
#define LURK_INCLUDE_WORK_LAYOUTS_H

#include "lurk/declare.h"
#include "lurk/layout/layout.h"

LURK_BEGIN_C

/* Where it is from. */
enum lurk_layout_from {
	LURK_LAYOUT_UNKNOWN,
	LURK_LAYOUT_OF_PROFILE,
	LURK_LAYOUT_OF_DESK,
	LURK_LAYOUT_OF_SYSTEM /* /etc/default/keyboard, which a desktop's session need not follow */
};

struct lurk_chosen_layout {
	uint8_t from;                /* enum lurk_layout_from */
	bool several;                /* the system has more than this one, the first */
	char name[64], options[128]; /* "" where none is known */
	struct lurk_layout *own;     /* opened when first asked for */
	struct lurk_layout *usual;   /* for pictures, where none is known */
	bool missing;
	struct lurk_characters characters;
	/* Told why it cannot be opened, once; may be NULL. */
	void (*caution)(void *data, const char *text);
	void *data;
};

/* Which layout a profile's text says, "" for none. */
void lurk_layout_said(const char *bytes, size_t length, char *name, size_t size);

/* Finds it for a profile's text. `desk` is the desk's; NULL asks the system. The choice keeps its
 * place from now on: its characters point to it. */
void lurk_layout_choose(struct lurk_chosen_layout *choice, const char *bytes, size_t length,
			const char *desk);
void lurk_layout_forget(struct lurk_chosen_layout *choice);

/* The layout; NULL where none is known. */
struct lurk_layout *lurk_layout_chosen(struct lurk_chosen_layout *choice);
/* The same for pictures: a US layout where none is known. NULL where even that is not there. */
struct lurk_layout *lurk_layout_shown(struct lurk_chosen_layout *choice);
/* Whether a session may have another one than was chosen, and nobody said which: a desktop's own,
 * or one of several in turn. */
bool lurk_layout_is_assumed(const struct lurk_chosen_layout *choice);
/* For names by character; NULL where no layout is known. */
const struct lurk_characters *lurk_layout_names(const struct lurk_chosen_layout *choice);

/* Bits for the keys of letters and digits in the layout. */
void lurk_layout_typing_keys(struct lurk_chosen_layout *choice, uint8_t typing[LURK_KEY_COUNT / 8]);
/* The first character of a text that it has no key for; false where it has all. */
bool lurk_layout_lacks(const struct lurk_characters *characters, struct lurk_text text,
		       uint32_t *codepoint);

LURK_END_C

#endif
