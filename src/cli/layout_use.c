/* layout use: the session's own layout, for a while or until it ends. */
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "cli/layout.h"
#include "tell/json.h"
#include "tell/own_layout.h"

/* As desktops will read it, by its name and not by words. */
static bool desktops_have(const char *name)
{
	struct lurk_message unused;
	const bool there = lurk_layout_is_there(name);
	struct lurk_layout *layout = *name && !there ? lurk_layout_open(name, &unused) : NULL;
	const bool opens = layout && !strcmp(lurk_layout_name(layout), name);

	lurk_layout_close(layout);
	return there || opens;
}

/* One's own as it is now, or what the system has. */
static bool is_to_be_had(struct layout *l, const char *name, struct lurk_message *why)
{
	lurk_own_layout_file_close(&l->file);
	if (lurk_own_layout_file_open(&l->cli->ws, name, &l->file, why) == LURK_DONE)
		return lurk_own_layout_is_installed(&l->cli->ws, &l->file) == LURK_OWN_INSTALLED ||
		       lurk_say(why, "no desktop has %s as it is now: `lurk layout install %s`",
				name, name);
	return desktops_have(name) ||
	       lurk_say(why, "there is no layout `%s`; `lurk layout` lists yours", name);
}

/* One, or several with commas. */
static enum lurk_went all_are_to_be_had(struct layout *l, struct lurk_message *why)
{
	char name[LURK_SESSION_LAYOUTS];

	for (const char *at = l->words[0];; at++) {
		snprintf(name, sizeof name, "%.*s", (int)strcspn(at, ","), at);
		at += strcspn(at, ",");
		if (!is_to_be_had(l, name, why))
			return LURK_ASKED_WRONGLY;
		if (!*at)
			return LURK_DONE;
	}
}

/* A program cannot: what a person clicks or types. */
static int say_how(struct layout *l)
{
	char words[TELL_OWN];

	cli_fail(CLI_FOUND, "no program can switch the layout of this session");
	if (l->file.own && !l->cli->json)
		fprintf(stderr, "%s\n",
			tell_own_chosen(&l->cli->ws, &l->file, getenv("XDG_CURRENT_DESKTOP"),
					getenv("XDG_SESSION_TYPE"), words));
	return CLI_FOUND;
}

/* Whatever would end it before the layout of before is back, from before that goes. */
static void hold_signals(sigset_t *ends)
{
	sigemptyset(ends);
	sigaddset(ends, SIGINT);
	sigaddset(ends, SIGTERM);
	sigaddset(ends, SIGHUP);
	sigprocmask(SIG_BLOCK, ends, NULL);
}

static int go_back(const struct layout *l, const char *before, const sigset_t *ends)
{
	const struct timespec wait = {.tv_sec = l->seconds};
	struct lurk_message why;

	fflush(stdout);
	sigtimedwait(ends, NULL, &wait);
	if (lurk_layouts_use(before, &why) != LURK_DONE)
		return cli_fail(CLI_COULD_NOT, "%s; `lurk layout use %s` goes back", why.text,
				before);
	if (!l->cli->json)
		printf("And with %s again.\n", before);
	return CLI_DONE;
}

static void say_used(const struct layout *l, const char *before)
{
	char count[LURK_COUNT_WORDS];

	if (l->cli->json) {
		struct json_object *object = json_object_new_object();

		tell_put_text(object, "types_with", l->words[0]);
		tell_put_text(object, "before", *before ? before : NULL);
		term_json(object);
	} else if (l->seconds) {
		printf("This session types with %s, for %s; Ctrl+C ends it.\n", l->words[0],
		       lurk_words_count(l->seconds, "second", count));
	} else {
		printf("This session types with %s now, until it ends or reads its settings "
		       "anew.\n",
		       l->words[0]);
		if (*before && strcmp(before, l->words[0]) != 0)
			printf("`lurk layout use %s` goes back.\n", before);
	}
}

int cli_layout_use(struct layout *l)
{
	struct lurk_message why;
	char before[LURK_SESSION_LAYOUTS];
	enum lurk_went went;
	sigset_t ends;

	if (l->cli->desk)
		return cli_fail(
			CLI_USAGE,
			"a simulated desk has no session: `layout: %s` in its desk.yaml lets "
			"it type with that",
			l->words[0]);
	went = all_are_to_be_had(l, &why);
	if (went == LURK_DONE && !lurk_layouts_of_session(before) && l->seconds) {
		lurk_say(&why, "which layout this session has nobody tells, so none could be "
			       "brought back");
		went = LURK_COULD_NOT;
	}
	if (l->seconds)
		hold_signals(&ends);
	if (went == LURK_DONE)
		went = lurk_layouts_use(l->words[0], &why);
	if (went == LURK_FOUND)
		return say_how(l);
	if (went != LURK_DONE)
		return cli_layout_failed(went, &why);
	say_used(l, before);
	return l->seconds ? go_back(l, before, &ends) : CLI_DONE;
}
