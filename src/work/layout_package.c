#include "lurk/work/layout_package.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "work/noted.h"
#include "work/own_places.h"

enum { ABOUT_MOST = 300 };

/* ---- Reading --------------------------------------------------------------------------------- */

void lurk_layout_package_free(struct lurk_layout_package *package)
{
	if (package->has_profile)
		lurk_profile_free(&package->profile);
	lurk_keyboards_free(&package->keyboards);
	lurk_yaml_free(&package->yaml);
	lurk_ldml_free(&package->ldml);
	lurk_release(package->left);
	memset(package, 0, sizeof *package);
}

static uint16_t ask_nobody(void *data, const char *name)
{
	(void)data;
	(void)name;
	return LURK_KEYBOARD_UNKNOWN;
}

/* By its file, without the ending of a form that layouts are sent in; a package says it itself. */
static void name_of(const char *path, char name[LURK_OWN_NAME])
{
	const char *slash = strrchr(path, '/'), *dot;

	snprintf(name, LURK_OWN_NAME, "%.31s", slash ? slash + 1 : path);
	dot = strrchr(name, '.');
	if (dot && (!strcmp(dot, ".yaml") || !strcmp(dot, ".xml")))
		name[dot - name] = '\0';
}

/* Some files have the same in them thousands of times. */
static void add_left(void *data, const char *sentence)
{
	enum { MOST = 8192 };
	char **left = data, *more;

	if (*left && strlen(*left) > MOST)
		return;
	more = lurk_print("%s%s%s", *left ? *left : "", *left ? "\n" : "",
			  *left && strlen(*left) + strlen(sentence) > MOST ? "and more" : sentence);
	lurk_release(*left);
	*left = more;
}

static bool read_ldml(struct lurk_layout_package *package, const char *path, const char *bytes,
		      size_t length, struct lurk_message *message)
{
	struct lurk_message why;

	if (!lurk_ldml_read(&package->ldml, bytes, length, add_left, &package->left, &why))
		return lurk_say(message, "%.300s: %.400s", path, why.text);
	package->symbols = package->ldml.symbols;
	package->compose = package->ldml.compose;
	if (*package->ldml.name)
		snprintf(package->name, sizeof package->name, "%s", package->ldml.name);
	return true;
}

/* Whether a line begins with the word that only packages have. */
static bool is_package(const char *bytes)
{
	static const char word[] = "lurk-layout:";

	for (const char *at = bytes; (at = strstr(at, word)); at++) {
		if (at == bytes || at[-1] == '\n')
			return true;
	}
	return false;
}

static const char *text_of(const struct lurk_yaml *yaml, const char *field)
{
	const struct lurk_node *node = lurk_node_get(yaml->root, field);

	return node && node->kind == LURK_NODE_SCALAR ? node->text : "";
}

static bool are_texts(const struct lurk_yaml *yaml, struct lurk_message *message)
{
	for (const struct lurk_node *node = yaml->root->first; node; node = node->next) {
		if (node->kind != LURK_NODE_SCALAR)
			return lurk_yaml_say(yaml, node, message, "`%s:` takes one text",
					     node->key->text);
	}
	return true;
}

static bool is_one_line(const struct lurk_yaml *yaml, const char *field,
			struct lurk_message *message)
{
	const struct lurk_node *node = lurk_node_get(yaml->root, field);
	struct lurk_message seen;

	if (!node)
		return true;
	snprintf(seen.text, sizeof seen.text, "%s", node->text);
	lurk_make_harmless(seen.text);
	return (strlen(node->text) < ABOUT_MOST && !strcmp(seen.text, node->text)) ||
	       lurk_yaml_say(yaml, node, message, "`%s:` takes one line, at most %d bytes", field,
			     ABOUT_MOST - 1);
}

static bool read_fields(struct lurk_layout_package *package, struct lurk_message *message)
{
	static const char *const fields[] = {"lurk-layout", "name",    "about",   "keyboard",
					     "symbols",     "compose", "profile", NULL};
	const struct lurk_yaml *yaml = &package->yaml;
	const struct lurk_node *version = lurk_node_get(yaml->root, "lurk-layout");

	if (!yaml->root || yaml->root->kind != LURK_NODE_MAP)
		return lurk_say(message, "%s: it is no layout's package", yaml->path);
	if (!lurk_yaml_fields(yaml, yaml->root, "a layout's package", fields, message) ||
	    !are_texts(yaml, message))
		return false;
	if (!version || strcmp(version->text, "1") != 0)
		return lurk_say(message, "%s: `lurk-layout:` is 1 in those that this Lurk reads",
				yaml->path);
	if (!*text_of(yaml, "symbols"))
		return lurk_say(message, "%s: it has no layout: `symbols:` is its XKB symbols file",
				yaml->path);
	if (!is_one_line(yaml, "about", message) || !is_one_line(yaml, "keyboard", message))
		return false;
	snprintf(package->name, sizeof package->name, "%.31s", text_of(yaml, "name"));
	package->about = text_of(yaml, "about");
	package->keyboard = text_of(yaml, "keyboard");
	package->symbols = text_of(yaml, "symbols");
	package->compose = text_of(yaml, "compose");
	return true;
}

bool lurk_layout_package_read(struct lurk_layout_package *package, const char *path,
			      const char *bytes, size_t length, struct lurk_message *message)
{
	memset(package, 0, sizeof *package);
	package->about = package->keyboard = package->compose = "";
	package->keyboards.ask = ask_nobody;
	name_of(path, package->name);
	if (memchr(bytes, '\0', length))
		return lurk_say(message, "%.300s: it is no text", path);
	if (lurk_ldml_is(bytes))
		return read_ldml(package, path, bytes, length, message);
	if (is_package(bytes))
		return lurk_yaml_parse(&package->yaml, path, lurk_copy(bytes, length), length,
				       message) &&
		       read_fields(package, message);
	package->yaml.bytes = lurk_copy(bytes, length);
	package->symbols = package->yaml.bytes;
	return true;
}

/* ---- Looking into it ------------------------------------------------------------------------- */

/* Read where it is alone, as it will be read where it goes. */
static struct lurk_own_layout *read_alone(const char *name, const char *symbols,
					  struct lurk_message *message)
{
	char folder[] = "/tmp/lurk-layout-XXXXXX", path[LURK_PATH];
	struct lurk_own_layout *own = NULL;
	const size_t length = strlen(symbols);

	if (!mkdtemp(folder)) {
		lurk_say(message, "no room in /tmp");
		return NULL;
	}
	if (lurk_file_write(lurk_own_path(folder, name, path), symbols, length, message))
		own = lurk_own_layout_read(folder, name, symbols, length, message);
	unlink(path);
	snprintf(path, sizeof path, "%s/symbols", folder);
	rmdir(path);
	rmdir(folder);
	return own;
}

static bool read_rules(struct lurk_layout_package *package, const char *path,
		       struct lurk_own_layout *own, struct lurk_message *message)
{
	const char *text = text_of(&package->yaml, "profile");
	const struct lurk_characters characters = lurk_layout_characters(lurk_own_layout(own));
	struct lurk_message why;

	if (!*text)
		return true;
	package->has_profile =
		lurk_profile_read(&package->profile, "profile", lurk_copy(text, strlen(text)),
				  strlen(text), &package->keyboards, &characters, &why);
	return package->has_profile ||
	       lurk_say(message, "%.300s: its rules: %.400s", path, why.text);
}

enum lurk_went lurk_layout_package_open(struct lurk_layout_package *package, const char *path,
					const char *name, struct lurk_own_layout_file *file,
					struct lurk_message *message)
{
	struct lurk_message why;

	memset(file, 0, sizeof *file);
	name = name ? name : package->name;
	if (!lurk_own_layout_may_be_called(name, message))
		return LURK_ASKED_WRONGLY;
	snprintf(file->path, sizeof file->path, "%s", path);
	file->own = read_alone(name, package->symbols, &why);
	if (!file->own)
		lurk_say(message, "%.300s: %.400s", path, why.text);
	else if (!lurk_own_layout_take_compose(file->own, package->compose,
					       strlen(package->compose), &why))
		lurk_say(message, "%.300s: after dead keys: %.400s", path, why.text);
	else if (read_rules(package, path, file->own, message))
		return LURK_DONE;
	lurk_own_layout_file_close(file);
	return LURK_COULD_NOT;
}

/* ---- Taking it ------------------------------------------------------------------------------- */

/* Not beside one's own profiles, which are all read together: its keyboards may be nobody's here.
 */
static void profile_path(const struct lurk_workspace *ws, const char *name, char path[LURK_PATH])
{
	snprintf(path, LURK_PATH, "%.*s/rules/%.31s.yaml", LURK_PATH - 64, ws->layout.folder, name);
}

static bool put(struct lurk_workspace *ws, const char *path, const char *text, const char *summary,
		struct lurk_message *message)
{
	const struct lurk_file_seen none = {false, NULL, 0};

	return !*text || lurk_workspace_put(ws, path, text, strlen(text), &none, summary, message);
}

/* All that is to be new; profile is "" for none. */
static bool put_all(struct lurk_workspace *ws, const struct lurk_layout_package *package,
		    const char *name, const char *profile, struct lurk_message *message)
{
	char path[LURK_PATH], compose[LURK_PATH], summary[128];

	ws->one_step = true;
	snprintf(summary, sizeof summary, "the layout %.40s", name);
	lurk_own_path(ws->layout.folder, name, path);
	lurk_own_compose_path(ws->layout.folder, name, compose);
	return lurk_own_is_new(path, "`lurk layout show` says what it types", message) &&
	       lurk_own_is_new(compose, "take it away first", message) &&
	       (!*profile ||
		lurk_own_is_new(profile, "take the layout under another name", message)) &&
	       put(ws, path, package->symbols, summary, message) &&
	       put(ws, compose, package->compose, summary, message) &&
	       (!*profile ||
		put(ws, profile, text_of(&package->yaml, "profile"), summary, message));
}

enum lurk_went lurk_layout_package_take(struct lurk_workspace *ws, const char *path,
					const char *name, struct lurk_own_layout_file *file,
					char profile[LURK_PATH], struct lurk_message *message)
{
	struct lurk_layout_package package;
	struct lurk_file_seen seen;
	char called[LURK_OWN_NAME];
	enum lurk_went went = LURK_COULD_NOT;

	memset(file, 0, sizeof *file);
	*profile = '\0';
	if (!lurk_own_see(path, &seen, message))
		return LURK_COULD_NOT;
	if (!seen.exists) {
		name_of(path, called);
		if (!lurk_own_layout_may_be_called(name ? name : called, message))
			return LURK_ASKED_WRONGLY;
		lurk_say(message, "%.600s: there is no such file", path);
		return LURK_COULD_NOT;
	}
	if (lurk_layout_package_read(&package, path, seen.bytes, seen.length, message))
		went = lurk_layout_package_open(&package, path, name, file, message);
	if (went == LURK_DONE) {
		snprintf(called, sizeof called, "%s", lurk_own_layout_name(file->own));
		lurk_own_layout_file_close(file);
		if (package.has_profile)
			profile_path(ws, called, profile);
		went = lurk_workspace_whole(ws, put_all(ws, &package, called, profile, message)
							? LURK_DONE
							: LURK_COULD_NOT);
		if (went == LURK_DONE)
			went = lurk_own_layout_file_open(ws, called, file, message);
	}
	lurk_layout_package_free(&package);
	lurk_release(seen.bytes);
	return went;
}

/* ---- Writing one ----------------------------------------------------------------------------- */

/* A folder that is not there is a mistake in the path. */
static bool has_folder(const char *path, struct lurk_message *message)
{
	const char *slash = strrchr(path, '/');
	char folder[LURK_PATH];

	snprintf(folder, sizeof folder, "%.*s", slash ? (int)(slash - path) : 0, path);
	return !*folder || access(folder, F_OK) == 0 ||
	       lurk_say(message, "%s: there is no folder %s", path, folder);
}

/* What they need besides would be missing where they go. */
static bool stand_alone(const struct lurk_profile_file *rules, struct lurk_message *message)
{
	const char *path = rules->yaml.path;

	if (!rules->count)
		return lurk_say(message, "%s has no rules that could go along", path);
	if (*rules->based_on)
		return lurk_say(message,
				"%s is based on %.40s, which would not go along; rules that go "
				"along are based on none",
				path, rules->based_on);
	for (uint32_t i = 0; i < rules->count; i++) {
		const struct lurk_result *gives = &rules->rules[i].gives;

		if (gives->kind == LURK_GIVES_PROFILE)
			return lurk_say(message,
					"%s: a key of it leads to the profile %.*s, which would "
					"not go along; `--profile` takes another's rules",
					path, (int)gives->text.length, gives->text.bytes);
	}
	return true;
}

static const char *or_none(const char *text)
{
	return text && *text ? text : NULL;
}

enum lurk_went lurk_layout_package_write(const struct lurk_own_layout_file *file, const char *about,
					 const char *keyboard,
					 const struct lurk_profile_file *rules, const char *path,
					 struct lurk_message *message)
{
	const struct lurk_file_seen none = {false, NULL, 0};
	struct lurk_layout_package package;
	struct lurk_own_layout_file again;
	size_t length;
	const char *const pairs[] = {"lurk-layout", "1",
				     "name",        lurk_own_layout_name(file->own),
				     "about",       or_none(about),
				     "keyboard",    or_none(keyboard),
				     "symbols",     lurk_own_layout_text(file->own, &length),
				     "compose",     or_none(lurk_own_layout_compose(file->own)),
				     "profile",     rules ? rules->yaml.bytes : NULL};
	char *text = lurk_yaml_write(pairs, sizeof pairs / sizeof *pairs / 2);
	enum lurk_went went = LURK_COULD_NOT;

	if ((rules && !stand_alone(rules, message)) || !has_folder(path, message) ||
	    !lurk_own_is_new(path, "write it under another name", message)) {
		lurk_release(text);
		return LURK_COULD_NOT;
	}
	if (!text) {
		lurk_say(message, "it has characters in it that YAML cannot say");
		return LURK_COULD_NOT;
	}
	/* As whoever gets it will read it. */
	if (lurk_layout_package_read(&package, path, text, strlen(text), message))
		went = lurk_layout_package_open(&package, path, NULL, &again, message);
	if (went == LURK_DONE) {
		lurk_own_layout_file_close(&again);
		if (!lurk_file_replace(path, text, strlen(text), &none, message))
			went = LURK_COULD_NOT;
	}
	lurk_layout_package_free(&package);
	lurk_release(text);
	return went;
}

enum lurk_went lurk_layout_package_write_ldml(const struct lurk_own_layout_file *file,
					      const char *path, char **left,
					      struct lurk_message *message)
{
	const struct lurk_file_seen none = {false, NULL, 0};
	char *text;
	bool fine;

	*left = NULL;
	if (!has_folder(path, message) ||
	    !lurk_own_is_new(path, "write it under another name", message))
		return LURK_COULD_NOT;
	text = lurk_ldml_write(file->own, add_left, left);
	fine = lurk_file_replace(path, text, strlen(text), &none, message);
	lurk_release(text);
	if (fine)
		return LURK_DONE;
	lurk_release(*left);
	*left = NULL;
	return LURK_COULD_NOT;
}
