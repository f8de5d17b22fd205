/* An X server takes other layouts from any program: it compiles them by their names, of what
 * everybody has, for all keyboards until it ends. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <X11/XKBlib.h>
#include <X11/extensions/XKM.h>
#include <X11/extensions/XKBrules.h>
#include <glib.h>

#include "agent/display.h"

#define RULES_FOLDER "/usr/share/X11/xkb/rules/"

static bool refused;

static int on_error(Display *x, XErrorEvent *error)
{
	(void)x, (void)error;
	refused = true;
	return 0;
}

/* How the server came to what it has: rules, model, layouts, variants and options, in turn. */
struct rules {
	char *name;
	XkbRF_VarDefsRec of;
};

/* Any program may have written it. */
static bool are_there(const char *rules)
{
	char *path = g_strconcat(RULES_FOLDER, rules, NULL);
	const bool there = !strchr(rules, '/') && g_file_test(path, G_FILE_TEST_IS_REGULAR);

	g_free(path);
	return there;
}

/* By what it says of itself; the usual ones where it says nothing. */
static void read_rules(Display *x, struct rules *now)
{
	if (!XkbRF_GetNamesProp(x, &now->name, &now->of))
		memset(now, 0, sizeof *now);
	if (!now->name || !are_there(now->name)) {
		free(now->name);
		now->name = strdup("evdev");
	}
	if (!now->of.model)
		now->of.model = strdup("pc105");
}

static void free_rules(struct rules *now)
{
	free(now->name);
	free(now->of.model);
	free(now->of.layout);
	free(now->of.variant);
	free(now->of.options);
}

static void free_components(XkbComponentNamesRec *of)
{
	free(of->keymap);
	free(of->keycodes);
	free(of->types);
	free(of->compat);
	free(of->symbols);
	free(of->geometry);
}

/* The server's keymap is another one, or as it was. */
static bool load(Display *x, struct rules *wanted, char why[256])
{
	char *path = g_strconcat(RULES_FOLDER, wanted->name, NULL), locale[] = "C";
	XkbRF_RulesPtr rules = XkbRF_Load(path, locale, False, True);
	XkbComponentNamesRec names = {.keymap = NULL};
	XkbDescPtr keymap = NULL;

	if (!rules || !XkbRF_GetComponents(rules, &wanted->of, &names))
		snprintf(why, 256, "%.200s does not say what the X server would need", path);
	else
		keymap =
			XkbGetKeyboardByName(x, XkbUseCoreKbd, &names, XkbGBN_AllComponentsMask,
					     XkbGBN_AllComponentsMask & ~XkbGBN_GeometryMask, True);
	if (keymap)
		XkbFreeKeyboard(keymap, 0, True);
	free_components(&names);
	if (rules)
		XkbRF_Free(rules, True);
	g_free(path);
	return keymap != NULL;
}

bool x11_use(const char *layouts, const char *variants, int active, char why[256])
{
	Display *x = XOpenDisplay(NULL);
	struct rules rules = {.name = NULL};
	bool did;

	if (!x) {
		snprintf(why, 256, "the X server at %s does not answer", getenv("DISPLAY"));
		return false;
	}
	XSetErrorHandler(on_error);
	snprintf(why, 256,
		 "the X server has no such layouts: it reads those that are there for everybody "
		 "(`sudo lurk layout install NAME`)");
	read_rules(x, &rules);
	free(rules.of.layout);
	free(rules.of.variant);
	rules.of.layout = strdup(layouts);
	rules.of.variant = strdup(variants);
	did = load(x, &rules, why) && !refused;
	if (did) {
		XkbRF_SetNamesProp(x, rules.name, &rules.of);
		XkbLockGroup(x, XkbUseCoreKbd, (unsigned)active);
		XSync(x, False);
	}
	free_rules(&rules);
	XCloseDisplay(x);
	return did;
}
