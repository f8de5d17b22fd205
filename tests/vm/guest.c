/* Inside the virtual machine: a session on the running kernel under the rules given, and what
 * programs get, a line each, until F12 is pressed; or, with `watch`, what they get of another
 * process. quick.py presses the keys from outside. */
#include "../core/rules.h"

#include <dirent.h>
#include <fcntl.h>
#include <linux/input.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "lurk/session.h"
#include "lurk/linux/linux.h"

enum {
	READERS = 32,
	IMAGE = LURK_LINUX_SLOT_SIZE,
	KEYMAPS = 1 << 18,
	PATIENCE_MS = 60000,
	TYPING_MS = 2
};

static struct lurk_session session;
static struct lurk_session_keyboard keyboards[LURK_LINUX_KEYBOARDS];
static struct lurk_engine_keyboard engines[LURK_LINUX_KEYBOARDS];
static uint8_t images[2][IMAGE];
static _Alignas(16) uint8_t keymaps[2][KEYMAPS];
static struct pollfd readers[READERS + 1]; /* the port's first */
static char paths[READERS + 1][64];
static unsigned reader_count = 1;

static void find_readers(void)
{
	DIR *dir = opendir("/dev/input");
	struct dirent *entry;

	while (dir && (entry = readdir(dir))) {
		unsigned i = 1;

		while (i < reader_count && strcmp(paths[i], entry->d_name))
			i++;
		if (strncmp(entry->d_name, "event", 5) || i < reader_count || i > READERS)
			continue;
		snprintf(paths[i], sizeof paths[i], "%.40s", entry->d_name);
		readers[i].fd = openat(dirfd(dir), entry->d_name, O_RDONLY | O_NONBLOCK);
		readers[i].events = POLLIN;
		reader_count++;
	}
	if (dir)
		closedir(dir);
}

static bool read_all(void)
{
	struct input_event e;
	bool going = true;

	for (unsigned i = 1; i < reader_count; i++) {
		while (read(readers[i].fd, &e, sizeof e) == sizeof e) {
			if (e.type != EV_KEY || e.value == 2 || e.code == KEY_UNKNOWN)
				continue;
			printf("got %s%c\n", lurk_key_name(e.code), "-+"[e.value]);
			going = going && !(e.code == KEY_F12 && !e.value);
		}
	}
	return going;
}

static void tell_keyboards(void)
{
	static const char *const ways[] = {"plain", "table", "relay"};

	for (unsigned i = 0; i < LURK_LINUX_KEYBOARDS; i++) {
		const struct lurk_session_keyboard *k = &keyboards[i];

		if (k->present)
			printf("keyboard %s, %s, wiring %u, %u entries: %s\n",
			       k->info.identity.name,
			       lurk_bus_name((enum lurk_bus)k->info.identity.bus),
			       k->info.identity.wiring, k->info.table_entries, ways[k->choice.way]);
	}
}

/* Tells which keyboards' own CapsLock lights, as the hardware shows them, are not as they were. */
static void tell_lights(bool at_start)
{
	static bool lit[READERS + 1];

	for (unsigned i = 1; i < reader_count; i++) {
		unsigned char lights[LED_CNT / 8 + 1] = {0};
		char name[64] = "", phys[64] = "";
		bool now;

		ioctl(readers[i].fd, EVIOCGPHYS(sizeof phys), phys);

		if (ioctl(readers[i].fd, EVIOCGNAME(sizeof name), name) < 0 ||
		    !strncmp(phys, "lurk/relay", 10) ||
		    ioctl(readers[i].fd, EVIOCGLED(sizeof lights), lights) < 0)
			continue;
		now = lights[0] >> LED_CAPSL & 1;
		if (!at_start && now != lit[i])
			printf("got light:%s\n", strstr(name, "USB") ? "USB" : "PS/2");
		lit[i] = now;
	}
}

/* Only what programs get: another process has the keyboards. */
static int watch_others(void)
{
	find_readers();
	readers[0].fd = -1;
	puts("ready");
	while (poll(readers, reader_count, PATIENCE_MS) > 0 && read_all())
		find_readers();
	return 0;
}

int main(int argc, char **argv)
{
	const struct lurk_session_memory memory = {
		.keyboards = keyboards,
		.engine_keyboards = engines,
		.keyboard_count = LURK_LINUX_KEYBOARDS,
		.images = {images[0], images[1]},
		.image_size = IMAGE,
		.keymaps = {keymaps[0], keymaps[1]},
		.keymap_size = KEYMAPS,
	};
	static struct test_rules rules;
	struct lurk_apply_report report;
	struct lurk_message why;
	struct lurk_linux *machine;

	setvbuf(stdout, NULL, _IOLBF, 0);
	if (argc == 2 && !strcmp(argv[1], "watch"))
		return watch_others();
	machine = lurk_linux_new("/tmp/rules", NULL, &why);
	if (!machine || argc < 2 || lurk_session_start(&session, &memory, lurk_linux_port(machine)))
		return 1;
	lurk_session_run(&session);
	test_rules_read(&rules, argv[1]);
	if (lurk_session_apply(&session, NULL, rules.bytes, rules.length, LURK_NO_TEXT, &report))
		return 1;
	while (lurk_session_run(&session) != LURK_NEVER) /* until stand-ins are open */
		usleep(10000);
	usleep(300000);
	find_readers();
	tell_keyboards();
	tell_lights(true);
	puts("ready");
	readers[0].fd = lurk_linux_port(machine)->calls->descriptor(lurk_linux_port(machine));
	readers[0].events = POLLIN;
	/* What is typed comes at its time. */
	while ((poll(readers, reader_count,
		     lurk_session_types(&session) ? TYPING_MS : PATIENCE_MS) > 0 ||
		lurk_session_types(&session)) &&
	       read_all()) {
		lurk_session_run(&session);
		find_readers();
	}
	usleep(200000);
	tell_lights(false);
	if (argc > 2)
		_exit(0);
	lurk_session_stop(&session);
	lurk_linux_free(machine);
	return 0;
}
