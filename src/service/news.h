/* What the log says of a session: plugged, changed, in trouble, who sits down; never a key, and
 * nothing that single keys decide, since the log is read by others than whoever may watch. */
#ifndef LURK_SERVICE_NEWS_H
#define LURK_SERVICE_NEWS_H

#include "lurk/session.h"

enum { LURK_NEWS_KEYBOARDS = 32 };

struct lurk_news {
	void (*say)(void *data, const char *line);
	void *data;
	unsigned changes; /* of the session, that were looked at */
	bool trying;
	uint32_t chorded;
	/* What was last said of a keyboard, so that only news is. */
	struct lurk_news_keyboard {
		bool present;
		uint8_t way;
		enum lurk_error trouble;
		unsigned others_changes;
		char name[64];
	} known[LURK_NEWS_KEYBOARDS];
	/* Who was last said to be at a screen, plus 1; 0 for nobody. */
	uint64_t sits[LURK_SESSION_SEATS];
};

/* After the session did something; false where nothing changed since the last time. */
bool lurk_news_tell(struct lurk_news *news, const struct lurk_session *session);

#endif
