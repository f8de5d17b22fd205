/* All the names and codes of a key. */
#ifndef LURK_TELL_KEY_H
#define LURK_TELL_KEY_H

#include <json-c/json.h>

#include "lurk/text/words.h"

enum { TELL_CODES = 128 };

/* What a word may mean: a key, or a code that has none; and how a number was read, "" for a name.
 */
struct tell_key {
	const char *reading;
	lurk_key key;
	lurk_scan scan;
};

/* Its scan codes of one kind, "e05b, 7d"; where a code has no key, the code itself and what it is
 * on another wire. Returns out. */
const char *tell_codes(const struct tell_key *what, enum lurk_scan_kind kind, char out[TELL_CODES]);
/* "left", "keypad" or "". */
const char *tell_side(lurk_key key);
struct json_object *tell_key_json(const struct tell_key *what);
/* How a character is typed: "Shift with Digit3", "AltRight with BracketRight, then KeyN". Returns
 * out. */
enum { TELL_STEPS = 200 };
const char *tell_steps(const struct lurk_step *steps, unsigned count, char out[TELL_STEPS]);
/* Whether any of its names or codes has a word in it, in any case. */
bool tell_key_has(lurk_key key, const char *word);

#endif
