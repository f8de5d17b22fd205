/* Reading the names that people give to keys. */
#include "core/word.h"

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
	key = lurk_word_code(&letter);
	return key ? found(name, LURK_TARGET_KEY, key) : LURK_NAME_CHARACTER;
}

/* ---- Nearly right --------------------------------------------------------------------------- */

static enum lurk_name_kind unknown(const struct lurk_plain *plain, struct lurk_name *name)
{
	struct lurk_near near = {.name = name};
	lurk_key k = LURK_KEY_NONE;
	const char *word;

	name->count = 0;
	while ((k = lurk_key_next(k)) != LURK_KEY_NONE)
		lurk_near_consider(&near, plain, lurk_key_name(k), k);
	for (size_t i = 0; (word = lurk_word_alias_at(i, &k)) != NULL; i++)
		lurk_near_consider(&near, plain, word, k);
	return LURK_NAME_UNKNOWN;
}

/* ---- All together --------------------------------------------------------------------------- */

static enum lurk_name_kind read_meaning(const struct lurk_plain *plain, struct lurk_name *name)
{
	struct lurk_target on = {0};
	lurk_key key = LURK_KEY_NONE;

	if (lurk_word_modifier(plain, &on) && on.kind == LURK_TARGET_PAIR)
		key = on.key;
	else
		key = lurk_word_meaning(plain);
	if (key)
		return found(name, LURK_TARGET_MEANING, key);
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
	uint32_t c = one_character(text, length);
	bool bare_digit = c >= '0' && c <= '9', is_word = lurk_plain_make(text, length, &plain);
	lurk_key key = is_word ? lurk_word_code(&plain) : (lurk_key)LURK_KEY_NONE;
	struct lurk_reading reading;
	const lurk_key *several;

	if (key && lurk_length(lurk_key_w3c(key)) == length &&
	    !memcmp(lurk_key_w3c(key), text, length))
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
	if (!is_word)
		return LURK_NAME_UNKNOWN;
	several = lurk_word_several(&plain);
	while (several && name->count < LURK_NAME_KEYS && several[name->count]) {
		name->keys[name->count] = several[name->count];
		name->count++;
	}
	if (several)
		return LURK_NAME_MANY;
	if (key || (key = lurk_word_linux(&plain)) || (key = lurk_word_alias(&plain)))
		return found(name, LURK_TARGET_KEY, key);
	if (lurk_word_modifier(&plain, &name->press.on))
		return LURK_NAME_PRESS;
	if ((key = lurk_word_numpad(&plain)) != LURK_KEY_NONE)
		return found(name, LURK_TARGET_KEY, key);
	if (lurk_number_read(&plain, name) &&
	    (plain.text[0] <= '9' || lurk_name_reading(name, 0, &reading)))
		return LURK_NAME_NUMBER;
	if ((key = lurk_word_linux_short(&plain)) != LURK_KEY_NONE)
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
		size_t part;
		const char *word = text;
		size_t word_length;
		enum lurk_name_kind kind;
		bool last;

		for (part = 1; part < length && text[part] != '+'; part++)
			;
		if (part + 1 >= length) /* a last `+` is a character */
			part = length;
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
