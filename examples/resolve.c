/* A scan code as people write it, and what the library knows of it.
 *
 * $ ./resolve
 * hid:07:39 is CapsLock (KEY_CAPSLOCK), a PS/2 keyboard sends set1:3a
 * set1:e01c is NumpadEnter (KEY_KPENTER), which means Enter
 * hid:07:a5 has no name; a rule can be on the code itself
 */
#include <stdio.h>
#include <string.h>

#include <lurk/key.h>
#include <lurk/scan.h>

int main(void)
{
	static const char *const codes[] = {"hid:07:39", "set1:e01c", "hid:07:a5"};

	for (size_t i = 0; i < sizeof codes / sizeof *codes; i++) {
		char set1[LURK_SCAN_TEXT];
		lurk_scan scan;
		lurk_key key;

		if (lurk_scan_read(codes[i], strlen(codes[i]), &scan) != LURK_OK)
			return 1;
		key = lurk_scan_key(scan);
		if (!key)
			printf("%s has no name; a rule can be on the code itself\n", codes[i]);
		else if (lurk_key_side(key) == LURK_SIDE_NUMPAD)
			printf("%s is %s (%s), which means %s\n", codes[i], lurk_key_name(key),
			       lurk_key_evdev_name(key), lurk_key_meaning(key));
		else
			printf("%s is %s (%s), a PS/2 keyboard sends %s\n", codes[i],
			       lurk_key_name(key), lurk_key_evdev_name(key),
			       lurk_scan_write(lurk_key_scan_on(key, LURK_WIRING_SET1), set1));
	}
	return 0;
}
