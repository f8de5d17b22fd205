#include "lurk/linux/linux.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <linux/input.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/epoll.h>
#include <sys/stat.h>
#include <sys/timerfd.h>
#include <time.h>
#include <unistd.h>

#include <libudev.h>

#include "core/hot.h"
#include "port/linux/node.h"
#include "port/linux/persons.h"
#include "port/linux/syncing.h"
#include "port/slots.h"

enum { NODES = 8, QUEUE_STEP = 256, MONITOR = 0xffff, WAKING = 0xfffe, PERSONS = 0xfffd };
enum { EVENTS = 16 };
enum { SETTLING_US = 50000 }; /* interfaces of one keyboard come one after the other */

/* Whoever is not in here any more has no rules any more. */
#define USERS "/etc/passwd"

/* Marks another's descriptor among what epoll tells. */
#define OTHERS ((uint64_t)1 << 32)

/* Of these, and of the other large ones, what each key asks stands first: a page or two of it. */
struct keyboard {
	bool used, announced, taken, gone; /* gone: unplugged while taken, not given back yet */
	bool in_use;                       /* it was there before this process */
	unsigned node_count, others_changes;
	unsigned speaker; /* the node whose virtual one speaks for the keyboard while it is taken */
	struct lurk_event_node nodes[NODES];
	uint64_t announce_us;  /* when it is announced, where it is not */
	char device[PATH_MAX]; /* of the physical device, in /sys */
	struct lurk_identity identity;
};

struct lurk_linux {
	struct lurk_port port;
	int epoll, waking; /* waking: a timer that tells when the clock was set, also by sleep */
	bool waited;       /* all that was ready is known: no need to look again */
	/* Keyboards that came and went; keys that were read while one was taken or given back. As
	 * long as it must be: neither a release nor unplugging is ever dropped. */
	struct lurk_port_event *queue;
	unsigned first, waiting, room;
	/* Nodes that have more to read. */
	unsigned ready_count, settling;
	struct ready {
		struct lurk_event_node *node;
		uint16_t keyboard;
	} ready[LURK_LINUX_KEYBOARDS * NODES];
	struct keyboard keyboards[LURK_LINUX_KEYBOARDS];
	char folder[PATH_MAX - 64];
	struct lurk_message trouble; /* what cannot be stored, and why */
	bool untidy; /* an account may be gone since it was looked whose rules are there */
	struct lurk_syncing syncing; /* what is stored, where that is left to a thread */
	struct lurk_record record;
	struct udev *udev;
	struct udev_monitor *monitor;
	struct lurk_persons *persons; /* NULL until it can be had */
	bool udev_runs;
	int64_t slept_ns;                  /* by this machine since it started */
	struct lurk_taken_held *collected; /* what is told as held goes here, for now */
};

static const struct lurk_port_class linux_class;

static bool grow_queue(struct lurk_linux *m)
{
	unsigned room = m->room + QUEUE_STEP;
	struct lurk_port_event *grown = malloc(room * sizeof *grown);

	if (!grown)
		return false;
	for (unsigned i = 0; i < m->waiting; i++)
		grown[i] = m->queue[(m->first + i) % m->room];
	free(m->queue);
	m->queue = grown;
	m->room = room;
	m->first = 0;
	return true;
}

/* Without memory presses are dropped long before anything else: there is room for that. */
static void queue_event(struct lurk_linux *m, const struct lurk_port_event *event)
{
	bool press = event->kind == LURK_PORT_KEY && event->key.state != LURK_UP;

	if (m->waiting + QUEUE_STEP / 2 >= m->room && !grow_queue(m) &&
	    (press || m->waiting == m->room))
		return;
	m->queue[(m->first + m->waiting++) % m->room] = *event;
}

static void queue_kind(struct lurk_linux *m, uint8_t kind, unsigned number)
{
	queue_event(m, &(struct lurk_port_event){.kind = kind,
						 .keyboard = (uint16_t)number,
						 .time_us = lurk_node_now_us()});
}

/* What is read while a keyboard is taken or given back comes before all that is read later. */
struct keeper {
	struct lurk_linux *machine;
	uint16_t number;
};

static void keep_event(void *data, const struct lurk_port_event *event)
{
	struct keeper *keeper = data;
	struct lurk_linux *m = keeper->machine;
	struct lurk_port_event e = *event;

	e.keyboard = keeper->number;
	if (e.kind != LURK_PORT_HELD || !m->collected) {
		queue_event(m, &e);
	} else if (m->collected->count < LURK_TAKEN_HELD) {
		m->collected->gave[m->collected->count] = e.gave;
		m->collected->keys[m->collected->count++] = e.key;
	}
}

/* ---- Which node belongs to which keyboard -----------------------------------------------------
 */

/* The physical thing: the USB device with all its interfaces; but a receiver's keyboards are HID
 * devices below its own, and each is one for itself. */
static struct udev_device *physical_device(struct udev_device *node)
{
	struct udev_device *hid = udev_device_get_parent_with_subsystem_devtype(node, "hid", NULL);
	struct udev_device *above = hid ? udev_device_get_parent(hid) : NULL;
	struct udev_device *usb =
		udev_device_get_parent_with_subsystem_devtype(node, "usb", "usb_device");
	const char *above_subsystem = above ? udev_device_get_subsystem(above) : NULL;
	struct udev_device *serio =
		udev_device_get_parent_with_subsystem_devtype(node, "serio", NULL);

	if (above_subsystem && !strcmp(above_subsystem, "hid"))
		return hid;
	return usb ? usb : hid ? hid : serio ? serio : udev_device_get_parent(node);
}

static void copy_text(char *out, size_t size, const char *text)
{
	snprintf(out, size, "%s", text ? text : "");
	lurk_make_harmless(out);
}

static void identify(struct lurk_identity *identity, struct lurk_event_node *node)
{
	static const uint8_t buses[] = {[BUS_USB] = LURK_BUS_USB,
					[BUS_BLUETOOTH] = LURK_BUS_BLUETOOTH,
					[BUS_I8042] = LURK_BUS_PS2};
	unsigned bus = (unsigned)libevdev_get_id_bustype(node->evdev);
	char *interface;

	memset(identity, 0, sizeof *identity);
	identity->bus = bus < sizeof buses && buses[bus] ? buses[bus] : (uint8_t)LURK_BUS_OTHER;
	identity->wiring = node->wiring;
	identity->built_in = bus == BUS_I8042;
	identity->vendor = (uint16_t)libevdev_get_id_vendor(node->evdev);
	identity->product = (uint16_t)libevdev_get_id_product(node->evdev);
	identity->version = (uint16_t)libevdev_get_id_version(node->evdev);
	copy_text(identity->name, sizeof identity->name, libevdev_get_name(node->evdev));
	copy_text(identity->serial, sizeof identity->serial, libevdev_get_uniq(node->evdev));
	copy_text(identity->place, sizeof identity->place, libevdev_get_phys(node->evdev));
	interface = strstr(identity->place, "/input");
	if (interface)
		*interface = '\0';
}

static struct keyboard *keyboard_of(struct lurk_linux *m, const char *device)
{
	struct keyboard *free_one = NULL;

	for (unsigned i = 0; i < LURK_LINUX_KEYBOARDS; i++) {
		struct keyboard *k = &m->keyboards[i];

		if (k->used && !k->gone && !strcmp(k->device, device))
			return k;
		if (!k->used && !free_one)
			free_one = k;
	}
	if (free_one) {
		memset(free_one, 0, sizeof *free_one);
		free_one->used = true;
		snprintf(free_one->device, sizeof free_one->device, "%s", device);
	}
	return free_one;
}

/* Edge-triggered: whoever is told reads until there is no more, and the kernel need not look again
 * whether there is before it sleeps. */
static void watch(struct lurk_linux *m, int fd, unsigned keyboard, unsigned node, bool lights)
{
	struct epoll_event e = {.events = EPOLLIN | EPOLLET,
				.data.u64 = keyboard << 8 | node << 1 | (lights ? 1U : 0U)};

	epoll_ctl(m->epoll, EPOLL_CTL_ADD, fd, &e);
}

static unsigned number_of(const struct lurk_linux *m, const struct keyboard *k)
{
	return (unsigned)(k - m->keyboards);
}

static uint64_t elapsed_us(void)
{
	struct timespec now;

	clock_gettime(CLOCK_BOOTTIME, &now);
	return (uint64_t)now.tv_sec * 1000000U + (uint64_t)now.tv_nsec / 1000U;
}

static void announce(struct lurk_linux *m, struct keyboard *k)
{
	m->settling -= k->announce_us != 0;
	k->announce_us = 0;
	k->announced = true;
	queue_kind(m, LURK_PORT_PLUGGED, number_of(m, k));
}

/* How many interfaces there may be: once all are here, nothing else is waited for. */
static unsigned interfaces_of(struct udev_device *physical)
{
	const char *count = udev_device_get_sysattr_value(physical, "bNumInterfaces");

	return count ? (unsigned)strtoul(count, NULL, 10) : 1;
}

/* Announced once, with all its interfaces; one that comes later changes it. */
static void arrived(struct lurk_linux *m, struct keyboard *k, struct udev_device *physical)
{
	if (k->announced) {
		queue_kind(m, LURK_PORT_CHANGED, number_of(m, k));
	} else if (k->identity.bus == LURK_BUS_PS2 ||
		   (k->identity.bus == LURK_BUS_USB && k->node_count >= interfaces_of(physical) &&
		    interfaces_of(physical) > 1)) {
		announce(m, k);
	} else {
		m->settling += k->announce_us == 0;
		k->announce_us = elapsed_us() + SETTLING_US;
	}
}

/* Those that had time for all their interfaces; when the next one will have had. */
static uint64_t announce_settled(struct lurk_linux *m)
{
	uint64_t now = m->settling ? elapsed_us() : 0, next = LURK_NEVER;

	for (unsigned i = 0; m->settling && i < LURK_LINUX_KEYBOARDS; i++) {
		struct keyboard *k = &m->keyboards[i];

		if (!k->used || !k->announce_us)
			continue;
		if (k->announce_us <= now)
			announce(m, k);
		else if (k->announce_us < next)
			next = k->announce_us;
	}
	return next;
}

/* N of the inputN that an event node belongs to. */
static unsigned input_number(struct udev_device *device)
{
	struct udev_device *input = udev_device_get_parent(device);
	const char *number = input ? udev_device_get_sysnum(input) : NULL;

	return number ? (unsigned)strtoul(number, NULL, 10) : 0;
}

/* The open node with this path, and its keyboard. */
static struct lurk_event_node *find_node(struct lurk_linux *m, const char *path,
					 struct keyboard **keyboard)
{
	for (unsigned i = 0; i < LURK_LINUX_KEYBOARDS; i++) {
		struct keyboard *k = &m->keyboards[i];

		for (unsigned n = 0; k->used && n < k->node_count; n++) {
			if (k->nodes[n].fd < 0 || strcmp(k->nodes[n].path, path))
				continue;
			*keyboard = k;
			return &k->nodes[n];
		}
	}
	return NULL;
}

/* The node that speaks for the whole keyboard: the one with most keys. */
static unsigned main_node(const struct keyboard *k)
{
	unsigned best = 0, most = 0;

	for (unsigned i = 0; i < k->node_count; i++) {
		unsigned count = lurk_node_key_count(&k->nodes[i]);

		best = count > most ? i : best;
		most = count > most ? count : most;
	}
	return best;
}

/* One that belongs to a keyboard that is taken is taken with it. */
static void join(struct lurk_linux *m, struct keyboard *k, struct lurk_event_node *node)
{
	struct keeper keeper = {m, (uint16_t)number_of(m, k)};

	if (k->taken && !lurk_node_stand_in(node, false) &&
	    !lurk_node_take(node, &(struct lurk_node_keep){keep_event, &keeper})) {
		lurk_node_speak(node);
		watch(m, node->out, number_of(m, k), (unsigned)(node - k->nodes), true);
	}
}

static void add_node(struct lurk_linux *m, struct udev_device *device, bool tell)
{
	const char *path = udev_device_get_devnode(device);
	const char *seat = udev_device_get_property_value(device, "ID_SEAT");
	struct udev_device *physical = physical_device(device);
	struct lurk_event_node node;
	struct keyboard *k;

	if (!path || strncmp(path, "/dev/input/event", 16) || find_node(m, path, &k) ||
	    (m->udev_runs && !udev_device_get_is_initialized(device)) ||
	    lurk_node_open(&node, path, input_number(device), &m->record))
		return;
	if (seat && strcmp(seat, "seat0") != 0)
		copy_text(node.seat, sizeof node.seat, seat);
	k = physical && lurk_node_wanted(&node) ? keyboard_of(m, udev_device_get_syspath(physical))
						: NULL;
	if (!k || k->node_count == NODES) {
		lurk_node_close(&node);
		return;
	}
	if (!k->node_count)
		identify(&k->identity, &node);
	node.interface = (uint8_t)k->node_count;
	k->nodes[k->node_count] = node;
	watch(m, node.fd, number_of(m, k), k->node_count, false);
	k->node_count++;
	if (!tell) {
		k->in_use = true;
		return;
	}
	join(m, k, &k->nodes[k->node_count - 1]);
	arrived(m, k, physical);
}

static void forget(struct lurk_linux *m, struct keyboard *k)
{
	for (unsigned i = 0; i < k->node_count; i++) {
		lurk_node_let_go(&k->nodes[i]);
		lurk_node_stand_down(&k->nodes[i]);
		lurk_node_close(&k->nodes[i]);
	}
	m->settling -= k->announce_us != 0;
	for (unsigned i = 0; i < m->ready_count;) {
		if (m->ready[i].keyboard == number_of(m, k))
			m->ready[i] = m->ready[--m->ready_count];
		else
			i++;
	}
	memset(k, 0, sizeof *k);
}

static void node_gone(struct lurk_linux *m, struct keyboard *k, unsigned node)
{
	bool any = false;

	lurk_record_forget(&m->record, k->nodes[node].input);
	lurk_node_close(&k->nodes[node]);
	for (unsigned i = 0; i < k->node_count; i++)
		any = any || k->nodes[i].fd >= 0;
	if (any || k->gone)
		return;
	if (k->announced)
		queue_kind(m, LURK_PORT_UNPLUGGED, number_of(m, k));
	k->gone = k->taken;
	if (!k->taken)
		forget(m, k);
}

static void remove_node(struct lurk_linux *m, const char *path)
{
	struct keyboard *k;
	struct lurk_event_node *node = find_node(m, path, &k);

	if (node)
		node_gone(m, k, (unsigned)(node - k->nodes));
}

static void changed(struct lurk_linux *m, struct keyboard *k)
{
	if (k->gone || !k->announced)
		return;
	k->others_changes = 0;
	for (unsigned i = 0; i < k->node_count; i++) {
		if (k->nodes[i].fd >= 0)
			k->others_changes += lurk_node_reread(&k->nodes[i]);
	}
	queue_kind(m, LURK_PORT_CHANGED, number_of(m, k));
}

static void change_node(struct lurk_linux *m, const char *path)
{
	struct keyboard *k;

	if (find_node(m, path, &k))
		changed(m, k);
}

/* ---- What happens -----------------------------------------------------------------------------
 */

static RARE void monitor_event(struct lurk_linux *m)
{
	struct udev_device *device = udev_monitor_receive_device(m->monitor);
	const char *action = device ? udev_device_get_action(device) : NULL;
	const char *path = device ? udev_device_get_devnode(device) : NULL;

	if (action && path && !strcmp(action, "add"))
		add_node(m, device, true);
	else if (action && path && !strcmp(action, "remove"))
		remove_node(m, path);
	else if (action && path && !strcmp(action, "change"))
		change_node(m, path);
	if (device)
		udev_device_unref(device);
}

/* How long the machine has slept: what its two clocks differ by. */
static int64_t slept_ns(void)
{
	struct timespec boot, awake;

	clock_gettime(CLOCK_BOOTTIME, &boot);
	clock_gettime(CLOCK_MONOTONIC, &awake);
	return (boot.tv_sec - awake.tv_sec) * INT64_C(1000000000) + boot.tv_nsec - awake.tv_nsec;
}

/* A timer that never comes, but tells when the clock was set: that also happens on waking up. */
static void arm_waking(struct lurk_linux *m)
{
	const struct itimerspec never = {.it_value = {.tv_sec = INT32_MAX}};

	timerfd_settime(m->waking, TFD_TIMER_ABSTIME | TFD_TIMER_CANCEL_ON_SET, &never, NULL);
	m->slept_ns = slept_ns();
}

static RARE void clock_was_set(struct lurk_linux *m)
{
	const int64_t second_ns = 1000000000;
	bool slept = slept_ns() - m->slept_ns > second_ns / 10;
	uint64_t expired;

	if (read(m->waking, &expired, sizeof expired) < 0)
		errno = 0; /* cancelled, which is what it is for */
	arm_waking(m);
	for (unsigned i = 0; slept && i < LURK_LINUX_KEYBOARDS; i++) {
		if (m->keyboards[i].used)
			changed(m, &m->keyboards[i]);
	}
}

static void happened(struct lurk_linux *m, uint32_t what)
{
	unsigned number = what >> 8, index = (what & 0xff) >> 1;
	struct lurk_event_node *node;

	if (what == MONITOR) {
		monitor_event(m);
		return;
	}
	if (what == WAKING) {
		clock_was_set(m);
		return;
	}
	if (what == PERSONS) {
		lurk_persons_read(m->persons);
		m->untidy = true;
		queue_kind(m, LURK_PORT_PERSONS, 0);
		return;
	}
	if (!m->keyboards[number].used || index >= m->keyboards[number].node_count)
		return; /* forgotten by what came before in this round */
	node = &m->keyboards[number].nodes[index];
	if (what & 1) {
		lurk_node_hear_programs(node);
	} else if (node->fd >= 0) {
		node->more = true;
		if (!node->queued)
			m->ready[m->ready_count++] = (struct ready){node, (uint16_t)number};
		node->queued = true;
	}
}

static void leave_ready(struct lurk_linux *m, struct lurk_event_node *node)
{
	m->ready_count--;
	node->queued = false;
}

/* The node that was asked last has no more, or is gone. False where what that has led to comes
 * next. Apart, since a key on its way needs none of it. */
static RARE bool node_ends(struct lurk_linux *m, const struct ready *last, enum lurk_node_read read)
{
	struct keyboard *k = &m->keyboards[last->keyboard];
	struct lurk_event_node *node = last->node;
	struct keeper keeper = {m, last->keyboard};

	if (read == LURK_NODE_NOTHING && node->moved)
		lurk_node_tidy(node, &(struct lurk_node_keep){keep_event, &keeper});
	leave_ready(m, node);
	if (read == LURK_NODE_GONE) {
		node_gone(m, k, (unsigned)(node - k->nodes));
		return false;
	}
	return !m->waiting; /* read while it was tidied */
}

/* The next key of the nodes that have any. One whose last event that was is not asked again. */
static bool next_key(struct lurk_linux *m, struct lurk_port_event *event)
{
	while (m->ready_count) {
		const struct ready *last = &m->ready[m->ready_count - 1];
		enum lurk_node_read read = lurk_node_next(last->node, event);

		if (read == LURK_NODE_EVENT) {
			event->keyboard = last->keyboard;
			if (lurk_node_is_read(last->node))
				leave_ready(m, last->node);
			return true;
		}
		if (!node_ends(m, last, read))
			return false;
	}
	return false;
}

/* Returns false where nothing happened at all on the machine; much that does is no event for the
 * session. */
static HOT __attribute__((noinline)) bool poll_once(struct lurk_linux *m, int timeout,
						    void (*ready)(void *data, int fd), void *data)
{
	struct epoll_event events[EVENTS];
	int n = epoll_wait(m->epoll, events, EVENTS, timeout);
	bool any = false;

	for (int i = 0; i < n; i++) {
		if (events[i].data.u64 & OTHERS)
			continue;
		happened(m, events[i].data.u32);
		any = true;
	}
	for (int i = 0; ready && i < n; i++) {
		if (events[i].data.u64 & OTHERS)
			ready(data, (int)(uint32_t)events[i].data.u64);
	}
	return any;
}

void lurk_linux_add(struct lurk_linux *machine, int fd)
{
	struct epoll_event e = {.events = EPOLLIN, .data.u64 = OTHERS | (uint32_t)fd};

	epoll_ctl(machine->epoll, EPOLL_CTL_ADD, fd, &e);
}

/* Rounded up: too early would be for nothing. */
static int timeout_ms(uint64_t until_us)
{
	uint64_t now = until_us == LURK_NEVER ? 0 : elapsed_us(), left;

	if (until_us == LURK_NEVER)
		return -1;
	left = until_us > now ? (until_us - now + 999) / 1000 : 0;
	return left < INT_MAX ? (int)left : INT_MAX;
}

HOT void lurk_linux_wait(struct lurk_linux *machine, uint64_t until_us,
			 void (*ready)(void *data, int fd), void *data)
{
	uint64_t settled_us = machine->settling ? announce_settled(machine) : LURK_NEVER;

	if (machine->waiting) /* one had its time just now: nobody sleeps over that */
		until_us = 0;
	poll_once(machine, timeout_ms(settled_us < until_us ? settled_us : until_us), ready, data);
	machine->waited = true;
}

/* ---- The port ---------------------------------------------------------------------------------
 */

static struct lurk_linux *machine_of(struct lurk_port *port)
{
	return (struct lurk_linux *)port;
}

static struct keyboard *here(struct lurk_port *port, uint16_t number)
{
	struct keyboard *k =
		number < LURK_LINUX_KEYBOARDS ? &machine_of(port)->keyboards[number] : NULL;

	return k && k->used && !k->gone ? k : NULL;
}

static bool linux_keyboard(struct lurk_port *port, uint16_t number, struct lurk_port_keyboard *out)
{
	const struct keyboard *k = here(port, number);

	if (!k)
		return false;
	memset(out, 0, sizeof *out);
	out->identity = k->identity;
	out->others_changes = (uint16_t)k->others_changes;
	out->in_use = k->in_use;
	for (unsigned i = 0; i < k->node_count; i++) {
		const struct lurk_event_node *node = &k->nodes[i];

		out->table_entries = (uint16_t)(out->table_entries + node->table_entries);
		out->locks |= lurk_node_locks(node);
		out->scans = out->scans || node->scans;
		if (*node->seat)
			memcpy(out->seat, node->seat, sizeof out->seat);
		for (unsigned key = 1; node->evdev && key < LURK_KEY_COUNT; key++) {
			if (libevdev_has_event_code(node->evdev, EV_KEY, key))
				out->declares[key / 8] |= (uint8_t)(1U << key % 8);
		}
	}
	return true;
}

/* What came otherwise than by a node. Apart, since a key on its way needs none of it. */
static RARE bool take_waiting(struct lurk_linux *m, struct lurk_port_event *event)
{
	if (m->settling)
		announce_settled(m);
	if (!m->waiting)
		return false;
	*event = m->queue[m->first];
	m->first = (m->first + 1) % m->room;
	m->waiting--;
	return true;
}

static HOT bool linux_next(struct lurk_port *port, struct lurk_port_event *event)
{
	struct lurk_linux *m = machine_of(port);

	for (;;) {
		bool looked;

		if ((m->settling || m->waiting) && take_waiting(m, event))
			return true;
		if (next_key(m, event))
			return true;
		if (m->waiting)
			continue; /* a node has gone */
		looked = m->waited;
		m->waited = false;
		if (looked || !poll_once(m, 0, NULL, NULL))
			return false;
	}
}

static enum lurk_error linux_stand_in(struct lurk_port *port, uint16_t number)
{
	struct keyboard *k = here(port, number);
	enum lurk_error error = LURK_OK;
	bool fresh;

	if (!k)
		return LURK_ERR_GONE;
	fresh = true;
	for (unsigned i = 0; i < k->node_count; i++)
		fresh = fresh && !k->nodes[i].virtual;
	k->speaker = fresh ? main_node(k) : k->speaker;
	for (unsigned i = 0; i < k->node_count && !error; i++)
		error = lurk_node_stand_in(&k->nodes[i], i == k->speaker);
	return error;
}

static void set_free(struct lurk_linux *m, struct keyboard *k)
{
	for (unsigned i = 0; i < k->node_count; i++) {
		lurk_node_let_go(&k->nodes[i]);
		if (k->nodes[i].out >= 0)
			epoll_ctl(m->epoll, EPOLL_CTL_DEL, k->nodes[i].out, NULL);
	}
	k->taken = false;
}

static bool any_down(const struct keyboard *k)
{
	for (unsigned i = 0; i < k->node_count; i++) {
		if (k->nodes[i].fd >= 0 && lurk_node_any_down(&k->nodes[i]))
			return true;
	}
	return false;
}

static enum lurk_error linux_take(struct lurk_port *port, uint16_t number, bool at_once,
				  struct lurk_taken_held *held)
{
	struct lurk_linux *m = machine_of(port);
	struct keyboard *k = here(port, number);
	struct keeper keeper = {m, number};
	const struct lurk_node_keep keep = {keep_event, &keeper};
	enum lurk_error error = LURK_OK;

	memset(held, 0, sizeof *held);
	if (!k)
		return LURK_ERR_GONE;
	if (k->taken)
		return LURK_OK;
	if (!at_once && any_down(k))
		return LURK_ERR_WAIT;
	m->collected = held;
	for (unsigned i = 0; i < k->node_count && !error; i++) {
		struct lurk_event_node *node = &k->nodes[i];

		if (node->fd < 0)
			continue;
		error = node->virtual ? lurk_node_take(node, &keep) : LURK_ERR_NO_RELAY;
		if (error)
			break;
		lurk_node_speak(node);
		watch(m, node->out, number, i, true);
	}
	m->collected = NULL;
	k->taken = true;
	if (error)
		set_free(m, k);
	return error;
}

static bool keys_wait(const struct lurk_linux *m, uint16_t number)
{
	for (unsigned i = 0; i < m->waiting; i++) {
		const struct lurk_port_event *e = &m->queue[(m->first + i) % m->room];

		if (e->keyboard == number &&
		    ((e->kind == LURK_PORT_KEY && !e->passed) || e->kind == LURK_PORT_HELD))
			return true;
	}
	return false;
}

static enum lurk_error linux_end_held(struct lurk_port *port, uint16_t number)
{
	struct lurk_linux *m = machine_of(port);
	struct keyboard *k = here(port, number);
	struct keeper keeper = {m, number};
	enum lurk_error error = LURK_OK;

	if (!k || !k->taken)
		return LURK_ERR_GONE;
	if (keys_wait(m, number))
		return LURK_ERR_WAIT;
	for (unsigned i = 0; i < k->node_count && !error; i++) {
		if (k->nodes[i].fd >= 0)
			error = lurk_node_end_held(&k->nodes[i],
						   &(struct lurk_node_keep){keep_event, &keeper});
	}
	return error;
}

/* One node after the other; where one cannot be given, those before are taken again. */
static enum lurk_error give_all_back(struct lurk_linux *m, struct keyboard *k, uint16_t number)
{
	struct keeper keeper = {m, number};
	const struct lurk_node_keep keep = {keep_event, &keeper};

	for (unsigned i = 0; i < k->node_count; i++) {
		if (k->nodes[i].fd >= 0 && k->nodes[i].down)
			return LURK_ERR_WAIT;
	}
	for (unsigned i = 0; i < k->node_count; i++) {
		if (k->nodes[i].fd < 0 || lurk_node_give_back(&k->nodes[i], &keep) == LURK_OK)
			continue;
		while (i--) {
			if (k->nodes[i].fd >= 0)
				lurk_node_take(&k->nodes[i], &keep);
		}
		return LURK_ERR_WAIT;
	}
	return LURK_OK;
}

/* The stand-in releases what is down on it, and stays. */
static void silence(struct keyboard *k)
{
	struct lurk_event_node *node = &k->nodes[k->speaker];

	for (lurk_key key = lurk_key_next(0); node->virtual && key; key = lurk_key_next(key))
		lurk_node_send(node, &(struct lurk_stroke){key, LURK_UP}, 1, false);
}

static enum lurk_error linux_give_back(struct lurk_port *port, uint16_t number, bool at_once)
{
	struct lurk_linux *m = machine_of(port);
	struct keyboard *k = number < LURK_LINUX_KEYBOARDS ? &m->keyboards[number] : NULL;

	if (!k || !k->used || !k->taken)
		return LURK_ERR_GONE;
	if (!at_once && !k->gone) {
		if (keys_wait(m, number))
			return LURK_ERR_WAIT;
		if (give_all_back(m, k, number) == LURK_ERR_WAIT)
			return LURK_ERR_WAIT;
	}
	if (at_once && !k->gone)
		silence(k);
	set_free(m, k);
	if (k->gone)
		forget(m, k);
	return LURK_OK;
}

static void linux_listen(struct lurk_port *port, uint16_t number, const lurk_key *keys,
			 unsigned count)
{
	struct keyboard *k = here(port, number);

	for (unsigned i = 0; k && i < k->node_count; i++)
		lurk_node_listen(&k->nodes[i], keys, count);
}

static enum lurk_error linux_send(struct lurk_port *port, const struct lurk_frame *frame)
{
	struct lurk_linux *m = machine_of(port);
	struct keyboard *k =
		frame->keyboard < LURK_LINUX_KEYBOARDS ? &m->keyboards[frame->keyboard] : NULL;

	if (!k || !k->used)
		return LURK_ERR_GONE;
	if (!k->nodes[k->speaker].virtual)
		return LURK_ERR_NO_RELAY;
	return lurk_node_send(&k->nodes[k->speaker], frame->strokes, frame->count, frame->typed)
		       ? LURK_OK
		       : LURK_ERR_PORT;
}

/* The node that a table index falls into, and the index within it. */
static struct lurk_event_node *entry_node(struct keyboard *k, uint16_t *index)
{
	for (unsigned i = 0; i < k->node_count; i++) {
		if (*index < k->nodes[i].table_entries)
			return &k->nodes[i];
		*index = (uint16_t)(*index - k->nodes[i].table_entries);
	}
	return NULL;
}

static enum lurk_error linux_table_get(struct lurk_port *port, uint16_t number, uint16_t index,
				       struct lurk_table_entry *entry)
{
	struct keyboard *k = here(port, number);
	const struct lurk_event_node *node;

	if (!k)
		return LURK_ERR_GONE;
	node = entry_node(k, &index);
	if (!node)
		return LURK_ERR_PORT;
	entry->scan = node->table[index].scan;
	entry->original = node->table[index].original;
	entry->key = node->table[index].now;
	return LURK_OK;
}

static enum lurk_error linux_table_set(struct lurk_port *port, uint16_t number, uint16_t index,
				       lurk_key key)
{
	struct keyboard *k = here(port, number);
	struct lurk_event_node *node;

	if (!k)
		return LURK_ERR_GONE;
	node = entry_node(k, &index);
	return node ? lurk_node_set(node, index, key) : LURK_ERR_PORT;
}

static enum lurk_error linux_release(struct lurk_port *port, uint16_t number, uint16_t index)
{
	struct keyboard *k = here(port, number);
	struct keeper keeper = {machine_of(port), number};
	struct lurk_event_node *node;
	lurk_codes codes = {0};
	bool written;

	if (!k)
		return LURK_ERR_GONE;
	node = entry_node(k, &index);
	if (!node || node->table[index].now >= KEY_CNT)
		return LURK_ERR_PORT;
	lurk_codes_put(codes, node->table[index].now, true);
	lurk_codes_put(node->ended, node->table[index].now, true); /* not for our own ears */
	written = lurk_node_write(node, codes, false);
	lurk_node_read_all(node, &(struct lurk_node_keep){keep_event, &keeper});
	return written ? LURK_OK : LURK_ERR_PORT;
}

static bool linux_is_down(struct lurk_port *port, uint16_t number, uint16_t index)
{
	struct keyboard *k = here(port, number);
	struct lurk_event_node *node = k ? entry_node(k, &index) : NULL;

	return node && lurk_node_is_down(node, node->table[index].now);
}

static uint8_t linux_lit(struct lurk_port *port, uint16_t number)
{
	struct keyboard *k = here(port, number);
	uint8_t lit = 0;

	for (unsigned i = 0; k && i < k->node_count; i++)
		lit |= lurk_node_lit(&k->nodes[i]);
	return lit;
}

static unsigned linux_slots(struct lurk_port *port, size_t *size)
{
	(void)port;
	*size = LURK_LINUX_SLOT_SIZE;
	return LURK_LINUX_SLOTS;
}

static const char *linux_trouble(struct lurk_port *port)
{
	return machine_of(port)->trouble.text;
}

/* Asked for again where it could not be had before: it may start after this process. */
static void watch_persons(struct lurk_linux *m)
{
	struct epoll_event e = {.events = EPOLLIN, .data.u64 = PERSONS};

	if (m->persons)
		return;
	m->persons = lurk_persons_open();
	if (m->persons)
		epoll_ctl(m->epoll, EPOLL_CTL_ADD, lurk_persons_descriptor(m->persons), &e);
}

static uint32_t linux_person(struct lurk_port *port, const char *seat)
{
	watch_persons(machine_of(port));
	return lurk_person_at(seat);
}

static void note_trouble(struct lurk_linux *m, enum lurk_error error)
{
	if (error)
		lurk_say(&m->trouble, "%s: %s", m->folder, lurk_error_text(error));
	else
		*m->trouble.text = '\0';
}

/* Who comes to a screen is not given what an account that is gone has left; and where only somebody
 * leaves one, no disk is asked. */
static enum lurk_error linux_slot_read(struct lurk_port *port, uint32_t owner, unsigned slot,
				       uint8_t *bytes, size_t size, size_t *length)
{
	struct lurk_linux *m = machine_of(port);
	char folder[PATH_MAX];

	if (m->untidy && owner != LURK_NOBODY) {
		m->untidy = false;
		lurk_slots_tidy(m->folder, USERS);
	}
	return lurk_slots_read(lurk_slots_of(m->folder, owner, folder), slot, bytes, size, length);
}

/* One slot that is in the way is not the disk's trouble. */
static enum lurk_error linux_slot_write(struct lurk_port *port, uint32_t owner, unsigned slot,
					const uint8_t *bytes, size_t length)
{
	struct lurk_linux *m = machine_of(port);
	const struct lurk_slots_place place = {m->folder, owner, USERS};
	const enum lurk_error error =
		m->syncing.ended >= 0 ? lurk_syncing_write(&m->syncing, &place, slot, bytes, length)
				      : lurk_slots_write(&place, slot, bytes, length, length, NULL);

	if (error != LURK_ERR_FOREIGN && error != LURK_ERR_DENIED)
		note_trouble(m, error);
	return error;
}

int lurk_linux_store_later(struct lurk_linux *machine)
{
	lurk_syncing_open(&machine->syncing);
	return machine->syncing.ended;
}

bool lurk_linux_storing(const struct lurk_linux *machine)
{
	return lurk_syncing_now(&machine->syncing);
}

bool lurk_linux_stored(struct lurk_linux *machine, struct lurk_linux_stored *what)
{
	if (!lurk_syncing_ended(&machine->syncing, what))
		return false;
	if (what->error)
		note_trouble(machine, what->error);
	return true;
}

static uint64_t linux_now(struct lurk_port *port)
{
	(void)port;
	return lurk_node_now_us();
}

static uint64_t linux_elapsed(struct lurk_port *port)
{
	(void)port;
	return elapsed_us();
}

static int linux_descriptor(struct lurk_port *port)
{
	return machine_of(port)->epoll;
}

static const struct lurk_port_class linux_class = {
	.keyboard = linux_keyboard,
	.next = linux_next,
	.stand_in = linux_stand_in,
	.take = linux_take,
	.end_held = linux_end_held,
	.give_back = linux_give_back,
	.listen = linux_listen,
	.send = linux_send,
	.release = linux_release,
	.table_get = linux_table_get,
	.table_set = linux_table_set,
	.is_down = linux_is_down,
	.lit = linux_lit,
	.trouble = linux_trouble,
	.person = linux_person,
	.slots = linux_slots,
	.slot_read = linux_slot_read,
	.slot_write = linux_slot_write,
	.now = linux_now,
	.elapsed = linux_elapsed,
	.descriptor = linux_descriptor,
};

struct lurk_port *lurk_linux_port(struct lurk_linux *machine)
{
	return &machine->port;
}

/* ---- Opening ----------------------------------------------------------------------------------
 */

static void find_keyboards(struct lurk_linux *m)
{
	struct udev_enumerate *all = udev_enumerate_new(m->udev);
	struct udev_list_entry *entry;

	udev_enumerate_add_match_subsystem(all, "input");
	udev_enumerate_scan_devices(all);
	udev_list_entry_foreach(entry, udev_enumerate_get_list_entry(all))
	{
		struct udev_device *device =
			udev_device_new_from_syspath(m->udev, udev_list_entry_get_name(entry));

		if (device)
			add_node(m, device, false);
		udev_device_unref(device);
	}
	udev_enumerate_unref(all);
	for (unsigned i = 0; i < LURK_LINUX_KEYBOARDS; i++) {
		if (m->keyboards[i].used)
			announce(m, &m->keyboards[i]);
	}
}

/* One that is for the service alone, in one that may be for all: where systemd makes none, nobody
 * does. */
static void make_folder(const char *path)
{
	const char *last = strrchr(path, '/');
	char *above = strndup(path, last ? (size_t)(last - path) : 0);

	if (above && *above && !mkdir(above, 0755))
		chmod(above, 0755);
	mkdir(path, 0700);
	free(above);
}

struct lurk_linux *lurk_linux_new(const char *folder, const char *memory,
				  struct lurk_message *message)
{
	struct lurk_linux *m = calloc(1, sizeof *m);
	/* Where udev runs its events come after its own rules have written the table; where it does
	 * not there are only the kernel's. */
	bool udev_runs = access("/run/udev/control", F_OK) == 0;
	struct epoll_event e = {.events = EPOLLIN, .data.u64 = MONITOR};
	struct epoll_event wake = {.events = EPOLLIN, .data.u64 = WAKING};
	int error;

	if (!m) {
		lurk_say(message, "no memory");
		return NULL;
	}
	m->record.fd = m->syncing.ended = -1;
	m->port.calls = &linux_class;
	m->udev_runs = udev_runs;
	snprintf(m->folder, sizeof m->folder, "%s", folder);
	m->epoll = epoll_create1(EPOLL_CLOEXEC);
	m->udev = udev_new();
	m->monitor = m->udev ? udev_monitor_new_from_netlink(m->udev, udev_runs ? "udev" : "kernel")
			     : NULL;
	m->waking = timerfd_create(CLOCK_REALTIME, TFD_CLOEXEC | TFD_NONBLOCK);
	if (m->epoll < 0 || m->waking < 0 || !m->monitor) {
		lurk_say(message, "cannot start: %s", strerror(errno));
		lurk_linux_free(m);
		return NULL;
	}
	/* Where nothing can be stored rules are in force all the same. */
	error = lurk_slots_probe(folder);
	if (error)
		lurk_say(&m->trouble, "%s: %s", folder, strerror(error));
	if (memory)
		make_folder(memory);
	lurk_record_open(&m->record, memory ? memory : folder);
	lurk_slots_tidy(folder, USERS);
	udev_monitor_filter_add_match_subsystem_devtype(m->monitor, "input", NULL);
	udev_monitor_enable_receiving(m->monitor);
	epoll_ctl(m->epoll, EPOLL_CTL_ADD, udev_monitor_get_fd(m->monitor), &e);
	epoll_ctl(m->epoll, EPOLL_CTL_ADD, m->waking, &wake);
	arm_waking(m);
	find_keyboards(m);
	return m;
}

void lurk_linux_free(struct lurk_linux *machine)
{
	if (!machine)
		return;
	for (unsigned i = 0; i < LURK_LINUX_KEYBOARDS; i++) {
		if (machine->keyboards[i].used)
			forget(machine, &machine->keyboards[i]);
	}
	lurk_syncing_close(&machine->syncing);
	free(machine->queue);
	if (machine->monitor)
		udev_monitor_unref(machine->monitor);
	if (machine->udev)
		udev_unref(machine->udev);
	if (machine->waking >= 0)
		close(machine->waking);
	if (machine->persons)
		lurk_persons_close(machine->persons);
	if (machine->epoll >= 0)
		close(machine->epoll);
	lurk_record_close(&machine->record);
	free(machine);
}
