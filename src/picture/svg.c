/* Drawings as SVG 1.1: text stays text. */
#include <math.h>

#include "picture/drawing.h"

/* Printed with a point for a decimal comma in every locale, and without a tail of zeros. */
static const char *number(double value, char out[32])
{
	g_ascii_formatd(out, 32, "%.3f", value);
	for (size_t n = strlen(out); n && out[n - 1] == '0'; n--)
		out[n - 1] = '\0';
	if (g_str_has_suffix(out, "."))
		out[strlen(out) - 1] = '\0';
	return out;
}

static void add_number(GString *out, const char *name, double value)
{
	char text[32];

	g_string_append_printf(out, " %s=\"%s\"", name, number(value, text));
}

static void add_colour(GString *out, const struct drawing *d, const char *name, enum ink ink)
{
	if (ink == INK_NONE)
		g_string_append_printf(out, " %s=\"none\"", name);
	else
		g_string_append_printf(out, " %s=\"#%06x\"", name, drawing_colour(d, ink));
}

static void write_path(GString *out, const struct drawing *d, const struct shape *shape)
{
	char x[32], y[32];

	g_string_append(out, "<path d=\"");
	for (unsigned i = 0; i < shape->steps; i++) {
		const struct path_step *step = &d->steps[shape->first_step + i];

		g_string_append_c(out, step->what);
		for (int p = 0; p < (step->what == 'C' ? 3 : step->what == 'Z' ? 0 : 1); p++)
			g_string_append_printf(out, "%s%s,%s", p ? " " : "", number(step->x[p], x),
					       number(step->y[p], y));
	}
	g_string_append_c(out, '"');
	add_colour(out, d, "fill", shape->fill);
	if (shape->stroke) {
		add_colour(out, d, "stroke", shape->stroke);
		add_number(out, "stroke-width", shape->line_width);
	}
	if (shape->dash > 0)
		add_number(out, "stroke-dasharray", shape->dash);
	g_string_append(out, "/>\n");
}

/* The width as measured is given, so that another font does not make a text longer. */
static void write_text(GString *out, const struct drawing *d, const struct shape *shape)
{
	static const char *const anchors[] = {"start", "middle", "end"};
	char *text = g_markup_escape_text(shape->text, -1);

	g_string_append(out, "<text");
	add_number(out, "x", shape->x);
	add_number(out, "y", shape->y);
	add_number(out, "font-size", shape->size);
	add_number(out, "textLength", shape->width);
	g_string_append(out, " lengthAdjust=\"spacingAndGlyphs\"");
	if (shape->anchor)
		g_string_append_printf(out, " text-anchor=\"%s\"", anchors[shape->anchor]);
	if (shape->bold)
		g_string_append(out, " font-weight=\"bold\"");
	add_colour(out, d, "fill", shape->ink);
	g_string_append_printf(out, ">%s</text>\n", text);
	g_free(text);
}

GByteArray *drawing_svg(const struct drawing *d, struct lurk_message *message)
{
	char *title, width[32], height[32];
	GString *out;
	gsize length;

	if (!drawing_is_one_page(d, message))
		return NULL;
	out = g_string_new("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
	title = g_markup_escape_text(d->title, -1);
	number(d->width, width);
	number(d->height, height);
	g_string_append_printf(
		out,
		"<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"%smm\" height=\"%smm\" "
		"viewBox=\"0 0 %s %s\" font-family=\"%s\" role=\"img\">\n<title>%s</title>\n",
		width, height, width, height, DRAWING_FAMILY, title);
	g_free(title);
	g_string_append_printf(out, "<rect width=\"%s\" height=\"%s\" fill=\"#%06x\"/>\n", width,
			       height, drawing_colour(d, INK_PAPER));
	for (unsigned i = 0; i < d->count; i++) {
		const struct shape *shape = &d->shapes[i];
		char *name = g_markup_escape_text(shape->name, -1);

		if (shape->kind == SHAPE_PATH)
			write_path(out, d, shape);
		else if (shape->kind == SHAPE_TEXT)
			write_text(out, d, shape);
		else if (shape->kind == SHAPE_GROUP)
			g_string_append_printf(out, "<g class=\"%s\"><title>%s</title>\n",
					       shape->text, name);
		else if (shape->kind == SHAPE_GROUP_END)
			g_string_append(out, "</g>\n");
		g_free(name);
	}
	g_string_append(out, "</svg>\n");
	length = out->len;
	return g_byte_array_new_take((guint8 *)g_string_free(out, FALSE), length);
}
