#include <stdio.h>
#include <stdlib.h>

#include <glib-unix.h>
#include <xcb/xcb.h>
/* Its header has a member of that name. */
#define explicit explicit_
#include <xcb/xkb.h>
#undef explicit
#include <xkbcommon/xkbcommon-x11.h>

#include "agent/display.h"

struct x11 {
	xcb_connection_t *connection;
	uint8_t first_event;
};

/* The core keyboard is what all keyboards together are to programs: that of whichever was used
 * last. */
static bool read_keyboard(struct display *d)
{
	struct x11 *x = d->own;
	const int32_t device = xkb_x11_get_core_keyboard_device_id(x->connection);
	struct xkb_keymap *keymap =
		device < 0 ? NULL
			   : xkb_x11_keymap_new_from_device(d->context, x->connection, device,
							    XKB_KEYMAP_COMPILE_NO_FLAGS);
	struct xkb_state *state =
		keymap ? xkb_x11_state_new_from_device(keymap, x->connection, device) : NULL;
	xkb_layout_index_t active;

	if (!state) {
		xkb_keymap_unref(keymap);
		return false;
	}
	active = xkb_state_serialize_layout(state, XKB_STATE_LAYOUT_EFFECTIVE);
	xkb_state_unref(state);
	display_keymap(d, keymap);
	display_active(d, (int)active);
	return true;
}

static void select_events(struct x11 *x)
{
	const xcb_xkb_select_events_details_t details = {
		.affectNewKeyboard = XCB_XKB_NKN_DETAIL_KEYCODES,
		.newKeyboardDetails = XCB_XKB_NKN_DETAIL_KEYCODES,
		.affectState = XCB_XKB_STATE_PART_GROUP_STATE,
		.stateDetails = XCB_XKB_STATE_PART_GROUP_STATE,
	};
	const uint16_t events = XCB_XKB_EVENT_TYPE_NEW_KEYBOARD_NOTIFY |
				XCB_XKB_EVENT_TYPE_MAP_NOTIFY | XCB_XKB_EVENT_TYPE_STATE_NOTIFY;
	const uint16_t parts = XCB_XKB_MAP_PART_KEY_TYPES | XCB_XKB_MAP_PART_KEY_SYMS |
			       XCB_XKB_MAP_PART_MODIFIER_MAP | XCB_XKB_MAP_PART_VIRTUAL_MODS;

	xcb_xkb_select_events_aux(x->connection, XCB_XKB_ID_USE_CORE_KBD, events, 0, 0, parts,
				  parts, &details);
	xcb_flush(x->connection);
}

static gboolean on_events(int fd, GIOCondition condition, void *data)
{
	struct display *d = data;
	struct x11 *x = d->own;
	xcb_generic_event_t *event;
	bool keymap = false, state = false;

	(void)fd;
	(void)condition;
	while ((event = xcb_poll_for_event(x->connection))) {
		if ((event->response_type & 0x7f) == x->first_event) {
			const bool is_state = event->pad0 == XCB_XKB_STATE_NOTIFY;

			if (is_state)
				display_active(d, ((xcb_xkb_state_notify_event_t *)event)->group);
			state = state || is_state;
			keymap = keymap || !is_state;
		}
		free(event);
	}
	/* Many tell of one change. */
	if (keymap && !xcb_connection_has_error(x->connection))
		read_keyboard(d);
	if (!xcb_connection_has_error(x->connection))
		return G_SOURCE_CONTINUE;
	if (d->gone)
		d->gone(d->data);
	return G_SOURCE_REMOVE;
}

bool x11_open(struct display *d, char why[256])
{
	struct x11 *x = calloc(1, sizeof *x);

	if (!x)
		abort();
	d->how = "x11";
	d->own = x;
	x->connection = xcb_connect(NULL, NULL);
	if (xcb_connection_has_error(x->connection) ||
	    !xkb_x11_setup_xkb_extension(
		    x->connection, XKB_X11_MIN_MAJOR_XKB_VERSION, XKB_X11_MIN_MINOR_XKB_VERSION,
		    XKB_X11_SETUP_XKB_EXTENSION_NO_FLAGS, NULL, NULL, &x->first_event, NULL)) {
		snprintf(why, 256, "the X server at %s does not answer", getenv("DISPLAY"));
		return false;
	}
	select_events(x);
	if (!read_keyboard(d)) {
		snprintf(why, 256, "the X server at %s has no keyboard", getenv("DISPLAY"));
		return false;
	}
	g_unix_fd_add(xcb_get_file_descriptor(x->connection), G_IO_IN | G_IO_HUP | G_IO_ERR,
		      on_events, d);
	return true;
}
