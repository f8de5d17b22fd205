#include "lurk/session.h"

#include "core/mem.h"

static struct lurk_session_keyboard *keyboard_at(struct lurk_session *s, uint16_t number)
{
	return &s->memory.keyboards[number];
}

const struct lurk_image *lurk_session_image(const struct lurk_session *session)
{
	const struct lurk_ruleset *current = &session->rulesets[session->current];

	return current->loaded ? &current->image : NULL;
}

/* ---- Keymaps ------------------------------------------------------------------------------- */

/* The keymap of a ruleset for a keyboard: equal keyboards share one. */
static enum lurk_error keymap_for(struct lurk_session *s, unsigned which, uint16_t described,
				  uint8_t wiring, const struct lurk_keymap **keymap,
				  struct lurk_compile_report *report)
{
	struct lurk_ruleset *set = &s->rulesets[which];
	struct lurk_compile_job job = {&set->image, 0, described, wiring};
	struct lurk_keymap *fresh;
	enum lurk_error error;

	for (unsigned i = 0; i < set->keymap_count; i++) {
		if (set->keymaps[i].described == described && set->keymaps[i].wiring == wiring) {
			*keymap = set->keymaps[i].keymap;
			return LURK_OK;
		}
	}
	if (set->keymap_count == LURK_SESSION_KEYMAPS)
		return LURK_ERR_ROOM;
	error = lurk_compile(&job, (uint8_t *)s->memory.keymaps[which] + set->keymap_used,
			     s->memory.keymap_size - set->keymap_used, &fresh, report);
	if (error)
		return error;
	set->keymaps[set->keymap_count].described = described;
	set->keymaps[set->keymap_count].wiring = wiring;
	set->keymaps[set->keymap_count].keymap = fresh;
	set->keymap_count++;
	set->keymap_used += (report->needed + 15) & ~(size_t)15;
	*keymap = fresh;
	return LURK_OK;
}

/* ---- Into force ---------------------------------------------------------------------------- */

static enum lurk_error send_frames(struct lurk_session *s)
{
	struct lurk_frame frame;
	enum lurk_error first = LURK_OK;

	while (lurk_engine_pull(&s->engine, s->port->class->now(s->port), &frame)) {
		enum lurk_error error = s->port->class->send(s->port, &frame);

		if (!first)
			first = error;
	}
	return first;
}

static bool is_down(const struct lurk_session_keyboard *k, lurk_scan scan)
{
	for (unsigned i = 0; i < k->down_count; i++) {
		if (lurk_scan_same(k->down[i], scan))
			return true;
	}
	return false;
}

/* Brings one table entry to what it shall be. While its key is held the kernel would send no
 * release for what it gave; so that waits for the key to come up. A key that is to be disabled may
 * be stuck and never come up: it is released first. */
static enum lurk_error settle_entry(struct lurk_session *s, uint16_t number, uint16_t index,
				    bool in_table)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	struct lurk_frame up = {number, 1, {{0, LURK_UP}}};
	struct lurk_table_entry entry;
	enum lurk_error error = s->port->class->table_get(s->port, number, index, &entry);
	lurk_key want;

	if (error)
		return error;
	want = lurk_way_entry(in_table ? k->keymap : NULL, &entry);
	if (want == entry.key)
		return LURK_OK;
	if (is_down(k, entry.scan) && !k->taken) {
		if (want != LURK_KEY_UNKNOWN) {
			k->unsettled = true;
			return LURK_OK;
		}
		up.strokes[0].key = entry.key;
		error = s->port->class->send(s->port, &up);
		if (error)
			return error;
	}
	return s->port->class->table_set(s->port, number, index, want);
}

static enum lurk_error settle(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	bool in_table = k->choice.way == LURK_WAY_TABLE;

	k->unsettled = false;
	for (uint16_t i = 0; i < k->info.table_entries; i++) {
		enum lurk_error error = settle_entry(s, number, i, in_table);

		if (error)
			return error;
	}
	return LURK_OK;
}

/* Brings a keymap into force on one keyboard, NULL for none. Taking comes before the table is put
 * back, giving back before it is changed: the relay never sees a changed table. */
static enum lurk_error activate(struct lurk_session *s, uint16_t number,
				const struct lurk_keymap *keymap,
				const struct lurk_way_choice *choice)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	bool take = choice->way == LURK_WAY_RELAY;
	enum lurk_error error;

	k->keymap = keymap;
	k->choice = *choice;
	lurk_engine_use(&s->engine, number, keymap);
	if (k->taken && !take) {
		lurk_engine_release(&s->engine, number);
		send_frames(s);
	}
	if (k->taken != take) {
		error = s->port->class->take(s->port, number, take);
		if (error)
			return error;
		k->taken = take;
	}
	return settle(s, number);
}

/* Finds keymap and way of one keyboard under a ruleset. */
static enum lurk_error prepare(struct lurk_session *s, unsigned which, uint16_t number,
			       uint16_t *described, const struct lurk_keymap **keymap,
			       struct lurk_way_choice *choice, struct lurk_compile_report *report)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	const struct lurk_ruleset *set = &s->rulesets[which];
	enum lurk_error error;

	memset(choice, 0, sizeof *choice);
	*keymap = NULL;
	*described = 0;
	if (!set->loaded)
		return LURK_OK;
	*described = lurk_image_recognise(&set->image, &k->info.identity);
	error = keymap_for(s, which, *described, k->info.identity.wiring, keymap, report);
	if (error)
		return error;
	return lurk_way_choose(s->port, number, &k->info, *keymap, choice);
}

/* ---- What happens -------------------------------------------------------------------------- */

static void plugged(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);
	struct lurk_compile_report report;
	struct lurk_way_choice choice;
	const struct lurk_keymap *keymap;

	memset(k, 0, sizeof *k);
	if (!s->port->class->keyboard(s->port, number, &k->info))
		return; /* gone again already */
	k->present = true;
	k->trouble = prepare(s, s->current, number, &k->described, &keymap, &choice, &report);
	if (!k->trouble)
		k->trouble = activate(s, number, keymap, &choice);
}

static void unplugged(struct lurk_session *s, uint16_t number)
{
	struct lurk_session_keyboard *k = keyboard_at(s, number);

	lurk_engine_release(&s->engine, number);
	send_frames(s);
	lurk_engine_use(&s->engine, number, NULL);
	if (k->taken)
		s->port->class->take(s->port, number, false);
	memset(k, 0, sizeof *k);
}

static void note_down(struct lurk_session_keyboard *k, const struct lurk_key_event *key)
{
	for (unsigned i = 0; i < k->down_count; i++) {
		if (!lurk_scan_same(k->down[i], key->scan))
			continue;
		if (key->state == LURK_UP)
			k->down[i] = k->down[--k->down_count];
		return;
	}
	if (key->state == LURK_DOWN && k->down_count < LURK_SESSION_DOWN)
		k->down[k->down_count++] = key->scan;
}

static void key_event(struct lurk_session *s, const struct lurk_port_event *event)
{
	static const struct lurk_action itself = {.gives = LURK_GIVES_ITSELF};
	struct lurk_session_keyboard *k = keyboard_at(s, event->keyboard);
	struct lurk_event e = {event->time_us, event->keyboard, event->key};

	note_down(k, &event->key);
	if (s->watch)
		s->watch(s->watch_data, &e,
			 k->keymap ? lurk_keymap_find(k->keymap, e.key.scan, e.key.key) : &itself);
	if (k->taken) {
		if (lurk_engine_feed(&s->engine, &e) == LURK_ERR_BUSY) {
			send_frames(s);
			lurk_engine_feed(&s->engine, &e);
		}
		send_frames(s);
	} else if (k->unsettled && event->key.state == LURK_UP) {
		k->trouble = settle(s, event->keyboard);
	}
}

bool lurk_session_step(struct lurk_session *session)
{
	struct lurk_port_event event;

	if (!session->port->class->next(session->port, &event))
		return false;
	if (event.keyboard >= session->memory.keyboard_count)
		return true; /* more keyboards than there is memory for: they stay plain */
	switch (event.kind) {
	case LURK_PORT_PLUGGED:
		plugged(session, event.keyboard);
		break;
	case LURK_PORT_UNPLUGGED:
		unplugged(session, event.keyboard);
		break;
	default:
		key_event(session, &event);
		break;
	}
	return true;
}

/* ---- Start, apply, stop -------------------------------------------------------------------- */

enum lurk_error lurk_session_start(struct lurk_session *session,
				   const struct lurk_session_memory *memory, struct lurk_port *port)
{
	struct lurk_ruleset *set = &session->rulesets[0];
	enum lurk_error error;

	memset(session, 0, sizeof *session);
	memset(memory->keyboards, 0, memory->keyboard_count * sizeof *memory->keyboards);
	session->port = port;
	session->memory = *memory;
	lurk_engine_init(&session->engine, memory->engine_keyboards, memory->keyboard_count);
	error = lurk_store_load(port, LURK_NEVER, memory->images[0], memory->image_size,
				&set->image, &session->store);
	set->loaded = error == LURK_OK;
	return error == LURK_ERR_EMPTY ? LURK_OK : error;
}

/* What a keyboard goes back to where applying fails half way. */
static void back(struct lurk_session *s, uint16_t up_to)
{
	for (uint16_t i = 0; i < up_to; i++) {
		struct lurk_session_keyboard *k = keyboard_at(s, i);
		struct lurk_compile_report report;
		struct lurk_way_choice choice;
		const struct lurk_keymap *keymap;

		if (!k->present)
			continue;
		k->trouble = prepare(s, s->current, i, &k->described, &keymap, &choice, &report);
		if (!k->trouble)
			k->trouble = activate(s, i, keymap, &choice);
	}
}

static enum lurk_error try_all(struct lurk_session *s, unsigned which, bool for_real,
			       struct lurk_apply_report *report)
{
	for (uint16_t i = 0; i < s->memory.keyboard_count; i++) {
		struct lurk_session_keyboard *k = keyboard_at(s, i);
		struct lurk_way_choice choice;
		const struct lurk_keymap *keymap;
		enum lurk_error error;
		uint16_t described;

		if (!k->present)
			continue;
		report->keyboard = i;
		error = prepare(s, which, i, &described, &keymap, &choice, &report->compile);
		if (!error && for_real) {
			k->described = described;
			error = activate(s, i, keymap, &choice);
			k->trouble = error;
			if (error)
				back(s, (uint16_t)(i + 1));
		}
		if (error)
			return error;
	}
	return LURK_OK;
}

/* Rules for keyboards that are not here must compile as well. */
static enum lurk_error try_described(struct lurk_session *s, unsigned which,
				     struct lurk_apply_report *report)
{
	const struct lurk_image *image = &s->rulesets[which].image;

	for (unsigned d = 0; d <= image->keyboard_count; d++) {
		struct lurk_compile_job job = {image, 0, (uint16_t)d, LURK_WIRING_HID};
		struct lurk_keymap *keymap;
		size_t used = s->rulesets[which].keymap_used;
		enum lurk_error error =
			lurk_compile(&job, (uint8_t *)s->memory.keymaps[which] + used,
				     s->memory.keymap_size - used, &keymap, &report->compile);

		if (error)
			return error;
	}
	return LURK_OK;
}

enum lurk_error lurk_session_apply(struct lurk_session *session, const uint8_t *image,
				   size_t length, struct lurk_apply_report *report)
{
	unsigned next = 1 - session->current;
	struct lurk_ruleset *set = &session->rulesets[next];
	uint8_t *bytes = session->memory.images[next];
	enum lurk_error error;

	memset(report, 0, sizeof *report);
	if (length > session->memory.image_size)
		return LURK_ERR_ROOM;
	memcpy(bytes, image, length);
	memset(set, 0, sizeof *set);
	error = lurk_image_open(bytes, length, &set->image);
	if (error)
		return error;
	set->loaded = true;
	error = try_described(session, next, report);
	if (!error)
		error = try_all(session, next, false, report);
	if (!error)
		error = try_all(session, next, true, report);
	if (error)
		return error;
	error = lurk_store_save(session->port, bytes, length, &session->store);
	if (error) {
		back(session, session->memory.keyboard_count);
		return error;
	}
	lurk_image_open(bytes, length, &set->image); /* with its stamp */
	session->current = next;
	return LURK_OK;
}

void lurk_session_stop(struct lurk_session *session)
{
	static const struct lurk_way_choice plain;

	for (uint16_t i = 0; i < session->memory.keyboard_count; i++) {
		if (keyboard_at(session, i)->present)
			activate(session, i, NULL, &plain);
	}
}
