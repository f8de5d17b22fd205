/*
 * What the subcommands share: options, files, the desk, output. Each subcommand is one file with
 * one function that takes its arguments and returns an exit status; the table of them is in main.c.
 */
#ifndef LURK_CLI_CLI_H
#define LURK_CLI_CLI_H

#include <argp.h>
#include <limits.h>

#include <json-c/json.h>

#include "work/machine.h"
#include "work/undo.h"
#include "lurk/check.h"
#include "layout/layout.h"
#include "profile/edit.h"
#include "profile/profile.h"

enum { CLI_DONE = 0, CLI_FOUND = 1, CLI_USAGE = 2, CLI_COULD_NOT = 3 };

/* A name that a profile has for a keyboard, and whose it is here. */
struct cli_alias {
	const char *name, *mine;
	uint16_t keyboard; /* 1 + index, 0 for none of these here */
};

enum { CLI_ALIASES = 16 };

struct cli {
	const char *desk; /* --desk, NULL for the real computer */
	const char *profile_option;
	bool json;
	char **argv; /* as given */
	struct cli_alias aliases[CLI_ALIASES];
	unsigned alias_count;

	char profile_path[PATH_MAX], keyboards_path[PATH_MAX], state_folder[PATH_MAX];
	bool judging; /* rules that contradict each other are read all the same */
	bool files_read, profile_exists, profile_broken;
	bool editing; /* set by a command that will write, before it reads */
	int lock;     /* of the profile's folder, -1 without one */
	struct lurk_file_seen profile_seen, keyboards_seen; /* as they were read */
	struct lurk_keyboards_file keyboards;
	struct lurk_profile_file profile; /* the one that is edited, or applied */
	struct cli_other *others;         /* those beside it */
	unsigned other_count;
	struct lurk_characters characters;
	struct lurk_layout *layout;       /* opened when first asked */
	struct lurk_layout *usual_layout; /* for pictures, where none is known */
	bool layout_missing;
	char layout_name[64], layout_options[128];

	struct lurk_computer *computer; /* the desk's, NULL until cli_computer() */
	struct lurk_machine *machine;   /* NULL until cli_machine() */
};

/* ---- main.c --------------------------------------------------------------------------------- */

struct cli_command {
	const char *name, *arguments, *what;
	int (*run)(struct cli *cli, int argc, char **argv);
};
/* All of them, the last without a name: main.c's table. */
extern const struct cli_command *cli_commands;

int cli_keyboards(struct cli *cli, int argc, char **argv);
int cli_identify(struct cli *cli, int argc, char **argv);
int cli_resolve(struct cli *cli, int argc, char **argv);
int cli_decode(struct cli *cli, int argc, char **argv);
int cli_map(struct cli *cli, int argc, char **argv);
int cli_swap(struct cli *cli, int argc, char **argv);
int cli_disable(struct cli *cli, int argc, char **argv);
int cli_move(struct cli *cli, int argc, char **argv);
int cli_restore(struct cli *cli, int argc, char **argv);
int cli_undo(struct cli *cli, int argc, char **argv);
int cli_show(struct cli *cli, int argc, char **argv);
int cli_picture(struct cli *cli, int argc, char **argv);
int cli_check_command(struct cli *cli, int argc, char **argv);
int cli_diff(struct cli *cli, int argc, char **argv);
int cli_reach(struct cli *cli, int argc, char **argv);
int cli_try(struct cli *cli, int argc, char **argv);
int cli_keep(struct cli *cli, int argc, char **argv);
int cli_apply(struct cli *cli, int argc, char **argv);
int cli_versions(struct cli *cli, int argc, char **argv);
int cli_rollback(struct cli *cli, int argc, char **argv);
int cli_help(struct cli *cli, int argc, char **argv);
int cli_complete(struct cli *cli, int argc, char **argv);
int cli_off(struct cli *cli, int argc, char **argv);
int cli_on(struct cli *cli, int argc, char **argv);
int cli_status(struct cli *cli, int argc, char **argv);
int cli_install(struct cli *cli, int argc, char **argv);
int cli_uninstall(struct cli *cli, int argc, char **argv);
int cli_play(struct cli *cli, int argc, char **argv);
int cli_demo(struct cli *cli, int argc, char **argv);
int cli_overview(struct cli *cli);
/* Where the subcommand stands in argv, 0 for none, after the options before it. */
int cli_find_subcommand(struct cli *cli, int argc, char **argv);
void cli_print_help(void);
/* Says so, with what may have been meant; returns the status. */
int cli_unknown_command(const char *word);

/* Options of a subcommand are parsed with argp; this child parses --desk, --profile and --json into
 * the struct cli that is the parser's input's first child input. */
extern const struct argp cli_common_argp;
/* Parses with the common options as a child; `input` is the subcommand's own. Exits with 2 where
 * used wrongly, as argp does. */
void cli_parse(struct cli *cli, const struct argp *argp, int argc, char **argv, void *input);
/* For a subcommand without options and arguments of its own. */
void cli_parse_plain(struct cli *cli, int argc, char **argv, const char *doc);

/* ---- files.c -------------------------------------------------------------------------------- */

/* Reads keyboards.yaml and the profile; missing ones are empty. On failure the message is printed.
 */
bool cli_read_files(struct cli *cli);
/* For ways back, which a broken file must not bar: it is said, and taken to be empty. */
bool cli_read_files_if_good(struct cli *cli);
/* Reads the profile's text anew after an edit. */
bool cli_reread_profile(struct cli *cli, struct lurk_message *message);
/* Writes the edited profile (or keyboards.yaml), and how to take it back. */
bool cli_save_profile(struct cli *cli, const char *summary);
bool cli_save_keyboards(struct cli *cli, const char *summary);
/* Notes what an apply replaced; where that cannot be, it is said. */
void cli_note_apply(struct cli *cli, uint64_t before, uint64_t after, const char *summary);
/* Finds the layout without reading the files, for commands that need nothing else. */
void cli_find_layout(struct cli *cli);
/* Ends all; false with the message printed where the desk could not be kept. */
bool cli_close(struct cli *cli);

/* The keyboard in keyboards.yaml that fits an identity best: 1 + its index, 0 for none. */
uint16_t cli_described(const struct cli *cli, const struct lurk_identity *identity);
/* " --keyboard wagtail" for a command; "" for a keyboard without a name of one's own. Returns out.
 */
const char *cli_keyboard_words(const struct cli *cli, uint16_t number, char out[LURK_WORDS]);
/* Whether there is a profile file; else says how to make one. */
bool cli_have_profile(const struct cli *cli);
/* What a keyboard of the machine is called: its described name, or what it calls itself. */
const char *cli_keyboard_name(const struct cli *cli, uint16_t number);

/* The described keyboard that an option names: 1 + index, 0 for NULL. False where there is none. */
bool cli_keyboard_option(struct cli *cli, const char *name, uint16_t *keyboard);

/* ---- layouts.c ------------------------------------------------------------------------------ */

/* For names by character; NULL where no layout is known. */
const struct lurk_characters *cli_characters(struct cli *cli);
/* The layout; NULL where none is known. */
struct lurk_layout *cli_layout(struct cli *cli);
/* The same for pictures: a US layout where none is known. NULL where even that is not there. */
struct lurk_layout *cli_shown_layout(struct cli *cli);
/* Finds the layout: the one that a profile's text says, else the desk's, else the system's. */
void cli_layout_of(struct cli *cli, const char *bytes, size_t length);
/* Bits for the keys of letters and digits in the layout. */
void cli_typing_keys(struct cli *cli, uint8_t typing[LURK_KEY_COUNT / 8]);
/* Whether it has characters with AltRight. */
bool cli_has_third_level(struct cli *cli);
/* The first character of a text that it has no key for; false where it has all. */
bool cli_untypable(const struct lurk_characters *characters, struct lurk_text text,
		   uint32_t *codepoint);

/* ---- opening.c ------------------------------------------------------------------------------ */

/* The desk's computer, opened on first use; NULL with a message printed where there is none. */
struct lurk_computer *cli_computer(struct cli *cli);
/* The desk, or the real machine; opened on first use, NULL with a message printed where it cannot
 * be reached. */
struct lurk_machine *cli_machine(struct cli *cli);
/* The same, but quiet where the real machine has no service. */
struct lurk_machine *cli_machine_if_any(struct cli *cli);
/* Puts the demo's desk into a folder that has none. */
bool cli_make_desk(const char *folder, bool quiet);

/* ---- set.c ---------------------------------------------------------------------------------- */

/* Another profile, with its own layout where it says one. */
struct cli_other {
	char path[PATH_MAX]; /* which the file points to */
	struct lurk_profile_file file;
	struct lurk_layout *layout;
	struct lurk_characters characters;
};

/* Where the profile of that word stands, beside the one at `beside`. */
void cli_profile_path(const char *beside, const char *word, char out[PATH_MAX]);
/* Reads all profiles beside cli->profile_path. */
bool cli_read_others(struct cli *cli, struct lurk_message *message);
void cli_forget_others(struct cli *cli);
/* The profile first, then the others. */
struct lurk_profile_set cli_profile_set(const struct cli *cli);
/* The one first with which the machine starts now: for edits, which do not choose another. */
struct lurk_profile_set cli_set_as_applied(const struct cli *cli);
/* With which of its profiles the machine starts; "" where none was applied. */
const char *cli_start_profile(const struct cli *cli, char word[LURK_PROFILE_WORD]);
/* For looking: as an image in which the profile comes first; bytes to be freed, or NULL. */
uint8_t *cli_image(const struct cli *cli, struct lurk_image *image);

/* ---- profiles.c ----------------------------------------------------------------------------- */

int cli_use(struct cli *cli, int argc, char **argv);
int cli_profile(struct cli *cli, int argc, char **argv);

/* ---- output.c ------------------------------------------------------------------------------- */

/* Prints "lurk: …" on standard error and returns the status. */
int cli_fail(int status, const char *format, ...) LURK_PRINTF(2, 3);

enum { CLI_COLUMNS = 8 };

/* A table whose columns are as wide as they must be. */
struct cli_table {
	unsigned columns, rows;
	char ***cells;
	const char *const *heads;
};

void cli_table_init(struct cli_table *table, const char *const *heads, unsigned columns);
/* Takes `columns` strings. */
void cli_table_row(struct cli_table *table, ...);
void cli_table_print(struct cli_table *table, const char *indent);

/* Bold on a terminal that shows it, plain elsewhere. */
void cli_print_strong(const char *text);
/* Whether it does. */
bool cli_styled(void);

/* ---- admin.c -------------------------------------------------------------------------------- */

/* Whether the caller may watch keys; if not, it has been said how `command` can be had. */
bool cli_may_watch(struct cli *cli, const char *command);

/* ---- guard.c -------------------------------------------------------------------------------- */

/* From here on nothing that is printed is obeyed by a terminal; but for what goes to cli_raw(). */
void cli_guard_output(void);
void cli_raw(const char *text);

/* How wide the terminal is; $COLUMNS, or 80, where there is none. */
unsigned cli_columns(void);
unsigned cli_rows(void);
/* Prints an object as one line and frees it. */
void cli_print_json(struct json_object *object);
/* "2031-05-04 05:30" of microseconds since 1970. */
const char *cli_time(uint64_t time_us, char out[32]);
/* Text from a file or an image, with control characters made harmless. */
const char *cli_safe(struct lurk_text text, char *out, size_t size);
struct json_object *cli_json_text(struct lurk_text text);
/* "1 rule", "2 rules". */
const char *cli_count(unsigned count, const char *one, char out[48]);

/* ---- effects.c ------------------------------------------------------------------------------ */

/* What every key gives on one keyboard under the profile as it stands in the file. */
struct cli_effects {
	lurk_key gives[LURK_KEY_COUNT];
	bool more[LURK_KEY_COUNT]; /* more than a key */
};

/* `keyboard` as in a rule: 0 is any keyboard, taken to be of full size. */
bool cli_effects(struct cli *cli, uint16_t keyboard, struct cli_effects *effects);
bool cli_on_a_full_keyboard(lurk_key key);
/* Whether a described keyboard (0: none) has it broken or missing. */
bool cli_is_out_of_order(const struct cli *cli, uint16_t keyboard, lurk_key key);
/* A rule in words: "CapsLock gives Enter on heron". `keyboards` names them by index from 1. */
const char *cli_rule_words(const struct lurk_rule *rule, const char *keyboard, char *out,
			   size_t size);
/* ---- diff.c --------------------------------------------------------------------------------- */

/* How many rules differ between what is in force and the file. */
unsigned cli_pending(struct cli *cli);
/* Prints what applying the file would change, below a title; returns how many. */
unsigned cli_print_changes(struct cli *cli, const char *title);
struct json_object *cli_changes_json(struct cli *cli);
/* The first two, and how many more: "added: CapsLock gives Enter". Returns out. */
const char *cli_sum_up_changes(const struct lurk_image *from, const struct lurk_image *to,
			       char *out, size_t size);
bool cli_read_version(const char *text, uint64_t *version);
/* A stored version; bytes to be freed. False with the message printed. */
bool cli_open_version(struct cli *cli, uint64_t version, uint8_t **bytes, struct lurk_image *image);

/* ---- check.c -------------------------------------------------------------------------------- */

/* Codes beside those of lurk/check.h, of what only files and layouts can tell. */
enum {
	CLI_CHECK_CANNOT_TYPE = 100,
	CLI_CHECK_NO_LAYOUT,
	CLI_CHECK_NO_PROFILE,
	CLI_CHECK_NO_WAY_BACK,
	CLI_CHECK_UNKNOWN_KEYBOARD
};

struct cli_findings {
	struct lurk_finding *all;
	unsigned count, by_severity[LURK_LOCK_OUT + 1];
	uint16_t keyboards[LURK_CHECK_KEYBOARDS]; /* the machine's numbers for them */
	bool imagined;                            /* no machine, so none was looked at */
};

/* Adds where a keyboard's keys come from: see lurk_sources(). */
void cli_sources(const struct lurk_image *image, const struct lurk_port_keyboard *keyboard,
		 bool broken_too, uint8_t held_with, struct lurk_source sources[LURK_KEY_COUNT]);
/* Checks the profile as it is in memory. False where it cannot be judged. */
bool cli_check(struct cli *cli, struct cli_findings *findings);
void cli_findings_free(struct cli_findings *findings);
bool cli_findings_have(const struct cli_findings *findings, const struct lurk_finding *wanted);
void cli_tell_finding(const struct cli *cli, const struct cli_findings *all,
		      const struct lurk_finding *finding);
struct json_object *cli_finding_json(const struct cli *cli, const struct cli_findings *all,
				     const struct lurk_finding *finding);
/* Before try and apply: false with the refusal printed, and nothing to be freed. */
bool cli_check_first(struct cli *cli, bool force, struct cli_findings *findings);

/* ---- try.c ---------------------------------------------------------------------------------- */

enum { CLI_TRY_SECONDS = 30 };

/* The whole of try. */
int cli_try_now(struct cli *cli, unsigned seconds);

/* ---- apply.c -------------------------------------------------------------------------------- */

/* Compiles the profile and applies it to the computer: it is in force then. */
bool cli_apply_profile(struct cli *cli, struct lurk_message *message);
/* The same, but which profile is in force, now and after a start, stays as it is. */
bool cli_apply_edit(struct cli *cli, struct lurk_message *message);
/* Why the machine refused, in the words of the file. */
void cli_say_refusal(struct cli *cli, const struct lurk_outcome *outcome,
		     struct lurk_message *message);
/* ---- locks.c -------------------------------------------------------------------------------- */

/* Says which locks were turned off, as far as that is known. */
void cli_tell_locks(const struct cli *cli, const struct lurk_apply_report *report);
/* Locks, a bit each, as a list of their keys' names. */
struct json_object *cli_lock_names(uint8_t locks);

/* ---- status.c ------------------------------------------------------------------------------- */

/* Stored images that could not be used, and why. */
void cli_tell_bad_slots(const struct cli *cli);

/* ---- ways.c --------------------------------------------------------------------------------- */

/* With `next` 0 the profile of that word, then the one that each is based on; false after the last.
 */
bool cli_next_profile(const struct lurk_machine *machine, const char *top, unsigned *next,
		      struct lurk_profile *profile);
/* Whether a profile's rules act where the applied profile `top` is in force: they are the same, or
 * it is based on that one. */
bool cli_acts(const struct cli *cli, const char *top, const char *word);
/* Whether what is stored will be in force after a reboot. */
bool cli_survives(const struct cli *cli);
/* The same in a sentence or two. */
void cli_tell_survival(const struct cli *cli);
/* Which way each keyboard has, and why. */
void cli_print_ways(struct cli *cli);
struct json_object *cli_ways_json(struct cli *cli);
/* Whether a rule of the image acts on a keyboard that is so described. */
bool cli_acts_on(const struct lurk_machine *machine, uint32_t index, uint16_t described,
		 struct lurk_rule *rule);
/* How many rules of the profile in force act on a keyboard of the machine; of them all on any. */
unsigned cli_rules_on(const struct lurk_machine *machine, uint16_t described);
unsigned cli_rules_in_force(const struct lurk_machine *machine);

/* ---- keyboards.c ---------------------------------------------------------------------------- */

/* Gives a keyboard of the machine a name; the file is saved. */
bool cli_name_keyboard(struct cli *cli, uint16_t number, const char *name,
		       struct lurk_message *message);

/* ---- picture.c ------------------------------------------------------------------------------ */

struct lurk_history;
struct lurk_press_record;

/* The keyboard of a press as text for a terminal, to be freed: with the keys that are held on it,
 * and those whose jobs they do. NULL where it cannot be drawn in so many lines, 0 for any. */
char *cli_lit_keyboard(struct cli *cli, const struct lurk_history *history,
		       const struct lurk_press_record *press, unsigned lines);

/* ---- watch.c -------------------------------------------------------------------------------- */

struct cli_watch {
	struct lurk_watching watching;
	const char *prompt; /* said on standard error once presses are seen, none before; or NULL */
	/* What is typed on the terminal, which neither echoes it nor keeps it for the shell. NULL
	 * for nothing; false ends the watch. */
	bool (*typed)(void *data, char character);
};

/* lurk_machine_watch() from a terminal; Ctrl+C ends it too. */
bool cli_watch(struct lurk_machine *machine, const struct cli_watch *watch,
	       struct lurk_message *message);

/* ---- chord.c -------------------------------------------------------------------------------- */

/* "ShiftLeft, ShiftRight and Escape". Returns out. */
const char *cli_chord_words(const struct lurk_chord *chord, char out[LURK_WORDS]);
/* Asks for the off chord, and says whether it arrives. */
int cli_test_chord(struct cli *cli);

/* ---- holder.c ------------------------------------------------------------------------------- */

/* Programs other than the service that have a keyboard's nodes open, as far as this user may see:
 * "NAME (process N)"; "" where none is seen. `place` is the keyboard's. */
const char *cli_holders(const char *place, char *out, size_t size);

/* ---- play.c --------------------------------------------------------------------------------- */

/* Opens a script: a path, "-" for standard input. NULL with the message printed. */
FILE *cli_open_script(const char *path);
/* Plays a script on the desk, and shows every key event to `watch`. False with a message, which is
 * "" where it was printed. */
bool cli_play_watched(struct cli *cli, const char *script, lurk_watch *watch, void *data,
		      struct lurk_message *message);
/* A computer's hook for `apply` in scripts; data is the struct cli. */
bool cli_play_apply(void *data, struct lurk_message *message);

#endif
