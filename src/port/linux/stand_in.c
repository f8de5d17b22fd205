/* The virtual node that speaks for a keyboard while it is taken. It is made when that is plugged
 * in, so that programs have it open long before it is needed, and goes with it. */
#include <errno.h>
#include <fcntl.h>
#include <linux/uinput.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "core/hot.h"
#include "port/linux/node.h"

/* By this in their place ours are told from all others; "virtual" alone says nothing, since
 * Bluetooth keyboards are virtual too. Their name and numbers are the source's: what a person has
 * set for that keyboard holds for what speaks for it. */
static const char own_phys[] = "lurk/relay";

bool lurk_node_is_own(const char *phys)
{
	return phys && !strncmp(phys, own_phys, sizeof own_phys - 1);
}

static bool write_events(int fd, struct input_event *events, unsigned count)
{
	events[count++] = (struct input_event){.type = EV_SYN, .code = SYN_REPORT};
	return write(fd, events, count * sizeof *events) == (ssize_t)(count * sizeof *events);
}

static void enable_as(struct libevdev *like, const struct lurk_event_node *node, unsigned type)
{
	for (int code = 0; code <= libevdev_event_type_get_max(type); code++) {
		if (libevdev_has_event_code(node->evdev, type, (unsigned)code))
			libevdev_enable_event_code(
				like, type, (unsigned)code,
				type == EV_ABS ? libevdev_get_abs_info(node->evdev, (unsigned)code)
					       : NULL);
	}
}

static struct libevdev *describe(const struct lurk_event_node *node, bool every_key)
{
	struct libevdev *like = libevdev_new();
	char name[UINPUT_MAX_NAME_SIZE];

	if (!like)
		return NULL;
	snprintf(name, sizeof name, "%s", libevdev_get_name(node->evdev));
	libevdev_set_name(like, name);
	libevdev_set_id_bustype(like, libevdev_get_id_bustype(node->evdev));
	libevdev_set_id_vendor(like, libevdev_get_id_vendor(node->evdev));
	libevdev_set_id_product(like, libevdev_get_id_product(node->evdev));
	libevdev_set_id_version(like, libevdev_get_id_version(node->evdev));
	for (unsigned type = EV_KEY; type < EV_CNT; type++) {
		if (type != EV_FF && type != EV_PWR && type != EV_REP &&
		    libevdev_has_event_type(node->evdev, type))
			enable_as(like, node, type);
	}
	for (lurk_key key = lurk_key_next(0); every_key && key; key = lurk_key_next(key))
		libevdev_enable_event_code(like, EV_KEY, key, NULL);
	/* A key that the table has taken off the source is there all the same. */
	for (unsigned i = 0; i < node->table_entries; i++) {
		if (node->table[i].original && node->table[i].original < KEY_CNT)
			libevdev_enable_event_code(like, EV_KEY, node->table[i].original, NULL);
	}
	if (libevdev_has_event_type(node->evdev, EV_REP))
		libevdev_enable_event_type(like, EV_REP);
	return like;
}

/* The place, with the source's node: by that udev's rules give the virtual one what it knows of the
 * source, its seat first of all. */
static const char *place(const struct lurk_event_node *node, char out[64])
{
	const char *slash = strrchr(node->path, '/');

	snprintf(out, 64, "%s %.40s", own_phys, slash ? slash + 1 : node->path);
	return out;
}

enum lurk_error lurk_node_stand_in(struct lurk_event_node *node, bool every_key)
{
	struct libevdev *like;
	char phys[64];
	int fd, error;

	if (node->virtual || node->fd < 0)
		return LURK_OK;
	fd = open("/dev/uinput", O_RDWR | O_NONBLOCK | O_CLOEXEC);
	if (fd < 0)
		return errno == EACCES || errno == EPERM ? LURK_ERR_DENIED : LURK_ERR_NO_RELAY;
	like = describe(node, every_key);
	error = !like || ioctl(fd, UI_SET_PHYS, place(node, phys)) < 0
			? EIO
			: -libevdev_uinput_create_from_device(like, fd, &node->virtual);
	libevdev_free(like);
	if (error) {
		close(fd);
		return LURK_ERR_PORT;
	}
	node->out = fd;
	return LURK_OK;
}

void lurk_node_stand_down(struct lurk_event_node *node)
{
	if (!node->virtual)
		return;
	libevdev_uinput_destroy(node->virtual);
	close(node->out);
	node->virtual = NULL;
	node->out = -1;
}

void lurk_node_speak(struct lurk_event_node *node)
{
	unsigned rate[2];
	struct input_event events[3] = {{.type = EV_REP, .code = REP_DELAY},
					{.type = EV_REP, .code = REP_PERIOD}},
			   old;

	if (!node->virtual)
		return;
	node->repeat_ms = 0;
	node->typed = false;
	if (ioctl(node->fd, EVIOCGREP, rate) >= 0) {
		events[0].value = node->repeat_ms = (int)rate[0];
		events[1].value = (int)rate[1];
		write_events(node->out, events, 2);
	}
	while (read(node->out, &old, sizeof old) == sizeof old)
		; /* what programs set while it was silent, they set on the source as well */
}

void lurk_node_hear_programs(struct lurk_event_node *node)
{
	struct input_event e[2];

	while (node->virtual && read(node->out, e, sizeof *e) == sizeof *e) {
		if (e->type == EV_LED && node->fd >= 0 && node->taken)
			write_events(node->fd, e, 1);
		else if (e->type == EV_REP && e->code == REP_DELAY && e->value > 0)
			node->repeat_ms = e->value;
	}
}

HOT bool lurk_node_send(struct lurk_event_node *node, const struct lurk_stroke *strokes,
			unsigned count, bool typed)
{
	struct input_event events[LURK_FRAME_STROKES + 2], *e = events;

	if (node->repeat_ms && typed != node->typed) {
		*e++ = (struct input_event){
			.type = EV_REP, .code = REP_DELAY, .value = typed ? 0 : node->repeat_ms};
		node->typed = typed;
	}
	for (unsigned i = 0; i < count; i++)
		*e++ = (struct input_event){
			.type = EV_KEY, .code = strokes[i].key, .value = strokes[i].state};
	return write_events(node->out, events, (unsigned)(e - events));
}

void lurk_node_pass_on(struct lurk_event_node *node, const struct input_event *event)
{
	if (node->virtual)
		libevdev_uinput_write_event(node->virtual, event->type, event->code, event->value);
}
