#include "layout/typing.h"

#include <stdlib.h>
#include <string.h>

#include "lurk/text/memory.h"

/* X11 counts keys from 8. */
enum { KEYCODE_OFFSET = 8, PLACES_MAX = 16384, FIRSTS_MAX = 64, LEVEL_KEYS = 4 };

/* X11 has keycodes up to 255: programs on it see no key above. */
enum { X_MAX = 255 - KEYCODE_OFFSET };

/* Modifiers that a step may have: in the order in which they are preferred. */
static const uint16_t tried[] = {0, LURK_MOD_SHIFT, LURK_MOD_RIGHT_ALT,
				 LURK_MOD_SHIFT | LURK_MOD_RIGHT_ALT};
enum { TRIED = sizeof tried / sizeof *tried };

/* A key with modifiers, perhaps with other keys held that choose a level, and what it gives. */
struct place {
	struct lurk_step step;
	uint8_t holds[2]; /* 1 + index of level keys, 0 for none */
	xkb_keysym_t sym;
	uint32_t codepoint; /* 0 where it gives none by itself */
	bool numpad;
};

struct lurk_typing_table {
	struct place places[PLACES_MAX];
	unsigned count, simple; /* those before `simple` need no level keys */
	lurk_key levels[LEVEL_KEYS];
	unsigned level_count;
	struct xkb_compose_state *state; /* NULL where there is none */
	unsigned firsts[FIRSTS_MAX];     /* places that begin a sequence */
	unsigned first_count;
	xkb_layout_index_t group;
	uint32_t *composed; /* what sequences give, in order; listed when first asked for */
	unsigned composed_count;
	bool asked, listed;
};

/* ---- What every key gives ------------------------------------------------------------------- */

static void press(struct xkb_state *state, lurk_key key, bool down)
{
	xkb_state_update_key(state, (xkb_keycode_t)key + KEYCODE_OFFSET,
			     down ? XKB_KEY_DOWN : XKB_KEY_UP);
}

struct xkb_state *lurk_typing_state(struct xkb_keymap *keymap, xkb_layout_index_t group)
{
	struct xkb_state *state = xkb_state_new(keymap);

	if (state && group)
		xkb_state_update_mask(state, 0, 0, 0, 0, 0, group);
	return state;
}

bool lurk_typing_commands(struct xkb_state *state, xkb_keycode_t code)
{
	static const char *const names[] = {XKB_MOD_NAME_CTRL, XKB_MOD_NAME_ALT, XKB_MOD_NAME_LOGO};

	for (unsigned i = 0; i < sizeof names / sizeof *names; i++) {
		xkb_mod_index_t mod =
			xkb_keymap_mod_get_index(xkb_state_get_keymap(state), names[i]);

		if (xkb_state_mod_index_is_active(state, mod, XKB_STATE_MODS_EFFECTIVE) > 0 &&
		    xkb_state_mod_index_is_consumed(state, code, mod) <= 0)
			return true;
	}
	return false;
}

static uint32_t codepoint_of(xkb_keysym_t sym)
{
	uint32_t c = xkb_keysym_to_utf32(sym);

	return c == '\r' ? '\n' : c >= ' ' || c == '\t' ? c : 0;
}

/* A state with modifiers and level keys held; NULL without memory. */
static struct xkb_state *state_with(const struct lurk_typing_table *t, struct xkb_keymap *keymap,
				    uint16_t modifiers, const uint8_t holds[2], bool caps_lock)
{
	struct xkb_state *state = lurk_typing_state(keymap, t->group);

	if (!state)
		abort();
	if (caps_lock) {
		press(state, LURK_KEY_CAPSLOCK, true);
		press(state, LURK_KEY_CAPSLOCK, false);
	}
	for (unsigned i = 0; i < 2; i++) {
		if (holds[i])
			press(state, t->levels[holds[i] - 1], true);
	}
	if (modifiers & LURK_MOD_SHIFT)
		press(state, LURK_KEY_LEFTSHIFT, true);
	if (modifiers & LURK_MOD_RIGHT_ALT)
		press(state, LURK_KEY_RIGHTALT, true);
	return state;
}

/* What all keys give with these held. With Caps Lock on as well: what that changes is marked. */
static void look_at_all(struct lurk_typing_table *t, struct xkb_keymap *keymap, uint16_t modifiers,
			const uint8_t holds[2])
{
	struct xkb_state *state = state_with(t, keymap, modifiers, holds, false);
	struct xkb_state *locked = state_with(t, keymap, modifiers, holds, true);

	for (lurk_key key = lurk_key_next(0); key && key <= X_MAX && t->count < PLACES_MAX;
	     key = lurk_key_next(key)) {
		xkb_keycode_t code = (xkb_keycode_t)key + KEYCODE_OFFSET;
		xkb_keysym_t sym = xkb_state_key_get_one_sym(state, code);
		bool locks = xkb_state_key_get_one_sym(locked, code) != sym;

		if (sym == XKB_KEY_NoSymbol || lurk_typing_commands(state, code))
			continue;
		t->places[t->count++] = (struct place){
			.step = {key, (uint16_t)(modifiers | (locks ? LURK_STEP_LOCKS : 0))},
			.holds = {holds[0], holds[1]},
			.sym = sym,
			.codepoint = codepoint_of(sym),
			.numpad = lurk_key_side(key) == LURK_SIDE_NUMPAD,
		};
	}
	xkb_state_unref(state);
	xkb_state_unref(locked);
}

/* Keys that choose a level while they are held, beside Shift and AltRight. */
static void find_levels(struct lurk_typing_table *t, struct xkb_keymap *keymap)
{
	static const char *const others[] = {XKB_MOD_NAME_SHIFT, XKB_MOD_NAME_CTRL,
					     XKB_MOD_NAME_ALT, XKB_MOD_NAME_LOGO,
					     XKB_MOD_NAME_CAPS};
	xkb_mod_mask_t known = 0;

	for (unsigned i = 0; i < sizeof others / sizeof *others; i++)
		known |= 1U << xkb_keymap_mod_get_index(keymap, others[i]);
	for (lurk_key key = lurk_key_next(0); key && t->level_count < LEVEL_KEYS;
	     key = lurk_key_next(key)) {
		struct xkb_state *state = lurk_typing_state(keymap, t->group);
		xkb_mod_mask_t held, after;

		if (!state)
			abort();
		press(state, key, true);
		held = xkb_state_serialize_mods(state, XKB_STATE_MODS_EFFECTIVE);
		press(state, key, false);
		after = xkb_state_serialize_mods(state, XKB_STATE_MODS_EFFECTIVE);
		if (held & ~known && !(held & known) && !after && key != LURK_KEY_RIGHTALT)
			t->levels[t->level_count++] = key;
		xkb_state_unref(state);
	}
}

static void look_at_levels(struct lurk_typing_table *t, struct xkb_keymap *keymap)
{
	for (unsigned one = 0; one <= t->level_count; one++) {
		for (unsigned two = 0; two < one || (!one && !two); two++) {
			const uint8_t holds[2] = {(uint8_t)one, (uint8_t)two};

			for (unsigned i = 0; i < TRIED; i++)
				look_at_all(t, keymap, tried[i], holds);
			if (!one)
				t->simple = t->count;
		}
	}
}

/* ---- Sequences ------------------------------------------------------------------------------ */

static enum xkb_compose_status feed(struct lurk_typing_table *t, unsigned place)
{
	if (xkb_compose_state_feed(t->state, t->places[place].sym) == XKB_COMPOSE_FEED_IGNORED)
		return XKB_COMPOSE_NOTHING;
	return xkb_compose_state_get_status(t->state);
}

static void find_firsts(struct lurk_typing_table *t, struct xkb_compose_table *compose)
{
	t->state = compose ? xkb_compose_state_new(compose, XKB_COMPOSE_STATE_NO_FLAGS) : NULL;
	for (unsigned i = 0; t->state && i < t->simple && t->first_count < FIRSTS_MAX; i++) {
		xkb_compose_state_reset(t->state);
		if (feed(t, i) == XKB_COMPOSE_COMPOSING)
			t->firsts[t->first_count++] = i;
	}
}

/* The one character that came of a sequence; 0 for none. */
static uint32_t composed_now(struct lurk_typing_table *t)
{
	char text[16] = "";
	int n = xkb_compose_state_get_utf8(t->state, text, sizeof text);
	uint32_t c;

	return n > 0 && n < (int)sizeof text &&
			       lurk_character_read(text, (size_t)n, &c) == (size_t)n
		       ? c
		       : 0;
}

static bool gives(struct lurk_typing_table *t, uint32_t codepoint)
{
	return composed_now(t) == codepoint;
}

/* The sequence that begins with this place and gives the character: two steps, else three. */
static unsigned from_first(struct lurk_typing_table *t, unsigned first, uint32_t codepoint,
			   unsigned length, struct lurk_step steps[LURK_LAYOUT_STEPS])
{
	for (unsigned i = 0; i < t->simple; i++) {
		enum xkb_compose_status status;

		xkb_compose_state_reset(t->state);
		feed(t, first);
		status = feed(t, i);
		if (length == 2 && status == XKB_COMPOSE_COMPOSED && gives(t, codepoint)) {
			steps[0] = t->places[first].step;
			steps[1] = t->places[i].step;
			return 2;
		}
		for (unsigned k = 0;
		     length == 3 && status == XKB_COMPOSE_COMPOSING && k < t->simple; k++) {
			xkb_compose_state_reset(t->state);
			feed(t, first);
			feed(t, i);
			if (feed(t, k) != XKB_COMPOSE_COMPOSED || !gives(t, codepoint))
				continue;
			steps[0] = t->places[first].step;
			steps[1] = t->places[i].step;
			steps[2] = t->places[k].step;
			return 3;
		}
	}
	return 0;
}

/* ---- All that sequences give ---------------------------------------------------------------- */

static int by_number(const void *a, const void *b)
{
	const uint32_t one = *(const uint32_t *)a, other = *(const uint32_t *)b;

	return (one > other) - (one < other);
}

/* Symbols of places, each once; returns how many. */
static unsigned each_once(const struct lurk_typing_table *t, const unsigned *places, unsigned count,
			  uint32_t *out)
{
	unsigned kept = 0;

	for (unsigned i = 0; i < count; i++)
		out[i] = t->places[places ? places[i] : i].sym;
	qsort(out, count, sizeof *out, by_number);
	for (unsigned i = 0; i < count; i++) {
		if (!kept || out[kept - 1] != out[i])
			out[kept++] = out[i];
	}
	return kept;
}

/* Of what these two begin: what they give, or what any third lets them give. */
static void list_from(struct lurk_typing_table *t, const uint32_t *begun, unsigned length,
		      const uint32_t *next, unsigned count)
{
	enum xkb_compose_status status;
	uint32_t more[3];

	xkb_compose_state_reset(t->state);
	for (unsigned i = 0; i < length; i++)
		xkb_compose_state_feed(t->state, begun[i]);
	status = xkb_compose_state_get_status(t->state);
	if (status == XKB_COMPOSE_COMPOSED) {
		if (!(t->composed_count & (t->composed_count + 1)))
			t->composed = lurk_resize(t->composed, (2U * t->composed_count + 2) *
								       sizeof *t->composed);
		t->composed[t->composed_count++] = composed_now(t);
	}
	if (status != XKB_COMPOSE_COMPOSING || length == 3)
		return;
	memcpy(more, begun, length * sizeof *more);
	for (unsigned i = 0; i < count; i++) {
		more[length] = next[i];
		list_from(t, more, length + 1, next, count);
	}
}

static void list_composed(struct lurk_typing_table *t)
{
	uint32_t firsts[FIRSTS_MAX] = {0}, *next = lurk_allocate(t->simple + 1U, sizeof *next);
	const unsigned first_count = each_once(t, t->firsts, t->first_count, firsts);
	const unsigned count = each_once(t, NULL, t->simple, next);

	for (unsigned i = 0; i < first_count; i++)
		list_from(t, &firsts[i], 1, next, count);
	if (t->composed)
		qsort(t->composed, t->composed_count, sizeof *t->composed, by_number);
	lurk_release(next);
	t->listed = true;
}

static bool is_composed(struct lurk_typing_table *t, uint32_t codepoint)
{
	return t->composed &&
	       bsearch(&codepoint, t->composed, t->composed_count, sizeof codepoint, by_number);
}

/* ---- Finding -------------------------------------------------------------------------------- */

struct lurk_typing_table *lurk_typing_new(struct xkb_keymap *keymap, xkb_layout_index_t group,
					  struct xkb_compose_table *compose)
{
	struct lurk_typing_table *t = lurk_allocate(1, sizeof *t);

	if (!t)
		return NULL;
	t->group = group;
	find_levels(t, keymap);
	look_at_levels(t, keymap);
	find_firsts(t, compose);
	return t;
}

void lurk_typing_free(struct lurk_typing_table *table)
{
	if (!table)
		return;
	xkb_compose_state_unref(table->state);
	lurk_release(table->composed);
	lurk_release(table);
}

static bool is_first(const struct lurk_typing_table *t, unsigned place)
{
	for (unsigned i = 0; i < t->first_count; i++) {
		if (t->firsts[i] == place)
			return true;
	}
	return false;
}

/* The best place for the character: without level keys, with the fewest modifiers, and then the
 * lowest number. */
static const struct place *find_place(const struct lurk_typing_table *t, uint32_t codepoint,
				      bool numpad)
{
	for (unsigned i = 0; i < t->count; i++) {
		const struct place *p = &t->places[i];

		if (p->codepoint == codepoint && p->numpad == numpad && !is_first(t, i))
			return p;
	}
	return NULL;
}

unsigned lurk_typing_find(struct lurk_typing_table *table, uint32_t codepoint,
			  struct lurk_step steps[LURK_LAYOUT_STEPS])
{
	const struct place *p = codepoint ? find_place(table, codepoint, false) : NULL;
	unsigned n = 0;

	if (!p && codepoint)
		p = find_place(table, codepoint, true);
	for (unsigned i = 0; p && i < 2; i++) {
		if (p->holds[i])
			steps[n++] =
				(struct lurk_step){table->levels[p->holds[i] - 1], LURK_STEP_HOLD};
	}
	if (p) {
		steps[n++] = p->step;
		return n;
	}
	for (unsigned length = 2; codepoint && !n && length <= LURK_LAYOUT_STEPS; length++) {
		if (table->listed && !is_composed(table, codepoint))
			break;
		for (unsigned i = 0; !n && i < table->first_count; i++)
			n = from_first(table, table->firsts[i], codepoint, length, steps);
	}
	return n;
}

/* To look for what is not there takes about as long as to list all that is. */
bool lurk_typing_gives(struct lurk_typing_table *table, uint32_t codepoint)
{
	struct lurk_step steps[LURK_LAYOUT_STEPS];

	if (table->asked && !table->listed)
		list_composed(table);
	table->asked = true;
	return lurk_typing_find(table, codepoint, steps) != 0;
}

/* The dead key that has the character on its cap, and types it when it is pressed twice. */
static const struct place *find_dead(struct lurk_typing_table *t, uint32_t codepoint)
{
	for (unsigned i = 0; i < t->first_count; i++) {
		xkb_compose_state_reset(t->state);
		feed(t, t->firsts[i]);
		if (feed(t, t->firsts[i]) == XKB_COMPOSE_COMPOSED && gives(t, codepoint))
			return &t->places[t->firsts[i]];
	}
	return NULL;
}

bool lurk_typing_key(struct lurk_typing_table *table, uint32_t codepoint, struct lurk_step *step)
{
	const struct place *p = codepoint ? find_place(table, codepoint, false) : NULL;

	if (!p && codepoint)
		p = find_place(table, codepoint, true);
	if (!p && codepoint)
		p = find_dead(table, codepoint);
	if (!p || p->holds[0])
		return false;
	*step = p->step;
	return true;
}
