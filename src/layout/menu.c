/* The list that desktops' menus are made of (xkb_rules_name.xml, as libxkbregistry reads it): one
 * entry put in or taken out, and every other byte stays. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "layout/own_file.h"
#include "layout/registry.h"
#include "lurk/text/memory.h"
#include "lurk/text/utf8.h"

static const char head[] = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n"
			   "<!DOCTYPE xkbConfigRegistry SYSTEM \"xkb.dtd\">\n"
			   "<xkbConfigRegistry version=\"1.1\">\n"
			   "  <layoutList>\n";
static const char tail[] = "  </layoutList>\n"
			   "</xkbConfigRegistry>\n";

/* ---- Finding an entry ------------------------------------------------------------------------ */

/* The next place of a text, from `at` to `end`, that is in no comment; NULL for none. */
static const char *find(const char *at, const char *end, const char *wanted)
{
	while (at < end) {
		if (!strncmp(at, "<!--", 4)) {
			at = strstr(at, "-->");
			if (!at)
				return NULL;
		} else if (!strncmp(at, wanted, strlen(wanted))) {
			return at;
		}
		at++;
	}
	return NULL;
}

/* Whether the entry from its tag to the end is of the layout: its first name says so. */
static bool is_of(const char *entry, const char *end, const char *name)
{
	const char *at = find(entry, end, "<name>");

	at = at ? at + strlen("<name>") : NULL;
	return at && !strncmp(at, name, strlen(name)) && at[strlen(name)] == '<';
}

static bool is_line_start(const char *text, const char *at)
{
	return at == text || at[-1] == '\n';
}

/* The beginning of the line, where nothing stands before; else the place itself. */
static const char *without_indentation(const char *text, const char *at)
{
	const char *start = at;

	while (start > text && (start[-1] == ' ' || start[-1] == '\t'))
		start--;
	return is_line_start(text, start) ? start : at;
}

/* With its lines, where it has them for itself. */
static struct lurk_span entry_of(const char *text, const char *name)
{
	const char *all = text + strlen(text), *begin = text;

	while ((begin = find(begin, all, "<layout>"))) {
		const char *end = find(begin, all, "</layout>");

		if (!end)
			break;
		end += strlen("</layout>");
		if (is_of(begin, end, name)) {
			begin = without_indentation(text, begin);
			end += *end == '\n' && is_line_start(text, begin);
			return (struct lurk_span){(size_t)(begin - text), (size_t)(end - text)};
		}
		begin = end;
	}
	return (struct lurk_span){0, 0};
}

char *lurk_menu_without(const char *text, const char *name)
{
	const struct lurk_span entry = entry_of(text, name);
	char *out;

	if (!entry.end)
		return NULL;
	out = lurk_print("%.*s%s", (int)entry.start, text, text + entry.end);
	if (!strncmp(out, head, strlen(head)) && !strcmp(out + strlen(head), tail))
		*out = '\0'; /* only ours was in it */
	return out;
}

/* ---- Putting one in -------------------------------------------------------------------------- */

static void escape(const char *text, char *out, size_t size)
{
	*out = '\0';
	for (size_t plain; *text; text += plain) {
		char part[LURK_OWN_WORDS];

		plain = strcspn(text, "&<>");
		snprintf(part, sizeof part, "%.*s", (int)plain, text);
		lurk_append(out, size, part);
		if (text[plain])
			lurk_append(out, size,
				    text[plain] == '&'   ? "&amp;"
				    : text[plain] == '<' ? "&lt;"
							 : "&gt;");
		plain += text[plain] != '\0';
	}
}

static char *make_entry(const struct lurk_own_layout *own)
{
	char words[6 * LURK_OWN_WORDS], brief[LURK_REGISTRY_CODE] = "",
					language[LURK_REGISTRY_CODE] = "";
	char *languages, *entry;

	if (own->base)
		lurk_registry_language(own->base->context, own->base->name, brief, language);
	escape(lurk_own_layout_words(own), words, sizeof words);
	languages = *language ? lurk_print("        <languageList><iso639Id>%s</iso639Id>"
					   "</languageList>\n",
					   language)
			      : lurk_copy("", 0);
	entry = lurk_print("    <layout>\n"
			   "      <configItem>\n"
			   "        <name>%s</name>\n"
			   "        <shortDescription>%s</shortDescription>\n"
			   "        <description>%s</description>\n"
			   "%s"
			   "      </configItem>\n"
			   "    </layout>\n",
			   own->name, *brief ? brief : own->name, words, languages);
	lurk_release(languages);
	return entry;
}

/* Where the list of layouts ends, or its line does; NULL where there is none. */
static const char *end_of_list(const char *text)
{
	const char *end = NULL, *all = text + strlen(text);

	for (const char *at = text; (at = find(at, all, "</layoutList>")); at++)
		end = at;
	return end ? without_indentation(text, end) : NULL;
}

/* On lines of its own, where that place is one; so that taking it out leaves what was there. */
static char *put_in(const char *text, const char *at, const char *entry)
{
	const size_t indented = strspn(entry, " ");

	if (is_line_start(text, at))
		return lurk_print("%.*s%s%s", (int)(at - text), text, entry, at);
	return lurk_print("%.*s%.*s%s", (int)(at - text), text, (int)(strlen(entry) - indented - 1),
			  entry + indented, at);
}

enum { UNTRIED = -2 };

/* Read as desktops do, from a folder that is made for that: how many are in it, -1 where they
 * cannot, UNTRIED without room for it. */
static bool lists(const char *text, const struct lurk_own_layout *own, int *count)
{
	char folder[] = "/tmp/lurk-menu-XXXXXX", path[64];
	struct lurk_message unused;
	bool listed = false;

	*count = UNTRIED;
	if (!mkdtemp(folder))
		return false;
	snprintf(path, sizeof path, "%s/rules/evdev.xml", folder);
	if (lurk_file_write(path, text, strlen(text), &unused))
		listed = lurk_registry_lists(folder, own->name, lurk_own_layout_words(own), count);
	unlink(path);
	snprintf(path, sizeof path, "%s/rules", folder);
	rmdir(path);
	rmdir(folder);
	return listed;
}

char *lurk_menu_with(const char *text, const struct lurk_own_layout *own,
		     struct lurk_message *message)
{
	char *fresh = text ? lurk_menu_without(text, own->name) : NULL, *entry, *out;
	const char *before = fresh && *fresh ? fresh : text && !fresh ? text : NULL, *end;
	int others = 0, all;

	if (before)
		lists(before, own, &others);
	end = before && others >= 0 ? end_of_list(before) : NULL;
	if (before && !end) {
		lurk_say(message, others == UNTRIED
					  ? "no room in /tmp to read it as desktops do"
					  : "it is no list of layouts that desktops can read");
		lurk_release(fresh);
		return NULL;
	}
	entry = make_entry(own);
	out = before ? put_in(before, end, entry) : lurk_print("%s%s%s", head, entry, tail);
	lurk_release(entry);
	lurk_release(fresh);
	if (lists(out, own, &all) && all == others + 1)
		return out;
	lurk_release(out);
	if (all == UNTRIED)
		lurk_say(message, "no room in /tmp to read it as desktops do");
	else
		lurk_say(message, "desktops could not read the list with `%s` in it", own->name);
	return NULL;
}
