/*
 * A keyboard as it is shown in a picture: which one, by which rules, in which form, and what is
 * said above and below it.
 */
#ifndef LURK_TELL_VIEW_H
#define LURK_TELL_VIEW_H

#include <json-c/json.h>

#include "lurk/history.h"
#include "lurk/layout/own.h"
#include "picture/picture.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

enum { TELL_VERSIONS = 2 };

/* What is wanted; zeros give the file's rules on the first keyboard that has any. */
struct tell_wanted {
	uint16_t keyboard; /* a described one: 1 + index */
	struct lurk_layout *layout;
	struct lurk_own_layout *own; /* where that is one's own; else NULL */
	struct lurk_forms forms;
	enum picture_codes codes;
	uint16_t held; /* modifiers, and how they were written */
	const char *held_words;
	bool before_after, card;
	bool losses; /* with the signs that the file's rules take away */
	uint64_t versions[TELL_VERSIONS];
	unsigned version_count;
};

/* One side of a picture: rules from the file, or a version. */
struct tell_side {
	struct lurk_image image;
	uint8_t *bytes; /* the image's */
	bool without_rules;
	bool base; /* with what the layout begins from */
	struct picture_job job;
	struct picture picture;
	char words[64];
};

/* Lines of text. */
struct tell_lines {
	char **lines;
	unsigned count;
};

struct tell_view {
	const struct tell_wanted *wanted;
	struct lurk_workspace *ws;
	struct lurk_machine *machine; /* NULL where there is none */

	struct tell_side sides[TELL_VERSIONS]; /* the last is what it is about */
	unsigned side_count;
	uint16_t described; /* in the file: 1 + index, 0 for none */
	const struct lurk_port_keyboard *info;
	struct lurk_layout *layout;
	char keyboard[64], title[256], under[320];
	struct tell_lines rules, back; /* in words; how to get back */
};

/* The first three members are set by the caller, the rest is filled. False with a message where a
 * version is not kept, or the rules are too long. Freed either way. */
bool tell_view_fill(struct tell_view *view, struct lurk_message *message);
void tell_view_free(struct tell_view *view);
struct json_object *tell_view_json(const struct tell_view *view);
/* How many caps say something else than usual. */
unsigned tell_view_changed(const struct tell_view *view);

static inline struct tell_side *tell_view_subject(struct tell_view *view)
{
	return &view->sides[view->side_count - 1];
}

/* The keyboard of a press with the keys that are held on it, and those whose jobs they do; to be
 * freed. */
struct picture *tell_lit_keyboard(struct lurk_workspace *ws, const struct lurk_machine *machine,
				  const struct lurk_history *history,
				  const struct lurk_press_record *press);

#endif
