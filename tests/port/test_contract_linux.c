/* The contract, against the running kernel: the keyboard is made with uhid, and what programs get
 * is read from every event node but the port's own view of them. Needs root, uhid and uinput: runs
 * in the virtual machine (`./dev vm`). */
#include "../core/rules.h"
#include "contract.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <linux/uhid.h>
#include <signal.h>
#include <stdarg.h>
#include <sys/ioctl.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "lurk/session.h"
#include "lurk/linux/linux.h"

enum { READERS = 64, QUIET_MS = 150, PLUG_US = 500000, HELD_US = 800000 };

/* A boot keyboard: eight modifiers, six slots of the keyboard page. */
static const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0,
				     0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
				     0x81, 0x02, 0x95, 0x01, 0x75, 0x08, 0x81, 0x03, 0x95, 0x06,
				     0x75, 0x08, 0x15, 0x00, 0x26, 0xff, 0x00, 0x05, 0x07, 0x19,
				     0x00, 0x2a, 0xff, 0x00, 0x81, 0x00, 0xc0};

/* An odd one: what it has in common with the desk's keyboards is listed in the table below. Three
 * reports: the same as above, a consumer control with 16 bits a usage, and a bit for each of 104
 * keys, so that most usages are declared twice. */
static const uint8_t odd_descriptor[] = {
	0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7, 0x15,
	0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x95, 0x01, 0x75, 0x08, 0x81, 0x03,
	0x95, 0x06, 0x75, 0x08, 0x15, 0x00, 0x26, 0xff, 0x00, 0x05, 0x07, 0x19, 0x00, 0x2a, 0xff,
	0x00, 0x81, 0x00, 0xc0, 0x05, 0x0c, 0x09, 0x01, 0xa1, 0x01, 0x85, 0x02, 0x15, 0x00, 0x26,
	0xff, 0x02, 0x19, 0x00, 0x2a, 0xff, 0x02, 0x75, 0x10, 0x95, 0x01, 0x81, 0x00, 0xc0, 0x05,
	0x01, 0x09, 0x06, 0xa1, 0x01, 0x85, 0x03, 0x05, 0x07, 0x19, 0x00, 0x29, 0x67, 0x15, 0x00,
	0x25, 0x01, 0x75, 0x01, 0x95, 0x68, 0x81, 0x02, 0xc0};

struct linux_rig {
	struct contract_rig rig;
	struct lurk_linux *machine;
	int uhid;
	uint16_t product;
	uint8_t report[8];
	char folder[64];
	struct reader {
		int fd;
		char path[64];
		uint64_t down[12]; /* keys that this reader saw going down */
		unsigned repeats;
	} readers[READERS];
	unsigned reader_count;
	char got[CONTRACT_GOT];
	bool hammering, by_calls;
	bool lost;         /* by a program, of what it should have read */
	unsigned hammered; /* how often */
	pid_t hammerer;
};

static void write_uhid(struct linux_rig *r, const struct uhid_event *e)
{
	if (write(r->uhid, e, sizeof *e) != sizeof *e)
		fail_msg("uhid: %s", strerror(errno));
}

static void make_device(struct linux_rig *r, const uint8_t *bytes, uint16_t size, uint16_t product)
{
	struct uhid_event e = {.type = UHID_CREATE2};

	r->uhid = open("/dev/uhid", O_RDWR | O_CLOEXEC | O_NONBLOCK);
	if (r->uhid < 0)
		fail_msg("/dev/uhid: %s", strerror(errno));
	snprintf((char *)e.u.create2.name, sizeof e.u.create2.name, "Wagtail");
	memcpy(e.u.create2.rd_data, bytes, size);
	e.u.create2.rd_size = size;
	e.u.create2.bus = BUS_USB;
	e.u.create2.vendor = 0xfade;
	e.u.create2.product = r->product = product;
	memset(r->report, 0, sizeof r->report);
	write_uhid(r, &e);
}

static void make_keyboard(struct linux_rig *r)
{
	make_device(r, descriptor, sizeof descriptor, 1);
}

/* Opens the nodes that have come since. */
static void find_readers(struct linux_rig *r)
{
	DIR *dir = opendir("/dev/input");
	struct dirent *entry;

	while (dir && (entry = readdir(dir))) {
		char path[64];
		unsigned i = 0;

		snprintf(path, sizeof path, "/dev/input/%.40s", entry->d_name);
		while (i < r->reader_count &&
		       (r->readers[i].fd < 0 || strcmp(r->readers[i].path, path)))
			i++;
		if (strncmp(entry->d_name, "event", 5) || i < r->reader_count ||
		    r->reader_count == READERS)
			continue;
		r->readers[i].fd = open(path, O_RDONLY | O_NONBLOCK | O_CLOEXEC);
		memset(r->readers[i].down, 0, sizeof r->readers[i].down);
		snprintf(r->readers[i].path, sizeof r->readers[i].path, "%s", path);
		if (r->readers[i].fd >= 0)
			r->reader_count++;
	}
	if (dir)
		closedir(dir);
}

static void add_got(char *out, size_t size, uint16_t code, bool down)
{
	size_t n = strlen(out);

	assert_true(n + 64 < size);
	snprintf(out + n, size - n, "%s%c ", lurk_key_name(code), "-+"[down]);
}

/* Programs that came too late to read all ask what is down. */
static void catch_up(struct reader *reader, char *out, size_t size)
{
	unsigned char down[KEY_CNT / 8 + 1] = {0};

	ioctl(reader->fd, EVIOCGKEY(sizeof down), down);
	for (uint16_t code = 0; code < LURK_KEY_COUNT; code++) {
		bool was = reader->down[code / 64] >> code % 64 & 1;
		bool is = down[code / 8] >> code % 8 & 1;

		if (was == is || code == KEY_UNKNOWN)
			continue;
		reader->down[code / 64] ^= (uint64_t)1 << code % 64;
		add_got(out, size, code, is);
	}
}

/* A reader whose node goes away sees the releases of what it saw pressed, as programs do. */
static void read_reader(struct linux_rig *r, struct reader *reader)
{
	const size_t size = sizeof r->got;
	char *out = r->got;
	struct input_event e;
	ssize_t n;

	while ((n = read(reader->fd, &e, sizeof e)) == sizeof e) {
		reader->repeats += e.type == EV_KEY && e.value == 2;
		if (e.type == EV_SYN && e.code == SYN_DROPPED) {
			catch_up(reader, out, size);
			r->lost = true;
		}
		if (e.type != EV_KEY || e.value == 2 || e.code == KEY_UNKNOWN)
			continue;
		if (!e.value && !(reader->down[e.code / 64] >> e.code % 64 & 1))
			continue; /* a release without a press is nothing to a program */
		reader->down[e.code / 64] ^= (uint64_t)1 << e.code % 64;
		add_got(out, size, e.code, e.value);
	}
	if (n < 0 && errno == ENODEV) {
		for (uint16_t code = 0; code < LURK_KEY_COUNT; code++) {
			if (reader->down[code / 64] >> code % 64 & 1)
				add_got(out, size, code, false);
		}
		close(reader->fd);
		reader->fd = -1;
	}
}

static void rig_look(struct contract_rig *rig)
{
	struct linux_rig *r = rig->data;

	for (unsigned i = 0; i < r->reader_count; i++) {
		if (r->readers[i].fd >= 0)
			read_reader(r, &r->readers[i]);
	}
}

/* Into `got`: before anything that may take a node away, and with it what nobody has read yet. */
static void collect(struct linux_rig *r)
{
	for (int waited = 0; waited < QUIET_MS; waited += 10) {
		usleep(10000);
		rig_look(&r->rig);
		find_readers(r);
	}
}

static bool rig_got(struct contract_rig *rig, char *out, size_t size)
{
	struct linux_rig *r = rig->data;
	bool all;

	if (r->by_calls)
		rig_look(rig); /* nobody else does anything: all has come */
	else
		collect(r);
	snprintf(out, size, "%s", r->got);
	r->got[0] = '\0';
	all = !r->lost;
	r->lost = false;
	return all;
}

static void rig_press(struct contract_rig *rig, lurk_key key, bool down)
{
	struct linux_rig *r = rig->data;
	struct uhid_event e = {.type = UHID_INPUT2, .u.input2.size = sizeof r->report};
	uint8_t usage = 0;

	for (size_t i = 0; !usage; i++) {
		lurk_scan scan = lurk_key_scan(key, i);

		if (scan.kind == LURK_SCAN_HID && scan.code >> 16 == 7)
			usage = (uint8_t)scan.code;
	}
	for (int i = 2; i < 8; i++) {
		if (r->report[i] == (down ? 0 : usage)) {
			r->report[i] = down ? usage : 0;
			break;
		}
	}
	find_readers(r);
	memcpy(e.u.input2.data, r->report, sizeof r->report);
	write_uhid(r, &e);
	usleep(20000);
}

static void rig_plug(struct contract_rig *rig, bool in)
{
	struct linux_rig *r = rig->data;
	struct uhid_event e = {.type = UHID_DESTROY};

	collect(r);
	if (in) {
		make_keyboard(r);
	} else {
		write_uhid(r, &e);
		close(r->uhid);
		r->uhid = -1;
	}
	usleep(PLUG_US);
	find_readers(r);
}

/* A file that may not grow any more is as good as a power cut: what fitted is there. */
static void rig_cut_power(struct contract_rig *rig, size_t after_bytes)
{
	struct rlimit limit = {after_bytes, RLIM_INFINITY};

	(void)rig;
	signal(SIGXFSZ, SIG_IGN);
	setrlimit(RLIMIT_FSIZE, &limit);
}

static void rig_restart(struct contract_rig *rig)
{
	struct rlimit limit = {RLIM_INFINITY, RLIM_INFINITY};

	(void)rig;
	setrlimit(RLIMIT_FSIZE, &limit);
}

/* ---- What comes in the middle of a call --------------------------------------------------------
 */

/* What is pressed as soon as the kernel has the grab, before the port goes on; and how much the
 * port's clock is ahead, as it is where the computer was held up between an event's time and its
 * being given to anybody. */
static struct {
	struct linux_rig *rig;
	lurk_key key;
	bool down;
	long ahead_s;
	bool once_free, free; /* instead: once it is free again, and all that came has been read */
} middle;

/* Whose programs read, in the midst of what the port does. */
static struct linux_rig *programs;

/* Before one in so many of this process's calls. */
static struct {
	struct linux_rig *rig;
	uint64_t seed;
	unsigned one_in;
} hand;

/* A key more or less of those that a hand hammers. */
static bool strike(struct linux_rig *r, uint64_t *seed)
{
	static const uint8_t usages[] = {0x04, 0x05, 0x28};
	struct uhid_event e = {.type = UHID_INPUT2, .u.input2.size = sizeof r->report};
	unsigned key = random_next(seed) % 5;

	if (key < COUNT(usages))
		r->report[2 + key] = r->report[2 + key] ? 0 : usages[key];
	else
		r->report[0] ^= key == 3 ? 0x02 : 0x01; /* ShiftLeft, ControlLeft */
	memcpy(e.u.input2.data, r->report, sizeof r->report);
	return syscall(SYS_write, r->uhid, &e, sizeof e) == sizeof e;
}

static void before_a_call(void)
{
	if (hand.rig && random_next(&hand.seed) % hand.one_in == 0)
		assert_true(strike(hand.rig, &hand.seed));
}

static void press_in_the_middle(void)
{
	const lurk_key key = middle.key;
	const int error = errno;

	middle.key = LURK_KEY_NONE;
	rig_press(&middle.rig->rig, key, middle.down);
	errno = error;
}

int ioctl(int fd, unsigned long request, ...)
{
	va_list arguments;
	void *argument;
	int result;

	va_start(arguments, request);
	argument = va_arg(arguments, void *);
	va_end(arguments);
	before_a_call();
	if (request == EVIOCGRAB && programs)
		rig_look(&programs->rig);
	result = (int)syscall(SYS_ioctl, fd, request, argument);
	if (request == EVIOCGRAB && argument && middle.key && !middle.once_free)
		press_in_the_middle();
	middle.free = request == EVIOCGRAB ? !argument : middle.free;
	return result;
}

ssize_t read(int fd, void *bytes, size_t size)
{
	ssize_t result;

	before_a_call();
	result = syscall(SYS_read, fd, bytes, size);
	if (result < 0 && errno == EAGAIN && middle.key && middle.once_free && middle.free)
		press_in_the_middle();
	return result;
}

ssize_t write(int fd, const void *bytes, size_t size)
{
	before_a_call();
	return syscall(SYS_write, fd, bytes, size);
}

int clock_gettime(clockid_t clock, struct timespec *time)
{
	int result = (int)syscall(SYS_clock_gettime, clock, time);

	time->tv_sec += clock == CLOCK_REALTIME ? middle.ahead_s : 0;
	return result;
}

/* A hand of its own: a key more or less every few milliseconds, whatever the port does. */
static void hammer_on(struct linux_rig *r)
{
	uint64_t seed = (uint64_t)getpid();

	while (strike(r, &seed))
		usleep(5000 + random_next(&seed) % 20000);
	_exit(1);
}

/* In turn twice such a hand, and six times one that strikes between any two calls of the port. */
static void rig_hammer(struct contract_rig *rig, bool on)
{
	struct linux_rig *r = rig->data;

	if (on && !r->hammering) {
		r->hammering = true;
		hand.seed = ++r->hammered;
		hand.one_in = 8U << random_next(&hand.seed) % 4;
		r->by_calls = r->hammered / 2 % 4;
		if (r->by_calls) {
			hand.rig = r;
		} else {
			r->hammerer = fork();
			if (!r->hammerer)
				hammer_on(r);
			usleep(15000);
		}
	} else if (!on && r->hammering) {
		struct uhid_event e = {.type = UHID_INPUT2, .u.input2.size = sizeof r->report};

		r->hammering = false;
		hand.rig = NULL;
		if (r->hammerer) {
			kill(r->hammerer, SIGKILL);
			waitpid(r->hammerer, NULL, 0);
			r->hammerer = 0;
		}
		memset(r->report, 0, sizeof r->report);
		write_uhid(r, &e);
	}
}

static void rig_open(struct contract_rig *rig)
{
	usleep(100000);
	find_readers(rig->data);
}

static void find_number(struct linux_rig *r)
{
	struct lurk_port_keyboard keyboard;

	for (uint16_t i = 0; i < LURK_LINUX_KEYBOARDS; i++) {
		if (r->rig.port->calls->keyboard(r->rig.port, i, &keyboard) &&
		    keyboard.identity.vendor == 0xfade && keyboard.identity.product == r->product) {
			r->rig.number = i;
			return;
		}
	}
	fail_msg("the port does not see the keyboard");
}

static struct contract_rig *make(void)
{
	struct linux_rig *r = calloc(1, sizeof *r);
	struct lurk_message why;

	make_folder(r->folder);
	make_keyboard(r);
	usleep(PLUG_US);
	r->machine = lurk_linux_new(r->folder, NULL, &why);
	if (!r->machine)
		fail_msg("%s", why.text);
	r->rig = (struct contract_rig){.port = lurk_linux_port(r->machine),
				       .data = r,
				       .press = rig_press,
				       .plug = rig_plug,
				       .hammer = rig_hammer,
				       .look = rig_look,
				       .open = rig_open,
				       .got = rig_got,
				       .cut_power = rig_cut_power,
				       .restart = rig_restart};
	find_number(r);
	find_readers(r);
	programs = r;
	return &r->rig;
}

static void end(struct contract_rig *rig)
{
	struct linux_rig *r = rig->data;

	programs = NULL;
	lurk_linux_free(r->machine);
	if (r->uhid >= 0)
		close(r->uhid);
	for (unsigned i = 0; i < r->reader_count; i++) {
		if (r->readers[i].fd >= 0)
			close(r->readers[i].fd);
	}
	free(r);
	usleep(200000);
}

/* The kernel drops events that nobody reads in time. What was released meanwhile is released then;
 * what was pressed and released meanwhile is never pressed. */
static void lost_events_are_only_released(void **state)
{
	struct linux_rig *r = (struct linux_rig *)make()->data;
	struct lurk_port_event event;
	struct uhid_event e = {.type = UHID_INPUT2, .u.input2.size = sizeof r->report};
	bool down[LURK_KEY_COUNT] = {false};
	unsigned presses = 0;

	(void)state;
	r->rig.port->calls->listen(r->rig.port, r->rig.number, NULL, LURK_LISTEN_ALL);
	rig_press(&r->rig, LURK_KEY_A, true);
	for (unsigned i = 0; i < 400; i++) {
		e.u.input2.data[2] = i < 399 ? 0x04 : 0; /* A, and at last not any more */
		e.u.input2.data[3] = i % 2 ? 0 : 0x05;   /* B, again and again */
		write_uhid(r, &e);
	}
	usleep(PLUG_US);
	while (r->rig.port->calls->next(r->rig.port, &event)) {
		if (event.kind != LURK_PORT_KEY || event.keyboard != r->rig.number)
			continue;
		presses += event.key.state == LURK_DOWN;
		down[event.key.key] = event.key.state == LURK_DOWN;
	}
	assert_false(down[LURK_KEY_A] || down[LURK_KEY_B]);
	assert_true(presses > 0 && presses < 200); /* some were lost, or nothing was tried */
	end(&r->rig);
}

/* ---- In the middle of a grab -------------------------------------------------------------------
 */

/* "KeyA+ KeyA-": what the port tells of keys by now, and with a `!` what it says that programs saw.
 */
static void told_by(struct linux_rig *r, char *out, size_t size)
{
	struct lurk_port_event event;

	*out = '\0';
	while (r->rig.port->calls->next(r->rig.port, &event)) {
		if (event.keyboard == r->rig.number && event.kind == LURK_PORT_KEY)
			snprintf(out + strlen(out), size - strlen(out), "%s%c%s ",
				 lurk_key_name(event.key.key), "-+*"[event.key.state],
				 event.passed ? "!" : "");
	}
}

/* Whose a key is that comes between the grab and the port's next question is told by who got it,
 * and by no clock: it is the port's, and no press and no release of it is lost. */
static void what_comes_in_the_middle_of_a_grab(void **state)
{
	static const struct {
		bool held, down; /* before; and what comes then */
		long ahead_s;
		const char *told, *then;
	} rows[] = {
		{false, true, 0, "KeyA+ ", "KeyA- KeyA+ KeyA- "},
		{false, true, 5, "KeyA+ ", "KeyA- KeyA+ KeyA- "},
		{true, false, 0, "KeyA- ", "KeyA+ KeyA- "},
		{true, false, 5, "KeyA- ", "KeyA+ KeyA- "},
	};

	(void)state;
	for (size_t i = 0; i < COUNT(rows); i++) {
		struct linux_rig *r = (struct linux_rig *)make()->data;
		const struct lurk_port_class *calls = r->rig.port->calls;
		struct lurk_taken_held held;
		char told[256], before[256];

		assert_int_equal(calls->stand_in(r->rig.port, r->rig.number), LURK_OK);
		if (rows[i].held)
			rig_press(&r->rig, LURK_KEY_A, true);
		told_by(r, before, sizeof before);
		middle.rig = r;
		middle.key = LURK_KEY_A;
		middle.down = rows[i].down;
		middle.ahead_s = rows[i].ahead_s;
		assert_int_equal(calls->take(r->rig.port, r->rig.number, true, &held), LURK_OK);
		assert_int_equal(middle.key, LURK_KEY_NONE);
		assert_int_equal(held.count, rows[i].held);
		told_by(r, told, sizeof told);
		if (strcmp(told, rows[i].told) != 0)
			fail_msg("row %zu: %s, not %s", i, told, rows[i].told);
		middle.ahead_s = 0;
		for (const char *c = rows[i].then; (c = strpbrk(c, "+-")); c++)
			rig_press(&r->rig, LURK_KEY_A, *c == '+');
		told_by(r, told, sizeof told);
		if (strcmp(told, rows[i].then) != 0)
			fail_msg("row %zu, then: %s, not %s", i, told, rows[i].then);
		end(&r->rig);
	}
}

/* The same where it is given back: what reached everybody is nobody's alone, and is not sent again.
 */
static void what_comes_once_it_is_free(void **state)
{
	(void)state;
	for (long ahead_s = 0; ahead_s <= 5; ahead_s += 5) {
		struct linux_rig *r = (struct linux_rig *)make()->data;
		const struct lurk_port_class *calls = r->rig.port->calls;
		struct lurk_taken_held held;
		char told[256];

		assert_int_equal(calls->stand_in(r->rig.port, r->rig.number), LURK_OK);
		assert_int_equal(calls->take(r->rig.port, r->rig.number, true, &held), LURK_OK);
		told_by(r, told, sizeof told);
		middle.rig = r;
		middle.key = LURK_KEY_A;
		middle.down = middle.once_free = true;
		middle.free = false;
		middle.ahead_s = ahead_s;
		assert_int_equal(calls->give_back(r->rig.port, r->rig.number, false), LURK_OK);
		assert_int_equal(middle.key, LURK_KEY_NONE);
		middle.once_free = false;
		middle.ahead_s = 0;
		told_by(r, told, sizeof told);
		if (strcmp(told, "KeyA+! ") != 0)
			fail_msg("ahead by %ld s: %s", ahead_s, told);
		rig_press(&r->rig, LURK_KEY_A, false);
		end(&r->rig);
	}
}

/* Another program, as udev does when it is asked to apply its rules anew. */
static void others_set(struct linux_rig *r, uint32_t scan, uint16_t code)
{
	struct input_keymap_entry ke = {.len = 4, .keycode = code};
	bool found = false;

	memcpy(ke.scancode, &scan, sizeof scan);
	for (unsigned i = 0; i < r->reader_count; i++) { /* the machine has keyboards of its own */
		struct input_id id = {0};

		ioctl(r->readers[i].fd, EVIOCGID, &id);
		found |= id.vendor == 0xfade && !ioctl(r->readers[i].fd, EVIOCSKEYCODE_V2, &ke);
	}
	assert_true(found);
}

/* Nobody gives any more what programs hold: it is released for them all the same. */
static void what_programs_hold_is_taken_out_of_the_table(void **state)
{
	enum { KEY_A_SCAN = 0x70004, NET_S = 60 };
	struct linux_rig *r = (struct linux_rig *)make()->data;
	const struct lurk_port_class *calls = r->rig.port->calls;
	struct lurk_port_event event;
	struct lurk_taken_held held;

	(void)state;
	assert_int_equal(calls->stand_in(r->rig.port, r->rig.number), LURK_OK);
	rig_open(&r->rig);
	rig_press(&r->rig, LURK_KEY_A, true);
	assert_int_equal(calls->take(r->rig.port, r->rig.number, true, &held), LURK_OK);
	others_set(r, KEY_A_SCAN, KEY_F13);
	alarm(NET_S);
	assert_int_equal(calls->end_held(r->rig.port, r->rig.number), LURK_OK);
	alarm(0);
	collect(r);
	assert_string_equal(r->got, "KeyA+ KeyA- ");
	rig_press(&r->rig, LURK_KEY_A, false);
	while (calls->next(r->rig.port, &event))
		;
	assert_int_equal(calls->give_back(r->rig.port, r->rig.number, false), LURK_OK);
	end(&r->rig);
}

/* A keyboard is told once it had time for all its interfaces, also where that time is over just
 * before somebody sleeps until something happens. */
static void what_settles_before_a_sleep(void **state)
{
	enum { ROUNDS = 3, LONGER_THAN_THAT_US = 200000, MESSAGES = 200, NET_S = 60 };
	struct linux_rig *r = (struct linux_rig *)make()->data;
	struct lurk_port_event event;

	(void)state;
	for (unsigned round = 0; round < ROUNDS; round++) {
		bool told = false;

		rig_plug(&r->rig, false);
		while (r->rig.port->calls->next(r->rig.port, &event))
			;
		make_keyboard(r);
		usleep(LONGER_THAN_THAT_US);
		for (unsigned i = 0; i < MESSAGES; i++) /* all that the kernel has told */
			lurk_linux_wait(r->machine, 0, NULL, NULL);
		usleep(LONGER_THAN_THAT_US);
		alarm(NET_S);
		lurk_linux_wait(r->machine, LURK_NEVER, NULL, NULL);
		alarm(0);
		while (r->rig.port->calls->next(r->rig.port, &event))
			told = told || event.kind == LURK_PORT_PLUGGED;
		assert_true(told);
	}
	end(&r->rig);
}

/* How often programs see a key repeated that the port holds down for a while. */
static unsigned repeats_of(struct linux_rig *r, bool typed)
{
	struct lurk_frame frame = {.keyboard = r->rig.number,
				   .count = 1,
				   .strokes = {{LURK_KEY_A, LURK_DOWN}},
				   .typed = typed};
	unsigned repeats = 0;

	for (unsigned i = 0; i < r->reader_count; i++)
		r->readers[i].repeats = 0;
	assert_int_equal(r->rig.port->calls->send(r->rig.port, &frame), LURK_OK);
	usleep(HELD_US);
	frame.strokes[0].state = LURK_UP;
	assert_int_equal(r->rig.port->calls->send(r->rig.port, &frame), LURK_OK);
	collect(r);
	for (unsigned i = 0; i < r->reader_count; i++)
		repeats += r->readers[i].repeats;
	return repeats;
}

/* What is typed has each letter once, even where the machine is held up before a release. */
static void only_what_is_typed_does_not_repeat(void **state)
{
	struct linux_rig *r = (struct linux_rig *)make()->data;
	struct lurk_taken_held held;
	struct lurk_port_event event;

	(void)state;
	assert_int_equal(r->rig.port->calls->stand_in(r->rig.port, r->rig.number), LURK_OK);
	assert_int_equal(r->rig.port->calls->take(r->rig.port, r->rig.number, true, &held),
			 LURK_OK);
	usleep(PLUG_US);
	find_readers(r);
	for (unsigned round = 0; round < 2; round++) {
		assert_true(repeats_of(r, false) > 0);
		assert_int_equal(repeats_of(r, true), 0);
		while (r->rig.port->calls->next(r->rig.port, &event))
			;
	}
	end(&r->rig);
}

/* ---- The desk's odd keyboards, and a session ---------------------------------------------------
 */

enum { IMAGE = 16384, KEYMAPS = 1 << 16 };

/* "+07:39": the usage by the first report; "+0c:e2" by the second; "+n:39" by the bitmap. */
static void odd_press(struct linux_rig *r, const char *press)
{
	static uint8_t boot[9] = {1}, consumer[3] = {2}, bits[14] = {3};
	struct uhid_event e = {.type = UHID_INPUT2};
	unsigned usage = (unsigned)strtoul(strchr(press, ':') + 1, NULL, 16);
	bool down = *press == '+';

	if (press[1] == 'n') {
		bits[1 + usage / 8] = (uint8_t)(down ? bits[1 + usage / 8] | 1 << usage % 8
						     : bits[1 + usage / 8] & ~(1 << usage % 8));
		e.u.input2.size = sizeof bits;
		memcpy(e.u.input2.data, bits, sizeof bits);
	} else if (press[2] == 'c') {
		consumer[1] = down ? (uint8_t)usage : 0;
		e.u.input2.size = sizeof consumer;
		memcpy(e.u.input2.data, consumer, sizeof consumer);
	} else {
		boot[3] = down ? (uint8_t)usage : 0;
		e.u.input2.size = sizeof boot;
		memcpy(e.u.input2.data, boot, sizeof boot);
	}
	write_uhid(r, &e);
	usleep(20000);
}

/* Rules, presses, what programs get; by the table and by the relay. The second described keyboard's
 * F13 never sends its release, as Heron's Perch. */
static const struct {
	uint16_t product;
	const char *rules;
	uint8_t way;
	const char *presses, *got;
} odd[] = {
	/* a usage declared twice: both entries change */
	{1, "CapsLock<>Escape", LURK_WAY_TABLE, "+07:39 -07:39 +n:39 -n:39",
	 "Escape+ Escape- Escape+ Escape- "},
	{1, "Tab>nothing", LURK_WAY_RELAY, "+07:2b -07:2b +n:2b -n:2b +n:04 -n:04", "KeyA+ KeyA- "},
	{1, "CapsLock>Insert", LURK_WAY_RELAY, "+07:39 -07:39 +n:39 -n:39",
	 "Insert+ Insert- Insert+ Insert- "},
	/* a key whose code has no name */
	{1, "", LURK_WAY_PLAIN, "+07:a5 -07:a5 +07:04 -07:04", "KeyA+ KeyA- "},
	{1, "hid:07:a5>F13; F13>nothing", LURK_WAY_TABLE, "+07:a5 -07:a5 +07:68 -07:68",
	 "F13+ F13- "},
	{1, "hid:07:a5>F13", LURK_WAY_RELAY, "+07:a5 -07:a5 +07:68 -07:68", "F13+ F13- F13+ F13- "},
	/* two keys with one code: a rule changes both */
	{1, "F13>F14; F14>nothing", LURK_WAY_RELAY, "+07:68 -07:68 +07:68 -07:68",
	 "F14+ F14- F14+ F14- "},
	/* a knob's turn and click, from another interface */
	{1, "AudioVolumeMute>Tab", LURK_WAY_RELAY, "+0c:e9 -0c:e9 +0c:e2 -0c:e2 +07:2b -07:2b",
	 "AudioVolumeUp+ AudioVolumeUp- Tab+ Tab- Tab+ Tab- "},
	/* more keys at once than a boot report holds */
	{1, "CapsLock>Insert", LURK_WAY_RELAY,
	 "+n:04 +n:05 +n:06 +n:07 +n:08 +n:09 +n:0a +n:39 -n:04 -n:05 -n:06 -n:07 -n:08 -n:09 "
	 "-n:0a "
	 "-n:39",
	 "KeyA+ KeyB+ KeyC+ KeyD+ KeyE+ KeyF+ KeyG+ Insert+ KeyA- KeyB- KeyC- KeyD- KeyE- KeyF- "
	 "KeyG- "
	 "Insert- "},
	/* a key that never sends its release is a tap */
	{2, "", LURK_WAY_RELAY, "+n:04 +07:68 -n:04", "KeyA+ F13+ F13- KeyA- "},
	{2, "F13>Tab", LURK_WAY_RELAY, "+07:68 -07:68 +n:04 -n:04", "Tab+ Tab- KeyA+ KeyA- "},
};

static void step_all(struct lurk_session *session)
{
	/* Keyboards that were there before are taken once their stand-ins are open. */
	while (lurk_session_run(session) != LURK_NEVER)
		usleep(1000);
}

static struct linux_rig *make_on_odd(uint16_t product)
{
	struct linux_rig *r = calloc(1, sizeof *r);
	struct lurk_message why;

	make_folder(r->folder);
	make_device(r, odd_descriptor, sizeof odd_descriptor, product);
	usleep(PLUG_US);
	r->machine = lurk_linux_new(r->folder, NULL, &why);
	assert_non_null(r->machine);
	r->rig = (struct contract_rig){.port = lurk_linux_port(r->machine), .data = r};
	return r;
}

static void start_on(struct lurk_session *session, struct linux_rig *r)
{
	static struct lurk_session_keyboard keyboards[LURK_LINUX_KEYBOARDS];
	static struct lurk_engine_keyboard engines[LURK_LINUX_KEYBOARDS];
	static uint8_t images[2][IMAGE];
	static _Alignas(16) uint8_t keymaps[2][KEYMAPS];
	const struct lurk_session_memory memory = {.keyboards = keyboards,
						   .engine_keyboards = engines,
						   .keyboard_count = LURK_LINUX_KEYBOARDS,
						   .images = {images[0], images[1]},
						   .image_size = IMAGE,
						   .keymaps = {keymaps[0], keymaps[1]},
						   .keymap_size = KEYMAPS};

	assert_int_equal(lurk_session_start(session, &memory, r->rig.port), LURK_OK);
	step_all(session);
}

/* Brings rules into force, by the relay where that is asked for, and sees that the way is that. */
static void apply_on(struct lurk_session *session, struct linux_rig *r, const char *text,
		     uint8_t way)
{
	static struct test_rules rules;
	struct lurk_apply_report report;

	test_rules_read(&rules, text);
	rules.way = way;
	assert_int_equal(test_rules_image(&rules), LURK_OK);
	assert_int_equal(
		lurk_session_apply(session, NULL, rules.bytes, rules.length, LURK_NO_TEXT, &report),
		LURK_OK);
	find_number(r);
	assert_int_equal(session->memory.keyboards[r->rig.number].choice.way, way);
	step_all(session);
	collect(r);
	r->got[0] = '\0';
}

static void odd_row(struct linux_rig *r, size_t row)
{
	static struct lurk_session session;
	char copy[512], *rest = copy, *one;

	start_on(&session, r);
	apply_on(&session, r, odd[row].rules, odd[row].way);
	snprintf(copy, sizeof copy, "%s", odd[row].presses);
	while ((one = strsep(&rest, " "))) {
		odd_press(r, one);
		step_all(&session);
	}
	collect(r);
	if (strcmp(r->got, odd[row].got))
		fail_msg("%s: pressed %s, got %s", odd[row].rules, odd[row].presses, r->got);
	printf("OK: %s: pressed %s, got %s\n", *odd[row].rules ? odd[row].rules : "(no rule)",
	       odd[row].presses, r->got);
	lurk_session_stop(&session);
}

static void the_desks_odd_keyboards(void **state)
{
	(void)state;
	for (size_t row = 0; row < COUNT(odd); row++) {
		struct linux_rig *r = make_on_odd(odd[row].product);

		odd_row(r, row);
		end(&r->rig);
	}
}

/* ---- The same by the table and by the relay ----------------------------------------------------
 */

/* What programs get of random presses under the rules. */
static void play_a_way(const char *rules, uint8_t way, uint64_t seed, char got[CONTRACT_GOT])
{
	static const uint8_t usages[] = {0x04, 0x05, 0x29, 0x2a, 0x2b, 0x39, 0xe1, 0xe3, 0xe6};
	static struct lurk_session session;
	struct linux_rig *r = make_on_odd(1);
	bool down[COUNT(usages)] = {false};

	start_on(&session, r);
	apply_on(&session, r, rules, way);
	for (unsigned i = 0; i < 24 + COUNT(usages); i++) {
		unsigned key = i < 24 ? random_next(&seed) % COUNT(usages) : i - 24;
		struct uhid_event e = {.type = UHID_INPUT2, .u.input2 = {.size = 9, .data = {1}}};
		unsigned slot = 3;

		down[key] = i < 24 && !down[key];
		for (unsigned k = 0; k < COUNT(usages); k++) {
			if (down[k] && usages[k] >= 0xe0)
				e.u.input2.data[1] |= (uint8_t)(1U << (usages[k] - 0xe0));
			else if (down[k] && slot < 9)
				e.u.input2.data[slot++] = usages[k];
		}
		write_uhid(r, &e);
		usleep(15000);
		step_all(&session);
	}
	collect(r);
	snprintf(got, CONTRACT_GOT, "%s", r->got);
	lurk_session_stop(&session);
	end(&r->rig);
}

static void both_ways_give_the_same(void **state)
{
	static const char *const rules[] = {
		"CapsLock<>Escape; Control<>Meta; KeyA<>KeyB",
		"CapsLock<>ShiftLeft; KeyA>nothing; Tab<>MetaLeft",
		"KeyB<>Tab; Backspace>nothing; ControlRight<>CapsLock",
	};

	(void)state;
	for (size_t i = 0; i < COUNT(rules); i++) {
		char table[CONTRACT_GOT], relay[CONTRACT_GOT];

		play_a_way(rules[i], LURK_WAY_TABLE, i + 1, table);
		play_a_way(rules[i], LURK_WAY_RELAY, i + 1, relay);
		if (strcmp(table, relay))
			fail_msg("%s: by the table %s, by the relay %s", rules[i], table, relay);
		printf("OK: %s: by the table and by the relay %s\n", rules[i], table);
	}
}

int main(void)
{
	const struct CMUnitTest tests[] = {
		cmocka_unit_test(lost_events_are_only_released),
		cmocka_unit_test(what_comes_in_the_middle_of_a_grab),
		cmocka_unit_test(what_comes_once_it_is_free),
		cmocka_unit_test(what_programs_hold_is_taken_out_of_the_table),
		cmocka_unit_test(what_settles_before_a_sleep),
		cmocka_unit_test(only_what_is_typed_does_not_repeat),
		cmocka_unit_test(the_desks_odd_keyboards),
		cmocka_unit_test(both_ways_give_the_same)};
	int failed = contract_run("contract, Linux", make, end);

	return cmocka_run_group_tests_name("Linux", tests, NULL, NULL) + failed;
}
