#include "lurk/work/own_layouts.h"

#include <dirent.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"
#include "work/noted.h"
#include "work/own_places.h"

/* ---- Opening --------------------------------------------------------------------------------- */

void lurk_own_layout_file_close(struct lurk_own_layout_file *file)
{
	lurk_own_layout_close(file->own);
	lurk_release(file->seen.bytes);
	lurk_release(file->compose_seen.bytes);
	memset(file, 0, sizeof *file);
}

const char *lurk_own_path(const char *folder, const char *name, char out[LURK_PATH])
{
	snprintf(out, LURK_PATH, "%.*s/symbols/%.40s", LURK_PATH - 64, folder, name);
	return out;
}

const char *lurk_own_compose_path(const char *folder, const char *name, char out[LURK_PATH])
{
	snprintf(out, LURK_PATH, "%.*s/compose/%.40s", LURK_PATH - 64, folder, name);
	return out;
}

bool lurk_own_see(const char *path, struct lurk_file_seen *seen, struct lurk_message *message)
{
	*seen = (struct lurk_file_seen){false, NULL, 0};
	return lurk_file_read(path, &seen->bytes, &seen->length, &seen->exists, message) ||
	       !seen->exists;
}

/* What comes after dead keys, where the layout has that. */
static bool see_compose(const struct lurk_workspace *ws, const char *name,
			struct lurk_own_layout_file *file, struct lurk_message *message)
{
	struct lurk_file_seen *seen = &file->compose_seen;
	struct lurk_message why;

	if (!lurk_own_see(lurk_own_compose_path(ws->layout.folder, name, file->compose_path), seen,
			  message))
		return false;
	return !seen->exists ||
	       lurk_own_layout_take_compose(file->own, seen->bytes, seen->length, &why) ||
	       lurk_say(message, "%.300s: %.400s", file->compose_path, why.text);
}

enum lurk_went lurk_own_layout_file_open(struct lurk_workspace *ws, const char *name,
					 struct lurk_own_layout_file *file,
					 struct lurk_message *message)
{
	const char *folder = ws->layout.folder;
	struct lurk_message why;

	memset(file, 0, sizeof *file);
	if (!lurk_own_layout_is_name(name) ||
	    access(lurk_own_path(folder, name, file->path), F_OK)) {
		lurk_say(
			message,
			"you have no layout `%.60s`; `lurk layout` lists yours, `lurk layout begin "
			"NAME` makes one",
			name);
		return LURK_ASKED_WRONGLY;
	}
	if (ws->editing && !ws->lock)
		ws->lock = lurk_file_lock(file->path) + 1;
	if (!lurk_own_see(file->path, &file->seen, message))
		return LURK_COULD_NOT;
	file->own = lurk_own_layout_read(folder, name, file->seen.bytes, file->seen.length, &why);
	if (!file->own)
		lurk_say(message, "%.300s: %.400s", file->path, why.text);
	if (file->own && see_compose(ws, name, file, message))
		return LURK_DONE;
	lurk_own_layout_file_close(file);
	return LURK_COULD_NOT;
}

bool lurk_own_is_new(const char *path, const char *to_do, struct lurk_message *message)
{
	return access(path, F_OK) || lurk_say(message, "%s is there already; %s", path, to_do);
}

/* An empty text is no file. What was seen is what stands there then. */
static enum lurk_went put(struct lurk_workspace *ws, const char *path, const char *text,
			  struct lurk_file_seen *seen, const char *summary,
			  struct lurk_message *message)
{
	const size_t length = strlen(text);

	if (length ? seen->exists && seen->length == length && !memcmp(seen->bytes, text, length)
		   : !seen->exists)
		return LURK_FOUND;
	if (!lurk_workspace_put(ws, path, length ? text : NULL, length, seen, summary, message))
		return LURK_COULD_NOT;
	lurk_release(seen->bytes);
	*seen = (struct lurk_file_seen){length != 0, length ? lurk_copy(text, length) : NULL,
					length};
	return LURK_DONE;
}

enum lurk_went lurk_own_layout_file_save(struct lurk_workspace *ws,
					 struct lurk_own_layout_file *file, const char *summary,
					 struct lurk_message *message)
{
	size_t length;
	const char *text = lurk_own_layout_text(file->own, &length);
	enum lurk_went went;

	ws->one_step = true;
	went = put(ws, file->path, text, &file->seen, summary, message);
	if (went != LURK_COULD_NOT &&
	    put(ws, file->compose_path, lurk_own_layout_compose(file->own), &file->compose_seen,
		summary, message) == LURK_COULD_NOT)
		went = LURK_COULD_NOT;
	return lurk_workspace_whole(ws, went == LURK_COULD_NOT ? went : LURK_DONE);
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
	if (!lurk_own_is_new(lurk_own_path(folder, name, file->path),
			     "`lurk layout show` says what it types", message) ||
	    !lurk_own_see(lurk_own_compose_path(ws->layout.folder, name, file->compose_path),
			  &file->compose_seen, message))
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

/* ---- From rules ------------------------------------------------------------------------------ */

/* Why a layout cannot do what the rule does; NULL where it may. */
static const char *why_not(const struct lurk_rule *rule, uint32_t *character)
{
	if (rule->off)
		return "it is switched off";
	if (rule->keyboard)
		return "it is for one keyboard, and a layout is for all";
	if (rule->press.on.kind != LURK_TARGET_KEY)
		return "it is on a code, and a layout knows keys";
	if (rule->press.only ||
	    rule->press.modifiers & ~(unsigned)(LURK_MOD_SHIFT | LURK_MOD_RIGHT_ALT))
		return "a layout chooses with Shift and AltRight alone";
	return lurk_character_read(rule->gives.text.bytes, rule->gives.text.length, character) ==
			       rule->gives.text.length
		       ? NULL
		       : "it gives more than one sign";
}

unsigned lurk_own_layout_take_rules(
	struct lurk_own_layout_file *file, const struct lurk_profile_file *profile,
	void (*tell)(void *data, const struct lurk_rule *rule, const char *why), void *data)
{
	unsigned count = 0;

	for (uint32_t i = 0; i < profile->count; i++) {
		const struct lurk_rule *rule = &profile->rules[i];
		struct lurk_message message;
		char number[16];
		uint32_t character, symbol;
		const char *why;
		bool third;

		if (rule->gives.kind != LURK_GIVES_TEXT)
			continue;
		why = why_not(rule, &character);
		if (!why)
			snprintf(number, sizeof number, "U+%04X", character);
		if (!why &&
		    (!lurk_symbol_read(number, lurk_own_layout(file->own), &symbol, &message) ||
		     lurk_own_layout_type(file->own, rule->press.on.key, rule->press.modifiers,
					  symbol, &third, &message) == LURK_OWN_REFUSED))
			why = message.text;
		count += !why;
		tell(data, rule, why);
	}
	return count;
}

/* ---- All of them ----------------------------------------------------------------------------- */

static int is_file_name(const struct dirent *entry)
{
	return lurk_own_layout_is_name(entry->d_name);
}

void lurk_own_each_in(const char *folder, void (*tell)(void *data, const char *name), void *data)
{
	char path[LURK_PATH];
	struct dirent **entries = NULL;
	int count;

	lurk_own_path(folder, "", path);
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
	lurk_own_each_in(ws->layout.folder, tell, data);
}
