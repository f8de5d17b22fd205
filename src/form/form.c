#include "lurk/form/form.h"

#include <stdio.h>
#include <string.h>
#include <strings.h>

enum { GAP = 0, ROW_KEYS = 24 };

/* Keys from left to right, each with its width in quarters; GAP is room without a key. */
struct run {
	uint8_t x, y, height, block;
	struct {
		lurk_key key;
		uint8_t width;
	} keys[ROW_KEYS];
};

#define K(name)                    \
	{                          \
		LURK_KEY_##name, 4 \
	}
#define W(name, width)                 \
	{                              \
		LURK_KEY_##name, width \
	}
#define SPACE_OF(width)    \
	{                  \
		GAP, width \
	}
#define DIGITS K(1), K(2), K(3), K(4), K(5), K(6), K(7), K(8), K(9), K(0)
#define UPPER K(Q), K(W), K(E), K(R), K(T), K(Y), K(U), K(I), K(O), K(P)
#define HOME_ROW K(A), K(S), K(D), K(F), K(G), K(H), K(J), K(K), K(L), K(SEMICOLON), K(APOSTROPHE)
#define LOWER K(Z), K(X), K(C), K(V), K(B), K(N), K(M), K(COMMA), K(DOT), K(SLASH)
#define F_KEYS_1 K(F1), K(F2), K(F3), K(F4)
#define F_KEYS_2 K(F5), K(F6), K(F7), K(F8)
#define F_KEYS_3 K(F9), K(F10), K(F11), K(F12)

/* ---- The typing block, counted from its own corner; the rows below the digits differ ----------
 */

enum { NUMBERS, TOP, MIDDLE, BOTTOM, MODIFIERS, TYPING_ROWS };

static const struct run digits_row = {
	0, 0, 4, 0, {K(GRAVE), DIGITS, K(MINUS), K(EQUAL), W(BACKSPACE, 8)}};
static const struct run modifiers_row = {0,
					 16,
					 4,
					 0,
					 {W(LEFTCTRL, 5), W(LEFTMETA, 5), W(LEFTALT, 5),
					  W(SPACE, 25), W(RIGHTALT, 5), W(RIGHTMETA, 5),
					  W(COMPOSE, 5), W(RIGHTCTRL, 5)}};

/* Enter of two rows is added where the row stops short of it. */
static const struct run iso_top = {0, 4, 4, 0, {W(TAB, 6), UPPER, K(LEFTBRACE), K(RIGHTBRACE)}};
static const struct run iso_middle = {0, 8, 4, 0, {W(CAPSLOCK, 7), HOME_ROW, K(BACKSLASH)}};
static const struct run iso_bottom = {
	0, 12, 4, 0, {W(LEFTSHIFT, 5), K(102ND), LOWER, W(RIGHTSHIFT, 11)}};

static const struct run ansi_top = {
	0, 4, 4, 0, {W(TAB, 6), UPPER, K(LEFTBRACE), K(RIGHTBRACE), W(BACKSLASH, 6)}};
static const struct run ansi_middle = {0, 8, 4, 0, {W(CAPSLOCK, 7), HOME_ROW, W(ENTER, 9)}};
static const struct run ansi_bottom = {0, 12, 4, 0, {W(LEFTSHIFT, 9), LOWER, W(RIGHTSHIFT, 11)}};

static const struct run jis_digits = {
	0, 0, 4, 0, {K(GRAVE), DIGITS, K(MINUS), K(EQUAL), K(YEN), K(BACKSPACE)}};
static const struct run jis_bottom = {
	0, 12, 4, 0, {W(LEFTSHIFT, 9), LOWER, K(RO), W(RIGHTSHIFT, 7)}};
static const struct run jis_modifiers = {
	0,
	16,
	4,
	0,
	{W(LEFTCTRL, 5), W(LEFTMETA, 4), W(LEFTALT, 5), W(MUHENKAN, 4), W(SPACE, 14), W(HENKAN, 4),
	 W(KATAKANAHIRAGANA, 4), W(RIGHTALT, 5), W(RIGHTMETA, 5), W(COMPOSE, 5), W(RIGHTCTRL, 5)}};

static const struct run *const typing[LURK_ARRANGEMENT_COUNT][TYPING_ROWS] = {
	[LURK_ISO] = {&digits_row, &iso_top, &iso_middle, &iso_bottom, &modifiers_row},
	[LURK_ANSI] = {&digits_row, &ansi_top, &ansi_middle, &ansi_bottom, &modifiers_row},
	[LURK_JIS] = {&jis_digits, &iso_top, &iso_middle, &jis_bottom, &jis_modifiers},
};

/* On a compact keyboard the last two rows leave room for the arrows. */
static const struct run compact_rows[LURK_ARRANGEMENT_COUNT][2] = {
	[LURK_ISO] =
		{{0, 12, 4, 0, {W(LEFTSHIFT, 5), K(102ND), LOWER, W(RIGHTSHIFT, 7), K(UP), K(END)}},
		 {0,
		  16,
		  4,
		  0,
		  {W(LEFTCTRL, 5), K(LEFTMETA), K(LEFTALT), W(SPACE, 23), K(RIGHTALT), K(RIGHTMETA),
		   K(COMPOSE), K(RIGHTCTRL), K(LEFT), K(DOWN), K(RIGHT)}}},
	[LURK_ANSI] = {{0, 12, 4, 0, {W(LEFTSHIFT, 9), LOWER, W(RIGHTSHIFT, 7), K(UP), K(END)}},
		       {0,
			16,
			4,
			0,
			{W(LEFTCTRL, 5), K(LEFTMETA), K(LEFTALT), W(SPACE, 23), K(RIGHTALT),
			 K(RIGHTMETA), K(COMPOSE), K(RIGHTCTRL), K(LEFT), K(DOWN), K(RIGHT)}}},
	[LURK_JIS] =
		{{0, 12, 4, 0, {W(LEFTSHIFT, 7), LOWER, K(RO), W(RIGHTSHIFT, 5), K(UP), K(END)}},
		 {0,
		  16,
		  4,
		  0,
		  {W(LEFTCTRL, 5), K(LEFTMETA), K(LEFTALT), K(MUHENKAN), W(SPACE, 11), K(HENKAN),
		   K(KATAKANAHIRAGANA), K(RIGHTALT), K(RIGHTMETA), K(COMPOSE), K(RIGHTCTRL),
		   K(LEFT), K(DOWN), K(RIGHT)}}},
};

/* ---- What stands around it ------------------------------------------------------------------- */

enum { FUNCTION_GAP = 5, NAVIGATION_X = 61, KEYPAD_X = 74, COMPACT_TOP = 7 };
enum { NAVIGATION = 1, KEYPAD, END_OF_RUNS = 255 };

static const struct run function_row = {
	0, 0, 4, 0, {K(ESC), SPACE_OF(4), F_KEYS_1, SPACE_OF(2), F_KEYS_2, SPACE_OF(2), F_KEYS_3}};

static const struct run navigation[] = {
	{NAVIGATION_X, 0, 4, NAVIGATION, {K(SYSRQ), K(SCROLLLOCK), K(PAUSE)}},
	{NAVIGATION_X, FUNCTION_GAP, 4, NAVIGATION, {K(INSERT), K(HOME), K(PAGEUP)}},
	{NAVIGATION_X, FUNCTION_GAP + 4, 4, NAVIGATION, {K(DELETE), K(END), K(PAGEDOWN)}},
	{NAVIGATION_X, FUNCTION_GAP + 12, 4, NAVIGATION, {SPACE_OF(4), K(UP)}},
	{NAVIGATION_X, FUNCTION_GAP + 16, 4, NAVIGATION, {K(LEFT), K(DOWN), K(RIGHT)}},
	{.block = END_OF_RUNS},
};

/* Two of its keys are two rows high, and stand in runs of their own. */
static const struct run keypad[] = {
	{0, 0, 4, KEYPAD, {K(NUMLOCK), K(KPSLASH), K(KPASTERISK), K(KPMINUS)}},
	{0, 4, 4, KEYPAD, {K(KP7), K(KP8), K(KP9)}},
	{12, 4, 8, KEYPAD, {K(KPPLUS)}},
	{0, 8, 4, KEYPAD, {K(KP4), K(KP5), K(KP6)}},
	{0, 12, 4, KEYPAD, {K(KP1), K(KP2), K(KP3)}},
	{12, 12, 8, KEYPAD, {K(KPENTER)}},
	{0, 16, 4, KEYPAD, {W(KP0, 8), K(KPDOT)}},
	{.block = END_OF_RUNS},
};

static const struct run compact_top[] = {
	{0,
	 0,
	 3,
	 0,
	 {K(MUTE), K(VOLUMEDOWN), K(VOLUMEUP), SPACE_OF(2), K(PREVIOUSSONG), K(PLAYPAUSE),
	  K(NEXTSONG), SPACE_OF(2), K(BRIGHTNESSDOWN), K(BRIGHTNESSUP), SPACE_OF(2), K(CALC),
	  K(HOMEPAGE), K(MAIL), SPACE_OF(2), K(SCROLLLOCK), K(PAUSE), K(SYSRQ)}},
	{0, 3, 4, 0, {K(ESC), F_KEYS_1, F_KEYS_2, F_KEYS_3, W(INSERT, 8), K(DELETE)}},
	{60, COMPACT_TOP, 4, 0, {K(HOME)}},
	{60, COMPACT_TOP + 4, 4, 0, {K(PAGEUP)}},
	{60, COMPACT_TOP + 8, 4, 0, {K(PAGEDOWN)}},
	{.block = END_OF_RUNS},
};

/* A knob turned to the left, pressed, turned to the right. */
static const struct run knob = {0, 0, 6, 0, {K(VOLUMEDOWN), W(MUTE, 8), K(VOLUMEUP)}};

/* ---- Put together ---------------------------------------------------------------------------- */

struct list {
	struct lurk_place *places;
	unsigned count;
};

static void add(struct list *list, struct lurk_place place)
{
	if (list->count < LURK_PLACES)
		list->places[list->count++] = place;
}

static void add_run(struct list *list, const struct run *run, unsigned x, unsigned y)
{
	x += run->x;
	for (unsigned i = 0; i < ROW_KEYS && run->keys[i].width; x += run->keys[i++].width) {
		if (run->keys[i].key != GAP)
			add(list, (struct lurk_place){run->keys[i].key, (uint8_t)x,
						      (uint8_t)(run->y + y), run->keys[i].width,
						      run->height, LURK_CAP_PLAIN, run->block});
	}
}

static void add_runs(struct list *list, const struct run *runs, unsigned x, unsigned y)
{
	for (; runs->block != END_OF_RUNS; runs++)
		add_run(list, runs, x, y);
}

static void add_typing(struct list *list, enum lurk_arrangement arrangement, unsigned y,
		       bool compact)
{
	for (unsigned row = 0; row < TYPING_ROWS; row++) {
		add_run(list,
			compact && row >= BOTTOM ? &compact_rows[arrangement][row - BOTTOM]
						 : typing[arrangement][row],
			0, y);
		if (row == TOP && arrangement != LURK_ANSI)
			add(list, (struct lurk_place){LURK_KEY_ENTER, 54, (uint8_t)(y + 4), 6, 8,
						      LURK_CAP_ENTER, 0});
	}
}

static void add_pad(struct list *list)
{
	add_run(list, &knob, 0, 0);
	list->places[1].shape = LURK_CAP_ROUND;
	add_runs(list, keypad, 0, 7);
	for (unsigned i = 0; i < list->count; i++)
		list->places[i].block = 0;
}

unsigned lurk_form_places(enum lurk_form form, enum lurk_arrangement arrangement,
			  struct lurk_place places[LURK_PLACES])
{
	struct list list = {places, 0};

	switch (form) {
	case LURK_FORM_PAD:
		add_pad(&list);
		break;
	case LURK_FORM_COMPACT:
		add_runs(&list, compact_top, 0, 0);
		add_typing(&list, arrangement, COMPACT_TOP, true);
		break;
	default:
		add_run(&list, &function_row, 0, 0);
		add_typing(&list, arrangement, FUNCTION_GAP, false);
		add_runs(&list, navigation, 0, 0);
		if (form == LURK_FORM_FULL)
			add_runs(&list, keypad, KEYPAD_X, FUNCTION_GAP);
		break;
	}
	return list.count;
}

/* ---- Names and guesses ----------------------------------------------------------------------- */

static const char *const form_names[] = {"full", "no-keypad", "compact", "pad"};
static const char *const arrangement_names[] = {"iso", "ansi", "jis"};

const char *lurk_form_name(enum lurk_form form)
{
	return form_names[form];
}

const char *lurk_arrangement_name(enum lurk_arrangement arrangement)
{
	return arrangement_names[arrangement];
}

static bool read_word(const char *word, const char *const *names, unsigned count, unsigned *index)
{
	for (*index = 0; *index < count; ++*index) {
		if (!strcasecmp(word, names[*index]))
			return true;
	}
	return false;
}

bool lurk_form_read(const char *word, enum lurk_form *form)
{
	unsigned index;
	bool found = read_word(word, form_names, LURK_FORM_COUNT, &index);

	if (found)
		*form = (enum lurk_form)index;
	return found;
}

bool lurk_arrangement_read(const char *word, enum lurk_arrangement *arrangement)
{
	unsigned index;
	bool found = read_word(word, arrangement_names, LURK_ARRANGEMENT_COUNT, &index);

	if (found)
		*arrangement = (enum lurk_arrangement)index;
	return found;
}

bool lurk_forms_read(const char *words, struct lurk_forms *forms, char wrong[32])
{
	*forms = (struct lurk_forms){0};
	for (words += strspn(words, ", "); *words; words += strspn(words, ", ")) {
		size_t length = strcspn(words, ", ");

		snprintf(wrong, 32, "%.*s", (int)(length < 31 ? length : 31), words);
		if (lurk_form_read(wrong, &forms->form))
			forms->has_form = true;
		else if (lurk_arrangement_read(wrong, &forms->arrangement))
			forms->has_arrangement = true;
		else
			return false;
		words += length;
	}
	return true;
}

enum lurk_form lurk_form_guess(const struct lurk_port_keyboard *keyboard)
{
	if (!lurk_declares(keyboard, LURK_KEY_A))
		return lurk_declares(keyboard, LURK_KEY_KP1) ? LURK_FORM_PAD : LURK_FORM_FULL;
	/* A laptop's controller declares a keypad whether or not it has one. */
	if (keyboard->identity.built_in)
		return LURK_FORM_COMPACT;
	return lurk_declares(keyboard, LURK_KEY_KP1) ? LURK_FORM_FULL : LURK_FORM_NO_KEYPAD;
}

enum lurk_arrangement lurk_arrangement_for(const char *layout)
{
	static const char *const ansi[] = {"us", "cn", "kr", "tw", "th", "in", "ph", "au", "nz"};

	if (!strncmp(layout, "jp", 2))
		return LURK_JIS;
	for (size_t i = 0; i < sizeof ansi / sizeof *ansi; i++) {
		if (!strncmp(layout, ansi[i], 2) && (!layout[2] || layout[2] == ':'))
			return LURK_ANSI;
	}
	return LURK_ISO;
}
