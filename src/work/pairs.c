#include "lurk/text/memory.h"
#include "lurk/work/effects.h"
#include "work/tables.h"

struct pairing {
	struct lurk_pair *pairs;
	uint32_t count;
};

static void add(void *data, lurk_scan scan, lurk_key gives)
{
	struct pairing *p = data;
	const struct lurk_pair pair = {.gives = gives ? lurk_key_scan_on(gives, LURK_WIRING_SET1)
						      : (lurk_scan){0, LURK_SCAN_NONE},
				       .press = scan};

	const lurk_key key = lurk_scan_key(scan);

	/* A key that has another form beside one of more bytes would change in part. */
	if (!lurk_pairs_word(scan) || (gives && !lurk_pairs_word(pair.gives)) ||
	    (key && !lurk_pairs_word(lurk_key_scan_on(key, LURK_WIRING_SET1))))
		return;
	p->pairs = lurk_resize(p->pairs, (p->count + 1) * sizeof *p->pairs);
	p->pairs[p->count++] = pair;
}

/* Whether each code of a rule, and what it gives, can be a word. */
static bool has_words(const struct lurk_rule *rule)
{
	struct lurk_change change;

	for (unsigned i = 0; lurk_rule_change(rule, i, &change); i++) {
		const lurk_scan on = change.on.kind == LURK_TARGET_SCAN
					     ? lurk_scan_on(change.on.scan, LURK_WIRING_SET1)
					     : lurk_key_scan_on(change.on.key, LURK_WIRING_SET1);

		if (!lurk_pairs_word(on) ||
		    (change.gives == LURK_GIVES_KEY &&
		     !lurk_pairs_word(lurk_key_scan_on(change.key, LURK_WIRING_SET1))))
			return false;
	}
	return true;
}

static enum lurk_hwdb_why why_left(void *data, const struct lurk_rule *rule)
{
	const enum lurk_hwdb_why why = lurk_table_why_not(rule);

	(void)data;
	return why                ? why
	       : rule->keyboard   ? LURK_HWDB_FOR_ONE
	       : !has_words(rule) ? LURK_HWDB_NO_CODE
				  : 0;
}

bool lurk_pairs_plan(const struct lurk_workspace *ws, struct lurk_pair **pairs, uint32_t *count,
		     struct lurk_hwdb_left **left, unsigned *left_count,
		     struct lurk_message *message)
{
	struct lurk_image image;
	uint8_t *bytes = lurk_workspace_image(ws, &image);
	struct lurk_keymap *keymap = bytes ? lurk_keymap_of(&image, 0, LURK_WIRING_SET1) : NULL;
	struct pairing p = {NULL, 0};

	*left = NULL;
	*left_count = 0;
	if (keymap) {
		lurk_table_each(&image, keymap, NULL, LURK_WIRING_SET1, add, &p);
		lurk_table_left(ws, &image, why_left, NULL, left, left_count);
	}
	*pairs = p.pairs;
	*count = p.count;
	lurk_release(bytes);
	if (!keymap)
		return lurk_table_cannot(ws, message);
	lurk_release(keymap);
	return true;
}
