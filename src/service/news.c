#include "service/news.h"

#include <stdio.h>
#include <string.h>

static void log_keyboard(struct lurk_news *news, const struct lurk_session *session,
			 uint16_t number)
{
	static const char *const ways[] = {"plain", "by the table", "by the relay"};
	const struct lurk_session_keyboard *k = &session->memory.keyboards[number];
	struct lurk_news_keyboard *known = &news->known[number];
	const struct lurk_identity *identity = &k->info.identity;
	char line[256];

	if (known->present && (!k->present || strcmp(known->name, identity->name) != 0)) {
		snprintf(line, sizeof line, "unplugged: %s", known->name);
		news->say(news->data, line);
		known->present = false;
	}
	if (!k->present ||
	    (known->present && known->way == k->told.way && known->trouble == k->trouble &&
	     known->others_changes == k->info.others_changes))
		return;
	snprintf(line, sizeof line, "%s: %s (%s %04x:%04x, %s): %s%s",
		 known->present ? "changed" : "plugged", identity->name,
		 lurk_bus_name((enum lurk_bus)identity->bus), identity->vendor, identity->product,
		 identity->place, k->trouble ? "rules not in force: " : ways[k->told.way],
		 k->trouble ? lurk_error_text(k->trouble) : "");
	news->say(news->data, line);
	if (k->info.others_changes > known->others_changes) {
		snprintf(line, sizeof line,
			 "%s: another program changed %u entries of its table; they count as its "
			 "own now",
			 identity->name, k->info.others_changes);
		news->say(news->data, line);
	}
	known->present = true;
	known->way = k->told.way;
	known->trouble = k->trouble;
	known->others_changes = k->info.others_changes;
	snprintf(known->name, sizeof known->name, "%s", identity->name);
}

static void log_seat(struct lurk_news *news, const struct lurk_session *session, unsigned index)
{
	const struct lurk_session_seat *seat = &session->seats[index];
	const struct lurk_image *image = lurk_session_image(session, index + 1);
	const uint64_t sits = seat->person == LURK_NOBODY ? 0 : (uint64_t)seat->person + 1;
	const char *name = *seat->name ? seat->name : "seat0";
	char line[160];

	if (news->sits[index] == sits)
		return;
	news->sits[index] = sits;
	if (!sits)
		snprintf(line, sizeof line, "%s: nobody is at the screen", name);
	else if (seat->why)
		snprintf(line, sizeof line, "%s: user %u, whose own rules are not in force: %s",
			 name, seat->person, lurk_error_text(seat->why));
	else
		snprintf(line, sizeof line, "%s: user %u, rules of their own: %u", name,
			 seat->person, image ? image->rule_count : 0);
	news->say(news->data, line);
}

static void log_chord(struct lurk_news *news, const struct lurk_session *session)
{
	const unsigned part = session->chorded_at;
	const char *seat = part ? session->seats[part - 1].name : "";
	char line[128];

	snprintf(line, sizeof line, "by the off chord%s%s: rules %s", *seat ? " at " : "", seat,
		 session->mode.off[part].now ? "off" : "on");
	news->say(news->data, line);
}

bool lurk_news_tell(struct lurk_news *news, const struct lurk_session *session)
{
	if (news->changes == session->changes)
		return false;
	news->changes = session->changes;
	if (news->chorded != session->chorded)
		log_chord(news, session);
	else if (news->trying && !session->mode.trying)
		news->say(news->data, "nothing is tried any more");
	news->chorded = session->chorded;
	news->trying = session->mode.trying;
	for (uint16_t i = 0; i < session->numbers && i < LURK_NEWS_KEYBOARDS; i++)
		log_keyboard(news, session, i);
	for (unsigned i = 0; i < LURK_SESSION_SEATS; i++)
		log_seat(news, session, i);
	return true;
}
