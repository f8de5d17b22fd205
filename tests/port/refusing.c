#include "refusing.h"

static struct lurk_port *real(struct lurk_port *port)
{
	return ((struct refusing *)port)->real;
}

static bool refuses(struct lurk_port *port, enum refusable call)
{
	struct refusing *r = (struct refusing *)port;

	return r->refuses(r->data, call);
}

static enum lurk_error refusal(struct lurk_port *port)
{
	enum lurk_error with = ((struct refusing *)port)->with;

	return with ? with : LURK_ERR_PORT;
}

#define CALL(name, ...) (real(port)->calls->name(real(port), __VA_ARGS__))
#define PASSED(name, what, params, ...)                                               \
	static enum lurk_error r_##name params                                        \
	{                                                                             \
		return refuses(port, what) ? refusal(port) : CALL(name, __VA_ARGS__); \
	}
PASSED(stand_in, REFUSE_CHANGE, (struct lurk_port * port, uint16_t n), n)
PASSED(take, REFUSE_CHANGE,
       (struct lurk_port * port, uint16_t n, bool at_once, struct lurk_taken_held *held), n,
       at_once, held)
PASSED(end_held, REFUSE_CHANGE, (struct lurk_port * port, uint16_t n), n)
PASSED(release, REFUSE_CHANGE, (struct lurk_port * port, uint16_t n, uint16_t i), n, i)
PASSED(table_set, REFUSE_TABLE, (struct lurk_port * port, uint16_t n, uint16_t i, lurk_key key), n,
       i, key)
PASSED(slot_write, REFUSE_CHANGE,
       (struct lurk_port * port, uint32_t owner, unsigned slot, const uint8_t *bytes,
	size_t length),
       owner, slot, bytes, length)
PASSED(send, REFUSE_SEND, (struct lurk_port * port, const struct lurk_frame *frame), frame)
PASSED(table_get, REFUSE_LOOK,
       (struct lurk_port * port, uint16_t n, uint16_t i, struct lurk_table_entry *e), n, i, e)

static enum lurk_error r_give_back(struct lurk_port *port, uint16_t n, bool at_once)
{
	return CALL(give_back, n, at_once);
}

static bool r_keyboard(struct lurk_port *port, uint16_t n, struct lurk_port_keyboard *k)
{
	return CALL(keyboard, n, k);
}

static bool r_next(struct lurk_port *port, struct lurk_port_event *event)
{
	struct refusing *r = (struct refusing *)port;
	bool any = CALL(next, event);

	if (any && r->heard)
		r->heard(r->data, event);
	return any;
}

static void r_listen(struct lurk_port *port, uint16_t n, const lurk_key *wanted, unsigned count)
{
	CALL(listen, n, wanted, count);
}

static bool r_is_down(struct lurk_port *port, uint16_t n, uint16_t i)
{
	return CALL(is_down, n, i);
}

static uint8_t r_lit(struct lurk_port *port, uint16_t n)
{
	return CALL(lit, n);
}

static unsigned r_slots(struct lurk_port *port, size_t *size)
{
	return CALL(slots, size);
}

static enum lurk_error r_slot_read(struct lurk_port *port, uint32_t owner, unsigned slot,
				   uint8_t *bytes, size_t size, size_t *length)
{
	return CALL(slot_read, owner, slot, bytes, size, length);
}

static uint32_t r_person(struct lurk_port *port, const char *seat)
{
	return CALL(person, seat);
}

static uint64_t r_now(struct lurk_port *port)
{
	return real(port)->calls->now(real(port));
}

void refusing_init(struct refusing *refusing)
{
	static const struct lurk_port_class class = {
		.keyboard = r_keyboard,
		.next = r_next,
		.stand_in = r_stand_in,
		.take = r_take,
		.end_held = r_end_held,
		.give_back = r_give_back,
		.listen = r_listen,
		.send = r_send,
		.release = r_release,
		.table_get = r_table_get,
		.table_set = r_table_set,
		.is_down = r_is_down,
		.lit = r_lit,
		.person = r_person,
		.slots = r_slots,
		.slot_read = r_slot_read,
		.slot_write = r_slot_write,
		.now = r_now,
		.elapsed = r_now,
	};

	refusing->port.calls = &class;
}
