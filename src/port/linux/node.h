/*
 * One event node: its events, its table, its stand-in, and how it is taken.
 *
 *     node.c      opening; the table; what is listened to
 *     reader.c    its events, one at a time
 *     grab.c      taking it and giving it back
 *     stand_in.c  the virtual node that speaks for it
 *
 * It has two readers. One is Lurk's ear, and grabs the node. The other, the witness, never does:
 * what reaches it is what has reached every program, so that it tells what programs hold, exactly,
 * when the grab has begun.
 */
#ifndef LURK_LINUX_NODE_H
#define LURK_LINUX_NODE_H

#include <linux/input.h>
#include <time.h>

#include <libevdev/libevdev-uinput.h>
#include <libevdev/libevdev.h>

#include "lurk/port.h"
#include "port/linux/record.h"

enum { LURK_NODE_HEARS = LURK_LISTEN_KEYS, LURK_NODE_BUFFER = 64 };

typedef unsigned char lurk_codes[KEY_CNT / 8 + 1]; /* a bit a code */

static inline bool lurk_codes_have(const lurk_codes codes, unsigned code)
{
	return codes[code / 8] >> code % 8 & 1;
}

static inline void lurk_codes_put(lurk_codes codes, unsigned code, bool in)
{
	codes[code / 8] = (unsigned char)(in ? codes[code / 8] | 1U << code % 8
					     : codes[code / 8] & ~(1U << code % 8));
}

/* The time of an event, and now by the same clock. */
static inline uint64_t lurk_node_time_us(const struct input_event *e)
{
	return (uint64_t)e->input_event_sec * 1000000U + (uint64_t)e->input_event_usec;
}

static inline uint64_t lurk_node_now_us(void)
{
	struct timespec now;

	clock_gettime(CLOCK_REALTIME, &now);
	return (uint64_t)now.tv_sec * 1000000U + (uint64_t)now.tv_nsec / 1000U;
}

/* What a key is to the kernel: an entry of the table, or, where it has none, a code. */
struct lurk_node_entry {
	uint32_t raw;
	lurk_scan scan; /* the same, as rules name it */
	uint16_t original, now;
	uint16_t index; /* the kernel's */
	bool down;      /* by what its events said */
	bool mine;      /* its press was Lurk's: so is its release */
	uint16_t code;  /* the code that it was pressed with */
	uint16_t moved; /* the code that it gives for now, instead of `now`; 0 for none: see grab.c
			 */
};

struct lurk_event_node {
	int fd, witness; /* -1 where it is gone */
	int out;         /* the virtual node's descriptor, where there is one */
	int repeat_ms;   /* its keys repeat after that */
	bool typed;      /* just now they do not, since text is typed */
	bool scans;      /* its keys come with scan codes */
	bool taken;
	uint8_t wiring, interface;
	/* What was read and not dealt with yet, in `buffer`. */
	bool more;           /* the kernel may have more */
	bool fetched;        /* what is in the buffer was read before the witness was asked */
	bool queued;         /* among those that are read next: linux.c's */
	bool have_raw, lost; /* lost: the kernel dropped events, and goes on at the next report */
	bool open;           /* a key was told since the last end of a report */
	bool others;         /* something that is no key was passed on since then */
	uint32_t raw;        /* of the MSC_SCAN that came before a key event */
	unsigned at, count;
	/* The table, and behind it an entry a code for keys that come without a scan value; found
	 * by their raw value through `places`, a hash table of 1 + entry. */
	struct lurk_node_entry *table, *codes;
	uint16_t *places, table_entries;
	bool writes;   /* see wrote_up */
	bool catching; /* see asked */
	uint32_t places_mask;
	unsigned down;  /* how many entries are */
	unsigned moved; /* entries that give another code for now */
	struct libevdev *evdev;
	struct libevdev_uinput *virtual;
	/* While it is being taken or given back: what programs hold by the witness; and until when
	 * events reached them, from some time on, or all from before. After the last of these comes
	 * what they hold, as presses that go on. */
	enum { LURK_NODE_HERE, LURK_NODE_GIVING, LURK_NODE_BEFORE, LURK_NODE_CROSSING } boundary;
	unsigned told; /* keys that were told as held */
	uint64_t passed_from_us, passed_to_us, told_us;
	lurk_codes held;
	/* Released for programs, though a finger may be on it: by the kernel's idea they are up. */
	lurk_codes ended;
	/* Codes whose change Lurk itself wrote into the node: not for its own ear. */
	lurk_codes wrote_up, wrote_down;
	/* After lost events: what was down then, and when. */
	lurk_codes asked;
	uint8_t masked;
	lurk_codes mask; /* the keys that the kernel was told of, and for what else: node.c's */
	uint64_t lost_us;
	struct input_event buffer[LURK_NODE_BUFFER];
	struct lurk_record *record;
	char path[64];  /* /dev/input/event… */
	char seat[32];  /* "" for the only one that most machines have */
	unsigned input; /* N of its /sys/class/input/inputN */
	uint32_t heard; /* how many keys' events are wanted while it is free: see listen */
	lurk_key hears[LURK_NODE_HEARS];
};

/* ---- node.c --------------------------------------------------------------------------------- */

/* Opens a node, which is silent until it is taken or listened to. Returns 0, or an errno. The
 * record must live as long. */
int lurk_node_open(struct lurk_event_node *node, const char *path, unsigned input,
		   struct lurk_record *record);
/* Closes the source and leaves the virtual node alone. */
void lurk_node_close(struct lurk_event_node *node);

/* Whether it sends keys that a rule could be about, and is not one of Lurk's own. */
bool lurk_node_wanted(const struct lurk_event_node *node);

/* How many keys it declares, without buttons. */
unsigned lurk_node_key_count(const struct lurk_event_node *node);

/* Which of its key events are wanted: lurk_port_class.listen. */
void lurk_node_listen(struct lurk_event_node *node, const lurk_key *keys, uint32_t count);
void lurk_node_mask(struct lurk_event_node *node);

/* Whether the kernel holds any key down, or that one; which locks are lit, and which it has lights
 * for. */
bool lurk_node_any_down(const struct lurk_event_node *node);
bool lurk_node_is_down(const struct lurk_event_node *node, uint16_t code);
uint8_t lurk_node_lit(const struct lurk_event_node *node);
uint8_t lurk_node_locks(const struct lurk_event_node *node);

/* Changes an entry of the table, after it was written down; and the kernel's alone, for a while. */
enum lurk_error lurk_node_set(struct lurk_event_node *node, uint16_t entry, uint16_t code);
enum lurk_error lurk_node_write_entry(struct lurk_event_node *node,
				      const struct lurk_node_entry *entry, uint16_t code);

/* Looks at the table anew. Returns how many entries hold what another program put over what Lurk
 * had put there; that counts as their original from now on. */
unsigned lurk_node_reread(struct lurk_event_node *node);

/* Makes the hash table by which entries are found. */
bool lurk_node_make_places(struct lurk_event_node *node);

/* The entry with a raw scan value, NULL where there is none; the one that stands for a code. */
struct lurk_node_entry *lurk_node_find(const struct lurk_event_node *node, uint32_t raw);
struct lurk_node_entry *lurk_node_of_code(struct lurk_event_node *node, uint16_t code);

/* What a person sees of an entry: its scan code and its key as they were before any rule. */
struct lurk_key_event lurk_node_key(const struct lurk_event_node *node,
				    const struct lurk_node_entry *entry, enum lurk_state state);

/* What an errno of a call on a node means. */
enum lurk_error lurk_node_error(int error);

/* An AT keyboard: it repeats by itself, and tells of every release. */
static inline bool lurk_node_is_at(const struct lurk_event_node *node)
{
	return node->wiring != LURK_WIRING_HID;
}

static inline bool lurk_is_button(unsigned code)
{
	return code > BTN_MISC && code < KEY_OK;
}

/* ---- reader.c ------------------------------------------------------------------------------- */

enum lurk_node_read { LURK_NODE_EVENT, LURK_NODE_NOTHING, LURK_NODE_GONE };

/* The next key, or end of a report: kind, passed, time and key of an event. */
enum lurk_node_read lurk_node_next(struct lurk_event_node *node, struct lurk_port_event *event);

/* Whether that would tell nothing more, nor have anything to do, before the kernel has more. */
static inline bool lurk_node_is_read(const struct lurk_event_node *node)
{
	return node->at == node->count && !node->more && !node->moved && !node->catching &&
	       node->boundary < LURK_NODE_BEFORE;
}

/* Gets, in their order, all events that are read, among them those of LURK_PORT_HELD. */
struct lurk_node_keep {
	void (*event)(void *data, const struct lurk_port_event *event);
	void *data;
};

/* Reads what the kernel has by now, at most a buffer, and leaves it for the next: what comes after
 * it is told apart. To be called when all has been dealt with. */
void lurk_node_fetch(struct lurk_event_node *node);
/* Reads all that the kernel has by now. */
void lurk_node_read_all(struct lurk_event_node *node, const struct lurk_node_keep *keep);

/* Writes changes of keys and the end of a report into the node, for whoever reads it but Lurk: to
 * be followed by lurk_node_read_all(), which passes over them. */
bool lurk_node_write(struct lurk_event_node *node, const lurk_codes codes, bool down);

/* ---- grab.c --------------------------------------------------------------------------------- */

/* Takes the node. What programs hold is told, and stays down for them. */
enum lurk_error lurk_node_take(struct lurk_event_node *node, const struct lurk_node_keep *keep);

/* Releases what programs hold, for which the node is free for a moment; what went down for them in
 * it is told. */
enum lurk_error lurk_node_end_held(struct lurk_event_node *node, const struct lurk_node_keep *keep);

/* Gives the node back where that leaves no press halved, LURK_ERR_WAIT else. */
enum lurk_error lurk_node_give_back(struct lurk_event_node *node,
				    const struct lurk_node_keep *keep);
/* Puts back what gives another code for now, and is up. To be called when all is read and `moved`
 * is not 0. */
void lurk_node_tidy(struct lurk_event_node *node, const struct lurk_node_keep *keep);

/* Gives it back whatever is down. */
void lurk_node_let_go(struct lurk_event_node *node);

/* ---- stand_in.c ----------------------------------------------------------------------------- */

/* Makes the virtual node, which declares what the source does and, where it speaks for the whole
 * keyboard, every key. */
enum lurk_error lurk_node_stand_in(struct lurk_event_node *node, bool every_key);
void lurk_node_stand_down(struct lurk_event_node *node);

/* It speaks from now on: its keys repeat as the source's would, its lights go to the source. */
void lurk_node_speak(struct lurk_event_node *node);

/* What programs set on the virtual node: lights go to the source where that is taken, a delay of
 * repeats is kept. */
void lurk_node_hear_programs(struct lurk_event_node *node);

/* Sends strokes and the end of a report at once. The keys of what is typed do not repeat, even if
 * this machine is held up before their release. */
bool lurk_node_send(struct lurk_event_node *node, const struct lurk_stroke *strokes, unsigned count,
		    bool typed);

/* Passes on what is no key. */
void lurk_node_pass_on(struct lurk_event_node *node, const struct input_event *event);

/* Whether a place is that of one of Lurk's own nodes. */
bool lurk_node_is_own(const char *phys);

#endif
