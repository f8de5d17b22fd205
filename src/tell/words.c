#include "tell/words.h"

#include <stdio.h>
#include <string.h>
#include <time.h>

const char *tell_time(uint64_t time_us, char out[TELL_TIME])
{
	time_t seconds = (time_t)(time_us / 1000000);
	struct tm tm;

	if (!gmtime_r(&seconds, &tm) || !strftime(out, TELL_TIME, "%Y-%m-%d %H:%M", &tm))
		snprintf(out, TELL_TIME, "an unknown time");
	return out;
}

static const char *described(const struct lurk_machine *machine,
			     const struct lurk_keyboards_file *keyboards, uint16_t number)
{
	const uint16_t k =
		lurk_keyboards_recognise(keyboards, &machine->keyboards[number].info.identity);

	return k ? keyboards->keyboards[k - 1].name.bytes : NULL;
}

const char *tell_keyboard(const struct lurk_machine *machine,
			  const struct lurk_keyboards_file *keyboards, uint16_t number)
{
	const char *name = described(machine, keyboards, number);
	const char *own = machine->keyboards[number].info.identity.name;

	return name ? name : *own ? own : "a keyboard without a name";
}

const char *tell_keyboard_option(const struct lurk_machine *machine,
				 const struct lurk_keyboards_file *keyboards, uint16_t number,
				 char out[LURK_WORDS])
{
	const char *name = described(machine, keyboards, number);

	*out = '\0';
	if (name)
		snprintf(out, LURK_WORDS, " --keyboard %s", name);
	return out;
}

const char *tell_chord(const struct lurk_chord *chord, char out[LURK_WORDS])
{
	*out = '\0';
	for (unsigned i = 0; i < chord->count; i++)
		snprintf(out + strlen(out), LURK_WORDS - strlen(out), "%s%s",
			 !i                      ? ""
			 : i + 1 == chord->count ? " and "
						 : ", ",
			 lurk_key_name(chord->keys[i]));
	return out;
}
