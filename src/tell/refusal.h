/* Why a machine refused, in the words of the file. */
#ifndef LURK_TELL_REFUSAL_H
#define LURK_TELL_REFUSAL_H

#include "lurk/work/machine.h"
#include "lurk/work/workspace.h"

void tell_refusal(const struct lurk_workspace *ws, const struct lurk_machine *machine,
		  const struct lurk_outcome *outcome, struct lurk_message *message);

#endif
