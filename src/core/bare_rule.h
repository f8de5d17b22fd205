/* A rule of an opened image without what only people read: its note, its line, its text. */
#ifndef LURK_CORE_BARE_RULE_H
#define LURK_CORE_BARE_RULE_H

#include "lurk/image.h"

void lurk_bare_rule(const struct lurk_image *image, uint32_t index, struct lurk_rule *rule);

#endif
