#include "tell/pairs.h"

#include <inttypes.h>
#include <stdio.h>

#include "tell/json.h"

const char *tell_pair_press(const struct lurk_pair *pair, char out[LURK_WORDS])
{
	return lurk_words_key(lurk_scan_key(pair->press), pair->press, out);
}

const char *tell_pair_gives(const struct lurk_pair *pair, char out[LURK_WORDS])
{
	if (pair->gives.kind)
		return lurk_words_key(lurk_scan_key(pair->gives), pair->gives, out);
	snprintf(out, LURK_WORDS, "nothing");
	return out;
}

const char *tell_pairs_fault(const struct lurk_pairs_report *r, char out[TELL_PAIRS])
{
	switch (r->fault) {
	case LURK_PAIRS_ODD:
		snprintf(out, TELL_PAIRS,
			 "byte %" PRIu32 " is left over: a word is two bytes, the low one first",
			 r->at + 1);
		break;
	case LURK_PAIRS_HALF:
		snprintf(out, TELL_PAIRS,
			 "the word at byte %" PRIu32
			 " is left over: a pair is two words, what is given and what is pressed",
			 r->at + 1);
		break;
	case LURK_PAIRS_COUNT:
		snprintf(out, TELL_PAIRS,
			 "its count says %" PRIu32 " pairs, and %" PRIu32
			 " are there, the one of zeros at the end among them",
			 r->said, r->there);
		break;
	case LURK_PAIRS_NO_END:
		snprintf(out, TELL_PAIRS, "a pair of zeros is missing at its end: 00 00 00 00");
		break;
	case LURK_PAIRS_CODE:
		snprintf(out, TELL_PAIRS,
			 "what stands at byte %" PRIu32
			 " is no scan code of set 1: 01 to 7f, then 00 or e0",
			 r->at + 1);
		break;
	default:
		snprintf(out, TELL_PAIRS, "more pairs than there are keys");
		break;
	}
	return out;
}

const char *tell_pair_bytes(const struct lurk_pair *pair, char out[TELL_PAIRS])
{
	const unsigned gives = lurk_pairs_word(pair->gives), press = lurk_pairs_word(pair->press);

	snprintf(out, TELL_PAIRS, "%02x %02x %02x %02x", gives & 0xff, gives >> 8, press & 0xff,
		 press >> 8);
	return out;
}

struct json_object *tell_pair_json(const struct lurk_pair *pair)
{
	struct json_object *object = json_object_new_object();
	char words[TELL_PAIRS];

	tell_put_text(object, "press", tell_pair_press(pair, words));
	tell_put_text(object, "gives", tell_pair_gives(pair, words));
	tell_put_text(object, "bytes", tell_pair_bytes(pair, words));
	return object;
}
