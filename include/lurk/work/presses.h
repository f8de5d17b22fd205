/*
 * What presses that were seen show. Only those count whose beginning was seen: the Enter that
 * started a command is none of them.
 */
#ifndef LURK_INCLUDE_WORK_PRESSES_H
#define LURK_INCLUDE_WORK_PRESSES_H

#include "lurk/declare.h"
#include "lurk/history.h"
#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

LURK_BEGIN_C

/* How many; the index-th of them, NULL past the newest. */
unsigned lurk_presses_begun(const struct lurk_history *history);
const struct lurk_press_record *lurk_presses_at(const struct lurk_history *history, unsigned index);

/* How often the key of the index-th was pressed by the end, where that is its first press; else 0.
 */
unsigned lurk_presses_alike(const struct lurk_history *history, unsigned index);

/* Those from the index-th on as one chord, all but the last being its modifiers; or as a single
 * key. "Control+KeyL". False with a message where that is none. */
bool lurk_presses_chord(const struct lurk_history *history, unsigned index, char *out, size_t size,
			struct lurk_message *message);

/* The nickname of the key that was pressed; NULL for none. */
const struct lurk_nickname *lurk_press_nickname(const struct lurk_workspace *ws,
						const struct lurk_machine *machine,
						const struct lurk_press_record *press);

/* A key that a keyboard surely has, by which a view is left. */
lurk_key lurk_leave_key(const struct lurk_workspace *ws, const struct lurk_machine *machine,
			uint16_t keyboard);

LURK_END_C

#endif
