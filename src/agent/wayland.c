#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>

#include <glib-unix.h>
#include <wayland-client.h>

#include "agent/display.h"

/* A keymap with four layouts has some 200 KiB. */
enum { KEYMAP_MAX = 4 << 20 };

struct wayland {
	struct wl_display *connection;
	struct wl_registry *registry;
	struct wl_seat *seat;
	struct wl_keyboard *keyboard;
};

/* ---- The keyboard ---------------------------------------------------------------------------- */

static void on_keymap(void *data, struct wl_keyboard *keyboard, uint32_t format, int fd,
		      uint32_t size)
{
	struct display *d = data;
	char *text = MAP_FAILED;
	struct xkb_keymap *keymap = NULL;

	(void)keyboard;
	if (format == WL_KEYBOARD_KEYMAP_FORMAT_XKB_V1 && size && size <= KEYMAP_MAX)
		text = mmap(NULL, size, PROT_READ, MAP_PRIVATE, fd, 0);
	if (text != MAP_FAILED) {
		keymap = xkb_keymap_new_from_buffer(d->context, text, strnlen(text, size),
						    XKB_KEYMAP_FORMAT_TEXT_V1,
						    XKB_KEYMAP_COMPILE_NO_FLAGS);
		munmap(text, size);
	}
	close(fd);
	if (!keymap)
		return;
	display_keymap(d, keymap);
	display_active(d, d->count == 1 ? 0 : desktop_active(d));
}

/* What follows comes to who has the focus: not to us, who have no window. */
static void on_enter(void *data, struct wl_keyboard *k, uint32_t serial, struct wl_surface *s,
		     struct wl_array *keys)
{
	(void)data, (void)k, (void)serial, (void)s, (void)keys;
}

static void on_leave(void *data, struct wl_keyboard *k, uint32_t serial, struct wl_surface *s)
{
	(void)data, (void)k, (void)serial, (void)s;
}

static void on_key(void *data, struct wl_keyboard *k, uint32_t serial, uint32_t time, uint32_t key,
		   uint32_t state)
{
	(void)data, (void)k, (void)serial, (void)time, (void)key, (void)state;
}

static void on_modifiers(void *data, struct wl_keyboard *k, uint32_t serial, uint32_t depressed,
			 uint32_t latched, uint32_t locked, uint32_t group)
{
	(void)k, (void)serial, (void)depressed, (void)latched, (void)locked;
	display_active(data, (int)group);
}

static void on_repeat(void *data, struct wl_keyboard *k, int32_t rate, int32_t delay)
{
	(void)data, (void)k, (void)rate, (void)delay;
}

static const struct wl_keyboard_listener keyboard_listener = {
	.keymap = on_keymap,
	.enter = on_enter,
	.leave = on_leave,
	.key = on_key,
	.modifiers = on_modifiers,
	.repeat_info = on_repeat,
};

/* ---- The seat -------------------------------------------------------------------------------- */

static void on_capabilities(void *data, struct wl_seat *seat, uint32_t capabilities)
{
	struct display *d = data;
	struct wayland *w = d->own;
	const bool has = capabilities & WL_SEAT_CAPABILITY_KEYBOARD;

	if (has && !w->keyboard) {
		w->keyboard = wl_seat_get_keyboard(seat);
		wl_keyboard_add_listener(w->keyboard, &keyboard_listener, d);
	} else if (!has && w->keyboard) {
		wl_keyboard_destroy(w->keyboard);
		w->keyboard = NULL;
	}
}

static void on_name(void *data, struct wl_seat *seat, const char *name)
{
	(void)data, (void)seat, (void)name;
}

static const struct wl_seat_listener seat_listener = {on_capabilities, on_name};

/* The first seat is that of the person here. */
static void on_global(void *data, struct wl_registry *registry, uint32_t name,
		      const char *interface, uint32_t version)
{
	enum { VERSION = 5 };
	struct display *d = data;
	struct wayland *w = d->own;

	if (w->seat || strcmp(interface, wl_seat_interface.name) != 0)
		return;
	w->seat = wl_registry_bind(registry, name, &wl_seat_interface,
				   version < VERSION ? version : VERSION);
	wl_seat_add_listener(w->seat, &seat_listener, d);
}

static void on_global_gone(void *data, struct wl_registry *registry, uint32_t name)
{
	(void)data, (void)registry, (void)name;
}

static const struct wl_registry_listener registry_listener = {on_global, on_global_gone};

/* ---- The connection -------------------------------------------------------------------------- */

static gboolean on_events(int fd, GIOCondition condition, void *data)
{
	struct display *d = data;
	struct wayland *w = d->own;

	(void)fd;
	(void)condition;
	if (wl_display_dispatch(w->connection) >= 0 && wl_display_flush(w->connection) >= 0)
		return G_SOURCE_CONTINUE;
	if (d->gone)
		d->gone(d->data);
	return G_SOURCE_REMOVE;
}

bool wayland_open(struct display *d, char why[256])
{
	struct wayland *w = calloc(1, sizeof *w);

	if (!w)
		abort();
	d->how = "wayland";
	d->own = w;
	w->connection = wl_display_connect(NULL);
	if (!w->connection) {
		snprintf(why, 256, "the compositor at %s does not answer",
			 getenv("WAYLAND_DISPLAY"));
		return false;
	}
	desktop_open(d);
	w->registry = wl_display_get_registry(w->connection);
	wl_registry_add_listener(w->registry, &registry_listener, d);
	/* What there is; the seat's keyboard; its keymap. */
	for (unsigned i = 0; i < 3; i++) {
		if (wl_display_roundtrip(w->connection) < 0) {
			snprintf(why, 256, "the compositor at %s has ended the connection",
				 getenv("WAYLAND_DISPLAY"));
			return false;
		}
	}
	g_unix_fd_add(wl_display_get_fd(w->connection), G_IO_IN | G_IO_HUP | G_IO_ERR, on_events,
		      d);
	return true;
}
