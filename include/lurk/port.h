/*
 * Ports: the thin layer that reaches a machine. docs/porting.md explains it by writing one, and the
 * contract suite of tests/port says the same in tests.
 *
 * A keyboard is known by a small number for as long as it is plugged in; the number may be another
 * keyboard's later. A function that is given a keyboard that is gone returns LURK_ERR_GONE and
 * changes nothing; but one that was taken when it was unplugged keeps its number, and
 * lurk_port_class .send goes on speaking for it, until it is given back: so that what it pressed
 * can be released.
 */
#ifndef LURK_INCLUDE_PORT_H
#define LURK_INCLUDE_PORT_H

#include "lurk/engine.h"

struct lurk_port_keyboard {
	struct lurk_identity identity;
	uint8_t declares[LURK_KEY_COUNT / 8]; /* a bit a key: what its node said it can send */
	uint16_t table_entries;               /* 0 where there is no table */
	uint16_t others_changes;              /* entries that another program changed after Lurk */
	uint8_t locks;                        /* locks whose light it has: a bit each */
	char seat[32]; /* whose it is on a machine for several people; "" for all others */
};

/* The locks, in the order of their lights in the HID usage tables (page 08). */
enum lurk_lock { LURK_LOCK_NUM, LURK_LOCK_CAPS, LURK_LOCK_SCROLL, LURK_LOCK_COUNT };
lurk_key lurk_lock_key(enum lurk_lock lock);
bool lurk_is_lock(lurk_key key);

static inline bool lurk_declares(const struct lurk_port_keyboard *keyboard, lurk_key key)
{
	return keyboard->declares[key / 8] >> key % 8 & 1;
}

/* One entry of the machine's own scan code table. */
struct lurk_table_entry {
	lurk_scan scan;
	lurk_key original; /* before Lurk's first change */
	lurk_key key;      /* now; LURK_KEY_UNKNOWN where it is disabled */
};

enum lurk_port_event_kind {
	LURK_PORT_PLUGGED = 1,
	LURK_PORT_UNPLUGGED,
	LURK_PORT_KEY,
	LURK_PORT_CHANGED, /* its table may hold something else now; the machine may have slept */
};

struct lurk_port_event {
	uint8_t kind;
	uint16_t keyboard;
	uint64_t time_us;
	struct lurk_key_event key; /* as the keyboard sent it, by the table's originals */
};

#define LURK_LISTEN_ALL UINT32_MAX
enum { LURK_LISTEN_KEYS = 16 }; /* the most single keys that are listened to */

struct lurk_port;

/* What a machine lacks is left out (NULL): the table's three functions where no keyboard has
 * entries, `lit` where none has locks, `listen` where every key is heard in any case. */
struct lurk_port_class {
	/* The keyboard with this number; false where there is none. */
	bool (*keyboard)(struct lurk_port *port, uint16_t number,
			 struct lurk_port_keyboard *keyboard);

	/* The next thing that happened, without blocking; false where nothing did. Keyboards that
	 * are there from the start are plugged first. */
	bool (*next)(struct lurk_port *port, struct lurk_port_event *event);

	/* Takes the keyboard for Lurk alone, or gives it back. Taken, its keys reach nobody else
	 * (what is held at that moment is released for them, without an event), and
	 * lurk_port_class.send speaks for it. What is held when it is given back gives nothing
	 * until it is pressed anew. */
	enum lurk_error (*take)(struct lurk_port *port, uint16_t keyboard, bool take);

	/* Of which keys of a keyboard that is not taken events are wanted, by what its table's
	 * originals are: `count` of them, up to LURK_LISTEN_KEYS; or LURK_LISTEN_ALL. None come
	 * until then: each would wake the service up. Taken, they come in any case. Where only some
	 * are wanted, their scan codes may not be told. */
	void (*listen)(struct lurk_port *port, uint16_t keyboard, const lurk_key *keys,
		       unsigned count);

	/* Sends strokes as the keyboard's own, all or none. For one that is not taken, only
	 * releases are sent, which end a press that a change of the table would leave behind, and
	 * presses of locks. Where the machine repeats keys that stay down, it must not repeat
	 * those of a frame that is typed. */
	enum lurk_error (*send)(struct lurk_port *port, const struct lurk_frame *frame);

	/* Reads and writes one entry of the keyboard's table. */
	enum lurk_error (*table_get)(struct lurk_port *port, uint16_t keyboard, uint16_t index,
				     struct lurk_table_entry *entry);
	enum lurk_error (*table_set)(struct lurk_port *port, uint16_t keyboard, uint16_t index,
				     lurk_key key);

	/* Whether what the entry gives is down now. Another entry that gives the same may be why.
	 */
	bool (*is_down)(struct lurk_port *port, uint16_t keyboard, uint16_t index);

	/* Which of the keyboard's locks are lit, a bit each. */
	uint8_t (*lit)(struct lurk_port *port, uint16_t keyboard);

	/* Storage: this many slots of this many bytes. A write that is interrupted may leave
	 * anything in its own slot, and leaves the others alone. Reading one never written gives
	 * length 0. */
	unsigned (*slots)(struct lurk_port *port, size_t *size);
	enum lurk_error (*slot_read)(struct lurk_port *port, unsigned slot, uint8_t *bytes,
				     size_t size, size_t *length);
	enum lurk_error (*slot_write)(struct lurk_port *port, unsigned slot, const uint8_t *bytes,
				      size_t length);

	/* Microseconds since 1970. */
	uint64_t (*now)(struct lurk_port *port);

	/* Microseconds of a clock that only runs forward, also while the machine sleeps. */
	uint64_t (*elapsed)(struct lurk_port *port);

	/* What to wait on until the next event: a file descriptor, or -1 where next() is to be
	 * asked again. */
	int (*descriptor)(struct lurk_port *port);
};

/* A port's own struct begins with this one. */
struct lurk_port {
	const struct lurk_port_class *class;
};

/* Which of a keyboard's locks are lit, where the machine knows. */
static inline uint8_t lurk_port_lit(struct lurk_port *port, uint16_t keyboard)
{
	return port->class->lit ? port->class->lit(port, keyboard) : 0;
}

#endif
