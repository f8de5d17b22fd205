/* Sheets: a picture with its caption, labels to cut out, a card to keep beside the keyboard. */
#ifndef LURK_PICTURE_SHEET_H
#define LURK_PICTURE_SHEET_H

#include "picture/drawing.h"
#include "picture/picture.h"

struct sheet_paper {
	double width, height; /* upright, in mm */
};
/* ISO 216, and ANSI/ASME Y14.1. */
extern const struct sheet_paper sheet_a4, sheet_letter;

struct sheet_row {
	const char *press, *now, *note;
};

struct sheet {
	const char *title, *under; /* the headline, and what stands below it */
	const struct picture *pictures[2];
	const char *captions[2]; /* above each, NULL for none */
	unsigned picture_count;
	const char *const *rules; /* in words */
	unsigned rule_count;
	const struct sheet_row *rows; /* the same as a table, for cards */
	unsigned row_count;
	const char *const *back; /* how to get back, a line each */
	unsigned back_count;
	bool dark;
};

/* Each draws into an uninitialised drawing, which is then the caller's to free. A picture is as
 * large as it is, or scaled to a paper lying on its side. */
void sheet_picture(struct drawing *d, const struct sheet *sheet, const struct sheet_paper *paper);
void sheet_card(struct drawing *d, const struct sheet *sheet, const struct sheet_paper *paper);
/* Returns how many labels there are; with none there is nothing to print. */
unsigned sheet_labels(struct drawing *d, const struct sheet *sheet,
		      const struct sheet_paper *paper);

/* ---- caps.c ---------------------------------------------------------------------------------- */

/* Where a keyboard is drawn: its upper left corner, and how much smaller than it is. */
struct caps_place {
	double x, y, scale;
};

/* How large its body is. */
double caps_width(const struct picture *picture, double scale);
double caps_height(const struct picture *picture, double scale);
void caps_draw(struct drawing *d, const struct picture *picture, struct caps_place at);

/* A cap with nothing but a sign. */
void caps_draw_sample(struct drawing *d, enum picture_sign sign, double x, double y, double size);

/* What a key types: alone below, with Shift above, with AltRight beside. */
struct legend_box {
	const struct picture_cap *cap;
	double x, y, width, height, scale;
	enum ink text, quiet;
};
void caps_legends(struct drawing *d, const struct legend_box *box);

/* A fitted text; `middle` is its middle line, x as the anchor says. False where it was shortened.
 */
bool caps_text(struct drawing *d, const struct fit_box *box, const char *alternatives, double x,
	       double middle, unsigned anchor, enum ink ink);

#endif
