/* Profiles made, renamed and removed: whole files, and what other profiles say of them. */
#include <stdio.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

#include "lurk/profile/edit.h"
#include "lurk/text/memory.h"
#include "lurk/work/apply.h"
#include "lurk/work/undo.h"
#include "work/noted.h"
#include "work/profiles.h"

/* ---- New names ------------------------------------------------------------------------------- */

/* A word for a file that is not there yet, and its path. */
static enum lurk_went read_new(const struct lurk_workspace *ws, const char *name,
			       char word[LURK_PROFILE_WORD], char path[PATH_MAX],
			       struct lurk_message *message)
{
	if (strpbrk(name, "./") || !lurk_profile_word(name, word) ||
	    !strcasecmp(word, LURK_PROFILE_BASE)) {
		lurk_say(message,
			 "`%s` cannot be a profile's name: letters, digits and dashes, up to %d, "
			 "and neither base nor previous",
			 name, LURK_PROFILE_WORD - 1);
		return LURK_ASKED_WRONGLY;
	}
	lurk_profiles_path(ws->profile_path, word, path);
	if (access(path, F_OK) == 0) {
		lurk_say(message, "%s is there already", path);
		return LURK_COULD_NOT;
	}
	return LURK_DONE;
}

enum lurk_went lurk_workspace_add_profile(struct lurk_workspace *ws, const char *name,
					  const char *based_on, char path[PATH_MAX],
					  struct lurk_message *message)
{
	const struct lurk_profile_set set = lurk_workspace_set(ws);
	const struct lurk_file_seen none = {false, NULL, 0};
	char word[LURK_PROFILE_WORD], *text;
	enum lurk_went went;
	bool fine;

	went = read_new(ws, name, word, path, message);
	if (went != LURK_DONE)
		return went;
	if (based_on && !lurk_profile_find(&set, (struct lurk_text){based_on, strlen(based_on)})) {
		lurk_say(message,
			 "there is no profile `%s` to base it on; `lurk profile list` lists them",
			 based_on);
		return LURK_ASKED_WRONGLY;
	}
	text = lurk_print("# Lurk profile: `lurk use %s` switches to it once it is applied.\n"
			  "lurk: 1\nname: %s\n%s%s%srules:\n",
			  word, word, based_on ? "based-on: " : "", based_on ? based_on : "",
			  based_on ? "\n" : "");
	fine = lurk_workspace_put(ws, path, text, strlen(text), &none, "a new profile", message);
	lurk_release(text);
	return fine ? LURK_DONE : LURK_COULD_NOT;
}

/* ---- What others say of one ------------------------------------------------------------------ */

static bool says(const struct lurk_node *node, const char *word)
{
	return node && node->kind == LURK_NODE_SCALAR && !strcasecmp(node->text, word);
}

/* A rule that leads to a profile, by its map `gives`; NULL for none. */
static const struct lurk_node *leads_to(const struct lurk_yaml *yaml, const char *word)
{
	const struct lurk_node *rules = lurk_node_get(yaml->root, "rules");

	for (const struct lurk_node *rule = rules ? rules->first : NULL; rule; rule = rule->next) {
		const struct lurk_node *gives = lurk_node_get(rule, "gives");

		if (gives && gives->kind == LURK_NODE_MAP &&
		    says(lurk_node_get(gives, "profile"), word))
			return gives;
	}
	return NULL;
}

/* The one that is worked on first, then those beside it; NULL past the last. */
static struct lurk_profile_file *profile_at(struct lurk_workspace *ws, unsigned i)
{
	return !i ? &ws->profile : i <= ws->beside_count ? &ws->beside[i - 1].file : NULL;
}

static struct lurk_profile_file *find(struct lurk_workspace *ws, const char *word)
{
	struct lurk_profile_file *file;

	for (unsigned i = 0; (file = profile_at(ws, i)) && strcasecmp(file->word, word) != 0; i++)
		;
	return file;
}

/* The one that is meant, which is a file of its own. */
static enum lurk_went read_old(struct lurk_workspace *ws, const char *name,
			       struct lurk_profile_file **file, struct lurk_message *message)
{
	*file = find(ws, name);
	if (!*file) {
		lurk_say(message, "there is no profile `%s`; `lurk profile list` lists them", name);
		return LURK_ASKED_WRONGLY;
	}
	if (!strcasecmp((*file)->word, LURK_PROFILE_BASE)) {
		lurk_say(message, "base is the profile that all others stand beside, and stays; "
				  "`lurk restore --all` takes its rules out");
		return LURK_ASKED_WRONGLY;
	}
	return LURK_DONE;
}

static struct lurk_file_seen as_read(const struct lurk_yaml *yaml, size_t *length)
{
	struct lurk_file_seen seen = {.exists = true, .bytes = lurk_yaml_copy(yaml, length)};

	seen.length = *length;
	return seen;
}

/* ---- One command, one step ------------------------------------------------------------------- */

/* What was done so far is taken back where the rest of it cannot be. */
static void take_back(struct lurk_workspace *ws, unsigned before)
{
	struct lurk_undo_step step;
	struct lurk_outcome unused;
	struct lurk_message why;

	if (lurk_undo_newest(ws->state_folder, 0) > before &&
	    lurk_undo_step_read(ws->state_folder, 0, &step, &why) == LURK_DONE) {
		lurk_take_back(ws, NULL, &step, &unused);
		lurk_undo_step_free(&step);
	}
}

/* Another word wherever a profile stands in for one: what it is based on, where its keys lead. */
static bool rename_within(struct lurk_workspace *ws, struct lurk_profile_file *file,
			  const char *old, const char *word, const char *summary,
			  struct lurk_message *message)
{
	const struct lurk_field based_on = {"based-on", word}, profile = {"profile", word},
				name = {"name", word};
	struct lurk_yaml *yaml = &file->yaml;
	const bool own = !strcasecmp(file->word, old);
	const struct lurk_node *gives;
	size_t length;
	struct lurk_file_seen seen = as_read(yaml, &length);
	bool fine = true, changed = false;

	if (says(lurk_node_get(yaml->root, "based-on"), old)) {
		fine = lurk_edit_set(yaml, yaml->root, &based_on, message);
		changed = true;
	}
	if (fine && own && says(lurk_node_get(yaml->root, "name"), old))
		fine = lurk_edit_set(yaml, yaml->root, &name, message);
	while (fine && (gives = leads_to(yaml, old))) {
		fine = lurk_edit_set(yaml, gives, &profile, message);
		changed = true;
	}
	if (fine && changed && !own)
		fine = lurk_workspace_put(ws, yaml->path, yaml->bytes, yaml->length, &seen, summary,
					  message);
	lurk_release(seen.bytes);
	return fine;
}

enum lurk_went lurk_workspace_rename_profile(struct lurk_workspace *ws, const char *name,
					     const char *fresh, char path[PATH_MAX],
					     struct lurk_message *message)
{
	const struct lurk_file_seen none = {false, NULL, 0};
	const unsigned before = lurk_undo_newest(ws->state_folder, 0);
	char word[LURK_PROFILE_WORD], old[LURK_PROFILE_WORD], summary[3 * LURK_PROFILE_WORD];
	struct lurk_profile_file *file;
	enum lurk_went went = read_old(ws, name, &file, message);
	struct lurk_file_seen seen;
	size_t length;
	bool fine;

	if (went == LURK_DONE)
		went = read_new(ws, fresh, word, path, message);
	if (went != LURK_DONE)
		return went;
	snprintf(old, sizeof old, "%s", file->word);
	snprintf(summary, sizeof summary, "the profile %s is called %s", old, word);
	seen = as_read(&file->yaml, &length);
	ws->one_step = true;
	fine = rename_within(ws, file, old, word, summary, message) &&
	       lurk_workspace_put(ws, path, file->yaml.bytes, file->yaml.length, &none, summary,
				  message);
	for (unsigned i = 0; fine && i <= ws->beside_count; i++) {
		struct lurk_profile_file *other = profile_at(ws, i);

		fine = other == file || rename_within(ws, other, old, word, summary, message);
	}
	fine = fine && lurk_workspace_put(ws, file->yaml.path, NULL, 0, &seen, summary, message);
	lurk_release(seen.bytes);
	if (!fine)
		take_back(ws, before);
	return fine ? LURK_DONE : LURK_COULD_NOT;
}

enum lurk_went lurk_workspace_remove_profile(struct lurk_workspace *ws, const char *name,
					     struct lurk_message *message)
{
	struct lurk_profile_file *file;
	enum lurk_went went = read_old(ws, name, &file, message);
	char summary[2 * LURK_PROFILE_WORD];
	struct lurk_file_seen seen;
	size_t length;

	for (unsigned i = 0; went == LURK_DONE && i <= ws->beside_count; i++) {
		const struct lurk_profile_file *other = profile_at(ws, i);
		const struct lurk_node *gives = leads_to(&other->yaml, file->word);

		if (other == file)
			continue;
		if (!strcasecmp(other->based_on, file->word)) {
			lurk_say(message, "the profile %s is based on it", other->word);
			went = LURK_FOUND;
		} else if (gives) {
			lurk_say(message,
				 "line %u of the profile %s leads to it: `lurk restore "
				 "KEY --profile %s` takes that out",
				 gives->line, other->word, other->word);
			went = LURK_FOUND;
		}
	}
	if (went != LURK_DONE)
		return went;
	snprintf(summary, sizeof summary, "the profile %s is removed", file->word);
	seen = as_read(&file->yaml, &length);
	went = lurk_workspace_put(ws, file->yaml.path, NULL, 0, &seen, summary, message)
		       ? LURK_DONE
		       : LURK_COULD_NOT;
	lurk_release(seen.bytes);
	return went;
}
