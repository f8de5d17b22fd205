/*
 * The session's display: which layouts it has in turn, and which of them is active.
 *
 *     display.c   what is known, whichever way
 *     x11.c       an X server tells both, and each change
 *     x11_use.c   and takes others
 *     wayland.c   a compositor tells the layouts; the active one only to who has the focus
 *     desktop.c   so that one is asked of the desktop, by what it documents for that
 *
 * A layout is what XKB calls it in words: "German (no dead keys)". Nothing here sees a key.
 */
#ifndef LURK_AGENT_DISPLAY_H
#define LURK_AGENT_DISPLAY_H

#include <glib.h>
#include <stdbool.h>
#include <xkbcommon/xkbcommon.h>

/* As many as XKB has in a keymap for X11. */
enum { DISPLAY_LAYOUTS = 4, DISPLAY_WORDS = 96, DISPLAY_UNKNOWN = -1 };

struct display {
	const char *how; /* "x11" or "wayland"; NULL where there is none to ask */
	char *keymap;    /* as text, with all layouts */
	unsigned count;
	char words[DISPLAY_LAYOUTS][DISPLAY_WORDS];
	int active; /* an index, or DISPLAY_UNKNOWN */
	bool fresh; /* the keymap is another than was told */
	struct xkb_context *context;
	/* Told when anything of that is another, and when the display is gone. */
	void (*changed)(void *data);
	void (*gone)(void *data);
	void *data;
	void *own; /* x11.c's or wayland.c's */
};

/* Asks a display. False with a sentence. Changes are told by GLib's main loop. */
bool x11_open(struct display *display, char why[256]);
bool wayland_open(struct display *display, char why[256]);

/* ---- For the files of it --------------------------------------------------------------------- */

/* What the display has now: first the keymap, where that is another, which is taken over; then
 * which of its layouts is active, which tells of both. */
void display_keymap(struct display *display, struct xkb_keymap *keymap);
void display_active(struct display *display, int active);

/* Lets the session type with other layouts, by their names in XKB's list, "gb,de:nodeadkeys", and
 * first with the active of these. False with why not, and `unable` where this desktop lets no
 * program do that. */
bool desktop_use(const char *names, int active, bool *unable, char why[256]);

/* The same of an X server, by two lists. */
bool x11_use(const char *layouts, const char *variants, int active, char why[256]);

/* The desktop tells each change of the active layout from now on; and which it is now. */
void desktop_open(struct display *display);
int desktop_active(struct display *display);

#endif
