/* Keyboards in box characters, for a terminal. */
#ifndef LURK_PICTURE_TERMINAL_H
#define LURK_PICTURE_TERMINAL_H

#include "picture/picture.h"

enum { TERMINAL_LEAST = 80, TERMINAL_MOST = 200 };

/* Draws a keyboard into at most so many columns, 80 at least; what stands beside the typing block
 * goes below it where that is not enough. With `lines`, it has at most so many (0 for any): where
 * they are too few, caps have one line of text instead of two; then only the blocks with keys that
 * are lit are drawn, then that of the pressed one; NULL where even that is too high. `styled`
 * allows bold, dim and reversed text. Lines end with a newline; to be freed. */
char *terminal_draw(const struct picture *picture, unsigned columns, unsigned lines, bool styled);

/* What stands on caps for a sign. */
const char *terminal_sign(enum picture_sign sign);

#endif
