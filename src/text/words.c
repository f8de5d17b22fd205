#include "lurk/text/words.h"

#include <stdio.h>
#include <string.h>
#include <strings.h>

static void add(char *out, size_t size, const char *separator, const char *word)
{
	size_t n = strlen(out);

	snprintf(out + n, size - n, "%s%s", n ? separator : "", word);
}

static void list_keys(const struct lurk_name *name, const char *separator, char *out, size_t size)
{
	*out = '\0';
	for (unsigned i = 0; i < name->count; i++)
		add(out, size, separator, lurk_key_name(name->keys[i]));
}

static void list_readings(const struct lurk_name *name, char *out, size_t size)
{
	struct lurk_reading r;

	*out = '\0';
	for (unsigned i = 0; lurk_name_reading(name, i, &r); i++) {
		char scan[LURK_SCAN_TEXT], reading[96], code[16];

		snprintf(code, sizeof code, "evdev:%u", r.key);
		snprintf(reading, sizeof reading, "%s is %s (%s)",
			 r.scan.kind ? lurk_scan_write(r.scan, scan) : code, lurk_key_name(r.key),
			 r.as);
		add(out, size, "; ", reading);
	}
}

/* "e076": PS/2 bytes behind a prefix, without saying of which set. */
static bool is_bare_scan(const char *text)
{
	return strlen(text) == 4 && (*text | 0x20) == 'e' && text[1] == '0' &&
	       strspn(text + 2, "0123456789abcdefABCDEF") == 2;
}

/* A chord with other signs between its keys than `+`, as "ctrl-c" and "ctrl shift l", as it is
 * written here; "" for anything else. */
static const char *as_a_chord(const char *text, const struct lurk_characters *characters,
			      char out[LURK_WORDS])
{
	char chord[LURK_WORDS] = "";
	struct lurk_name name;
	size_t n = 0;

	*out = '\0';
	for (; *text && n + 1 < sizeof chord; text++) {
		const bool apart = strchr(" -_+", *text) && text[1];

		if (apart && n && chord[n - 1] != '+')
			chord[n++] = '+';
		else if (!apart)
			chord[n++] = *text;
	}
	if (!*text && lurk_name_read(chord, n, characters, &name) == LURK_NAME_PRESS &&
	    name.press.modifiers)
		lurk_words_for_press(&name.press, out);
	return out;
}

bool lurk_words_press(const char *text, const struct lurk_characters *characters,
		      struct lurk_press *press, struct lurk_message *message)
{
	struct lurk_name name;
	char list[512], chord[LURK_WORDS];

	switch (lurk_name_read(text, strlen(text), characters, &name)) {
	case LURK_NAME_PRESS:
		*press = name.press;
		return true;
	case LURK_NAME_MANY:
		list_keys(&name, ", ", list, sizeof list);
		return lurk_say(
			message,
			"`%s` can mean several keys: %s; write one of these, spelled like this",
			text, list);
	case LURK_NAME_NUMBER:
		if (!text[1]) { /* what stands on the cap */
			memset(press, 0, sizeof *press);
			press->on.kind = LURK_TARGET_KEY;
			press->on.key =
				*text == '0' ? LURK_KEY_0 : (lurk_key)(LURK_KEY_1 + *text - '1');
			return true;
		}
		list_readings(&name, list, sizeof list);
		if (!*list)
			return lurk_say(message,
					"`%s` is a bare number, and no key in any reading; write "
					"what it is, "
					"such as hid:07:a5",
					text);
		return lurk_say(
			message,
			"`%s` is a bare number and can be read in several ways; write one: %s",
			text, list);
	case LURK_NAME_CHARACTER:
		if (characters)
			return lurk_say(message,
					"no key of the layout types `%s`; name the key itself",
					text);
		return lurk_say(message,
				"which key types `%s` depends on the layout, and none is known "
				"here; name the "
				"key itself, or give `layout:` in the profile",
				text);
	default:
		if (is_bare_scan(text))
			return lurk_say(message,
					"`%s` is the scan code of no key that has a name; write of "
					"which set it is, set1:%s or set2:%s",
					text, text, text);
		list_keys(&name, " or ", list, sizeof list);
		as_a_chord(text, characters, chord);
		if (*chord || *list)
			return lurk_say(message, "`%s` is no key; did you mean %s?", text,
					*chord ? chord : list);
		return lurk_say(message,
				"`%s` is no key; `lurk resolve --list WORD` searches all of them",
				text);
	}
}

static const struct {
	uint16_t bit;
	const char *name;
} modifier_names[] = {
	{LURK_MOD_CONTROL, "Control"},
	{LURK_MOD_LEFT_CONTROL, "ControlLeft"},
	{LURK_MOD_RIGHT_CONTROL, "ControlRight"},
	{LURK_MOD_SHIFT, "Shift"},
	{LURK_MOD_LEFT_SHIFT, "ShiftLeft"},
	{LURK_MOD_RIGHT_SHIFT, "ShiftRight"},
	{LURK_MOD_ALT, "Alt"},
	{LURK_MOD_LEFT_ALT, "AltLeft"},
	{LURK_MOD_RIGHT_ALT, "AltRight"},
	{LURK_MOD_META, "Meta"},
	{LURK_MOD_LEFT_META, "MetaLeft"},
	{LURK_MOD_RIGHT_META, "MetaRight"},
};

const char *lurk_words_key(lurk_key key, lurk_scan scan, char out[LURK_WORDS])
{
	char text[LURK_SCAN_TEXT];

	snprintf(out, LURK_WORDS, "%s", key ? lurk_key_name(key) : lurk_scan_write(scan, text));
	return out;
}

const char *lurk_words_target(const struct lurk_target *target, char out[LURK_WORDS])
{
	char scan[LURK_SCAN_TEXT];

	switch (target->kind) {
	case LURK_TARGET_MEANING:
		snprintf(out, LURK_WORDS, "any %s", lurk_key_meaning(target->key));
		break;
	case LURK_TARGET_PAIR:
		snprintf(out, LURK_WORDS, "%s", lurk_key_pair_name(target->key));
		break;
	case LURK_TARGET_SCAN:
		snprintf(out, LURK_WORDS, "%s", lurk_scan_write(target->scan, scan));
		break;
	default:
		snprintf(out, LURK_WORDS, "%s", lurk_key_name(target->key));
		break;
	}
	return out;
}

const char *lurk_words_for_press(const struct lurk_press *press, char out[LURK_WORDS])
{
	char target[LURK_WORDS];

	snprintf(out, LURK_WORDS, "%s", press->only ? "only " : "");
	for (size_t i = 0; i < sizeof modifier_names / sizeof *modifier_names; i++) {
		size_t n = strlen(out);

		if (press->modifiers & modifier_names[i].bit)
			snprintf(out + n, LURK_WORDS - n, "%s+", modifier_names[i].name);
	}
	snprintf(out + strlen(out), LURK_WORDS - strlen(out), "%s",
		 lurk_words_target(&press->on, target));
	return out;
}

const char *lurk_words_chords(struct lurk_text steps, char *out, size_t size)
{
	const bool several = steps.length > LURK_STEP_BYTES;

	snprintf(out, size, "%s", several ? "[" : "");
	for (size_t at = 0; at < steps.length; at += LURK_STEP_BYTES) {
		struct lurk_step step = lurk_step_read((const uint8_t *)steps.bytes + at);
		struct lurk_press press = {.on = {.kind = LURK_TARGET_KEY, .key = step.key},
					   .modifiers = step.modifiers};
		char chord[LURK_WORDS];
		size_t n = strlen(out);

		snprintf(out + n, size - n, "%s%s", at ? ", " : "",
			 lurk_words_for_press(&press, chord));
	}
	if (several)
		snprintf(out + strlen(out), size - strlen(out), "]");
	return out;
}

const char *lurk_words_result(const struct lurk_result *result, char out[LURK_WORDS])
{
	int length = (int)(result->text.length < 100 ? result->text.length : 100);

	switch (result->kind) {
	case LURK_GIVES_NOTHING:
		snprintf(out, LURK_WORDS, "nothing");
		break;
	case LURK_GIVES_ITSELF:
		snprintf(out, LURK_WORDS, "itself");
		break;
	case LURK_GIVES_PAIR:
		snprintf(out, LURK_WORDS, "%s", lurk_key_pair_name(result->key));
		break;
	case LURK_GIVES_CHORDS:
		lurk_words_chords(result->steps, out, LURK_WORDS);
		break;
	case LURK_GIVES_TEXT:
		snprintf(out, LURK_WORDS, "the text \"%.*s\"", length, result->text.bytes);
		break;
	case LURK_GIVES_PROFILE:
		if (length == 8 && !strncmp(result->text.bytes, "previous", 8))
			snprintf(out, LURK_WORDS, "the profile before");
		else
			snprintf(out, LURK_WORDS, "profile %.*s", length, result->text.bytes);
		break;
	case LURK_GIVES_TOGGLE:
		snprintf(out, LURK_WORDS, "rules off and on");
		break;
	default:
		snprintf(out, LURK_WORDS, "%s", lurk_key_name(result->key));
		break;
	}
	lurk_make_harmless(out);
	return out;
}

const char *lurk_words_rule(const struct lurk_rule *rule, const char *keyboard, char *out,
			    size_t size)
{
	char press[LURK_WORDS], result[LURK_WORDS];

	lurk_words_for_press(&rule->press, press);
	lurk_words_result(&rule->gives, result);
	if (rule->swap)
		snprintf(out, size, "%s and %s are swapped", press, result);
	else
		snprintf(out, size, "%s gives %s", press, result);
	if (*keyboard)
		snprintf(out + strlen(out), size - strlen(out), " on %s", keyboard);
	if (rule->off)
		snprintf(out + strlen(out), size - strlen(out), " (switched off)");
	return out;
}

const char *lurk_words_text(struct lurk_text text, char *out, size_t size)
{
	snprintf(out, size, "%.*s", (int)(text.length < size ? text.length : size - 1),
		 text.length ? text.bytes : "");
	lurk_make_harmless(out);
	return out;
}

const char *lurk_words_count(unsigned count, const char *one, char out[LURK_COUNT_WORDS])
{
	snprintf(out, LURK_COUNT_WORDS, "%u %s%s", count, one, count == 1 ? "" : "s");
	return out;
}

/* ---- Caps ------------------------------------------------------------------------------------ */

static bool types(lurk_key key)
{
	const char *meaning = lurk_key_meaning(key);

	return (strlen(meaning) == 1 && *meaning != ' ') || !strncmp(lurk_key_name(key), "Intl", 4);
}

const char *lurk_words_meaning(lurk_key key, const struct lurk_characters *characters,
			       char cap[LURK_CAP])
{
	*cap = '\0';
	if (characters && characters->cap && types(key))
		characters->cap(characters->data, key, 0, cap);
	return *cap ? cap : lurk_key_meaning(key);
}

/* What stands on the cap where the name does not say it, else "": names are those of a US keyboard.
 */
static void unsaid_cap(const struct lurk_characters *characters, lurk_key key, uint16_t modifiers,
		       char cap[LURK_CAP])
{
	const bool said = strncmp(lurk_key_name(key), "Intl", 4) != 0;

	*cap = '\0';
	if (!types(key))
		return;
	characters->cap(characters->data, key, modifiers, cap);
	if (said && !strcasecmp(cap, lurk_key_meaning(key)))
		*cap = '\0';
}

/* The key that is called exactly so; LURK_KEY_NONE for a word that is no name. */
static lurk_key key_called(const char *word, size_t length)
{
	struct lurk_name read;
	const char *name;

	if (*word < 'A' || *word > 'Z' ||
	    lurk_name_read(word, length, NULL, &read) != LURK_NAME_PRESS ||
	    read.press.on.kind != LURK_TARGET_KEY || read.press.modifiers || read.press.only)
		return LURK_KEY_NONE;
	name = lurk_key_name(read.press.on.key);
	return strlen(name) == length && !strncmp(name, word, length) ? read.press.on.key
								      : (lurk_key)LURK_KEY_NONE;
}

/* The level that modifiers of a chord choose: LURK_MOD_SHIFT, LURK_MOD_RIGHT_ALT, both or 0; other
 * modifiers make a shortcut of it, which types nothing. */
static uint16_t level_of(const char *chord, size_t length)
{
	static const struct {
		const char *word;
		uint16_t level;
	} words[] = {{"Shift+", LURK_MOD_SHIFT},
		     {"ShiftLeft+", LURK_MOD_SHIFT},
		     {"ShiftRight+", LURK_MOD_SHIFT},
		     {"AltRight+", LURK_MOD_RIGHT_ALT}};
	uint16_t level = 0;
	bool shortcut = false;

	while (length) {
		size_t i = 0, n = (size_t)((char *)memchr(chord, '+', length) + 1 - chord);

		while (i < sizeof words / sizeof *words &&
		       (strlen(words[i].word) != n || memcmp(words[i].word, chord, n) != 0))
			i++;
		if (i < sizeof words / sizeof *words)
			level |= words[i].level;
		else
			shortcut = true;
		chord += n;
		length -= n;
	}
	return shortcut ? 0 : level;
}

static bool is_word(char c)
{
	return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
}

/* The word or chord at the start of a text: how long it is, and where its last word begins. */
static size_t chord_at(const char *text, size_t *last)
{
	size_t n = 0;

	*last = 0;
	while (is_word(text[n]) || (text[n] == '+' && n && is_word(text[n + 1]))) {
		if (text[n] == '+')
			*last = n + 1;
		n++;
	}
	return n;
}

/* Appends as much as there is room for. */
static void append(char *out, size_t size, size_t *used, const char *text, size_t length)
{
	const size_t room = size - 1 - *used, n = length < room ? length : room;

	memcpy(out + *used, text, n);
	*used += n;
	out[*used] = '\0';
}

/* The cap of the key that a chord ends with, where the name does not say it; else "". */
static void cap_of(const char *chord, size_t length, size_t last,
		   const struct lurk_characters *characters, char cap[LURK_CAP])
{
	const lurk_key key = key_called(chord + last, length - last);

	*cap = '\0';
	if (key && strncmp(chord + length, " (`", 3) != 0)
		unsaid_cap(characters, key, level_of(chord, last), cap);
}

const char *lurk_words_with_caps(const char *told, const struct lurk_characters *characters,
				 char *out, size_t size)
{
	const bool known = characters && characters->cap;
	char quote = '\0', cap[LURK_CAP], piece[2 * LURK_WORDS];
	size_t used = 0, n, last;

	*out = '\0';
	if (!known)
		append(out, size, &used, told, strlen(told));
	for (const char *at = told; known && *at; at += n) {
		if (quote)
			quote = *at == quote ? '\0' : quote;
		else if (*at == '`' || *at == '"')
			quote = *at;
		n = quote ? 0 : chord_at(at, &last);
		*cap = '\0';
		if (n && (at == told || (at[-1] != '_' && at[-1] != ':')))
			cap_of(at, n, last, characters, cap);
		n = n ? n : 1;
		if (*cap) {
			const char *mark = strcmp(cap, "`") != 0 ? "`" : "\"";

			snprintf(piece, sizeof piece, "%.*s (%s%s%s here)", (int)n, at, mark, cap,
				 mark);
			*cap = strstr(out, piece) ? '\0' : *cap; /* once */
		}
		append(out, size, &used, *cap ? piece : at, *cap ? strlen(piece) : n);
	}
	return out;
}
