#include "picture/terminal.h"

#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

enum { UNIT_MOST = 8, UNIT_LEAST = 5, GAP_LINES = 1, EDGES = 64 };
/* A row of caps with its border: two lines of text, or one. */
enum { ROW_LINES = 3, LOW_ROW_LINES = 2 };
enum { NORMAL, DIM, BOLD, REVERSED };
enum { LIGHT = 1, HEAVY = 2 };
enum { UP, DOWN, LEFT, RIGHT };

/* A character cell: a border's lines to four sides, or a text's beginning; a wide character's
 * second cell is `taken`. */
struct cell {
	uint8_t lines[4], style;
	bool dashed, taken;
	char text[48];
};

struct canvas {
	struct cell *cells;
	unsigned columns, rows;
};

/* Where things stand: columns by place, lines by the edges that caps have. */
struct scale {
	double unit; /* columns of a quarter */
	uint8_t edges[EDGES];
	unsigned lines[EDGES], edge_count, row_lines;
};

struct frame {
	unsigned left, top, right, bottom; /* of the border */
	unsigned notch, waist;             /* of a tall Enter: column and line; 0 for others */
};

static struct cell *cell_at(struct canvas *c, unsigned column, unsigned row)
{
	static struct cell outside;

	return column < c->columns && row < c->rows ? &c->cells[row * c->columns + column]
						    : &outside;
}

/* ---- Borders --------------------------------------------------------------------------------- */

/* One step of a line, from one cell to the next. */
static void join(struct cell *from, struct cell *to, unsigned out, unsigned in, uint8_t weight,
		 bool dashed)
{
	if (weight > from->lines[out])
		from->lines[out] = weight;
	if (weight > to->lines[in])
		to->lines[in] = weight;
	from->dashed |= dashed;
	to->dashed |= dashed;
}

static void draw_line(struct canvas *c, unsigned x1, unsigned y1, unsigned x2, unsigned y2,
		      uint8_t weight, bool dashed)
{
	for (; x1 < x2; x1++)
		join(cell_at(c, x1, y1), cell_at(c, x1 + 1, y1), RIGHT, LEFT, weight, dashed);
	for (; y1 < y2; y1++)
		join(cell_at(c, x1, y1), cell_at(c, x1, y1 + 1), DOWN, UP, weight, dashed);
}

static void draw_frame(struct canvas *c, const struct frame *f, uint8_t weight, bool dashed)
{
	unsigned waist = f->notch ? f->waist : f->bottom, low = f->notch ? f->notch : f->left;

	draw_line(c, f->left, f->top, f->right, f->top, weight, dashed);
	draw_line(c, f->left, f->top, f->left, waist, weight, dashed);
	draw_line(c, f->right, f->top, f->right, f->bottom, weight, dashed);
	draw_line(c, low, f->bottom, f->right, f->bottom, weight, dashed);
	if (f->notch) {
		draw_line(c, f->left, waist, low, waist, weight, dashed);
		draw_line(c, low, waist, low, f->bottom, weight, dashed);
	}
}

/* Indexed by the weights up, down, left and right, in threes. */
static const char *const boxes[81] = {
	" ", "╶", "╺", "╴", "─", "╼", "╸", "╾", "━", "╷", "┌", "┍", "┐", "┬", "┮", "┑", "┭",
	"┯", "╻", "┎", "┏", "┒", "┰", "┲", "┓", "┱", "┳", "╵", "└", "┕", "┘", "┴", "┶", "┙",
	"┵", "┷", "│", "├", "┝", "┤", "┼", "┾", "┥", "┽", "┿", "╽", "┟", "┢", "┧", "╁", "╆",
	"┪", "╅", "╈", "╹", "┖", "┗", "┚", "┸", "┺", "┛", "┹", "┻", "╿", "┞", "┡", "┦", "╀",
	"╄", "┩", "╃", "╇", "┃", "┠", "┣", "┨", "╂", "╊", "┫", "╉", "╋"};

static const char *box_of(const struct cell *cell)
{
	const unsigned index =
		((cell->lines[UP] * 3U + cell->lines[DOWN]) * 3 + cell->lines[LEFT]) * 3 +
		cell->lines[RIGHT];

	if (cell->dashed && !strcmp(boxes[index], "─"))
		return "┄";
	if (cell->dashed && !strcmp(boxes[index], "│"))
		return "┆";
	return boxes[index];
}

/* ---- Texts ----------------------------------------------------------------------------------- */

/* Hebrew, Arabic and their neighbours. */
static bool is_rightward(wchar_t c)
{
	return c >= 0x0590 && c <= 0x08ff;
}

static void put(struct canvas *c, unsigned column, unsigned row, const char *text, uint8_t style)
{
	static const char left_to_right_mark[] = "\u200e";
	struct cell *cell = NULL;
	bool rightward = false;

	while (*text) {
		const char *start = text;
		wchar_t ch = lurk_utf8_next(&text);
		char bytes[8];

		snprintf(bytes, sizeof bytes, "%.*s", (int)(text - start), start);
		rightward |= is_rightward(ch);
		if (lurk_utf8_width(ch) <= 0 && cell) {
			lurk_append(cell->text, sizeof cell->text, bytes);
			continue;
		}
		cell = cell_at(c, column++, row);
		snprintf(cell->text, sizeof cell->text, "%s", bytes);
		cell->style = style;
		if (lurk_utf8_width(ch) == 2) {
			cell_at(c, column, row)->taken = true;
			cell_at(c, column++, row)->style = style;
		}
	}
	/* A terminal that turns text from right to left around must do so within a cap. */
	if (rightward)
		lurk_append(cell->text, sizeof cell->text, left_to_right_mark);
}

/* The first alternative that fits, or the last one shortened. */
static void fit(const char *alternatives, unsigned room, char out[PICTURE_TEXT])
{
	const char *at = alternatives;

	for (;;) {
		size_t length = picture_first(at, out);

		if (lurk_utf8_columns(out) <= room || !at[length])
			break;
		at += length + 1;
	}
	if (lurk_utf8_columns(out) <= room)
		return;
	while (*out && lurk_utf8_columns(out) + 1 > room)
		lurk_drop_last(out);
	while (*out && out[strlen(out) - 1] == ' ')
		lurk_drop_last(out);
	if (room)
		lurk_append(out, PICTURE_TEXT, "…");
}

static void put_fitted(struct canvas *c, unsigned left, unsigned row, unsigned room,
		       const char *alternatives, uint8_t style)
{
	char text[PICTURE_TEXT + 8];

	fit(alternatives, room, text);
	put(c, left, row, text, style);
}

static void put_right(struct canvas *c, unsigned right, unsigned row, const char *text,
		      uint8_t style)
{
	put(c, right - lurk_utf8_columns(text), row, text, style);
}

/* What stands small: what it gave, what it gives with modifiers, whose partner it is. */
static void second_line(const struct picture_cap *cap, unsigned room, char out[2 * PICTURE_TEXT])
{
	char with[PICTURE_TEXT], first[PICTURE_TEXT], rest[PICTURE_TEXT];
	const char *colon;

	*out = '\0';
	picture_first(cap->with, with);
	colon = strstr(with, ": ");
	if (cap->pressed || cap->target) {
		snprintf(out, PICTURE_TEXT, "%s", cap->pressed ? "here\n•" : "job");
	} else if (cap->held) {
		snprintf(out, PICTURE_TEXT, "held");
	} else if (colon) {
		if (lurk_utf8_columns(with) <= room)
			snprintf(out, PICTURE_TEXT, "%s", with);
		else
			snprintf(out, PICTURE_TEXT, "+%s", colon + 2);
	} else if (cap->mark == PICTURE_SWAPPED && cap->pair) {
		snprintf(first, sizeof first, "⇄%u", cap->pair);
		fit(cap->small, room, rest);
		/* Its partner by name only where that is whole. */
		if (strstr(rest, "…") || lurk_utf8_columns(rest) + lurk_utf8_columns(first) >= room)
			*rest = '\0';
		snprintf(out, 2 * PICTURE_TEXT, "%.16s%s%.60s", first, *rest ? " " : "", rest);
	} else {
		snprintf(out, PICTURE_TEXT, "%s", *cap->second ? cap->second : cap->small);
	}
}

/* A shortcut too long for one line has both, before what it gave: "Meta" and "+C". */
static bool on_two_lines(const struct picture_cap *cap, unsigned room, char upper[PICTURE_TEXT],
			 char lower[PICTURE_TEXT])
{
	const char *at = cap->main;

	if (!cap->mark || *cap->with || cap->held || cap->pressed || cap->target)
		return false;
	for (;;) {
		size_t length = picture_first(at, upper);
		char *plus = strrchr(upper, '+');

		if (lurk_utf8_columns(upper) <= room)
			return false;
		if (plus && plus != upper && lurk_utf8_columns(plus) <= room) {
			snprintf(lower, PICTURE_TEXT, "%s", plus);
			*plus = '\0';
			if (lurk_utf8_columns(upper) <= room)
				return true;
		}
		if (!at[length])
			return false;
		at += length + 1;
	}
}

/* Where there is one line: what the cap gives; that it is lit stands on its border. */
static void draw_low_texts(struct canvas *c, const struct picture_cap *cap, const struct frame *f,
			   uint8_t style)
{
	const unsigned left = f->left + 1, room = f->right - f->left - 1, row = f->top + 1;
	char line[2 * PICTURE_TEXT];

	put_fitted(c, left, row, room, *cap->main ? cap->main : cap->legends[0], style);
	if (style != REVERSED)
		return;
	second_line(cap, room, line);
	put_fitted(c, left, row + 1, room, line, REVERSED);
}

/* Whether a legend is not the usual one. */
static bool told(const struct picture_cap *cap, unsigned level)
{
	return (cap->levels | cap->own) >> level & 1;
}

static void draw_texts(struct canvas *c, const struct picture_cap *cap, const struct frame *f)
{
	const unsigned left = f->left + 1, room = f->right - f->left - 1, row = f->top + 1;
	const bool lit = cap->pressed || cap->target || cap->held;
	const bool quiet = cap->faint || cap->absent, low = f->bottom - f->top == LOW_ROW_LINES;
	const uint8_t style = lit ? REVERSED : quiet ? DIM : cap->mark ? BOLD : NORMAL;
	const char *flag = cap->broken ? "×" : cap->by_code && !cap->faint ? "≡" : "";
	char line[2 * PICTURE_TEXT], side[LURK_LEGEND + 8];
	char upper[PICTURE_TEXT], lower[PICTURE_TEXT];

	if (lit) {
		for (unsigned y = row; y < f->bottom; y++) {
			unsigned x = f->notch && y >= f->waist ? f->notch + 1 : left;

			for (; x < f->right; x++)
				cell_at(c, x, y)->style = REVERSED;
		}
	}
	if (cap->mark == PICTURE_NOTHING && !cap->faint && !lit) {
		for (unsigned x = left; x < f->right; x++) {
			put(c, x, row, "░", DIM);
			if (!low)
				put(c, x, row + 1, "░", DIM);
		}
	}
	if (low) {
		draw_low_texts(c, cap, f, style);
		return;
	}
	second_line(cap, room - lurk_utf8_columns(flag), line);
	if (on_two_lines(cap, room, upper, lower)) {
		put(c, left, row, upper, style);
		put_fitted(c, left, row + 1, room - lurk_utf8_columns(flag), lower, style);
	} else if (*cap->main || *line) {
		put_fitted(c, left, row, room, *cap->main ? cap->main : cap->legends[0], style);
		put_fitted(c, left, row + 1, room - lurk_utf8_columns(flag), line,
			   lit ? REVERSED : DIM);
		snprintf(side, sizeof side, "%s", *cap->main ? "" : cap->legends[1]);
		if (lurk_utf8_columns(side) + 2 <= room)
			put_right(c, f->right, row, side, told(cap, 1) && !lit ? BOLD : style);
	} else {
		const bool two = *cap->legends[1];

		put_fitted(c, left, row, room, two ? cap->legends[1] : cap->legends[0],
			   told(cap, two) && !lit ? BOLD : style);
		put_fitted(c, left, row + 1, room, two ? cap->legends[0] : "",
			   told(cap, 0) && !lit ? BOLD : style);
		snprintf(side, sizeof side, "%s", cap->legends[2]);
		if (*side && lurk_utf8_columns(side) + 2 <= room)
			put_right(c, f->right, row + 1, side, told(cap, 2) ? BOLD : DIM);
		snprintf(side, sizeof side, "%s", cap->legends[3]);
		if (*side && lurk_utf8_columns(side) + 2 <= room)
			put_right(c, f->right, row, side, told(cap, 3) ? BOLD : DIM);
	}
	if (*flag)
		put_right(c, f->right, row + 1, flag, lit ? REVERSED : BOLD);
}

/* ---- Where things stand ---------------------------------------------------------------------- */

/* Where a block is, or all below one: its left and upper edge, and what is right of it and below.
 */
struct extent {
	unsigned left, top, right, bottom;
};

static struct extent extent_of(const struct picture *p, unsigned first, unsigned last)
{
	struct extent e = {UINT_MAX, UINT_MAX, 0, 0};

	for (unsigned i = 0; i < p->count; i++) {
		const struct lurk_place *place = &p->caps[i].place;
		const unsigned right = (unsigned)place->x + place->width;
		const unsigned bottom = (unsigned)place->y + place->height;

		if (place->block < first || place->block > last)
			continue;
		e.left = place->x < e.left ? place->x : e.left;
		e.top = place->y < e.top ? place->y : e.top;
		e.right = right > e.right ? right : e.right;
		e.bottom = bottom > e.bottom ? bottom : e.bottom;
	}
	return e;
}

static void move_block(struct picture *p, unsigned block, const struct extent *from, unsigned left,
		       unsigned top)
{
	for (unsigned i = 0; i < p->count; i++) {
		struct lurk_place *place = &p->caps[i].place;

		if (place->block == block) {
			place->x = (uint8_t)(place->x - from->left + left);
			place->y = (uint8_t)(place->y - from->top + top);
		}
	}
}

/* The blocks beside the typing block go below it, next to each other; then come other keys. */
static void put_blocks_below(struct picture *p)
{
	enum { SPACE = 2 };
	const unsigned below = extent_of(p, 0, 0).bottom + SPACE;
	const unsigned top = extent_of(p, 1, PICTURE_EXTRA - 1).top;
	unsigned next = 0;

	for (unsigned block = 1; block < PICTURE_EXTRA; block++) {
		const struct extent e = extent_of(p, block, block);

		if (e.right) {
			move_block(p, block, &e, next, below + e.top - top);
			next += e.right - e.left + SPACE;
		}
	}
	if (extent_of(p, PICTURE_EXTRA, PICTURE_EXTRA).right) {
		const struct extent e = extent_of(p, PICTURE_EXTRA, PICTURE_EXTRA);

		move_block(p, PICTURE_EXTRA, &e, e.left,
			   extent_of(p, 0, PICTURE_EXTRA - 1).bottom + SPACE);
	}
}

static unsigned width_of(const struct picture *p)
{
	return extent_of(p, 0, UINT8_MAX).right;
}

static int compare_edges(const void *a, const void *b)
{
	return *(const uint8_t *)a - *(const uint8_t *)b;
}

static void add_edge(struct scale *s, unsigned y)
{
	for (unsigned i = 0; i < s->edge_count; i++) {
		if (s->edges[i] == y)
			return;
	}
	if (s->edge_count < EDGES)
		s->edges[s->edge_count++] = (uint8_t)y;
}

static void measure(struct scale *s, const struct picture *p, unsigned columns)
{
	const unsigned width = width_of(p);
	double unit = (double)(columns - 1) / width;

	s->unit = unit * LURK_UNIT_QUARTERS > UNIT_MOST ? (double)UNIT_MOST / LURK_UNIT_QUARTERS
							: unit;
	/* Whole columns for a key where that is possible, so that equal keys are equal. */
	if (s->unit * LURK_UNIT_QUARTERS >= UNIT_LEAST)
		s->unit = (double)(unsigned)(s->unit * LURK_UNIT_QUARTERS) / LURK_UNIT_QUARTERS;
	s->edge_count = 0;
	for (unsigned i = 0; i < p->count; i++) {
		add_edge(s, p->caps[i].place.y);
		add_edge(s, (unsigned)p->caps[i].place.y + p->caps[i].place.height);
	}
	qsort(s->edges, s->edge_count, 1, compare_edges);
	for (unsigned i = 0; i < s->edge_count; i++)
		s->lines[i] =
			!i ? 0
			   : s->lines[i - 1] + (s->edges[i] - s->edges[i - 1] >= 3 ? s->row_lines
										   : GAP_LINES);
}

static unsigned line_at(const struct scale *s, unsigned y)
{
	unsigned i = 0;

	while (i + 1 < s->edge_count && s->edges[i] < y)
		i++;
	return s->lines[i];
}

static unsigned column_at(const struct scale *s, unsigned x)
{
	return (unsigned)(x * s->unit + 0.5);
}

static struct frame frame_of(const struct scale *s, const struct lurk_place *p)
{
	struct frame f = {column_at(s, p->x),
			  line_at(s, p->y),
			  column_at(s, (unsigned)p->x + p->width),
			  line_at(s, (unsigned)p->y + p->height),
			  0,
			  0};

	if (p->shape == LURK_CAP_ENTER) {
		f.notch = column_at(s, p->x + 1U);
		f.waist = line_at(s, p->y + (unsigned)LURK_UNIT_QUARTERS);
	}
	return f;
}

/* ---- All of it ------------------------------------------------------------------------------- */

static void write_row(FILE *out, struct canvas *c, unsigned row, bool styled)
{
	static const char *const codes[] = {"\033[0m", "\033[2m", "\033[1m", "\033[7m"};
	unsigned last = 0;
	uint8_t style = NORMAL;

	for (unsigned x = 0; x < c->columns; x++) {
		const struct cell *cell = cell_at(c, x, row);

		if (*cell->text || cell->taken || cell->style || strcmp(box_of(cell), " ") != 0)
			last = x + 1;
	}
	for (unsigned x = 0; x < last; x++) {
		const struct cell *cell = cell_at(c, x, row);

		if (styled && cell->style != style) {
			fputs(codes[NORMAL], out);
			if (cell->style)
				fputs(codes[cell->style], out);
			style = cell->style;
		}
		if (!cell->taken)
			fputs(*cell->text ? cell->text : box_of(cell), out);
	}
	if (style)
		fputs(codes[NORMAL], out);
	putc('\n', out);
}

/* Only what stands in blocks of keys that are lit, or of the one that is pressed. */
static void keep_lit_blocks(struct picture *p, bool pressed_only)
{
	bool kept[UINT8_MAX + 1] = {false};
	unsigned count = 0;

	for (unsigned i = 0; i < p->count; i++)
		kept[p->caps[i].place.block] |=
			p->caps[i].pressed || (!pressed_only && p->caps[i].target);
	for (unsigned i = 0; i < p->count; i++) {
		if (kept[p->caps[i].place.block])
			p->caps[count++] = p->caps[i];
	}
	p->count = count;
}

static char *draw(struct picture *p, unsigned columns, unsigned lines, unsigned row_lines,
		  bool styled)
{
	char *text = NULL, *drawn;
	size_t length;
	FILE *out;
	struct scale scale = {.row_lines = row_lines};
	struct canvas canvas;

	if ((columns - 1) * LURK_UNIT_QUARTERS < UNIT_LEAST * width_of(p) ||
	    extent_of(p, 0, 0).right == 0)
		put_blocks_below(p);
	measure(&scale, p, columns);
	canvas.columns = column_at(&scale, width_of(p)) + 1;
	canvas.rows = scale.edge_count ? scale.lines[scale.edge_count - 1] + 1 : 0;
	if (!canvas.rows || (lines && canvas.rows > lines))
		return NULL;
	canvas.cells = lurk_allocate((size_t)canvas.columns * canvas.rows, sizeof *canvas.cells);
	out = open_memstream(&text, &length);
	if (!out)
		abort();
	for (unsigned i = 0; i < p->count; i++) {
		const struct picture_cap *cap = &p->caps[i];
		const struct frame f = frame_of(&scale, &cap->place);
		const bool strong = (cap->mark || picture_cap_varies(cap)) && !cap->faint;

		draw_frame(&canvas, &f, strong || cap->pressed || cap->target ? HEAVY : LIGHT,
			   cap->absent);
		draw_texts(&canvas, cap, &f);
	}
	for (unsigned row = 0; row < canvas.rows; row++)
		write_row(out, &canvas, row, styled);
	lurk_release(canvas.cells);
	fclose(out);
	drawn = lurk_copy(text, length);
	free(text);
	return drawn;
}

char *terminal_draw(const struct picture *picture, unsigned columns, unsigned lines, bool styled)
{
	char *drawn = NULL;

	columns = columns < TERMINAL_LEAST  ? TERMINAL_LEAST
		  : columns > TERMINAL_MOST ? TERMINAL_MOST
					    : columns;
	for (unsigned smaller = 0; !drawn && smaller < 4; smaller++) {
		struct picture p = *picture;

		if (smaller > 1)
			keep_lit_blocks(&p, smaller == 3);
		drawn = draw(&p, columns, lines, smaller ? LOW_ROW_LINES : ROW_LINES, styled);
		if (!lines)
			break;
	}
	return drawn;
}

const char *terminal_sign(enum picture_sign sign)
{
	static const char *const signs[PICTURE_SIGNS] = {
		[PICTURE_SIGN_CHANGED] = "┏━┓", [PICTURE_SIGN_SWAPPED] = "⇄1",
		[PICTURE_SIGN_NOTHING] = "░░░", [PICTURE_SIGN_WITH] = "+…",
		[PICTURE_SIGN_OWN] = "┏━┓",     [PICTURE_SIGN_BY_CODE] = "≡",
		[PICTURE_SIGN_BROKEN] = "×",    [PICTURE_SIGN_ABSENT] = "┄┄┄",
		[PICTURE_SIGN_HELD] = "held",
	};

	return signs[sign];
}
