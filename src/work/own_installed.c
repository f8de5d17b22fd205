/* How desktops, the X server and the text console get a layout of one's own, and are rid of it. */
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/work/own_layouts.h"
#include "work/home.h"
#include "work/noted.h"
#include "work/own_places.h"

/* ---- Places ---------------------------------------------------------------------------------- */

/* A folder as XKB has them, what stands there under the layout's name, and the list for menus. */
struct place {
	char folder[LURK_PATH], path[LURK_PATH], menu[LURK_PATH];
	struct lurk_file_seen layout, list;
	char *with; /* the list with it, where it is to be put in */
};

/* The one that libxkbcommon reads first, then the one that the X server and the text console know
 * alone, which is there for what everybody has. */
enum { ADDED, SYSTEM, PLACES };

const char *lurk_own_layout_installed_folder(const struct lurk_workspace *ws, char out[LURK_PATH])
{
	char everybodys[LURK_PATH];

	if (ws->desk) {
		snprintf(out, LURK_PATH, "%s/xkb", ws->desk);
	} else {
		lurk_layouts_added_folder(everybodys);
		lurk_home_path(out, LURK_PATH, "XDG_CONFIG_HOME", ".config", "xkb", everybodys);
	}
	return out;
}

bool lurk_own_layout_is_everybodys(const struct lurk_workspace *ws)
{
	char folder[LURK_PATH], everybodys[LURK_PATH];

	lurk_layouts_added_folder(everybodys);
	return !ws->desk && !strcmp(lurk_own_layout_installed_folder(ws, folder), everybodys);
}

/* False where there is none, or it is for reading only. */
static bool find_folder(const struct lurk_workspace *ws, unsigned which, char out[LURK_PATH])
{
	char symbols[LURK_PATH + 16], added[LURK_PATH];

	lurk_own_layout_installed_folder(ws, which == ADDED ? out : added);
	if (which == ADDED)
		return true;
	lurk_layouts_system_folder(out);
	snprintf(symbols, sizeof symbols, "%s/symbols", out);
	return lurk_own_layout_is_everybodys(ws) && strcmp(out, added) != 0 &&
	       access(symbols, W_OK) == 0;
}

static void leave(struct place *place)
{
	lurk_release(place->layout.bytes);
	lurk_release(place->list.bytes);
	lurk_release(place->with);
}

/* What is there now. */
static bool look(const char *folder, const char *name, struct place *place,
		 struct lurk_message *message)
{
	memset(place, 0, sizeof *place);
	snprintf(place->folder, sizeof place->folder, "%s", folder);
	lurk_own_path(folder, name, place->path);
	snprintf(place->menu, sizeof place->menu, "%.*s/rules/evdev.xml", LURK_PATH - 64, folder);
	if (lurk_own_see(place->path, &place->layout, message) &&
	    lurk_own_see(place->menu, &place->list, message))
		return true;
	leave(place);
	memset(place, 0, sizeof *place);
	return false;
}

/* ---- Asking ---------------------------------------------------------------------------------- */

static bool is_same(const struct lurk_file_seen *seen, const char *bytes, size_t length)
{
	return seen->exists && seen->length == length && !memcmp(seen->bytes, bytes, length);
}

static enum lurk_own_layout_installed is_in(const char *folder,
					    const struct lurk_own_layout_file *file)
{
	char path[LURK_PATH];
	struct lurk_file_seen seen;
	struct lurk_message unused;
	enum lurk_own_layout_installed is;
	size_t length;
	const char *text = lurk_own_layout_text(file->own, &length);

	lurk_own_see(lurk_own_path(folder, lurk_own_layout_name(file->own), path), &seen, &unused);
	is = is_same(&seen, text, length) ? LURK_OWN_INSTALLED
	     : seen.exists                ? LURK_OWN_INSTALLED_OTHERWISE
					  : LURK_OWN_NOT_INSTALLED;
	lurk_release(seen.bytes);
	return is;
}

enum lurk_own_layout_installed
lurk_own_layout_is_the_servers(const struct lurk_own_layout_file *file)
{
	char folder[LURK_PATH];

	lurk_layouts_system_folder(folder);
	return is_in(folder, file);
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

/* ---- Whether it may be ----------------------------------------------------------------------- */

/* An earlier version begins from the same layout; anything else under its name is somebody's. */
static bool may_replace(const struct place *place, struct lurk_own_layout *own,
			struct lurk_message *message)
{
	struct lurk_layout *mine = lurk_own_layout_base(own);
	char theirs[64];

	if (!place->layout.exists)
		return true;
	base_of(place->folder, lurk_own_layout_name(own), &place->layout, theirs);
	return (mine && !strcmp(lurk_layout_name(mine), theirs)) ||
	       lurk_say(message,
			"%.500s is there already, and no earlier version of yours; take it away "
			"first, or begin yours under another name",
			place->path);
}

/* Two with the same words could not be told apart in a menu, nor could their texts. */
static bool is_only_one(struct lurk_own_layout *own, struct lurk_message *message)
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
static bool is_whole(const char *folder, struct lurk_own_layout *own, struct lurk_message *message)
{
	size_t length;
	const char *name = lurk_own_layout_name(own), *text = lurk_own_layout_text(own, &length);
	struct lurk_layout *base = lurk_own_layout_base(own);
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
	lurk_own_see(lurk_own_path(needing->folder, name, path), &seen, &unused);
	base_of(needing->folder, name, &seen, base);
	if (!strcmp(base, needing->name))
		snprintf(needing->by, sizeof needing->by, "%.31s", name);
	lurk_release(seen.bytes);
}

/* ---- Putting --------------------------------------------------------------------------------- */

/* Who puts what in: a person, whose steps are noted, or a package, which notes none. */
struct putting {
	struct lurk_workspace *ws;
	bool unnoted;
	char summary[128];
	struct lurk_message *message;
};

static bool put_unnoted(const char *path, const char *bytes, size_t length,
			const struct lurk_file_seen *seen, struct lurk_message *message)
{
	return bytes ? lurk_file_replace(path, bytes, length, seen, message)
		     : lurk_file_remove(path, seen, message);
}

/* Others who install, or edit one's own, are waited for. */
static void wait_for_others(struct lurk_workspace *ws, const char *name)
{
	char path[LURK_PATH];

	if (!ws->lock)
		ws->lock = lurk_file_lock(lurk_own_path(ws->layout.folder, name, path)) + 1;
}

/* What everybody has everybody may read, whatever root's own files are like. */
static enum lurk_went put(struct putting *putting, const char *path, const char *bytes,
			  const struct lurk_file_seen *seen)
{
	const size_t length = bytes ? strlen(bytes) : 0;
	const bool everybodys = lurk_own_layout_is_everybodys(putting->ws);
	mode_t mask = 0;
	bool done;

	if (bytes ? is_same(seen, bytes, length) : !seen->exists)
		return LURK_FOUND;
	if (everybodys)
		mask = umask(S_IWGRP | S_IWOTH);
	done = putting->unnoted ? put_unnoted(path, bytes, length, seen, putting->message)
				: lurk_workspace_put(putting->ws, path, bytes, length, seen,
						     putting->summary, putting->message);
	if (everybodys)
		umask(mask);
	return done ? LURK_DONE : LURK_COULD_NOT;
}

/* Two steps: done where any of them was, and none after one that could not be. */
static enum lurk_went both(enum lurk_went first, enum lurk_went then)
{
	return first == LURK_COULD_NOT || then == LURK_FOUND ? first : then;
}

/* What is there, and what is to be: false where that may not be. */
static bool prepare(const char *folder, struct lurk_own_layout *own, struct place *place,
		    struct lurk_message *message)
{
	struct lurk_message why;

	if (!look(folder, lurk_own_layout_name(own), place, message) ||
	    !may_replace(place, own, message))
		return false;
	place->with = lurk_menu_with(place->list.exists ? place->list.bytes : NULL, own, &why);
	return place->with ||
	       lurk_say(message, "%.300s: %.400s; nothing is installed", place->menu, why.text);
}

/* The layout, then its entry. */
static enum lurk_went put_in(struct putting *putting, const struct place *place,
			     const struct lurk_own_layout *own)
{
	size_t length;
	const char *text = lurk_own_layout_text(own, &length);
	const enum lurk_went went = put(putting, place->path, text, &place->layout);

	return went == LURK_COULD_NOT
		       ? went
		       : both(went, put(putting, place->menu, place->with, &place->list));
}

/* The entry, then the layout. */
static enum lurk_went put_out(struct putting *putting, const struct place *place, const char *name)
{
	enum lurk_went went = LURK_FOUND;
	char *list = place->list.exists ? lurk_menu_without(place->list.bytes, name) : NULL;

	if (list)
		went = put(putting, place->menu, *list ? list : NULL, &place->list);
	if (went != LURK_COULD_NOT)
		went = both(went, put(putting, place->path, NULL, &place->layout));
	lurk_release(list);
	return went;
}

/* ---- After dead keys ------------------------------------------------------------------------- */

/* A person's Compose file as it is; everybody has none. */
static bool look_at_compose(const struct lurk_workspace *ws, struct place *place,
			    struct lurk_message *message)
{
	memset(place, 0, sizeof *place);
	if (ws->desk)
		snprintf(place->path, LURK_PATH, "%s/XCompose", ws->desk);
	else
		lurk_compose_own_file(place->path);
	return lurk_own_layout_is_everybodys(ws) ||
	       lurk_own_see(place->path, &place->list, message);
}

static bool prepare_compose(const struct lurk_workspace *ws, const struct lurk_own_layout *own,
			    struct place *place, struct lurk_message *message)
{
	struct lurk_message why;

	if (!look_at_compose(ws, place, message)) {
		/* What is wrong with a person's file matters to who has something for it. */
		place->with = lurk_copy("", 0);
		place->list.exists = false;
		return !*lurk_own_layout_compose(own);
	}
	place->with = lurk_compose_with(place->list.exists ? place->list.bytes : NULL, own, &why);
	return place->with ||
	       lurk_say(message, "%.300s: %.400s; nothing is installed", place->path, why.text);
}

enum lurk_own_layout_installed lurk_own_layout_is_installed(const struct lurk_workspace *ws,
							    const struct lurk_own_layout_file *file)
{
	char folder[LURK_PATH];
	struct lurk_message unused;
	struct place compose;
	enum lurk_own_layout_installed is =
		is_in(lurk_own_layout_installed_folder(ws, folder), file);

	if (is != LURK_OWN_INSTALLED || lurk_own_layout_is_everybodys(ws))
		return is;
	if (!prepare_compose(ws, file->own, &compose, &unused) ||
	    (*compose.with && !is_same(&compose.list, compose.with, strlen(compose.with))))
		is = LURK_OWN_INSTALLED_OTHERWISE;
	leave(&compose);
	return is;
}

static enum lurk_went put_compose(struct putting *putting, const struct place *place)
{
	return lurk_own_layout_is_everybodys(putting->ws)
		       ? LURK_FOUND
		       : put(putting, place->path, *place->with ? place->with : NULL, &place->list);
}

static enum lurk_went put_compose_out(struct putting *putting, const char *name)
{
	struct place place;
	enum lurk_went went = LURK_FOUND; /* nothing was put into what cannot be read */
	struct lurk_message unused;

	if (look_at_compose(putting->ws, &place, &unused)) {
		place.with =
			place.list.exists ? lurk_compose_without(place.list.bytes, name) : NULL;
		went = place.with ? put_compose(putting, &place) : LURK_FOUND;
	}
	leave(&place);
	return went;
}

/* ---- All of it ------------------------------------------------------------------------------- */

enum lurk_went lurk_own_layout_install(struct lurk_workspace *ws,
				       const struct lurk_own_layout_file *file,
				       struct lurk_message *message)
{
	struct putting putting = {.ws = ws, .message = message};
	const char *name = lurk_own_layout_name(file->own);
	struct place places[PLACES], compose;
	char folder[LURK_PATH];
	enum lurk_went went = LURK_COULD_NOT;
	unsigned count = 0;
	bool fine;

	ws->one_step = true;
	wait_for_others(ws, name);
	snprintf(putting.summary, sizeof putting.summary, "the layout %s in menus", name);
	lurk_own_layout_installed_folder(ws, folder);
	fine = prepare_compose(ws, file->own, &compose, message) &&
	       is_only_one(file->own, message) && is_whole(folder, file->own, message);
	while (fine && count < PLACES && find_folder(ws, count, folder))
		fine = prepare(folder, file->own, &places[count++], message);
	if (fine)
		went = put_compose(&putting, &compose);
	for (unsigned i = 0; i < count; i++) {
		if (went != LURK_COULD_NOT)
			went = both(went, put_in(&putting, &places[i], file->own));
		leave(&places[i]);
	}
	leave(&compose);
	return lurk_workspace_whole(ws, went);
}

/* Whether what stands there is the one that was added, or an earlier version of it: what nobody can
 * tell the beginning of is the system's own. */
static bool is_copy(const struct place *place, const struct place *added, const char *name)
{
	char mine[64], theirs[64];

	if (!place->layout.exists || !added->layout.exists)
		return false;
	if (is_same(&place->layout, added->layout.bytes, added->layout.length))
		return true;
	base_of(added->folder, name, &added->layout, mine);
	base_of(place->folder, name, &place->layout, theirs);
	return *mine && !strcmp(mine, theirs);
}

/* Out of the system's own files. */
static enum lurk_went leave_system(struct putting *putting, const struct place *added,
				   const char *name)
{
	char folder[LURK_PATH];
	struct place place;
	enum lurk_went went = LURK_FOUND;

	if (!find_folder(putting->ws, SYSTEM, folder))
		return LURK_FOUND;
	if (!look(folder, name, &place, putting->message))
		return LURK_COULD_NOT;
	if (is_copy(&place, added, name))
		went = put_out(putting, &place, name);
	leave(&place);
	return went;
}

enum lurk_went lurk_own_layout_uninstall(struct lurk_workspace *ws, const char *name,
					 struct lurk_message *message)
{
	struct putting putting = {.ws = ws, .message = message};
	char folder[LURK_PATH];
	struct needing needing = {folder, name, ""};
	struct place added;
	enum lurk_went went;

	if (!lurk_own_layout_is_name(name)) {
		lurk_say(message, "`%.60s` is no name for a layout", name);
		return LURK_ASKED_WRONGLY;
	}
	ws->one_step = true;
	wait_for_others(ws, name);
	lurk_own_layout_installed_folder(ws, folder);
	lurk_own_each_in(folder, look_for_need, &needing);
	if (*needing.by) {
		lurk_say(message, "%s begins as %s: `lurk layout uninstall %s` first", needing.by,
			 name, needing.by);
		return LURK_COULD_NOT;
	}
	snprintf(putting.summary, sizeof putting.summary, "the layout %s out of menus", name);
	if (!look(folder, name, &added, message))
		return LURK_COULD_NOT;
	went = leave_system(&putting, &added, name);
	if (went != LURK_COULD_NOT)
		went = both(went, put_out(&putting, &added, name));
	if (went != LURK_COULD_NOT)
		went = both(went, put_compose_out(&putting, name));
	if (went == LURK_FOUND)
		lurk_say(message, "no layout `%s` is installed in %.500s", name, folder);
	leave(&added);
	return lurk_workspace_whole(ws, went);
}

/* ---- After an upgrade ------------------------------------------------------------------------ */

struct renewing {
	struct putting putting;
	const char *folder;
	bool withdraw, failed;
	void (*tell)(void *data, const char *name, const struct lurk_message *why);
	void *data;
};

static enum lurk_went renew_one(struct renewing *renewing, const struct place *added,
				const char *name)
{
	struct lurk_message *message = renewing->putting.message;
	struct lurk_own_layout *own;
	char folder[LURK_PATH];
	struct place place;
	enum lurk_went went = LURK_COULD_NOT;

	if (renewing->withdraw)
		return leave_system(&renewing->putting, added, name);
	if (!find_folder(renewing->putting.ws, SYSTEM, folder))
		return LURK_FOUND;
	own = lurk_own_layout_read(renewing->folder, name, added->layout.bytes,
				   added->layout.length, message);
	if (own) {
		if (prepare(folder, own, &place, message))
			went = put_in(&renewing->putting, &place, own);
		leave(&place);
	}
	lurk_own_layout_close(own);
	return went;
}

/* Only what is in the list that was added to: others may have files there too. */
static void renew_listed(void *data, const char *name)
{
	struct renewing *renewing = data;
	struct lurk_message why;
	struct place added;
	enum lurk_went went = LURK_COULD_NOT;
	char *without;

	renewing->putting.message = &why;
	if (look(renewing->folder, name, &added, &why)) {
		without = added.list.exists ? lurk_menu_without(added.list.bytes, name) : NULL;
		went = without && added.layout.exists ? renew_one(renewing, &added, name)
						      : LURK_FOUND;
		lurk_release(without);
		leave(&added);
	}
	renewing->failed = renewing->failed || went == LURK_COULD_NOT;
	if (went != LURK_FOUND)
		renewing->tell(renewing->data, name, went == LURK_COULD_NOT ? &why : NULL);
}

bool lurk_own_layouts_renew(struct lurk_workspace *ws, bool withdraw,
			    void (*tell)(void *data, const char *name,
					 const struct lurk_message *why),
			    void *data)
{
	char folder[LURK_PATH];
	struct renewing renewing = {.putting = {.ws = ws, .unnoted = true},
				    .folder = folder,
				    .withdraw = withdraw,
				    .tell = tell,
				    .data = data};

	wait_for_others(ws, "");
	lurk_own_layout_installed_folder(ws, folder);
	lurk_own_each_in(folder, renew_listed, &renewing);
	return !renewing.failed;
}
