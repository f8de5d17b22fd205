/*
 * A desk in use: the simulated computer with a session running on it, and scripts that play it.
 *
 * A script is lines of text; empty lines and lines that begin with # are passed over:
 *
 *     press KEY [on KEYBOARD] [for TIME]     hold KEY [on KEYBOARD]     release KEY [on KEYBOARD]
 *     type "TEXT" [on KEYBOARD]              wait TIME
 *     plug KEYBOARD [by radio] [in PLACE]    unplug KEYBOARD
 *     apply    use PROFILE    off    on    keep    reboot    cut power [after N bytes]    power on
 *
 * A KEY is what is printed on the key: its W3C name, or a name that the desk gives it. Without `on`
 * it is on the keyboard of the line before. A TIME is such as 80ms or 2s.
 */
#ifndef LURK_INCLUDE_DESK_COMPUTER_H
#define LURK_INCLUDE_DESK_COMPUTER_H

#include <stdio.h>

#include "lurk/declare.h"
#include "lurk/session.h"
#include "lurk/desk/sim.h"

LURK_BEGIN_C

/* One thing that happened during a script's line. Empty parts are "". */
struct lurk_play_row {
	unsigned line;
	const char *action; /* the script's line, on the first row of it only */
	const char *keyboard;
	const char *wire, *key, *got, *text, *note;
};

struct lurk_computer {
	struct lurk_desk desk;
	struct lurk_sim *sim;
	struct lurk_session session;
	struct lurk_session_memory memory;
	enum lurk_error started; /* what lurk_session_start() returned */
	/* Set by who plays; each may be NULL. Shows a row; applies the profile. */
	void *data;
	void (*show)(void *data, const struct lurk_play_row *row);
	/* What the computer's programs get while a script is played. */
	void (*got)(void *data, lurk_key key, enum lurk_state state);
	bool (*apply)(void *data, struct lurk_message *message);
};

/* Opens the desk in a folder: desk.yaml says what stands on it. */
bool lurk_computer_open(struct lurk_computer *computer, const char *folder,
			struct lurk_message *message);
/* Remembers in that folder how it is, for when it is opened the next time: the clock, what is
 * plugged in where, which profile is in force, and whether all rules are off. What is tried is not.
 */
bool lurk_computer_save(const struct lurk_computer *computer, struct lurk_message *message);
void lurk_computer_close(struct lurk_computer *computer);

/* Plays a script; false with a message "path:line: …" at a line that cannot be played. */
bool lurk_computer_play(struct lurk_computer *computer, const char *path, FILE *script,
			struct lurk_message *message);

/* Deals with all that has happened. */
void lurk_computer_settle(struct lurk_computer *computer);

/* The desk's keyboard of that name, or -1. */
int lurk_computer_keyboard(const struct lurk_computer *computer, const char *name);

LURK_END_C

#endif
