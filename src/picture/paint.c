/* Drawings as PNG and PDF (cairo, pango). */
#include <cairo-pdf.h>
#include <math.h>

#include "picture/drawing.h"

static void set_ink(cairo_t *cairo, const struct drawing *d, enum ink ink)
{
	const unsigned colour = drawing_colour(d, ink);

	cairo_set_source_rgb(cairo, (colour >> 16 & 0xff) / 255.0, (colour >> 8 & 0xff) / 255.0,
			     (colour & 0xff) / 255.0);
}

static void paint_paper(cairo_t *cairo, const struct drawing *d)
{
	set_ink(cairo, d, INK_PAPER);
	cairo_paint(cairo);
}

static void paint_path(cairo_t *cairo, const struct drawing *d, const struct shape *shape)
{
	cairo_new_path(cairo);
	for (unsigned i = 0; i < shape->steps; i++) {
		const struct path_step *s = &d->steps[shape->first_step + i];

		switch (s->what) {
		case 'M':
			cairo_move_to(cairo, s->x[0], s->y[0]);
			break;
		case 'L':
			cairo_line_to(cairo, s->x[0], s->y[0]);
			break;
		case 'C':
			cairo_curve_to(cairo, s->x[0], s->y[0], s->x[1], s->y[1], s->x[2], s->y[2]);
			break;
		default:
			cairo_close_path(cairo);
			break;
		}
	}
	if (shape->fill) {
		set_ink(cairo, d, shape->fill);
		cairo_fill_preserve(cairo);
	}
	if (shape->stroke) {
		set_ink(cairo, d, shape->stroke);
		cairo_set_line_width(cairo, shape->line_width);
		cairo_set_dash(cairo, &shape->dash, shape->dash > 0, 0);
		cairo_stroke_preserve(cairo);
	}
	cairo_new_path(cairo);
}

static void paint_text(cairo_t *cairo, const struct drawing *d, PangoLayout *layout,
		       const struct shape *shape)
{
	drawing_font(layout, shape->size, shape->bold);
	pango_layout_set_text(layout, shape->text, -1);
	set_ink(cairo, d, shape->ink);
	cairo_move_to(cairo, shape->x - shape->width * shape->anchor / 2,
		      shape->y - (double)pango_layout_get_baseline(layout) / PANGO_SCALE);
	pango_cairo_show_layout(cairo, layout);
}

static void paint(cairo_t *cairo, const struct drawing *d)
{
	PangoLayout *layout = drawing_layout(cairo);

	paint_paper(cairo, d);
	for (unsigned i = 0; i < d->count; i++) {
		const struct shape *shape = &d->shapes[i];

		if (shape->kind == SHAPE_PATH) {
			paint_path(cairo, d, shape);
		} else if (shape->kind == SHAPE_TEXT) {
			paint_text(cairo, d, layout, shape);
		} else if (shape->kind == SHAPE_PAGE) {
			cairo_show_page(cairo);
			paint_paper(cairo, d);
		}
	}
	g_object_unref(layout);
}

static cairo_status_t collect(void *closure, const unsigned char *bytes, unsigned length)
{
	g_byte_array_append(closure, bytes, length);
	return CAIRO_STATUS_SUCCESS;
}

static GByteArray *finish(GByteArray *bytes, cairo_status_t status, struct lurk_message *message)
{
	if (status == CAIRO_STATUS_SUCCESS)
		return bytes;
	lurk_say(message, "drawing failed: %s", cairo_status_to_string(status));
	g_byte_array_unref(bytes);
	return NULL;
}

GByteArray *drawing_png(const struct drawing *d, double dots_per_mm, struct lurk_message *message)
{
	cairo_surface_t *surface;
	cairo_t *cairo;
	GByteArray *bytes;
	cairo_status_t status;

	if (!drawing_is_one_page(d, message))
		return NULL;
	bytes = g_byte_array_new();
	surface = cairo_image_surface_create(CAIRO_FORMAT_RGB24, (int)ceil(d->width * dots_per_mm),
					     (int)ceil(d->height * dots_per_mm));
	cairo = cairo_create(surface);
	cairo_scale(cairo, dots_per_mm, dots_per_mm);
	paint(cairo, d);
	status = cairo_status(cairo);
	cairo_destroy(cairo);
	if (status == CAIRO_STATUS_SUCCESS)
		status = cairo_surface_write_to_png_stream(surface, collect, bytes);
	cairo_surface_destroy(surface);
	return finish(bytes, status, message);
}

GByteArray *drawing_pdf(const struct drawing *d, struct lurk_message *message)
{
	static const double points_per_mm = 72 / 25.4;
	GByteArray *bytes = g_byte_array_new();
	cairo_surface_t *surface = cairo_pdf_surface_create_for_stream(
		collect, bytes, d->width * points_per_mm, d->height * points_per_mm);
	cairo_t *cairo = cairo_create(surface);
	cairo_status_t status;

	cairo_pdf_surface_set_metadata(surface, CAIRO_PDF_METADATA_TITLE, d->title);
	cairo_scale(cairo, points_per_mm, points_per_mm);
	paint(cairo, d);
	status = cairo_status(cairo);
	cairo_destroy(cairo);
	cairo_surface_finish(surface);
	if (status == CAIRO_STATUS_SUCCESS)
		status = cairo_surface_status(surface);
	cairo_surface_destroy(surface);
	return finish(bytes, status, message);
}
