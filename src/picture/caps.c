/* Caps, drawn: what is told by a hue is told by a shape and a word as well. */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "lurk/text/utf8.h"
#include "picture/sheet.h"

/* Millimetres on a keyboard of true size. */
static const double gap = 0.6;     /* around each cap */
static const double padding = 1.5; /* between a cap's edge and its texts */
static const double body = 4.5;    /* around all caps */
static const double corner = 1.6;
static const double sign_size = 3.0, crack_width = 1.0;
static const double top_text = 2.7, small_text = 3.0, least_text = 2.0;
static const double legend_text = 5.0, label_text = 3.7, main_text = 4.8, most_apart = 6.5;

struct cap_box {
	double x, y, width, height, scale; /* of the cap's face, without the gap */
	const struct picture_cap *cap;
	enum ink text, quiet;
};

double caps_width(const struct picture *picture, double scale)
{
	return (picture->width * LURK_UNIT_MM / LURK_UNIT_QUARTERS + 2 * body) * scale;
}

double caps_height(const struct picture *picture, double scale)
{
	return (picture->height * LURK_UNIT_MM / LURK_UNIT_QUARTERS + 2 * body) * scale;
}

bool caps_text(struct drawing *d, const struct fit_box *box, const char *alternatives, double x,
	       double middle, unsigned anchor, enum ink ink)
{
	enum { CAPITAL_PERCENT = 73 }; /* how high a capital is, of the size */
	struct fitted fitted;
	double line;

	if (!*alternatives)
		return true;
	drawing_fit(d, box, alternatives, &fitted);
	line = fitted.size * LINE_PERCENT / 100;
	for (unsigned i = 0; i < fitted.count; i++)
		drawing_text(d, x,
			     middle + fitted.size * CAPITAL_PERCENT / 200 +
				     (i - (fitted.count - 1) / 2.0) * line,
			     anchor, fitted.size, box->bold, ink, fitted.lines[i]);
	return !fitted.shortened;
}

/* ---- Faces ----------------------------------------------------------------------------------- */

/* The Enter of two rows lacks a quarter of a unit at its lower left. */
static void draw_outline(struct drawing *d, const struct cap_box *b, double inset, enum ink fill,
			 enum ink stroke, double width, double dash)
{
	const double x = b->x + inset, y = b->y + inset, w = b->width - 2 * inset,
		     h = b->height - 2 * inset, round = (corner - inset / 2) * b->scale;
	const double notch = LURK_UNIT_MM / LURK_UNIT_QUARTERS * b->scale;
	const double upper = (LURK_UNIT_MM - 2 * gap) * b->scale - 2 * inset;
	const double points[][2] = {{x, y},
				    {x + w, y},
				    {x + w, y + h},
				    {x + notch, y + h},
				    {x + notch, y + upper},
				    {x, y + upper}};
	struct shape *shape;

	if (b->cap->place.shape == LURK_CAP_ENTER)
		shape = drawing_polygon(d, points, 6, round, fill, stroke, width * b->scale);
	else if (b->cap->place.shape == LURK_CAP_ROUND)
		shape = drawing_circle(d, x + w / 2, y + h / 2, (w < h ? w : h) / 2, fill, stroke,
				       width * b->scale);
	else
		shape = drawing_box(d, x, y, w, h, round, fill, stroke, width * b->scale);
	shape->dash = dash * b->scale;
}

/* Lines at 45 degrees from edge to edge. */
static void draw_hatching(struct drawing *d, const struct cap_box *b, enum ink ink)
{
	const double step = 3.2 * b->scale, inset = 0.8 * b->scale;
	const double x = b->x + inset, y = b->y + inset, w = b->width - 2 * inset,
		     h = b->height - 2 * inset;

	for (unsigned i = 1; i * step < w + h; i++) {
		double at = i * step;
		double x1 = at < h ? x : x + at - h, y1 = at < h ? y + at : y + h;
		double x2 = at < w ? x + at : x + w, y2 = at < w ? y : y + at - w;

		drawing_line(d, x1, y1, x2, y2, ink, 0.5 * b->scale);
	}
}

/* A crack down the left edge, where no text stands. */
static void draw_crack(struct drawing *d, const struct cap_box *b)
{
	enum { TURNS = 9 };
	const double x = b->x + padding / 2 * b->scale, step = b->height / TURNS;
	const double swing = crack_width / 2 * b->scale;

	drawing_path(d, INK_NONE, b->text, 0.45 * b->scale);
	for (unsigned i = 0; i <= TURNS; i++)
		drawing_step(d, i ? 'L' : 'M', x + (i % 2 ? swing : -swing), b->y + i * step);
}

static void draw_face(struct drawing *d, const struct cap_box *b)
{
	static const struct {
		enum ink fill, edge;
		double width;
	} looks[] = {
		[PICTURE_PLAIN] = {INK_CAP, INK_EDGE, 0.3},
		[PICTURE_CHANGED] = {INK_CHANGED, INK_CHANGED_EDGE, 0.9},
		[PICTURE_SWAPPED] = {INK_SWAPPED, INK_SWAPPED_EDGE, 0.9},
		[PICTURE_NOTHING] = {INK_NOTHING, INK_NOTHING_EDGE, 0.6},
	};
	const struct picture_cap *cap = b->cap;

	if (cap->held)
		draw_outline(d, b, 0, INK_HELD, INK_HELD, 0.6, 0);
	else if (cap->absent)
		draw_outline(d, b, 0, INK_CASE, INK_EDGE, 0.5, 1.6);
	else if (cap->faint)
		draw_outline(d, b, 0, INK_CAP, INK_FAINT_EDGE, 0.3, 0);
	else
		draw_outline(d, b, 0, looks[cap->mark].fill, looks[cap->mark].edge,
			     looks[cap->mark].width, 0);
	if (cap->mark == PICTURE_NOTHING && !cap->faint && !cap->held)
		draw_hatching(d, b, INK_NOTHING_LINES);
	/* By rules; by the layout alone, dashed. */
	if (picture_cap_varies(cap) && !cap->faint)
		draw_outline(d, b, 0.8 * b->scale, INK_NONE, INK_WITH_EDGE, 0.5,
			     *cap->with || cap->levels ? 0 : 1.2);
	if (cap->broken)
		draw_crack(d, b);
}

/* ---- Signs, each in a square at the given corner ----------------------------------------------
 */

static void draw_fold(struct drawing *d, double x, double y, double size)
{
	drawing_path(d, INK_CHANGED_EDGE, INK_NONE, 0);
	drawing_step(d, 'M', x, y);
	drawing_step(d, 'L', x + size, y);
	drawing_step(d, 'L', x + size, y + size);
	drawing_step(d, 'Z', 0, 0);
}

static void draw_arrow(struct drawing *d, double x, double y, double length, double head)
{
	drawing_line(d, x, y, x + length, y, INK_SWAPPED_EDGE, fabs(head) * 0.45);
	drawing_path(d, INK_SWAPPED_EDGE, INK_NONE, 0);
	drawing_step(d, 'M', x + length + head, y);
	drawing_step(d, 'L', x + length, y - fabs(head) * 0.75);
	drawing_step(d, 'L', x + length, y + fabs(head) * 0.75);
	drawing_step(d, 'Z', 0, 0);
}

static void draw_arrows(struct drawing *d, double x, double y, double size)
{
	draw_arrow(d, x, y + size * 0.28, size * 0.68, size * 0.32);
	draw_arrow(d, x + size, y + size * 0.78, -size * 0.68, -size * 0.32);
}

static void draw_barred(struct drawing *d, double x, double y, double size)
{
	const double r = size * 0.42, reach = r * 0.7;

	drawing_circle(d, x + size / 2, y + size / 2, r, INK_NONE, INK_NOTHING_EDGE, size * 0.14);
	drawing_line(d, x + size / 2 - reach, y + size / 2 - reach, x + size / 2 + reach,
		     y + size / 2 + reach, INK_NOTHING_EDGE, size * 0.14);
}

static void draw_bars(struct drawing *d, double x, double y, double size, enum ink ink)
{
	static const double bars[][2] = {{0.05, 0.16}, {0.32, 0.08}, {0.5, 0.2}, {0.82, 0.12}};

	for (size_t i = 0; i < sizeof bars / sizeof *bars; i++)
		drawing_box(d, x + bars[i][0] * size, y, bars[i][1] * size, size, 0, ink, INK_NONE,
			    0);
}

/* ---- Texts ----------------------------------------------------------------------------------- */

/* A face's three parts from top to bottom: their middle lines, and the room in each beside signs.
 * What says nothing takes no room. */
struct zones {
	double left, above; /* where texts begin; how much of the face the first part takes */
	double top, top_width, middle, middle_width, middle_height, bottom, bottom_width;
};

static const char *top_of(const struct picture_cap *cap)
{
	return *cap->with ? cap->with : cap->broken ? "broken" : cap->held ? "held" : "";
}

static struct zones zones_of(const struct cap_box *b)
{
	const struct picture_cap *cap = b->cap;
	const bool sign = cap->mark && !cap->faint;
	const bool low = b->height < 14 * b->scale; /* media keys: the sign is beside the text */
	const double pad = padding * b->scale, edge = pad * 0.7;
	const double strip = 4.0 * b->scale, size = sign_size * b->scale;
	const double below = *cap->small || cap->by_code ? strip : 0;
	const double crack = cap->broken ? crack_width * b->scale : 0;
	const double inner = b->width - 2 * pad - crack;
	struct zones z = {.left = b->x + pad + crack,
			  .above = *top_of(cap) || (sign && !low) ? strip : 0};

	z.top = b->y + edge + strip / 2;
	z.top_width = inner - (sign ? size * (cap->pair ? 1.9 : 1.15) : 0);
	z.middle_height = b->height - 2 * edge - z.above - below;
	z.middle = b->y + edge + z.above + z.middle_height / 2;
	z.middle_width = inner - (sign && low ? size : 0);
	z.bottom = b->y + b->height - edge - strip / 2;
	z.bottom_width = inner - (cap->by_code ? size : 0);
	return z;
}

/* A legend that a rule or the layout changed stands out. */
static void draw_legend(struct drawing *d, const struct legend_box *b, unsigned level,
			struct fit_box box, double x, double middle, unsigned anchor)
{
	const bool changed = (b->cap->levels | b->cap->own) >> level & 1;

	box.bold = changed;
	caps_text(d, &box, b->cap->legends[level], x, middle, anchor,
		  changed     ? INK_WITH_EDGE
		  : level < 2 ? b->text
			      : b->quiet);
}

void caps_legends(struct drawing *d, const struct legend_box *b)
{
	const struct picture_cap *cap = b->cap;
	const double top = b->y + b->height * 0.29, bottom = b->y + b->height * 0.71;
	const bool two = *cap->legends[1], side = *cap->legends[2] || *cap->legends[3];
	const double least = least_text * b->scale, most = legend_text * b->scale;
	const struct fit_box large = {side ? b->width * 0.54 : b->width,
				      b->height * (two ? 0.42 : 0.5),
				      two ? most * 0.88 : most,
				      least,
				      1,
				      false};
	const struct fit_box small = {
		b->width * 0.44, b->height * 0.4, most * 0.66, least, 1, false};

	draw_legend(d, b, 0, large, b->x, two ? bottom : top + 0.4 * b->scale, 0);
	draw_legend(d, b, 1, large, b->x, top, 0);
	draw_legend(d, b, 2, small, b->x + b->width, bottom, 2);
	draw_legend(d, b, 3, small, b->x + b->width, top, 2);
}

static void draw_legends(struct drawing *d, const struct cap_box *b, const struct zones *z)
{
	const double above = z->above * 0.85;

	caps_legends(d, &(struct legend_box){b->cap, z->left, b->y + above, z->middle_width,
					     b->height - above, b->scale, b->text, b->quiet});
}

/* What a key gives, or is called; on charts two lines. */
static void draw_main(struct drawing *d, const struct cap_box *b, const struct zones *z)
{
	const struct picture_cap *cap = b->cap;
	const bool changed = cap->mark && !cap->held;
	const bool label = !changed && !*cap->second && !*cap->small;
	const double most =
		label ? lurk_utf8_count(cap->main) > 1 ? label_text : legend_text : main_text;
	const double x = z->left + z->middle_width / 2, height = z->middle_height;
	struct fit_box box = {z->middle_width,       height,          most * b->scale,
			      least_text * b->scale, changed ? 3 : 2, changed};

	if (!*cap->second) {
		caps_text(d, &box, cap->main, x, z->middle, 1, b->text);
		return;
	}
	/* On a tall cap the two stay together. */
	box.height = height / 2 < most_apart * b->scale ? height / 2 : most_apart * b->scale;
	caps_text(d, &box, cap->main, x, z->middle - box.height / 2, 1, b->text);
	caps_text(d, &box, cap->second, x, z->middle + box.height / 2, 1, b->text);
}

static void draw_texts(struct drawing *d, const struct cap_box *b)
{
	const struct picture_cap *cap = b->cap;
	const struct zones z = zones_of(b);
	const double strip = 4.0 * b->scale, least = least_text * b->scale;
	const struct fit_box top = {z.top_width, strip, top_text * b->scale, least, 1, *cap->with};
	const struct fit_box bottom = {z.bottom_width, strip, small_text * b->scale,
				       least,          1,     false};

	caps_text(d, &top, top_of(cap), z.left, z.top, 0, b->quiet);
	caps_text(d, &bottom, cap->small, z.left, z.bottom, 0, b->quiet);
	if (*cap->main)
		draw_main(d, b, &z);
	else
		draw_legends(d, b, &z);
}

static void draw_signs(struct drawing *d, const struct cap_box *b)
{
	const struct picture_cap *cap = b->cap;
	const double size = sign_size * b->scale, pad = padding * b->scale;
	const double right = b->x + b->width, x = right - pad - size, y = b->y + pad;
	char number[8];

	if (cap->by_code)
		draw_bars(d, right - pad - size * 0.8, b->y + b->height - pad - size * 0.8,
			  size * 0.8, b->text);
	if (cap->held || cap->faint)
		return;
	if (cap->mark == PICTURE_CHANGED)
		draw_fold(d, right - size - 0.9 * b->scale, b->y + 0.9 * b->scale, size);
	else if (cap->mark == PICTURE_NOTHING)
		draw_barred(d, x, y, size);
	else if (cap->mark == PICTURE_SWAPPED)
		draw_arrows(d, x, y, size);
	if (cap->pair) {
		snprintf(number, sizeof number, "%u", cap->pair);
		drawing_text(d, x - 0.4 * b->scale, y + size * 0.9, 2, size, true, b->text, number);
	}
}

/* ---- Keyboards ------------------------------------------------------------------------------- */

static void add_class(char *classes, size_t size, bool add, const char *word)
{
	size_t n = strlen(classes);

	if (add)
		snprintf(classes + n, size - n, " %s", word);
}

/* Texts stand where both rows of a tall Enter are, and in a square inside a knob. */
static struct cap_box text_box_of(const struct cap_box *box)
{
	const double notch = LURK_UNIT_MM / LURK_UNIT_QUARTERS * box->scale;
	const double across = box->width < box->height ? box->width : box->height;
	const double side = across * 0.74;
	struct cap_box b = *box;

	if (box->cap->place.shape == LURK_CAP_ENTER) {
		b.x += notch;
		b.width -= notch;
	} else if (box->cap->place.shape == LURK_CAP_ROUND) {
		b.x += (box->width - side) / 2;
		b.y += (box->height - side) / 2;
		b.width = b.height = side;
	}
	return b;
}

static void draw_cap(struct drawing *d, const struct cap_box *b)
{
	const struct cap_box texts = text_box_of(b);
	static const char *const marks[] = {"", "changed", "swapped", "nothing"};
	const struct picture_cap *cap = b->cap;
	char classes[128] = "cap", scan[LURK_SCAN_TEXT];

	add_class(classes, sizeof classes, cap->mark, marks[cap->mark]);
	add_class(classes, sizeof classes, *cap->with || cap->levels, "with");
	add_class(classes, sizeof classes, cap->own, "own");
	add_class(classes, sizeof classes, cap->by_code, "by-code");
	add_class(classes, sizeof classes, cap->broken, "broken");
	add_class(classes, sizeof classes, cap->absent, "absent");
	add_class(classes, sizeof classes, cap->held, "held");
	add_class(classes, sizeof classes, cap->faint, "faint");
	drawing_group(d, classes,
		      cap->place.key ? lurk_key_name(cap->place.key)
				     : lurk_scan_write(cap->scan, scan));
	draw_face(d, b);
	draw_texts(d, &texts);
	draw_signs(d, &texts);
	drawing_group_end(d);
}

static struct cap_box box_of(const struct picture_cap *cap, struct caps_place at)
{
	const double quarter = LURK_UNIT_MM / LURK_UNIT_QUARTERS;
	const bool quiet = cap->faint || cap->absent;
	const struct lurk_place *p = &cap->place;

	return (struct cap_box){at.x + (body + p->x * quarter + gap) * at.scale,
				at.y + (body + p->y * quarter + gap) * at.scale,
				(p->width * quarter - 2 * gap) * at.scale,
				(p->height * quarter - 2 * gap) * at.scale,
				at.scale,
				cap,
				cap->held ? INK_HELD_TEXT
				: quiet   ? INK_QUIET
					  : INK_TEXT,
				cap->held   ? INK_HELD_TEXT
				: cap->mark ? INK_TEXT
					    : INK_QUIET};
}

void caps_draw(struct drawing *d, const struct picture *picture, struct caps_place at)
{
	drawing_group(d, "keyboard", "keyboard");
	drawing_box(d, at.x, at.y, caps_width(picture, at.scale), caps_height(picture, at.scale),
		    3 * at.scale, INK_CASE, INK_NONE, 0);
	for (unsigned i = 0; i < picture->count; i++) {
		const struct cap_box box = box_of(&picture->caps[i], at);

		draw_cap(d, &box);
	}
	drawing_group_end(d);
}

/* ---- Signs by themselves ----------------------------------------------------------------------
 */

void caps_draw_sample(struct drawing *d, enum picture_sign sign, double x, double y, double size)
{
	struct picture_cap cap = {
		.place = {.width = LURK_UNIT_QUARTERS, .height = LURK_UNIT_QUARTERS}};
	struct cap_box b = {x,    y,        size,     size, size / (LURK_UNIT_MM - 2 * gap),
			    &cap, INK_TEXT, INK_QUIET};

	cap.mark = sign == PICTURE_SIGN_CHANGED   ? PICTURE_CHANGED
		   : sign == PICTURE_SIGN_SWAPPED ? PICTURE_SWAPPED
		   : sign == PICTURE_SIGN_NOTHING ? PICTURE_NOTHING
						  : PICTURE_PLAIN;
	cap.by_code = sign == PICTURE_SIGN_BY_CODE;
	cap.absent = sign == PICTURE_SIGN_ABSENT;
	cap.held = sign == PICTURE_SIGN_HELD;
	cap.broken = sign == PICTURE_SIGN_BROKEN;
	snprintf(cap.with, sizeof cap.with, "%s", sign == PICTURE_SIGN_WITH ? " " : "");
	cap.own = sign == PICTURE_SIGN_OWN;
	b.scale *= 2; /* so that the sign can be seen */
	draw_face(d, &b);
	draw_signs(d, &b);
}
