/* A press in words: a line of a list, a sentence, an object; and the live view of a terminal. */
#include "cli/press.h"
#include "picture/terminal.h"

#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

enum { LEAVE_US = 3000000, BRIEF_US = 200000, INDENT = 2 };

static uint64_t now_us(void)
{
	struct timespec now;

	clock_gettime(CLOCK_REALTIME, &now);
	return (uint64_t)now.tv_sec * 1000000U + (uint64_t)now.tv_nsec / 1000U;
}

static const struct lurk_nickname *nickname_of(const struct presses *p,
					       const struct lurk_press_record *r)
{
	uint16_t described =
		cli_described(p->cli, &p->cli->machine->keyboards[r->keyboard].info.identity);

	return described ? lurk_nickname_of(&p->cli->keyboards, described, r->scan, r->key) : NULL;
}

/* A key by its nickname, its name, or its code. */
static const char *key_words(const struct presses *p, const struct lurk_press_record *r,
			     char out[LURK_WORDS])
{
	const struct lurk_nickname *nickname = nickname_of(p, r);

	if (!nickname)
		return lurk_words_key(r->key, r->scan, out);
	snprintf(out, LURK_WORDS, "%s", nickname->name);
	return out;
}

/* ---- Words ---------------------------------------------------------------------------------- */

/* What the press gives, by the rule where that is more than a key. */
static const char *given(const struct presses *p, const struct lurk_press_record *r,
			 char out[LURK_WORDS])
{
	const struct lurk_image *image = p->cli->machine->image;
	lurk_key gives = lurk_action_key(&r->gives, r->key);
	struct lurk_rule rule = {.gives = {.kind = LURK_GIVES_NOTHING}};

	if (r->gives.rank && image && r->gives.rule < image->rule_count)
		lurk_image_rule(image, r->gives.rule, &rule);
	if (rule.gives.kind >= LURK_GIVES_CHORDS)
		return lurk_words_result(&rule.gives, out);
	snprintf(out, LURK_WORDS, "%s", gives ? lurk_key_name(gives) : "nothing");
	return out;
}

static const char *gives_words(const struct presses *p, const struct lurk_press_record *r,
			       char *out, size_t size)
{
	const struct lurk_image *image = p->cli->machine->image;
	struct lurk_rule rule;
	char words[LURK_WORDS];

	if (!r->gives.rank) {
		snprintf(out, size, "%s", r->key ? "gives itself" : "gives nothing");
		return out;
	}
	snprintf(out, size, "gives %s", given(p, r, words));
	if (r->gives.gives == LURK_GIVES_ITSELF)
		snprintf(out, size, "gives itself");
	if (image && r->gives.rule < image->rule_count) {
		lurk_image_rule(image, r->gives.rule, &rule);
		snprintf(out + strlen(out), size - strlen(out), " (line %u)", rule.line);
	}
	return out;
}

static const char *duration(uint64_t us, char out[32])
{
	if (us < 10000000)
		snprintf(out, 32, "%u ms", (unsigned)(us / 1000));
	else
		snprintf(out, 32, "%u s", (unsigned)(us / 1000000));
	return out;
}

static const char *time_words(const struct presses *p, const struct lurk_press_record *r, char *out,
			      size_t size)
{
	char time[32];

	if (r->held && p->ended)
		snprintf(out, size, "pressed, not released");
	else if (r->held)
		snprintf(out, size, "is down");
	else if (!r->down_us)
		snprintf(out, size, "released, not pressed");
	else
		snprintf(out, size, "down %s", duration(r->up_us - r->down_us, time));
	if (r->repeats)
		snprintf(out + strlen(out), size - strlen(out), ", repeated");
	return out;
}

/* Knobs and media keys mostly come from another interface than letters do. */
static const char *interface_words(const struct lurk_press_record *r, char out[64])
{
	static const char *const nth[] = {"", "second", "third", "fourth"};

	*out = '\0';
	if (r->interface && r->interface < sizeof nth / sizeof *nth)
		snprintf(out, 64, "from its %s interface", nth[r->interface]);
	else if (r->interface)
		snprintf(out, 64, "from its interface number %u", r->interface + 1U);
	return out;
}

static const char *means_words(lurk_key key, char out[96])
{
	const char *meaning = lurk_key_meaning(key);

	snprintf(out, 96, "%s%s", *meaning ? "means " : "",
		 !strcmp(meaning, " ") ? "a space" : meaning);
	return out;
}

/* What is odd about this press, and what to do; "" for nothing. */
static const char *oddity_words(const struct presses *p, const struct lurk_press_record *r,
				char out[PRESSES_WORDS])
{
	char name[LURK_WORDS], on[LURK_WORDS];

	cli_keyboard_words(p->cli, r->keyboard, on);
	*out = '\0';
	key_words(p, r, name);
	switch (lurk_press_oddity(&p->history, r, p->cli->machine->desk ? 0 : now_us())) {
	case LURK_ODD_BOUNCED:
		snprintf(out, PRESSES_WORDS,
			 "It came again within %u ms: it bounces. `lurk move %s NEWKEY%s` lets "
			 "another key do its job.",
			 (unsigned)LURK_BOUNCE_US / 1000, name, on);
		break;
	case LURK_ODD_LONG:
		snprintf(
			out, PRESSES_WORDS,
			"If nobody holds it, it is stuck: `lurk move %s NEWKEY%s` lets another key "
			"do its job.",
			name, on);
		break;
	case LURK_ODD_WAS_DOWN:
		snprintf(out, PRESSES_WORDS, "It was down before this began.");
		break;
	case LURK_ODD_NO_RELEASE:
		snprintf(out, PRESSES_WORDS,
			 "It was pressed twice and never released: `lurk keyboards%s --press-only "
			 "%s` "
			 "tells Lurk that it never is.",
			 on, name);
		break;
	default:
		if (!r->key && !r->gives.rank)
			snprintf(out, PRESSES_WORDS,
				 "It can have a job all the same: lurk map %s KEY", name);
		if (!r->key && !r->gives.rank && *on && !nickname_of(p, r))
			snprintf(out + strlen(out), PRESSES_WORDS - strlen(out),
				 "; and a name: lurk keyboards%s --nickname %s=NAME", on, name);
		break;
	}
	return out;
}

const char *presses_words(const struct presses *p, const struct lurk_press_record *r,
			  char out[PRESSES_WORDS])
{
	char scan[LURK_SCAN_TEXT], name[LURK_WORDS];

	if (r->key)
		snprintf(out, PRESSES_WORDS, "%s on %s, scan code %s", key_words(p, r, name),
			 cli_keyboard_name(p->cli, r->keyboard), lurk_scan_write(r->scan, scan));
	else
		snprintf(out, PRESSES_WORDS, "a key without a name on %s, scan code %s",
			 cli_keyboard_name(p->cli, r->keyboard), lurk_scan_write(r->scan, scan));
	return out;
}

/* ---- One press after the other -------------------------------------------------------------- */

static void print_json(const struct presses *p, const struct lurk_press_record *r)
{
	struct json_object *object = json_object_new_object();
	char scan[LURK_SCAN_TEXT], name[LURK_WORDS], odd[PRESSES_WORDS], words[LURK_WORDS];

	json_object_object_add(object, "keyboard",
			       json_object_new_string(cli_keyboard_name(p->cli, r->keyboard)));
	json_object_object_add(object, "key", json_object_new_string(key_words(p, r, name)));
	json_object_object_add(object, "scan",
			       json_object_new_string(lurk_scan_write(r->scan, scan)));
	json_object_object_add(object, "meaning", json_object_new_string(lurk_key_meaning(r->key)));
	json_object_object_add(object, "gives", json_object_new_string(given(p, r, words)));
	json_object_object_add(object, "pressed", json_object_new_boolean(r->down_us != 0));
	json_object_object_add(object, "released", json_object_new_boolean(!r->held));
	json_object_object_add(
		object, "down_ms",
		json_object_new_int64(
			r->down_us && !r->held ? (int64_t)(r->up_us - r->down_us) / 1000 : 0));
	json_object_object_add(object, "repeats", json_object_new_int64(r->repeats));
	json_object_object_add(object, "interface", json_object_new_int(r->interface + 1));
	json_object_object_add(object, "odd", json_object_new_string(oddity_words(p, r, odd)));
	cli_print_json(object);
}

/* Names of one's own are short; what keyboards call themselves is not. */
static size_t name_width(const struct cli *cli)
{
	size_t most = 8;

	for (uint16_t i = 0; i < cli->machine->keyboard_count; i++) {
		size_t n =
			cli->machine->keyboards[i].present ? strlen(cli_keyboard_name(cli, i)) : 0;

		most = n > most ? n : most;
	}
	return most;
}

static void print_row(struct presses *p, const struct lurk_press_record *r)
{
	char scan[LURK_SCAN_TEXT], gives[128], time[64], means[96], line[PRESSES_WORDS];
	char odd[PRESSES_WORDS], name[LURK_WORDS], from[64];

	p->shown++;
	if (p->cli->json) {
		print_json(p, r);
		return;
	}
	interface_words(r, from);
	snprintf(line, sizeof line, "%-*s  %-16s  %-11s  %-21s  %-26s  %s%s%s",
		 (int)name_width(p->cli), cli_keyboard_name(p->cli, r->keyboard),
		 r->key || nickname_of(p, r) ? key_words(p, r, name) : "(no name)",
		 lurk_scan_write(r->scan, scan), means_words(r->key, means),
		 gives_words(p, r, gives, sizeof gives), time_words(p, r, time, sizeof time),
		 *from ? ", " : "", from);
	if (p->live)
		printf("%.*s\n", (int)cli_columns() - 1, line);
	else
		puts(line);
	if (!p->live && *oddity_words(p, r, odd))
		printf("          %s\n", odd);
}

/* ---- The live view -------------------------------------------------------------------------- */

static void erase(struct presses *p)
{
	char up[32];

	snprintf(up, sizeof up, "\033[%uA\033[J", p->drawn);
	if (p->drawn)
		cli_raw(up);
	p->drawn = 0;
}

/* The part of a text that goes on one line, up to a blank where there is one; then the next. */
static size_t line_of(const char *text, const char **next)
{
	const size_t width = cli_columns() - 2 * INDENT, length = strlen(text);
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

/* A key that this keyboard surely has. */
static lurk_key leave_key(const struct cli *cli, uint16_t keyboard)
{
	static const lurk_key best[] = {LURK_KEY_ESC, LURK_KEY_SPACE, LURK_KEY_ENTER,
					LURK_KEY_KPENTER};
	const struct lurk_session_keyboard *k = &cli->machine->keyboards[keyboard];
	uint16_t described = cli_described(cli, &k->info.identity);

	for (size_t i = 0; i < sizeof best / sizeof *best; i++) {
		if (lurk_declares(&k->info, best[i]) &&
		    !cli_is_out_of_order(cli, described, best[i]))
			return best[i];
	}
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		if (lurk_declares(&k->info, key) && !cli_is_out_of_order(cli, described, key))
			return key;
	}
	return LURK_KEY_NONE;
}

static const struct lurk_press_record *newest(const struct presses *p)
{
	return p->history.count ? lurk_history_at(&p->history, p->history.count - 1) : NULL;
}

/* The key as a cap, drawn heavily while it is down, and the keyboard beside it. */
static void draw_cap(struct presses *p, const struct lurk_press_record *r)
{
	static const char *const lines[2][6] = {{"╭", "─", "╮", "│", "╰", "╯"},
						{"┏", "━", "┓", "┃", "┗", "┛"}};
	const char *const *line = lines[r->held];
	char name[LURK_WORDS];

	key_words(p, r, name);
	for (int row = 0; row < 3; row++) {
		printf("%*s%s", INDENT, "", line[row == 0 ? 0 : row == 1 ? 3 : 4]);
		if (row == 1) {
			printf("  ");
			cli_print_strong(name);
			printf("  %s  on %s", line[3], cli_keyboard_name(p->cli, r->keyboard));
		}
		for (size_t i = 0; row != 1 && i < strlen(name) + 4; i++)
			fputs(line[1], stdout);
		puts(row == 1 ? "" : line[row ? 5 : 2]);
		p->drawn++;
	}
}

/* Words on a press; what is odd about it only where there is room for it. */
static void draw_press(struct presses *p, const struct lurk_press_record *r)
{
	enum { BELOW = 3 }; /* a blank line, how to end it, and the cursor */
	char line[PRESSES_WORDS], gives[128], means[96], scan[LURK_SCAN_TEXT], time[32];
	char from[64];

	means_words(r->key, means);
	snprintf(line, sizeof line, "Scan code %s. %s%s%sNow %s. ", lurk_scan_write(r->scan, scan),
		 *means ? "M" : "", *means ? means + 1 : "", *means ? ". " : "",
		 gives_words(p, r, gives, sizeof gives));
	if (r->held && now_us() < r->down_us + BRIEF_US)
		snprintf(line + strlen(line), sizeof line - strlen(line), "It is down.");
	else if (r->held)
		snprintf(line + strlen(line), sizeof line - strlen(line), "Down for %s by now%s.",
			 duration(now_us() - r->down_us, time), r->repeats ? ", repeating" : "");
	else if (r->down_us)
		snprintf(line + strlen(line), sizeof line - strlen(line), "It was down for %s.",
			 duration(r->up_us - r->down_us, time));
	if (*interface_words(r, from))
		snprintf(line + strlen(line), sizeof line - strlen(line), " It comes %s.", from);
	p->drawn += wrapped(line);
	if (*oddity_words(p, r, line) && p->drawn + lines_of(line) + BELOW <= cli_rows())
		p->drawn += wrapped(line);
}

/* The keyboard with the press on it, where the terminal is large enough; then what the key is
 * called, as a cap where there is room for that. */
static void draw_picture(struct presses *p, const struct lurk_press_record *r)
{
	enum { WORDS = 12, FEWER_WORDS = 8, ROWS_LEAST = 24 }; /* lines below it */
	const unsigned rows = cli_rows();
	char *picture = NULL, line[PRESSES_FOOT], name[LURK_WORDS];
	unsigned lines = 0;

	if (rows > FEWER_WORDS && cli_columns() >= TERMINAL_LEAST)
		picture = p->picture(p->cli, &p->history, r, rows - FEWER_WORDS);
	if (!picture) {
		snprintf(line, sizeof line,
			 "The keyboard's picture takes %d columns and %d lines, and this terminal "
			 "has %u and %u.",
			 TERMINAL_LEAST, ROWS_LEAST, cli_columns(), rows);
		p->drawn += wrapped(line);
		draw_cap(p, r);
		return;
	}
	for (const char *c = picture; *c; c++)
		lines += *c == '\n';
	cli_raw(picture);
	free(picture);
	p->drawn += lines;
	if (lines + WORDS <= rows) {
		draw_cap(p, r);
		return;
	}
	key_words(p, r, name);
	printf("%*s", INDENT, "");
	cli_print_strong(name);
	printf(" on %s\n", cli_keyboard_name(p->cli, r->keyboard));
	p->drawn++;
}

static void draw(struct presses *p)
{
	const struct lurk_press_record *r = newest(p);
	char line[PRESSES_FOOT];

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
	if (!*line && r && leave_key(p->cli, r->keyboard))
		snprintf(line, sizeof line, "To end: hold %s for three seconds, or Ctrl+C.",
			 lurk_key_name(leave_key(p->cli, r->keyboard)));
	putchar('\n');
	p->drawn++;
	if (*line)
		p->drawn += wrapped(line);
	fflush(stdout);
}

/* ---- For others ----------------------------------------------------------------------------- */

void presses_init(struct presses *p, struct cli *cli, const char *empty)
{
	*p = (struct presses){.cli = cli};
	p->empty = empty;
	lurk_history_init(&p->history);
	p->live = !cli->json && !cli->machine->desk && isatty(STDOUT_FILENO);
}

const struct lurk_press_record *presses_note(struct presses *p, const struct lurk_event *event,
					     const struct lurk_action *action)
{
	const struct lurk_machine *machine = p->cli->machine;
	struct lurk_message unused;

	if (event->keyboard >= machine->keyboard_count)
		return NULL;
	/* It may have come since the machine was last looked at. */
	if (!machine->keyboards[event->keyboard].present)
		lurk_machine_look(p->cli->machine, &unused);
	return lurk_history_feed(&p->history, event, action);
}

void presses_feed(struct presses *p, const struct lurk_event *event,
		  const struct lurk_action *action)
{
	const struct lurk_press_record *r = presses_note(p, event, action);

	if (p->live)
		erase(p);
	if (r)
		print_row(p, r);
	if (p->live)
		draw(p);
	fflush(stdout);
}

void presses_tick(struct presses *p)
{
	const struct lurk_press_record *r = newest(p);

	/* Calm: drawn anew only where something has changed. */
	if (!p->live || (p->drawn && !(r && r->held) && !strcmp(p->foot, p->drawn_foot)))
		return;
	erase(p);
	draw(p);
}

bool presses_left(const struct presses *p)
{
	const struct lurk_press_record *r = newest(p);

	return p->live && r && r->held && r->down_us && r->key == leave_key(p->cli, r->keyboard) &&
	       now_us() > r->down_us + LEAVE_US;
}

void presses_print_picture(struct presses *p)
{
	const struct lurk_press_record *r = newest(p);
	char *picture = r ? p->picture(p->cli, &p->history, r, 0) : NULL;

	if (picture)
		cli_raw(picture);
	free(picture);
}

void presses_end(struct presses *p)
{
	p->ended = true;
	if (p->live)
		erase(p);
	for (uint32_t i = 0; lurk_history_at(&p->history, i); i++) {
		const struct lurk_press_record *r = lurk_history_at(&p->history, i);

		if (r->held && !(p->live && r->key == leave_key(p->cli, r->keyboard)))
			print_row(p, r);
	}
	p->live = false;
}
