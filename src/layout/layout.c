#include "lurk/layout/layout.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "layout/compose.h"
#include "layout/includes.h"
#include "layout/parts.h"
#include "layout/registry.h"
#include "lurk/text/memory.h"

static void quiet(struct xkb_context *context, enum xkb_log_level level, const char *format,
		  va_list args)
{
	(void)context;
	(void)level;
	(void)format;
	(void)args;
}

struct xkb_context *lurk_layout_context(void)
{
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_ENVIRONMENT_NAMES);

	if (context)
		xkb_context_set_log_fn(context, quiet);
	return context;
}

struct lurk_layout *lurk_layout_of(struct xkb_context *context, struct xkb_keymap *keymap,
				   xkb_layout_index_t group)
{
	struct lurk_layout *layout = lurk_allocate(1, sizeof *layout);

	layout->context = xkb_context_ref(context);
	layout->keymap = xkb_keymap_ref(keymap);
	layout->group = group;
	layout->state = lurk_typing_state(keymap, group);
	if (!layout->state)
		abort();
	return layout;
}

struct lurk_layout *lurk_layout_open(const char *name, struct lurk_message *message)
{
	return lurk_layout_open_with(name, "", message);
}

/* As the keymap has it. */
static const char *words_of(const struct lurk_layout *layout)
{
	const char *words = xkb_keymap_layout_get_name(layout->keymap, layout->group);

	return words ? words : "";
}

/* The system's own files come to an end; a person's need not. */
static bool comes_to_an_end(struct xkb_context *context, const char *base, const char *variant)
{
	struct lurk_message unused;
	char *text;
	bool ends;

	if (xkb_context_num_include_paths(context) < 2)
		return true;
	text = lurk_print("xkb_symbols \"x\" { include \"%s%s%s%s\" };", base, *variant ? "(" : "",
			  variant, *variant ? ")" : "");
	ends = lurk_includes_end(context, text, strlen(text), &unused);
	lurk_release(text);
	return ends;
}

struct xkb_keymap *lurk_layout_keymap(struct xkb_context *context, const char *name,
				      const char *options)
{
	char base[64];
	const char *colon = strchr(name, ':');
	struct xkb_rule_names names = {.model = "pc105",
				       .layout = base,
				       .variant = colon ? colon + 1 : "",
				       .options = options};

	snprintf(base, sizeof base, "%.*s", (int)(colon ? (size_t)(colon - name) : strlen(name)),
		 name);
	if (!comes_to_an_end(context, base, names.variant))
		return NULL;
	return xkb_keymap_new_from_names(context, &names, XKB_KEYMAP_COMPILE_NO_FLAGS);
}

unsigned lurk_layouts_of_keymap(const char *text, size_t length, struct lurk_layout *layouts[],
				unsigned most)
{
	struct xkb_context *context = lurk_layout_context();
	struct xkb_keymap *keymap = NULL;
	unsigned count = 0;

	if (context)
		keymap =
			xkb_keymap_new_from_buffer(context, text, length, XKB_KEYMAP_FORMAT_TEXT_V1,
						   XKB_KEYMAP_COMPILE_NO_FLAGS);
	while (keymap && count < most && count < xkb_keymap_num_layouts(keymap)) {
		struct lurk_layout *layout = lurk_layout_of(context, keymap, count);

		snprintf(layout->words, sizeof layout->words, "%s", words_of(layout));
		layouts[count++] = layout;
	}
	xkb_keymap_unref(keymap);
	xkb_context_unref(context);
	return count;
}

uint32_t lurk_layout_number_of(const struct lurk_layout *layout)
{
	return lurk_layout_number(words_of(layout), strlen(words_of(layout)));
}

bool lurk_layout_is_there(const char *name)
{
	struct xkb_context *context = lurk_layout_context();
	const size_t base = strcspn(name, ":");
	char path[LURK_PATH], *bytes = NULL, *section;
	struct lurk_message unused;
	size_t length;
	bool exists, there = false;

	if (context && base && !memchr(name, '/', base) &&
	    snprintf(path, sizeof path, "%s/symbols/%.*s", lurk_layout_system_folder(context),
		     (int)base, name) < (int)sizeof path &&
	    lurk_file_read(path, &bytes, &length, &exists, &unused)) {
		section = name[base] ? lurk_print("xkb_symbols \"%s\"", name + base + 1)
				     : lurk_print("xkb_symbols \"");
		there = memmem(bytes, length, section, strlen(section));
		lurk_release(section);
		lurk_release(bytes);
	}
	xkb_context_unref(context);
	return there;
}

struct lurk_layout *lurk_layout_open_with(const char *name, const char *options,
					  struct lurk_message *message)
{
	struct xkb_context *context = lurk_layout_context();
	struct xkb_keymap *keymap = context ? lurk_layout_keymap(context, name, options) : NULL;
	struct lurk_layout *layout = NULL;
	char meant[64] = "", candidates[256] = "";

	if (context && !keymap && lurk_registry_meant(context, name, meant, candidates))
		keymap = lurk_layout_keymap(context, meant, options);
	if (keymap) {
		layout = lurk_layout_of(context, keymap, 0);
		snprintf(layout->name, sizeof layout->name, "%s", *meant ? meant : name);
	} else if (*candidates) {
		lurk_say(message, "there is no layout `%s`; did you mean %s?", name, candidates);
	} else {
		lurk_say(message,
			 "there is no layout `%s`; write one such as us, gb or de:nodeadkeys",
			 name);
	}
	xkb_keymap_unref(keymap);
	xkb_context_unref(context);
	return layout;
}

void lurk_layouts_each(void (*tell)(void *data, const char *name), void *data)
{
	struct xkb_context *context = lurk_layout_context();

	if (context)
		lurk_registry_each(context, tell, data);
	xkb_context_unref(context);
}

const char *lurk_layout_name(struct lurk_layout *layout)
{
	if (!*layout->name) /* one of a keymap has its words alone */
		lurk_registry_called(layout->context, layout->words, layout->name);
	return layout->name;
}

/* The list of layouts says the same, and takes more than twice as long to read. */
const char *lurk_layout_words(struct lurk_layout *layout)
{
	if (!*layout->words)
		snprintf(layout->words, sizeof layout->words, "%s", words_of(layout));
	if (!*layout->words)
		lurk_registry_words(layout->context, layout->name, layout->words,
				    sizeof layout->words);
	return layout->words;
}

void lurk_layout_close(struct lurk_layout *layout)
{
	if (!layout)
		return;
	xkb_compose_state_unref(layout->sequence);
	lurk_typing_free(layout->typing);
	xkb_compose_table_unref(layout->compose);
	lurk_release(layout->legends);
	lurk_release(layout->lines);
	xkb_state_unref(layout->state);
	xkb_keymap_unref(layout->keymap);
	xkb_context_unref(layout->context);
	lurk_release(layout);
}

xkb_layout_index_t lurk_layout_group_of(const struct lurk_layout *layout, xkb_keycode_t code)
{
	const xkb_layout_index_t count = xkb_keymap_num_layouts_for_key(layout->keymap, code);

	return count ? layout->group % count : 0;
}

xkb_mod_mask_t lurk_layout_mask(struct xkb_keymap *keymap, uint16_t modifiers)
{
	xkb_mod_mask_t mask = 0;

	if (modifiers & LURK_MOD_SHIFT)
		mask |= 1U << xkb_keymap_mod_get_index(keymap, XKB_MOD_NAME_SHIFT);
	if (modifiers & LURK_MOD_RIGHT_ALT)
		mask |= 1U << xkb_keymap_mod_get_index(keymap, "Mod5");
	return mask;
}

/* Modifiers that reach a level, as keys; false where they are others than Shift and AltRight. */
static bool modifiers_for(const struct lurk_layout *layout, xkb_keycode_t code,
			  xkb_level_index_t level, uint16_t *modifiers)
{
	struct xkb_keymap *keymap = layout->keymap;
	xkb_mod_mask_t masks[8];
	size_t n = xkb_keymap_key_get_mods_for_level(
		keymap, code, lurk_layout_group_of(layout, code), level, masks, 8);
	const xkb_mod_mask_t shift = lurk_layout_mask(keymap, LURK_MOD_SHIFT);
	const xkb_mod_mask_t third = lurk_layout_mask(keymap, LURK_MOD_RIGHT_ALT);

	for (size_t i = 0; i < n; i++) {
		if (masks[i] & ~(shift | third))
			continue;
		*modifiers = (uint16_t)((masks[i] & shift ? LURK_MOD_SHIFT : 0) |
					(masks[i] & third ? LURK_MOD_RIGHT_ALT : 0));
		return true;
	}
	return false;
}

/* To read them takes as long as to open a layout. */
static struct xkb_compose_table *compose(struct lurk_layout *layout)
{
	if (!layout->compose)
		layout->compose = lurk_compose_table(layout->context, layout->lines);
	return layout->compose;
}

static struct lurk_typing_table *typing(struct lurk_layout *layout)
{
	if (!layout->typing)
		layout->typing = lurk_typing_new(layout->keymap, layout->group, compose(layout));
	return layout->typing;
}

bool lurk_layout_gives(struct lurk_layout *layout, uint32_t codepoint)
{
	return lurk_typing_gives(typing(layout), codepoint);
}

void lurk_layout_compose(struct lurk_layout *layout, const char *lines)
{
	lurk_typing_free(layout->typing);
	xkb_compose_state_unref(layout->sequence);
	xkb_compose_table_unref(layout->compose);
	layout->typing = NULL;
	layout->sequence = NULL;
	layout->compose = NULL;
	lurk_release(layout->legends);
	layout->legends = NULL;
	lurk_release(layout->lines);
	layout->lines = lines && *lines ? lurk_copy(lines, strlen(lines)) : NULL;
}

struct xkb_compose_state *lurk_layout_sequences(struct lurk_layout *layout)
{
	return compose(layout) ? xkb_compose_state_new(layout->compose, XKB_COMPOSE_STATE_NO_FLAGS)
			       : NULL;
}

static bool find(void *data, uint32_t codepoint, lurk_key *key, uint16_t *modifiers)
{
	struct lurk_step step = {LURK_KEY_NONE, 0};
	bool found = lurk_typing_key(typing(data), codepoint, &step);

	*key = step.key;
	*modifiers = step.modifiers & LURK_MOD_ALL;
	return found;
}

static unsigned type(void *data, uint32_t codepoint, struct lurk_step steps[LURK_LAYOUT_STEPS])
{
	return lurk_typing_find(typing(data), codepoint, steps);
}

static const char *elsewhere(void *data, uint32_t codepoint)
{
	static _Thread_local char out[64];

	(void)data;
	return lurk_layouts_with(codepoint, out);
}

const char *lurk_layouts_with(uint32_t codepoint, char out[64])
{
	static const char *const common[] = {"us", "gb", "de", "fr", "es", "pt", "se",
					     "no", "pl", "cz", "tr", "gr", "ru", "us:intl"};
	enum { MOST = 3 };
	struct xkb_compose_table *all = NULL;
	const char *found[MOST];
	unsigned count = 0;

	for (size_t i = 0; count < MOST && i < sizeof common / sizeof *common; i++) {
		struct lurk_step steps[LURK_LAYOUT_STEPS];
		struct lurk_message unused;
		struct lurk_layout *layout = lurk_layout_open(common[i], &unused);

		if (!layout)
			continue;
		if (all)
			layout->compose = xkb_compose_table_ref(all); /* one locale, one table */
		else if (compose(layout))
			all = xkb_compose_table_ref(layout->compose);
		if (type(layout, codepoint, steps))
			found[count++] = common[i];
		lurk_layout_close(layout);
	}
	xkb_compose_table_unref(all);
	*out = '\0';
	for (unsigned i = 0; i < count; i++)
		snprintf(out + strlen(out), 64 - strlen(out), "%s%s",
			 !i              ? ""
			 : i + 1 < count ? ", "
					 : " or ",
			 found[i]);
	return out;
}

struct third_level {
	const struct lurk_layout *layout;
	bool found;
};

static void look_for_third_level(struct xkb_keymap *keymap, xkb_keycode_t code, void *data)
{
	struct third_level *third = data;
	const xkb_layout_index_t group = lurk_layout_group_of(third->layout, code);
	const xkb_level_index_t levels = xkb_keymap_num_levels_for_key(keymap, code, group);
	const lurk_key key = (lurk_key)(code - LURK_KEYCODE_OFFSET);
	const xkb_keysym_t *syms;
	uint16_t modifiers;

	/* The keypad and the key beside the left Shift have third levels in every layout. */
	if (code < LURK_KEYCODE_OFFSET || key == LURK_KEY_102ND ||
	    lurk_key_side(key) == LURK_SIDE_NUMPAD)
		return;
	for (xkb_level_index_t level = 0; level < levels && !third->found; level++)
		third->found =
			xkb_keymap_key_get_syms_by_level(keymap, code, group, level, &syms) == 1 &&
			xkb_keysym_to_utf32(syms[0]) > ' ' &&
			modifiers_for(third->layout, code, level, &modifiers) &&
			modifiers & LURK_MOD_RIGHT_ALT;
}

bool lurk_layout_third_level(struct lurk_layout *layout)
{
	struct third_level third = {layout, false};

	xkb_keymap_key_for_each(layout->keymap, look_for_third_level, &third);
	return third.found;
}

static bool cap(void *data, lurk_key key, uint16_t modifiers, char out[LURK_CAP])
{
	return lurk_layout_legend(data, key, modifiers, out);
}

struct lurk_characters lurk_layout_characters(struct lurk_layout *layout)
{
	return (struct lurk_characters){layout, find, type, elsewhere, cap, NULL};
}

uint32_t lurk_layout_symbol(struct lurk_layout *layout, lurk_key key)
{
	const xkb_keycode_t code = (xkb_keycode_t)key + LURK_KEYCODE_OFFSET;
	const xkb_keysym_t *syms;

	return xkb_keymap_key_get_syms_by_level(layout->keymap, code,
						lurk_layout_group_of(layout, code), 0, &syms) > 0
		       ? syms[0]
		       : 0;
}

const char *lurk_symbol_name(uint32_t symbol, char out[LURK_SYMBOL])
{
	*out = '\0';
	xkb_keysym_get_name(symbol, out, LURK_SYMBOL);
	return out;
}

/* Whether the key is part of a sequence; its end gives the text. */
static bool in_sequence(struct lurk_layout *layout, xkb_keycode_t code, char text[LURK_LAYOUT_TEXT])
{
	xkb_keysym_t sym = xkb_state_key_get_one_sym(layout->state, code);

	if (!layout->sequence && (sym == XKB_KEY_Multi_key || lurk_symbol_is_dead(sym)))
		layout->sequence = lurk_layout_sequences(layout);
	if (!layout->sequence ||
	    xkb_compose_state_feed(layout->sequence, sym) == XKB_COMPOSE_FEED_IGNORED)
		return false;
	switch (xkb_compose_state_get_status(layout->sequence)) {
	case XKB_COMPOSE_NOTHING:
		return false;
	case XKB_COMPOSE_COMPOSED:
		xkb_compose_state_get_utf8(layout->sequence, text, LURK_LAYOUT_TEXT);
		xkb_compose_state_reset(layout->sequence);
		return true;
	case XKB_COMPOSE_CANCELLED:
		xkb_compose_state_reset(layout->sequence);
		return true;
	default:
		return true;
	}
}

/* A dead key's accent: what it gives pressed twice, else with a space. */
static void accent(struct lurk_layout *layout, xkb_keysym_t dead, char legend[LURK_LEGEND])
{
	struct xkb_compose_state *sequence = lurk_layout_sequences(layout);
	const xkb_keysym_t next[] = {dead, XKB_KEY_space};

	/* With a space an acute accent would be an apostrophe. */
	for (size_t i = 0; sequence && !*legend && i < 2; i++) {
		xkb_compose_state_reset(sequence);
		xkb_compose_state_feed(sequence, dead);
		xkb_compose_state_feed(sequence, next[i]);
		if (xkb_compose_state_get_status(sequence) == XKB_COMPOSE_COMPOSED)
			xkb_compose_state_get_utf8(sequence, legend, LURK_LEGEND);
	}
	xkb_compose_state_unref(sequence);
}

static bool find_legend(struct lurk_layout *layout, lurk_key key, uint16_t modifiers,
			char legend[LURK_LEGEND])
{
	struct xkb_state *state = xkb_state_new(layout->keymap);
	xkb_mod_mask_t mask = lurk_layout_mask(layout->keymap, modifiers);
	xkb_keysym_t sym;

	if (!state)
		abort();
	*legend = '\0';
	if (lurk_key_side(key) == LURK_SIDE_NUMPAD)
		mask |= 1U << xkb_keymap_mod_get_index(layout->keymap, XKB_MOD_NAME_NUM);
	xkb_state_update_mask(state, mask, 0, 0, 0, 0, layout->group);
	sym = xkb_state_key_get_one_sym(state, (xkb_keycode_t)key + LURK_KEYCODE_OFFSET);
	if (lurk_symbol_is_dead(sym))
		accent(layout, sym, legend);
	else if (lurk_is_printed(xkb_keysym_to_utf32(sym)))
		xkb_keysym_to_utf8(sym, legend, LURK_LEGEND);
	xkb_state_unref(state);
	return lurk_symbol_is_dead(sym) && *legend;
}

bool lurk_layout_legend(struct lurk_layout *layout, lurk_key key, uint16_t modifiers,
			char legend[LURK_LEGEND])
{
	const unsigned level =
		(modifiers & LURK_MOD_SHIFT ? 1U : 0) | (modifiers & LURK_MOD_RIGHT_ALT ? 2U : 0);
	struct lurk_known_legend *known;

	if (key >= LURK_KEY_COUNT)
		return find_legend(layout, key, modifiers, legend);
	if (!layout->legends)
		layout->legends = lurk_allocate(4 * LURK_KEY_COUNT, sizeof *known);
	known = &layout->legends[4 * key + level];
	if (!known->known)
		known->dead = find_legend(layout, key, modifiers, known->legend);
	known->known = true;
	memcpy(legend, known->legend, LURK_LEGEND);
	return known->dead;
}

void lurk_layout_key(struct lurk_layout *layout, lurk_key key, enum lurk_state state,
		     char text[LURK_LAYOUT_TEXT])
{
	xkb_keycode_t code = (xkb_keycode_t)key + LURK_KEYCODE_OFFSET;

	*text = '\0';
	if (state == LURK_REPEAT && !xkb_keymap_key_repeats(layout->keymap, code))
		return;
	if (state != LURK_UP && !lurk_typing_commands(layout->state, code) &&
	    !in_sequence(layout, code, text))
		xkb_state_key_get_utf8(layout->state, code, text, LURK_LAYOUT_TEXT);
	if (state != LURK_REPEAT)
		xkb_state_update_key(layout->state, code,
				     state == LURK_DOWN ? XKB_KEY_DOWN : XKB_KEY_UP);
}

unsigned lurk_layout_lights(const struct lurk_layout *layout)
{
	static const char *const names[] = {XKB_LED_NAME_NUM, XKB_LED_NAME_CAPS,
					    XKB_LED_NAME_SCROLL};
	unsigned lights = 0;

	for (unsigned i = 0; i < 3; i++) {
		if (xkb_state_led_name_is_active(layout->state, names[i]) > 0)
			lights |= 1U << i;
	}
	return lights;
}

void lurk_layout_reset(struct lurk_layout *layout)
{
	xkb_state_unref(layout->state);
	layout->state = lurk_typing_state(layout->keymap, layout->group);
	if (layout->sequence)
		xkb_compose_state_reset(layout->sequence);
}
