#include "lurk/work/workspace.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "lurk/text/memory.h"
#include "lurk/work/undo.h"
#include "work/home.h"
#include "work/noted.h"
#include "work/profiles.h"

static const char profile_head[] = "# Lurk profile: what keys give instead of their usual job.\n"
				   "# `lurk show` lists the rules, `lurk apply` puts them into "
				   "force; comments stay when Lurk edits.\n"
				   "lurk: 1\n"
				   "name: base\n"
				   "rules:\n";

static const char keyboards_head[] =
	"# What keyboards are called, how they are recognised, and which of their keys are odd.\n"
	"keyboards:\n";

/* ---- Paths ---------------------------------------------------------------------------------- */

static bool wants_file(const struct lurk_workspace *ws)
{
	return ws->wanted && strpbrk(ws->wanted, "/.");
}

static void find_paths(struct lurk_workspace *ws)
{
	char folder[PATH_MAX - 32];

	if (ws->desk) {
		snprintf(folder, sizeof folder, "%s", ws->desk);
		snprintf(ws->state_folder, sizeof ws->state_folder, "%s", ws->desk);
	} else {
		lurk_home_path(folder, sizeof folder, "XDG_CONFIG_HOME", ".config", "lurk",
			       "/etc/lurk");
		lurk_home_path(ws->state_folder, sizeof ws->state_folder, "XDG_STATE_HOME",
			       ".local/state", "lurk", "/var/lib/lurk");
	}
	snprintf(ws->profile_path, sizeof ws->profile_path, "%s/profile.yaml", folder);
	if (wants_file(ws)) {
		const char *slash = strrchr(ws->wanted, '/');

		snprintf(ws->profile_path, sizeof ws->profile_path, "%s", ws->wanted);
		snprintf(ws->keyboards_path, sizeof ws->keyboards_path, "%.*s/keyboards.yaml",
			 slash ? (int)(slash - ws->wanted) : 1, slash ? ws->wanted : ".");
	} else if (ws->wanted) {
		char beside[PATH_MAX];

		snprintf(beside, sizeof beside, "%s", ws->profile_path);
		lurk_profiles_path(beside, ws->wanted, ws->profile_path);
	}
	/* A profile that came with its keyboards has those; one that came alone is for one's own.
	 */
	if (!wants_file(ws) || ws->desk || access(ws->keyboards_path, F_OK))
		snprintf(ws->keyboards_path, sizeof ws->keyboards_path, "%s/keyboards.yaml",
			 folder);
}

static void choose_layout(struct lurk_workspace *ws, const char *said)
{
	const char *of_desk = ws->desk_layout ? ws->desk_layout : "";
	const char *slash = strrchr(ws->keyboards_path, '/');

	snprintf(ws->layout.folder, sizeof ws->layout.folder, "%.*s/layouts",
		 slash ? (int)(slash - ws->keyboards_path) : 1, slash ? ws->keyboards_path : ".");
	ws->layout.caution = ws->judged ? NULL : ws->caution;
	ws->layout.data = ws->data;
	lurk_layout_choose(&ws->layout, said, ws->desk ? of_desk : NULL);
}

/* What a profile says may be wrong, and its layout be right. */
void lurk_workspace_find_layout(struct lurk_workspace *ws)
{
	const struct lurk_node *layout = NULL;
	struct lurk_message unused;
	struct lurk_yaml yaml = {0};
	char *bytes = NULL;
	size_t length = 0;
	bool exists;

	find_paths(ws);
	if (lurk_file_read(ws->profile_path, &bytes, &length, &exists, &unused) &&
	    lurk_yaml_parse(&yaml, "", bytes, length, &unused))
		layout = lurk_node_get(yaml.root, "layout");
	choose_layout(ws, layout && layout->kind == LURK_NODE_SCALAR ? layout->text : "");
	lurk_yaml_free(&yaml);
}

/* ---- Keyboards by other names --------------------------------------------------------------- */

/* A profile from someone else names keyboards as they do: an alias says which are meant, or the
 * person is asked. */
static uint16_t meant_by(void *data, const char *name)
{
	struct lurk_workspace *ws = data;
	const uint16_t nobody = ws->judging ? LURK_KEYBOARD_UNKNOWN : 0;
	struct lurk_message unused;
	struct lurk_alias *alias;
	const char *answer;

	for (unsigned i = 0; i < ws->alias_count; i++) {
		if (!strcasecmp(ws->aliases[i].name, name))
			return ws->aliases[i].keyboard;
	}
	answer = ws->ask && ws->wanted && ws->alias_count < LURK_ALIASES && ws->keyboards.count
			 ? ws->ask(ws->data, ws, name)
			 : NULL;
	if (!answer)
		return nobody;
	alias = &ws->aliases[ws->alias_count++];
	*alias = (struct lurk_alias){lurk_copy(name, strlen(name)), NULL,
				     lurk_keyboards_find(&ws->keyboards, answer, &unused)};
	if (!alias->keyboard)
		alias->keyboard = nobody;
	return alias->keyboard;
}

static bool take_aliases(struct lurk_workspace *ws, struct lurk_message *message)
{
	struct lurk_message why;

	for (unsigned i = 0; i < ws->alias_count; i++) {
		struct lurk_alias *alias = &ws->aliases[i];

		alias->keyboard = lurk_keyboards_find(&ws->keyboards, alias->mine, &why);
		if (!alias->keyboard)
			return lurk_say(message, "--mine %s=%s: %s", alias->name, alias->mine,
					why.text);
	}
	ws->keyboards.ask = meant_by;
	ws->keyboards.ask_data = ws;
	return true;
}

/* ---- Reading -------------------------------------------------------------------------------- */

static void see(struct lurk_file_seen *seen, bool exists, const char *bytes, size_t length)
{
	lurk_release(seen->bytes);
	*seen = (struct lurk_file_seen){exists, exists ? lurk_copy(bytes, length) : NULL, length};
}

/* A file's bytes, or a copy of the head that it begins with when it is made. */
static bool read_or_begin(const char *path, const char *head, char **bytes, size_t *length,
			  struct lurk_file_seen *seen, struct lurk_message *message)
{
	bool exists;

	if (lurk_file_read(path, bytes, length, &exists, message)) {
		see(seen, true, *bytes, *length);
		return true;
	}
	if (exists)
		return false;
	see(seen, false, "", 0);
	*length = strlen(head);
	*bytes = lurk_copy(head, *length);
	return true;
}

static bool agrees(const struct lurk_workspace *ws, struct lurk_message *message)
{
	const struct lurk_profile_set set = lurk_workspace_set(ws);

	return lurk_profile_agrees(&set, &ws->keyboards, message);
}

/* keyboards.yaml stands in the folder of all the profiles. */
void lurk_workspace_lock(struct lurk_workspace *ws)
{
	find_paths(ws);
	if (ws->editing && !ws->lock)
		ws->lock = lurk_file_lock(ws->keyboards_path) + 1;
}

bool lurk_workspace_read(struct lurk_workspace *ws, struct lurk_message *message)
{
	char *bytes;
	size_t length;

	lurk_workspace_lock(ws);
	if (!read_or_begin(ws->keyboards_path, keyboards_head, &bytes, &length, &ws->keyboards_seen,
			   message) ||
	    !lurk_keyboards_read(&ws->keyboards, ws->keyboards_path, bytes, length, message) ||
	    !take_aliases(ws, message) ||
	    !read_or_begin(ws->profile_path, profile_head, &bytes, &length, &ws->profile_seen,
			   message))
		return false;
	ws->profile_exists = ws->profile_seen.exists;
	if (!ws->profile_exists && ws->wanted && !wants_file(ws)) {
		lurk_release(bytes);
		return lurk_say(message,
				"there is no profile `%s`; `lurk profile list` lists them, "
				"`lurk profile new %s` makes it",
				ws->wanted, ws->wanted);
	}
	if (!lurk_profile_read_head(&ws->profile, ws->profile_path, bytes, length, message))
		return false;
	choose_layout(ws, ws->profile.layout);
	if (!lurk_profile_read_rules(&ws->profile, &ws->keyboards, lurk_workspace_characters(ws),
				     message) ||
	    !lurk_profiles_read(ws, message))
		return false;
	ws->agrees = agrees(ws, &ws->why);
	return true;
}

bool lurk_workspace_reread(struct lurk_workspace *ws, struct lurk_message *message)
{
	size_t length;
	char *bytes = lurk_yaml_copy(&ws->profile.yaml, &length);

	lurk_profile_free(&ws->profile);
	return lurk_profile_read(&ws->profile, ws->profile_path, bytes, length, &ws->keyboards,
				 lurk_workspace_characters(ws), message) &&
	       (!ws->agrees || agrees(ws, message));
}

bool lurk_workspace_reread_keyboards(struct lurk_workspace *ws, struct lurk_message *message)
{
	size_t length;
	char *bytes = lurk_yaml_copy(&ws->keyboards.yaml, &length);

	lurk_keyboards_free(&ws->keyboards);
	return lurk_keyboards_read(&ws->keyboards, ws->keyboards_path, bytes, length, message);
}

void lurk_workspace_free(struct lurk_workspace *ws)
{
	int lock = ws->lock - 1;

	for (unsigned i = 0; i < ws->alias_count; i++) {
		if (!ws->aliases[i].mine) /* asked for */
			lurk_release((char *)(uintptr_t)ws->aliases[i].name);
	}
	lurk_profiles_forget(ws);
	lurk_profile_free(&ws->profile);
	lurk_keyboards_free(&ws->keyboards);
	lurk_release(ws->profile_seen.bytes);
	lurk_release(ws->keyboards_seen.bytes);
	lurk_file_unlock(&lock);
	lurk_layout_forget(&ws->layout);
}

/* ---- Writing -------------------------------------------------------------------------------- */

static void caution(const struct lurk_workspace *ws, const struct lurk_message *why)
{
	if (ws->caution)
		ws->caution(ws->data, why->text);
}

void lurk_workspace_noted(struct lurk_workspace *ws, unsigned number,
			  const struct lurk_message *why)
{
	if (!number)
		caution(ws, why);
	else if (ws->one_step && !ws->step)
		ws->step = number;
}

/* How a file's text is replaced by another, and that noted. */
bool lurk_workspace_put(struct lurk_workspace *ws, const char *path, const char *bytes,
			size_t length, const struct lurk_file_seen *old, const char *summary,
			struct lurk_message *message)
{
	struct lurk_message why;

	if (bytes && !lurk_file_replace(path, bytes, length, old, message))
		return false;
	if (!bytes && !lurk_file_remove(path, old, message))
		return false;
	lurk_workspace_noted(ws,
			     lurk_undo_note_edit(ws->state_folder, ws->step, path, old, bytes,
						 length, summary, &why),
			     &why);
	return true;
}

enum lurk_went lurk_workspace_whole(struct lurk_workspace *ws, enum lurk_went went)
{
	struct lurk_undo_step *step = lurk_allocate(1, sizeof *step);
	struct lurk_message unused;

	if (went == LURK_COULD_NOT && ws->step &&
	    lurk_undo_step_read(ws->state_folder, 0, step, &unused) == LURK_DONE) {
		const bool ours = step->parts[step->count - 1].number == ws->step;

		for (unsigned i = 0; i < step->count && ours; i++) {
			if (lurk_undo_edit(&step->parts[i], &unused))
				lurk_undo_forget(&step->parts[i]);
		}
		lurk_undo_step_free(step);
	}
	lurk_release(step);
	return went;
}

static bool save(struct lurk_workspace *ws, const char *path, const struct lurk_yaml *yaml,
		 struct lurk_file_seen *seen, const char *summary, struct lurk_message *message)
{
	if (!lurk_workspace_put(ws, path, yaml->bytes, yaml->length, seen, summary, message))
		return false;
	see(seen, true, yaml->bytes, yaml->length);
	return true;
}

bool lurk_workspace_save(struct lurk_workspace *ws, const char *summary,
			 struct lurk_message *message)
{
	return save(ws, ws->profile_path, &ws->profile.yaml, &ws->profile_seen, summary, message);
}

bool lurk_workspace_save_keyboards(struct lurk_workspace *ws, const char *summary,
				   struct lurk_message *message)
{
	return save(ws, ws->keyboards_path, &ws->keyboards.yaml, &ws->keyboards_seen, summary,
		    message);
}

/* ---- Looking -------------------------------------------------------------------------------- */

struct lurk_profile_set lurk_workspace_set(const struct lurk_workspace *ws)
{
	struct lurk_profile_set set = {.files = {&ws->profile}, .count = 1};

	for (unsigned i = 0; i < ws->beside_count; i++)
		set.files[set.count++] = &ws->beside[i].file;
	return set;
}

uint8_t *lurk_workspace_image(const struct lurk_workspace *ws, struct lurk_image *image)
{
	struct lurk_profile_set set = lurk_workspace_set(ws);
	size_t length;
	uint8_t *bytes = lurk_profile_image_as_is(&set, &ws->keyboards, &length);

	if (bytes && lurk_image_open(bytes, length, image) == LURK_OK)
		return bytes;
	lurk_release(bytes);
	return NULL;
}

void lurk_workspace_turn_to(struct lurk_workspace *ws, unsigned beside)
{
	struct lurk_profile_file kept = ws->profile;

	ws->profile = ws->beside[beside].file;
	ws->beside[beside].file = kept;
}
