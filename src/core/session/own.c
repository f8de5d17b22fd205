/* What rules of a person's own do, and whether they may. */
#include "core/session/parts.h"

/* A key that types a character, with Shift, AltGr or nothing: several in a row are text, however
 * the rule is written. By the HID usage tables (page 07). */
static bool writes(const struct lurk_step *step)
{
	enum {
		LEVELS = LURK_MOD_SHIFT | LURK_MOD_LEFT_SHIFT | LURK_MOD_RIGHT_SHIFT |
			 LURK_MOD_RIGHT_ALT,
		PAGE = 0x70000,
		A = PAGE + 0x04,
		DIGIT_0 = PAGE + 0x27,
		SPACE = PAGE + 0x2c,
		SLASH = PAGE + 0x38,
		PAD_SLASH = PAGE + 0x54,
		PAD_102ND = PAGE + 0x64,
		INTERNATIONAL_1 = PAGE + 0x87,
		INTERNATIONAL_9 = PAGE + 0x8f
	};
	const uint32_t usage = lurk_key_scan_on(step->key, LURK_WIRING_HID).code;

	return !(step->modifiers & LURK_MOD_ALL & ~LEVELS) &&
	       ((usage >= A && usage <= DIGIT_0) || (usage >= SPACE && usage <= SLASH) ||
		(usage >= PAD_SLASH && usage <= PAD_102ND) ||
		(usage >= INTERNATIONAL_1 && usage <= INTERNATIONAL_9));
}

static bool is_text(const struct lurk_rule *rule)
{
	unsigned written = 0;

	if (rule->gives.kind == LURK_GIVES_TEXT)
		return true;
	for (size_t at = 0; at + LURK_STEP_BYTES <= rule->gives.steps.length;
	     at += LURK_STEP_BYTES) {
		const struct lurk_step step =
			lurk_step_read((const uint8_t *)rule->gives.steps.bytes + at);

		written += writes(&step);
	}
	return written > 1;
}

static enum lurk_own own_needs(const struct lurk_image *image)
{
	enum lurk_own most = LURK_OWN_KEYS;

	for (uint32_t i = 0; i < image->rule_count; i++) {
		struct lurk_rule rule;

		lurk_image_rule(image, i, &rule);
		if (is_text(&rule))
			return LURK_OWN_EVERYTHING;
		if (rule.gives.kind == LURK_GIVES_CHORDS &&
		    rule.gives.steps.length > LURK_STEP_BYTES)
			most = LURK_OWN_NO_TEXT;
	}
	return most;
}

enum lurk_error lurk_own_check(const struct lurk_session *s, const struct lurk_image *image)
{
	if (image->length > LURK_OWN_IMAGE_MAX)
		return LURK_ERR_ROOM;
	return !s->own_may || own_needs(image) > s->own_may ? LURK_ERR_NOT_OWN : LURK_OK;
}
