/*
 * What picture.c prepares and draw.c puts on paper. Drawing takes libraries that are slow to start,
 * so it is done by a program of its own, lurk-draw, which is the command with draw.c in it.
 */
#ifndef LURK_CLI_PICTURE_H
#define LURK_CLI_PICTURE_H

#include "cli/cli.h"
#include "picture/picture.h"

enum { PICTURE_LINES = 256, PICTURE_LINE = 320, PICTURE_BACK = 6, PICTURE_VERSIONS = 2 };

struct picture_options {
	struct cli *cli;
	const char *output, *keyboard, *layout, *paper;
	struct lurk_forms forms;
	bool before_after, dark, labels, card;
	enum picture_codes codes;
	uint16_t held;
	char held_words[64];
	uint64_t versions[PICTURE_VERSIONS];
	unsigned version_count;
};

/* One side of a picture: rules from the file, or a version. */
struct picture_side {
	struct lurk_image image;
	uint8_t *bytes; /* NULL for no rules */
	struct picture_job job;
	struct picture picture;
	char words[64];
};

struct picture_work {
	const struct picture_options *o;
	struct picture_side sides[PICTURE_VERSIONS]; /* the last is what it is about */
	unsigned side_count;
	uint16_t described; /* in the file: 1 + index, 0 for none */
	const struct lurk_port_keyboard *info;
	struct lurk_layout *layout, *own_layout;
	char keyboard[64], title[160], under[320];
	char lines[PICTURE_LINES][PICTURE_LINE], back[PICTURE_BACK][PICTURE_LINE];
	unsigned line_count, back_count;
};

static inline struct picture_side *picture_subject(struct picture_work *w)
{
	return &w->sides[w->side_count - 1];
}

/* The index-th rule that acts on a cap that is shown; false past the last. */
bool picture_rule_of(struct picture_work *w, unsigned index, struct lurk_rule *rule);

/* Draws to the file; NULL in a program that does not draw. */
extern int (*const cli_draw)(struct picture_work *w);
/* Becomes the program that draws; returns a status where there is none. */
int cli_hand_to_drawer(const struct cli *cli);

#endif
