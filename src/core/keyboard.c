#include "lurk/keyboard.h"

#include "core/mem.h"

static const char *const bus_names[LURK_BUS_COUNT] = {
	[LURK_BUS_NONE] = "unknown",        [LURK_BUS_PS2] = "PS/2",    [LURK_BUS_USB] = "USB",
	[LURK_BUS_BLUETOOTH] = "Bluetooth", [LURK_BUS_OTHER] = "other",
};

const char *lurk_bus_name(enum lurk_bus bus)
{
	return bus_names[(unsigned)bus < LURK_BUS_COUNT ? bus : LURK_BUS_NONE];
}

static bool text_is(const struct lurk_text *text, const char *other)
{
	return lurk_length(other) == text->length && !memcmp(text->bytes, other, text->length);
}

unsigned lurk_recognise(const struct lurk_recogniser *r, const struct lurk_identity *identity)
{
	const struct {
		const struct lurk_text *wanted;
		const char *is;
		unsigned weight;
	} texts[] = {
		{&r->serial, identity->serial, 16},
		{&r->place, identity->place, 8},
		{&r->name, identity->name, 2},
	};
	unsigned fit = 0;

	if ((r->bus && r->bus != identity->bus) || (r->built_in && !identity->built_in) ||
	    (r->by_product && (r->vendor != identity->vendor || r->product != identity->product)))
		return 0;
	fit += r->by_product ? 4 : 0;
	fit += r->built_in ? 2 : 0;
	fit += r->bus ? 1 : 0;
	for (size_t i = 0; i < sizeof texts / sizeof *texts; i++) {
		if (!texts[i].wanted->length)
			continue;
		if (!text_is(texts[i].wanted, texts[i].is))
			return 0;
		fit += texts[i].weight;
	}
	return fit;
}
