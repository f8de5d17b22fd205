/*
 * A layout of one's own, as its file is read and edited.
 *
 *     symbols.c     where the statements of the file stand
 *     includes.c    that what it includes comes to an end; lexer.c reads the text
 *     own.c         reading and beginning one, and how it differs
 *     own_check.c   what it takes away
 *     own_edit.c    one line put in, or taken out
 *     sequences.c   what comes after its dead keys
 *     menu.c        its entry in the list that menus are made of
 *     rows.c        what keys type, level by level
 *     symbol.c      symbols by the words that people have for them
 */
#ifndef LURK_LAYOUT_OWN_FILE_H
#define LURK_LAYOUT_OWN_FILE_H

#include "layout/parts.h"
#include "layout/symbols.h"
#include "lurk/layout/own.h"

/* XKB's layout without letters. By the system's rules it is without Enter and Shift as well: what
 * is begun from it has those. */
#define LURK_LAYOUT_EMPTY "empty"

struct lurk_own_layout {
	char name[LURK_OWN_NAME];
	char *folder, *text;
	char *compose; /* its lines of a Compose file, "" for none */
	size_t length;
	struct lurk_symbols symbols;
	struct lurk_message why; /* it is not edited; "" where it is */
	struct lurk_layout *layout, *base;
};

/* Takes a text in, where it is a layout of that shape; it is freed where not. */
bool lurk_own_layout_take_text(struct lurk_own_layout *own, char *text,
			       struct lurk_message *message);

/* Whether menus may call one so: no other layout is, and a file can say it. */
bool lurk_own_layout_may_be_words(const char *words, struct lurk_message *message);

/* The dead keys after which it has something of its own, line by line. */
void lurk_own_layout_firsts(const struct lurk_own_layout *own,
			    void (*tell)(void *data, uint32_t first), void *data);

#endif
