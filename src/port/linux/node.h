/* One event node: its events, its table, its virtual counterpart. */
#ifndef LURK_LINUX_NODE_H
#define LURK_LINUX_NODE_H

#include <libevdev/libevdev-uinput.h>
#include <libevdev/libevdev.h>

#include "lurk/port.h"
#include "port/linux/record.h"

enum { LURK_NODE_HELD = 32 };

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
	uint8_t wiring;
	unsigned input; /* N of its /sys/class/input/inputN */
	struct lurk_record *record;
	struct lurk_node_entry *table;
	uint16_t table_entries;
	/* What is physically held, by its raw scan value, or NO_RAW and the code where it sent
	 * none, and the key that the kernel made of it. */
	struct {
		uint64_t raw;
		uint16_t code;
		lurk_key key;
	} held[LURK_NODE_HELD];
	unsigned held_count;
	uint32_t raw;        /* of the MSC_SCAN that came before a key event */
	bool have_raw, lost; /* lost: the kernel dropped events, and goes on at the next report */
};

/* What comes of an event: keys, and everything else that a taken node must pass on. */
struct lurk_node_sink {
	void *data;
	void (*key)(void *data, const struct lurk_key_event *event);
	void (*end)(void *data); /* of a report */
};

/* Opens a node. Returns 0, or an errno. The record must live as long. */
int lurk_node_open(struct lurk_event_node *node, const char *path, unsigned input,
		   struct lurk_record *record);
/* Closes the source and leaves the virtual node alone. */
void lurk_node_close(struct lurk_event_node *node);

/* Whether it sends keys that a rule could be about, and is not one of Lurk's own. */
bool lurk_node_wanted(const struct lurk_event_node *node);

/* Reads what is there. Returns false where the node is gone. */
bool lurk_node_read(struct lurk_event_node *node, const struct lurk_node_sink *sink);

/* Grabs the node and makes its virtual node; lets go and takes that away. Returns 0, or an errno.
 */
int lurk_node_take(struct lurk_event_node *node);
void lurk_node_release(struct lurk_event_node *node);

/* Lights that programs set on the virtual node go to the source. */
void lurk_node_pass_lights(struct lurk_event_node *node);

/* Writes one key event and the end of a report: to the virtual node, else into the source. */
bool lurk_node_write(struct lurk_event_node *node, uint16_t code, int value, bool last);

/* Changes an entry of the table, after it was written down. */
bool lurk_node_set(struct lurk_event_node *node, uint16_t entry, uint16_t code);

#endif
