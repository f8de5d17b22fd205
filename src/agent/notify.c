#include "agent/notify.h"

#include <stdio.h>
#include <string.h>

#include <gio/gio.h>

#include "lurk/error.h"

/* A keyboard's name, each sign of it as markup, and why: nothing is cut, which could be in a sign.
 */
enum { WORDS = 2048 };

/* What is compared. */
struct state {
	bool known, off, trying;
	int64_t sequence; /* of the rules; those that are tried have none */
	/* That of before a trial, where it is known; and whether it is these rules that are tried:
	 * one's own, while the computer's may be. */
	bool settled_known, of_these;
	int64_t settled;
	char profile[64];
	char trouble[WORDS]; /* "" for none */
};

static struct state before;
static GDBusConnection *bus;
static guint32 shown; /* the number of the last one */

void notify_open(void)
{
	GKeyFile *file = g_key_file_new();
	char *path = g_build_filename(g_get_user_config_dir(), "lurk", "agent.conf", NULL);
	bool hidden = g_key_file_load_from_file(file, path, G_KEY_FILE_NONE, NULL) &&
		      g_key_file_has_key(file, "agent", "notifications", NULL) &&
		      !g_key_file_get_boolean(file, "agent", "notifications", NULL);

	g_key_file_unref(file);
	g_free(path);
	bus = hidden ? NULL : g_bus_get_sync(G_BUS_TYPE_SESSION, NULL, NULL);
	if (bus)
		g_dbus_connection_set_exit_on_close(bus, FALSE);
}

/* Until the desktop has said by which number one is replaced, what comes next waits; of several the
 * last. */
static bool showing;
static char next_summary[WORDS], next_body[WORDS];

static void show(const char *summary, const char *body);

static void on_shown(GObject *source, GAsyncResult *result, void *data)
{
	GVariant *answer = g_dbus_connection_call_finish(G_DBUS_CONNECTION(source), result, NULL);
	char summary[WORDS], body[WORDS];

	(void)data;
	showing = false;
	if (answer) { /* else this desktop shows none */
		g_variant_get(answer, "(u)", &shown);
		g_variant_unref(answer);
	}
	memcpy(summary, next_summary, sizeof summary);
	memcpy(body, next_body, sizeof body);
	*next_summary = '\0';
	if (*summary)
		show(summary, body);
}

static GVariant *notification(const char *summary, const char *body)
{
	GVariantBuilder hints;

	g_variant_builder_init(&hints, G_VARIANT_TYPE("a{sv}"));
	g_variant_builder_add(&hints, "{sv}", "desktop-entry",
			      g_variant_new_string("lurk-plain-keyboard"));
	return g_variant_new("(susssasa{sv}i)", "Lurk", shown, "input-keyboard", summary, body,
			     NULL, &hints, -1);
}

#define NOTIFICATIONS                                                      \
	"org.freedesktop.Notifications", "/org/freedesktop/Notifications", \
		"org.freedesktop.Notifications", "Notify"

static void show(const char *summary, const char *body)
{
	if (!bus)
		return;
	if (showing) {
		snprintf(next_summary, sizeof next_summary, "%s", summary);
		snprintf(next_body, sizeof next_body, "%s", body);
		return;
	}
	showing = true;
	g_dbus_connection_call(bus, NOTIFICATIONS, notification(summary, body),
			       G_VARIANT_TYPE("(u)"), G_DBUS_CALL_FLAGS_NONE, -1, NULL, on_shown,
			       NULL);
}

bool notify_now(const char *summary, const char *body)
{
	GVariant *answer = NULL;

	if (bus)
		answer = g_dbus_connection_call_sync(
			bus, NOTIFICATIONS, notification(summary, body), G_VARIANT_TYPE("(u)"),
			G_DBUS_CALL_FLAGS_NONE, -1, NULL, NULL);
	if (answer)
		g_variant_unref(answer);
	return answer;
}

/* ---- What the service says ------------------------------------------------------------------- */

static struct json_object *member(struct json_object *object, const char *name)
{
	struct json_object *found = NULL;

	json_object_object_get_ex(object, name, &found);
	return found;
}

/* The first keyboard on which rules should be in force and are not, and why. A name comes from the
 * keyboard: a body may have markup, so it is made harmless. */
static void find_trouble(struct json_object *status, char out[WORDS])
{
	struct json_object *list = member(status, "keyboards");

	*out = '\0';
	for (size_t i = 0; json_object_is_type(list, json_type_array) && !*out &&
			   i < json_object_array_length(list);
	     i++) {
		struct json_object *one = json_object_array_get_idx(list, i);
		const int trouble = json_object_get_int(member(one, "trouble"));
		const char *name = json_object_get_string(member(one, "name"));
		char *safe = g_markup_escape_text(name ? name : "a keyboard", -1);

		if (trouble)
			snprintf(out, WORDS, "%s: %s", safe,
				 lurk_error_text((enum lurk_error)trouble));
		g_free(safe);
	}
}

static struct state read_state(struct json_object *status)
{
	struct state state = {.known = true};
	const char *profile = json_object_get_string(member(status, "profile"));

	state.off = json_object_get_boolean(member(status, "off"));
	state.trying = json_object_get_boolean(member(status, "trying"));
	state.sequence = json_object_get_int64(member(status, "sequence"));
	snprintf(state.profile, sizeof state.profile, "%s", profile ? profile : "");
	find_trouble(status, state.trouble);
	return state;
}

void notify_forget(void)
{
	before = (struct state){.known = false};
}

/* What came of a trial, as far as it shows. */
static void show_end_of_trial(const struct state *then, const struct state *now)
{
	if (then->settled_known && now->sequence != then->settled)
		show("The rules that were tried stay", "");
	else
		show("The trial is over", then->of_these ? "All is as it was before." : "");
}

void notify_status(struct json_object *status)
{
	const struct state then = before;
	struct state now = read_state(status);
	char words[WORDS];

	now.settled_known = !now.trying || then.settled_known;
	now.settled = now.trying ? then.settled : now.sequence;
	now.of_these = now.trying && now.settled_known && now.sequence != now.settled;
	before = now;
	if (!then.known)
		return;
	if (*now.trouble && strcmp(now.trouble, then.trouble) != 0) {
		show("Rules are not in force", now.trouble);
	} else if (now.off != then.off) {
		show(now.off ? "All rules are off" : "Rules are on again",
		     now.off ? "Every key does its usual job. “lurk on” switches them on again."
			     : "");
	} else if (now.trying != then.trying) {
		snprintf(words, sizeof words, "For %d seconds; then all is as before.",
			 json_object_get_int(member(status, "seconds_left")));
		if (now.trying)
			show("Rules are being tried", words);
		else
			show_end_of_trial(&then, &now);
	} else if (strcmp(now.profile, then.profile) != 0 && *now.profile) {
		snprintf(words, sizeof words, "Profile %s", now.profile);
		show(words, "Its rules are in force now.");
	}
}
