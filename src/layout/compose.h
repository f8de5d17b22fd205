/* Compose tables: the locale's, a person's, and a layout's own lines. Private to this room. */
#ifndef LURK_LAYOUT_COMPOSE_H
#define LURK_LAYOUT_COMPOSE_H

#include <xkbcommon/xkbcommon-compose.h>

/* What comes after dead keys, with the lines of a layout, which may be NULL; to be released, NULL
 * where none is known. */
struct xkb_compose_table *lurk_compose_table(struct xkb_context *context, const char *lines);

/* Of a text alone; to be released, NULL where it is none. */
struct xkb_compose_table *lurk_compose_read(struct xkb_context *context, const char *text);

#endif
