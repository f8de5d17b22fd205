/*
 * Edits of keyboards.yaml: what keyboards are called, how they are recognised, which of their keys
 * are odd. Each is done in memory, with a sentence that says so; lurk_workspace_save_keyboards()
 * makes it last. Where it is not done there is a message.
 */
#ifndef LURK_INCLUDE_WORK_NAMING_H
#define LURK_INCLUDE_WORK_NAMING_H

#include "lurk/declare.h"
#include "lurk/work/machine.h"
#include "lurk/work/went.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

enum { LURK_NAMING = 700 };

struct lurk_naming {
	struct lurk_workspace *ws; /* set by the caller, as is: */
	/* Those that are here, so that one that is like another gets a name of its own; or NULL. */
	const struct lurk_machine *machine;
	char summary[LURK_NAMING];
	struct lurk_message why;
};

/* Gives a keyboard that has none yet a name. Of two that are alike here each is bound to its serial
 * number, or where these are the same to its place, also where both have one name so far. */
enum lurk_went lurk_naming_name(struct lurk_naming *naming, const struct lurk_identity *identity,
				const char *name);
/* The same keyboard as a described one, by another connection: one more way to recognise it. */
enum lurk_went lurk_naming_join(struct lurk_naming *naming, uint16_t described,
				const struct lurk_identity *identity);
/* Adds keys to the list of that name: "broken", "missing", "press-only"; "off-chord" is replaced.
 */
enum lurk_went lurk_naming_mark(struct lurk_naming *naming, uint16_t described, const char *list,
				char *const *keys, unsigned count);
/* Gives a key or a scan code of a keyboard a name of one's own. */
enum lurk_went lurk_naming_nickname(struct lurk_naming *naming, uint16_t described,
				    const char *code, const char *nickname);
/* Rules for all keyboards leave it alone. */
enum lurk_went lurk_naming_set_apart(struct lurk_naming *naming, uint16_t described);
/* How pictures draw it. */
enum lurk_went lurk_naming_set_form(struct lurk_naming *naming, uint16_t described,
				    const char *form);

/* Which keyboard a person means by a name of keyboards.yaml, by what one that is here calls itself,
 * or part of that, or by its place. One that is meant alone and has no name yet gets one like what
 * it calls itself where `name` allows that, with a summary (else ""): keyboards.yaml is to be saved
 * then. */
enum lurk_went lurk_naming_meant(struct lurk_naming *naming, const char *word, bool name,
				 uint16_t *described);

/* The machine's number of the one that is here and meant so, by a name of keyboards.yaml as well;
 * -1 with why there is none. */
int lurk_naming_here(struct lurk_naming *naming, const char *word);

/* Whether two keyboards say the same of themselves, so that only their places tell them apart. */
bool lurk_are_twins(const struct lurk_identity *one, const struct lurk_identity *other);
/* The only keyboard of the machine that has no name: its number, -1 where there are none or
 * several, with how many. */
int lurk_only_unnamed(const struct lurk_workspace *ws, const struct lurk_machine *machine,
		      unsigned *count);

LURK_END_C

#endif
