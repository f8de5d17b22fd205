/*
 * Tables of pairs: key for key, as scan codes in 16-bit words.
 *
 *     0f 00 45 00      45 gives 0f: NumLock gives Tab
 *     5b e0 1d 00      1d gives e05b: a prefix is the high byte
 *     00 00 3a 00      3a gives nothing
 *
 * A word is a set 1 scan code, its low byte first; a pair is what is given, then what is pressed. A
 * table may have zeros in front, then the number of its pairs, as one word or two, and a pair of
 * zeros at its end, which counts or does not.
 */
#ifndef LURK_INCLUDE_PAIRS_H
#define LURK_INCLUDE_PAIRS_H

#include "lurk/declare.h"
#include "lurk/scan.h"

LURK_BEGIN_C

/* Both of kind LURK_SCAN_SET1; `gives` of kind LURK_SCAN_NONE for nothing. */
struct lurk_pair {
	lurk_scan gives, press;
};

/* What is wrong with a table. */
enum lurk_pairs_fault {
	LURK_PAIRS_FINE,
	LURK_PAIRS_ODD,    /* a byte is left over: `at` */
	LURK_PAIRS_HALF,   /* a word is left over: `at` */
	LURK_PAIRS_COUNT,  /* `said` pairs by its count, `there` are there */
	LURK_PAIRS_NO_END, /* no zeros at its end */
	LURK_PAIRS_CODE,   /* what stands `at` is no scan code */
	LURK_PAIRS_ROOM,   /* more pairs than there is room for */
};

struct lurk_pairs_report {
	uint8_t fault;  /* enum lurk_pairs_fault: the first */
	uint32_t count; /* pairs that were read all the same, the one of zeros not among them */
	uint32_t at, said, there;
};

/* Reads a table; or a pair, or a single word, alone: then `gives` of kind LURK_SCAN_NONE says
 * nothing. Returns whether all is fine. */
bool lurk_pairs_read(const uint8_t *bytes, size_t length, struct lurk_pair *pairs, uint32_t room,
		     struct lurk_pairs_report *report);

/* A scan code as a word; 0 for one that is none of set 1, or of three bytes. */
uint16_t lurk_pairs_word(lurk_scan scan);
/* Writes a table with zeros in front, its count and its end: LURK_PAIRS_SIZE(count) bytes. */
#define LURK_PAIRS_SIZE(count) (16U + 4U * (count))
void lurk_pairs_write(const struct lurk_pair *pairs, uint32_t count, uint8_t *bytes);

LURK_END_C

#endif
