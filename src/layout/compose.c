/* Compose tables: which one programs of this person read. */
#include "layout/compose.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/layout/own.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

/* The locale whose sequences programs use. */
static const char *locale(void)
{
	static const char *const variables[] = {"LC_ALL", "LC_CTYPE", "LANG"};

	for (unsigned i = 0; i < 3; i++) {
		const char *value = getenv(variables[i]);

		if (value && *value)
			return strcmp(value, "C") && strcmp(value, "POSIX") &&
					       strcmp(value, "C.UTF-8")
				       ? value
				       : "en_US.UTF-8";
	}
	return "en_US.UTF-8";
}

/* A person's own file stands for the locale's, and most include that. Where libxkbcommon looks. */
bool lurk_compose_own_file(char path[LURK_PATH])
{
	const char *named = getenv("XCOMPOSEFILE"), *config = getenv("XDG_CONFIG_HOME"),
		   *home = getenv("HOME");

	if (named && *named) {
		snprintf(path, LURK_PATH, "%s", named);
		return true;
	}
	if (config && *config == '/')
		snprintf(path, LURK_PATH, "%s/XCompose", config);
	else
		snprintf(path, LURK_PATH, "%s/.config/XCompose", home ? home : "");
	if (access(path, F_OK) == 0)
		return true;
	snprintf(path, LURK_PATH, "%s/.XCompose", home ? home : "");
	return access(path, F_OK) == 0;
}

/* In an include a percent sign begins something else. */
static void write_include(const char *path, char *out, size_t size)
{
	size_t n = strlen(out);

	for (; *path && n + 4 < size; path++) {
		if (*path == '%')
			out[n++] = '%';
		else if (*path == '"' || *path == '\\')
			out[n++] = '\\';
		out[n++] = *path;
	}
	out[n] = '\0';
}

struct xkb_compose_table *lurk_compose_read(struct xkb_context *context, const char *text)
{
	return xkb_compose_table_new_from_buffer(context, text, strlen(text), locale(),
						 XKB_COMPOSE_FORMAT_TEXT_V1,
						 XKB_COMPOSE_COMPILE_NO_FLAGS);
}

struct xkb_compose_table *lurk_compose_table(struct xkb_context *context, const char *lines)
{
	char path[LURK_PATH], include[2 * LURK_PATH + 16] = "include \"";
	struct xkb_compose_table *table;
	char *text;

	if (!lines || !*lines)
		return xkb_compose_table_new_from_locale(context, locale(),
							 XKB_COMPOSE_COMPILE_NO_FLAGS);
	if (lurk_compose_own_file(path))
		write_include(path, include, sizeof include - 2);
	else
		lurk_append(include, sizeof include, "%L");
	text = lurk_print("%s\"\n%s", include, lines);
	table = lurk_compose_read(context, text);
	lurk_release(text);
	return table;
}
