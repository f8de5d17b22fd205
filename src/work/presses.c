#include "lurk/work/presses.h"

#include <stdio.h>
#include <string.h>

#include "lurk/work/effects.h"

unsigned lurk_presses_begun(const struct lurk_history *history)
{
	unsigned count = 0;

	for (uint32_t i = 0; lurk_history_at(history, i); i++)
		count += lurk_history_at(history, i)->down_us != 0;
	return count;
}

const struct lurk_press_record *lurk_presses_at(const struct lurk_history *history, unsigned index)
{
	const struct lurk_press_record *r;

	for (uint32_t i = 0; (r = lurk_history_at(history, i)); i++) {
		if (r->down_us && !index--)
			return r;
	}
	return NULL;
}

unsigned lurk_presses_alike(const struct lurk_history *history, unsigned index)
{
	const struct lurk_press_record *one = lurk_presses_at(history, index), *other;
	unsigned times = 0;

	for (unsigned i = 0; (other = lurk_presses_at(history, i)); i++) {
		if (lurk_press_compare(one, other) != LURK_SAME_CODE)
			continue;
		if (i < index)
			return 0;
		times++;
	}
	return times;
}

bool lurk_presses_chord(const struct lurk_history *history, unsigned index, char *out, size_t size,
			struct lurk_message *message)
{
	const struct lurk_press_record *r, *next;

	*out = '\0';
	for (unsigned i = index; (r = lurk_presses_at(history, i)); i++) {
		size_t n = strlen(out);

		next = lurk_presses_at(history, i + 1);
		if (!r->key && i == index && !next)
			return lurk_say(message, "that key has no name, so no other can do its "
						 "job");
		if (!r->key || (next && lurk_modifier_place(r->key) < 0))
			return lurk_say(message, "a chord is modifiers and one key, pressed last; "
						 "several keys one after the other stand in the "
						 "file: gives: [KeyA, KeyB]");
		snprintf(out + n, size - n, "%s%s", n ? "+" : "",
			 next ? lurk_key_pair_name(r->key) : lurk_key_name(r->key));
	}
	return true;
}

static uint16_t described(const struct lurk_workspace *ws, const struct lurk_machine *machine,
			  uint16_t keyboard)
{
	return lurk_keyboards_recognise(&ws->keyboards,
					&machine->keyboards[keyboard].info.identity);
}

const struct lurk_nickname *lurk_press_nickname(const struct lurk_workspace *ws,
						const struct lurk_machine *machine,
						const struct lurk_press_record *press)
{
	const uint16_t keyboard = described(ws, machine, press->keyboard);

	return keyboard ? lurk_nickname_of(&ws->keyboards, keyboard, press->scan, press->key)
			: NULL;
}

lurk_key lurk_leave_key(const struct lurk_workspace *ws, const struct lurk_machine *machine,
			uint16_t keyboard)
{
	static const lurk_key best[] = {LURK_KEY_ESC, LURK_KEY_SPACE, LURK_KEY_ENTER,
					LURK_KEY_KPENTER};
	const struct lurk_port_keyboard *info = &machine->keyboards[keyboard].info;
	const uint16_t known = described(ws, machine, keyboard);

	for (size_t i = 0; i < sizeof best / sizeof *best; i++) {
		if (lurk_declares(info, best[i]) &&
		    !lurk_out_of_order(&ws->keyboards, known, best[i]))
			return best[i];
	}
	for (lurk_key key = lurk_key_next(0); key; key = lurk_key_next(key)) {
		if (lurk_declares(info, key) && !lurk_out_of_order(&ws->keyboards, known, key))
			return key;
	}
	return LURK_KEY_NONE;
}
