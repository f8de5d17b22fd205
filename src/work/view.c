/* What the machine is like now, as the service tells it. */
#include <string.h>

#include "lurk/text/memory.h"
#include "service/protocol.h"
#include "text/hex.h"
#include "work/link.h"

uint8_t lurk_link_place(const char *word, const char *const *words, unsigned count)
{
	for (unsigned i = 0; i < count; i++) {
		if (!strcmp(words[i], word))
			return (uint8_t)i;
	}
	return 0;
}

static void read_keyboard(struct json_object *one, struct lurk_machine *machine)
{
	int64_t place = lurk_link_number(one, "number");
	struct lurk_session_keyboard *k;
	struct lurk_identity *identity;

	if (place < 0 || place >= LURK_LINK_KEYBOARDS)
		return;
	k = &machine->service->keyboards[place];
	identity = &k->info.identity;
	k->present = true;
	lurk_link_copy(one, "name", identity->name, sizeof identity->name);
	lurk_link_copy(one, "serial", identity->serial, sizeof identity->serial);
	lurk_link_copy(one, "place", identity->place, sizeof identity->place);
	lurk_link_copy(one, "seat", k->info.seat, sizeof k->info.seat);
	identity->bus = lurk_link_place(lurk_link_text(one, "bus"), lurk_bus_words, 5);
	identity->wiring = lurk_link_place(lurk_link_text(one, "wiring"), lurk_wiring_words, 3);
	identity->built_in = lurk_link_flag(one, "built_in");
	identity->vendor = (uint16_t)lurk_link_number(one, "vendor");
	identity->product = (uint16_t)lurk_link_number(one, "product");
	identity->version = (uint16_t)lurk_link_number(one, "version");
	k->info.table_entries = (uint16_t)lurk_link_number(one, "table_entries");
	k->info.others_changes = (uint16_t)lurk_link_number(one, "others_changes");
	k->info.locks = (uint8_t)lurk_link_number(one, "locks");
	if (strlen(lurk_link_text(one, "declares")) == 2 * sizeof k->info.declares)
		lurk_hex_read(lurk_link_text(one, "declares"), 2 * sizeof k->info.declares,
			      k->info.declares);
	k->used = lurk_link_flag(one, "used");
	k->described = (uint16_t)lurk_link_number(one, "described");
	k->choice.way = lurk_link_place(lurk_link_text(one, "way"), lurk_way_words, 3);
	k->choice.reason = (uint8_t)lurk_link_number(one, "reason");
	k->choice.forced = lurk_link_flag(one, "forced");
	k->choice.key = (lurk_key)lurk_link_number(one, "key");
	k->choice.from = (lurk_key)lurk_link_number(one, "from");
	k->choice.other = (lurk_key)lurk_link_number(one, "other");
	k->choice.changes = (unsigned)lurk_link_number(one, "changes");
	k->unsettled = (lurk_key)lurk_link_number(one, "waits_for");
	k->trouble = (enum lurk_error)lurk_link_number(one, "trouble");
	machine->lit |= (uint8_t)lurk_link_number(one, "lit");
}

static void read_slots(struct json_object *list, struct lurk_store_report *store)
{
	size_t count = json_object_array_length(list);

	store->slots = count < LURK_SLOTS_MAX ? (unsigned)count : LURK_SLOTS_MAX;
	for (unsigned i = 0; i < store->slots; i++) {
		struct json_object *one = json_object_array_get_idx(list, i);

		store->why[i] = (enum lurk_error)lurk_link_number(one, "error");
		store->sequence[i] = (uint64_t)lurk_link_number(one, "sequence");
	}
}

/* The bytes of an image that the service has, to be freed; NULL where it does not. */
uint8_t *lurk_link_image(struct lurk_link *link, uint64_t sequence, size_t *length,
			 struct lurk_outcome *outcome)
{
	struct json_object *params = json_object_new_object(), *result;
	uint8_t *bytes;
	const char *digits;

	if (sequence) /* else the one that is loaded */
		json_object_object_add(params, "sequence",
				       json_object_new_int64((int64_t)sequence));
	result = lurk_link_call(link, "image", params, outcome);
	if (!result)
		return NULL;
	digits = lurk_link_text(result, "image");
	*length = strlen(digits) / 2;
	bytes = lurk_resize(NULL, *length + 1);
	if (!lurk_hex_read(digits, 2 * *length, bytes)) {
		lurk_release(bytes);
		bytes = NULL;
	}
	json_object_put(result);
	return bytes;
}

static bool look_at_image(struct lurk_machine *machine, uint64_t sequence,
			  struct lurk_outcome *outcome)
{
	struct lurk_link *link = machine->service;
	size_t length;

	if (!sequence && !machine->trying)
		return true;
	if (!link->bytes || link->image.sequence != sequence || !sequence) {
		lurk_release(link->bytes);
		link->bytes = lurk_link_image(link, sequence, &length, outcome);
		if (!link->bytes)
			return false;
		if (lurk_image_open(link->bytes, length, &link->image))
			return lurk_say(&outcome->why,
					"the service's rules cannot be read; is it of another "
					"version?");
	}
	machine->image = &link->image;
	return true;
}

uint16_t lurk_link_profile(const struct lurk_image *image, const char *word)
{
	const uint16_t found =
		lurk_image_find_profile(image, (struct lurk_text){word, strlen(word)});

	return found ? (uint16_t)(found - 1U) : 0;
}

/* Into the link; where it cannot be had there is none. */
static void ask_below(struct lurk_link *link)
{
	struct lurk_outcome unused;
	struct json_object *status;
	size_t length;

	lurk_release(link->below_bytes);
	link->computer = true;
	status = lurk_link_call(link, "status", NULL, &unused);
	link->below_bytes = status ? lurk_link_image(link, 0, &length, &unused) : NULL;
	link->computer = false;
	if (link->below_bytes && lurk_image_open(link->below_bytes, length, &link->below)) {
		lurk_release(link->below_bytes);
		link->below_bytes = NULL;
	}
	if (link->below_bytes)
		link->below_profile =
			lurk_link_profile(&link->below, lurk_link_text(status, "profile"));
	json_object_put(status);
}

const struct lurk_image *lurk_link_below(const struct lurk_machine *machine, uint16_t *profile)
{
	struct lurk_link *link = machine->service;

	*profile = 0;
	if (!link || !machine->own || !machine->computer_rules)
		return NULL;
	if (!link->below_asked)
		ask_below(link);
	link->below_asked = true;
	*profile = link->below_profile;
	return link->below_bytes ? &link->below : NULL;
}

static void read_person(struct json_object *one, struct lurk_machine *machine)
{
	struct lurk_machine_person *p = &machine->persons[machine->person_count];

	if (machine->person_count == LURK_SESSION_SEATS)
		return;
	machine->person_count++;
	p->user = (uint32_t)lurk_link_number(one, "user");
	p->rules = (uint32_t)lurk_link_number(one, "rules");
	p->why = (enum lurk_error)lurk_link_number(one, "error");
	p->off = lurk_link_flag(one, "off");
	lurk_link_copy(one, "seat", p->seat, sizeof p->seat);
}

bool lurk_link_see(struct lurk_machine *machine, struct lurk_outcome *outcome)
{
	struct lurk_link *link = machine->service;
	struct json_object *status, *may = NULL, *list;
	bool fine;

	if (machine->session) {
		machine->image = lurk_session_image(machine->session, 0);
		if (machine->image) {
			struct lurk_profile profile;

			lurk_image_profile(machine->image,
					   lurk_session_profile(machine->session, 0), &profile);
			snprintf(machine->profile, sizeof machine->profile, "%.*s",
				 (int)profile.word.length, profile.word.bytes);
		}
		machine->off = lurk_session_is_off(machine->session, "");
		machine->trying = machine->session->mode.trying;
		return true;
	}
	status = lurk_link_call(link, "status", NULL, outcome);
	if (!status)
		return false;
	link->below_asked = false;
	memset(link->keyboards, 0, sizeof link->keyboards);
	memset(&link->store, 0, sizeof link->store);
	machine->image = NULL;
	machine->lit = 0;
	lurk_link_copy(status, "profile", machine->profile, sizeof machine->profile);
	lurk_link_copy(status, "storage", machine->storage, sizeof machine->storage);
	machine->off = lurk_link_flag(status, "off");
	machine->trying = lurk_link_flag(status, "trying");
	machine->seconds_left = (unsigned)lurk_link_number(status, "seconds_left");
	machine->may_change =
		json_object_object_get_ex(status, "may", &may) && lurk_link_flag(may, "change");
	machine->may_watch = may && lurk_link_flag(may, "watch");
	machine->own = !strcmp(lurk_link_text(status, "whose"), "own");
	machine->own_may = may ? (enum lurk_own)lurk_link_number(may, "own") : LURK_OWN_NOTHING;
	machine->computer_rules = (uint32_t)lurk_link_number(status, "computer_rules");
	machine->layout = (uint32_t)lurk_link_number(status, "layout");
	machine->person_count = 0;
	if (json_object_object_get_ex(status, "seats", &list)) {
		for (size_t i = 0; i < json_object_array_length(list); i++)
			read_person(json_object_array_get_idx(list, i), machine);
	}
	link->store.newest = (int)lurk_link_number(status, "newest");
	if (json_object_object_get_ex(status, "slots", &list))
		read_slots(list, &link->store);
	if (json_object_object_get_ex(status, "keyboards", &list)) {
		for (size_t i = 0; i < json_object_array_length(list); i++)
			read_keyboard(json_object_array_get_idx(list, i), machine);
	}
	fine = look_at_image(machine, (uint64_t)lurk_link_number(status, "sequence"), outcome);
	json_object_put(status);
	return fine;
}

bool lurk_machine_look(struct lurk_machine *machine, struct lurk_message *message)
{
	struct lurk_outcome outcome = {.error = LURK_OK};
	bool fine = lurk_link_see(machine, &outcome);

	if (!fine)
		*message = outcome.why;
	return fine;
}

const char *lurk_machine_start_profile(const struct lurk_machine *machine,
				       char word[LURK_PROFILE_WORD])
{
	struct lurk_profile profile = {0};

	if (machine->image && machine->image->profile_count)
		lurk_image_profile(machine->image, 0, &profile);
	snprintf(word, LURK_PROFILE_WORD, "%.*s", (int)profile.word.length, profile.word.bytes);
	return word;
}
