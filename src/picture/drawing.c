#include "picture/drawing.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

/* Text on what it stands on has a contrast of at least 4.5:1 (WCAG 2.1, 1.4.3) in both. What the
 * hues tell is told by shapes and words as well. */
static const unsigned palettes[2][INK_COUNT] = {
	{
		[INK_PAPER] = 0xffffff,
		[INK_TEXT] = 0x16191c,
		[INK_QUIET] = 0x4d545b,
		[INK_CASE] = 0xe3e6e9,
		[INK_CAP] = 0xffffff,
		[INK_EDGE] = 0x8b939b,
		[INK_CHANGED] = 0xffe6b8,
		[INK_CHANGED_EDGE] = 0xa35200,
		[INK_SWAPPED] = 0xd3e8fb,
		[INK_SWAPPED_EDGE] = 0x00569c,
		[INK_NOTHING] = 0xd9d9d9,
		[INK_NOTHING_LINES] = 0xc3c3c3,
		[INK_NOTHING_EDGE] = 0x4a4a4a,
		[INK_HELD] = 0x2b3138,
		[INK_HELD_TEXT] = 0xffffff,
		[INK_WITH_EDGE] = 0x5b3a9b,
		[INK_FAINT_EDGE] = 0xc9cdd1,
	},
	{
		[INK_PAPER] = 0x121518,
		[INK_TEXT] = 0xf3f5f7,
		[INK_QUIET] = 0xb9c1c9,
		[INK_CASE] = 0x1d2125,
		[INK_CAP] = 0x2c3238,
		[INK_EDGE] = 0x747e88,
		[INK_CHANGED] = 0x5a3a05,
		[INK_CHANGED_EDGE] = 0xffb84d,
		[INK_SWAPPED] = 0x0c3a60,
		[INK_SWAPPED_EDGE] = 0x74bdf5,
		[INK_NOTHING] = 0x24272a,
		[INK_NOTHING_LINES] = 0x3a3f44,
		[INK_NOTHING_EDGE] = 0xa6aeb6,
		[INK_HELD] = 0xe8ebee,
		[INK_HELD_TEXT] = 0x121518,
		[INK_WITH_EDGE] = 0xb79cf0,
		[INK_FAINT_EDGE] = 0x3b4249,
	},
};

unsigned drawing_colour(const struct drawing *d, enum ink ink)
{
	return palettes[d->dark][ink];
}

void drawing_font(PangoLayout *layout, double size, bool bold)
{
	PangoFontDescription *font = pango_font_description_from_string(DRAWING_FAMILY);

	pango_font_description_set_weight(font, bold ? PANGO_WEIGHT_BOLD : PANGO_WEIGHT_NORMAL);
	pango_font_description_set_absolute_size(font, size * PANGO_SCALE);
	pango_layout_set_font_description(layout, font);
	pango_font_description_free(font);
}

PangoLayout *drawing_layout(cairo_t *cairo)
{
	cairo_font_options_t *options = cairo_font_options_create();
	PangoLayout *layout;

	cairo_font_options_set_hint_metrics(options, CAIRO_HINT_METRICS_OFF);
	cairo_font_options_set_hint_style(options, CAIRO_HINT_STYLE_NONE);
	cairo_font_options_set_antialias(options, CAIRO_ANTIALIAS_GRAY);
	cairo_set_font_options(cairo, options);
	cairo_font_options_destroy(options);
	layout = pango_cairo_create_layout(cairo);
	/* A unit is a millimetre: letters cannot stand at whole ones. */
	pango_context_set_round_glyph_positions(pango_layout_get_context(layout), FALSE);
	return layout;
}

void drawing_init(struct drawing *d, double width, double height, bool dark, const char *title)
{
	*d = (struct drawing){.width = width, .height = height, .dark = dark};
	lurk_append(d->title, sizeof d->title, title);
	d->surface = cairo_image_surface_create(CAIRO_FORMAT_A8, 1, 1);
	d->cairo = cairo_create(d->surface);
	d->measure = drawing_layout(d->cairo);
}

void drawing_free(struct drawing *d)
{
	g_object_unref(d->measure);
	cairo_destroy(d->cairo);
	cairo_surface_destroy(d->surface);
	lurk_release(d->shapes);
	lurk_release(d->steps);
	*d = (struct drawing){0};
}

static void *grow(void *memory, unsigned count, unsigned *room, size_t size)
{
	if (count < *room)
		return memory;
	*room = *room ? *room * 2 : 256;
	memory = lurk_resize(memory, *room * size);
	return memory;
}

static struct shape *add(struct drawing *d, enum shape_kind kind)
{
	d->shapes = grow(d->shapes, d->count, &d->room, sizeof *d->shapes);
	d->shapes[d->count] = (struct shape){.kind = (uint8_t)kind};
	return &d->shapes[d->count++];
}

void drawing_page(struct drawing *d)
{
	add(d, SHAPE_PAGE);
}

bool drawing_is_one_page(const struct drawing *d, struct lurk_message *message)
{
	const unsigned pages = drawing_pages(d);

	return pages == 1 ||
	       lurk_say(message, "this takes %u pages, which only PDF has; write it to a .pdf",
			pages);
}

unsigned drawing_pages(const struct drawing *d)
{
	unsigned pages = 1;

	for (unsigned i = 0; i < d->count; i++)
		pages += d->shapes[i].kind == SHAPE_PAGE;
	return pages;
}

void drawing_group(struct drawing *d, const char *classes, const char *name)
{
	struct shape *shape = add(d, SHAPE_GROUP);

	snprintf(shape->text, sizeof shape->text, "%s", classes);
	snprintf(shape->name, sizeof shape->name, "%s", name);
}

void drawing_group_end(struct drawing *d)
{
	add(d, SHAPE_GROUP_END);
}

/* ---- Paths ----------------------------------------------------------------------------------- */

struct shape *drawing_path(struct drawing *d, enum ink fill, enum ink stroke, double line_width)
{
	struct shape *shape = add(d, SHAPE_PATH);

	shape->fill = (uint8_t)fill;
	shape->stroke = (uint8_t)stroke;
	shape->line_width = line_width;
	shape->first_step = d->step_count;
	return shape;
}

static struct path_step *add_step(struct drawing *d, char what)
{
	d->steps = grow(d->steps, d->step_count, &d->step_room, sizeof *d->steps);
	d->steps[d->step_count] = (struct path_step){.what = what};
	d->shapes[d->count - 1].steps++;
	return &d->steps[d->step_count++];
}

void drawing_step(struct drawing *d, char what, double x, double y)
{
	struct path_step *step = add_step(d, what);

	step->x[0] = x;
	step->y[0] = y;
}

void drawing_curve(struct drawing *d, double x1, double y1, double x2, double y2, double x3,
		   double y3)
{
	*add_step(d, 'C') = (struct path_step){'C', {x1, x2, x3}, {y1, y2, y3}};
}

/* From a corner, a point on the way to another one. */
static void towards(const double from[2], const double to[2], double distance, double out[2])
{
	double x = to[0] - from[0], y = to[1] - from[1], length = hypot(x, y);

	out[0] = from[0] + x / length * distance;
	out[1] = from[1] + y / length * distance;
}

/* How far a curve's handles reach so that it is nearly a circle's. */
static const double round_off = 0.5523;

struct shape *drawing_polygon(struct drawing *d, const double (*points)[2], unsigned count,
			      double radius, enum ink fill, enum ink stroke, double line_width)
{
	drawing_path(d, fill, stroke, line_width);
	for (unsigned i = 0; i < count; i++) {
		const double *corner = points[i];
		double in[2], out[2], in_handle[2], out_handle[2];

		towards(corner, points[(i + count - 1) % count], radius, in);
		towards(corner, points[(i + 1) % count], radius, out);
		towards(corner, points[(i + count - 1) % count], radius * (1 - round_off),
			in_handle);
		towards(corner, points[(i + 1) % count], radius * (1 - round_off), out_handle);
		drawing_step(d, i ? 'L' : 'M', in[0], in[1]);
		if (radius > 0)
			drawing_curve(d, in_handle[0], in_handle[1], out_handle[0], out_handle[1],
				      out[0], out[1]);
	}
	add_step(d, 'Z');
	return &d->shapes[d->count - 1];
}

struct shape *drawing_box(struct drawing *d, double x, double y, double width, double height,
			  double radius, enum ink fill, enum ink stroke, double line_width)
{
	const double points[][2] = {
		{x, y}, {x + width, y}, {x + width, y + height}, {x, y + height}};

	return drawing_polygon(d, points, 4, radius, fill, stroke, line_width);
}

struct shape *drawing_circle(struct drawing *d, double x, double y, double radius, enum ink fill,
			     enum ink stroke, double line_width)
{
	return drawing_box(d, x - radius, y - radius, 2 * radius, 2 * radius, radius, fill, stroke,
			   line_width);
}

struct shape *drawing_line(struct drawing *d, double x1, double y1, double x2, double y2,
			   enum ink stroke, double line_width)
{
	drawing_path(d, INK_NONE, stroke, line_width);
	drawing_step(d, 'M', x1, y1);
	drawing_step(d, 'L', x2, y2);
	return &d->shapes[d->count - 1];
}

/* ---- Texts ----------------------------------------------------------------------------------- */

double drawing_text_width(struct drawing *d, double size, bool bold, const char *text)
{
	enum { PRECISE = 100 }; /* measured large: Pango's units are whole numbers */
	int width;

	drawing_font(d->measure, PRECISE, bold);
	pango_layout_set_text(d->measure, text, -1);
	pango_layout_get_size(d->measure, &width, NULL);
	return (double)width / PANGO_SCALE / PRECISE * size;
}

struct shape *drawing_text(struct drawing *d, double x, double y, unsigned anchor, double size,
			   bool bold, enum ink ink, const char *text)
{
	struct shape *shape = add(d, SHAPE_TEXT);

	shape->x = x;
	shape->y = y;
	shape->anchor = (uint8_t)anchor;
	shape->size = size;
	shape->bold = bold;
	shape->ink = (uint8_t)ink;
	lurk_append(shape->text, sizeof shape->text, text);
	shape->width = drawing_text_width(d, size, bold, shape->text);
	return shape;
}

static void copy_line(char line[DRAWING_TEXT], const char *text, size_t length)
{
	size_t n = 0;

	for (size_t i = 0; i < length && n + 1 < DRAWING_TEXT; i++) {
		if (text[i] != '\t')
			line[n++] = text[i];
	}
	line[n] = '\0';
}

/* How many characters are seen up to a place. */
static size_t seen(const char *text, size_t length)
{
	size_t n = 0;

	for (size_t i = 0; i < length; i++)
		n += text[i] != '\t' && (text[i] & 0xc0) != 0x80;
	return n;
}

/* Lines of at most so many characters, broken at spaces and at tabs, which are not seen. False
 * where there would be too many. */
static bool set_lines(struct fitted *fitted, const char *text, size_t most, unsigned lines)
{
	fitted->count = 0;
	while (*(text += strspn(text, " \t"))) {
		size_t taken = 0;

		for (size_t n = strcspn(text, " \t"); seen(text, n) <= most;
		     n += 1 + strcspn(text + n + 1, " \t")) { /* word after word */
			taken = n && strchr(" \t", text[n - 1]) ? taken : n;
			if (!text[n])
				break;
		}
		if (!taken || fitted->count == lines)
			return false;
		copy_line(fitted->lines[fitted->count++], text, taken);
		text += taken;
	}
	return true;
}

/* The largest size at which these lines fit. */
static double size_of(struct drawing *d, const struct fit_box *box, const struct fitted *fitted)
{
	double size = box->most, tall = box->height * 100 / LINE_PERCENT / fitted->count;

	if (tall < size)
		size = tall;
	for (unsigned i = 0; i < fitted->count; i++) {
		double wide = drawing_text_width(d, 1, box->bold, fitted->lines[i]);

		if (wide * size > box->width)
			size = box->width / wide;
	}
	return size;
}

/* On as many lines as make it largest, the longest of them as short as can be. */
static void lay_out(struct drawing *d, const struct fit_box *box, const char *text,
		    struct fitted *fitted)
{
	const size_t length = seen(text, strlen(text));

	fitted->count = 1;
	copy_line(fitted->lines[0], text, strlen(text));
	fitted->size = size_of(d, box, fitted);
	for (unsigned lines = 2; lines <= box->lines; lines++) {
		struct fitted more = {.count = 0};
		size_t most = (length + lines - 1) / lines;

		while (most < length && !set_lines(&more, text, most, lines))
			most++;
		if (most >= length)
			continue;
		more.size = size_of(d, box, &more);
		if (more.size > fitted->size)
			*fitted = more;
	}
}

/* It may be broken anywhere. */
static void break_anywhere(const char *text, char out[DRAWING_TEXT])
{
	size_t n = 0;

	for (; *text && n + 6 < DRAWING_TEXT; text++) {
		if (n && (*text & 0xc0) != 0x80 && !strchr(" \t", *text) &&
		    !strchr(" \t", text[-1]))
			out[n++] = '\t';
		out[n++] = *text;
	}
	out[n] = '\0';
}

/* Takes characters away from its end until it fits. */
static void shorten(struct drawing *d, const struct fit_box *box, const char *text,
		    struct fitted *fitted)
{
	char *rest = g_strdup(text), *end = rest + strlen(rest), *shortened;

	do {
		end = g_utf8_find_prev_char(rest, end);
		if (!end)
			break;
		*end = '\0';
		g_strchomp(rest);
		shortened = g_strconcat(rest, "…", NULL);
		lay_out(d, box, shortened, fitted);
		g_free(shortened);
	} while (fitted->size < box->least && *rest);
	fitted->shortened = true;
	g_free(rest);
}

static void set_text(char text[DRAWING_TEXT], const char *from, size_t length)
{
	char *part = g_strndup(from, length);

	*text = '\0';
	lurk_append(text, DRAWING_TEXT, part);
	g_free(part);
}

void drawing_fit(struct drawing *d, const struct fit_box *box, const char *alternatives,
		 struct fitted *fitted)
{
	const double enough = box->most * 0.62 > box->least ? box->most * 0.62 : box->least;
	struct fitted best = {.count = 0};
	char text[DRAWING_TEXT];
	char *valid = g_utf8_make_valid(alternatives, -1);
	const char *at = valid;

	/* A longer one is made smaller to some degree before a shorter one is taken. */
	for (;;) {
		size_t length = strcspn(at, "\n");

		set_text(text, at, length);
		lay_out(d, box, text, fitted);
		fitted->shortened = false;
		if (fitted->size >= enough) {
			g_free(valid);
			return;
		}
		if (fitted->size > best.size)
			best = *fitted;
		if (!at[length])
			break;
		at += length + 1;
	}
	g_free(valid);
	*fitted = best;
	if (best.size < box->least && box->lines >= LINES_WITHIN_WORDS) {
		char broken[DRAWING_TEXT];

		break_anywhere(text, broken);
		lay_out(d, box, broken, fitted);
		if (fitted->size >= box->least)
			return;
		shorten(d, box, broken, fitted);
	} else if (best.size < box->least) {
		shorten(d, box, text, fitted);
	}
}
