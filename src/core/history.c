#include "lurk/history.h"

#include "core/mem.h"

void lurk_history_init(struct lurk_history *history)
{
	memset(history, 0, sizeof *history);
}

static struct lurk_press_record *record(struct lurk_history *h, uint32_t index)
{
	return &h->presses[(h->first + index) % LURK_HISTORY_PRESSES];
}

static struct lurk_press_record *append(struct lurk_history *h, const struct lurk_event *event,
					const struct lurk_action *action)
{
	struct lurk_press_record *r;

	if (h->count == LURK_HISTORY_PRESSES) {
		h->first++;
		h->count--;
		h->lost++;
	}
	r = record(h, h->count++);
	*r = (struct lurk_press_record){
		.keyboard = event->keyboard,
		.scan = event->key.scan,
		.key = event->key.key,
		.gives = *action,
	};
	return r;
}

static struct lurk_press_record *held(struct lurk_history *h, const struct lurk_event *event)
{
	for (uint32_t i = h->count; i--;) {
		struct lurk_press_record *r = record(h, i);

		if (r->held && r->keyboard == event->keyboard &&
		    lurk_scan_same(r->scan, event->key.scan))
			return r;
	}
	return NULL;
}

const struct lurk_press_record *lurk_history_feed(struct lurk_history *history,
						  const struct lurk_event *event,
						  const struct lurk_action *action)
{
	struct lurk_press_record *r = held(history, event);

	switch (event->key.state) {
	case LURK_DOWN:
	case LURK_REPEAT:
		if (r) {
			r->repeats++;
			return NULL;
		}
		r = append(history, event, action);
		r->down_us = event->time_us;
		r->held = true;
		return NULL;
	default:
		if (!r)
			r = append(history, event, action);
		r->held = false;
		r->up_us = event->time_us;
		return r;
	}
}

const struct lurk_press_record *lurk_history_at(const struct lurk_history *history, uint32_t index)
{
	if (index >= history->count)
		return NULL;
	return &history->presses[(history->first + index) % LURK_HISTORY_PRESSES];
}
