/*
 * Edits of the profile's rules: what map, swap, disable, move and restore share. A command parses
 * into a struct edit, starts, puts or takes out rules, and finishes with a sentence.
 */
#ifndef LURK_CLI_EDIT_H
#define LURK_CLI_EDIT_H

#include "cli/cli.h"

/* What the commands take alike. */
struct edit {
	struct cli *cli;
	const char *keyboard_name, *note;
	bool apply, all, factory, optional; /* optional: no word is needed */
	const char *words[3];
	unsigned count, most;

	uint16_t keyboard;
	struct cli_effects before, after;
	struct cli_findings found; /* before the edit */
	char where[64];            /* " on wagtail" or "" */
	const char *gave;          /* what the key gave before, "" where that is not one thing */
	struct lurk_message why;
	uint32_t line; /* of the rule added or changed last */
	struct json_object *json;
};

/* --keyboard, --note and --apply; restore has options of its own. */
extern const struct argp_option edit_options[];
extern const struct argp_child edit_children[];
/* For both; the words go into edit->words. */
error_t edit_parse_option(int key, char *arg, struct argp_state *state);

/* Reads the files and what keys give so far. Returns CLI_DONE, or the status to end with. */
int edit_start(struct edit *edit);
bool edit_read_press(struct edit *edit, const char *word, struct lurk_press *press);

/* Whether two single targets are the same thing to press; with `scans`, a scan code is also the key
 * that it stands for. */
bool edit_same_target(const struct lurk_target *a, const struct lurk_target *b, bool scans);
bool edit_touches(const struct lurk_rule *rule, const struct lurk_rule *other, bool scans);

/* A result as it is written in the file, with quotes where it needs them; to be freed. */
char *edit_gives(const struct lurk_result *result);

/* Adds a rule: press in words and gives as edit_gives() writes it, or the list of a swap. */
bool edit_append(struct edit *edit, const char *press, const char *gives, const char *swap_list);
bool edit_remove_rule(struct edit *edit, uint32_t index);
/* Takes a rule out but for those of its changes that `wanted` does not touch. */
bool edit_take_out(struct edit *edit, uint32_t index, const struct lurk_rule *wanted, bool scans);
/* Makes room for a rule: those that are for the same press and equally specific go, or give way in
 * part. Sets *done where one could be changed in place. */
bool edit_make_room(struct edit *edit, const struct lurk_rule *wanted, const char *gives,
		    bool *done);
/* Adds a rule, or changes the one that is there for the same press. */
bool edit_put_rule(struct edit *edit, const struct lurk_press *press,
		   const struct lurk_result *result);

/* Whether the layout has keys for a text; whether there is such a profile. Else edit->why. */
bool edit_can_type(struct edit *edit, struct lurk_text text);
bool edit_has_profile(struct edit *edit, const char *word);

void edit_note_before(struct edit *edit, const struct lurk_target *on);
/* Saves the file, says what changed, and applies it where that was asked. */
int edit_finish(struct edit *edit, const char *summary);
int edit_failed(struct edit *edit, int status);

/* The whole of map, and of disable. */
int edit_map(struct edit *edit, const char *result_word);
/* The same for what is no single word: text, a profile. */
int edit_map_result(struct edit *edit, const struct lurk_result *result);

#endif
