/* The list of profiles, which `lurk profile` and `lurk use` show. */
#ifndef LURK_CLI_PROFILES_H
#define LURK_CLI_PROFILES_H

#include "cli/commands.h"

int cli_list_profiles(struct cli *cli);
/* The profiles that were applied have an index; a file alone has none. */
bool cli_profile_is_applied(const struct cli *cli, const char *word);

#endif
