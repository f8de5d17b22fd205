/* Inside the virtual machine: keyboards made with uhid, pressed and timed against the running
 * service. probe WHAT PID N, where PID is the service's process:
 *
 *  - table: N presses on a keyboard in the table way
 *  - delay: N events through the service's relay, and N through the least possible one
 *  - press: N events through the service's relay
 *  - plug: N times plugged in and out again
 *  - idle: N seconds in which nothing comes that the service has to hear of
 *  - down: which keys any event node holds down
 *  - meddle: puts an entry of the USB keyboard's table back behind Lurk's back: KeyQ gives KeyQ
 *  - slow: reads what comes through the relay, 50 ms apart, until nothing does, N seconds at most:
 *    how many presses, whether any were lost, and how far apart two looks really were at most
 *  - british: gives the console the keys of a British keyboard that the tests press or type
 *  - touchpad: makes one, for N seconds
 *  - hold: takes QEMU's USB keyboard for N seconds
 */
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <linux/kd.h>
#include <linux/uhid.h>
#include <linux/vt.h>
#include <poll.h>
#include <signal.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/inotify.h>
#include <sys/ioctl.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include <libevdev/libevdev-uinput.h>
#include <libudev.h>

enum { TABLED = 3, RELAYED = 1, LEAST = 2, WARM_UP = 50, PAUSE_US = 3000, PATIENCE_MS = 120000 };

static const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0,
				     0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
				     0x81, 0x02, 0x95, 0x01, 0x75, 0x08, 0x81, 0x03, 0x95, 0x06,
				     0x75, 0x08, 0x15, 0x00, 0x26, 0xff, 0x00, 0x05, 0x07, 0x19,
				     0x00, 0x2a, 0xff, 0x00, 0x81, 0x00, 0xc0};

static void fail(const char *what)
{
	printf("probe: %s: %s\n", what, strerror(errno));
	exit(1);
}

static double now_us(void)
{
	struct timespec now;

	clock_gettime(CLOCK_MONOTONIC, &now);
	return (double)now.tv_sec * 1e6 + (double)now.tv_nsec / 1e3;
}

/* ---- Keyboards ------------------------------------------------------------------------------- */

static void write_uhid(int fd, const struct uhid_event *event)
{
	if (write(fd, event, sizeof *event) != sizeof *event)
		fail("uhid");
}

static int plug(unsigned product)
{
	struct uhid_event e = {.type = UHID_CREATE2};
	int fd = open("/dev/uhid", O_RDWR | O_CLOEXEC);

	if (fd < 0)
		fail("/dev/uhid");
	snprintf((char *)e.u.create2.name, sizeof e.u.create2.name, "Probe %u", product);
	snprintf((char *)e.u.create2.phys, sizeof e.u.create2.phys, "probe-%u", product);
	e.u.create2.bus = BUS_USB;
	e.u.create2.vendor = 0xfade;
	e.u.create2.product = product;
	e.u.create2.rd_size = sizeof descriptor;
	memcpy(e.u.create2.rd_data, descriptor, sizeof descriptor);
	write_uhid(fd, &e);
	return fd;
}

static void unplug(int fd)
{
	struct uhid_event e = {.type = UHID_DESTROY};

	write_uhid(fd, &e);
	close(fd);
}

static void press(int fd, uint8_t usage)
{
	struct uhid_event e = {.type = UHID_INPUT2, .u.input2.size = 8};

	e.u.input2.data[2] = usage;
	write_uhid(fd, &e);
}

/* Whether it is a virtual one of the service's. */
static bool is_stand_in(int fd)
{
	char phys[80] = "";

	ioctl(fd, EVIOCGPHYS(sizeof phys), phys);
	return !strncmp(phys, "lurk/relay", 10);
}

/* The node with that name, opened; waits until it is there. */
static int find_node(const char *name, bool stand_in)
{
	char path[300], is[80];

	for (int waited = 0; waited < PATIENCE_MS; waited += 5) {
		DIR *dir = opendir("/dev/input");
		struct dirent *entry;

		while (dir && (entry = readdir(dir))) {
			int fd;

			if (strncmp(entry->d_name, "event", 5))
				continue;
			snprintf(path, sizeof path, "/dev/input/%s", entry->d_name);
			fd = open(path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
			if (fd >= 0 && ioctl(fd, EVIOCGNAME(sizeof is), is) >= 0 &&
			    !strcmp(is, name) && stand_in == is_stand_in(fd)) {
				closedir(dir);
				return fd;
			}
			if (fd >= 0)
				close(fd);
		}
		if (dir)
			closedir(dir);
		usleep(5000);
	}
	errno = ENOENT;
	fail(name);
	return -1;
}

static int open_node(const char *name)
{
	return find_node(name, false);
}

/* The virtual node that speaks for it. */
static int open_stand_in(const char *name)
{
	return find_node(name, true);
}

static bool get_key_within(int fd, uint16_t code, int patience_ms)
{
	struct input_event e;
	struct pollfd ready = {fd, POLLIN, 0};

	for (;;) {
		ssize_t n = read(fd, &e, sizeof e);

		if (n == sizeof e && e.type == EV_KEY && e.code == code && e.value != 2)
			return true;
		if (n != sizeof e && poll(&ready, 1, patience_ms) <= 0)
			return false;
	}
}

static bool get_key(int fd, uint16_t code)
{
	return get_key_within(fd, code, PATIENCE_MS);
}

/* Presses KeyB until one arrives: the way is then the one that it stays. */
static void await_way(int keyboard, int out)
{
	for (int waited = 0; waited < PATIENCE_MS; waited += 500) {
		press(keyboard, 0x05);
		press(keyboard, 0);
		if (get_key_within(out, KEY_B, 500))
			return;
	}
	fail("no key arrives");
}

/* Whether the table gives MetaLeft for ControlLeft, as the rules want. */
static bool in_force(int fd)
{
	struct input_keymap_entry e = {.len = 4, .scancode = {0xe0, 0x00, 0x07, 0x00}};

	return ioctl(fd, EVIOCGKEYCODE_V2, &e) == 0 && e.keycode == KEY_LEFTMETA;
}

static void await_force(int fd)
{
	/* Seldom enough to leave the one processor to the service. */
	for (double until = now_us() + PATIENCE_MS * 1e3; !in_force(fd); usleep(2000)) {
		if (now_us() > until) {
			/* While it can still be asked what the service makes of it. */
			if (system("lurk status; tail -n 20 /tmp/lurkd.log; dmesg | tail -n 8"))
				puts("probe: the service could not be asked");
			fail("the rules never came into force");
		}
	}
}

/* ---- The service's process ------------------------------------------------------------------- */

static unsigned long proc_sum(int pid, const char *file, const char *field)
{
	char path[64], line[256];
	unsigned long sum = 0, value;
	FILE *f;

	snprintf(path, sizeof path, "/proc/%d/%s", pid, file);
	f = fopen(path, "r");
	if (!f)
		fail(path);
	while (fgets(line, sizeof line, f)) {
		char *colon = strchr(line, ':');

		if (colon && strstr(line, field) && strstr(line, field) < colon &&
		    sscanf(colon + 1, "%lu", &value) == 1)
			sum += value;
	}
	fclose(f);
	return sum;
}

static unsigned long switches(int pid)
{
	return proc_sum(pid, "status", "ctxt_switches");
}

/* Not merely asleep in the kernel, as where that waits for readers to be gone; and for as long as
 * it takes. */
static bool waits_for_events(int pid)
{
	char path[64];
	unsigned long timeout = 0;
	long call = -1;
	FILE *f;

	snprintf(path, sizeof path, "/proc/%d/syscall", pid);
	f = fopen(path, "r");
	if (!f || fscanf(f, "%ld %*x %*x %*x %lx", &call, &timeout) != 2)
		call = -1;
	if (f)
		fclose(f);
	return call == SYS_epoll_wait && (int)timeout == -1;
}

/* Until it has done what it had to do: for half a second it waited for events, and none came. */
static void await_rest(int pid)
{
	unsigned long before = switches(pid), now;

	for (int quiet = 0; quiet < 10; before = now) {
		usleep(50000);
		now = switches(pid);
		quiet = now == before && waits_for_events(pid) ? quiet + 1 : 0;
	}
}

static unsigned long private_kib(int pid)
{
	return proc_sum(pid, "smaps_rollup", "Private_");
}

static unsigned descriptors(int pid)
{
	char path[64];
	unsigned count = 0;
	DIR *dir;

	snprintf(path, sizeof path, "/proc/%d/fd", pid);
	dir = opendir(path);
	while (dir && readdir(dir))
		count++;
	if (dir)
		closedir(dir);
	return count;
}

/* ---- What is measured ------------------------------------------------------------------------ */

static int table(int pid, int n)
{
	int keyboard = plug(TABLED), node = open_node("Probe 3"), arrived = 0;
	unsigned long before;

	await_force(node);
	await_rest(pid);           /* it changes the table before it listens */
	await_way(keyboard, node); /* the first press tells that the keyboard is used */
	await_rest(pid);
	before = switches(pid);
	for (int i = 0; i < n; i++) {
		press(keyboard, 0x04);
		arrived += get_key(node, KEY_A);
		press(keyboard, 0);
		arrived += get_key(node, KEY_A);
	}
	printf("measured table: %d presses, %d events arrived, lurkd ran %lu times\n", n, arrived,
	       switches(pid) - before);
	unplug(keyboard);
	return 0;
}

static int by_size(const void *a, const void *b)
{
	double d = *(const double *)a - *(const double *)b;

	return d < 0 ? -1 : d > 0;
}

/* Reads and writes, and nothing else. */
static void least_relay(int node)
{
	struct libevdev *like;
	struct libevdev_uinput *out;
	struct input_event events[64];

	if (libevdev_new_from_fd(node, &like))
		exit(1);
	libevdev_set_name(like, "Least");
	if (libevdev_uinput_create_from_device(like, LIBEVDEV_UINPUT_OPEN_MANAGED, &out) ||
	    ioctl(node, EVIOCGRAB, 1))
		exit(1);
	fcntl(node, F_SETFL, 0);
	for (;;) {
		ssize_t n = read(node, events, sizeof events);

		if (n <= 0 || write(libevdev_uinput_get_fd(out), events, (size_t)n) != n)
			exit(0);
	}
}

static double one_delay(int keyboard, int out, uint8_t usage)
{
	double start = now_us();

	press(keyboard, usage);
	if (!get_key(out, KEY_A))
		fail("a key did not arrive");
	start = now_us() - start;
	usleep(PAUSE_US);
	return start;
}

static int delay(int pid, int n)
{
	int ours = plug(RELAYED), least = plug(LEAST), node = open_node("Probe 2"), out[2];
	double *times[2] = {calloc((size_t)n, sizeof(double)), calloc((size_t)n, sizeof(double))};
	pid_t child;

	(void)pid;
	child = fork();
	if (!child)
		least_relay(node);
	out[0] = open_stand_in("Probe 1");
	out[1] = open_node("Least");
	await_way(ours, out[0]);
	await_way(least, out[1]);
	for (int i = -WARM_UP; i < n; i++) {
		for (int which = 0; which < 2; which++) {
			double time =
				one_delay(which ? least : ours, out[which], i % 2 ? 0x00 : 0x04);

			if (i >= 0)
				times[which][i] = time;
		}
	}
	kill(child, SIGKILL);
	waitpid(child, NULL, 0);
	for (int which = 0; which < 2; which++)
		qsort(times[which], (size_t)n, sizeof(double), by_size);
	printf("measured delay: %d events each, median %.0f us against %.0f us: %.2f times; 99th "
	       "percentile %.0f us against %.0f us: %.2f times\n",
	       n, times[0][n / 2], times[1][n / 2], times[0][n / 2] / times[1][n / 2],
	       times[0][n * 99 / 100], times[1][n * 99 / 100],
	       times[0][n * 99 / 100] / times[1][n * 99 / 100]);
	unplug(ours);
	unplug(least);
	return 0;
}

static int press_only(int pid, int n)
{
	int keyboard = plug(RELAYED), out = open_stand_in("Probe 1");

	await_way(keyboard, out);
	while (!proc_sum(pid, "status", "TracerPid")) /* who counts has begun */
		usleep(50000);
	await_rest(pid);
	for (int i = 0; i < n; i++)
		one_delay(keyboard, out, i % 2 ? 0x00 : 0x04);
	printf("pressed %d\n", n);
	await_rest(pid);
	unplug(keyboard);
	return 0;
}

/* From udev's event, or the kernel's where no udev runs, to the changed table. */
static double force_delay_ms(struct udev_monitor *monitor)
{
	struct pollfd ready = {udev_monitor_get_fd(monitor), POLLIN, 0};

	while (poll(&ready, 1, PATIENCE_MS) > 0) {
		struct udev_device *device = udev_monitor_receive_device(monitor);
		const char *node = device ? udev_device_get_devnode(device) : NULL;
		const char *action = device ? udev_device_get_action(device) : NULL;
		double start = now_us();

		if (node && action && !strcmp(action, "add") && strstr(node, "/event")) {
			int fd = open(node, O_RDWR | O_CLOEXEC);
			char is[80] = "";

			/* Not the stand-in of one that is gone again. */
			if (fd >= 0 && ioctl(fd, EVIOCGNAME(sizeof is), is) >= 0 &&
			    !strcmp(is, "Probe 3") && !is_stand_in(fd)) {
				udev_device_unref(device);
				await_force(fd);
				close(fd);
				return (now_us() - start) / 1e3;
			}
			if (fd >= 0)
				close(fd);
		}
		if (device)
			udev_device_unref(device);
	}
	fail("no udev event");
	return 0;
}

static int plug_cycles(int pid, int n)
{
	bool udev_runs = access("/run/udev/control", F_OK) == 0;
	struct udev *udev = udev_new();
	struct udev_monitor *monitor =
		udev_monitor_new_from_netlink(udev, udev_runs ? "udev" : "kernel");
	double *times = calloc((size_t)n, sizeof(double));
	unsigned long kib = 0, half = 0;
	unsigned fds = 0;

	udev_monitor_filter_add_match_subsystem_devtype(monitor, "input", NULL);
	udev_monitor_enable_receiving(monitor);
	for (int i = n < WARM_UP ? -1 : -WARM_UP; i < n; i++) {
		int keyboard = plug(TABLED);
		double time = force_delay_ms(monitor);

		if (i >= 0)
			times[i] = time;
		unplug(keyboard);
		usleep(2000);
		if (i == -1 || i == n / 2)
			await_rest(pid);
		if (i == -1) {
			kib = private_kib(pid);
			fds = descriptors(pid);
		}
		if (i == n / 2)
			half = private_kib(pid);
	}
	await_rest(pid);
	qsort(times, (size_t)n, sizeof(double), by_size);
	/* A few may fall into a pause of the machine that the virtual one runs on. */
	printf("measured plug: %d cycles, in force after %.1f ms (median), %.1f ms (all but one in "
	       "a "
	       "hundred), %.1f ms (most); descriptors %u then %u; private memory %lu, half way "
	       "%lu, at the end %lu KiB\n",
	       n, times[n / 2], times[n - 1 - n / 100], times[n - 1], fds, descriptors(pid), kib,
	       half, private_kib(pid));
	return 0;
}

/* ---- Nothing -------------------------------------------------------------------------------- */

/* What the service has to hear of: devices that come, go and change, and who sits down. */
struct news {
	struct udev_monitor *devices;
	int people;
};

static struct news listen_to_news(void)
{
	static const char *const folders[] = {"/run/systemd/seats", "/run/systemd/sessions",
					      "/run/systemd/users", "/run/systemd/machines"};
	struct news news = {udev_monitor_new_from_netlink(udev_new(), "udev"),
			    inotify_init1(IN_NONBLOCK | IN_CLOEXEC)};

	udev_monitor_filter_add_match_subsystem_devtype(news.devices, "input", NULL);
	udev_monitor_enable_receiving(news.devices);
	for (size_t i = 0; i < sizeof folders / sizeof *folders; i++)
		inotify_add_watch(news.people, folders[i], IN_MOVED_TO | IN_DELETE);
	return news;
}

/* How many came since it was asked last, each told. */
static unsigned hear(struct news *news)
{
	char people[4096];
	unsigned count = 0;
	ssize_t length;

	for (struct udev_device *d; (d = udev_monitor_receive_device(news->devices)); count++) {
		printf("heard: %s %s\n", udev_device_get_action(d), udev_device_get_syspath(d));
		udev_device_unref(d);
	}
	for (; (length = read(news->people, people, sizeof people)) > 0; count++)
		printf("heard: %zd bytes of people\n", length);
	return count;
}

/* For as long as nothing is told of that it has to hear of: where something was, it begins again.
 */
static int idle(int pid, int seconds)
{
	struct news news = listen_to_news();
	unsigned long before;

	do {
		hear(&news); /* before the rest: what came by then is done with after it */
		await_rest(pid);
		before = switches(pid);
		sleep((unsigned)seconds);
	} while (hear(&news));
	printf("measured idle: %d seconds, lurkd ran %lu times; private memory %lu KiB\n", seconds,
	       switches(pid) - before, private_kib(pid));
	return 0;
}

static int down(int pid, int n)
{
	struct dirent *entry;
	DIR *dir = opendir("/dev/input");
	int count = 0;

	(void)pid;
	(void)n;
	while (dir && (entry = readdir(dir))) {
		unsigned char keys[KEY_CNT / 8] = {0};
		char path[300];
		int fd;

		if (strncmp(entry->d_name, "event", 5))
			continue;
		snprintf(path, sizeof path, "/dev/input/%s", entry->d_name);
		fd = open(path, O_RDONLY | O_CLOEXEC);
		if (fd >= 0 && ioctl(fd, EVIOCGKEY(sizeof keys), keys) >= 0) {
			for (int code = 1; code < KEY_CNT; code++) {
				if (!(keys[code / 8] >> code % 8 & 1) || code == KEY_UNKNOWN)
					continue;
				printf("down: key %d on %s\n", code, path);
				count++;
			}
		}
		if (fd >= 0)
			close(fd);
	}
	printf("keys down: %d\n", count);
	return count != 0;
}

static int meddle(int pid, int n)
{
	struct input_keymap_entry e = {
		.len = 4, .keycode = KEY_Q, .scancode = {0x14, 0x00, 0x07, 0x00}};

	(void)pid;
	(void)n;
	if (ioctl(open_node("QEMU QEMU USB Keyboard"), EVIOCSKEYCODE_V2, &e))
		fail("table");
	return 0;
}

static int slow(int pid, int seconds)
{
	int node = open_stand_in("QEMU QEMU USB Keyboard"), presses = 0, lost = 0, quiet = 0;
	double looked = now_us(), apart = 0;
	struct input_event e;

	(void)pid;
	puts("reads");
	for (int waited = 0; waited < seconds * 1000 && quiet < 40; waited += 50) {
		const double now = now_us();

		if (now - looked > apart)
			apart = now - looked;
		looked = now;
		quiet += presses > 0;
		while (read(node, &e, sizeof e) == sizeof e) {
			presses += e.type == EV_KEY && e.value == 1;
			lost += e.type == EV_SYN && e.code == SYN_DROPPED;
			quiet = 0;
		}
		usleep(50000);
	}
	printf("a slow reader: %d presses, lost events %d times, looks %.0f ms apart\n", presses,
	       lost, apart / 1e3);
	return 0;
}

static int british(int pid, int n)
{
	/* Plain, and with Shift; a value of type 0 is a character of Latin-1. */
	static const struct kbentry entries[] = {
		{1, KEY_2, '"'},         {1, KEY_3, 0xa3},        {1, KEY_APOSTROPHE, '@'},
		{0, KEY_BACKSLASH, '#'}, {1, KEY_BACKSLASH, '~'},
	};
	int tty = open("/dev/tty1", O_RDWR | O_NOCTTY | O_CLOEXEC);

	(void)pid;
	(void)n;
	for (size_t i = 0; i < sizeof entries / sizeof *entries; i++) {
		if (ioctl(tty, KDSKBENT, &entries[i]))
			fail("console");
	}
	close(tty);
	return 0;
}

static int hold(int pid, int seconds)
{
	int node = open_node("QEMU QEMU USB Keyboard");

	(void)pid;
	if (ioctl(node, EVIOCGRAB, 1))
		fail("grab");
	puts("holds it");
	sleep((unsigned)seconds);
	return 0;
}

/* A laptop's, for N seconds, that nobody touches. */
static int touchpad(int unused, int n)
{
	static const unsigned axes[] = {ABS_X, ABS_Y, ABS_MT_POSITION_X, ABS_MT_POSITION_Y};
	struct input_absinfo range = {.maximum = 2000, .resolution = 30}, ids = {.maximum = 4};
	struct libevdev_uinput *made;
	struct libevdev *d = libevdev_new();

	(void)unused;
	libevdev_set_name(d, "Probe touchpad");
	libevdev_set_id_bustype(d, BUS_I8042);
	libevdev_enable_property(d, INPUT_PROP_POINTER);
	libevdev_enable_property(d, INPUT_PROP_BUTTONPAD);
	libevdev_enable_event_code(d, EV_KEY, BTN_LEFT, NULL);
	libevdev_enable_event_code(d, EV_KEY, BTN_TOUCH, NULL);
	libevdev_enable_event_code(d, EV_KEY, BTN_TOOL_FINGER, NULL);
	for (unsigned i = 0; i < sizeof axes / sizeof *axes; i++)
		libevdev_enable_event_code(d, EV_ABS, axes[i], &range);
	libevdev_enable_event_code(d, EV_ABS, ABS_MT_SLOT, &ids);
	libevdev_enable_event_code(d, EV_ABS, ABS_MT_TRACKING_ID, &ids);
	if (libevdev_uinput_create_from_device(d, LIBEVDEV_UINPUT_OPEN_MANAGED, &made))
		fail("uinput");
	puts("made");
	sleep((unsigned)n);
	return 0;
}

/* Brings another text console to the front, and says when it asked for that. */
static int console(int unused, int n)
{
	int fd = open("/dev/tty0", O_RDWR | O_CLOEXEC);
	struct timespec now;

	(void)unused;
	clock_gettime(CLOCK_REALTIME, &now);
	if (fd < 0 || ioctl(fd, VT_ACTIVATE, n) || ioctl(fd, VT_WAITACTIVE, n))
		fail("console");
	printf("%lld.%06ld\n", (long long)now.tv_sec, now.tv_nsec / 1000);
	return 0;
}

/* Says when the whole machine stood still for n ms or more, as a host makes it: nothing of it is
 * whose service hangs. */
static int still(int seconds, int n)
{
	struct timespec last, now, pause = {.tv_nsec = 100000000};
	long ms, left = seconds * 1000L;

	clock_gettime(CLOCK_MONOTONIC, &last);
	for (; left > 0; left -= ms) {
		nanosleep(&pause, NULL);
		clock_gettime(CLOCK_MONOTONIC, &now);
		ms = (now.tv_sec - last.tv_sec) * 1000 + (now.tv_nsec - last.tv_nsec) / 1000000;
		if (ms >= n)
			printf("stood still for %ld ms\n", ms);
		last = now;
	}
	return 0;
}

int main(int argc, char **argv)
{
	static const struct {
		const char *name;
		int (*run)(int pid, int n);
	} probes[] = {{"table", table},      {"delay", delay},     {"press", press_only},
		      {"plug", plug_cycles}, {"idle", idle},       {"down", down},
		      {"meddle", meddle},    {"hold", hold},       {"slow", slow},
		      {"british", british},  {"console", console}, {"touchpad", touchpad},
		      {"still", still}};

	setvbuf(stdout, NULL, _IOLBF, 0);
	for (size_t i = 0; argc == 4 && i < sizeof probes / sizeof *probes; i++) {
		if (!strcmp(argv[1], probes[i].name))
			return probes[i].run(atoi(argv[2]), atoi(argv[3]));
	}
	return 2;
}
