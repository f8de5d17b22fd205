/*
 * Drawings: shapes and texts on pages, all in millimetres from a page's upper left corner. They are
 * made once and written as SVG, PNG or PDF.
 */
#ifndef LURK_PICTURE_DRAWING_H
#define LURK_PICTURE_DRAWING_H

#include <pango/pangocairo.h>

#include "lurk/text/file.h"

/* What something is drawn in: a colour in each of the two palettes. */
enum ink {
	INK_NONE,
	INK_PAPER,
	INK_TEXT,
	INK_QUIET, /* text that is not the first thing to read */
	INK_CASE,  /* the keyboard's body */
	INK_CAP,
	INK_EDGE,
	INK_CHANGED,
	INK_CHANGED_EDGE,
	INK_SWAPPED,
	INK_SWAPPED_EDGE,
	INK_NOTHING,
	INK_NOTHING_LINES,
	INK_NOTHING_EDGE,
	INK_HELD,
	INK_HELD_TEXT,
	INK_WITH_EDGE,
	INK_FAINT_EDGE,
	INK_COUNT
};

enum shape_kind { SHAPE_PATH, SHAPE_TEXT, SHAPE_GROUP, SHAPE_GROUP_END, SHAPE_PAGE };

/* A path's step: L and M take one point, C three; Z closes. */
struct path_step {
	char what;
	double x[3], y[3];
};

enum { DRAWING_TEXT = 256, DRAWING_NAME = 64 };

struct shape {
	uint8_t kind;              /* enum shape_kind */
	uint8_t fill, stroke, ink; /* enum ink */
	bool bold;
	uint8_t anchor;             /* of a text: 0 it starts at x, 1 its middle is there, 2 ends */
	double line_width, dash;    /* dash 0 for a whole line */
	double x, y, size, width;   /* of a text: baseline, size, width as measured */
	unsigned first_step, steps; /* of a path */
	char text[DRAWING_TEXT];    /* a text, or a group's classes */
	char name[DRAWING_NAME];    /* what a group is called */
};

struct drawing {
	struct shape *shapes;
	unsigned count, room;
	struct path_step *steps;
	unsigned step_count, step_room;
	double width, height; /* of a page */
	bool dark;
	char title[DRAWING_TEXT];
	cairo_surface_t *surface;
	cairo_t *cairo;
	PangoLayout *measure;
};

void drawing_init(struct drawing *d, double width, double height, bool dark, const char *title);
void drawing_free(struct drawing *d);

/* What follows stands on another page. */
void drawing_page(struct drawing *d);
unsigned drawing_pages(const struct drawing *d);
/* False with a message where there are more. */
bool drawing_is_one_page(const struct drawing *d, struct lurk_message *message);

/* Shapes between are one thing, with classes and a name of its own in SVG. */
void drawing_group(struct drawing *d, const char *classes, const char *name);
void drawing_group_end(struct drawing *d);

/* A path begins, is added to, and is as filled and drawn as it was begun. */
struct shape *drawing_path(struct drawing *d, enum ink fill, enum ink stroke, double line_width);
void drawing_step(struct drawing *d, char what, double x, double y);
void drawing_curve(struct drawing *d, double x1, double y1, double x2, double y2, double x3,
		   double y3);
/* A whole path: a polygon of `count` points with round corners. */
struct shape *drawing_polygon(struct drawing *d, const double (*points)[2], unsigned count,
			      double radius, enum ink fill, enum ink stroke, double line_width);
struct shape *drawing_box(struct drawing *d, double x, double y, double width, double height,
			  double radius, enum ink fill, enum ink stroke, double line_width);
struct shape *drawing_circle(struct drawing *d, double x, double y, double radius, enum ink fill,
			     enum ink stroke, double line_width);
struct shape *drawing_line(struct drawing *d, double x1, double y1, double x2, double y2,
			   enum ink stroke, double line_width);

struct shape *drawing_text(struct drawing *d, double x, double y, unsigned anchor, double size,
			   bool bold, enum ink ink, const char *text);
double drawing_text_width(struct drawing *d, double size, bool bold, const char *text);

/* A text made to fit: the first of the alternatives that does, on as many lines as there may be;
 * smaller where it must be, broken within words where there may be many, shortened where that is
 * not enough. */
enum { FITTED_LINES = 6, LINES_WITHIN_WORDS = 4 };
struct fitted {
	char lines[FITTED_LINES][DRAWING_TEXT];
	unsigned count;
	double size;
	bool shortened;
};
struct fit_box {
	double width, height;
	double most, least; /* sizes */
	unsigned lines;     /* up to FITTED_LINES */
	bool bold;
};
void drawing_fit(struct drawing *d, const struct fit_box *box, const char *alternatives,
		 struct fitted *fitted);
enum { LINE_PERCENT = 118 }; /* from one baseline to the next, of the size */

/* The colour as 0xrrggbb. */
unsigned drawing_colour(const struct drawing *d, enum ink ink);
/* A layout in which all texts are measured and painted, and their font. */
PangoLayout *drawing_layout(cairo_t *cairo);
void drawing_font(PangoLayout *layout, double size, bool bold);
#define DRAWING_FAMILY "DejaVu Sans, Noto Sans, Noto Sans CJK JP, sans-serif"

/* The file's bytes, to be freed with g_byte_array_unref(); NULL with a message. SVG and PNG have
 * one page. */
GByteArray *drawing_svg(const struct drawing *d, struct lurk_message *message);
GByteArray *drawing_png(const struct drawing *d, double dots_per_mm, struct lurk_message *message);
GByteArray *drawing_pdf(const struct drawing *d, struct lurk_message *message);

#endif
