/* Modifiers: those that keys give, and how they are lifted and pressed for one press. */
#include "core/engine/parts.h"

/* A tap of a key that nobody knows, so that a modifier is not alone. */
void lurk_lift_spacer(struct lurk_engine *e, uint16_t keyboard)
{
	lurk_stroke_out(e, keyboard, LURK_KEY_UNKNOWN, LURK_DOWN);
	lurk_close_frame(e);
	lurk_stroke_out(e, keyboard, LURK_KEY_UNKNOWN, LURK_UP);
	lurk_close_frame(e);
	e->presses++;
}

/* A modifier that must not look tapped alone. */
void lurk_lift_guard(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	const struct lurk_engine_keyboard *k = &e->keyboards[keyboard];
	int place = lurk_place_of(key);

	if (place >= 0 && k->guarded >> place & 1 && k->pressed_at[place] == e->presses)
		lurk_lift_spacer(e, keyboard);
}

/* ---- Overlays: modifiers lifted and pressed for one press ----------------------------------- */

/* Modifiers are lifted wherever they are held by one of the engine's keyboards. */
void lurk_lift_modifiers(struct lurk_engine *e, uint8_t modifiers)
{
	modifiers &= e->held;
	for (uint16_t i = 0; modifiers && i < e->keyboard_count; i++) {
		struct lurk_engine_keyboard *k = &e->keyboards[i];

		for (unsigned place = 0; lurk_reaches(e, k) && modifiers >> place; place++) {
			uint8_t bit = (uint8_t)(modifiers & 1U << place);

			if (!bit || !k->held_modifiers[place] || k->lifted & bit ||
			    e->lifted_count == LURK_LIFTED_MAX)
				continue;
			k->guarded |= bit;
			lurk_goes_up(e, i, lurk_modifier_key(place));
			k->lifted |= bit;
			e->lifted_count++;
		}
	}
}

/* Two modifiers that come back without a key between them could switch layouts. */
static void put_back(struct lurk_engine *e)
{
	for (uint16_t i = 0; e->lifted_count && i < e->keyboard_count; i++) {
		struct lurk_engine_keyboard *k = &e->keyboards[i];
		const uint8_t lifted = k->engine == e ? k->lifted : 0;

		k->lifted &= (uint8_t)~lifted;
		for (unsigned place = 0; lifted >> place; place++) {
			if (!(lifted >> place & 1))
				continue;
			e->lifted_count--;
			if (e->modifier_at == e->presses)
				lurk_lift_spacer(e, i);
			lurk_goes_down(e, i, lurk_modifier_key(place));
			k->guarded |= (uint8_t)(1U << place);
		}
	}
}

void lurk_overlay_release(struct lurk_engine *e)
{
	struct lurk_overlay *o = &e->overlay;

	for (unsigned place = 0; o->modifiers >> place; place++) {
		if (o->direct >> place & 1)
			lurk_goes_up(e, o->homes[place], lurk_modifier_key(place));
		else if (o->modifiers >> place & 1)
			lurk_release_out(e, o->homes[place], lurk_modifier_key(place));
	}
	o->modifiers = o->direct = 0;
}

void lurk_overlay_end_it(struct lurk_engine *e)
{
	lurk_overlay_release(e);
	put_back(e);
	e->overlay.active = false;
}

/* The modifier keys for a step: those that are held will do for either side, else the left ones. */
uint8_t lurk_overlay_keys(uint16_t modifiers, uint8_t held)
{
	uint8_t keys = (uint8_t)(modifiers & LURK_MOD_SIDES), both;

	for (unsigned family = 0; modifiers >> 8 & 0xf && family < 4; family++) {
		both = (uint8_t)(0x11 << family);
		if (modifiers >> 8 >> family & 1 && !(keys & both))
			keys = (uint8_t)(keys | (held & both ? held & both : 1U << family));
	}
	return keys;
}

/* A keyboard on which the modifier is down already, so that it is not pressed twice. */
static uint16_t home_of(const struct lurk_engine *e, uint16_t keyboard, unsigned place)
{
	const lurk_key key = lurk_modifier_key(place);

	if (!(e->held >> place & 1) || e->keyboards[keyboard].down[key])
		return keyboard;
	for (uint16_t i = 0; i < e->keyboard_count; i++) {
		const struct lurk_engine_keyboard *k = &e->keyboards[i];

		if (k->down[key] && lurk_reaches(e, k) && !(k->lifted >> place & 1))
			return i;
	}
	return keyboard;
}

void lurk_overlay_press(struct lurk_engine *e, uint16_t keyboard, uint8_t modifiers)
{
	struct lurk_overlay *o = &e->overlay;

	for (unsigned place = 0; modifiers >> place; place++) {
		if (!(modifiers >> place & 1))
			continue;
		o->homes[place] = home_of(e, keyboard, place);
		o->modifiers |= (uint8_t)(1U << place);
		if (e->keyboards[o->homes[place]].lifted >> place & 1) {
			o->direct |= (uint8_t)(1U << place);
			lurk_goes_down(e, o->homes[place], lurk_modifier_key(place));
		} else {
			lurk_press_out(e, o->homes[place], lurk_modifier_key(place));
		}
	}
}

/* A key that is down already is pressed anew: its earlier press meant something else. */
static void press_anew(struct lurk_engine *e, uint16_t keyboard, lurk_key key)
{
	struct lurk_engine_keyboard *k = &e->keyboards[keyboard];

	if (k->down[key]) {
		lurk_goes_up(e, keyboard, key);
		lurk_close_frame(e);
		k->down[key]++;
		lurk_goes_down(e, keyboard, key);
	} else {
		lurk_press_out(e, keyboard, key);
	}
}

void lurk_overlay_begin(struct lurk_engine *e, uint16_t keyboard, uint32_t code, uint8_t kind)
{
	e->overlay.active = true;
	e->overlay.keyboard = keyboard;
	e->overlay.code = code;
	e->overlay.kind = kind;
	e->overlay.modifiers = e->overlay.direct = 0;
}

/* A press that gives no key but modifiers, or nothing at all, would leave those held with it alone.
 */
void lurk_overlay_swallow(struct lurk_engine *e, uint16_t keyboard)
{
	if (e->held && e->modifier_at == e->presses)
		lurk_lift_spacer(e, keyboard);
}

/* One step, held as long as its source. */
void lurk_overlay_hold(struct lurk_engine *e, uint16_t keyboard, struct lurk_engine_source *source,
		       struct lurk_step step, uint8_t lifted)
{
	int place = lurk_place_of(step.key);
	uint8_t keys = lurk_overlay_keys(step.modifiers, e->held);

	if (place >= 0)
		keys = (uint8_t)(keys | 1U << place);
	lurk_overlay_begin(e, keyboard, source->code, source->kind);
	lurk_lift_modifiers(e, lifted & (uint8_t)~keys);
	if (place >= 0) { /* modifiers alone count as if they were pressed themselves */
		lurk_overlay_swallow(e, keyboard);
		source->modifiers = keys;
		lurk_lift_hold(e, keyboard, keys);
		return;
	}
	lurk_overlay_press(e, keyboard, keys);
	press_anew(e, keyboard, step.key);
	source->gave = step.key;
}

/* Whether a modifier of the overlay is pressed on the keyboard. */
bool lurk_overlay_is_on(const struct lurk_overlay *o, uint16_t keyboard)
{
	for (unsigned place = 0; o->modifiers >> place; place++) {
		if (o->modifiers >> place & 1 && o->homes[place] == keyboard)
			return true;
	}
	return false;
}
