/* The subcommands. */
#ifndef LURK_CLI_COMMANDS_H
#define LURK_CLI_COMMANDS_H

#include "cli/cli.h"

int cli_apply(struct cli *cli, int argc, char **argv);
int cli_check(struct cli *cli, int argc, char **argv);
int cli_complete(struct cli *cli, int argc, char **argv);
int cli_decode(struct cli *cli, int argc, char **argv);
int cli_demo(struct cli *cli, int argc, char **argv);
int cli_diff(struct cli *cli, int argc, char **argv);
int cli_disable(struct cli *cli, int argc, char **argv);
int cli_hwdb(struct cli *cli, int argc, char **argv);
int cli_help(struct cli *cli, int argc, char **argv);
int cli_identify(struct cli *cli, int argc, char **argv);
int cli_install(struct cli *cli, int argc, char **argv);
int cli_keep(struct cli *cli, int argc, char **argv);
int cli_keyboards(struct cli *cli, int argc, char **argv);
int cli_layout(struct cli *cli, int argc, char **argv);
int cli_map(struct cli *cli, int argc, char **argv);
int cli_move(struct cli *cli, int argc, char **argv);
int cli_off(struct cli *cli, int argc, char **argv);
int cli_on(struct cli *cli, int argc, char **argv);
int cli_picture(struct cli *cli, int argc, char **argv);
int cli_play(struct cli *cli, int argc, char **argv);
int cli_profile(struct cli *cli, int argc, char **argv);
int cli_reach(struct cli *cli, int argc, char **argv);
int cli_resolve(struct cli *cli, int argc, char **argv);
int cli_restore(struct cli *cli, int argc, char **argv);
int cli_rollback(struct cli *cli, int argc, char **argv);
int cli_show(struct cli *cli, int argc, char **argv);
int cli_status(struct cli *cli, int argc, char **argv);
int cli_swap(struct cli *cli, int argc, char **argv);
int cli_try(struct cli *cli, int argc, char **argv);
int cli_undo(struct cli *cli, int argc, char **argv);
int cli_uninstall(struct cli *cli, int argc, char **argv);
int cli_use(struct cli *cli, int argc, char **argv);
int cli_versions(struct cli *cli, int argc, char **argv);

/* Without a subcommand. */
int cli_overview(struct cli *cli);

#endif
