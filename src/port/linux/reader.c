/* The events of a node, one at a time. */
#include <errno.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "core/hot.h"
#include "port/linux/node.h"

/* Into the buffer, where that is empty. */
static HOT enum lurk_node_read fill(struct lurk_event_node *node)
{
	ssize_t n;

	node->at = node->count = 0;
	node->fetched = false;
	if (!node->more)
		return LURK_NODE_NOTHING;
	do
		n = read(node->fd, node->buffer, sizeof node->buffer);
	while (n < 0 && errno == EINTR);
	/* Less than would fit was all; what comes now is told anew. */
	node->more = n == sizeof node->buffer;
	if (n <= 0)
		return n < 0 && errno == EAGAIN ? LURK_NODE_NOTHING : LURK_NODE_GONE;
	node->count = (unsigned)((size_t)n / sizeof *node->buffer);
	return LURK_NODE_EVENT;
}

static bool tell(struct lurk_event_node *node, struct lurk_node_entry *entry, enum lurk_state state,
		 uint64_t time_us, struct lurk_port_event *event)
{
	node->open = true;
	event->kind = LURK_PORT_KEY;
	event->passed = !entry->mine;
	event->time_us = time_us;
	event->key = lurk_node_key(node, entry, state);
	return true;
}

static bool is_moved(const struct lurk_event_node *node, uint16_t code)
{
	for (unsigned i = 0; node->moved && i < node->table_entries; i++) {
		if (node->table[i].moved && node->table[i].now == code)
			return true;
	}
	return false;
}

/* A change that Lurk wrote comes without a scan code; so do the kernel's repeats, which nobody
 * wrote. A release of its own is one for its ears too, unless it will still hear of the finger: of
 * a key that was moved, or of an AT keyboard's. */
static bool is_ours(struct lurk_event_node *node, uint16_t code, int value)
{
	unsigned char *wrote = value ? node->wrote_down : node->wrote_up;

	if (value == 2 || !node->writes || node->have_raw || !lurk_codes_have(wrote, code))
		return false;
	lurk_codes_put(wrote, code, false);
	return value || lurk_codes_have(node->ended, code) || is_moved(node, code);
}

static void set_down(struct lurk_event_node *node, struct lurk_node_entry *entry, bool down)
{
	node->down += (unsigned)down - (unsigned)entry->down;
	entry->down = down;
	if (!down && lurk_codes_have(node->ended, entry->code))
		lurk_codes_put(node->ended, entry->code, false);
}

/* Without a scan value (a repeat by the kernel, a device that has none) the code stands for it. */
static struct lurk_node_entry *entry_of(struct lurk_event_node *node, uint16_t code)
{
	struct lurk_node_entry *entry = node->have_raw ? lurk_node_find(node, node->raw) : NULL;

	if (entry)
		return entry;
	return !node->scans && node->taken ? &node->codes[code] : lurk_node_of_code(node, code);
}

/* Whether programs saw what came at that time. */
static bool reached_programs(const struct lurk_event_node *node, uint64_t time_us)
{
	if (!node->taken)
		return true;
	if (node->boundary == LURK_NODE_GIVING)
		return !node->fetched || time_us >= node->passed_from_us;
	return node->boundary == LURK_NODE_BEFORE && time_us >= node->passed_from_us &&
	       time_us <= node->passed_to_us;
}

static bool take_key(struct lurk_event_node *node, const struct input_event *e,
		     struct lurk_port_event *event)
{
	const uint64_t time_us = lurk_node_time_us(e);
	struct lurk_node_entry *entry;
	const bool scanned = node->have_raw;
	bool again;

	if (is_ours(node, e->code, e->value)) {
		node->have_raw = false;
		return false;
	}
	entry = entry_of(node, e->code);
	if (!e->value && !entry->down && node->writes && !scanned)
		return false; /* of a key that was up for Lurk */
	if (!e->value && !entry->down && entry->moved && scanned) {
		/* It came up before it was moved, and down after: nobody told of that. */
		node->at--;
		entry->mine = true;
		entry->code = e->code;
		set_down(node, entry, true);
		return tell(node, entry, LURK_DOWN, time_us, event);
	}
	node->have_raw = false;
	again = e->value && entry->down;
	if (e->value == 2 || again) /* by an AT keyboard itself, and not by the kernel */
		return scanned && tell(node, entry, LURK_REPEAT, time_us, event);
	if (e->value)
		entry->mine = !reached_programs(node, time_us);
	entry->code = e->code;
	set_down(node, entry, e->value != 0);
	return tell(node, entry, e->value ? LURK_DOWN : LURK_UP, time_us, event);
}

/* ---- Lost events ------------------------------------------------------------------------------
 */

static struct lurk_node_entry *entry_at(struct lurk_event_node *node, unsigned i)
{
	return i < node->table_entries ? &node->table[i] : &node->codes[i - node->table_entries];
}

/* The witness asks: the kernel throws away the waiting events of the reader that does. What comes
 * after the loss is whole, so that what is down by the answer and was pressed before may go on. */
static RARE void begin_catching(struct lurk_event_node *node, uint64_t time_us)
{
	node->have_raw = node->lost = false;
	node->catching = true;
	node->lost_us = time_us;
	memset(node->asked, 0, sizeof node->asked);
	ioctl(node->witness, EVIOCGKEY(sizeof node->asked), node->asked);
}

/* What is no longer down is released, one at a time; nothing is pressed. */
static RARE bool catch_up(struct lurk_event_node *node, struct lurk_port_event *event)
{
	for (unsigned i = 0; node->down && i < node->table_entries + (unsigned)KEY_CNT; i++) {
		struct lurk_node_entry *entry = entry_at(node, i);

		if (!entry->down || lurk_codes_have(node->asked, entry->code))
			continue;
		set_down(node, entry, false);
		return tell(node, entry, LURK_UP, node->lost_us, event);
	}
	node->catching = false;
	return false;
}

/* ---- From what programs saw to what they do not ------------------------------------------------
 */

/* At the moment of the first grab all is as the witness says. */
static void begin_from(struct lurk_event_node *node)
{
	for (unsigned i = 0; node->down && i < node->table_entries + (unsigned)KEY_CNT; i++)
		set_down(node, entry_at(node, i), false);
	for (uint16_t code = 1; code < KEY_CNT; code++) {
		struct lurk_node_entry *entry;

		if (!lurk_codes_have(node->held, code) || lurk_is_button(code))
			continue;
		entry = lurk_node_of_code(node, code);
		entry->code = code;
		entry->mine = false;
		set_down(node, entry, true);
	}
}

/* One more key that is down, and whose press programs saw: from here on it is Lurk's. */
static RARE bool cross(struct lurk_event_node *node, struct lurk_port_event *event)
{
	if (node->boundary == LURK_NODE_BEFORE && !node->passed_from_us)
		begin_from(node);
	node->boundary = LURK_NODE_CROSSING;
	for (unsigned i = 0; node->down && i < node->table_entries + (unsigned)KEY_CNT; i++) {
		struct lurk_node_entry *entry = entry_at(node, i);
		uint16_t gave = entry->code == entry->moved ? entry->now : entry->code;

		if (!entry->down || entry->mine)
			continue;
		tell(node, entry, LURK_DOWN, node->told_us, event);
		entry->mine = true;
		node->told++;
		event->kind = LURK_PORT_HELD;
		event->gave = gave <= LURK_KEY_MAX ? gave : (lurk_key)LURK_KEY_NONE;
		return true;
	}
	node->boundary = LURK_NODE_HERE;
	return false;
}

/* ---- Reports ----------------------------------------------------------------------------------
 */

/* An AT keyboard's scan code without a key, of one that programs were told is up: the finger has
 * come off it. */
static bool came_off(struct lurk_event_node *node, uint64_t time_us, struct lurk_port_event *event)
{
	struct lurk_node_entry *entry = node->have_raw ? lurk_node_find(node, node->raw) : NULL;

	if (!entry || !entry->down || !lurk_node_is_at(node) ||
	    !lurk_codes_have(node->ended, entry->code))
		return false;
	node->have_raw = false;
	set_down(node, entry, false);
	return tell(node, entry, LURK_UP, time_us, event);
}

static RARE void pass_end_on(struct lurk_event_node *node)
{
	lurk_node_pass_on(node, &(struct input_event){.type = EV_SYN, .code = SYN_REPORT});
}

static bool end_report(struct lurk_event_node *node, uint64_t time_us,
		       struct lurk_port_event *event)
{
	bool told = node->open;

	if (node->others)
		pass_end_on(node);
	node->open = node->others = node->have_raw = false;
	event->kind = LURK_PORT_REPORT;
	event->time_us = time_us;
	return told;
}

static bool take_end(struct lurk_event_node *node, const struct input_event *e,
		     struct lurk_port_event *event)
{
	if (e->code == SYN_DROPPED)
		node->lost = true;
	if (e->code != SYN_REPORT)
		return false;
	if (node->lost) {
		begin_catching(node, lurk_node_time_us(e));
		return false;
	}
	if (came_off(node, lurk_node_time_us(e), event)) {
		node->at--; /* the report ends behind it */
		return true;
	}
	return end_report(node, lurk_node_time_us(e), event);
}

static bool take_event(struct lurk_event_node *node, const struct input_event *e,
		       struct lurk_port_event *event)
{
	if (e->type == EV_SYN)
		return take_end(node, e, event);
	if (e->type == EV_KEY && !lurk_is_button(e->code))
		return !node->lost && e->code < KEY_CNT && take_key(node, e, event);
	switch (e->type) {
	case EV_MSC:
		if (e->code == MSC_SCAN && !node->lost) {
			node->raw = (uint32_t)e->value;
			node->have_raw = true;
		}
		return false;
	case EV_KEY:
	case EV_REL:
	case EV_ABS:
	case EV_SW:
		if (!node->lost && node->taken) {
			lurk_node_pass_on(node, e);
			node->others = true;
		}
		return false;
	default:
		return false;
	}
}

HOT enum lurk_node_read lurk_node_next(struct lurk_event_node *node, struct lurk_port_event *event)
{
	for (;;) {
		if (node->catching) {
			if (catch_up(node, event) || end_report(node, node->lost_us, event))
				return LURK_NODE_EVENT;
		}
		if (node->at == node->count) {
			enum lurk_node_read read = fill(node);

			if (read == LURK_NODE_NOTHING && node->boundary >= LURK_NODE_BEFORE &&
			    cross(node, event))
				return LURK_NODE_EVENT;
			if (read != LURK_NODE_EVENT)
				return read;
		}
		if (node->boundary >= LURK_NODE_BEFORE &&
		    (node->boundary == LURK_NODE_CROSSING ||
		     lurk_node_time_us(&node->buffer[node->at]) > node->passed_to_us) &&
		    cross(node, event))
			return LURK_NODE_EVENT;
		if (take_event(node, &node->buffer[node->at++], event))
			return LURK_NODE_EVENT;
	}
}

void lurk_node_fetch(struct lurk_event_node *node)
{
	node->more = true;
	fill(node);
	node->fetched = true;
}

void lurk_node_read_all(struct lurk_event_node *node, const struct lurk_node_keep *keep)
{
	struct lurk_port_event event = {0};

	node->more = true;
	while (lurk_node_next(node, &event) == LURK_NODE_EVENT)
		keep->event(keep->data, &event);
	if (node->open) { /* what programs hold makes a report of its own */
		end_report(node, node->told_us, &event);
		keep->event(keep->data, &event);
	}
	if (node->writes) {
		memset(node->wrote_up, 0, sizeof node->wrote_up);
		memset(node->wrote_down, 0, sizeof node->wrote_down);
		node->writes = false;
	}
}

bool lurk_node_write(struct lurk_event_node *node, const lurk_codes codes, bool down)
{
	struct input_event events[KEY_CNT + 1] = {0};
	unsigned count = 0;

	for (uint16_t code = 1; code < KEY_CNT; code++) {
		if (!lurk_codes_have(codes, code))
			continue;
		events[count++] = (struct input_event){.type = EV_KEY, .code = code, .value = down};
		lurk_codes_put(down ? node->wrote_down : node->wrote_up, code, true);
		node->writes = true;
	}
	if (!count)
		return true;
	events[count++] = (struct input_event){.type = EV_SYN, .code = SYN_REPORT};
	return write(node->fd, events, count * sizeof *events) == (ssize_t)(count * sizeof *events);
}
