/* Gives a key of this machine another job by itself, for as long as it runs: no service, no files.
 *
 * $ sudo ./alone NumLock Tab
 * NumLock gives Tab until Ctrl+C.
 */
#include <lurk/linux/linux.h>
#include <lurk/name.h>
#include <lurk/session.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST = LURK_LINUX_KEYBOARDS, ROOM = 1 << 16 };

static volatile sig_atomic_t over;

static void end(int signal)
{
	over = signal;
}

int main(int argc, char **argv)
{
	struct lurk_name names[2] = {0};
	struct lurk_rule rule = {.gives.kind = LURK_GIVES_KEY};
	const struct lurk_profile profile = {.rules = &rule, .rule_count = 1};
	const struct lurk_image_parts parts = {.profiles = &profile, .profile_count = 1};
	static struct lurk_session session;
	struct lurk_session_memory memory;
	struct lurk_apply_report report;
	struct lurk_message why = {"usage: alone KEY KEY"};
	uint8_t image[256];
	size_t length;
	struct lurk_linux *machine = NULL;

	for (int i = 0; i < 2 && i + 1 < argc; i++)
		lurk_name_read(argv[i + 1], strlen(argv[i + 1]), NULL, &names[i]);
	rule.press = names[0].press;
	rule.gives.key = names[1].press.on.key;
	if (lurk_image_write(&parts, image, sizeof image, &length) == LURK_OK)
		machine = lurk_linux_new("/run/lurk-alone", NULL, &why);
	if (!machine)
		return fprintf(stderr, "%s\n", why.text), EXIT_FAILURE;
	sigaction(SIGINT, &(struct sigaction){.sa_handler = end}, NULL);
	lurk_session_divide(&memory, malloc(lurk_session_size(MOST, ROOM, ROOM)), MOST, ROOM, ROOM);
	lurk_session_start(&session, &memory, lurk_linux_port(machine));
	lurk_session_apply(&session, NULL, image, length, (struct lurk_text){"", 0}, &report);
	fprintf(stderr, "%s gives %s until Ctrl+C.\n", lurk_key_name(rule.press.on.key),
		lurk_key_name(rule.gives.key));
	while (!over)
		lurk_linux_wait(machine, lurk_session_run(&session), NULL, NULL);
	lurk_session_stop(&session);
	lurk_linux_free(machine);
	free(memory.keyboards);
	return EXIT_SUCCESS;
}
