/* What a symbols file includes, all the way down. */
#ifndef LURK_LAYOUT_INCLUDES_H
#define LURK_LAYOUT_INCLUDES_H

#include <xkbcommon/xkbcommon.h>

#include "lurk/text/file.h"

/* Whether the includes of a text come to an end, before anything reads them that would follow them
 * for ever: that is how a file ends every program that takes it for a layout. Files are looked for
 * where the context has them. False with a message where they do not, or are more than any layout
 * needs. */
bool lurk_includes_end(struct xkb_context *context, const char *text, size_t length,
		       struct lurk_message *message);

#endif
