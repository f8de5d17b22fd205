/* What a check found, in words. */
#ifndef LURK_TELL_FINDING_H
#define LURK_TELL_FINDING_H

#include <json-c/json.h>

#include "lurk/work/judge.h"

enum { TELL_FINDING = 400 };

/* What is wrong, what to do ("" where there is nothing), and its line in the file, 0 for none. */
void tell_finding(const struct lurk_findings *all, const struct lurk_finding *finding,
		  char out[TELL_FINDING]);
void tell_finding_remedy(const struct lurk_findings *all, const struct lurk_finding *finding,
			 char out[TELL_FINDING]);
unsigned tell_finding_line(const struct lurk_findings *all, const struct lurk_finding *finding);
/* What docs/checks.md explains it under. */
const char *tell_finding_code(const struct lurk_finding *finding);
/* Two words at most: "lock-out". */
const char *tell_severity(enum lurk_severity severity);
/* "1 lock-out, 2 warnings". Returns out. */
const char *tell_findings_count(const struct lurk_findings *findings, char out[96]);

struct json_object *tell_finding_json(const struct lurk_findings *all,
				      const struct lurk_finding *finding);
/* Those that `before` does not have; NULL for all. */
struct json_object *tell_findings_json(const struct lurk_findings *findings,
				       const struct lurk_findings *before);

#endif
