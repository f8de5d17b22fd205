#include "tell/own_layout.h"

#include <stdio.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "lurk/text/utf8.h"
#include "tell/json.h"

const char *tell_own_press(lurk_key key, uint16_t modifiers, char out[LURK_WORDS])
{
	const struct lurk_press press = {.on = {.kind = LURK_TARGET_KEY, .key = key},
					 .modifiers = modifiers};

	return lurk_words_for_press(&press, out);
}

/* ---- Findings -------------------------------------------------------------------------------- */

static const struct {
	const char *code, *format, *to_do;
} faults[] = {
	/* of to_do: the layout's name, the symbol, again the name, and the key */
	[LURK_OWN_LOST] = {"lost-sign", "No key types %s any more, which %s did",
			   "`lurk layout type %s KEY %s` gives it to another key, `lurk layout "
			   "restore %s %s` that key back"},
	[LURK_OWN_NO_CAPITAL] = {"no-capital", "No key types %s, the capital that %s would",
				 "`lurk layout type %s KEY %s` gives it to a key, `lurk layout "
				 "restore %s %s` brings back what was there"},
	[LURK_OWN_UNREACHED] = {"unreached", "No key chooses %s, which is there for %s",
				"`include \"level3(ralt_switch)\"` in the file lets AltRight do "
				"so"},
	[LURK_OWN_DEAD_END] = {"dead-end", "Nothing is known to come after %s, which %s types",
			       "another dead key instead of it, or the sign itself"},
	[LURK_OWN_UNBEGUN] = {"unbegun", "No key types %s, after which it has signs of its own",
			      "`lurk layout type %s KEY %s` gives it to a key"},
	[LURK_OWN_MISSING] = {"missing-sign", "No key types %s",
			      "`lurk layout type %s KEY %s` gives it to a key"},
	[LURK_OWN_NOT_ON_CONSOLE] = {"not-on-console",
				     "The text console cannot type %s, which %s does",
				     "another sign of that key comes there, or nothing; desktops "
				     "type it"},
	[LURK_OWN_NOT_COMPOSED] = {"not-composed",
				   "The text console has no lines of your own for what comes after "
				   "%s",
				   "it has a table of its own; desktops have yours"},
};

const char *tell_own_sequence(const struct lurk_own_sequence *one, char out[TELL_OWN])
{
	char first[LURK_SYMBOL], next[LURK_SYMBOL];

	snprintf(out, TELL_OWN, "%s, then %s", lurk_symbol_words(one->first, first),
		 lurk_symbol_words(one->next, next));
	return out;
}

const char *tell_own_code(const struct lurk_own_layout_finding *finding)
{
	return faults[finding->fault].code;
}

/* A sign stands in quotes, what has a name does not. */
static const char *sign(uint32_t symbol, char out[LURK_WORDS])
{
	char words[LURK_SYMBOL];

	lurk_symbol_words(symbol, words);
	snprintf(out, LURK_WORDS, words[1] && (words[0] & 0x80) == 0 ? "%s" : "`%s`", words);
	return out;
}

const char *tell_own_finding(const struct lurk_own_layout_finding *finding, char out[TELL_OWN])
{
	char symbol[LURK_WORDS], press[LURK_WORDS];

	/* One of four texts with two words in each. */
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wformat-nonliteral"
	snprintf(out, TELL_OWN, faults[finding->fault].format, sign(finding->symbol, symbol),
		 tell_own_press(finding->key, finding->modifiers, press));
	if (finding->more)
		snprintf(out + strlen(out), TELL_OWN - strlen(out), ", nor %u more of ASCII",
			 finding->more);
	return out;
}

const char *tell_own_to_do(const struct lurk_own_layout *own,
			   const struct lurk_own_layout_finding *finding, char out[TELL_OWN])
{
	char symbol[LURK_SYMBOL], quoted[LURK_SYMBOL + 8];

	lurk_symbol_words(finding->symbol, symbol);
	snprintf(quoted, sizeof quoted, strpbrk(symbol, " ") ? "'%s'" : "%s", symbol);
	if (symbol[0] && !symbol[1] && !strchr("@%+,-./:=_^", symbol[0]))
		snprintf(quoted, sizeof quoted, symbol[0] == '\'' ? "\"%s\"" : "'%s'", symbol);
	snprintf(out, TELL_OWN, faults[finding->fault].to_do, lurk_own_layout_name(own), quoted,
		 lurk_own_layout_name(own), lurk_key_name(finding->key));
	return out;
}
#pragma GCC diagnostic pop

/* ---- In a session ---------------------------------------------------------------------------- */

static bool is_desktop(const char *desktops, const char *name)
{
	return desktops && strcasestr(desktops, name);
}

static void say_session(const struct lurk_own_layout_file *file, const char *desktop,
			bool everybodys, char out[TELL_OWN])
{
	const char *name = lurk_own_layout_name(file->own),
		   *words = lurk_own_layout_words(file->own);
	char x[128] = "";

	if (everybodys && lurk_own_layout_is_the_servers(file) == LURK_OWN_INSTALLED)
		snprintf(x, sizeof x, " An X session types with it at once: `lurk layout use %s`.",
			 name);

	if (is_desktop(desktop, "sway"))
		snprintf(out, TELL_OWN,
			 "To type with it: `lurk layout use %s`; for good, the line `input "
			 "type:keyboard xkb_layout %s` in sway's configuration.",
			 name, name);
	else if (is_desktop(desktop, "gnome"))
		snprintf(out, TELL_OWN,
			 "From the next login on: Settings, Keyboard, Input Sources, +, \"%s\".",
			 words);
	else if (is_desktop(desktop, "kde"))
		snprintf(out, TELL_OWN,
			 "From the next login on: System Settings, Keyboard, Layouts, Add, \"%s\".",
			 words);
	else
		snprintf(out, TELL_OWN,
			 "From the next login on, %s list it among the layouts in their keyboard "
			 "settings, as \"%s\"; its name is %s.%s",
			 everybodys ? "desktops" : "Wayland desktops", words, name, x);
}

/* The X server and the text console. */
static void say_servers(const struct lurk_own_layout_file *file, char out[TELL_OWN])
{
	const char *name = lurk_own_layout_name(file->own);
	char folder[LURK_PATH];

	lurk_layouts_system_folder(folder);
	if (lurk_own_layout_is_the_servers(file) != LURK_OWN_INSTALLED)
		snprintf(out, TELL_OWN,
			 "The X server and the text console have it not: %.200s is not to be "
			 "written.",
			 folder);
	else if (access("/etc/default/keyboard", F_OK) == 0)
		snprintf(out, TELL_OWN,
			 "For the whole computer, its text console too, from the next start on: "
			 "XKBLAYOUT=\"%s\" in /etc/default/keyboard.",
			 name);
	else
		snprintf(out, TELL_OWN,
			 "For the whole computer, its text console too, from the next start on: "
			 "`localectl set-x11-keymap %s`.",
			 name);
}

/* Programs read a person's Compose file when they start; everybody's there is none. */
static const char *sequences_words(const struct lurk_workspace *ws,
				   const struct lurk_own_layout_file *file)
{
	if (!*lurk_own_layout_compose(file->own))
		return "";
	return lurk_own_layout_is_everybodys(ws)
		       ? "\nWhat comes after its dead keys is each person's own, and not installed."
		       : "\nWhat comes after its dead keys counts in each program that starts from "
			 "now on.";
}

const char *tell_own_chosen(const struct lurk_workspace *ws,
			    const struct lurk_own_layout_file *file, const char *desktop,
			    const char *type, char out[TELL_OWN])
{
	const bool everybodys = lurk_own_layout_is_everybodys(ws);
	char servers[TELL_OWN];

	if (ws->desk) {
		snprintf(out, TELL_OWN,
			 "On a simulated desk that is a folder, and no desktop looks there.");
	} else if (!everybodys && type && !strcmp(type, "x11")) {
		snprintf(out, TELL_OWN,
			 "This session is the X server's, which has only what everybody has: `sudo "
			 "lurk layout take %.400s`, then `sudo lurk layout install %s`. Wayland "
			 "sessions have it from the next login on.",
			 file->path, lurk_own_layout_name(file->own));
	} else {
		say_session(file, desktop, everybodys, out);
		if (everybodys) {
			say_servers(file, servers);
			lurk_append(out, TELL_OWN, "\n");
			lurk_append(out, TELL_OWN, servers);
		}
		lurk_append(out, TELL_OWN, sequences_words(ws, file));
	}
	return out;
}

const char *tell_own_installed(enum lurk_own_layout_installed is)
{
	static const char *const words[] = {[LURK_OWN_NOT_INSTALLED] = "not-installed",
					    [LURK_OWN_INSTALLED_OTHERWISE] = "changed-since",
					    [LURK_OWN_INSTALLED] = "installed"};

	return words[is];
}

const char *tell_own_installed_words(enum lurk_own_layout_installed is)
{
	static const char *const words[] = {[LURK_OWN_NOT_INSTALLED] = "no desktop has it yet",
					    [LURK_OWN_INSTALLED_OTHERWISE] =
						    "desktops have it as it was before",
					    [LURK_OWN_INSTALLED] = "desktops have it so"};

	return words[is];
}

/* ---- JSON ------------------------------------------------------------------------------------ */

static void put_press(struct json_object *object, lurk_key key, uint16_t modifiers)
{
	char press[LURK_WORDS];

	tell_put_text(object, "press", tell_own_press(key, modifiers, press));
}

static void add_change(void *data, const struct lurk_own_layout_change *change)
{
	struct json_object *object = json_object_new_object();
	char words[LURK_SYMBOL];

	put_press(object, change->key, change->modifiers);
	tell_put_text(object, "types", lurk_symbol_words(change->now, words));
	tell_put_text(object, "instead_of", lurk_symbol_words(change->was, words));
	json_object_array_add(data, object);
}

static void add_sequence(void *data, const struct lurk_own_sequence *one)
{
	struct json_object *object = json_object_new_object();
	char words[LURK_SYMBOL];

	tell_put_text(object, "dead_key", lurk_symbol_words(one->first, words));
	tell_put_text(object, "then", lurk_symbol_words(one->next, words));
	tell_put_text(object, "types", one->gives);
	tell_put_text(object, "instead_of", *one->was ? one->was : "nothing");
	json_object_array_add(data, object);
}

struct findings {
	const struct lurk_own_layout *own;
	struct json_object *array;
	bool needed;
};

static void add_finding(void *data, const struct lurk_own_layout_finding *finding)
{
	struct findings *findings = data;
	struct json_object *object = json_object_new_object();
	char words[TELL_OWN];

	tell_put_text(object, "code", tell_own_code(finding));
	tell_put_flag(object, "needed", finding->needed);
	tell_put_text(object, "what", tell_own_finding(finding, words));
	if (finding->key)
		put_press(object, finding->key, finding->modifiers);
	tell_put_text(object, "symbol", lurk_symbol_words(finding->symbol, words));
	if (finding->more)
		tell_put_number(object, "more", finding->more);
	tell_put_text(object, "to_do", tell_own_to_do(findings->own, finding, words));
	json_object_array_add(findings->array, object);
	findings->needed = findings->needed || finding->needed;
}

const char *tell_own_rule(const struct lurk_profile_file *profile, uint32_t index,
			  char out[TELL_OWN])
{
	const struct lurk_node *keyboard = lurk_node_get(profile->nodes[index], "keyboard");
	struct lurk_rule rule = profile->rules[index];
	char name[LURK_WORDS] = "";

	if (keyboard && keyboard->kind == LURK_NODE_SCALAR) {
		rule.off = lurk_node_get(profile->nodes[index], "off") != NULL;
		snprintf(name, sizeof name, "%s", keyboard->text);
		lurk_make_harmless(name);
	}
	return lurk_words_rule(&rule, name, out, TELL_OWN);
}

static void put_package(struct json_object *object, const struct lurk_layout_package *package)
{
	struct json_object *rules = json_object_new_array();
	char words[TELL_OWN];

	tell_put_text(object, "about", package->about);
	tell_put_text(object, "keyboard", package->keyboard);
	for (uint32_t i = 0; package->has_profile && i < package->profile.count; i++)
		json_object_array_add(
			rules, json_object_new_string(tell_own_rule(&package->profile, i, words)));
	json_object_object_add(object, "rules", rules);
	tell_put_text(object, "left_out", package->left);
}

struct json_object *tell_own_json(const struct lurk_workspace *ws,
				  const struct lurk_own_layout_file *file,
				  const struct lurk_layout_package *package, bool *needed)
{
	struct json_object *object = json_object_new_object();
	struct json_object *changes = json_object_new_array();
	struct json_object *sequences = json_object_new_array();
	struct findings findings = {file->own, json_object_new_array(), false};
	struct lurk_layout *base = lurk_own_layout_base(file->own);
	struct lurk_message unused;

	tell_put_text(object, "layout", lurk_own_layout_name(file->own));
	tell_put_text(object, "words", lurk_own_layout_words(file->own));
	tell_put_text(object, "base", base ? lurk_layout_name(base) : NULL);
	tell_put_text(object, "file", file->path);
	if (package)
		put_package(object, package);
	tell_put_flag(object, "edited_here", lurk_own_layout_edits(file->own, &unused));
	tell_put_text(object, "desktops",
		      tell_own_installed(lurk_own_layout_is_installed(ws, file)));
	if (lurk_own_layout_is_everybodys(ws))
		tell_put_text(object, "x_server",
			      tell_own_installed(lurk_own_layout_is_the_servers(file)));
	lurk_own_layout_changes(file->own, add_change, changes);
	json_object_object_add(object, "changes", changes);
	lurk_own_layout_sequences(file->own, add_sequence, sequences);
	json_object_object_add(object, "after_dead_keys", sequences);
	lurk_own_layout_judge(file->own, add_finding, &findings);
	json_object_object_add(object, "findings", findings.array);
	*needed = findings.needed;
	return object;
}
