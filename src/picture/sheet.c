#include "picture/sheet.h"

#include <stdio.h>
#include <string.h>

#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

const struct sheet_paper sheet_a4 = {210, 297}, sheet_letter = {215.9, 279.4};

/* A line of text at most so wide; returns how high it is. */
static double draw_line(struct drawing *d, double x, double y, double width, double size, bool bold,
			enum ink ink, const char *text)
{
	const double height = size * 1.5;
	const struct fit_box box = {width, height, size, size * 0.7, 1, bold};

	caps_text(d, &box, text, x, y + height / 2, 0, ink);
	return height;
}

/* ---- A picture with its caption ---------------------------------------------------------------
 */

static const double margin = 8, column_gap = 8, least_width = 170;
enum { COLUMN_MM = 112, RULES_SHOWN = 24 };

static unsigned columns_for(double width)
{
	unsigned columns = (unsigned)(width / COLUMN_MM);

	return columns ? columns : 1;
}

/* Entries fill rows from left to right. */
static double draw_rules(struct drawing *d, const struct sheet *sheet, double x, double y,
			 double width, double size)
{
	const unsigned columns = columns_for(width),
		       shown = sheet->rule_count > RULES_SHOWN ? RULES_SHOWN : sheet->rule_count;
	const double column = width / columns;
	char more[96];

	for (unsigned i = 0; i < shown; i++) {
		const unsigned of_row = i % columns;
		double height = draw_line(d, x + of_row * column, y, column - column_gap, size,
					  false, INK_TEXT, sheet->rules[i]);

		if (of_row + 1 == columns || i + 1 == shown)
			y += height;
	}
	if (sheet->rule_count > shown) {
		snprintf(more, sizeof more, "and %u more; `lurk show` lists them all",
			 sheet->rule_count - shown);
		y += draw_line(d, x, y, width, size, false, INK_TEXT, more);
	}
	return y;
}

static bool sheet_has(const struct sheet *sheet, enum picture_sign sign)
{
	bool has = false;

	for (unsigned i = 0; i < sheet->picture_count; i++)
		has |= picture_has(sheet->pictures[i], sign);
	return has;
}

static double draw_signs(struct drawing *d, const struct sheet *sheet, double x, double y,
			 double width, double size)
{
	const double sample = size * 1.9, height = sample + 1.6, left = x;
	bool any = false;

	for (unsigned sign = 0; sign < PICTURE_SIGNS; sign++) {
		const char *words = picture_sign_words((enum picture_sign)sign);
		double needed = sample + 2 + drawing_text_width(d, size, false, words) + column_gap;

		if (!sheet_has(sheet, (enum picture_sign)sign))
			continue;
		if (any && x + needed - column_gap > left + width) {
			x = left;
			y += height;
		}
		caps_draw_sample(d, (enum picture_sign)sign, x, y, sample);
		draw_line(d, x + sample + 2, y + (sample - size * 1.5) / 2, width - sample - 2,
			  size, false, INK_QUIET, words);
		x += needed;
		any = true;
	}
	return any ? y + height : y;
}

/* Everything, for a width that all of it may take; returns the height. */
static double draw_sheet(struct drawing *d, const struct sheet *sheet, double width, double scale)
{
	double y = margin;

	y += draw_line(d, margin, y, width, 6.5, true, INK_TEXT, sheet->title);
	y += draw_line(d, margin, y, width, 4, false, INK_QUIET, sheet->under);
	y += 2;
	for (unsigned i = 0; i < sheet->picture_count; i++) {
		if (sheet->captions[i])
			y += draw_line(d, margin, y, width, 5, true, INK_TEXT, sheet->captions[i]);
		caps_draw(d, sheet->pictures[i], (struct caps_place){margin, y, scale});
		y += caps_height(sheet->pictures[i], scale) + 4;
	}
	y = draw_signs(d, sheet, margin, y, width, 3.6);
	y = draw_rules(d, sheet, margin, y + 1, width, 4) + 1;
	for (unsigned i = 0; i < sheet->back_count; i++)
		y += draw_line(d, margin, y, width, 4, true, INK_TEXT, sheet->back[i]);
	return y + margin;
}

static double widest(const struct sheet *sheet, double scale)
{
	double width = 0;

	for (unsigned i = 0; i < sheet->picture_count; i++) {
		if (caps_width(sheet->pictures[i], scale) > width)
			width = caps_width(sheet->pictures[i], scale);
	}
	return width;
}

void sheet_picture(struct drawing *d, const struct sheet *sheet, const struct sheet_paper *paper)
{
	const double keyboard = widest(sheet, 1);
	double width = keyboard > least_width ? keyboard : least_width, scale = 1, height;

	drawing_init(d, width + 2 * margin, 1, sheet->dark, sheet->title);
	if (!paper) {
		d->height = draw_sheet(d, sheet, width, 1);
		return;
	}
	/* The caption keeps its size where the keyboard becomes smaller. */
	d->width = paper->height;
	width = paper->height - 2 * margin;
	if (keyboard > width)
		scale = width / keyboard;
	height = draw_sheet(d, sheet, width, scale);
	while (height > paper->width && scale > 0.2) {
		scale *= 0.95;
		drawing_free(d);
		drawing_init(d, paper->height, 1, sheet->dark, sheet->title);
		height = draw_sheet(d, sheet, width, scale);
	}
	d->height = paper->width;
}

/* ---- A card -----------------------------------------------------------------------------------
 */

static double draw_row(struct drawing *d, const struct sheet_row *row, const double at[3],
		       double right, double y, bool bold)
{
	const char *const texts[] = {row->press, row->now, row->note};
	double height = 0;

	for (unsigned i = 0; i < 3; i++)
		height = draw_line(d, at[i], y, (i < 2 ? at[i + 1] : right) - at[i] - 2, 3.4, bold,
				   INK_TEXT, texts[i]);
	drawing_line(d, at[0], y + height, right, y + height, INK_FAINT_EDGE, 0.2);
	return height;
}

/* The table in one column, or two where it is long. */
static void draw_table(struct drawing *d, const struct sheet *sheet, double x, double y,
		       double width, double bottom)
{
	static const struct sheet_row head = {"key", "now", "note"};
	const double row = 3.4 * 1.5;
	const unsigned fit = (unsigned)((bottom - y) / row) - 1;
	const unsigned columns = sheet->row_count > fit ? 2 : 1;
	const double column = width / columns;
	const unsigned room = columns * fit;
	const unsigned shown = sheet->row_count > room ? room - 1 : sheet->row_count;
	char more[96];

	for (unsigned c = 0; c < columns; c++) {
		const double left = x + c * column, right = left + column - (columns > 1 ? 4 : 0);
		const double part = right - left;
		const double at[] = {left, left + part * 0.3, left + part * 0.62};
		double line = y + draw_row(d, &head, at, right, y, true);

		for (unsigned i = c * fit; i < shown && i < (c + 1) * fit; i++)
			line += draw_row(d, &sheet->rows[i], at, right, line, false);
		if (shown < sheet->row_count && c + 1 == columns) {
			snprintf(more, sizeof more, "and %u more: `lurk show`",
				 sheet->row_count - shown);
			draw_line(d, left, line, part, 3.4, true, INK_TEXT, more);
		}
	}
}

/* How to get back, in a box; all lines in the size that the longest has room for. */
static void draw_back(struct drawing *d, const struct sheet *sheet, double left, double top,
		      double width)
{
	const double padding = 4, inner = width - 2 * padding;
	double size = 3.4, y = top + padding / 2;

	for (unsigned i = 0; i < sheet->back_count; i++) {
		double wide = drawing_text_width(d, 1, false, sheet->back[i]);

		size = wide * size > inner ? inner / wide : size;
	}
	y += draw_line(d, left + padding, y, inner, 4.4, true, INK_TEXT, "How to get back");
	for (unsigned i = 0; i < sheet->back_count; i++)
		y += draw_line(d, left + padding, y, inner, size, false, INK_TEXT, sheet->back[i]);
	drawing_box(d, left, top, width, y + padding / 2 - top, 2, INK_NONE, INK_TEXT, 0.5);
}

void sheet_card(struct drawing *d, const struct sheet *sheet, const struct sheet_paper *paper)
{
	const double width = paper->height - 2 * margin, bottom = paper->width - margin;
	const double back_width = 92, table_width = width - back_width - 6;
	const double keyboard = widest(sheet, 1);
	double scale = keyboard > width ? width / keyboard : 1, y = margin;

	/* At most half of the page is the keyboard. */
	if (caps_height(sheet->pictures[0], scale) > paper->width * 0.5)
		scale *= paper->width * 0.5 / caps_height(sheet->pictures[0], scale);
	drawing_init(d, paper->height, paper->width, sheet->dark, sheet->title);
	y += draw_line(d, margin, y, width, 6, true, INK_TEXT, sheet->title);
	y += draw_line(d, margin, y, width, 3.6, false, INK_QUIET, sheet->under) + 1;
	caps_draw(d, sheet->pictures[0], (struct caps_place){margin, y, scale});
	y += caps_height(sheet->pictures[0], scale) + 3;
	y = draw_signs(d, sheet, margin, y, width, 3.2) + 1;
	draw_table(d, sheet, margin, y, table_width, bottom);
	draw_back(d, sheet, margin + table_width + 6, y, back_width);
}

/* ---- Labels to cut out ------------------------------------------------------------------------
 */

/* A cap's upper face is so much smaller than its place. */
static const double taper = 6.05, label_gap = 7, mark_length = 3, bar = 50;

static void draw_cut_marks(struct drawing *d, double x, double y, double width, double height)
{
	for (unsigned i = 0; i < 4; i++) {
		const bool right = i % 2, low = i >= 2;
		const double cx = right ? x + width : x, cy = low ? y + height : y;
		const double out_x = right ? 1 : -1, out_y = low ? 1 : -1;

		drawing_line(d, cx + out_x * 0.6, cy, cx + out_x * mark_length, cy, INK_TEXT, 0.15);
		drawing_line(d, cx, cy + out_y * 0.6, cx, cy + out_y * mark_length, INK_TEXT, 0.15);
	}
}

/* What the label is for and what it says, whole. */
static void write_in_full(const struct picture_cap *cap, const char *name, const char *legend,
			  char out[DRAWING_TEXT])
{
	const char *at = cap->all_with;
	char line[PICTURE_TEXT];
	bool any = *legend;

	*out = '\0';
	lurk_append(out, DRAWING_TEXT, name);
	lurk_append(out, DRAWING_TEXT, ":  ");
	lurk_append(out, DRAWING_TEXT, legend);
	for (; picture_next_line(&at, line); any = true) {
		lurk_append(out, DRAWING_TEXT, any ? "; " : "");
		lurk_append(out, DRAWING_TEXT, line);
	}
}

/* What modifiers bring about stands above, a line each; returns how high that is. */
static double draw_all_with(struct drawing *d, const struct picture_cap *cap, double x, double y,
			    double width, double most, bool *whole)
{
	unsigned lines = *cap->all_with != '\0';
	const char *at = cap->all_with;
	char line[PICTURE_TEXT];
	double height;

	for (const char *c = at; (c = strchr(c, '\n')); c++)
		lines++;
	height = lines * 3.2 < most ? 3.2 : most / (lines ? lines : 1);
	for (unsigned i = 0; picture_next_line(&at, line); i++) {
		const struct fit_box box = {width - 2, height, 2.8, 1.5, 1, true};

		*whole = caps_text(d, &box, line, x + width / 2, y + 0.6 + (i + 0.5) * height, 1,
				   INK_TEXT) &&
			 *whole;
	}
	return lines ? lines * height + 0.4 : 0;
}

/* False where not all of it had room, which is then to be told in `full`. */
static bool draw_label(struct drawing *d, const struct picture_cap *cap, double x, double y,
		       double width, double height, char full[DRAWING_TEXT])
{
	enum { MAIN_LINES = 6 };
	char scan[LURK_SCAN_TEXT], name[PICTURE_TEXT], classes[] = "label";
	const struct fit_box place = {width + 4, 3.2, 2.6, 1.6, 1, false};
	const double below = y + height + mark_length;
	struct fit_box main = {width - 2, 0, 5.6, 1.6, MAIN_LINES, true};
	char legend[PICTURE_TEXT], lost[PICTURE_TEXT + 8];
	bool whole = true;
	double strip;

	/* By what it still types. */
	snprintf(legend, sizeof legend, "%s %s", cap->levels & 2 ? "" : cap->legends[1],
		 cap->legends[0]);
	g_strstrip(legend);
	picture_first(*cap->small     ? cap->small
		      : *cap->printed ? cap->printed
		      : *cap->main    ? cap->main
				      : legend,
		      name);
	drawing_group(d, classes,
		      cap->place.key ? lurk_key_name(cap->place.key)
				     : lurk_scan_write(cap->scan, scan));
	drawing_box(d, x, y, width, height, 0, INK_PAPER, INK_FAINT_EDGE, 0.1);
	draw_cut_marks(d, x, y, width, height);
	strip = draw_all_with(d, cap, x, y, width, height * 0.55, &whole);
	main.height = height - 2 - strip;
	if (*cap->main)
		whole = caps_text(d, &main, cap->main, x + width / 2,
				  y + 1 + strip + main.height / 2, 1, INK_TEXT) &&
			whole;
	else
		caps_legends(d, &(struct legend_box){cap, x + 1.3, y + strip, width - 2.6,
						     height - strip, 0.78, INK_TEXT, INK_TEXT});
	caps_text(d, &place, name, x + width / 2, below + 1.2, 1, INK_QUIET);
	snprintf(lost, sizeof lost, "lost: %s", cap->lost);
	if (*cap->lost)
		caps_text(d, &place, lost, x + width / 2, below + 4, 1, INK_TEXT);
	drawing_group_end(d);
	picture_first(cap->main, legend);
	write_in_full(cap, name, legend, full);
	return whole;
}

static void draw_scale(struct drawing *d, double y)
{
	enum { STEPS = 5 };

	for (unsigned i = 0; i <= STEPS; i++)
		drawing_line(d, margin + i * bar / STEPS, y, margin + i * bar / STEPS,
			     y - (i % STEPS ? 2 : 4), INK_TEXT, 0.2);
	drawing_group(d, "scale", "50 mm");
	drawing_line(d, margin, y, margin + bar, y, INK_TEXT, 0.2);
	drawing_group_end(d);
	draw_line(d, margin + bar + 4, y - 4.5, 130, 3.2, false, INK_TEXT,
		  "This bar is 50 mm long; if not, print again at 100 %, without fitting.");
}

static double start_page(struct drawing *d, const struct sheet *sheet,
			 const struct sheet_paper *paper)
{
	double y = margin;

	y += draw_line(d, margin, y, paper->width - 2 * margin, 5, true, INK_TEXT, sheet->title);
	y += draw_line(
		d, margin, y, paper->width - 2 * margin, 3.4, false, INK_QUIET,
		"Cut along the marks. Below each label: the key that it belongs on, and signs "
		"that no key types any more.");
	draw_scale(d, paper->height - margin);
	return y + label_gap;
}

unsigned sheet_labels(struct drawing *d, const struct sheet *sheet, const struct sheet_paper *paper)
{
	const struct picture *p = sheet->pictures[0];
	char(*full)[DRAWING_TEXT] = lurk_allocate(p->count + 1U, sizeof *full);
	double x = margin + mark_length, y, row = 0;
	unsigned count = 0, cut = 0;

	drawing_init(d, paper->width, paper->height, false, sheet->title);
	y = start_page(d, sheet, paper);
	for (unsigned i = 0; i < p->count; i++) {
		const struct picture_cap *cap = &p->caps[i];
		const double unit = LURK_UNIT_MM / LURK_UNIT_QUARTERS;
		const double width = cap->place.width * unit - taper;
		/* The lower row of a tall Enter is narrower: the label is for its upper one. */
		const double height = (cap->place.shape == LURK_CAP_ENTER ? LURK_UNIT_QUARTERS
									  : cap->place.height) *
					      unit -
				      taper;

		if (!picture_cap_changed(cap))
			continue;
		if (x + width > paper->width - margin - mark_length) {
			x = margin + mark_length;
			y += row + label_gap * 2.1;
			row = 0;
		}
		if (y + height + label_gap * 1.5 > paper->height - margin - 6) {
			drawing_page(d);
			y = start_page(d, sheet, paper);
			x = margin + mark_length;
			row = 0;
		}
		cut += !draw_label(d, cap, x, y, width, height, full[cut]);
		x += width + label_gap + 2;
		row = height > row ? height : row;
		count++;
	}
	y += row + label_gap * 1.8;
	for (unsigned i = 0; i < cut; i++) {
		if (y + 2 * label_gap > paper->height - margin - 6) {
			drawing_page(d);
			y = start_page(d, sheet, paper);
		}
		if (!i)
			y += draw_line(d, margin, y, paper->width - 2 * margin, 3.4, true, INK_TEXT,
				       "What had no room on its label, in full:");
		y += draw_line(d, margin, y, paper->width - 2 * margin, 3.4, false, INK_TEXT,
			       full[i]);
	}
	lurk_release(full);
	return count;
}
