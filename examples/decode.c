/* Bytes from a PS/2 keyboard's wire, scan code set 1, one at a time.
 *
 * $ ./decode
 * 3a: CapsLock down
 * ba: CapsLock up
 * e0: nothing yet
 * 38: AltRight down
 * e0: nothing yet
 * b8: AltRight up
 */
#include <stdio.h>

#include <lurk/scan.h>

int main(void)
{
	static const uint8_t wire[] = {0x3a, 0xba, 0xe0, 0x38, 0xe0, 0xb8};
	struct lurk_ps2 keyboard;

	lurk_ps2_init(&keyboard, 1);
	for (size_t i = 0; i < sizeof wire; i++) {
		struct lurk_key_event event;
		bool any = false;

		lurk_ps2_feed(&keyboard, wire[i]);
		while (lurk_ps2_next(&keyboard, &event)) {
			char code[LURK_SCAN_TEXT];

			any = true;
			printf("%02x: %s %s\n", wire[i],
			       event.key ? lurk_key_name(event.key)
					 : lurk_scan_write(event.scan, code),
			       event.state == LURK_DOWN ? "down" : "up");
		}
		if (!any)
			printf("%02x: nothing yet\n", wire[i]);
	}
	return 0;
}
