/* A whole port, to a made-up board: it stands between one USB keyboard and a computer,
 * and keeps rules in two pages of memory. docs/porting.md explains the functions.
 *
 * $ ./port
 * plugged in; NumLock gives Tab: done
 * NumLock down: Tab down
 * NumLock up: Tab up
 */
#include <stdio.h>
#include <string.h>

#include <lurk/session.h>

enum { PAGES = 2, PAGE = 1024 };

/* What the keyboard will have sent: NumLock down, and up. */
static const uint8_t reports[][8] = {{0, 0, 0x53}, {0}};

struct board {
	struct lurk_port port;
	struct lurk_hid keyboard; /* the library's own decoder */
	unsigned next_report;
	bool said_plugged, pressing;
	uint8_t pages[PAGES][PAGE];
	size_t lengths[PAGES];
};

static struct board *board_of(struct lurk_port *port)
{
	return (struct board *)port;
}

static bool board_keyboard(struct lurk_port *port, uint16_t number, struct lurk_port_keyboard *k)
{
	(void)port;
	memset(k, 0, sizeof *k);
	k->identity.bus = LURK_BUS_USB;
	k->identity.wiring = LURK_WIRING_HID;
	for (lurk_key key = 1; key < 128; key++)
		k->declares[key / 8] |= (uint8_t)(1U << key % 8);
	return number == 0;
}

static bool board_next(struct lurk_port *port, struct lurk_port_event *event)
{
	struct board *b = board_of(port);

	memset(event, 0, sizeof *event);
	event->kind = LURK_PORT_PLUGGED;
	if (!b->said_plugged)
		return b->said_plugged = true;
	event->kind = LURK_PORT_KEY;
	while (!lurk_hid_next(&b->keyboard, &event->key)) {
		if (!b->pressing || b->next_report == sizeof reports / sizeof *reports)
			return false;
		lurk_hid_feed(&b->keyboard, reports[b->next_report++], sizeof *reports);
	}
	printf("%s %s:", lurk_key_name(event->key.key),
	       event->key.state == LURK_UP ? "up" : "down");
	return true;
}

static enum lurk_error board_take(struct lurk_port *port, uint16_t keyboard, bool at_once,
				  struct lurk_taken_held *held)
{
	(void)port, (void)keyboard, (void)at_once;
	held->count = 0; /* the computer never reads the keyboard itself */
	return LURK_OK;
}

static enum lurk_error board_give_back(struct lurk_port *port, uint16_t keyboard, bool at_once)
{
	(void)port, (void)keyboard, (void)at_once;
	return LURK_OK;
}

static enum lurk_error board_send(struct lurk_port *port, const struct lurk_frame *frame)
{
	(void)port;
	for (unsigned i = 0; i < frame->count; i++)
		printf(" %s %s\n", lurk_key_name(frame->strokes[i].key),
		       frame->strokes[i].state == LURK_DOWN ? "down" : "up");
	return LURK_OK;
}

static unsigned board_slots(struct lurk_port *port, size_t *size)
{
	(void)port;
	*size = PAGE;
	return PAGES;
}

static enum lurk_error board_slot_read(struct lurk_port *port, uint32_t owner, unsigned slot,
				       uint8_t *bytes, size_t size, size_t *length)
{
	(void)owner;
	*length = board_of(port)->lengths[slot];
	if (*length > size)
		return LURK_ERR_ROOM;
	memcpy(bytes, board_of(port)->pages[slot], *length);
	return LURK_OK;
}

static enum lurk_error board_slot_write(struct lurk_port *port, uint32_t owner, unsigned slot,
					const uint8_t *bytes, size_t length)
{
	(void)owner; /* nobody but the board's own */
	if (length > PAGE)
		return LURK_ERR_ROOM;
	memcpy(board_of(port)->pages[slot], bytes, length);
	board_of(port)->lengths[slot] = length;
	return LURK_OK;
}

static uint64_t board_now(struct lurk_port *port)
{
	(void)port;
	return 0; /* microseconds since 1970, where the board knows */
}

static int board_descriptor(struct lurk_port *port)
{
	(void)port;
	return -1; /* next() is asked again and again */
}

/* It has no table, so that everything is relayed; no lights, and it hears every key in any case. */
static const struct lurk_port_class board_class = {
	.keyboard = board_keyboard,
	.next = board_next,
	.take = board_take,
	.give_back = board_give_back,
	.send = board_send,
	.slots = board_slots,
	.slot_read = board_slot_read,
	.slot_write = board_slot_write,
	.now = board_now,
	.elapsed = board_now,
	.descriptor = board_descriptor,
};

/* ---- Running it ----------------------------------------------------------------------------- */

static struct lurk_session_keyboard keyboards[1];
static struct lurk_engine_keyboard engines[1];
static uint8_t images[2][PAGE];
static _Alignas(16) uint8_t keymaps[2][4096];
static const struct lurk_session_memory memory = {
	.keyboards = keyboards,
	.engine_keyboards = engines,
	.keyboard_count = 1,
	.images = {images[0], images[1]},
	.image_size = PAGE,
	.keymaps = {keymaps[0], keymaps[1]},
	.keymap_size = sizeof keymaps[0],
};

int main(void)
{
	static struct board board = {.port = {&board_class}};
	static struct lurk_session session;
	const struct lurk_rule rule = {
		.press = {.on = {.kind = LURK_TARGET_KEY, .key = LURK_KEY_NUMLOCK}},
		.gives = {.kind = LURK_GIVES_KEY, .key = LURK_KEY_TAB},
	};
	const struct lurk_profile profile = {.name = {"board", 5}, .rules = &rule, .rule_count = 1};
	const struct lurk_image_parts parts = {&profile, 1, NULL, 0};
	struct lurk_apply_report report;
	uint8_t image[PAGE];
	size_t length;

	lurk_hid_init(&board.keyboard, LURK_HID_BOOT);
	if (lurk_session_start(&session, &memory, &board.port) != LURK_OK)
		return 1;
	lurk_session_run(&session);
	lurk_image_write(&parts, image, sizeof image, &length);
	printf("plugged in; NumLock gives Tab: %s\n",
	       lurk_error_text(
		       lurk_session_apply(&session, NULL, image, length, LURK_NO_TEXT, &report)));
	board.pressing = true;
	lurk_session_run(&session);
	lurk_session_stop(&session);
	return 0;
}
