/* layout use: the session's own layout, for a while or until it ends. */
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "cli/layout.h"
#include "tell/json.h"
#include "tell/own_layout.h"

/* A program cannot: what a person clicks or types. */
static int say_how(struct layout *l)
{
	char words[TELL_OWN];
	struct lurk_message unused;

	cli_fail(CLI_FOUND, "no program can switch the layout of this session");
	if (!l->cli->json &&
	    lurk_own_layout_file_open(&l->cli->ws, l->words[0], &l->file, &unused) == LURK_DONE)
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

static int go_back(const struct layout *l, const struct lurk_session_layouts *before,
		   const sigset_t *ends)
{
	const struct timespec wait = {.tv_sec = l->seconds};
	struct lurk_message why = {"the desktop is not there any more"};

	fflush(stdout);
	sigtimedwait(ends, NULL, &wait);
	if (lurk_layouts_use(before->names, before->active, &why) != LURK_DONE)
		return cli_fail(CLI_COULD_NOT, "%s; `lurk layout use %s` goes back", why.text,
				before->names);
	if (!l->cli->json)
		printf("And with %s again.\n", before->names);
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
	struct lurk_session_layouts before;
	char called[64];
	enum lurk_went went;
	sigset_t ends;

	if (l->cli->desk)
		return cli_fail(
			CLI_USAGE,
			"a simulated desk has no session: `layout: %s` in its desk.yaml lets "
			"it type with that",
			l->words[0]);
	if (lurk_layouts_called(l->words[0], called))
		l->words[0] = called;
	if (!lurk_layouts_to_be_had(&l->cli->ws, l->words[0], &why))
		return cli_fail(CLI_USAGE, "%s", why.text);
	if (!lurk_layouts_of_session(&before) && l->seconds)
		return cli_fail(CLI_COULD_NOT, "which layout this session has nobody tells, so "
					       "none could be brought back");
	if (l->seconds)
		hold_signals(&ends);
	went = lurk_layouts_use(l->words[0], -1, &why);
	if (went == LURK_FOUND)
		return say_how(l);
	if (went != LURK_DONE)
		return cli_layout_failed(went, &why);
	say_used(l, before.names);
	return l->seconds ? go_back(l, &before, &ends) : CLI_DONE;
}
