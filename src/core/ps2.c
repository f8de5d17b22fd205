/* The PS/2 decoder: scan code sets 1 and 2, a byte at a time. */
#include "core/keytable.h"
#include "core/mem.h"

enum {
	BYTE_OVERRUN = 0x00,
	BYTE_RESET = 0xaa, /* self-test passed: the keyboard has just started */
	BYTE_EXTENDED = 0xe0,
	BYTE_PAUSE = 0xe1,
	BYTE_ECHO = 0xee,
	BYTE_RELEASE = 0xf0, /* set 2 */
	BYTE_HANJA = 0xf1,
	BYTE_HANGEUL = 0xf2,
	BYTE_ACK = 0xfa,
	BYTE_FAILED = 0xfc, /* self-test failed */
	BYTE_RESEND = 0xfe,
	BYTE_TOO_MANY = 0xff,
};

void lurk_ps2_init(struct lurk_ps2 *ps2, unsigned set)
{
	memset(ps2, 0, sizeof *ps2);
	ps2->set = (uint8_t)set;
	ps2->releasing = LURK_PS2_CODES;
}

static lurk_scan scan_of(const struct lurk_ps2 *ps2, uint32_t code)
{
	return lurk_scan_make(ps2->set == 2 ? LURK_SCAN_SET2 : LURK_SCAN_SET1, code);
}

static bool is_down(const struct lurk_ps2 *ps2, uint32_t code)
{
	return ps2->down[LURK_PS2_INDEX(code) / 32] >> LURK_PS2_INDEX(code) % 32 & 1;
}

static void emit(struct lurk_ps2 *ps2, uint32_t code, enum lurk_state state)
{
	struct lurk_key_event *event = &ps2->pending[ps2->pending_count++];

	event->scan = scan_of(ps2, code);
	event->key = lurk_scan_key(event->scan);
	event->state = (uint8_t)state;
	event->more = false;
	if (state == LURK_UP)
		ps2->down[LURK_PS2_INDEX(code) / 32] &= ~(1U << LURK_PS2_INDEX(code) % 32);
	else
		ps2->down[LURK_PS2_INDEX(code) / 32] |= 1U << LURK_PS2_INDEX(code) % 32;
}

static void key(struct lurk_ps2 *ps2, uint32_t code, bool release)
{
	if (release && !is_down(ps2, code))
		ps2->dropped++; /* its press was lost */
	else if (release)
		emit(ps2, code, LURK_UP);
	else
		emit(ps2, code, is_down(ps2, code) ? LURK_REPEAT : LURK_DOWN);
}

/* The bytes with which a keyboard answers the host, and the two keys without a release. Returns
 * false for any other byte. */
static bool answer(struct lurk_ps2 *ps2, uint8_t byte)
{
	switch (byte) {
	case BYTE_ACK:
	case BYTE_RESEND:
	case BYTE_ECHO:
		return true;
	case BYTE_RESET:
	case BYTE_FAILED:
		ps2->prefix = 0;
		ps2->release = false;
		ps2->releasing = 0;
		return true;
	case BYTE_HANJA:
	case BYTE_HANGEUL:
		if (ps2->prefix)
			return false;
		emit(ps2, byte, LURK_DOWN);
		emit(ps2, byte, LURK_UP);
		return true;
	case BYTE_OVERRUN:
	case BYTE_TOO_MANY:
		ps2->prefix = 0;
		ps2->release = false;
		ps2->dropped++;
		return true;
	default:
		return false;
	}
}

/* Pause: e1 1d 45 and e1 9d c5 in set 1, e1 14 77 and e1 f0 14 f0 77 in set 2, all sent when it is
 * pressed. Returns false where the byte does not belong to it: what came before is dropped, and the
 * byte is looked at afresh. */
static bool pause(struct lurk_ps2 *ps2, uint8_t byte)
{
	uint8_t code = byte;
	bool set2 = ps2->set == 2, release = ps2->release;

	if (!set2) {
		code = byte & 0x7f;
		release = byte & 0x80;
	} else if (byte == BYTE_RELEASE) {
		ps2->release = true;
		return true;
	}
	if (!ps2->second && code == (set2 ? 0x14 : 0x1d)) {
		ps2->second = byte;
		ps2->release = false;
		return true;
	}
	ps2->prefix = 0;
	ps2->release = false;
	if (ps2->second && code == (set2 ? 0x77 : 0x45)) {
		key(ps2, set2 ? 0xe11477 : 0xe11d45, release);
		return true;
	}
	ps2->dropped += ps2->second ? 2 : 1;
	return false;
}

static bool is_fake_shift(const struct lurk_ps2 *ps2, uint8_t code)
{
	return ps2->set == 2 ? code == 0x12 || code == 0x59 : code == 0x2a || code == 0x36;
}

static void set1(struct lurk_ps2 *ps2, uint8_t byte)
{
	uint32_t code = (ps2->prefix ? 0xe000U : 0U) | (byte & 0x7fU);
	bool release = byte & 0x80;

	/* Most answers are also the release of some key: of that key where it is held, else an
	 * answer. */
	if (!(release && is_down(ps2, code)) && !(ps2->prefix && is_fake_shift(ps2, byte & 0x7f)) &&
	    answer(ps2, byte))
		return;
	if (!(ps2->prefix && is_fake_shift(ps2, byte & 0x7f)))
		key(ps2, code, release);
	ps2->prefix = 0;
}

static void set2(struct lurk_ps2 *ps2, uint8_t byte)
{
	if (answer(ps2, byte))
		return;
	if (byte == BYTE_RELEASE) {
		ps2->release = true;
		return;
	}
	if (ps2->prefix && is_fake_shift(ps2, byte)) {
		ps2->fake_shift = !ps2->release;
	} else if (ps2->prefix && ps2->release && ps2->fake_shift &&
		   !is_down(ps2, 0xe000U | byte)) {
		/* "e0 f0 12 69" with the 12 lost: what follows the prefixes is a press of its own.
		 */
		ps2->fake_shift = false;
		ps2->dropped += 2;
		key(ps2, byte, false);
	} else {
		key(ps2, (ps2->prefix ? 0xe000U : 0U) | byte, ps2->release);
	}
	ps2->prefix = 0;
	ps2->release = false;
}

void lurk_ps2_feed(struct lurk_ps2 *ps2, uint8_t byte)
{
	ps2->pending_count = ps2->pending_next = 0;
	if (ps2->prefix == BYTE_PAUSE && pause(ps2, byte))
		return;
	if (byte == BYTE_EXTENDED || byte == BYTE_PAUSE) {
		ps2->dropped += ps2->prefix != 0;
		ps2->prefix = byte;
		ps2->second = 0;
		return;
	}
	if (ps2->set == 2)
		set2(ps2, byte);
	else
		set1(ps2, byte);
}

bool lurk_ps2_next(struct lurk_ps2 *ps2, struct lurk_key_event *event)
{
	for (; ps2->releasing < LURK_PS2_CODES; ps2->releasing++) {
		uint32_t i = ps2->releasing;
		uint32_t code = i < 0x100 ? i : i < 0x200 ? 0xe000 | (i & 0xff) : 0;

		if (!(ps2->down[i / 32] >> i % 32 & 1))
			continue;
		if (!code)
			code = ps2->set == 2 ? 0xe11477 : 0xe11d45;
		ps2->pending_count = ps2->pending_next = 0;
		emit(ps2, code, LURK_UP);
		break;
	}
	if (ps2->pending_next == ps2->pending_count)
		return false;
	*event = ps2->pending[ps2->pending_next++];
	return true;
}
