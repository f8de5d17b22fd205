/* The memory of a session, out of one block. */
#include "lurk/session.h"

#include "core/mem.h"

enum { FURTHER_SEATS = LURK_SESSION_SEATS - 1 };

static size_t aligned(size_t size)
{
	enum { AS_FOR = 16 };

	return (size + AS_FOR - 1) / AS_FOR * AS_FOR;
}

static void *take(uint8_t **at, size_t size)
{
	uint8_t *part = *at;

	*at += aligned(size);
	return part;
}

size_t lurk_session_size(uint16_t keyboards, size_t image_size, size_t keymap_size)
{
	return aligned(keyboards * sizeof(struct lurk_session_keyboard)) +
	       aligned(keyboards * sizeof(struct lurk_engine_keyboard)) +
	       aligned(FURTHER_SEATS * sizeof(struct lurk_engine)) +
	       LURK_SESSION_RULESETS * (aligned(image_size) + aligned(keymap_size));
}

void lurk_session_divide(struct lurk_session_memory *memory, void *block, uint16_t keyboards,
			 size_t image_size, size_t keymap_size)
{
	uint8_t *at = block;

	*memory = (struct lurk_session_memory){
		.keyboard_count = keyboards, .image_size = image_size, .keymap_size = keymap_size};
	memory->keyboards = take(&at, keyboards * sizeof *memory->keyboards);
	memory->engine_keyboards = take(&at, keyboards * sizeof *memory->engine_keyboards);
	memory->engines = take(&at, FURTHER_SEATS * sizeof *memory->engines);
	memory->engine_count = FURTHER_SEATS;
	memset(block, 0, (size_t)(at - (uint8_t *)block));
	for (int i = 0; i < LURK_SESSION_RULESETS; i++) {
		memory->images[i] = take(&at, image_size);
		memory->keymaps[i] = take(&at, keymap_size);
	}
}
