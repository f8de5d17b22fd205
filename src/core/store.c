#include "lurk/store.h"

#include "core/mem.h"

static enum lurk_error look(struct lurk_port *port, uint32_t owner, unsigned slot, uint8_t *bytes,
			    size_t size, struct lurk_image *image)
{
	size_t length = 0;
	enum lurk_error error = port->calls->slot_read(port, owner, slot, bytes, size, &length);

	if (error)
		return error;
	if (!length)
		return LURK_ERR_EMPTY;
	error = lurk_image_open(bytes, length, image);
	return !error && image->sequence > LURK_SEQUENCE_MAX ? LURK_ERR_CONTENT : error;
}

enum lurk_error lurk_store_load(struct lurk_port *port, uint32_t owner, uint64_t before,
				uint8_t *bytes, size_t size, struct lurk_image *image,
				struct lurk_store_report *report)
{
	size_t slot_size;
	unsigned slots = port->calls->slots(port, &slot_size);

	memset(report, 0, sizeof *report);
	report->slots = slots < LURK_SLOTS_MAX ? slots : LURK_SLOTS_MAX;
	report->newest = -1;
	for (unsigned i = 0; i < report->slots; i++) {
		report->why[i] = look(port, owner, i, bytes, size, image);
		if (report->why[i])
			continue;
		report->sequence[i] = image->sequence;
		if (image->sequence < before &&
		    (report->newest < 0 || image->sequence > report->sequence[report->newest]))
			report->newest = (int)i;
	}
	if (report->newest < 0)
		return LURK_ERR_EMPTY;
	return look(port, owner, (unsigned)report->newest, bytes, size, image);
}

/* The slot to write into: not the newest's, nor one that was tried; one without a valid image
 * first, else the oldest. -1 where there is none. */
static int next_slot(const struct lurk_store_report *report, int newest, uint32_t tried)
{
	int best = -1;

	for (unsigned i = 0; i < report->slots; i++) {
		if ((int)i == newest || tried >> i & 1)
			continue;
		if (report->why[i])
			return (int)i;
		if (best < 0 || report->sequence[i] < report->sequence[best])
			best = (int)i;
	}
	return best;
}

/* The one with the highest sequence below `below`, -1 where there is none. */
static int highest(const struct lurk_store_report *report, uint64_t below)
{
	int found = -1;

	for (unsigned i = 0; i < report->slots; i++) {
		if (!report->why[i] && report->sequence[i] < below &&
		    (found < 0 || report->sequence[i] > report->sequence[found]))
			found = (int)i;
	}
	return found;
}

/* Something that is in the way of one slot is in nobody else's. */
static bool is_of_slot(enum lurk_error error)
{
	return error == LURK_ERR_FOREIGN || error == LURK_ERR_DENIED;
}

static enum lurk_error write_somewhere(struct lurk_port *port, uint32_t owner, uint8_t *bytes,
				       size_t length, uint64_t sequence, int newest,
				       struct lurk_store_report *report)
{
	enum lurk_error error = LURK_ERR_ROOM;
	uint32_t tried = 0;
	int slot;

	while ((slot = next_slot(report, newest, tried)) >= 0) {
		error = port->calls->slot_write(port, owner, (unsigned)slot, bytes, length);
		report->why[slot] = error;
		report->sequence[slot] = sequence;
		if (!error)
			report->newest = slot;
		if (!is_of_slot(error))
			return error;
		tried |= 1U << slot;
	}
	return error;
}

enum lurk_error lurk_store_save(struct lurk_port *port, uint32_t owner, uint8_t *bytes,
				size_t length, uint32_t by, struct lurk_store_report *report)
{
	int newest = highest(report, LURK_NEVER), before;
	uint64_t sequence = newest < 0 ? 1 : report->sequence[newest] + 1;
	enum lurk_error error;
	size_t slot_size;

	if (port->calls->slots(port, &slot_size) < 2 || length > slot_size)
		return LURK_ERR_ROOM;
	if (sequence <= LURK_SEQUENCE_MAX) {
		lurk_image_stamp(bytes, sequence, port->calls->now(port), by);
		return write_somewhere(port, owner, bytes, length, sequence, newest, report);
	}
	/* Nothing that Lurk wrote is the last there can be. It goes once the new one is there,
	 * which counts from the one before it. */
	before = highest(report, report->sequence[newest]);
	sequence = before < 0 ? 1 : report->sequence[before] + 1;
	lurk_image_stamp(bytes, sequence, port->calls->now(port), by);
	error = write_somewhere(port, owner, bytes, length, sequence, newest, report);
	if (error)
		return error;
	report->why[newest] = LURK_ERR_EMPTY;
	return port->calls->slot_write(port, owner, (unsigned)newest, bytes, 0);
}
