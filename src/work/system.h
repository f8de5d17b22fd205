/* Programs of the system. */
#ifndef LURK_WORK_SYSTEM_H
#define LURK_WORK_SYSTEM_H

#include <stdbool.h>

/* Runs one, from where the system has it and with nothing of what the caller has set; its output is
 * shown only where it fails, and what it complains of where it is loud. True where it says so. */
bool lurk_run(const char *const *words, bool loud);

/* What systemd says of the service: "active", "activating", "failed", "inactive"; "" where it says
 * nothing. Returns out. */
enum { LURK_UNIT_STATE = 16 };
const char *lurk_unit_state(char out[LURK_UNIT_STATE]);

#define RUN(...) lurk_run((const char *const[]){__VA_ARGS__, NULL}, true)
#define TRY(...) lurk_run((const char *const[]){__VA_ARGS__, NULL}, false)

#endif
