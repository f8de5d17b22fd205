/* Scripts that play a desk: lines from anywhere, on a desk that stays. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "lurk/desk/computer.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static struct lurk_computer computer;

static void open_desk(void)
{
	static const char desk[] =
		"desk: 1\nkeyboards:\n  wagtail: {wired: usb, product: \"fade:0001\"}\n"
		"  dipper: {wired: usb, product: \"fade:0003\"}\n";
	char folder[] = "/tmp/lurk-fuzz-XXXXXX", path[64];
	struct lurk_message why;
	FILE *file;

	snprintf(path, sizeof path, "%s/desk.yaml", mkdtemp(folder));
	file = fopen(path, "w");
	if (!file || fputs(desk, file) < 0 || fclose(file) ||
	    !lurk_computer_open(&computer, folder, &why))
		abort();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
	static bool opened;
	struct lurk_message why;
	FILE *script;

	/* Waiting costs nothing but what happens meanwhile. */
	if (!size || size > 256 || memmem(data, size, "wait", 4) || memmem(data, size, "power", 5))
		return 0;
	if (!opened)
		open_desk();
	opened = true;
	script = fmemopen((void *)(uintptr_t)data, size, "r");
	lurk_computer_play(&computer, "script", script, &why);
	fclose(script);
	return 0;
}
