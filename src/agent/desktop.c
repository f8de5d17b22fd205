/* Where a compositor does not tell which of several layouts is active, the desktop does, each its
 * own way: the socket that sway describes in sway-ipc(7), KDE's service on the session's bus,
 * GNOME's settings. Where none of these is, it stays unknown. */
#include <errno.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <gio/gio.h>
#include <glib-unix.h>
#include <json-c/json.h>

#include "agent/display.h"

static void on_change(struct display *d)
{
	if (d->count > 1) /* else it is that one */
		display_active(d, desktop_active(d));
}

static bool desktop_is(const char *name)
{
	const char *now = getenv("XDG_CURRENT_DESKTOP");
	char **names = g_strsplit(now ? now : "", ":", -1);
	const bool found = g_strv_contains((const char *const *)names, name);

	g_strfreev(names);
	return found;
}

/* ---- sway ------------------------------------------------------------------------------------ */

static int sway = -1; /* its socket */

enum { SWAY_COMMAND = 0, SWAY_SUBSCRIBE = 2, SWAY_INPUTS = 100, SWAY_GONE = INT32_MAX };
/* A command lets it compile a keymap for each keyboard, which a busy machine takes seconds for. */
enum { SWAY_MAX = 1 << 20, SWAY_WAIT_MS = 2000, SWAY_COMMAND_MS = 40000 };

static int sway_patience_ms = SWAY_WAIT_MS;

/* As it goes over the socket, before the JSON. */
struct sway_header {
	char magic[6];
	uint32_t length, type;
} __attribute__((packed));

static bool sway_send(int fd, uint32_t type, const char *json)
{
	struct sway_header header = {.length = (uint32_t)strlen(json), .type = type};

	memcpy(header.magic, "i3-ipc", sizeof header.magic);
	return send(fd, &header, sizeof header, MSG_NOSIGNAL) == (ssize_t)sizeof header &&
	       send(fd, json, header.length, MSG_NOSIGNAL) == (ssize_t)header.length;
}

static bool sway_read(int fd, void *into, size_t length)
{
	for (size_t had = 0; had < length;) {
		struct pollfd wait = {.fd = fd, .events = POLLIN};
		ssize_t n;

		if (poll(&wait, 1, sway_patience_ms) <= 0)
			return false;
		n = read(fd, (char *)into + had, length - had);
		if (n <= 0)
			return false;
		had += (size_t)n;
	}
	return true;
}

/* One message; its type, SWAY_GONE where the connection is of no use any more. */
static uint32_t sway_receive(int fd, struct json_object **json)
{
	struct sway_header header;
	char *text;

	*json = NULL;
	if (!sway_read(fd, &header, sizeof header) ||
	    memcmp(header.magic, "i3-ipc", sizeof header.magic) != 0 || header.length > SWAY_MAX)
		return SWAY_GONE;
	text = calloc(1, header.length + 1);
	if (!text)
		abort();
	if (!sway_read(fd, text, header.length))
		header.type = SWAY_GONE;
	else
		*json = json_tokener_parse(text);
	free(text);
	return header.type;
}

/* The active layout of all keyboards that have these; unknown where they differ. */
static int sway_active(const struct display *d, struct json_object *inputs)
{
	int active = DISPLAY_UNKNOWN;

	for (size_t i = 0;
	     json_object_is_type(inputs, json_type_array) && i < json_object_array_length(inputs);
	     i++) {
		struct json_object *one = json_object_array_get_idx(inputs, i), *type, *words;
		int now = DISPLAY_UNKNOWN;

		if (!json_object_object_get_ex(one, "type", &type) ||
		    strcmp(json_object_get_string(type), "keyboard") != 0 ||
		    !json_object_object_get_ex(one, "xkb_active_layout_name", &words) ||
		    !json_object_get_string(words))
			continue;
		for (unsigned k = 0; k < d->count; k++) {
			if (!strcmp(d->words[k], json_object_get_string(words)))
				now = (int)k;
		}
		if (now == DISPLAY_UNKNOWN || (active != DISPLAY_UNKNOWN && active != now))
			return DISPLAY_UNKNOWN;
		active = now;
	}
	return active;
}

/* What is told meanwhile of changes is in the answer. */
static bool sway_answer(int fd, uint32_t wanted, struct json_object **json)
{
	uint32_t type = sway_receive(fd, json);

	while (type != wanted && type != SWAY_GONE) {
		json_object_put(*json);
		type = sway_receive(fd, json);
	}
	return type == wanted;
}

static int sway_ask(const struct display *d)
{
	struct json_object *json = NULL;
	int active = DISPLAY_UNKNOWN;

	if (sway_send(sway, SWAY_INPUTS, "") && sway_answer(sway, SWAY_INPUTS, &json))
		active = sway_active(d, json);
	json_object_put(json);
	return active;
}

/* Whatever changed of an input. */
static gboolean on_sway(int fd, GIOCondition condition, void *data)
{
	struct json_object *json;
	const uint32_t type = sway_receive(fd, &json);

	(void)condition;
	json_object_put(json);
	if (type == SWAY_GONE) {
		close(fd);
		sway = -1;
	}
	on_change(data);
	return type == SWAY_GONE ? G_SOURCE_REMOVE : G_SOURCE_CONTINUE;
}

static int sway_connect(void)
{
	struct sockaddr_un address = {.sun_family = AF_UNIX};
	const char *path = getenv("SWAYSOCK");
	int fd;

	if (!path || strlen(path) >= sizeof address.sun_path)
		return -1;
	strcpy(address.sun_path, path);
	fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
	if (fd >= 0 && connect(fd, (struct sockaddr *)&address, sizeof address) < 0) {
		close(fd);
		return -1;
	}
	return fd;
}

static bool sway_open(struct display *d)
{
	sway = sway_connect();
	if (sway < 0)
		return false;
	if (!sway_send(sway, SWAY_SUBSCRIBE, "[\"input\"]")) {
		close(sway);
		sway = -1;
		return false;
	}
	g_unix_fd_add(sway, G_IO_IN | G_IO_HUP | G_IO_ERR, on_sway, d);
	return true;
}

/* Each of the commands went well; else why not. */
static bool sway_did(struct json_object *answers, char why[256])
{
	bool did = json_object_is_type(answers, json_type_array);

	snprintf(why, 256, "sway answers nothing that is understood");
	for (size_t i = 0; did && i < json_object_array_length(answers); i++) {
		struct json_object *one = json_object_array_get_idx(answers, i), *word;

		did = json_object_object_get_ex(one, "success", &word) &&
		      json_object_get_boolean(word);
		if (!did && json_object_object_get_ex(one, "error", &word))
			snprintf(why, 256, "sway says: %.200s", json_object_get_string(word));
	}
	return did;
}

/* In between both lists must fit each other. */
static bool sway_use(int fd, const char *layouts, const char *variants, int active, char why[256])
{
	struct json_object *json = NULL;
	char *then = active ? g_strdup_printf("; input type:keyboard xkb_switch_layout %d", active)
			    : g_strdup("");
	char *command;
	bool did;

	command = g_strdup_printf("input type:keyboard xkb_variant \"\"; "
				  "input type:keyboard xkb_layout \"%s\"%s%s%s%s",
				  layouts, *variants ? "; input type:keyboard xkb_variant \"" : "",
				  variants, *variants ? "\"" : "", then);
	snprintf(why, 256, "sway does not answer");
	did = sway_send(fd, SWAY_COMMAND, command) && sway_answer(fd, SWAY_COMMAND, &json) &&
	      sway_did(json, why);
	json_object_put(json);
	g_free(command);
	g_free(then);
	return did;
}

/* ---- KDE ------------------------------------------------------------------------------------- */

#define KDE_NAME "org.kde.keyboard"
#define KDE_PATH "/Layouts"
#define KDE_INTERFACE "org.kde.KeyboardLayouts"
enum { BUS_WAIT_MS = 2000 };

static GDBusConnection *kde; /* the session's bus */

static int kde_ask(void)
{
	GVariant *answer = g_dbus_connection_call_sync(
		kde, KDE_NAME, KDE_PATH, KDE_INTERFACE, "getLayout", NULL, G_VARIANT_TYPE("(u)"),
		G_DBUS_CALL_FLAGS_NO_AUTO_START, BUS_WAIT_MS, NULL, NULL);
	guint32 active = 0;

	if (!answer)
		return DISPLAY_UNKNOWN;
	g_variant_get(answer, "(u)", &active);
	g_variant_unref(answer);
	return active < DISPLAY_LAYOUTS ? (int)active : DISPLAY_UNKNOWN;
}

static void on_kde(GDBusConnection *bus, const char *sender, const char *path,
		   const char *interface, const char *signal, GVariant *parameters, void *data)
{
	(void)bus, (void)sender, (void)path, (void)interface, (void)signal, (void)parameters;
	on_change(data);
}

static void kde_open(struct display *d)
{
	kde = g_bus_get_sync(G_BUS_TYPE_SESSION, NULL, NULL);
	if (!kde)
		return;
	g_dbus_connection_set_exit_on_close(kde, FALSE);
	g_dbus_connection_signal_subscribe(kde, KDE_NAME, KDE_INTERFACE, NULL, KDE_PATH, NULL,
					   G_DBUS_SIGNAL_FLAGS_NONE, on_kde, d, NULL);
}

/* ---- GNOME ----------------------------------------------------------------------------------- */

#define GNOME_SOURCES "org.gnome.desktop.input-sources"

/* A layout by its name there, "de+nodeadkeys", is one of the display's. */
static int gnome_layout(const struct display *d, const char *name)
{
	char **parts = g_strsplit(name, "+", 2);
	const struct xkb_rule_names names = {.model = "pc105",
					     .layout = *parts ? parts[0] : "",
					     .variant = *parts && parts[1] ? parts[1] : ""};
	struct xkb_keymap *keymap =
		xkb_keymap_new_from_names(d->context, &names, XKB_KEYMAP_COMPILE_NO_FLAGS);
	const char *words = keymap ? xkb_keymap_layout_get_name(keymap, 0) : NULL;
	int found = DISPLAY_UNKNOWN;

	for (unsigned i = 0; words && i < d->count; i++) {
		if (!strcmp(words, d->words[i]))
			found = (int)i;
	}
	xkb_keymap_unref(keymap);
	g_strfreev(parts);
	return found;
}

static GSettings *gnome;

/* The one that was chosen last is active; none was where only the sources are set. */
static int gnome_ask(const struct display *d)
{
	static const char *const keys[] = {"mru-sources", "sources"};
	int active = DISPLAY_UNKNOWN;
	bool any = g_settings_get_boolean(gnome, "per-window");

	for (unsigned i = 0; i < 2 && !any; i++) {
		GVariant *list = g_settings_get_value(gnome, keys[i]);
		const char *type, *name;

		any = g_variant_n_children(list) > 0;
		if (any) {
			g_variant_get_child(list, 0, "(&s&s)", &type, &name);
			active = !strcmp(type, "xkb") ? gnome_layout(d, name) : DISPLAY_UNKNOWN;
		}
		g_variant_unref(list);
	}
	return active;
}

static void on_gnome(GSettings *settings, const char *key, void *data)
{
	(void)settings, (void)key;
	on_change(data);
}

static void gnome_open(struct display *d)
{
	GSettingsSchemaSource *source = g_settings_schema_source_get_default();
	GSettingsSchema *schema =
		source ? g_settings_schema_source_lookup(source, GNOME_SOURCES, TRUE) : NULL;

	if (!schema)
		return;
	gnome = g_settings_new_full(schema, NULL, NULL);
	g_signal_connect(gnome, "changed", G_CALLBACK(on_gnome), d);
	g_settings_schema_unref(schema);
}

/* ---------------------------------------------------------------------------------------------- */

void desktop_open(struct display *display)
{
	if (sway_open(display))
		return;
	if (desktop_is("KDE"))
		kde_open(display);
	else if (desktop_is("GNOME"))
		gnome_open(display);
}

int desktop_active(struct display *display)
{
	return sway >= 0 ? sway_ask(display)
	       : kde     ? kde_ask()
	       : gnome   ? gnome_ask(display)
			 : DISPLAY_UNKNOWN;
}

/* What a shell or a compositor could take for more than a name is none. */
static bool are_names(const char *names)
{
	return *names && strlen(names) < 256 &&
	       names[strspn(names, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
				   "0123456789_-:,")] == '\0';
}

/* Layouts and variants are two lists, for sway and for X; the second is empty where none has one.
 * How many they are. */
static unsigned split(const char *names, GString *layouts, GString *variants)
{
	char **each = g_strsplit(names, ",", -1);
	unsigned count = 0;

	for (; each[count]; count++) {
		const char *variant = strchr(each[count], ':');

		g_string_append_printf(layouts, "%s%.*s", count ? "," : "",
				       (int)strcspn(each[count], ":"), each[count]);
		g_string_append_printf(variants, "%s%s", count ? "," : "",
				       variant ? variant + 1 : "");
	}
	g_strfreev(each);
	if (!strchr(names, ':'))
		g_string_truncate(variants, 0);
	return count;
}

/* A desktop that has layouts among its own settings would take it back at any time. */
static bool x_is_ours(void)
{
	const char *wayland = getenv("WAYLAND_DISPLAY"), *x = getenv("DISPLAY");

	return x && *x == ':' && !(wayland && *wayland) && !desktop_is("GNOME") &&
	       !desktop_is("KDE");
}

bool desktop_use(const char *names, int active, bool *unable, char why[256])
{
	GString *layouts = g_string_new(""), *variants = g_string_new("");
	int fd = -1;
	const unsigned count = split(names, layouts, variants);
	bool did = false;

	*unable = false;
	if (!are_names(names)) {
		snprintf(why, 256, "these are no names");
	} else if (active < 0 || active >= (int)count) {
		snprintf(why, 256, "--active takes a number from 0 to %u here, not %d", count - 1,
			 active);
	} else if ((fd = sway_connect()) >= 0) {
		sway_patience_ms = SWAY_COMMAND_MS;
		did = sway_use(fd, layouts->str, variants->str, active, why);
	} else if (x_is_ours() && count > DISPLAY_LAYOUTS) {
		snprintf(why, 256, "an X server has %d layouts in turn at most", DISPLAY_LAYOUTS);
	} else if (x_is_ours()) {
		did = x11_use(layouts->str, variants->str, active, why);
	} else {
		*unable = true;
		snprintf(why, 256, "this desktop lets no program do that");
	}
	if (fd >= 0)
		close(fd);
	g_string_free(layouts, TRUE);
	g_string_free(variants, TRUE);
	return did;
}
