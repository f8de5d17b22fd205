/* Symbols files from anywhere, and lists of layouts: where one is of the shape that is edited, an
 * edit puts in what was asked for and nothing else, and what was put in can be taken out; includes
 * are followed to an end. */
#include "copy.h"

#include "layout/includes.h"
#include "layout/symbols.h"
#include "lurk/layout/own.h"
#include "lurk/text/memory.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static const char line[] = "key <AB07> { [ x ] };";

static unsigned lines_of(const struct lurk_symbols *symbols)
{
	unsigned count = 0;

	for (unsigned i = 0; i < symbols->key_count; i++)
		count += !strcmp(symbols->keys[i].name, "AB07");
	return count;
}

static void edit(const char *text, const struct lurk_symbols *symbols)
{
	const bool there = lurk_symbols_key(symbols, "AB07") != NULL;
	struct lurk_symbols fresh, without;
	const struct lurk_symbols_key *key;
	struct lurk_message why;
	char *with = lurk_symbols_with(text, symbols, "AB07", line), *taken;

	if (symbols->key_count < LURK_SYMBOLS_KEYS || there) {
		if (!lurk_symbols_read(with, strlen(with), &fresh, &why) ||
		    fresh.key_count != symbols->key_count + !there ||
		    !(key = lurk_symbols_key(&fresh, "AB07")) ||
		    memcmp(with + key->span.start, line, sizeof line - 1))
			abort();
		taken = lurk_symbols_without(with, key);
		if (!lurk_symbols_read(taken, strlen(taken), &without, &why) ||
		    lines_of(&without) + 1 != lines_of(&fresh))
			abort();
		lurk_release(taken);
	}
	lurk_release(with);
}

static void find_end(const char *text, size_t size)
{
	struct xkb_context *context = xkb_context_new(XKB_CONTEXT_NO_DEFAULT_INCLUDES);
	struct lurk_message why;

	xkb_context_include_path_append(context, "fuzz/seeds");
	lurk_includes_end(context, text, size, &why);
	xkb_context_unref(context);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	struct lurk_message why = {""};
	struct lurk_symbols symbols;
	char *text = copy(data, size), *list;

	if (!lurk_symbols_read(text, size, &symbols, &why)) {
		if (strncmp(why.text, "line ", 5) != 0)
			abort();
	} else if (strlen(text) == size) {
		edit(text, &symbols);
	}
	find_end(text, size);
	list = lurk_menu_without(text, "reedbed");
	lurk_release(list);
	free(text);
	return 0;
}
