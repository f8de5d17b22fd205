/*
 * What the files of the session share.
 *
 *     session.c   what happens: keyboards come and go, keys, the off chord, what is due
 *     hold.c      taking and giving back; what is listened to; tables
 *     change.c    one set of rules in force for another, on all keyboards or on none
 *     rules.c     rule sets and their keymaps; apply, try, keep, use, off and on
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

static inline struct lurk_session_keyboard *lurk_session_at(struct lurk_session *s, uint16_t number)
{
	return &s->memory.keyboards[number];
}

/* ---- send.c --------------------------------------------------------------------------------- */

/* Sends all that the engine has ready. */
void lurk_session_send(struct lurk_session *s);

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

/* Brings a mode into force that was in force before, wherever it can be: what cannot be brought
 * back is plain. */
void lurk_change_back(struct lurk_session *s, const struct lurk_session_mode *to);

/* The same as is, on one keyboard: it came, or its table was changed. */
void lurk_change_one(struct lurk_session *s, uint16_t number);

/* What shall be in force on one keyboard in a mode, into its plan. */
enum lurk_error lurk_change_plan(struct lurk_session *s, const struct lurk_session_mode *mode,
				 uint16_t number, struct lurk_compile_report *report);

/* Works out for each keyboard how the mode that was asked for would be in force on it. */
void lurk_change_tell(struct lurk_session *s);

/* Plain: after an error, rather than taken and dead. */
void lurk_change_give_up(struct lurk_session *s, uint16_t number, enum lurk_error why);

/* ---- keymaps.c ------------------------------------------------------------------------------ */

/* The keymap of a mode for a keyboard: equal keyboards share one. */
enum lurk_error lurk_rules_keymap(struct lurk_session *s, const struct lurk_session_mode *mode,
				  uint16_t described, uint8_t wiring,
				  const struct lurk_keymap **keymap,
				  struct lurk_compile_report *report);

/* Forgets all keymaps of the rule set in force, where their room is needed: true where no keyboard
 * has one then. */
bool lurk_rules_make_room(struct lurk_session *s, unsigned ruleset);

/* Whether a mode uses a rule set. */
bool lurk_rules_held(const struct lurk_session *s, unsigned ruleset);

/* Ends text that is typed out of a rule set that is no longer held. */
void lurk_rules_retire(struct lurk_session *s);

/* ---- rules.c -------------------------------------------------------------------------------- */

/* Loads what is stored, at the start. */
enum lurk_error lurk_rules_load(struct lurk_session *s);

/* By a key: another profile; all rules, or all but those that switch them. */
enum lurk_error lurk_rules_use_by_key(struct lurk_session *s, uint16_t profile);
enum lurk_error lurk_rules_toggle(struct lurk_session *s);

/* ---- locks.c -------------------------------------------------------------------------------- */

/* Presses and releases a key by a keyboard's stand-in, whether it is taken or not. */
enum lurk_error lurk_session_tap(struct lurk_session *s, uint16_t number, lurk_key key);

/* Presses locks that are on, and that no key will give by the keyboards' plans. */
void lurk_locks_turn_off(struct lurk_session *s, struct lurk_apply_report *report);

/* A keyboard came while CapsLock was on: whether it is to be turned off; and does so. */
bool lurk_locks_caps_stays(struct lurk_session *s, uint16_t number);
void lurk_locks_caps_off(struct lurk_session *s, uint16_t number);

#endif
