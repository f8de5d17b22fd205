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

/* The last press of the key where it is not over; with `late`, or is only taken to be. */
static struct lurk_press_record *held(struct lurk_history *h, const struct lurk_event *event,
				      bool late)
{
	for (uint32_t i = h->count; i--;) {
		struct lurk_press_record *r = record(h, i);

		if (r->keyboard == event->keyboard && lurk_scan_same(r->scan, event->key.scan))
			return r->held || (late && r->unreleased) ? r : NULL;
	}
	return NULL;
}

static bool same_source(const struct lurk_press_record *a, const struct lurk_press_record *b)
{
	return a->keyboard == b->keyboard && lurk_scan_same(a->scan, b->scan) && a->key == b->key;
}

/* Whether another key of its keyboard was seen from some time on, up to another. */
static bool others_between(const struct lurk_history *h, const struct lurk_press_record *press,
			   uint64_t from_us, uint64_t to_us)
{
	for (uint32_t i = 0; i < h->count; i++) {
		const struct lurk_press_record *r = lurk_history_at(h, i);
		const uint64_t us = r->up_us > r->last_us ? r->up_us : r->last_us;

		if (r != press && r->keyboard == press->keyboard && us >= from_us && us <= to_us)
			return true;
	}
	return false;
}

/* Only the key that was pressed last repeats, and it does so within a second. */
static bool pressed_anew(const struct lurk_history *h, const struct lurk_press_record *r,
			 uint64_t now_us)
{
	const struct lurk_press_record *other;

	if (now_us > r->last_us + LURK_REPEAT_US)
		return true;
	for (uint32_t i = h->count; i-- && (other = lurk_history_at(h, i)) != r;) {
		if (other->keyboard == r->keyboard && other->down_us >= r->last_us &&
		    !same_source(other, r))
			return true;
	}
	return false;
}

static struct lurk_press_record *end_without_release(struct lurk_press_record *r)
{
	r->held = false;
	r->unreleased = true;
	return r;
}

const struct lurk_press_record *lurk_history_overdue(struct lurk_history *history, uint64_t now_us)
{
	for (uint32_t i = 0; i < history->count; i++) {
		struct lurk_press_record *r = record(history, i);
		const uint64_t until_us = r->last_us + LURK_REPEAT_US;

		if (r->held && now_us > until_us &&
		    (r->scan.kind == LURK_SCAN_SET1 || r->scan.kind == LURK_SCAN_SET2) &&
		    !others_between(history, r, r->last_us, until_us))
			return end_without_release(r);
	}
	return NULL;
}

const struct lurk_press_record *lurk_history_feed(struct lurk_history *history,
						  const struct lurk_event *event,
						  const struct lurk_action *action)
{
	struct lurk_press_record *r = held(history, event, event->key.state == LURK_UP);
	struct lurk_press_record *ended = NULL;

	switch (event->key.state) {
	case LURK_DOWN:
	case LURK_REPEAT:
		if (r && pressed_anew(history, r, event->time_us)) {
			ended = end_without_release(r);
		} else if (r) {
			r->repeats++;
			r->last_us = event->time_us;
			return NULL;
		}
		r = append(history, event, action);
		r->down_us = r->last_us = event->time_us;
		r->held = true;
		return ended != r ? ended : NULL; /* of many presses the oldest made room */
	default:
		if (!r)
			r = append(history, event, action);
		r->held = r->unreleased = false;
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

/* Whether an earlier press of that key never said that it came up. */
static bool was_unreleased(const struct lurk_history *history,
			   const struct lurk_press_record *press)
{
	for (uint32_t i = 0; lurk_history_at(history, i) != press; i++) {
		const struct lurk_press_record *r = lurk_history_at(history, i);

		if (r->unreleased && same_source(r, press))
			return true;
	}
	return false;
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
	if (press->unreleased || (press->held && was_unreleased(history, press)))
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
