#include "lurk/desk/sim.h"

#include <errno.h>
#include <inttypes.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "lurk/layout/own.h"
#include "lurk/text/memory.h"
#include "lurk/text/words.h"
#include "port/slots.h"

enum { ALL_LOCKS = (1 << LURK_LOCK_COUNT) - 1 };
enum { QUEUE = 1024, TABLE_ENTRIES = 768, REPEAT_DELAY_US = 250000, REPEAT_PERIOD_US = 33000 };
enum { OPENING_US = 200000 }; /* until programs have opened a node that appears */
enum { TYPEMATIC_DELAY_US = 500000, TYPEMATIC_PERIOD_US = 92000, SELF_PRESS_US = 90000 };

/* An input node as the kernel keeps one: which keys are down, which one repeats. */
struct node {
	bool down[LURK_KEY_COUNT];
	lurk_key repeats;
	uint64_t repeat_at;
};

struct keyboard {
	const struct lurk_desk_keyboard *spec;
	bool plugged, by_radio, taken;
	uint8_t hears[LURK_KEY_COUNT / 8]; /* keys whose events are wanted */
	bool gone;                         /* unplugged while taken, not given back yet */
	bool coming; /* plugged in again meanwhile: found as soon as it is given back */
	char place[48];
	struct lurk_wire wire;
	struct lurk_ps2 ps2;
	struct lurk_hid boot, consumer;
	bool held[LURK_DESK_KEYS];          /* fingers on keys */
	uint64_t itself_at[LURK_DESK_KEYS]; /* when a key next presses or releases itself */
	unsigned typematic;                 /* 1 + the key that a PS/2 keyboard repeats */
	uint64_t typematic_at;
	struct lurk_table_entry table[TABLE_ENTRIES];
	uint16_t table_entries;
	uint8_t declares[LURK_KEY_COUNT / 8];
	struct node source, virtual;
	/* What programs have seen pressed on the source and not yet released: while it is taken, or
	 * shortly after, that is not what is down. */
	bool seen[LURK_KEY_COUNT];
	bool mine[LURK_KEY_COUNT];    /* the key's press was Lurk's, and so is its release */
	bool taking;                  /* programs read it, and Lurk hears all */
	bool stands_in;               /* the virtual node is there */
	uint64_t plugged_at, open_at; /* when programs have opened the virtual node */
	unsigned unread;              /* its key events in the queue that no program saw */
	unsigned screen;              /* of the seat that it belongs to */
};

enum { SCREENS = 8 };

/* A seat's screen: whoever sits there, and the programs. */
struct screen {
	char seat[32];
	uint32_t person;
	struct lurk_layout *layout; /* read when a first key comes: see layout_of() */
	bool asked_layout;
	unsigned lights;
	unsigned buffered; /* events in the readers' buffer since they last read */
	uint64_t buffered_at;
	uint8_t pressed[LURK_KEY_COUNT]; /* by how many nodes */
};

struct lurk_sim {
	struct lurk_port port;
	const struct lurk_desk *desk;
	char folder[PATH_MAX - 64];
	struct lurk_sim_watch watch;
	uint64_t now_us;
	size_t power; /* bytes that can be stored until the power goes */
	bool off;
	struct keyboard keyboards[LURK_DESK_KEYBOARDS];
	struct screen screens[SCREENS]; /* the main seat's is the first */
	unsigned screen_count;
	struct lurk_port_event queue[QUEUE];
	unsigned first, waiting;
	void (*meanwhile)(void *data);
	void *meanwhile_data;
};

static const struct lurk_port_class sim_class;

static void note(struct lurk_sim *sim, const char *text)
{
	if (sim->watch.note)
		sim->watch.note(sim->watch.data, text);
}

/* What a port must never lose are releases and unplugging: where the queue is nearly full, presses
 * wait for nobody. */
static void queue_event(struct lurk_sim *sim, struct lurk_port_event event)
{
	bool press = event.kind == LURK_PORT_KEY && event.key.state != LURK_UP;

	event.time_us = sim->now_us;
	if (sim->waiting >= (press ? QUEUE / 4 : QUEUE))
		return;
	sim->queue[(sim->first + sim->waiting++) % QUEUE] = event;
	sim->keyboards[event.keyboard].unread += event.kind == LURK_PORT_KEY && !event.passed;
}

/* ---- The programs: what they get, the text it makes, the lights ------------------------------ */

/* One of the desk's own, or of the system's. */
static struct lurk_layout *open_layout(const struct lurk_sim *sim, struct lurk_message *message)
{
	char folder[LURK_PATH];

	snprintf(folder, sizeof folder, "%.*s/layouts", LURK_PATH - 16, sim->folder);
	return lurk_layout_open_in(folder, sim->desk->layout, "", message);
}

/* Most that is done at a desk presses no key, and to read a layout takes longer than all the rest.
 * NULL, and said once, where one of the system's turns out to be broken. */
static struct lurk_layout *layout_of(struct lurk_sim *sim, struct screen *screen)
{
	struct lurk_message why, told;

	if (!screen->layout && !screen->asked_layout) {
		screen->layout = open_layout(sim, &why);
		if (!screen->layout) {
			lurk_say(&told, "no text arrives: %.400s", why.text);
			note(sim, told.text);
		}
	}
	screen->asked_layout = true;
	return screen->layout;
}

static void show_lights(struct lurk_sim *sim, struct screen *screen, unsigned lights)
{
	static const char *const names[] = {"NumLock", "CapsLock", "ScrollLock"};
	char text[48];

	for (unsigned i = 0; i < 3; i++) {
		if (!((lights ^ screen->lights) >> i & 1))
			continue;
		snprintf(text, sizeof text, "%s light %s", names[i],
			 lights >> i & 1 ? "on" : "off");
		note(sim, text);
	}
	screen->lights = lights;
}

static void program_gets(struct lurk_sim *sim, unsigned keyboard, lurk_key key,
			 enum lurk_state state)
{
	struct screen *screen = &sim->screens[sim->keyboards[keyboard].screen];
	struct lurk_layout *layout;
	char text[LURK_LAYOUT_TEXT] = "";

	if (screen->buffered_at != sim->now_us)
		screen->buffered = 0; /* they had time to read */
	screen->buffered_at = sim->now_us;
	screen->buffered += 2; /* with the event that ends the report */
	if (screen->buffered > LURK_READER_EVENTS) {
		note(sim, "too much at once: programs lost events");
		return;
	}
	if (sim->watch.got)
		sim->watch.got(sim->watch.data, keyboard, key, state);
	if (state == LURK_DOWN && screen->pressed[key]++)
		return;
	if (state == LURK_UP && (!screen->pressed[key] || --screen->pressed[key]))
		return;
	layout = layout_of(sim, screen);
	if (!layout)
		return;
	lurk_layout_key(layout, key, state, text);
	if (*text && sim->watch.text)
		sim->watch.text(sim->watch.data, text);
	show_lights(sim, screen, lurk_layout_lights(layout));
}

/* Programs of a screen lose a node on which a key is down for them. */
static void program_loses(struct screen *screen, lurk_key key)
{
	char text[LURK_LAYOUT_TEXT];

	if (screen->pressed[key] && --screen->pressed[key] == 0 && screen->layout)
		lurk_layout_key(screen->layout, key, LURK_UP, text);
}

/* ---- Nodes ---------------------------------------------------------------------------------- */

/* What the kernel's input core does with a key event of a device: only changes go on; a repeated
 * press of a device that repeats by itself goes on as a repeat. */
static void node_event(struct lurk_sim *sim, unsigned number, struct node *node, lurk_key key,
		       enum lurk_state state, bool readable)
{
	bool ps2 = sim->keyboards[number].spec->wired != LURK_WIRED_USB &&
		   node == &sim->keyboards[number].source;

	/* What a table disables is no event; what a virtual node sends is. */
	if (key == LURK_KEY_NONE ||
	    (key == LURK_KEY_UNKNOWN && node == &sim->keyboards[number].source))
		return;
	if (state == LURK_UP ? !node->down[key] : node->down[key]) {
		if (state == LURK_UP || !ps2)
			return;
		state = LURK_REPEAT;
	} else if (state == LURK_REPEAT) {
		state = LURK_DOWN; /* a PS/2 keyboard's repeat is a press like any other */
	}
	if (state != LURK_REPEAT)
		node->down[key] = state == LURK_DOWN;
	if (state == LURK_DOWN && !ps2) {
		node->repeats = key;
		node->repeat_at = sim->now_us + REPEAT_DELAY_US;
	}
	if (state == LURK_UP && node->repeats == key)
		node->repeats = LURK_KEY_NONE;
	if (readable)
		program_gets(sim, number, key, state);
}

static bool declared(const struct keyboard *k, lurk_key key)
{
	return k->declares[key / 8] >> key % 8 & 1;
}

/* The programs that have the source node open see only keys that it declared when they opened it,
 * and of a press that they did not see neither repeats nor the release. */
static void source_event(struct lurk_sim *sim, unsigned number, lurk_key key, enum lurk_state state)
{
	struct keyboard *k = &sim->keyboards[number];
	bool was_down = k->source.down[key];
	bool readable = !k->taken && declared(k, key) &&
			(state == LURK_UP ? k->seen[key] : !was_down || k->seen[key]);

	node_event(sim, number, &k->source, key, state, readable);
	if (readable)
		k->seen[key] = k->source.down[key];
}

static void release_node(struct lurk_sim *sim, unsigned number, struct node *node, bool readable)
{
	for (unsigned key = 1; key < LURK_KEY_COUNT; key++) {
		if (node->down[key])
			node_event(sim, number, node, (lurk_key)key, LURK_UP, readable);
	}
	memset(node, 0, sizeof *node);
}

/* For programs as well, whoever has taken it: a node that goes releases what it held. */
static void release_source(struct lurk_sim *sim, unsigned number)
{
	struct keyboard *k = &sim->keyboards[number];

	for (unsigned key = 1; key < LURK_KEY_COUNT; key++) {
		if (k->seen[key])
			program_gets(sim, number, (lurk_key)key, LURK_UP);
		k->seen[key] = false;
	}
	memset(&k->source, 0, sizeof k->source);
}

static lurk_key table_key(const struct keyboard *k, lurk_scan scan, lurk_key original)
{
	for (unsigned i = 0; i < k->table_entries; i++) {
		if (lurk_scan_same(k->table[i].scan, scan))
			return k->table[i].key;
	}
	return original;
}

static bool hears(const struct keyboard *k, lurk_key key)
{
	return k->hears[key / 8] >> key % 8 & 1;
}

static void decoded(struct lurk_sim *sim, unsigned number, const struct lurk_key_event *event)
{
	struct keyboard *k = &sim->keyboards[number];
	struct lurk_port_event e = {
		.kind = LURK_PORT_KEY, .keyboard = (uint16_t)number, .key = *event};

	if (sim->watch.key)
		sim->watch.key(sim->watch.data, number, event);
	if (event->state == LURK_DOWN)
		k->mine[event->key] = k->taken;
	e.passed = !k->mine[event->key];
	e.key.more = true; /* the end of the report is an event of its own */
	if (k->taken || k->taking || k->mine[event->key] || hears(k, event->key))
		queue_event(sim, e);
	source_event(sim, number, table_key(k, event->scan, event->key),
		     (enum lurk_state)event->state);
}

/* ---- Wires ---------------------------------------------------------------------------------- */

static void decode(struct lurk_sim *sim, unsigned number, const struct lurk_wire_data *data)
{
	struct keyboard *k = &sim->keyboards[number];
	struct lurk_key_event event;

	if (sim->watch.wire)
		sim->watch.wire(sim->watch.data, number, data);
	if (k->spec->wired == LURK_WIRED_USB) {
		struct lurk_hid *hid = data->consumer ? &k->consumer : &k->boot;

		lurk_hid_feed(hid, data->bytes, data->length);
		while (lurk_hid_next(hid, &event)) {
			event.interface = data->consumer;
			decoded(sim, number, &event);
		}
		return;
	}
	for (unsigned i = 0; i < data->length; i++) {
		lurk_ps2_feed(&k->ps2, data->bytes[i]);
		while (lurk_ps2_next(&k->ps2, &event))
			decoded(sim, number, &event);
	}
}

static void receive(struct lurk_sim *sim, unsigned number, const struct lurk_wire_data *data)
{
	const unsigned before = sim->waiting;

	decode(sim, number, data);
	if (sim->waiting > before)
		queue_event(sim, (struct lurk_port_event){.kind = LURK_PORT_REPORT,
							  .keyboard = (uint16_t)number});
}

static void physical(struct lurk_sim *sim, unsigned number, unsigned key, enum lurk_state state)
{
	struct keyboard *k = &sim->keyboards[number];
	const struct lurk_desk_key *spec = &k->spec->keys[key];
	struct lurk_wire_data data;

	if (spec->scan.kind == LURK_SCAN_NONE) {
		note(sim, "sends nothing: the keyboard keeps this key to itself");
		return;
	}
	if (spec->press_only && state == LURK_UP) {
		note(sim, "sends nothing when it comes up");
		return;
	}
	lurk_wire_send(&k->wire, spec->scan, state, &data);
	if (data.length)
		receive(sim, number, &data);
	if (spec->press_only && k->spec->wired == LURK_WIRED_USB) { /* the report says it is up */
		lurk_wire_send(&k->wire, spec->scan, LURK_UP, &data);
		return;
	}
	if (k->spec->wired == LURK_WIRED_USB)
		return;
	if (state == LURK_DOWN) {
		k->typematic = spec->press_only ? 0 : key + 1;
		k->typematic_at = sim->now_us + TYPEMATIC_DELAY_US;
	} else if (state == LURK_UP && k->typematic == key + 1) {
		k->typematic = 0;
	}
}

void lurk_sim_key(struct lurk_sim *sim, unsigned keyboard, unsigned key, bool down)
{
	struct keyboard *k = &sim->keyboards[keyboard];

	if (!k->plugged || k->held[key] == down)
		return;
	k->held[key] = down;
	physical(sim, keyboard, key, down ? LURK_DOWN : LURK_UP);
}

/* ---- Time ----------------------------------------------------------------------------------- */

struct timer {
	uint64_t at;
	unsigned keyboard;
	enum { NO_TIMER, ITSELF, TYPEMATIC, REPEAT_SOURCE, REPEAT_VIRTUAL } what;
	unsigned key;
};

static void earlier(struct timer *best, struct timer other)
{
	if (best->what == NO_TIMER || other.at < best->at)
		*best = other;
}

static struct timer next_timer(const struct lurk_sim *sim)
{
	struct timer best = {0};

	for (unsigned n = 0; n < sim->desk->keyboard_count; n++) {
		const struct keyboard *k = &sim->keyboards[n];

		if (k->plugged && k->typematic)
			earlier(&best,
				(struct timer){k->typematic_at, n, TYPEMATIC, k->typematic - 1});
		if (k->plugged && k->source.repeats)
			earlier(&best, (struct timer){k->source.repeat_at, n, REPEAT_SOURCE,
						      k->source.repeats});
		if (k->taken && k->virtual.repeats)
			earlier(&best, (struct timer){k->virtual.repeat_at, n, REPEAT_VIRTUAL,
						      k->virtual.repeats});
		for (unsigned i = 0; k->plugged && i < k->spec->key_count; i++) {
			if (k->itself_at[i])
				earlier(&best, (struct timer){k->itself_at[i], n, ITSELF, i});
		}
	}
	return best;
}

static void fire(struct lurk_sim *sim, const struct timer *timer)
{
	struct keyboard *k = &sim->keyboards[timer->keyboard];
	struct node *node = timer->what == REPEAT_SOURCE ? &k->source : &k->virtual;

	switch (timer->what) {
	case ITSELF:
		lurk_sim_key(sim, timer->keyboard, timer->key, !k->held[timer->key]);
		k->itself_at[timer->key] +=
			k->held[timer->key]
				? (uint64_t)SELF_PRESS_US
				: k->spec->keys[timer->key].itself_every_us - SELF_PRESS_US;
		break;
	case TYPEMATIC:
		k->typematic_at += TYPEMATIC_PERIOD_US;
		physical(sim, timer->keyboard, timer->key, LURK_REPEAT);
		break;
	default:
		node->repeat_at += REPEAT_PERIOD_US;
		if (node == &k->virtual || (!k->taken && k->seen[node->repeats]))
			program_gets(sim, timer->keyboard, node->repeats, LURK_REPEAT);
		break;
	}
}

bool lurk_sim_pass(struct lurk_sim *sim, uint64_t until_us)
{
	struct timer timer = next_timer(sim);

	if (timer.what == NO_TIMER || timer.at > until_us) {
		if (until_us > sim->now_us)
			sim->now_us = until_us;
		return false;
	}
	if (timer.at > sim->now_us)
		sim->now_us = timer.at;
	fire(sim, &timer);
	return true;
}

uint64_t lurk_sim_now(const struct lurk_sim *sim)
{
	return sim->now_us;
}

/* ---- Plugging ------------------------------------------------------------------------------- */

static void add_entry(struct keyboard *k, lurk_scan scan)
{
	lurk_key key = lurk_scan_key(scan);

	if (k->table_entries == TABLE_ENTRIES)
		return;
	k->table[k->table_entries++] = (struct lurk_table_entry){scan, key, key};
	if (key)
		k->declares[key / 8] |= (uint8_t)(1U << key % 8);
}

static bool in_table(const struct keyboard *k, lurk_scan scan)
{
	for (unsigned i = 0; i < k->table_entries; i++) {
		if (lurk_scan_same(k->table[i].scan, scan))
			return true;
	}
	return false;
}

/* A USB keyboard declares the usages that it has keys for; the driver for AT keyboards has all the
 * codes of its set, whatever the keyboard. */
static void make_table(struct keyboard *k)
{
	enum lurk_wiring wiring = (enum lurk_wiring)k->spec->identity.wiring;
	uint8_t kind = wiring == LURK_WIRING_SET1 ? LURK_SCAN_SET1 : LURK_SCAN_SET2;

	k->table_entries = 0;
	memset(k->declares, 0, sizeof k->declares);
	for (lurk_key key = lurk_key_next(0); key && k->spec->wired != LURK_WIRED_USB;
	     key = lurk_key_next(key)) {
		for (size_t i = 0; lurk_key_scan(key, i).kind; i++) {
			if (lurk_key_scan(key, i).kind == kind)
				add_entry(k, lurk_key_scan(key, i));
		}
	}
	for (unsigned twice = 0; twice <= (unsigned)k->spec->twice; twice++) {
		for (unsigned i = 0; i < k->spec->key_count; i++) {
			lurk_scan scan = lurk_scan_on(k->spec->keys[i].scan, wiring);

			if (scan.kind && (twice || !in_table(k, scan)))
				add_entry(k, scan);
		}
	}
}

bool lurk_sim_plugged(const struct lurk_sim *sim, unsigned keyboard)
{
	return sim->keyboards[keyboard].plugged;
}

void lurk_sim_plug(struct lurk_sim *sim, unsigned keyboard, bool radio, const char *place)
{
	struct keyboard *k = &sim->keyboards[keyboard];
	const struct lurk_identity *identity = radio ? &k->spec->radio : &k->spec->identity;

	if (k->plugged)
		return;
	if (place || radio != k->by_radio)
		snprintf(k->place, sizeof k->place, "%s", place ? place : identity->place);
	k->by_radio = radio;
	k->coming = k->gone;
	if (k->gone)
		return;
	k->plugged = true;
	lurk_wire_init(&k->wire, k->spec->wired);
	lurk_ps2_init(&k->ps2, k->spec->wired == LURK_WIRED_SET2 ? 2 : 1);
	lurk_hid_init(&k->boot, LURK_HID_BOOT);
	lurk_hid_init(&k->consumer, LURK_HID_CONSUMER);
	memset(k->hears, 0, sizeof k->hears);
	memset(k->held, 0, sizeof k->held);
	memset(&k->source, 0, sizeof k->source);
	memset(k->seen, 0, sizeof k->seen);
	memset(k->mine, 0, sizeof k->mine);
	k->stands_in = k->taking = false;
	k->plugged_at = sim->now_us;
	k->typematic = 0;
	make_table(k);
	for (unsigned i = 0; i < k->spec->key_count; i++) {
		uint64_t every = k->spec->keys[i].itself_every_us;

		k->itself_at[i] = every ? sim->now_us + every : 0;
	}
	queue_event(sim, (struct lurk_port_event){.kind = LURK_PORT_PLUGGED,
						  .keyboard = (uint16_t)keyboard});
}

void lurk_sim_unplug(struct lurk_sim *sim, unsigned keyboard)
{
	struct keyboard *k = &sim->keyboards[keyboard];

	k->coming = false;
	if (!k->plugged)
		return;
	k->plugged = false;
	k->gone = k->taken;
	k->stands_in = k->stands_in && k->taken;
	memset(k->held, 0, sizeof k->held);
	release_source(sim, keyboard);
	queue_event(sim, (struct lurk_port_event){.kind = LURK_PORT_UNPLUGGED,
						  .keyboard = (uint16_t)keyboard});
}

void lurk_sim_boot(struct lurk_sim *sim)
{
	sim->power = SIZE_MAX;
	sim->off = false;
	sim->first = sim->waiting = 0;
	for (unsigned i = 0; i < sim->screen_count; i++) {
		sim->screens[i].lights = 0;
		memset(sim->screens[i].pressed, 0, sizeof sim->screens[i].pressed);
		if (sim->screens[i].layout)
			lurk_layout_reset(sim->screens[i].layout);
	}
	for (unsigned i = 0; i < sim->desk->keyboard_count; i++) {
		struct keyboard *k = &sim->keyboards[i];
		bool was_plugged = k->plugged || k->coming;

		k->plugged = k->taken = k->gone = k->coming = false;
		k->unread = 0;
		memset(&k->virtual, 0, sizeof k->virtual);
		if (was_plugged)
			lurk_sim_plug(sim, i, k->by_radio, NULL);
	}
}

void lurk_sim_cut_power(struct lurk_sim *sim, size_t after_bytes)
{
	sim->power = after_bytes;
}

void lurk_sim_power_off(struct lurk_sim *sim)
{
	sim->off = true;
}

bool lurk_sim_has_power(const struct lurk_sim *sim)
{
	return !sim->off;
}

/* ---- The port ------------------------------------------------------------------------------- */

static struct lurk_sim *sim_of(struct lurk_port *port)
{
	return (struct lurk_sim *)port;
}

static struct keyboard *plugged(struct lurk_sim *sim, uint16_t number)
{
	return number < sim->desk->keyboard_count && sim->keyboards[number].plugged
		       ? &sim->keyboards[number]
		       : NULL;
}

static bool sim_keyboard(struct lurk_port *port, uint16_t number, struct lurk_port_keyboard *out)
{
	const struct keyboard *k = plugged(sim_of(port), number);

	if (!k)
		return false;
	out->identity = k->by_radio ? k->spec->radio : k->spec->identity;
	snprintf(out->identity.place, sizeof out->identity.place, "%s", k->place);
	memcpy(out->declares, k->declares, sizeof out->declares);
	out->table_entries = k->table_entries;
	out->others_changes = 0;
	memcpy(out->seat, sim_of(port)->screens[k->screen].seat, sizeof out->seat);
	out->locks = ALL_LOCKS;
	out->scans = true;
	out->in_use = sim_of(port)->now_us > k->plugged_at;
	return true;
}

static bool sim_next(struct lurk_port *port, struct lurk_port_event *event)
{
	struct lurk_sim *sim = sim_of(port);

	if (!sim->waiting)
		return false;
	*event = sim->queue[sim->first];
	sim->first = (sim->first + 1) % QUEUE;
	sim->waiting--;
	if (event->kind == LURK_PORT_KEY && !event->passed)
		sim->keyboards[event->keyboard].unread--;
	return true;
}

static void meanwhile(struct lurk_sim *sim)
{
	if (sim->meanwhile)
		sim->meanwhile(sim->meanwhile_data);
}

static enum lurk_error sim_stand_in(struct lurk_port *port, uint16_t number)
{
	struct lurk_sim *sim = sim_of(port);
	struct keyboard *k = plugged(sim, number);

	if (!k)
		return LURK_ERR_GONE;
	if (k->stands_in)
		return LURK_OK;
	k->stands_in = true;
	memset(&k->virtual, 0, sizeof k->virtual);
	k->open_at = sim->now_us + (sim->now_us > k->plugged_at ? OPENING_US : 0);
	return LURK_OK;
}

/* The key that stands for what programs see of an entry. */
static void tell_held(struct keyboard *k, lurk_key gave, struct lurk_taken_held *held)
{
	struct lurk_key_event e = {.key = gave, .state = LURK_DOWN};

	if (held->count == LURK_TAKEN_HELD)
		return;
	for (unsigned i = 0; i < k->spec->key_count; i++) {
		lurk_scan scan = lurk_scan_on(k->spec->keys[i].scan,
					      (enum lurk_wiring)k->spec->identity.wiring);

		if (k->held[i] && table_key(k, scan, lurk_scan_key(scan)) == gave) {
			e.key = lurk_scan_key(scan);
			e.scan = scan;
			break;
		}
	}
	k->mine[e.key] = true;
	held->gave[held->count] = gave;
	held->keys[held->count++] = e;
}

static void tell_all_held(struct keyboard *k, struct lurk_taken_held *held)
{
	for (unsigned key = 1; key < LURK_KEY_COUNT; key++) {
		if (k->seen[key])
			tell_held(k, (lurk_key)key, held);
	}
}

static enum lurk_error sim_take(struct lurk_port *port, uint16_t number, bool at_once,
				struct lurk_taken_held *held)
{
	struct lurk_sim *sim = sim_of(port);
	struct keyboard *k = plugged(sim, number);

	memset(held, 0, sizeof *held);
	if (!k)
		return LURK_ERR_GONE;
	if (!k->stands_in)
		return LURK_ERR_NO_RELAY;
	if (k->taken)
		return LURK_OK;
	for (unsigned key = 1; key < LURK_KEY_COUNT && !at_once; key++) {
		if (k->seen[key] || k->source.down[key])
			return LURK_ERR_WAIT;
	}
	k->taking = true;
	meanwhile(sim);
	k->taking = false;
	if (!k->plugged)
		return LURK_ERR_GONE;
	k->taken = true;
	tell_all_held(k, held);
	meanwhile(sim);
	return LURK_OK;
}

/* As on a kernel: programs get releases only while the keyboard is free, and what is pressed at
 * that moment as well. */
static enum lurk_error sim_end_held(struct lurk_port *port, uint16_t number)
{
	struct lurk_sim *sim = sim_of(port);
	struct keyboard *k = plugged(sim, number);
	struct lurk_taken_held more = {.count = 0};

	if (!k)
		return LURK_ERR_GONE;
	if (k->unread)
		return LURK_ERR_WAIT;
	k->taken = false;
	k->taking = true;
	for (unsigned key = 1; key < LURK_KEY_COUNT; key++) {
		if (k->seen[key])
			program_gets(sim, number, (lurk_key)key, LURK_UP);
		k->seen[key] = false;
	}
	meanwhile(sim);
	k->taking = false;
	k->taken = k->plugged;
	tell_all_held(k, &more);
	for (unsigned i = 0; i < more.count; i++)
		queue_event(sim, (struct lurk_port_event){.kind = LURK_PORT_HELD,
							  .keyboard = number,
							  .key = more.keys[i],
							  .gave = more.gave[i]});
	if (more.count)
		queue_event(sim,
			    (struct lurk_port_event){.kind = LURK_PORT_REPORT, .keyboard = number});
	return k->plugged ? LURK_OK : LURK_ERR_GONE;
}

static enum lurk_error sim_give_back(struct lurk_port *port, uint16_t number, bool at_once)
{
	struct lurk_sim *sim = sim_of(port);
	struct keyboard *k = &sim->keyboards[number];

	if (number >= sim->desk->keyboard_count || !k->taken)
		return LURK_ERR_GONE;
	meanwhile(sim);
	for (unsigned i = 0; i < k->spec->key_count && !at_once && !k->gone; i++) {
		if (k->held[i] && k->spec->keys[i].scan.kind && !k->spec->keys[i].press_only)
			return LURK_ERR_WAIT;
	}
	if (!at_once && !k->gone && k->unread)
		return LURK_ERR_WAIT;
	if (!at_once) /* what the kernel holds of keys that the table has renamed meanwhile */
		memset(&k->source, 0, sizeof k->source);
	release_node(sim, number, &k->virtual, true);
	if (at_once) /* what was not released for programs by end_held() */
		release_source(sim, number);
	k->taken = false;
	k->stands_in = k->stands_in && !k->gone;
	k->gone = false;
	if (k->coming)
		lurk_sim_plug(sim, number, k->by_radio, NULL);
	meanwhile(sim);
	return LURK_OK;
}

static enum lurk_error sim_release(struct lurk_port *port, uint16_t number, uint16_t index)
{
	struct lurk_sim *sim = sim_of(port);
	struct keyboard *k = plugged(sim, number);

	if (!k)
		return LURK_ERR_GONE;
	if (index >= k->table_entries)
		return LURK_ERR_PORT;
	source_event(sim, number, k->table[index].key, LURK_UP);
	return LURK_OK;
}

static void sim_listen(struct lurk_port *port, uint16_t number, const lurk_key *keys,
		       unsigned count)
{
	struct keyboard *k = plugged(sim_of(port), number);

	if (!k)
		return;
	memset(k->hears, count == LURK_LISTEN_ALL ? 0xff : 0, sizeof k->hears);
	for (unsigned i = 0; count != LURK_LISTEN_ALL && i < count; i++)
		k->hears[keys[i] / 8] |= (uint8_t)(1U << keys[i] % 8);
}

static enum lurk_error sim_send(struct lurk_port *port, const struct lurk_frame *frame)
{
	struct lurk_sim *sim = sim_of(port);
	struct keyboard *k = &sim->keyboards[frame->keyboard];

	if (frame->keyboard >= sim->desk->keyboard_count || (!k->plugged && !k->gone))
		return LURK_ERR_GONE;
	if (!k->stands_in)
		return LURK_ERR_NO_RELAY;
	for (unsigned i = 0; i < frame->count; i++)
		node_event(sim, frame->keyboard, &k->virtual, frame->strokes[i].key,
			   (enum lurk_state)frame->strokes[i].state, sim->now_us >= k->open_at);
	return LURK_OK;
}

static enum lurk_error sim_table_get(struct lurk_port *port, uint16_t number, uint16_t index,
				     struct lurk_table_entry *entry)
{
	const struct keyboard *k = plugged(sim_of(port), number);

	if (!k)
		return LURK_ERR_GONE;
	if (index >= k->table_entries)
		return LURK_ERR_PORT;
	*entry = k->table[index];
	return LURK_OK;
}

/* The old key is released only where no other entry gives it any more. */
static enum lurk_error sim_table_set(struct lurk_port *port, uint16_t number, uint16_t index,
				     lurk_key key)
{
	struct lurk_sim *sim = sim_of(port);
	struct keyboard *k = plugged(sim, number);
	lurk_key old;

	if (!k)
		return LURK_ERR_GONE;
	if (index >= k->table_entries || key >= LURK_KEY_COUNT)
		return LURK_ERR_PORT;
	old = k->table[index].key;
	k->table[index].key = key;
	for (unsigned i = 0; i < k->table_entries; i++) {
		if (k->table[i].key == old)
			return LURK_OK;
	}
	source_event(sim, number, old, LURK_UP);
	return LURK_OK;
}

static bool sim_is_down(struct lurk_port *port, uint16_t number, uint16_t index)
{
	const struct keyboard *k = plugged(sim_of(port), number);

	return k && index < k->table_entries && k->source.down[k->table[index].key];
}

static uint8_t sim_lit(struct lurk_port *port, uint16_t number)
{
	const struct keyboard *k = plugged(sim_of(port), number);

	return k ? (uint8_t)(sim_of(port)->screens[k->screen].lights & ALL_LOCKS) : 0;
}

static unsigned sim_slots(struct lurk_port *port, size_t *size)
{
	(void)port;
	*size = LURK_SIM_SLOT_SIZE;
	return LURK_SIM_SLOTS;
}

static const char *storage_of(const struct lurk_sim *sim, char folder[PATH_MAX])
{
	snprintf(folder, PATH_MAX, "%s/storage", sim->folder);
	return folder;
}

static enum lurk_error sim_slot_read(struct lurk_port *port, uint32_t owner, unsigned slot,
				     uint8_t *bytes, size_t size, size_t *length)
{
	char folder[PATH_MAX], owned[PATH_MAX];

	return lurk_slots_read(lurk_slots_of(storage_of(sim_of(port), folder), owner, owned), slot,
			       bytes, size, length);
}

/* Like a disk: the bytes go out one after the other, over what was there. */
static enum lurk_error sim_slot_write(struct lurk_port *port, uint32_t owner, unsigned slot,
				      const uint8_t *bytes, size_t length)
{
	struct lurk_sim *sim = sim_of(port);
	size_t n = length < sim->power ? length : sim->power;
	char folder[PATH_MAX];
	const struct lurk_slots_place place = {storage_of(sim, folder), owner, ""};
	const enum lurk_error error = lurk_slots_write(&place, slot, bytes, n, length, NULL);

	if (sim->power != SIZE_MAX)
		sim->power -= n;
	if (n == length)
		return error;
	sim->off = true;
	return LURK_ERR_POWER;
}

/* NULL where nobody ever sat there, and no keyboard was. */
static struct screen *find_screen(struct lurk_sim *sim, const char *seat)
{
	for (unsigned i = 0; i < sim->screen_count; i++) {
		if (!strcmp(sim->screens[i].seat, seat))
			return &sim->screens[i];
	}
	return NULL;
}

static uint32_t sim_person(struct lurk_port *port, const char *seat)
{
	const struct screen *screen = find_screen(sim_of(port), seat);

	return screen ? screen->person : LURK_NOBODY;
}

/* A seat that was not there yet has one of its own: NULL where those are too many. */
static struct screen *screen_at(struct lurk_sim *sim, const char *seat)
{
	struct screen *screen = find_screen(sim, seat);

	if (screen || sim->screen_count == SCREENS)
		return screen;
	screen = &sim->screens[sim->screen_count];
	snprintf(screen->seat, sizeof screen->seat, "%s", seat);
	screen->person = LURK_NOBODY;
	sim->screen_count++;
	return screen;
}

void lurk_sim_sit(struct lurk_sim *sim, const char *seat, uint32_t person)
{
	struct screen *screen = screen_at(sim, seat);

	if (!screen)
		return;
	screen->person = person;
	queue_event(sim,
		    (struct lurk_port_event){.kind = LURK_PORT_PERSONS, .time_us = sim->now_us});
}

void lurk_sim_seat(struct lurk_sim *sim, unsigned keyboard, const char *seat)
{
	struct keyboard *k = &sim->keyboards[keyboard];
	struct screen *from = &sim->screens[k->screen], *to = screen_at(sim, seat);

	if (!to)
		return;
	for (unsigned key = 0; from != to && key < LURK_KEY_COUNT; key++) {
		for (int nodes = k->seen[key] + k->virtual.down[key]; nodes; nodes--)
			program_loses(from, (lurk_key)key);
	}
	k->screen = (unsigned)(to - sim->screens);
	if (k->plugged)
		queue_event(sim, (struct lurk_port_event){.kind = LURK_PORT_CHANGED,
							  .keyboard = (uint16_t)keyboard,
							  .time_us = sim->now_us});
}

static uint64_t sim_now(struct lurk_port *port)
{
	return sim_of(port)->now_us;
}

static int sim_descriptor(struct lurk_port *port)
{
	(void)port;
	return -1;
}

static const struct lurk_port_class sim_class = {
	.keyboard = sim_keyboard,
	.next = sim_next,
	.stand_in = sim_stand_in,
	.take = sim_take,
	.end_held = sim_end_held,
	.give_back = sim_give_back,
	.listen = sim_listen,
	.send = sim_send,
	.release = sim_release,
	.table_get = sim_table_get,
	.table_set = sim_table_set,
	.is_down = sim_is_down,
	.lit = sim_lit,
	.person = sim_person,
	.slots = sim_slots,
	.slot_read = sim_slot_read,
	.slot_write = sim_slot_write,
	.now = sim_now,
	.elapsed = sim_now,
	.descriptor = sim_descriptor,
};

struct lurk_port *lurk_sim_port(struct lurk_sim *sim)
{
	return &sim->port;
}

void lurk_sim_watch_with(struct lurk_sim *sim, const struct lurk_sim_watch *watch)
{
	sim->watch = *watch;
}

void lurk_sim_plugged_anew(struct lurk_sim *sim)
{
	sim->first = sim->waiting = 0;
	for (unsigned i = 0; i < sim->desk->keyboard_count; i++) {
		struct keyboard *k = &sim->keyboards[i];

		if (k->taken)
			sim_give_back(&sim->port, (uint16_t)i, true);
		k->unread = 0;
		k->stands_in = false;
		memset(k->mine, 0, sizeof k->mine);
		memset(k->hears, 0, sizeof k->hears);
		if (k->plugged)
			queue_event(sim, (struct lurk_port_event){.kind = LURK_PORT_PLUGGED,
								  .keyboard = (uint16_t)i});
	}
}

void lurk_sim_meanwhile(struct lurk_sim *sim, void (*happens)(void *data), void *data)
{
	sim->meanwhile = happens;
	sim->meanwhile_data = data;
}

const char *lurk_sim_folder(const struct lurk_sim *sim)
{
	return sim->folder;
}

bool lurk_sim_anything_down(const struct lurk_sim *sim)
{
	for (unsigned i = 0; i < sim->screen_count; i++) {
		for (unsigned key = 0; key < LURK_KEY_COUNT; key++) {
			if (sim->screens[i].pressed[key])
				return true;
		}
	}
	return false;
}

struct lurk_layout *lurk_sim_layout(struct lurk_sim *sim)
{
	return layout_of(sim, sim->screens);
}

/* ---- State between calls -------------------------------------------------------------------- */

/* "plugged NAME cable|radio PLACE" */
static void load_plug(struct lurk_sim *sim, const char *line)
{
	char name[LURK_LABEL], how[16], place[48];

	if (sscanf(line, "plugged %32s %15s %47[^\n]", name, how, place) != 3)
		return;
	for (unsigned i = 0; i < sim->desk->keyboard_count; i++) {
		struct keyboard *k = &sim->keyboards[i];

		if (strcmp(k->spec->name, name))
			continue;
		k->plugged = true;
		k->by_radio = !strcmp(how, "radio") && k->spec->has_radio;
		snprintf(k->place, sizeof k->place, "%s", place);
		lurk_make_harmless(k->place);
	}
}

static bool load_state(struct lurk_sim *sim)
{
	char path[PATH_MAX], line[160];
	FILE *file;

	snprintf(path, sizeof path, "%s/computer", sim->folder);
	file = fopen(path, "r");
	if (!file)
		return false;
	while (fgets(line, sizeof line, file)) {
		if (sscanf(line, "clock %" SCNu64, &sim->now_us) != 1)
			load_plug(sim, line);
	}
	fclose(file);
	return true;
}

bool lurk_sim_save(const struct lurk_sim *sim, struct lurk_message *message)
{
	char path[PATH_MAX], text[4096];
	size_t n;

	snprintf(path, sizeof path, "%s/computer", sim->folder);
	n = (size_t)snprintf(text, sizeof text, "clock %" PRIu64 "\n", sim->now_us);
	for (unsigned i = 0; i < sim->desk->keyboard_count; i++) {
		const struct keyboard *k = &sim->keyboards[i];

		if (k->plugged)
			n += (size_t)snprintf(text + n, sizeof text - n, "plugged %s %s %s\n",
					      k->spec->name, k->by_radio ? "radio" : "cable",
					      *k->place ? k->place : "desk");
	}
	return lurk_file_write(path, text, n, message);
}

/* One of the desk's own is read at once, since a person wrote it; so is what no file is called. */
static bool find_layout(struct lurk_sim *sim, struct lurk_message *message)
{
	char own[PATH_MAX + 64];

	snprintf(own, sizeof own, "%s/layouts/symbols/%s", sim->folder, sim->desk->layout);
	if (access(own, F_OK) && lurk_layout_is_there(sim->desk->layout))
		return true;
	sim->screens->layout = open_layout(sim, message);
	return sim->screens->layout;
}

struct lurk_sim *lurk_sim_new(const struct lurk_desk *desk, const char *folder,
			      struct lurk_message *message)
{
	struct lurk_sim *sim = lurk_allocate(1, sizeof *sim);
	char path[PATH_MAX];

	sim->port.calls = &sim_class;
	sim->desk = desk;
	sim->now_us = desk->clock_us;
	snprintf(sim->folder, sizeof sim->folder, "%s", folder);
	snprintf(path, sizeof path, "%s/storage", folder);
	if (mkdir(path, 0777) && errno != EEXIST) {
		lurk_say(message, "%s: cannot be made: %s", path, strerror(errno));
		lurk_release(sim);
		return NULL;
	}
	if (!find_layout(sim, message)) {
		lurk_release(sim);
		return NULL;
	}
	sim->screens->person = LURK_NOBODY;
	sim->screen_count = 1;
	for (unsigned i = 0; i < desk->keyboard_count; i++) {
		struct keyboard *k = &sim->keyboards[i];

		k->spec = &desk->keyboards[i];
		snprintf(k->place, sizeof k->place, "%s", k->spec->identity.place);
	}
	if (!load_state(sim)) {
		for (unsigned i = 0; i < desk->keyboard_count; i++)
			sim->keyboards[i].plugged = !desk->keyboards[i].away;
	}
	lurk_sim_boot(sim);
	return sim;
}

void lurk_sim_free(struct lurk_sim *sim)
{
	if (!sim)
		return;
	for (unsigned i = 0; i < sim->screen_count; i++)
		lurk_layout_close(sim->screens[i].layout);
	lurk_release(sim);
}
