/* What is printed on caps that type no character. */
#include <ctype.h>
#include <stdio.h>
#include <string.h>

#include "lurk/text/utf8.h"
#include "picture/picture.h"

/* From the longest to the shortest. Japanese legends are those that the W3C's UI Events gives. */
static const struct {
	lurk_key key;
	const char *label;
} labels[] = {
	{LURK_KEY_ESC, "Escape\nEsc"},
	{LURK_KEY_CAPSLOCK, "Caps Lock\nCaps"},
	{LURK_KEY_LEFTSHIFT, "Shift"},
	{LURK_KEY_RIGHTSHIFT, "Shift"},
	{LURK_KEY_LEFTCTRL, "Control\nCtrl"},
	{LURK_KEY_RIGHTCTRL, "Control\nCtrl"},
	{LURK_KEY_LEFTALT, "Alt"},
	{LURK_KEY_LEFTMETA, "Meta"},
	{LURK_KEY_RIGHTMETA, "Meta"},
	{LURK_KEY_COMPOSE, "Menu"},
	{LURK_KEY_SPACE, "Space"},
	{LURK_KEY_BACKSPACE, "Backspace\nBack"},
	{LURK_KEY_SYSRQ, "Print Screen\nPrint\nPrt"},
	{LURK_KEY_SCROLLLOCK, "Scroll Lock\nScroll\nScr"},
	{LURK_KEY_PAUSE, "Pause\nPse"},
	{LURK_KEY_INSERT, "Insert\nIns"},
	{LURK_KEY_DELETE, "Delete\nDel"},
	{LURK_KEY_PAGEUP, "Page Up\nPgUp"},
	{LURK_KEY_PAGEDOWN, "Page Down\nPgDn"},
	{LURK_KEY_UP, "↑"},
	{LURK_KEY_DOWN, "↓"},
	{LURK_KEY_LEFT, "←"},
	{LURK_KEY_RIGHT, "→"},
	{LURK_KEY_NUMLOCK, "Num Lock\nNum"},
	{LURK_KEY_KPENTER, "Enter\nEnt"},
	{LURK_KEY_MUTE, "Mute"},
	{LURK_KEY_VOLUMEDOWN, "Volume −\nVol −\nV−"},
	{LURK_KEY_VOLUMEUP, "Volume +\nVol +\nV+"},
	{LURK_KEY_NEXTSONG, "Next Track\nNext\nNxt"},
	{LURK_KEY_PREVIOUSSONG, "Previous Track\nPrev\nPrv"},
	{LURK_KEY_PLAYPAUSE, "Play Pause\nPlay"},
	{LURK_KEY_BRIGHTNESSDOWN, "Bright −\nBr −\nB−"},
	{LURK_KEY_BRIGHTNESSUP, "Bright +\nBr +\nB+"},
	{LURK_KEY_CALC, "Calculator\nCalc\nCal"},
	{LURK_KEY_HOMEPAGE, "Home Page\nWeb"},
	{LURK_KEY_MAIL, "Mail"},
	{LURK_KEY_RO, "Ro"},
	{LURK_KEY_MUHENKAN, "無変換"},
	{LURK_KEY_HENKAN, "変換"},
	{LURK_KEY_KATAKANAHIRAGANA, "カタカナ ひらがな\nかな"},
	{LURK_KEY_ZENKAKUHANKAKU, "半角 全角\n半角"},
	{LURK_KEY_HANGEUL, "한/영"},
	{LURK_KEY_HANJA, "한자"},
};

void picture_legend(lurk_key key, struct lurk_layout *layout, uint16_t modifiers,
		    char legend[LURK_LEGEND])
{
	char mark[LURK_LEGEND];

	lurk_layout_legend(layout, key, modifiers, mark);
	snprintf(legend, LURK_LEGEND, "%s%.10s", *mark && !lurk_utf8_columns(mark) ? "◌" : "",
		 mark);
}

void picture_split_name(const char *name, char separator, char label[PICTURE_TEXT])
{
	size_t n = 0;

	for (const char *c = name; *c && n + 3 < PICTURE_TEXT; c++) {
		if (c > name && isupper((unsigned char)*c) && islower((unsigned char)c[-1]))
			label[n++] = separator;
		label[n++] = *c;
	}
	label[n] = '\0';
}

void picture_label(lurk_key key, struct lurk_layout *layout, char label[PICTURE_TEXT])
{
	char legend[LURK_LEGEND] = "";

	if (key == LURK_KEY_RIGHTALT) {
		snprintf(label, PICTURE_TEXT, "%s",
			 layout && lurk_layout_third_level(layout) ? "Alt Gr\nAltGr\nAGr" : "Alt");
		return;
	}
	/* Where Japanese keyboards have no accent. */
	if (key == LURK_KEY_GRAVE && layout && !strncmp(lurk_layout_name(layout), "jp", 2))
		key = LURK_KEY_ZENKAKUHANKAKU;
	if (layout && key != LURK_KEY_SPACE)
		picture_legend(key, layout, 0, legend);
	for (size_t i = 0; !*legend && i < sizeof labels / sizeof *labels; i++) {
		if (labels[i].key == key) {
			snprintf(label, PICTURE_TEXT, "%s", labels[i].label);
			return;
		}
	}
	if (*legend)
		snprintf(label, PICTURE_TEXT, "%s", legend);
	else if (lurk_key_side(key) == LURK_SIDE_NUMPAD ||
		 (!layout && strlen(lurk_key_meaning(key)) == 1))
		snprintf(label, PICTURE_TEXT, "%s", lurk_key_meaning(key));
	else if (!strncmp(lurk_key_name(key), "KEY_", 4))
		snprintf(label, PICTURE_TEXT, "%s", lurk_key_name(key) + 4);
	else
		picture_split_name(lurk_key_name(key), ' ', label);
}

size_t picture_first(const char *alternatives, char out[PICTURE_TEXT])
{
	size_t length = strcspn(alternatives, "\n"), n = 0;

	for (size_t i = 0; i < length && n + 1 < PICTURE_TEXT; i++) {
		if (alternatives[i] != '\t')
			out[n++] = alternatives[i];
	}
	out[n] = '\0';
	return length;
}

bool picture_next_line(const char **at, char line[PICTURE_TEXT])
{
	const size_t length = strcspn(*at, "\n");

	if (!**at)
		return false;
	snprintf(line, PICTURE_TEXT, "%.*s", (int)length, *at);
	*at += length + ((*at)[length] != '\0');
	return true;
}
