/* The lines of a layout of one's own: one is put in, another taken out, and all the others stay. */
#include <string.h>

#include "layout/own_file.h"
#include "layout/rows.h"
#include "lurk/text/memory.h"

/* ---- What is wished -------------------------------------------------------------------------- */

/* What is to be changed. */
struct wish {
	xkb_keycode_t code;
	const char *key; /* as XKB calls it */
	unsigned combination;
	uint32_t symbol;
	bool third;     /* AltRight is to choose signs first */
	bool overruled; /* a line for the key makes no difference */
};

/* As they were, but for what was wished. With AltRight a key that has no more levels follows. */
static bool fulfils(struct lurk_layout *before, struct lurk_layout *after, const struct wish *wish)
{
	const xkb_level_index_t level =
		lurk_level_of(before, wish->code, lurk_combinations[wish->combination]);
	const uint32_t wanted = wish->symbol == LURK_SYMBOL_NOTHING ? 0 : wish->symbol;

	for (unsigned i = 0; i < LURK_COMBINATIONS; i++) {
		const uint16_t with = lurk_combinations[i];
		const uint32_t was = lurk_symbol_with(before, wish->code, with);
		const uint32_t now = lurk_symbol_with(after, wish->code, with);

		if (i == wish->combination
			    ? now != wanted
			    : now != was && (i < wish->combination || now != wanted ||
					     lurk_level_of(before, wish->code, with) != level))
			return false;
	}
	return lurk_row_first_other(before->keymap, after->keymap, wish->code,
				    wish->third ? LURK_KEY_RIGHTALT + LURK_KEYCODE_OFFSET : 0) == 0;
}

/* A row for it: where the combination has a level that none before it has, that alone changes; else
 * the key gets as many levels as it takes. */
static void wished_row(struct lurk_layout *layout, const struct wish *wish, struct lurk_row *row)
{
	const xkb_level_index_t level =
		lurk_level_of(layout, wish->code, lurk_combinations[wish->combination]);
	bool alone = true;
	unsigned at = level;

	for (unsigned i = 0; i < wish->combination; i++)
		alone = alone && lurk_level_of(layout, wish->code, lurk_combinations[i]) != level;
	lurk_row_of(layout, wish->code, row);
	if (!alone || level >= row->levels) {
		lurk_row_of_combinations(layout, wish->code, wish->combination > 1 ? 4 : 2, row);
		at = wish->combination;
	}
	row->level[at].count = 1;
	row->level[at].syms[0] = wish->symbol;
}

static char *third_level(const struct lurk_own_layout *own)
{
	return lurk_symbols_add(own->text, &own->symbols, "include \"level3(ralt_switch)\"");
}

/* What it was, and what became of it: the one that is not kept is closed. */
static void keep(struct lurk_own_layout *own, struct lurk_own_layout *trial, bool fine)
{
	if (fine) {
		struct lurk_own_layout old = *own;

		*own = *trial;
		*trial = old;
	}
	lurk_layout_close(trial->layout);
	lurk_release(trial->text);
}

/* The text with a line for the key, where it does what is wished and nothing else. */
static bool try_line(struct lurk_own_layout *own, struct wish *wish, const char *line,
		     struct lurk_message *message)
{
	struct lurk_own_layout trial = *own;
	bool fine;

	trial.text = lurk_copy(own->text, own->length);
	trial.layout = NULL;
	fine = (!wish->third || lurk_own_layout_take_text(&trial, third_level(own), message)) &&
	       lurk_own_layout_take_text(
		       &trial, lurk_symbols_with(trial.text, &trial.symbols, wish->key, line),
		       message) &&
	       fulfils(own->layout, trial.layout, wish);
	if (!fine && trial.layout)
		wish->overruled =
			lurk_row_same(own->layout->keymap, trial.layout->keymap, wish->code);
	keep(own, &trial, fine);
	return fine;
}

/* How XKB calls the ways in which modifiers choose among a key's levels, with how many these are.
 * NULL leaves it to what is on the key. */
static const struct {
	const char *name;
	unsigned levels;
} types[] = {{NULL, 0},
	     {"TWO_LEVEL", 2},
	     {"ALPHABETIC", 2},
	     {"FOUR_LEVEL", 4},
	     {"FOUR_LEVEL_SEMIALPHABETIC", 4},
	     {"FOUR_LEVEL_ALPHABETIC", 4}};

static bool fulfil(struct lurk_own_layout *own, struct wish *wish, struct lurk_message *message)
{
	struct lurk_row row;
	bool done = false;

	wished_row(own->layout, wish, &row);
	for (size_t i = 0; i < sizeof types / sizeof *types && !done; i++) {
		char *line;

		if (types[i].name && types[i].levels != row.levels)
			continue;
		line = lurk_row_write(wish->key, &row, types[i].name);
		done = try_line(own, wish, line, message);
		lurk_release(line);
	}
	return done;
}

static bool is_of_own_shape(const struct lurk_own_layout *own, struct lurk_message *message)
{
	return !*own->why.text ||
	       lurk_say(message,
			"it is not edited here, since it has more in it than a layout of one's "
			"own: %.400s",
			own->why.text);
}

/* What can be said of a key only where the file is of its own shape, and XKB knows the key. */
static bool can_edit(const struct lurk_own_layout *own, struct wish *wish,
		     struct lurk_message *message)
{
	const char *name = lurk_key_name((lurk_key)(wish->code - LURK_KEYCODE_OFFSET));

	wish->key = xkb_keymap_key_get_name(own->layout->keymap, wish->code);
	if (!is_of_own_shape(own, message))
		return false;
	if (!wish->key)
		return lurk_say(message, "layouts know no key %s", name);
	return !lurk_symbol_is_modifier(lurk_symbol_with(own->layout, wish->code, 0)) ||
	       lurk_say(message,
			"%s is a modifier; to make it another key is a rule's work: `lurk "
			"map %s RESULT`",
			name, name);
}

enum lurk_own_layout_edit lurk_own_layout_type(struct lurk_own_layout *own, lurk_key key,
					       uint16_t modifiers, uint32_t symbol, bool *third,
					       struct lurk_message *message)
{
	struct wish wish = {.code = (xkb_keycode_t)key + LURK_KEYCODE_OFFSET, .symbol = symbol};

	*third = false;
	while (wish.combination < LURK_COMBINATIONS &&
	       lurk_combinations[wish.combination] != modifiers)
		wish.combination++;
	if (wish.combination == LURK_COMBINATIONS) {
		lurk_say(message, "what a key types is chosen with Shift, AltRight or both");
		return LURK_OWN_REFUSED;
	}
	if (!can_edit(own, &wish, message))
		return LURK_OWN_REFUSED;
	if (lurk_layout_types(own->layout, key, modifiers) ==
	    (symbol == LURK_SYMBOL_NOTHING ? 0 : symbol))
		return LURK_OWN_SAME;
	wish.third = modifiers & LURK_MOD_RIGHT_ALT && !lurk_layout_has_third(own->layout);
	*message->text = '\0';
	if (fulfil(own, &wish, message)) {
		*third = wish.third;
		return LURK_OWN_EDITED;
	}
	if (!*message->text && wish.overruled)
		lurk_say(message,
			 "the system says what %s types behind every layout; a rule can change it: "
			 "`lurk map %s RESULT`",
			 lurk_key_name(key), lurk_key_name(key));
	else if (!*message->text)
		lurk_say(message,
			 "%s cannot type that alone: it would type something else with other "
			 "modifiers as well",
			 lurk_key_name(key));
	return LURK_OWN_REFUSED;
}

enum lurk_own_layout_edit lurk_own_layout_copy(struct lurk_own_layout *own, lurk_key key,
					       lurk_key from, bool *third,
					       struct lurk_message *message)
{
	struct lurk_own_layout trial = *own;
	enum lurk_own_layout_edit all = LURK_OWN_SAME;

	*third = false;
	trial.text = lurk_copy(own->text, own->length);
	trial.layout = lurk_layout_of(own->layout->context, own->layout->keymap, 0);
	for (unsigned i = 0; i < LURK_COMBINATIONS && all != LURK_OWN_REFUSED; i++) {
		const uint32_t symbol = lurk_layout_types(own->layout, from, lurk_combinations[i]);
		enum lurk_own_layout_edit one = LURK_OWN_REFUSED;
		bool now_third = false;

		if (lurk_symbol_is_modifier(symbol))
			lurk_say(message,
				 "%s is a modifier, which is a rule's work: `lurk map %s %s`",
				 lurk_key_name(from), lurk_key_name(key), lurk_key_name(from));
		else
			one = lurk_own_layout_type(&trial, key, lurk_combinations[i],
						   symbol ? symbol : LURK_SYMBOL_NOTHING,
						   &now_third, message);
		all = one == LURK_OWN_SAME ? all : one;
		*third = *third || now_third;
	}
	keep(own, &trial, all == LURK_OWN_EDITED);
	return all;
}

enum lurk_own_layout_edit lurk_own_layout_restore(struct lurk_own_layout *own, lurk_key key,
						  struct lurk_message *message)
{
	const struct lurk_symbols_key *line;
	struct wish wish = {.code = (xkb_keycode_t)key + LURK_KEYCODE_OFFSET};
	struct lurk_own_layout trial = *own;
	bool fine = true;

	if (!can_edit(own, &wish, message))
		return LURK_OWN_REFUSED;
	if (!lurk_symbols_key(&own->symbols, wish.key))
		return LURK_OWN_SAME;
	trial.text = lurk_copy(own->text, own->length);
	trial.layout = NULL;
	while (fine && (line = lurk_symbols_key(&trial.symbols, wish.key)))
		fine = lurk_own_layout_take_text(&trial, lurk_symbols_without(trial.text, line),
						 message);
	keep(own, &trial, fine);
	return fine ? LURK_OWN_EDITED : LURK_OWN_REFUSED;
}

enum lurk_own_layout_edit lurk_own_layout_call(struct lurk_own_layout *own, const char *words,
					       struct lurk_message *message)
{
	struct lurk_own_layout trial = *own;
	bool fine;

	if (!strcmp(own->layout->words, words))
		return LURK_OWN_SAME;
	if (!is_of_own_shape(own, message) || !lurk_own_layout_may_be_words(words, message))
		return LURK_OWN_REFUSED;
	trial.layout = NULL;
	trial.text = lurk_copy(own->text, own->length);
	fine = lurk_own_layout_take_text(
		&trial, lurk_symbols_named(trial.text, &trial.symbols, words), message);
	keep(own, &trial, fine);
	return fine ? LURK_OWN_EDITED : LURK_OWN_REFUSED;
}
