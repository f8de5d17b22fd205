/* Frames on their way to programs. */
#include "core/session/parts.h"

#include "core/hot.h"

/* No clock is asked unless text is typed. */
HOT void lurk_session_send_of(struct lurk_session *s, struct lurk_engine *engine)
{
	uint64_t now_us = lurk_engine_types(engine) ? s->port->calls->elapsed(s->port) : 0;
	struct lurk_frame frame;

	while (lurk_engine_pull(engine, now_us, &frame)) {
		enum lurk_error error = s->port->calls->send(s->port, &frame);

		if (error && error != LURK_ERR_GONE) {
			lurk_session_at(s, frame.keyboard)->refused = error;
			s->refusing = true;
		}
	}
}

void lurk_session_send(struct lurk_session *s)
{
	for (unsigned i = 0; i < s->engines; i++)
		lurk_session_send_of(s, lurk_session_engine(s, i));
}
