#include "layout/registry.h"

#include <dlfcn.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>
#include <xkbcommon/xkbregistry.h>

/* The list is libxkbregistry's work. It is opened where a list is asked for and not before: with
 * the libraries that it takes, every start of a program would cost twice as much. Without it
 * layouts are called by their names. Each thread finds it for itself. */
static _Thread_local struct {
	void *library;
	__typeof__(rxkb_context_new) *context_new;
	__typeof__(rxkb_context_include_path_append) *context_include_path_append;
	__typeof__(rxkb_context_parse) *context_parse;
	__typeof__(rxkb_context_unref) *context_unref;
	__typeof__(rxkb_layout_first) *layout_first;
	__typeof__(rxkb_layout_next) *layout_next;
	__typeof__(rxkb_layout_unref) *layout_unref;
	__typeof__(rxkb_layout_get_name) *layout_get_name;
	__typeof__(rxkb_layout_get_variant) *layout_get_variant;
	__typeof__(rxkb_layout_get_description) *layout_get_description;
	__typeof__(rxkb_layout_get_brief) *layout_get_brief;
	__typeof__(rxkb_layout_get_iso639_first) *layout_get_iso639_first;
	__typeof__(rxkb_iso639_code_get_code) *iso639_code_get_code;
	__typeof__(rxkb_iso639_code_unref) *iso639_code_unref;
	__typeof__(rxkb_context_set_log_level) *context_set_log_level;
} rxkb;

static bool find(void *function, const char *name)
{
	void *found = dlsym(rxkb.library, name);

	memcpy(function, &found, sizeof found);
	return found;
}

#define FIND(name) find(&rxkb.name, "rxkb_" #name)

static bool open_library(void)
{
	if (!rxkb.library)
		rxkb.library = dlopen("libxkbregistry.so.0", RTLD_NOW | RTLD_LOCAL);
	return rxkb.library && FIND(context_new) && FIND(context_include_path_append) &&
	       FIND(context_parse) && FIND(context_unref) && FIND(layout_first) &&
	       FIND(layout_next) && FIND(layout_unref) && FIND(layout_get_name) &&
	       FIND(layout_get_variant) && FIND(layout_get_description) && FIND(layout_get_brief) &&
	       FIND(layout_get_iso639_first) && FIND(iso639_code_get_code) &&
	       FIND(iso639_code_unref) && FIND(context_set_log_level);
}

/* A layout, or a layout's variant, by name and in words; false ends the list. */
typedef bool entry_fn(void *data, const char *name, const char *words, struct rxkb_layout *layout);

/* Of the evdev list in these folders; false where it cannot be read. */
static bool each_in(const char *const *folders, unsigned count, entry_fn *tell, void *data)
{
	struct rxkb_context *list =
		open_library() ? rxkb.context_new(RXKB_CONTEXT_NO_DEFAULT_INCLUDES) : NULL;
	struct rxkb_layout *layout;
	bool read, going = true;

	if (!list)
		return false;
	rxkb.context_set_log_level(list, RXKB_LOG_LEVEL_CRITICAL);
	for (unsigned i = 0; i < count; i++)
		rxkb.context_include_path_append(list, folders[i]);
	read = rxkb.context_parse(list, "evdev");
	layout = read ? rxkb.layout_first(list) : NULL;
	for (; layout && going; layout = rxkb.layout_next(layout)) {
		const char *variant = rxkb.layout_get_variant(layout);
		char name[64];

		snprintf(name, sizeof name, "%.31s%s%.31s", rxkb.layout_get_name(layout),
			 variant ? ":" : "", variant ? variant : "");
		going = tell(data, name, rxkb.layout_get_description(layout), layout);
	}
	if (layout)
		rxkb.layout_unref(layout);
	rxkb.context_unref(list);
	return read;
}

static void each(struct xkb_context *context, entry_fn *tell, void *data)
{
	enum { MOST = 16 };
	const char *folders[MOST];
	unsigned count = 0;

	for (; count < MOST && count < xkb_context_num_include_paths(context); count++)
		folders[count] = xkb_context_include_path_get(context, count);
	each_in(folders, count, tell, data);
}

/* ---- In words -------------------------------------------------------------------------------- */

struct wanted {
	const char *name;
	char *words;
	size_t size;
};

static bool take_words(void *data, const char *name, const char *words, struct rxkb_layout *layout)
{
	const struct wanted *w = data;

	(void)layout;
	if (strcmp(name, w->name) != 0)
		return true;
	snprintf(w->words, w->size, "%s", words);
	return false;
}

void lurk_registry_words(struct xkb_context *context, const char *name, char *words, size_t size)
{
	/* "ar" is an older name of Arabic's layout. */
	struct wanted wanted = {strcmp(name, "ar") ? name : "ara", words, size};

	snprintf(words, size, "%s", wanted.name);
	each(context, take_words, &wanted);
}

struct called {
	const char *words;
	char *name;
};

static bool take_name(void *data, const char *name, const char *words, struct rxkb_layout *layout)
{
	const struct called *c = data;

	(void)layout;
	if (strcmp(words, c->words) != 0)
		return true;
	snprintf(c->name, 64, "%s", name);
	return false;
}

void lurk_registry_called(struct xkb_context *context, const char *words, char name[64])
{
	struct called called = {words, name};

	snprintf(name, 64, "%.63s", words);
	each(context, take_name, &called);
}

/* ---- What a word means ----------------------------------------------------------------------- */

struct meant {
	const char *word;
	char country[64];
	char *name, *candidates;
	unsigned found;
	bool exact;
};

static bool take_meant(void *data, const char *name, const char *words, struct rxkb_layout *layout)
{
	enum { MOST = 4 };
	struct meant *m = data;
	size_t n = strlen(m->candidates);

	(void)layout;
	m->exact = !strcasecmp(words, m->word);
	if (!m->exact &&
	    (strchr(name, ':') || (!strcasestr(words, m->country) &&
				   (strlen(m->word) <= 3 || !strcasestr(words, m->word)))))
		return true;
	snprintf(m->name, 64, "%s", name);
	if (m->found++ < MOST)
		snprintf(m->candidates + n, 256 - n, "%s%s, %s", n ? "; or " : "", name, words);
	return !m->exact;
}

bool lurk_registry_meant(struct xkb_context *context, const char *word, char name[64],
			 char candidates[256])
{
	struct meant meant = {.word = word, .name = name, .candidates = candidates};

	*candidates = *name = '\0';
	snprintf(meant.country, sizeof meant.country, "(%s)", word);
	each(context, take_meant, &meant);
	if (meant.exact || meant.found == 1)
		return true;
	*name = '\0';
	return false;
}

/* ---- All of them ----------------------------------------------------------------------------- */

struct all {
	void (*tell)(void *data, const char *name);
	void *data;
};

static bool take_any(void *data, const char *name, const char *words, struct rxkb_layout *layout)
{
	const struct all *all = data;

	(void)words;
	(void)layout;
	all->tell(all->data, name);
	return true;
}

void lurk_registry_each(struct xkb_context *context, void (*tell)(void *data, const char *name),
			void *data)
{
	struct all all = {tell, data};

	each(context, take_any, &all);
}

/* ---- Menus ----------------------------------------------------------------------------------- */

struct language {
	const char *name;
	char *brief, *language;
};

static bool take_language(void *data, const char *name, const char *words,
			  struct rxkb_layout *layout)
{
	const struct language *l = data;
	struct rxkb_iso639_code *code;

	(void)words;
	if (strcmp(name, l->name) != 0)
		return true;
	code = rxkb.layout_get_iso639_first(layout);
	snprintf(l->brief, LURK_REGISTRY_CODE, "%s",
		 rxkb.layout_get_brief(layout) ? rxkb.layout_get_brief(layout) : "");
	snprintf(l->language, LURK_REGISTRY_CODE, "%s",
		 code ? rxkb.iso639_code_get_code(code) : "");
	if (code)
		rxkb.iso639_code_unref(code);
	return false;
}

void lurk_registry_language(struct xkb_context *context, const char *name,
			    char brief[LURK_REGISTRY_CODE], char language[LURK_REGISTRY_CODE])
{
	struct language wanted = {name, brief, language};

	*brief = *language = '\0';
	each(context, take_language, &wanted);
}

struct listed {
	const char *name, *words;
	int count;
	bool found;
};

static bool take_listed(void *data, const char *name, const char *words, struct rxkb_layout *layout)
{
	struct listed *l = data;

	(void)layout;
	l->count++;
	l->found = l->found || (!strcmp(name, l->name) && !strcmp(words, l->words));
	return true;
}

bool lurk_registry_lists(const char *folder, const char *name, const char *words, int *count)
{
	struct listed listed = {.name = name, .words = words};
	const bool read = each_in(&folder, 1, take_listed, &listed);

	*count = read ? listed.count : -1;
	return listed.found;
}
