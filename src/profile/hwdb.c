#include "lurk/profile/hwdb.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "lurk/name.h"
#include "lurk/text/memory.h"

/* ---- Matches --------------------------------------------------------------------------------- */

static const char atkbd[] = "evdev:atkbd:", input[] = "evdev:input:";

/* Linux's numbers of buses: linux/input.h. */
static const struct {
	uint8_t bus;
	unsigned number;
} buses[] = {{LURK_BUS_USB, 0x03}, {LURK_BUS_BLUETOOTH, 0x05}};

const char *lurk_hwdb_match_write(const struct lurk_hwdb_match *match, char out[LURK_HWDB_MATCH])
{
	unsigned number = buses[match->bus == LURK_BUS_BLUETOOTH].number;

	if (match->bus == LURK_BUS_PS2)
		snprintf(out, LURK_HWDB_MATCH, "%s*", atkbd);
	else if (match->by_product)
		snprintf(out, LURK_HWDB_MATCH, "%sb%04Xv%04Xp%04X*", input, number, match->vendor,
			 match->product);
	else
		snprintf(out, LURK_HWDB_MATCH, "%sb%04X*", input, number);
	return out;
}

/* Four hexadecimal digits after a letter; moves on. */
static bool read_number(const char **text, char letter, uint16_t *number)
{
	unsigned value = 0;

	if (**text != letter)
		return false;
	for (int i = 1; i <= 4; i++) {
		const char c = (*text)[i];

		if (!isxdigit((unsigned char)c))
			return false;
		value = value << 4 | (unsigned)(c <= '9' ? c - '0' : (c | ' ') - 'a' + 10);
	}
	*number = (uint16_t)value;
	*text += 5;
	return true;
}

bool lurk_hwdb_match_read(const char *text, struct lurk_hwdb_match *match)
{
	uint16_t number;

	*match = (struct lurk_hwdb_match){.bus = LURK_BUS_NONE};
	if (!strncmp(text, atkbd, strlen(atkbd))) {
		match->bus = LURK_BUS_PS2;
		return !strcmp(text + strlen(atkbd), "*");
	}
	if (strncmp(text, input, strlen(input)) != 0)
		return false;
	text += strlen(input);
	if (!read_number(&text, 'b', &number))
		return false;
	if (*text == 'v') {
		match->by_product = true;
		if (!read_number(&text, 'v', &match->vendor) ||
		    !read_number(&text, 'p', &match->product))
			return false;
	}
	for (size_t i = 0; i < sizeof buses / sizeof *buses; i++)
		match->bus = buses[i].number == number ? buses[i].bus : match->bus;
	return match->bus != LURK_BUS_NONE && !strcmp(text, "*");
}

enum lurk_wiring lurk_hwdb_wiring(const struct lurk_hwdb_match *match)
{
	return match->bus == LURK_BUS_PS2 ? LURK_WIRING_SET1 : LURK_WIRING_HID;
}

/* ---- Entries --------------------------------------------------------------------------------- */

const char *lurk_hwdb_key(lurk_key key, char out[LURK_HWDB_KEY])
{
	const char *name = lurk_key_evdev_name(key ? key : (lurk_key)LURK_KEY_UNKNOWN);
	size_t n = 0;

	*out = '\0';
	if (strncmp(name, "KEY_", 4) != 0)
		return out;
	for (name += 4; n < LURK_HWDB_KEY - 1 && name[n]; n++)
		out[n] = (char)tolower((unsigned char)name[n]);
	out[n] = '\0';
	return out;
}

static bool read_key(const char *word, lurk_key *key)
{
	char text[LURK_HWDB_KEY + 8];
	struct lurk_name name;

	*key = LURK_KEY_NONE;
	if (!strcmp(word, "unknown") || !strcmp(word, "reserved"))
		return true;
	if (!*word || strlen(word) >= LURK_HWDB_KEY)
		return false;
	snprintf(text, sizeof text, "KEY_%s", word);
	if (lurk_name_read(text, strlen(text), NULL, &name) != LURK_NAME_PRESS ||
	    name.press.on.kind != LURK_TARGET_KEY || name.press.modifiers)
		return false;
	*key = name.press.on.key;
	return true;
}

/* " KEYBOARD_KEY_70053=tab": false for any other property. */
static bool read_property(char *line, struct lurk_hwdb_entry *entry)
{
	static const char property[] = "KEYBOARD_KEY_";
	char *value, *end;
	unsigned long raw;

	while (*line == ' ' || *line == '\t')
		line++;
	value = strchr(line, '=');
	if (!value || strncmp(line, property, strlen(property)) != 0)
		return false;
	line += strlen(property);
	if (!isxdigit((unsigned char)*line))
		return false;
	raw = strtoul(line, &end, 16);
	if (end != value || raw > UINT32_MAX)
		return false;
	value++;
	entry->press_only = *value == '!';
	value += entry->press_only;
	value[strcspn(value, " \t#\r")] = '\0';
	entry->raw = (uint32_t)raw;
	entry->known = read_key(value, &entry->key);
	return true;
}

bool lurk_hwdb_read(const char *text, lurk_hwdb_tell *tell, void *data)
{
	char *copy = lurk_copy(text, strlen(text)), *rest = copy, *line;
	char **matches = NULL;
	size_t count = 0, told = 0;
	bool below = false;
	unsigned number = 0;

	while (told <= LURK_HWDB_MOST && (line = strsep(&rest, "\n"))) {
		struct lurk_hwdb_entry entry = {.line = ++number};
		bool is_key;

		line[strcspn(line, "\r")] = '\0';
		if (*line == '#')
			continue;
		if (*line == ' ' || *line == '\t') {
			below = true;
			is_key = read_property(line, &entry);
			for (size_t i = 0; is_key && i < count && told <= LURK_HWDB_MOST; i++) {
				entry.match = matches[i];
				if (told++ < LURK_HWDB_MOST)
					tell(data, &entry);
			}
			continue;
		}
		if (below || !*line)
			count = 0;
		below = false;
		if (!*line)
			continue;
		matches = lurk_resize(matches, (count + 1) * sizeof *matches);
		matches[count++] = line;
	}
	lurk_release(matches);
	lurk_release(copy);
	return told <= LURK_HWDB_MOST;
}
