/*
 * What picture.c is asked for and draw.c puts on paper. Drawing takes libraries that are slow to
 * start, so it is done by a program of its own, lurk-draw, which is the command with draw.c in it.
 */
#ifndef LURK_CLI_PICTURE_H
#define LURK_CLI_PICTURE_H

#include "cli/commands.h"
#include "lurk/work/own_layouts.h"
#include "tell/view.h"

enum picture_file { PICTURE_NO_FILE, PICTURE_SVG, PICTURE_PNG, PICTURE_PDF };
enum picture_paper { PICTURE_ANY_PAPER, PICTURE_A4, PICTURE_LETTER };

struct picture_options {
	struct cli *cli;
	const char *output, *keyboard, *layout;
	enum picture_file file; /* by the output's ending */
	enum picture_paper paper;
	bool dark, labels;
	struct tell_wanted wanted;
	struct lurk_own_layout_file own; /* where the layout is one's own */
};

/* What a program does with a picture for a file: draws it itself, or becomes the one that does, and
 * returns a status only where there is none. One of the two is NULL. */
struct picture_drawer {
	int (*draw)(const struct picture_options *o, struct tell_view *view);
	int (*hand_over)(const struct cli *cli);
};
extern const struct picture_drawer cli_drawer;

#endif
