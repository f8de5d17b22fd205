/* Who is at which screen, and the rules of their own that come and go with them. */
#include "core/session/parts.h"

#include "core/mem.h"

/* ---- Coming and going ----------------------------------------------------------------------- */

static uint32_t person_at(const struct lurk_session *s, const struct lurk_session_seat *seat)
{
	return s->port->calls->person ? s->port->calls->person(s->port, seat->name) : LURK_NOBODY;
}

/* What somebody has stored, into memory that nobody holds. */
static void load(struct lurk_session *s, struct lurk_session_seat *seat,
		 struct lurk_session_part *part)
{
	const unsigned ruleset = lurk_rules_free(s);
	struct lurk_image image;

	*part = (struct lurk_session_part){.ruleset = LURK_NO_RULESET};
	memset(&seat->store, 0, sizeof seat->store);
	seat->store.newest = -1;
	seat->why = LURK_OK;
	if (seat->person == LURK_NOBODY || !s->own_may)
		return;
	if (ruleset == LURK_NO_RULESET) {
		seat->why = LURK_ERR_ROOM;
		return;
	}
	seat->why = lurk_store_load(s->port, seat->person, LURK_NEVER, s->memory.images[ruleset],
				    s->memory.image_size, &image, &seat->store);
	if (seat->why == LURK_ERR_EMPTY)
		seat->why = LURK_OK;
	if (seat->why || seat->store.newest < 0)
		return;
	seat->why = lurk_own_check(s, &image);
	if (seat->why)
		return;
	lurk_rules_put(s, ruleset, &image);
	lurk_rules_start_with(s, ruleset, LURK_NO_TEXT, part);
}

/* What the one who leaves typed ends, and so does what that person tried. Never back to that
 * person's rules, whatever the machine refuses. */
static void sit(struct lurk_session *s, unsigned index, uint32_t person)
{
	struct lurk_session_seat *seat = &s->seats[index];
	struct lurk_session_mode to;

	if (s->mode.trying && s->mode.tried == index + 1)
		lurk_session_end_try(s);
	lurk_engine_cancel(lurk_engines_of_part(s, index + 1));
	lurk_session_send(s);
	seat->person = person;
	seat->layout = 0;
	to = s->mode;
	load(s, seat, &to.parts[index + 1]);
	if (s->mode.trying)
		s->before.parts[index + 1] = to.parts[index + 1];
	if (to.parts[index + 1].ruleset != LURK_NO_RULESET ||
	    s->mode.parts[index + 1].ruleset != LURK_NO_RULESET)
		lurk_change_person(s, &to);
	s->changes++;
}

void lurk_seats_look(struct lurk_session *s)
{
	for (unsigned i = 0; i < LURK_SESSION_SEATS; i++) {
		const uint32_t person =
			s->seats[i].used ? person_at(s, &s->seats[i]) : (uint32_t)LURK_NOBODY;

		if (person != s->seats[i].person)
			sit(s, i, person);
	}
}

void lurk_session_allow(struct lurk_session *session, enum lurk_own may)
{
	session->own_may = may;
	for (unsigned i = 0; i < LURK_SESSION_SEATS; i++) {
		const struct lurk_session_seat seat = session->seats[i];

		if (seat.person == LURK_NOBODY)
			continue;
		sit(session, i, LURK_NOBODY);
		sit(session, i, seat.person);
		session->seats[i].layout = seat.layout;
	}
	lurk_seats_look(session);
}

/* ---- The layout that is active -------------------------------------------------------------- */

/* Where text is on its way, the rest of it would come out as in another layout: it ends. */
enum lurk_error lurk_session_layout(struct lurk_session *session,
				    const struct lurk_request *request, uint32_t layout)
{
	const struct lurk_typing *typing;
	struct lurk_engine *engine;
	struct lurk_session_seat *seat;

	if (!request->part || request->part > LURK_SESSION_SEATS)
		return LURK_ERR_DENIED;
	lurk_seats_look(session);
	seat = &session->seats[request->part - 1];
	if (seat->person == LURK_NOBODY || seat->person != request->by)
		return LURK_ERR_DENIED;
	if (seat->layout == layout)
		return LURK_OK;
	seat->layout = layout;
	session->changes++;
	engine = lurk_engines_of_part(session, request->part);
	typing = &engine->typing;
	if (typing->active && !typing->hold_last &&
	    lurk_session_at(session, typing->keyboard)->part == request->part) {
		lurk_engine_cancel(engine);
		lurk_session_send(session);
	}
	return LURK_OK;
}

uint32_t lurk_seats_layout(void *session, uint16_t keyboard)
{
	const struct lurk_session *s = session;
	const unsigned part = s->memory.keyboards[keyboard].part;

	return part ? s->seats[part - 1].layout : 0;
}

/* ---- Seats ---------------------------------------------------------------------------------- */

void lurk_seats_start(struct lurk_session *s)
{
	for (unsigned i = 0; i < LURK_SESSION_SEATS; i++) {
		s->seats[i].person = LURK_NOBODY;
		s->seats[i].store.newest = -1;
		s->mode.parts[i + 1].ruleset = LURK_NO_RULESET;
	}
	s->seats[0].used = true; /* the main one, also while no keyboard is there */
}

unsigned lurk_session_part(const struct lurk_session *session, const char *seat)
{
	for (unsigned i = 0; i < LURK_SESSION_SEATS; i++) {
		if (session->seats[i].used && lurk_equal(session->seats[i].name, seat))
			return i + 1;
	}
	return 0;
}

static bool has_keyboards(struct lurk_session *s, unsigned part)
{
	for (uint16_t i = 0; i < s->numbers; i++) {
		if (lurk_session_at(s, i)->present && lurk_session_at(s, i)->part == part)
			return true;
	}
	return false;
}

/* A place for a seat that was not there yet: one without keyboards may go for it. */
uint8_t lurk_seats_of(struct lurk_session *s, const char *name)
{
	const unsigned known = lurk_session_part(s, name);
	unsigned i = 1;

	if (known)
		return (uint8_t)known;
	while (i < LURK_SESSION_SEATS && s->seats[i].used && has_keyboards(s, i + 1))
		i++;
	if (i == LURK_SESSION_SEATS)
		return 0;
	if (s->seats[i].person != LURK_NOBODY)
		sit(s, i, LURK_NOBODY);
	s->seats[i].used = true;
	s->mode.off[i + 1] = s->mode.off[0];
	s->before.off[i + 1] = s->before.off[0];
	memset(s->seats[i].name, 0, sizeof s->seats[i].name);
	for (unsigned c = 0; name[c] && c + 1 < sizeof s->seats[i].name; c++)
		s->seats[i].name[c] = name[c];
	lurk_seats_look(s);
	return (uint8_t)(i + 1);
}
