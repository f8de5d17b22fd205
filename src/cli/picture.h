/*
 * What picture.c prepares and draw.c puts on paper. Drawing takes libraries that are slow to start,
 * so it is done by a program of its own, lurk-draw, which is the command with draw.c in it.
 */
#ifndef LURK_CLI_PICTURE_H
#define LURK_CLI_PICTURE_H

#include "cli/cli.h"
#include "picture/picture.h"

enum { PICTURE_VERSIONS = 2 };

enum picture_file { PICTURE_NO_FILE, PICTURE_SVG, PICTURE_PNG, PICTURE_PDF };
enum picture_paper { PICTURE_ANY_PAPER, PICTURE_A4, PICTURE_LETTER };

struct picture_options {
	struct cli *cli;
	const char *output, *keyboard, *layout;
	enum picture_file file; /* by the output's ending */
	enum picture_paper paper;
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
	uint8_t *bytes; /* the image's */
	bool without_rules;
	struct picture_job job;
	struct picture picture;
	char words[64];
};

/* Lines of text, to be freed one by one. */
struct picture_lines {
	char **lines;
	unsigned count;
};

struct picture_work {
	const struct picture_options *o;
	struct picture_side sides[PICTURE_VERSIONS]; /* the last is what it is about */
	unsigned side_count;
	uint16_t described; /* in the file: 1 + index, 0 for none */
	const struct lurk_port_keyboard *info;
	struct lurk_layout *layout, *own_layout;
	char keyboard[64], title[256], under[320];
	struct picture_lines rules, back; /* in words; how to get back */
};

static inline struct picture_side *picture_subject(struct picture_work *w)
{
	return &w->sides[w->side_count - 1];
}

/* What a program does with a picture for a file: draws it itself, or becomes the one that does, and
 * returns a status only where there is none. One of the two is NULL. */
struct picture_drawer {
	int (*draw)(struct picture_work *w);
	int (*hand_over)(const struct cli *cli);
};
extern const struct picture_drawer cli_drawer;

#endif
