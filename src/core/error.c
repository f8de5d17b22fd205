#include "lurk/error.h"

static const char *const texts[LURK_ERROR_COUNT] = {
	[LURK_OK] = "done",
	[LURK_ERR_ROOM] = "not enough room",
	[LURK_ERR_SYNTAX] = "cannot be read",
	[LURK_ERR_CONFLICT] = "two rules are equally specific for the same press",
	[LURK_ERR_UNTYPED] = "a rule types what no known layout has keys for",
	[LURK_ERR_NO_PROFILE] = "a rule switches to a profile that is not there",
	[LURK_ERR_BUSY] = "frames wait to be pulled",
	[LURK_ERR_EMPTY] = "nothing was ever stored here",
	[LURK_ERR_MAGIC] = "is not an image",
	[LURK_ERR_VERSION] = "was written by a later version",
	[LURK_ERR_LENGTH] = "was cut off, or has grown",
	[LURK_ERR_CRC] = "is damaged: the checksum does not fit",
	[LURK_ERR_CONTENT] = "is damaged: its parts do not fit together",
	[LURK_ERR_GONE] = "the keyboard is not there any more",
	[LURK_ERR_PORT] = "the computer refused",
	[LURK_ERR_DENIED] = "no permission",
	[LURK_ERR_HELD] = "another program has taken the keyboard for itself",
	[LURK_ERR_NO_RELAY] = "the kernel offers no virtual keyboards (uinput)",
	[LURK_ERR_POWER] = "the power went while storing",
	[LURK_ERR_WAIT] = "a key is down on the keyboard",
	[LURK_ERR_WORK] = "too many rules for too many keyboards in too many profiles at once",
	[LURK_ERR_NO_SPACE] = "no space left on the disk",
	[LURK_ERR_READ_ONLY] = "the disk is read-only",
	[LURK_ERR_DISK] = "the disk reported an error",
	[LURK_ERR_FOREIGN] = "is no plain file",
	[LURK_ERR_NO_FOLDER] = "the folder where it would be stored is not there",
	[LURK_ERR_NOT_OWN] = "rules of one's own may not do that on this computer",
};

const char *lurk_error_text(enum lurk_error error)
{
	return (unsigned)error < LURK_ERROR_COUNT ? texts[error] : "unknown error";
}
