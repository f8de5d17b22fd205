/*
 * The machine that is worked on: a simulated desk, this computer by its service, or whatever a
 * session of the caller's own process runs on. What is here of it is as it was when it was opened,
 * or last asked. Its members are read and not written, but for `keep_locks`.
 *
 * The service is reached through its control socket and no other way. A machine is used by one
 * thread at a time; several machines by several threads.
 */
#ifndef LURK_INCLUDE_WORK_MACHINE_H
#define LURK_INCLUDE_WORK_MACHINE_H

#include <signal.h>

#include "lurk/declare.h"
#include "lurk/session.h"
#include "lurk/desk/computer.h"
#include "lurk/profile/profile.h"

LURK_BEGIN_C

struct lurk_link;

struct lurk_machine {
	/* A place a number; those that are not `present` are not here. */
	const struct lurk_session_keyboard *keyboards;
	uint16_t keyboard_count;
	const struct lurk_image *image; /* loaded, NULL where there is none */
	const struct lurk_store_report *store;
	char profile[LURK_PROFILE_WORD]; /* which of its profiles is in force */
	char storage[256];               /* what cannot be stored, and why; "" where all can be */
	bool off;                        /* loaded, but switched off */
	bool trying;                     /* what is in force ends by itself */
	unsigned seconds_left;           /* until then */
	bool may_change;                 /* whether the one who runs the command may change rules */
	/* What is here are that person's own rules, which hold on top of the computer's while that
	 * person is at its screen; how many the computer's are; and what own ones may do. */
	bool own;
	uint32_t computer_rules;
	uint32_t layout; /* that is active here, as lurk_layout_number(); 0 for not known */
	enum lurk_own own_may;
	/* Whoever else has rules of their own in force: a user's number and how many, on a seat. */
	struct lurk_machine_person {
		uint32_t user, rules;
		enum lurk_error why; /* why they are not in force */
		bool off;            /* all rules are, at that seat */
		char seat[32];
	} persons[LURK_SESSION_SEATS];
	unsigned person_count;
	bool may_watch;
	bool keep_locks;            /* for the next change */
	uint8_t lit;                /* locks that are on, a bit each */
	struct lurk_computer *desk; /* NULL but on a simulated one */
	/* A desk's session, or the caller's; NULL where the service has it. */
	struct lurk_session *session;
	void (*settle)(void *data); /* deals with all that has happened there */
	void *settle_data;
	struct lurk_link *service; /* NULL where there is a session */
};

/* Each returns LURK_OK, or an error with a message that says it all. */
struct lurk_outcome {
	enum lurk_error error;
	struct lurk_apply_report report;
	struct lurk_message why;
	bool fresh; /* by lurk_apply(): there is a version more, since something was new */
	/* Failed because the service ended, or gave no answer, and nobody knows what came of it;
	 * or it is in force and could not be stored. */
	bool unknown;
};

/* NULL with a message where it cannot be reached; a `path` of NULL is the usual one of the socket.
 */
struct lurk_machine *lurk_machine_of_desk(struct lurk_computer *desk);
/* A session that the caller started and steps, which lives as long; `settle` steps it until nothing
 * is left to do. */
struct lurk_machine *lurk_machine_of_session(struct lurk_session *session,
					     void (*settle)(void *data), void *data);
/* The rules there are one's own, for whoever is at the computer's screen but root; else, and with
 * `computer`, the computer's. */
struct lurk_machine *lurk_machine_of_service(const char *path, bool computer,
					     struct lurk_message *message);
void lurk_machine_close(struct lurk_machine *machine);

/* Brings the view up to date; false with a message. */
bool lurk_machine_look(struct lurk_machine *machine, struct lurk_message *message);

/* With which of its profiles the machine starts; "" where none was applied. Returns word. */
const char *lurk_machine_start_profile(const struct lurk_machine *machine,
				       char word[LURK_PROFILE_WORD]);

/* Both bring the view up to date. `profile` is in force then, if the image has it: a word, NULL for
 * the first. */
bool lurk_machine_apply(struct lurk_machine *machine, const uint8_t *image, size_t length,
			const char *profile, struct lurk_outcome *outcome);
bool lurk_machine_switch(struct lurk_machine *machine, bool off, struct lurk_outcome *outcome);

/* Another of the profiles that were applied, NULL for the one before; with `while_open`, until the
 * machine is closed. */
bool lurk_machine_use(struct lurk_machine *machine, const char *word, bool while_open,
		      struct lurk_outcome *outcome);

/* For so many seconds, without storing it. It ends with the machine's closing too. */
bool lurk_machine_try(struct lurk_machine *machine, const uint8_t *image, size_t length,
		      unsigned seconds, struct lurk_outcome *outcome);
/* Stores what is tried, or ends it. */
bool lurk_machine_keep(struct lurk_machine *machine, struct lurk_outcome *outcome);
bool lurk_machine_end_try(struct lurk_machine *machine, struct lurk_outcome *outcome);

/* A stored image by its number; bytes to be freed. False where it is not kept. */
bool lurk_machine_stored(struct lurk_machine *machine, uint64_t sequence, uint8_t **bytes,
			 size_t *length);

/* A version that is stored, or for 0 one without rules; bytes to be freed. */
bool lurk_machine_version(struct lurk_machine *machine, uint64_t sequence, uint8_t **bytes,
			  size_t *length);
/* Brings such an image into force. The profile that was in force stays so if both start with the
 * same one. */
bool lurk_machine_go_back(struct lurk_machine *machine, const uint8_t *bytes, size_t length,
			  struct lurk_outcome *outcome);

/* What to do while the machine of a service is watched; each but `key` may be NULL, and false ends
 * it. */
struct lurk_watching {
	void *data;
	unsigned seconds; /* the longest; 0 for until it is ended */
	bool deaf;        /* without the presses, which not everybody may see */
	bool take;        /* no other program gets what is pressed meanwhile */
	bool (*key)(void *data, const struct lurk_event *event, const struct lurk_action *action);
	/* Ten times a second, with the seconds that are left of `seconds`. */
	bool (*tick)(void *data, unsigned left);
	/* Whatever else can be read meanwhile; and what is called once presses are seen, none
	 * before it. What ends it from a signal handler. */
	int also_fd;
	void *also_data;
	bool (*also)(void *also_data);
	void (*begun)(void *also_data);
	const volatile sig_atomic_t *stop;
};

/* Watches until one of these says so, or the time is over. False with a message where it
 * cannot, or where it was ended from outside. */
bool lurk_machine_watch(struct lurk_machine *machine, const struct lurk_watching *watching,
			struct lurk_message *message);

LURK_END_C

#endif
