/*
 * The session: a port, its keyboards as they come and go, and the rules in force on them. What the
 * service and the simulated desk both run.
 *
 *     lurk_session_start(&session, &memory, &port);
 *     for (;;)
 *             wait_for_the_port_until(lurk_session_run(&session));
 *
 * Whatever changes the rules changes all of them on all keyboards, or nothing.
 *
 * Rules come in parts: the computer's, and on top of them, on the keyboards of a seat, those of
 * whoever is at its screen. The computer's hold everywhere and always; a person's hold where none
 * is more specific, go when that person leaves the screen, and come back with that person.
 *
 * What holds always: a keyboard is taken while there is a reason for it (enum lurk_hold), and given
 * back once there is none and nothing is down on it; what is pressed until then is relayed as the
 * rules say. Whatever text is typed from, and whatever a keyboard's keys give, is of the rule set
 * in force.
 */
#ifndef LURK_INCLUDE_SESSION_H
#define LURK_INCLUDE_SESSION_H

#include "lurk/declare.h"
#include "lurk/chord.h"
#include "lurk/store.h"
#include "lurk/way.h"

LURK_BEGIN_C

enum {
	LURK_SESSION_KEYMAPS = 64,
	/* Seats whose persons can have rules of their own at once; and the parts with them. */
	LURK_SESSION_SEATS = 4,
	LURK_SESSION_PARTS = 1 + LURK_SESSION_SEATS,
	/* One for each part; one for what comes next or is tried, and one for who comes meanwhile.
	 */
	LURK_SESSION_RULESETS = LURK_SESSION_PARTS + 2,
	LURK_NO_RULESET = UINT8_MAX,
	LURK_OWN_IMAGE_MAX = 1 << 16, /* bytes of a person's own rules */
	/* Rules looked at for one image, on all its keyboards and in all its profiles. 8 profiles
	 * of 4,000 rules, on 32 keyboards with rules of their own, are 1,056,000. */
	LURK_SESSION_WORK = 4000000,
	LURK_OWN_WORK = 50000, /* the same for a person's own */
	/* How long programs may take to open a stand-in that appears while they run: some need
	 * 400 ms. */
	LURK_OPENING_US = 1000000,
	/* A keyboard is taken when no key is down on it; but no later than this. */
	LURK_PATIENCE_US = 2000000,
	/* It is given back when nothing has come from it for so long. */
	LURK_IDLE_US = 300000,
};

/* What rules of a person's own may do: each what those before it may, and more. */
enum lurk_own {
	LURK_OWN_NOTHING,    /* there are none */
	LURK_OWN_KEYS,       /* a key may give another, one key with modifiers, or nothing */
	LURK_OWN_NO_TEXT,    /* several keys in a row as well, where that types no text */
	LURK_OWN_EVERYTHING, /* text as well */
};

/* Why a keyboard is taken, a bit each. */
enum lurk_hold {
	LURK_HOLD_RULES = 1,    /* its rules are in force by the relay */
	LURK_HOLD_CHORD = 2,    /* its off chord is down: nobody else shall get that */
	LURK_HOLD_WITHHELD = 4, /* what is pressed on it reaches nobody but the watch */
	LURK_HOLD_LENT = 8, /* modifiers held on it are lifted for what another keyboard gives */
};

struct lurk_session_keyboard {
	bool present;
	bool used;   /* a key was pressed on it since it came */
	bool taken;  /* Lurk alone reads it */
	bool waits;  /* it shall be taken: once its stand-in is open everywhere, and no key down */
	bool ending; /* programs still hold what was told as held */
	uint8_t holds;      /* enum lurk_hold */
	lurk_key unsettled; /* a table entry waits for this key to come up, 0 for none */
	uint8_t part; /* of whoever is at its seat; 0 where there are more seats than places */
	uint8_t top;  /* whose rules are on top: the same, or 0 where that person has none */
	uint16_t described;          /* 1 + its index in the image, 0 where no description fits */
	uint16_t own_described;      /* the same in the image on top, where that is a person's */
	enum lurk_error trouble;     /* why its rules are not in force */
	enum lurk_error own_trouble; /* why only the computer's are */
	struct lurk_port_keyboard info;
	const struct lurk_keymap *keymap; /* NULL where no rules are in force */
	struct lurk_way_choice choice;    /* the way they are in force, and why */
	struct lurk_way_choice told;      /* the same for the mode that was asked for */
	struct lurk_chord chord;          /* the off chord as it is pressed on this keyboard */
	uint64_t open_us;                 /* when its stand-in is open; LURK_NEVER without one */
	uint64_t due_us;                  /* when what it waits for is looked at in any case */
	uint64_t last_us;                 /* when its last event came, by lurk_port_class.now */
	uint64_t caps_us;                 /* when CapsLock is to be turned off; LURK_NEVER */
	uint64_t withheld_until_us;       /* while it is (LURK_HOLD_WITHHELD) */
	enum lurk_error refused;          /* what it gives could not be sent */
	/* What a change of rules will bring into force on it. */
	struct lurk_session_plan {
		uint8_t top;
		uint16_t described, own_described;
		enum lurk_error own_trouble;
		const struct lurk_keymap *keymap;
		struct lurk_way_choice choice;
		struct lurk_chord chord;
	} plan;
};

/* The caller's memory. Where only the first two rule sets have any, nobody has rules of their own.
 * All images have room for `image_size` bytes, all keymap areas for `keymap_size` (aligned as for a
 * pointer). */
struct lurk_session_memory {
	struct lurk_session_keyboard *keyboards;
	struct lurk_engine_keyboard *engine_keyboards;
	uint16_t keyboard_count;
	/* One for each seat beyond the main one, so that what is held or typed at one is nothing to
	 * the others; those for which there is none share the main one's. */
	struct lurk_engine *engines;
	uint16_t engine_count;
	uint8_t *images[LURK_SESSION_RULESETS];
	size_t image_size;
	void *keymaps[LURK_SESSION_RULESETS];
	size_t keymap_size;
};

/* One set of rules with the keymaps compiled from it so far. */
struct lurk_ruleset {
	bool loaded;
	uint32_t generation; /* another for each image that is loaded */
	struct lurk_image image;
	size_t keymap_used;
	unsigned keymap_count;
	struct lurk_compiled {
		uint16_t described, profile;
		uint16_t below_described, below_profile;
		uint32_t below; /* the generation of the computer's rules below, 0 without them */
		uint8_t wiring;
		bool toggles_only;
		struct lurk_keymap *keymap;
	} keymaps[LURK_SESSION_KEYMAPS];
};

/* One part: whose rules, and which of them. */
struct lurk_session_part {
	uint8_t ruleset;            /* LURK_NO_RULESET where a person has none */
	uint16_t profile, previous; /* of its image: in force; before that */
	/* The same as requests left it, whatever single keys switched since: what somebody may be
	 * told who may not see keys. */
	uint16_t asked_profile, asked_previous;
};

/* Whether rules are switched off on the keyboards of a seat. */
struct lurk_session_off {
	bool now;     /* none is in force, whatever is loaded */
	bool asked;   /* the same as requests and the off chord left it */
	bool toggled; /* by a key, which can switch them on again */
	uint32_t by;  /* the user who switched them off; LURK_NOBODY for the off chord */
};

/* All that decides which rules are in force: changed, and gone back to, as a whole. */
struct lurk_session_mode {
	struct lurk_session_part parts[LURK_SESSION_PARTS]; /* the computer's, then each seat's */
	/* At each seat; the first of keyboards that no seat has a place for, and of seats to come.
	 */
	struct lurk_session_off off[LURK_SESSION_PARTS];
	bool trying;       /* what is in force of a part is not stored, and ends by itself */
	uint8_t tried;     /* which part that is */
	uint32_t tried_by; /* the user who began that */
	uint64_t until_us; /* when it ends, by the port's lurk_port_class.elapsed */
};

/* A seat of the machine: keyboards and a screen for one person. */
struct lurk_session_seat {
	bool used;
	char name[32];                  /* "" for the main one, which is the first */
	uint32_t person;                /* the user at its screen, or LURK_NOBODY */
	uint32_t layout;                /* that is active there: lurk_session_layout() */
	enum lurk_error why;            /* why that person's rules are not in force */
	struct lurk_store_report store; /* that person's */
};

/* Gets every key event, with what its press gives. */
typedef void lurk_watch(void *data, const struct lurk_event *event,
			const struct lurk_action *action);

struct lurk_session {
	struct lurk_port *port;
	struct lurk_session_memory memory;
	uint16_t numbers; /* below this are those of all keyboards so far: a key on its way looks at
			   * no more, however many there is memory for */
	uint16_t engines; /* how many are in use: the main one, and those of the memory before this
			   */
	uint16_t lent;    /* how many keyboards are */
	bool ending;      /* some lurk_session_keyboard.ending is set */
	bool returning;   /* some keyboard is to be given back as soon as that can be */
	bool refusing;    /* some lurk_session_keyboard.refused is set */
	bool leaving;     /* lurk_session_leave() */
	unsigned changes; /* counts what may have changed of keyboards and of what is in force */
	uint32_t chorded; /* how often the off chord has switched */
	uint8_t chorded_at; /* the part of the seat where it last did */
	lurk_watch *watch;
	void *watch_data;
	struct lurk_session_mode mode;
	struct lurk_engine engine;       /* of the main seat */
	struct lurk_session_mode before; /* while rules are tried: what that ends with */
	struct lurk_session_seat seats[LURK_SESSION_SEATS]; /* part 1 + index */
	enum lurk_own own_may;                              /* what persons' rules may do */
	struct lurk_store_report store;                     /* the computer's */
	uint32_t generations;                               /* counts images that were loaded */
	uint32_t trials; /* counts them, so that who began one knows whether it still runs */
	struct lurk_ruleset rulesets[LURK_SESSION_RULESETS];
};

/* Who asks for a change, and how: for that change alone. */
struct lurk_request {
	uint32_t by;     /* a user's number, or LURK_NOBODY */
	uint8_t part;    /* whose rules change: 0 the computer's, or a seat's */
	bool keep_locks; /* locks that are on stay so when the rules take their key away */
	bool keep_off;   /* rules that another user switched off stay so */
};

/* What came of a change. */
struct lurk_apply_report {
	uint16_t keyboard; /* where it failed: the port's number for it; UINT16_MAX where
			    * that was in storing */
	struct lurk_compile_report compile;
	/* Locks that no key gives any more, a bit each: those that were on, and were pressed so
	 * that they go off; and those of which no light tells. */
	uint8_t locks_pressed, locks_unknown;
};

/* How much memory a session takes for so many keyboards at once, images of up to `image_size` bytes
 * and keymaps of up to `keymap_size` for each set of rules; and such a block, aligned as for a
 * pointer, divided up. It begins with memory->keyboards. */
size_t lurk_session_size(uint16_t keyboards, size_t image_size, size_t keymap_size);
void lurk_session_divide(struct lurk_session_memory *memory, void *block, uint16_t keyboards,
			 size_t image_size, size_t keymap_size);

/* Loads the newest valid image (session->store tells which, and what was passed over) and lists the
 * port's keyboards with the next steps. Nothing stored is no error. */
enum lurk_error lurk_session_start(struct lurk_session *session,
				   const struct lurk_session_memory *memory,
				   struct lurk_port *port);

/* Whether text is being typed, at whichever seat. */
bool lurk_session_types(const struct lurk_session *session);

/* Deals with all that has happened at the port by now. Returns lurk_session_deadline(). */
uint64_t lurk_session_run(struct lurk_session *session);

/* All that change rules: `request` may be NULL, for nobody. On any error all is as it was before,
 * and report->keyboard says where it failed; a keyboard that can then not be brought back is plain,
 * with the error as its trouble. */

/* (Of a part whose seat nobody is at: LURK_ERR_DENIED. Of a person's, what those may not do:
 * LURK_ERR_NOT_OWN.) */

/* Compiles an image for all keyboards, brings it into force and stores it. Of its profiles the one
 * with the word `profile` is in force then; the first one where that is empty or not there, and
 * after every start. */
enum lurk_error lurk_session_apply(struct lurk_session *session, const struct lurk_request *request,
				   const uint8_t *image, size_t length, struct lurk_text profile,
				   struct lurk_apply_report *report);

/* Brings an image into force on all keyboards for so long, by the relay, and stores nothing. It
 * ends by itself with everything as before, and so when it is ended, another image is applied or
 * all rules are switched off; lurk_session_keep() stores it, and it stays. Trying while something
 * is tried goes back to what was before both. */
enum lurk_error lurk_session_try(struct lurk_session *session, const struct lurk_request *request,
				 const uint8_t *image, size_t length, uint64_t for_us,
				 struct lurk_apply_report *report);
enum lurk_error lurk_session_keep(struct lurk_session *session, const struct lurk_request *request);
void lurk_session_end_try(struct lurk_session *session);

/* For a port that says of a slot that it is written before it is safe: what is in that one of an
 * owner is not, so that the next apply stores it anew. What is in force stays. */
void lurk_session_unstored(struct lurk_session *session, uint32_t owner, unsigned slot,
			   enum lurk_error error);

/* Brings another profile of the image into force: its index, or LURK_PREVIOUS for the one before:
 * where none was, the one that it is based on. Nothing is stored: after a start the first one is in
 * force. A key does the same (LURK_GIVES_PROFILE). LURK_ERR_NO_PROFILE where there is none. */
enum lurk_error lurk_session_use(struct lurk_session *session, const struct lurk_request *request,
				 uint16_t profile, struct lurk_apply_report *report);

/* Switches all rules off, the computer's too, and on again: on the keyboards of the seat
 * `request->part` and those that come there; of part 0 at every seat. Applying switches them on
 * there. Nothing is stored. What is tried ends where that holds at the seat. The same happens when
 * the off chord is held on a keyboard, for its seat: see lurk/chord.h; its keys are those that the
 * image has for that keyboard (LURK_QUIRK_OFF_CHORD). */
enum lurk_error lurk_session_switch(struct lurk_session *session,
				    const struct lurk_request *request, bool off,
				    struct lurk_apply_report *report);

/* Keeps what is pressed from every program but the watch for so long from now, on all keyboards of
 * a seat ("" for the main one) that are here and can be taken; 0 ends it. The off chord on a
 * keyboard of that seat ends it too. */
void lurk_session_withhold(struct lurk_session *session, const char *seat, uint64_t for_us);

/* When lurk_session_run() is to be called again though nothing happens, by the port's
 * lurk_port_class.elapsed; LURK_NEVER where that is not needed. */
uint64_t lurk_session_deadline(const struct lurk_session *session);

/* Shows all key events to `watch`, NULL for nobody. Until then the session is woken up only by
 * keyboards that it has taken. */
void lurk_session_watch(struct lurk_session *session, lurk_watch *watch, void *data);

/* Takes all rules out of force for good. True once every keyboard is given back; one with keys that
 * are down is when they come up: run on until then. */
bool lurk_session_leave(struct lurk_session *session);

/* The same at once, whatever is down. Tables are as they were, and the memory is free. */
void lurk_session_stop(struct lurk_session *session);

/* The mode as it was asked for: with its own `asked_…` as what is in force. */
static inline struct lurk_session_mode lurk_session_asked(const struct lurk_session *session)
{
	struct lurk_session_mode asked = session->mode;

	for (unsigned i = 0; i < LURK_SESSION_PARTS; i++) {
		asked.parts[i].profile = asked.parts[i].asked_profile;
		asked.parts[i].previous = asked.parts[i].asked_previous;
		asked.off[i].now = asked.off[i].asked;
		asked.off[i].toggled = false;
	}
	return asked;
}

/* Whether another user than this one switched rules off there: not the off chord, which is for
 * whoever is there. */
static inline bool lurk_session_off_by_other(const struct lurk_session_off *off, uint32_t user)
{
	return off->now && off->by != LURK_NOBODY && off->by != user;
}

/* Which layout is active at the seat `request->part`, as lurk_layout_number() has it, 0 for not
 * known: what texts are typed by from now on. For who is at its screen: for anybody else,
 * LURK_ERR_DENIED. Forgotten when somebody else is. */
enum lurk_error lurk_session_layout(struct lurk_session *session,
				    const struct lurk_request *request, uint32_t layout);

/* The image of a part that is in force or tried, NULL where there is none; and the index of its
 * profile that is in force. */
const struct lurk_image *lurk_session_image(const struct lurk_session *session, unsigned part);
uint16_t lurk_session_profile(const struct lurk_session *session, unsigned part);

/* The part of whoever is at a seat ("" for the main one), 0 where there is no such seat. */
unsigned lurk_session_part(const struct lurk_session *session, const char *seat);

/* Whether all rules are off there. */
static inline bool lurk_session_is_off(const struct lurk_session *session, const char *seat)
{
	return session->mode.off[lurk_session_part(session, seat)].now;
}

/* What persons' rules may do from now on: those in force that do more are so no longer. Before
 * that: nothing. */
void lurk_session_allow(struct lurk_session *session, enum lurk_own may);

LURK_END_C

#endif
