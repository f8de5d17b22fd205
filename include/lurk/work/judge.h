/*
 * What is wrong with a profile and what it takes away: the core's judgement (lurk/check.h) on the
 * keyboards of a machine, and what only files and layouts can tell.
 */
#ifndef LURK_INCLUDE_WORK_JUDGE_H
#define LURK_INCLUDE_WORK_JUDGE_H

#include "lurk/declare.h"
#include "lurk/check.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

/* Codes beside those of lurk/check.h. */
enum {
	LURK_CHECK_CANNOT_TYPE = 100, /* `other` is the character */
	LURK_CHECK_NO_LAYOUT,
	LURK_CHECK_NO_PROFILE,
	LURK_CHECK_NO_WAY_BACK,
	LURK_CHECK_UNKNOWN_KEYBOARD,
	LURK_CHECK_NO_SUCH_LAYOUT, /* that the profile names */
	LURK_CHECK_CHARACTERS,     /* no press types what `key` types on its `levels` any more */
	LURK_CHECK_OTHER_SYMBOL,   /* programs of a desktop take `key` for XKB's symbol `other` */
	LURK_CHECK_NO_SYMBOL,      /* or for none */
	LURK_CHECK_ASSUMED_LAYOUT, /* a session may have another than a text is typed in */
	/* Of several layouts in turn, that with the index `by` lacks the character `other`. */
	LURK_CHECK_LACKED,
};

/* The modifiers of a level, as lurk_finding.levels counts them. */
enum { LURK_LEVELS = 4 };
static inline uint16_t lurk_level_modifiers(unsigned level)
{
	return (uint16_t)((level & 1 ? LURK_MOD_SHIFT : 0) | (level & 2 ? LURK_MOD_RIGHT_ALT : 0));
}

struct lurk_findings {
	struct lurk_finding *all;
	unsigned count, by_severity[LURK_LOCK_OUT + 1];
	uint16_t keyboards[LURK_CHECK_KEYBOARDS]; /* the machine's numbers for them */
	bool imagined;                            /* no machine, so none was looked at */
	/* What they are of. */
	const struct lurk_workspace *ws;
	const struct lurk_machine *machine;
	const struct lurk_profile_file *profile;
};

/* Judges the profile that is worked on as it is in memory; without a machine on keyboards of full
 * size. False where it cannot be judged. Findings are freed either way. */
bool lurk_judge(struct lurk_workspace *ws, const struct lurk_machine *machine,
		struct lurk_findings *findings);
/* Before rules come into force: judges that profile, then all that can be switched to. False where
 * one is refused, whose findings they then are; else they are those of the first. */
bool lurk_judge_all(struct lurk_workspace *ws, const struct lurk_machine *machine,
		    struct lurk_findings *findings);
/* The same after an edit that was meant to take a key's job away: what can no longer be done since,
 * and could be by the findings of `before` it, is a warning. */
bool lurk_judge_edit(struct lurk_workspace *ws, const struct lurk_machine *machine,
		     const struct lurk_findings *before, struct lurk_findings *findings);
void lurk_findings_free(struct lurk_findings *findings);
/* Whether rules with such findings are refused. */
bool lurk_findings_refuse(const struct lurk_findings *findings);
/* The rule of that number in a finding, which is the profile's or one's that it is based on:
 * `file`, unless NULL. NULL for LURK_NO_RULE. */
const struct lurk_rule *lurk_findings_rule(const struct lurk_findings *findings, uint32_t number,
					   const struct lurk_profile_file **file);
bool lurk_findings_have(const struct lurk_findings *findings, const struct lurk_finding *wanted);

/* Adds where a keyboard's keys come from: see lurk_sources(). */
void lurk_sources_of(const struct lurk_rules *rules, const struct lurk_port_keyboard *keyboard,
		     bool broken_too, uint8_t held_with,
		     struct lurk_source sources[LURK_KEY_COUNT]);

LURK_END_C

#endif
