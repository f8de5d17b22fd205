/*
 * The session: a port, its keyboards as they come and go, and the rules in force on them. What the
 * service and the simulated desk both run.
 *
 *     lurk_session_start(&session, &memory, &port);
 *     while (lurk_session_step(&session))
 *             ;
 *
 * lurk_session_apply() brings a new image into force on all keyboards, or changes nothing.
 */
#ifndef LURK_INCLUDE_SESSION_H
#define LURK_INCLUDE_SESSION_H

#include "lurk/chord.h"
#include "lurk/store.h"
#include "lurk/way.h"

enum { LURK_SESSION_KEYMAPS = 64 };

struct lurk_session_keyboard {
	bool present;
	bool used; /* a key was pressed on it since it came */
	bool taken;
	lurk_key unsettled;      /* a table entry waits for this key to come up, 0 for none */
	uint16_t described;      /* 1 + its index in the image, 0 where no description fits */
	enum lurk_error trouble; /* why its rules are not in force */
	struct lurk_port_keyboard info;
	const struct lurk_keymap *keymap;
	struct lurk_way_choice choice; /* the way it is in force, and why */
	struct lurk_chord chord;       /* the off chord as it is pressed on this keyboard */
	bool borrowed;                 /* taken only for a while, and gives nothing */
	bool lent;                     /* taken until the modifiers held on it come up */
	bool withheld;                 /* what is pressed on it reaches nobody but the watch */
};

/* The caller's memory. Both images have room for `image_size` bytes, both keymap areas for
 * `keymap_size` (aligned as for a pointer): one is in use, the other for what comes next. */
struct lurk_session_memory {
	struct lurk_session_keyboard *keyboards;
	struct lurk_engine_keyboard *engine_keyboards;
	uint16_t keyboard_count;
	uint8_t *images[2];
	size_t image_size;
	void *keymaps[2];
	size_t keymap_size;
};

/* One set of rules with the keymaps compiled from it so far. */
struct lurk_ruleset {
	bool loaded;
	struct lurk_image image;
	uint16_t profile, previous; /* in force; before that */
	size_t keymap_used;
	unsigned keymap_count;
	struct {
		uint16_t described, profile;
		uint8_t wiring;
		bool toggles_only;
		struct lurk_keymap *keymap;
	} keymaps[LURK_SESSION_KEYMAPS];
};

/* Gets every key event, with what its press gives. */
typedef void lurk_watch(void *data, const struct lurk_event *event,
			const struct lurk_action *action);

struct lurk_session {
	struct lurk_port *port;
	struct lurk_session_memory memory;
	struct lurk_engine engine;
	struct lurk_ruleset rulesets[2];
	unsigned current;
	struct lurk_store_report store;
	bool off;          /* no rule is in force, whatever is loaded */
	bool toggled;      /* by a key, which can switch them on again */
	bool trying;       /* what is in force is not stored, and ends by itself */
	bool off_before;   /* the trying */
	uint32_t trials;   /* counts them, so that who began one knows whether it still runs */
	uint32_t tried_by; /* the user who began the last */
	uint64_t until_us; /* when the trying ends, by the port's lurk_port_class.elapsed */
	bool withholding;  /* some keyboards are withheld */
	uint64_t withhold_until_us;
	uint32_t by;      /* the user for whom the next change is made */
	bool keep_locks;  /* locks that are on stay so when rules take their key away */
	uint16_t numbers; /* below this are those of all keyboards so far: a key on its way looks at
			   * no more, however many there is memory for */
	unsigned changes; /* counts what may have changed of keyboards and of what is in force */
	uint32_t chorded; /* how often the off chord has switched */
	lurk_watch *watch;
	void *watch_data;
};

/* What went wrong while applying. */
struct lurk_apply_report {
	uint16_t keyboard; /* the port's number for it */
	struct lurk_compile_report compile;
	/* Locks that no key gives any more, a bit each: those that were on, and were pressed so
	 * that they go off; and those of which no light tells. */
	uint8_t locks_pressed, locks_unknown;
};

/* Loads the newest valid image (session->store tells which, and what was passed over) and lists the
 * port's keyboards with the next steps. Nothing stored is no error. */
enum lurk_error lurk_session_start(struct lurk_session *session,
				   const struct lurk_session_memory *memory,
				   struct lurk_port *port);

/* Deals with the next thing that happened at the port; false where nothing did. */
bool lurk_session_step(struct lurk_session *session);

/* Compiles an image for all keyboards, brings it into force and stores it; on any error the old
 * rules are in force and nothing is stored. Of its profiles the one with the word `profile` is in
 * force then; the first one where that is empty or not there, and after every start. */
enum lurk_error lurk_session_apply(struct lurk_session *session, const uint8_t *image,
				   size_t length, struct lurk_text profile,
				   struct lurk_apply_report *report);

/* Brings an image into force on all keyboards for so long, by the relay, and stores nothing. It
 * ends by itself with everything as before, and so when it is ended, another image is applied or
 * all rules are switched off; lurk_session_keep() stores it, and it stays. Trying while something
 * is tried goes back to what was before both. */
enum lurk_error lurk_session_try(struct lurk_session *session, const uint8_t *image, size_t length,
				 uint64_t for_us, struct lurk_apply_report *report);
enum lurk_error lurk_session_keep(struct lurk_session *session);
void lurk_session_end_try(struct lurk_session *session);

/* Keeps what is pressed from every program but the watch for so long, on all keyboards of the main
 * seat that are here and can be taken; 0 ends it. The off chord ends it too. */
void lurk_session_withhold(struct lurk_session *session, uint64_t for_us);

/* When lurk_session_step() is to be called again though nothing happens, by the port's
 * lurk_port_class.elapsed; LURK_NEVER where that is not needed. */
uint64_t lurk_session_deadline(const struct lurk_session *session);

/* Brings another profile of the image into force: its index, or LURK_PREVIOUS for the one before:
 * where none was, the one that it is based on. Nothing is stored: after a start the first one is in
 * force. A key does the same (LURK_GIVES_PROFILE). LURK_ERR_NO_PROFILE where there is none. */
enum lurk_error lurk_session_use(struct lurk_session *session, uint16_t profile,
				 struct lurk_apply_report *report);

/* Switches all rules off, on all keyboards and those that come, and on again. Applying switches
 * them on. Nothing is stored. The same happens when the off chord is held on any keyboard: see
 * lurk/chord.h; its keys are those that the image has for that keyboard (LURK_QUIRK_OFF_CHORD). */
enum lurk_error lurk_session_switch(struct lurk_session *session, bool off,
				    struct lurk_apply_report *report);

/* Shows all key events to `watch`, NULL for nobody. Until then the session is woken up only by
 * keyboards that it has taken. */
void lurk_session_watch(struct lurk_session *session, lurk_watch *watch, void *data);

/* Gives every keyboard back and the tables as they were. */
void lurk_session_stop(struct lurk_session *session);

/* The index of its profile that is in force. */
uint16_t lurk_session_profile(const struct lurk_session *session);

/* The image in force or tried, NULL where there is none. */
const struct lurk_image *lurk_session_image(const struct lurk_session *session);

#endif
