/* The layouts of the desktop's session in which this runs: lurk-agent asks for them, so that no
 * display's library is in here, and none that is stuck holds anybody up. */
#ifndef LURK_WORK_DESKTOP_H
#define LURK_WORK_DESKTOP_H

#include "lurk/work/layouts.h"

struct lurk_desktop_layouts {
	bool wayland; /* else X */
	unsigned count;
	int active;                                     /* an index; -1 where nobody tells */
	struct lurk_layout *each[LURK_LAYOUTS_IN_TURN]; /* the caller's */
};

/* Whether there may be a session to be asked: by the environment, and not one at another computer's
 * keyboard. */
bool lurk_desktop_is_here(void);
/* False where there is none, or it does not tell. */
bool lurk_desktop_layouts(struct lurk_desktop_layouts *session);

#endif
