/*
 * Errors: what can go wrong, as values.
 *
 * Functions that can fail return one of these; nothing is changed unless LURK_OK is returned. There
 * is no errno and no global "last error". lurk_error_text() gives a short English phrase in lower
 * case, without a full stop, that fits after "file: ".
 */
#ifndef LURK_INCLUDE_ERROR_H
#define LURK_INCLUDE_ERROR_H

#include "lurk/declare.h"

LURK_BEGIN_C

enum lurk_error {
	LURK_OK = 0,
	LURK_ERR_ROOM,       /* the caller's memory is too small; the size needed is reported */
	LURK_ERR_SYNTAX,     /* text that does not follow its notation */
	LURK_ERR_CONFLICT,   /* two rules are equally specific for one press */
	LURK_ERR_UNTYPED,    /* a rule that types, and no layout that says how */
	LURK_ERR_NO_PROFILE, /* a rule that switches to a profile that is not there */
	LURK_ERR_BUSY,       /* frames wait: pull them, then feed the event again */
	LURK_ERR_EMPTY,      /* a storage slot in which nothing was ever stored */
	LURK_ERR_MAGIC,      /* not an image */
	LURK_ERR_VERSION,    /* an image of a later version */
	LURK_ERR_LENGTH,     /* an image that is shorter or longer than it says */
	LURK_ERR_CRC,        /* an image whose checksum does not fit */
	LURK_ERR_CONTENT,    /* an image whose checksum fits but whose parts do not */
	LURK_ERR_GONE,       /* the keyboard is not there any more */
	LURK_ERR_PORT,       /* the machine refused */
	LURK_ERR_DENIED,     /* this process may not do that on the machine */
	LURK_ERR_HELD,       /* another program has taken the keyboard for itself */
	LURK_ERR_NO_RELAY,   /* the machine has no way to make a virtual keyboard */
	LURK_ERR_POWER,      /* the power went while storing */
	LURK_ERR_WAIT,       /* not now: a key is down on the keyboard */
	LURK_ERR_WORK,       /* more rules, profiles and keyboards than can be worked through */
	LURK_ERR_NO_SPACE,   /* no space left where things are stored */
	LURK_ERR_READ_ONLY,  /* nothing can be written where things are stored */
	LURK_ERR_DISK,       /* the disk reported an error */
	LURK_ERR_FOREIGN,   /* something lies where things are stored that Lurk did not put there */
	LURK_ERR_NO_FOLDER, /* the place where things are stored is not there */
	LURK_ERR_NOT_OWN,   /* rules of a person's own that do what those may not do here */
	LURK_ERROR_COUNT
};

const char *lurk_error_text(enum lurk_error error);

LURK_END_C

#endif
