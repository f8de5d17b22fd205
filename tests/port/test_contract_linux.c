/* The contract, against the running kernel: the keyboard is made with uhid, and what programs get
 * is read from every event node but the port's own view of them. Needs root, uhid and uinput: runs
 * in the virtual machine (`./dev vm`). */
#include "contract.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <linux/uhid.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <sys/resource.h>
#include <unistd.h>

#include "port/linux/linux.h"

enum { READERS = 64, QUIET_MS = 150, PLUG_US = 500000 };

/* A boot keyboard: eight modifiers, six slots of the keyboard page. */
static const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0,
				     0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
				     0x81, 0x02, 0x95, 0x01, 0x75, 0x08, 0x81, 0x03, 0x95, 0x06,
				     0x75, 0x08, 0x15, 0x00, 0x26, 0xff, 0x00, 0x05, 0x07, 0x19,
				     0x00, 0x2a, 0xff, 0x00, 0x81, 0x00, 0xc0};

struct linux_rig {
	struct contract_rig rig;
	struct lurk_linux *machine;
	int uhid;
	uint8_t report[8];
	char folder[64];
	struct reader {
		int fd;
		char path[64];
		uint64_t down[12]; /* keys that this reader saw going down */
	} readers[READERS];
	unsigned reader_count;
	char got[1024];
};

static void write_uhid(struct linux_rig *r, const struct uhid_event *e)
{
	if (write(r->uhid, e, sizeof *e) != sizeof *e)
		fail_msg("uhid: %s", strerror(errno));
}

static void make_keyboard(struct linux_rig *r)
{
	struct uhid_event e = {.type = UHID_CREATE2};

	r->uhid = open("/dev/uhid", O_RDWR | O_CLOEXEC | O_NONBLOCK);
	if (r->uhid < 0)
		fail_msg("/dev/uhid: %s", strerror(errno));
	snprintf((char *)e.u.create2.name, sizeof e.u.create2.name, "Wagtail");
	memcpy(e.u.create2.rd_data, descriptor, sizeof descriptor);
	e.u.create2.rd_size = sizeof descriptor;
	e.u.create2.bus = BUS_USB;
	e.u.create2.vendor = 0xfade;
	e.u.create2.product = 1;
	memset(r->report, 0, sizeof r->report);
	write_uhid(r, &e);
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

	snprintf(out + n, size - n, "%s%c ", lurk_key_name(code), "-+"[down]);
}

/* A reader whose node goes away sees the releases of what it saw pressed, as programs do. */
static void read_reader(struct reader *reader, char *out, size_t size)
{
	struct input_event e;
	ssize_t n;

	while ((n = read(reader->fd, &e, sizeof e)) == sizeof e) {
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

/* Into `got`: before anything that may take a node away, and with it what nobody has read yet. */
static void collect(struct linux_rig *r)
{
	for (int waited = 0; waited < QUIET_MS; waited += 10) {
		usleep(10000);
		for (unsigned i = 0; i < r->reader_count; i++) {
			if (r->readers[i].fd >= 0)
				read_reader(&r->readers[i], r->got, sizeof r->got);
		}
		find_readers(r);
	}
}

static void rig_got(struct contract_rig *rig, char *out, size_t size)
{
	struct linux_rig *r = rig->data;

	collect(r);
	snprintf(out, size, "%s", r->got);
	r->got[0] = '\0';
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

static void find_number(struct linux_rig *r)
{
	struct lurk_port_keyboard keyboard;

	for (uint16_t i = 0; i < LURK_LINUX_KEYBOARDS; i++) {
		if (r->rig.port->class->keyboard(r->rig.port, i, &keyboard) &&
		    keyboard.identity.vendor == 0xfade) {
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

	snprintf(r->folder, sizeof r->folder, "/tmp/lurk-test-XXXXXX");
	assert_non_null(mkdtemp(r->folder));
	make_keyboard(r);
	usleep(PLUG_US);
	r->machine = lurk_linux_new(r->folder, &why);
	if (!r->machine)
		fail_msg("%s", why.text);
	r->rig = (struct contract_rig){.port = lurk_linux_port(r->machine),
				       .data = r,
				       .press = rig_press,
				       .plug = rig_plug,
				       .got = rig_got,
				       .cut_power = rig_cut_power,
				       .restart = rig_restart};
	find_number(r);
	find_readers(r);
	return &r->rig;
}

static void end(struct contract_rig *rig)
{
	struct linux_rig *r = rig->data;

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
	r->rig.port->class->listen(r->rig.port, r->rig.number, true);
	rig_press(&r->rig, LURK_KEY_A, true);
	for (unsigned i = 0; i < 400; i++) {
		e.u.input2.data[2] = i < 399 ? 0x04 : 0; /* A, and at last not any more */
		e.u.input2.data[3] = i % 2 ? 0 : 0x05;   /* B, again and again */
		write_uhid(r, &e);
	}
	usleep(PLUG_US);
	while (r->rig.port->class->next(r->rig.port, &event)) {
		if (event.kind != LURK_PORT_KEY || event.keyboard != r->rig.number)
			continue;
		presses += event.key.state == LURK_DOWN;
		down[event.key.key] = event.key.state == LURK_DOWN;
	}
	assert_false(down[LURK_KEY_A] || down[LURK_KEY_B]);
	assert_true(presses > 0 && presses < 200); /* some were lost, or nothing was tried */
	end(&r->rig);
}

int main(void)
{
	const struct CMUnitTest tests[] = {cmocka_unit_test(lost_events_are_only_released)};
	int failed = contract_run("contract, Linux", make, end);

	return cmocka_run_group_tests_name("Linux", tests, NULL, NULL) + failed;
}
