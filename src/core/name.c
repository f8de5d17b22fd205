/* Reading the names that people give to keys. */
#include "core/plain.h"

/* What else the trade calls a key. */
static const struct {
	const char *word;
	lurk_key key;
} aliases[] = {
	{"caps", LURK_KEY_CAPSLOCK},
	{"capital", LURK_KEY_CAPSLOCK},
	{"esc", LURK_KEY_ESC},
	{"return", LURK_KEY_ENTER},
	{"ret", LURK_KEY_ENTER},
	{"spacebar", LURK_KEY_SPACE},
	{"bksp", LURK_KEY_BACKSPACE},
	{"backsp", LURK_KEY_BACKSPACE},
	{"del", LURK_KEY_DELETE},
	{"ins", LURK_KEY_INSERT},
	{"pgup", LURK_KEY_PAGEUP},
	{"prior", LURK_KEY_PAGEUP},
	{"pgdn", LURK_KEY_PAGEDOWN},
	{"pgdown", LURK_KEY_PAGEDOWN},
	{"up", LURK_KEY_UP},
	{"down", LURK_KEY_DOWN},
	{"left", LURK_KEY_LEFT},
	{"right", LURK_KEY_RIGHT},
	{"uparrow", LURK_KEY_UP},
	{"downarrow", LURK_KEY_DOWN},
	{"leftarrow", LURK_KEY_LEFT},
	{"rightarrow", LURK_KEY_RIGHT},
	{"prtsc", LURK_KEY_SYSRQ},
	{"prtscr", LURK_KEY_SYSRQ},
	{"prtscn", LURK_KEY_SYSRQ},
	{"printscrn", LURK_KEY_SYSRQ},
	{"sysrq", LURK_KEY_SYSRQ},
	{"scrlk", LURK_KEY_SCROLLLOCK},
	{"scroll", LURK_KEY_SCROLLLOCK},
	{"break", LURK_KEY_PAUSE},
	{"num", LURK_KEY_NUMLOCK},
	{"numlk", LURK_KEY_NUMLOCK},
	{"application", LURK_KEY_COMPOSE},
	{"app", LURK_KEY_COMPOSE},
	{"apps", LURK_KEY_COMPOSE},
	{"altgr", LURK_KEY_RIGHTALT},
	{"altgraph", LURK_KEY_RIGHTALT},
	{"backtick", LURK_KEY_GRAVE},
	{"apostrophe", LURK_KEY_APOSTROPHE},
	{"hyphen", LURK_KEY_MINUS},
	{"equals", LURK_KEY_EQUAL},
	{"dot", LURK_KEY_DOT},
	{"fullstop", LURK_KEY_DOT},
	{"leftbracket", LURK_KEY_LEFTBRACE},
	{"rightbracket", LURK_KEY_RIGHTBRACE},
	{"102nd", LURK_KEY_102ND},
	{"iso", LURK_KEY_102ND},
	{"mute", LURK_KEY_MUTE},
	{"volup", LURK_KEY_VOLUMEUP},
	{"voldown", LURK_KEY_VOLUMEDOWN},
	{"volume+", LURK_KEY_VOLUMEUP},
	{"volume-", LURK_KEY_VOLUMEDOWN},
	{"playpause", LURK_KEY_PLAYPAUSE},
	{"nexttrack", LURK_KEY_NEXTSONG},
	{"previoustrack", LURK_KEY_PREVIOUSSONG},
	{"prevtrack", LURK_KEY_PREVIOUSSONG},
	{"mail", LURK_KEY_MAIL},
	{"calc", LURK_KEY_CALC},
	{"calculator", LURK_KEY_CALC},
	{"micmute", LURK_KEY_MICMUTE},
	{"hangul", LURK_KEY_HANGEUL},
	{"hanguel", LURK_KEY_HANGEUL},
	{"keyhanguel", LURK_KEY_HANGEUL},
	{"yen", LURK_KEY_YEN},
	{"keyscreenlock", LURK_KEY_COFFEE},
	{"keydirection", LURK_KEY_ROTATE_DISPLAY},
	{"keydashboard", LURK_KEY_ALL_APPLICATIONS},
	{"keybrightnesszero", LURK_KEY_BRIGHTNESS_AUTO},
	{"keywimax", LURK_KEY_WWAN},
	{"keyzoom", LURK_KEY_FULL_SCREEN},
	{"keyscreen", LURK_KEY_ASPECT_RATIO},
	{"keybrightnesstoggle", LURK_KEY_DISPLAYTOGGLE},
};

/* Words that can mean several keys. */
static const struct {
	const char *word;
	lurk_key keys[LURK_NAME_KEYS];
} several[] = {
	{"search", {LURK_KEY_SEARCH, LURK_KEY_FIND}},
	{"menu", {LURK_KEY_COMPOSE, LURK_KEY_MENU, LURK_KEY_CONTEXT_MENU, LURK_KEY_ROOT_MENU}},
	{"delete", {LURK_KEY_DELETE, LURK_KEY_BACKSPACE, LURK_KEY_KPDOT, LURK_KEY_DELETEFILE}},
	{"print", {LURK_KEY_SYSRQ, LURK_KEY_PRINT}},
	{"home", {LURK_KEY_HOME, LURK_KEY_HOMEPAGE, LURK_KEY_KP7}},
	{"play", {LURK_KEY_PLAYPAUSE, LURK_KEY_PLAY, LURK_KEY_PLAYCD}},
	{"stop", {LURK_KEY_STOPCD, LURK_KEY_STOP}},
	{"back", {LURK_KEY_BACK, LURK_KEY_BACKSPACE}},
	{"forward", {LURK_KEY_FORWARD, LURK_KEY_FASTFORWARD, LURK_KEY_FORWARDMAIL}},
	{"next", {LURK_KEY_NEXTSONG, LURK_KEY_PAGEDOWN, LURK_KEY_NEXT}},
	{"previous", {LURK_KEY_PREVIOUSSONG, LURK_KEY_PAGEUP, LURK_KEY_PREVIOUS}},
	{"prev", {LURK_KEY_PREVIOUSSONG, LURK_KEY_PAGEUP, LURK_KEY_PREVIOUS}},
	{"lock", {LURK_KEY_CAPSLOCK, LURK_KEY_NUMLOCK, LURK_KEY_SCROLLLOCK, LURK_KEY_COFFEE}},
	{"brightness", {LURK_KEY_BRIGHTNESSUP, LURK_KEY_BRIGHTNESSDOWN, LURK_KEY_BRIGHTNESS_AUTO}},
	{"volume", {LURK_KEY_VOLUMEUP, LURK_KEY_VOLUMEDOWN, LURK_KEY_MUTE}},
	{"arrow", {LURK_KEY_UP, LURK_KEY_DOWN, LURK_KEY_LEFT, LURK_KEY_RIGHT}},
	{"plus", {LURK_KEY_KPPLUS, LURK_KEY_EQUAL}},
	{"zoom", {LURK_KEY_ZOOMIN, LURK_KEY_ZOOMOUT, LURK_KEY_ZOOMRESET, LURK_KEY_FULL_SCREEN}},
	{"select", {LURK_KEY_FRONT, LURK_KEY_SELECT}},
};

static const struct {
	const char *word;
	lurk_key left;
} modifier_words[] = {
	{"control", LURK_KEY_LEFTCTRL}, {"ctrl", LURK_KEY_LEFTCTRL}, {"ctl", LURK_KEY_LEFTCTRL},
	{"shift", LURK_KEY_LEFTSHIFT},  {"alt", LURK_KEY_LEFTALT},   {"option", LURK_KEY_LEFTALT},
	{"opt", LURK_KEY_LEFTALT},      {"meta", LURK_KEY_LEFTMETA}, {"super", LURK_KEY_LEFTMETA},
	{"logo", LURK_KEY_LEFTMETA},    {"win", LURK_KEY_LEFTMETA},  {"windows", LURK_KEY_LEFTMETA},
	{"command", LURK_KEY_LEFTMETA}, {"cmd", LURK_KEY_LEFTMETA},  {"os", LURK_KEY_LEFTMETA},
};

static const struct {
	const char *word;
	lurk_key key;
} numpad_words[] = {
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
	{"enter", LURK_KEY_KPENTER},
	{"return", LURK_KEY_KPENTER},
	{"+", LURK_KEY_KPPLUS},
	{"plus", LURK_KEY_KPPLUS},
	{"add", LURK_KEY_KPPLUS},
	{"-", LURK_KEY_KPMINUS},
	{"minus", LURK_KEY_KPMINUS},
	{"subtract", LURK_KEY_KPMINUS},
	{"*", LURK_KEY_KPASTERISK},
	{"times", LURK_KEY_KPASTERISK},
	{"multiply", LURK_KEY_KPASTERISK},
	{"asterisk", LURK_KEY_KPASTERISK},
	{"/", LURK_KEY_KPSLASH},
	{"slash", LURK_KEY_KPSLASH},
	{"divide", LURK_KEY_KPSLASH},
	{".", LURK_KEY_KPDOT},
	{"dot", LURK_KEY_KPDOT},
	{"decimal", LURK_KEY_KPDOT},
	{"period", LURK_KEY_KPDOT},
	{",", LURK_KEY_KPCOMMA},
	{"comma", LURK_KEY_KPCOMMA},
	{"=", LURK_KEY_KPEQUAL},
	{"equal", LURK_KEY_KPEQUAL},
};

static const struct {
	lurk_key key;
	uint16_t one, either;
} modifier_bits[] = {
	{LURK_KEY_LEFTCTRL, LURK_MOD_LEFT_CONTROL, LURK_MOD_CONTROL},
	{LURK_KEY_LEFTSHIFT, LURK_MOD_LEFT_SHIFT, LURK_MOD_SHIFT},
	{LURK_KEY_LEFTALT, LURK_MOD_LEFT_ALT, LURK_MOD_ALT},
	{LURK_KEY_LEFTMETA, LURK_MOD_LEFT_META, LURK_MOD_META},
	{LURK_KEY_RIGHTCTRL, LURK_MOD_RIGHT_CONTROL, 0},
	{LURK_KEY_RIGHTSHIFT, LURK_MOD_RIGHT_SHIFT, 0},
	{LURK_KEY_RIGHTALT, LURK_MOD_RIGHT_ALT, 0},
	{LURK_KEY_RIGHTMETA, LURK_MOD_RIGHT_META, 0},
};

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* No name begins with a separator, so that its first letter says of nearly all that they are not
 * it.
 */
static bool plain_is(const struct lurk_plain *plain, const char *name)
{
	struct lurk_plain other;

	return lurk_lower(*name) == *plain->text &&
	       lurk_plain_make(name, lurk_length(name), &other) &&
	       lurk_equal(plain->text, other.text);
}

static bool starts_with(const char *text, size_t length, const char *word)
{
	size_t n = lurk_length(word);

	if (length < n)
		return false;
	for (size_t i = 0; i < n; i++) {
		if (lurk_lower(text[i]) != word[i])
			return false;
	}
	return true;
}

static enum lurk_name_kind found(struct lurk_name *name, enum lurk_target_kind kind, lurk_key key)
{
	name->press.on.kind = (uint8_t)kind;
	name->press.on.key = key;
	return LURK_NAME_PRESS;
}

static lurk_key modifier_word(const char *word)
{
	for (size_t i = 0; i < COUNT(modifier_words); i++) {
		if (lurk_equal(modifier_words[i].word, word))
			return modifier_words[i].left;
	}
	return LURK_KEY_NONE;
}

/* "lctrl", "left control", "controlleft", "ctrl": a modifier with or without a side. */
static bool read_modifier(const struct lurk_plain *plain, struct lurk_name *name)
{
	static const struct {
		const char *word;
		bool right;
	} sides[] = {{"left", false}, {"right", true}, {"l", false}, {"r", true}};
	lurk_key left = modifier_word(plain->text);

	if (left) {
		found(name, LURK_TARGET_PAIR, left);
		return true;
	}
	for (size_t i = 0; i < COUNT(sides); i++) {
		size_t n = lurk_length(sides[i].word);
		struct lurk_plain rest = *plain;

		if (plain->length <= n)
			continue;
		if (starts_with(plain->text, plain->length, sides[i].word))
			left = modifier_word(plain->text + n);
		if (!left && lurk_equal(plain->text + plain->length - n, sides[i].word)) {
			rest.text[plain->length - n] = '\0';
			left = modifier_word(rest.text);
		}
		if (left) {
			found(name, LURK_TARGET_KEY,
			      sides[i].right ? lurk_key_other_side(left) : left);
			return true;
		}
	}
	return false;
}

static lurk_key read_numpad(const struct lurk_plain *plain)
{
	static const char *const prefixes[] = {"numpad", "keypad", "kp", "num"};

	for (size_t i = 0; i < COUNT(prefixes); i++) {
		if (!starts_with(plain->text, plain->length, prefixes[i]))
			continue;
		for (size_t k = 0; k < COUNT(numpad_words); k++) {
			if (lurk_equal(plain->text + lurk_length(prefixes[i]),
				       numpad_words[k].word))
				return numpad_words[k].key;
		}
	}
	return LURK_KEY_NONE;
}

static lurk_key exact(const char *text, size_t length)
{
	lurk_key k = LURK_KEY_NONE;

	while ((k = lurk_key_next(k)) != LURK_KEY_NONE) {
		const char *w3c = lurk_key_w3c(k);

		if (lurk_length(w3c) == length && !memcmp(w3c, text, length) && length)
			return k;
	}
	return LURK_KEY_NONE;
}

static lurk_key named(const struct lurk_plain *plain, bool short_form)
{
	lurk_key k = LURK_KEY_NONE;

	while ((k = lurk_key_next(k)) != LURK_KEY_NONE) {
		if (short_form ? plain_is(plain, lurk_key_evdev_name(k) + 4)
			       : plain_is(plain, lurk_key_w3c(k)) ||
					 plain_is(plain, lurk_key_evdev_name(k)))
			return k;
	}
	return LURK_KEY_NONE;
}

/* ---- Characters ---------------------------------------------------------------------------- */

size_t lurk_character_read(const char *text, size_t length, uint32_t *codepoint)
{
	static const uint32_t least[] = {0, 0, 0x80, 0x800, 0x10000};
	static const uint8_t masks[] = {0, 0x7f, 0x1f, 0x0f, 0x07};
	const uint8_t *b = (const uint8_t *)text;
	size_t n = !length        ? 0
		   : b[0] < 0x80  ? 1
		   : b[0] < 0xc2  ? 0
		   : b[0] < 0xe0  ? 2
		   : b[0] < 0xf0  ? 3
		   : b[0] <= 0xf4 ? 4
				  : 0;
	uint32_t c = n ? b[0] & masks[n] : 0;

	if (n > length)
		return 0;
	for (size_t i = 1; i < n; i++) {
		if ((b[i] & 0xc0) != 0x80)
			return 0;
		c = c << 6 | (b[i] & 0x3f);
	}
	if (c < least[n] || c > 0x10ffff || (c >= 0xd800 && c <= 0xdfff))
		return 0;
	*codepoint = c;
	return n;
}

/* The one character that `text` is, 0 where it is not exactly one that can be seen. */
static uint32_t one_character(const char *text, size_t length)
{
	uint32_t c = 0;

	return length && lurk_character_read(text, length, &c) == length && c > ' ' && c != 0x7f
		       ? c
		       : 0;
}

static enum lurk_name_kind read_character(uint32_t c, const struct lurk_characters *characters,
					  struct lurk_name *name)
{
	lurk_key key;
	uint16_t modifiers = 0;
	struct lurk_plain letter = {{'k', 'e', 'y', c < 0x80 ? lurk_lower((char)c) : '?'}, 4};

	/* A capital letter names its key, as it stands on the cap, and no Shift. */
	if ((c >= 'A' && c <= 'Z') || (c >= 0xc0 && c <= 0xde && c != 0xd7) ||
	    (c >= 0x391 && c <= 0x3a9) || (c >= 0x410 && c <= 0x42f))
		c += 0x20;
	if (characters) {
		if (!characters->find(characters->data, c, &key, &modifiers))
			return LURK_NAME_CHARACTER;
		name->press.modifiers |= modifiers;
		return found(name, LURK_TARGET_KEY, key);
	}
	key = named(&letter, false);
	return key ? found(name, LURK_TARGET_KEY, key) : LURK_NAME_CHARACTER;
}

/* ---- Nearly right --------------------------------------------------------------------------- */

static enum lurk_name_kind unknown(const struct lurk_plain *plain, struct lurk_name *name)
{
	struct lurk_near near = {.name = name, .worst = 1 + (unsigned)plain->length / 5};
	lurk_key k = LURK_KEY_NONE;

	name->count = 0;
	if (plain->length < 3)
		return LURK_NAME_UNKNOWN;
	while ((k = lurk_key_next(k)) != LURK_KEY_NONE)
		lurk_near_consider(&near, plain, lurk_key_name(k), k);
	for (size_t i = 0; i < COUNT(aliases); i++)
		lurk_near_consider(&near, plain, aliases[i].word, aliases[i].key);
	return LURK_NAME_UNKNOWN;
}

/* ---- All together --------------------------------------------------------------------------- */

static enum lurk_name_kind read_meaning(const struct lurk_plain *plain, struct lurk_name *name)
{
	lurk_key k = LURK_KEY_NONE;
	lurk_key pair = modifier_word(plain->text);

	while ((k = lurk_key_next(k)) != LURK_KEY_NONE) {
		if (pair ? k == pair : plain_is(plain, lurk_key_meaning(k)))
			return found(name, LURK_TARGET_MEANING, k);
	}
	return unknown(plain, name);
}

static enum lurk_name_kind read_code(const char *text, size_t length, struct lurk_name *name)
{
	struct lurk_plain plain;

	if (starts_with(text, length, "evdev:") && lurk_plain_make(text + 6, length - 6, &plain)) {
		bool hex = plain.text[0] == '0' && plain.text[1] == 'x';

		if (lurk_number_read(&plain, name) && (hex || name->is_decimal)) {
			uint32_t value = hex ? name->hex : name->decimal;

			if (value <= LURK_KEY_MAX && lurk_key_known((lurk_key)value))
				return found(name, LURK_TARGET_KEY, (lurk_key)value);
		}
		return LURK_NAME_UNKNOWN;
	}
	if (lurk_scan_read(text, length, &name->press.on.scan) != LURK_OK)
		return LURK_NAME_UNKNOWN;
	return found(name, LURK_TARGET_SCAN, LURK_KEY_NONE);
}

static enum lurk_name_kind read_word(const char *text, size_t length,
				     const struct lurk_characters *characters, bool in_chord,
				     struct lurk_name *name)
{
	struct lurk_plain plain;
	lurk_key key = exact(text, length);
	uint32_t c = one_character(text, length);
	bool bare_digit = c >= '0' && c <= '9';
	struct lurk_reading reading;

	if (key)
		return found(name, LURK_TARGET_KEY, key);
	if (length == 3 && text[0] == text[2] && (text[0] == '\'' || text[0] == '"'))
		return read_character((uint8_t)text[1], characters, name);
	if (length > 3 && text[0] == text[length - 1] && (text[0] == '\'' || text[0] == '"')) {
		c = one_character(text + 1, length - 2);
		return c ? read_character(c, characters, name) : LURK_NAME_UNKNOWN;
	}
	if (bare_digit && in_chord)
		return found(name, LURK_TARGET_KEY,
			     c == '0' ? LURK_KEY_0 : (lurk_key)(LURK_KEY_1 + c - '1'));
	if (c && !bare_digit)
		return read_character(c, characters, name);
	if (!lurk_plain_make(text, length, &plain))
		return LURK_NAME_UNKNOWN;
	for (size_t i = 0; i < COUNT(several); i++) {
		if (!lurk_equal(several[i].word, plain.text))
			continue;
		while (name->count < LURK_NAME_KEYS && several[i].keys[name->count]) {
			name->keys[name->count] = several[i].keys[name->count];
			name->count++;
		}
		return LURK_NAME_MANY;
	}
	if ((key = named(&plain, false)) != LURK_KEY_NONE)
		return found(name, LURK_TARGET_KEY, key);
	for (size_t i = 0; i < COUNT(aliases); i++) {
		if (lurk_equal(aliases[i].word, plain.text))
			return found(name, LURK_TARGET_KEY, aliases[i].key);
	}
	if (read_modifier(&plain, name))
		return LURK_NAME_PRESS;
	if ((key = read_numpad(&plain)) != LURK_KEY_NONE)
		return found(name, LURK_TARGET_KEY, key);
	if (lurk_number_read(&plain, name) &&
	    (plain.text[0] <= '9' || lurk_name_reading(name, 0, &reading)))
		return LURK_NAME_NUMBER;
	if ((key = named(&plain, true)) != LURK_KEY_NONE)
		return found(name, LURK_TARGET_KEY, key);
	if (plain.length > 3 && length > 4 &&
	    lurk_equal(plain.text + plain.length - 3, "key")) /* "the logo key" */
		return read_word(text, length - 3 - lurk_is_separator(text[length - 4]), characters,
				 in_chord, name);
	return unknown(&plain, name);
}

static bool add_modifier(const struct lurk_target *on, uint16_t *modifiers)
{
	for (size_t i = 0; i < COUNT(modifier_bits); i++) {
		if (modifier_bits[i].key != on->key)
			continue;
		if (on->kind == LURK_TARGET_PAIR)
			*modifiers |= modifier_bits[i].either;
		else
			*modifiers |= modifier_bits[i].one;
		return true;
	}
	return false;
}

static size_t trim(const char **text, size_t length)
{
	while (length && **text == ' ') {
		(*text)++;
		length--;
	}
	while (length && (*text)[length - 1] == ' ')
		length--;
	return length;
}

/* "Shift+Digit3": the part before each `+` is a modifier, but a last `+` is a character. */
static enum lurk_name_kind read_chord(const char *text, size_t length,
				      const struct lurk_characters *characters,
				      struct lurk_name *name)
{
	uint16_t modifiers = 0;
	bool in_chord = false;

	for (;;) {
		size_t part = 0;
		const char *word = text;
		size_t word_length;
		enum lurk_name_kind kind;
		bool last;

		while (part < length && (text[part] != '+' || part == 0 || part + 1 == length))
			part++;
		last = part == length;
		word_length = trim(&word, part);
		memset(&name->press, 0, sizeof name->press);
		kind = read_word(word, word_length, characters, in_chord, name);
		if (kind != LURK_NAME_PRESS)
			return kind;
		if (last) {
			name->press.modifiers |= modifiers;
			return kind;
		}
		if (!add_modifier(&name->press.on, &modifiers))
			return LURK_NAME_UNKNOWN;
		text += part + 1;
		length -= part + 1;
		in_chord = true;
	}
}

/* A colon between other characters makes it a code; the character alone is a key. */
static bool has_colon(const char *text, size_t length)
{
	for (size_t i = 1; i + 1 < length; i++) {
		if (text[i] == ':' && text[i - 1] != '\'' && text[i - 1] != '"')
			return true;
	}
	return false;
}

enum lurk_name_kind lurk_name_read(const char *text, size_t length,
				   const struct lurk_characters *characters, struct lurk_name *name)
{
	enum lurk_name_kind kind;
	struct lurk_plain plain;
	bool only = false;

	memset(name, 0, sizeof *name);
	length = trim(&text, length);
	if (starts_with(text, length, "only ")) {
		only = true;
		text += 5;
		length = trim(&text, length - 5);
	}
	if (!length)
		kind = LURK_NAME_UNKNOWN;
	else if (starts_with(text, length, "any ") && lurk_plain_make(text + 4, length - 4, &plain))
		kind = read_meaning(&plain, name);
	else if (has_colon(text, length))
		kind = read_code(text, length, name);
	else
		kind = read_chord(text, length, characters, name);
	name->press.only = only;
	name->kind = (uint8_t)kind;
	return kind;
}
