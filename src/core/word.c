/* The words that stand for keys, one by one: what a word is found by is its place in an order, so
 * that none takes longer than another. */
#include "core/word.h"

struct word {
	const char *word;
	lurk_key key;
};

/* A longer word is none of them. */
enum { CODE_LONGEST = 23, ALIAS_LONGEST = 19, MODIFIER_LONGEST = 12 };

/* What else the trade calls a key, in order. */
static const struct word aliases[] = {
	{"102nd", LURK_KEY_102ND},
	{"altgr", LURK_KEY_RIGHTALT},
	{"altgraph", LURK_KEY_RIGHTALT},
	{"apostrophe", LURK_KEY_APOSTROPHE},
	{"app", LURK_KEY_COMPOSE},
	{"application", LURK_KEY_COMPOSE},
	{"apps", LURK_KEY_COMPOSE},
	{"backsp", LURK_KEY_BACKSPACE},
	{"backtick", LURK_KEY_GRAVE},
	{"bksp", LURK_KEY_BACKSPACE},
	{"break", LURK_KEY_PAUSE},
	{"calc", LURK_KEY_CALC},
	{"calculator", LURK_KEY_CALC},
	{"capital", LURK_KEY_CAPSLOCK},
	{"caps", LURK_KEY_CAPSLOCK},
	{"del", LURK_KEY_DELETE},
	{"dot", LURK_KEY_DOT},
	{"down", LURK_KEY_DOWN},
	{"downarrow", LURK_KEY_DOWN},
	{"equals", LURK_KEY_EQUAL},
	{"esc", LURK_KEY_ESC},
	{"fullstop", LURK_KEY_DOT},
	{"hanguel", LURK_KEY_HANGEUL},
	{"hangul", LURK_KEY_HANGEUL},
	{"hyphen", LURK_KEY_MINUS},
	{"ins", LURK_KEY_INSERT},
	{"iso", LURK_KEY_102ND},
	{"keybrightnesstoggle", LURK_KEY_DISPLAYTOGGLE},
	{"keybrightnesszero", LURK_KEY_BRIGHTNESS_AUTO},
	{"keydashboard", LURK_KEY_ALL_APPLICATIONS},
	{"keydirection", LURK_KEY_ROTATE_DISPLAY},
	{"keyhanguel", LURK_KEY_HANGEUL},
	{"keyscreen", LURK_KEY_ASPECT_RATIO},
	{"keyscreenlock", LURK_KEY_COFFEE},
	{"keywimax", LURK_KEY_WWAN},
	{"keyzoom", LURK_KEY_FULL_SCREEN},
	{"left", LURK_KEY_LEFT},
	{"leftarrow", LURK_KEY_LEFT},
	{"leftbracket", LURK_KEY_LEFTBRACE},
	{"mail", LURK_KEY_MAIL},
	{"micmute", LURK_KEY_MICMUTE},
	{"mute", LURK_KEY_MUTE},
	{"nexttrack", LURK_KEY_NEXTSONG},
	{"num", LURK_KEY_NUMLOCK},
	{"numlk", LURK_KEY_NUMLOCK},
	{"pgdn", LURK_KEY_PAGEDOWN},
	{"pgdown", LURK_KEY_PAGEDOWN},
	{"pgup", LURK_KEY_PAGEUP},
	{"playpause", LURK_KEY_PLAYPAUSE},
	{"previoustrack", LURK_KEY_PREVIOUSSONG},
	{"prevtrack", LURK_KEY_PREVIOUSSONG},
	{"printscrn", LURK_KEY_SYSRQ},
	{"prior", LURK_KEY_PAGEUP},
	{"prtsc", LURK_KEY_SYSRQ},
	{"prtscn", LURK_KEY_SYSRQ},
	{"prtscr", LURK_KEY_SYSRQ},
	{"ret", LURK_KEY_ENTER},
	{"return", LURK_KEY_ENTER},
	{"right", LURK_KEY_RIGHT},
	{"rightarrow", LURK_KEY_RIGHT},
	{"rightbracket", LURK_KEY_RIGHTBRACE},
	{"scrlk", LURK_KEY_SCROLLLOCK},
	{"scroll", LURK_KEY_SCROLLLOCK},
	{"spacebar", LURK_KEY_SPACE},
	{"sysrq", LURK_KEY_SYSRQ},
	{"up", LURK_KEY_UP},
	{"uparrow", LURK_KEY_UP},
	{"voldown", LURK_KEY_VOLUMEDOWN},
	{"volume+", LURK_KEY_VOLUMEUP},
	{"volume-", LURK_KEY_VOLUMEDOWN},
	{"volup", LURK_KEY_VOLUMEUP},
	{"yen", LURK_KEY_YEN},
};

/* Words that can mean several keys, in order. */
static const struct {
	const char *word;
	lurk_key keys[LURK_NAME_KEYS];
} several[] = {
	{"arrow", {LURK_KEY_UP, LURK_KEY_DOWN, LURK_KEY_LEFT, LURK_KEY_RIGHT}},
	{"back", {LURK_KEY_BACK, LURK_KEY_BACKSPACE}},
	{"brightness", {LURK_KEY_BRIGHTNESSUP, LURK_KEY_BRIGHTNESSDOWN, LURK_KEY_BRIGHTNESS_AUTO}},
	{"delete", {LURK_KEY_DELETE, LURK_KEY_BACKSPACE, LURK_KEY_KPDOT, LURK_KEY_DELETEFILE}},
	{"forward", {LURK_KEY_FORWARD, LURK_KEY_FASTFORWARD, LURK_KEY_FORWARDMAIL}},
	{"home", {LURK_KEY_HOME, LURK_KEY_HOMEPAGE, LURK_KEY_KP7}},
	{"lock", {LURK_KEY_CAPSLOCK, LURK_KEY_NUMLOCK, LURK_KEY_SCROLLLOCK, LURK_KEY_COFFEE}},
	{"menu", {LURK_KEY_COMPOSE, LURK_KEY_MENU, LURK_KEY_CONTEXT_MENU, LURK_KEY_ROOT_MENU}},
	{"next", {LURK_KEY_NEXTSONG, LURK_KEY_PAGEDOWN, LURK_KEY_NEXT}},
	{"play", {LURK_KEY_PLAYPAUSE, LURK_KEY_PLAY, LURK_KEY_PLAYCD}},
	{"plus", {LURK_KEY_KPPLUS, LURK_KEY_EQUAL}},
	{"prev", {LURK_KEY_PREVIOUSSONG, LURK_KEY_PAGEUP, LURK_KEY_PREVIOUS}},
	{"previous", {LURK_KEY_PREVIOUSSONG, LURK_KEY_PAGEUP, LURK_KEY_PREVIOUS}},
	{"print", {LURK_KEY_SYSRQ, LURK_KEY_PRINT}},
	{"search", {LURK_KEY_SEARCH, LURK_KEY_FIND}},
	{"select", {LURK_KEY_FRONT, LURK_KEY_SELECT}},
	{"stop", {LURK_KEY_STOPCD, LURK_KEY_STOP}},
	{"volume", {LURK_KEY_VOLUMEUP, LURK_KEY_VOLUMEDOWN, LURK_KEY_MUTE}},
	{"zoom", {LURK_KEY_ZOOMIN, LURK_KEY_ZOOMOUT, LURK_KEY_ZOOMRESET, LURK_KEY_FULL_SCREEN}},
};

/* In order; each is the left one. */
static const struct word modifiers[] = {
	{"alt", LURK_KEY_LEFTALT},      {"cmd", LURK_KEY_LEFTMETA},  {"command", LURK_KEY_LEFTMETA},
	{"control", LURK_KEY_LEFTCTRL}, {"ctl", LURK_KEY_LEFTCTRL},  {"ctrl", LURK_KEY_LEFTCTRL},
	{"logo", LURK_KEY_LEFTMETA},    {"meta", LURK_KEY_LEFTMETA}, {"opt", LURK_KEY_LEFTALT},
	{"option", LURK_KEY_LEFTALT},   {"os", LURK_KEY_LEFTMETA},   {"shift", LURK_KEY_LEFTSHIFT},
	{"super", LURK_KEY_LEFTMETA},   {"win", LURK_KEY_LEFTMETA},  {"windows", LURK_KEY_LEFTMETA},
};

static const struct word numpad[] = {
	{"*", LURK_KEY_KPASTERISK},
	{"+", LURK_KEY_KPPLUS},
	{",", LURK_KEY_KPCOMMA},
	{"-", LURK_KEY_KPMINUS},
	{".", LURK_KEY_KPDOT},
	{"/", LURK_KEY_KPSLASH},
	{"0", LURK_KEY_KP0},
	{"1", LURK_KEY_KP1},
	{"2", LURK_KEY_KP2},
	{"3", LURK_KEY_KP3},
	{"4", LURK_KEY_KP4},
	{"5", LURK_KEY_KP5},
	{"6", LURK_KEY_KP6},
	{"7", LURK_KEY_KP7},
	{"8", LURK_KEY_KP8},
	{"9", LURK_KEY_KP9},
	{"=", LURK_KEY_KPEQUAL},
	{"add", LURK_KEY_KPPLUS},
	{"asterisk", LURK_KEY_KPASTERISK},
	{"comma", LURK_KEY_KPCOMMA},
	{"decimal", LURK_KEY_KPDOT},
	{"divide", LURK_KEY_KPSLASH},
	{"dot", LURK_KEY_KPDOT},
	{"enter", LURK_KEY_KPENTER},
	{"equal", LURK_KEY_KPEQUAL},
	{"minus", LURK_KEY_KPMINUS},
	{"multiply", LURK_KEY_KPASTERISK},
	{"period", LURK_KEY_KPDOT},
	{"plus", LURK_KEY_KPPLUS},
	{"return", LURK_KEY_KPENTER},
	{"slash", LURK_KEY_KPSLASH},
	{"subtract", LURK_KEY_KPMINUS},
	{"times", LURK_KEY_KPASTERISK},
};

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* As strcmp() does, of a word without case and separators and a name with them, of which none is
 * its first letter. */
static inline int compare(const char *plain, const char *name)
{
	int order = (uint8_t)*plain - (uint8_t)lurk_lower(*name);

	while (!order && *plain) {
		plain++;
		name++;
		if (lurk_is_letter(*name)) {
			order = *plain - (*name | 0x20);
			continue;
		}
		while (lurk_is_separator(*name) && name[1])
			name++;
		order = (uint8_t)*plain - (uint8_t)lurk_lower(*name);
	}
	return order;
}

static lurk_key find(const struct word *words, size_t count, const char *plain)
{
	size_t from = 0, to = count;

	while (from < to) {
		size_t middle = (from + to) / 2;
		int order = compare(plain, words[middle].word);

		if (!order)
			return words[middle].key;
		*(order < 0 ? &to : &from) = order < 0 ? middle : middle + 1;
	}
	return LURK_KEY_NONE;
}

/* ---- Names of the key table ------------------------------------------------------------------ */

/* Three hash tables with open addressing, filled by the compiler (places.py). */
enum { LINUX_BITS = 10, BITS = 9 };
#define FACTOR UINT32_C(2836867589)

#define L(place, name) [place] = LURK_KEY_##name,
#define C(place, name)
#define M(place, name)
static const uint16_t by_linux_name[1 << LINUX_BITS] = {
#include "core/places.def"
};
#undef L
#undef C
#define L(place, name)
#define C(place, name) [place] = LURK_KEY_##name,
static const uint16_t by_code[1 << BITS] = {
#include "core/places.def"
};
#undef C
#undef M
#define C(place, name)
#define M(place, name) [place] = LURK_KEY_##name,
static const uint16_t by_meaning[1 << BITS] = {
#include "core/places.def"
};

static const char *linux_name(lurk_key key)
{
	return lurk_key_evdev_name(key) + 4;
}

static lurk_key find_key(const uint16_t *keys, unsigned bits, const char *(*name)(lurk_key key),
			 const char *plain)
{
	uint32_t h = 0;
	size_t at;

	for (const char *c = plain; *c; c++)
		h = (h ^ (uint8_t)*c) * FACTOR;
	at = h >> (32 - bits);
	while (keys[at] && compare(plain, name(keys[at])) != 0)
		at = (at + 1) & ((1U << bits) - 1);
	return keys[at];
}

lurk_key lurk_word_code(const struct lurk_plain *plain)
{
	return plain->length <= CODE_LONGEST ? find_key(by_code, BITS, lurk_key_w3c, plain->text)
					     : (lurk_key)LURK_KEY_NONE;
}

lurk_key lurk_word_meaning(const struct lurk_plain *plain)
{
	return find_key(by_meaning, BITS, lurk_key_meaning, plain->text);
}

lurk_key lurk_word_linux_short(const struct lurk_plain *plain)
{
	return find_key(by_linux_name, LINUX_BITS, linux_name, plain->text);
}

static bool starts_with(const struct lurk_plain *plain, const char *word, size_t length)
{
	return *plain->text == *word && plain->length > length &&
	       !memcmp(plain->text, word, length);
}

lurk_key lurk_word_linux(const struct lurk_plain *plain)
{
	lurk_key key = LURK_KEY_NONE;

	if (starts_with(plain, "key", 3) || starts_with(plain, "btn", 3))
		key = find_key(by_linux_name, LINUX_BITS, linux_name, plain->text + 3);
	return key && *plain->text == lurk_lower(*lurk_key_evdev_name(key))
		       ? key
		       : (lurk_key)LURK_KEY_NONE;
}

/* ---- What else keys are called --------------------------------------------------------------- */

lurk_key lurk_word_alias(const struct lurk_plain *plain)
{
	return plain->length <= ALIAS_LONGEST ? find(aliases, COUNT(aliases), plain->text)
					      : (lurk_key)LURK_KEY_NONE;
}

const char *lurk_word_alias_at(size_t index, lurk_key *key)
{
	if (index >= COUNT(aliases))
		return NULL;
	*key = aliases[index].key;
	return aliases[index].word;
}

const lurk_key *lurk_word_several(const struct lurk_plain *plain)
{
	for (size_t i = 0; i < COUNT(several) && *several[i].word <= *plain->text; i++) {
		if (lurk_equal(several[i].word, plain->text))
			return several[i].keys;
	}
	return NULL;
}

/* "lctrl", "left control", "controlleft", "ctrl": a modifier with or without a side. */
bool lurk_word_modifier(const struct lurk_plain *plain, struct lurk_target *on)
{
	static const struct {
		const char *word;
		size_t length;
		bool right;
	} sides[] = {{"left", 4, false}, {"right", 5, true}, {"l", 1, false}, {"r", 1, true}};
	lurk_key left;

	if (plain->length > MODIFIER_LONGEST)
		return false;
	left = find(modifiers, COUNT(modifiers), plain->text);
	if (left) {
		*on = (struct lurk_target){.kind = LURK_TARGET_PAIR, .key = left};
		return true;
	}
	for (size_t i = 0; i < COUNT(sides); i++) {
		size_t n = sides[i].length;
		struct lurk_plain rest;

		if (starts_with(plain, sides[i].word, n))
			left = find(modifiers, COUNT(modifiers), plain->text + n);
		if (!left && plain->length > n &&
		    lurk_equal(plain->text + plain->length - n, sides[i].word)) {
			rest = *plain;
			rest.text[plain->length - n] = '\0';
			left = find(modifiers, COUNT(modifiers), rest.text);
		}
		if (left) {
			*on = (struct lurk_target){.kind = LURK_TARGET_KEY,
						   .key = sides[i].right ? lurk_key_other_side(left)
									 : left};
			return true;
		}
	}
	return false;
}

lurk_key lurk_word_numpad(const struct lurk_plain *plain)
{
	static const struct {
		const char *word;
		size_t length;
	} prefixes[] = {{"numpad", 6}, {"keypad", 6}, {"kp", 2}, {"num", 3}};
	lurk_key key = LURK_KEY_NONE;

	for (size_t i = 0; i < COUNT(prefixes) && !key; i++) {
		if (starts_with(plain, prefixes[i].word, prefixes[i].length))
			key = find(numpad, COUNT(numpad), plain->text + prefixes[i].length);
	}
	return key;
}
