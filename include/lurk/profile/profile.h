/*
 * Profile files and keyboards.yaml, read into rules.
 *
 * Profile fields:   lurk: 1, name, based-on, layout, rules
 * A rule's fields:  press and gives, or swap; keyboard, note, off
 * keyboards.yaml:   keyboards: a name each, with one way or a list of ways to recognise it: usb or
 *                   bluetooth ("vendor:product"), ps2, built-in, serial, place, calls-itself;
 *                   the lists broken, missing, press-only, off-chord; apart; form; and
 *                   nicknames: a name each, with the key or scan code that it stands for
 */
#ifndef LURK_INCLUDE_PROFILE_PROFILE_H
#define LURK_INCLUDE_PROFILE_PROFILE_H

#include "lurk/declare.h"
#include "lurk/form/form.h"
#include "lurk/image.h"
#include "lurk/text/words.h"
#include "lurk/text/yaml.h"

LURK_BEGIN_C

enum { LURK_PROFILE_WORD = 32 };

/* A name that a person gave to a key of one keyboard. */
enum { LURK_NICKNAME = 16 };

struct lurk_nickname {
	uint16_t keyboard; /* 1 + its index */
	const char *name;
	struct lurk_target on; /* LURK_TARGET_KEY or _SCAN */
};

/* What `ask` answers of a keyboard that nobody knows where rules for it shall be read all the same:
 * they are switched off, and for no keyboard. */
#define LURK_KEYBOARD_UNKNOWN UINT16_MAX

struct lurk_keyboards_file {
	struct lurk_yaml yaml;
	struct lurk_keyboard *keyboards;
	struct lurk_node **nodes; /* where each stands in the file */
	struct lurk_forms *forms; /* what is said of each one's form */
	uint16_t count;
	struct lurk_recogniser *recognisers;
	struct lurk_quirk *quirks;
	struct lurk_nickname *nicknames;
	uint16_t nickname_count;
	/* Asked about names that are not described, as in a profile from someone else: returns 1 +
	 * the index of the keyboard that is meant, 0 for none. May be NULL; set after reading. */
	uint16_t (*ask)(void *data, const char *name);
	void *ask_data;
};

struct lurk_profile_file {
	struct lurk_yaml yaml;
	char word[LURK_PROFILE_WORD];         /* by which it is switched to */
	const char *name, *layout, *based_on; /* "" where not given */
	struct lurk_rule *rules;
	struct lurk_node **nodes; /* each rule's place in the file */
	uint8_t **steps;          /* of each rule that types; NULL for others */
	uint32_t count;
	uint8_t way; /* asked for when applying: see struct lurk_profile */
	const struct lurk_characters *characters; /* as given when it was read */
};

/* The profile that all others stand beside. */
#define LURK_PROFILE_BASE "base"

/* What a profile is called in other profiles and in commands: the name of its file without its
 * ending, `base` for profile.yaml. Letters, digits and dashes; false where the name has others. */
bool lurk_profile_word(const char *path, char word[LURK_PROFILE_WORD]);

/* Read from bytes, which are then the file's to free; freed also where reading fails. */
bool lurk_keyboards_read(struct lurk_keyboards_file *file, const char *path, char *bytes,
			 size_t length, struct lurk_message *message);
void lurk_keyboards_free(struct lurk_keyboards_file *file);

/* The same for a profile, in two steps, since its first tells which layout it is for: what it says
 * of itself; and its rules. `characters` may be NULL where no layout is known; they must live as
 * long as the file. */
bool lurk_profile_read_head(struct lurk_profile_file *file, const char *path, char *bytes,
			    size_t length, struct lurk_message *message);
bool lurk_profile_read_rules(struct lurk_profile_file *file,
			     const struct lurk_keyboards_file *keyboards,
			     const struct lurk_characters *characters,
			     struct lurk_message *message);
/* Both at once. */
bool lurk_profile_read(struct lurk_profile_file *file, const char *path, char *bytes, size_t length,
		       const struct lurk_keyboards_file *keyboards,
		       const struct lurk_characters *characters, struct lurk_message *message);
void lurk_profile_free(struct lurk_profile_file *file);

/* Profiles that go into one image: the one that is applied or judged first. */
struct lurk_profile_set {
	const struct lurk_profile_file *files[LURK_PROFILES_MAX];
	unsigned count;
};

/* Whether no two rules of the first are equally specific for one press; else a message that names
 * both. */
bool lurk_profile_agrees(const struct lurk_profile_set *set,
			 const struct lurk_keyboards_file *keyboards, struct lurk_message *message);

/* The profile of that word, in any case; NULL where there is none. */
const struct lurk_profile_file *lurk_profile_find(const struct lurk_profile_set *set,
						  struct lurk_text word);

/* The set's order in its image: the first, those that it is based on, then the others. False with
 * the message where one is based on what is not there, or on itself. */
bool lurk_profile_order(struct lurk_profile_set *set, struct lurk_message *message);

/* The described keyboard of that name (in any case): 1 + its index; 0 with a message where there is
 * none. */
uint16_t lurk_keyboards_find(const struct lurk_keyboards_file *file, const char *name,
			     struct lurk_message *message);

/* The described keyboard that fits an identity best: 1 + its index, 0 for none. */
uint16_t lurk_keyboards_recognise(const struct lurk_keyboards_file *file,
				  const struct lurk_identity *identity);

/* The nickname on that keyboard (0: on any), by name or by what it is on; NULL where there is none.
 */
const struct lurk_nickname *lurk_nickname_find(const struct lurk_keyboards_file *file,
					       uint16_t keyboard, const char *name);
const struct lurk_nickname *lurk_nickname_of(const struct lurk_keyboards_file *file,
					     uint16_t keyboard, lurk_scan scan, lurk_key key);

/* Reads a result as the file and the command write it: a key, `nothing`, `itself` or a chord, whose
 * step is written to `step`. */
bool lurk_profile_result(const char *text, const struct lurk_characters *characters,
			 struct lurk_result *result, uint8_t step[LURK_STEP_BYTES],
			 struct lurk_message *message);

/* The files as an image, to be freed; NULL with a message where a rule cannot be carried out: text
 * that the layout has no keys for, a profile that is not there. The set is put in order. */
uint8_t *lurk_profile_image(struct lurk_profile_set *set,
			    const struct lurk_keyboards_file *keyboards, size_t *length,
			    struct lurk_message *message);

/* The same with such rules switched off, which would stop the compiler: for looking at what the
 * others do. NULL where it is too long to be stored. */
uint8_t *lurk_profile_image_as_is(struct lurk_profile_set *set,
				  const struct lurk_keyboards_file *keyboards, size_t *length);

LURK_END_C

#endif
