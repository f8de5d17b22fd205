/*
 * Images: a profile and the keyboards it speaks of, as bytes: what is stored, and read at boot.
 *
 * An image holds enough to compile keymaps without any file, and to show the rules again and write
 * a profile file from it (names, notes, line numbers). It is the same on every machine:
 * little-endian, a CRC-32 (IEEE 802.3) over all that follows it. lurk_image_open() checks every
 * part, so that reading from an opened image cannot fail. Texts returned point into the image's
 * bytes.
 *
 * Layout, version 1 (offsets in bytes; a text is u32 offset into the strings, u16 length, u16
 * zero):
 *
 *      0  "LURK"            4  u16 version       6  u16 header size (52)
 *      8  u32 length        12 u32 CRC-32 of bytes 16 to the end
 *     16  u64 sequence      24 u64 saved at (microseconds since 1970)
 *     32  u16 profiles      34 u16 keyboards     36 u16 recognisers   38 u16 quirks
 *     40  u32 rules         44 u32 bytes of strings
 *     48  u32 saved by (a user's number; all ones where unknown)
 *     52  profiles, 36 each: text name, text source file, u32 first rule, u32 rules, u8 way,
 *             u8 zero, u16 based on (1 + index, 0 for none), text word
 *         keyboards, 20 each: text name, u16 first recogniser, u16 recognisers, u16 first quirk,
 *             u16 quirks, u8 flags (1 apart), u8[3] zero
 *         recognisers, 32 each: u8 bus, u8 flags (1 built in, 2 by product), u16 vendor,
 *             u16 product, u16 zero, texts serial, name, place
 *         quirks, 4 each: u8 kind, u8 zero, u16 key
 *         rules, 44 each: u8 target, u8 gives, u8 flags (1 swap, 2 off, 4 only),
 *             u8 scan code kind, u16 key pressed, u16 key given, u32 scan code, u16 modifiers,
 *             u16 keyboard (0 all), u32 line, texts given, note,
 *             steps (bytes: as lurk_steps_next() reads)
 *         strings
 */
#ifndef LURK_INCLUDE_IMAGE_H
#define LURK_INCLUDE_IMAGE_H

#include "lurk/declare.h"
#include "lurk/keyboard.h"

LURK_BEGIN_C

enum {
	LURK_IMAGE_VERSION = 1,
	LURK_RULES_MAX = 8192,     /* in one image */
	LURK_KEYBOARDS_MAX = 1024, /* described in one image */
	LURK_PROFILES_MAX = 64,    /* in one image */
	LURK_BASES_MAX = 8,        /* profiles based on one another */
};

/* How rules come into force on a keyboard: see way.h. */
enum lurk_way { LURK_WAY_PLAIN, LURK_WAY_TABLE, LURK_WAY_RELAY };

struct lurk_profile {
	struct lurk_text name, source; /* its name; the file it was read from */
	struct lurk_text word;         /* by which it is switched to */
	const struct lurk_rule *rules; /* NULL when read from an image: see lurk_image_rule() */
	uint32_t first_rule, rule_count;
	/* 1 + index of another profile whose rules hold here as well, where none of its own is
	 * as specific; 0 for none. */
	uint16_t based_on;
	uint8_t way; /* enum lurk_way to use wherever it can be; LURK_WAY_PLAIN for what fits */
};

/* What an image is written from. */
struct lurk_image_parts {
	const struct lurk_profile *profiles;
	uint16_t profile_count;
	const struct lurk_keyboard *keyboards;
	uint16_t keyboard_count;
};

/* Writes an image that is not stamped yet (sequence and time 0, by nobody) into `size` bytes.
 * *needed is set in any case. Returns LURK_ERR_ROOM where size is too small, LURK_ERR_CONTENT where
 * the parts cannot be told in an image (too many, too long, a rule for a keyboard that is not
 * there). */
enum lurk_error lurk_image_write(const struct lurk_image_parts *parts, uint8_t *bytes, size_t size,
				 size_t *needed);

#define LURK_NOBODY UINT32_MAX

/* Sets what storing adds to a written image, and its checksum anew: its version from 1, when it was
 * stored (microseconds since 1970), and the number of the user for whom, or LURK_NOBODY. */
void lurk_image_stamp(uint8_t *bytes, uint64_t sequence, uint64_t saved_at_us, uint32_t saved_by);

/* An opened image: a view of the caller's bytes. */
struct lurk_image {
	const uint8_t *bytes;
	uint64_t sequence, saved_at_us;
	uint32_t length, saved_by;
	uint16_t profile_count, keyboard_count, recogniser_count, quirk_count;
	uint32_t rule_count;
	uint32_t keyboards, recognisers, quirks, rules, strings; /* offsets */
};

enum lurk_error lurk_image_open(const uint8_t *bytes, size_t length, struct lurk_image *image);
/* Whether two opened images say the same, whatever their stamps. */
bool lurk_image_same(const struct lurk_image *one, const struct lurk_image *other);

/* Indexes must be below the counts; a keyboard's recognisers and quirks are counted from 0. */
void lurk_image_profile(const struct lurk_image *image, unsigned index,
			struct lurk_profile *profile);
void lurk_image_rule(const struct lurk_image *image, uint32_t index, struct lurk_rule *rule);
/* The profile with that word, in any case: 1 + its index, 0 where there is none. */
uint16_t lurk_image_find_profile(const struct lurk_image *image, struct lurk_text word);
/* The profile that a rule stands in. */
unsigned lurk_image_profile_of(const struct lurk_image *image, uint32_t rule);
/* Fills in name and counts, not the pointers. */
void lurk_image_keyboard(const struct lurk_image *image, unsigned index,
			 struct lurk_keyboard *keyboard);
void lurk_image_recogniser(const struct lurk_image *image, unsigned keyboard, unsigned index,
			   struct lurk_recogniser *recogniser);
void lurk_image_quirk(const struct lurk_image *image, unsigned keyboard, unsigned index,
		      struct lurk_quirk *quirk);

/* The described keyboard that fits best: 1 + its index, 0 where none does. */
uint16_t lurk_image_recognise(const struct lurk_image *image, const struct lurk_identity *identity);

LURK_END_C

#endif
