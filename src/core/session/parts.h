/*
 * What the files of the session share.
 *
 *     session.c   what happens: keyboards come and go, keys, the off chord, what is due
 *     hold.c      taking and giving back; what is listened to; tables
 *     change.c    one set of rules in force for another, on all keyboards or on none
 *     keymaps.c   the keymaps that rule sets are compiled to, and which sets are held
 *     rules.c     rule sets; apply, try, keep, use, off and on
 *     engines.c   an engine for each seat
 *     seats.c     who is at which screen, whose rules of their own come and go
 *     own.c       what those rules may do
 *     locks.c     locks whose key goes away
 *
 * A keyboard's states, by `taken` and `holds`:
 *
 *     free        !taken, !holds    programs read it; its table is as its way says
 *     waiting     !taken,  holds    its stand-in is too young to be open everywhere (`waits`)
 *     relayed      taken,  holds    what it sends goes through the engine; or to nobody, while
 *                                   `holds` has LURK_HOLD_CHORD or _WITHHELD
 *     returning    taken, !holds    as relayed, until nothing is down on it
 *
 * Only lurk_hold_reconcile() moves between them, and only by these two:
 *
 *     free, waiting → relayed       once the stand-in is open; what is held goes on
 *     returning → free              once nothing is down
 */
#ifndef LURK_CORE_SESSION_PARTS_H
#define LURK_CORE_SESSION_PARTS_H

#include "lurk/session.h"

/* The rule set of a part in a mode, NULL where it has none. */
static inline struct lurk_ruleset *
lurk_session_ruleset(struct lurk_session *s, const struct lurk_session_mode *mode, unsigned part)
{
	const unsigned ruleset = mode->parts[part].ruleset;

	return ruleset != LURK_NO_RULESET && s->rulesets[ruleset].loaded ? &s->rulesets[ruleset]
									 : NULL;
}

static inline struct lurk_session_keyboard *lurk_session_at(struct lurk_session *s, uint16_t number)
{
	return &s->memory.keyboards[number];
}

/* The engines in use, by 0 to lurk_session.engines - 1; and that of a keyboard. */
static inline struct lurk_engine *lurk_session_engine(struct lurk_session *s, unsigned index)
{
	return index ? &s->memory.engines[index - 1] : &s->engine;
}

static inline struct lurk_engine *lurk_session_engine_of(struct lurk_session *s, uint16_t number)
{
	return s->memory.engine_keyboards[number].engine;
}

/* ---- engines.c ------------------------------------------------------------------------------ */

/* All of them; `layout` is lurk_engine.layout. */
void lurk_engines_start(struct lurk_session *s,
			uint32_t (*layout)(void *session, uint16_t keyboard));

/* That of a part's seat. */
struct lurk_engine *lurk_engines_of_part(struct lurk_session *s, unsigned part);

/* lurk_engine_deadline() of them all. */
uint64_t lurk_engines_deadline(const struct lurk_session *s);

/* Whether text is read out of a rule set's image; and ends such text: true where there was any. */
bool lurk_engines_type_from(const struct lurk_session *s, unsigned ruleset);
bool lurk_engines_end_text(struct lurk_session *s, unsigned ruleset);

/* ---- send.c --------------------------------------------------------------------------------- */

/* Sends all that the engines have ready; or one of them, which is all that a key on its way needs.
 */
void lurk_session_send(struct lurk_session *s);
void lurk_session_send_of(struct lurk_session *s, struct lurk_engine *engine);

/* ---- session.c ------------------------------------------------------------------------------ */

/* Stops at once where a state is not as the files above say. */
void lurk_session_verify(const struct lurk_session *s);

/* ---- hold.c --------------------------------------------------------------------------------- */

/* A reason to take a keyboard begins or ends; then what follows from all of them. An error where it
 * cannot be taken: the reason is gone then. */
enum lurk_error lurk_hold(struct lurk_session *s, uint16_t number, enum lurk_hold why, bool begins);

/* Brings a keyboard to the state that its reasons want, as far as can be now. */
enum lurk_error lurk_hold_reconcile(struct lurk_session *s, uint16_t number);

/* Makes its stand-in; `fresh` where no program knows the keyboard yet either. Where that fails it
 * is tried again when the keyboard is taken. */
enum lurk_error lurk_hold_prepare(struct lurk_session *s, uint16_t number, bool fresh);

/* A key goes on that gave a modifier until now; and all that were told go up for programs where
 * they were pressed. */
void lurk_hold_inherit(struct lurk_session *s, uint16_t number, const struct lurk_key_event *key,
		       lurk_key gave);
enum lurk_error lurk_hold_end(struct lurk_session *s, uint16_t number);

/* It is gone, or of no use: given back at once, and forgotten. */
void lurk_hold_drop(struct lurk_session *s, uint16_t number);

/* Brings its table to what its way wants, where it is not taken or never will be by the table. */
enum lurk_error lurk_hold_settle(struct lurk_session *s, uint16_t number);

/* Tells the port which keys are listened to: on one keyboard, and on all that are free. */
void lurk_hold_listen(struct lurk_session *s, uint16_t number);
void lurk_hold_listen_all(struct lurk_session *s);

/* Takes all other keyboards that hold modifiers, before a press that lifts them. */
void lurk_hold_lend(struct lurk_session *s, const struct lurk_event *event);

/* The modifier that a key of the keyboard gives, LURK_KEY_NONE for another key. */
lurk_key lurk_hold_modifier(const struct lurk_session_keyboard *k, lurk_key key);

/* ---- change.c ------------------------------------------------------------------------------- */

/* Brings a mode into force on all keyboards, or leaves all as it was. */
enum lurk_error lurk_change(struct lurk_session *s, const struct lurk_session_mode *to,
			    const struct lurk_request *request, struct lurk_apply_report *report);

/* Brings a mode into force in which the rules of somebody who came or went are: wherever it can be,
 * and the computer's alone where that person's cannot. */
void lurk_change_person(struct lurk_session *s, const struct lurk_session_mode *to);

/* Brings a mode into force that was in force before, wherever it can be: what cannot be brought
 * back is plain. */
void lurk_change_back(struct lurk_session *s, const struct lurk_session_mode *to);

/* The same as is, on one keyboard: it came, or its table was changed. */
void lurk_change_one(struct lurk_session *s, uint16_t number);

/* What shall be in force on one keyboard in a mode, into its plan. Where a person's rules cannot be
 * on top the computer's are alone; but not those of the part that is asked for (0 for none): then
 * it is an error. */
enum lurk_error lurk_change_plan(struct lurk_session *s, const struct lurk_session_mode *mode,
				 uint16_t number, unsigned part,
				 struct lurk_compile_report *report);

/* Works out for each keyboard how the mode that was asked for would be in force on it. */
void lurk_change_tell(struct lurk_session *s);

/* Plain: after an error, rather than taken and dead. */
void lurk_change_give_up(struct lurk_session *s, uint16_t number, enum lurk_error why);

/* ---- keymaps.c ------------------------------------------------------------------------------ */

/* The keymap of a mode for a keyboard, as its plan describes it: equal keyboards share one. */
enum lurk_error lurk_rules_keymap(struct lurk_session *s, const struct lurk_session_mode *mode,
				  uint16_t number, const struct lurk_keymap **keymap,
				  struct lurk_compile_report *report);

/* Forgets all keymaps of rule sets that stay in force in a mode, where their room is needed: true
 * where no keyboard has one then. */
bool lurk_rules_make_room(struct lurk_session *s, const struct lurk_session_mode *to);

/* Whether a mode uses a rule set; one that none does, LURK_NO_RULESET where there is none. */
bool lurk_rules_held(const struct lurk_session *s, unsigned ruleset);
unsigned lurk_rules_free(const struct lurk_session *s);

/* Ends text that is typed out of a rule set that is no longer held. */
void lurk_rules_retire(struct lurk_session *s);

/* ---- rules.c -------------------------------------------------------------------------------- */

/* Loads what is stored, at the start. */
enum lurk_error lurk_rules_load(struct lurk_session *s);

/* An opened image, whose bytes are in the rule set's memory, is loaded; of its profiles the one of
 * that word is to be in force, else the first one. */
void lurk_rules_put(struct lurk_session *s, unsigned ruleset, const struct lurk_image *image);
void lurk_rules_start_with(const struct lurk_session *s, unsigned ruleset, struct lurk_text word,
			   struct lurk_session_part *part);

/* By a key: another profile of a part; all rules, or all but those that switch them. */
enum lurk_error lurk_rules_use_by_key(struct lurk_session *s, unsigned part, uint16_t profile);
enum lurk_error lurk_rules_toggle(struct lurk_session *s, unsigned part);
/* At a seat; of part 0 at every one. */
void lurk_rules_set_off(struct lurk_session_mode *mode, unsigned part, bool off, uint32_t by);
/* Whether what is tried holds at a seat; of part 0, whether anything is. */
bool lurk_rules_tried_at(const struct lurk_session *s, unsigned part);

/* ---- seats.c -------------------------------------------------------------------------------- */

void lurk_seats_start(struct lurk_session *s);

/* Whether somebody else is at a screen now: then that person's rules hold there. */
void lurk_seats_look(struct lurk_session *s);

/* lurk_engine.layout: of whoever is at the keyboard's seat. */
uint32_t lurk_seats_layout(void *session, uint16_t keyboard);

/* The part of a seat that a keyboard belongs to, which may be new; 0 where there are too many. */
uint8_t lurk_seats_of(struct lurk_session *s, const char *name);

/* ---- own.c ---------------------------------------------------------------------------------- */

/* LURK_ERR_NOT_OWN, or LURK_ERR_ROOM, where a person may not have these. */
enum lurk_error lurk_own_check(const struct lurk_session *s, const struct lurk_image *image);

/* ---- locks.c -------------------------------------------------------------------------------- */

/* Presses and releases a key by a keyboard's stand-in, whether it is taken or not. */
enum lurk_error lurk_session_tap(struct lurk_session *s, uint16_t number, lurk_key key);

/* Presses locks that are on, and that no key will give by the keyboards' plans. */
void lurk_locks_turn_off(struct lurk_session *s, struct lurk_apply_report *report);

/* A keyboard came while CapsLock was on: whether it is to be turned off; and does so. */
bool lurk_locks_caps_stays(struct lurk_session *s, uint16_t number);
void lurk_locks_caps_off(struct lurk_session *s, uint16_t number);

#endif
