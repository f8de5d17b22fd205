/*
 * Ports: the thin layer that reaches a machine. docs/porting.md explains it by writing one, and the
 * contract suite of tests/port says the same in tests.
 *
 * A keyboard is known by a small number for as long as it is plugged in; the number may be another
 * keyboard's later. A function that is given a keyboard that is gone returns LURK_ERR_GONE and
 * changes nothing; but one that was taken when it was unplugged keeps its number, and
 * lurk_port_class.send goes on speaking for it, until it is given back: so that what it pressed
 * can be released.
 *
 * A keyboard speaks to programs in one of two ways. Free, they read it themselves. Taken, only Lurk
 * does, and speaks for it by a stand-in: a virtual keyboard that is made long before it is needed,
 * since programs take their time to open what is new. So that each press that any program saw has
 * exactly one release, whatever comes when:
 *
 *     take         grabs it, and tells what is down at that very moment; programs still hold that
 *     send         ...modifiers that are held go down on the stand-in
 *     end_held     ...and only then are they released for whoever reads the keyboard itself
 *     give_back    only when nothing is down on it, and nothing came meanwhile
 */
#ifndef LURK_INCLUDE_PORT_H
#define LURK_INCLUDE_PORT_H

#include "lurk/declare.h"
#include "lurk/engine.h"

LURK_BEGIN_C

struct lurk_port_keyboard {
	struct lurk_identity identity;
	uint8_t declares[LURK_KEY_COUNT / 8]; /* a bit a key: what its node said it can send */
	uint16_t table_entries;               /* 0 where there is no table */
	uint16_t others_changes;              /* entries that another program changed after Lurk */
	uint8_t locks;                        /* locks whose light it has: a bit each */
	char seat[32]; /* whose it is on a machine for several people; "" for all others */
	bool scans;    /* its keys come with their scan codes */
	/* It was there before the port was opened: programs may be reading it, and will need a
	 * while to open a stand-in. */
	bool in_use;
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
	LURK_PORT_HELD,    /* a key that programs hold on a keyboard that is taken: see end_held */
	LURK_PORT_REPORT,  /* the end of a report: the keys before it belong together */
	LURK_PORT_CHANGED, /* its table may hold something else now; the machine may have slept */
	LURK_PORT_PERSONS, /* somebody else may be at a screen (its keyboard is of no meaning) */
};

struct lurk_port_event {
	uint8_t kind;
	bool passed; /* a key's: programs read the press from the keyboard itself */
	uint16_t keyboard;
	uint64_t time_us;
	lurk_key gave;             /* a held one's: what programs have seen it give */
	struct lurk_key_event key; /* as the keyboard sent it, by the table's originals */
};

/* What was down on a keyboard when it was taken: presses that began before. */
enum { LURK_TAKEN_HELD = 64 };
struct lurk_taken_held {
	unsigned count;
	struct lurk_key_event keys[LURK_TAKEN_HELD];
	lurk_key gave[LURK_TAKEN_HELD]; /* what programs have seen each give */
};

#define LURK_LISTEN_ALL UINT32_MAX
enum { LURK_LISTEN_KEYS = 16 }; /* the most single keys that are listened to */

struct lurk_port;

/* What a machine lacks is left out (NULL): the table's four functions where no keyboard has
 * entries, `lit` where none has locks, `listen` where every key is heard in any case. */
struct lurk_port_class {
	/* The keyboard with this number; false where there is none. */
	bool (*keyboard)(struct lurk_port *port, uint16_t number,
			 struct lurk_port_keyboard *keyboard);

	/* The next thing that happened, without blocking; false where nothing did. Keyboards that
	 * are there from the start are plugged first. */
	bool (*next)(struct lurk_port *port, struct lurk_port_event *event);

	/* Makes the keyboard's stand-in where it has none; it stays until the keyboard goes. NULL
	 * where taking needs none. */
	enum lurk_error (*stand_in)(struct lurk_port *port, uint16_t keyboard);

	/* Takes the keyboard for Lurk alone: from one moment on its keys reach nobody else.
	 * LURK_ERR_WAIT while a key is down on it, since to release that for programs it must be
	 * free for a while that a kernel may make long; `at_once` takes it all the same. What was
	 * down at that moment is told in `held`, and stays down for programs until end_held().
	 * Presses before that moment come marked as passed, those after it are not; a release goes
	 * where its press went, and to whom that was told as held. */
	enum lurk_error (*take)(struct lurk_port *port, uint16_t keyboard, bool at_once,
				struct lurk_taken_held *held);

	/* Releases for programs what they saw pressed on a keyboard before it was taken.
	 * LURK_ERR_WAIT while presses wait that no program saw: others could come before them.
	 * Where releasing needs a moment in which it is free, keys may go down for programs in it:
	 * they come as LURK_PORT_HELD, in their place among all other events, and are released by
	 * another call after the LURK_PORT_REPORT that ends them. */
	enum lurk_error (*end_held)(struct lurk_port *port, uint16_t keyboard);

	/* Gives it back: from one moment on programs read it again. LURK_ERR_WAIT, and it stays
	 * taken, while a key is down on it, or events wait that no program saw: programs would get
	 * half a press. (What went down for programs meanwhile comes as LURK_PORT_HELD.) `at_once`
	 * gives it back all the same; what is down then gives nothing until it is pressed anew. */
	enum lurk_error (*give_back)(struct lurk_port *port, uint16_t keyboard, bool at_once);

	/* Of which keys of a keyboard that is not taken events are wanted, by what its table's
	 * originals are: `count` of them, up to LURK_LISTEN_KEYS; or LURK_LISTEN_ALL. None come
	 * until then: each would wake the service up. Taken, they come in any case. Where only some
	 * are wanted, their scan codes may not be told. */
	void (*listen)(struct lurk_port *port, uint16_t keyboard, const lurk_key *keys,
		       unsigned count);

	/* Sends strokes by the keyboard's stand-in, all or none. Where the machine repeats keys
	 * that stay down, it must not repeat those of a frame that is typed. */
	enum lurk_error (*send)(struct lurk_port *port, const struct lurk_frame *frame);

	/* Ends a press that a change of the table would leave behind: releases for programs what
	 * the entry gives, on a keyboard that is not taken. */
	enum lurk_error (*release)(struct lurk_port *port, uint16_t keyboard, uint16_t index);

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

	/* What cannot be stored just now and why, as one line for a person; "" where all can be.
	 * NULL for a machine that cannot tell. */
	const char *(*trouble)(struct lurk_port *port);

	/* Who is at the screen of a seat ("" for the main one) at this moment: a user's number, or
	 * LURK_NOBODY, as at a login prompt. NULL where nobody ever is known. */
	uint32_t (*person)(struct lurk_port *port, const char *seat);

	/* Storage: this many slots of this many bytes for the computer (`owner` LURK_NOBODY), and
	 * as many for each person. A write that is interrupted may leave anything in its own slot,
	 * and leaves the others alone. Reading one never written gives length 0. */
	unsigned (*slots)(struct lurk_port *port, size_t *size);
	enum lurk_error (*slot_read)(struct lurk_port *port, uint32_t owner, unsigned slot,
				     uint8_t *bytes, size_t size, size_t *length);
	enum lurk_error (*slot_write)(struct lurk_port *port, uint32_t owner, unsigned slot,
				      const uint8_t *bytes, size_t length);

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
	const struct lurk_port_class *calls;
};

/* Which of a keyboard's locks are lit, where the machine knows. */
static inline uint8_t lurk_port_lit(struct lurk_port *port, uint16_t keyboard)
{
	return port->calls->lit ? port->calls->lit(port, keyboard) : 0;
}

LURK_END_C

#endif
