/*
 * What a desktop's session has, as far as layouts go, moved from outside: desktop WHAT. Reads
 * lines, and answers each with "done".
 *
 *     compositor NAME   a Wayland compositor with one seat, whose keyboard gets a keymap by
 *                       "layouts us,de ,nodeadkeys", a broken one by "junk", none by "unplug"
 *     kde               org.kde.keyboard on the session's bus; "active N"
 *     x                 the X server's keyboard: "layouts us,de ,nodeadkeys"; "active N"
 *     keys              prints "38+" and "38-" for each key of an X server that a window of its
 *                       own gets, by the server's number of the key
 *     notifications     org.freedesktop.Notifications on the session's bus; "next" waits for one,
 * and prints which it replaces and what it says
 */
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>

#include <gio/gio.h>
#include <glib-unix.h>
#include <wayland-server.h>
#include <X11/XKBlib.h>
#include <X11/extensions/XKBrules.h>
#include <xkbcommon/xkbcommon.h>

static void check(bool fine, const char *what)
{
	if (fine)
		return;
	fprintf(stderr, "desktop: %s\n", what);
	exit(1);
}

static void done(void)
{
	puts("done");
	fflush(stdout);
}

/* ---- A compositor ---------------------------------------------------------------------------- */

static struct wl_display *display;
static struct wl_list keyboards, seats;
static char *keymap;
static size_t keymap_size;

static void send_keymap(struct wl_resource *keyboard)
{
	int fd = memfd_create("keymap", MFD_CLOEXEC);

	check(fd >= 0 && write(fd, keymap, keymap_size) == (ssize_t)keymap_size, "no memory file");
	wl_keyboard_send_keymap(keyboard, WL_KEYBOARD_KEYMAP_FORMAT_XKB_V1, fd,
				(uint32_t)keymap_size);
	close(fd);
}

static void forget(struct wl_resource *resource)
{
	wl_list_remove(wl_resource_get_link(resource));
}

static void release(struct wl_client *client, struct wl_resource *resource)
{
	(void)client;
	wl_resource_destroy(resource);
}

static const struct wl_keyboard_interface keyboard_calls = {release};

static void get_keyboard(struct wl_client *client, struct wl_resource *seat, uint32_t id)
{
	struct wl_resource *keyboard = wl_resource_create(client, &wl_keyboard_interface,
							  wl_resource_get_version(seat), id);

	wl_resource_set_implementation(keyboard, &keyboard_calls, NULL, forget);
	wl_list_insert(&keyboards, wl_resource_get_link(keyboard));
	if (keymap)
		send_keymap(keyboard);
}

static void get_nothing(struct wl_client *client, struct wl_resource *seat, uint32_t id)
{
	(void)client, (void)seat, (void)id;
}

static const struct wl_seat_interface seat_calls = {get_nothing, get_keyboard, get_nothing,
						    release};

static void bind_seat(struct wl_client *client, void *data, uint32_t version, uint32_t id)
{
	struct wl_resource *seat = wl_resource_create(client, &wl_seat_interface, (int)version, id);

	(void)data;
	wl_resource_set_implementation(seat, &seat_calls, NULL, forget);
	wl_list_insert(&seats, wl_resource_get_link(seat));
	wl_seat_send_capabilities(seat, keymap ? WL_SEAT_CAPABILITY_KEYBOARD : 0);
}

static void take_keymap(const char *text, size_t size)
{
	struct wl_resource *one;
	const bool first = !keymap && text;

	free(keymap);
	keymap = text ? memcpy(malloc(size), text, size) : NULL;
	keymap_size = size;
	if (first || !text) {
		wl_resource_for_each(one, &seats)
			wl_seat_send_capabilities(one, text ? WL_SEAT_CAPABILITY_KEYBOARD : 0);
		return;
	}
	wl_resource_for_each(one, &keyboards) send_keymap(one);
}

static void compositor_line(char *line)
{
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_ENVIRONMENT_NAMES);
	struct xkb_rule_names names = {.model = "pc105"};
	struct xkb_keymap *made;
	char layouts[64] = "", variants[64] = "", *text;

	if (!strcmp(line, "junk")) {
		take_keymap("xkb_keymap { this is none", 26);
	} else if (!strcmp(line, "unplug")) {
		take_keymap(NULL, 0);
	} else {
		check(sscanf(line, "layouts %63s %63s", layouts, variants) > 0, line);
		names.layout = layouts;
		names.variant = variants;
		made = xkb_keymap_new_from_names(context, &names, 0);
		check(made, line);
		text = xkb_keymap_get_as_string(made, XKB_KEYMAP_FORMAT_TEXT_V1);
		take_keymap(text, strlen(text) + 1);
		free(text);
		xkb_keymap_unref(made);
	}
	xkb_context_unref(context);
	wl_display_flush_clients(display);
}

/* ---- KDE's service --------------------------------------------------------------------------- */

static const char kde_xml[] = "<node><interface name='org.kde.KeyboardLayouts'>"
			      "<method name='getLayout'><arg type='u' direction='out'/></method>"
			      "<signal name='layoutChanged'><arg type='u'/></signal>"
			      "</interface></node>";
static GDBusConnection *bus;
static guint32 kde_active;

static void kde_call(GDBusConnection *connection, const char *sender, const char *path,
		     const char *interface, const char *method, GVariant *parameters,
		     GDBusMethodInvocation *call, void *data)
{
	(void)connection, (void)sender, (void)path, (void)interface, (void)method;
	(void)parameters, (void)data;
	g_dbus_method_invocation_return_value(call, g_variant_new("(u)", kde_active));
}

static void own_name(const char *name, const char *path, const char *xml,
		     const GDBusInterfaceVTable *calls)
{
	GDBusNodeInfo *info = g_dbus_node_info_new_for_xml(xml, NULL);
	GVariant *answer;

	bus = g_bus_get_sync(G_BUS_TYPE_SESSION, NULL, NULL);
	check(bus, "no session's bus");
	g_dbus_connection_register_object(bus, path, info->interfaces[0], calls, NULL, NULL, NULL);
	answer = g_dbus_connection_call_sync(
		bus, "org.freedesktop.DBus", "/org/freedesktop/DBus", "org.freedesktop.DBus",
		"RequestName", g_variant_new("(su)", name, 0), NULL, 0, -1, NULL, NULL);
	check(answer, "the name is taken");
}

static void kde_open(void)
{
	static const GDBusInterfaceVTable calls = {.method_call = kde_call};

	own_name("org.kde.keyboard", "/Layouts", kde_xml, &calls);
}

static void kde_line(const char *line)
{
	kde_active = (guint32)atoi(line + strlen("active "));
	g_dbus_connection_emit_signal(bus, NULL, "/Layouts", "org.kde.KeyboardLayouts",
				      "layoutChanged", g_variant_new("(u)", kde_active), NULL);
	g_dbus_connection_flush_sync(bus, NULL, NULL);
}

/* ---- Notifications --------------------------------------------------------------------------- */

static const char notifications_xml[] =
	"<node><interface name='org.freedesktop.Notifications'><method name='Notify'>"
	"<arg type='s' direction='in'/><arg type='u' direction='in'/><arg type='s' direction='in'/>"
	"<arg type='s' direction='in'/><arg type='s' direction='in'/><arg type='as' "
	"direction='in'/>"
	"<arg type='a{sv}' direction='in'/><arg type='i' direction='in'/>"
	"<arg type='u' direction='out'/></method></interface></node>";
static GQueue *notified;

static void notify_call(GDBusConnection *connection, const char *sender, const char *path,
			const char *interface, const char *method, GVariant *parameters,
			GDBusMethodInvocation *call, void *data)
{
	const char *summary, *body;
	guint32 replaces;

	(void)connection, (void)sender, (void)path, (void)interface, (void)method, (void)data;
	g_variant_get_child(parameters, 1, "u", &replaces);
	g_variant_get_child(parameters, 3, "&s", &summary);
	g_variant_get_child(parameters, 4, "&s", &body);
	g_queue_push_tail(notified, g_strdup_printf("%u|%s|%s", replaces, summary, body));
	g_dbus_method_invocation_return_value(call, g_variant_new("(u)", 7));
}

static void notifications_open(void)
{
	static const GDBusInterfaceVTable calls = {.method_call = notify_call};

	notified = g_queue_new();
	own_name("org.freedesktop.Notifications", "/org/freedesktop/Notifications",
		 notifications_xml, &calls);
}

static void next_notification(void)
{
	while (g_queue_is_empty(notified))
		g_main_context_iteration(NULL, TRUE);
	puts(g_queue_pop_head(notified));
}

/* ---- X --------------------------------------------------------------------------------------- */

/* The keymap that XKB's rules give for these, for all keyboards. */
static void x_layouts(Display *x, const char *line)
{
	char rules_path[] = "/usr/share/X11/xkb/rules/evdev", locale[] = "C", model[] = "pc105";
	char layouts[64] = "", variants[64] = "";
	XkbRF_VarDefsRec wanted = {.model = model, .layout = layouts, .variant = variants};
	XkbRF_RulesPtr rules = XkbRF_Load(rules_path, locale, True, True);
	XkbComponentNamesRec names = {.keymap = NULL};

	check(sscanf(line, "layouts %63s %63s", layouts, variants) > 0, line);
	check(rules && XkbRF_GetComponents(rules, &wanted, &names), "no such layouts");
	check(XkbGetKeyboardByName(x, XkbUseCoreKbd, &names, XkbGBN_AllComponentsMask,
				   XkbGBN_AllComponentsMask & ~XkbGBN_GeometryMask, True) != NULL,
	      "the X server has no such keymap");
}

/* How the server came to its keymap, as programs tell each other: "rules evdev pc105 us - -" says
 * so, "has ..." asks whether it is so. */
static void x_rules(Display *x, const char *line)
{
	char word[8], name[64], model[64], layout[64], variant[64], options[64];
	XkbRF_VarDefsRec of = {.model = model, .layout = layout}, now = {.model = NULL};
	char *now_name = NULL;

	check(sscanf(line, "%7s %63s %63s %63s %63s %63s", word, name, model, layout, variant,
		     options) == 6,
	      line);
	of.variant = strcmp(variant, "-") ? variant : NULL;
	of.options = strcmp(options, "-") ? options : NULL;
	if (!strcmp(word, "rules"))
		check(XkbRF_SetNamesProp(x, name, &of), line);
	check(XkbRF_GetNamesProp(x, &now_name, &now) && !strcmp(now_name, name) &&
		      !strcmp(now.model, model) && !strcmp(now.layout, layout) &&
		      !g_strcmp0(now.variant, of.variant) && !g_strcmp0(now.options, of.options),
	      line);
}

static void x_line(const char *line)
{
	Display *x = XOpenDisplay(NULL);

	check(x, "no X server");
	if (!strncmp(line, "layouts ", strlen("layouts ")))
		x_layouts(x, line);
	else if (!strncmp(line, "rules ", strlen("rules ")) ||
		 !strncmp(line, "has ", strlen("has ")))
		x_rules(x, line);
	else
		XkbLockGroup(x, XkbUseCoreKbd, (unsigned)atoi(line + strlen("active ")));
	XSync(x, False);
	XCloseDisplay(x);
}

/* Until the server ends. */
static void x_keys(void)
{
	Display *x = XOpenDisplay(NULL);
	Window window;
	XEvent event;

	check(x, "no X server");
	window = XCreateSimpleWindow(x, DefaultRootWindow(x), 0, 0, 300, 200, 0, 0, 0);
	XSelectInput(x, window, KeyPressMask | KeyReleaseMask);
	XMapRaised(x, window);
	for (;;) {
		XNextEvent(x, &event);
		if (event.type != KeyPress && event.type != KeyRelease)
			continue;
		printf("%u%c\n", event.xkey.keycode, event.type == KeyPress ? '+' : '-');
		fflush(stdout);
	}
}

/* ---------------------------------------------------------------------------------------------- */

static const char *what;

static gboolean on_line(int fd, GIOCondition condition, void *loop)
{
	char line[256];

	(void)fd;
	(void)condition;
	if (!fgets(line, sizeof line, stdin)) {
		g_main_loop_quit(loop);
		return G_SOURCE_REMOVE;
	}
	line[strcspn(line, "\n")] = '\0';
	if (display)
		compositor_line(line);
	else if (notified)
		next_notification();
	else if (bus)
		kde_line(line);
	else
		x_line(line);
	done();
	return G_SOURCE_CONTINUE;
}

static gboolean on_wayland(int fd, GIOCondition condition, void *data)
{
	(void)fd, (void)condition, (void)data;
	wl_event_loop_dispatch(wl_display_get_event_loop(display), 0);
	wl_display_flush_clients(display);
	return G_SOURCE_CONTINUE;
}

int main(int argc, char **argv)
{
	GMainLoop *loop = g_main_loop_new(NULL, FALSE);

	check(argc > 1, "what?");
	what = argv[1];
	setvbuf(stdin, NULL, _IONBF, 0);
	if (!strcmp(what, "keys"))
		x_keys();
	if (!strcmp(what, "compositor")) {
		check(argc > 2, "its name?");
		display = wl_display_create();
		wl_list_init(&keyboards);
		wl_list_init(&seats);
		wl_global_create(display, &wl_seat_interface, 5, NULL, bind_seat);
		check(wl_display_add_socket(display, argv[2]) == 0, "no socket");
		g_unix_fd_add(wl_event_loop_get_fd(wl_display_get_event_loop(display)), G_IO_IN,
			      on_wayland, NULL);
	} else if (!strcmp(what, "kde")) {
		kde_open();
	} else if (!strcmp(what, "notifications")) {
		notifications_open();
	} else {
		check(!strcmp(what, "x"), what);
	}
	g_unix_fd_add(STDIN_FILENO, G_IO_IN | G_IO_HUP, on_line, loop);
	done();
	g_main_loop_run(loop);
	return 0;
}
