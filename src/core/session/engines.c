/* The engines: one for each seat, as far as there is memory for them. */
#include "core/session/parts.h"

#include "core/hot.h"

static bool caps_lock(void *data, uint16_t keyboard)
{
	struct lurk_session *s = data;
	uint8_t lit = 0;

	for (uint16_t i = 0; i < s->numbers; i++) {
		if (lurk_session_at(s, i)->present &&
		    lurk_session_engine_of(s, i) == lurk_session_engine_of(s, keyboard))
			lit |= lurk_port_lit(s->port, i);
	}
	return lit >> LURK_LOCK_CAPS & 1;
}

void lurk_engines_start(struct lurk_session *s, uint32_t (*layout)(void *, uint16_t))
{
	for (unsigned i = s->memory.engine_count + 1U; i-- > 0;) {
		struct lurk_engine *engine = lurk_session_engine(s, i);

		lurk_engine_init(engine, s->memory.engine_keyboards, s->memory.keyboard_count);
		engine->caps_lock = caps_lock;
		engine->layout = layout;
		engine->asked = s;
	}
	s->engines = 1;
}

struct lurk_engine *lurk_engines_of_part(struct lurk_session *s, unsigned part)
{
	const unsigned index = part > 1 && part - 1 <= s->memory.engine_count ? part - 1 : 0;

	if (index >= s->engines)
		s->engines = (uint16_t)(index + 1);
	return lurk_session_engine(s, index);
}

HOT uint64_t lurk_engines_deadline(const struct lurk_session *s)
{
	uint64_t soonest = lurk_engine_deadline(&s->engine);

	for (unsigned i = 1; i < s->engines; i++) {
		const uint64_t one = lurk_engine_deadline(&s->memory.engines[i - 1]);

		soonest = one < soonest ? one : soonest;
	}
	return soonest;
}

bool lurk_session_types(const struct lurk_session *session)
{
	bool any = lurk_engine_types(&session->engine);

	for (unsigned i = 1; i < session->engines; i++)
		any = any || lurk_engine_types(&session->memory.engines[i - 1]);
	return any;
}

static bool types_from(const struct lurk_session *s, const struct lurk_engine *engine,
		       unsigned ruleset)
{
	const uint8_t *image = s->memory.images[ruleset];

	return image && lurk_engine_types_from(engine, image, s->memory.image_size);
}

bool lurk_engines_type_from(const struct lurk_session *s, unsigned ruleset)
{
	bool any = types_from(s, &s->engine, ruleset);

	for (unsigned i = 1; i < s->engines; i++)
		any = any || types_from(s, &s->memory.engines[i - 1], ruleset);
	return any;
}

bool lurk_engines_end_text(struct lurk_session *s, unsigned ruleset)
{
	bool any = false;

	for (unsigned i = 0; i < s->engines; i++) {
		struct lurk_engine *engine = lurk_session_engine(s, i);

		if (!types_from(s, engine, ruleset))
			continue;
		lurk_engine_cancel(engine);
		any = true;
	}
	return any;
}
