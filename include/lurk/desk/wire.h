/*
 * The wire: what a keyboard sends when a key goes down or up. One function a wiring; the core's
 * decoders read it again at the other end.
 */
#ifndef LURK_INCLUDE_DESK_WIRE_H
#define LURK_INCLUDE_DESK_WIRE_H

#include "lurk/declare.h"
#include "lurk/desk/desk.h"

LURK_BEGIN_C

enum { LURK_WIRE_BYTES = 24, LURK_WIRE_HELD = 32 };

/* What a keyboard must know of its own keys to send the next. */
struct lurk_wire {
	enum lurk_desk_wired wired;
	lurk_scan held[LURK_WIRE_HELD]; /* in the order of their presses */
	unsigned held_count;
};

/* A piece of wire data: bytes of PS/2, or one report of an interface. */
struct lurk_wire_data {
	bool consumer; /* on the second interface */
	uint8_t bytes[LURK_WIRE_BYTES];
	unsigned length;
};

void lurk_wire_init(struct lurk_wire *wire, enum lurk_desk_wired wired);

/* A key goes down, up, or is held on (a PS/2 keyboard repeats by itself). */
void lurk_wire_send(struct lurk_wire *wire, lurk_scan scan, enum lurk_state state,
		    struct lurk_wire_data *data);

LURK_END_C

#endif
