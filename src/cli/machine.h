/*
 * The machine that the command works on: a simulated desk, or this computer by its service. What is
 * here of it is as it was when it was opened, or last asked.
 *
 * The real machine is reached through the control socket and no other way.
 */
#ifndef LURK_CLI_MACHINE_H
#define LURK_CLI_MACHINE_H

#include "lurk/session.h"
#include "port/sim/computer.h"
#include "profile/profile.h"

struct service_link;

struct cli_machine {
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
	bool may_watch;
	bool keep_locks;              /* for the next change */
	uint8_t lit;                  /* locks that are on, a bit each */
	struct lurk_computer *desk;   /* NULL on the real machine */
	struct service_link *service; /* NULL on a desk */
};

/* Each returns LURK_OK, or an error with a message that says it all. */
struct cli_outcome {
	enum lurk_error error;
	struct lurk_apply_report report;
	struct lurk_message why;
};

/* NULL with a message where it cannot be reached. */
struct cli_machine *cli_machine_of_desk(struct lurk_computer *desk);
struct cli_machine *cli_machine_of_service(struct lurk_message *message);
void cli_machine_close(struct cli_machine *machine);

/* Brings the view up to date; false with a message. */
bool cli_machine_look(struct cli_machine *machine, struct lurk_message *message);

/* Both bring the view up to date. `profile` is in force then, if the image has it: a word, NULL for
 * the first. */
bool cli_machine_apply(struct cli_machine *machine, const uint8_t *image, size_t length,
		       const char *profile, struct cli_outcome *outcome);
bool cli_machine_switch(struct cli_machine *machine, bool off, struct cli_outcome *outcome);

/* Another of the profiles that were applied, NULL for the one before; with `while_open`, until the
 * machine is closed. */
bool cli_machine_use(struct cli_machine *machine, const char *word, bool while_open,
		     struct cli_outcome *outcome);

/* For so many seconds, without storing it. It ends with the machine's closing too. */
bool cli_machine_try(struct cli_machine *machine, const uint8_t *image, size_t length,
		     unsigned seconds, struct cli_outcome *outcome);
/* Stores what is tried, or ends it. */
bool cli_machine_keep(struct cli_machine *machine, struct cli_outcome *outcome);
bool cli_machine_end_try(struct cli_machine *machine, struct cli_outcome *outcome);

/* A stored image by its number; bytes to be freed. False where it is not kept. */
bool cli_machine_stored(struct cli_machine *machine, uint64_t sequence, uint8_t **bytes,
			size_t *length);

/* What to do while the real machine is watched; each but `key` may be NULL, and false ends it. */
struct cli_watching {
	void *data;
	unsigned seconds; /* the longest; 0 for until it is ended */
	bool deaf;        /* without the presses, which not everybody may see */
	bool take;        /* no other program gets what is pressed meanwhile */
	const char
		*prompt; /* said on standard error once presses are seen, none before it; or NULL */
	bool (*key)(void *data, const struct lurk_event *event, const struct lurk_action *action);
	/* What is typed on the terminal, which neither echoes it nor keeps it for the shell. */
	bool (*typed)(void *data, char character);
	/* Ten times a second, with the seconds that are left of `seconds`. */
	bool (*tick)(void *data, unsigned left);
};

/* Watches until one of these says so, Ctrl+C, or the time is over. False with a message where it
 * cannot, or where it was ended from outside. */
bool cli_machine_watch(struct cli_machine *machine, const struct cli_watching *watching,
		       struct lurk_message *message);

#endif
