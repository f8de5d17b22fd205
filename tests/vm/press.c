/* Inside the virtual machine: fingers that never rest, on keyboards made with uhid (and, from
 * outside, on QEMU's own), while the service puts rules into force, switches, tries and keeps them,
 * people sit down with rules of their own and leave, it withholds, lends and gives back, keyboards
 * are plugged and pulled, and it is killed and stopped itself.
 *
 *     press LURKD SEED CHANGES
 *
 * Readers as programs are: one has every keyboard open from the start, one opens what appears as a
 * desktop does, one is slow. Now and then all fingers rest; `rest` is printed, a line is awaited
 * (so that the fingers outside rest as well), and then judged:
 *
 *  - nothing is down for any reader
 *  - each press of a key that no rule is about arrived once, in the order in which they were
 * pressed on its keyboard, unless something happened since the last rest that may lose one: those
 * are counted apart
 */
#include "../core/rules.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <linux/uhid.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <sys/ioctl.h>
#include <sys/klog.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

enum {
	KEYBOARDS = 2,
	KEYS = 14,
	UNRULED = 3,
	RING = 4096,
	NODES = 64,
	OPENS_MS = 100,
	SLOW_MS = 40
};
enum { FASTEST_US = 5000, SLOWEST_US = 60000, REST_MS = 700, CHANGES_A_REST = 16 };

static const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0,
				     0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
				     0x81, 0x02, 0x95, 0x01, 0x75, 0x08, 0x81, 0x03, 0x95, 0x06,
				     0x75, 0x08, 0x15, 0x00, 0x26, 0xff, 0x00, 0x05, 0x07, 0x19,
				     0x00, 0x2a, 0xff, 0x00, 0x81, 0x00, 0xc0};

/* The first few are in no rule. */
static const lurk_key keys[KEYS] = {LURK_KEY_U,         LURK_KEY_I,        LURK_KEY_O,
				    LURK_KEY_LEFTSHIFT, LURK_KEY_LEFTCTRL, LURK_KEY_LEFTALT,
				    LURK_KEY_LEFTMETA,  LURK_KEY_CAPSLOCK, LURK_KEY_A,
				    LURK_KEY_B,         LURK_KEY_3,        LURK_KEY_F1,
				    LURK_KEY_F2,        LURK_KEY_F9};

static const char *const sets[] = {
	"",
	"KeyA<>KeyB",
	"CapsLock>nothing",
	"CapsLock>Control; KeyA>KeyB",
	"Shift<>Control",
	"Shift+Digit3>KeyX @1; KeyA<>KeyB @2",
	"F1>\"Qrs Ab\"; KeyA>KeyB",
	"Control+KeyA>Meta+KeyC; only KeyB>ArrowLeft",
	"F9>toggle; KeyA>KeyB",
	"F2>=dusk; KeyA<>KeyB; |dusk/test; KeyA>KeyX; F2>=previous; F1>\"Ab\"",
	"F1>Control+KeyX,KeyY; Meta+Digit3>nothing @2",
};

/* ---- The hand: a process of its own -----------------------------------------------------------
 */

static struct shared {
	volatile bool rests, plugged[KEYBOARDS], is_plugged[KEYBOARDS], is_resting;
	volatile unsigned pressed; /* of keys in no rule; they follow */
	volatile struct {
		uint8_t keyboard, key;
	} presses[RING];
	volatile unsigned long events;
} * shared;

static struct hand {
	int uhid[KEYBOARDS];
	bool down[KEYBOARDS][KEYS];
	unsigned count[KEYBOARDS];
} hand;

static void give_up(const char *what)
{
	printf("press: %s: %s\n", what, strerror(errno));
	exit(1);
}

static void write_uhid(int fd, const struct uhid_event *event)
{
	if (write(fd, event, sizeof *event) != sizeof *event)
		give_up("uhid");
}

static void plug(unsigned k)
{
	struct uhid_event e = {.type = UHID_CREATE2};

	hand.uhid[k] = open("/dev/uhid", O_RDWR | O_CLOEXEC | O_NONBLOCK);
	if (hand.uhid[k] < 0)
		give_up("/dev/uhid");
	snprintf((char *)e.u.create2.name, sizeof e.u.create2.name, "Press %u", k);
	snprintf((char *)e.u.create2.phys, sizeof e.u.create2.phys, "press-%u", k);
	e.u.create2.bus = BUS_USB;
	e.u.create2.vendor = 0xfade;
	e.u.create2.product = k + 1;
	e.u.create2.rd_size = sizeof descriptor;
	memcpy(e.u.create2.rd_data, descriptor, sizeof descriptor);
	write_uhid(hand.uhid[k], &e);
	memset(hand.down[k], 0, sizeof hand.down[k]);
	hand.count[k] = 0;
}

static void report(unsigned k)
{
	struct uhid_event e = {.type = UHID_INPUT2, .u.input2.size = 8};
	unsigned slot = 2;

	for (unsigned i = 0; i < KEYS; i++) {
		int place = lurk_modifier_place(keys[i]);

		if (hand.down[k][i] && place >= 0)
			e.u.input2.data[0] |= (uint8_t)(1U << place);
		else if (hand.down[k][i])
			e.u.input2.data[slot++] =
				(uint8_t)lurk_key_scan_on(keys[i], LURK_WIRING_HID).code;
	}
	write_uhid(hand.uhid[k], &e);
}

static void finger(unsigned k, unsigned i, bool down)
{
	if (hand.down[k][i] == down || (down && hand.count[k] >= 4))
		return;
	hand.down[k][i] = down;
	hand.count[k] += down ? 1U : -1U;
	if (down && i < UNRULED) {
		shared->presses[shared->pressed % RING].keyboard = (uint8_t)k;
		shared->presses[shared->pressed % RING].key = (uint8_t)i;
		shared->pressed++;
	}
	shared->events++;
	report(k);
}

static void replug(unsigned k)
{
	struct uhid_event e = {.type = UHID_DESTROY};
	const bool wanted = shared->plugged[k];

	if (shared->is_plugged[k] == wanted)
		return;
	if (wanted) {
		plug(k);
	} else {
		write_uhid(hand.uhid[k], &e);
		close(hand.uhid[k]);
	}
	shared->is_plugged[k] = wanted;
}

/* Presses, holds, chords: a key more or less at a time. More come up than go down, so that there
 * are moments with none. */
static void press_for_ever(uint64_t seed)
{
	for (;;) {
		unsigned k = random_next(&seed) % KEYBOARDS, i = random_next(&seed) % KEYS;

		for (unsigned n = 0; n < KEYBOARDS; n++)
			replug(n);
		if (shared->rests) {
			for (k = 0; k < KEYBOARDS; k++) {
				for (i = 0; i < KEYS && shared->is_plugged[k]; i++)
					finger(k, i, false);
			}
			shared->is_resting = true;
			usleep(2000);
			continue;
		}
		shared->is_resting = false;
		if (shared->is_plugged[k] && hand.count[k] && random_next(&seed) % 2) {
			while (!hand.down[k][i])
				i = (i + 1) % KEYS;
			finger(k, i, false);
		} else if (shared->is_plugged[k]) {
			finger(k, i, !hand.down[k][i]);
		}
		usleep(FASTEST_US + random_next(&seed) % (SLOWEST_US - FASTEST_US));
	}
}

/* ---- Readers ----------------------------------------------------------------------------------
 */

static uint64_t now_ms(void)
{
	struct timespec now;

	clock_gettime(CLOCK_MONOTONIC, &now);
	return (uint64_t)now.tv_sec * 1000U + (uint64_t)now.tv_nsec / 1000000U;
}

struct seen_press {
	uint64_t time_us;
	uint8_t keyboard, key;
};

static struct reader {
	const char *name;
	bool late, slow;
	uint64_t read_ms;
	struct node {
		int fd; /* -1 where it is to be opened */
		char path[64], name[64];
		uint64_t appeared_ms;
		bool down[KEY_CNT];
	} nodes[NODES];
	unsigned count;
} readers[] = {{.name = "from the start"},
	       {.name = "like a desktop", .late = true},
	       {.name = "slow", .late = true, .slow = true}};

static struct seen_press seen[RING];
static unsigned seen_count;
static unsigned long lost_looks, stuck, presses_seen;

static bool known(const struct reader *r, const char *path)
{
	for (unsigned i = 0; i < r->count; i++) {
		if (!strcmp(r->nodes[i].path, path))
			return true;
	}
	return false;
}

static void look_for_nodes(void)
{
	DIR *dir = opendir("/dev/input");
	struct dirent *entry;
	char path[64];

	while (dir && (entry = readdir(dir))) {
		snprintf(path, sizeof path, "/dev/input/%.40s", entry->d_name);
		for (size_t r = 0; r < COUNT(readers); r++) {
			struct node *n = &readers[r].nodes[readers[r].count];

			if (strncmp(entry->d_name, "event", 5) || known(&readers[r], path) ||
			    readers[r].count == NODES)
				continue;
			memset(n, 0, sizeof *n);
			n->fd = -1;
			n->appeared_ms = now_ms();
			snprintf(n->path, sizeof n->path, "%s", path);
			readers[r].count++;
		}
	}
	if (dir)
		closedir(dir);
}

static void open_nodes(void)
{
	for (size_t r = 0; r < COUNT(readers); r++) {
		for (unsigned i = 0; i < readers[r].count; i++) {
			struct node *n = &readers[r].nodes[i];

			if (n->fd >= 0 || (readers[r].late && now_ms() < n->appeared_ms + OPENS_MS))
				continue;
			n->fd = open(n->path, O_RDONLY | O_NONBLOCK | O_CLOEXEC);
			if (n->fd >= 0)
				ioctl(n->fd, EVIOCGNAME(sizeof n->name), n->name);
		}
	}
}

/* Of the keys in no rule, as the desktop gets them. */
static void note_press(const struct reader *r, const struct node *n, const struct input_event *e)
{
	unsigned k;

	if (r != &readers[1] || sscanf(n->name, "Press %u", &k) != 1)
		return;
	for (uint8_t i = 0; i < UNRULED; i++) {
		if (keys[i] == e->code && seen_count < RING)
			seen[seen_count++] =
				(struct seen_press){(uint64_t)e->input_event_sec * 1000000U +
							    (uint64_t)e->input_event_usec,
						    (uint8_t)k, i};
	}
}

static void read_node(struct reader *r, unsigned at)
{
	struct node *n = &r->nodes[at];
	struct input_event e;
	ssize_t size;

	while ((size = read(n->fd, &e, sizeof e)) == sizeof e) {
		if (e.type == EV_SYN && e.code == SYN_DROPPED)
			lost_looks++;
		if (e.type != EV_KEY || e.value == 2 || e.code >= KEY_CNT)
			continue;
		if (e.value && !n->down[e.code]) {
			note_press(r, n, &e);
			presses_seen++;
		}
		n->down[e.code] = e.value;
	}
	if (size < 0 &&
	    errno == ENODEV) { /* whoever reads a node that goes takes its keys for up */
		close(n->fd);
		*n = r->nodes[--r->count];
	}
}

static void read_all(bool everything)
{
	static uint64_t looked_ms;
	uint64_t now = now_ms();

	if (now >= looked_ms + 5) {
		look_for_nodes();
		looked_ms = now;
	}
	open_nodes();
	for (size_t r = 0; r < COUNT(readers); r++) {
		if (readers[r].slow && !everything && now < readers[r].read_ms + SLOW_MS)
			continue;
		readers[r].read_ms = now;
		for (unsigned i = readers[r].count; i--;) {
			if (readers[r].nodes[i].fd >= 0)
				read_node(&readers[r], i);
		}
	}
}

/* ---- The service ------------------------------------------------------------------------------
 */

static const char *lurkd;
static pid_t service;
static int line, watcher = -1;
static unsigned long refused;

static int connect_to(void)
{
	struct sockaddr_un address = {.sun_family = AF_UNIX, .sun_path = "/run/press"};
	int fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);

	for (int tries = 0; tries < 2000; tries++) {
		if (connect(fd, (struct sockaddr *)&address, sizeof address) == 0)
			return fd;
		read_all(false);
		usleep(5000);
	}
	give_up("the service cannot be reached");
	return -1;
}

/* The connection of another user. */
static int connect_as(uid_t user)
{
	int fd;

	if (seteuid(user))
		give_up("no other user can be");
	fd = connect_to();
	if (seteuid(0))
		give_up("no way back");
	return fd;
}

static void start_service(void)
{
	service = fork();
	if (!service) {
		int log = open("/tmp/press.log", O_WRONLY | O_CREAT | O_APPEND, 0600);

		dup2(log, 2);
		execlp(lurkd, lurkd, "--state", "/tmp/press", "--socket", "/run/press", NULL);
		_exit(127);
	}
	line = connect_to();
}

static void end_service(int how)
{
	int status;

	if (watcher >= 0)
		close(watcher);
	watcher = -1;
	close(line);
	kill(service, how);
	while (waitpid(service, &status, WNOHANG) == 0) {
		read_all(false);
		usleep(1000);
	}
	if (how == SIGTERM && (!WIFEXITED(status) || WEXITSTATUS(status) != 0)) {
		printf("press: the service ended with status %x\n", (unsigned)status);
		exit(1);
	}
	unlink("/run/press");
}

/* Asks, and reads on until the answer is there. */
static void ask(int fd, const char *method, const char *params)
{
	static char answer[1 << 16];
	struct pollfd ready = {fd, POLLIN, 0};
	size_t length = 0;
	char *end = NULL;

	dprintf(fd, "{\"jsonrpc\":\"2.0\",\"id\":1,\"method\":\"%s\",\"params\":%s}\n", method,
		params);
	for (uint64_t until = now_ms() + 60000; !end;) {
		ssize_t n;

		if (now_ms() > until)
			give_up("no answer");
		read_all(false);
		if (poll(&ready, 1, 1) <= 0)
			continue;
		n = read(fd, answer + length, sizeof answer - 1 - length);
		if (n <= 0)
			give_up("the service is gone");
		length += (size_t)n;
		answer[length] = '\0';
		end = strstr(answer, "\"id\":1");
		if (length > sizeof answer / 2 && !end)
			length = 0;
	}
	refused += strstr(answer, "\"error\":{") != NULL;
}

static void ask_with_image(int fd, const char *method, unsigned set, const char *more)
{
	static struct test_rules rules;
	static char params[40000];
	size_t n;

	test_rules_read(&rules, sets[set]);
	rules.way = LURK_WAY_PLAIN;
	assert_int_equal(test_rules_image(&rules), LURK_OK);
	n = (size_t)snprintf(params, sizeof params, "{%s\"image\":\"", more);
	for (size_t i = 0; i < rules.length; i++)
		n += (size_t)snprintf(params + n, sizeof params - n, "%02x", rules.bytes[i]);
	snprintf(params + n, sizeof params - n, "\"}");
	ask(fd, method, params);
}

/* ---- What changes -----------------------------------------------------------------------------
 */

static uint64_t seed;
static void pass(unsigned ms);
static bool strict; /* nothing has happened since the last rest that may lose a press */

static unsigned any(unsigned n)
{
	return random_next(&seed) % n;
}

static void apply(void)
{
	ask_with_image(line, "apply", any(COUNT(sets)), "");
}

static void try_out(void)
{
	ask_with_image(line, "try", any(COUNT(sets)), "\"seconds\":1,");
}

/* ---- People -----------------------------------------------------------------------------------
 */

enum { FIRST_PERSON = 1001, PEOPLE = 2 };
static uid_t sits;          /* 0 for nobody */
static unsigned long owned; /* how often rules of somebody's own came into force */

/* As systemd-logind writes its files, from which sd-login reads: another in its place at once. */
static void write_login(const char *kind, const char *name, const char *text)
{
	char path[96], fresh[128];
	FILE *file;

	snprintf(path, sizeof path, "/run/systemd/%s", kind);
	mkdir("/run/systemd", 0755);
	mkdir("/run/systemd/machines", 0755); /* which is listened to as well */
	mkdir(path, 0755);
	snprintf(path, sizeof path, "/run/systemd/%s/%s", kind, name);
	snprintf(fresh, sizeof fresh, "/run/systemd/%s/.%s", kind, name);
	file = fopen(fresh, "w");
	if (!file || fputs(text, file) < 0 || fclose(file) || rename(fresh, path))
		give_up(path);
}

static void write_person(uid_t person)
{
	char name[16], text[160];

	snprintf(name, sizeof name, "%u", person);
	snprintf(text, sizeof text, "NAME=p%u\nSTATE=%s\nSEATS=seat0\nACTIVE_SEATS=%s\n", person,
		 person == sits ? "active" : "online", person == sits ? "seat0" : "");
	write_login("users", name, text);
	snprintf(text, sizeof text, "UID=%u\nACTIVE=%d\nSTATE=%s\nCLASS=user\nSEAT=seat0\n", person,
		 person == sits, person == sits ? "active" : "online");
	write_login("sessions", name, text);
}

/* One of two people, or a login prompt. */
static void sit(void)
{
	char text[80] = "IS_SEAT0=1\n";

	sits = any(PEOPLE + 1) ? FIRST_PERSON + any(PEOPLE) : 0;
	for (uid_t p = 0; p < PEOPLE; p++)
		write_person(FIRST_PERSON + p);
	if (sits)
		snprintf(text, sizeof text, "IS_SEAT0=1\nACTIVE=%u\nACTIVE_UID=%u\n", sits, sits);
	write_login("seats", "seat0", text);
}

/* Refused where the service has not seen yet who sits. */
static void own(void)
{
	const bool tried = any(4) == 0;
	const unsigned long before = refused;
	int fd;

	if (!sits)
		return;
	fd = connect_as(sits);
	ask_with_image(fd, tried ? "try" : "apply", any(COUNT(sets)),
		       tried ? "\"whose\":\"own\",\"seconds\":1," : "\"whose\":\"own\",");
	owned += refused == before;
	if (tried)
		pass(any(200));
	close(fd);
}

static void keep(void)
{
	ask(line, "keep", "{}");
}

static void end_try(void)
{
	ask(line, "end_try", "{}");
}

static void use(void)
{
	ask(line, "use", any(2) ? "{\"previous\":true}" : "{\"profile\":\"dusk\"}");
}

static void switch_off(void)
{
	ask(line, "switch", "{\"off\":true}");
}

static void switch_on(void)
{
	ask(line, "switch", "{\"off\":false}");
}

static void withhold(void)
{
	if (watcher < 0) {
		watcher = connect_to();
		ask(watcher, "watch", "{\"take\":true,\"seconds\":1}");
	} else {
		close(watcher);
		watcher = -1;
	}
}

static void replug_one(void)
{
	unsigned k = any(KEYBOARDS);

	shared->plugged[k] = !shared->plugged[k];
}

static void killed(void)
{
	end_service(SIGKILL);
	start_service();
}

static void stopped(void)
{
	end_service(SIGTERM);
	start_service();
}

static const struct {
	const char *name;
	void (*change)(void);
	unsigned often;
	bool strict; /* no press gets lost by it */
} changes[] = {
	{"apply", apply, 30, true},     {"try", try_out, 12, true},
	{"keep", keep, 4, true},        {"end", end_try, 6, true},
	{"use", use, 8, true},          {"off", switch_off, 8, true},
	{"on", switch_on, 10, true},    {"sit", sit, 14, true},
	{"own", own, 16, true},         {"withhold", withhold, 4, false},
	{"plug", replug_one, 6, false}, {"kill", killed, 2, false},
	{"stop", stopped, 2, false},
};

static unsigned long made[COUNT(changes)], lost_in_strict, lost_in_others, out_of_order;

static void change(bool only_strict)
{
	unsigned all = 0, at, i = 0;

	for (size_t c = 0; c < COUNT(changes); c++)
		all += only_strict && !changes[c].strict ? 0 : changes[c].often;
	for (at = any(all); at >= changes[i].often; i++)
		at -= changes[i].often;
	strict = strict && changes[i].strict;
	made[i]++;
	changes[i].change();
}

static void pass(unsigned ms)
{
	for (uint64_t until = now_ms() + ms; now_ms() < until; usleep(1000))
		read_all(false);
}

/* ---- Judging ----------------------------------------------------------------------------------
 */

static int by_time(const void *a, const void *b)
{
	const struct seen_press *x = a, *y = b;

	return x->time_us < y->time_us ? -1 : x->time_us > y->time_us;
}

static void judge_presses(unsigned from)
{
	unsigned long lost = 0;
	bool wrong = false;

	qsort(seen, seen_count, sizeof *seen, by_time);
	for (unsigned k = 0; k < KEYBOARDS; k++) {
		unsigned at = 0;

		for (unsigned i = from; i < shared->pressed; i++) {
			if (shared->presses[i % RING].keyboard != k)
				continue;
			while (at < seen_count && seen[at].keyboard != k)
				at++;
			if (at < seen_count && seen[at].key == shared->presses[i % RING].key)
				at++;
			else
				lost++;
		}
		while (at < seen_count && seen[at].keyboard != k)
			at++;
		wrong = wrong || at < seen_count;
	}
	if (strict) {
		lost_in_strict += lost;
		out_of_order += wrong;
	} else {
		lost_in_others += lost;
	}
	if (strict && (lost || wrong)) {
		printf("press: %lu lost%s; pressed:", lost, wrong ? ", others not in order" : "");
		for (unsigned i = from; i < shared->pressed; i++)
			printf(" %u%c", shared->presses[i % RING].keyboard,
			       "UIO"[shared->presses[i % RING].key]);
		printf("; arrived:");
		for (unsigned i = 0; i < seen_count; i++)
			printf(" %u%c", seen[i].keyboard, "UIO"[seen[i].key]);
		puts("");
	}
}

static bool anything_down(const unsigned char bits[KEY_CNT / 8])
{
	for (size_t i = 0; i < KEY_CNT / 8; i++) {
		if (bits[i])
			return true;
	}
	return false;
}

/* Whether a key of the AT keyboard is down by the bytes that came from its controller, which the
 * kernel logs here: what it takes for down itself is another matter once programs were told that a
 * key is up whose finger is still on it, and a machine that is held up may lose bytes of whoever
 * goes on pressing from outside. */
static bool at_finger_is_down(void)
{
	enum { READ_ALL = 3, PREFIXED = 0x80 };
	static char log[1 << 20];
	const int length = klogctl(READ_ALL, log, sizeof log - 1);
	bool down[2 * PREFIXED] = {false}, any = false;
	unsigned byte, prefix = 0;
	char *line, *rest = log;

	log[length > 0 ? length : 0] = '\0';
	while ((line = strsep(&rest, "\n"))) {
		char *at = strstr(line, "i8042: [");

		at = at ? strstr(at, "] ") : NULL;
		if (!at || !strstr(at, "<- i8042 (interrupt, 0,") ||
		    sscanf(at + 2, "%2x", &byte) != 1)
			continue;
		if (byte == 0xe0) {
			prefix = PREFIXED;
			continue;
		}
		if ((byte & 0x7f) && (byte & 0x7f) < 0x60) /* no answer to a command */
			down[prefix | (byte & 0x7f)] = !(byte & 0x80);
		prefix = 0;
	}
	for (size_t i = 0; i < COUNT(down); i++)
		any = any || down[i];
	return any;
}

/* Whether the kernel still takes a key of what a virtual keyboard stands for to be down: then
 * whoever presses from outside has not come to rest, or their release is still on its way. */
static bool source_is_down(const struct node *stand_in)
{
	DIR *dir = opendir("/dev/input");
	struct dirent *entry;
	bool down = false;

	while (dir && !down && (entry = readdir(dir))) {
		unsigned char bits[KEY_CNT / 8] = {0};
		char name[64] = "", phys[64] = "";
		int fd = strncmp(entry->d_name, "event", 5)
				 ? -1
				 : openat(dirfd(dir), entry->d_name, O_RDONLY | O_CLOEXEC);

		if (fd < 0)
			continue;
		ioctl(fd, EVIOCGNAME(sizeof name), name);
		ioctl(fd, EVIOCGPHYS(sizeof phys), phys);
		ioctl(fd, EVIOCGKEY(sizeof bits), bits);
		close(fd);
		down = !strcmp(name, stand_in->name) && strncmp(phys, "lurk/relay", 10) != 0 &&
		       (anything_down(bits) || (!strncmp(name, "AT ", 3) && at_finger_is_down()));
	}
	if (dir)
		closedir(dir);
	return down;
}

/* Whether anything is down for any reader; and whether it is for a keyboard's own fingers. */
static bool look_at_down(bool *by_fingers)
{
	bool any_down = false;

	*by_fingers = false;
	for (size_t r = 0; r < COUNT(readers); r++) {
		for (unsigned i = 0; i < readers[r].count; i++) {
			const struct node *n = &readers[r].nodes[i];

			for (unsigned code = 0; code < KEY_CNT; code++) {
				if (!n->down[code] || code == KEY_UNKNOWN)
					continue;
				any_down = true;
				*by_fingers = *by_fingers || source_is_down(n);
			}
		}
	}
	return any_down;
}

/* Until nothing is down any more; or, however busy the machine around this one is, until no finger
 * is and the service, which answers in turn, has dealt with all that came before. */
static void come_to_rest(void)
{
	enum { ANSWERS = 3, MOST = 60 };
	bool by_fingers;

	for (unsigned answered = 0, looks = 0; answered < ANSWERS && looks < MOST; looks++) {
		pass(REST_MS);
		read_all(true);
		if (!look_at_down(&by_fingers))
			return;
		if (by_fingers)
			continue;
		ask(line, "status", "{}");
		answered++;
	}
	if (by_fingers)
		puts("press: could not be judged: a key pressed from outside never came up");
	for (size_t r = 0; by_fingers && r < COUNT(readers); r++) {
		for (unsigned i = 0; i < readers[r].count; i++)
			memset(readers[r].nodes[i].down, 0, sizeof readers[r].nodes[i].down);
	}
}

static void judge_down(void)
{
	for (size_t r = 0; r < COUNT(readers); r++) {
		for (unsigned i = 0; i < readers[r].count; i++) {
			struct node *n = &readers[r].nodes[i];

			for (unsigned code = 0; code < KEY_CNT; code++) {
				if (!n->down[code] || code == KEY_UNKNOWN)
					continue;
				printf("press: key %u is down on %s for the reader %s\n", code,
				       n->name, readers[r].name);
				n->down[code] = false;
				stuck++;
			}
		}
	}
}

static void rest(unsigned from)
{
	char answer[64];

	shared->rests = true;
	for (unsigned k = 0; k < KEYBOARDS; k++)
		shared->plugged[k] = true;
	while (!shared->is_resting)
		pass(2);
	if (watcher >= 0)
		withhold();
	puts("now rest");
	if (!fgets(answer, sizeof answer, stdin))
		exit(1);
	come_to_rest();
	judge_down();
	judge_presses(from);
	seen_count = 0;
	strict = true;
}

static void go_on(void)
{
	shared->rests = shared->is_resting = false;
	puts("go on");
}

int main(int argc, char **argv)
{
	unsigned wanted = argc > 3 ? (unsigned)atoi(argv[3]) : 0, from = 0, done = 0, rests = 0;
	pid_t pressing;

	if (argc != 4)
		return 2;
	setvbuf(stdout, NULL, _IOLBF, 0);
	lurkd = argv[1];
	seed = strtoull(argv[2], NULL, 10);
	shared = mmap(NULL, sizeof *shared, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1,
		      0);
	shared->rests = true;
	for (unsigned k = 0; k < KEYBOARDS; k++)
		shared->plugged[k] = true;
	pressing = fork();
	if (!pressing)
		press_for_ever(seed ^ 0x5eed);
	pass(500);
	sit();
	start_service();
	pass(1500); /* until stand-ins are open */
	rest(0);
	while (done < wanted) {
		from = shared->pressed;
		go_on();
		for (unsigned i = 0; i < CHANGES_A_REST; i++, done++) {
			pass(10 + any(60));
			change(rests % 2 == 0); /* these come first in the table */
		}
		pass(any(200));
		rest(from);
		rests++;
	}
	end_service(SIGTERM); /* while the fingers rest */
	pass(300);
	read_all(true);
	judge_down();
	kill(pressing, SIGKILL);
	printf("changes:");
	for (size_t i = 0; i < COUNT(changes); i++)
		printf(" %s %lu", changes[i].name, made[i]);
	printf("\npress: %u changes, %lu of them of somebody's own rules, %lu refused; %lu presses "
	       "and releases, %lu presses seen; keys "
	       "stuck "
	       "%lu; lost by rules that change %lu, out of order %lu; lost by plugging, "
	       "withholding, "
	       "kills %lu; readers that lost events %lu\n",
	       done, owned, refused, (unsigned long)shared->events, presses_seen, stuck,
	       lost_in_strict, out_of_order, lost_in_others, lost_looks);
	return stuck || lost_in_strict || out_of_order || !owned;
}
