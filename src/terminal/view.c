/* A press in words: a line of a list, a sentence, an object; and the live view of a terminal. */
#include "terminal/view.h"

#include <string.h>
#include <time.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/work/presses.h"
#include "picture/terminal.h"
#include "tell/press.h"
#include "tell/view.h"
#include "tell/words.h"
#include "terminal/terminal.h"

/* How late an event may be told of on a busy computer before its absence says something. */
enum { LEAVE_US = 3000000, LATE_US = 1200000, INDENT = 2 };

static uint64_t now_us(void)
{
	struct timespec now;

	clock_gettime(CLOCK_REALTIME, &now);
	return (uint64_t)now.tv_sec * 1000000U + (uint64_t)now.tv_nsec / 1000U;
}

/* Of what came until then all has been told. */
static uint64_t seen_until(const struct term_view *p)
{
	return p->machine->desk ? lurk_sim_now(p->machine->desk->sim) : now_us() - LATE_US;
}

/* What its words are of. */
static struct tell_presses told(const struct term_view *p)
{
	return (struct tell_presses){p->ws, p->machine, &p->history, p->ended};
}

static lurk_key leave_key(const struct term_view *p, const struct lurk_press_record *r)
{
	return lurk_leave_key(p->ws, p->machine, r->keyboard);
}

/* Whether it is held, or was, for as long as it takes to leave the view; that is done once it is
 * released, so that its repeats do not go on in a shell. */
static bool is_leaving(const struct term_view *p, const struct lurk_press_record *r,
		       uint64_t until_us)
{
	const uint64_t end_us = r->held ? until_us : r->up_us;

	return p->live && r->down_us && r->key && r->key == leave_key(p, r) &&
	       end_us >= r->down_us + LEAVE_US;
}

static void print_row(struct term_view *p, const struct lurk_press_record *r)
{
	const struct tell_presses about = told(p);
	const uint64_t now = p->machine->desk ? 0 : now_us();
	char words[TELL_PRESS];

	p->shown++;
	if (p->json)
		term_json(tell_press_json(&about, r, now));
	else if (p->live)
		printf("%.*s\n", (int)term_columns() - 1, tell_press_row(&about, r, words));
	else
		puts(tell_press_row(&about, r, words));
	if (!p->json && !p->live && *tell_press_oddity(&about, r, now, words))
		printf("          %s\n", words);
}

/* ---- The live view -------------------------------------------------------------------------- */

static void erase(struct term_view *p)
{
	char up[32];

	snprintf(up, sizeof up, "\033[%uA\033[J", p->drawn);
	if (p->drawn)
		term_raw(up);
	p->drawn = 0;
}

/* The part of a text that goes on one line, up to a blank where there is one; then the next. */
static size_t line_of(const char *text, const char **next)
{
	const size_t width = term_columns() - 2 * INDENT, length = strlen(text);
	size_t n = length;

	if (n > width) {
		for (n = width; n && text[n] != ' '; n--)
			;
		n = n ? n : strcspn(text, " ");
	}
	*next = text + n + strspn(text + n, " ");
	return n;
}

static unsigned lines_of(const char *text)
{
	unsigned lines = 0;

	for (; *text; lines++)
		line_of(text, &text);
	return lines;
}

/* Prints a text wrapped at blanks; returns how many lines that took. */
static unsigned wrapped(const char *text)
{
	unsigned lines = 0;

	for (const char *next; *text; text = next, lines++) {
		size_t n = line_of(text, &next);

		printf("%*s%.*s\n", INDENT, "", (int)n, text);
	}
	return lines;
}

static const struct lurk_press_record *newest(const struct term_view *p)
{
	return p->history.count ? lurk_history_at(&p->history, p->history.count - 1) : NULL;
}

/* The key as a cap, drawn heavily while it is down, and the keyboard beside it. */
static void draw_cap(struct term_view *p, const struct lurk_press_record *r)
{
	static const char *const lines[2][6] = {{"╭", "─", "╮", "│", "╰", "╯"},
						{"┏", "━", "┓", "┃", "┗", "┛"}};
	const char *const *line = lines[r->held];
	const struct tell_presses about = told(p);
	char name[LURK_WORDS];

	tell_press_key(&about, r, name);
	for (int row = 0; row < 3; row++) {
		printf("%*s%s", INDENT, "", line[row == 0 ? 0 : row == 1 ? 3 : 4]);
		if (row == 1) {
			printf("  ");
			term_strong(name);
			printf("  %s  on %s", line[3],
			       tell_keyboard(p->machine, &p->ws->keyboards, r->keyboard));
		}
		for (size_t i = 0; row != 1 && i < strlen(name) + 4; i++)
			fputs(line[1], stdout);
		puts(row == 1 ? "" : line[row ? 5 : 2]);
		p->drawn++;
	}
}

/* Words on a press; what is odd about it only where there is room for it. */
static void draw_press(struct term_view *p, const struct lurk_press_record *r)
{
	enum { BELOW = 3 }; /* a blank line, how to end it, and the cursor */
	const struct tell_presses about = told(p);
	const uint64_t now = now_us();
	char line[TELL_PRESS];

	tell_press_now(&about, r, now, line);
	p->drawn += wrapped(line);
	if (*tell_press_oddity(&about, r, now, line) &&
	    p->drawn + lines_of(line) + BELOW <= term_rows())
		p->drawn += wrapped(line);
}

/* As text for a terminal, to be freed; NULL where it cannot be drawn in so many lines, 0 for any.
 */
static char *lit_keyboard(const struct term_view *p, const struct lurk_press_record *r,
			  unsigned lines)
{
	struct picture *picture = tell_lit_keyboard(p->ws, p->machine, &p->history, r);
	char *drawn = terminal_draw(picture, term_columns(), lines, term_styled());

	lurk_release(picture);
	return drawn;
}

/* The keyboard with the press on it, where the terminal is large enough; then what the key is
 * called, as a cap where there is room for that. */
static void draw_picture(struct term_view *p, const struct lurk_press_record *r)
{
	enum { WORDS = 12, FEWER_WORDS = 8, ROWS_LEAST = 24 }; /* lines below it */
	const unsigned rows = term_rows();
	const struct tell_presses about = told(p);
	char *picture = NULL, line[TERM_FOOT], name[LURK_WORDS];
	unsigned lines = 0;

	if (rows > FEWER_WORDS && term_columns() >= TERMINAL_LEAST)
		picture = lit_keyboard(p, r, rows - FEWER_WORDS);
	if (!picture) {
		snprintf(line, sizeof line,
			 "The keyboard's picture takes %d columns and %d lines, and this terminal "
			 "has %u and %u.",
			 TERMINAL_LEAST, ROWS_LEAST, term_columns(), rows);
		p->drawn += wrapped(line);
		draw_cap(p, r);
		return;
	}
	for (const char *c = picture; *c; c++)
		lines += *c == '\n';
	term_raw(picture);
	lurk_release(picture);
	p->drawn += lines;
	if (lines + WORDS <= rows) {
		draw_cap(p, r);
		return;
	}
	printf("%*s", INDENT, "");
	term_strong(tell_press_key(&about, r, name));
	printf(" on %s\n", tell_keyboard(p->machine, &p->ws->keyboards, r->keyboard));
	p->drawn++;
}

static void draw(struct term_view *p)
{
	const struct lurk_press_record *r = newest(p);
	char line[TERM_FOOT];

	putchar('\n');
	p->drawn++;
	if (r && p->picture)
		draw_picture(p, r);
	else if (r)
		draw_cap(p, r);
	if (r)
		draw_press(p, r);
	else
		p->drawn += wrapped(p->empty);
	snprintf(line, sizeof line, "%s", p->foot);
	snprintf(p->drawn_foot, sizeof p->drawn_foot, "%s", p->foot);
	if (!*line && r && r->held && is_leaving(p, r, now_us()))
		snprintf(line, sizeof line, "Let go of %s: that ends it.", lurk_key_name(r->key));
	else if (!*line && r && leave_key(p, r))
		snprintf(line, sizeof line, "To end: hold %s for three seconds, or Ctrl+C.",
			 lurk_key_name(leave_key(p, r)));
	putchar('\n');
	p->drawn++;
	if (*line)
		p->drawn += wrapped(line);
	fflush(stdout);
}

/* ---- For others ----------------------------------------------------------------------------- */

void term_view_init(struct term_view *p, const char *empty)
{
	p->empty = empty;
	lurk_history_init(&p->history);
	p->live = !p->json && !p->machine->desk && isatty(STDOUT_FILENO);
}

const struct lurk_press_record *term_view_note(struct term_view *p, const struct lurk_event *event,
					       const struct lurk_action *action)
{
	const struct lurk_machine *machine = p->machine;
	struct lurk_message unused;

	if (event->keyboard >= machine->keyboard_count)
		return NULL;
	/* It may have come since the machine was last looked at. */
	if (!machine->keyboards[event->keyboard].present)
		lurk_machine_look(p->machine, &unused);
	return lurk_history_feed(&p->history, event, action);
}

/* Presses that are over without a release, at their place. */
static bool print_overdue(struct term_view *p, uint64_t time_us)
{
	const struct lurk_press_record *r;
	bool any = false;

	for (; (r = lurk_history_overdue(&p->history, time_us)); any = true) {
		if (p->live && !any)
			erase(p);
		print_row(p, r);
	}
	return any;
}

const struct lurk_press_record *term_view_end_overdue(struct term_view *p)
{
	const struct lurk_press_record *last = NULL, *r;

	while ((r = lurk_history_overdue(&p->history, seen_until(p))))
		last = r;
	return last;
}

void term_view_feed(struct term_view *p, const struct lurk_event *event,
		    const struct lurk_action *action)
{
	const struct lurk_press_record *r;

	if (p->live)
		erase(p);
	print_overdue(p, event->time_us);
	r = term_view_note(p, event, action);
	if (r && !is_leaving(p, r, r->up_us))
		print_row(p, r);
	if (p->live)
		draw(p);
	fflush(stdout);
}

void term_view_tick(struct term_view *p)
{
	const struct lurk_press_record *r = newest(p);
	const bool told = !p->machine->desk && print_overdue(p, seen_until(p));

	if (told)
		fflush(stdout);
	/* Calm: drawn anew only where something has changed. */
	if (!p->live || (!told && p->drawn && !(r && r->held) && !strcmp(p->foot, p->drawn_foot)))
		return;
	erase(p);
	draw(p);
}

bool term_view_left(const struct term_view *p)
{
	const struct lurk_press_record *r = newest(p);

	return r && !r->held && is_leaving(p, r, r->up_us);
}

void term_view_print_picture(struct term_view *p)
{
	const struct lurk_press_record *r = newest(p);
	char *picture = r ? lit_keyboard(p, r, 0) : NULL;

	if (picture)
		term_raw(picture);
	lurk_release(picture);
}

void term_view_end(struct term_view *p)
{
	p->ended = true;
	if (p->live)
		erase(p);
	print_overdue(p, seen_until(p));
	for (uint32_t i = 0; lurk_history_at(&p->history, i); i++) {
		const struct lurk_press_record *r = lurk_history_at(&p->history, i);

		if (r->held && !(p->live && r->key == leave_key(p, r)))
			print_row(p, r);
	}
	p->live = false;
}
