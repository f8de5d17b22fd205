/* Which layout counts, and what its keys type. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"

/* NAME="value" or NAME=value, up to one of `ends`. */
static void read_setting(const char *line, const char *name, const char *ends, char *out,
			 size_t size)
{
	size_t n = strlen(name);

	if (strncmp(line, name, n) != 0 || line[n] != '=')
		return;
	line += n + 1 + (line[n + 1] == '"');
	n = 0;
	while (line[n] && !strchr("\"\n", line[n]) && !strchr(ends, line[n]))
		n++;
	snprintf(out, size, "%.*s", (int)n, line);
}

/* The layout that the system was set up with, as Debian keeps it: of several the first. */
static void system_layout(struct cli *cli)
{
	FILE *file = fopen("/etc/default/keyboard", "r");
	char line[256], variant[64] = "";

	while (file && fgets(line, sizeof line, file)) {
		read_setting(line, "XKBLAYOUT", ",", cli->layout_name, 32);
		read_setting(line, "XKBVARIANT", ",", variant, 32);
		read_setting(line, "XKBOPTIONS", "", cli->layout_options,
			     sizeof cli->layout_options);
	}
	if (*cli->layout_name && *variant)
		snprintf(cli->layout_name + strlen(cli->layout_name),
			 sizeof cli->layout_name - strlen(cli->layout_name), ":%s", variant);
	if (file)
		fclose(file);
}

/* Opened when first asked for. */
struct lurk_layout *cli_layout(struct cli *cli)
{
	struct lurk_message why;

	if (!cli->layout && !cli->layout_missing && *cli->layout_name) {
		cli->layout = lurk_layout_open_with(cli->layout_name, cli->layout_options, &why);
		if (!cli->layout)
			cli_fail(CLI_COULD_NOT, "%s", why.text);
	}
	cli->layout_missing = !cli->layout;
	return cli->layout;
}

struct lurk_layout *cli_shown_layout(struct cli *cli)
{
	struct lurk_message unused;
	struct lurk_layout *own = cli_layout(cli);

	if (!own && !cli->usual_layout)
		cli->usual_layout = lurk_layout_open("us", &unused);
	return own ? own : cli->usual_layout;
}

static bool find_character(void *data, uint32_t codepoint, lurk_key *key, uint16_t *modifiers)
{
	struct lurk_layout *layout = cli_layout(data);
	struct lurk_characters characters;

	if (!layout)
		return false;
	characters = lurk_layout_characters(layout);
	return characters.find(characters.data, codepoint, key, modifiers);
}

static unsigned type_character(void *data, uint32_t codepoint,
			       struct lurk_step steps[LURK_CHARACTER_STEPS])
{
	struct lurk_layout *layout = cli_layout(data);
	struct lurk_characters characters;

	if (!layout)
		return 0;
	characters = lurk_layout_characters(layout);
	return characters.type(characters.data, codepoint, steps);
}

static const char *layouts_with(void *data, uint32_t codepoint)
{
	static char out[64];

	(void)data;
	return lurk_layouts_with(codepoint, out);
}

const struct lurk_characters *cli_characters(struct cli *cli)
{
	return *cli->layout_name ? &cli->characters : NULL;
}

void cli_typing_keys(struct cli *cli, uint8_t typing[LURK_KEY_COUNT / 8])
{
	static const char characters[] = "abcdefghijklmnopqrstuvwxyz0123456789";
	lurk_key key;
	uint16_t modifiers;

	memset(typing, 0, LURK_KEY_COUNT / 8);
	for (const char *c = characters; *c && cli_characters(cli); c++) {
		if (!find_character(cli, (uint8_t)*c, &key, &modifiers)) {
			lurk_check_typing(typing); /* a layout for another script */
			return;
		}
		typing[key / 8] |= (uint8_t)(1U << key % 8);
	}
	if (!cli_characters(cli))
		lurk_check_typing(typing);
}

bool cli_has_third_level(struct cli *cli)
{
	struct lurk_layout *layout = cli_layout(cli);

	return layout && lurk_layout_third_level(layout);
}

bool cli_untypable(const struct lurk_characters *characters, struct lurk_text text,
		   uint32_t *codepoint)
{
	struct lurk_step steps[LURK_CHARACTER_STEPS];

	for (size_t at = 0; at < text.length;) {
		size_t n = lurk_character_read(text.bytes + at, text.length - at, codepoint);

		if (!n || !characters->type(characters->data, *codepoint, steps))
			return n != 0;
		at += n;
	}
	return false;
}

/* The profile's own layout, else the desk's, else the system's. Looked for before the rules are
 * read: they may name keys by their characters. */
void cli_layout_of(struct cli *cli, const char *bytes, size_t length)
{
	struct lurk_message unused;
	struct lurk_yaml yaml = {0};
	const struct lurk_node *layout;
	/* Most say none: no need to read them twice for it. With a backslash it may be in disguise.
	 */
	bool may_say = memmem(bytes, length, "layout", 6) || memchr(bytes, '\\', length);
	char *copy = may_say ? lurk_copy(bytes, length) : NULL;

	*cli->layout_name = '\0';
	if (copy && lurk_yaml_parse(&yaml, "", copy, length, &unused)) {
		layout = lurk_node_get(yaml.root, "layout");
		if (layout && layout->kind == LURK_NODE_SCALAR)
			snprintf(cli->layout_name, sizeof cli->layout_name, "%s", layout->text);
	}
	if (copy)
		lurk_yaml_free(&yaml);
	if (!*cli->layout_name && cli->computer)
		snprintf(cli->layout_name, sizeof cli->layout_name, "%s",
			 cli->computer->desk.layout);
	if (!*cli->layout_name && !cli->desk)
		system_layout(cli);
	cli->characters =
		(struct lurk_characters){cli, find_character, type_character, layouts_with};
}
