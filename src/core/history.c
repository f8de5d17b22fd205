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
		.interface = event->key.interface,
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
			r->again = r->again || event->time_us > r->last_us + LURK_REPEAT_US;
			r->repeats++;
			r->last_us = event->time_us;
			return NULL;
		}
		r = append(history, event, action);
		r->down_us = r->last_us = event->time_us;
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

void lurk_history_let_go(struct lurk_history *history)
{
	for (uint32_t i = 0; i < history->count; i++)
		record(history, i)->held = false;
}

const struct lurk_press_record *lurk_history_at(const struct lurk_history *history, uint32_t index)
{
	if (index >= history->count)
		return NULL;
	return &history->presses[(history->first + index) % LURK_HISTORY_PRESSES];
}

/* ---- Conclusions --------------------------------------------------------------------------- */

static bool same_source(const struct lurk_press_record *a, const struct lurk_press_record *b)
{
	return a->keyboard == b->keyboard && lurk_scan_same(a->scan, b->scan) && a->key == b->key;
}

enum lurk_oddity lurk_press_oddity(const struct lurk_history *history,
				   const struct lurk_press_record *press, uint64_t now_us)
{
	if (!press->down_us)
		return LURK_ODD_WAS_DOWN;
	for (uint32_t i = 0; i < history->count; i++) {
		const struct lurk_press_record *r = lurk_history_at(history, i);

		if (r != press && !r->held && same_source(r, press) && r->up_us &&
		    r->up_us <= press->down_us && press->down_us - r->up_us < LURK_BOUNCE_US)
			return LURK_ODD_BOUNCED;
	}
	if (press->again && press->held)
		return LURK_ODD_NO_RELEASE;
	if (press->held && now_us > press->down_us && now_us - press->down_us >= LURK_LONG_US)
		return LURK_ODD_LONG;
	return LURK_ODD_NOTHING;
}

enum lurk_relation lurk_press_compare(const struct lurk_press_record *a,
				      const struct lurk_press_record *b)
{
	if (same_source(a, b))
		return LURK_SAME_CODE;
	if (lurk_scan_same(a->scan, b->scan) && a->scan.kind && a->key == b->key)
		return LURK_OTHER_KEYBOARD;
	if (a->key && a->key == b->key)
		return LURK_SAME_KEY;
	return lurk_key_same_meaning(a->key, b->key) ? LURK_SAME_MEANING : LURK_DIFFERENT;
}
