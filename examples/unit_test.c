/* Somebody else's program, tested with keys that are pressed on a simulated keyboard: it beeps once
 * for each Enter, whichever key that came from.
 *
 * $ ./unit_test
 * 3 presses, 2 beeps
 */
#include <stdio.h>
#include <stdlib.h>

#include <lurk/desk/computer.h>

static const char desk[] = "desk: 1\nkeyboards:\n"
			   "  wagtail: {wired: usb, product: \"fade:0001\"}\n";
static const char script[] = "press Enter on wagtail\npress NumpadEnter\npress Space\n";

/* ---- The program that is tested ------------------------------------------------------------- */

static unsigned beeps;

static void on_key(void *data, lurk_key key, enum lurk_state state)
{
	unsigned *presses = data;

	*presses += state == LURK_DOWN;
	if (state == LURK_DOWN && lurk_key_same_meaning(key, LURK_KEY_ENTER))
		beeps++;
}

/* ---- Its test ------------------------------------------------------------------------------- */

int main(void)
{
	char folder[] = "/tmp/lurk-test-XXXXXX", path[64];
	static struct lurk_computer computer;
	struct lurk_message why;
	unsigned presses = 0;
	FILE *file = fmemopen((void *)(size_t)script, sizeof script - 1, "r");
	bool fine;

	if (!mkdtemp(folder) || !file)
		return EXIT_FAILURE;
	snprintf(path, sizeof path, "%s/desk.yaml", folder);
	fine = lurk_file_write(path, desk, sizeof desk - 1, &why) &&
	       lurk_computer_open(&computer, folder, &why);
	if (fine) {
		computer.data = &presses;
		computer.got = on_key;
		fine = lurk_computer_play(&computer, "script", file, &why);
		lurk_computer_close(&computer);
	}
	fclose(file);
	if (!fine)
		return fprintf(stderr, "%s\n", why.text), EXIT_FAILURE;
	printf("%u presses, %u beeps\n", presses, beeps);
	return presses == 3 && beeps == 2 ? EXIT_SUCCESS : EXIT_FAILURE;
}
