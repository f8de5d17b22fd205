/* What became of the rules, shown by the desktop: org.freedesktop.Notifications, each in the place
 * of the one before. */
#ifndef LURK_AGENT_NOTIFY_H
#define LURK_AGENT_NOTIFY_H

#include <stdbool.h>

#include <json-c/json.h>

/* Nothing is shown where ~/.config/lurk/agent.conf says so. */
void notify_open(void);
/* What the service says is in force: what is another than before is shown, but for the first time.
 */
void notify_status(struct json_object *status);
/* Shows something at once, and waits until that is done. False where nothing can be shown. */
bool notify_now(const char *summary, const char *body);
/* The service is gone: what it says next is the first. */
void notify_forget(void);

#endif
