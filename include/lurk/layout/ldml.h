/*
 * Layouts as LDML keyboards (Unicode Technical Standard #35, part 7: `keyboard3`), the open form
 * that other systems read: written from a layout of one's own, and read into the text of one.
 *
 * LDML has what the keys of the typing block type, alone, with Shift, with AltRight and with Caps
 * Lock, and what comes after dead keys, which are its markers, named as XKB names them. Neither
 * form has all of the other: what is left out is told, key by key.
 */
#ifndef LURK_INCLUDE_LAYOUT_LDML_H
#define LURK_INCLUDE_LAYOUT_LDML_H

#include "lurk/declare.h"
#include "lurk/layout/own.h"

LURK_BEGIN_C

/* Told in a sentence: what is left out, and why. */
typedef void lurk_left_out(void *data, const char *sentence);

/* The file; to be freed. */
char *lurk_ldml_write(struct lurk_own_layout *own, lurk_left_out *left, void *data);

/* Whether a text may be one. */
bool lurk_ldml_is(const char *bytes);

/* What was read: a symbols file that includes the US layout, and the lines of a Compose file; to be
 * released. */
struct lurk_ldml {
	char name[LURK_OWN_NAME]; /* made of its words; "" where there are no letters in them */
	char *symbols, *compose;
};
/* False with a message where it is no LDML keyboard for a keyboard with caps. */
bool lurk_ldml_read(struct lurk_ldml *ldml, const char *bytes, size_t length, lurk_left_out *left,
		    void *data, struct lurk_message *message);
void lurk_ldml_free(struct lurk_ldml *ldml);

LURK_END_C

#endif
