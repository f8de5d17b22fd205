#include "lurk/work/own_layouts.h"

#include <dirent.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "work/home.h"
#include "work/noted.h"

/* ---- Where they are -------------------------------------------------------------------------- */

const char *lurk_own_layout_installed_folder(const struct lurk_workspace *ws, char out[LURK_PATH])
{
	if (ws->desk)
		snprintf(out, LURK_PATH, "%s/xkb", ws->desk);
	else
		lurk_home_path(out, LURK_PATH, "XDG_CONFIG_HOME", ".config", "xkb", "/etc/xkb");
	return out;
}

static const char *path_in(const char *folder, const char *name, char out[LURK_PATH])
{
	snprintf(out, LURK_PATH, "%.*s/symbols/%.40s", LURK_PATH - 64, folder, name);
	return out;
}

static const char *menu_in(const char *folder, char out[LURK_PATH])
{
	snprintf(out, LURK_PATH, "%.*s/rules/evdev.xml", LURK_PATH - 64, folder);
	return out;
}

/* ---- Opening --------------------------------------------------------------------------------- */

void lurk_own_layout_file_close(struct lurk_own_layout_file *file)
{
	lurk_own_layout_close(file->own);
	lurk_release(file->seen.bytes);
	memset(file, 0, sizeof *file);
}

/* What a file is as it is now; a missing one is none. */
static bool see(const char *path, struct lurk_file_seen *seen, struct lurk_message *message)
{
	*seen = (struct lurk_file_seen){false, NULL, 0};
	return lurk_file_read(path, &seen->bytes, &seen->length, &seen->exists, message) ||
	       !seen->exists;
}

enum lurk_went lurk_own_layout_file_open(struct lurk_workspace *ws, const char *name,
					 struct lurk_own_layout_file *file,
					 struct lurk_message *message)
{
	const char *folder = ws->layout.folder;
	struct lurk_message why;

	memset(file, 0, sizeof *file);
	if (!lurk_own_layout_is_name(name) || access(path_in(folder, name, file->path), F_OK)) {
		lurk_say(
			message,
			"you have no layout `%.60s`; `lurk layout` lists yours, `lurk layout begin "
			"NAME` makes one",
			name);
		return LURK_ASKED_WRONGLY;
	}
	if (ws->editing && !ws->lock)
		ws->lock = lurk_file_lock(file->path) + 1;
	if (!see(file->path, &file->seen, message))
		return LURK_COULD_NOT;
	file->own = lurk_own_layout_read(folder, name, file->seen.bytes, file->seen.length, &why);
	if (!file->own) {
		lurk_say(message, "%.300s: %.400s", file->path, why.text);
		lurk_own_layout_file_close(file);
		return LURK_COULD_NOT;
	}
	return LURK_DONE;
}

static bool is_new(const char *path, struct lurk_message *message)
{
	return access(path, F_OK) ||
	       lurk_say(message, "%s is there already; `lurk layout show` says what it types",
			path);
}

enum lurk_went lurk_own_layout_file_save(struct lurk_workspace *ws,
					 struct lurk_own_layout_file *file, const char *summary,
					 struct lurk_message *message)
{
	size_t length;
	const char *text = lurk_own_layout_text(file->own, &length);

	return lurk_workspace_put(ws, file->path, text, length, &file->seen, summary, message)
		       ? LURK_DONE
		       : LURK_COULD_NOT;
}

enum lurk_went lurk_own_layout_file_begin(struct lurk_workspace *ws, const char *name,
					  const char *base, const char *words,
					  struct lurk_own_layout_file *file,
					  struct lurk_message *message)
{
	struct lurk_layout *used;
	const char *folder = ws->layout.folder;
	char summary[128];
	enum lurk_went went;

	memset(file, 0, sizeof *file);
	if (!lurk_own_layout_may_be_called(name, message))
		return LURK_ASKED_WRONGLY;
	used = base ? NULL : lurk_layout_chosen(&ws->layout);
	if (!base && !used) {
		lurk_say(message, "no layout is known here; say which one to begin from, such as "
				  "--from gb");
		return LURK_ASKED_WRONGLY;
	}
	if (!is_new(path_in(folder, name, file->path), message))
		return LURK_COULD_NOT;
	file->own = lurk_own_layout_begin(folder, name, base ? base : lurk_layout_name(used), words,
					  message);
	if (!file->own)
		return LURK_ASKED_WRONGLY;
	snprintf(summary, sizeof summary, "the layout %s", name);
	went = lurk_own_layout_file_save(ws, file, summary, message);
	if (went != LURK_DONE)
		lurk_own_layout_file_close(file);
	return went;
}

/* Read where it is alone, as it will be read where it goes. */
static bool is_layout(const char *name, const char *bytes, size_t length,
		      struct lurk_message *message)
{
	char folder[] = "/tmp/lurk-layout-XXXXXX", path[LURK_PATH];
	struct lurk_own_layout *own = NULL;

	if (!mkdtemp(folder))
		return lurk_say(message, "no room in /tmp");
	if (lurk_file_write(path_in(folder, name, path), bytes, length, message))
		own = lurk_own_layout_read(folder, name, bytes, length, message);
	unlink(path);
	snprintf(path, sizeof path, "%s/symbols", folder);
	rmdir(path);
	rmdir(folder);
	lurk_own_layout_close(own);
	return own != NULL;
}

enum lurk_went lurk_own_layout_file_take(struct lurk_workspace *ws, const char *from,
					 const char *name, struct lurk_own_layout_file *file,
					 struct lurk_message *message)
{
	const char *slash = strrchr(from, '/');
	const struct lurk_file_seen none = {false, NULL, 0};
	char path[LURK_PATH], summary[128];
	struct lurk_file_seen seen;
	struct lurk_message why;
	enum lurk_went went = LURK_COULD_NOT;

	memset(file, 0, sizeof *file);
	name = name ? name : slash ? slash + 1 : from;
	if (!lurk_own_layout_may_be_called(name, message))
		return LURK_ASKED_WRONGLY;
	if (!see(from, &seen, message))
		return LURK_COULD_NOT;
	path_in(ws->layout.folder, name, path);
	snprintf(summary, sizeof summary, "the layout %.40s", name);
	if (!seen.exists)
		lurk_say(message, "%.600s: there is no such file", from);
	else if (!is_layout(name, seen.bytes, seen.length, &why))
		lurk_say(message, "%.300s: %.400s", from, why.text);
	else if (is_new(path, message) &&
		 lurk_workspace_put(ws, path, seen.bytes, seen.length, &none, summary, message))
		went = lurk_own_layout_file_open(ws, name, file, message);
	lurk_release(seen.bytes);
	return went;
}

static int is_file_name(const struct dirent *entry)
{
	return lurk_own_layout_is_name(entry->d_name);
}

static void each_in(const char *folder, void (*tell)(void *data, const char *name), void *data)
{
	char path[LURK_PATH];
	struct dirent **entries = NULL;
	int count;

	path_in(folder, "", path);
	count = scandir(path, &entries, is_file_name, alphasort);
	for (int i = 0; i < count; i++) {
		tell(data, entries[i]->d_name);
		free(entries[i]);
	}
	free(entries);
}

void lurk_own_layout_files_each(const struct lurk_workspace *ws,
				void (*tell)(void *data, const char *name), void *data)
{
	each_in(ws->layout.folder, tell, data);
}

/* ---- Installing ------------------------------------------------------------------------------ */

static bool is_same(const struct lurk_file_seen *seen, const char *bytes, size_t length)
{
	return seen->exists && seen->length == length && !memcmp(seen->bytes, bytes, length);
}

enum lurk_own_layout_installed lurk_own_layout_is_installed(const struct lurk_workspace *ws,
							    const struct lurk_own_layout_file *file)
{
	char folder[LURK_PATH], path[LURK_PATH];
	struct lurk_file_seen seen;
	struct lurk_message unused;
	enum lurk_own_layout_installed is;
	size_t length;
	const char *text = lurk_own_layout_text(file->own, &length);

	lurk_own_layout_installed_folder(ws, folder);
	see(path_in(folder, lurk_own_layout_name(file->own), path), &seen, &unused);
	is = is_same(&seen, text, length) ? LURK_OWN_INSTALLED
	     : seen.exists                ? LURK_OWN_INSTALLED_OTHERWISE
					  : LURK_OWN_NOT_INSTALLED;
	lurk_release(seen.bytes);
	return is;
}

/* What a file that is installed begins as; "" where nobody can tell. */
static void base_of(const char *folder, const char *name, const struct lurk_file_seen *seen,
		    char base[64])
{
	struct lurk_message unused;
	struct lurk_own_layout *own =
		seen->exists && seen->bytes
			? lurk_own_layout_read(folder, name, seen->bytes, seen->length, &unused)
			: NULL;
	struct lurk_layout *layout = own ? lurk_own_layout_base(own) : NULL;

	snprintf(base, 64, "%s", layout ? lurk_layout_name(layout) : "");
	lurk_own_layout_close(own);
}

/* An earlier version begins from the same layout; anything else under its name is somebody's. */
static bool may_replace(const char *folder, const struct lurk_own_layout_file *file,
			const struct lurk_file_seen *seen, const char *path,
			struct lurk_message *message)
{
	struct lurk_layout *mine = lurk_own_layout_base(file->own);
	char theirs[64];

	if (!seen->exists)
		return true;
	base_of(folder, lurk_own_layout_name(file->own), seen, theirs);
	return (mine && !strcmp(lurk_layout_name(mine), theirs)) ||
	       lurk_say(message,
			"%.500s is there already, and no earlier version of yours; take it away "
			"first, or begin yours under another name",
			path);
}

/* Two with the same words could not be told apart in a menu, nor could their texts. */
static bool is_only_one(const struct lurk_own_layout *own, struct lurk_message *message)
{
	const char *words = lurk_own_layout_words(own);
	char other[64];

	return !lurk_layouts_called(words, other) || !strcmp(other, lurk_own_layout_name(own)) ||
	       lurk_say(message,
			"menus call %s \"%s\" as well; give this one another name[Group1] in its "
			"file",
			other, words);
}

/* Read where desktops will: what it begins from may be another one's own that is not there. */
static bool is_whole(const char *folder, const struct lurk_own_layout_file *file,
		     struct lurk_message *message)
{
	size_t length;
	const char *name = lurk_own_layout_name(file->own),
		   *text = lurk_own_layout_text(file->own, &length);
	struct lurk_layout *base = lurk_own_layout_base(file->own);
	struct lurk_message why;
	struct lurk_own_layout *there = lurk_own_layout_read(folder, name, text, length, &why);
	const bool whole = there && (!base || lurk_own_layout_base(there));

	lurk_own_layout_close(there);
	if (whole)
		return true;
	if (base && lurk_own_layout_is_name(lurk_layout_name(base)))
		return lurk_say(message,
				"%s begins as %s, which desktops do not have; `lurk layout install "
				"%s` first",
				name, lurk_layout_name(base), lurk_layout_name(base));
	return lurk_say(message, "desktops could not read %s: %.400s", name, why.text);
}

/* Which of those that desktops have begins as another. */
struct needing {
	const char *folder, *name;
	char by[LURK_OWN_NAME];
};

static void look_for_need(void *data, const char *name)
{
	struct needing *needing = data;
	char path[LURK_PATH], base[64];
	struct lurk_file_seen seen;
	struct lurk_message unused;

	if (!strcmp(name, needing->name))
		return;
	see(path_in(needing->folder, name, path), &seen, &unused);
	base_of(needing->folder, name, &seen, base);
	if (!strcmp(base, needing->name))
		snprintf(needing->by, sizeof needing->by, "%.31s", name);
	lurk_release(seen.bytes);
}

static enum lurk_went put(struct lurk_workspace *ws, const char *path, const char *bytes,
			  const struct lurk_file_seen *seen, const char *summary,
			  struct lurk_message *message)
{
	const size_t length = bytes ? strlen(bytes) : 0;

	if (bytes ? is_same(seen, bytes, length) : !seen->exists)
		return LURK_FOUND;
	return lurk_workspace_put(ws, path, bytes, length, seen, summary, message) ? LURK_DONE
										   : LURK_COULD_NOT;
}

/* Done where any of two steps was. */
static enum lurk_went both(enum lurk_went first, enum lurk_went then)
{
	return then == LURK_FOUND ? first : then;
}

enum lurk_went lurk_own_layout_install(struct lurk_workspace *ws,
				       const struct lurk_own_layout_file *file,
				       struct lurk_message *message)
{
	char folder[LURK_PATH], path[LURK_PATH], menu_path[LURK_PATH], summary[128];
	struct lurk_file_seen layout = {false, NULL, 0}, menu = {false, NULL, 0};
	enum lurk_went went = LURK_COULD_NOT, then;
	struct lurk_message why;
	char *list = NULL;
	size_t length;
	const char *text = lurk_own_layout_text(file->own, &length);

	ws->one_step = true;
	lurk_own_layout_installed_folder(ws, folder);
	path_in(folder, lurk_own_layout_name(file->own), path);
	menu_in(folder, menu_path);
	snprintf(summary, sizeof summary, "the layout %s in menus",
		 lurk_own_layout_name(file->own));
	if (is_only_one(file->own, message) && is_whole(folder, file, message) &&
	    see(path, &layout, message) && may_replace(folder, file, &layout, path, message) &&
	    see(menu_path, &menu, message)) {
		list = lurk_menu_with(menu.exists ? menu.bytes : NULL, file->own, &why);
		if (!list)
			lurk_say(message, "%.300s: %.400s; nothing is installed", menu_path,
				 why.text);
		else
			went = put(ws, path, text, &layout, summary, message);
		if (list && went != LURK_COULD_NOT) {
			then = put(ws, menu_path, list, &menu, summary, message);
			went = both(went, then);
		}
	}
	lurk_release(list);
	lurk_release(layout.bytes);
	lurk_release(menu.bytes);
	return went;
}

enum lurk_went lurk_own_layout_uninstall(struct lurk_workspace *ws, const char *name,
					 struct lurk_message *message)
{
	char folder[LURK_PATH], path[LURK_PATH], menu_path[LURK_PATH], summary[128];
	struct lurk_file_seen layout = {false, NULL, 0}, menu = {false, NULL, 0};
	struct needing needing = {folder, name, ""};
	enum lurk_went went = LURK_COULD_NOT;
	char *list = NULL;

	if (!lurk_own_layout_is_name(name)) {
		lurk_say(message, "`%.60s` is no name for a layout", name);
		return LURK_ASKED_WRONGLY;
	}
	ws->one_step = true;
	lurk_own_layout_installed_folder(ws, folder);
	each_in(folder, look_for_need, &needing);
	if (*needing.by) {
		lurk_say(message, "%s begins as %s: `lurk layout uninstall %s` first", needing.by,
			 name, needing.by);
		return LURK_COULD_NOT;
	}
	path_in(folder, name, path);
	menu_in(folder, menu_path);
	snprintf(summary, sizeof summary, "the layout %s out of menus", name);
	if (see(path, &layout, message) && see(menu_path, &menu, message)) {
		went = LURK_FOUND;
		list = menu.exists ? lurk_menu_without(menu.bytes, name) : NULL;
		if (list)
			went = put(ws, menu_path, *list ? list : NULL, &menu, summary, message);
		if (went != LURK_COULD_NOT)
			went = both(went, put(ws, path, NULL, &layout, summary, message));
	}
	if (went == LURK_FOUND)
		lurk_say(message, "no layout `%s` is installed in %.500s", name, folder);
	lurk_release(list);
	lurk_release(layout.bytes);
	lurk_release(menu.bytes);
	return went;
}
