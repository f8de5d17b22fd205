/* One event node: its events, its table, its virtual counterpart. */
#ifndef LURK_LINUX_NODE_H
#define LURK_LINUX_NODE_H

#include <libevdev/libevdev-uinput.h>
#include <libevdev/libevdev.h>

#include "lurk/port.h"
#include "port/linux/record.h"

enum { LURK_NODE_HELD = 32, LURK_NODE_HEARS = LURK_LISTEN_KEYS };

struct lurk_node_entry {
	uint32_t raw;
	uint16_t original, now;
	uint16_t index; /* the kernel's */
};

struct lurk_event_node {
	int fd;        /* -1 where it is gone */
	char path[64]; /* /dev/input/event… */
	struct libevdev *evdev;
	struct libevdev_uinput *virtual;
	int out;       /* the virtual node's descriptor, where there is one */
	int repeat_ms; /* its keys repeat after that */
	bool typed;    /* just now they do not, since text is typed */
	uint8_t wiring;
	bool taken;
	uint32_t heard; /* how many keys' events are wanted though it is not taken: see listen */
	lurk_key hears[LURK_NODE_HEARS];
	unsigned input; /* N of its /sys/class/input/inputN */
	char seat[32];  /* "" for the only one that most machines have */
	struct lurk_record *record;
	struct lurk_node_entry *table;
	uint16_t table_entries, last; /* last: the entry looked up last */
	/* What is physically held, by its raw scan value, or NO_RAW and the code where it sent
	 * none, and the key that the kernel made of it. */
	struct {
		uint64_t raw;
		uint16_t code;
		lurk_key key;
	} held[LURK_NODE_HELD];
	unsigned held_count;
	uint32_t raw;        /* of the MSC_SCAN that came before a key event */
	uint64_t time_us;    /* of the event at hand, by the kernel */
	bool have_raw, lost; /* lost: the kernel dropped events, and goes on at the next report */
};

/* What comes of an event: keys, and everything else that a taken node must pass on. */
struct lurk_node_sink {
	void *data;
	void (*key)(void *data, uint64_t time_us, const struct lurk_key_event *event);
	void (*end)(void *data); /* of a report */
};

/* Opens a node, which is silent until it is taken or listened to. Returns 0, or an errno. The
 * record must live as long. */
int lurk_node_open(struct lurk_event_node *node, const char *path, unsigned input,
		   struct lurk_record *record);
/* Closes the source and leaves the virtual node alone. */
void lurk_node_close(struct lurk_event_node *node);

/* Whether it sends keys that a rule could be about, and is not one of Lurk's own. */
bool lurk_node_wanted(const struct lurk_event_node *node);

/* Reads what is there. Returns false where the node is gone. */
bool lurk_node_read(struct lurk_event_node *node, const struct lurk_node_sink *sink);

/* Grabs the node and makes its virtual node, which declares what the source does and, where it
 * speaks for the whole keyboard, every key. */
enum lurk_error lurk_node_take(struct lurk_event_node *node, bool every_key);
/* Lets go of the source and takes the virtual node away. */
void lurk_node_release(struct lurk_event_node *node);

/* Which of its key events are wanted: lurk_port_class.listen. */
void lurk_node_listen(struct lurk_event_node *node, const lurk_key *keys, uint32_t count);

/* How many keys it declares, without buttons. */
unsigned lurk_node_key_count(const struct lurk_event_node *node);

/* Whether the kernel holds that key down; which locks are lit, and which it has lights for. */
bool lurk_node_is_down(const struct lurk_event_node *node, uint16_t code);
uint8_t lurk_node_lit(const struct lurk_event_node *node);
uint8_t lurk_node_locks(const struct lurk_event_node *node);

/* What programs set on the virtual node: lights go to the source, a delay of repeats is kept. */
void lurk_node_hear_programs(struct lurk_event_node *node);

/* Writes strokes and the end of a report at once: to the virtual node, else into the source. The
 * keys of what is typed do not repeat, even if this machine is held up before their release. */
bool lurk_node_write(struct lurk_event_node *node, const struct lurk_stroke *strokes,
		     unsigned count, bool typed);

/* Changes an entry of the table, after it was written down. */
enum lurk_error lurk_node_set(struct lurk_event_node *node, uint16_t entry, uint16_t code);

/* Looks at the table anew. Returns how many entries hold what another program put over what Lurk
 * had put there; that counts as their original from now on. */
unsigned lurk_node_reread(struct lurk_event_node *node);

/* What an errno of a call on a node means. */
enum lurk_error lurk_node_error(int error);

#endif
