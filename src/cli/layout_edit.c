/* Edits of a layout of one's own, and what is said of each. */
#include <string.h>

#include "cli/layout.h"
#include "tell/own_layout.h"

int cli_layout_failed(enum lurk_went went, const struct lurk_message *why)
{
	return cli_fail((int)went, "%s", why->text);
}

const char *cli_layout_base(const struct layout *l)
{
	struct lurk_layout *base = lurk_own_layout_base(l->file.own);

	return base ? lurk_layout_words(base) : "a layout that is not here";
}

bool cli_layout_json_needed(const struct layout *l)
{
	bool needed;

	term_json(tell_own_json(&l->cli->ws, &l->file, l->package.symbols ? &l->package : NULL,
				&needed));
	return needed;
}

int cli_layout_json(const struct layout *l)
{
	cli_layout_json_needed(l);
	return CLI_DONE;
}

/* By the layout's own signs too: `¬` is where it has that; else where the base does, since a key
 * may type something else by now. */
static bool find_press(struct layout *l, const char *text, struct lurk_press *press,
		       struct lurk_message *why)
{
	struct lurk_layout *base = lurk_own_layout_base(l->file.own);
	const struct lurk_characters own = lurk_layout_characters(lurk_own_layout(l->file.own));
	struct lurk_characters before;
	struct lurk_message unused;

	if (lurk_words_press(text, &own, press, why))
		return true;
	if (!base)
		return false;
	before = lurk_layout_characters(base);
	return lurk_words_press(text, &before, press, &unused);
}

static bool read_press(struct layout *l, const char *text, lurk_key *key, uint16_t *modifiers)
{
	struct lurk_message why;
	struct lurk_press press;

	if (!find_press(l, text, &press, &why)) {
		cli_fail(CLI_USAGE, "%s", why.text);
		return false;
	}
	if (press.on.kind != LURK_TARGET_KEY) {
		cli_fail(CLI_USAGE, "`%s` is not one key; write its name, such as KeyM", text);
		return false;
	}
	*key = press.on.key;
	*modifiers = press.modifiers;
	return true;
}

struct typed {
	lurk_key key;
	uint16_t modifiers;
};

static void print_loss(void *data, const struct lurk_own_layout_finding *finding)
{
	const struct typed *typed = data;
	char words[TELL_OWN];

	if (finding->fault == LURK_OWN_LOST && finding->key == typed->key &&
	    finding->modifiers == typed->modifiers)
		printf("%s.\n", tell_own_finding(finding, words));
}

static void print_third(bool third)
{
	if (third)
		puts("AltRight chooses signs in it from now on, and is no Alt there any more.");
}

static void print_typed(struct layout *l, lurk_key key, uint16_t modifiers, uint32_t was,
			uint32_t now, bool third)
{
	char press[LURK_WORDS], before[LURK_SYMBOL], after[LURK_SYMBOL];
	struct typed typed = {key, modifiers};

	printf("%s types %s in %s now%s%s.\n", tell_own_press(key, modifiers, press),
	       lurk_symbol_words(now, after), l->words[0], was ? ", and no longer " : "",
	       was ? lurk_symbol_words(was, before) : "");
	print_third(third);
	lurk_own_layout_judge(l->file.own, print_loss, &typed);
	if (lurk_own_layout_is_installed(&l->cli->ws, &l->file) == LURK_OWN_INSTALLED_OTHERWISE)
		printf("Desktops have it as it was: `lurk layout install %s` gives them this.\n",
		       l->words[0]);
	else
		printf("`lurk picture --layout %s` draws it, `lurk layout show %s` lists what "
		       "differs, `lurk layout install %s` puts it into the desktop's menu.\n",
		       l->words[0], l->words[0], l->words[0]);
}

/* Saves what an edit did, of which the summary says what it types then; CLI_DONE where that is so.
 */
static int finish(struct layout *l, enum lurk_own_layout_edit edit, const char *summary,
		  struct lurk_message *why)
{
	enum lurk_went went;

	if (edit == LURK_OWN_REFUSED)
		return cli_fail(CLI_USAGE, "%s: %s; nothing is changed", l->words[0], why->text);
	if (edit == LURK_OWN_SAME)
		return cli_fail(CLI_FOUND, "%s in %s already", summary, l->words[0]);
	went = lurk_own_layout_file_save(&l->cli->ws, &l->file, summary, why);
	return went == LURK_DONE ? CLI_DONE : cli_layout_failed(went, why);
}

int cli_layout_type(struct layout *l)
{
	char press[LURK_WORDS], summary[LURK_WORDS + 2 * LURK_SYMBOL], words[LURK_SYMBOL];
	lurk_key key;
	uint16_t modifiers;
	uint32_t symbol, was;
	struct lurk_message why;
	enum lurk_own_layout_edit edit;
	bool third;
	int status;

	if (!read_press(l, l->words[1], &key, &modifiers))
		return CLI_USAGE;
	if (!lurk_symbol_read(l->words[2], lurk_own_layout(l->file.own), &symbol, &why))
		return cli_layout_failed(LURK_ASKED_WRONGLY, &why);
	was = lurk_layout_types(lurk_own_layout(l->file.own), key, modifiers);
	edit = lurk_own_layout_type(l->file.own, key, modifiers, symbol, &third, &why);
	snprintf(summary, sizeof summary, "%s types %s", tell_own_press(key, modifiers, press),
		 lurk_symbol_words(symbol, words));
	status = finish(l, edit, summary, &why);
	if (status != CLI_DONE)
		return status;
	if (l->cli->json)
		return cli_layout_json(l);
	print_typed(l, key, modifiers, was, symbol, third);
	return CLI_DONE;
}

int cli_layout_after(struct layout *l)
{
	struct lurk_layout *layout = lurk_own_layout(l->file.own);
	const char *gives = strcmp(l->words[3], "nothing") ? l->words[3] : NULL;
	struct lurk_own_sequence one = {0};
	char words[TELL_OWN], summary[TELL_OWN + 2 * LURK_SYMBOL];
	struct lurk_message why;
	enum lurk_own_layout_edit edit;
	int status;

	if (!lurk_symbol_read(l->words[1], layout, &one.first, &why) ||
	    !lurk_symbol_read(l->words[2], layout, &one.next, &why))
		return cli_layout_failed(LURK_ASKED_WRONGLY, &why);
	edit = lurk_own_layout_follow(l->file.own, one.first, one.next, gives, &why);
	snprintf(summary, sizeof summary, "%s types %s", tell_own_sequence(&one, words),
		 gives ? gives : "what it does without a layout of one's own");
	status = finish(l, edit, summary, &why);
	if (status != CLI_DONE)
		return status;
	if (l->cli->json)
		return cli_layout_json(l);
	printf("%s in %s now.\n`lurk layout check %s` tells whether a key begins it, `lurk layout "
	       "install %s` gives it to programs.\n",
	       summary, l->words[0], l->words[0], l->words[0]);
	return CLI_DONE;
}

int cli_layout_copy(struct layout *l)
{
	char press[LURK_WORDS], other[LURK_WORDS], summary[2 * LURK_WORDS + 16];
	lurk_key key, from;
	uint16_t unused;
	struct lurk_message why;
	enum lurk_own_layout_edit edit;
	bool third;
	int status;

	if (!read_press(l, l->words[1], &key, &unused) ||
	    !read_press(l, l->words[2], &from, &unused))
		return CLI_USAGE;
	edit = lurk_own_layout_copy(l->file.own, key, from, &third, &why);
	snprintf(summary, sizeof summary, "%s types what %s does", tell_own_press(key, 0, press),
		 tell_own_press(from, 0, other));
	status = finish(l, edit, summary, &why);
	if (status != CLI_DONE)
		return status;
	if (l->cli->json)
		return cli_layout_json(l);
	printf("%s in %s now, with Shift and AltRight too.\n", summary, l->words[0]);
	print_third(third);
	printf("`lurk layout check %s` tells what got lost.\n", l->words[0]);
	return CLI_DONE;
}

int cli_layout_restore(struct layout *l)
{
	char press[LURK_WORDS], summary[LURK_WORDS + 2 * LURK_OWN_WORDS];
	lurk_key key;
	uint16_t unused;
	struct lurk_message why;
	enum lurk_own_layout_edit edit;
	int status;

	if (!read_press(l, l->words[1], &key, &unused))
		return CLI_USAGE;
	edit = lurk_own_layout_restore(l->file.own, key, &why);
	snprintf(summary, sizeof summary, "%s types what it does in %.100s",
		 tell_own_press(key, 0, press), cli_layout_base(l));
	status = finish(l, edit, summary, &why);
	if (status != CLI_DONE)
		return status;
	if (l->cli->json)
		return cli_layout_json(l);
	printf("%s in %s now, with Shift and AltRight too.\n", summary, l->words[0]);
	return CLI_DONE;
}

int cli_layout_call(struct layout *l)
{
	char summary[LURK_OWN_WORDS + 32];
	struct lurk_message why;
	const enum lurk_own_layout_edit edit = lurk_own_layout_call(l->file.own, l->words[1], &why);
	int status;

	if (edit == LURK_OWN_SAME)
		return cli_fail(CLI_FOUND, "%s is \"%s\" in menus already", l->words[0],
				l->words[1]);
	snprintf(summary, sizeof summary, "menus call it \"%s\"", l->words[1]);
	status = finish(l, edit, summary, &why);
	if (status != CLI_DONE)
		return status;
	if (l->cli->json)
		return cli_layout_json(l);
	printf("%s is called \"%s\" now; `lurk layout install %s` says so to menus.\n", l->words[0],
	       l->words[1], l->words[0]);
	return CLI_DONE;
}
