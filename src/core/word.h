/* The words that stand for keys, each LURK_KEY_NONE (or as said) where it is none of that kind. */
#ifndef LURK_CORE_WORD_H
#define LURK_CORE_WORD_H

#include "core/plain.h"

lurk_key lurk_word_code(const struct lurk_plain *plain);        /* W3C code */
lurk_key lurk_word_linux(const struct lurk_plain *plain);       /* "key..." */
lurk_key lurk_word_linux_short(const struct lurk_plain *plain); /* without it */
lurk_key lurk_word_meaning(const struct lurk_plain *plain);     /* the first of several */
lurk_key lurk_word_alias(const struct lurk_plain *plain);       /* what else the trade says */
lurk_key lurk_word_numpad(const struct lurk_plain *plain);      /* "kp 7", "numpad enter" */

/* A word that can mean several: LURK_NAME_KEYS of them, those that are not LURK_KEY_NONE; else
 * NULL. */
const lurk_key *lurk_word_several(const struct lurk_plain *plain);

/* A modifier, one of its sides or both; false where it is none. */
bool lurk_word_modifier(const struct lurk_plain *plain, struct lurk_target *on);

/* Every alias in turn; NULL after the last. */
const char *lurk_word_alias_at(size_t index, lurk_key *key);

#endif
