#include "work/rights.h"

#include <grp.h>
#include <pwd.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* The service's group, as its packages make it. */
static const char group_name[] = "lurk";

/* Whether the person was put into the group after this session began. */
static bool is_member(const struct passwd *person, const struct group *group)
{
	bool found = false;

	for (char **name = group->gr_mem; *name; name++)
		found = found || !strcmp(*name, person->pw_name);
	return found;
}

const char *lurk_rights_remedy(const char *refusal, char out[LURK_REMEDY])
{
	const struct passwd *person = getpwuid(geteuid());
	const struct group *group = getgrnam(group_name);

	*out = '\0';
	if (!strncmp(refusal, "root's", 6) || strstr(refusal, "somebody else"))
		return out;
	if (strstr(refusal, "person at the screen"))
		snprintf(out, LURK_REMEDY,
			 "; at the computer's own screen you may, else with sudo");
	else if (person && group && is_member(person, group))
		snprintf(out, LURK_REMEDY,
			 "; you were put into that group after you logged in: log in again");
	else if (person && group)
		snprintf(out, LURK_REMEDY,
			 "; `sudo usermod -aG %s %.32s`, then log in again, makes you one of it",
			 group_name, person->pw_name);
	else
		snprintf(out, LURK_REMEDY, "; with sudo you may");
	return out;
}
