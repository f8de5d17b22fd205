/*
 * A connection to the service, and what it last said: requests and answers of docs/control.md.
 * Private to this room.
 */
#ifndef LURK_WORK_LINK_H
#define LURK_WORK_LINK_H

#include <json-c/json.h>

#include "lurk/work/machine.h"

enum { LURK_LINK_KEYBOARDS = 64, LURK_LINK_IMAGE_MAX = 1 << 19 };

struct lurk_link {
	int fd;
	char *path; /* of its socket, NULL for the usual one */
	unsigned calls;
	bool computer; /* the computer's rules are meant, whoever asks */
	char *in;      /* what came, and was not taken yet */
	size_t length, size;
	struct json_object *kept; /* notifications that came while an answer was awaited */
	struct lurk_session_keyboard keyboards[LURK_LINK_KEYBOARDS];
	struct lurk_store_report store;
	uint8_t *bytes; /* of the image */
	struct lurk_image image;
	uint8_t *below_bytes; /* of the computer's, where the other is one's own */
	struct lurk_image below;
	uint16_t below_profile;
	bool below_asked; /* since the service was seen last */
};

/* A `path` of NULL or "" is the usual one of the socket. NULL with what the system said. */
struct lurk_link *lurk_link_open(const char *path, int *error);
void lurk_link_close(struct lurk_link *link);
/* Whether systemd's word for a unit's state says that it runs, or soon does. */
bool lurk_link_is_coming(const char *state);

/* Sends a request and returns the answer's result, to be freed; NULL with what the service said.
 * Takes `params`. Where the service ended meanwhile and is back, what is as good twice as once is
 * asked again; of the rest nobody knows what came. */
struct json_object *lurk_link_call(struct lurk_link *link, const char *method,
				   struct json_object *params, struct lurk_outcome *outcome);
/* The next line, to be freed; NULL with a message. The end of one that has come already, or NULL.
 */
struct json_object *lurk_link_read(struct lurk_link *link, struct lurk_message *message);
char *lurk_link_line(const struct lurk_link *link);

/* A member; 0, false or "" where there is none. A text without what a terminal would obey. */
int64_t lurk_link_number(struct json_object *object, const char *name);
bool lurk_link_flag(struct json_object *object, const char *name);
const char *lurk_link_text(struct json_object *object, const char *name);
void lurk_link_copy(struct json_object *object, const char *name, char *out, size_t size);
/* A word's place among words, 0 where it is none of them. */
uint8_t lurk_link_place(const char *word, const char *const *words, unsigned count);

/* The index of the profile of that word, 0 where there is none. */
uint16_t lurk_link_profile(const struct lurk_image *image, const char *word);

/* view.c: an image as bytes, to be freed, or NULL; and all that the service says of itself. */
uint8_t *lurk_link_image(struct lurk_link *link, uint64_t sequence, size_t *length,
			 struct lurk_outcome *outcome);
/* The computer's rules, which hold below one's own, and which of its profiles; NULL where these are
 * the computer's, or it has none. */
const struct lurk_image *lurk_link_below(const struct lurk_machine *machine, uint16_t *profile);
bool lurk_link_see(struct lurk_machine *machine, struct lurk_outcome *outcome);

#endif
