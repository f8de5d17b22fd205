/* Taking a node and giving it back, so that each press that any program saw has exactly one
 * release, whatever comes when.
 *
 * A grab begins at one moment: what came before reached all programs, what comes after reaches Lurk
 * alone. Which keys programs hold at that moment cannot be asked: it may change between the
 * question and the grab. But the witness is a reader like theirs. So once the grab has begun, what
 * the witness got is what they got, to the last event. (One may still be on its way on another
 * processor when the grab returns: a question that takes the kernel's lock comes after it. It has
 * its time already, so that no clock tells on which side of the grab it fell.)
 *
 * What programs hold can only be released for them while the node is free. The kernel takes some 20
 * ms to free it; more may go down for programs in that time, which the witness tells as well, and
 * which is released in the same way. So a node is taken while nothing is down on it, where that can
 * wait.
 *
 * Then the kernel takes those keys for up, and drops what changes nothing: when the finger comes
 * off, nobody is told. But a modifier goes on until then, and the off chord ends then. An AT
 * keyboard tells by a scan code that comes without a key. Elsewhere the key is moved: while nobody
 * sees it, another one that is up is pressed in its name, its entry in the table is made that key,
 * and for a moment that one's entry the first. So the finger's coming off is the release of the
 * other, which Lurk hears in any case; and the first, which is down by Lurk's own hand now, is
 * released for programs once and only by that, whatever the finger does meanwhile. */
#include <errno.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "port/linux/node.h"

/* ---- The witness ------------------------------------------------------------------------------
 */

static void witness_hears(const struct lurk_event_node *node, bool keys)
{
	lurk_codes codes;
	struct input_mask mask = {
		.type = EV_KEY, .codes_size = KEY_CNT / 8, .codes_ptr = (uintptr_t)codes};

	memset(codes, keys ? 0xff : 0, sizeof codes);
	ioctl(node->witness, EVIOCSMASK, &mask);
}

/* Once this returns, all that was on its way has arrived. */
static void await_kernel(const struct lurk_event_node *node)
{
	unsigned char lights[LED_CNT / 8 + 1];

	ioctl(node->witness, EVIOCGLED(sizeof lights), lights);
}

struct seen {
	bool any;
	uint64_t first_us, last_us;
};

/* Brings `held` up to date, and tells when programs got something. */
static struct seen ask_witness(struct lurk_event_node *node)
{
	struct input_event events[LURK_NODE_BUFFER];
	struct seen seen = {.first_us = UINT64_MAX};
	bool lost = false;
	ssize_t n;

	await_kernel(node);
	while ((n = read(node->witness, events, sizeof events)) > 0 || (n < 0 && errno == EINTR)) {
		for (size_t i = 0; n > 0 && i < (size_t)n / sizeof *events; i++) {
			const struct input_event *e = &events[i];

			seen.last_us = lurk_node_time_us(e);
			seen.first_us = seen.any ? seen.first_us : seen.last_us;
			seen.any = true;
			lost = lost || (e->type == EV_SYN && e->code == SYN_DROPPED);
			if (e->type == EV_KEY && e->value != 2 && e->code < KEY_CNT)
				lurk_codes_put(node->held, e->code, e->value);
		}
	}
	if (lost) { /* more than a reader can keep, in a moment: then all of it was before */
		ioctl(node->witness, EVIOCGKEY(sizeof node->held), node->held);
		seen.last_us = lurk_node_now_us();
	}
	return seen;
}

static bool any_in(const lurk_codes codes)
{
	for (size_t i = 0; i < sizeof(lurk_codes); i++) {
		if (codes[i])
			return true;
	}
	return false;
}

/* ---- Taking -----------------------------------------------------------------------------------
 */

static enum lurk_error grab(struct lurk_event_node *node)
{
	return ioctl(node->fd, EVIOCGRAB, 1) ? lurk_node_error(errno) : LURK_OK;
}

static void is_free(struct lurk_event_node *node)
{
	node->taken = false;
	node->boundary = LURK_NODE_HERE;
	lurk_node_mask(node);
	witness_hears(node, false);
	memset(node->held, 0, sizeof node->held);
	memset(node->ended, 0, sizeof node->ended);
}

/* What is read from here on reached programs where the witness got it, from some time on: not by
 * this process's own clock, unless the witness lost events, since an event has its time before it
 * is given to anybody, and a grab may come between. Whoever is told of keys that programs hold is
 * told that at `told_us`. */
static void begin_crossing(struct lurk_event_node *node, uint64_t from_us, const struct seen *seen,
			   uint64_t told_us)
{
	node->passed_from_us = from_us;
	node->passed_to_us = seen->any ? seen->last_us : 0;
	node->told_us = told_us > node->passed_to_us ? told_us : node->passed_to_us;
	node->boundary = LURK_NODE_BEFORE;
}

enum lurk_error lurk_node_take(struct lurk_event_node *node, const struct lurk_node_keep *keep)
{
	enum lurk_error error;
	struct seen seen;
	uint64_t before_us;

	/* What came before the witness was asked reached programs, and is read while the node is
	 * free; what comes after that, and before the grab, the witness gets as well. */
	witness_hears(node, true);
	memset(node->held, 0, sizeof node->held);
	ioctl(node->witness, EVIOCGKEY(sizeof node->held), node->held);
	lurk_node_read_all(node, keep);
	node->taken = true;
	lurk_node_mask(node);
	before_us = lurk_node_now_us();
	error = grab(node);
	if (error) {
		is_free(node);
		return error;
	}
	seen = ask_witness(node);
	begin_crossing(node, 0, &seen, before_us);
	lurk_node_read_all(node, keep);
	return LURK_OK;
}

/* ---- Keys that are moved ------------------------------------------------------------------------
 */

/* An entry that can be another key for a while: one that is up, and of those that hardly anybody
 * has: that with the highest code that is not used. NULL where there is none. */
static struct lurk_node_entry *spare_entry(const struct lurk_event_node *node,
					   const lurk_codes used)
{
	struct lurk_node_entry *spare = NULL;

	for (unsigned i = 0; i < node->table_entries; i++) {
		struct lurk_node_entry *e = lurk_node_find(node, node->table[i].raw);

		if (e->now < BTN_MISC && e->now != KEY_UNKNOWN && !e->down && !e->moved &&
		    lurk_modifier_place(e->now) < 0 && !lurk_codes_have(used, e->now) &&
		    (!spare || e->now > spare->now))
			spare = e;
	}
	return spare;
}

/* The key that is pressed in another's name. It is nobody else's until that is put back and
 * programs do not hold it, also where the finger came off just now, so that the kernel has it up.
 */
static uint16_t spare_code(const struct lurk_event_node *node)
{
	const struct lurk_node_entry *spare;
	lurk_codes used = {0};

	ioctl(node->witness, EVIOCGKEY(sizeof used), used);
	for (size_t i = 0; i < sizeof used; i++)
		used[i] |= node->held[i];
	for (unsigned i = 0; i < node->table_entries; i++) {
		if (node->table[i].moved)
			lurk_codes_put(used, node->table[i].moved, true);
	}
	spare = spare_entry(node, used);
	return spare ? spare->now : 0;
}

static bool in_table(const struct lurk_event_node *node, const struct lurk_node_entry *entry)
{
	return entry >= node->table && entry < node->table + node->table_entries;
}

/* For each key that programs hold another, which is to be pressed in its name; also where it came
 * up meanwhile, or was moved before and pressed anew: it may go down and up in any moment. */
static void choose_others(struct lurk_event_node *node, lurk_codes others)
{
	for (uint16_t code = 1; code < KEY_CNT; code++) {
		struct lurk_node_entry *entry;
		uint16_t spare;

		if (!lurk_codes_have(node->held, code) || !node->scans || lurk_node_is_at(node))
			continue;
		entry = lurk_node_of_code(node, code);
		spare = in_table(node, entry) ? spare_code(node) : 0;
		if (!spare)
			continue;
		node->moved += !entry->moved;
		entry->moved = spare;
		lurk_codes_put(others, spare, true);
	}
}

/* A key that is declared twice has two entries, of which the first stands for both. `code` is 0 for
 * what it was. */
static bool write_entries(struct lurk_event_node *node, const struct lurk_node_entry *first,
			  uint16_t code)
{
	bool fine = true;

	for (unsigned i = 0; i < node->table_entries; i++) {
		const struct lurk_node_entry *e = &node->table[i];

		if (e->raw == first->raw)
			fine = !lurk_node_write_entry(node, e, code ? code : e->now) && fine;
	}
	return fine;
}

/* What cannot be moved is released like all others. */
static void move(struct lurk_event_node *node, const lurk_codes others)
{
	for (unsigned i = 0; i < node->table_entries; i++) {
		struct lurk_node_entry *entry = &node->table[i];

		if (!entry->moved || !lurk_codes_have(others, entry->moved) ||
		    write_entries(node, entry, entry->moved))
			continue;
		write_entries(node, entry, 0);
		entry->moved = 0;
		node->moved--;
	}
}

/* Entries that give for a moment what no other gives any more. */
struct lent {
	struct lurk_node_entry *entries[LURK_TAKEN_HELD];
	unsigned count;
};

static bool lend(struct lurk_event_node *node, struct lent *lent, uint16_t code)
{
	struct lurk_node_entry *spare;
	lurk_codes used;

	memcpy(used, node->held, sizeof used);
	for (unsigned i = 0; i < lent->count; i++)
		lurk_codes_put(used, lent->entries[i]->now, true);
	spare = lent->count < LURK_TAKEN_HELD ? spare_entry(node, used) : NULL;
	if (!spare)
		return false;
	lent->entries[lent->count++] = spare;
	return write_entries(node, spare, code);
}

static bool unmove(struct lurk_event_node *node, uint16_t code)
{
	for (unsigned i = 0; node->moved && i < node->table_entries; i++) {
		struct lurk_node_entry *entry = &node->table[i];

		if (entry->moved && entry->now == code && write_entries(node, entry, 0)) {
			entry->moved = 0;
			node->moved--;
			return true;
		}
	}
	return false;
}

/* The kernel lets nobody press or release what no entry gives: not what was moved, nor what another
 * program has taken out of the table while programs held it. What cannot be declared again is past
 * help. */
static void declare_held(struct lurk_event_node *node, struct lent *lent)
{
	lurk_codes declared = {0};

	lent->count = 0;
	ioctl(node->fd, EVIOCGBIT(EV_KEY, sizeof declared), declared);
	for (uint16_t code = 1; code < KEY_CNT; code++) {
		if (lurk_codes_have(node->held, code) && !lurk_codes_have(declared, code) &&
		    !lend(node, lent, code) && !unmove(node, code))
			lurk_codes_put(node->held, code, false);
	}
}

static void take_back(struct lurk_event_node *node, const struct lent *lent)
{
	for (unsigned i = 0; i < lent->count; i++)
		write_entries(node, lent->entries[i], 0);
}

/* The finger has come off; it may be on again already, as the other key. Then that press is cut
 * short, since its release would be nobody's. */
static void put_back(struct lurk_event_node *node, struct lurk_node_entry *entry,
		     const struct lurk_node_keep *keep)
{
	const uint16_t other = entry->moved;
	lurk_codes codes = {0};

	write_entries(node, entry, 0);
	lurk_codes_put(codes, other, true);
	lurk_node_read_all(node, keep);
	entry->moved = 0;
	node->moved--;
	if (entry->down && entry->code == other) {
		struct lurk_port_event event = {.kind = LURK_PORT_KEY,
						.time_us = lurk_node_now_us()};

		event.key = lurk_node_key(node, entry, LURK_UP);
		event.passed = !entry->mine;
		entry->down = false;
		node->down--;
		keep->event(keep->data, &event);
		event.kind = LURK_PORT_REPORT;
		keep->event(keep->data, &event);
	}
	lurk_node_write(node, codes, false); /* where it was never released, as above */
	lurk_node_read_all(node, keep);
}

static struct lurk_node_entry *to_put_back(struct lurk_event_node *node)
{
	for (unsigned i = 0; node->moved && i < node->table_entries; i++) {
		if (node->table[i].moved && !node->table[i].down)
			return &node->table[i];
	}
	return NULL;
}

/* Putting one back reads: the finger may have come off another meanwhile. */
void lurk_node_tidy(struct lurk_event_node *node, const struct lurk_node_keep *keep)
{
	struct lurk_node_entry *entry;

	while ((entry = to_put_back(node)))
		put_back(node, entry, keep);
}

/* ---- What programs hold -----------------------------------------------------------------------
 */

static enum lurk_error end_once(struct lurk_event_node *node, const struct lurk_node_keep *keep)
{
	lurk_codes others = {0};
	enum lurk_error error;
	struct lent lent;
	struct seen seen;

	lurk_node_read_all(node, keep);
	choose_others(node, others);
	for (size_t i = 0; i < sizeof node->ended && lurk_node_is_at(node); i++)
		node->ended[i] |= node->held[i];
	lurk_node_write(node, others, true);
	move(node, others);
	declare_held(node, &lent);
	/* What has come up meanwhile, or the kernel took for up when its entry changed, is down
	 * once more: what was moved no finger can bring up, or press anew, from here on. */
	lurk_node_write(node, node->held, true);
	ioctl(node->fd, EVIOCGRAB, 0);
	lurk_node_write(node, node->held, false);
	error = grab(node);
	take_back(node, &lent);
	if (error) { /* another program was quicker */
		is_free(node);
		return error;
	}
	seen = ask_witness(node);
	begin_crossing(node, seen.any ? seen.first_us : 1, &seen, 0);
	lurk_node_read_all(node, keep);
	lurk_node_tidy(node, keep);
	return LURK_OK;
}

enum lurk_error lurk_node_end_held(struct lurk_event_node *node, const struct lurk_node_keep *keep)
{
	const unsigned told = node->told;
	enum lurk_error error = LURK_OK;

	/* Until programs hold nothing, or something that Lurk has to hear of first. */
	while (!error && any_in(node->held) && node->told == told)
		error = end_once(node, keep);
	return error;
}

/* ---- Giving back ------------------------------------------------------------------------------
 */

/* Events that no program saw. */
struct unseen {
	const struct lurk_node_keep *keep;
	unsigned count;
};

static void count_unseen(void *data, const struct lurk_port_event *event)
{
	struct unseen *u = data;

	u->count += event->kind == LURK_PORT_KEY && !event->passed;
	u->keep->event(u->keep->data, event);
}

/* Keys that the kernel holds and no finger does: nobody would release them. */
static void release_forgotten(struct lurk_event_node *node)
{
	lurk_codes down = {0};

	ioctl(node->witness, EVIOCGKEY(sizeof down), down);
	for (uint16_t code = 0; code < KEY_CNT; code++) {
		if (lurk_is_button(code))
			lurk_codes_put(down, code, false);
	}
	lurk_node_write(node, down, false);
}

/* It was free for a moment, and something came just before that. */
static enum lurk_error take_again(struct lurk_event_node *node, const struct lurk_node_keep *keep)
{
	uint64_t before_us = lurk_node_now_us();
	struct seen seen;

	if (grab(node)) {
		is_free(node);
		return LURK_OK; /* another program was quicker */
	}
	seen = ask_witness(node);
	begin_crossing(node, 1, &seen, before_us);
	lurk_node_read_all(node, keep);
	return LURK_ERR_WAIT;
}

enum lurk_error lurk_node_give_back(struct lurk_event_node *node, const struct lurk_node_keep *keep)
{
	struct unseen unseen = {.keep = keep};
	const struct lurk_node_keep counting = {count_unseen, &unseen};
	struct seen seen;

	lurk_node_read_all(node, &counting);
	lurk_node_tidy(node, &counting);
	if (unseen.count || node->down || node->moved || any_in(node->held))
		return LURK_ERR_WAIT;
	release_forgotten(node);
	ioctl(node->fd, EVIOCGRAB, 0);
	/* Of what has come by now the witness, asked after that, got what came since that moment;
	 * what comes from now on reaches everybody. */
	lurk_node_fetch(node);
	seen = ask_witness(node);
	node->passed_from_us = seen.first_us;
	node->boundary = LURK_NODE_GIVING;
	lurk_node_read_all(node, &counting);
	if (unseen.count)
		return take_again(node, keep);
	is_free(node);
	return LURK_OK;
}

/* The kernel goes on repeating the last key that went down, also for those who never saw that;
 * another key that comes up ends it. */
static void end_repeat(struct lurk_event_node *node)
{
	lurk_codes down = {0}, other = {0};

	if (ioctl(node->witness, EVIOCGKEY(sizeof down), down) < 0 || !any_in(down))
		return;
	for (uint16_t code = 1; code < KEY_CNT && !any_in(other); code++) {
		if (libevdev_has_event_code(node->evdev, EV_KEY, code) &&
		    !lurk_codes_have(down, code) && !lurk_is_button(code))
			lurk_codes_put(other, code, true);
	}
	lurk_node_write(node, other, true);
	lurk_node_write(node, other, false);
}

static void drop(void *data, const struct lurk_port_event *event)
{
	(void)data, (void)event;
}

void lurk_node_let_go(struct lurk_event_node *node)
{
	static const struct lurk_node_keep dropping = {drop, NULL};

	if (node->taken && node->fd >= 0) {
		for (unsigned i = 0; i < node->table_entries; i++) {
			if (node->table[i].moved)
				put_back(node, &node->table[i], &dropping);
		}
		/* What programs still hold may have come up by now: then it goes down once more,
		 * where they do not see it, so that they can be told that it is up. */
		lurk_node_write(node, node->held, true);
		end_repeat(node);
		ioctl(node->fd, EVIOCGRAB, 0);
		lurk_node_write(node, node->held, false);
		lurk_node_read_all(node, &dropping);
		is_free(node);
	}
	node->taken = false;
}
