/* What is in force, and the rules themselves. */
#include <stdlib.h>
#include <string.h>

#include "service/methods.h"
#include "service/protocol.h"
#include "text/hex.h"

/* ---- Status --------------------------------------------------------------------------------- */

static void add_identity(struct lurk_call *call, json_t *one, const struct lurk_identity *identity)
{
	lurk_call_add(call, one, "name", lurk_call_words(identity->name));
	lurk_call_add(call, one, "bus",
		      lurk_call_words(
			      lurk_bus_words[identity->bus < LURK_BUS_COUNT ? identity->bus : 0]));
	lurk_call_add(
		call, one, "wiring",
		lurk_call_words(
			lurk_wiring_words[identity->wiring <= LURK_WIRING_SET2 ? identity->wiring
									       : 0]));
	lurk_call_add(call, one, "built_in", json_boolean(identity->built_in));
	lurk_call_add(call, one, "vendor", json_integer(identity->vendor));
	lurk_call_add(call, one, "product", json_integer(identity->product));
	lurk_call_add(call, one, "version", json_integer(identity->version));
	lurk_call_add(call, one, "serial", lurk_call_words(identity->serial));
	lurk_call_add(call, one, "place", lurk_call_words(identity->place));
}

static void add_choice(struct lurk_call *call, json_t *one, const struct lurk_way_choice *choice)
{
	lurk_call_add(call, one, "way", lurk_call_words(lurk_way_words[choice->way]));
	lurk_call_add(call, one, "reason", json_integer(choice->reason));
	lurk_call_add(call, one, "forced", json_boolean(choice->forced));
	lurk_call_add(call, one, "key", json_integer(choice->key));
	lurk_call_add(call, one, "from", json_integer(choice->from));
	lurk_call_add(call, one, "other", json_integer(choice->other));
	lurk_call_add(call, one, "changes", json_integer(choice->changes));
}

/* Who may not watch gets nothing that single presses decide. */
static json_t *keyboard_json(struct lurk_call *call, uint16_t number, unsigned part)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_session_keyboard *k = &session->memory.keyboards[number];
	json_t *one = json_object();
	char declares[2 * sizeof k->info.declares + 1];

	lurk_call_add(call, one, "number", json_integer(number));
	add_identity(call, one, &k->info.identity);
	lurk_call_add(call, one, "seat", lurk_call_words(*k->info.seat ? k->info.seat : "seat0"));
	lurk_call_add(call, one, "table_entries", json_integer(k->info.table_entries));
	lurk_call_add(call, one, "others_changes", json_integer(k->info.others_changes));
	lurk_call_add(call, one, "locks", json_integer(k->info.locks));
	lurk_call_add(call, one, "declares",
		      lurk_call_words(
			      lurk_hex_write(k->info.declares, sizeof k->info.declares, declares)));
	lurk_call_add(call, one, "described",
		      json_integer(!part             ? k->described
				   : part == k->part ? k->own_described
						     : 0));
	lurk_call_add(call, one, "own", json_boolean(k->top));
	lurk_call_add(
		call, one, "trouble",
		json_integer(k->trouble || !part || part != k->part ? k->trouble : k->own_trouble));
	add_choice(call, one, call->caller->rights.watch ? &k->choice : &k->told);
	if (!call->caller->rights.watch)
		return one;
	lurk_call_add(call, one, "used", json_boolean(k->used));
	lurk_call_add(call, one, "lit", json_integer(lurk_port_lit(session->port, number)));
	lurk_call_add(call, one, "waits_for", json_integer(k->unsettled));
	return one;
}

static json_t *slots_json(struct lurk_call *call, const struct lurk_store_report *store)
{
	json_t *list = json_array();

	for (unsigned i = 0; i < store->slots; i++) {
		json_t *one = json_object();

		lurk_call_add(call, one, "error", json_integer(store->why[i]));
		lurk_call_add(call, one, "sequence", json_integer((int64_t)store->sequence[i]));
		lurk_call_append(call, list, one);
	}
	return list;
}

static int64_t seconds_left(struct lurk_session *session)
{
	uint64_t now = session->port->calls->elapsed(session->port);

	return session->mode.until_us > now
		       ? (int64_t)((session->mode.until_us - now + 999999) / 1000000)
		       : 0;
}

static void add_mode(struct lurk_call *call, json_t *result, unsigned part)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_session_mode mode = lurk_call_mode(call);
	const struct lurk_image *image = lurk_session_image(session, part);
	const bool off = mode.off[lurk_call_screen(call)].now;

	lurk_call_add(call, result, "off", json_boolean(off));
	if (off)
		lurk_call_add(call, result, "may_switch_on",
			      json_boolean(lurk_call_may_switch_on(call)));
	lurk_call_add(call, result, "trying", json_boolean(mode.trying));
	if (mode.trying) {
		lurk_call_add(call, result, "seconds_left", json_integer(seconds_left(session)));
		lurk_call_add(call, result, "tried_by", json_integer(mode.tried_by));
	}
	if (image) {
		struct lurk_profile profile;

		lurk_image_profile(image, mode.parts[part].profile, &profile);
		lurk_call_add(call, result, "profile",
			      lurk_call_text(profile.word.bytes, profile.word.length));
	}
	lurk_call_add(call, result, "sequence", json_integer(image ? (int64_t)image->sequence : 0));
}

/* How many rules a part has in force, never which. */
static int64_t rules_of(struct lurk_session *session, unsigned part)
{
	const struct lurk_image *image = lurk_session_image(session, part);

	return image ? image->rule_count : 0;
}

static json_t *seats_json(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_session_mode mode = lurk_call_mode(call);
	json_t *list = json_array();

	for (unsigned i = 0; i < LURK_SESSION_SEATS; i++) {
		const struct lurk_session_seat *seat = &session->seats[i];
		json_t *one;

		if (!seat->used || seat->person == LURK_NOBODY)
			continue;
		one = json_object();
		lurk_call_add(call, one, "seat",
			      lurk_call_words(*seat->name ? seat->name : "seat0"));
		lurk_call_add(call, one, "user", json_integer(seat->person));
		lurk_call_add(call, one, "rules", json_integer(rules_of(session, i + 1)));
		lurk_call_add(call, one, "off", json_boolean(mode.off[i + 1].now));
		lurk_call_add(call, one, "error", json_integer(seat->why));
		lurk_call_append(call, list, one);
	}
	return list;
}

void lurk_method_status(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const struct lurk_rights *rights = &call->caller->rights;
	const struct lurk_store_report *store;
	json_t *result, *may, *keyboards;
	const unsigned seat = lurk_call_seat(call);
	unsigned part;

	if (!lurk_call_part(call, &part))
		return;
	result = json_object();
	may = json_object();
	keyboards = json_array();
	store = part ? &session->seats[part - 1].store : &session->store;
	lurk_call_add(call, result, "version", lurk_call_words(LURK_VERSION));
	lurk_call_add(call, result, "whose", lurk_call_words(part ? "own" : "computer"));
	add_mode(call, result, part);
	lurk_call_add(call, may, "change", json_boolean(part || rights->change));
	lurk_call_add(call, may, "off", json_boolean(rights->off));
	lurk_call_add(call, may, "watch", json_boolean(rights->watch));
	lurk_call_add(call, may, "own", json_integer(rights->own ? session->own_may : 0));
	lurk_call_add(call, result, "may", may);
	lurk_call_add(call, result, "computer_rules", json_integer(rules_of(session, 0)));
	lurk_call_add(call, result, "seats", seats_json(call));
	if (seat)
		lurk_call_add(call, result, "layout",
			      json_integer(session->seats[seat - 1].layout));
	lurk_call_add(call, result, "storage",
		      lurk_call_words(session->port->calls->trouble
					      ? session->port->calls->trouble(session->port)
					      : ""));
	lurk_call_add(call, result, "newest", json_integer(store->newest));
	lurk_call_add(call, result, "slots", slots_json(call, store));
	for (uint16_t i = 0; i < session->memory.keyboard_count; i++) {
		if (session->memory.keyboards[i].present)
			lurk_call_append(call, keyboards, keyboard_json(call, i, part));
	}
	lurk_call_add(call, result, "keyboards", keyboards);
	call->result = result;
}

/* ---- Images -------------------------------------------------------------------------------- */

static void answer_image(struct lurk_call *call, const struct lurk_image *image)
{
	char *digits = lurk_call_room(call, 2 * (size_t)image->length + 1);

	if (!digits)
		return;
	call->result = json_object();
	lurk_call_add(call, call->result, "sequence", json_integer((int64_t)image->sequence));
	lurk_call_add(call, call->result, "image",
		      lurk_call_words(lurk_hex_write(image->bytes, image->length, digits)));
	free(digits);
}

void lurk_method_image(struct lurk_call *call)
{
	struct lurk_session *session = call->rpc->session;
	const uint64_t sequence = (uint64_t)lurk_call_number(call, "sequence");
	const struct lurk_image *now;
	unsigned part;
	struct lurk_store_report report;
	struct lurk_image older;
	uint8_t *bytes;
	size_t size;

	if (!lurk_call_part(call, &part))
		return;
	now = lurk_session_image(session, part);
	if (now && (!sequence || now->sequence == sequence)) { /* which no disk is asked for */
		answer_image(call, now);
		return;
	}
	if (!sequence) {
		lurk_call_fail(call, LURK_RPC_NOT_STORED, "no rules are loaded");
		return;
	}
	session->port->calls->slots(session->port, &size);
	bytes = lurk_call_room(call, size);
	if (!bytes)
		return;
	if (lurk_store_load(session->port, lurk_call_owner(session, part), sequence + 1, bytes,
			    size, &older, &report) == LURK_OK &&
	    older.sequence == sequence)
		answer_image(call, &older);
	else
		lurk_call_fail(call, LURK_RPC_NOT_STORED, "no image of that number is kept");
	free(bytes);
}
