/* Which keys to press on a keyboard for a key or a chord. */
#ifndef LURK_INCLUDE_WORK_REACH_H
#define LURK_INCLUDE_WORK_REACH_H

#include "lurk/declare.h"
#include "lurk/check.h"
#include "lurk/work/machine.h"

LURK_BEGIN_C

enum { LURK_REACH_PARTS = 6, LURK_REACH_MORE = 4 };

/* One thing to hold or press: a key, or either side of a modifier. */
struct lurk_reach_part {
	lurk_key key, other; /* wanted; the latter LURK_KEY_NONE for a key alone */
	/* What to press for each: nothing where it has neither a key nor a code. */
	struct lurk_source by, by_other;
};

struct lurk_reach {
	struct lurk_reach_part parts[LURK_REACH_PARTS]; /* modifiers, then the key */
	unsigned count;
	int missing; /* the first part that nothing gives, -1 for none */
	/* Presses whose rule gives all of it at once, or, of a key alone, that key as well. */
	struct lurk_press more[LURK_REACH_MORE];
	unsigned more_count;
};

/* False where the press is not one key or chord. */
bool lurk_reach_parts(const struct lurk_press *press, struct lurk_reach *reach);
/* On a keyboard, under rules. */
void lurk_reach_on(const struct lurk_rules *rules, const struct lurk_port_keyboard *keyboard,
		   struct lurk_reach *reach);

/* Whether it can be reached at all. */
static inline bool lurk_is_reached(const struct lurk_reach *reach)
{
	return reach->missing < 0 || reach->more_count;
}

static inline bool lurk_is_source(const struct lurk_source *source)
{
	return source->key || source->scan.kind;
}

LURK_END_C

#endif
