/*
 * A layout of one's own: what single keys type, changed from a layout that exists. It is an XKB
 * symbols file, which every desktop on Linux reads: one section that includes the layout it starts
 * from, and a line for each key that differs. Such a file is edited with its comments and its order
 * kept; any other symbols file is read and compared, but not edited.
 *
 * It is found by its name in a folder as XKB has them, in which `symbols/NAME` is the file. What it
 * includes is looked for there first, and then where the system's are.
 */
#ifndef LURK_INCLUDE_LAYOUT_OWN_H
#define LURK_INCLUDE_LAYOUT_OWN_H

#include "lurk/declare.h"
#include "lurk/layout/layout.h"

LURK_BEGIN_C

struct lurk_own_layout;

/* Names, which are file names: small letters, digits and `_`, a letter first; with the NUL. */
enum { LURK_OWN_NAME = 32, LURK_OWN_WORDS = 64 };
bool lurk_own_layout_is_name(const char *name);
/* Neither any other, nor one that the system has a file of, unless the machine's owner has put it
 * there: false with a message. */
bool lurk_own_layout_may_be_called(const char *name, struct lurk_message *message);

/* Where XKB's folders are for everybody: what a machine's owner adds, and the system's own, which
 * the X server and the text console read alone. */
void lurk_layouts_added_folder(char out[LURK_PATH]);
void lurk_layouts_system_folder(char out[LURK_PATH]);

/* A new one that types what `base` does, a layout's name or its words as lurk_layout_open() takes
 * them. `words` is what menus call it, NULL for the base's and the name: no quotes, backslashes or
 * control characters, and not what another layout is called. NULL with a message. To be closed. */
struct lurk_own_layout *lurk_own_layout_begin(const char *folder, const char *name,
					      const char *base, const char *words,
					      struct lurk_message *message);
/* One that is there, with the bytes of its file. NULL with a message where it is no layout. */
struct lurk_own_layout *lurk_own_layout_read(const char *folder, const char *name,
					     const char *bytes, size_t length,
					     struct lurk_message *message);
void lurk_own_layout_close(struct lurk_own_layout *own);

/* A layout as lurk_layout_open_with() opens it; but where a folder of one's own layouts has one of
 * that name, that one. `folder` is NULL or "" for none. */
struct lurk_layout *lurk_layout_open_in(const char *folder, const char *name, const char *options,
					struct lurk_message *message);

/* Whether menus call a layout so: its name. */
bool lurk_layouts_called(const char *words, char name[64]);

const char *lurk_own_layout_name(const struct lurk_own_layout *own);
/* What menus call it. */
const char *lurk_own_layout_words(const struct lurk_own_layout *own);
/* The text of its file. */
const char *lurk_own_layout_text(const struct lurk_own_layout *own, size_t *length);
/* What it types, and what the layout that it starts from does: its own as long as it is open. NULL
 * for the latter where the file says none that is there. */
struct lurk_layout *lurk_own_layout(struct lurk_own_layout *own);
struct lurk_layout *lurk_own_layout_base(struct lurk_own_layout *own);
/* Hands its layout over, to be closed; `own` is then only to be closed as well. */
struct lurk_layout *lurk_own_layout_take(struct lurk_own_layout *own);
/* Whether it is edited here; where not the message says what in the file is of another shape. */
bool lurk_own_layout_edits(const struct lurk_own_layout *own, struct lurk_message *message);

/* Symbols, by XKB's numbers: a character, a dead key, a function. LURK_SYMBOL_NOTHING types nothing
 * and is not what the base has there either. */
enum { LURK_SYMBOL_NOTHING = 0xffffff };
/* Reads one: `…`, `U+2026`, `dead acute`, `ArrowLeft`, `nothing`, or XKB's name. Keys are what they
 * are in the layout. False with a message. */
bool lurk_symbol_read(const char *text, struct lurk_layout *layout, uint32_t *symbol,
		      struct lurk_message *message);
/* Whether it is one that other keys mind while it is held. */
bool lurk_symbol_is_modifier(uint32_t symbol);
/* In words: `…`, "dead acute", "Left". Returns out. */
const char *lurk_symbol_words(uint32_t symbol, char out[LURK_SYMBOL]);

/* What a key types with these modifiers of LURK_MOD_SHIFT and LURK_MOD_RIGHT_ALT; 0 for nothing. */
uint32_t lurk_layout_types(struct lurk_layout *layout, lurk_key key, uint16_t modifiers);

/* How an edit went. */
enum lurk_own_layout_edit {
	LURK_OWN_EDITED,
	LURK_OWN_SAME,    /* it types that already */
	LURK_OWN_REFUSED, /* nothing is changed, and the message says why */
};
/* Lets a key type a symbol with these modifiers. What it types with others, and what all other keys
 * do, stays: that is compared before it counts. Where AltRight chose no signs before it does so
 * from now on, and *third says so. */
enum lurk_own_layout_edit lurk_own_layout_type(struct lurk_own_layout *own, lurk_key key,
					       uint16_t modifiers, uint32_t symbol, bool *third,
					       struct lurk_message *message);
/* Lets it type what another key does, with each of the modifiers; all of that or nothing. */
enum lurk_own_layout_edit lurk_own_layout_copy(struct lurk_own_layout *own, lurk_key key,
					       lurk_key from, bool *third,
					       struct lurk_message *message);
/* Lets it type what the base does. */
enum lurk_own_layout_edit lurk_own_layout_restore(struct lurk_own_layout *own, lurk_key key,
						  struct lurk_message *message);
/* Lets menus call it so. */
enum lurk_own_layout_edit lurk_own_layout_call(struct lurk_own_layout *own, const char *words,
					       struct lurk_message *message);

/* What differs from the base: keys in the order of their codes, of each what it types with no
 * modifier, Shift, AltRight, both. Returns how many there are. */
struct lurk_own_layout_change {
	lurk_key key;
	uint16_t modifiers;
	uint32_t was, now;
};
unsigned lurk_own_layout_changes(struct lurk_own_layout *own,
				 void (*tell)(void *data,
					      const struct lurk_own_layout_change *change),
				 void *data);

/* What comes after its dead keys beside what the locale says: lines of a Compose file, X11's form,
 * `<dead_acute> <q> : "q́"`. */
enum { LURK_SEQUENCE = 32 };
struct lurk_own_sequence {
	uint32_t first, next;
	char gives[LURK_SEQUENCE], was[LURK_SEQUENCE]; /* in the locale, "" for nothing */
};
/* The lines, "" for none. */
const char *lurk_own_layout_compose(const struct lurk_own_layout *own);
/* Takes them from a file; false with a message where it has more in it. */
bool lurk_own_layout_take_compose(struct lurk_own_layout *own, const char *text, size_t length,
				  struct lurk_message *message);
/* Lets `next` after a dead key give a text of at most four characters; NULL for what the locale
 * says. */
enum lurk_own_layout_edit lurk_own_layout_follow(struct lurk_own_layout *own, uint32_t first,
						 uint32_t next, const char *gives,
						 struct lurk_message *message);
/* Returns how many there are, and tells each in the order of the lines. */
unsigned lurk_own_layout_sequences(struct lurk_own_layout *own,
				   void (*tell)(void *data, const struct lurk_own_sequence *one),
				   void *data);

/* What is wrong with it: of the keys that differ, what they take away and what leads nowhere. */
enum lurk_own_layout_fault {
	LURK_OWN_LOST,       /* no key types `symbol` any more, which the base does with `key` */
	LURK_OWN_NO_CAPITAL, /* `symbol` is a capital that no key types, of a letter at `key` */
	LURK_OWN_UNREACHED,  /* it is there for AltRight, which chooses no signs in this layout */
	LURK_OWN_DEAD_END,   /* a dead key after which nothing is known to come */
	LURK_OWN_UNBEGUN,    /* a sequence is its own, and no key types `symbol`, its dead key; no
				`key` */
	LURK_OWN_MISSING,    /* it begins from nothing, and no key types `symbol` of ASCII, nor
				`more` others; no `key` */
	LURK_OWN_NOT_ON_CONSOLE, /* Linux's text console cannot type it */
	LURK_OWN_NOT_COMPOSED,   /* nor compose what is its own after `symbol`; no `key` */
};
struct lurk_own_layout_finding {
	uint8_t fault; /* enum lurk_own_layout_fault */
	bool needed;   /* lost or missing, and one of ASCII, which programs and passwords need */
	lurk_key key;
	uint16_t modifiers;
	uint32_t symbol;
	unsigned more;
};
/* Returns how many; each is told in the order of the keys' codes, a lost symbol once. */
unsigned lurk_own_layout_judge(struct lurk_own_layout *own,
			       void (*tell)(void *data,
					    const struct lurk_own_layout_finding *finding),
			       void *data);

/* The list that desktops' menus are made of, `rules/evdev.xml` in a folder as XKB has them. */

/* The list with an entry for the layout; `text` is NULL where there is none yet. It is read as
 * desktops read it before it counts. To be freed; NULL with a message. */
char *lurk_menu_with(const char *text, const struct lurk_own_layout *own,
		     struct lurk_message *message);
/* Without it; "" where no other is in it that was put there. To be freed, NULL where it has none.
 */
char *lurk_menu_without(const char *text, const char *name);

/* A person's Compose file, which programs read instead of the locale's: with the layout's lines,
 * between two that say so; `text` is NULL where there is none yet. To be freed; NULL with a
 * message. */
char *lurk_compose_with(const char *text, const struct lurk_own_layout *own,
			struct lurk_message *message);
/* Without them; "" where nothing but the locale's is in it. To be freed, NULL where it has none. */
char *lurk_compose_without(const char *text, const char *name);
/* Where it is, or would be; whether there is one. */
bool lurk_compose_own_file(char path[LURK_PATH]);

LURK_END_C

#endif
