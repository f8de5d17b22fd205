/* A port in front of another, that refuses calls: a machine without memory, space or permission. */
#ifndef LURK_TESTS_REFUSING_H
#define LURK_TESTS_REFUSING_H

#include "lurk/session.h"

/* A session and its memory, in fields of a test's own struct. */
#define SESSION_FIELDS(keyboard_count, image_size, keymaps_size) \
	struct lurk_session session;                             \
	struct lurk_session_memory memory;                       \
	struct lurk_session_keyboard keyboards[keyboard_count];  \
	struct lurk_engine_keyboard engines[keyboard_count];     \
	struct lurk_engine further[1];                           \
	uint8_t images[LURK_SESSION_RULESETS][image_size];       \
	_Alignas(16) uint8_t keymaps[LURK_SESSION_RULESETS][keymaps_size];

/* That memory, as a session takes it: for two seats, the computer's rules, and those of two
 * persons, of whom one comes while rules are tried. */
#define SESSION_MEMORY(t)                                                                       \
	((struct lurk_session_memory){                                                          \
		.keyboards = (t)->keyboards,                                                    \
		.engine_keyboards = (t)->engines,                                               \
		.keyboard_count = COUNT((t)->keyboards),                                        \
		.engines = (t)->further,                                                        \
		.engine_count = COUNT((t)->further),                                            \
		.images = {(t)->images[0], (t)->images[1], (t)->images[2], (t)->images[3],      \
			   (t)->images[4]},                                                     \
		.image_size = sizeof((t)->images[0]),                                           \
		.keymaps = {(t)->keymaps[0], (t)->keymaps[1], (t)->keymaps[2], (t)->keymaps[3], \
			    (t)->keymaps[4]},                                                   \
		.keymap_size = sizeof((t)->keymaps[0]),                                         \
	})

/* What a call does: changes something, or a table's entry, sends a frame, or looks up a table's
 * entry, which is asked hundreds of times for each change. */
enum refusable { REFUSE_CHANGE, REFUSE_TABLE, REFUSE_SEND, REFUSE_LOOK };

struct refusing {
	struct lurk_port port; /* to be used */
	struct lurk_port *real;
	bool (*refuses)(void *data, enum refusable call);
	void (*heard)(void *data, const struct lurk_port_event *event); /* NULL for nobody */
	void *data;
	enum lurk_error with; /* what it refuses with; LURK_ERR_PORT where it is LURK_OK */
};

/* Sets `port` up; the rest is the caller's. */
void refusing_init(struct refusing *refusing);

#endif
