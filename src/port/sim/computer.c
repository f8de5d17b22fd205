#include "lurk/desk/computer.h"

#include <inttypes.h>
#include <limits.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "lurk/layout/layout.h"
#include "lurk/text/memory.h"
#include "lurk/text/words.h"

enum {
	WORDS = 8,
	LINE = 512,
	PRESS_US = 80000,
	PAUSE_US = 120000,
	KEYMAP_SIZE = 1 << 22,
	FEW = 8, /* strokes that are told one by one */
	CELL = 256
};

/* A row being put together: what one piece of wire data led to. */
struct row {
	char wire[CELL], key[CELL], got[CELL], text[CELL], note[CELL];
	unsigned repeats, strokes;
	bool any;
};

struct player {
	struct lurk_computer *computer;
	const char *path;
	unsigned line;
	const char *action; /* not shown yet */
	struct row row;
	unsigned keyboard; /* of the last line */
	struct lurk_message *message;
	char split[LINE]; /* the line, taken apart into words */
	char *words[WORDS];
	unsigned count;
};

static void add(char cell[CELL], const char *separator, const char *text)
{
	size_t n = strlen(cell);

	snprintf(cell + n, CELL - n, "%s%s", n ? separator : "", text);
}

static void flush(struct player *p)
{
	struct lurk_computer *c = p->computer;
	struct row *row = &p->row;
	char repeats[48];
	struct lurk_play_row shown = {
		.line = p->line,
		.action = p->action ? p->action : "",
		.keyboard = c->desk.keyboards[p->keyboard].name,
		.wire = row->wire,
		.key = row->key,
		.got = row->got,
		.text = row->text,
		.note = row->note,
	};

	if (row->strokes > FEW) {
		snprintf(repeats, sizeof repeats, "%u strokes", row->strokes);
		*row->got = '\0';
		add(row->got, "", repeats);
	}
	if (row->repeats) {
		snprintf(repeats, sizeof repeats, "%u repeat%s", row->repeats,
			 row->repeats > 1 ? "s" : "");
		add(row->got, ", ", repeats);
	}
	if (c->show && (row->any || p->action))
		c->show(c->data, &shown);
	p->action = NULL;
	memset(row, 0, sizeof *row);
}

/* ---- What the simulated computer tells ------------------------------------------------------- */

static void on_wire(void *data, unsigned keyboard, const struct lurk_wire_data *wire)
{
	struct player *p = data;
	char byte[4];

	if (*p->row.wire || p->row.repeats)
		flush(p);
	p->keyboard = keyboard;
	p->row.any = true;
	for (unsigned i = 0; i < wire->length; i++) {
		snprintf(byte, sizeof byte, "%02x", wire->bytes[i]);
		add(p->row.wire, " ", byte);
	}
}

static const char *state_name(uint8_t state)
{
	return state == LURK_DOWN ? "down" : state == LURK_UP ? "up" : "repeats";
}

static void on_key(void *data, unsigned keyboard, const struct lurk_key_event *key)
{
	struct player *p = data;
	char name[LURK_WORDS], text[LURK_WORDS + 16];

	(void)keyboard;
	snprintf(text, sizeof text, "%s %s", lurk_words_key(key->key, key->scan, name),
		 state_name(key->state));
	add(p->row.key, ", ", text);
}

static void on_got(void *data, unsigned keyboard, lurk_key key, enum lurk_state state)
{
	struct player *p = data;
	char text[LURK_WORDS];

	(void)keyboard;
	if (p->computer->got)
		p->computer->got(p->computer->data, key, state);
	/* Text that is typed stands on a line of its own. */
	if (lurk_session_types(&p->computer->session) && *p->row.wire)
		flush(p);
	p->row.any = true;
	if (state == LURK_REPEAT) {
		p->row.repeats++;
		return;
	}
	if (key == LURK_KEY_UNKNOWN) { /* tapped, so that no modifier is seen alone */
		if (state == LURK_DOWN)
			add(p->row.got, ", ", "a spacer");
		return;
	}
	p->row.strokes++;
	snprintf(text, sizeof text, "%s %s", lurk_key_name(key), state_name((uint8_t)state));
	add(p->row.got, ", ", text);
}

/* Characters that cannot be seen, as they are shown. */
static const struct {
	char character;
	const char *shown;
} unseen[] = {{'\r', "↵"}, {'\n', "↵"}, {'\t', "⇥"}, {'\b', "⌫"}, {27, "Esc"}, {127, "⌦"}};

static void on_text(void *data, const char *text)
{
	struct player *p = data;

	for (size_t i = 0; i < sizeof unseen / sizeof *unseen; i++) {
		if (*text == unseen[i].character)
			text = unseen[i].shown;
	}
	if ((unsigned char)*text >= ' ')
		add(p->row.text, "", text);
}

static void on_note(void *data, const char *note)
{
	struct player *p = data;

	p->row.any = true;
	add(p->row.note, "; ", note);
}

static const struct lurk_sim_watch watcher = {
	.wire = on_wire, .key = on_key, .got = on_got, .text = on_text, .note = on_note};

/* ---- Opening -------------------------------------------------------------------------------- */

static void start_session(struct lurk_computer *c)
{
	c->started = lurk_session_start(&c->session, &c->memory, lurk_sim_port(c->sim));
	lurk_computer_settle(c);
}

void lurk_computer_settle(struct lurk_computer *computer)
{
	lurk_session_run(&computer->session);
}

/* ---- Between calls -------------------------------------------------------------------------- */

/* "of SEQUENCE", of the rules that were in force; "profile WORD"s, the later ones after the
 * earlier; "off". */
static void mode_path(const struct lurk_sim *sim, char path[PATH_MAX])
{
	snprintf(path, PATH_MAX, "%s/mode", lurk_sim_folder(sim));
}

static void use(struct lurk_computer *c, const char *word)
{
	const struct lurk_image *image = lurk_session_image(&c->session, 0);
	const struct lurk_text text = {word, strlen(word)};
	const uint16_t found = image ? lurk_image_find_profile(image, text) : 0;
	struct lurk_apply_report unused;

	if (found)
		lurk_session_use(&c->session, NULL, (uint16_t)(found - 1), &unused);
}

/* As it was left, if the same rules are in force still. */
static void resume(struct lurk_computer *c)
{
	const struct lurk_image *image = lurk_session_image(&c->session, 0);
	char path[PATH_MAX], line[80];
	struct lurk_apply_report unused;
	uint64_t sequence = 0;
	FILE *file;

	mode_path(c->sim, path);
	file = fopen(path, "r");
	while (file && fgets(line, sizeof line, file)) {
		sscanf(line, "of %" SCNu64, &sequence);
		if (!image || image->sequence != sequence)
			continue;
		line[strcspn(line, "\n")] = '\0';
		if (!strncmp(line, "profile ", 8))
			use(c, line + 8);
		else if (!strcmp(line, "off"))
			lurk_session_switch(&c->session, NULL, true, &unused);
	}
	if (file)
		fclose(file);
	lurk_computer_settle(c);
}

static size_t print_profile(const struct lurk_image *image, uint16_t index, char *out, size_t size)
{
	struct lurk_profile profile;

	if (index >= image->profile_count)
		return 0;
	lurk_image_profile(image, index, &profile);
	return (size_t)snprintf(out, size, "profile %.*s\n", (int)profile.word.length,
				profile.word.bytes);
}

bool lurk_computer_save(const struct lurk_computer *computer, struct lurk_message *message)
{
	const struct lurk_session_mode *mode = &computer->session.mode;
	const struct lurk_image *image = lurk_session_image(&computer->session, 0);
	const bool off = lurk_session_is_off(&computer->session, "");
	char path[PATH_MAX], text[160];
	size_t n;

	if (!lurk_sim_save(computer->sim, message))
		return false;
	mode_path(computer->sim, path);
	if (!image || mode->trying || !lurk_sim_has_power(computer->sim) ||
	    !(off || mode->parts[0].profile)) {
		unlink(path);
		return true;
	}
	n = (size_t)snprintf(text, sizeof text, "of %" PRIu64 "\n", image->sequence);
	n += print_profile(image, mode->parts[0].previous, text + n, sizeof text - n);
	n += print_profile(image, mode->parts[0].profile, text + n, sizeof text - n);
	n += (size_t)snprintf(text + n, sizeof text - n, "%s", off ? "off\n" : "");
	return lurk_file_write(path, text, n, message);
}

/* ---- Memory --------------------------------------------------------------------------------- */

static void make_memory(struct lurk_session_memory *m)
{
	const size_t size = lurk_session_size(LURK_DESK_KEYBOARDS, LURK_SIM_SLOT_SIZE, KEYMAP_SIZE);

	lurk_session_divide(m, lurk_resize(NULL, size), LURK_DESK_KEYBOARDS, LURK_SIM_SLOT_SIZE,
			    KEYMAP_SIZE);
}

bool lurk_computer_open(struct lurk_computer *computer, const char *folder,
			struct lurk_message *message)
{
	char path[PATH_MAX], *bytes;
	size_t length;
	bool exists;

	memset(computer, 0, sizeof *computer);
	snprintf(path, sizeof path, "%s/desk.yaml", folder);
	if (!lurk_file_read(path, &bytes, &length, &exists, message) ||
	    !lurk_desk_read(&computer->desk, path, bytes, length, message))
		return false;
	computer->sim = lurk_sim_new(&computer->desk, folder, message);
	if (!computer->sim) {
		lurk_computer_close(computer);
		return false;
	}
	make_memory(&computer->memory);
	start_session(computer);
	resume(computer);
	return true;
}

void lurk_computer_close(struct lurk_computer *computer)
{
	lurk_sim_free(computer->sim);
	lurk_release(computer->memory.keyboards); /* its block begins there */
	memset(computer, 0, sizeof *computer);
}

int lurk_computer_keyboard(const struct lurk_computer *computer, const char *name)
{
	for (unsigned i = 0; i < computer->desk.keyboard_count; i++) {
		if (!strcasecmp(computer->desk.keyboards[i].name, name))
			return (int)i;
	}
	return -1;
}

/* ---- Playing -------------------------------------------------------------------------------- */

static bool complain(struct player *p, const char *what, const char *word)
{
	return lurk_say(p->message, "%s:%u: %s `%s`", p->path, p->line, what, word);
}

static void pass_time(struct player *p, uint64_t time_us)
{
	uint64_t until = lurk_sim_now(p->computer->sim) + time_us;

	for (;;) {
		uint64_t due = lurk_session_deadline(&p->computer->session);
		bool more = lurk_sim_pass(p->computer->sim, due < until ? due : until);

		lurk_computer_settle(p->computer);
		if (!more && due >= until)
			return;
	}
}

/* `on KEYBOARD` among the words from `at`; takes it out. */
static bool take_keyboard(struct player *p, unsigned at)
{
	int found;

	for (unsigned i = at; i + 1 < p->count; i++) {
		if (strcmp(p->words[i], "on"))
			continue;
		found = lurk_computer_keyboard(p->computer, p->words[i + 1]);
		if (found < 0)
			return complain(p, "no keyboard on this desk is called", p->words[i + 1]);
		p->keyboard = (unsigned)found;
		memmove(&p->words[i], &p->words[i + 2], (p->count - i - 2) * sizeof *p->words);
		p->count -= 2;
		break;
	}
	if (!lurk_sim_plugged(p->computer->sim, p->keyboard))
		return complain(p,
				"not plugged in:", p->computer->desk.keyboards[p->keyboard].name);
	return true;
}

static int find_key(const struct lurk_desk_keyboard *keyboard, const char *label)
{
	struct lurk_message unused;
	struct lurk_press press;

	for (unsigned i = 0; i < keyboard->key_count; i++) {
		if (!strcasecmp(keyboard->keys[i].label, label))
			return (int)i;
	}
	if (!lurk_words_press(label, NULL, &press, &unused) || press.on.kind != LURK_TARGET_KEY)
		return -1;
	for (unsigned i = 0; i < keyboard->key_count; i++) {
		if (!strcmp(keyboard->keys[i].label, lurk_key_name(press.on.key)))
			return (int)i;
	}
	return -1;
}

/* What a key has switched. */
static void note_switch(struct player *p, uint16_t profile, bool off)
{
	const struct lurk_session *session = &p->computer->session;
	const struct lurk_image *image = lurk_session_image(session, 0);
	struct lurk_profile now;
	char note[96];

	if (lurk_session_is_off(session, "") != off)
		on_note(p, off ? "all rules are on again" : "all rules are off");
	if (!image || lurk_session_profile(session, 0) == profile)
		return;
	lurk_image_profile(image, lurk_session_profile(session, 0), &now);
	snprintf(note, sizeof note, "the profile %.*s is in force", (int)now.word.length,
		 now.word.bytes);
	on_note(p, note);
}

static void move_key(struct player *p, unsigned key, bool down)
{
	uint16_t profile = lurk_session_profile(&p->computer->session, 0);
	bool off = lurk_session_is_off(&p->computer->session, "");

	lurk_sim_key(p->computer->sim, p->keyboard, key, down);
	lurk_computer_settle(p->computer);
	note_switch(p, profile, off);
	if (!lurk_session_types(&p->computer->session))
		flush(p);
}

static bool play_key(struct player *p)
{
	const char *what = p->words[0];
	uint64_t time_us = PRESS_US;
	unsigned keyboard;
	int key;

	if (!take_keyboard(p, 2))
		return false;
	keyboard = p->keyboard;
	key = find_key(&p->computer->desk.keyboards[keyboard], p->words[1]);
	if (key < 0)
		return complain(p, "this keyboard has no key", p->words[1]);
	if (p->count == 4 && *what == 'p' && !strcmp(p->words[2], "for")) {
		if (!lurk_desk_time(p->words[3], &time_us))
			return complain(p, "a time such as 80ms or 2s is expected, not",
					p->words[3]);
	} else if (p->count != 2) {
		return complain(p, "not understood from", p->words[2]);
	}
	if (strcmp(what, "release")) {
		move_key(p, (unsigned)key, true);
		pass_time(p, *what == 'p' ? time_us : PRESS_US);
	}
	if (strcmp(what, "hold")) {
		if (p->row.any)
			flush(p);
		p->keyboard = keyboard;
		move_key(p, (unsigned)key, false);
	}
	pass_time(p, PAUSE_US);
	return true;
}

/* The keys of a text as a person finds them on the caps. */
static bool play_type(struct player *p)
{
	struct lurk_layout *layout = lurk_sim_layout(p->computer->sim);
	struct lurk_characters characters;
	const struct lurk_desk_keyboard *keyboard;
	bool fine = true;

	if (!take_keyboard(p, 2))
		return false;
	if (!layout)
		return complain(p, "this layout cannot be read:", p->computer->desk.layout);
	if (p->count != 2)
		return complain(p, "not understood from", p->words[2]);
	keyboard = &p->computer->desk.keyboards[p->keyboard];
	characters = lurk_layout_characters(layout);
	for (const char *c = p->words[1]; *c && fine; c++) {
		int key = -1, shift = find_key(keyboard, "ShiftLeft");
		uint16_t modifiers;
		lurk_key k;

		if (characters.find(characters.data, (uint8_t)*c, &k, &modifiers) &&
		    !(modifiers & ~LURK_MOD_SHIFT))
			key = find_key(keyboard, lurk_key_name(k));
		if (key < 0 || (modifiers && shift < 0)) {
			fine = complain(p, "this keyboard cannot type", c);
			break;
		}
		if (modifiers)
			move_key(p, (unsigned)shift, true);
		move_key(p, (unsigned)key, true);
		pass_time(p, PRESS_US);
		move_key(p, (unsigned)key, false);
		if (modifiers)
			move_key(p, (unsigned)shift, false);
		pass_time(p, PAUSE_US);
	}
	return fine;
}

static bool play_plug(struct player *p)
{
	bool plug = *p->words[0] == 'p', radio = false;
	int found = lurk_computer_keyboard(p->computer, p->words[1]);
	const char *place = NULL;
	unsigned at = 2;

	if (found < 0)
		return complain(p, "no keyboard on this desk is called", p->words[1]);
	if (lurk_sim_plugged(p->computer->sim, (unsigned)found) == plug)
		return complain(p, plug ? "already plugged in:" : "not plugged in:", p->words[1]);
	p->keyboard = (unsigned)found;
	if (plug && at + 1 < p->count && !strcmp(p->words[at], "by") &&
	    !strcmp(p->words[at + 1], "radio")) {
		radio = true;
		at += 2;
		if (!p->computer->desk.keyboards[found].has_radio)
			return complain(p, "has no radio:", p->words[1]);
	}
	if (plug && at + 1 < p->count && !strcmp(p->words[at], "in")) {
		place = p->words[at + 1];
		at += 2;
	}
	if (at != p->count)
		return complain(p, "not understood from", p->words[at]);
	if (plug)
		lurk_sim_plug(p->computer->sim, (unsigned)found, radio, place);
	else
		lurk_sim_unplug(p->computer->sim, (unsigned)found);
	lurk_computer_settle(p->computer);
	return true;
}

static bool play_keep(struct player *p)
{
	enum lurk_error error = lurk_session_keep(&p->computer->session, NULL);

	if (error == LURK_ERR_EMPTY)
		return complain(p, "nothing is being tried, so there is nothing to", p->words[0]);
	if (error)
		return complain(p, lurk_error_text(error), p->words[0]);
	lurk_computer_settle(p->computer);
	return true;
}

/* `use NAME`, `use previous`. */
static bool play_use(struct player *p)
{
	const char *word = p->words[1];
	const struct lurk_image *image = lurk_session_image(&p->computer->session, 0);
	uint16_t profile = LURK_PREVIOUS;
	struct lurk_apply_report unused;

	if (strcmp(word, "previous") != 0)
		profile =
			image ? (uint16_t)(lurk_image_find_profile(
						   image, (struct lurk_text){word, strlen(word)}) -
					   1U)
			      : LURK_PREVIOUS;
	if ((profile == LURK_PREVIOUS && strcmp(word, "previous") != 0) ||
	    lurk_session_use(&p->computer->session, NULL, profile, &unused) != LURK_OK)
		return complain(p, "no profile was applied that is called", word);
	lurk_computer_settle(p->computer);
	return true;
}

static bool play_switch(struct player *p)
{
	const bool off = !strcmp(p->words[0], "off");
	struct lurk_apply_report unused;
	enum lurk_error error = lurk_session_switch(&p->computer->session, NULL, off, &unused);

	if (error)
		return complain(p, lurk_error_text(error), p->words[0]);
	lurk_computer_settle(p->computer);
	return true;
}

static bool play_boot(struct player *p)
{
	lurk_sim_boot(p->computer->sim);
	start_session(p->computer);
	return true;
}

static bool play_cut(struct player *p)
{
	size_t bytes = 0;
	bool plain = p->count == 2;

	if (strcmp(p->words[1], "power") ||
	    !(plain || (p->count == 5 && !strcmp(p->words[2], "after"))))
		return complain(p, "`cut power` or `cut power after N bytes` is expected, not",
				p->words[1]);
	if (!plain && sscanf(p->words[3], "%zu", &bytes) != 1)
		return complain(p, "a number of bytes is expected, not", p->words[3]);
	if (plain)
		lurk_sim_power_off(p->computer->sim);
	else
		lurk_sim_cut_power(p->computer->sim, bytes);
	return true;
}

static bool play_power(struct player *p)
{
	if (strcmp(p->words[1], "on"))
		return complain(p, "`power on` is expected, not", p->words[1]);
	return play_boot(p);
}

static bool play_wait(struct player *p)
{
	uint64_t time_us;

	if (!lurk_desk_time(p->words[1], &time_us))
		return complain(p, "a time such as 80ms or 2s is expected, not", p->words[1]);
	pass_time(p, time_us);
	return true;
}

static bool play_apply(struct player *p)
{
	struct lurk_message why;

	if (!p->computer->apply)
		return complain(p, "there is no profile here to", p->words[0]);
	if (!p->computer->apply(p->computer->data, &why)) {
		if (!lurk_sim_has_power(p->computer->sim)) {
			on_note(p, "the power went while storing");
			return true;
		}
		return lurk_say(p->message, "%s:%u: %s", p->path, p->line, why.text);
	}
	lurk_computer_settle(p->computer);
	return true;
}

static const struct {
	const char *word;
	unsigned least, most;
	bool (*play)(struct player *p);
	const char *use;
} actions[] = {
	{"press", 2, 6, play_key, "press KEY [on KEYBOARD] [for TIME]"},
	{"hold", 2, 4, play_key, "hold KEY [on KEYBOARD]"},
	{"release", 2, 4, play_key, "release KEY [on KEYBOARD]"},
	{"type", 2, 4, play_type, "type \"TEXT\" [on KEYBOARD]"},
	{"wait", 2, 2, play_wait, "wait TIME"},
	{"plug", 2, 6, play_plug, "plug KEYBOARD [by radio] [in PLACE]"},
	{"unplug", 2, 2, play_plug, "unplug KEYBOARD"},
	{"apply", 1, 1, play_apply, "apply"},
	{"use", 2, 2, play_use, "use PROFILE"},
	{"off", 1, 1, play_switch, "off"},
	{"on", 1, 1, play_switch, "on"},
	{"keep", 1, 1, play_keep, "keep"},
	{"reboot", 1, 1, play_boot, "reboot"},
	{"cut", 2, 5, play_cut, "cut power [after N bytes]"},
	{"power", 2, 2, play_power, "power on"},
};

/* Splits a line at blanks; "…" is one word. */
static bool split(struct player *p, char *line)
{
	p->count = 0;
	for (char *c = line; *c;) {
		char *end;

		if (*c == ' ' || *c == '\t') {
			c++;
			continue;
		}
		if (p->count == WORDS)
			return complain(p, "too many words from", c);
		end = *c == '"' ? strchr(c + 1, '"') : c + strcspn(c, " \t");
		if (!end)
			return complain(p, "a closing quote is missing after", c);
		p->words[p->count++] = *c == '"' ? c + 1 : c;
		c = *end ? end + 1 : end;
		*end = '\0';
	}
	return true;
}

static bool play_line(struct player *p, const char *text)
{
	snprintf(p->split, sizeof p->split, "%s", text);
	if (!split(p, p->split))
		return false;
	if (!p->count || *p->words[0] == '#')
		return true;
	p->action = text;
	for (size_t i = 0; i < sizeof actions / sizeof *actions; i++) {
		if (strcmp(actions[i].word, p->words[0]))
			continue;
		if (p->count < actions[i].least || p->count > actions[i].most)
			return complain(p, "this is written", actions[i].use);
		if (!lurk_sim_has_power(p->computer->sim) && strcmp(p->words[0], "power"))
			return complain(p, "the power is off; `power on` comes before",
					p->words[0]);
		if (!actions[i].play(p))
			return false;
		flush(p);
		return true;
	}
	return complain(p,
			"a script has press, hold, release, type, wait, plug, unplug, apply, "
			"use, off, on, keep, reboot, cut power and power on; it has no",
			p->words[0]);
}

bool lurk_computer_play(struct lurk_computer *computer, const char *path, FILE *script,
			struct lurk_message *message)
{
	struct player p = {.computer = computer, .path = path, .message = message};
	struct lurk_sim_watch watch = watcher;
	char line[LINE];
	bool fine = true;

	watch.data = &p;
	lurk_sim_watch_with(computer->sim, &watch);
	while (fine && fgets(line, sizeof line, script)) {
		p.line++;
		if (!strchr(line, '\n') && !feof(script)) {
			fine = lurk_say(message, "%s:%u: a line of more than %zu bytes", path,
					p.line, sizeof line - 2);
			break;
		}
		line[strcspn(line, "\r\n")] = '\0';
		fine = play_line(&p, line);
	}
	while (fine && lurk_session_types(&computer->session))
		pass_time(&p, LURK_TYPING_US);
	flush(&p);
	lurk_sim_watch_with(computer->sim, &(struct lurk_sim_watch){0});
	return fine;
}
