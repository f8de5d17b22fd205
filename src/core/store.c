#include "lurk/store.h"

#include "core/mem.h"

static enum lurk_error look(struct lurk_port *port, unsigned slot, uint8_t *bytes, size_t size,
			    struct lurk_image *image)
{
	size_t length = 0;
	enum lurk_error error = port->class->slot_read(port, slot, bytes, size, &length);

	if (error)
		return error;
	if (!length)
		return LURK_ERR_EMPTY;
	error = lurk_image_open(bytes, length, image);
	/* The last sequence has no next one: nothing that Lurk wrote carries it. */
	return !error && image->sequence == UINT64_MAX ? LURK_ERR_CONTENT : error;
}

enum lurk_error lurk_store_load(struct lurk_port *port, uint64_t before, uint8_t *bytes,
				size_t size, struct lurk_image *image,
				struct lurk_store_report *report)
{
	size_t slot_size;
	unsigned slots = port->class->slots(port, &slot_size);

	memset(report, 0, sizeof *report);
	report->slots = slots < LURK_SLOTS_MAX ? slots : LURK_SLOTS_MAX;
	report->newest = -1;
	for (unsigned i = 0; i < report->slots; i++) {
		report->why[i] = look(port, i, bytes, size, image);
		if (report->why[i])
			continue;
		report->sequence[i] = image->sequence;
		if (image->sequence < before &&
		    (report->newest < 0 || image->sequence > report->sequence[report->newest]))
			report->newest = (int)i;
	}
	if (report->newest < 0)
		return LURK_ERR_EMPTY;
	return look(port, (unsigned)report->newest, bytes, size, image);
}

/* The slot to write into: not the newest's; one without a valid image first, else the oldest. */
static unsigned next_slot(const struct lurk_store_report *report, int newest)
{
	unsigned best = 0;
	bool found = false;

	for (unsigned i = 0; i < report->slots; i++) {
		if ((int)i == newest)
			continue;
		if (report->why[i])
			return i;
		if (!found || report->sequence[i] < report->sequence[best])
			best = i;
		found = true;
	}
	return best;
}

enum lurk_error lurk_store_save(struct lurk_port *port, uint8_t *bytes, size_t length, uint32_t by,
				struct lurk_store_report *report)
{
	uint64_t sequence = 0;
	size_t slot_size;
	int newest = -1;
	enum lurk_error error;
	unsigned slot;

	if (port->class->slots(port, &slot_size) < 2 || length > slot_size)
		return LURK_ERR_ROOM;
	for (unsigned i = 0; i < report->slots; i++) {
		if (!report->why[i] && report->sequence[i] >= sequence) {
			sequence = report->sequence[i];
			newest = (int)i;
		}
	}
	slot = next_slot(report, newest);
	lurk_image_stamp(bytes, sequence + 1, port->class->now(port), by);
	error = port->class->slot_write(port, slot, bytes, length);
	report->why[slot] = error;
	report->sequence[slot] = sequence + 1;
	if (!error)
		report->newest = (int)slot;
	return error;
}
