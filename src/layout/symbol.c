/* Symbols by the words that people have for them. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <xkbcommon/xkbcommon.h>

#include "layout/parts.h"
#include "lurk/layout/own.h"
#include "lurk/text/utf8.h"

/* X11 numbers modifiers one after the other. */
enum {
	LEVEL_FIRST = XKB_KEY_ISO_Lock,
	LEVEL_LAST = XKB_KEY_ISO_Last_Group_Lock,
	LEVEL_FIVE_FIRST = XKB_KEY_ISO_Level5_Shift,
	LEVEL_FIVE_LAST = XKB_KEY_ISO_Level5_Lock,
	MODIFIER_FIRST = XKB_KEY_Shift_L,
	MODIFIER_LAST = XKB_KEY_Hyper_R
};

bool lurk_symbol_is_modifier(uint32_t symbol)
{
	return (symbol >= MODIFIER_FIRST && symbol <= MODIFIER_LAST) ||
	       (symbol >= LEVEL_FIRST && symbol <= LEVEL_LAST) ||
	       (symbol >= LEVEL_FIVE_FIRST && symbol <= LEVEL_FIVE_LAST) ||
	       symbol == XKB_KEY_Mode_switch || symbol == XKB_KEY_Num_Lock;
}

/* A sign of its own, or written as U+2026. */
static uint32_t read_character(const char *text)
{
	const size_t length = strlen(text);
	uint32_t c = 0;
	char *end;

	if (!strncasecmp(text, "U+", 2) && length > 2 && length <= 8) {
		c = (uint32_t)strtoul(text + 2, &end, 16);
		if (*end || text[2] == '-' || text[2] == '+' || text[2] == ' ')
			return 0;
	} else if (lurk_character_read(text, length, &c) != length) {
		return 0;
	}
	if (c < ' ' || (c >= 0x7f && c < 0xa0) || c > 0x10ffff || (c >= 0xd800 && c < 0xe000) ||
	    lurk_is_harmful(c))
		return 0;
	return xkb_utf32_to_keysym(c);
}

/* "dead acute", "dead above dot", "dead_small_schwa": what is between its words is as XKB has it
 * or nothing. */
static uint32_t read_dead(const char *text)
{
	char joined[64] = "dead_", apart[64] = "dead_";
	uint32_t symbol;

	if (strncasecmp(text, "dead", 4) || strlen(text) > sizeof joined - 8)
		return 0;
	for (const char *c = text + 4 + strspn(text + 4, " _-"); *c; c++) {
		const bool between = strchr(" _-", *c) != NULL;

		if (!between)
			snprintf(joined + strlen(joined), 2, "%c", *c);
		snprintf(apart + strlen(apart), 2, "%c", between ? '_' : *c);
	}
	symbol = xkb_keysym_from_name(joined, XKB_KEYSYM_CASE_INSENSITIVE);
	return symbol ? symbol : xkb_keysym_from_name(apart, XKB_KEYSYM_CASE_INSENSITIVE);
}

/* A key by any name of it: what it is in the layout. */
static uint32_t read_key(const char *text, struct lurk_layout *layout)
{
	struct lurk_name name;

	if (lurk_name_read(text, strlen(text), NULL, &name) != LURK_NAME_PRESS ||
	    name.press.on.kind != LURK_TARGET_KEY || name.press.modifiers || name.press.only)
		return 0;
	return lurk_layout_symbol(layout, name.press.on.key);
}

bool lurk_symbol_read(const char *text, struct lurk_layout *layout, uint32_t *symbol,
		      struct lurk_message *message)
{
	char seen[64];

	snprintf(seen, sizeof seen, "%s", text);
	lurk_make_harmless(seen);
	if (!strcasecmp(text, "nothing")) {
		*symbol = LURK_SYMBOL_NOTHING;
		return true;
	}
	*symbol = read_character(text);
	if (!*symbol)
		*symbol = xkb_keysym_from_name(text, XKB_KEYSYM_NO_FLAGS);
	if (!*symbol)
		*symbol = read_dead(text);
	if (!*symbol)
		*symbol = read_key(text, layout);
	if (!*symbol)
		*symbol = xkb_keysym_from_name(text, XKB_KEYSYM_CASE_INSENSITIVE);
	if (!*symbol)
		return lurk_say(message,
				"`%s` is no character, no dead key such as `dead acute`, and no "
				"key; a text or a shortcut is a rule's work: `lurk map KEY --text "
				"'%s'`",
				seen, seen);
	if (lurk_symbol_is_modifier(*symbol))
		return lurk_say(message,
				"`%s` is a modifier, which is a rule's work: `lurk map KEY %s`",
				seen, seen);
	return true;
}

const char *lurk_symbol_words(uint32_t symbol, char out[LURK_SYMBOL])
{
	const uint32_t c = xkb_keysym_to_utf32(symbol);

	if (!symbol || symbol == LURK_SYMBOL_NOTHING) {
		snprintf(out, LURK_SYMBOL, "nothing");
	} else if (lurk_is_printed(c) && c != 0x3000 && lurk_utf8_width((wchar_t)c) > 0) {
		lurk_utf8_write(c, out);
	} else if (c > 0xa0) {
		snprintf(out, LURK_SYMBOL, "U+%04X", c);
	} else {
		lurk_symbol_name(symbol, out);
		for (char *at = out; lurk_symbol_is_dead(symbol) && *at; at++)
			*at = *at == '_' ? ' ' : *at;
	}
	return out;
}
